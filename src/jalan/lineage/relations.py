"""Queries to relations: FROM, select lists, grouping, set operations, common table expressions."""

from jalan.lineage.extraction import FILTER, GROUP_BY, IDENTITY, JOIN, SORT, TRANSFORMATION, Span
from jalan.lineage.flows import FlowCollector, carry, copy_flow, merge
from jalan.lineage.naming import output_name
from jalan.lineage.scope import Entry, Flow, Made, Merged, Reference, Relation, Scope
from jalan.lineage.tables import TableState
from jalan.sql import tree
from jalan.sql.dialect import Dialect

Ctes = dict[str, Relation]
Visible = list[Entry | Merged]


class RelationResolver(FlowCollector):
    """Resolves the queries of one statement against the tables known at its place in the script."""

    def __init__(self, dialect: Dialect, tables: TableState, text: str) -> None:
        super().__init__(dialect)
        self.tables = tables
        self.text = text
        self.reads: dict[str, None] = {}
        self.ctes: Ctes = {}

    def modifying(self, statement: tree.Statement) -> Relation:
        """Resolve a data-modifying statement of a WITH; returns what its RETURNING puts out."""
        raise NotImplementedError

    def relation(self, query: tree.Query, parent: Scope | None) -> Relation:
        before = self.ctes
        if query.ctes is not None:
            self.with_clause(query.ctes, parent)
        body = query.body
        scope: Scope | None = None
        if type(body) is tree.Select:
            found, scope = self._select(body, parent)
        else:
            found = self._body(body, parent)
        if query.order:
            self._order(query, body, found, scope)
        for limit in query.limit:
            self.collect(limit, scope or Scope(parent), found.rows, found.rows, FILTER)
        self.ctes = before
        return found

    def _order(self, query: tree.Query, body: tree.Body, found: Relation, scope: Scope | None) -> None:
        distinct_on = type(body) is tree.Select and bool(body.distinct)
        target = found.rows if query.limit or distinct_on else found.order
        for sort in query.order:
            made = self._output_reference(sort.key, found, prefer_output=True, scope=scope)
            if made is not None:
                carry(target, made.values, SORT)
                merge(target, made.conditions)
            elif scope is not None:
                self.collect(sort.key, scope, target, target, SORT)

    def _output_reference(
        self, key: tree.Expression, found: Relation, prefer_output: bool, scope: Scope | None
    ) -> Made | None:
        """Return the output that a sort or grouping key names by alias or by number."""
        if type(key) is tree.Literal:
            digits = self.text[key.start : key.end]
            if digits.isdigit() and 0 < int(digits) <= len(found.columns):
                return found.columns[int(digits) - 1]
            return None
        if type(key) is tree.Column and len(key.parts) == 1:
            name = key.parts[0]
            if not prefer_output and scope is not None and self._in_scope(name, scope):
                return None
            for made in found.columns:
                if made.name == name:
                    return made
        return None

    @staticmethod
    def _in_scope(name: str, scope: Scope) -> bool:
        for entry in scope.visible:
            if type(entry) is Merged:
                if entry.name == name:
                    return True
            elif isinstance(entry, Entry) and name in entry.columns:
                return True
        return False

    # --- WITH ----------------------------------------------------------------------------------------

    def with_clause(self, clause: tree.With, parent: Scope | None) -> None:
        """Make the queries of a WITH known to what follows."""
        self.ctes = dict(self.ctes)
        for cte in clause.ctes:
            statement = cte.statement
            if not isinstance(statement, tree.Query):
                found = self.modifying(statement)
            elif clause.recursive and isinstance(statement.body, tree.SetOperation):
                found = self._recursive(cte, statement, parent)
            else:
                found = self.relation(statement, parent)
            self.ctes[cte.name] = self._as_cte(cte, found)

    @staticmethod
    def _as_cte(cte: tree.Cte, found: Relation) -> Relation:
        columns = found.columns
        if cte.columns:
            columns = [
                Made(cte.columns[i] if i < len(cte.columns) else made.name, *_parts(made))
                for i, made in enumerate(columns)
            ]
        columns = columns + [Made(name, {}, {}, (cte.start, cte.end)) for name in cte.added]
        return Relation(columns, found.rows, found.order, found.open)

    def _recursive(self, cte: tree.Cte, statement: tree.Query, parent: Scope | None) -> Relation:
        """Start with the arm that does not refer to itself and repeat until nothing more is added."""
        body = statement.body
        assert isinstance(body, tree.SetOperation)
        self.ctes[cte.name] = Relation([], {}, {}, [])
        quiet = list(self.diagnostics)
        first = tree.Query(statement.start, statement.end, statement.ctes, body.left, [], [])
        seed = self.relation(first, parent)
        found = seed
        for _ in range(len(seed.columns) + 2):
            self.ctes[cte.name] = self._as_cte(cte, found)
            before = _size(found)
            self.diagnostics = list(quiet)
            again = self.relation(statement, parent)
            _unite(again, found)
            found = again
            if _size(found) == before:
                break
        return found

    # --- bodies --------------------------------------------------------------------------------------

    def _body(self, body: tree.Body, parent: Scope | None) -> Relation:
        if type(body) is tree.Select:
            return self._select(body, parent)[0]
        if type(body) is tree.SetOperation:
            return self._set_operation(body, parent)
        if type(body) is tree.Values:
            return self._values(body, parent)
        assert isinstance(body, tree.Query)
        return self.relation(body, parent)

    def _set_operation(self, body: tree.SetOperation, parent: Scope | None) -> Relation:
        # Long chains lean to the left: walk down that side in a loop.
        chain = []
        left: tree.Body = body
        while type(left) is tree.SetOperation:
            chain.append(left)
            left = left.left
        found = _copy(self._body(left, parent))
        for operation in reversed(chain):
            right = self._body(operation.right, parent)
            self._combine(operation, found, right)
        return found

    def _combine(self, operation: tree.SetOperation, found: Relation, right: Relation) -> None:
        if len(found.columns) != len(right.columns) and not (found.open or right.open):
            self.report(
                "uneven_set_operation",
                "error",
                f"{operation.operator.upper()} of {len(found.columns)} and {len(right.columns)} columns",
                (operation.start, operation.end),
            )
        excluded = operation.operator == "except"
        for made, other in zip(found.columns, right.columns, strict=False):
            if excluded:
                carry(found.rows, other.values, FILTER)
                merge(found.rows, other.conditions)
            else:
                merge(made.values, other.values)
                merge(made.conditions, other.conditions)
        merge(found.rows, right.rows)
        found.open += right.open
        if not (operation.operator == "union" and operation.all):
            # Rows are compared whole: every column decides which rows there are, as in DISTINCT.
            self._distinct(found)

    def _values(self, body: tree.Values, parent: Scope | None) -> Relation:
        scope = Scope(parent)
        columns: list[Made] = []
        for row in body.rows:
            for i, value in enumerate(row):
                if i == len(columns):
                    columns.append(Made(f"column{i + 1}", {}, {}, (value.start, value.end)))
                if type(value) is not tree.Literal:
                    made = columns[i]
                    self.collect(value, scope, made.values, made.conditions, IDENTITY)
        return Relation(columns, {}, {}, [])

    @staticmethod
    def _distinct(found: Relation) -> None:
        for made in found.columns:
            carry(found.rows, made.values, GROUP_BY)
            merge(found.rows, made.conditions)

    def _select(self, select: tree.Select, parent: Scope | None) -> tuple[Relation, Scope]:
        scope = Scope(parent)
        rows: Flow = {}
        for item in select.source:
            scope.visible += self.from_item(item, scope, rows)
        scope.select_windows = select.windows
        if select.where is not None:
            self.collect(select.where, scope, rows, rows, FILTER)
        found = Relation(self.outputs(select.items, scope), rows, {}, [])
        for entry in scope.visible:
            if isinstance(entry, Entry) and entry.open and self._has_star(select.items, entry):
                found.open += entry.open
        for key in select.group:
            self._group_key(key, found, scope)
        if select.having is not None:
            self.collect(select.having, scope, rows, rows, FILTER)
        for window in select.windows.values():
            self.window_parts(window, scope, {})
        if select.distinct is not None:
            for key in select.distinct:
                made = self._output_reference(key, found, prefer_output=True, scope=scope)
                if made is None:
                    self.collect(key, scope, rows, rows, GROUP_BY)
                else:
                    carry(rows, made.values, GROUP_BY)
                    merge(rows, made.conditions)
            if not select.distinct:
                self._distinct(found)
        return found, scope

    @staticmethod
    def _has_star(items: list[tree.Item], entry: Entry) -> bool:
        return any(
            type(item.expression) is tree.Star
            and (not item.expression.parts or item.expression.parts[-1] == entry.name)
            for item in items
        )

    def _group_key(self, key: tree.Expression, found: Relation, scope: Scope) -> None:
        if type(key) is tree.Row:
            for part in key.items:
                self._group_key(part, found, scope)
            return
        made = self._output_reference(key, found, prefer_output=False, scope=scope)
        if made is None:
            self.collect(key, scope, found.rows, found.rows, GROUP_BY)
        else:
            carry(found.rows, made.values, GROUP_BY)
            merge(found.rows, made.conditions)

    def outputs(self, items: list[tree.Item], scope: Scope) -> list[Made]:
        """Resolve a select list."""
        found: list[Made] = []
        for item in items:
            expression = item.expression
            kind = type(expression)
            if kind is tree.Star:
                found += self._expand(expression, scope)  # type: ignore[arg-type]
                continue
            if kind is tree.Field and expression.name == "*":  # type: ignore[attr-defined]
                found += self._expand_field(expression, scope)  # type: ignore[arg-type]
                continue
            name = item.alias
            if name is None:
                if kind is tree.Column:
                    name = expression.parts[-1]  # type: ignore[attr-defined]
                else:
                    name = output_name(expression, self.dialect)
            made = Made(name, {}, {}, (expression.start, expression.end))
            if kind is not tree.Literal:
                self.collect(expression, scope, made.values, made.conditions, IDENTITY)
            found.append(made)
        return found

    def _expand_field(self, node: tree.Field, scope: Scope) -> list[Made]:
        if isinstance(node.base, tree.Column):
            star = tree.Star(node.start, node.end, node.base.parts)
            if scope.entry(node.base.parts[0]) is not None:
                return self._expand(star, scope)
        made = Made("*", {}, {}, (node.start, node.end))
        self.collect(node.base, scope, made.values, made.conditions, TRANSFORMATION)
        self.report("star_of_expression", "warning", "the fields of this row are not known", made.span)
        return [made]

    def _expand(self, star: tree.Star, scope: Scope) -> list[Made]:
        span = (star.start, star.end)
        if star.parts:
            entry = self.star_entry(star.parts, scope, span)
            return [] if entry is None else self._expand_entry(entry, span, hide=False)
        found: list[Made] = []
        for visible in scope.visible:
            if isinstance(visible, Merged):
                found.append(self.passed_on(visible.references, visible.name, span))
            else:
                found += self._expand_entry(visible, span, hide=True)
        return found

    def _expand_entry(self, entry: Entry, span: Span, hide: bool) -> list[Made]:
        hidden = entry.hidden if hide else ()
        found = [
            self.passed_on([Reference(entry, column)], name, span)
            for name, column in entry.order
            if name not in hidden
        ]
        for opened in entry.open:
            if not any(made.name == "*" for made in found):
                self.report(
                    "star_of_unknown_table",
                    "warning",
                    f"the columns behind * of “{opened.key}” are not known",
                    span,
                    "scan the system that holds the table, or give its columns",
                )
                found.append(self.passed_on([Reference(opened, "*")], "*", span))
        return found

    # --- FROM ----------------------------------------------------------------------------------------

    def from_item(self, item: tree.FromItem, scope: Scope, rows: Flow) -> Visible:
        """Add the entries of one FROM item to the scope; returns them in the order of a star."""
        if type(item) is tree.TableSource:
            entry = self._table(item, rows)
            if item.sample:
                for argument in item.sample:
                    self.collect(argument, scope, rows, rows, FILTER)
        elif type(item) is tree.Join:
            return self._join(item, scope, rows)
        elif type(item) is tree.Derived:
            if item.lateral:
                found = self.relation(item.query, self._so_far(scope))
            else:
                found = self.relation(item.query, scope.parent)
            merge(rows, found.rows)
            entry = _entry_of(found, item.alias or "", item.columns)
        else:
            assert isinstance(item, tree.FunctionSource)
            entry = self._function(item, self._so_far(scope), rows)
        scope.add(entry)
        return [entry]

    @staticmethod
    def _so_far(scope: Scope) -> Scope:
        """What a LATERAL item sees: the entries to its left."""
        seen = Scope(scope.parent)
        seen.entries = scope.entries
        seen.visible = list(scope.entries)
        return seen

    def _table(self, item: tree.TableSource, rows: Flow) -> Entry:
        parts = item.table.parts
        if len(parts) == 1:
            cte = self.ctes.get(parts[0])
            if cte is not None:
                merge(rows, cte.rows)
                return _entry_of(cte, item.alias or parts[0], item.columns)
        return self.table_entry(item.table, item.alias, item.columns)

    def table_entry(self, name: tree.TableName, alias: str | None, columns: list[str] | None) -> Entry:
        """Return the entry for a table by name."""
        parts = name.parts
        table = self.tables.find(parts)
        self.reads[table.key] = None
        entry = Entry(alias or parts[-1], () if alias else parts, table.key, {}, [])
        if table.columns is None:
            entry.open = [entry]
            self.report(
                "unknown_table",
                "info",
                f"the columns of “{table.key}” are not known and are inferred from use",
                (name.start, name.end),
                "scan the system that holds it, or give its columns",
            )
            if columns:
                entry.columns = {column: column for column in columns}
            return entry
        if columns:
            renamed = columns + list(table.columns[len(columns) :])
            pairs = list(zip(renamed, table.columns, strict=False))
            entry.columns = dict(pairs)
            entry.order = pairs
        else:
            entry.columns = table.lookup  # type: ignore[assignment]
            entry.order = table.pairs
        return entry

    def _function(self, item: tree.FunctionSource, scope: Scope, rows: Flow) -> Entry:
        """The columns of a table function carry the values of its arguments, which also decide its rows."""
        order: list[tuple[str, str | Made]] = []
        first_name = ""
        for call, defined in zip(item.calls, item.defined, strict=True):
            made = Made("", {}, {}, (call.start, call.end))
            self.collect(call, scope, made.values, made.conditions, TRANSFORMATION)
            carry(rows, made.values, JOIN)
            merge(rows, made.conditions)
            inner = call.argument if isinstance(call, tree.Cast) else call
            name = inner.parts[-1] if isinstance(inner, tree.Call) else ""
            first_name = first_name or name
            known = self.dialect.function_columns.get(name)
            if defined is not None:
                names: tuple[str, ...] = tuple(defined)
            elif known is not None:
                names = known
            elif name == "unnest" and isinstance(inner, tree.Call) and len(inner.arguments) > 1:
                names = ("unnest",) * len(inner.arguments)
            else:
                names = (item.alias or name,)
            order += [(column, Made(column, *_parts(made))) for column in names]
        if item.ordinality:
            order.append(("ordinality", Made("ordinality", {}, {}, (item.start, item.end))))
        if item.columns:
            template = order[0][1]
            assert isinstance(template, Made)
            # More names than known columns: the function returns a row type that nobody has told us.
            order += [("", template)] * (len(item.columns) - len(order))
            renamed = item.columns + [name for name, _ in order[len(item.columns) :]]
            order = [(name, column) for name, (_, column) in zip(renamed, order, strict=True)]
        return Entry(item.alias or first_name, (), None, dict(order), order)

    def _join(self, join: tree.Join, scope: Scope, rows: Flow) -> Visible:
        if join.kind == "group":
            return self._aliased_join(join, scope, rows)
        left = self.from_item(join.left, scope, rows)
        right = self.from_item(join.right, scope, rows)
        if join.using is not None or join.natural:
            return self._merge_columns(join, left, right, scope, rows)
        if join.condition is not None:
            inner = Scope(scope.parent)
            inner.entries = scope.entries
            inner.visible = left + right
            self.collect(join.condition, inner, rows, rows, JOIN)
        return left + right

    def _aliased_join(self, join: tree.Join, scope: Scope, rows: Flow) -> Visible:
        inner = Scope(scope.parent)
        visible = self.from_item(join.left, inner, rows)
        order: list[tuple[str, str | Made]] = []
        span = (join.start, join.end)
        for item in visible:
            if isinstance(item, Merged):
                order.append((item.name, self.renamed(item.references, item.name, span)))
            else:
                order += [
                    (name, self.renamed([Reference(item, column)], name, span))
                    for name, column in item.order
                    if name not in item.hidden
                ]
        if join.columns:
            renamed = join.columns + [name for name, _ in order[len(join.columns) :]]
            order = [(name, column) for name, (_, column) in zip(renamed, order, strict=False)]
        entry = Entry(join.alias or "", (), None, dict(order), order)
        entry.open = [opened for item in visible if isinstance(item, Entry) for opened in item.open]
        scope.add(entry)
        return [entry]

    def _merge_columns(self, join: tree.Join, left: Visible, right: Visible, scope: Scope, rows: Flow) -> Visible:
        if join.using is not None:
            names = [(name, (start, end)) for name, start, end in join.using]
        else:
            span = (join.right.start, join.right.end)
            theirs = set(_visible_names(right))
            names = [(name, span) for name in _visible_names(left) if name in theirs]
            if any(isinstance(item, Entry) and item.open for item in left + right):
                self.report(
                    "natural_join_of_unknown",
                    "warning",
                    "a NATURAL join with a table whose columns are not known",
                    span,
                    "the columns that it joins on may be missing",
                )
        merged: list[Merged] = []
        for name, span in names:
            ours = self._side(left, name, span)
            other = self._side(right, name, span)
            for reference in ours + other:
                self.add(reference, span, rows, rows, JOIN)
            delivered = other if join.kind == "right" else ours
            if join.kind == "full":
                delivered = ours + other
            merged.append(Merged(name, delivered))
        gone = {name for name, _ in names}
        for item in left + right:
            if isinstance(item, Entry):
                item.hidden |= gone
        if join.using_alias:
            span = (join.start, join.end)
            order: list[tuple[str, str | Made]] = [
                (item.name, self.renamed(item.references, item.name, span)) for item in merged
            ]
            scope.add(Entry(join.using_alias, (), None, dict(order), order))
        rest = [item for item in left + right if not (isinstance(item, Merged) and item.name in gone)]
        return [*merged, *rest]

    def _side(self, visible: Visible, name: str, span: Span) -> list[Reference]:
        """Return the column of that name on one side of a join."""
        for item in visible:
            if isinstance(item, Merged) and item.name == name:
                return item.references
        for item in visible:
            if isinstance(item, Entry) and name in item.columns and name not in item.hidden:
                return [Reference(item, item.columns[name])]
        for item in visible:
            if isinstance(item, Entry) and item.open and name not in item.hidden:
                return [Reference(opened, name) for opened in item.open]
        self.report("unknown_column", "error", f"one side of the join has no column “{name}”", span)
        return []


