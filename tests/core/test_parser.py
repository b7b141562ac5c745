"""Tokens to trees: what is read, what is refused, and where the pieces stand."""

import dataclasses
import inspect

import pytest

from jalan.lineage.interpret.procedures import STEPS
from jalan.lineage.resolve.dml import RESOLVERS
from jalan.lineage.resolve.expressions import COLLECTORS
from jalan.sql import tree
from jalan.sql.dialects import get_dialect
from jalan.sql.grammar.script import Unread, parse

DIALECT = get_dialect("postgresql")


def _statements(text: str) -> list[tree.StatementNode | Unread]:
    return list(parse(text, DIALECT))


def _expression(text: str) -> tree.Expression:
    (statement,) = _statements(f"select {text}")
    assert isinstance(statement, tree.QueryStatement), statement
    assert isinstance(statement.query.body, tree.Select)
    return statement.query.body.items[0].expression


def _shape(node: object) -> object:
    """A tree as nested tuples of operators and names, to compare how tightly things bind."""
    if isinstance(node, tree.Binary):
        return (_shape(node.left), node.operator, _shape(node.right))
    if isinstance(node, tree.Unary):
        return (node.operator, _shape(node.argument))
    if isinstance(node, tree.Cast):
        return (_shape(node.argument), "::", node.type)
    if isinstance(node, tree.Column):
        return ".".join(node.parts)
    if isinstance(node, tree.Between):
        return (_shape(node.argument), "between", _shape(node.low), _shape(node.high))
    return type(node).__name__


@pytest.mark.parametrize(
    ("text", "shape"),
    [
        ("a + b * c", ("a", "+", ("b", "*", "c"))),
        ("a - b - c", (("a", "-", "b"), "-", "c")),
        ("a or b and not c", ("a", "or", ("b", "and", ("not", "c")))),
        ("not a = b", ("not", ("a", "=", "b"))),
        ("-a::int", ("-", ("a", "::", "int"))),
        ("-a ^ b", (("-", "a"), "^", "b")),
        ("a || b = c", (("a", "||", "b"), "=", "c")),
        ("a between b and c and d", (("a", "between", "b", "c"), "and", "d")),
        ("a is null or b", (("is null", "a"), "or", "b")),
        ("a like b || c", ("a", "like", ("b", "||", "c"))),
        ("a at time zone b + c", (("a", "at time zone", "b"), "+", "c")),
        ("a is not distinct from b and c", (("a", "is distinct from", "b"), "and", "c")),
        ("a -> b ->> c", (("a", "->", "b"), "->>", "c")),
        ("a::double precision", ("a", "::", "double precision")),
        ("a::timestamp with time zone", ("a", "::", "timestamp with time zone")),
    ],
)
def test_operators_bind_as_in_postgresql(text: str, shape: object) -> None:
    assert _shape(_expression(text)) == shape


@pytest.mark.parametrize(
    ("text", "kind"),
    [
        ("grant select on a to b", "grant"),
        ("create index concurrently i on t (a)", "create_index"),
        ("comment on table t is 'a; b'", "comment"),
        ("refresh materialized view v", "refresh_materialized"),
        ("vacuum", "vacuum"),
        ("set work_mem = '1GB'", "set"),
    ],
)  # fmt: skip
def test_a_statement_without_data_flow_is_passed_over_with_its_kind(text: str, kind: str) -> None:
    (statement,) = _statements(text + ";")
    assert isinstance(statement, tree.Recognised)
    assert statement.kind.startswith(kind)


@pytest.mark.parametrize(
    ("text", "code", "message", "at"),
    [
        ("select a from", "syntax_error", "expected a table, met the end of the text", 13),
        ("select a, from t", "syntax_error", "expected an expression, met “from”", 10),
        ("selec a", "syntax_error", "expected a statement, met “selec”", 0),
        ("select 'abc", "unterminated", "this string is never closed", 7),
        ('select "abc', "unterminated", "this quoted name is never closed", 7),
        ("select (a", "syntax_error", "expected “)”, met the end of the text", 9),
        (
            "create table a (b int) with (fillfactor = 70",
            "syntax_error",
            "expected “)”, met the end of the text",
            44,
        ),
        ("select case when a then b", "syntax_error", "expected “END”, met the end of the text", 25),
        ("insert tickets values (1)", "syntax_error", "expected “INTO”, met “tickets”", 7),
        ("select a join b", "syntax_error", "expected the end of the statement, met “join”", 9),
        ("select " + "(" * 200 + "1" + ")" * 200, "too_deep", "nested more than 120 levels deep", 127),
    ],
)
def test_bad_sql_says_what_was_expected_and_where(text: str, code: str, message: str, at: int) -> None:
    (unread,) = _statements(text)
    assert isinstance(unread, Unread)
    assert (unread.code, unread.message, unread.span[0]) == (code, message, at)


def test_the_statements_around_a_bad_one_are_read() -> None:
    kinds = [type(s).__name__ for s in _statements("select 1; select from where; drop table tides;")]
    assert kinds == ["QueryStatement", "Unread", "Drop"]


def _nodes(node: object) -> list[tree.Node]:
    found = []
    if isinstance(node, tree.Node):
        found.append(node)
        for field in dataclasses.fields(node):
            found += _nodes(getattr(node, field.name))
    elif isinstance(node, list | tuple):
        for item in node:
            found += _nodes(item)
    elif isinstance(node, dict):
        for item in node.values():
            found += _nodes(item)
    return found


def test_every_node_has_its_exact_place() -> None:
    text = (
        "with a (x) as (select fare + 1 from tickets where (status) = 'sold') "
        "select case when x > 1 then sum(x) over (partition by x) end as y, (select 1), x::int "
        "from a left join lateral (select 2) b on true order by x limit 3"
    )
    (statement,) = _statements(text)
    nodes = _nodes(statement)
    assert len(nodes) > 35
    for node in nodes:
        assert 0 <= node.start < node.end <= len(text), node
        assert text[node.start : node.end].strip() == text[node.start : node.end], node
    casts = [text[n.start : n.end] for n in nodes if isinstance(n, tree.Cast)]
    calls = [text[n.start : n.end] for n in nodes if isinstance(n, tree.Call)]
    assert casts == ["x::int"]
    assert calls == ["sum(x) over (partition by x)"]


def _classes(base: type) -> set[type]:
    return {
        found
        for _, found in inspect.getmembers(tree, inspect.isclass)
        if issubclass(found, base) and found is not base
    }


def test_no_kind_of_expression_is_passed_over_in_silence() -> None:
    assert set(COLLECTORS) == _classes(tree.Expression)


def test_every_statement_with_a_data_flow_is_resolved() -> None:
    without = {
        tree.CreateTable, tree.Drop, tree.Truncate, tree.Alter, tree.RenameTables, tree.SetSearchPath, tree.Use,
        tree.Recognised, tree.Wrapped, tree.Routine,
    }  # fmt: skip
    followed = set(RESOLVERS) | set(STEPS)
    assert followed == _classes(tree.StatementNode) - without
