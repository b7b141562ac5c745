"""A whole script, statement by statement, in the state of the tables at each point."""

import logging
from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Any

from jalan.collecting import seldom_collecting
from jalan.lineage.derivation import Tracer
from jalan.lineage.flow import merge
from jalan.lineage.hints import HINTS
from jalan.lineage.intermediates import Storage, see_through
from jalan.lineage.interpret.procedures import Procedure, into_variables
from jalan.lineage.interpret.routines import result_of
from jalan.lineage.interpret.table_changes import TableChanges
from jalan.lineage.model import IDENTITY, Diagnostic, Extraction, Output, Source, Statement
from jalan.lineage.resolve.environment import Environment
from jalan.lineage.resolve.resolver import Resolver
from jalan.lineage.resolve.scope import Entry, Flow, Made, Mark, Relation, Scope
from jalan.lineage.resolve.written import Written
from jalan.lineage.tables import KnownTables, Table, TableState
from jalan.sql import tree
from jalan.sql.dialects import get_dialect
from jalan.sql.dialects.detection import guess_dialect
from jalan.sql.dialects.dialect import Dialect
from jalan.sql.grammar.script import Unread, internal_error, parse, statements_of
from jalan.sql.lexer import Tokens
from jalan.sql.source_map import tokens_of
from jalan.sql.templates import Problem, render

logger = logging.getLogger(__name__)

# Statements that may move data in a way that is not followed (yet); to pass over them in silence would be a lie.
_NOT_FOLLOWED = frozenset(
    {
        "create_function",
        "create_procedure",
        "create_trigger",
        "call",
        "do",
        "execute",
        "copy",
        "insert_execute",
        "exec",
        "create_pipe",
    }
)


def extract(
    sql: str,
    *,
    dialect: str = "postgresql",
    tables: Mapping[str, Sequence[str]] | KnownTables | None = None,
    search_path: Iterable[str] | None = None,
    variables: Mapping[str, Any] | None = None,
    calls: Mapping[str, str] | None = None,
    detail: bool = False,
) -> Extraction:
    """Read the lineage out of SQL text.

    sql: any number of statements. dialect: see docs/sql-support.md. tables: table name (``"schema.table"`` or
    ``"table"``) → its column names in order; unknown tables are allowed, their columns are inferred from use and
    a diagnostic says so. search_path: the schemas in which unqualified names are looked up, in order (default:
    the dialect's own).

    dialect ``auto`` guesses; ``Extraction.dialect`` and a diagnostic say what. variables, calls: if either is
    given, the text is a template that is filled in first (see ``sql.templates``); places still point into the
    text as written. detail: give every output its ``Detail``.

    Never raises on bad SQL: what cannot be read becomes a diagnostic, and the other statements are still read.
    Raises UnknownDialect.

    >>> found = extract("select port, sum(fare) as gross from tickets where paid group by port",
    ...                 tables={"tickets": ["port", "fare", "paid"]})
    >>> [(o.name, [(s.column, s.how) for s in o.values]) for o in found.statements[0].outputs]
    [('port', [('port', 'identity')]), ('gross', [('fare', 'aggregation')])]
    >>> [(s.column, s.how) for s in found.statements[0].row_conditions]
    [('paid', 'filter'), ('port', 'group_by')]
    """
    if dialect != "auto":
        get_dialect(dialect)  # an unknown one is the caller's mistake, not the text's
    try:
        with seldom_collecting:
            return _extract(sql, dialect, tables, search_path, variables, calls, detail)
    except Exception as error:  # outside any statement: the whole text is reported
        logger.exception("a text of %d characters cannot be read", len(sql))
        found = internal_error(error, 0, len(sql))
        problem = Diagnostic(found.code, "error", found.message, found.span, HINTS[found.code])
        return Extraction([], [problem], [], [], dialect)


def _extract(
    sql: str,
    dialect: str,
    tables: Mapping[str, Sequence[str]] | KnownTables | None,
    search_path: Iterable[str] | None,
    variables: Mapping[str, Any] | None,
    calls: Mapping[str, str] | None,
    detail: bool,
) -> Extraction:
    diagnostics: list[Diagnostic] = []
    pieces = None
    if variables is not None or calls is not None:
        rendered = render(sql, variables or {}, calls or {})
        pieces = rendered.pieces
        diagnostics += [_template_problem(problem) for problem in rendered.problems]
    if dialect == "auto":
        guess = guess_dialect(sql if pieces is None else "".join(piece.text for piece in pieces))
        dialect = guess.dialect
        message = f"read as {dialect}: {', '.join(guess.reasons)}"
        hint = "name the dialect if that is wrong"
        diagnostics.append(Diagnostic("guessed_dialect", "info", message, (0, 0), hint))
    rules = get_dialect(dialect)
    known = tables if isinstance(tables, KnownTables) else KnownTables(tables or {})
    path = rules.default_schemas if search_path is None else tuple(search_path)
    tokens = None if pieces is None else tokens_of(pieces, sql, rules)
    found = _ScriptReader(sql, rules, TableState(known, path, rules), tokens, detail).read()
    if diagnostics:
        found.diagnostics = sorted(diagnostics + found.diagnostics, key=lambda d: d.span)
    found.dialect = rules.name
    return found


