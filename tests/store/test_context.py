"""What every use-case is given: who asks, of which store, and of which time."""

import threading
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest
from sqlalchemy import Engine, text

from jalan.service.catalog.facts import facts
from jalan.service.catalog.find import find
from jalan.service.catalog.pages import catalog
from jalan.service.context import Context
from jalan.service.cursors import BadCursor
from jalan.service.errors import Invalid, NotFound
from jalan.service.graph_cache.cache import GraphCache
from jalan.service.ingest import identity, sources
from jalan.service.ingest.once import load
from jalan.service.lineage.dependents import dependents
from jalan.service.lineage.evidence import evidence
from jalan.service.lineage.export import find_dataset, format_named
from jalan.service.lineage.lanes import lanes
from jalan.service.lineage.trail import trail
from tests.graphs import all_datasets, all_fields

SQL = """\
create table core.fares as select ticket_id, fare * 2 as double, fare from landing.tickets where not void;
create table mart.gross as select sum(double) as gross, count(*) as n from core.fares;
create table mart.copy as select gross from mart.gross;
"""
SETTINGS = "database: strait\nserver: islands:5432\nowners: {core: Quay desk}\n"


@pytest.fixture
def ferry(store: Engine, tmp_path: Path) -> Engine:
    """A store with a short road: landing.tickets → core.fares → mart.gross → mart.copy."""
    (tmp_path / "jalan.yaml").write_text(SETTINGS)
    (tmp_path / "fares.sql").write_text(SQL)
    load(Context(store, "test"), tmp_path)
    return store


def ids(context: Context) -> dict[str, int]:
    """Return the ids of fields and datasets by the names that people see."""
    named = {info.title: info.id for info in all_datasets(context).values()}
    return named | {name: info.id for name, info in all_fields(context).items()}


# --- the context itself ----------------------------------------------------------------------------------


def test_reading_holds_nobody_up(ferry: Engine) -> None:
    context = Context(ferry, "test")
    assert context.graph.graph.datasets
    done = threading.Event()

    def change() -> None:
        with ferry.begin() as connection:
            connection.execute(text("alter table dataset add column tried int"))
            connection.execute(text("alter table dataset drop column tried"))
        done.set()

    thread = threading.Thread(target=change, daemon=True)
    thread.start()
    assert done.wait(10), "an open context of a reader keeps a lock"
    thread.join()
    context.close()


def test_the_session_is_opened_when_it_is_asked_for_and_given_back(ferry: Engine) -> None:
    with Context(ferry, "test") as context:
        first = context.session
        assert context.session is first
        assert context.session.connection().exec_driver_sql("select 1").scalar() == 1
    with Context(ferry, "test") as context:
        assert context.session is not first


def test_the_graph_is_read_once_for_a_context(ferry: Engine) -> None:
    with Context(ferry, "test") as context:
        assert context.graph is context.graph


def test_contexts_share_the_graph_of_now_until_something_comes_in(ferry: Engine, tmp_path: Path) -> None:
    cache = GraphCache(ferry)
    with Context(ferry, "a", cache=cache) as one, Context(ferry, "b", cache=cache) as other:
        assert one.graph is other.graph
        before = one.graph
    (tmp_path / "more.sql").write_text("create table mart.more as select n from mart.gross;")
    load(Context(ferry, "test"), tmp_path)
    with Context(ferry, "a", cache=cache) as later:
        assert later.graph is not before
        assert "mart.more" in ids(later)


def test_a_time_before_anything_shows_nothing(ferry: Engine) -> None:
    with Context(ferry, "test", as_of=datetime.now(UTC) - timedelta(days=1)) as context:
        assert not context.graph.graph.known_datasets.any()
        assert catalog(context, "", {}, 10, None).total == 0


def test_what_was_changed_says_who_did_it(ferry: Engine) -> None:
    with Context(ferry, "Quay desk") as context:
        named = ids(context)
        alias = identity.join(context, named["mart.copy"], named["mart.gross"], "the same")
        (shown,) = facts(Context(ferry, "test"), named["mart.gross"]).known_as
        assert (shown.id, shown.who, shown.note) == (alias, "Quay desk", "the same")


def test_a_source_is_added_by_somebody(store: Engine, tmp_path: Path) -> None:
    config = {"kind": "repository", "location": str(tmp_path)}
    id_ = sources.add(Context(store, "Harbour office"), "pipelines", config)
    with Context(store, "test") as context:
        assert sources.get(context.session, id_).created_by == "Harbour office"


# --- what is asked ---------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("upstream", "downstream", "expected"),
    [
        (0, 0, {0: ["mart.gross"]}),
        (1, 0, {-1: ["core.fares"], 0: ["mart.gross"]}),
        (9, 1, {-2: ["landing.tickets"], -1: ["core.fares"], 0: ["mart.gross"], 1: ["mart.copy"]}),
    ],
)
def test_lanes_reach_as_far_as_asked(
    ferry: Engine, upstream: int, downstream: int, expected: dict[int, list[str]]
) -> None:
    with Context(ferry, "test") as context:
        found = lanes(context, ids(context)["mart.gross"], upstream, downstream, True)
    assert {lane.offset: [d.title for d in lane.datasets] for lane in found.lanes} == expected
    assert found.upstream.hops == max(0, 2 - upstream)
    assert found.downstream.hops == max(0, 1 - downstream)


