"""The graph: walks against walks by hand, and through time: in step equals built anew, the past is what was."""

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from jalan.graph import timeline as timelines
from jalan.graph.columns import (
    CONDITION,
    DATASET_ROW,
    FIELD_ROW,
    FOREVER,
    LINK_ROW,
    NOTHING_JOINED,
    REPORT,
    ROWS,
    STAR,
    VALUE,
    Joined,
    Rows,
    link_code,
)
from jalan.graph.dependencies import Dependencies
from jalan.graph.impact import carriers, closure, common_upstream, reports_reached, touched
from jalan.graph.lane_order import order_lanes
from jalan.graph.lanes import Pairs, links_between, pairs_of
from jalan.graph.timeline import NO_LINKS, Difference, Timeline, timeline_of
from jalan.graph.trails import layers, trail
from jalan.graph.walk import Reach, walk
from tests.conftest import NIGHTLY

Link = tuple[int, int, int, int]
"""Source field, target dataset, target field or 0, kind: by id."""


def datasets(*flags: int) -> Rows:
    rows = np.zeros(len(flags), dtype=DATASET_ROW)
    rows["id"], rows["flags"], rows["gone"] = np.arange(1, len(flags) + 1), flags, FOREVER
    return rows


def fields(*of: tuple[int, int]) -> Rows:
    """Fields by (dataset, flags)."""
    rows = np.zeros(len(of), dtype=FIELD_ROW)
    rows["id"], rows["gone"] = np.arange(1, len(of) + 1), FOREVER
    for n, (dataset, flags) in enumerate(of):
        rows[n]["dataset"], rows[n]["flags"] = dataset, flags
    return rows


def links(*given: Link, first: int = 1) -> Rows:
    rows = np.zeros(len(given), dtype=LINK_ROW)
    rows["id"], rows["until"] = np.arange(first, first + len(given)), FOREVER
    for n, (source, dataset, target, kind) in enumerate(given):
        code = link_code(kind, "identity", "parsed", False, 0)
        rows[n]["source"], rows[n]["dataset"], rows[n]["field"], rows[n]["code"] = source, dataset, target, code
    return rows


# fare (1) → paid (2) → gross (3) by value; status (4) decides the rows of dataset 2; gross feeds itself; status
# decides about label (5). Dataset 1: fare, status; dataset 2: paid; dataset 3, a report: gross, label.
ROAD = timeline_of(
    datasets(0, 0, REPORT),
    fields((1, 0), (2, 0), (3, 0), (1, 0), (3, 0)),
    [links((1, 2, 2, VALUE), (2, 3, 3, VALUE), (4, 2, 0, ROWS), (3, 3, 3, VALUE), (4, 3, 5, CONDITION))],
)
GRAPH = ROAD.now


def at(*ids: int) -> np.ndarray:
    return GRAPH.nodes.field_at[np.array(ids, dtype=np.int32)]


def met(reach: Reach) -> list[int]:
    """Ids of the fields that were met."""
    found, _ = reach.fields()
    return sorted(GRAPH.nodes.fields.ids[found].tolist())


# --- questions -------------------------------------------------------------------------------------------


def test_hops_are_counted_both_ways_from_a_dataset() -> None:
    assert ROAD.pairs.hops(1, False).tolist() == [1, 0, -1]
    assert ROAD.pairs.hops(1, True).tolist() == [-1, 0, 1]
    assert ROAD.pairs.hops(0, True, limit=1).tolist() == [0, 1, 1]
    assert ROAD.pairs.hops(0, True, conditions=False).tolist() == [0, 1, 2]


def test_a_trail_holds_the_value_links_on_both_sides_and_no_loop() -> None:
    found = trail(GRAPH, at(2))
    assert sorted(GRAPH.columns(found.links).ids.tolist()) == [1, 2]
    assert (met(found.upstream), met(found.downstream)) == ([1], [3])


def test_a_dataset_that_feeds_itself_is_known() -> None:
    assert ROAD.pairs.feeding_themselves.tolist() == [False, False, True]


def test_dependents_by_value_and_by_anything() -> None:
    assert met(carriers(GRAPH, at(4))) == []
    reach = touched(GRAPH, at(4))
    # the rows of dataset 2 hold paid, which flows on into gross; label is decided directly
    assert met(reach) == [2, 3, 5]
    place = reach.nodes.tolist().index(int(at(3)[0]))
    way = [(int(reach.nodes[p]), link) for p, link in reach.way(place)]
    assert [node for node, _ in way] == [~1, int(at(2)[0]), int(at(3)[0])]
    assert [-1 if link < 0 else int(GRAPH.columns(np.array([link])).ids[0]) for _, link in way] == [3, -1, 2]


