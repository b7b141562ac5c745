"""Datasets and the links between them: how many hops apart they lie, and which links lie between those shown."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from jalan.graph.columns import NO_INTS, VALUE, Flags, Ints, distinct, kinds_of
from jalan.graph.dependencies import Dependencies
from jalan.graph.index import Rows, edges_at, neighbours


@dataclass(eq=False)
class Pairs:
    """Which datasets are linked, each pair once.

    sources, targets: positions of datasets, (pairs,). values, links: how many links lead from one to the other,
    those that carry values, and all. size: how many datasets there are.
    """

    sources: Ints
    targets: Ints
    values: Ints
    links: Ints
    size: int

    @cached_property
    def feeding_themselves(self) -> Flags:
        """Which datasets are read by what writes them, (datasets,)."""
        found = np.zeros(self.size, dtype=np.bool_)
        found[self.sources[self.sources == self.targets]] = True
        return found

    @cached_property
    def _kept(self) -> dict[bool, Ints]:
        apart = self.sources != self.targets
        every, carrying = np.flatnonzero(apart), np.flatnonzero(apart & (self.values > 0))
        return {True: every.astype(np.int32), False: carrying.astype(np.int32)}

    @cached_property
    def _walks(self) -> dict[tuple[bool, bool], Rows]:
        found = {}
        for conditions, kept in self._kept.items():
            sources, targets = self.sources[kept], self.targets[kept]
            found[conditions, True] = neighbours(sources, targets, self.size)
            found[conditions, False] = neighbours(targets, sources, self.size)
        return found

    def beside(self, datasets: Ints, downstream: bool, conditions: bool = True) -> tuple[Ints, Ints]:
        """Return the datasets one hop from others, and for each where that one stands among these."""
        return edges_at(self._walks[conditions, downstream], datasets, by_value=False)

    def hops(self, dataset: int, downstream: bool, conditions: bool = True, limit: int | None = None) -> Ints:
        """Return how many hops each dataset lies from one, -1 where nothing leads; (datasets,)."""
        return self.reached(np.array([dataset], dtype=np.int32), downstream, conditions, limit)

    def reached(self, seeds: Ints, downstream: bool, conditions: bool = True, limit: int | None = None) -> Ints:
        """Return how many hops each dataset lies from the nearest of several, -1 where nothing leads."""
        rows = self._walks[conditions, downstream]
        distance = np.full(self.size, -1, dtype=np.int32)
        frontier = distinct(seeds)
        distance[frontier] = 0
        hops = 0
        while len(frontier) and (limit is None or hops < limit):
            hops += 1
            met, _ = edges_at(rows, frontier, by_value=False)
            met = met[distance[met] < 0]
            distance[met] = hops
            frontier = distinct(met)
        return distance


def pairs_of(graph: Dependencies, links: Ints) -> Pairs:
    """Count some links of a graph by the datasets at their ends. Cost: links · log(links)."""
    keys = graph.field_dataset[graph.sources(links)].astype(np.int64) << 32
    keys |= graph.dataset_of(graph.targets(links))
    carries = kinds_of(graph.codes(links)) == VALUE
    return _counted(keys, np.ones(len(keys), dtype=np.int32), carries.astype(np.int32), graph.datasets)


def combined(several: list[tuple[Pairs, int]], size: int) -> Pairs:
    """Add up pairs, each with a sign: those with -1 are taken away."""
    keys = [(pairs.sources.astype(np.int64) << 32) | pairs.targets for pairs, _ in several]
    links = [pairs.links * sign for pairs, sign in several]
    values = [pairs.values * sign for pairs, sign in several]
    return _counted(np.concatenate(keys), np.concatenate(links), np.concatenate(values), size)


def _counted(keys: NDArray[np.int64], links: Ints, values: Ints, size: int) -> Pairs:
    order = np.argsort(keys, kind="stable")
    keys = keys[order]
    is_first = np.ones(len(keys), dtype=np.bool_)
    is_first[1:] = keys[1:] != keys[:-1]
    firsts = np.flatnonzero(is_first)
    if not len(firsts):
        return Pairs(NO_INTS, NO_INTS, NO_INTS, NO_INTS, size)
    links = np.add.reduceat(links[order], firsts).astype(np.int32)
    values = np.add.reduceat(values[order], firsts).astype(np.int32)
    left = np.flatnonzero(links > 0)
    keys = keys[firsts][left]
    return Pairs(
        (keys >> 32).astype(np.int32), (keys & 0xFFFFFFFF).astype(np.int32), values[left], links[left], size
    )


def links_between(graph: Dependencies, pairs: Pairs, datasets: Ints, conditions: bool) -> Ints:
    """Return the links between some datasets, those within one left out. Cost: what ends at these."""
    shown = np.zeros(graph.datasets, dtype=np.bool_)
    shown[datasets] = True
    # Only datasets that one of the others feeds are looked into.
    beside, where = pairs.beside(datasets, downstream=False, conditions=conditions)
    fed = distinct(datasets[where[shown[beside]]])
    fields, _ = graph.fields_of(fed)
    found, _ = graph.links_to(fields, not conditions)
    if conditions:
        rows, _ = graph.links_deciding(fed)
        found = np.concatenate((found, rows))
    return _between(graph, found, shown)


def _between(graph: Dependencies, links: Ints, shown: Flags) -> Ints:
    sources = graph.field_dataset[graph.sources(links)]
    kept: Ints = links[shown[sources] & (sources != graph.dataset_of(graph.targets(links)))]
    return kept
