"""Statements."""

from __future__ import annotations

from dataclasses import dataclass

from jalan.sql.tree.expressions import Expression, Node, Sort
from jalan.sql.tree.queries import FromItem, Query, SelectItem, TableName, With


@dataclass(slots=True, eq=False)
class StatementNode(Node):
    """Anything that ends with a semicolon."""


@dataclass(slots=True, eq=False)
class QueryStatement(StatementNode):
    """A query on its own."""

    query: Query


@dataclass(slots=True, eq=False)
class CreateTableAs(StatementNode):
    """``CREATE [TEMP] TABLE … AS query``, and SELECT INTO."""

    target: TableName
    columns: list[str] | None
    query: Query
    temporary: bool


@dataclass(slots=True, eq=False)
class CreateTable(StatementNode):
    """``CREATE TABLE`` with column definitions; ``like`` names the tables that it copies columns of, ``clone`` the
    one whose rows it takes too, ``location`` the files that it shows."""

    target: TableName
    columns: list[str]
    like: list[TableName]
    temporary: bool
    clone: TableName | None = None
    location: TableName | None = None


@dataclass(slots=True, eq=False)
class CreateView(StatementNode):
    """``CREATE [OR REPLACE] [MATERIALIZED] VIEW … AS query``, and what works like one: ``kind`` is view,
    dynamic_table, stream or cached_table."""

    target: TableName
    columns: list[str] | None
    query: Query
    materialized: bool
    temporary: bool
    kind: str = "view"


@dataclass(slots=True, eq=False)
class Assignment(Node):
    """``column = value``, or several columns set from a row or a query; ``qualifier``: the table it names;
    ``part``: how a field or element of the column is named, where only that is set."""

    columns: list[str]
    value: Expression
    qualifier: str | None = None
    part: str = ""


@dataclass(slots=True, eq=False)
class Conflict(Node):
    """``ON CONFLICT …``, ``ON DUPLICATE KEY UPDATE …``; ``assignments`` is empty for DO NOTHING. ``alias`` is the
    name of the row that was to be inserted, ``names`` are those of its columns where they have others."""

    columns: list[Expression]
    assignments: list[Assignment]
    where: Expression | None
    alias: str = "excluded"
    names: list[str] | None = None


@dataclass(slots=True, eq=False)
class Insert(StatementNode):
    """``INSERT INTO``; query is None for DEFAULT VALUES."""

    ctes: With | None
    target: TableName
    alias: str | None
    columns: list[str] | None
    query: Query | None
    conflict: Conflict | None
    returning: list[SelectItem]
    by_name: bool = False
    partition: list[tuple[str, Expression | None]] | None = None
    into: TableName | None = None
    into_columns: list[str] | None = None
    into_variables: list[str] | None = None


@dataclass(slots=True, eq=False)
class MultiInsert(StatementNode):
    """One query into several tables; ``branches`` are (condition, insert without query)."""

    query: Query
    branches: list[tuple[Expression | None, Insert]]


@dataclass(slots=True, eq=False)
class Copy(StatementNode):
    """Rows into or out of files: COPY, LOAD, UNLOAD, EXPORT. ``kind`` is its first word."""

    kind: str
    target: TableName
    columns: list[str] | None
    query: Query
    assignments: list[Assignment]


@dataclass(slots=True, eq=False)
class Update(StatementNode):
    """``UPDATE … SET … FROM … WHERE``. ``joined``: the target is one of the tables in ``source``. ``limit``: what
    decides which of the rows are changed after all."""

    ctes: With | None
    target: TableName
    alias: str | None
    assignments: list[Assignment]
    source: list[FromItem]
    where: Expression | None
    returning: list[SelectItem]
    joined: bool = False
    limit: list[Expression | Sort] | None = None
    into: TableName | None = None
    into_columns: list[str] | None = None
    into_variables: list[str] | None = None


@dataclass(slots=True, eq=False)
class Delete(StatementNode):
    """``DELETE FROM … USING … WHERE``; ``joined`` and ``limit`` as in Update, ``more`` further targets."""

    ctes: With | None
    target: TableName
    alias: str | None
    source: list[FromItem]
    where: Expression | None
    returning: list[SelectItem]
    joined: bool = False
    limit: list[Expression | Sort] | None = None
    more: list[TableName] | None = None
    into: TableName | None = None
    into_columns: list[str] | None = None
    into_variables: list[str] | None = None


@dataclass(slots=True, eq=False)
class MergeBranch(Node):
    """``WHEN [NOT] MATCHED [AND condition] THEN …``; action is update, insert, delete, replace or nothing.
    ``row``: the whole source row is taken, column by column of the same name. ``where``: conditions behind the
    action."""

    condition: Expression | None
    action: str
    assignments: list[Assignment]
    columns: list[str] | None
    values: list[Expression]
    row: bool = False
    where: list[Expression] | None = None


@dataclass(slots=True, eq=False)
class Merge(StatementNode):
    """``MERGE INTO … USING … ON … WHEN …``."""

    ctes: With | None
    target: TableName
    alias: str | None
    source: FromItem
    condition: Expression
    branches: list[MergeBranch]
    returning: list[SelectItem]
    into: TableName | None = None
    into_columns: list[str] | None = None
    into_variables: list[str] | None = None


@dataclass(slots=True, eq=False)
class Drop(StatementNode):
    """``DROP kind names``."""

    kind: str
    targets: list[TableName]


@dataclass(slots=True, eq=False)
class Unparsed(StatementNode):
    """A statement of a body that is not in the grammar: what is wrong, and where."""

    code: str
    message: str
    span: tuple[int, int]


@dataclass(slots=True, eq=False)
class Truncate(StatementNode):
    """``TRUNCATE names``."""

    targets: list[TableName]


@dataclass(slots=True, eq=False)
class AlterAction(Node):
    """One action of an ALTER: rename, rename_column, add_column, drop_column, set_schema, swap, exchange, attach,
    replace_columns or other; ``old`` and ``new`` are the names that it has, ``table`` the other table,
    ``columns`` the new ones."""

    action: str
    old: str | None
    new: str | None
    table: TableName | None = None
    columns: list[str] | None = None


@dataclass(slots=True, eq=False)
class Alter(StatementNode):
    """``ALTER TABLE|VIEW|MATERIALIZED VIEW``."""

    kind: str
    target: TableName
    actions: list[AlterAction]


@dataclass(slots=True, eq=False)
class RenameTables(StatementNode):
    """``RENAME TABLE a TO b, c TO d``."""

    pairs: list[tuple[TableName, TableName]]


@dataclass(slots=True, eq=False)
class Wrapped(StatementNode):
    """A statement that holds another one which it runs: CREATE TASK. ``kind`` names the outer one."""

    kind: str
    body: StatementNode


@dataclass(slots=True, eq=False)
class Use(StatementNode):
    """``USE [DATABASE|SCHEMA|CATALOG] name``: what unqualified names are looked up in from now on."""

    parts: tuple[str, ...]


@dataclass(slots=True, eq=False)
class SetSearchPath(StatementNode):
    """``SET search_path TO …``."""

    schemas: list[str]


@dataclass(slots=True, eq=False)
class Recognised(StatementNode):
    """A statement that moves no data by itself; ``kind`` is its leading words joined by underscores."""

    kind: str
