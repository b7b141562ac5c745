"""What a statement is resolved in: the tables at its place, the names around it, and what was found out so far."""

from collections.abc import Callable, Collection, Mapping

from jalan.lineage.derivation import Tracer
from jalan.lineage.model import Diagnostic, Span
from jalan.lineage.resolve.functions import special_functions
from jalan.lineage.resolve.scope import Ctes, Made, Relation, Scope, Visible
from jalan.lineage.resolve.written import Written
from jalan.lineage.tables import TableState
from jalan.sql import tree
from jalan.sql.dialects.dialect import Dialect, Folding

ResultOf = Callable[["Environment", tree.Routine, dict[str, Made]], Relation]
"""What a function returns whose parameters hold these values, called in this environment."""


class Environment:
    """The state that all parts of a resolver share.

    Around the statement: dialect, text: of the script.

    tables: those known at this place of the script. variables: of the procedure around it. outer: the scope
        around all statements of a trigger. trigger_table: the table whose trigger this runs in. returned: the
        variables that a bare RETURN puts out. known: the functions that are followed where they are called, by
        their last name. routines: their names, as far as calls may stand in one another; inlined: how many calls
        stand around this statement. special_calls: functions that are looked at by name, those of ``routines``
        among them.
    result_of: follows a call. tracer: notes how outputs are made, if somebody asks.

    At the place that is being resolved:
    ctes: the queries of WITH. piped: the tables that a pipe operator reads.
    current_column: the one that ``COLUMNS(…)`` stands for.
    multiplying: the calls that make many rows of one.
    proposed: the new row behind ON DUPLICATE KEY UPDATE, by column.

    What was found:
    uses: every column that is named. reads: the tables that are read.
    diagnostics: each once for its place.
    inner: the data-modifying statements of WITH clauses, and further targets of statements that have several.
    after: what is written of the rows that a statement has written.
    """

    def __init__(self, dialect: Dialect, tables: TableState, text: str, result_of: ResultOf) -> None:
        self.dialect = dialect
        self.tables = tables
        self.text = text
        self.result_of = result_of
        self.tracer: Tracer | None = None
        self.lower = dialect.folding is Folding.LOWER
        self.upper = dialect.folding is Folding.UPPER
        self.fold = dialect.folding.apply
        self.begin()

    def begin(self) -> None:
        """Begin with another statement of the same script: nothing stands around it, and nothing was found."""
        self.variables: dict[str, Made] = {}
        self.outer: Scope | None = None
        self.trigger_table: tree.TableName | None = None
        self.returned: list[str] = []
        self.known: Mapping[str, tree.Routine] = {}
        self.routines: Collection[str] = ()
        self.inlined = 0
        self.special_calls: Collection[str] = special_functions(self.dialect)
        self.ctes: Ctes = {}
        self.piped: Visible = []
        self.current_column: Made | None = None
        self.multiplying: list[tuple[tree.Call, Scope]] = []
        self.proposed: dict[str, str | Made] | None = None
        self.uses: set[tuple[str, str]] = set()
        self.reads: dict[str, None] = {}
        self.diagnostics: list[Diagnostic] = []
        self.reported: set[tuple[str, Span]] = set()
        self.inner: list[Written] = []
        self.after: list[Written] = []

    def spelled(self, name: str) -> str:
        """Return a name of our own in the dialect's way of comparing names."""
        folding = self.dialect.folding
        return folding.named(folding.apply(name))

    def report(self, code: str, level: str, message: str, span: Span, hint: str = "") -> None:
        """Add a diagnostic, once for the same place."""
        if (code, span) not in self.reported:
            self.reported.add((code, span))
            self.diagnostics.append(Diagnostic(code, level, message, span, hint))

    def variable(self, placeholder: str) -> Made | None:
        """Return the variable that ``@name``, ``:name``, ``$name`` or ``&name`` stands for, if it is one."""
        found = self.variables.get(self.spelled(placeholder))
        return found or self.variables.get(self.spelled(placeholder.lstrip(":@$&")))
