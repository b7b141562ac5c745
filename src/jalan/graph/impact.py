"""What depends on fields, and what they have in common."""

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from jalan.graph.columns import Ints, distinct
from jalan.graph.dependencies import Dependencies
from jalan.graph.walk import Reach, walk


def touched(graph: Dependencies, fields: Ints) -> Reach:
    """Return what depends on fields in any way, by value or by condition."""
    return walk(graph, fields, downstream=True, by_value=False)


def carriers(graph: Dependencies, fields: Ints) -> Reach:
    """Return what carries the values of fields, by value links alone."""
    return walk(graph, fields, downstream=True, by_value=True)


def common_upstream(graph: Dependencies, fields: Ints, by_value: bool = True) -> Ints:
    """Return the fields that each of some fields comes from, sorted. Cost: a walk for each."""
    common: Ints | None = None
    for field in fields.tolist():
        met, _ = walk(graph, np.array([field], dtype=np.int32), downstream=False, by_value=by_value).fields()
        common = np.sort(met) if common is None else np.intersect1d(common, met, assume_unique=True)
    return np.empty(0, dtype=np.int32) if common is None else common


def closure(graph: Dependencies, fields: Ints, by_value: bool) -> Iterator[tuple[int, Ints, Ints]]:
    """Yield for each of some fields what depends on it, nearest first: (field, fields met, hops)."""
    for field in fields.tolist():
        met, hops = walk(graph, np.array([field], dtype=np.int32), downstream=True, by_value=by_value).fields()
        yield field, met, hops


def reports_reached(graph: Dependencies, fields: Ints) -> Ints:
    """Return how many reports the values of each field reach, (len(fields),). Cost: a few walks for each 64."""
    found = [_reports_reached(graph, fields[start : start + 64]) for start in range(0, len(fields), 64)]
    return np.concatenate(found) if found else np.empty(0, dtype=np.int32)


def _reports_reached(graph: Dependencies, fields: Ints) -> Ints:
    """The same for at most 64 fields, which walk together: each has one bit at every field that was met."""
    met = np.zeros(graph.fields, dtype=np.uint64)
    bits = np.left_shift(np.uint64(1), np.arange(len(fields), dtype=np.uint64))
    frontier, carried = _together(fields, bits)
    met[frontier] = carried
    seen: list[Ints] = []
    while len(frontier):
        links, where = graph.links_from(frontier, True)
        targets = graph.targets(links)
        new = carried[where] & ~met[targets]
        kept = np.flatnonzero(new)
        frontier, carried = _together(targets[kept], new[kept])
        met[frontier] |= carried
        seen.append(frontier[graph.reports[graph.field_dataset[frontier]]])
    elements = distinct(np.concatenate(seen)) if seen else np.empty(0, dtype=np.int32)
    met[fields] &= ~bits  # nothing reaches itself
    _, masks = _together(graph.field_dataset[elements], met[elements])
    reached: Ints = np.count_nonzero(masks[:, None] & bits[None, :], axis=0).astype(np.int32)
    return reached


def _together(nodes: Ints, bits: NDArray[np.uint64]) -> tuple[Ints, NDArray[np.uint64]]:
    """Return each node once, with all its bits."""
    if not len(nodes):
        return nodes, bits
    order = np.argsort(nodes, kind="stable")
    nodes, bits = nodes[order], bits[order]
    firsts = np.flatnonzero(np.append(True, nodes[1:] != nodes[:-1]))
    return nodes[firsts], np.bitwise_or.reduceat(bits, firsts)
