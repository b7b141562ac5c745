"""The syntax tree, declared once. What is done with it lives elsewhere and finds its method by the node's class.

Every node has ``start`` and ``end``: the offsets of its text, end exclusive. Names are kept folded and
unquoted, as tuples of their parts. Nodes are plain slotted classes, because scripts make millions of them.
"""

from dataclasses import dataclass, field


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
    modifiers: "StarModifiers | None" = None


@dataclass(slots=True, eq=False)
class StarModifiers(Node):
    """What a star leaves out, puts in the place of a column, or calls otherwise. ``pattern`` chooses columns by
    name: a regular expression, or what LIKE takes where ``like`` is set."""

    excluded: list[str]
    replaced: list["Item"]
    renamed: list[tuple[str, str]]
    pattern: str | None = None
    like: bool = False


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
    having: Expression | None = None


# --- queries ---------------------------------------------------------------------------------------------


@dataclass(slots=True, eq=False)
class Item(Node):
    """One entry of a select list; ``aliases`` where one expression makes several columns."""

    expression: Expression
    alias: str | None
    aliases: list[str] | None = None


@dataclass(slots=True, eq=False)
class TableName(Node):
    """A table by name, where a statement reads or writes it. ``file``: it is a file, a stage or a path."""

    parts: tuple[str, ...]
    file: bool = False


@dataclass(slots=True, eq=False)
class FromItem(Node):
    """Anything in FROM. ``alias`` and ``columns`` rename it and its columns."""

    alias: str | None
    columns: list[str] | None


@dataclass(slots=True, eq=False)
class TableSource(FromItem):
    """A table, view or CTE by name. ``sample`` holds the arguments of TABLESAMPLE, ``at`` those of a clause that
    asks for an older state of the table."""

    table: TableName
    sample: list[Expression] | None = None
    at: list[Expression] | None = None


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
    ordinality_name: str = "ordinality"


@dataclass(slots=True, eq=False)
class Shredded(FromItem):
    """JSON_TABLE, XMLTABLE, OPENJSON … WITH: a document cut into columns. ``fields`` are (name, path); the path is
    None for a column that only counts. ``arguments``: the document, then whatever else decides."""

    name: str
    arguments: list[Expression]
    fields: list[tuple[str, str | None]]


@dataclass(slots=True, eq=False)
class Pivot(FromItem):
    """``source PIVOT (aggregates FOR keys IN (values))``; ``values`` is None where the data decides the columns.
    ``group``: the columns that stay, None for all the others."""

    source: FromItem
    aggregates: list["Item"]
    keys: list[Expression]
    values: list["Item"] | None
    group: list[Expression] | None = None


@dataclass(slots=True, eq=False)
class Unpivot(FromItem):
    """``source UNPIVOT (values FOR name IN (groups))``; a group is the columns that become one row, with the
    expression where it is none."""

    source: FromItem
    values: list[str]
    key: str
    groups: list[list[Expression]]


@dataclass(slots=True, eq=False)
class MatchRecognize(FromItem):
    """``source MATCH_RECOGNIZE (…)``; ``symbols`` are the variables of the pattern."""

    source: FromItem
    partition: list[Expression]
    order: list[Sort]
    measures: list["Item"]
    defines: list[Expression]
    symbols: list[str]
    all_rows: bool = False


@dataclass(slots=True, eq=False)
class Join(FromItem):
    """``left kind JOIN right``; kind is inner, left, right, full, cross, semi, anti or asof, or group for a join in
    parentheses that has an alias (then ``left`` is all of it)."""

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
    """One SELECT. ``distinct`` is a list of expressions for DISTINCT ON, empty for DISTINCT, None without.

    into_variables: the names behind INTO where they are variables. connect: the conditions of START WITH and
    CONNECT BY. group_all: GROUP BY ALL. packed: SELECT AS STRUCT, or TRANSFORM, whose result is one value made
    of all."""

    distinct: list[Expression] | None
    items: list[Item]
    into: TableName | None
    into_temporary: bool
    source: list[FromItem]
    where: Expression | None
    group: list[Expression]
    having: Expression | None
    windows: dict[str, Window]
    qualify: Expression | None = None
    top: Expression | None = None
    connect: list[Expression] | None = None
    group_all: bool = False
    packed: bool = False
    into_variables: list[str] | None = None


