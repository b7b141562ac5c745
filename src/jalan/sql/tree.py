"""The syntax tree, declared once. What is done with it lives elsewhere and finds its method by the node's class.

Every node has ``start`` and ``end``: the offsets of its text, end exclusive. Names are kept folded and
unquoted, as tuples of their parts. Nodes are plain slotted classes, because scripts make millions of them.
"""

from dataclasses import dataclass


@dataclass(slots=True, eq=False)
class Node:
    """Anything with a place in the text."""

    start: int
    end: int


# --- expressions -----------------------------------------------------------------------------------------


@dataclass(slots=True, eq=False)
class Expression(Node):
    """Anything that has a value."""


@dataclass(slots=True, eq=False)
class Literal(Expression):
    """A constant; ``type`` is the folded type name of ``date '…'``, else empty."""

    type: str


@dataclass(slots=True, eq=False)
class Parameter(Expression):
    """A placeholder for a value."""


@dataclass(slots=True, eq=False)
class Column(Expression):
    """A name that stands for a column, or for a whole row of a table in FROM."""

    parts: tuple[str, ...]


@dataclass(slots=True, eq=False)
class Star(Expression):
    """``*`` or ``t.*``; parts are those before the star."""

    parts: tuple[str, ...]


@dataclass(slots=True, eq=False)
class Unary(Expression):
    """A prefix or postfix operator: ``-``, ``not``, ``is null``, ``collate`` …"""

    operator: str
    argument: Expression


@dataclass(slots=True, eq=False)
class Binary(Expression):
    """An infix operator; words in lower case (``and``, ``like``, ``at time zone``)."""

    operator: str
    left: Expression
    right: Expression


@dataclass(slots=True, eq=False)
class Between(Expression):
    """``argument [NOT] BETWEEN low AND high``."""

    argument: Expression
    low: Expression
    high: Expression


@dataclass(slots=True, eq=False)
class InList(Expression):
    """``argument [NOT] IN (items)``."""

    argument: Expression
    items: list[Expression]


@dataclass(slots=True, eq=False)
class InQuery(Expression):
    """``argument [NOT] IN (query)``, and ``argument op ANY|SOME|ALL (query)``."""

    argument: Expression
    query: "Query"


@dataclass(slots=True, eq=False)
class ScalarQuery(Expression):
    """A query in parentheses where a value is expected."""

    query: "Query"


@dataclass(slots=True, eq=False)
class ArrayQuery(Expression):
    """``ARRAY(query)``."""

    query: "Query"


@dataclass(slots=True, eq=False)
class Exists(Expression):
    """``EXISTS (query)``."""

    query: "Query"


@dataclass(slots=True, eq=False)
class When(Node):
    """One branch of a CASE."""

    condition: Expression
    result: Expression


@dataclass(slots=True, eq=False)
class Case(Expression):
    """``CASE [operand] WHEN … THEN … [ELSE default] END``."""

    operand: Expression | None
    branches: list[When]
    default: Expression | None


@dataclass(slots=True, eq=False)
class Cast(Expression):
    """``argument::type`` and ``CAST(argument AS type)``; type without its modifiers."""

    argument: Expression
    type: str


@dataclass(slots=True, eq=False)
class ArrayItems(Expression):
    """``ARRAY[items]``."""

    items: list[Expression]


@dataclass(slots=True, eq=False)
class Row(Expression):
    """``ROW(items)`` and ``(a, b)``."""

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


@dataclass(slots=True, eq=False)
class Sort(Node):
    """One key of an ORDER BY."""

    key: Expression


@dataclass(slots=True, eq=False)
class Window(Node):
    """A window, by the name of another one (``base``) and its own parts."""

    base: str | None
    partition: list[Expression]
    order: list[Sort]
    frame: list[Expression]


@dataclass(slots=True, eq=False)
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


# --- queries ---------------------------------------------------------------------------------------------


@dataclass(slots=True, eq=False)
class Item(Node):
    """One entry of a select list."""

    expression: Expression
    alias: str | None


@dataclass(slots=True, eq=False)
class TableName(Node):
    """A table by name, where a statement reads or writes it."""

    parts: tuple[str, ...]


@dataclass(slots=True, eq=False)
class FromItem(Node):
    """Anything in FROM. ``alias`` and ``columns`` rename it and its columns."""

    alias: str | None
    columns: list[str] | None


@dataclass(slots=True, eq=False)
class TableSource(FromItem):
    """A table, view or CTE by name. ``sample`` holds the arguments of TABLESAMPLE."""

    table: TableName
    sample: list[Expression] | None = None


@dataclass(slots=True, eq=False)
class Derived(FromItem):
    """A query in FROM."""

    query: "Query"
    lateral: bool = False


@dataclass(slots=True, eq=False)
class FunctionSource(FromItem):
    """Functions in FROM; ``defined`` are the columns of a column definition list, one list a function."""

    calls: list[Expression]
    defined: list[list[str] | None]
    ordinality: bool = False


@dataclass(slots=True, eq=False)
class Join(FromItem):
    """``left kind JOIN right``; kind is inner, left, right, full or cross, or group for a join in parentheses
    that has an alias (then ``left`` is all of it)."""

    kind: str
    left: FromItem
    right: FromItem
    condition: Expression | None
    using: list[tuple[str, int, int]] | None
    natural: bool
    using_alias: str | None = None