def test_a_walk_against_the_links_finds_what_decides() -> None:
    assert met(walk(GRAPH, at(2), downstream=False, by_value=False)) == [1, 4]


def test_walks_keep_out_of_what_they_are_told_to() -> None:
    closed = np.array([False, True, False])
    assert met(walk(GRAPH, at(1), downstream=True, by_value=True, around=closed)) == []
    assert met(walk(GRAPH, at(1), downstream=True, by_value=True, limit=1)) == [2]


def test_what_goes_into_a_column_may_come_out_of_the_star() -> None:
    graph = timeline_of(
        datasets(0, 0, 0), fields((1, 0), (2, 0), (2, STAR), (3, 0)), [links((1, 2, 2, VALUE), (3, 3, 4, VALUE))]
    ).now
    assert touched(graph, np.array([0])).fields()[0].tolist() == [1, 2, 3]
    assert walk(graph, np.array([3]), downstream=False, by_value=False).fields()[0].tolist() == [2, 1, 0]


def test_links_between_the_same_two_are_told_once_the_best_first() -> None:
    rows = links((1, 2, 2, VALUE), (1, 2, 2, VALUE), (1, 2, 2, CONDITION))
    rows["code"][0] = link_code(VALUE, "identity", "parsed", False, 2)
    graph = timeline_of(datasets(0, 0), fields((1, 0), (2, 0)), [rows]).now
    once = graph.each_once(graph.every_link())
    assert (graph.columns(once.best).ids.tolist(), once.more.tolist()) == ([2, 3], [1, 0])
    assert [counts.tolist() for counts in graph.value_counts(np.array([0, 1]))] == [[0, 1], [1, 0]]


def test_common_upstream_closure_and_reports() -> None:
    assert GRAPH.nodes.fields.ids[common_upstream(GRAPH, at(2, 3))].tolist() == [1]
    rows = {int(GRAPH.nodes.fields.ids[one]): hops.tolist() for one, _, hops in closure(GRAPH, at(1, 3), True)}
    assert rows == {1: [1, 2], 3: []}
    assert reports_reached(GRAPH, at(1, 2, 4)).tolist() == [1, 1, 0]


def test_links_between_datasets_are_those_of_the_datasets_shown() -> None:
    shown = np.array([0, 2], dtype=np.int32)
    assert GRAPH.columns(links_between(GRAPH, ROAD.pairs, shown, True)).ids.tolist() == [5]
    assert links_between(GRAPH, ROAD.pairs, shown, False).tolist() == []


def test_layers_survive_circles() -> None:
    found = layers(np.arange(5), np.array([0, 1, 2, 0, 3]), np.array([1, 2, 1, 3, 4]), 0)
    assert found.tolist() == [0, 1, 1, 1, 2]


@given(st.lists(st.tuples(st.integers(0, 5), st.integers(6, 11)), max_size=30))
def test_ordering_keeps_every_node_and_the_focus(given_links: list[tuple[int, int]]) -> None:
    lanes = {-1: [0, 1, 2, 3, 4, 5], 0: [6, 7, 8], 1: [9, 10, 11]}
    found = order_lanes(lanes, given_links)
    assert {k: sorted(v) for k, v in found.items()} == lanes
    assert found[0] == lanes[0]


# --- walks against walks by hand -------------------------------------------------------------------------

FIELDS = 10
edges = st.lists(st.tuples(st.integers(1, FIELDS), st.integers(1, FIELDS)), min_size=1, max_size=40)


