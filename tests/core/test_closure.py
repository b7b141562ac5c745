"""All that everything depends on: against a walk by hand on graphs by chance, with circles."""

import random
from itertools import pairwise

import numpy as np
import pytest

from jalan.graph.closure import ClosurePart, Flows, closure


def flows(size: int, pairs: set[tuple[int, int]]) -> Flows:
    listed = sorted(pairs)
    one, other = (np.array([pair[n] for pair in listed], dtype=np.int32) for n in (0, 1))
    return Flows(one, other, np.arange(len(listed), dtype=np.int32), size)


def by_hand(size: int, pairs: set[tuple[int, int]]) -> dict[tuple[int, int], int]:
    """(dataset, upstream) → hops on the shortest way."""
    found = {}
    for dataset in range(size):
        frontier, seen, depth = {dataset}, {dataset}, 0
        while frontier:
            depth += 1
            frontier = {source for source, target in pairs if target in frontier} - seen
            seen |= frontier
            found |= {(dataset, one): depth for one in frontier}
    return found


def way(given: Flows, part: ClosurePart, row: int) -> list[int]:
    """The datasets on the way of a row, by its flows."""
    found = [int(part.upstream[row])]
    while row >= 0:
        assert given.sources[part.flows[row]] == found[-1]
        found.append(int(given.targets[part.flows[row]]))
        row = int(part.next_rows[row])
    return found


@pytest.mark.parametrize("seed", range(25))
def test_it_is_what_a_walk_finds_with_the_shortest_ways(seed: int) -> None:
    chance = random.Random(seed)
    size = chance.randrange(2, 40)
    pairs = {(chance.randrange(size), chance.randrange(size)) for _ in range(chance.randrange(90))}
    pairs = {pair for pair in pairs if pair[0] != pair[1]}
    given = flows(size, pairs)
    found = {}
    for part in closure(given):
        assert (np.diff(part.depths) >= 0).all()
        for row in range(len(part)):
            key = (int(part.datasets[row]), int(part.upstream[row]))
            assert key not in found
            found[key] = int(part.depths[row])
            steps = way(given, part, row)
            assert (steps[0], steps[-1], len(steps) - 1) == (key[1], key[0], found[key])
            assert set(pairwise(steps)) <= pairs
    assert found == by_hand(size, pairs)


def test_only_so_many_hops_and_several_blocks(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("jalan.graph.closure._BLOCK", 8)
    given = flows(4, {(0, 1), (1, 2), (2, 3), (3, 0)})
    parts = list(closure(given, most_depth=2))
    assert len(parts) == 2
    assert sum(map(len, parts)) == 8
    assert list(closure(flows(3, set()))) == []
