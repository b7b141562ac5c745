"""The graph of fields and datasets, and the questions asked of it.

A node is a field (0 … fields - 1) or a dataset (fields … fields + datasets - 1). A link goes from a field to a
field, or, where it decides which rows there are, to a dataset.
"""

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from jalan.graph.spread import Adjacency, Ints, Reach, adjacency, spread

VALUE, CONDITION, ROWS, CONTAINS = range(4)
"""Kinds of edges. CONTAINS leads from a dataset to its fields: what decides its rows touches them all."""


@dataclass(frozen=True, slots=True)
class Hop:
    """One edge of a path: ``edge`` is a position among the links, or -1 from a dataset to its field."""

    source: int
    target: int
    edge: int


class Dependencies:
    """The graph, in arrays.

    field_dataset: (fields,) dataset of each field.
    sources: (links,) field nodes.
    targets: (links,) nodes.
    kinds: (links,) VALUE, CONDITION or ROWS.
    datasets: how many there are.
    stars: the fields that stand for all columns of their dataset, where nobody said which column goes where.
    """

    def __init__(
        self,
        field_dataset: Ints,
        sources: Ints,
        targets: Ints,
        kinds: Ints,
        datasets: int,
        stars: Ints | None = None,
    ) -> None:
        self.field_dataset = field_dataset
        self.sources = sources
        self.targets = targets
        self.kinds = kinds
        self.fields = len(field_dataset)
        self.datasets = datasets
        self.stars = np.empty(0, dtype=np.int64) if stars is None else stars
        self.nodes = self.fields + datasets
        self._walks: dict[bool, tuple[Adjacency, Adjacency]] = {}

    def dataset_of(self, nodes: Ints) -> Ints:
        """Return the dataset of each node: of a field the one that has it, of a dataset itself."""
        is_field = nodes < self.fields
        found = nodes - self.fields
        found[is_field] = self.field_dataset[nodes[is_field]]
        return found

    # --- lanes ---------------------------------------------------------------------------------------

    @cached_property
    def dataset_ends(self) -> tuple[Ints, Ints]:
        """The datasets at both ends of every link, (sources, targets), each (links,)."""
        return self.dataset_of(self.sources), self.dataset_of(self.targets)

    def _between_datasets(self, conditions: bool) -> tuple[Adjacency, Adjacency]:
        """The walks between datasets, (upstream, downstream); sorted once, because every row of a catalog asks."""
        found = self._walks.get(conditions)
        if found is None:
            sources, targets = self.dataset_ends
            kept = sources != targets
            if not conditions:
                kept &= self.kinds == VALUE
            sources, targets = sources[kept], targets[kept]
            found = (adjacency(targets, sources, self.datasets), adjacency(sources, targets, self.datasets))
            self._walks[conditions] = found
        return found

    def hops(self, dataset: int, conditions: bool = True) -> tuple[Ints, Ints]:
        """Return how many hops every dataset lies (upstream, downstream) of one; -1 where nothing leads.

        Each is (datasets,). Cost: one walk each way.
        """
        upstream, downstream = self._between_datasets(conditions)
        seed = np.array([dataset])
        return spread(upstream, seed).distance, spread(downstream, seed).distance

    def feeds_itself(self, dataset: int) -> bool:
        """Whether a dataset is read by what writes it."""
        sources, targets = self.dataset_ends
        return bool(np.any((sources == dataset) & (targets == dataset)))

    # --- trails --------------------------------------------------------------------------------------

    @cached_property
    def _value_edges(self) -> Ints:
        return np.flatnonzero(self.kinds == VALUE)

    def trail(self, fields: Ints) -> tuple[Ints, Ints, Ints]:
        """Return what carries the values of fields: hops upstream and downstream, and the links between.

        Only value links are followed; they are carried as positions among all links.
        """
        edges = self._value_edges
        sources, targets = self.sources[edges], self.targets[edges]
        upstream = spread(adjacency(targets, sources, self.fields), fields).distance
        downstream = spread(adjacency(sources, targets, self.fields), fields).distance
        on_way = ((upstream[targets] >= 0) & (upstream[sources] >= 0)) | (
            (downstream[sources] >= 0) & (downstream[targets] >= 0)
        )
        # A field may feed itself; that link is on no way from one to another.
        on_way &= sources != targets
        return upstream, downstream, edges[on_way]

    def deciding(self, datasets: Ints, fields: Ints) -> Ints:
        """Return the condition links that end at these fields, or at the rows of these datasets."""
        wanted = np.zeros(self.nodes, dtype=np.bool_)
        wanted[fields] = True
        wanted[self.fields + datasets] = True
        return np.flatnonzero((self.kinds != VALUE) & wanted[self.targets])

    # --- what depends on a field ---------------------------------------------------------------------

    @cached_property
    def _everything(self) -> tuple[Adjacency, Ints, Ints]:
        members = np.arange(self.fields)
        columns, stars = self._columns_of_stars()
        sources = np.concatenate((self.sources, self.fields + self.field_dataset, columns, stars))
        targets = np.concatenate((self.targets, members, stars, columns))
        return adjacency(sources, targets, self.nodes), sources, targets

    def _columns_of_stars(self) -> tuple[Ints, Ints]:
        """Pairs of a column and the star of its dataset: what goes into one may come out of the other."""
        star_of = np.full(self.datasets, -1, dtype=np.int64)
        star_of[self.field_dataset[self.stars]] = self.stars
        found = star_of[self.field_dataset]
        columns = np.flatnonzero((found >= 0) & (found != np.arange(self.fields)))
        return columns, found[columns]

    @cached_property
    def _values_ahead(self) -> Adjacency:
        edges = self._value_edges
        return adjacency(self.sources[edges], self.targets[edges], self.nodes)

    def touched(self, fields: Ints) -> Reach:
        """Return what depends on fields in any way, by value or by condition.

        Every field of a dataset whose rows are decided is reached, through the dataset's node, and every field of a
        dataset that is fed whole, through its star.
        """
        return spread(self._everything[0], fields)

    def carriers(self, fields: Ints) -> Reach:
        """Return what carries the values of fields, by value links alone."""
        return spread(self._values_ahead, fields)

    def path(self, reach: Reach, node: int, by_value: bool) -> list[Hop]:
        """Return the shortest way on which ``carriers`` (by_value) or ``touched`` met a node, seed first."""
        steps: list[Hop] = []
        _, sources, targets = self._everything
        while reach.through[node] >= 0:
            edge = int(reach.through[node])
            position = int(self._value_edges[edge]) if by_value else edge
            link = position if position < len(self.sources) else -1
            steps.append(Hop(int(sources[position]), int(targets[position]), link))
            node = int(sources[position])
        return steps[::-1]


