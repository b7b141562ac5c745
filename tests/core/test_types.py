"""Types in the simulation of changes. What PostgreSQL says of types is asked of it by the oracle tests."""

from collections.abc import Mapping

import pytest

from jalan.change.catalogue import Catalogue
from jalan.change.outcome import Kind, Outcome
from jalan.change.ran import Text
from jalan.change.simulation import World
from jalan.change.stored import TABLE
from jalan.change.types import declared_type
from jalan.change.types.constants import what_is_wrong

TICKETS = {"ticket_id": "bigint", "fare": "integer", "port": "text", "sold_at": "timestamp with time zone"}
PORTS = {"port": "text", "berths": "integer"}
_DAILY = """drop table if exists core.daily;
create table core.daily as
select port, sum(fare) as fare, max(sold_at) as last from tidy.tickets where fare > 0 group by port"""
DAILY = Text("daily.sql", _DAILY)
_CAST = "cannot be cast automatically to type"
REPORT = Text("report", "select upper(port), fare / 100.0 from core.daily", is_query=True)


def world(*texts: Text, keys: bool = False) -> World:
    catalogue = Catalogue()
    made = []
    for name, columns in (("tidy.tickets", TICKETS), ("tidy.ports", PORTS)):
        types = {column: declared_type(written) for column, written in columns.items()}
        made.append(catalogue.make(name, TABLE, columns, types))
    daily = {"port": declared_type("text"), "fare": declared_type("bigint"), "last": declared_type("timestamptz")}
    catalogue.make("core.daily", TABLE, daily, daily)
    if keys:
        tickets, ports = made[:2]
        own, there = (tickets.number, tickets.columns["port"]), (ports.number, ports.columns["port"])
        catalogue.point(tickets, {there}, [(own, there)])
    return World(catalogue, texts)


def told(outcome: Outcome, kind: Kind) -> Mapping[str, str]:
    return {one.subject: one.reason for one in outcome.consequences if one.kind is kind}


def test_a_wider_type_changes_the_shape_of_what_is_made_of_it_and_no_value() -> None:
    outcome = world(DAILY, REPORT).simulate("alter table tidy.tickets alter column fare type bigint")
    assert told(outcome, Kind.SHAPE) == {"core.daily": "fare is numeric instead of bigint"}
    assert told(outcome, Kind.VALUES) == {}
    assert told(outcome, Kind.BREAKS) == {}
    assert outcome.untouched == ["daily.sql", "report"]


def test_another_type_may_make_other_values_of_all_that_comes_from_it() -> None:
    outcome = world(DAILY, REPORT).simulate("alter table tidy.tickets alter fare type numeric")
    assert told(outcome, Kind.SHAPE) == {"core.daily": "fare is numeric instead of bigint"}
    # The condition over fare decides which rows there are.
    assert set(told(outcome, Kind.ROWS)) == {"core.daily", "report"}


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ("alter table tidy.tickets alter fare type text", "operator does not exist: text > integer"),
        (
            "alter table tidy.tickets alter fare type interval using null",
            "operator does not exist: interval > integer",
        ),
        ("alter table tidy.tickets alter sold_at type json using null", "function max(json) does not exist"),
        (
            "alter table tidy.tickets alter port type json using null",
            "could not identify an equality operator for type json",
        ),
    ],
)
def test_what_no_longer_fits_breaks_with_what_the_database_says(change: str, says: str) -> None:
    outcome = world(DAILY, REPORT).simulate(change)
    assert told(outcome, Kind.BREAKS) == {"daily.sql": says}
    assert set(told(outcome, Kind.STALE)) == {"core.daily", "report"}


def test_the_characters_that_do_not_fit_are_told() -> None:
    outcome = world(DAILY).simulate("alter table tidy.tickets alter fare type text")
    (failure,) = [one.failure for one in outcome.consequences if one.failure]
    assert DAILY.text[slice(*failure.span)] == "fare > 0"


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ("alter table tidy.tickets alter port type int", f'column "port" {_CAST} integer'),
        ("alter table tidy.tickets alter berth type text", 'column "berth" of relation "tickets" does not exist'),
        ("alter table tidy.tickets alter fare type date using 7", f'column "fare" {_CAST} date'),
        ("alter table tidy.tickets alter fare type text using port || 1", None),
        ("alter table tidy.tickets alter fare type text using port + 1", "operator does not exist: text + integer"),
    ],
)  # fmt: skip
def test_a_type_that_the_old_values_cannot_take_is_refused(change: str, says: str | None) -> None:
    assert world().simulate(change).refused == says