@given(edges, st.integers(1, FIELDS), st.booleans())
def test_a_walk_agrees_with_one_by_hand(given_links: list[tuple[int, int]], seed: int, downstream: bool) -> None:
    rows = [(s, 1 + (t - 1) // 2, t, VALUE) for s, t in given_links]
    graph = timeline_of(datasets(0, 0, 0, 0, 0), _ten_fields(), [links(*rows)]).now
    reach = walk(graph, np.array([seed - 1]), downstream=downstream, by_value=True)
    ways = given_links if downstream else [(t, s) for s, t in given_links]
    distance = _by_hand(ways, seed)
    assert dict(zip((reach.nodes + 1).tolist(), reach.hops.tolist(), strict=True)) == distance
    for place in range(len(reach.nodes)):
        way = reach.way(place)
        assert len(way) == reach.hops[place]
        for (one, link), before in zip(way, [0, *(p for p, _ in way)], strict=False):
            ends = graph.sources(np.array([link]))[0], graph.targets(np.array([link]))[0]
            expected = (reach.nodes[before], reach.nodes[one])
            assert ends == (expected if downstream else expected[::-1])


def _ten_fields() -> Rows:
    return fields(*((1 + n // 2, 0) for n in range(FIELDS)))


def _by_hand(ways: list[tuple[int, int]], seed: int) -> dict[int, int]:
    distance, frontier, hops = {seed: 0}, {seed}, 0
    while frontier:
        hops += 1
        frontier = {t for s, t in ways if s in frontier} - distance.keys()
        distance.update(dict.fromkeys(frontier, hops))
    return distance


@given(edges, st.lists(st.integers(1, FIELDS), min_size=1, max_size=5, unique=True))
def test_fields_that_walk_together_reach_what_each_reaches_alone(
    given_links: list[tuple[int, int]], seeds: list[int]
) -> None:
    rows = [(s, 1 + (t - 1) // 2, t, VALUE) for s, t in given_links]
    graph = timeline_of(datasets(0, REPORT, 0, REPORT, REPORT), _ten_fields(), [links(*rows)]).now
    alone = []
    for seed in seeds:
        found, _ = carriers(graph, np.array([seed - 1])).fields()
        alone.append(len({d for d in graph.field_dataset[found].tolist() if graph.reports[d]}))
    assert reports_reached(graph, np.array(seeds, dtype=np.int32) - 1).tolist() == alone


# --- through time ----------------------------------------------------------------------------------------


@dataclass
class World:
    """All that the store would say, to be built anew. moments: what was shown at each time."""

    datasets: dict[int, int] = field(default_factory=dict)
    fields: dict[int, int] = field(default_factory=dict)
    links: dict[int, list[int]] = field(default_factory=dict)  # id → source, dataset, field, kind, since, until
    joined: dict[int, int] = field(default_factory=dict)
    now: int = 0

    def rows(self, since: int = -1) -> Difference:
        """What is new or has changed since a time; everything by default."""
        found = np.zeros(len(self.datasets), dtype=DATASET_ROW)
        for n, (id_, when) in enumerate(self.datasets.items()):
            found[n] = (id_, REPORT if id_ % 3 == 0 else 0, when, FOREVER)
        some = np.zeros(len(self.fields), dtype=FIELD_ROW)
        for n, (id_, dataset) in enumerate(self.fields.items()):
            some[n] = (id_, dataset, 0, self.datasets[dataset], FOREVER)
        rows = np.zeros(len(self.links), dtype=LINK_ROW)
        for n, (id_, (source, dataset, target, kind, begun, ended)) in enumerate(self.links.items()):
            code = link_code(kind, "identity", "parsed", False, id_ % 2)
            rows[n] = (id_, source, dataset, target, code, 1, begun, ended)
        changed = (rows["since"] > since) | ((rows["until"] > since) & (rows["until"] < FOREVER))
        return Difference(
            found[found["since"] > since], some[some["since"] > since], rows[changed], self.reads_as()
        )

    def reads_as(self) -> Joined:
        if not self.joined:
            return NOTHING_JOINED
        pairs = np.array(sorted(self.joined.items()), dtype=np.int32)
        inside = {d: sorted(f for f, of in self.fields.items() if of == d) for d in self.datasets}
        same = [pair for d, into in self.joined.items() for pair in zip(inside[d], inside[into], strict=False)]
        return Joined(pairs, np.array(sorted(same), dtype=np.int32).reshape(-1, 2))

    def built(self) -> Timeline:
        every = self.rows()
        assert every.joined is not None
        return timeline_of(every.datasets, every.fields, [every.links], every.joined)


def _grow(world: World, draw: Callable[[int], int]) -> None:
    """Change a world at random: datasets come, links begin and end, datasets are joined and parted."""
    world.now += 1
    if draw(3) == 0 or not world.datasets:
        dataset = len(world.datasets) + 1
        world.datasets[dataset] = world.now
        for _ in range(1 + draw(3)):
            world.fields[len(world.fields) + 1] = dataset
    for _ in range(draw(6)):
        source, target = 1 + draw(len(world.fields)), 1 + draw(len(world.fields))
        kind = draw(3)
        of = world.fields[target]
        made = [source, of, 0 if kind == ROWS else target, kind, world.now, FOREVER]
        world.links[len(world.links) + 1] = made
    for id_, link in world.links.items():
        if link[5] == FOREVER and link[4] < world.now and draw(5) == 0:
            world.links[id_][5] = world.now
    if draw(6) == 0 and len(world.datasets) > 1:
        one = 1 + draw(len(world.datasets))
        if one in world.joined:
            del world.joined[one]
        elif one not in world.joined.values() and one > 1 and 1 not in world.joined:
            world.joined[one] = 1


def shown(graph: Dependencies, pairs: Pairs) -> dict[str, object]:
    """All that questions can see of a graph, by id."""
    ids, whose = graph.nodes.fields.ids, graph.nodes.datasets.ids
    columns = graph.columns(graph.every_link())

    def node(n: int) -> int:
        return int(ids[n]) if n >= 0 else -int(whose[~n])

    held = sorted(zip(columns.ids.tolist(), map(node, columns.sources), map(node, columns.targets), strict=True))
    beside = zip(pairs.sources.tolist(), pairs.targets.tolist(), pairs.values.tolist(), pairs.links, strict=True)
    reached = {}
    for position in np.flatnonzero(graph.known_fields).tolist():
        for downstream in (True, False):
            for by_value in (True, False):
                reach = walk(graph, np.array([position]), downstream=downstream, by_value=by_value)
                nodes = sorted(zip(map(node, reach.nodes), reach.hops.tolist(), strict=True))
                reached[int(ids[position]), downstream, by_value] = nodes
    return {
        "links": held,
        "pairs": sorted((int(whose[s]), int(whose[t]), v, int(n)) for s, t, v, n in beside),
        "reached": reached,
        "counts": dict(zip(whose.tolist(), graph.column_counts.tolist(), strict=True)),
        "known": [int(whose[d]) for d in np.flatnonzero(graph.known_datasets)],
    }


@settings(max_examples=300 if NIGHTLY else 24)
@given(st.randoms(use_true_random=False), st.sampled_from([1, 4, 1_000]))
def test_in_step_equals_built_anew_and_the_past_is_what_was(random: object, fold_at: int) -> None:
    draw: Callable[[int], int] = random.randrange  # type: ignore[attr-defined]
    least, timelines._FOLD_AT_LEAST = timelines._FOLD_AT_LEAST, fold_at
    try:
        world = World()
        steps: Timeline | None = None
        then: list[tuple[int, Joined, dict[str, object]]] = []
        for _ in range(8):
            before = world.now
            _grow(world, draw)
            steps = world.built() if steps is None else steps.after(world.rows(before))
            if steps.wants_folding:
                steps = steps.folded()
            anew = world.built()
            moment = shown(anew.now, anew.pairs)
            assert shown(steps.now, steps.pairs) == moment
            then.append((world.now, world.reads_as(), moment))
            # What was read already comes once more: nothing changes.
            assert shown(steps.after(world.rows(before)).now, steps.after(world.rows(before)).pairs) == moment
        assert steps is not None
        for time, joined, moment in then:
            past = steps.at(time, joined, NO_ROWS, NO_FIELD_ROWS)
            seen = shown(past, pairs_of(past, past.every_link()))
            for part in ("links", "pairs", "reached", "known"):
                assert seen[part] == moment[part]
    finally:
        timelines._FOLD_AT_LEAST = least


NO_ROWS, NO_FIELD_ROWS = np.empty(0, dtype=DATASET_ROW), np.empty(0, dtype=FIELD_ROW)


def test_an_earlier_moment_is_not_changed_by_what_comes_later() -> None:
    before = shown(ROAD.now, ROAD.pairs)
    ended = links((1, 2, 2, VALUE))
    ended["until"] = 7
    later = ROAD.after(Difference(NO_ROWS, NO_FIELD_ROWS, ended))
    assert shown(ROAD.now, ROAD.pairs) == before
    assert met(walk(later.now, at(1), downstream=True, by_value=True)) == []
    ROAD.main.links.until[:] = FOREVER


def test_a_link_without_its_ends_is_left_out() -> None:
    found = timeline_of(datasets(0), fields((1, 0)), [links((1, 1, 99, VALUE), (99, 1, 1, VALUE), (1, 9, 0, ROWS))])
    assert len(found.now.every_link()) == 0
    assert len(timeline_of(NO_ROWS, NO_FIELD_ROWS, [NO_LINKS]).now.every_link()) == 0
