"""FROM: tables, files, queries, functions, and the joins between them."""

from jalan.lineage.dynamic_sql import constant, query_of_text
from jalan.lineage.flow import carry, merge
from jalan.lineage.model import FILTER, IDENTITY, JOIN, TRANSFORMATION, Span
from jalan.lineage.resolve.part import ResolverPart
from jalan.lineage.resolve.scope import Entry, Flow, Made, Merged, Reference, Relation, Scope, Visible
from jalan.lineage.tables import Table
from jalan.sql import tree

_UNNESTING = frozenset(
    """
    unnest explode explode_outer posexplode posexplode_outer flatten jsonb_array_elements
    json_array_elements jsonb_array_elements_text inline json_array_elements_text json_each json_tree
    jsonb_each
    """.split()
)
_ONE_COLUMN = frozenset(
    """
    unnest explode generate_series generate_subscripts regexp_split_to_table string_to_table
    jsonb_object_keys json_object_keys range
    """.split()
)


class FromResolver(ResolverPart):
    """Resolves FROM against the tables known at its place in the script. ``reads`` gathers the tables."""

    def from_item(self, item: tree.FromItem, scope: Scope, rows: Flow) -> Visible:
        resolver = self.resolver
        env = self.env
        if type(item) is tree.TableSource:
            entry = self._table(item, scope, rows)
            if item.sample or item.at:
                inner = Scope(scope.parent)
                inner.visible = [entry]
                inner.add(entry)
                for argument in [*(item.sample or ()), *(item.at or ())]:
                    resolver.expressions.collect(argument, inner, rows, rows, FILTER)
        elif type(item) is tree.Join:
            return self._join(item, scope, rows)
        elif type(item) is tree.PipeInput:
            for visible in env.piped:
                if isinstance(visible, Entry) and visible not in scope.entries:
                    scope.add(visible)
            return list(env.piped)
        elif type(item) is tree.Derived:
            if item.lateral or self.dialect.implicit_lateral:
                found = resolver.queries.relation(item.query, self._so_far(scope))
            else:
                found = resolver.queries.relation(item.query, scope.parent)
            merge(rows, found.rows)
            scope.order = found.order
            entry = entry_of(found, item.alias or "", item.columns, env.upper)
        else:
            entry = self._reshaped(item, scope, rows)
        scope.add(entry)
        return [entry]

    def _reshaped(self, item: tree.FromItem, scope: Scope, rows: Flow) -> Entry:
        resolver = self.resolver
        if isinstance(item, tree.FunctionSource):
            return self._function(item, self._so_far(scope), rows)
        if isinstance(item, tree.Shredded):
            return resolver.table_operators.shredded(item, self._so_far(scope), rows)
        if isinstance(item, tree.Pivot):
            return resolver.table_operators.pivot(item, scope, rows)
        if isinstance(item, tree.Unpivot):
            return resolver.table_operators.unpivot(item, scope, rows)
        assert isinstance(item, tree.MatchRecognize)
        return resolver.table_operators.match_recognize(item, scope, rows)

    @staticmethod
    def _so_far(scope: Scope) -> Scope:
        """What a LATERAL item sees: the entries to its left."""
        seen = Scope(scope.parent)
        seen.entries = scope.entries
        seen.visible = list(scope.entries)
        return seen

    def _table(self, item: tree.TableSource, scope: Scope, rows: Flow) -> Entry:
        parts = item.table.parts
        if len(parts) == 1:
            cte = self.env.ctes.get(parts[0])
            if cte is not None:
                merge(rows, cte.rows)
                scope.order = cte.order
                return entry_of(cte, item.alias or parts[0], item.columns, self.env.upper)
        elif self.dialect.struct_paths and scope.entry(parts[0]) is not None:
            # `FROM orders o, o.legs l`: the items of a column, not a table
            column = tree.Column(item.table.start, item.table.end, parts)
            source = tree.FunctionSource(item.start, item.end, item.alias, item.columns, [column], [None])
            return self._function(source, self._so_far(scope), rows)
        if item.table.file:
            return self._file(item)
        return self.table_entry(item.table, item.alias, item.columns)

    def _file(self, item: tree.TableSource) -> Entry:
        """A file, a stage or a path: what its columns are, nobody says, and nobody needs to be told so."""
        table = self.env.tables.named(item.table)
        self.env.reads[table.key] = None
        entry = Entry(item.alias or str(table.key), (), table.key, {}, [], is_file=True)
        if table.columns is None:
            entry.open = [entry]
            for name in item.columns or ():
                entry.columns[name] = name
        else:
            entry.columns, entry.order = table.lookup, table.pairs  # type: ignore[assignment]
        return entry

    def _unknown_table(self, name: tree.TableName, table: Table) -> None:
        env = self.env
        near = env.tables.unheard(name.parts, table)
        span = (name.start, name.end)
        if near is None:
            message = f"the columns of “{table.key}” are not known and are inferred from use"
            env.report("unknown_table", "info", message, span)
            return
        meant = f"; the nearest names are {', '.join(near)}" if near else ""
        message = f"no scan has found “{table.key}”; its columns are inferred from use{meant}"
        env.report("unknown_table", "warning", message, span)

    def table_entry(self, name: tree.TableName, alias: str | None, columns: list[str] | None) -> Entry:
        """Return the entry for a table by name."""
        parts = name.parts
        table = self.env.tables.find(parts)
        self.env.reads[table.key] = None
        entry = Entry(alias or parts[-1], () if alias else parts, table.key, {}, [])
        if table.columns is None:
            entry.open = [entry]
            if not name.file:
                self._unknown_table(name, table)
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
        resolver = self.resolver
        order: list[tuple[str, str | Made]] = []
        first_name = ""
        element: Made | None = None
        for call, defined in zip(item.calls, item.defined, strict=True):
            inner = call.argument if isinstance(call, tree.Cast) else call
            special = self._special_function(inner, item, scope, rows)
            if special is not None:
                return special
            name = inner.parts[-1] if isinstance(inner, tree.Call | tree.Column) else ""
            first_name = first_name or name
            if isinstance(inner, tree.Call) and defined is None:
                generated = self._generator(inner, item, scope, rows)
                if generated is not None:
                    order += generated
                    continue
            made = Made("", {}, {}, (call.start, call.end))
            if isinstance(inner, tree.Column) or self._unnests(inner):
                self._collect_elements(inner, scope, made)
                made.fields = resolver.elements.elements(
                    inner.arguments[0] if isinstance(inner, tree.Call) else inner, scope
                )
            else:
                resolver.expressions.collect(call, scope, made.values, made.conditions, TRANSFORMATION)
            carry(rows, made.values, JOIN)
            merge(rows, made.conditions)
            known = self.dialect.table_functions.get(name.lower())
            several = isinstance(inner, tree.Call) and len(inner.arguments) > 1 and name.lower() == "unnest"
            if defined is not None:
                names: tuple[str, ...] = tuple(defined)
            elif known:
                names = known
            elif several and isinstance(inner, tree.Call):
                order += self._unnested_together(inner, item, scope, made)
                continue
            elif made.fields and self.dialect.element_fields:
                order += list(made.fields.items())
                element = made
                continue
            else:
                names = (self.dialect.element_name or item.alias or name,)
                element = made
            order += [(column, self._function_column(column, made, name.lower())) for column in names]
        order = self._function_names(item, order)
        if first_name.lower() == "posexplode" and order and not resolver.select_list.generators:
            order[0] = (order[0][0], Made(order[0][0], {}, {}, (item.start, item.end)))
        unknown = [column for key, column in order if key == "*" and isinstance(column, Made)]
        order = [(key, column) for key, column in order if key != "*"]
        entry = Entry(item.alias or first_name, (), None, {}, order, rest=unknown[0] if unknown else None)
        for key, column in order:
            entry.columns.setdefault(key, column)
        if (
            resolver.select_list.generators
            and first_name.lower().startswith("explode")
            and not item.columns
            and order
        ):
            for key in ("key", "value"):  # what is taken apart may be a map
                entry.columns.setdefault(self.env.spelled(key), order[-1][1])
        if element is not None and element.fields and self.dialect.element_fields:
            entry.columns.setdefault(item.alias or "", element)
        elif element is not None and self.dialect.element_fields and item.alias is None:
            entry.rest = Made("?", element.values, element.conditions, element.span)
        elif element is not None and self.dialect.struct_paths:
            entry.rest = Made("", element.values, element.conditions, element.span)
        elif element is not None and first_name.lower() not in _ONE_COLUMN:
            # A function that nobody has told us about may return any columns.
            entry.rest = Made("?", element.values, element.conditions, element.span)
        return entry

    def _special_function(
        self, inner: tree.Expression, item: tree.FunctionSource, scope: Scope, rows: Flow
    ) -> Entry | None:
        """A function of the script, or one that reads files or names a table."""
        if not isinstance(inner, tree.Call):
            return None
        followed = self._followed(inner, item, scope, rows)
        if followed is not None:
            return followed
        name = inner.parts[-1].lower()
        if name in self.dialect.file_functions:
            return self._read_file(inner, item)
        if name in self.dialect.table_names and inner.arguments:
            return self._named_table(inner.arguments[0], item)
        if name in self.dialect.query_functions and inner.arguments:
            return self._text_query(inner.arguments[0], item, rows)
        if name in self.dialect.text_functions and len(inner.arguments) > 1:
            return self._text_search(name, inner, item, rows)
        if any(isinstance(argument, tree.TableArgument) for argument in inner.arguments):
            return self._over_table(name, inner, item, scope, rows)
        return None

    def _text_query(self, argument: tree.Expression, item: tree.FunctionSource, rows: Flow) -> Entry | None:
        """``query('select …')``: the rows of a query that is given as text."""
        env = self.env
        pieces = constant(argument, env.text, self.dialect, lambda node: None)
        query = query_of_text(pieces, env.text, self.dialect)
        if query is None:
            return None
        found = self.resolver.queries.relation(query, None)
        merge(rows, found.rows)
        return entry_of(found, item.alias or "query", item.columns, env.upper)

    def _text_search(self, name: str, call: tree.Call, item: tree.FunctionSource, rows: Flow) -> Entry | None:
        """``CONTAINSTABLE(table, columns, 'words')``: keys of the rows of that table, and how well they match."""
        first = call.arguments[0]
        if not isinstance(first, tree.Column):
            return None
        table = self.table_entry(tree.TableName(first.start, first.end, first.parts), None, None)
        inner = Scope(None)
        inner.visible = [table]
        made = Made("", {}, {}, (call.start, call.end))
        searched = call.arguments[1]
        if isinstance(searched, tree.Star):
            self.resolver.names.add_row(table, made.span, made.values, made.conditions, TRANSFORMATION)
        else:
            self.resolver.expressions.collect(searched, inner, made.values, made.conditions, TRANSFORMATION)
        carry(rows, made.values, FILTER)
        order = [
            (c, self._function_column(c, made, name))
            for c in map(self.env.spelled, self.dialect.table_functions[name])
        ]
        return Entry(item.alias or name, (), None, dict(order), order)

    def _over_table(self, name: str, call: tree.Call, item: tree.FunctionSource, scope: Scope, rows: Flow) -> Entry:
        """A function over the rows of a table: ``TABLE(f(input => TABLE(t)))``. What it puts out is not known, but
        for the standard's own that leaves columns out."""
        queries = [argument.query for argument in call.arguments if isinstance(argument, tree.TableArgument)]
        relations = [self.resolver.queries.relation(query, scope) for query in queries]
        for relation in relations:
            merge(rows, relation.rows)
        if name == "exclude_columns" and len(relations) == 1:
            gone = {
                part
                for a in call.arguments
                if isinstance(a, tree.Descriptor)
                for c in a.items
                if isinstance(c, tree.Column)
                for part in c.parts
            }
            left = [made for made in relations[0].columns if made.name not in gone]
            return entry_of(
                Relation(left, rows, {}, relations[0].open), item.alias or "", item.columns, self.env.upper
            )
        made = Made("*", {}, {}, (call.start, call.end))
        for relation in relations:
            for column in relation.columns:
                carry(made.values, column.values, TRANSFORMATION)
                merge(made.conditions, column.conditions)
        for argument in call.arguments:
            if not isinstance(argument, tree.TableArgument):
                self.resolver.expressions.collect(argument, scope, made.values, made.conditions, TRANSFORMATION)
        message = f"what “{name}” puts out is not known; all of what it is given may go into each column"
        self.env.report("not_followed", "warning", message, made.span)
        names = item.columns or []
        order = [(column, Made(column, made.values, made.conditions, made.span)) for column in names]
        entry = Entry(item.alias or name, (), None, dict(order), order)
        entry.rest = made if not names else None
        return entry

    def _named_table(self, argument: tree.Expression, item: tree.FunctionSource) -> Entry | None:
        """``query_table('t')``, ``identifier('t')``, ``stream(t)``: a table by its name."""
        env = self.env
        if isinstance(argument, tree.Column):
            parts = argument.parts
        elif isinstance(argument, tree.Literal) and "'" in env.text[argument.start : argument.end]:
            named = env.text[argument.start : argument.end].strip("'\"")
            parts = tuple(env.spelled(part.strip('`"')) for part in named.split("."))
        else:
            return None
        table = tree.TableName(argument.start, argument.end, parts)
        return self.table_entry(table, item.alias, item.columns)

    def _generator(
        self, call: tree.Call, item: tree.FunctionSource, scope: Scope, rows: Flow
    ) -> list[tuple[str, str | Made]] | None:
        """The columns of a generator; what it is given decides how many rows it makes."""
        env = self.env
        around, env.multiplying = env.multiplying, []
        made = self.resolver.elements.generated(call, scope, item.columns)
        for inner, inside in env.multiplying:
            flow: Flow = {}
            if self._unnests(inner) or inner.parts[-1].lower() in self.dialect.generators:
                self._collect_elements_of(inner, inside, flow, rows)
            carry(rows, flow, JOIN)
        env.multiplying = around
        return None if made is None else [(column.name, column) for column in made]

    def _collect_elements_of(self, call: tree.Call, scope: Scope, flow: Flow, rows: Flow) -> None:
        made = Made("", {}, {}, (call.start, call.end))
        self.resolver.elements.element(call.arguments[0], scope, made)
        merge(flow, made.values)
        merge(rows, made.conditions)

    def _unnested_together(
        self, call: tree.Call, item: tree.FunctionSource, scope: Scope, made: Made
    ) -> list[tuple[str, str | Made]]:
        """Each of several arrays makes a column of its own; where they make more (maps, rows), all of them may."""
        if item.columns and len(item.columns) - item.ordinality not in (0, len(call.arguments)):
            return [("unnest", made)]
        order: list[tuple[str, str | Made]] = []
        for argument in call.arguments:
            one = Made("unnest", {}, {}, (argument.start, argument.end))
            self.resolver.expressions.collect(argument, scope, one.values, one.conditions, TRANSFORMATION)
            order.append(("unnest", one))
        return order

    @staticmethod
    def _function_names(
        item: tree.FunctionSource, order: list[tuple[str, str | Made]]
    ) -> list[tuple[str, str | Made]]:
        """The columns of a function under the names that an alias gives them, the counting one last."""
        columns = list(item.columns or ())
        counted = Made(item.ordinality_name, {}, {}, (item.start, item.end))
        if columns and order:
            template = order[-1][1]
            assert isinstance(template, Made)
            # More names than known columns: the function returns a row type that nobody has told us.
            wanted = len(columns) - item.ordinality
            order = order + [("", template)] * (wanted - len(order))
        if item.ordinality:
            order = [*order, (item.ordinality_name, counted)]
        if columns:
            renamed = columns + [name for name, _ in order[len(columns) :]]
            order = [(name, column) for name, (_, column) in zip(renamed, order, strict=False)]
        return order

    @staticmethod
    def _unnests(call: tree.Expression) -> bool:
        return isinstance(call, tree.Call) and call.parts[-1].lower() in _UNNESTING and bool(call.arguments)

    def _collect_elements(self, call: tree.Expression, scope: Scope, made: Made) -> None:
        """The elements of a list: any part of the column, so a field of theirs has a path below ``[*]``."""
        arguments = call.arguments if isinstance(call, tree.Call) else [call]
        flow: Flow = {}
        self.resolver.expressions.collect(arguments[0], scope, flow, made.conditions, IDENTITY)
        carry(made.values, flow, TRANSFORMATION, ("[*]", False))
        for argument in arguments[1:]:
            self.resolver.expressions.collect(argument, scope, made.values, made.conditions, TRANSFORMATION)

    def _read_file(self, call: tree.Call, item: tree.FunctionSource) -> Entry:
        """``read_csv('…')``: the files are the source; a path that is no constant is named as it is written."""
        argument = call.arguments[0] if call.arguments else call
        path = self.env.text[argument.start : argument.end].strip("'\"[]")
        table = tree.TableName(argument.start, argument.end, (path,), True)
        return self._file(tree.TableSource(item.start, item.end, item.alias, item.columns, table))

    @staticmethod
    def _function_column(column: str, made: Made, function: str) -> Made:
        if function in ("flatten", "split_to_table") and column in ("SEQ", "INDEX"):
            return Made(column, {}, {}, made.span)  # they only count
        return Made(column, made.values, made.conditions, made.span)

    def _followed(self, call: tree.Call, item: tree.FunctionSource, scope: Scope, rows: Flow) -> Entry | None:
        """The rows of a function that the script defines."""
        found = self.resolver.calls.table_function(call, scope)
        if found is None:
            return None
        merge(rows, found.rows)
        return entry_of(found, item.alias or call.parts[-1], item.columns)

    def _join(self, join: tree.Join, scope: Scope, rows: Flow) -> Visible:
        if join.kind == "group":
            return self._aliased_join(join, scope, rows)
        left = self.from_item(join.left, scope, rows)
        right = self.from_item(join.right, scope, rows)
        if join.kind in ("semi", "anti") and join.using is not None:
            self._merge_columns(join, left, right, scope, rows)
            for item in left:
                if isinstance(item, Entry):
                    item.hidden -= {name for name, _, _ in join.using}
            return left
        if join.using is not None or join.natural:
            return self._merge_columns(join, left, right, scope, rows)
        if join.condition is not None:
            inner = Scope(scope.parent)
            inner.entries = scope.entries
            inner.visible = left + right
            self.resolver.expressions.collect(join.condition, inner, rows, rows, JOIN)
        return left if join.kind in ("semi", "anti") else left + right

    def _aliased_join(self, join: tree.Join, scope: Scope, rows: Flow) -> Visible:
        inner = Scope(scope.parent)
        visible = self.from_item(join.left, inner, rows)
        order: list[tuple[str, str | Made]] = []
        span = (join.start, join.end)
        for item in visible:
            if isinstance(item, Merged):
                order.append((item.name, self.resolver.expressions.renamed(item.references, item.name, span)))
            else:
                order += [
                    (name, self.resolver.expressions.renamed([Reference(item, column)], name, span))
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
            names = [(self._folded(name), span) for name in _visible_names(left) if name in theirs]
            if any(isinstance(item, Entry) and item.open for item in left + right):
                self.env.report(
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
                self.resolver.names.add(reference, span, rows, rows, JOIN)
            delivered = other if join.kind == "right" else ours
            if join.kind == "full":
                delivered = ours + other
            merged.append(Merged(name, delivered))
        gone = {name for name, _ in names}
        for item in left + right:
            if isinstance(item, Entry):
                # The name of the column itself, too: it may be spelled in another case.
                own = {item.columns.get(name) for name in gone}
                item.hidden |= gone | {name for name in own if isinstance(name, str)}
        if join.using_alias:
            span = (join.start, join.end)
            order: list[tuple[str, str | Made]] = [
                (item.name, self.resolver.expressions.renamed(item.references, item.name, span)) for item in merged
            ]
            scope.add(Entry(join.using_alias, (), None, dict(order), order))
        rest = [item for item in left + right if not (isinstance(item, Merged) and item.name in gone)]
        return [*merged, *rest]

    def _folded(self, name: str) -> str:
        return name.upper() if self.env.upper else name

    def _side(self, visible: Visible, name: str, span: Span) -> list[Reference]:
        """Return the column of that name on one side of a join."""
        wanted: object = name
        for item in visible:
            if isinstance(item, Merged) and item.name == wanted:
                return item.references
        for item in visible:
            if isinstance(item, Entry) and name in item.columns and name not in item.hidden:
                return [Reference(item, item.columns[name])]
        for item in visible:
            if isinstance(item, Entry) and item.open and name not in item.hidden:
                return [Reference(opened, name) for opened in item.open]
        self.env.report("unknown_column", "error", f"one side of the join has no column “{name}”", span)
        return []


def _visible_names(visible: Visible) -> list[str]:
    found = []
    for item in visible:
        if isinstance(item, Merged):
            found.append(item.name)
        else:
            found += [name for name, _ in item.order if name not in item.hidden]
    return found


def entry_of(found: Relation, alias: str, columns: list[str] | None, upper: bool = False) -> Entry:
    order: list[tuple[str, str | Made]] = []
    for i, made in enumerate(found.columns):
        if made.name != "*":
            order.append((columns[i] if columns and i < len(columns) else made.name, made))
    lookup: dict[str, str | Made] = {}
    for name, column in order:
        lookup.setdefault(name, column)
        if upper:  # a star of a known table brings its names as the caller spells them
            lookup.setdefault(name.upper(), column)
    entry = Entry(alias, (), None, lookup, order, open=list(found.open))
    for made in found.columns:
        if made.name == "*" and not found.open:
            entry.rest = made
    return entry
