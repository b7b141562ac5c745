"""Statements that write: what goes into which column of their target, and what decides about the rows."""

from collections.abc import Callable
from typing import ClassVar

from jalan.lineage.extraction import FILTER, IDENTITY, JOIN
from jalan.lineage.flows import carry, copy_flow, merge
from jalan.lineage.relations import RelationResolver
from jalan.lineage.scope import Entry, Flow, Made, Relation, Scope
from jalan.lineage.tables import Table
from jalan.sql import tree


class Written:
    """What a statement writes: its target, and for each column and for the rows what flows in."""

    __slots__ = ("columns", "kind", "node", "rows", "target")

    def __init__(self, kind: str, node: tree.Node, target: Table | None, rows: Flow) -> None:
        self.kind = kind
        self.node = node
        self.target = target
        self.columns: list[Made] = []
        self.rows = rows

    def column(self, name: str, node: tree.Node) -> Made:
        """Return the column of that name, made on first sight: several branches may write it."""
        for made in self.columns:
            if made.name == name:
                return made
        made = Made(name, {}, {}, (node.start, node.end))
        self.columns.append(made)
        return made


class ChangeResolver(RelationResolver):
    """Resolves statements. ``inner`` gathers the data-modifying statements of WITH clauses."""

    inner: list[Written]

    def written(self, statement: tree.Statement) -> Written:
        """Resolve a statement that has a data flow."""
        return self._STATEMENTS[type(statement)](self, statement)

    def modifying(self, statement: tree.Statement) -> Relation:
        before = self.ctes
        written = self.written(statement)
        self.ctes = before
        self.inner.append(written)
        returning: list[tree.Item] = getattr(statement, "returning", [])
        scope = Scope(None)
        name: tree.TableName = statement.target  # type: ignore[attr-defined]
        alias: str | None = statement.alias  # type: ignore[attr-defined]
        scope.visible += self._target_entry(name, alias, scope)
        for item in getattr(statement, "source", []):
            scope.visible += self.from_item(item, scope, {})
        # The rows that come back are those that were written, so what decided about those decides here.
        return Relation(self.outputs(returning, scope), dict(written.rows), {}, [])

    def _target_entry(self, name: tree.TableName, alias: str | None, scope: Scope) -> list[Entry]:
        reads = dict(self.reads)
        entry = self.table_entry(name, alias, None)
        self.reads = reads
        scope.add(entry)
        return [entry]

    def _with(self, ctes: tree.With | None) -> None:
        if ctes is not None:
            self.with_clause(ctes, None)

    # --- queries -------------------------------------------------------------------------------------

    def _query(self, node: tree.QueryStatement) -> Written:
        found = self.relation(node.query, None)
        written = Written("select", node, None, found.rows)
        written.columns = found.columns
        return written

    def _create_table_as(self, node: tree.CreateTableAs) -> Written:
        found = self.relation(node.query, None)
        return self._made_by_query("create_table_as", node, found, node.columns, node.temporary)

    def _create_view(self, node: tree.CreateView) -> Written:
        found = self.relation(node.query, None)
        kind = "create_materialized_view" if node.materialized else "create_view"
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
        table = self.tables.make(node.target.parts, known, temporary)
        written = Written(kind, node, table, found.rows)
        written.columns = [
            Made(name, made.values, made.conditions, made.span)
            for name, made in zip(names, found.columns, strict=False)
        ]
        return written

    # --- changes -------------------------------------------------------------------------------------

    def _insert(self, node: tree.Insert) -> Written:
        self._with(node.ctes)
        found = Relation([], {}, {}, []) if node.query is None else self.relation(node.query, None)
        table = self.tables.find(node.target.parts)
        written = Written("insert", node, table, found.rows)
        names = self._insert_names(node, table, found)
        for name, made in zip(names, found.columns, strict=False):
            if made.name == "*" and name != "*" and not node.columns:
                name = "*"
            written.columns.append(Made(name, made.values, made.conditions, made.span))
        if node.conflict is not None:
            self._conflict(node, node.conflict, written)
        return written

    def _insert_names(self, node: tree.Insert, table: Table, found: Relation) -> list[str]:
        if node.columns:
            if len(node.columns) != len(found.columns) and not found.open and node.query is not None:
                self.report(
                    "uneven_insert",
                    "error",
                    f"{len(node.columns)} columns are named, {len(found.columns)} are given",
                    (node.target.start, node.target.end),
                )
            return node.columns
        if table.columns is not None:
            return list(table.columns)
        if found.columns:
            self.report(
                "unknown_insert_columns",
                "warning",
                f"the columns of “{table.key}” are not known; those of the query are taken for them",
                (node.target.start, node.target.end),
                "name the columns, or give the table's",
            )
        return [made.name for made in found.columns]

    def _conflict(self, node: tree.Insert, conflict: tree.Conflict, written: Written) -> None:
        scope = Scope(None)
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
        scope.add(Entry("excluded", (), None, proposed, list(proposed.items())))
        scope.visible += target
        self._assign(conflict.assignments, scope, written)
        if conflict.where is not None:
            self.collect(conflict.where, scope, written.rows, written.rows, FILTER)

    def _assign(self, assignments: list[tree.Assignment], scope: Scope, written: Written) -> None:
        for assignment in assignments:
            value = assignment.value
            if len(assignment.columns) == 1:
                made = written.column(assignment.columns[0], value)
                self.collect(value, scope, made.values, made.conditions, IDENTITY)
            elif isinstance(value, tree.Row):
                for name, part in zip(assignment.columns, value.items, strict=False):
                    made = written.column(name, part)
                    self.collect(part, scope, made.values, made.conditions, IDENTITY)
            elif isinstance(value, tree.ScalarQuery):
                found = self.relation(value.query, scope)
                for name, column in zip(assignment.columns, found.columns, strict=False):
                    made = written.column(name, value)
                    carry(made.values, column.values, IDENTITY)
                    merge(made.conditions, column.conditions)
                    merge(made.conditions, found.rows)

    def _update(self, node: tree.Update) -> Written:
        self._with(node.ctes)
        written = Written("update", node, self.tables.find(node.target.parts), {})
        scope = Scope(None)
        scope.visible += self._target_entry(node.target, node.alias, scope)
        for item in node.source:
            scope.visible += self.from_item(item, scope, written.rows)
        self._assign(node.assignments, scope, written)
        if node.where is not None:
            self.collect(node.where, scope, written.rows, written.rows, FILTER)
        return written

    def _delete(self, node: tree.Delete) -> Written:
        self._with(node.ctes)
        written = Written("delete", node, self.tables.find(node.target.parts), {})
        scope = Scope(None)
        scope.visible += self._target_entry(node.target, node.alias, scope)
        for item in node.source:
            scope.visible += self.from_item(item, scope, written.rows)
        if node.where is not None:
            self.collect(node.where, scope, written.rows, written.rows, FILTER)
        return written

    def _merge(self, node: tree.Merge) -> Written:
        self._with(node.ctes)
        table = self.tables.find(node.target.parts)
        written = Written("merge", node, table, {})
        scope = Scope(None)
        scope.visible += self._target_entry(node.target, node.alias, scope)
        scope.visible += self.from_item(node.source, scope, written.rows)
        self.collect(node.condition, scope, written.rows, written.rows, JOIN)
        for branch in node.branches:
            if branch.condition is not None:
                self.collect(branch.condition, scope, written.rows, written.rows, FILTER)
            self._assign(branch.assignments, scope, written)
            names = branch.columns or list(table.columns or ())
            if branch.values and not names:
                self.report(
                    "unknown_insert_columns",
                    "warning",
                    f"the columns of “{table.key}” are not known, so what is inserted cannot be placed",
                    (branch.start, branch.end),
                    "name the columns, or give the table's",
                )
            for name, value in zip(names, branch.values, strict=False):
                made = written.column(name, value)
                self.collect(value, scope, made.values, made.conditions, IDENTITY)
        return written

    _STATEMENTS: ClassVar[dict[type[tree.Statement], Callable[..., Written]]] = {
        tree.QueryStatement: _query,
        tree.CreateTableAs: _create_table_as,
        tree.CreateView: _create_view,
        tree.Insert: _insert,
        tree.Update: _update,
        tree.Delete: _delete,
        tree.Merge: _merge,
    }


def table_columns(written: Written) -> tuple[str, ...]:
    """Return the columns of the target as far as they are known."""
    return () if written.target is None else written.target.columns or ()
