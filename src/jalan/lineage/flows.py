"""What flows out of an expression: the columns that carry its value and those that only decide about it.

One method a node class; ``tests/core`` proves that every class has one. Each adds to two flows: ``values`` and
``conditions``. Where the whole expression is a condition (WHERE, ON, a CASE condition …) both are the same flow
and ``how`` names the condition.
"""

from collections.abc import Callable
from typing import ClassVar

from jalan.lineage.extraction import (
    AGGREGATION,
    CONDITIONAL,
    FILTER,
    IDENTITY,
    SORT,
    TRANSFORMATION,
    VALUE_RANK,
    WINDOW,
    Diagnostic,
    Span,
)
from jalan.lineage.scope import Entry, Flow, Made, Merged, Reference, Relation, Scope
from jalan.sql import tree
from jalan.sql.dialect import Dialect

_COMPUTED = {IDENTITY: TRANSFORMATION}
_FOLDED = {IDENTITY: AGGREGATION, TRANSFORMATION: AGGREGATION}


def merge(target: Flow, source: Flow) -> None:
    """Add one flow to another as it is."""
    for key, spans in source.items():
        present = target.get(key)
        if present is None:
            target[key] = dict(spans)
        else:
            present.update(spans)


def carry(target: Flow, source: Flow, how: str) -> None:
    """Add what flows into a made column to a flow in which that column is used in the manner of ``how``."""
    rank = VALUE_RANK.get(how)
    for (table, column, inner), spans in source.items():
        used = how if rank is None or VALUE_RANK[inner] < rank else inner
        key = (table, column, used)
        present = target.get(key)
        if present is None:
            target[key] = dict(spans)
        else:
            present.update(spans)


def copy_flow(flow: Flow) -> Flow:
    """Return a flow that can be added to without touching the first."""
    return {key: dict(spans) for key, spans in flow.items()}


