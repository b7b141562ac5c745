"""In which order jobs must run, so that each finds what it reads."""

from collections.abc import Collection, Mapping
from dataclasses import dataclass

import numpy as np
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components


@dataclass(frozen=True, slots=True)
class Order:
    """Jobs in order. after: for each, the places of those that must have run before. circles: places of jobs that
    need one another; they stand side by side."""

    jobs: list[int]
    after: list[list[int]]
    circles: list[list[int]]


def upstream_order(
    target: int, writers: Mapping[int, Collection[int]], reads: Mapping[int, Collection[int]]
) -> Order:
    """Return the jobs that must run for a dataset.

    writers: dataset → jobs that write it. reads: job → datasets that it reads. Of two that could run in any order
    the one of the smaller number comes first.

    >>> upstream_order(3, {3: [30], 2: [20], 1: [10]}, {30: [2, 1], 20: [1], 10: []}).jobs
    [10, 20, 30]
    """
    jobs: set[int] = set()
    waiting = list(writers.get(target, ()))
    while waiting:
        job = waiting.pop()
        if job not in jobs:
            jobs.add(job)
            waiting += [one for dataset in reads.get(job, ()) for one in writers.get(dataset, ())]
    listed = sorted(jobs)
    place = {job: n for n, job in enumerate(listed)}
    edges = {
        (place[before], place[job])
        for job in listed
        for dataset in reads.get(job, ())
        for before in writers.get(dataset, ())
        if before != job
    }
    order, circle = needed_first(len(listed), edges)
    at = {n: found for found, n in enumerate(order)}
    groups: dict[int, list[int]] = {}
    for found, n in enumerate(order):
        groups.setdefault(circle[n], []).append(found)
    after = [sorted(at[a] for a, b in edges if b == n) for n in order]
    return Order([listed[n] for n in order], after, [group for group in groups.values() if len(group) > 1])


def needed_first(size: int, edges: Collection[tuple[int, int]]) -> tuple[list[int], list[int]]:
    """Return numbers from 0 in an order in which each stands behind those that it needs; and the circle of each.

    edges: (needed, by whom). Those that need one another stand side by side, and share a circle.

    >>> needed_first(3, {(2, 0), (0, 1)})[0]
    [2, 0, 1]
    """
    circle = _circles(size, edges)
    return _sorted(edges, circle), circle


def _circles(size: int, edges: Collection[tuple[int, int]]) -> list[int]:
    """The circle that each job is in, one for itself where it is in none."""
    if not size:
        return []
    ends = np.array(sorted(edges), dtype=np.int32).reshape(-1, 2)
    matrix = coo_array((np.ones(len(ends), dtype=np.int8), (ends[:, 0], ends[:, 1])), shape=(size, size))
    _, found = connected_components(matrix, directed=True, connection="strong")
    return [int(one) for one in found]


def _sorted(edges: Collection[tuple[int, int]], circle: list[int]) -> list[int]:
    """Circles one after the other, so that none stands before what it needs."""
    members: dict[int, list[int]] = {}
    for n, one in enumerate(circle):
        members.setdefault(one, []).append(n)
    needs: dict[int, set[int]] = {one: set() for one in members}
    for before, job in edges:
        if circle[before] != circle[job]:
            needs[circle[job]].add(circle[before])
    found: list[int] = []
    left = dict(needs)
    while left:
        ready = sorted((one for one, before in left.items() if not before), key=lambda one: members[one][0])
        for one in ready:
            found += members[one]
            del left[one]
        for needed in left.values():
            needed.difference_update(ready)
    return found