@dataclass(slots=True, eq=False)
class Values(Node):
    """``VALUES (…), (…)``."""

    rows: list[list[Expression]]


@dataclass(slots=True, eq=False)
class SetOperation(Node):
    """``left UNION|INTERSECT|EXCEPT [ALL] right``; by_name: columns meet by name, not by place."""

    operator: str
    all: bool
    left: "Body"
    right: "Body"
    by_name: bool = False


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
    """``CREATE TABLE`` with column definitions; ``like`` names the tables that it copies columns of, ``clone`` the
    one whose rows it takes too, ``location`` the files that it shows."""

    target: TableName
    columns: list[str]
    like: list[TableName]
    temporary: bool
    clone: TableName | None = None
    location: TableName | None = None


@dataclass(slots=True, eq=False)
class CreateView(Statement):
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
    """``column = value``, or several columns set from a row or a query; ``qualifier``: the table it names."""

    columns: list[str]
    value: Expression
    qualifier: str | None = None


@dataclass(slots=True, eq=False)
class Conflict(Node):
    """``ON CONFLICT …``, ``ON DUPLICATE KEY UPDATE …``; ``assignments`` is empty for DO NOTHING. ``alias`` is the
    name of the row that was to be inserted."""

    columns: list[Expression]
    assignments: list[Assignment]
    where: Expression | None
    alias: str = "excluded"


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
    by_name: bool = False
    partition: list[tuple[str, Expression | None]] | None = None
    into: TableName | None = None
    into_columns: list[str] | None = None


@dataclass(slots=True, eq=False)
class MultiInsert(Statement):
    """One query into several tables; ``branches`` are (condition, insert without query)."""

    query: Query
    branches: list[tuple[Expression | None, Insert]]


@dataclass(slots=True, eq=False)
class Copy(Statement):
    """Rows into or out of files: COPY, LOAD, UNLOAD, EXPORT. ``kind`` is its first word."""

    kind: str
    target: TableName
    columns: list[str] | None
    query: Query
    assignments: list[Assignment]


@dataclass(slots=True, eq=False)
class Update(Statement):
    """``UPDATE … SET … FROM … WHERE``. ``joined``: the target is one of the tables in ``source``. ``limit``: what
    decides which of the rows are changed after all."""

    ctes: With | None
    target: TableName
    alias: str | None
    assignments: list[Assignment]
    source: list[FromItem]
    where: Expression | None
    returning: list[Item]
    joined: bool = False
    limit: list[Expression | Sort] | None = None
    into: TableName | None = None
    into_columns: list[str] | None = None


@dataclass(slots=True, eq=False)
class Delete(Statement):
    """``DELETE FROM … USING … WHERE``; ``joined`` and ``limit`` as in Update, ``more`` further targets."""

    ctes: With | None
    target: TableName
    alias: str | None
    source: list[FromItem]
    where: Expression | None
    returning: list[Item]
    joined: bool = False
    limit: list[Expression | Sort] | None = None
    more: list[TableName] | None = None
    into: TableName | None = None
    into_columns: list[str] | None = None


@dataclass(slots=True, eq=False)
class MergeBranch(Node):
    """``WHEN [NOT] MATCHED [AND condition] THEN …``; action is update, insert, delete or nothing. ``row``: the
    whole source row is taken, column by column of the same name. ``where``: conditions behind the action."""

    condition: Expression | None
    action: str
    assignments: list[Assignment]
    columns: list[str] | None
    values: list[Expression]
    row: bool = False
    where: list[Expression] | None = None


@dataclass(slots=True, eq=False)
class Merge(Statement):
    """``MERGE INTO … USING … ON … WHEN …``."""

    ctes: With | None
    target: TableName
    alias: str | None
    source: FromItem
    condition: Expression
    branches: list[MergeBranch]
    returning: list[Item]
    into: TableName | None = None
    into_columns: list[str] | None = None


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
    """One action of an ALTER: rename, rename_column, add_column, drop_column, set_schema, swap, exchange, attach,
    replace_columns or other; ``old`` and ``new`` are the names that it has, ``table`` the other table,
    ``columns`` the new ones."""

    action: str
    old: str | None
    new: str | None
    table: TableName | None = None
    columns: list[str] | None = None


