"""The trail of fields: all that carries their values, from end to end."""

from dataclasses import dataclass

import numpy as np
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

from jalan.graph.columns import Ints, distinct
from jalan.graph.dependencies import Dependencies
from jalan.graph.index import edges_at, neighbours
from jalan.graph.walk import Reach, walk


@dataclass(frozen=True, slots=True, eq=False)
class Trail:
    """What carries the values of fields. upstream, downstream: what was met on each side, the fields themselves
    included. links: those between, whatever carries a field into itself left out."""

    upstream: Reach
    downstream: Reach
    links: Ints


def trail(graph: Dependencies, fields: Ints) -> Trail:
    """Follow value links both ways from fields. Cost: what is met."""
    upstream = walk(graph, fields, downstream=False, by_value=True)
    downstream = walk(graph, fields, downstream=True, by_value=True)
    # Every link into what lies upstream, and every link out of what lies downstream, is on the trail.
    before, _ = graph.links_to(upstream.nodes, True)
    behind, _ = graph.links_from(downstream.nodes, True)
    links = distinct(np.concatenate((before, behind)))
    return Trail(upstream, downstream, links[graph.sources(links) != graph.targets(links)])


def layers(nodes: Ints, sources: Ints, targets: Ints, start: int) -> Ints:
    """Return the longest way from a start node to each node, so that links lead to later lanes; (nodes,).

    nodes: sorted numbers, ``start`` among them, all reached from it. sources, targets: links between them. What
    lies on a circle with the start stays in its lane, and so does each other circle. Cost: links times the longest
    way.

    >>> a = np.array
    >>> layers(a([0, 1, 2, 3]), a([0, 0, 1, 2, 3]), a([1, 2, 2, 3, 2]), 0).tolist()
    [0, 1, 2, 2]
    """
    size = len(nodes)
    ends = np.searchsorted(nodes, sources), np.searchsorted(nodes, targets)
    matrix = coo_array((np.ones(len(sources), dtype=np.int8), ends), shape=(size, size))
    count, circle = connected_components(matrix, directed=True, connection="strong")
    one, other = circle[ends[0]], circle[ends[1]]
    pairs = distinct((one[one != other].astype(np.int64) << 32) | other[one != other])
    one, other = (pairs >> 32).astype(np.int32), (pairs & 0xFFFFFFFF).astype(np.int32)
    behind = neighbours(one, other, count)
    level = np.zeros(count, dtype=np.int32)
    left = np.bincount(other, minlength=count)
    frontier = np.flatnonzero(left == 0).astype(np.int32)
    while len(frontier):
        met, where = edges_at(behind, frontier, by_value=False)
        np.maximum.at(level, met, level[frontier[where]] + 1)
        np.subtract.at(left, met, 1)
        frontier = distinct(met)
        frontier = frontier[left[frontier] == 0]
    found: Ints = level[circle] - level[circle[np.searchsorted(nodes, start)]]
    return found
