"""What the parts of a resolver share: the environment of a statement, and that nothing of one reaches the next."""

import pytest

from jalan import extract
from jalan.lineage.interpret.routines import result_of
from jalan.lineage.model import Diagnostic
from jalan.lineage.resolve.environment import Environment
from jalan.lineage.resolve.resolver import Resolver
from jalan.lineage.resolve.scope import Made, Scope
from jalan.lineage.tables import KnownTables, TableState
from jalan.sql import tree
from jalan.sql.dialects import get_dialect
from jalan.sql.grammar.script import parse
from tests.core.corpus import TABLES


def environment(text: str, dialect: str = "postgresql") -> Environment:
    """Return the environment of a text in which the tables of the corpora are known."""
    known = get_dialect(dialect)
    return Environment(known, TableState(KnownTables(TABLES), (), known), text, result_of)


def first(text: str, dialect: str = "postgresql") -> tree.StatementNode:
    """Return the first statement of a text."""
    node = next(parse(text, get_dialect(dialect)))
    assert isinstance(node, tree.StatementNode)
    return node


@pytest.mark.parametrize(
    ("dialect", "name", "expected"),
    [("postgresql", "Port", "port"), ("snowflake", "Port", "PORT"), ("tsql", "Port", "PORT")],
)
def test_a_name_of_our_own_is_spelled_as_the_dialect_compares_names(dialect: str, name: str, expected: str) -> None:
    assert environment("", dialect).spelled(name) == expected


def test_what_is_wrong_at_a_place_is_said_once() -> None:
    env = environment("select x")
    env.report("unknown_column", "error", "there is no x", (7, 8))
    env.report("unknown_column", "error", "there is no x, once more", (7, 8))
    env.report("ambiguous_column", "error", "x is ambiguous", (7, 8))
    env.report("unknown_column", "error", "there is no x", (9, 10), "look again")
    assert env.diagnostics == [
        Diagnostic("unknown_column", "error", "there is no x", (7, 8), ""),
        Diagnostic("ambiguous_column", "error", "x is ambiguous", (7, 8), ""),
        Diagnostic("unknown_column", "error", "there is no x", (9, 10), "look again"),
    ]


@pytest.mark.parametrize("placeholder", ["@port", ":port", "$port", "&port", "port"])
def test_a_placeholder_stands_for_the_variable_of_its_name(placeholder: str) -> None:
    env = environment("", "tsql")
    made = Made("port", {}, {}, (0, 0))
    env.variables[env.spelled("port")] = made
    assert env.variable(placeholder) is made
    assert env.variable("@tide") is None


def test_a_variable_with_its_sign_comes_before_one_without() -> None:
    env = environment("", "tsql")
    plain, signed = Made("port", {}, {}, (0, 0)), Made("@port", {}, {}, (0, 0))
    env.variables = {env.spelled("port"): plain, env.spelled("@port"): signed}
    assert env.variable("@PORT") is signed


def test_nothing_of_one_statement_reaches_the_next() -> None:
    text = "select nothing, height from tides"
    env = environment(text)
    resolver = Resolver(env)
    written = resolver.dml.written(first(text))
    assert env.uses == {("tides", "height")}
    assert list(env.reads) == ["tides"]
    assert [d.code for d in env.diagnostics] == ["unknown_column"]
    env.variables["x"] = Made("x", {}, {}, (0, 0))
    env.ctes["c"] = resolver.queries.relation(tree.Query(0, 0, None, tree.Values(0, 0, []), [], []), None)
    kept = env.diagnostics
    env.begin()
    assert (env.uses, env.reads, env.diagnostics, env.variables, env.ctes) == (set(), {}, [], {}, {})
    assert (env.multiplying, env.inner, env.after, env.returned, env.outer) == ([], [], [], [], None)
    assert [d.code for d in kept] == ["unknown_column"], "what was found is still with whoever took it"
    assert [made.name for made in written.columns] == ["nothing", "height"]


def test_functions_of_one_statement_are_not_followed_in_the_next() -> None:
    env = environment("")
    resolver = Resolver(env)
    routine = first("create function f(x int) returns int language sql as $$ select x $$")
    assert isinstance(routine, tree.Routine)
    resolver.calls.follow({"f": routine})
    assert "f" in env.special_calls
    assert list(env.routines) == ["f"]
    env.begin()
    assert "f" not in env.special_calls
    assert "grouping" in env.special_calls
    assert list(env.routines) == []


def test_calls_are_followed_into_one_another_only_so_far() -> None:
    env = environment("")
    resolver = Resolver(env)
    routine = first("create function f(x int) returns int language sql as $$ select x $$")
    assert isinstance(routine, tree.Routine)
    resolver.calls.follow({"f": routine}, 99)
    assert list(env.routines) == []
    assert env.known == {"f": routine}


@pytest.mark.parametrize("count", [1, 2, 40])
def test_statements_of_a_script_are_resolved_as_if_each_were_alone(count: int) -> None:
    statements = [
        "select nothing from tides",
        "with c as (select port from ports) select port from c",
        "insert into tides (port) select name from crew",
        "select port from c",
        "select details from bookings where nothing = 1",
    ] * count
    together = extract(";\n".join(statements), tables=TABLES)
    assert len(together.statements) == len(statements)
    for text, found in zip(statements, together.statements, strict=True):
        (alone,) = extract(text, tables=TABLES).statements
        assert found.uses == alone.uses
        assert found.reads == alone.reads
        assert [d.code for d in found.diagnostics] == [d.code for d in alone.diagnostics]
        assert [o.name for o in found.outputs] == [o.name for o in alone.outputs]


def test_a_statement_that_fails_gives_no_resolver_back(monkeypatch: pytest.MonkeyPatch) -> None:
    from jalan.lineage.resolve.dml import RESOLVERS

    def fail(*_: object) -> None:
        raise KeyError("half done")

    monkeypatch.setitem(RESOLVERS, tree.Delete, fail)
    found = extract(
        "delete from tides; select port from ports; delete from crew; select name from crew", tables=TABLES
    )
    assert [s.reads for s in found.statements] == [["ports"], ["crew"]]
    assert [d.code for d in found.diagnostics] == ["internal_error", "internal_error"]


def test_parts_of_a_resolver_share_one_environment() -> None:
    env = environment("")
    resolver = Resolver(env)
    parts = [part for name, part in vars(resolver).items() if name != "env"]
    assert len(parts) == 10
    assert all(part.env is env and part.resolver is resolver and part.dialect is env.dialect for part in parts)


@pytest.mark.parametrize(
    ("parts", "found"),
    [
        (("fare",), ["fare"]),
        (("t", "fare"), ["fare"]),
        (("tickets", "fare"), []),
        (("nothing",), []),
    ],
)
def test_a_name_is_looked_up_in_its_scope(parts: tuple[str, ...], found: list[str]) -> None:
    env = environment("select fare from tickets t")
    resolver = Resolver(env)
    scope = Scope(None)
    table = tree.TableName(17, 24, ("tickets",))
    source = tree.TableSource(17, 26, "t", None, table)
    scope.visible += resolver.from_clause.from_item(source, scope, {})
    references = resolver.names.resolve(parts, scope, (7, 11))
    assert [r.column if isinstance(r.column, str) else r.column.name for r in references] == found
    assert bool(env.diagnostics) is not bool(found)
