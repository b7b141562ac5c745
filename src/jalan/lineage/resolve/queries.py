"""Queries to relations: select lists, grouping, set operations, common table expressions."""

from collections.abc import Iterator

from jalan.lineage.flow import carry, copy_flow, merge
from jalan.lineage.model import CONDITIONAL, FILTER, GROUP_BY, IDENTITY, JOIN, SORT, TRANSFORMATION
from jalan.lineage.resolve.part import ResolverPart
from jalan.lineage.resolve.scope import Entry, Flow, Made, Merged, Relation, Scope
from jalan.sql import tree
from jalan.sql.walk import has_aggregate, names_table, walk


class QueryResolver(ResolverPart):
    """Resolves the queries of one statement."""

    def relation(self, query: tree.Query, parent: Scope | None) -> Relation:
        before = self.env.ctes
        if query.ctes is not None:
            self.with_clause(query.ctes, parent)
        body = query.body
        scope: Scope | None = None
        if type(body) is tree.Select:
            found, scope = self._select(body, parent)
        else:
            found = self._body(body, parent)
        if query.order:
            found.order = {}
            self._order(query, body, found, scope)
        elif query.limit or (type(body) is tree.Select and body.top is not None):
            merge(found.rows, found.order)  # the first of rows that were sorted below
        for limit in query.limit:
            self.resolver.expressions.collect(limit, scope or Scope(parent), found.rows, found.rows, FILTER)
        if type(body) is tree.Select and body.top is not None:
            self.resolver.expressions.collect(body.top, scope or Scope(parent), found.rows, found.rows, FILTER)
        self.env.ctes = before
        return found

    def _order(self, query: tree.Query, body: tree.Body, found: Relation, scope: Scope | None) -> None:
        chosen = type(body) is tree.Select and (bool(body.distinct) or body.top is not None)
        target = found.rows if query.limit or chosen else found.order
        for sort in query.order:
            if type(sort.key) is tree.Star:  # ORDER BY ALL
                for column in found.columns:
                    carry(target, column.values, SORT)
                continue
            made = self._output_reference(sort.key, found, prefer_output=True, scope=scope)
            if made is not None:
                carry(target, made.values, SORT)
                merge(target, made.conditions)
            elif scope is not None:
                self.resolver.expressions.collect(sort.key, scope, target, target, SORT)

    def _output_reference(
        self, key: tree.Expression, found: Relation, prefer_output: bool, scope: Scope | None
    ) -> Made | None:
        """Return the output that a sort or grouping key names by alias or by number."""
        if type(key) is tree.Literal:
            digits = self.env.text[key.start : key.end]
            if digits.isdigit() and 0 < int(digits) <= len(found.columns):
                return found.columns[int(digits) - 1]
            return None
        if type(key) is tree.Column and len(key.parts) == 1:
            name = key.parts[0]
            if not prefer_output and scope is not None and self._in_scope(name, scope):
                return None
            return found.named(name)
        return None

    @staticmethod
    def _in_scope(name: str, scope: Scope) -> bool:
        wanted: object = name
        for entry in scope.visible:
            if type(entry) is Merged:
                if entry.name == wanted:
                    return True
            elif isinstance(entry, Entry) and name in entry.columns:
                return True
        return False

    # --- WITH ----------------------------------------------------------------------------------------

    def with_clause(self, clause: tree.With, parent: Scope | None) -> None:
        """Make the queries of a WITH known to what follows."""
        env = self.env
        if clause.routines:
            declared = {r.parts[-1].lower(): r for r in clause.routines if isinstance(r, tree.Routine)}
            self.resolver.calls.follow({**env.known, **declared}, env.inlined)
        env.ctes = dict(env.ctes)
        for cte in clause.ctes:
            statement = cte.statement
            if not isinstance(statement, tree.Query):
                found = self.resolver.dml.modifying(statement)
            elif isinstance(statement.body, tree.SetOperation) and (
                clause.recursive or (self.dialect.implicit_recursion and names_table(statement, cte.name))
            ):
                found = self._recursive(cte, statement, parent)
            else:
                found = self.relation(statement, parent)
            env.ctes[cte.name] = self._as_cte(cte, found)

    def _as_cte(self, cte: tree.Cte, found: Relation) -> Relation:
        columns = found.columns
        if cte.columns:
            columns = [
                self.resolver.names.under_name(cte.columns[i] if i < len(cte.columns) else made.name, made)
                for i, made in enumerate(columns)
            ]
        return Relation(columns + self._added(cte, columns), found.rows, found.order, found.open)

    @staticmethod
    def _added(cte: tree.Cte, columns: list[Made]) -> list[Made]:
        """The columns of SEARCH and CYCLE: the order and the way hold the values that they follow, the mark is
        decided by them."""
        added = []
        for name, role, followed in cte.added:
            made = Made(name, {}, {}, (cte.start, cte.end))
            for column in columns:
                if column.name in followed:
                    carry(
                        made.conditions if role == "mark" else made.values,
                        column.values,
                        CONDITIONAL if role == "mark" else TRANSFORMATION,
                    )
                    merge(made.conditions, column.conditions)
            added.append(made)
        return added

    def _recursive(self, cte: tree.Cte, statement: tree.Query, parent: Scope | None) -> Relation:
        """Start with the arm that does not refer to itself and repeat until nothing more is added."""
        env = self.env
        body = statement.body
        assert isinstance(body, tree.SetOperation)
        env.ctes[cte.name] = Relation([], {}, {}, [])
        quiet, reported = list(env.diagnostics), set(env.reported)
        first = tree.Query(statement.start, statement.end, statement.ctes, body.left, [], [])
        seed = self.relation(first, parent)
        found = seed
        for _ in range(len(seed.columns) + 2):
            env.ctes[cte.name] = self._as_cte(cte, found)
            before = _size(found)
            env.diagnostics, env.reported = list(quiet), set(reported)
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
        if type(body) is tree.Pipeline:
            return self.resolver.pipes.pipeline(body, parent)
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
            self.combine(operation, found, right)
        return found

    def combine(self, operation: tree.SetOperation, found: Relation, right: Relation) -> None:
        if operation.by_name:
            counted = len(found.columns)
            pairs = self._by_name(found, right)
            if operation.side in ("left", "inner"):
                del found.columns[counted:]
            if operation.side == "inner":
                both = {made.name for made in right.columns}
                found.columns[:] = [made for made in found.columns if made.name in both]
            if operation.only is not None:
                names = set(operation.only)
                found.columns[:] = [made for made in found.columns if made.name in names]
        else:
            pairs = list(zip(found.columns, right.columns, strict=False))
            if len(found.columns) != len(right.columns) and not self._open_ended(found, right):
                self.env.report(
                    "uneven_set_operation",
                    "error",
                    f"{operation.operator.upper()} of {len(found.columns)} and {len(right.columns)} columns",
                    (operation.start, operation.end),
                )
        excluded = operation.operator == "except"
        for made, other in pairs:
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
            self.distinct(found)

    @staticmethod
    def _open_ended(found: Relation, right: Relation) -> bool:
        return bool(found.open or right.open) or any(c.name == "*" for c in found.columns + right.columns)

    @staticmethod
    def _by_name(found: Relation, right: Relation) -> list[tuple[Made, Made]]:
        """Pair the columns of two arms by name; what the first arm lacks is added to it."""
        pairs = []
        for other in right.columns:
            wanted: object = other.name
            same = [made for made in found.columns if made.name == wanted]
            if not same:
                same = [Made(other.name, {}, {}, other.span)]
                found.columns += same
            pairs.append((same[0], other))
        return pairs

    def _values(self, body: tree.Values, parent: Scope | None) -> Relation:
        scope = Scope(parent)
        columns: list[Made] = []
        for row in body.rows:
            for i, value in enumerate(self._cells(row, scope)):
                if i == len(columns):
                    span = value.span if isinstance(value, Made) else (value.start, value.end)
                    columns.append(Made(self._value_name(i), {}, {}, span))
                made = columns[i]
                if isinstance(value, tree.Expression):
                    if type(value) is not tree.Literal:
                        self.resolver.expressions.collect(value, scope, made.values, made.conditions, IDENTITY)
                else:
                    merge(made.values, value.values)
                    merge(made.conditions, value.conditions)
        return Relation(columns, {}, {}, [])

    def _cells(self, row: list[tree.Expression], scope: Scope) -> Iterator[tree.Expression | Made]:
        """The values of a row; ``t.*``, and a record of a procedure, are several."""
        for value in row:
            if type(value) is tree.Star and value.parts:
                yield from self.resolver.select_list.expand(value, scope)
                continue
            if type(value) is tree.Column and len(row) == 1 and len(value.parts) == 1:
                record = self.env.variables.get(value.parts[0])
                if record is not None and record.fields:
                    yield from record.fields.values()
                    continue
            yield value

    def _value_name(self, i: int) -> str:
        return self.dialect.value_names.format(i + 1, i)

    @staticmethod
    def distinct(found: Relation) -> None:
        for made in found.columns:
            carry(found.rows, made.values, GROUP_BY)
            merge(found.rows, made.conditions)

    def _select(self, select: tree.Select, parent: Scope | None) -> tuple[Relation, Scope]:
        resolver = self.resolver
        env = self.env
        scope = Scope(parent)
        rows: Flow = {}
        for source in select.source:
            scope.visible += resolver.from_clause.from_item(source, scope, rows)
        scope.select_windows = select.windows
        lateral = self.dialect.lateral_aliases
        if lateral:
            scope.aliases = {}
            for key in select.group if self.dialect.windowing else ():
                if isinstance(key, tree.Call) and key.parts[-1].lower() in self.dialect.windowing:
                    made = Made(env.spelled(key.parts[-1]), {}, {}, (key.start, key.end))
                    resolver.expressions.collect(key, scope, made.values, made.conditions, IDENTITY)
                    scope.aliases[made.name] = made
        elif select.where is not None:
            resolver.expressions.collect(select.where, scope, rows, rows, FILTER)
        around, env.multiplying = env.multiplying, []
        found = Relation(
            resolver.select_list.outputs(select.items, scope), rows, self._kept_order(select, scope, rows), []
        )
        self.decided_by_multiplying(rows)
        env.multiplying = around
        if lateral and select.where is not None:
            resolver.expressions.collect(select.where, scope, rows, rows, FILTER)
        for condition in select.connect or ():
            resolver.expressions.collect(condition, scope, rows, rows, FILTER)
        found.open += self.open_stars(select.items, scope)
        for key in select.group:
            self._group_key(key, found, scope)
        if select.group_all:
            for item, made in zip(select.items, found.columns, strict=False):
                if not has_aggregate(item.expression, self.dialect.aggregates):
                    carry(rows, made.values, GROUP_BY)
                    merge(rows, made.conditions)
        if self.dialect.aliases_in_having:
            scope.aliases = {made.name: made for made in found.columns}
        if select.having is not None:
            resolver.expressions.collect(select.having, scope, rows, rows, FILTER)
        if select.qualify is not None:
            resolver.expressions.collect(select.qualify, scope, rows, rows, FILTER)
        for window in select.windows.values():
            resolver.expressions.window_parts(window, scope, {})
        if select.distinct is not None:
            for key in select.distinct:
                output = self._output_reference(key, found, prefer_output=True, scope=scope)
                if output is None:
                    resolver.expressions.collect(key, scope, rows, rows, GROUP_BY)
                else:
                    carry(rows, output.values, GROUP_BY)
                    merge(rows, output.conditions)
            if not select.distinct:
                self.distinct(found)
        return found, scope

    def decided_by_multiplying(self, rows: Flow) -> None:
        """Add what decides how many rows the functions of a select list make of one."""
        for call, inside in self.env.multiplying:
            for argument in call.arguments:
                self.resolver.expressions.collect(argument, inside, rows, rows, JOIN)

    def _kept_order(self, select: tree.Select, scope: Scope, rows: Flow) -> Flow:
        """The order of the only query in FROM, which is that of these rows too: it decides which are the first."""
        only = select.source[0] if len(select.source) == 1 else None
        if not scope.order or not isinstance(only, tree.Derived | tree.TableSource):
            return {}
        if select.group or select.distinct is not None or select.group_all:
            return {}
        if select.where is not None and self._counts_rows(select.where):
            merge(rows, scope.order)
        return scope.order

    def _counts_rows(self, condition: tree.Expression) -> bool:
        """Whether a condition asks for ROWNUM."""
        if "ROWNUM" not in self.dialect.pseudo_columns:
            return False
        return any(isinstance(node, tree.Column) and node.parts == ("ROWNUM",) for node in walk(condition))

    @staticmethod
    def open_stars(items: list[tree.SelectItem], scope: Scope) -> list[Entry]:
        """The tables that may have further columns and whose star stands in a select list."""
        stars = [item.expression for item in items if type(item.expression) is tree.Star]
        whole = any(not star.parts for star in stars)
        named = {star.parts[-1] for star in stars if star.parts}
        return [
            table
            for entry in scope.visible
            if isinstance(entry, Entry) and (whole or entry.name in named)
            for table in entry.open
        ]

    def _group_key(self, key: tree.Expression, found: Relation, scope: Scope) -> None:
        if type(key) is tree.Row:
            for part in key.items:
                self._group_key(part, found, scope)
            return
        made = self._output_reference(key, found, prefer_output=False, scope=scope)
        if made is None:
            self.resolver.expressions.collect(key, scope, found.rows, found.rows, GROUP_BY)
        else:
            carry(found.rows, made.values, GROUP_BY)
            merge(found.rows, made.conditions)


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
