"""Tables in FROM that get another shape: PIVOT, UNPIVOT, MATCH_RECOGNIZE, and documents cut into columns."""

from jalan.lineage.flow import carry, copy_flow, join_path, merge, path_of
from jalan.lineage.model import CONDITIONAL, FILTER, GROUP_BY, IDENTITY, JOIN, TRANSFORMATION, WINDOW
from jalan.lineage.resolve.part import ResolverPart
from jalan.lineage.resolve.scope import Entry, Flow, Made, Scope
from jalan.sql import tree
from jalan.sql.dialects.dialect import Folding, PivotNames
from jalan.sql.walk import walk


class TableOperatorResolver(ResolverPart):
    """Resolves the clauses that reshape what stands before them."""

    def _inside(self, source: tree.FromItem, scope: Scope, rows: Flow) -> Scope:
        """The scope of what a clause reshapes: only that."""
        inner = Scope(scope.parent)
        inner.visible = self.resolver.from_clause.from_item(source, inner, rows)
        return inner

    def _pass_rest(self, inner: Scope, consumed: list[tree.Expression], span: tuple[int, int]) -> list[Made]:
        """The columns that no expression of a clause names, as they are."""
        fold = self.dialect.folding.apply
        columns = [node for e in consumed for node in walk(e) if isinstance(node, tree.Column)]
        names = {fold(part) for column in columns for part in column.parts}
        return [
            made
            for made in self.resolver.select_list.expand(tree.Star(*span, ()), inner)
            if fold(made.name) not in names
        ]

    def _entry(self, item: tree.FromItem, columns: list[Made], name: str = "") -> Entry:
        named = [made for made in columns if made.name != "*"]
        order: list[tuple[str, str | Made]] = [(made.name, made) for made in named]
        if item.columns:
            names = item.columns + [made.name for made in named[len(item.columns) :]]
            order = [(new, made) for new, made in zip(names, named, strict=False)]
        entry = Entry(item.alias or name, (), None, {}, order)
        for key, column in order:
            entry.columns.setdefault(key, column)
            if self.dialect.folding is Folding.UPPER:
                entry.columns.setdefault(key.upper(), column)
        return entry

    # --- pivot ---------------------------------------------------------------------------------------

    def pivot(self, item: tree.Pivot, scope: Scope, rows: Flow) -> Entry:
        """The aggregates, once for each value of the keys; the other columns are what is grouped by."""
        resolver = self.resolver
        inner = self._inside(item.source, scope, rows)
        span = (item.start, item.end)
        deciding: Flow = {}
        for key in item.keys:
            resolver.expressions.collect(key, inner, deciding, deciding, CONDITIONAL)
        made = []
        consumed = [*item.keys, *(aggregate.expression for aggregate in item.aggregates)]
        for aggregate in item.aggregates:
            column = Made(aggregate.alias or "", {}, copy_flow(deciding), (aggregate.start, aggregate.end))
            resolver.expressions.collect(aggregate.expression, inner, column.values, column.conditions, IDENTITY)
            made.append(column)
        if item.group is None:
            grouped = self._pass_rest(inner, consumed, span)
        else:
            grouped = resolver.select_list.outputs(
                [tree.SelectItem(g.start, g.end, g, None) for g in item.group], inner
            )
        for column in grouped:
            carry(rows, column.values, GROUP_BY)
        columns = list(grouped)
        if item.values is None:
            everything = Made("*", {}, {}, span)
            for column in made or [Made("", {}, deciding, span)]:
                merge(everything.values, column.values)
                merge(everything.conditions, column.conditions)
            entry = self._entry(item, columns, "pivot")
            entry.rest = everything
        else:
            for value in item.values:
                columns += [
                    Made(self._pivot_name(value, aggregate, len(made)), c.values, c.conditions, c.span)
                    for aggregate, c in zip(item.aggregates, made, strict=True)
                ]
            entry = self._entry(item, columns, "pivot")
        entry.open = inner.open_tables()
        return entry

    def _pivot_name(self, value: tree.SelectItem, aggregate: tree.SelectItem, aggregates: int) -> str:
        expression = value.expression
        if value.alias is not None:
            base: str = value.alias
        elif isinstance(expression, tree.Column):
            base = expression.parts[-1]
        else:
            base = self.env.text[expression.start : expression.end]
            quoted = self.dialect.folding is Folding.UPPER
            base = base if quoted else base.strip("'\"")
        name = aggregate.alias
        if name is None and aggregates > 1:
            name = self.env.text[aggregate.expression.start : aggregate.expression.end].replace(" ", "")
        names = self.dialect.pivot_names
        if name is None or names is PivotNames.VALUE or (names is PivotNames.VALUE_IF_ONE and aggregates == 1):
            return self.dialect.folding.named(base)
        both = f"{name}_{base}" if names is PivotNames.AGGREGATE_FIRST else f"{base}_{name}"
        return self.dialect.folding.named(both)

    def unpivot(self, item: tree.Unpivot, scope: Scope, rows: Flow) -> Entry:
        """Columns become rows: each value column holds the values of all columns in its place of the groups."""
        inner = self._inside(item.source, scope, rows)
        span = (item.start, item.end)
        values = [Made(name, {}, {}, span) for name in item.values]
        chosen: list[tree.Expression] = []
        for group in item.groups:
            for n, expression in enumerate(group):
                made = values[n % len(values)]
                if isinstance(expression, tree.Star | tree.Call) and self._stands_for_all(expression):
                    for column in self._chosen(expression, inner):
                        carry(made.values, column.values, IDENTITY)
                        chosen.append(tree.Column(column.span[0], column.span[1], (column.name,)))
                else:
                    self.resolver.expressions.collect(expression, inner, made.values, made.conditions, IDENTITY)
        consumed = chosen + [expression for group in item.groups for expression in group]
        for made in values:
            carry(rows, made.values, FILTER)  # rows without a value are left out
        columns = [*self._pass_rest(inner, consumed, span), Made(item.key, {}, {}, span), *values]
        entry = self._entry(item, columns, "unpivot")
        entry.open = inner.open_tables()
        return entry

    def _chosen(self, expression: tree.Star | tree.Call, inner: Scope) -> list[Made]:
        """The columns that a star or ``COLUMNS(…)`` stands for."""
        if isinstance(expression, tree.Call):
            return self.resolver.select_list.chosen_columns(expression, inner)
        return self.resolver.select_list.expand(expression, inner)

    @staticmethod
    def _stands_for_all(expression: tree.Expression) -> bool:
        return isinstance(expression, tree.Star) or (
            isinstance(expression, tree.Call) and expression.parts[-1].lower() == "columns"
        )

    # --- patterns over rows --------------------------------------------------------------------------

    def match_recognize(self, item: tree.MatchRecognize, scope: Scope, rows: Flow) -> Entry:
        """What defines the pattern, cuts and sorts the rows decides which there are; measures are the columns."""
        resolver = self.resolver
        inner = self._inside(item.source, scope, rows)
        span = (item.start, item.end)
        for visible in list(inner.visible):
            if isinstance(visible, Entry):
                for symbol in item.symbols:
                    alias = Entry(symbol, (), visible.key, visible.columns, visible.order, visible.open)
                    inner.add(alias)
        for key in item.partition:
            resolver.expressions.collect(key, inner, rows, rows, WINDOW)
        for sort in item.order:
            resolver.expressions.collect(sort.key, inner, rows, rows, WINDOW)
        for condition in item.defines:
            resolver.expressions.collect(condition, inner, rows, rows, FILTER)
        if item.all_rows:
            columns = resolver.select_list.expand(tree.Star(*span, ()), inner)
        else:
            columns = resolver.select_list.outputs(
                [tree.SelectItem(p.start, p.end, p, None) for p in item.partition], inner
            )
        columns += resolver.select_list.outputs(item.measures, inner)
        entry = self._entry(item, columns, "match_recognize")
        if item.all_rows:
            entry.open = inner.open_tables()
        return entry

    # --- documents -----------------------------------------------------------------------------------

    def shredded(self, item: tree.Shredded, scope: Scope, rows: Flow) -> Entry:
        """Each column is a part of the document, which also decides how many rows there are."""
        resolver = self.resolver
        span = (item.start, item.end)
        document = Made("", {}, {}, span)
        resolver.expressions.collect(item.arguments[0], scope, document.values, document.conditions, IDENTITY)
        below = ""
        for argument in item.arguments[1:]:
            resolver.expressions.collect(argument, scope, rows, rows, JOIN)
            if isinstance(argument, tree.Literal) and item.name != "xmltable":
                below = path_of(self.env.text[argument.start : argument.end])
        carry(rows, document.values, JOIN)
        merge(rows, document.conditions)
        columns = []
        for name, path, expressions in item.fields:
            made = Made(name, {}, {}, span)
            for expression in expressions:
                resolver.expressions.collect(expression, scope, made.values, made.conditions, TRANSFORMATION)
            if path is not None:
                carry(made.values, document.values, TRANSFORMATION, (join_path(below, path_of(path)), False))
                merge(made.conditions, document.conditions)
            columns.append(made)
        return self._entry(item, columns, item.name)