def longest_hops(nodes: Ints, sources: Ints, targets: Ints, start: Ints) -> dict[int, int]:
    """Return for each node the longest way from a start node, so that every link leads to a later lane.

    Links that close a circle are left out of account. Used where few nodes are shown. Cost: nodes · links.

    >>> a = np.array
    >>> longest_hops(a([0, 1, 2]), a([0, 0, 1]), a([1, 2, 2]), a([0]))
    {0: 0, 1: 1, 2: 2}
    """
    downstream: dict[int, list[int]] = {int(n): [] for n in nodes}
    for source, target in zip(sources.tolist(), targets.tolist(), strict=True):
        if source != target and source in downstream and target in downstream:
            downstream[source].append(target)
    level = dict.fromkeys((int(n) for n in start), 0)
    for node in _topological(downstream, [int(n) for n in start]):
        for target in downstream[node]:
            level[target] = max(level.get(target, 0), level.get(node, 0) + 1)
    return level


def _topological(downstream: dict[int, list[int]], start: list[int]) -> list[int]:
    """Order depth first, without recursion; drops the links that close a circle from ``downstream``."""
    state: dict[int, int] = {}
    order: list[int] = []
    for root in start:
        if root in state:
            continue
        stack = [(root, iter(list(downstream[root])))]
        state[root] = 1
        while stack:
            node, targets = stack[-1]
            for target in targets:
                if state.get(target) == 1:
                    downstream[node].remove(target)
                elif target not in state:
                    state[target] = 1
                    stack.append((target, iter(list(downstream[target]))))
                    break
            else:
                state[node] = 2
                order.append(node)
                stack.pop()
    return order[::-1]
