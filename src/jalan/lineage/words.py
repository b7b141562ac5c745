"""Expressions in words, for people who do not read SQL."""

import re
from collections.abc import Callable, Mapping
from typing import Any

from jalan.sql import tree
from jalan.sql.dialects import get_dialect
from jalan.sql.grammar.script import Unread, parse
from jalan.sql.walk import walk

_LONGEST = 400  # characters that are read, and written
_DEEPEST = 12
_OPERATORS = {
    "+": "plus", "-": "less", "*": "times", "/": "divided by", "%": "modulo", "||": "joined with", "=": "is",
    "<>": "is not", "!=": "is not", "<": "is below", "<=": "is at most", ">": "is above", ">=": "is at least",
    "like": "is like", "not like": "is not like", "is distinct from": "is not", "is not distinct from": "is",
    "and": "and", "or": "or", "at time zone": "in the zone",
}  # fmt: skip
_CALLS = {
    "sum": "sum of {}", "avg": "average of {}", "min": "least {}", "max": "greatest {}", "count": "number of {}",
    "round": "{} rounded", "floor": "{} rounded down", "ceil": "{} rounded up", "ceiling": "{} rounded up",
    "abs": "{} without its sign", "lower": "{} in lower case", "upper": "{} in upper case", "trim": "{} trimmed",
    "initcap": "{} with capitals", "length": "length of {}", "btrim": "{} trimmed", "first_value": "first {}",
    "last_value": "last {}", "lag": "{} of the row before", "lead": "{} of the row behind",
    "array_agg": "list of {}", "string_agg": "{} joined", "any_value": "any {}", "stddev": "spread of {}",
    "bool_or": "whether any {}", "bool_and": "whether every {}", "median": "median of {}",
}  # fmt: skip
_RANKS = {"row_number": "number of the row", "rank": "rank", "dense_rank": "rank", "now": "the time"}


def in_words(expression: str, names: Mapping[str, str] | None = None, dialect: str = "postgresql") -> str:
    """Return what an expression gives, in words; as it is written where it cannot be read.

    names: column → what stands for it, such as how it is made itself.

    >>> in_words("coalesce(sum(t.fare - t.discount), 0) / 100.0")
    'sum of fare less discount (or 0) divided by 100'
    """
    plain = " ".join(expression.split())
    if len(plain) > _LONGEST:
        return plain[:_LONGEST] + "…"
    node = _read(plain, dialect)
    if node is None:
        return plain
    said = _Words(f"{_BEFORE}{plain}", names or {}).of(node)
    return said if len(said) <= _LONGEST else said[:_LONGEST] + "…"


def with_names(expression: str, names: Mapping[str, str], dialect: str = "postgresql") -> str:
    """Return an expression with other ones in the places of columns, by their names.

    >>> with_names("coalesce(x.gross, 0)", {"gross": "sum(fare - discount)"})
    'coalesce(sum(fare - discount), 0)'
    """
    node = _read(expression, dialect)
    if node is None:
        return expression
    inside_call = {id(one) for call in walk(node) if isinstance(call, tree.Call) for one in call.arguments}
    found = expression
    columns = [one for one in walk(node) if isinstance(one, tree.Column) and str(one.parts[-1]) in names]
    for one in sorted(columns, key=lambda column: -column.start):
        put = names[str(one.parts[-1])]
        if id(one) not in inside_call and one is not node and not _WHOLE.fullmatch(put):
            put = f"({put})"
        found = found[: one.start - len(_BEFORE)] + put + found[one.end - len(_BEFORE) :]
    return found


_BEFORE = "select "
_WHOLE = re.compile(r"[\w.]+(\([^()]*\))?")  # a name or a call: nothing outside gets hold of a part of it


def _read(expression: str, dialect: str) -> tree.Expression | None:
    """The tree of an expression behind ``select``, none where it is no single one."""
    try:
        nodes = list(parse(_BEFORE + expression, get_dialect(dialect)))
    except ValueError:
        return None
    if len(nodes) != 1 or isinstance(nodes[0], Unread) or not isinstance(nodes[0], tree.QueryStatement):
        return None
    body = nodes[0].query.body
    return body.items[0].expression if isinstance(body, tree.Select) and len(body.items) == 1 else None


