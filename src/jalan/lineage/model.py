"""What extraction returns. These classes are part of the stable face: they change only by adding."""

from dataclasses import dataclass, field

from jalan.catalog.kinds import How

Span = tuple[int, int]

# Plain strings: they are compared and looked up more often than anything else here.
IDENTITY = How.IDENTITY.value
TRANSFORMATION = How.TRANSFORMATION.value
AGGREGATION = How.AGGREGATION.value
JOIN = How.JOIN.value
FILTER = How.FILTER.value
GROUP_BY = How.GROUP_BY.value
SORT = How.SORT.value
WINDOW = How.WINDOW.value
CONDITIONAL = How.CONDITIONAL.value
VALUE_RANK = {IDENTITY: 0, TRANSFORMATION: 1, AGGREGATION: 2}
"""How a value arrives, from untouched to folded with others. Along a chain the highest one holds."""


@dataclass(slots=True)
class Source:
    """A column that something depends on.

    table: the key under which the table was given, or else its name as written, folded.
    column: its name; ``*`` stands for all columns of a table whose columns are not known.
    how: identity, transformation or aggregation where it carries value; join, filter, group_by, sort, window
        or conditional where it only decides.
    span: where the column is named, as (start, end) offsets in the text.
    spans: all the places where it is.
    path: which part of a semi-structured column is taken, as ``a.b[0]``; empty for all of it. Where the places take
        different parts, that of the first.
    possible: the text does not say whether this column is meant or another one.
    """

    table: str
    column: str
    how: str
    span: Span
    spans: tuple[Span, ...]
    path: str = ""
    possible: bool = False


@dataclass(slots=True)
class Output:
    """One column that a statement puts out.

    span: its expression.
    detail: only if it was asked for.
    """

    name: str
    values: list[Source]
    conditions: list[Source]
    span: Span
    detail: "Detail | None" = None


@dataclass(slots=True)
class Step:
    """One step on the way of a value: the column ``table.name`` (table is empty for the output of a query without
    name), made by ``expression`` in the manner of ``kind``: same, renamed, computed, aggregated or constant."""

    kind: str
    table: str
    name: str
    expression: str
    span: Span


@dataclass(slots=True)
class Detail:
    """How an output is made, for a person.

    expression: in the normal form.
    kind: as in Step, for the whole way.
    chain: from the first column to this one, along the longest way through the intermediates.
    """

    expression: str
    kind: str
    chain: list[Step]


@dataclass(slots=True)
class Diagnostic:
    """A place where extraction had to guess or gave up.

    code: stable, see docs/sql-support.md.
    level: error, warning or info.
    hint: what to do, or empty.
    """

    code: str
    level: str
    message: str
    span: Span
    hint: str = ""


@dataclass(slots=True)
class Statement:
    """What one statement reads, writes and puts out.

    reads: tables that are read.
    uses: (table, column) of every column that the text refers to, also where it has no effect on an output.
    """

    kind: str
    span: Span
    target: str | None
    outputs: list[Output] = field(default_factory=list)
    row_conditions: list[Source] = field(default_factory=list)
    diagnostics: list[Diagnostic] = field(default_factory=list)
    reads: list[str] = field(default_factory=list)
    uses: set[tuple[str, str]] = field(default_factory=set)


@dataclass(slots=True)
class Link:
    """One dependency of a lasting output on a lasting source, intermediates of the script seen through.

    target: the table written, None for the result of a query.
    output: the column, None where the source decides which rows there are.
    kind: value or condition.
    statement: index of the statement that writes.
    span, spans: where the source column is named, maybe in earlier statements.
    path, possible: as in Source.
    """

    target: str | None
    output: str | None
    table: str
    column: str
    kind: str
    how: str
    span: Span
    spans: tuple[Span, ...]
    statement: int
    path: str = ""
    possible: bool = False


@dataclass(slots=True)
class Extraction:
    """All that was read out of a text.

    statements: in order.
    diagnostics: those of the statements and of what could not be read, in order.
    links: seen through intermediates.
    intermediates: the tables that do not outlive the script.
    dialect: the one it was read in.
    files: the tables that are files, stages or paths.
    """

    statements: list[Statement]
    diagnostics: list[Diagnostic]
    links: list[Link]
    intermediates: list[str]
    dialect: str = "postgresql"
    files: list[str] = field(default_factory=list)
