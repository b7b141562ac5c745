"""The graph at one moment: its nodes, its links with compressed rows, and which of them hold."""

from collections.abc import Callable
from dataclasses import dataclass, fields
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from jalan.graph.columns import (
    FOREVER,
    NO_INTS,
    PLACEHOLDER,
    REPORT,
    STAR,
    DatasetColumns,
    FieldColumns,
    Flags,
    Ints,
    Joined,
    LinkColumns,
    Positions,
    are_possible,
    distinct,
    kinds_of,
    ranks_of,
)
from jalan.graph.index import Part, Rows, edges_at, neighbours


@dataclass(frozen=True, eq=False)
class Nodes:
    """Datasets and fields, and which are read as others.

    dataset_at, field_at: positions by id. canonical_dataset, canonical_field: (datasets,), (fields,) the position
    that each is read as; itself, most of the time. joined: what these were made of.
    """

    datasets: DatasetColumns
    fields: FieldColumns
    dataset_at: Positions
    field_at: Positions
    canonical_dataset: Ints
    canonical_field: Ints
    joined: Joined

    @cached_property
    def aliases(self) -> Ints:
        """The datasets that are read as others, their positions in ascending order."""
        own = np.arange(len(self.canonical_dataset), dtype=np.int32)
        return np.flatnonzero(self.canonical_dataset != own).astype(np.int32)


def nodes_of(datasets: DatasetColumns, fields: FieldColumns, joined: Joined) -> Nodes:
    """Index nodes by id, and say which are read as others."""
    dataset_at, field_at = Positions.of(datasets.ids), Positions.of(fields.ids)
    canonical = []
    for at, size, pairs in (
        (dataset_at, len(datasets), joined.datasets),
        (field_at, len(fields), joined.fields),
    ):
        found = np.arange(size, dtype=np.int32)
        ones, others = at[pairs[:, 0]], at[pairs[:, 1]]
        known = (ones >= 0) & (others >= 0)
        found[ones[known]] = others[known]
        canonical.append(found)
    return Nodes(datasets, fields, dataset_at, field_at, canonical[0], canonical[1], joined)


@dataclass(frozen=True, slots=True, eq=False)
class Once:
    """Links, each for all between the same two that do the same.

    best: of each the one that is best evidenced. more: how many there are besides. possible: whether all are only
    possible ones.
    """

    best: Ints
    more: Ints
    possible: Flags

    def some(self, which: Flags) -> "Once":
        """Return some of them."""
        return Once(self.best[which], self.more[which], self.possible[which])


