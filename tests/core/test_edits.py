"""Edited, added and deleted texts: what they make otherwise, and what is only written otherwise."""

from collections.abc import Sequence

import pytest

from jalan.change.catalogue import Catalogue
from jalan.change.meaning import QueryDifference
from jalan.change.outcome import Kind, Outcome
from jalan.change.ran import Text
from jalan.change.simulation import World
from jalan.change.stored import TABLE
from jalan.change.types import declared_type

TABLES = {"tidy.tickets": ["ticket_id", "fare", "port"], "tidy.ports": ["port", "island"]}
FACTS = """
create temporary table sold as select ticket_id, fare, port from tidy.tickets where fare > 0;
drop table if exists core.facts cascade;
create table core.facts as
select s.ticket_id, s.fare * 2 as twice, p.island from sold s join tidy.ports p using (port);
drop table sold
"""
KEPT = """
create table if not exists core.kept (island text, fare int);
insert into core.kept (fare, island) select sum(twice), island from core.facts group by island;
update core.kept set fare = 0 where fare is null
"""
TEXTS = (
    Text("facts", FACTS),
    Text("kept", KEPT),
    Text("view", "create or replace view mart.v as select island, fare from core.kept where fare > 1"),
    Text("by island", "select island from mart.v", is_query=True),
    Text("by fare", "select fare from core.kept", is_query=True),
    Text("twice", "select sum(twice) as total from core.facts", is_query=True),
)
ALL = {"core.facts", "core.kept", "mart.v", "kept", "view", "by island", "by fare", "twice"}


def world(texts: Sequence[Text] = TEXTS) -> World:
    found = Catalogue()
    for name, columns in TABLES.items():
        found.make(name, TABLE, columns)
    return World(found, texts)


def edited(place: str, was: str, now: str) -> Outcome:
    """What becomes of all where a stretch of a text is written otherwise."""
    text = next(one.text for one in TEXTS if one.place == place)
    assert was in text
    return world().simulate("", edited={place: text.replace(was, now)})


def told(found: Outcome) -> dict[str, tuple[str, ...]]:
    return {one.subject: (one.kind.value, *one.columns) for one in found.consequences}


ROWS, VALUES = Kind.ROWS.value, Kind.VALUES.value


@pytest.mark.parametrize(
    ("place", "was", "now"),
    [
        ("facts", "select ticket_id, fare, port", "SELECT port, /* as sold */ (fare) AS fare, ticket_id"),
        ("facts", "fare > 0", "0 < fare"),
        ("facts", "sold s join tidy.ports p using (port)", "tidy.ports p join sold s on s.port = p.port"),
        ("kept", "(fare, island) select sum(twice), island", "(island, fare) select island, sum(twice)"),
        ("kept", "core.facts group", "core.facts as f group"),
        ("kept", "update core.kept set fare = 0", "UPDATE core.kept SET  fare=0"),
        ("view", "fare > 1", "1 < fare"),
        ("twice", "core.facts", "core.facts as x"),
    ],
)
def test_what_is_only_written_otherwise_touches_nothing(place: str, was: str, now: str) -> None:
    found = edited(place, was, now)
    assert found.consequences == []
    for differs in found.differs.values():
        assert differs is not None
        assert not differs.rows
        assert {one.kind for one in differs.columns} <= {"moved"}


