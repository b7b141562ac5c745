"""What flows out of an expression: the columns that carry its value and those that only decide about it.

One method a node class; ``tests/core`` proves that every class has one. Each adds to two flows: ``values`` and
``conditions``. Where the whole expression is a condition (WHERE, ON, a CASE condition …) both are the same flow
and ``how`` names the condition.
"""

from collections.abc import Callable, Collection

from jalan.lineage.flow import carry, join_path, merge, path_of
from jalan.lineage.model import AGGREGATION, CONDITIONAL, FILTER, IDENTITY, SORT, TRANSFORMATION, WINDOW, Span
from jalan.lineage.resolve.functions import ROW_FUNCTIONS
from jalan.lineage.resolve.names import NOWHERE
from jalan.lineage.resolve.part import ResolverPart
from jalan.lineage.resolve.scope import Entry, Flow, Made, Merged, Reference, Relation, Scope
from jalan.sql import tree

_LISTS = frozenset({"listagg", "string_agg", "array_agg", "xmlagg", "group_concat", "collect", "wm_concat"})
_ORDINALS = {"offset": 0, "safe_offset": 0, "ordinal": 1, "safe_ordinal": 1}
_XML_METHODS = frozenset({"value", "query", "exist", "nodes", "modify"})
_ARROWS = frozenset({"->", "->>", "#>", "#>>"})
_COMPUTED = {IDENTITY: TRANSFORMATION}
_FOLDED = {IDENTITY: AGGREGATION, TRANSFORMATION: AGGREGATION}


