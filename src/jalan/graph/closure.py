"""All that everything depends on, as one flat table: of each dataset all upstream of it, the nearest first."""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from jalan.graph.columns import VALUE, Ints, kinds_of
from jalan.graph.dependencies import Dependencies

_BLOCK = 1 << 21  # pairs of datasets that are marked at once


@dataclass(frozen=True, slots=True, eq=False)
class Flows:
    """Which dataset flows into which, each pair once. sources, targets: positions; definitions: an id of what does
    it, the lowest of several; (pairs,). size: how many datasets there are."""

    sources: Ints
    targets: Ints
    definitions: Ints
    size: int


@dataclass(frozen=True, slots=True, eq=False)
class ClosurePart:
    """Datasets with all that they depend on, row by row; (rows,). Rows with the same depth stand together, the
    nearest first.

    datasets, upstream: positions. depths: hops on the shortest way. flows: the number of the flow that leaves the
    other one on that way. next_rows: the row of what that flow leads to, which goes on with the way; -1 where it is
    the dataset itself.
    """

    datasets: Ints
    upstream: Ints
    depths: Ints
    flows: Ints
    next_rows: Ints

    def __len__(self) -> int:
        return len(self.datasets)


def flows_of(graph: Dependencies, conditions: bool) -> Flows:
    """Return the flows between datasets. conditions: whether what only decides counts too. Cost: all links."""
    links = graph.every_link()
    columns = graph.columns(links)
    kept = np.ones(len(links), dtype=np.bool_) if conditions else kinds_of(columns.codes) == VALUE
    sources = graph.field_dataset[columns.sources[kept]]
    targets = graph.dataset_of(columns.targets[kept])
    definitions = columns.definitions[kept]
    apart = sources != targets
    keys = (sources[apart].astype(np.int64) << 32) | targets[apart]
    order = np.lexsort((definitions[apart], keys))
    pairs, first = np.unique(keys[order], return_index=True)
    return Flows(
        (pairs >> 32).astype(np.int32),
        (pairs & 0xFFFFFFFF).astype(np.int32),
        definitions[apart][order][first].astype(np.int32),
        graph.datasets,
    )


def closure(flows: Flows, most_depth: int | None = None) -> Iterator[ClosurePart]:
    """Yield all that datasets depend on, some datasets at a time. Circles end: nothing depends on itself.

    Cost: for each dataset what lies upstream of it, some tens of nanoseconds a pair; memory by the block.

    >>> a = np.array
    >>> (part,) = closure(Flows(a([0, 1]), a([1, 2]), a([7, 8]), 3))
    >>> part.datasets.tolist(), part.upstream.tolist(), part.depths.tolist(), part.next_rows.tolist()
    ([1, 2, 2], [0, 1, 0], [1, 1, 2], [-1, -1, 1])
    """
    order = np.argsort(flows.targets, kind="stable").astype(np.int32)
    starts = np.searchsorted(flows.targets[order], np.arange(flows.size + 1)).astype(np.int32)
    fed = np.flatnonzero(np.diff(starts)).astype(np.int32)
    width = max(1, _BLOCK // max(1, flows.size))
    for first in range(0, len(fed), width):
        yield _block(flows, order, starts, fed[first : first + width], most_depth)


def _block(flows: Flows, order: Ints, starts: Ints, seeds: Ints, most_depth: int | None) -> ClosurePart:
    """All that some datasets depend on: a walk upstream from all of them at once."""
    # The row of each dataset (across) for each seed (down); -1 where it is not met.
    row_of = np.full(len(seeds) * flows.size, -1, dtype=np.int32)
    size = np.int32(flows.size)
    whose = np.arange(len(seeds), dtype=np.int32)
    at, rows = seeds, np.full(len(seeds), -1, dtype=np.int32)
    row_of[whose * size + at] = -2  # itself
    found: list[tuple[Ints, Ints, Ints, Ints, Ints]] = []
    depth = total = 0
    while len(at) and (most_depth is None or depth < most_depth):
        depth += 1
        counts = starts[at + 1] - starts[at]
        behind = np.repeat(np.arange(len(at), dtype=np.int32), counts)
        # Where the flows into each begin, less how many came before: counting on from there goes through all.
        begins = starts[at] - (np.cumsum(counts, dtype=np.int32) - counts)
        taken = order[begins[behind] + np.arange(len(behind), dtype=np.int32)]
        sources = flows.sources[taken]
        keys = whose[behind] * size + sources
        new = np.flatnonzero(row_of[keys] == -1)
        keys = keys[new]
        # Of several ways of the same length one is taken: the last that is written.
        numbers = np.arange(total, total + len(new), dtype=np.int32)
        row_of[keys] = numbers
        new, keys = (one[row_of[keys] == numbers] for one in (new, keys))
        numbers = np.arange(total, total + len(new), dtype=np.int32)
        row_of[keys] = numbers
        before = behind[new]
        whose, at = whose[before], sources[new]
        found.append((seeds[whose], at, np.full(len(new), depth, dtype=np.int32), taken[new], rows[before]))
        rows = numbers
        total += len(new)
    return ClosurePart(*(np.concatenate(column) for column in zip(*found, strict=True)))
