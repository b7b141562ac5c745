"""A fault of ours in one statement is said where it is, logged with its trace, and leaves the others alone."""

import logging
import os
from collections.abc import Callable

import pytest

from jalan import Extraction, extract
from jalan.lineage import script
from jalan.lineage.interpret.procedures import STEPS
from jalan.lineage.resolve.dml import RESOLVERS
from jalan.lineage.resolve.expressions import COLLECTORS
from jalan.sql import tree
from jalan.sql.grammar import expressions
from jalan.sql.grammar.statements import registry, routines
from tests.core.corpus import TABLES

REST = "select port from ports"
COMPILED = "JALAN_COMPILED" in os.environ
replaceable = pytest.mark.skipif(COMPILED, reason="compiled code does not look its functions up")


def boom(*_: object) -> None:
    raise KeyError("a fault")


def faulty(sql: str, dialect: str, caplog: pytest.LogCaptureFixture) -> Extraction:
    """Read a faulty statement between two good ones."""
    with caplog.at_level(logging.ERROR):
        found = extract(f"{REST};\n{sql};\n{REST}", dialect=dialect, tables=TABLES)
    errors = [d for d in found.diagnostics if d.code == "internal_error"]
    assert errors, sql
    assert all(d.level == "error" and len(REST) < d.span[0] <= d.span[1] for d in errors)
    assert sum("cannot be" in record.message and record.exc_info is not None for record in caplog.records) == len(
        errors
    )
    assert sum(link.table == "ports" and link.target is None for link in found.links) >= 2
    return found


STATEMENTS: dict[type[tree.StatementNode], str] = {
    tree.CreateTableAs: "create table x as select name from crew",
    tree.CreateView: "create view x as select name from crew",
    tree.Insert: "insert into tides (port) select port from crew",
    tree.Update: "update tides set port = 'x'",
    tree.Delete: "delete from tides",
    tree.Merge: "merge into tides using crew on tides.port = crew.port when matched then delete",
    tree.MultiInsert: "insert all into tides (port) values (p) select name as p from crew",
    tree.Copy: "copy tides from 'x.csv'",
}


@pytest.mark.parametrize("kind", [kind for kind in RESOLVERS if kind is not tree.QueryStatement])
def test_a_resolver_that_fails(
    kind: type, monkeypatch: pytest.MonkeyPatch, caplog: pytest.LogCaptureFixture
) -> None:
    monkeypatch.setitem(RESOLVERS, kind, boom)
    faulty(STATEMENTS[kind], "oracle" if kind is tree.MultiInsert else "postgresql", caplog)


EXPRESSIONS: dict[type[tree.Expression], tuple[str, str]] = {
    tree.Column: ("postgresql", ""),
    tree.Star: ("snowflake", "hash(c.*)"),
    tree.Literal: ("postgresql", "1 + role::int"),
    tree.Parameter: ("postgresql", "$1 || role"),
    tree.Unary: ("postgresql", "not role"),
    tree.Binary: ("postgresql", "role || role"),
    tree.Between: ("postgresql", "role between 'a' and 'b'"),
    tree.InList: ("postgresql", "role in ('a')"),
    tree.InQuery: ("postgresql", "role in (select 'x')"),
    tree.ScalarQuery: ("postgresql", "(select 1)"),
    tree.ArrayQuery: ("postgresql", "array(select 1)"),
    tree.Exists: ("postgresql", "exists (select 1)"),
    tree.Case: ("postgresql", "case when true then role end"),
    tree.Cast: ("postgresql", "role::int"),
    tree.ArrayItems: ("postgresql", "array[role]"),
    tree.Row: ("postgresql", "row(role)"),
    tree.Subscript: ("postgresql", "role[1]"),
    tree.Field: ("postgresql", "(role).x"),
    tree.Call: ("postgresql", "upper(role)"),
    tree.Lambda: ("spark", "transform(role, x -> x)"),
    tree.Comprehension: ("duckdb", "[x for x in role]"),
    tree.Struct: ("duckdb", "{'a': role}"),
    tree.Path: ("snowflake", "role:a"),
    tree.DynamicQuery: ("snowflake", "(execute immediate 'select 1')"),
    tree.TableArgument: ("trino", "f(table(crew))"),
    tree.Descriptor: ("trino", "f(descriptor(role))"),
}