@dataclass(slots=True, eq=False)
class Cte(Node):
    """One named query (or data-modifying statement) of a WITH; ``added`` are the columns of SEARCH and CYCLE."""

    name: str
    columns: list[str] | None
    statement: "Query | Statement"
    added: list[str]


@dataclass(slots=True, eq=False)
class With(Node):
    """``WITH [RECURSIVE] …``."""

    recursive: bool
    ctes: list[Cte]


@dataclass(slots=True, eq=False)
class Select(Node):
    """One SELECT. ``distinct`` is a list of expressions for DISTINCT ON, empty for DISTINCT, None without."""

    distinct: list[Expression] | None
    items: list[Item]
    into: TableName | None
    into_temporary: bool
    source: list[FromItem]
    where: Expression | None
    group: list[Expression]
    having: Expression | None
    windows: dict[str, Window]


@dataclass(slots=True, eq=False)
class Values(Node):
    """``VALUES (…), (…)``."""

    rows: list[list[Expression]]


@dataclass(slots=True, eq=False)
class SetOperation(Node):
    """``left UNION|INTERSECT|EXCEPT [ALL] right``."""

    operator: str
    all: bool
    left: "Body"
    right: "Body"


@dataclass(slots=True, eq=False)
class Query(Node):
    """A body with its WITH, ORDER BY and LIMIT."""

    ctes: With | None
    body: "Body"
    order: list[Sort]
    limit: list[Expression]


Body = Select | Values | SetOperation | Query


# --- statements ------------------------------------------------------------------------------------------


@dataclass(slots=True, eq=False)
class Statement(Node):
    """Anything that ends with a semicolon."""


@dataclass(slots=True, eq=False)
class QueryStatement(Statement):
    """A query on its own."""

    query: Query


@dataclass(slots=True, eq=False)
class CreateTableAs(Statement):
    """``CREATE [TEMP] TABLE … AS query``, and SELECT INTO."""

    target: TableName
    columns: list[str] | None
    query: Query
    temporary: bool


@dataclass(slots=True, eq=False)
class CreateTable(Statement):
    """``CREATE TABLE`` with column definitions; ``like`` names the tables that it copies columns of."""

    target: TableName
    columns: list[str]
    like: list[TableName]
    temporary: bool


@dataclass(slots=True, eq=False)
class CreateView(Statement):
    """``CREATE [OR REPLACE] [MATERIALIZED] VIEW … AS query``."""

    target: TableName
    columns: list[str] | None
    query: Query
    materialized: bool
    temporary: bool


@dataclass(slots=True, eq=False)
class Assignment(Node):
    """``column = value``, or several columns set from a row or a query."""

    columns: list[str]
    value: Expression


@dataclass(slots=True, eq=False)
class Conflict(Node):
    """``ON CONFLICT …``; ``assignments`` is empty for DO NOTHING."""

    columns: list[Expression]
    assignments: list[Assignment]
    where: Expression | None


@dataclass(slots=True, eq=False)
class Insert(Statement):
    """``INSERT INTO``; query is None for DEFAULT VALUES."""

    ctes: With | None
    target: TableName
    alias: str | None
    columns: list[str] | None
    query: Query | None
    conflict: Conflict | None
    returning: list[Item]


@dataclass(slots=True, eq=False)
class Update(Statement):
    """``UPDATE … SET … FROM … WHERE``."""

    ctes: With | None
    target: TableName
    alias: str | None
    assignments: list[Assignment]
    source: list[FromItem]
    where: Expression | None
    returning: list[Item]


@dataclass(slots=True, eq=False)
class Delete(Statement):
    """``DELETE FROM … USING … WHERE``."""

    ctes: With | None
    target: TableName
    alias: str | None
    source: list[FromItem]
    where: Expression | None
    returning: list[Item]


@dataclass(slots=True, eq=False)
class MergeBranch(Node):
    """``WHEN [NOT] MATCHED [AND condition] THEN …``; action is update, insert, delete or nothing."""

    condition: Expression | None
    action: str
    assignments: list[Assignment]
    columns: list[str] | None
    values: list[Expression]


@dataclass(slots=True, eq=False)
class Merge(Statement):
    """``MERGE INTO … USING … ON … WHEN …``."""

    ctes: With | None
    target: TableName
    alias: str | None
    source: FromItem
    condition: Expression
    branches: list[MergeBranch]


@dataclass(slots=True, eq=False)
class Drop(Statement):
    """``DROP kind names``."""

    kind: str
    targets: list[TableName]


@dataclass(slots=True, eq=False)
class Truncate(Statement):
    """``TRUNCATE names``."""

    targets: list[TableName]


@dataclass(slots=True, eq=False)
class AlterAction(Node):
    """One action of an ALTER: rename, rename_column, add_column, drop_column, set_schema or other; ``old`` and
    ``new`` are the names that it has."""

    action: str
    old: str | None
    new: str | None


@dataclass(slots=True, eq=False)
class Alter(Statement):
    """``ALTER TABLE|VIEW|MATERIALIZED VIEW``."""

    kind: str
    target: TableName
    actions: list[AlterAction]


@dataclass(slots=True, eq=False)
class SetSearchPath(Statement):
    """``SET search_path TO …``."""

    schemas: list[str]


@dataclass(slots=True, eq=False)
class Recognised(Statement):
    """A statement that moves no data by itself; ``kind`` is its leading words joined by underscores."""

    kind: str
