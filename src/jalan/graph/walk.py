"""Walking the graph breadth first, a whole frontier at a time."""

import threading
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from jalan.graph.columns import Flags, Ints, distinct
from jalan.graph.dependencies import Dependencies


@dataclass(frozen=True, slots=True, eq=False)
class Reach:
    """What a walk met, the nearest first.

    nodes: each once, the seeds first. hops: from the nearest seed. parents: the place, in ``nodes``, of the node
    from which each was first met; -1 for seeds. links: on which; -1 where it was met as a column of rows that are
    decided, as a star, or as a seed.
    """

    nodes: Ints
    hops: Ints
    parents: Ints
    links: Ints

    def fields(self) -> tuple[Ints, Ints]:
        """Return the fields that were met, seeds left out, and their hops."""
        kept = (self.nodes >= 0) & (self.hops > 0)
        return self.nodes[kept], self.hops[kept]

    def links_passed(self) -> Ints:
        """Return how many links lie on the way to each node: hops without those that are no links."""
        found = np.zeros(len(self.nodes), dtype=np.int32)
        bounds = np.searchsorted(self.hops, np.arange(int(self.hops.max(initial=0)) + 2))
        for first, last in pairwise(bounds[1:].tolist()):
            found[first:last] = found[self.parents[first:last]] + (self.links[first:last] >= 0)
        return found

    def way(self, place: int) -> list[tuple[int, int]]:
        """Return the shortest way to the node at a place: (place, link) of each step, the seed left out."""
        steps: list[tuple[int, int]] = []
        while self.parents[place] >= 0:
            steps.append((place, int(self.links[place])))
            place = int(self.parents[place])
        return steps[::-1]


class _Marks(threading.local):
    """Which nodes the walk of this thread has met: kept between walks, so that none has to begin by clearing."""

    def __init__(self) -> None:
        self.met = np.zeros(0, dtype=np.int32)
        self.slot = np.zeros(0, dtype=np.int32)
        self.walk = 0

    def begin(self, nodes: int) -> int:
        if len(self.met) < nodes or self.walk == np.iinfo(np.int32).max:
            self.met = np.zeros(nodes + nodes // 8, dtype=np.int32)
            self.slot = np.zeros(nodes + nodes // 8, dtype=np.int32)
            self.walk = 0
        self.walk += 1
        return self.walk


_marks = _Marks()


def walk(
    graph: Dependencies,
    seeds: Ints,
    *,
    downstream: bool,
    by_value: bool,
    limit: int | None = None,
    around: Flags | None = None,
) -> Reach:
    """Walk from fields along the links, or against them, at most ``limit`` hops. Cost: the links met.

    by_value: along links that carry values alone. Otherwise every field of a dataset whose rows are decided is
    met through the dataset's node, and every field of a dataset that is fed whole, through its star.
    around: (datasets,) those that are not entered. A graph that feeds itself is no trouble: each node is met once.
    """
    number = _marks.begin(graph.fields + graph.datasets)
    met, slot = _marks.met, _marks.slot
    frontier = distinct(np.asarray(seeds, dtype=np.int32))
    met[frontier] = number
    found = [(frontier, np.full(len(frontier), -1, np.int32), np.full(len(frontier), -1, np.int32))]
    begun = 0
    hops = 0
    while len(frontier) and (limit is None or hops < limit):
        hops += 1
        nodes, where, links = _beyond(graph, frontier, downstream, by_value)
        new = np.flatnonzero(met[nodes] != number)
        if around is not None and len(new):
            new = new[~around[graph.dataset_of(nodes[new])]]
        candidates = nodes[new]
        # Of several ways to a node the first is kept: written last, it stands.
        slot[candidates[::-1]] = np.arange(len(new) - 1, -1, -1, dtype=np.int32)
        firsts = new[slot[candidates] == np.arange(len(new), dtype=np.int32)]
        begun, parent_base = begun + len(frontier), begun
        frontier = nodes[firsts]
        met[frontier] = number
        found.append((frontier, where[firsts] + np.int32(parent_base), links[firsts]))
    return Reach(
        np.concatenate([nodes for nodes, _, _ in found]),
        np.repeat(np.arange(len(found), dtype=np.int32), [len(nodes) for nodes, _, _ in found]),
        np.concatenate([parents for _, parents, _ in found]),
        np.concatenate([links for _, _, links in found]),
    )


def _beyond(graph: Dependencies, frontier: Ints, downstream: bool, by_value: bool) -> tuple[Ints, Ints, Ints]:
    """Return the nodes one hop further: which, from where in the frontier, on which link."""
    if by_value:
        links, where = (graph.links_from if downstream else graph.links_to)(frontier, True)
        return (graph.targets(links) if downstream else graph.sources(links)), where, links
    at_fields = np.flatnonzero(frontier >= 0).astype(np.int32)
    at_rows = np.flatnonzero(frontier < 0).astype(np.int32)
    fields, datasets = frontier[at_fields], ~frontier[at_rows]
    found: list[tuple[Ints, Ints, Ints]] = []
    if downstream:
        links, where = graph.links_from(fields, False)
        found.append((graph.targets(links), at_fields[where], links))
        if len(datasets):
            columns, where = graph.fields_of(datasets)
            found.append((columns, at_rows[where], _no_links(columns)))
    else:
        links, where = graph.links_to(fields, False)
        found.append((graph.sources(links), at_fields[where], links))
        # What decides about the rows of a dataset decides about each of its columns.
        found.append((~graph.field_dataset[fields], at_fields, _no_links(fields)))
        if len(datasets):
            links, where = graph.links_deciding(datasets)
            found.append((graph.sources(links), at_rows[where], links))
    found += _through_stars(graph, fields, at_fields)
    if len(found) == 1:
        return found[0]
    return (
        np.concatenate([nodes for nodes, _, _ in found]),
        np.concatenate([where for _, where, _ in found]),
        np.concatenate([links for _, _, links in found]),
    )


def _through_stars(graph: Dependencies, fields: Ints, places: Ints) -> list[tuple[Ints, Ints, Ints]]:
    """What goes into a column may come out of the star of its dataset, and the other way round."""
    if not graph.has_stars or not len(fields):
        return []
    stars = graph.star_of[graph.field_dataset[fields]]
    columns = np.flatnonzero((stars >= 0) & (stars != fields))
    found = [(stars[columns], places[columns], _no_links(columns))]
    are_stars = np.flatnonzero(stars == fields)
    if len(are_stars):
        others, where = graph.fields_of(graph.field_dataset[fields[are_stars]])
        found.append((others, places[are_stars][where], _no_links(others)))
    return found


def _no_links(nodes: NDArray[np.integer]) -> Ints:
    return np.full(len(nodes), -1, dtype=np.int32)