def test_lanes_without_conditions_leave_out_what_only_decides(ferry: Engine) -> None:
    with Context(ferry, "test") as context:
        id_ = ids(context)["core.fares"]
        kinds = {shown: {c.kind for c in lanes(context, id_, 2, 2, shown).crossings} for shown in (True, False)}
    assert kinds == {True: {"value", "condition"}, False: {"value"}}


def test_a_trail_carries_the_value_from_end_to_end(ferry: Engine) -> None:
    with Context(ferry, "test") as context:
        found = trail(context, [ids(context)["core.fares.double"]], False)
    steps = [(step.source, step.target, step.line) for step in found.steps]
    assert steps == [
        ("landing.tickets.fare", "core.fares.double", 1),
        ("core.fares.double", "mart.gross.gross", 2),
        ("mart.gross.gross", "mart.copy.gross", 3),
    ]
    assert [lane.offset for lane in found.lanes] == [-1, 0, 1, 2]


def test_a_trail_is_of_one_dataset(ferry: Engine) -> None:
    with Context(ferry, "test") as context:
        named = ids(context)
        with pytest.raises(Invalid, match="several datasets"):
            trail(context, [named["core.fares.double"], named["mart.gross.n"]], True)


def test_evidence_marks_the_characters_and_says_how(ferry: Engine) -> None:
    with Context(ferry, "test") as context:
        found = lanes(context, ids(context)["core.fares"], 1, 0, False)
        (link,) = [c.id for c in found.crossings if c.how == "transformation"]
        shown = evidence(context, link)
    assert [shown.text[m.start : m.end] for m in shown.marks if m.kind == "link"] == ["fare"]
    assert [shown.text[m.start : m.end] for m in shown.marks if m.kind == "expression"] == ["fare * 2"]
    assert shown.text[shown.start : shown.end].startswith("create table core.fares")
    assert shown.expression == "fare * 2"
    assert (shown.source, shown.target) == ("landing.tickets.fare", "core.fares.double")


def test_what_depends_on_a_field_is_told_with_the_worst_consequence_and_its_way(ferry: Engine) -> None:
    with Context(ferry, "test") as context:
        named = ids(context)
        found = dependents(context, named["landing.tickets.fare"], True)
        carried = {(i.dataset_title, i.name): (i.effect, i.hops) for i in found.items}
        decided = dependents(context, named["landing.tickets.void"], True)
        none = dependents(context, named["landing.tickets.void"], False)
    assert carried == {
        ("core.fares", "double"): ("value", 1),
        ("core.fares", "fare"): ("value", 1),
        ("mart.gross", "gross"): ("value", 2),
        ("mart.copy", "gross"): ("value", 3),
    }
    assert {i.effect for i in decided.items} == {"condition"}
    assert {"double", "gross"} <= {i.name for i in decided.items}
    assert none.items == []
    assert set(found.effects) == {"value", "condition"}


@pytest.mark.parametrize(
    ("words", "first"),
    [
        ("gross", "mart.gross"),
        ("fares", "core.fares"),
        ("double", "double"),
        ("core fares", "core.fares"),
        ("quay desk", "core.fares"),
    ],
)
def test_the_best_hit_comes_first(ferry: Engine, words: str, first: str) -> None:
    with Context(ferry, "test") as context:
        assert find(context, words, 5)[0].title == first


def test_find_says_which_part_matched_and_finds_nothing_for_nothing(ferry: Engine) -> None:
    with Context(ferry, "test") as context:
        assert [(f.kind, f.why) for f in find(context, "double", 5)] == [("field", "column")]
        assert find(context, "  ", 5) == []
        assert find(context, "lighthouse", 5) == []
        assert len(find(context, "a", 2)) == 2


def test_the_catalog_pages_through_all_and_counts_what_a_choice_would_leave(ferry: Engine) -> None:
    with Context(ferry, "test") as context:
        seen, cursor = [], None
        while True:
            page = catalog(context, "", {}, 2, cursor)
            seen += [row.title for row in page.items]
            cursor = page.next
            if cursor is None:
                break
        chosen = catalog(context, "", {"owner": ["Quay desk"]}, 10, None)
        with pytest.raises(BadCursor):
            catalog(context, "", {}, 2, "lighthouse")
    assert sorted(seen) == sorted(set(seen)) == ["core.fares", "landing.tickets", "mart.copy", "mart.gross"]
    assert [row.title for row in chosen.items] == ["core.fares"]
    assert {c.value: c.count for c in chosen.facets["owner"]} == {"nobody": 3, "Quay desk": 1}


@pytest.mark.parametrize("ask", [lambda c: facts(c, 9999), lambda c: lanes(c, 9999, 1, 1, True),
                                 lambda c: evidence(c, 9999), lambda c: dependents(c, 9999, True),
                                 lambda c: trail(c, [9999], True), lambda c: format_named("fax"),
                                 lambda c: find_dataset(c, "lighthouse")])  # fmt: skip
def test_what_is_not_there_is_said_to_be_not_there(ferry: Engine, ask: object) -> None:
    with Context(ferry, "test") as context, pytest.raises(NotFound, match="there is no"):
        ask(context)  # type: ignore[operator]


def test_a_dataset_is_named_with_or_without_its_database(ferry: Engine) -> None:
    with Context(ferry, "test") as context:
        id_ = ids(context)["core.fares"]
        names = ["core.fares", "strait.core.fares", "postgres://islands:5432/strait.core.fares", str(id_)]
        assert [find_dataset(context, name) for name in names] == [id_] * 4
