"""Statements that write: what goes into which column of their target, and what decides about the rows."""

from collections.abc import Callable

from jalan.lineage.flow import carry, column_of_star, copy_flow, merge
from jalan.lineage.model import FILTER, IDENTITY, JOIN, SORT
from jalan.lineage.resolve.from_clause import entry_of
from jalan.lineage.resolve.part import ResolverPart
from jalan.lineage.resolve.scope import Entry, Flow, Made, Relation, Scope
from jalan.lineage.resolve.written import Written
from jalan.lineage.tables import Table, split_key
from jalan.sql import tree


class DmlResolver(ResolverPart):
    """Resolves statements. ``trigger_table``: the one whose trigger this runs in. ``returned``: the variables
    that a bare RETURN puts out.

    ``inner`` gathers the data-modifying statements of WITH clauses, and the further targets of statements that have
    several; ``after`` what is written of the rows that a statement has written."""

    def written(self, statement: tree.StatementNode) -> Written:
        """Resolve a statement that has a data flow."""
        return RESOLVERS[type(statement)](self, statement)

    def modifying(self, statement: tree.StatementNode) -> Relation:
        env = self.env
        before = env.ctes
        written = self.written(statement)
        env.ctes = before
        env.inner.append(written)
        return self.put_out(statement, written)

    def put_out_alone(self, statement: tree.StatementNode) -> Relation:
        """Return what a change puts out that is resolved, and reported, elsewhere."""
        env = self.env
        inner, diagnostics = env.inner, env.diagnostics
        env.inner, env.diagnostics = [], []
        found = self.put_out(statement, self.written(statement))
        env.inner, env.diagnostics = inner, diagnostics
        return found

    def put_out(self, statement: tree.StatementNode, written: Written) -> Relation:
        """Return what RETURNING or OUTPUT of a change puts out: columns of the target and of what the change was
        made from."""
        items: list[tree.SelectItem] = getattr(statement, "returning", [])
        scope = Scope(self.env.outer)
        name: tree.TableName = statement.target  # type: ignore[attr-defined]
        alias: str | None = statement.alias  # type: ignore[attr-defined]
        joined = getattr(statement, "joined", False)
        if not joined:
            scope.visible += self._target_entry(name, alias, scope)
        source = getattr(statement, "source", [])
        for item in source if isinstance(source, list) else [source]:
            scope.visible += self.resolver.from_clause.from_item(item, scope, {})
        if self.dialect.inserted_and_deleted:
            for word in ("inserted", "deleted"):
                entry = self._target_entry(name, self.env.spelled(word), scope)
                scope.visible += [] if scope.visible else entry
        # The rows that come back are those that were written, so what decided about those decides here.
        return Relation(self.resolver.select_list.outputs(items, scope), dict(written.rows), {}, [])

    def _output_into(self, statement: tree.StatementNode, written: Written) -> None:
        """``OUTPUT … INTO table`` writes a second table."""
        into: tree.TableName | None = getattr(statement, "into", None)
        if into is None:
            return
        found = self.put_out(statement, written)
        table = self.env.tables.named(into)
        second = Written("insert", statement, table, found.rows)
        given: list[str] | None = getattr(statement, "into_columns", None)
        names = given or table.columns or [made.name for made in found.columns]
        second.columns = [
            self.resolver.names.under_name(column_of(table, name), made)
            for name, made in zip(names, found.columns, strict=False)
        ]
        self.env.after.append(second)

    def _target_entry(self, name: tree.TableName, alias: str | None, scope: Scope) -> list[Entry]:
        reads = dict(self.env.reads)
        entry = self.resolver.from_clause.table_entry(name, alias, None)
        self.env.reads = reads
        scope.add(entry)
        return [entry]

    def _with(self, ctes: tree.With | None) -> None:
        if ctes is not None:
            self.resolver.queries.with_clause(ctes, self.env.outer)

    # --- queries -------------------------------------------------------------------------------------

    def _query(self, node: tree.QueryStatement) -> Written:
        found = self.resolver.queries.relation(node.query, self.env.outer)
        written = Written("select", node, None, found.rows)
        written.columns = found.columns
        return written

    def _create_table_as(self, node: tree.CreateTableAs) -> Written:
        found = self.resolver.queries.relation(node.query, self.env.outer)
        return self._made_by_query("create_table_as", node, found, node.columns, node.temporary)

    def _create_view(self, node: tree.CreateView) -> Written:
        found = self.resolver.queries.relation(node.query, self.env.outer)
        kind = f"create_{node.kind}"
        if node.kind == "view" and node.materialized:
            kind = "create_materialized_view"
        elif node.kind == "alter_view":
            kind = "alter_view"
        return self._made_by_query(kind, node, found, node.columns, node.temporary)

    def _made_by_query(
        self,
        kind: str,
        node: tree.CreateTableAs | tree.CreateView,
        found: Relation,
        columns: list[str] | None,
        temporary: bool,
    ) -> Written:
        names = [made.name for made in found.columns]
        names[: len(columns or [])] = columns or []
        known = None if "*" in names else names
        table = self.env.tables.make(node.target.parts, known, temporary)
        written = Written(kind, node, table, found.rows)
        written.columns = [
            self.resolver.names.under_name(name, made) for name, made in zip(names, found.columns, strict=False)
        ]
        return written

    # --- changes -------------------------------------------------------------------------------------

    def _insert(self, node: tree.Insert) -> Written:
        self._with(node.ctes)
        found = (
            Relation([], {}, {}, [])
            if node.query is None
            else self.resolver.queries.relation(node.query, self.env.outer)
        )
        written = self._inserted(node, found)
        if node.conflict is not None:
            self._conflict(node, node.conflict, written)
        self._output_into(node, written)
        return written

    def _inserted(self, node: tree.Insert, found: Relation) -> Written:
        """Place the columns of a query in those of the target."""
        table = self.env.tables.named(node.target)
        written = Written("insert", node, table, found.rows)
        columns = found.columns
        if node.by_name:
            for made in columns:
                written.columns.append(self.resolver.names.under_name(column_of(table, made.name), made))
            return written
        for name, made in zip(self._insert_names(node, table, found), columns, strict=False):
            if made.name == "*" and name != "*" and not node.columns:
                name = "*"
            written.columns.append(self.resolver.names.under_name(name, made))
        return written

    def _insert_names(self, node: tree.Insert, table: Table, found: Relation) -> list[str]:
        fixed = {name for name, value in node.partition or () if value is not None}
        last = [column_of(table, name) for name, value in node.partition or () if value is None]
        open_ended = bool(found.open) or any(made.name == "*" for made in found.columns)
        if node.columns:
            names = [column_of(table, name) for name in node.columns if name not in fixed]
            names += [name for name in last if name not in names]
            if len(names) != len(found.columns) and not open_ended and node.query is not None:
                self.env.report(
                    "uneven_insert",
                    "error",
                    f"{len(names)} columns are named, {len(found.columns)} are given",
                    (node.target.start, node.target.end),
                )
            return names
        if table.columns is not None:
            return [name for name in table.columns if name not in fixed and name not in last] + last
        if found.columns:
            self.env.report(
                "unknown_insert_columns",
                "warning",
                f"the columns of “{table.key}” are not known; those of the query are taken for them",
                (node.target.start, node.target.end),
                "name the columns, or give the table's",
            )
        names = [made.name for made in found.columns]
        if last:
            names[-len(last) :] = last
        return names

    def _multi_insert(self, node: tree.MultiInsert) -> Written:
        """One query, several targets. The conditions of a branch decide about the rows of its target."""
        resolver = self.resolver
        env = self.env
        shared = resolver.queries.relation(node.query, env.outer) if node.query.end > node.query.start else None
        written: Written | None = None
        decided: Flow = {}
        for condition, insert in node.branches:
            self._with(insert.ctes)
            scope = Scope(env.outer)
            if shared is not None:
                entry = entry_of(shared, "", None)
                scope.add(entry)
                scope.visible.append(entry)
                if condition is not None:
                    resolver.expressions.collect(condition, scope, decided, decided, FILTER)
            if insert.query is None:
                assert shared is not None
                found = Relation(shared.columns, dict(shared.rows), {}, shared.open)
            else:
                found = resolver.queries.relation(insert.query, scope)
                if shared is not None:
                    merge(found.rows, shared.rows)
            merge(found.rows, decided)
            written = self._inserted(insert, found)
            env.inner.append(written)
        assert written is not None
        return env.inner.pop()

    def _copy(self, node: tree.Copy) -> Written:
        """Rows into or out of files. A file has the columns that the table on the other side has."""
        env = self.env
        table = None if _is_client(node.target) else env.tables.named(node.target)
        if _is_client(_only_source(node.query)):
            return Written(node.kind, node, table, {})
        found = self.resolver.queries.relation(node.query, env.outer)
        written = Written(node.kind, node, table, found.rows)
        columns = found.columns
        from_file = len(columns) == 1 and columns[0].name == "*"
        names = [column_of(table, name) for name in node.columns] if node.columns else list(table_columns(written))
        if from_file and names:
            for name in names:
                if not name.startswith("@"):
                    written.columns.append(column_of_star(name, columns[0]))
        else:
            given = names or [made.name for made in columns]
            written.columns = [
                self.resolver.names.under_name(name, made) for name, made in zip(given, columns, strict=False)
            ]
        if node.assignments:
            scope = Scope(env.outer)
            scope.visible += self._target_entry(node.target, None, scope)
            env.variables = {
                env.spelled(name): column_of_star(name[1:], columns[0]) for name in names if name[0] == "@"
            }
            self._assign(node.assignments, scope, written)
        return written

    def _conflict(self, node: tree.Insert, conflict: tree.Conflict, written: Written) -> None:
        env = self.env
        scope = Scope(env.outer)
        target = self._target_entry(node.target, node.alias, scope)
        given = {made.name: made for made in written.columns}
        keys = {part for key in conflict.columns if isinstance(key, tree.Column) for part in key.parts}
        # The values of the conflict columns decide whether a row is added; without a list any column may.
        for made in list(written.columns):
            if made.name in keys or not conflict.columns:
                carry(written.rows, made.values, JOIN)
        # The values as they were to be inserted, before any assignment below adds to the columns.
        proposed: dict[str, str | Made] = {
            name: Made(name, copy_flow(made.values), copy_flow(made.conditions), made.span)
            for name, made in given.items()
        }
        for name in table_columns(written):
            proposed.setdefault(name, Made(name, {}, {}, (conflict.start, conflict.end)))
        for named, made in zip(conflict.names or (), written.columns, strict=False):
            proposed[named] = proposed[made.name]
        scope.add(Entry(env.spelled(conflict.alias), (), None, proposed, list(proposed.items())))
        scope.visible += target
        env.proposed = proposed
        self._assign(conflict.assignments, scope, written)
        if conflict.where is not None:
            self.resolver.expressions.collect(conflict.where, scope, written.rows, written.rows, FILTER)

    def _assign(self, assignments: list[tree.Assignment], scope: Scope, written: Written) -> None:
        resolver = self.resolver
        for assignment in assignments:
            value = assignment.value
            columns = [column_of(written.target, name) for name in assignment.columns]
            if len(columns) == 1:
                made = written.column(columns[0], value)
                resolver.expressions.collect(value, scope, made.values, made.conditions, IDENTITY)
            elif isinstance(value, tree.Row):
                for name, part in zip(columns, value.items, strict=False):
                    made = written.column(name, part)
                    resolver.expressions.collect(part, scope, made.values, made.conditions, IDENTITY)
            elif isinstance(value, tree.ScalarQuery):
                found = resolver.queries.relation(value.query, scope)
                for name, column in zip(columns, found.columns, strict=False):
                    made = written.column(name, value)
                    carry(made.values, column.values, IDENTITY)
                    merge(made.conditions, column.conditions)
                    merge(made.conditions, found.rows)

    def _update(self, node: tree.Update) -> Written:
        self._with(node.ctes)
        written = Written("update", node, self._changed_table(node), {})
        scope = self._change_scope(node, written)
        further: dict[str, Written] = {}
        for assignment in node.assignments:
            into, assigned = self._assigned(assignment, node, scope, written, further)
            self._assign([assigned], scope, into)
        self._decide(node, scope, written)
        for other in further.values():
            merge(other.rows, written.rows)
        self.env.inner += further.values()
        self._output_into(node, written)
        return written

    def _changed_table(self, node: tree.Update | tree.Delete) -> Table:
        """The table that is changed: the target, or the one that a common table expression of that name shows."""
        target = node.target
        for cte in node.ctes.ctes if node.ctes is not None else ():
            body = cte.statement.body if isinstance(cte.statement, tree.Query) else None
            if target.parts == (cte.name,) and isinstance(body, tree.Select) and body.source:
                first = body.source[0]
                while isinstance(first, tree.Join):
                    first = first.left
                if isinstance(first, tree.TableSource):
                    return self.env.tables.find(first.table.parts)
        return self.env.tables.find(target.parts)

    def _change_scope(self, node: tree.Update | tree.Delete, written: Written) -> Scope:
        """What an UPDATE or DELETE can name: its target, and what it is joined with."""
        scope = Scope(self.env.outer)
        name = node.target.parts[0]
        if not node.joined and len(node.target.parts) == 1 and name in self.env.ctes:
            source = tree.TableSource(node.target.start, node.target.end, node.alias, None, node.target)
            scope.visible += self.resolver.from_clause.from_item(source, scope, written.rows)
        elif not node.joined:
            scope.visible += self._target_entry(node.target, node.alias, scope)
        for item in node.source:
            scope.visible += self.resolver.from_clause.from_item(item, scope, written.rows)
        return scope

    def _decide(self, node: tree.Update | tree.Delete, scope: Scope, written: Written) -> None:
        resolver = self.resolver
        if node.where is not None:
            resolver.expressions.collect(node.where, scope, written.rows, written.rows, FILTER)
        for limit in node.limit or ():
            if isinstance(limit, tree.Sort):
                resolver.expressions.collect(limit.key, scope, written.rows, written.rows, SORT)
            else:
                resolver.expressions.collect(limit, scope, written.rows, written.rows, FILTER)

    def _assigned(
        self,
        assignment: tree.Assignment,
        node: tree.Update,
        scope: Scope,
        written: Written,
        further: dict[str, Written],
    ) -> tuple[Written, tree.Assignment]:
        """What an assignment writes to: an UPDATE of a join may set columns of several of its tables, one of a
        query sets the columns that the query shows."""
        entry = self._assigned_entry(assignment, node, scope)
        if entry is None:
            return written, assignment
        if entry.key is not None:
            return self._other_target(entry, node, written, further), assignment
        columns = []
        key = written.target.key if written.target is not None else ""
        for name in assignment.columns:
            shown = entry.columns.get(name)
            behind = [place for place in shown.values if place[2] == IDENTITY] if isinstance(shown, Made) else []
            if len(behind) != 1:
                return written, assignment
            key = behind[0][0]
            columns.append(behind[0][1])
        changed = tree.Assignment(assignment.start, assignment.end, columns, assignment.value, part=assignment.part)
        if written.target is not None and key == written.target.key:
            return written, changed
        table = self.env.tables.find(split_key(key))
        return self._further(table, node, further), changed

    def _assigned_entry(self, assignment: tree.Assignment, node: tree.Update, scope: Scope) -> Entry | None:
        """The table or query that an assignment names or means."""
        if assignment.qualifier is not None and node.joined:
            return scope.entry(assignment.qualifier)
        name = node.alias or node.target.parts[-1]
        entry = scope.entry(name) if node.joined or name in self.env.ctes else None
        if entry is None and node.joined and len(scope.visible) == 1 and isinstance(scope.visible[0], Entry):
            entry = scope.visible[0]
        return entry if entry is not None and entry.key is None else None

    def _other_target(
        self, entry: Entry, node: tree.Update, written: Written, further: dict[str, Written]
    ) -> Written:
        if entry.key is None or written.target is None or entry.key == written.target.key:
            return written
        columns = tuple(name for name, _ in entry.order) or None
        return self._further(Table(entry.key, columns, {n: n for n, _ in entry.order}), node, further)

    @staticmethod
    def _further(table: Table, node: tree.Update, further: dict[str, Written]) -> Written:
        other = further.get(table.key)
        if other is None:
            other = further[table.key] = Written("update", node, table, {})
        return other

    def _delete(self, node: tree.Delete) -> Written:
        self._with(node.ctes)
        written = Written("delete", node, self._changed_table(node), {})
        scope = self._change_scope(node, written)
        self._decide(node, scope, written)
        for target in node.more or ():
            self.env.inner.append(Written("delete", node, self.env.tables.find(target.parts), dict(written.rows)))
        self._output_into(node, written)
        return written

    def _merge(self, node: tree.Merge) -> Written:
        resolver = self.resolver
        env = self.env
        self._with(node.ctes)
        table = env.tables.named(node.target)
        written = Written("merge", node, table, {})
        scope = Scope(env.outer)
        scope.visible += self._target_entry(node.target, node.alias, scope)
        scope.visible += resolver.from_clause.from_item(node.source, scope, written.rows)
        resolver.expressions.collect(node.condition, scope, written.rows, written.rows, JOIN)
        source = Scope(env.outer)  # what is inserted can name only the source
        source.entries = scope.entries
        source.visible = scope.visible[1:]
        for branch in node.branches:
            if branch.condition is not None:
                resolver.expressions.collect(branch.condition, scope, written.rows, written.rows, FILTER)
            for condition in branch.where or ():
                resolver.expressions.collect(condition, scope, written.rows, written.rows, FILTER)
            if branch.row:
                self._whole_row(branch, scope, table, written)
            self._assign(branch.assignments, scope, written)
            names = [column_of(table, name) for name in branch.columns or table.columns or ()]
            if branch.values and not names:
                env.report(
                    "unknown_insert_columns",
                    "warning",
                    f"the columns of “{table.key}” are not known, so what is inserted cannot be placed",
                    (branch.start, branch.end),
                    "name the columns, or give the table's",
                )
            for name, value in zip(names, branch.values, strict=False):
                made = written.column(name, value)
                resolver.expressions.collect(value, source, made.values, made.conditions, IDENTITY)
        self._output_into(node, written)
        return written

    def _whole_row(self, branch: tree.MergeBranch, scope: Scope, table: Table, written: Written) -> None:
        """``UPDATE SET *``, ``INSERT ROW``: each column of the source goes into the one of the same name."""
        source = Scope(self.env.outer)
        source.visible = scope.visible[1:]
        columns = self.resolver.select_list.expand(tree.Star(branch.start, branch.end, ()), source)
        only = columns[0] if len(columns) == 1 and columns[0].name == "*" else None
        if only is not None and table.columns is not None:
            columns = [column_of_star(name, only) for name in table.columns]
        given = table.columns if branch.action == "replace" else branch.columns
        names = [column_of(table, name) for name in given or ()]
        for n, made in enumerate(columns):
            into = written.column(names[n] if n < len(names) else column_of(table, made.name), branch)
            merge(into.values, made.values)
            merge(into.conditions, made.conditions)