@pytest.mark.parametrize(
    ("place", "was", "now", "becomes"),
    [
        # What a temporary table holds otherwise comes out at the end of the text.
        (
            "facts",
            "ticket_id, fare, port from",
            "ticket_id, fare + 1 as fare, port from",
            {
                "core.facts": (VALUES, "twice"),
                "core.kept": (VALUES, "fare"),
                "mart.v": (ROWS,),
                "by island": (ROWS,),
                "by fare": (VALUES, "fare"),
                "twice": (VALUES, "total"),
            },
        ),
        ("facts", "s.fare * 2", "s.fare * 3", None),
        (
            "facts",
            "p.island",
            "upper(p.island) as island",
            {
                "core.facts": (VALUES, "island"),
                "core.kept": (ROWS,),
                "mart.v": (ROWS,),
                "by island": (ROWS,),
                "by fare": (ROWS,),
            },
        ),
        ("facts", "where fare > 0", "where fare > 1", dict.fromkeys(ALL - {"kept", "view"}, (ROWS,))),
        (
            "kept",
            "set fare = 0",
            "set fare = 7",
            {"core.kept": (VALUES, "fare"), "mart.v": (ROWS,), "by island": (ROWS,), "by fare": (VALUES, "fare")},
        ),
        (
            "kept",
            "sum(twice)",
            "max(twice)",
            {"core.kept": (VALUES, "fare"), "mart.v": (ROWS,), "by island": (ROWS,), "by fare": (VALUES, "fare")},
        ),
        ("view", "fare > 1", "fare > 2", {"mart.v": (ROWS,), "by island": (ROWS,)}),
        ("twice", "sum(twice)", "min(twice)", {"twice": (VALUES, "total")}),
        ("twice", "core.facts", "core.facts limit 1", {"twice": (ROWS,)}),
    ],
)
def test_what_is_made_otherwise_is_followed_column_by_column(
    place: str, was: str, now: str, becomes: dict[str, tuple[str, ...]] | None
) -> None:
    found = edited(place, was, now)
    if becomes is not None:
        assert told(found) == becomes
    assert {one.subject for one in found.consequences}.isdisjoint(found.untouched)


def test_a_text_that_fails_as_edited_breaks_at_its_own_characters() -> None:
    found = edited("kept", "group by island", "group by isle")
    assert told(found)["kept"] == ("breaks",)
    (broken,) = (one for one in found.consequences if one.kind is Kind.BREAKS)
    assert broken.failure is not None
    start, end = broken.failure.span
    assert KEPT.replace("group by island", "group by isle")[start:end] == "isle"
    assert told(found)["core.kept"] == ("goes stale",)


def test_columns_that_come_and_go_are_found_by_who_reads_them() -> None:
    gone = edited("facts", ", p.island", "")
    assert told(gone)["core.facts"] == ("shape changes",)
    assert told(gone)["kept"] == ("breaks",)
    more = edited("facts", "p.island", "p.island, s.port")
    assert told(more) == {"core.facts": ("shape changes",)}
    renamed = edited("facts", "as twice", "as double")
    assert {"kept", "twice"} == {one.subject for one in renamed.consequences if one.kind is Kind.BREAKS}


def test_a_step_without_a_partner_changes_the_rows_of_what_it_fills() -> None:
    assert told(edited("kept", "insert into", "delete from core.kept; insert into"))["core.kept"] == (ROWS,)
    assert told(edited("kept", "update core.kept set fare = 0 where fare is null", ""))["core.kept"] == (ROWS,)


def test_what_a_text_fills_no_longer_goes_stale() -> None:
    found = edited("kept", KEPT, "select 1")
    assert told(found) == {
        "core.kept": ("goes stale",),
        "mart.v": ("goes stale",),
        "by island": ("goes stale",),
        "by fare": ("goes stale",),
    }


def test_a_view_that_nothing_makes_any_more_is_gone_where_another_text_drops_it() -> None:
    texts = (TEXTS[0], Text("view", "create or replace view mart.v as select twice from core.facts"), TEXTS[5])
    found = world(texts).simulate("", edited={"view": "select 1"})
    assert told(found) == {"mart.v": ("gone",)}


def test_an_edit_and_a_change_of_the_database_go_together() -> None:
    rename = "alter table tidy.ports rename column island to isle"
    alone = world().simulate(rename)
    assert told(alone)["facts"] == ("breaks",)
    both = world().simulate(rename, edited={"facts": FACTS.replace("p.island", "p.isle as island")})
    assert both.consequences == []


