"""A whole script, statement by statement, in the state of the tables at each point."""

from collections.abc import Iterable, Mapping, Sequence

from jalan.lineage.changes import ChangeResolver, Written
from jalan.lineage.extraction import Diagnostic, Extraction, Output, Source, Statement
from jalan.lineage.scope import Flow, Made
from jalan.lineage.tables import KnownTables, TableState
from jalan.lineage.through import Storage, see_through
from jalan.sql import tree
from jalan.sql.dialect import Dialect
from jalan.sql.dialects import get_dialect
from jalan.sql.statements import Unread, parse

# Statements that may move data in a way that is not followed (yet); to pass over them in silence would be a lie.
_NOT_FOLLOWED = frozenset(
    {"create_function", "create_procedure", "create_trigger", "call", "do", "execute", "copy"}
)


def extract(
    sql: str,
    *,
    dialect: str = "postgresql",
    tables: Mapping[str, Sequence[str]] | KnownTables | None = None,
    search_path: Iterable[str] | None = None,
) -> Extraction:
    """Read the lineage out of SQL text.

    sql: any number of statements. dialect: see docs/sql-support.md. tables: table name (``"schema.table"`` or
    ``"table"``) → its column names in order; unknown tables are allowed, their columns are inferred from use and
    a diagnostic says so. search_path: the schemas in which unqualified names are looked up, in order (default:
    the dialect's own).

    Never raises on bad SQL: what cannot be read becomes a diagnostic, and the other statements are still read.
    Raises UnknownDialect.

    >>> found = extract("select port, sum(fare) as gross from tickets where paid group by port",
    ...                 tables={"tickets": ["port", "fare", "paid"]})
    >>> [(o.name, [(s.column, s.how) for s in o.values]) for o in found.statements[0].outputs]
    [('port', [('port', 'identity')]), ('gross', [('fare', 'aggregation')])]
    >>> [(s.column, s.how) for s in found.statements[0].row_conditions]
    [('paid', 'filter'), ('port', 'group_by')]
    """
    rules = get_dialect(dialect)
    known = tables if isinstance(tables, KnownTables) else KnownTables(tables or {})
    path = rules.default_schemas if search_path is None else tuple(search_path)
    return _ScriptReader(sql, rules, TableState(known, path)).read()