@dataclass(eq=False)
class Dependencies:
    """The graph as it is, or as it was at a time. It never changes; another moment is another one.

    nodes: all that there ever were.
    parts: the links; alive: for each part which of its links hold, none where all do.
    at: the time, none for now.
    """

    nodes: Nodes
    parts: tuple[Part, ...]
    alive: tuple[Flags | None, ...]
    at: int | None = None

    # --- nodes ---------------------------------------------------------------------------------------

    @property
    def fields(self) -> int:
        """How many positions of fields there are."""
        return len(self.nodes.fields)

    @property
    def datasets(self) -> int:
        """How many positions of datasets there are."""
        return len(self.nodes.datasets)

    def dataset_position(self, id_: int) -> int:
        """Return the position of a dataset by its id, or of the one that it is read as; -1 where there is none."""
        position = self.nodes.dataset_at.one(id_)
        if position < 0 or not self._was_there(int(self.nodes.datasets.since[position])):
            return -1
        return int(self.nodes.canonical_dataset[position])

    def read_as(self, positions: Ints) -> Ints:
        """Return the positions of the other datasets that are read as some."""
        aliases = self.nodes.aliases
        found: Ints = aliases[np.isin(self.nodes.canonical_dataset[aliases], positions)]
        return found

    def field_position(self, id_: int) -> int:
        """Return the position of a field by its id, or of the one that it is read as; -1 where there is none."""
        position = self.nodes.field_at.one(id_)
        if position < 0 or not self._was_there(int(self.nodes.fields.since[position])):
            return -1
        return int(self.nodes.canonical_field[position])

    def _was_there(self, since: int) -> bool:
        return self.at is None or since <= self.at

    @cached_property
    def field_dataset(self) -> Ints:
        """The dataset of each field, (fields,)."""
        return self.nodes.canonical_dataset[self.nodes.fields.dataset]

    def dataset_of(self, nodes: Ints) -> Ints:
        """Return the dataset of each node: of a field the one that has it, of rows the one whose they are."""
        found = ~nodes
        is_field = nodes >= 0
        found[is_field] = self.field_dataset[nodes[is_field]]
        return found

    @cached_property
    def known_fields(self) -> Flags:
        """Which fields there are, each once: gone ones too, those that are read as others not; (fields,)."""
        return self._known(self.nodes.canonical_field, self.nodes.fields.since)

    @cached_property
    def live_fields(self) -> Flags:
        """Those of the known fields that are not gone, (fields,)."""
        return self.known_fields & ~self._are_gone(self.nodes.fields.gone)

    @cached_property
    def known_datasets(self) -> Flags:
        """Which datasets there are, each once, (datasets,)."""
        return self._known(self.nodes.canonical_dataset, self.nodes.datasets.since)

    def _known(self, canonical: Ints, since: NDArray[np.int64]) -> Flags:
        found: Flags = canonical == np.arange(len(canonical), dtype=np.int32)
        return found if self.at is None else found & (since <= self.at)

    @cached_property
    def live_datasets(self) -> Flags:
        """Those of the known datasets that are not gone, (datasets,)."""
        return self.known_datasets & ~self._are_gone(self.nodes.datasets.gone)

    def _are_gone(self, since: NDArray[np.int64]) -> Flags:
        gone: Flags = since < FOREVER if self.at is None else since <= self.at
        return gone

    @cached_property
    def reports(self) -> Flags:
        """Which datasets are reports, (datasets,)."""
        return (self.nodes.datasets.flags & REPORT).astype(np.bool_)

    @cached_property
    def placeholders(self) -> Flags:
        """Which datasets nobody has scanned, (datasets,)."""
        return (self.nodes.datasets.flags & PLACEHOLDER).astype(np.bool_)

    @cached_property
    def stars(self) -> Flags:
        """Which fields stand for all columns of their dataset, (fields,)."""
        return (self.nodes.fields.flags & STAR).astype(np.bool_)

    @cached_property
    def has_stars(self) -> bool:
        """Whether any dataset has columns that nobody has named."""
        return bool(np.any(self.star_of >= 0))

    @cached_property
    def star_of(self) -> Ints:
        """The star of each dataset, -1 where all columns are known, (datasets,)."""
        found = np.full(self.datasets, -1, dtype=np.int32)
        stars = np.flatnonzero(self.stars & self.known_fields).astype(np.int32)
        found[self.field_dataset[stars]] = stars
        return found

    @cached_property
    def _members(self) -> Rows:
        fields = np.flatnonzero(self.known_fields).astype(np.int32)
        datasets = self.field_dataset[fields]
        return neighbours(datasets, fields, self.datasets)

    def fields_of(self, datasets: Ints) -> tuple[Ints, Ints]:
        """Return the fields of datasets, and for each of them where its dataset stands among these."""
        return edges_at(self._members, datasets, by_value=False)

    @cached_property
    def column_counts(self) -> Ints:
        """How many fields each dataset has that are not gone, (datasets,)."""
        return np.bincount(self.field_dataset[self.live_fields], minlength=self.datasets).astype(np.int32)

    @cached_property
    def all_counts(self) -> Ints:
        """How many fields each dataset has, gone ones too, (datasets,)."""
        return np.bincount(self.field_dataset[self.known_fields], minlength=self.datasets).astype(np.int32)

    # --- links ---------------------------------------------------------------------------------------

    @cached_property
    def _offsets(self) -> list[int]:
        found = [0]
        for part in self.parts:
            found.append(found[-1] + len(part))
        return found

    def _edges(self, which: Callable[[Part], Rows], nodes: Ints, by_value: bool) -> tuple[Ints, Ints]:
        found = []
        for part, alive, offset in zip(self.parts, self.alive, self._offsets, strict=False):
            links, where = edges_at(which(part), nodes, by_value)
            if not len(links):
                continue
            if alive is not None:
                kept = alive[links]
                links, where = links[kept], where[kept]
            found.append((links + np.int32(offset) if offset else links, where))
        if len(found) == 1:
            return found[0]
        if not found:
            return NO_INTS, NO_INTS
        return np.concatenate([links for links, _ in found]), np.concatenate([where for _, where in found])

    def links_from(self, fields: Ints, by_value: bool) -> tuple[Ints, Ints]:
        """Return the links that start at fields, and for each where its field stands among these."""
        return self._edges(lambda part: part.forward, fields, by_value)

    def links_to(self, fields: Ints, by_value: bool) -> tuple[Ints, Ints]:
        """Return the links that end at fields, and for each where its field stands among these."""
        return self._edges(lambda part: part.backward, fields, by_value)

    def links_deciding(self, datasets: Ints) -> tuple[Ints, Ints]:
        """Return the links that decide about the rows of datasets, and for each where its dataset stands."""
        return self._edges(lambda part: part.deciding, datasets, by_value=False)

    def every_link(self) -> Ints:
        """Return all links that hold. Cost: all links."""
        found = []
        for part, alive, offset in zip(self.parts, self.alive, self._offsets, strict=False):
            mine = np.arange(len(part)) if alive is None else np.flatnonzero(alive)
            found.append((mine + offset).astype(np.int32))
        return np.concatenate(found)

    def columns(self, links: Ints) -> LinkColumns:
        """Return what is known of links, in the order asked for."""
        return LinkColumns(*(self._column(column.name, links) for column in fields(LinkColumns)))

    def _column(self, name: str, links: Ints) -> NDArray[Any]:
        first: NDArray[Any] = getattr(self.parts[0].links, name)
        if len(self.parts) == 1 or not len(links) or int(links.max()) < self._offsets[1]:
            return first[links]
        found = np.empty(len(links), dtype=first.dtype)
        for part, offset, end in zip(self.parts, self._offsets, self._offsets[1:], strict=False):
            mine = (links >= offset) & (links < end)
            found[mine] = getattr(part.links, name)[links[mine] - offset]
        return found

    def sources(self, links: Ints) -> Ints:
        """Return the fields at which links start."""
        return self._column("sources", links)

    def targets(self, links: Ints) -> Ints:
        """Return the nodes at which links end."""
        return self._column("targets", links)

    def codes(self, links: Ints) -> Ints:
        """Return what links are, see ``link_code``."""
        return self._column("codes", links)

    def each_once(self, links: Ints) -> "Once":
        """Return links between the same two that do the same as one. The order is by source, kind, target."""
        found = self.columns(links)
        kinds = kinds_of(found.codes)
        order = np.lexsort((found.ids, ranks_of(found.codes), found.targets, kinds, found.sources))
        s, k, t = found.sources[order], kinds[order], found.targets[order]
        is_first = np.ones(len(order), dtype=np.bool_)
        is_first[1:] = (s[1:] != s[:-1]) | (k[1:] != k[:-1]) | (t[1:] != t[:-1])
        firsts = np.flatnonzero(is_first)
        if not len(firsts):
            return Once(links[:0], links[:0], is_first)
        more = np.diff(np.append(firsts, len(order))) - 1
        possible = np.logical_and.reduceat(are_possible(found.codes)[order], firsts)
        return Once(links[order[firsts]], more.astype(np.int32), possible)

    def value_counts(self, fields: Ints) -> tuple[Ints, Ints]:
        """Return how many fields the values of fields come from, and how many they go to; each (len(fields),)."""
        return self._others(self.links_to, self.sources, fields), self._others(
            self.links_from, self.targets, fields
        )

    def _others(
        self,
        edges: Callable[[Ints, bool], tuple[Ints, Ints]],
        ends: Callable[[Ints], Ints],
        fields: Ints,
    ) -> Ints:
        links, where = edges(fields, True)
        pairs = distinct((where.astype(np.int64) << 32) | ends(links))
        return np.bincount(pairs >> 32, minlength=len(fields)).astype(np.int32)