def test_an_added_text_runs_behind_what_it_reads() -> None:
    more = Text("more", "drop table if exists mart.more; create table mart.more as select island from core.kept")
    assert world().simulate("", added=[more]).consequences == []
    found = world().simulate("", added=[Text("wrong", "create table mart.more as select isle from core.kept")])
    assert told(found) == {"wrong": ("breaks",)}
    # What it fills besides others has other rows.
    into = Text("into", "insert into core.kept select port, 1 from tidy.ports")
    assert told(world().simulate("", added=[into]))["core.kept"] == (ROWS,)


def test_asking_changes_nothing() -> None:
    asked = world()
    first = asked.simulate("", edited={"facts": FACTS.replace("fare > 0", "fare > 1")})
    asked.simulate("", edited={"facts": "drop table core.facts cascade"}, stopped={"kept"})
    assert asked.simulate("", edited={"facts": FACTS.replace("fare > 0", "fare > 1")}) == first
    assert asked.simulate("").consequences == []


def test_what_comes_late_is_read_as_it_was_the_day_before() -> None:
    found = world().simulate("", late={"facts"})
    assert told(found) == {
        "core.facts": ("comes late",),
        "twice": ("comes late",),  # a report that is asked in the meantime
        "core.kept": ("goes stale",),
        "mart.v": ("goes stale",),
        "by island": ("goes stale",),
        "by fare": ("goes stale",),
    }
    # Those that read it can wait for it.
    both = world().simulate("", late={"facts", "kept"})
    assert told(both) == {
        "core.facts": ("comes late",),
        "twice": ("comes late",),
        "core.kept": ("comes late",),
        "mart.v": ("comes late",),
        "by island": ("comes late",),
        "by fare": ("comes late",),
    }


def test_what_a_source_delivers_otherwise_is_followed() -> None:
    fares = world().simulate("", delivers={"tidy.tickets": frozenset({"fare"})})
    assert told(fares)["core.facts"] == (ROWS,)  # only what costs something is kept
    ids = world().simulate("", delivers={"tidy.tickets": frozenset({"ticket_id"})})
    assert told(ids) == {"core.facts": (VALUES, "ticket_id")}
    assert set(ids.untouched) == ALL - {"core.facts"} | {"facts"}
    islands = world().simulate("", delivers={"tidy.ports": frozenset({"island"})})
    assert told(islands)["core.kept"] == (ROWS,)
    assert told(world().simulate("", delivers={"tidy.ports": None}))["core.facts"] == (ROWS,)
    # What is made anew each night holds what it is made of.
    assert world().simulate("", delivers={"core.facts": None}).consequences == []


def test_an_output_that_gets_another_type_is_told_by_its_name() -> None:
    found = Catalogue()
    types = {"ticket_id": declared_type("bigint"), "fare": declared_type("integer"), "port": declared_type("text")}
    found.make("tidy.tickets", TABLE, types, types)
    made = "drop table if exists core.f; create table core.f as select ticket_id, fare, port from tidy.tickets"
    asked = "select ticket_id, fare from tidy.tickets"
    over = World(found, [Text("f", made), Text("asked", asked, is_query=True)])
    edits = {
        "f": made.replace("fare,", "fare::numeric(9, 2) as fare,"),
        "asked": asked.replace("fare", "fare / 2.0 as fare"),
    }
    outcome = over.simulate("", edited=edits)
    retyped = {
        name: [(one.name, one.before, one.after) for one in differs.columns if one.kind == "retyped"]
        for name, differs in outcome.differs.items()
        if differs is not None
    }
    assert retyped == {"core.f": [("fare", "integer", "numeric(9,2)")], "asked": [("fare", "integer", "numeric")]}
    assert "of another type: fare" in (outcome.differs["asked"] or QueryDifference()).in_words()