@dataclass(slots=True, eq=False)
class Alter(Statement):
    """``ALTER TABLE|VIEW|MATERIALIZED VIEW``."""

    kind: str
    target: TableName
    actions: list[AlterAction]


@dataclass(slots=True, eq=False)
class RenameTables(Statement):
    """``RENAME TABLE a TO b, c TO d``."""

    pairs: list[tuple[TableName, TableName]]


@dataclass(slots=True, eq=False)
class Wrapped(Statement):
    """A statement that holds another one which it runs: CREATE TASK. ``kind`` names the outer one."""

    kind: str
    body: Statement


@dataclass(slots=True, eq=False)
class Use(Statement):
    """``USE [DATABASE|SCHEMA|CATALOG] name``: what unqualified names are looked up in from now on."""

    parts: tuple[str, ...]


@dataclass(slots=True, eq=False)
class SetSearchPath(Statement):
    """``SET search_path TO …``."""

    schemas: list[str]


@dataclass(slots=True, eq=False)
class Recognised(Statement):
    """A statement that moves no data by itself; ``kind`` is its leading words joined by underscores."""

    kind: str


# --- procedures ------------------------------------------------------------------------------------------


@dataclass(slots=True, eq=False)
class Declare(Statement):
    """Variables with a value, a cursor with its query, or a table variable with its columns."""

    names: list[str]
    value: Expression | None
    query: Query | None
    columns: list[str] | None


@dataclass(slots=True, eq=False)
class Assign(Statement):
    """``name := value``; several names take the parts of a row or of a query's."""

    names: list[str]
    value: Expression


@dataclass(slots=True, eq=False)
class Block(Statement):
    """``DECLARE … BEGIN … END``."""

    declarations: list[Statement]
    body: list[Statement]


@dataclass(slots=True, eq=False)
class If(Statement):
    """``IF … THEN … ELSE …``, and CASE as a statement."""

    branches: list[tuple[Expression, list[Statement]]]
    otherwise: list[Statement]


@dataclass(slots=True, eq=False)
class Loop(Statement):
    """Any loop: over the rows of ``query``, over the values of ``source``, or while ``condition`` holds. With
    ``dynamic`` the condition is the text of the query."""

    names: list[str]
    condition: Expression | None
    query: Query | None
    body: list[Statement]
    source: Expression | None = None
    dynamic: bool = False


@dataclass(slots=True, eq=False)
class Return(Statement):
    """``RETURN value``, ``RETURN QUERY query``, ``RETURN NEXT value``."""

    value: Expression | None
    query: Query | None


@dataclass(slots=True, eq=False)
class Fetch(Statement):
    """``FETCH cursor INTO names``."""

    cursor: str
    names: list[str]


@dataclass(slots=True, eq=False)
class Execute(Statement):
    """A statement given as text: ``EXECUTE 'text' [INTO names] [USING arguments]``."""

    text: Expression
    into: list[str]
    arguments: list[Expression] = field(default_factory=list)


@dataclass(slots=True, eq=False)
class CallRoutine(Statement):
    """``CALL procedure (arguments)``; ``into`` takes its result."""

    parts: tuple[str, ...]
    arguments: list[Expression]
    into: list[str]


@dataclass(slots=True, eq=False)
class Routine(Statement):
    """``CREATE FUNCTION|PROCEDURE|TRIGGER``, and DO.

    parameters: (name, mode). returns: the columns of the table it returns, None for none. result: the variable
    that is returned. text: the token of a body not read yet. problem: why the body was not read: message and place.
    table, condition, calls: what a trigger is on, when it fires, the function it runs.
    """

    kind: str
    parts: tuple[str, ...]
    parameters: list[tuple[str, str]]
    body: list[Statement]
    language: str | None
    returns: list[str] | None
    result: str | None = None
    text: int | None = None
    problem: tuple[str, int, int] | None = None
    table: TableName | None = None
    condition: Expression | None = None
    calls: tuple[str, ...] | None = None
    returns_trigger: bool = False