def _template_problem(problem: Problem) -> Diagnostic:
    if problem.code == "template_error":
        return Diagnostic("template_error", "error", problem.message, (problem.start, problem.end))
    hint = "give it in the file of variables"
    return Diagnostic("undefined_variable", "warning", problem.message, (problem.start, problem.end), hint)


class _ScriptReader:
    def __init__(self, sql: str, dialect: Dialect, tables: TableState, tokens: Tokens | None, detail: bool) -> None:
        self._sql = sql
        self._dialect = dialect
        self._tables = tables
        self._tokens = tokens
        self._tracer = Tracer(dialect, sql) if detail else None
        self._idle: list[Resolver] = []  # to make one takes longer than to resolve a short query
        self._statements: list[Statement] = []
        self._changes = TableChanges(tables)
        self._bindings: list[dict[str, Storage]] = []
        self._replacing: set[int] = set()
        self._routines: dict[str, tree.Routine] = {}
        self._waiting: dict[str, tree.Routine] = {}
        self._main: Procedure | None = None

    def _parsed(self) -> Iterator[tree.StatementNode | Unread]:
        assert self._tokens is not None
        return statements_of(self._tokens, self._dialect)

    def read(self) -> Extraction:
        diagnostics = []
        for node in parse(self._sql, self._dialect) if self._tokens is None else self._parsed():
            if isinstance(node, Unread):
                hint = HINTS[node.code]
                diagnostics.append(Diagnostic(node.code, "error", node.message, node.span, hint))
                continue
            try:
                self._statement(node)
            except RecursionError:
                span = (node.start, node.end)
                message = "nested too deeply to be resolved"
                diagnostics.append(Diagnostic("too_deep", "error", message, span, HINTS["too_deep"]))
            except Exception as error:
                diagnostics.append(self._fault(error, node))
        for routine in list(self._waiting.values()):
            # A trigger's function that no trigger of this script runs: what it writes is known, not from which
            # table.
            try:
                self._run_routine(routine, self._add("create_function", routine), None)
            except Exception as error:
                diagnostics.append(self._fault(error, routine))
        for statement in self._statements:
            diagnostics += statement.diagnostics
        for diagnostic in diagnostics:
            diagnostic.hint = diagnostic.hint or HINTS[diagnostic.code]
        diagnostics.sort(key=lambda d: d.span)
        intermediates = list(
            dict.fromkeys(s.key for bound in self._bindings for s in bound.values() if s.intermediate)
        )
        links, faults = see_through(self._statements, self._bindings, self._replacing)
        for index, fault in faults:
            diagnostics.append(self._fault(fault, tree.Node(*self._statements[index].span)))
        return Extraction(
            self._statements, diagnostics, links, intermediates, files=list(map(str, self._tables.files))
        )

    def _fault(self, error: Exception, node: tree.Node) -> Diagnostic:
        """A fault of ours: the statement is reported and left out, the others are still read."""
        logger.error("a statement at offset %d cannot be resolved", node.start, exc_info=error)
        found = internal_error(error, node.start, node.end)
        return Diagnostic(found.code, "error", found.message, found.span, HINTS[found.code])

    def _statement(self, node: tree.StatementNode, procedure: Procedure | None = None) -> None:
        """Take one statement; ``procedure`` is the run that it stands in."""
        if isinstance(node, tree.Wrapped):
            self._add(node.kind, node)
            self._statement(node.body, procedure)
        elif isinstance(node, tree.Routine):
            self._routine(node, procedure)
        elif isinstance(node, FLOWING) and not (procedure is None and Procedure.is_procedural(node)):
            self._flowing(node, procedure or self._main)
        elif Procedure.is_procedural(node):
            self._procedural(node)
        else:
            self._definition(node)

    def _add(self, kind: str, node: tree.Node, target: str | None = None) -> Statement:
        found = Statement(kind, (node.start, node.end), target)
        self._statements.append(found)
        self._bindings.append({})
        return found

    def _definition(self, node: tree.StatementNode) -> None:
        """A statement that makes, changes or drops a table, or that moves no data."""
        if isinstance(node, tree.CreateTable):
            self._create_table(node)
        elif isinstance(node, tree.Drop):
            self._add(f"drop_{node.kind}", node, ".".join(map(str, node.targets[0].parts)))
            for name in node.targets:
                self._changes.drop(name)
        elif isinstance(node, tree.Truncate):
            self._add("truncate", node, self._tables.find(node.targets[0].parts).key)
        elif isinstance(node, tree.Alter):
            found = self._add(f"alter_{node.kind}", node, self._tables.find(node.target.parts).key)
            for action in node.actions:
                if action.action in ("attach", "exchange", "switch"):
                    self._moved_partition(node, action, found)
                else:
                    self._changes.alter(node.target.parts, action)
        elif isinstance(node, tree.RenameTables):
            self._add("rename_table", node, self._tables.find(node.pairs[0][0].parts).key)
            self._changes.rename_all(node)
        elif isinstance(node, tree.SetSearchPath):
            self._add("set", node)
            self._tables.search_path = tuple(node.schemas)
        elif isinstance(node, tree.Use):
            self._add("use", node)
            self._tables.use(node.parts)
        else:
            assert isinstance(node, tree.Recognised), type(node)
            self._recognised(node)

    def _recognised(self, node: tree.Recognised) -> None:
        found = self._add(node.kind, node)
        if node.kind in _NOT_FOLLOWED:
            message = f"{node.kind.replace('_', ' ').upper()} is recognised, its data flow is not followed"
            found.diagnostics.append(Diagnostic("not_followed", "warning", message, found.span))

    def _create_table(self, node: tree.CreateTable) -> None:
        span = (node.start, node.end)
        source = node.clone or node.location
        columns = [c for name in node.like for c in self._tables.find(name.parts).columns or ()] + node.columns
        if node.clone is not None:
            columns = list(self._tables.find(node.clone.parts).columns or ())
        table = self._tables.make(node.target.parts, columns or None, node.temporary)
        self._changes.create(table.key, node.temporary)
        if source is None:
            found = self._add("create_table", node, table.key)
            found.outputs = [Output(str(name), [], [], span) for name in table.columns or ()]
        else:
            # A clone takes the rows too, and an external table shows those of its files.
            self._copied(node, table, source, "create_table_clone" if node.clone else "create_external_table")

    def _copied(self, node: tree.StatementNode, table: Table, source: tree.TableName, kind: str) -> None:
        """Every column of one table from the column of the same name of another one."""
        origin = self._tables.find(source.parts)
        span = (source.start, source.end)
        found = self._add(kind, node, table.key)
        found.reads = [str(origin.key)]
        for name in table.columns or origin.columns or ("*",):
            column = origin.lookup.get(name, name)
            found.outputs.append(
                Output(str(name), [Source(str(origin.key), str(column), IDENTITY, span, (span,))], [], span)
            )
        bound = {key: self._changes.storages[key] for key in found.reads if key in self._changes.storages}
        if table.key in self._changes.storages:
            bound[""] = self._changes.storages[table.key]
        self._bindings[-1] = bound

    def _moved_partition(self, node: tree.Alter, action: tree.AlterAction, found: Statement) -> None:
        """A partition that is attached, switched or exchanged brings its rows along."""
        assert action.table is not None
        table, other = self._tables.find(node.target.parts), self._tables.find(action.table.parts)
        self._statements.pop()
        self._bindings.pop()
        if action.action == "switch":
            self._copied(node, other, node.target, found.kind)
            return
        self._copied(node, table, action.table, found.kind)
        if action.action == "exchange":
            self._copied(node, other, node.target, found.kind)

    # --- statements with a data flow -----------------------------------------------------------------

    def _resolver(self) -> Resolver:
        if self._idle:
            resolver = self._idle.pop()
            resolver.env.begin()
        else:
            resolver = Resolver(Environment(self._dialect, self._tables, self._sql, result_of))
            resolver.env.tracer = self._tracer
        if self._routines:
            resolver.calls.follow(self._routines)
        return resolver

    def _flowing(self, node: tree.StatementNode, procedure: Procedure | None) -> None:
        resolver = self._resolver()
        if procedure is not None:
            around = procedure.resolver
            resolver.env.variables = around.env.variables
            resolver.env.outer = around.env.outer
            resolver.env.ctes = around.env.ctes
            resolver.env.trigger_table = around.env.trigger_table
        outer = resolver.dml.written(node)
        if procedure is not None and into_variables(node):
            procedure.receive(node, resolver.dml.put_out(node, outer))
        for written in [*resolver.env.inner, outer, *resolver.env.after]:
            if procedure is not None:
                merge(written.rows, procedure.context)
            found = _statement_of(written)
            if self._tracer is not None:
                self._tracer.explain(written.columns, found)
            found.reads = list(map(str, resolver.env.reads))
            if written is outer:
                found.diagnostics = resolver.env.diagnostics
                found.uses = {(str(table), str(column)) for table, column in resolver.env.uses}
            made = isinstance(written.node, tree.CreateTableAs | tree.CreateView)
            storages = self._changes.storages
            bound = {key: storages[key] for key in _tables_of(found, storages) if key in storages}
            if written.target is not None:
                if made:
                    self._changes.create(written.target.key, written.target.temporary)
                if written.target.key in storages:
                    bound[""] = storages[written.target.key]
                    if not made:  # its own columns may be read where it is changed
                        bound.setdefault(str(written.target.key), bound[""])
            if written is outer and (procedure is None or procedure.certain) and self._of_all_rows(node):
                self._replacing.add(len(self._statements))
            self._statements.append(found)
            self._bindings.append(bound)
        self._idle.append(resolver)

    def _of_all_rows(self, node: tree.StatementNode) -> bool:
        """Whether a change gives every row of its table new values, or takes every row away."""
        if not isinstance(node, tree.Update | tree.Delete) or node.limit:
            return False
        where = node.where
        if where is not None and self._sql[where.start : where.end].lower() != "true":
            return False
        if node.source and not (
            node.joined and len(node.source) == 1 and isinstance(node.source[0], tree.TableSource)
        ):
            return False
        return isinstance(node, tree.Delete) or not any(assignment.part for assignment in node.assignments)

    # --- procedures ----------------------------------------------------------------------------------

    def _procedural(self, node: tree.StatementNode) -> None:
        """A block, condition, loop or assignment outside any procedure; its variables last as long as the
        script."""
        if self._main is None:
            self._main = Procedure(self._resolver(), self._statement, puts_out=True)
        main = self._main
        main.resolver.calls.follow(self._routines)
        kind = _KINDS.get(type(node), "block")
        if isinstance(node, tree.Block) and not node.body and not node.handlers:
            kind = "declare"
        found = self._add(kind, node)
        self._run(main, [node], found)

    def _run(self, run: Procedure, body: list[tree.StatementNode], found: Statement) -> None:
        resolver = run.resolver
        before = len(resolver.env.diagnostics)
        run.run(body)
        found.diagnostics += resolver.env.diagnostics[before:]
        found.uses |= {(str(table), str(column)) for table, column in resolver.env.uses}
        found.reads += [str(key) for key in resolver.env.reads if str(key) not in found.reads]

    def _routine(self, node: tree.Routine, around: Procedure | None = None) -> None:
        found = self._add("do" if node.kind == "do" else f"create_{node.kind}", node)
        if node.problem is not None:
            message, start, end = node.problem
            hint = "what it does is not followed"
            found.diagnostics.append(Diagnostic("routine_not_read", "warning", message, (start, end), hint))
            return
        if node.kind in ("trigger", "rule"):
            self._trigger(node, found)
            return
        if node.parts:
            self._routines[node.parts[-1].lower()] = node
        if node.returns_trigger:
            self._waiting[node.parts[-1].lower()] = node
            return
        self._run_routine(node, found, None, around)

    def _run_routine(
        self,
        node: tree.Routine,
        found: Statement,
        table: tree.TableName | None,
        around: Procedure | None = None,
    ) -> None:
        """Run a routine; what stands around it, a package or a block, has variables that it sees."""
        resolver = self._resolver()
        if around is not None:
            resolver.env.variables = dict(around.variables)
        # In a body of plain SQL what is given back has no name.
        is_plain = node.language == "sql"
        taken = [name for name, mode in node.parameters if not (is_plain and mode == "out")]
        for n, name in enumerate(taken):
            made = Made(name, {}, {}, (node.start, node.start))
            resolver.env.variables[name] = resolver.env.variables[resolver.env.spelled(f"${n + 1}")] = made
        returned = [] if is_plain else [*(node.returns or [])]
        for name in [*returned, *([node.result] if node.result else [])]:
            resolver.env.variables.setdefault(name, Made(name, {}, {}, (node.start, node.start)))
        if node.result is not None and node.returns is not None:
            self._changes.create(self._tables.make((node.result,), node.returns, True).key, True)
        resolver.env.returned = list(node.returns or [])
        resolver.env.trigger_table = table
        self._bind_rows(resolver, table, node)
        run = Procedure(
            resolver, self._statement, puts_out=self._dialect.procedures_put_out and node.kind == "procedure"
        )
        self._run(run, node.body, found)
        if node.returns_trigger or node.kind in _WITHOUT_RESULT:
            return
        found.outputs = [_output(made) for made in run.result.columns]
        for n, name in enumerate(node.returns or []):
            if n < len(found.outputs):
                found.outputs[n].name = str(name)
        found.row_conditions = sources(run.result.rows)

    def _bind_rows(self, resolver: Resolver, table: tree.TableName | None, node: tree.Routine) -> None:
        """Let NEW and OLD, INSERTED and DELETED stand for rows of the table whose trigger runs."""
        if not (node.returns_trigger or node.kind in ("trigger", "rule")):
            return
        scope = Scope(None)
        for word in ("new", "old", "inserted", "deleted"):
            name = resolver.env.spelled(word)
            if table is None:
                scope.add(Entry(name, (), None, {}, [], rest=Made("", {}, {}, (node.start, node.start))))
                continue
            entry = resolver.from_clause.table_entry(table, name, None)
            scope.add(entry)
            columns = [
                Made(column, {(entry.key or "", own, IDENTITY): {(table.start, table.end): None}}, {}, (0, 0))
                for column, own in entry.order
                if isinstance(own, str)
            ]
            resolver.env.ctes[name] = Relation(columns, {}, {}, list(entry.open))
        resolver.env.outer = scope

    def _trigger(self, node: tree.Routine, found: Statement) -> None:
        if node.calls is not None:
            name = node.calls[-1].lower()
            function = self._routines.get(name)
            if function is None:
                message = "the function that this trigger runs is not known"
                found.diagnostics.append(Diagnostic("not_followed", "warning", message, found.span))
                return
            self._waiting.pop(name, None)
            self._run_routine(function, found, node.table)
        else:
            self._run_routine(node, found, node.table)


