"""What actions of ALTER say that the grammar keeps as words only: of a column its type, whether it may be null and
its default; what a foreign table shows; which constraint is dropped."""

from dataclasses import dataclass
from enum import Enum

from jalan.change.types import BEHIND_TYPE, TypeName, declared_type
from jalan.sql import tree
from jalan.sql.dialects import get_dialect
from jalan.sql.lexer import STRING, Tokens, identifier, tokenize

_BEHIND_NEW_TYPE = frozenset({"using", "collate"})


class Does(Enum):
    """What is done to a column."""

    RETYPES = "type"
    SETS_NOT_NULL = "set not null"
    DROPS_NOT_NULL = "drop not null"
    SETS_DEFAULT = "set default"
    DROPS_DEFAULT = "drop default"


@dataclass(frozen=True, slots=True)
class ColumnChange:
    """One change of a column. type: the new one, none where it is no name of a type. using: where in the text the
    expression stands that makes new values of the old ones, none where there is none. default: the new one."""

    does: Does
    column: str
    type: TypeName | None = None
    using: tuple[int, int] | None = None
    default: str | None = None


@dataclass(frozen=True, slots=True)
class ShownName:
    """What a foreign table shows from now on: its column another column, or where none is given another table."""

    column: str | None
    name: str


@dataclass(frozen=True, slots=True)
class DroppedConstraint:
    """A constraint that is dropped."""

    name: str


@dataclass(frozen=True, slots=True)
class AddedColumn:
    """A new column. must_be_given: it may not be null and has no default."""

    type: TypeName | None
    must_be_given: bool


def read_action(
    action: tree.AlterAction, text: str, dialect: str
) -> ColumnChange | ShownName | DroppedConstraint | None:
    """Return what an action of ALTER does; none where it is none of these.

    text: that the action was read from.
    """
    tokens = tokenize(text[action.start : action.end], get_dialect(dialect))
    keys = tokens.keys
    if keys[:2] == ["drop", "constraint"]:
        return DroppedConstraint(_name(tokens, 4 if keys[2:4] == ["if", "exists"] else 2, dialect))
    if keys[:1] != ["alter"]:
        return _shown(tokens, 0, None, "table_name")
    at = 2 if keys[1:2] == ["column"] else 1
    if at >= len(keys) - 1:
        return None
    column = _name(tokens, at, dialect)
    return _column_change(action, text, tokens, at, column) or _shown(tokens, at + 1, column, "column_name")


def added_column(action: tree.AlterAction, text: str, dialect: str) -> AddedColumn:
    """Return what an ADD COLUMN says of the column."""
    tokens = tokenize(text[action.start : action.end], get_dialect(dialect))
    keys = tokens.keys
    at = 1 + (keys[1:2] == ["column"])
    at += 3 if keys[at : at + 3] == ["if", "not", "exists"] else 0
    last = next((n for n in range(at + 1, len(keys)) if keys[n] in BEHIND_TYPE or not keys[n]), len(keys) - 1)
    type_ = declared_type(" ".join(tokens.written(n) for n in range(at + 1, last)))
    strict = any(keys[n : n + 2] in (["not", "null"], ["primary", "key"]) for n in range(last, len(keys)))
    given = any(key in ("default", "generated") for key in keys[last:])
    serial = keys[at + 1 : at + 2] and "serial" in keys[at + 1]
    return AddedColumn(type_, strict and not given and not serial)


def _column_change(
    action: tree.AlterAction, text: str, tokens: Tokens, at: int, column: str
) -> ColumnChange | None:
    """What is done to a column whose name stands at a token."""
    keys = tokens.keys
    rest = keys[at + 1 :]
    for does in (Does.SETS_NOT_NULL, Does.DROPS_NOT_NULL, Does.SETS_DEFAULT, Does.DROPS_DEFAULT):
        words = does.value.split()
        if rest[: len(words)] == words:
            written_out = text[action.start + tokens.ends[at + len(words)] : action.end].strip()
            return ColumnChange(does, column, default=written_out if does is Does.SETS_DEFAULT else None)
    first = at + 2 if rest[:1] == ["type"] else at + 4 if rest[:3] == ["set", "data", "type"] else None
    if first is None:
        return None
    last = next((n for n in range(first, len(keys) - 1) if keys[n] in _BEHIND_NEW_TYPE), len(keys) - 1)
    type_ = declared_type(" ".join(tokens.written(n) for n in range(first, last)))
    using = None
    if "using" in keys[last:]:
        begin = last + keys[last:].index("using") + 1
        using = (action.start + tokens.starts[begin], action.end)
    return ColumnChange(Does.RETYPES, column, type_, using)


def _shown(tokens: Tokens, at: int, column: str | None, option: str) -> ShownName | None:
    """The name that an option has which stands behind a token."""
    keys = tokens.keys
    if keys[at : at + 2] != ["options", "("]:
        return None
    for n in range(at + 2, len(keys) - 1):
        if keys[n] == option and tokens.kinds[n + 1] == STRING:
            return ShownName(column, tokens.written(n + 1)[1:-1].replace("''", "'"))
    return None


def _name(tokens: Tokens, at: int, dialect: str) -> str:
    """The name that stands at a token, as the dialect folds it."""
    return str(identifier(tokens.written(at), tokens.kinds[at], get_dialect(dialect).folding))
