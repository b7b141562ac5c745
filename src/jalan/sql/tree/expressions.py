"""Expressions."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from jalan.sql.tree.queries import SelectItem


@dataclass(slots=True, eq=False)
class Node:
    """Anything with a place in the text."""

    start: int
    end: int


@dataclass(slots=True, eq=False)
class Expression(Node):
    """Anything that has a value."""


@dataclass(slots=True, eq=False, init=False)
class Literal(Expression):
    """A constant; ``type`` is the folded type name of ``date '…'``, else empty."""

    type: str

    def __init__(self, start: int, end: int, type: str) -> None:
        self.start = start
        self.end = end
        self.type = type


@dataclass(slots=True, eq=False)
class Parameter(Expression):
    """A placeholder for a value."""


@dataclass(slots=True, eq=False, init=False)
class Column(Expression):
    """A name that stands for a column, or for a whole row of a table in FROM."""

    parts: tuple[str, ...]

    def __init__(self, start: int, end: int, parts: tuple[str, ...]) -> None:
        self.start = start
        self.end = end
        self.parts = parts


@dataclass(slots=True, eq=False, init=False)
class Star(Expression):
    """``*`` or ``t.*``; parts are those before the star."""

    parts: tuple[str, ...]
    modifiers: StarModifiers | None = None

    def __init__(
        self, start: int, end: int, parts: tuple[str, ...], modifiers: StarModifiers | None = None
    ) -> None:
        self.start = start
        self.end = end
        self.parts = parts
        self.modifiers = modifiers


@dataclass(slots=True, eq=False)
class StarModifiers(Node):
    """What a star leaves out (names, maybe qualified), puts in the place of a column, or calls otherwise.
    ``pattern`` chooses columns by name, in the manner of ``match``: like, not like, ilike, similar to, glob …"""

    excluded: list[tuple[str, ...]]
    replaced: list[SelectItem]
    renamed: list[tuple[str, str]]
    pattern: str | None = None
    match: str = ""


@dataclass(slots=True, eq=False)
class Lambda(Expression):
    """``x -> body``, ``(x, y) -> body``."""

    parameters: list[str]
    body: Expression


@dataclass(slots=True, eq=False)
class Comprehension(Expression):
    """``[item FOR names IN source IF condition]``."""

    names: list[str]
    item: Expression
    source: Expression
    condition: Expression | None


@dataclass(slots=True, eq=False)
class Struct(Expression):
    """A value with named parts: ``STRUCT(a AS x)``, ``{'x': a}``; a name is None where none is given."""

    names: list[str | None]
    items: list[Expression]


@dataclass(slots=True, eq=False)
class Path(Expression):
    """``base:a.b[0]``: a path into semi-structured data."""

    base: Expression
    path: str


@dataclass(slots=True, eq=False, init=False)
class Unary(Expression):
    """A prefix or postfix operator: ``-``, ``not``, ``is null``, ``collate`` …"""

    operator: str
    argument: Expression

    def __init__(self, start: int, end: int, operator: str, argument: Expression) -> None:
        self.start = start
        self.end = end
        self.operator = operator
        self.argument = argument


@dataclass(slots=True, eq=False, init=False)
class Binary(Expression):
    """An infix operator; words in lower case (``and``, ``like``, ``at time zone``)."""

    operator: str
    left: Expression
    right: Expression

    def __init__(self, start: int, end: int, operator: str, left: Expression, right: Expression) -> None:
        self.start = start
        self.end = end
        self.operator = operator
        self.left = left
        self.right = right


@dataclass(slots=True, eq=False, init=False)
class Between(Expression):
    """``argument [NOT] BETWEEN low AND high``."""

    argument: Expression
    low: Expression
    high: Expression

    def __init__(self, start: int, end: int, argument: Expression, low: Expression, high: Expression) -> None:
        self.start = start
        self.end = end
        self.argument = argument
        self.low = low
        self.high = high


@dataclass(slots=True, eq=False, init=False)
class InList(Expression):
    """``argument [NOT] IN (items)``."""

    argument: Expression
    items: list[Expression]

    def __init__(self, start: int, end: int, argument: Expression, items: list[Expression]) -> None:
        self.start = start
        self.end = end
        self.argument = argument
        self.items = items


@dataclass(slots=True, eq=False, init=False)
class When(Node):
    """One branch of a CASE."""

    condition: Expression
    result: Expression

    def __init__(self, start: int, end: int, condition: Expression, result: Expression) -> None:
        self.start = start
        self.end = end
        self.condition = condition
        self.result = result


@dataclass(slots=True, eq=False, init=False)
class Case(Expression):
    """``CASE [operand] WHEN … THEN … [ELSE default] END``."""

    operand: Expression | None
    branches: list[When]
    default: Expression | None

    def __init__(
        self, start: int, end: int, operand: Expression | None, branches: list[When], default: Expression | None
    ) -> None:
        self.start = start
        self.end = end
        self.operand = operand
        self.branches = branches
        self.default = default


@dataclass(slots=True, eq=False, init=False)
class Cast(Expression):
    """``argument::type`` and ``CAST(argument AS type)``; type without its modifiers."""

    argument: Expression
    type: str

    def __init__(self, start: int, end: int, argument: Expression, type: str) -> None:
        self.start = start
        self.end = end
        self.argument = argument
        self.type = type


@dataclass(slots=True, eq=False)
class ArrayItems(Expression):
    """``ARRAY[items]``."""

    items: list[Expression]


@dataclass(slots=True, eq=False)
class Row(Expression):
    """``ROW(items)`` and ``(a, b)``."""

    items: list[Expression]


@dataclass(slots=True, eq=False)
class Descriptor(Expression):
    """``DESCRIPTOR(a, b)``: names of columns for a table function."""

    items: list[Expression]


@dataclass(slots=True, eq=False)
class Subscript(Expression):
    """``base[index]`` and ``base[low:high]``."""

    base: Expression
    indexes: list[Expression]


@dataclass(slots=True, eq=False)
class Field(Expression):
    """``(base).name``; name is ``*`` where all fields are taken."""

    base: Expression
    name: str


@dataclass(slots=True, eq=False, init=False)
class Sort(Node):
    """One key of an ORDER BY."""

    key: Expression

    def __init__(self, start: int, end: int, key: Expression) -> None:
        self.start = start
        self.end = end
        self.key = key


@dataclass(slots=True, eq=False, init=False)
class Window(Node):
    """A window, by the name of another one (``base``) and its own parts."""

    base: str | None
    partition: list[Expression]
    order: list[Sort]
    frame: list[Expression]

    def __init__(
        self,
        start: int,
        end: int,
        base: str | None,
        partition: list[Expression],
        order: list[Sort],
        frame: list[Expression],
    ) -> None:
        self.start = start
        self.end = end
        self.base = base
        self.partition = partition
        self.order = order
        self.frame = frame


@dataclass(slots=True, eq=False, init=False)
class Call(Expression):
    """A function call. ``parts`` is its name; special syntax (EXTRACT, TRIM …) comes as a call too."""

    parts: tuple[str, ...]
    arguments: list[Expression]
    distinct: bool = False
    star: bool = False
    order: list[Sort] | None = None
    within_group: bool = False
    filter: Expression | None = None
    window: Window | None = None
    having: Expression | None = None

    def __init__(
        self,
        start: int,
        end: int,
        parts: tuple[str, ...],
        arguments: list[Expression],
        distinct: bool = False,
        star: bool = False,
        order: list[Sort] | None = None,
        within_group: bool = False,
        filter: Expression | None = None,
        window: Window | None = None,
        having: Expression | None = None,
    ) -> None:
        self.start = start
        self.end = end
        self.parts = parts
        self.arguments = arguments
        self.distinct = distinct
        self.star = star
        self.order = order
        self.within_group = within_group
        self.filter = filter
        self.window = window
        self.having = having
