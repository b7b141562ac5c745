"""Plans for changes. That they can be carried out and taken back is tried in PostgreSQL by the oracle tests."""

from dataclasses import replace

import pytest

from jalan.change.catalogue import Catalogue
from jalan.change.plan import MOST_STATEMENTS, PlanStep, TooMany, routes
from jalan.change.ran import Text
from jalan.change.simulation import World
from jalan.change.stored import FOREIGN, TABLE
from jalan.change.types import declared_type

READER = Text("reader.sql", "create or replace view mart.fares as select port, fare from tidy.tickets")
WRITER = Text("writer.sql", "insert into tidy.tickets select 1, 2, 'x'")
REPORT = Text("report", "select sum(fare) from tidy.tickets", is_query=True)
NIGHTLY = Text(
    "nightly.sql", "drop table if exists core.daily; create table core.daily as select port from tidy.tickets"
)
OVER = Text("over", "select port from core.daily", is_query=True)


def world(*texts: Text) -> World:
    catalogue = Catalogue()
    types = {"ticket_id": declared_type("bigint"), "fare": declared_type("int"), "port": declared_type("text")}
    catalogue.make("tidy.tickets", TABLE, types, types)
    catalogue.make("harbour.ops.ports", TABLE, types, types)
    catalogue.make("remote.ports", FOREIGN, types, types, remote="harbour.ops.ports")
    return World(catalogue, texts)


def steps(change: str, *texts: Text, route: int = 0) -> list[PlanStep]:
    return list(routes(world(*texts), change)[route].steps)


def test_views_go_first_then_it_is_put_aside_and_dropped_at_last() -> None:
    found = steps("alter table tidy.tickets drop column fare", READER, REPORT)
    assert [one.sql for one in found] == [
        "drop view mart.fares",
        "alter table tidy.tickets rename column fare to fare_unused",
        "",
        "alter table tidy.tickets drop column fare_unused",
    ]
    assert found[0].together == ("reader.sql",)
    assert found[1].before == ("report",)
    assert found[0].undo.startswith("create view mart.fares (port, fare) as\nselect port, fare")
    assert found[1].undo == "alter table tidy.tickets rename column fare_unused to fare"
    assert found[3].undo == "alter table tidy.tickets add column fare_unused integer"


def test_who_inserts_by_position_is_changed_with_the_last_step() -> None:
    last = steps("alter table tidy.tickets drop column fare", WRITER)[-1]
    assert last.together == ("writer.sql",)
    assert "by position" in last.note


def test_a_rename_goes_through_a_column_that_is_always_made_of_the_old_one() -> None:
    careful = steps("alter table tidy.tickets rename column fare to price", REPORT)
    assert "add column price integer generated always as (fare) stored" in careful[0].sql
    assert careful[-1].before == ("report",)
    (at_once,) = steps("alter table tidy.tickets rename column fare to price", REPORT, route=1)
    assert at_once.together == ("report",)


def test_what_is_made_anew_each_night_is_changed_in_its_text() -> None:
    both, last = steps("alter table core.daily rename column port to harbour", NIGHTLY, OVER)
    assert (both.sql, both.together) == ("", ("nightly.sql",))
    assert (last.before, last.together) == (("over",), ("nightly.sql",))
    (renamed,) = steps("alter table core.daily rename to daily_ports", NIGHTLY, OVER)
    assert renamed.together == ("nightly.sql", "over")


def test_a_foreign_table_follows_a_rename_so_that_nobody_else_has_to() -> None:
    asks = Text("asks", "select fare from remote.ports", is_query=True)
    rename, follow = steps("alter table harbour.ops.ports rename column fare to toll", asks, route=1)
    assert (rename.database, follow.database) == ("harbour", "")
    assert follow.sql == "alter foreign table remote.ports alter column fare options (set column_name 'toll')"
    assert follow.with_last
    assert (*rename.before, *rename.together) == ()


def test_another_type_makes_the_views_over_it_anew() -> None:
    at_once = steps("alter table tidy.tickets alter column fare type bigint", READER, route=1)[0]
    assert at_once.sql.split(";\n") == [
        "begin",
        "drop view mart.fares",
        "alter table tidy.tickets alter column fare type bigint",
        "create view mart.fares (port, fare) as\nselect port, fare from tidy.tickets",
        "commit",
    ]
    # Over a text there is no sum: only the careful way is left, on which the view gets another query.
    total = Text("total.sql", "create or replace view mart.total as select sum(fare) as fare from tidy.tickets")
    ways = routes(world(total), "alter table tidy.tickets alter column fare type text")
    assert [one.name for one in ways] == ["step by step"]


def test_a_column_that_is_made_of_others_is_taken_back_by_hand() -> None:
    found = world()
    relation = found.catalogue.find("tidy.tickets")
    assert relation is not None
    made = replace(relation, generated={relation.columns["fare"]: frozenset({1})})
    found.catalogue.point(made, ())
    (way,) = routes(found, "alter table tidy.tickets alter column fare type text")
    assert (way.name, way.steps[0].undo) == ("at once", "")
    assert "made anew" in way.steps[0].note


def test_a_type_that_nothing_can_be_cast_to_has_no_way() -> None:
    assert routes(world(), "alter table tidy.tickets alter column fare type uuid") == []


@pytest.mark.parametrize("name", ['"Odd Name"', '"select"', '"quo""te"'])
def test_odd_names_stay_quoted(name: str) -> None:
    found = steps(f"alter table tidy.tickets rename column fare to {name}", route=1)
    assert found[0].sql == f"alter table tidy.tickets rename column fare to {name}"


def test_a_plan_has_an_end() -> None:
    with pytest.raises(TooMany):
        routes(world(), "truncate tidy.tickets;" * (MOST_STATEMENTS + 1))


def test_several_statements_come_in_their_order_with_what_takes_each_back() -> None:
    change = "alter table tidy.tickets add column tide int; create or replace view mart.fares as select 1 as a"
    added, replaced = steps(change)
    assert added.undo == "alter table tidy.tickets drop column tide"
    assert replaced.undo == "drop view mart.fares"
