"""Procedures: blocks, variables, loops, routines."""

from __future__ import annotations

from dataclasses import dataclass, field

from jalan.sql.tree.expressions import Expression
from jalan.sql.tree.queries import Query, TableName
from jalan.sql.tree.statements import StatementNode


@dataclass(slots=True, eq=False)
class Declare(StatementNode):
    """Variables with a value, a cursor with its query, or a table variable with its columns. ``over``: the result
    set that a cursor walks.

    type: the name of the type, ``rowtype`` where it is that of the rows of a table or cursor.
    parameters: those of a cursor.
    """

    names: list[str]
    value: Expression | None
    query: Query | None
    columns: list[str] | None
    over: str | None = None
    type: tuple[str, ...] = ()
    rowtype: bool = False
    parameters: list[str] | None = None


@dataclass(slots=True, eq=False)
class DeclareType(StatementNode):
    """A type of records with its fields, or of lists with the type of their elements."""

    name: str
    fields: list[str]
    element: tuple[str, ...] = ()
    rowtype: bool = False


@dataclass(slots=True, eq=False)
class Assign(StatementNode):
    """``name := value``; several names take the parts of a row or of a query's. ``element``: only an element of the
    variable is set."""

    names: list[str]
    value: Expression
    element: bool = False


@dataclass(slots=True, eq=False)
class Prepare(Assign):
    """``PREPARE name FROM text``: the name stands for a statement from here on."""


@dataclass(slots=True, eq=False)
class Block(StatementNode):
    """``DECLARE … BEGIN … END``. ``handlers``: what is done with errors, and so may not be done."""

    declarations: list[StatementNode]
    body: list[StatementNode]
    handlers: list[StatementNode] = field(default_factory=list)


@dataclass(slots=True, eq=False)
class If(StatementNode):
    """``IF … THEN … ELSE …``, and CASE as a statement."""

    branches: list[tuple[Expression, list[StatementNode]]]
    otherwise: list[StatementNode]


@dataclass(slots=True, eq=False)
class Loop(StatementNode):
    """Any loop: over the rows of ``query``, over the values of ``source``, or while ``condition`` holds. With
    ``dynamic`` the condition is the text of the query."""

    names: list[str]
    condition: Expression | None
    query: Query | None
    body: list[StatementNode]
    source: Expression | None = None
    dynamic: bool = False


@dataclass(slots=True, eq=False)
class Return(StatementNode):
    """``RETURN value``, ``RETURN QUERY query``, ``RETURN NEXT value``."""

    value: Expression | None
    query: Query | None


@dataclass(slots=True, eq=False)
class Fetch(StatementNode):
    """``FETCH cursor INTO names``."""

    cursor: str
    names: list[str]


@dataclass(slots=True, eq=False)
class Execute(StatementNode):
    """A statement given as text: ``EXECUTE 'text' [INTO names] [USING arguments]``."""

    text: Expression
    into: list[str]
    arguments: list[Expression] = field(default_factory=list)


@dataclass(slots=True, eq=False)
class CallRoutine(StatementNode):
    """``CALL procedure (arguments)``; ``into`` takes its result."""

    parts: tuple[str, ...]
    arguments: list[Expression]
    into: list[str]


@dataclass(slots=True, eq=False)
class Routine(StatementNode):
    """``CREATE FUNCTION|PROCEDURE|TRIGGER|PACKAGE BODY``, and DO.

    parameters: (name, mode).
    returns: the columns of the table it returns, None for none.
    result: the variable that is returned.
    text: the token of a body not read yet.
    problem: why the body was not read: message and place.
    table, condition, calls: what a trigger is on, when it fires, the function it runs.
    """

    kind: str
    parts: tuple[str, ...]
    parameters: list[tuple[str, str]]
    body: list[StatementNode]
    language: str | None
    returns: list[str] | None
    result: str | None = None
    text: int | None = None
    problem: tuple[str, int, int] | None = None
    table: TableName | None = None
    condition: Expression | None = None
    calls: tuple[str, ...] | None = None
    returns_trigger: bool = False