@pytest.mark.parametrize("kind", [kind for kind in COLLECTORS if kind is not tree.Column])
def test_a_collector_that_fails(
    kind: type, monkeypatch: pytest.MonkeyPatch, caplog: pytest.LogCaptureFixture
) -> None:
    monkeypatch.setitem(COLLECTORS, kind, boom)
    dialect, expression = EXPRESSIONS[kind]
    faulty(f"select c.name, {expression} as x from crew c", dialect, caplog)


BLOCKS: dict[type[tree.StatementNode], str] = {
    tree.Declare: "declare v number := 1; begin null; end",
    tree.DeclareType: "declare type t is record (a number); begin null; end",
    tree.Assign: "begin v := 1; end",
    tree.QueryStatement: "begin select port into v from crew; end",
    tree.Fetch: "begin fetch c into v; end",
    tree.Unparsed: "begin v := select; end",
    tree.Block: "begin null; end",
    tree.If: "begin if 1 = 1 then null; end if; end",
    tree.Loop: "begin loop null; end loop; end",
    tree.Return: "begin return; end",
    tree.CallRoutine: "begin pkg.run(1); end",
    tree.Execute: "begin execute immediate 'delete from tides'; end",
}


@pytest.mark.parametrize("kind", [kind for kind in STEPS if kind is not tree.Prepare])
def test_a_step_that_fails(kind: type, monkeypatch: pytest.MonkeyPatch, caplog: pytest.LogCaptureFixture) -> None:
    monkeypatch.setitem(STEPS, kind, boom)
    faulty(BLOCKS[kind], "oracle", caplog)


@pytest.mark.parametrize(
    ("table", "key", "sql"),
    [
        (expressions._PRIMARY, "case", "select case when a then b end from crew"),
        (expressions._INFIX, "between", "select a from crew where a between 1 and 2"),
        (routines._ROUTINES, "create", "create function f() returns int as $$ select 1 $$ language sql"),
        (registry._READERS, "truncate", "truncate tides"),
    ],
)
def test_a_grammar_that_fails(
    table: dict[str, Callable[..., object]],
    key: str,
    sql: str,
    monkeypatch: pytest.MonkeyPatch,
    caplog: pytest.LogCaptureFixture,
) -> None:
    monkeypatch.setitem(table, key, boom)
    faulty(sql, "postgresql", caplog)


@replaceable
def test_seeing_through_that_fails_leaves_the_links_of_each_statement(
    monkeypatch: pytest.MonkeyPatch, caplog: pytest.LogCaptureFixture
) -> None:
    monkeypatch.setattr("jalan.lineage.intermediates._composed", boom)
    found = faulty(
        "create temp table x as select name from crew; insert into tides (port) select name from x",
        "postgresql",
        caplog,
    )
    assert [(link.table, link.column) for link in found.links if link.target == "tides"] == [("x", "name")]


@replaceable
def test_a_fault_outside_any_statement_is_said_of_the_whole_text(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(script, "parse", boom)
    found = extract(REST)
    assert [(d.code, d.span) for d in found.diagnostics] == [("internal_error", (0, len(REST)))]


@pytest.mark.parametrize(
    "sql",
    [
        "create function f() returns int language sql begin atomic select case when from 1 end; select 2; end",
        "create function f() returns int begin atomic select from from; select case a when 1 then 2 end; end",
    ],
)
def test_what_cannot_be_read_of_a_routine_ends_with_it(sql: str) -> None:
    found = extract(f"{sql};\n{REST}", tables=TABLES)
    assert "syntax_error" in {d.code for d in found.diagnostics}
    assert [(link.table, link.column, link.output) for link in found.links][-1:] == [("ports", "port", "port")]


@pytest.mark.parametrize(
    ("dialect", "sql", "values"),
    [
        ("oracle", "insert all select 1 from dual", None),
        ("duckdb", "select columns('*(') from ports", None),
        ("postgresql", "select {{ cycler() }} from ports", {}),
        ("postgresql", "select {{ 'abc'|truncate(1) }} from ports", {}),
        ("postgresql", "select {{ [1]|batch(0)|list }} from ports", {}),
    ],
)
def test_what_once_raised_is_a_diagnostic_of_the_text(
    dialect: str, sql: str, values: dict[str, str] | None
) -> None:
    found = extract(sql, dialect=dialect, variables=values)
    assert found.diagnostics
    assert "internal_error" not in {d.code for d in found.diagnostics}
