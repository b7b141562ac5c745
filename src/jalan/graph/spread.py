"""Walking a graph breadth first, a whole frontier at a time."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Ints = NDArray[np.int64]


@dataclass(frozen=True, slots=True, eq=False)
class Adjacency:
    """Edges sorted by where they start: those of node ``n`` are ``edges[starts[n]:starts[n + 1]]``.

    starts: (nodes + 1,).
    edges: (edges,) positions in the arrays that the adjacency was built from.
    targets: (edges,) the node at the other end.
    """

    starts: Ints
    edges: Ints
    targets: Ints


def adjacency(sources: Ints, targets: Ints, nodes: int) -> Adjacency:
    """Sort edges by their source. Cost: edges · log(edges)."""
    order = np.argsort(sources, kind="stable").astype(np.int64)
    counts = np.bincount(sources, minlength=nodes)
    starts = np.zeros(nodes + 1, dtype=np.int64)
    np.cumsum(counts, out=starts[1:])
    return Adjacency(starts, order, targets[order])


@dataclass(frozen=True, slots=True, eq=False)
class Reach:
    """What a walk reached. distance: (nodes,) hops from the nearest seed, -1 where nothing leads to.

    through: (nodes,) the edge on which each node was first met, -1 for seeds and for what was not reached.
    """

    distance: Ints
    through: Ints


def spread(graph: Adjacency, seeds: Ints, limit: int | None = None) -> Reach:
    """Walk from the seeds along the edges, at most ``limit`` hops. Cost: the nodes and edges reached.

    A graph that feeds itself is no trouble: every node is met once.

    >>> chain = adjacency(np.array([0, 1, 2]), np.array([1, 2, 0]), 4)
    >>> spread(chain, np.array([0])).distance.tolist()
    [0, 1, 2, -1]
    >>> spread(chain, np.array([0]), limit=1).distance.tolist()
    [0, 1, -1, -1]
    """
    nodes = len(graph.starts) - 1
    distance = np.full(nodes, -1, dtype=np.int64)
    through = np.full(nodes, -1, dtype=np.int64)
    frontier = np.unique(np.asarray(seeds, dtype=np.int64))
    distance[frontier] = 0
    hops = 0
    while frontier.size and (limit is None or hops < limit):
        hops += 1
        first, last = graph.starts[frontier], graph.starts[frontier + 1]
        counts = last - first
        if not counts.sum():
            break
        offsets = np.repeat(first - np.concatenate(([0], np.cumsum(counts)[:-1])), counts)
        positions = offsets + np.arange(counts.sum())
        targets = graph.targets[positions]
        new = distance[targets] < 0
        frontier, where = np.unique(targets[new], return_index=True)
        distance[frontier] = hops
        through[frontier] = graph.edges[positions[new][where]]
    return Reach(distance, through)
