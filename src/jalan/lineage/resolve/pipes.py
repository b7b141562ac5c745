"""Pipes: the row that comes down, step by step."""

from collections.abc import Callable

from jalan.lineage.flow import carry, merge
from jalan.lineage.model import FILTER, GROUP_BY, IDENTITY, SORT
from jalan.lineage.resolve.part import ResolverPart
from jalan.lineage.resolve.scope import Entry, Flow, Made, Relation, Scope
from jalan.sql import tree


class _Pipe:
    """What comes down a pipe: its columns (``scope.visible``), the names that tables before it have given
    (``scope.entries``), what has decided about the rows, and their order."""

    def __init__(self, parent: Scope | None) -> None:
        self.scope = Scope(parent)
        self.rows: Flow = {}
        self.order: Flow = {}


class PipeResolver(ResolverPart):
    """Resolves pipes."""

    def pipeline(self, body: tree.Pipeline, parent: Scope | None) -> Relation:
        resolver = self.resolver
        before = self.env.ctes
        pipe = _Pipe(parent)
        if body.first is not None:
            found = resolver.queries.relation(body.first, parent)
            merge(pipe.rows, found.rows)
            pipe.order = found.order
            self._put(pipe, found.columns, found.open)
        for source in body.source:
            pipe.scope.visible += resolver.from_clause.from_item(source, pipe.scope, pipe.rows)
        for step in body.steps:
            _STEPS[step.operator](self, step, pipe)
        self.env.ctes = before
        columns = resolver.select_list.expand(tree.Star(body.start, body.end, ()), pipe.scope)
        return Relation(columns, pipe.rows, pipe.order, pipe.scope.open_tables())

    def _put(self, pipe: _Pipe, columns: list[Made], opened: list[Entry], alias: str = "") -> None:
        """Let these columns be what comes down, and all that there are."""
        named: list[tuple[str, str | Made]] = [(made.name, made) for made in columns if made.name != "*"]
        entry = Entry(alias, (), None, {}, named, list(opened))
        for name, made in named:
            entry.columns.setdefault(name, made)
        stars = [made for made in columns if made.name == "*"]
        if stars and not opened:
            entry.rest = stars[0]
        pipe.scope = Scope(pipe.scope.parent)
        pipe.scope.visible = [entry]
        if alias:
            pipe.scope.add(entry)

    def _row(self, pipe: _Pipe, step: tree.PipeStep) -> tuple[list[Made], list[Entry]]:
        """The columns that come down, one by one, and the tables with further columns."""
        opened = pipe.scope.open_tables()
        columns = self.resolver.select_list.expand(tree.Star(step.start, step.end, ()), pipe.scope)
        return [made for made in columns if made.name != "*" or not opened], opened

    def _changed(self, pipe: _Pipe, columns: list[Made], opened: list[Entry]) -> None:
        """Let these columns come down; the names of tables go on to be known."""
        entries = pipe.scope.entries
        self._put(pipe, columns, opened)
        pipe.scope.entries = list(entries)

    def _piped_items(self, step: tree.PipeStep, pipe: _Pipe) -> list[Made]:
        env = self.env
        pipe.scope.select_windows = step.windows or {}
        if self.dialect.lateral_aliases:
            pipe.scope.aliases = {}
        around, env.multiplying = env.multiplying, []
        found = self.resolver.select_list.outputs(step.items, pipe.scope)
        self.resolver.queries.decided_by_multiplying(pipe.rows)
        env.multiplying = around
        pipe.scope.aliases = None
        return found

    def _select_step(self, step: tree.PipeStep, pipe: _Pipe) -> None:
        found = self._piped_items(step, pipe)
        opened = self.resolver.queries.open_stars(step.items, pipe.scope)
        self._put(pipe, found, opened)
        if step.all:
            self._distinct_step(step, pipe)

    def _extend_step(self, step: tree.PipeStep, pipe: _Pipe) -> None:
        found = self._piped_items(step, pipe)
        columns, opened = self._row(pipe, step)
        self._changed(pipe, columns + found, opened)

    def _set_step(self, step: tree.PipeStep, pipe: _Pipe) -> None:
        columns, opened = self._row(pipe, step)
        values = {made.name: made for made in self._piped_items(step, pipe)}
        columns = [values.pop(made.name, made) for made in columns]
        self._changed(pipe, columns + list(values.values()), opened)

    def _drop_step(self, step: tree.PipeStep, pipe: _Pipe) -> None:
        columns, opened = self._row(pipe, step)
        gone = {name for (name,) in step.names or ()}
        self._changed(pipe, [made for made in columns if made.name not in gone], opened)

    def _rename_step(self, step: tree.PipeStep, pipe: _Pipe) -> None:
        columns, opened = self._row(pipe, step)
        names = {names[0]: names[-1] for names in step.names or ()}
        renamed = [
            self.resolver.names.under_name(names.pop(made.name), made) if made.name in names else made
            for made in columns
        ]
        for old, new in names.items():  # a column of a table that nobody knows
            made = Made(new, {}, {}, (step.start, step.end))
            self.resolver.expressions.collect(
                tree.Column(*made.span, (old,)), pipe.scope, made.values, made.conditions, IDENTITY
            )
            renamed.append(made)
        self._changed(pipe, renamed, opened)

    def _as_step(self, step: tree.PipeStep, pipe: _Pipe) -> None:
        columns, opened = self._row(pipe, step)
        self._put(pipe, columns, opened, (step.names or [("",)])[0][0])

    def _where_step(self, step: tree.PipeStep, pipe: _Pipe) -> None:
        assert step.condition is not None
        self.resolver.expressions.collect(step.condition, pipe.scope, pipe.rows, pipe.rows, FILTER)

    def _assert_step(self, step: tree.PipeStep, pipe: _Pipe) -> None:
        assert step.condition is not None
        ignored: Flow = {}  # it stops the query, and decides nothing else
        self.resolver.expressions.collect(step.condition, pipe.scope, ignored, ignored, FILTER)

    def _aggregate_step(self, step: tree.PipeStep, pipe: _Pipe) -> None:
        groups = self.resolver.select_list.outputs(step.group, pipe.scope)
        found = self._piped_items(step, pipe)
        pipe.order = {}
        for made in groups:
            carry(pipe.rows, made.values, GROUP_BY)
            merge(pipe.rows, made.conditions)
            if step.all:
                carry(pipe.order, made.values, SORT)
        self._put(pipe, groups + found, [])

    def _distinct_step(self, step: tree.PipeStep, pipe: _Pipe) -> None:
        columns, opened = self._row(pipe, step)
        found = Relation(columns, pipe.rows, {}, [])
        self.resolver.queries.distinct(found)
        self._changed(pipe, columns, opened)

    def _order_step(self, step: tree.PipeStep, pipe: _Pipe) -> None:
        pipe.order = {}
        for sort in step.order or ():
            self.resolver.expressions.collect(sort.key, pipe.scope, pipe.order, pipe.order, SORT)

    def _limit_step(self, step: tree.PipeStep, pipe: _Pipe) -> None:
        for limit in step.limit or ():
            self.resolver.expressions.collect(limit, pipe.scope, pipe.rows, pipe.rows, FILTER)
        if step.operator == "limit":
            merge(pipe.rows, pipe.order)

    def _source_step(self, step: tree.PipeStep, pipe: _Pipe) -> None:
        env = self.env
        assert step.source is not None
        around, env.piped = env.piped, list(pipe.scope.visible)
        entries = list(pipe.scope.entries)
        scope = Scope(pipe.scope.parent)
        scope.entries = [entry for entry in entries if step.operator == "join"]
        visible = self.resolver.from_clause.from_item(step.source, scope, pipe.rows)
        env.piped = around
        scope.visible = visible
        pipe.scope = scope

    def _combined_step(self, step: tree.PipeStep, pipe: _Pipe) -> None:
        columns, opened = self._row(pipe, step)
        found = Relation(columns, pipe.rows, {}, opened)
        for query in step.queries or ():
            right = self.resolver.queries.relation(query, pipe.scope.parent)
            body = query.body
            operation = tree.SetOperation(
                step.start, step.end, step.operator, step.all, body, body, step.names is not None
            )
            self.resolver.queries.combine(operation, found, right)
        pipe.rows = found.rows
        self._put(pipe, found.columns, found.open)

    def _call_step(self, step: tree.PipeStep, pipe: _Pipe) -> None:
        """A table function over the input: what it puts out, nobody says; all of the input may go into it."""
        assert step.condition is not None
        columns, _ = self._row(pipe, step)
        made = Made("*", {}, {}, (step.start, step.end))
        for column in columns:
            merge(made.values, column.values)
            merge(made.conditions, column.conditions)
        self.resolver.expressions.collect(
            step.condition, Scope(pipe.scope.parent), made.values, made.conditions, IDENTITY
        )
        message = "what this function puts out is not known"
        self.env.report("not_followed", "warning", message, (step.start, step.end))
        alias = (step.names or [("",)])[0][0]
        self._put(pipe, [made], [], alias)

    def _with_step(self, step: tree.PipeStep, pipe: _Pipe) -> None:
        if step.ctes is not None:
            self.resolver.queries.with_clause(step.ctes, pipe.scope.parent)


_STEPS: dict[str, Callable[[PipeResolver, tree.PipeStep, _Pipe], None]] = {
    "select": PipeResolver._select_step,
    "extend": PipeResolver._extend_step,
    "window": PipeResolver._extend_step,
    "set": PipeResolver._set_step,
    "drop": PipeResolver._drop_step,
    "rename": PipeResolver._rename_step,
    "as": PipeResolver._as_step,
    "where": PipeResolver._where_step,
    "assert": PipeResolver._assert_step,
    "aggregate": PipeResolver._aggregate_step,
    "distinct": PipeResolver._distinct_step,
    "order": PipeResolver._order_step,
    "limit": PipeResolver._limit_step,
    "tablesample": PipeResolver._limit_step,
    "join": PipeResolver._source_step,
    "pivot": PipeResolver._source_step,
    "unpivot": PipeResolver._source_step,
    "match_recognize": PipeResolver._source_step,
    "union": PipeResolver._combined_step,
    "intersect": PipeResolver._combined_step,
    "except": PipeResolver._combined_step,
    "call": PipeResolver._call_step,
    "with": PipeResolver._with_step,
}
