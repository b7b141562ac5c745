"""The graph that a question is asked of: arrays of one moment, and what is worked out once for all questions."""

from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import datetime
from functools import cached_property
from threading import Lock
from typing import Any, TypeVar

import numpy as np

from jalan.catalog.aliases import AliasMap
from jalan.graph.columns import Ints
from jalan.graph.dependencies import Dependencies
from jalan.graph.lanes import Pairs
from jalan.service.errors import NotFound

_REMEMBERED = 50_000  # datasets
_KEPT = 500  # answers
T = TypeVar("T")


@dataclass(frozen=True, slots=True)
class Around:
    """How many datasets lie on each side of one, reports counted by themselves."""

    upstream: int
    downstream: int
    reports: int


NOTHING_AROUND = Around(0, 0, 0)


@dataclass(eq=False)
class GraphView:
    """The graph of now or of a time. version: how many changes it has seen. aliases: those that hold."""

    graph: Dependencies
    pairs: Pairs
    aliases: AliasMap
    version: int
    as_of: datetime | None = None
    _around: dict[int, Around] = field(default_factory=dict)
    _remembered: dict[str, Any] = field(default_factory=dict)
    _lock: Lock = field(default_factory=Lock)

    def dataset(self, id_: int) -> int:
        """Return the position of a dataset. Raises NotFound."""
        found = self.graph.dataset_position(id_)
        if found < 0:
            raise NotFound(f"there is no dataset {id_}")
        return found

    def field(self, id_: int) -> int:
        """Return the position of a field. Raises NotFound."""
        found = self.graph.field_position(id_)
        if found < 0:
            raise NotFound(f"there is no field {id_}")
        return found

    def dataset_id(self, position: int) -> int:
        """Return the id of the dataset at a position."""
        return int(self.graph.nodes.datasets.ids[position])

    def field_id(self, position: int) -> int:
        """Return the id of the field at a position."""
        return int(self.graph.nodes.fields.ids[position])

    @cached_property
    def joined(self) -> dict[int, list[int]]:
        """Id of a dataset → ids of those that are read as it."""
        found: dict[int, list[int]] = {}
        for one, other in self.graph.nodes.joined.datasets.tolist():
            found.setdefault(other, []).append(one)
        return found

    @cached_property
    def read_as_others(self) -> frozenset[int]:
        """Ids of the datasets that are read as others."""
        return frozenset(self.graph.nodes.joined.datasets[:, 0].tolist())

    @cached_property
    def fed_directly(self) -> Ints:
        """How many datasets each one feeds itself, (datasets,)."""
        return np.bincount(self.pairs.sources, minlength=self.graph.datasets).astype(np.int32)

    def around(self, dataset: int) -> Around:
        """Return how much lies on each side of the dataset at a position. Cost: a walk each way, once."""
        known = self._around.get(dataset)
        if known is None:
            downstream = self.pairs.hops(dataset, True) > 0
            reports = int(np.count_nonzero(downstream & self.graph.reports))
            upstream = int(np.count_nonzero(self.pairs.hops(dataset, False) > 0))
            known = Around(upstream, int(np.count_nonzero(downstream)) - reports, reports)
            with self._lock:
                if len(self._around) < _REMEMBERED:
                    self._around[dataset] = known
        return known

    def remembered(self, what: str, make: Callable[[], T]) -> T:
        """Return what is worked out once for this moment of the graph."""
        if what in self._remembered:
            known: T = self._remembered[what]
            return known
        found = make()
        with self._lock:
            if len(self._remembered) < _KEPT:
                self._remembered[what] = found
        return found

    def positions(self, ids: list[int]) -> Ints:
        """Return the positions of datasets that are there, those that are not left out."""
        found = [self.graph.dataset_position(id_) for id_ in ids]
        return np.array([position for position in found if position >= 0], dtype=np.int32)