class _Words:
    def __init__(self, text: str, names: Mapping[str, str]) -> None:
        self._text, self._names = text, names
        self._depth = 0

    def of(self, node: tree.Node) -> str:
        """Return a part in words; what has none of its own is as it is written."""
        said = _SAID.get(type(node))
        if said is None or self._depth > _DEEPEST:
            return self._text[node.start : node.end]
        self._depth += 1
        try:
            return said(self, node)
        finally:
            self._depth -= 1

    def _column(self, node: tree.Column) -> str:
        name = str(node.parts[-1])
        return self._names.get(name, name)

    def _literal(self, node: tree.Literal) -> str:
        written = self._text[node.start : node.end]
        head, dot, rest = written.partition(".")
        return head if dot and head.isdecimal() and not rest.strip("0") else written

    def _unary(self, node: tree.Unary) -> str:
        inner = self.of(node.argument)
        if node.operator in ("-", "not"):
            return f"{'minus' if node.operator == '-' else 'not'} {inner}"
        return inner if node.operator in ("+", "collate") else f"{inner} {node.operator}"

    def _binary(self, node: tree.Binary) -> str:
        word = _OPERATORS.get(node.operator, node.operator)
        left, right = self.of(node.left), self.of(node.right)
        # What binds less than its surroundings stands in parentheses, where it does so in the text.
        if node.operator in ("*", "/") and isinstance(node.left, tree.Binary) and node.left.operator in ("+", "-"):
            left = f"({left})"
        if isinstance(node.right, tree.Binary) and node.operator in ("*", "/", "-"):
            right = f"({right})"
        return f"{left} {word} {right}"

    def _cast(self, node: tree.Cast) -> str:
        return self.of(node.argument)

    def _between(self, node: tree.Between) -> str:
        return f"{self.of(node.argument)} from {self.of(node.low)} to {self.of(node.high)}"

    def _in_list(self, node: tree.InList) -> str:
        return f"{self.of(node.argument)} is one of {', '.join(map(self.of, node.items))}"

    def _case(self, node: tree.Case) -> str:
        operand = "" if node.operand is None else f"{self.of(node.operand)} is "
        said = [f"{self.of(one.result)} where {operand}{self.of(one.condition)}" for one in node.branches[:3]]
        if len(node.branches) > 3:
            said.append("…")
        if node.default is not None:
            said.append(f"else {self.of(node.default)}")
        return ", ".join(said)

    def _call(self, node: tree.Call) -> str:
        name = str(node.parts[-1]).lower()
        said = self._called(name, node)
        if node.filter is not None:
            said += f" where {self.of(node.filter)}"
        if node.window is not None and node.window.partition:
            said += f" within each {' and '.join(map(self.of, node.window.partition))}"
        return said

    def _called(self, name: str, node: tree.Call) -> str:
        arguments = [self.of(one) for one in node.arguments]
        if name == "count" and not arguments:
            return "number of rows"
        if name in _RANKS and not arguments:
            return _RANKS[name]
        if name == "coalesce" and arguments:
            return f"{arguments[0]} (or {', or '.join(arguments[1:])})" if len(arguments) > 1 else arguments[0]
        if name == "nullif" and len(arguments) == 2:
            return arguments[0]
        if name in ("date_trunc", "extract", "date_part", "datepart") and arguments:
            unit = arguments[0].strip("'") if len(arguments) > 1 else self._unit(node)
            return f"{unit} of {arguments[-1]}"
        if name in ("percentile_cont", "percentile_disc") and node.order:
            part = arguments[0] if arguments else ""
            word = "median" if part in ("0.5", ".5") else f"percentile {part}"
            return f"{word} of {self.of(node.order[0].key)}"
        if name in _CALLS and arguments:
            different = "different " if getattr(node, "distinct", False) else ""
            return _CALLS[name].format(different + arguments[0])
        return f"{name}({', '.join(arguments)})"

    def _unit(self, node: tree.Call) -> str:
        return self._text[node.start : node.end].partition("(")[2].split()[0].lower()


_SAID: dict[type[tree.Node], Callable[[_Words, Any], str]] = {
    tree.Between: _Words._between,
    tree.Binary: _Words._binary,
    tree.Call: _Words._call,
    tree.Case: _Words._case,
    tree.Cast: _Words._cast,
    tree.Column: _Words._column,
    tree.InList: _Words._in_list,
    tree.Literal: _Words._literal,
    tree.Unary: _Words._unary,
}