def test_a_column_that_a_view_uses_keeps_its_type() -> None:
    view = Text("view.sql", "create or replace view mart.fares as select fare from tidy.tickets")
    assert world(view).simulate("alter table tidy.tickets alter fare type bigint").refused == (
        "cannot alter type of a column used by a view or rule"
    )
    assert world(view).simulate("alter table tidy.tickets alter port type varchar(9)").refused is None


def test_both_ends_of_a_foreign_key_must_go_together() -> None:
    refused = "foreign key constraint cannot be implemented"
    assert world(keys=True).simulate("alter table tidy.ports alter port type bytea using null").refused == refused
    assert world(keys=True).simulate("alter table tidy.tickets alter port type bytea using null").refused == refused
    assert world(keys=True).simulate("alter table tidy.tickets alter port type varchar(9)").refused is None


def test_an_edited_text_that_makes_another_type_breaks_what_reads_it() -> None:
    report = Text("report", "select fare + 1 from core.daily", is_query=True)
    edited = DAILY.text.replace("sum(fare)", "max(port)")
    outcome = world(DAILY, report).simulate("", edited={"daily.sql": edited})
    assert told(outcome, Kind.BREAKS)["report"] == "operator does not exist: text + integer"
    assert "core.daily" in told(outcome, Kind.SHAPE)


def test_of_a_text_that_works_though_its_types_are_said_not_to_fit_nothing_is_said() -> None:
    """It may use an operator of somebody's own."""
    own = Text("own.sql", "create table core.own as select fare + port as x from tidy.tickets", is_query=True)
    outcome = world(own).simulate("alter table tidy.tickets alter fare type bigint")
    assert told(outcome, Kind.BREAKS) == {}


def test_what_may_be_null_no_longer_must_be_given() -> None:
    insert = Text("insert.sql", "insert into tidy.ports (port) select port from tidy.tickets")
    said = 'null value in column "berths" of relation "ports" violates not-null constraint'
    assert told(world(insert).simulate("alter table tidy.ports alter berths set not null"), Kind.BREAKS) == {
        "insert.sql": said
    }
    given = "alter table tidy.ports alter berths set default 1; alter table tidy.ports alter berths set not null"
    assert told(world(insert).simulate(given), Kind.BREAKS) == {}
    added = "alter table tidy.ports add column depth int not null"
    assert "depth" in told(world(insert).simulate(added), Kind.BREAKS)["insert.sql"]
    assert told(world(insert).simulate(f"{added} default 3"), Kind.BREAKS) == {}


@pytest.mark.parametrize(
    ("constant", "base", "is_wrong"),
    [
        ("12", "integer", False), (" -7 ", "integer", False), ("late", "integer", True), ("1.5", "integer", True),
        ("3000000000", "integer", True), ("3000000000", "bigint", False), ("1e5", "numeric", False),
        ("NaN", "numeric", False), ("x", "numeric", True), ("yes", "boolean", False), ("maybe", "boolean", True),
        ("today", "date", False), ("soon", "date", True), ("2026-11-28", "date", False), ("late", "text", False),
        ("00000000-0000-0000-0000-000000000000", "uuid", False), ("7", "uuid", True),
    ],
)  # fmt: skip
def test_a_constant_is_one_of_a_type_or_not(constant: str, base: str, is_wrong: bool) -> None:
    assert (what_is_wrong(constant, base) is not None) is is_wrong


@pytest.mark.parametrize(
    ("written", "said"),
    [
        ("int", "integer"), ("INT4[]", "integer[]"), ("varchar(20)", "character varying(20)"),
        ("char", "character(1)"), ("numeric(10, 2)", "numeric(10,2)"), ("timestamptz", "timestamp with time zone"),
        ("timestamp(3) with time zone", "timestamp(3) with time zone"), ("float(24)", "real"),
        ("text array", "text[]"), ("pg_catalog.int8", "bigint"), ("ops.position", "ops.position"), ("1x;", None),
    ],
)  # fmt: skip
def test_types_are_named_as_the_database_names_them(written: str, said: str | None) -> None:
    found = declared_type(written)
    assert (None if found is None else str(found)) == said
