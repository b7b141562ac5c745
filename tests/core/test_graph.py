"""Walks over the dependency graph."""

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from jalan.graph.dependencies import CONDITION, ROWS, VALUE, Dependencies, longest_hops
from jalan.graph.ordering import order_lanes
from jalan.graph.spread import adjacency, spread

# fare (0) → paid (1) → gross (2) by value; status (3) decides the rows of dataset 1; gross feeds itself.
#   dataset 0: fare, status; dataset 1: paid; dataset 2: gross, label (4)
FIELDS = np.array([0, 1, 2, 0, 2])
SOURCES = np.array([0, 1, 3, 2, 3])
TARGETS = np.array([1, 2, 5 + 1, 2, 4])
KINDS = np.array([VALUE, VALUE, ROWS, VALUE, CONDITION])
GRAPH = Dependencies(FIELDS, SOURCES, TARGETS, KINDS, datasets=3)


def test_hops_are_counted_both_ways_from_a_dataset() -> None:
    back, ahead = GRAPH.hops(1)
    assert back.tolist() == [1, 0, -1]
    assert ahead.tolist() == [-1, 0, 1]


def test_without_conditions_only_values_connect_datasets() -> None:
    graph = Dependencies(FIELDS, SOURCES[2:3], TARGETS[2:3], KINDS[2:3], datasets=3)
    assert graph.hops(0)[1].tolist() == [0, 1, -1]
    assert graph.hops(0, conditions=False)[1].tolist() == [0, -1, -1]


def test_a_trail_holds_the_value_links_on_both_sides_and_no_loop() -> None:
    back, ahead, links = GRAPH.trail(np.array([1]))
    assert back.tolist() == [1, 0, -1, -1, -1]
    assert ahead.tolist() == [-1, 0, 1, -1, -1]
    assert links.tolist() == [0, 1]


def test_a_dataset_that_feeds_itself_is_known() -> None:
    assert [GRAPH.feeds_itself(d) for d in range(3)] == [False, False, True]


def test_dependents_by_value_and_by_anything() -> None:
    by_value, by_any = GRAPH.carriers(np.array([3])), GRAPH.touched(np.array([3]))
    assert np.flatnonzero(by_value.distance[:5] > 0).tolist() == []
    # the rows of dataset 1 hold paid, which flows on into gross; label is decided directly
    assert np.flatnonzero(by_any.distance[:5] > 0).tolist() == [1, 2, 4]
    steps = GRAPH.path(by_any, 2, by_value=False)
    assert [(s.source, s.target, s.edge) for s in steps] == [(3, 6, 2), (6, 1, -1), (1, 2, 1)]


def test_a_path_by_value_names_its_links() -> None:
    by_value = GRAPH.carriers(np.array([0]))
    assert [s.edge for s in GRAPH.path(by_value, 2, by_value=True)] == [0, 1]


def test_longest_hops_survive_a_circle() -> None:
    nodes = np.arange(4)
    found = longest_hops(nodes, np.array([0, 1, 2, 0]), np.array([1, 2, 1, 3]), np.array([0]))
    assert found == {0: 0, 1: 1, 2: 2, 3: 1}


edges = st.lists(st.tuples(st.integers(0, 9), st.integers(0, 9)), min_size=1, max_size=40)


@given(edges, st.integers(0, 9))
def test_spread_agrees_with_a_walk_by_hand(links: list[tuple[int, int]], seed: int) -> None:
    sources, targets = (np.array(side) for side in zip(*links, strict=True))
    reach = spread(adjacency(sources, targets, 10), np.array([seed]))
    distance = {seed: 0}
    frontier = [seed]
    while frontier:
        frontier = [t for s, t in links if s in frontier and t not in distance and not distance.update({t: -1})]
        hops = max(distance.values()) + 1
        distance.update(dict.fromkeys(frontier, hops))
    assert {n: int(d) for n, d in enumerate(reach.distance) if d >= 0} == distance
    for node, edge in enumerate(reach.through.tolist()):
        if edge >= 0:
            assert targets[edge] == node
            assert reach.distance[sources[edge]] == reach.distance[node] - 1


@given(st.lists(st.tuples(st.integers(0, 5), st.integers(6, 11)), max_size=30))
def test_ordering_keeps_every_node_and_the_focus(links: list[tuple[int, int]]) -> None:
    lanes = {-1: [0, 1, 2, 3, 4, 5], 0: [6, 7, 8], 1: [9, 10, 11]}
    found = order_lanes(lanes, links)
    assert {k: sorted(v) for k, v in found.items()} == lanes
    assert found[0] == lanes[0]
