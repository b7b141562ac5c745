"""Running a procedure on flows instead of values: what flows into each variable, and what decides about it.

Both branches of a condition are taken, a loop's body twice, so that what one round leaves in a variable reaches the
next. A variable that is assigned inside a branch or a loop keeps what it had before as well.
"""

from collections.abc import Callable

from jalan.lineage.dynamic_sql import constant, query_of_text, statements_of_text
from jalan.lineage.flow import copy_flow, merge
from jalan.lineage.model import CONDITIONAL, IDENTITY, TRANSFORMATION
from jalan.lineage.resolve.resolver import Resolver
from jalan.lineage.resolve.scope import Flow, Made, Relation, Scope
from jalan.sql import tree
from jalan.sql.grammar.script import Unread

Emit = Callable[[tree.StatementNode, "Procedure"], None]


class Procedure:
    """One run of a body. ``resolver`` holds the variables; ``emit`` takes the statements that are not procedural,
    None where only the result is asked for. ``puts_out``: a bare query is a result for the caller of the script,
    rather than what the function returns. ``result_table``: the table variable that a function returns."""

    result_table: str | None = None

    def __init__(self, resolver: Resolver, emit: Emit | None, puts_out: bool = False) -> None:
        self.resolver = resolver
        self.result = Relation([], {}, {}, [])
        self.context: Flow = {}
        self._emit = emit
        self._puts_out = puts_out
        self._uncertain = 0
        self._cursors: dict[str, Relation] = {}
        self._types: dict[str, list[str]] = {}
        self._records: dict[str, list[str]] = {}
        self._of_any_row: set[str] = set()  # variables that hold rows of whatever columns
        for name in _GIVEN:
            spelled = resolver.env.spelled(name)
            resolver.env.variables.setdefault(spelled, Made(spelled, {}, {}, (0, 0)))

    @property
    def certain(self) -> bool:
        """Whether the statement that is run now runs in every run of the body."""
        return not self._uncertain and not self.context

    @property
    def variables(self) -> dict[str, Made]:
        """What flows into each variable so far."""
        return self.resolver.env.variables

    def run(self, statements: list[tree.StatementNode]) -> None:
        """Run statements one after the other."""
        for statement in statements:
            self.step(statement)

    def step(self, node: tree.StatementNode) -> None:
        """Run one statement."""
        handler = STEPS.get(type(node))
        if handler is not None:
            handler(self, node)
        elif isinstance(node, tree.Insert) and self.result_table in node.target.parts:
            written = self.resolver.dml.written(node)
            self._add_result(Relation(written.columns, written.rows, {}, []))
        else:
            if self._emit is not None:
                self._emit(node, self)
            elif into_variables(node):
                self.receive(node, self.resolver.dml.put_out_alone(node))

    def receive(self, node: tree.StatementNode, found: Relation) -> None:
        """Give the variables behind a RETURNING what it puts out."""
        self._assign_relation(into_variables(node), found)

    @classmethod
    def is_procedural(cls, node: tree.StatementNode) -> bool:
        """Whether a statement is one of those that a run follows itself."""
        return type(node) in STEPS and not (isinstance(node, tree.QueryStatement) and not _assigns(node.query))

    # --- variables -----------------------------------------------------------------------------------

    def assign(self, name: str, made: Made, element: bool = False) -> None:
        """Give a variable, or only an element of it, what flows into it here."""
        made = Made(name, copy_flow(made.values), copy_flow(made.conditions), made.span, (), made.fields, made.text)
        merge(made.conditions, self.context)
        first, _, part = name.partition(".")
        if part:
            record = self.variables.setdefault(self.resolver.env.spelled(first), Made(first, {}, {}, made.span))
            record.fields = record.fields or {}
            name, target = part, record.fields
        else:
            target = self.variables
        name = self.resolver.env.spelled(name)
        before = target.get(name)
        if before is not None and (self._uncertain or element):
            merge(made.values, before.values)
            merge(made.conditions, before.conditions)
            made.text = made.text if made.text == before.text else None
            made.fields = made.fields or before.fields
        target[name] = made

    def _value(self, node: tree.Expression, name: str = "") -> Made:
        made = Made(name, {}, {}, (node.start, node.end))
        self.resolver.expressions.collect(node, self._scope(), made.values, made.conditions, IDENTITY)
        made.text = self.text_of(node)
        return made

    def text_of(self, node: tree.Expression) -> list[tuple[str, int]] | None:
        """Return the constant text of an expression, None if it is not constant."""
        return constant(node, self.resolver.env.text, self.resolver.env.dialect, self._variable)

    def _variable(self, node: tree.Column | tree.Parameter) -> Made | None:
        """The variable that a name or placeholder stands for."""
        if isinstance(node, tree.Column):
            return self.variables.get(node.parts[-1])
        return self.resolver.env.variable(self.resolver.env.text[node.start : node.end])

    def _scope(self) -> Scope:
        return Scope(self.resolver.env.outer)

    def _assign_relation(self, names: list[str], found: Relation, looped: bool = False) -> None:
        """Put rows into variables. looped: into those of a loop, which come to be with it where nobody declares
        them, and then hold rows."""
        columns = found.columns
        name = self.resolver.env.spelled(names[0]) if names else ""
        if looped and name not in self.variables:
            self._of_any_row.add(name)
        declared = self._records.get(name)
        rows = len(columns) > 1 or declared or name in self._of_any_row or (columns and columns[0].name == "*")
        if len(names) == 1 and columns and rows:
            record = Made(names[0], {}, {}, columns[0].span)
            record.fields = {}
            for n, made in enumerate(columns):
                merge(record.values, made.values)
                name = declared[n] if declared is not None and n < len(declared) else made.name
                record.fields[name if made.name != "*" else "*"] = self._with_rows(made, found.rows)
            self.assign(names[0], record)
            return
        for name, made in zip(names, columns, strict=False):
            self.assign(name, self._with_rows(made, found.rows))

    @staticmethod
    def _with_rows(made: Made, rows: Flow) -> Made:
        conditions = copy_flow(made.conditions)
        merge(conditions, rows)
        return Made(made.name, made.values, conditions, made.span, (), made.fields)

    def _declare(self, node: tree.Declare) -> None:
        if node.columns is not None:
            table = tree.TableName(node.start, node.end, (node.names[0],))
            if self._emit is not None:
                self._emit(tree.CreateTable(node.start, node.end, table, node.columns, [], True), self)
            return
        for name in node.parameters or ():
            self.variables.setdefault(name, Made(name, {}, {}, (node.start, node.end)))
        if node.query is not None:
            self._cursors[node.names[0]] = self.resolver.queries.relation(node.query, self.resolver.env.outer)
            return
        self._declare_record(node)
        if node.over is not None:
            found = self._cursors.get(self.resolver.env.spelled(node.over))
            if found is not None:
                self._cursors[node.names[0]] = found
            return
        rows = self._rows_of(node.value)
        if rows is not None:
            self._cursors[node.names[0]] = rows
            if isinstance(node.value, tree.DynamicQuery):
                return
        for name in node.names:
            made = (
                Made(name, {}, {}, (node.start, node.end)) if node.value is None else self._value(node.value, name)
            )
            self.assign(name, made)

    def _rows_of(self, value: tree.Expression | None) -> Relation | None:
        """The rows of a query that a variable is set to, which makes it a result set."""
        if isinstance(value, tree.ScalarQuery):
            return self.resolver.queries.relation(value.query, self._scope())
        if isinstance(value, tree.DynamicQuery):
            return self._rows_of_text(value.text)
        return None

    def _declare_type(self, node: tree.DeclareType) -> None:
        fields = node.fields or self._fields_of_type(node.element, node.rowtype)
        if fields:
            self._types[node.name] = fields

    def _fields_of_type(self, parts: tuple[str, ...], rowtype: bool) -> list[str] | None:
        """The fields of a type of records, or of the rows of a table or cursor."""
        if not parts:
            return None
        if not rowtype:
            return self._types.get(parts[-1])
        cursor = self._cursors.get(parts[-1])
        if cursor is not None:
            return [made.name for made in cursor.columns]
        columns = self.resolver.env.tables.find(parts).columns
        return None if columns is None else list(columns)

    def _declare_record(self, node: tree.Declare) -> None:
        if node.type == ("record",):
            self._of_any_row.update(map(self.resolver.env.spelled, node.names))
        fields = self._fields_of_type(node.type, node.rowtype)
        if not fields or node.value is not None or "*" in fields:
            return
        span = (node.start, node.end)
        for name in node.names:
            self._records[name] = fields
            record = Made(name, {}, {}, span)
            record.fields = {field: Made(field, {}, {}, span) for field in fields}
            self.variables[self.resolver.env.spelled(name)] = record

    def _assign(self, node: tree.Assign) -> None:
        first = node.names[0].partition(".")[0].lower()
        if first == "new" and self.resolver.env.trigger_table is not None and "." in node.names[0]:
            column = node.names[0].partition(".")[2]
            change = tree.Assignment(node.start, node.end, [column], node.value)
            table = self.resolver.env.trigger_table
            if self._emit is not None:
                self._emit(tree.Update(node.start, node.end, None, table, None, [change], [], None, []), self)
            return
        if len(node.names) > 1 and isinstance(node.value, tree.ScalarQuery):
            found = self.resolver.queries.relation(node.value.query, self._scope())
            self._assign_relation(node.names, found)
        elif len(node.names) > 1 and isinstance(node.value, tree.Row):
            for name, item in zip(node.names, node.value.items, strict=False):
                self.assign(name, self._value(item))
        else:
            rows = self._rows_of(node.value)
            if rows is not None:
                self._cursors[self.resolver.env.spelled(node.names[0])] = rows
                if isinstance(node.value, tree.DynamicQuery):
                    return
            for name in node.names:
                self.assign(name, self._value(node.value, name), node.element)

    def _query(self, node: tree.QueryStatement) -> None:
        names = _assigns(node.query)
        if names is None:
            if not self._puts_out:
                self._add_result(self.resolver.queries.relation(node.query, self.resolver.env.outer))
            elif self._emit is not None:
                self._emit(node, self)
            return
        self._assign_relation(names, self.resolver.queries.relation(node.query, self.resolver.env.outer))

    def _fetch(self, node: tree.Fetch) -> None:
        found = self._cursors.get(node.cursor)
        if found is not None:
            self._assign_relation(node.names, found)

    def _unparsed(self, node: tree.Unparsed) -> None:
        self.resolver.env.report(node.code, "error", node.message, node.span)

    # --- control -------------------------------------------------------------------------------------

    def _block(self, node: tree.Block) -> None:
        self.run(node.declarations)
        self.run(node.body)
        if node.handlers:
            self._uncertain += 1
            self.run(node.handlers)
            self._uncertain -= 1

    def _if(self, node: tree.If) -> None:
        before = copy_flow(self.context)
        self._uncertain += 1
        for condition, body in node.branches:
            # A branch is taken where its own condition holds and those before it do not.
            self.resolver.expressions.collect(condition, self._scope(), self.context, self.context, CONDITIONAL)
            self.run(body)
        self.run(node.otherwise)
        self._uncertain -= 1
        if not any(_leaves(body) for body in [*(body for _, body in node.branches), node.otherwise]):
            self.context = before  # otherwise what follows runs only where the branch was not taken

    def _loop(self, node: tree.Loop) -> None:
        before = copy_flow(self.context)
        if node.query is not None:
            found = self.resolver.queries.relation(node.query, self.resolver.env.outer)
            self._assign_relation(node.names, found, looped=True)
            merge(self.context, found.rows)
        elif node.dynamic and node.condition is not None:
            self._run_text(node.condition, node.names, (node.start, node.end))
        elif node.source is not None:
            made = Made(node.names[0], {}, {}, (node.start, node.end))
            named = isinstance(node.source, tree.Column | tree.Call)
            cursor = self._cursors.get(node.source.parts[-1]) if named else None  # type: ignore[attr-defined]
            if cursor is not None:
                self._assign_relation(node.names, cursor, looped=True)
                merge(self.context, cursor.rows)
            else:
                self.resolver.expressions.collect(
                    node.source, self._scope(), made.values, made.conditions, TRANSFORMATION
                )
                for name in node.names:
                    self.assign(name, made)
        elif node.condition is not None:
            self.resolver.expressions.collect(
                node.condition, self._scope(), self.context, self.context, CONDITIONAL
            )
        self._uncertain += 1
        emit, self._emit = self._emit, None
        self.run(node.body)
        self._emit = emit
        self.run(node.body)
        self._uncertain -= 1
        self.context = before

    # --- results, calls, dynamic SQL -----------------------------------------------------------------

    def _return(self, node: tree.Return) -> None:
        if node.query is not None:
            self._add_result(self.resolver.queries.relation(node.query, self.resolver.env.outer))
        elif node.value is not None:
            value = node.value
            if isinstance(value, tree.ScalarQuery):
                self._add_result(self.resolver.queries.relation(value.query, self._scope()))
                return
            name = str(value.parts[-1]) if isinstance(value, tree.Column) else ""
            cursor = self._cursors.get(self.resolver.env.spelled(name)) if name else None
            if cursor is not None:
                self._add_result(cursor)
                return
            record = self.variables.get(name)
            if record is not None and record.fields:
                self._add_result(Relation(list(record.fields.values()), {}, {}, []))
            else:
                self._add_result(Relation([self._value(value, name)], {}, {}, []))
        elif self.resolver.env.returned:
            made = [self.variables[name] for name in self.resolver.env.returned if name in self.variables]
            self._add_result(Relation(made, {}, {}, []))

    def _add_result(self, found: Relation) -> None:
        merge(self.result.rows, found.rows)
        merge(self.result.rows, self.context)
        for n, made in enumerate(found.columns):
            if n == len(self.result.columns):
                self.result.columns.append(Made(made.name, {}, {}, made.span))
            merge(self.result.columns[n].values, made.values)
            merge(self.result.columns[n].conditions, made.conditions)
        self.result.open += found.open

    def _call(self, node: tree.CallRoutine) -> None:
        name = node.parts[-1].lower()
        routine = self.resolver.env.known.get(name)
        if routine is None:
            for argument in node.arguments:
                self._value(argument)
            first = node.parts[0].lower()
            if first.startswith(_HARMLESS) or node.parts[0] in self.variables:
                return  # a package of the database that moves no rows, or a method of a collection
            message = f"“{'.'.join(node.parts)}” is not defined here, so what it does is not followed"
            self.resolver.env.report("not_followed", "warning", message, (node.start, node.end))
            return
        bound = self.resolver.calls.bound(routine, node.arguments, self._scope())
        found = self.resolver.env.result_of(self.resolver.env, routine, bound)
        if node.into:
            self._assign_relation(node.into, found)

    def _execute(self, node: tree.Execute) -> None:
        for argument in node.arguments:
            self._value(argument)
        self._run_text(node.text, node.into, (node.start, node.end))

    def _rows_of_text(self, expression: tree.Expression) -> Relation | None:
        """The rows of a query that is given as text, None if they are not known."""
        query = query_of_text(self.text_of(expression), self.resolver.env.text, self.resolver.env.dialect)
        return None if query is None else self.resolver.queries.relation(query, self.resolver.env.outer)

    def _run_text(self, expression: tree.Expression, into: list[str], span: tuple[int, int]) -> None:
        """Run the statements that a constant text holds; another text is reported where it stands."""
        pieces = self.text_of(expression)
        if pieces is None:
            self.resolver.env.report(
                "dynamic_sql",
                "warning",
                "this statement is put together while it runs; what it does is not known",
                (expression.start, expression.end),
                "write it as constant text, or declare its links",
            )
            return
        for node in statements_of_text(pieces, self.resolver.env.text, self.resolver.env.dialect):
            if isinstance(node, Unread):
                self.resolver.env.report(node.code, "error", node.message, node.span)
            elif into and isinstance(node, tree.QueryStatement):
                self._assign_relation(into, self.resolver.queries.relation(node.query, self.resolver.env.outer))
            else:
                self.step(node)