def _tables_of(statement: Statement, storages: Mapping[str, Storage]) -> Iterable[str]:
    """The tables that a statement reads, and those that it has come by through variables."""
    if not storages:
        return ()
    found = dict.fromkeys(statement.reads)
    for output in statement.outputs:
        found.update(dict.fromkeys(source.table for source in (*output.values, *output.conditions)))
    found.update(dict.fromkeys(source.table for source in statement.row_conditions))
    return found


_WITHOUT_RESULT = frozenset({"procedure", "do", "trigger", "rule", "package_body", "type_body"})
FLOWING = (
    tree.QueryStatement,
    tree.CreateTableAs,
    tree.CreateView,
    tree.Insert,
    tree.MultiInsert,
    tree.Copy,
    tree.Update,
    tree.Delete,
    tree.Merge,
)
_KINDS: dict[type[tree.StatementNode], str] = {
    tree.Declare: "declare",
    tree.DeclareType: "declare",
    tree.Assign: "set",
    tree.Prepare: "prepare",
    tree.QueryStatement: "select",
    tree.If: "if",
    tree.Loop: "loop",
    tree.Return: "return",
    tree.Fetch: "fetch",
    tree.Unparsed: "unparsed",
    tree.Execute: "execute",
    tree.CallRoutine: "call",
}


def _statement_of(written: Written) -> Statement:
    node = written.node
    target = None if written.target is None else str(written.target.key)
    found = Statement(written.kind, (node.start, node.end), target)
    found.outputs = [_output(made) for made in written.columns]
    found.row_conditions = sources(written.rows)
    return found


def _output(made: Made) -> Output:
    values, conditions = made.values, made.conditions
    return Output(
        str(made.name), sources(values) if values else [], sources(conditions) if conditions else [], made.span
    )


def sources(flow: Flow) -> list[Source]:
    """Return a flow as the stable face shows it."""
    found = []
    for (table, column, how), places in flow.items():
        spans = tuple(places)
        source = Source(str(table), str(column), how, spans[0], spans)
        for mark in places.values():
            if mark is not None:
                _mark(source, list(places.values()))
                break
        found.append(source)
    return found


def _mark(source: Source, marks: list[Mark | None]) -> None:
    """Say of a source which part it is, and whether it is only possible: if it is so everywhere."""
    source.path = next(mark[0] for mark in marks if mark is not None)
    source.possible = all(mark is not None and mark[1] for mark in marks)
