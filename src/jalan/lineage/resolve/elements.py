"""The parts of values: fields of structs and rows, elements of lists, and the columns that a generator makes of
them."""

from jalan.lineage.flow import carry, copy_flow, merge, path_of
from jalan.lineage.model import IDENTITY, TRANSFORMATION
from jalan.lineage.resolve.part import ResolverPart
from jalan.lineage.resolve.scope import Entry, Flow, Made, Reference, Scope
from jalan.sql import tree

Fields = dict[str, Made]

_LISTS = frozenset({"array", "list_value", "array_agg", "list", "collect_list", "collect_set", "array_construct"})
_ROWS = frozenset({"struct", "row", "named_struct", "struct_pack", "object_construct"})
_UNNESTING = frozenset({"unnest", "explode", "explode_outer"})
_MAPS = frozenset({"map", "map_from_arrays", "map_from_entries", "str_to_map", "map_concat", "transform_values"})
_ONE_ROW = frozenset({"stack", "json_tuple", "parse_url_tuple"})  # how many rows they make, no value decides
HAS_PARTS = frozenset({tree.Column, tree.Struct, tree.ArrayItems, tree.ArrayQuery, tree.Call, tree.Row})
"""Expressions whose parts may be known; what they are is found out when it is asked for."""


class ElementResolver(ResolverPart):
    """Finds the parts of values, as far as the text shows them."""

    def fields_of(self, made: Made) -> Fields | None:
        if made.fields is None and made.origin is not None:
            made.fields = self.fields(*made.origin) or {}
        return made.fields or None

    def _part(self, name: str, node: tree.Expression, scope: Scope) -> Made:
        made = Made(name, {}, {}, (node.start, node.end))
        self.resolver.expressions.collect(node, scope, made.values, made.conditions, IDENTITY)
        if type(node) in HAS_PARTS:
            made.origin = (node, scope)
        return made

    def fields(self, expression: tree.Expression, scope: Scope) -> Fields | None:
        """Return the parts of a value that has named parts."""
        if type(expression) is tree.Struct:
            named = zip(expression.names, expression.items, strict=False)
            return {name: self._part(name, item, scope) for name, item in named if name is not None}
        if type(expression) is tree.Call and expression.parts[-1].lower() in ("named_struct", "object_construct"):
            return self._pairs(expression, scope)
        if type(expression) is tree.Call and expression.parts[-1].lower() in _UNNESTING and expression.arguments:
            return self.elements(expression.arguments[0], scope)
        if type(expression) is tree.Column:
            found = self._column_of(expression, scope)
            if found is not None:
                return self.fields_of(found)
            if len(expression.parts) == 1:
                return self._row_fields(expression, scope)
        if type(expression) is tree.Subscript:
            elements = self.elements(expression.base, scope)
            if elements is not None:
                return elements
        return None

    def collect_part(
        self, base: tree.Expression, path: str, scope: Scope, values: Flow, conditions: Flow, how: str
    ) -> None:
        fields = self.fields(base, scope) if type(base) in HAS_PARTS or type(base) is tree.Subscript else None
        step, _, rest = path.partition(".")
        inner = self.resolver.names.field_named(step, fields) if fields else None
        if inner is None:
            self.resolver.expressions.part_of_whole(base, path, scope, values, conditions, how)
            return
        carry(values, inner.values, how, (rest, False) if rest else None)
        merge(conditions, inner.conditions)

    def _pairs(self, call: tree.Call, scope: Scope) -> Fields:
        """``named_struct('a', x, 'b', y)``."""
        found: Fields = {}
        for key, value in zip(call.arguments[::2], call.arguments[1::2], strict=False):
            if isinstance(key, tree.Literal):
                name = self.dialect.folding.named(self.env.text[key.start : key.end].strip("'\""))
                found[name] = self._part(name, value, scope)
        return found

    def _column_of(self, expression: tree.Column, scope: Scope) -> Made | None:
        """The made column that a name stands for, looking outwards without a word where there is none."""
        parts = expression.parts
        if len(parts) == 2:
            entry = scope.entry(parts[0])
            found = None if entry is None else entry.columns.get(parts[1])
            return found if isinstance(found, Made) else None
        level: Scope | None = scope
        while level is not None and len(parts) == 1:
            for visible in level.visible:
                if type(visible) is Entry and parts[0] in visible.columns:
                    column = visible.columns[parts[0]]
                    return column if isinstance(column, Made) else None
            level = level.parent
        return None

    def _row_fields(self, expression: tree.Column, scope: Scope) -> Fields | None:
        """The columns of a row that is passed whole."""
        entry = scope.entry(expression.parts[0])
        if entry is None or entry.open or expression.parts[0] in entry.columns:
            return None
        span = (expression.start, expression.end)
        return {
            name: self.resolver.expressions.renamed([Reference(entry, column)], name, span)
            for name, column in entry.order
        }

    def elements(self, expression: tree.Expression, scope: Scope) -> Fields | None:
        """Return the parts that the elements of a list have."""
        if type(expression) is tree.ArrayItems:
            return self._common_fields(expression.items, scope)
        if type(expression) is tree.ArrayQuery:
            relation = self.resolver.queries.relation(expression.query, scope)
            body = expression.query.body
            if isinstance(body, tree.Select) and body.packed:
                return {made.name: made for made in relation.columns}
            only = relation.columns[0] if len(relation.columns) == 1 else None
            return None if only is None else self.fields_of(only)
        if type(expression) is tree.Call and expression.parts[-1].lower() in _LISTS:
            return self._common_fields(expression.arguments, scope)
        if type(expression) is tree.Column:
            found = self._column_of(expression, scope)
            if found is not None and found.origin is not None:
                return self.elements(*found.origin)
        return None

    def _common_fields(self, items: list[tree.Expression], scope: Scope) -> Fields | None:
        """The fields of structs in one list: they meet by place, under the names of the first."""
        found: list[Made] = []
        for item in items:
            fields = self._positional(item, scope)
            if fields is None:
                return None
            for n, made in enumerate(fields):
                if n == len(found):
                    found.append(made)
                else:
                    merge(found[n].values, made.values)
                    merge(found[n].conditions, made.conditions)
        return {made.name: made for made in found} if found else None

    def _positional(self, item: tree.Expression, scope: Scope) -> list[Made] | None:
        """The parts of a struct or row in order; those without a name are called col1, col2 …"""
        if isinstance(item, tree.Row):
            parts: list[tuple[str | None, tree.Expression]] = [(None, part) for part in item.items]
        elif isinstance(item, tree.Struct):
            parts = list(zip(item.names, item.items, strict=False))
        elif isinstance(item, tree.Call) and item.parts[-1].lower() in _ROWS - {"named_struct", "object_construct"}:
            parts = [(part.parts[-1] if isinstance(part, tree.Column) else None, part) for part in item.arguments]
        else:
            fields = self.fields(item, scope)
            return None if fields is None else list(fields.values())
        named = self.dialect.folding.named
        return [self._part(name or named(f"col{n}"), part, scope) for n, (name, part) in enumerate(parts, 1)]

    def unpacked(self, call: tree.Call, scope: Scope) -> list[Made] | None:
        """``unnest(struct)`` puts out the fields, where they are known."""
        if call.parts[-1].lower() != "unnest" or not call.arguments or type(call.arguments[0]) not in HAS_PARTS:
            return None
        fields = self.fields(call.arguments[0], scope)
        if not fields and len(call.arguments) > 1:  # recursive
            fields = self.elements(call.arguments[0], scope)
        return list(fields.values()) if fields else None

    # --- generators ----------------------------------------------------------------------------------

    def generated(self, call: tree.Call, scope: Scope, names: list[str] | None = None) -> list[Made] | None:
        """Return the columns that a generator makes, under these names where they are given; None if the call is no
        generator."""
        function = call.parts[-1].lower()
        known = self.dialect.generators.get(function)
        if known is None or len(call.parts) > 1 or not call.arguments:
            return None
        columns = self._generated(function, known, call, scope)
        if columns is None:
            return None
        if names is not None and len(names) > len(columns):
            # More names than one thinks: the elements are entries of a map, a key and a value each.
            columns += [columns[-1]] * (len(names) - len(columns))
        if function not in _ONE_ROW:
            self.env.multiplying.append((call, scope))
        return [
            Made(
                names[n] if names else made.name,
                copy_flow(made.values),
                copy_flow(made.conditions),
                made.span,
                origin=made.origin,
                fields=made.fields,
            )
            for n, made in enumerate(columns[: len(names)] if names else columns)
        ]

    def _generated(self, function: str, known: tuple[str, ...], call: tree.Call, scope: Scope) -> list[Made] | None:
        resolver = self.resolver
        named, span = self.dialect.folding.named, (call.start, call.end)
        first = call.arguments[0]
        if function.startswith("inline"):
            fields = self.elements(first, scope)
            if fields is not None:
                return list(fields.values())
            made = Made("*", {}, {}, span)
            self.element(first, scope, made)
            return [made]
        if function == "stack":
            return self._stacked(call, scope)
        if function in ("json_tuple", "parse_url_tuple"):
            return self._tuple(call, scope)
        made = Made(named(known[-1]), {}, {}, span)
        self.element(first, scope, made)
        made.fields = self.elements(first, scope)
        columns = [made]
        if isinstance(first, tree.Call) and first.parts[-1].lower() in _MAPS:
            columns = [
                resolver.names.under_name(named("key"), made),
                resolver.names.under_name(named("value"), made),
            ]
        if len(known) == 3:
            columns = [resolver.names.under_name(named(name), made) for name in known[1:]]
        return [Made(named("pos"), {}, {}, span), *columns] if known[0] == "pos" else columns

    def element(self, node: tree.Expression, scope: Scope, made: Made) -> None:
        """Add what flows into the elements of a list: a part of it, below ``[*]``."""
        values = copy_flow({})
        self.resolver.expressions.collect(node, scope, values, made.conditions, IDENTITY)
        carry(made.values, values, TRANSFORMATION, ("[*]", False))

    def _stacked(self, call: tree.Call, scope: Scope) -> list[Made] | None:
        """``stack(2, a, b, c, d)``: two rows of two columns."""
        rows = self.env.text[call.arguments[0].start : call.arguments[0].end]
        cells = call.arguments[1:]
        if not rows.isdigit() or not 0 < int(rows) <= max(len(cells), 1) or not cells:
            return None
        width = -(-len(cells) // int(rows))
        columns = [
            Made(self.dialect.folding.named(f"col{n}"), {}, {}, (call.start, call.end)) for n in range(width)
        ]
        for n, cell in enumerate(cells):
            made = columns[n % width]
            self.resolver.expressions.collect(cell, scope, made.values, made.conditions, IDENTITY)
        return columns

    def _tuple(self, call: tree.Call, scope: Scope) -> list[Made]:
        """``json_tuple(document, 'a', 'b')``: a column for each key."""
        columns = []
        for n, key in enumerate(call.arguments[1:]):
            made = Made(self.dialect.folding.named(f"c{n}"), {}, {}, (key.start, key.end))
            path = path_of(self.env.text[key.start : key.end]) if isinstance(key, tree.Literal) else ""
            self.collect_part(call.arguments[0], path, scope, made.values, made.conditions, TRANSFORMATION)
            columns.append(made)
        return columns
