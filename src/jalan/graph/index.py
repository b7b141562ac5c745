"""Compressed rows over links: all that start, or end, at a node, without looking at the others."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from jalan.graph.columns import NO_INTS, VALUE, Flags, Ints, LinkColumns, kinds_of, ranks_of

_MOST = 1 << 27  # nodes whose numbers fit into one key for sorting


@dataclass(frozen=True, slots=True, eq=False)
class Rows:
    """The edges at each node: those of node ``n`` are ``starts[n]`` to ``starts[n + 1]``, those that carry values
    first, up to ``values[n]``. order: which links these are; none where they stand in that order themselves."""

    starts: Ints
    values: Ints
    order: Ints | None


@dataclass(frozen=True, slots=True, eq=False)
class Part:
    """Links sorted by source, what they do and target, with compressed rows both ways.

    links: those between the same two stand together, the best evidenced first.
    forward: by source field. backward: by target field. deciding: by the dataset whose rows are decided.
    raw: the ends as they were before some were read as others; none where that changes nothing.
    """

    links: LinkColumns
    forward: Rows
    backward: Rows
    deciding: Rows
    raw: tuple[Ints, Ints] | None = None

    def __len__(self) -> int:
        return len(self.links)


def part_of(links: LinkColumns, fields: int, datasets: int, raw: tuple[Ints, Ints] | None = None) -> Part:
    """Sort links and index them. Cost: links · log(links)."""
    order = np.argsort(_keys(links), kind="stable") if fields < _MOST else _sorted_slowly(links)
    links = links.take(order)
    if raw is not None:
        raw = raw[0][order], raw[1][order]
    carries = kinds_of(links.codes) == VALUE
    forward = _rows(links.sources, carries, fields, None)
    to_field = np.flatnonzero(links.targets >= 0).astype(np.int32)
    backward = _by_end(to_field, links.targets[to_field], carries[to_field], fields)
    to_rows = np.flatnonzero(links.targets < 0).astype(np.int32)
    deciding = _by_end(to_rows, ~links.targets[to_rows], carries[to_rows], datasets)
    return Part(links, forward, backward, deciding, raw)


def _keys(links: LinkColumns) -> NDArray[np.int64]:
    keys = links.sources.astype(np.int64) << 1
    keys |= kinds_of(links.codes) != VALUE
    keys <<= 32
    keys |= links.targets.astype(np.int64) + (1 << 31)
    keys <<= 3
    keys |= np.minimum(ranks_of(links.codes), 7)
    return keys


def _sorted_slowly(links: LinkColumns) -> NDArray[np.int64]:
    kinds = kinds_of(links.codes) != VALUE
    return np.lexsort((ranks_of(links.codes), links.targets, kinds, links.sources))


def _by_end(links: Ints, ends: Ints, carries: Flags, nodes: int) -> Rows:
    order = np.argsort((ends.astype(np.int64) << 1) | ~carries, kind="stable")
    return _rows(ends[order], carries[order], nodes, links[order])


def _rows(ends: Ints, carries: Flags, nodes: int, order: Ints | None) -> Rows:
    starts = np.zeros(nodes + 1, dtype=np.int32)
    np.cumsum(np.bincount(ends, minlength=nodes), out=starts[1:])
    values = starts[:-1] + np.bincount(ends[carries], minlength=nodes).astype(np.int32)
    return Rows(starts, values, order)


def neighbours(ends: Ints, others: Ints, nodes: int) -> Rows:
    """Compress pairs of nodes: the rows of a node are those that stand beside it, in the order in which they come.
    No link is told apart, so ``by_value`` makes no sense for them."""
    order = np.argsort(ends, kind="stable")
    starts = np.zeros(nodes + 1, dtype=np.int32)
    np.cumsum(np.bincount(ends, minlength=nodes), out=starts[1:])
    return Rows(starts, starts[:-1], others[order])


def edges_at(rows: Rows, nodes: Ints, by_value: bool) -> tuple[Ints, Ints]:
    """Return the links at nodes, and for each of these where its node stands among ``nodes``.

    Nodes that are newer than the rows have none.
    """
    size = len(rows.values)
    if not size or not len(nodes):
        return NO_INTS, NO_INTS
    if int(nodes.max()) >= size:
        old = np.flatnonzero(nodes < size).astype(np.int32)
        links, where = edges_at(rows, nodes[old], by_value)
        return links, old[where]
    first = rows.starts[nodes]
    counts = (rows.values[nodes] if by_value else rows.starts[nodes + 1]) - first
    ends = np.cumsum(counts, dtype=np.int32)
    total = int(ends[-1])
    if not total:
        return NO_INTS, NO_INTS
    where = np.repeat(np.arange(len(nodes), dtype=np.int32), counts)
    links = np.arange(total, dtype=np.int32) + (first - (ends - counts))[where]
    return (links if rows.order is None else rows.order[links]), where