class FlowCollector:
    """Walks expressions of one statement. ``uses`` gathers every column that is named."""

    def __init__(self, dialect: Dialect) -> None:
        self.dialect = dialect
        self.uses: set[tuple[str, str]] = set()
        self.diagnostics: list[Diagnostic] = []

    def relation(self, query: tree.Query, parent: Scope | None) -> Relation:
        """Resolve a query inside an expression."""
        raise NotImplementedError

    def report(self, code: str, level: str, message: str, span: Span, hint: str = "") -> None:
        """Add a diagnostic, once for the same place."""
        if not any(d.code == code and d.span == span for d in self.diagnostics):
            self.diagnostics.append(Diagnostic(code, level, message, span, hint))

    def collect(self, node: tree.Expression, scope: Scope, values: Flow, conditions: Flow, how: str) -> None:
        """Add what flows into the expression."""
        self._EXPRESSIONS[type(node)](self, node, scope, values, conditions, how)

    # --- names ---------------------------------------------------------------------------------------

    def resolve(self, parts: tuple[str, ...], scope: Scope, span: Span) -> list[Reference]:
        """Return the columns that a name stands for: none, one, or every candidate where it is ambiguous."""
        if len(parts) == 1:
            return self._resolve_bare(parts[0], scope, span)
        column = parts[-1]
        entry = scope.entry(parts[0]) if len(parts) == 2 else None
        if entry is None:
            entry = scope.entry_by_parts(parts[:-1])
        if entry is None:
            self.report(
                "unknown_table_reference",
                "error",
                f"nothing in FROM is called “{'.'.join(parts[:-1])}”",
                span,
            )
            return []
        found = entry.find(column)
        if found is not None:
            return [found]
        if column not in self.dialect.system_columns:
            self._unknown_column(column, entry, span)
        return []

    def _unknown_column(self, column: str, entry: Entry, span: Span) -> None:
        near = ", ".join(name for name, _ in entry.order[:8])
        what = f"“{entry.key}”" if entry.key is not None else f"the query “{entry.name}”"
        self.report("unknown_column", "error", f"{what} has no column “{column}”", span, f"it has: {near}")

    def _resolve_bare(self, name: str, scope: Scope, span: Span) -> list[Reference]:
        guesses: list[Reference] = []
        level: Scope | None = scope
        while level is not None:
            found: list[Reference] = []
            doubled = False
            for entry in level.visible:
                if type(entry) is Merged:
                    if entry.name == name:
                        doubled = doubled or bool(found)
                        found += entry.references
                    continue
                assert isinstance(entry, Entry)
                column = entry.columns.get(name)
                if column is not None:
                    if name not in entry.hidden:
                        doubled = doubled or bool(found)
                        found.append(Reference(entry, column))
                elif entry.open and name not in entry.hidden:
                    guesses += [Reference(opened, name) for opened in entry.open]
            if found:
                if doubled or guesses:
                    # A table with unknown columns may have this one too, and would then be meant.
                    if doubled or any(guess.entry not in level.visible for guess in guesses):
                        self._ambiguous(name, found + guesses, span)
                        return found + guesses
                return found
            level = level.parent
        if not guesses:
            if name not in self.dialect.system_columns and scope.entry(name) is None:
                self.report("unknown_column", "error", f"no table in FROM has a column “{name}”", span)
            return []
        if len(guesses) > 1:
            self._ambiguous(name, guesses, span)
        return guesses

    def _ambiguous(self, name: str, candidates: list[Reference], span: Span) -> None:
        tables = ", ".join(sorted({c.entry.key or c.entry.name for c in candidates}))
        self.report(
            "ambiguous_column",
            "warning",
            f"“{name}” may be a column of any of: {tables}",
            span,
            "all of them are linked; qualify the column, or give the tables' columns",
        )

    def add(
        self,
        found: Reference,
        span: Span,
        values: Flow,
        conditions: Flow,
        how: str,
        named: bool = True,
    ) -> None:
        """Add a resolved column; ``named`` says that the text refers to this very column."""
        self._add(found.entry, found.column, span, values, conditions, how, named)

    def _add(
        self,
        entry: Entry,
        column: str | Made,
        span: Span,
        values: Flow,
        conditions: Flow,
        how: str,
        named: bool,
    ) -> None:
        if isinstance(column, str):
            table = entry.key or entry.name
            if named and column != "*":
                self.uses.add((table, column))
            key = (table, column, how)
            spans = values.get(key)
            if spans is None:
                values[key] = {span: None}
            else:
                spans[span] = None
        else:
            if named and column.stands_for:
                self.uses.update(column.stands_for)
            carry(values, column.values, how)
            if column.conditions:
                merge(conditions, column.conditions)

    def add_row(self, entry: Entry, span: Span, values: Flow, conditions: Flow, how: str) -> None:
        """Add all columns of a row that is passed whole. It names no column, so it adds no use."""
        for _, column in entry.order:
            self.add(Reference(entry, column), span, values, conditions, how, named=False)
        for opened in entry.open:
            self.add(Reference(opened, "*"), span, values, conditions, how, named=False)

    # --- one method a node class ---------------------------------------------------------------------

    def _column(self, node: tree.Column, scope: Scope, values: Flow, conditions: Flow, how: str) -> None:
        span = (node.start, node.end)
        parts = node.parts
        # The commonest cases first: a qualified column that is there, or a column of the only table.
        only: Entry | Merged | None = None
        if len(parts) == 2:
            only = scope.entry(parts[0])
        elif len(scope.visible) == 1 and len(parts) == 1:
            only = scope.visible[0]
        if type(only) is Entry:
            column = only.columns.get(parts[-1])
            if column is not None and not only.hidden:
                self._add(only, column, span, values, conditions, how, True)
                return
        found = self.resolve(parts, scope, span)
        for reference in found:
            self.add(reference, span, values, conditions, how)
        if not found and len(parts) == 1:
            entry = scope.entry(parts[0])
            if entry is not None:
                self.add_row(entry, span, values, conditions, how)

    def _star(self, node: tree.Star, scope: Scope, values: Flow, conditions: Flow, how: str) -> None:
        span = (node.start, node.end)
        if not node.parts:
            return
        entry = self.star_entry(node.parts, scope, span)
        if entry is not None:
            self.add_row(entry, span, values, conditions, how)

    def star_entry(self, parts: tuple[str, ...], scope: Scope, span: Span) -> Entry | None:
        """Return the entry whose star is meant by ``parts.*``."""
        entry = scope.entry(parts[0]) if len(parts) == 1 else scope.entry_by_parts(parts)
        if entry is None:
            name = ".".join(parts)
            self.report("unknown_table_reference", "error", f"nothing in FROM is called “{name}”", span)
        return entry

    def _nothing(self, node: tree.Expression, scope: Scope, values: Flow, conditions: Flow, how: str) -> None:
        pass

    def _unary(self, node: tree.Unary, scope: Scope, values: Flow, conditions: Flow, how: str) -> None:
        self.collect(node.argument, scope, values, conditions, _COMPUTED.get(how, how))

    def _binary(self, node: tree.Binary, scope: Scope, values: Flow, conditions: Flow, how: str) -> None:
        # Long chains lean to the left: walk down that side in a loop, then collect in the order of the text.
        how = _COMPUTED.get(how, how)
        rights = []
        left: tree.Expression = node
        while type(left) is tree.Binary:
            rights.append(left.right)
            left = left.left
        self.collect(left, scope, values, conditions, how)
        for right in reversed(rights):
            self.collect(right, scope, values, conditions, how)

    def _between(self, node: tree.Between, scope: Scope, values: Flow, conditions: Flow, how: str) -> None:
        how = _COMPUTED.get(how, how)
        for part in (node.argument, node.low, node.high):
            self.collect(part, scope, values, conditions, how)

    def _in_list(self, node: tree.InList, scope: Scope, values: Flow, conditions: Flow, how: str) -> None:
        how = _COMPUTED.get(how, how)
        self.collect(node.argument, scope, values, conditions, how)
        for item in node.items:
            if type(item) is not tree.Literal:
                self.collect(item, scope, values, conditions, how)

    def _in_query(self, node: tree.InQuery, scope: Scope, values: Flow, conditions: Flow, how: str) -> None:
        how = _COMPUTED.get(how, how)
        self.collect(node.argument, scope, values, conditions, how)
        self._add_relation(self.relation(node.query, scope), values, conditions, how)

    def _scalar_query(self, node: tree.ScalarQuery, scope: Scope, values: Flow, conditions: Flow, how: str) -> None:
        self._add_relation(self.relation(node.query, scope), values, conditions, how)

    def _array_query(self, node: tree.ArrayQuery, scope: Scope, values: Flow, conditions: Flow, how: str) -> None:
        relation = self.relation(node.query, scope)
        self._add_relation(relation, values, conditions, _FOLDED.get(how, how))
        merge(conditions, relation.order)

    def _add_relation(self, relation: Relation, values: Flow, conditions: Flow, how: str) -> None:
        for column in relation.columns:
            carry(values, column.values, how)
            merge(conditions, column.conditions)
        merge(conditions, relation.rows)

    def _exists(self, node: tree.Exists, scope: Scope, values: Flow, conditions: Flow, how: str) -> None:
        merge(conditions, self.relation(node.query, scope).rows)

    def _case(self, node: tree.Case, scope: Scope, values: Flow, conditions: Flow, how: str) -> None:
        how = _COMPUTED.get(how, how)
        if node.operand is not None:
            self.collect(node.operand, scope, conditions, conditions, CONDITIONAL)
        for branch in node.branches:
            self.collect(branch.condition, scope, conditions, conditions, CONDITIONAL)
            self.collect(branch.result, scope, values, conditions, how)
        if node.default is not None:
            self.collect(node.default, scope, values, conditions, how)

    def _cast(self, node: tree.Cast, scope: Scope, values: Flow, conditions: Flow, how: str) -> None:
        self.collect(node.argument, scope, values, conditions, _COMPUTED.get(how, how))

    def _items(
        self, node: tree.ArrayItems | tree.Row, scope: Scope, values: Flow, conditions: Flow, how: str
    ) -> None:
        how = _COMPUTED.get(how, how)
        for item in node.items:
            self.collect(item, scope, values, conditions, how)

    def _subscript(self, node: tree.Subscript, scope: Scope, values: Flow, conditions: Flow, how: str) -> None:
        how = _COMPUTED.get(how, how)
        self.collect(node.base, scope, values, conditions, how)
        for index in node.indexes:
            self.collect(index, scope, values, conditions, how)

    def _field(self, node: tree.Field, scope: Scope, values: Flow, conditions: Flow, how: str) -> None:
        base = node.base
        if type(base) is tree.Column and len(base.parts) == 1:
            entry = scope.entry(base.parts[0])
            if entry is not None and entry.find(node.name) is not None:
                found = self.resolve((base.parts[0], node.name), scope, (node.start, node.end))
                for reference in found:
                    self.add(reference, (node.start, node.end), values, conditions, how)
                return
        self.collect(base, scope, values, conditions, _COMPUTED.get(how, how))

    def _call(self, node: tree.Call, scope: Scope, values: Flow, conditions: Flow, how: str) -> None:
        name = node.parts[-1]
        if name == "grouping":
            ignored: Flow = {}
            for argument in node.arguments:
                self.collect(argument, scope, ignored, ignored, IDENTITY)
            return
        how = (_FOLDED if name in self.dialect.aggregates else _COMPUTED).get(how, how)
        for argument in node.arguments:
            self.collect(argument, scope, values, conditions, how)
        if node.order:
            for sort in node.order:
                if node.within_group:
                    self.collect(sort.key, scope, values, conditions, how)
                else:
                    self.collect(sort.key, scope, conditions, conditions, SORT)
        if node.filter is not None:
            self.collect(node.filter, scope, conditions, conditions, FILTER)
        if node.window is not None:
            self._window(node.window, scope, conditions)

    def _window(self, window: tree.Window, scope: Scope, conditions: Flow) -> None:
        seen: set[str] = set()
        current: tree.Window | None = window
        while current is not None:
            self.window_parts(current, scope, conditions)
            base = current.base
            if base is None or base in seen:
                return
            seen.add(base)
            current = scope.select_windows.get(base)
            if current is None:
                span = (window.start, window.end)
                self.report("unknown_window", "error", f"no window is called “{base}”", span)

    def window_parts(self, window: tree.Window, scope: Scope, conditions: Flow) -> None:
        """Add what a window is cut and sorted by."""
        for key in window.partition:
            self.collect(key, scope, conditions, conditions, WINDOW)
        for sort in window.order:
            self.collect(sort.key, scope, conditions, conditions, WINDOW)
        for bound in window.frame:
            self.collect(bound, scope, conditions, conditions, WINDOW)

    def passed_on(self, references: list[Reference], name: str, span: Span) -> Made:
        """Return the column that a star puts out for columns below it."""
        made = Made(name, {}, {}, span)
        for reference in references:
            self.add(reference, span, made.values, made.conditions, IDENTITY)
        return made

    def renamed(self, references: list[Reference], name: str, span: Span) -> Made:
        """Return a column that is only another name for columns below it, as a join's alias makes them."""
        made = Made(name, {}, {}, span)
        stands_for: list[tuple[str, str]] = []
        for reference in references:
            self.add(reference, span, made.values, made.conditions, IDENTITY, named=False)
            column = reference.column
            if isinstance(column, Made):
                stands_for += column.stands_for
            elif column != "*":
                stands_for.append((reference.entry.key or reference.entry.name, column))
        made.stands_for = tuple(stands_for)
        return made

    _EXPRESSIONS: ClassVar[dict[type[tree.Expression], Callable[..., None]]] = {
        tree.Column: _column,
        tree.Star: _star,
        tree.Literal: _nothing,
        tree.Parameter: _nothing,
        tree.Unary: _unary,
        tree.Binary: _binary,
        tree.Between: _between,
        tree.InList: _in_list,
        tree.InQuery: _in_query,
        tree.ScalarQuery: _scalar_query,
        tree.ArrayQuery: _array_query,
        tree.Exists: _exists,
        tree.Case: _case,
        tree.Cast: _cast,
        tree.ArrayItems: _items,
        tree.Row: _items,
        tree.Subscript: _subscript,
        tree.Field: _field,
        tree.Call: _call,
    }