class _ScriptReader:
    def __init__(self, sql: str, dialect: Dialect, tables: TableState) -> None:
        self._sql = sql
        self._dialect = dialect
        self._tables = tables
        self._statements: list[Statement] = []
        self._storages: dict[str, Storage] = {}
        self._bindings: list[dict[str, Storage]] = []

    def read(self) -> Extraction:
        diagnostics = []
        for node in parse(self._sql, self._dialect):
            if isinstance(node, Unread):
                hint = _HINTS.get(node.code, "")
                diagnostics.append(Diagnostic(node.code, "error", node.message, node.span, hint))
                continue
            try:
                self._statement(node)
            except RecursionError:
                span = (node.start, node.end)
                message = "nested too deeply to be resolved"
                diagnostics.append(Diagnostic("too_deep", "error", message, span, _HINTS["too_deep"]))
        for statement in self._statements:
            diagnostics += statement.diagnostics
        diagnostics.sort(key=lambda d: d.span)
        intermediates = list(
            dict.fromkeys(s.key for bound in self._bindings for s in bound.values() if s.intermediate)
        )
        links = see_through(self._statements, self._bindings)
        return Extraction(self._statements, diagnostics, links, intermediates)

    def _statement(self, node: tree.Statement) -> None:
        if isinstance(node, _FLOWING):
            self._flowing(node)
            return
        span = (node.start, node.end)
        found = Statement("other", span, None)
        if isinstance(node, tree.CreateTable):
            found.kind = "create_table"
            columns = [c for name in node.like for c in self._tables.find(name.parts).columns or ()]
            table = self._tables.make(node.target.parts, columns + node.columns or None, node.temporary)
            found.target = table.key
            found.outputs = [Output(name, [], [], span) for name in table.columns or ()]
            self._create(table.key, node.temporary)
        elif isinstance(node, tree.Drop):
            found.kind = f"drop_{node.kind}"
            for name in node.targets:
                self._drop(name)
            found.target = ".".join(node.targets[0].parts)
        elif isinstance(node, tree.Truncate):
            found.kind = "truncate"
            found.target = self._tables.find(node.targets[0].parts).key
        elif isinstance(node, tree.Alter):
            found.kind = f"alter_{node.kind}"
            found.target = self._tables.find(node.target.parts).key
            for action in node.actions:
                self._alter(node.target.parts, action)
        elif isinstance(node, tree.SetSearchPath):
            found.kind = "set"
            self._tables.search_path = tuple(node.schemas)
        elif isinstance(node, tree.Recognised):
            found.kind = node.kind
            if node.kind in _NOT_FOLLOWED:
                message = f"{node.kind.replace('_', ' ').upper()} is recognised, its data flow is not followed"
                found.diagnostics.append(Diagnostic("not_followed", "warning", message, span))
        self._statements.append(found)
        self._bindings.append({})

    def _flowing(self, node: tree.Statement) -> None:
        resolver = ChangeResolver(self._dialect, self._tables, self._sql)
        resolver.inner = []
        outer = resolver.written(node)
        for written in [*resolver.inner, outer]:
            found = _statement_of(written)
            found.reads = list(resolver.reads)
            if written is outer:
                found.diagnostics = resolver.diagnostics
                found.uses = resolver.uses
            made = isinstance(written.node, tree.CreateTableAs | tree.CreateView)
            bound = {}
            for key in found.reads:
                if key in self._storages:
                    bound[key] = self._storages[key]
            if written.target is not None:
                if made:
                    self._create(written.target.key, written.target.temporary)
                if written.target.key in self._storages:
                    bound[""] = self._storages[written.target.key]
            self._statements.append(found)
            self._bindings.append(bound)

    # --- the life of tables that the script makes ----------------------------------------------------

    def _create(self, key: str, temporary: bool) -> None:
        self._storages[key] = Storage(key, temporary)

    def _drop(self, name: tree.TableName) -> None:
        key = self._tables.find(name.parts).key
        storage = self._storages.pop(key, None)
        if storage is not None:
            storage.intermediate = True
        self._tables.drop(name.parts)

    def _alter(self, parts: tuple[str, ...], action: tree.AlterAction) -> None:
        table = self._tables.find(parts)
        if action.action in ("rename", "set_schema"):
            assert action.new is not None
            new = (*parts[:-1], action.new) if action.action == "rename" else (action.new, parts[-1])
            before, after = self._tables.rename(parts, new)
            storage = self._storages.pop(before.key, None)
            # What had no storage here was made before the script: under its new name it is still that table.
            self._storages[after.key] = storage or Storage(before.key, False, made_here=False)
            if storage is not None:
                storage.key = after.key
            return
        if table.columns is None:
            return
        columns = list(table.columns)
        if action.action == "add_column" and action.new is not None:
            columns.append(action.new)
        elif action.action == "drop_column" and action.old in columns:
            columns.remove(action.old)
        elif action.action == "rename_column" and action.old in columns and action.new is not None:
            columns[columns.index(action.old)] = action.new
            storage = self._storages.get(table.key)
            if storage is not None:
                storage.renamed[action.old] = action.new
        else:
            return
        self._tables.make(parts, columns, table.temporary)


_HINTS = {
    "syntax_error": "the statement is left out, the others are read",
    "unterminated": "everything from here to the end of the text is left out",
    "too_deep": "the statement is left out, the others are read",
}
_FLOWING = (
    tree.QueryStatement,
    tree.CreateTableAs,
    tree.CreateView,
    tree.Insert,
    tree.Update,
    tree.Delete,
    tree.Merge,
)


def _statement_of(written: Written) -> Statement:
    node = written.node
    target = None if written.target is None else written.target.key
    found = Statement(written.kind, (node.start, node.end), target)
    found.outputs = [_output(made) for made in written.columns]
    found.row_conditions = sources(written.rows)
    return found


def _output(made: Made) -> Output:
    return Output(made.name, sources(made.values), sources(made.conditions), made.span)


def sources(flow: Flow) -> list[Source]:
    """Return a flow as the stable face shows it."""
    found = []
    for (table, column, how), places in flow.items():
        spans = tuple(places)
        found.append(Source(table, column, how, spans[0], spans))
    return found
