"""Queries: select lists, FROM, set operations, WITH, and the expressions that hold queries.

What other classes have as a field stands before them: compiled, a class must be there when it is named.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from jalan.sql.tree.expressions import Expression, Node, Sort, Window

if TYPE_CHECKING:
    from jalan.sql.tree.statements import StatementNode


@dataclass(slots=True, eq=False, init=False)
class Query(Node):
    """A body with its WITH, ORDER BY and LIMIT."""

    ctes: With | None
    body: Body
    order: list[Sort]
    limit: list[Expression]

    def __init__(
        self, start: int, end: int, ctes: With | None, body: Body, order: list[Sort], limit: list[Expression]
    ) -> None:
        self.start = start
        self.end = end
        self.ctes = ctes
        self.body = body
        self.order = order
        self.limit = limit


@dataclass(slots=True, eq=False, init=False)
class SelectItem(Node):
    """One entry of a select list; ``aliases`` where one expression makes several columns."""

    expression: Expression
    alias: str | None
    aliases: list[str] | None = None

    def __init__(
        self, start: int, end: int, expression: Expression, alias: str | None, aliases: list[str] | None = None
    ) -> None:
        self.start = start
        self.end = end
        self.expression = expression
        self.alias = alias
        self.aliases = aliases


@dataclass(slots=True, eq=False, init=False)
class TableName(Node):
    """A table by name, where a statement reads or writes it. ``file``: it is a file, a stage or a path."""

    parts: tuple[str, ...]
    file: bool = False

    def __init__(self, start: int, end: int, parts: tuple[str, ...], file: bool = False) -> None:
        self.start = start
        self.end = end
        self.parts = parts
        self.file = file


@dataclass(slots=True, eq=False)
class FromItem(Node):
    """Anything in FROM. ``alias`` and ``columns`` rename it and its columns."""

    alias: str | None
    columns: list[str] | None


@dataclass(slots=True, eq=False, init=False)
class TableSource(FromItem):
    """A table, view or CTE by name. ``sample`` holds the arguments of TABLESAMPLE, ``at`` those of a clause that
    asks for an older state of the table."""

    table: TableName
    sample: list[Expression] | None = None
    at: list[Expression] | None = None

    def __init__(
        self,
        start: int,
        end: int,
        alias: str | None,
        columns: list[str] | None,
        table: TableName,
        sample: list[Expression] | None = None,
        at: list[Expression] | None = None,
    ) -> None:
        self.start = start
        self.end = end
        self.alias = alias
        self.columns = columns
        self.table = table
        self.sample = sample
        self.at = at


@dataclass(slots=True, eq=False)
class Derived(FromItem):
    """A query in FROM."""

    query: Query
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
    """JSON_TABLE, XMLTABLE, OPENJSON … WITH: a document cut into columns. ``fields`` are (name, path, expressions);
    the path is None for a column that only counts, the expressions are those of a path or default that is no
    constant. ``arguments``: the document, then whatever else decides."""

    name: str
    arguments: list[Expression]
    fields: list[tuple[str, str | None, list[Expression]]]


@dataclass(slots=True, eq=False)
class Pivot(FromItem):
    """``source PIVOT (aggregates FOR keys IN (values))``; ``values`` is None where the data decides the columns.
    ``group``: the columns that stay, None for all the others."""

    source: FromItem
    aggregates: list[SelectItem]
    keys: list[Expression]
    values: list[SelectItem] | None
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
    measures: list[SelectItem]
    defines: list[Expression]
    symbols: list[str]
    all_rows: bool = False


@dataclass(slots=True, eq=False, init=False)
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

    def __init__(
        self,
        start: int,
        end: int,
        alias: str | None,
        columns: list[str] | None,
        kind: str,
        left: FromItem,
        right: FromItem,
        condition: Expression | None,
        using: list[tuple[str, int, int]] | None,
        natural: bool,
        using_alias: str | None = None,
    ) -> None:
        self.start = start
        self.end = end
        self.alias = alias
        self.columns = columns
        self.kind = kind
        self.left = left
        self.right = right
        self.condition = condition
        self.using = using
        self.natural = natural
        self.using_alias = using_alias


@dataclass(slots=True, eq=False, init=False)
class Cte(Node):
    """One named query (or data-modifying statement) of a WITH; ``added`` are the columns of SEARCH and CYCLE:
    name, role (order, mark or path), and the columns that it follows."""

    name: str
    columns: list[str] | None
    statement: Query | StatementNode
    added: list[tuple[str, str, list[str]]]

    def __init__(
        self,
        start: int,
        end: int,
        name: str,
        columns: list[str] | None,
        statement: Query | StatementNode,
        added: list[tuple[str, str, list[str]]],
    ) -> None:
        self.start = start
        self.end = end
        self.name = name
        self.columns = columns
        self.statement = statement
        self.added = added


@dataclass(slots=True, eq=False)
class With(Node):
    """``WITH [RECURSIVE] …``; ``routines`` are the functions that it declares."""

    recursive: bool
    ctes: list[Cte]
    routines: list[StatementNode] | None = None


@dataclass(slots=True, eq=False, init=False)
class Select(Node):
    """One SELECT. ``distinct`` is a list of expressions for DISTINCT ON, empty for DISTINCT, None without.

    into_variables: the names behind INTO where they are variables.
    connect: the conditions of START WITH and CONNECT BY.
    group_all: GROUP BY ALL.
    packed: SELECT AS STRUCT, or TRANSFORM, whose result is one value made of all.
    """

    distinct: list[Expression] | None
    items: list[SelectItem]
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

    def __init__(
        self,
        start: int,
        end: int,
        distinct: list[Expression] | None,
        items: list[SelectItem],
        into: TableName | None,
        into_temporary: bool,
        source: list[FromItem],
        where: Expression | None,
        group: list[Expression],
        having: Expression | None,
        windows: dict[str, Window],
        qualify: Expression | None = None,
        top: Expression | None = None,
        connect: list[Expression] | None = None,
        group_all: bool = False,
        packed: bool = False,
        into_variables: list[str] | None = None,
    ) -> None:
        self.start = start
        self.end = end
        self.distinct = distinct
        self.items = items
        self.into = into
        self.into_temporary = into_temporary
        self.source = source
        self.where = where
        self.group = group
        self.having = having
        self.windows = windows
        self.qualify = qualify
        self.top = top
        self.connect = connect
        self.group_all = group_all
        self.packed = packed
        self.into_variables = into_variables


@dataclass(slots=True, eq=False)
class Values(Node):
    """``VALUES (…), (…)``."""

    rows: list[list[Expression]]


@dataclass(slots=True, eq=False)
class SetOperation(Node):
    """``left UNION|INTERSECT|EXCEPT [ALL] right``;

    by_name: columns meet by name, not by place.
    side: ``left`` where only the columns of the left arm count.
    only: the columns that count, if they are named.
    """

    operator: str
    all: bool
    left: Body
    right: Body
    by_name: bool = False
    side: str = ""
    only: list[str] | None = None


@dataclass(slots=True, eq=False)
class PipeInput(FromItem):
    """What comes down a pipe, where a step needs something in FROM."""


@dataclass(slots=True, eq=False)
class PipeStep(Node):
    """One step behind ``|>``; which fields it has depends on the operator, its first word.

    items: the list of select, extend, set, aggregate, window.
    group: that of aggregate.
    source: what join, pivot and the like make of the input.
    condition: that of where and assert.
    queries: the other arms of a set operation.
    names: the columns of drop, (old, new) of rename, the alias of as.
    windows: those that select names.
    """

    operator: str
    items: list[SelectItem]
    group: list[SelectItem]
    source: FromItem | None = None
    condition: Expression | None = None
    order: list[Sort] | None = None
    limit: list[Expression] | None = None
    queries: list[Query] | None = None
    all: bool = False
    names: list[tuple[str, ...]] | None = None
    ctes: With | None = None
    windows: dict[str, Window] | None = None


@dataclass(slots=True, eq=False)
class Pipeline(Node):
    """``FROM source |> step |> step``; ``first`` is a query before the first ``|>`` that is more than a FROM."""

    source: list[FromItem]
    first: Query | None
    steps: list[PipeStep]


Body = Select | Values | SetOperation | Query | Pipeline


@dataclass(slots=True, eq=False)
class InQuery(Expression):
    """``argument [NOT] IN (query)``, and ``argument op ANY|SOME|ALL (query)``."""

    argument: Expression
    query: Query


@dataclass(slots=True, eq=False)
class ScalarQuery(Expression):
    """A query in parentheses where a value is expected."""

    query: Query


@dataclass(slots=True, eq=False)
class TableArgument(Expression):
    """``TABLE(query)`` as an argument: all of its rows are passed to a table function."""

    query: Query


@dataclass(slots=True, eq=False)
class DynamicQuery(Expression):
    """``(EXECUTE IMMEDIATE text)``: the rows of a query that is given as text."""

    text: Expression


@dataclass(slots=True, eq=False)
class ArrayQuery(Expression):
    """``ARRAY(query)``."""

    query: Query


@dataclass(slots=True, eq=False)
class Exists(Expression):
    """``EXISTS (query)``."""

    query: Query
