"""Functions and procedures of one's own. What they do in PostgreSQL is held against it by the oracle tests."""

import pytest

from jalan.change.outcome import Kind, Outcome
from jalan.change.ran import Text
from jalan.change.signature import NamedRoutine, named_routines, signature_of
from jalan.change.simulation import World
from tests.core.test_change import TABLES, catalogue

MAKES = "create function ops.{} language sql as $$ select 1 $$"


@pytest.mark.parametrize(
    ("written", "arguments", "names", "defaults", "result"),
    [
        ("f() returns int", (), (), 0, "integer"),
        ("f(int, text) returns setof text", ("integer", "text"), ("", ""), 0, "text"),
        ("f(fare numeric(9, 2), x varchar(3) = 'a') returns bool",
         ("numeric", "character varying"), ("fare", "x"), 1, "boolean"),
        ("f(double precision, at timestamp with time zone) returns void",
         ("double precision", "timestamp with time zone"), ("", "at"), 0, None),
        ("f(in a int, out b int, inout c text) returns record", ("integer", "text"), ("a", "c"), 0, None),
        ("f(a int[], b ops.kind default f(1, 2), c int default 3) returns table (x int)",
         ("integer[]", "ops.kind", "integer"), ("a", "b", "c"), 2, None),
        ('f("At" date, time time) returns date', ("date", "time without time zone"), ("At", "time"), 0, "date"),
    ],
)  # fmt: skip
def test_what_a_routine_is_called_with(
    written: str, arguments: tuple[str, ...], names: tuple[str, ...], defaults: int, result: str | None
) -> None:
    found = signature_of(MAKES.format(written))
    assert (found.arguments, found.names, found.defaults, found.result) == (arguments, names, defaults, result)


def test_how_a_body_is_kept_and_whether_it_is_run_each_time() -> None:
    assert not signature_of(MAKES.format("f() returns int")).is_kept
    assert signature_of("create function f() returns int stable return 1").is_kept
    assert signature_of("create function f() returns int begin atomic select 1; end").is_kept
    assert signature_of(MAKES.format("f() returns int")).volatile
    assert not signature_of("create function f() returns int immutable as $$ select 1 $$").volatile
    procedure = signature_of("create procedure f(out a int, b text) language sql as $$ select 1 $$")
    assert (procedure.arguments, procedure.is_procedure) == (("integer", "text"), True)


def test_the_routines_that_a_command_names() -> None:
    assert named_routines('drop function a, ops."B"(int, x text), c() cascade') == [
        NamedRoutine(("a",), None),
        NamedRoutine(("ops", "B"), ("integer", "text")),
        NamedRoutine(("c",), ()),
    ]
    assert named_routines("alter procedure if exists ops.fill rename to x") == [NamedRoutine(("ops", "fill"), None)]


@pytest.mark.parametrize(
    "broken", ["create function", "create function f(", "drop function", "drop function f(a", "("]
)
def test_what_is_broken_off_ends(broken: str) -> None:
    signature_of(broken)
    named_routines(broken)


def told(outcome: Outcome) -> list[tuple[Kind, str]]:
    assert outcome.refused is None
    return [(one.kind, one.subject) for one in outcome.consequences]


LOG = (
    "create procedure ops.log() language plpgsql as $$ begin "
    "insert into core.log select port from tidy.ports; end $$"
)


def test_a_block_of_any_dialect_is_run_as_a_whole() -> None:
    block = Text(
        "block", "begin insert into core.log select port from tidy.ports; end;", ("public",), dialect="snowflake"
    )
    found = catalogue({"TIDY.PORTS": ["PORT", "ISLAND"], "CORE.LOG": ["PORT"]})
    world = World(found, [block])
    assert told(world.simulate("alter table tidy.ports drop column port")) == [
        (Kind.BREAKS, "block"),
        (Kind.STALE, "CORE.LOG"),
    ]
    assert told(world.simulate("", delivers={"TIDY.PORTS": frozenset({"PORT"})})) == [(Kind.VALUES, "CORE.LOG")]


def test_what_a_procedure_no_longer_fills_goes_stale() -> None:
    tables = {**TABLES, "core.log": ["port"]}
    world = World(
        catalogue(tables, LOG),
        [Text("night", "call ops.log()"), Text("log", "select port from core.log", is_query=True)],
    )
    other = LOG.replace("create", "create or replace").replace("insert into core.log select port", "perform port")
    assert told(world.simulate(other)) == [(Kind.STALE, "core.log"), (Kind.STALE, "log")]


def test_routines_call_one_another_in_a_circle() -> None:
    one = "create function ops.a(n int) returns int language plpgsql as $$ begin return ops.b(n); end $$"
    other = (
        "create function ops.b(n int) returns int language plpgsql as $$ begin "
        "return ops.a(n - 1) + (select fare from tidy.tickets); end $$"
    )
    asks = Text("asks", "select ops.a(3)", is_query=True)
    world = World(catalogue(TABLES, one, other), [asks])
    assert told(world.simulate("alter table tidy.tickets drop column fare")) == [(Kind.BREAKS, "asks")]
    assert told(world.simulate("drop function ops.b")) == [(Kind.BREAKS, "asks")]


def test_of_what_is_stale_a_view_hears_by_way_of_a_function() -> None:
    function = "create function ops.f() returns bigint language sql stable as $$ select sum(fare) from core.made $$"
    view = "create view mart.v as select port, ops.f() as f from tidy.ports"
    fills = Text("fills", "drop table if exists core.made; create table core.made as select fare from tidy.tickets")
    world = World(catalogue(TABLES, "create table core.made (fare int)", function, view), [fills])
    outcome = world.simulate("", stopped={"fills"})
    assert (Kind.STALE, "mart.v") in told(outcome)
    values = world.simulate("", delivers={"tidy.tickets": frozenset({"fare"})})
    assert (Kind.VALUES, "mart.v") in told(values)