RESOLVERS: dict[type[tree.StatementNode], Callable[..., Written]] = {
    tree.QueryStatement: DmlResolver._query,
    tree.CreateTableAs: DmlResolver._create_table_as,
    tree.CreateView: DmlResolver._create_view,
    tree.Insert: DmlResolver._insert,
    tree.Update: DmlResolver._update,
    tree.Delete: DmlResolver._delete,
    tree.Merge: DmlResolver._merge,
    tree.MultiInsert: DmlResolver._multi_insert,
    tree.Copy: DmlResolver._copy,
}


def _is_client(name: tree.TableName | None) -> bool:
    """Whether rows go to or come from the client rather than a file."""
    return name is not None and name.file and name.parts in (("stdout",), ("stdin",))


def _only_source(query: tree.Query) -> tree.TableName | None:
    body = query.body
    if isinstance(body, tree.Select) and len(body.source) == 1 and isinstance(body.source[0], tree.TableSource):
        return body.source[0].table
    return None


def column_of(table: Table | None, name: str) -> str:
    """Return the table's own spelling of a column's name, or the name if the table has no such column."""
    return name if table is None else table.lookup.get(name, name)


def table_columns(written: Written) -> tuple[str, ...]:
    """Return the columns of the target as far as they are known."""
    return () if written.target is None else written.target.columns or ()
