"""What a function or procedure of one's own is called with and gives: two of one name are told apart by it.

Source: PostgreSQL 15 documentation, "CREATE FUNCTION", "DROP FUNCTION".
"""

from collections.abc import Sequence
from dataclasses import dataclass

from jalan.change.types import TypedRoutine, declared_type, type_system
from jalan.sql.dialects import get_dialect
from jalan.sql.lexer import Tokens, tokenize

_MODES = frozenset({"in", "out", "inout", "variadic"})
_DEFAULT = frozenset({"default", "=", ":="})
_BEHIND_RESULT = frozenset(
    "language as begin return immutable stable volatile strict called returns security parallel cost rows support "
    "set leakproof not window external transform".split()
)
_NO_RESULT = frozenset({"table", "void", "record", "trigger"})


@dataclass(frozen=True, slots=True)
class Signature:
    """What a routine is called with and gives.

    arguments: the types that it is called with, each as PostgreSQL says it. names: theirs, empty where they have
    none. defaults: how many of the last may be left out. result: the type that it gives, none where that is a table
    or not known. volatile: it may give something else each time, so that a query runs it whether what it gives is
    used or not. is_kept: the database has read its body when it was made, and keeps what that means. is_procedure:
    it is called by CALL, not in expressions. language: that its body is in.
    """

    arguments: tuple[str, ...] = ()
    names: tuple[str, ...] = ()
    defaults: int = 0
    variadic: bool = False
    result: str | None = None
    is_set: bool = False
    volatile: bool = True
    is_kept: bool = False
    is_procedure: bool = False
    language: str = "sql"

    def typed(self, name: str) -> TypedRoutine:
        """Return it as calls are looked up among."""
        return TypedRoutine(
            name, self.arguments, self.result or "record", self.variadic, "", self.is_set, self.defaults
        )

    def takes(self, count: int) -> bool:
        """Whether it can be called with so many arguments."""
        return self.typed("").taking(count) is not None


def signature_of(text: str) -> Signature:
    """Return the signature of a routine by the text that makes it.

    >>> signature_of("create function fares(p text, n int default 3) returns bigint language sql as ''").arguments
    ('text', 'integer')
    """
    tokens = tokenize(text, get_dialect("postgresql"))
    at = next((n for n, key in enumerate(tokens.keys) if key in ("function", "procedure")), 0)
    is_procedure = tokens.keys[at] == "procedure"
    parameters, at = _parameters(tokens, at)
    taken = [one for one in parameters if is_procedure or one.mode != "out"]
    result, is_set = _result(tokens, at)
    rest = list(tokens.keys[at:])
    body = next((key for key in rest if key in ("as", "begin", "return")), "")
    return Signature(
        tuple(one.type for one in taken),
        tuple(one.name for one in taken),
        sum(one.has_default for one in taken),
        any(one.mode == "variadic" for one in taken),
        result,
        is_set,
        not {"immutable", "stable"} & set(rest[: rest.index(body)] if body else rest),
        body in ("begin", "return"),
        is_procedure,
        _language(tokens),
    )


def _language(tokens: Tokens) -> str:
    at = next((n for n, key in enumerate(tokens.keys) if key == "language"), len(tokens.keys))
    return tokens.written(at + 1).strip("'\"").lower() or "sql"


@dataclass(frozen=True, slots=True)
class NamedRoutine:
    """A routine as a command names it. arguments: the types that it is called with, none where that is not said."""

    parts: tuple[str, ...]
    arguments: tuple[str, ...] | None


def named_routines(statement: str) -> list[NamedRoutine]:
    """Return the routines that DROP or ALTER names.

    >>> named_routines("drop function if exists ops.fares(text, n int), tolls cascade")[0]
    NamedRoutine(parts=('ops', 'fares'), arguments=('text', 'integer'))
    """
    tokens = tokenize(statement, get_dialect("postgresql"))
    keys, at = tokens.keys, 2
    if keys[at : at + 2] == ["if", "exists"]:
        at += 2
    found = []
    while at < len(keys) and keys[at] not in ("", ";"):
        parts = [_name(tokens, at)]
        at += 1
        while keys[at : at + 1] == ["."] and at + 1 < len(keys):
            parts.append(_name(tokens, at + 1))
            at += 2
        arguments = None
        if keys[at : at + 1] == ["("]:
            parameters, at = _parameters(tokens, at)
            arguments = tuple(one.type for one in parameters if one.mode != "out")
        found.append(NamedRoutine(tuple(parts), arguments))
        if keys[at : at + 1] != [","]:
            break
        at += 1
    return found


def _name(tokens: Tokens, at: int) -> str:
    return tokens.written(at)[1:-1] if tokens.keys[at] == '"' else tokens.keys[at]


@dataclass(frozen=True, slots=True)
class _Parameter:
    name: str
    type: str
    mode: str
    has_default: bool


def _parameters(tokens: Tokens, at: int) -> tuple[list[_Parameter], int]:
    """The parameters in the first parentheses from a token on, and the token behind these."""
    keys = tokens.keys
    while at < len(keys) and keys[at] not in ("(", ";"):
        at += 1
    found: list[_Parameter] = []
    depth, first = 0, at + 1
    while at < len(keys):
        depth += (keys[at] in ("(", "[")) - (keys[at] in (")", "]"))
        if (depth == 0 or (depth == 1 and keys[at] == ",")) and at > first:
            found.append(_parameter(tokens, first, at))
        if depth == 0:
            return found, at + 1
        if depth == 1 and keys[at] in (",", "("):
            first = at + 1
        at += 1
    return found, at


def _parameter(tokens: Tokens, first: int, end: int) -> _Parameter:
    keys = tokens.keys
    mode = ""
    while first < end and keys[first] in _MODES:
        mode += keys[first]
        first += 1
    last = next((n for n in range(first, end) if keys[n] in _DEFAULT), end)
    name = ""
    if last - first > 1 and keys[first + 1] not in (".", "(", "["):
        whole = declared_type(_written(tokens, first, last))
        if whole is None or not type_system().knows(whole.base):
            name, first = _name(tokens, first), first + 1
    return _Parameter(name, _type(tokens, first, last), mode, last < end)


def _type(tokens: Tokens, first: int, last: int) -> str:
    written = _written(tokens, first, last)
    found = declared_type(written)
    return written.lower() if found is None else found.base


def _written(tokens: Tokens, first: int, last: int) -> str:
    return tokens.text[tokens.starts[first] : tokens.ends[last - 1]] if last > first else ""


def _result(tokens: Tokens, at: int) -> tuple[str | None, bool]:
    """The type behind RETURNS, and whether it is a set of them."""
    keys: Sequence[str] = tokens.keys
    if at >= len(keys) or keys[at] != "returns":
        return None, False
    first = at + 1
    is_set = first < len(keys) and keys[first] == "setof"
    first += is_set
    last = next((n for n in range(first, len(keys)) if keys[n] in _BEHIND_RESULT or not keys[n]), len(keys))
    if keys[first : first + 1] == ["table"]:
        return None, True
    found = _type(tokens, first, last)
    return (None if found in _NO_RESULT else found), is_set