class ExpressionResolver(ResolverPart):
    """Walks expressions of one statement. ``multiplying`` gathers the calls that make many rows of one."""

    def collect(self, node: tree.Expression, scope: Scope, values: Flow, conditions: Flow, how: str) -> None:
        """Add what flows into the expression."""
        COLLECTORS[type(node)](self, node, scope, values, conditions, how)

    # --- one method a node class ---------------------------------------------------------------------

    def _column(self, node: tree.Column, scope: Scope, values: Flow, conditions: Flow, how: str) -> None:
        resolver = self.resolver
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
                if self.env.tracer is not None:
                    self.env.tracer.touch(only, column, values is conditions)
                resolver.names.add_column(only, column, span, values, conditions, how, True)
                return
        found = resolver.names.resolve(parts, scope, span)
        for reference in found:
            resolver.names.add(reference, span, values, conditions, how)
        if not found and len(parts) == 1:
            entry = scope.entry(parts[0])
            if entry is not None:
                resolver.names.add_row(entry, span, values, conditions, how)

    def _star(self, node: tree.Star, scope: Scope, values: Flow, conditions: Flow, how: str) -> None:
        span = (node.start, node.end)
        if node.modifiers is not None or not node.parts:
            if node.parts or self.dialect.star_arguments or self.dialect.columns_calls:
                self._all_columns(node, scope, values, conditions, how)
            return
        entry = self.star_entry(node.parts, scope, span)
        if entry is not None:
            self.resolver.names.add_row(entry, span, values, conditions, how)

    def _all_columns(self, star: tree.Star, scope: Scope, values: Flow, conditions: Flow, how: str) -> None:
        for made in self.resolver.select_list.star_columns(star, scope):
            self.resolver.names.add(
                Reference(NOWHERE, made), (star.start, star.end), values, conditions, how, named=False
            )

    def star_entry(self, parts: tuple[str, ...], scope: Scope, span: Span) -> Entry | None:
        """Return the entry whose star is meant by ``parts.*``."""
        entry = scope.entry(parts[0]) if len(parts) == 1 else scope.entry_by_parts(parts)
        if entry is None:
            name = ".".join(parts)
            self.env.report("unknown_table_reference", "error", f"nothing in FROM is called “{name}”", span)
        return entry

    def _nothing(self, node: tree.Expression, scope: Scope, values: Flow, conditions: Flow, how: str) -> None:
        pass

    def _parameter(self, node: tree.Parameter, scope: Scope, values: Flow, conditions: Flow, how: str) -> None:
        env = self.env
        written = env.text[node.start : node.end]
        if "{{" in written or "${" in written:
            called = "(" in written
            message = "what stands here, columns maybe, is decided by a template"
            env.report("opaque_name", "warning" if called else "info", message, (node.start, node.end))
            return
        made = env.variable(written) if env.variables else None
        if made is not None:
            self.resolver.names.add(Reference(NOWHERE, made), (node.start, node.end), values, conditions, how)

    def _unary(self, node: tree.Unary, scope: Scope, values: Flow, conditions: Flow, how: str) -> None:
        self.collect(node.argument, scope, values, conditions, _COMPUTED.get(how, how))

    def _binary(self, node: tree.Binary, scope: Scope, values: Flow, conditions: Flow, how: str) -> None:
        # Long chains lean to the left: walk down that side in a loop, then collect in the order of the text.
        if node.operator in _ARROWS and self._json_path(node, scope, values, conditions, how):
            return
        how = _COMPUTED.get(how, how)
        rights = []
        left: tree.Expression = node
        while type(left) is tree.Binary:
            rights.append(left.right)
            left = left.left
        self.collect(left, scope, values, conditions, how)
        for right in reversed(rights):
            self.collect(right, scope, values, conditions, how)

    def _json_path(self, node: tree.Binary, scope: Scope, values: Flow, conditions: Flow, how: str) -> bool:
        """Add ``column -> 'a' ->> 'b'`` with its path, if all of its steps are constants."""
        steps: list[str] = []
        base: tree.Expression = node
        while type(base) is tree.Binary and base.operator in _ARROWS:
            if type(base.right) is not tree.Literal:
                return False
            steps.append(path_of(self.env.text[base.right.start : base.right.end]))
            base = base.left
        path = ""
        for step in reversed(steps):
            path = join_path(path, step)
        self.resolver.elements.collect_part(base, path, scope, values, conditions, _COMPUTED.get(how, how))
        return True

    def part_of_whole(
        self, base: tree.Expression, path: str, scope: Scope, values: Flow, conditions: Flow, how: str
    ) -> None:
        """Add what flows into a part of an expression's value."""
        flow: Flow = {}
        self.collect(base, scope, flow, conditions, IDENTITY)
        carry(values, flow, how, (path, False))

    def _path(self, node: tree.Path, scope: Scope, values: Flow, conditions: Flow, how: str) -> None:
        self.resolver.elements.collect_part(
            node.base, str(node.path), scope, values, conditions, _COMPUTED.get(how, how)
        )

    def _lambda(self, node: tree.Lambda, scope: Scope, values: Flow, conditions: Flow, how: str) -> None:
        inner = self._with_names(node.parameters, scope, (node.start, node.end))
        self.collect(node.body, inner, values, conditions, _COMPUTED.get(how, how))

    def _comprehension(
        self, node: tree.Comprehension, scope: Scope, values: Flow, conditions: Flow, how: str
    ) -> None:
        how = _COMPUTED.get(how, how)
        self.collect(node.source, scope, values, conditions, how)
        inner = self._with_names(node.names, scope, (node.start, node.end))
        self.collect(node.item, inner, values, conditions, how)
        if node.condition is not None:
            self.collect(node.condition, inner, conditions, conditions, CONDITIONAL)

    @staticmethod
    def _with_names(names: list[str], scope: Scope, span: Span) -> Scope:
        """A scope in which these names are bound; what they hold comes with the list that is walked."""
        inner = Scope(scope)
        columns: dict[str, str | Made] = {name: Made(name, {}, {}, span) for name in names}
        entry = Entry("", (), None, columns, list(columns.items()))
        entry.rest = None
        inner.visible.append(entry)
        for name, made in columns.items():
            assert isinstance(made, Made)
            inner.add(Entry(name, (), None, {}, [], rest=made))
        return inner

    def _struct(self, node: tree.Struct, scope: Scope, values: Flow, conditions: Flow, how: str) -> None:
        how = _COMPUTED.get(how, how)
        for item in node.items:
            self.collect(item, scope, values, conditions, how)

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
        self._add_relation(self.resolver.queries.relation(node.query, scope), values, conditions, how)

    def _scalar_query(self, node: tree.ScalarQuery, scope: Scope, values: Flow, conditions: Flow, how: str) -> None:
        self._add_relation(self.resolver.queries.relation(node.query, scope), values, conditions, how)

    def _array_query(self, node: tree.ArrayQuery, scope: Scope, values: Flow, conditions: Flow, how: str) -> None:
        relation = self.resolver.queries.relation(node.query, scope)
        self._add_relation(relation, values, conditions, _FOLDED.get(how, how))
        merge(conditions, relation.order)

    def _add_relation(self, relation: Relation, values: Flow, conditions: Flow, how: str) -> None:
        for column in relation.columns:
            carry(values, column.values, how)
            merge(conditions, column.conditions)
            if self.env.tracer is not None and values is not conditions:
                self.env.tracer.take(column)
        merge(conditions, relation.rows)

    def _dynamic_query(
        self, node: tree.DynamicQuery, scope: Scope, values: Flow, conditions: Flow, how: str
    ) -> None:
        message = "this query is put together while it runs; what it puts out is not known"
        self.env.report("dynamic_sql", "warning", message, (node.start, node.end))

    def _exists(self, node: tree.Exists, scope: Scope, values: Flow, conditions: Flow, how: str) -> None:
        merge(conditions, self.resolver.queries.relation(node.query, scope).rows)

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
        indexes = node.indexes
        only = indexes[0] if len(indexes) == 1 else None
        if type(only) is tree.Call and only.parts[-1].lower() in _ORDINALS and len(only.arguments) == 1:
            place = self.env.text[only.arguments[0].start : only.arguments[0].end]
            if place.isdigit():
                first = _ORDINALS[only.parts[-1].lower()]
                self.resolver.elements.collect_part(
                    node.base, f"[{int(place) - first}]", scope, values, conditions, how
                )
                return
        if len(indexes) == 1 and type(indexes[0]) is tree.Literal:
            step = self.env.text[indexes[0].start : indexes[0].end]
            self.resolver.elements.collect_part(node.base, path_of(step), scope, values, conditions, how)
            return
        self.collect(node.base, scope, values, conditions, how)
        for index in indexes:
            self.collect(index, scope, values, conditions, how)

    def _field(self, node: tree.Field, scope: Scope, values: Flow, conditions: Flow, how: str) -> None:
        env = self.env
        base = node.base
        span = (node.start, node.end)
        if type(base) is tree.Parameter:  # :new.port in a trigger
            word = env.text[base.start : base.end].lstrip(":")
            base = tree.Column(base.start, base.end, (env.spelled(word),))
        if type(base) is tree.Call and len(base.parts) == 1 and base.parts[0] in env.variables:
            base = tree.Column(base.start, base.end, base.parts)  # a field of an element of a collection
        if type(base) is tree.Column and self._field_of_column(
            base, node.name, span, scope, values, conditions, how
        ):
            return
        if type(base) is tree.Struct and node.name in base.names:
            self.collect(
                base.items[base.names.index(node.name)], scope, values, conditions, _COMPUTED.get(how, how)
            )
            return
        self.resolver.elements.collect_part(
            base, str(node.name), scope, values, conditions, _COMPUTED.get(how, how)
        )

    def _field_of_column(
        self,
        base: tree.Column,
        name: str,
        span: Span,
        scope: Scope,
        values: Flow,
        conditions: Flow,
        how: str,
    ) -> bool:
        """Add ``(row).name``, where the row is that of a table in FROM, or a column that holds one."""
        resolver = self.resolver
        entry = scope.entry(base.parts[0]) if len(base.parts) == 1 else None
        if entry is not None and entry.find(name) is not None:
            references = resolver.names.resolve((base.parts[0], name), scope, span)
        elif entry is None:
            references = [
                Reference(found.entry, found.column, join_path(found.path, name), found.possible)
                for found in resolver.names.resolve(base.parts, scope, span)
            ]
        else:
            return False
        for reference in references:
            resolver.names.add(reference, span, values, conditions, how)
        return bool(references)

    def _call(self, node: tree.Call, scope: Scope, values: Flow, conditions: Flow, how: str) -> None:
        env = self.env
        name = node.parts[-1]
        arguments = node.arguments
        if env.variables and len(node.parts) == 1 and name in env.variables:
            self._column(tree.Column(node.start, node.end, node.parts), scope, values, conditions, how)
            return  # an element of a collection
        if not env.lower:
            name = name.lower()
        if name in env.special_calls:
            if self._special_call(name, node, scope, values, conditions, how):
                return
        if self.dialect.row_functions and len(arguments) == 1 and len(node.parts) == 1:
            only = arguments[0]  # port(sailings) is sailings.port
            if type(only) is tree.Column and len(only.parts) == 1 and name not in self.dialect.aggregates:
                entry = scope.entry(only.parts[0])
                if entry is not None and name in entry.columns and not self.names_column(only.parts[0], scope):
                    self._column(
                        tree.Column(node.start, node.end, (*only.parts, name)), scope, values, conditions, how
                    )
                    return
        how = (_FOLDED if name in self.dialect.aggregates else _COMPUTED).get(how, how)
        if node.star and self.dialect.star_arguments and name not in ("count", "count_big"):
            self._all_columns(tree.Star(node.start, node.end, ()), scope, values, conditions, how)
        if len(node.parts) > 1 and self.dialect.methods and self.is_method(node.parts[:-1], name, scope):
            column = tree.Column(node.start, node.end, node.parts[:-1])
            self.collect(column, scope, values, conditions, how)
        deciding = self._deciding(name, arguments) if name in self.dialect.deciding else ()
        for i, argument in enumerate(arguments):
            if i in deciding:
                self.collect(argument, scope, conditions, conditions, CONDITIONAL)
            else:
                self.collect(argument, scope, values, conditions, how)
        if node.order:
            for sort in node.order:
                if node.within_group and name not in _LISTS:
                    self.collect(sort.key, scope, values, conditions, how)
                else:
                    self.collect(sort.key, scope, conditions, conditions, SORT)
        if node.filter is not None:
            self.collect(node.filter, scope, conditions, conditions, FILTER)
        if node.having is not None:
            self.collect(node.having, scope, conditions, conditions, FILTER)
        if node.window is not None:
            self._window(node.window, scope, conditions)

    @staticmethod
    def names_column(name: str, scope: Scope) -> bool:
        """Whether a table of this FROM has, or may have, a column of that name."""
        return any(type(v) is Entry and (name in v.columns or bool(v.open)) for v in scope.visible)

    def is_method(self, parts: tuple[str, ...], method: str, scope: Scope) -> bool:
        """Whether ``parts.method(…)`` calls a method of a column, rather than a function of a schema."""
        if len(parts) > 1 and scope.entry(parts[0]) is not None:
            return True
        level: Scope | None = scope
        first: object = parts[0]
        open_ = False
        while level is not None:
            for visible in level.visible:
                if type(visible) is Merged:
                    if visible.name == first:
                        return True
                elif isinstance(visible, Entry):
                    if parts[0] in visible.columns:
                        return True
                    open_ = open_ or bool(visible.open)
            level = level.parent
        if parts[0] in self.env.variables:
            return True
        return open_ and len(parts) == 1 and (self.dialect.methods_of_unknown or method in _XML_METHODS)

    def _deciding(self, name: str, arguments: list[tree.Expression]) -> Collection[int]:
        """Return which arguments of a call only decide: all that DECODE compares, the condition of IF."""
        rule = self.dialect.deciding[name]
        if rule != "search":
            return (int(rule),)
        last = len(arguments) - 1
        return {i for i in range(len(arguments)) if i == 0 or (i % 2 == 1 and i < last)} if last > 1 else ()

    def _special_call(
        self, name: str, node: tree.Call, scope: Scope, values: Flow, conditions: Flow, how: str
    ) -> bool:
        """Collect a call whose arguments are not all values; returns False if it is an ordinary one after all."""
        resolver = self.resolver
        env = self.env
        if name == "values" and env.proposed is not None and len(node.arguments) == 1:
            column = node.arguments[0]  # MySQL's VALUES(column) behind ON DUPLICATE KEY UPDATE
            if isinstance(column, tree.Column) and column.parts[-1] in env.proposed:
                made = env.proposed[column.parts[-1]]
                resolver.names.add(Reference(NOWHERE, made), (node.start, node.end), values, conditions, how)
                return True
        arguments = node.arguments
        if name in ("grouping", "grouping_id"):
            ignored: Flow = {}
            for argument in arguments:
                self.collect(argument, scope, ignored, ignored, IDENTITY)
            return True
        if name in self.dialect.name_functions:
            return True
        if name == "columns":
            chosen = (
                [env.current_column]
                if env.current_column is not None
                else resolver.select_list.chosen_columns(node, scope)
            )
            for made in chosen:
                resolver.names.add(Reference(NOWHERE, made), (node.start, node.end), values, conditions, how)
            return True
        if name in ROW_FUNCTIONS:
            env.multiplying.append((node, scope))
            return False
        if name in env.routines and resolver.calls.inline(name, node, scope, values, conditions, how):
            return True
        place = self.dialect.paths.get(name)
        if place is not None and len(arguments) > place and type(arguments[place]) is tree.Literal:
            steps = [path_of(env.text[a.start : a.end]) for a in arguments[place:] if type(a) is tree.Literal]
            path = ".".join(steps) if name.startswith(("jsonb_extract", "json_extract_path")) else steps[0]
            resolver.elements.collect_part(arguments[0], path, scope, values, conditions, _COMPUTED.get(how, how))
            return True
        return False

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
                self.env.report("unknown_window", "error", f"no window is called “{base}”", span)

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
            self.resolver.names.add(reference, span, made.values, made.conditions, IDENTITY)
            if isinstance(reference.column, Made):
                made.fields, made.origin = reference.column.fields, reference.column.origin
            if self.env.tracer is not None:
                self.env.tracer.pass_on(made, reference.entry, reference.column)
        return made

    def renamed(self, references: list[Reference], name: str, span: Span) -> Made:
        """Return a column that is only another name for columns below it, as a join's alias makes them."""
        made = Made(name, {}, {}, span)
        stands_for: list[tuple[str, str]] = []
        for reference in references:
            self.resolver.names.add(reference, span, made.values, made.conditions, IDENTITY, named=False)
            column = reference.column
            if isinstance(column, Made):
                stands_for += column.stands_for
            elif column != "*":
                stands_for.append((reference.entry.key or reference.entry.name, column))
        made.stands_for = tuple(stands_for)
        return made