def _parts(made: Made) -> tuple[Flow, Flow, Span]:
    return made.values, made.conditions, made.span


def _visible_names(visible: Visible) -> list[str]:
    found = []
    for item in visible:
        if isinstance(item, Merged):
            found.append(item.name)
        else:
            found += [name for name, _ in item.order if name not in item.hidden]
    return found


def _entry_of(found: Relation, alias: str, columns: list[str] | None) -> Entry:
    order: list[tuple[str, str | Made]] = []
    for i, made in enumerate(found.columns):
        if made.name != "*":
            order.append((columns[i] if columns and i < len(columns) else made.name, made))
    lookup: dict[str, str | Made] = {}
    for name, column in order:
        lookup.setdefault(name, column)
    return Entry(alias, (), None, lookup, order, open=list(found.open))


def _copy(found: Relation) -> Relation:
    columns = [
        Made(made.name, copy_flow(made.values), copy_flow(made.conditions), made.span) for made in found.columns
    ]
    return Relation(columns, copy_flow(found.rows), {}, list(found.open))


def _unite(target: Relation, other: Relation) -> None:
    for made, more in zip(target.columns, other.columns, strict=False):
        merge(made.values, more.values)
        merge(made.conditions, more.conditions)
    merge(target.rows, other.rows)


def _size(found: Relation) -> int:
    return len(found.rows) + sum(len(made.values) + len(made.conditions) for made in found.columns)