STEPS: dict[type[tree.StatementNode], Callable[..., None]] = {
    tree.Declare: Procedure._declare,
    tree.DeclareType: Procedure._declare_type,
    tree.Assign: Procedure._assign,
    tree.Prepare: Procedure._assign,
    tree.QueryStatement: Procedure._query,
    tree.Fetch: Procedure._fetch,
    tree.Unparsed: Procedure._unparsed,
    tree.Block: Procedure._block,
    tree.If: Procedure._if,
    tree.Loop: Procedure._loop,
    tree.Return: Procedure._return,
    tree.CallRoutine: Procedure._call,
    tree.Execute: Procedure._execute,
}


def into_variables(node: tree.StatementNode) -> list[str]:
    """The variables that take what a change puts out, none for other statements."""
    return getattr(node, "into_variables", None) or []


def _leaves(body: list[tree.StatementNode]) -> bool:
    """Whether statements end a loop, its round, or the procedure."""
    return any(
        isinstance(node, tree.Return)
        or (isinstance(node, tree.Recognised) and node.kind in _LEAVING)
        or (isinstance(node, tree.Block) and _leaves(node.body))
        for node in body
    )


# Variables that the database sets.
_GIVEN = (
    "found",
    "sqlstate",
    "sqlerrm",
    "sqlcode",
    "row_count",
    "tg_op",
    "tg_name",
    "tg_when",
    "tg_level",
    "tg_relid",
    "tg_table_name",
    "tg_table_schema",
    "tg_nargs",
    "tg_argv",
    "tg_event",
    "tg_tag",
    "inserting",
    "updating",
    "deleting",
)
# Packages that come with the database and write no tables of anybody's.
_HARMLESS = ("dbms_", "utl_", "raise_application_error", "htp", "owa_")
_LEAVING = frozenset({"exit", "continue", "leave", "iterate", "break", "raise", "throw", "goto", "signal"})


def _assigns(query: tree.Query) -> list[str] | None:
    """Return the variables that a query puts its columns into, None if it puts them out."""
    body = query.body
    while isinstance(body, tree.SetOperation):
        body = body.left
    if not isinstance(body, tree.Select):
        return None
    if body.into_variables is not None:
        return body.into_variables
    if body.into is not None:
        return [".".join(body.into.parts)]
    names = [item.alias for item in body.items]
    if names and all(name is not None and name.startswith("@") for name in names):
        return [name for name in names if name is not None]
    return None
