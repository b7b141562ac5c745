"""How an output is made, step by step along the intermediates, for a person to read."""

from dataclasses import dataclass, field, replace

from jalan.lineage.model import Detail, Span, Statement, Step
from jalan.lineage.resolve.scope import Entry, Made
from jalan.sql import tree
from jalan.sql.dialects.dialect import Dialect
from jalan.sql.render.statements import StatementPrinter
from jalan.sql.walk import has_aggregate

_RANK = {"constant": 0, "same": 1, "renamed": 2, "computed": 3, "aggregated": 4}
_LONGEST = 100


@dataclass(slots=True, eq=False)
class Trace:
    """What one column is made of. inputs: (name of the table or query, its column) that its value comes from."""

    kind: str
    expression: str
    span: Span
    inputs: list[tuple[str, str | Made]] = field(default_factory=list)


@dataclass(slots=True, eq=False)
class _Inputs:
    """What went into the column that is being made so far, and what only decided about it."""

    values: list[tuple[str, str | Made]] = field(default_factory=list)
    deciding: list[tuple[str, str | Made]] = field(default_factory=list)


class Tracer:
    """Notes, while select lists are resolved, what each column is made of."""

    def __init__(self, dialect: Dialect, text: str) -> None:
        self._dialect = dialect
        self._printer = StatementPrinter(dialect, text)
        self._stack: list[_Inputs] = []
        self._traces: dict[int, Trace] = {}
        self._kept: list[Made] = []  # so that no other object takes their identity
        self._tables: dict[tuple[str, str], Made] = {}

    def begin(self) -> None:
        """Begin to note what the next column is made of."""
        self._stack.append(_Inputs())

    def touch(self, entry: Entry, column: str | Made, decides: bool) -> None:
        """Note that a column goes into the one that is being made, or only decides about it."""
        if self._stack:
            into = self._stack[-1].deciding if decides else self._stack[-1].values
            into.append((str(entry.key or entry.name), column))

    def take(self, made: Made) -> None:
        """Note that the column of a query without a name goes into the one that is being made."""
        if self._stack:
            self._stack[-1].values.append(("", made))

    def end(self, made: Made, expression: tree.Expression) -> None:
        """Note what a column was made by."""
        noted = self._stack.pop()
        inputs = noted.values or noted.deciding
        if isinstance(expression, tree.Column):
            before = inputs[0][1] if inputs else ""
            name = before.name if isinstance(before, Made) else before
            kind = "same" if str(name).lower() == str(made.name).lower() else "renamed"
        elif has_aggregate(expression, self._dialect.aggregates):
            kind = "aggregated"
        elif not inputs:
            kind = "constant"
        else:
            kind = "computed"
        self._keep(made, Trace(kind, self._printer.print(expression), made.span, inputs))

    def pass_on(self, made: Made, entry: Entry, column: str | Made) -> None:
        """Note a column that a star or a name for a query passes on."""
        name = column.name if isinstance(column, Made) else column
        written: object = name  # see jalan.sql.identifiers
        kind = "same" if made.name == written else "renamed"
        self._keep(made, Trace(kind, str(name), made.span, [(str(entry.key or entry.name), column)]))

    def copy(self, made: Made, original: Made) -> None:
        """Note that a column is another one under the name that a list of columns gives it."""
        trace = self._traces.get(id(original))
        if trace is None:
            return
        written: object = original.name  # see jalan.sql.identifiers
        if trace.kind == "same" and made.name != written:
            trace = replace(trace, kind="renamed")
        self._keep(made, trace)

    def _keep(self, made: Made, trace: Trace) -> None:
        self._kept.append(made)
        self._traces[id(made)] = trace

    def explain(self, columns: list[Made], statement: Statement) -> None:
        """Give the outputs of a statement their details, and keep them for statements that read its target."""
        for made, output in zip(columns, statement.outputs, strict=False):
            if id(made) in self._traces:
                chain = self._chain(made, statement.target or "")
                kind = max((step.kind for step in chain), key=lambda kind: _RANK[kind])
                output.detail = Detail(self._traces[id(made)].expression, kind, chain)
                if statement.target is not None:
                    self._tables[statement.target, str(made.name)] = made

    def _chain(self, made: Made, table: str) -> list[Step]:
        """The longest way to a column, first the column where it begins."""
        steps: list[Step] = []
        current: Made | None = made
        seen: set[int] = set()
        while current is not None and id(current) not in seen and len(steps) < _LONGEST:
            seen.add(id(current))
            trace = self._traces.get(id(current))
            if trace is None:
                break
            steps.append(Step(trace.kind, table, str(current.name), trace.expression, trace.span))
            following: Made | None = None
            first: tuple[str, str] | None = None
            for source, column in trace.inputs:
                inner = column if isinstance(column, Made) else self._tables.get((source, str(column)))
                if inner is not None and id(inner) not in seen:
                    if following is None or self._depth(inner, 0) > self._depth(following, 0):
                        following, table = inner, source
                elif first is None and not isinstance(column, Made):
                    first = (source, str(column))
            if following is None and first is not None:
                steps.append(Step("same", first[0], first[1], first[1], trace.span))
            current = following
        return steps[::-1]

    def _depth(self, made: Made, level: int) -> int:
        trace = self._traces.get(id(made))
        if trace is None or level > 20:
            return 0
        inner = [column for _, column in trace.inputs if isinstance(column, Made)]
        return 1 + max((self._depth(column, level + 1) for column in inner), default=0)