COLLECTORS: dict[type[tree.Expression], Callable[..., None]] = {
    tree.Column: ExpressionResolver._column,
    tree.Star: ExpressionResolver._star,
    tree.Literal: ExpressionResolver._nothing,
    tree.Descriptor: ExpressionResolver._nothing,
    tree.Parameter: ExpressionResolver._parameter,
    tree.Unary: ExpressionResolver._unary,
    tree.Binary: ExpressionResolver._binary,
    tree.Between: ExpressionResolver._between,
    tree.InList: ExpressionResolver._in_list,
    tree.InQuery: ExpressionResolver._in_query,
    tree.ScalarQuery: ExpressionResolver._scalar_query,
    tree.TableArgument: ExpressionResolver._scalar_query,
    tree.ArrayQuery: ExpressionResolver._array_query,
    tree.DynamicQuery: ExpressionResolver._dynamic_query,
    tree.Exists: ExpressionResolver._exists,
    tree.Case: ExpressionResolver._case,
    tree.Cast: ExpressionResolver._cast,
    tree.ArrayItems: ExpressionResolver._items,
    tree.Row: ExpressionResolver._items,
    tree.Subscript: ExpressionResolver._subscript,
    tree.Field: ExpressionResolver._field,
    tree.Call: ExpressionResolver._call,
    tree.Lambda: ExpressionResolver._lambda,
    tree.Comprehension: ExpressionResolver._comprehension,
    tree.Struct: ExpressionResolver._struct,
    tree.Path: ExpressionResolver._path,
}
