"""Select lists to columns: expressions with their names, stars with what they leave out or replace."""

import re
from collections.abc import Callable, Iterator

from jalan.lineage.extraction import IDENTITY, TRANSFORMATION, Span
from jalan.lineage.flow import copy_flow
from jalan.lineage.flows import FlowCollector
from jalan.lineage.naming import output_name
from jalan.lineage.scope import Entry, Made, Merged, Reference, Scope
from jalan.sql import tree
from jalan.sql.dialect import Folding
from jalan.sql.names import Name


class SelectListResolver(FlowCollector):
    """Resolves what stands behind SELECT and RETURNING."""

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
            if kind is tree.Call and self._has_columns_star(expression):  # type: ignore[arg-type]
                found += self._each_column(expression, scope)  # type: ignore[arg-type]
                continue
            if item.aliases is not None:
                found += self._several(item, scope)
                continue
            name = item.alias
            if name is None:
                if kind is tree.Column:
                    name = expression.parts[-1]  # type: ignore[attr-defined]
                else:
                    unnamed = sum(made.unnamed for made in found)
                    name = output_name(expression, self.dialect, self.text, len(found), unnamed)
            made = Made(name, {}, {}, (expression.start, expression.end))
            if self.tracer is not None:
                self.tracer.begin()
            if kind is not tree.Literal:
                self.collect(expression, scope, made.values, made.conditions, IDENTITY)
            if self.tracer is not None:
                self.tracer.end(made, expression)
            if kind is tree.Column or kind is tree.Struct:
                made.origin = (expression, scope)
            made.unnamed = item.alias is None and kind is not tree.Column
            found.append(made)
            if scope.aliases is not None:
                scope.aliases.setdefault(name, made)
        return found

    def fields_of(self, made: Made) -> dict[str, Made] | None:
        """Return the parts of a column that has named parts."""
        if made.fields is None and made.origin is not None:
            made.fields = self._fields(*made.origin)
            made.origin = None
        return made.fields

    def _fields(self, expression: tree.Expression, scope: Scope) -> dict[str, Made] | None:
        """Return the parts of a value that has named parts, as far as the text shows them."""
        if type(expression) is tree.Struct:
            fields: dict[str, Made] = {}
            for name, item in zip(expression.names, expression.items, strict=False):
                if name is not None:
                    made = Made(name, {}, {}, (item.start, item.end))
                    self.collect(item, scope, made.values, made.conditions, IDENTITY)
                    made.origin = (item, scope)
                    fields[name] = made
            return fields
        if type(expression) is tree.Column:
            if len(scope.visible) == 1 and len(expression.parts) == 1:
                only = scope.visible[0]
                column = only.columns.get(expression.parts[0]) if type(only) is Entry else None
                if column is None:
                    return self._row_fields(expression, scope)
                return self.fields_of(column) if isinstance(column, Made) else None
            entry = scope.entry(expression.parts[0]) if len(expression.parts) == 2 else None
            if entry is None and len(expression.parts) == 1:
                return self._row_fields(expression, scope)
            found = None if entry is None else entry.find(expression.parts[1])
            if found is not None and isinstance(found.column, Made):
                return self.fields_of(found.column)
        return None

    def _row_fields(self, expression: tree.Column, scope: Scope) -> dict[str, Made] | None:
        """The columns of a row that is passed whole."""
        entry = scope.entry(expression.parts[0])
        if entry is None or entry.open or expression.parts[0] in entry.columns:
            return None
        span = (expression.start, expression.end)
        return {name: self.renamed([Reference(entry, column)], name, span) for name, column in entry.order}

    def _several(self, item: tree.Item, scope: Scope) -> list[Made]:
        """One expression that makes several columns: each is made of all of it."""
        expression = item.expression
        made = Made("", {}, {}, (expression.start, expression.end))
        self.collect(expression, scope, made.values, made.conditions, IDENTITY)
        names = item.aliases or []
        return [Made(name, copy_flow(made.values), copy_flow(made.conditions), made.span) for name in names]

    # --- stars ---------------------------------------------------------------------------------------

    def _expand_field(self, node: tree.Field, scope: Scope) -> list[Made]:
        if isinstance(node.base, tree.Column):
            star = tree.Star(node.start, node.end, node.base.parts)
            if scope.entry(node.base.parts[0]) is not None:
                return self._expand(star, scope)
        fields = self._fields(node.base, scope)
        if fields is not None:
            return list(fields.values())
        made = Made("*", {}, {}, (node.start, node.end))
        self.collect(node.base, scope, made.values, made.conditions, TRANSFORMATION)
        self.report("star_of_expression", "warning", "the fields of this row are not known", made.span)
        return [made]

    def _expand(self, star: tree.Star, scope: Scope) -> list[Made]:
        span = (star.start, star.end)
        if star.parts:
            found = self._expand_qualified(star, scope)
        else:
            found = []
            for visible in scope.visible:
                if isinstance(visible, Merged):
                    found.append(self.passed_on(visible.references, visible.name, span))
                else:
                    found += self._expand_entry(visible, span, hide=True)
        if star.modifiers is not None:
            found = self._modified(star.modifiers, found, scope)
        return found

    def _expand_qualified(self, star: tree.Star, scope: Scope) -> list[Made]:
        span = (star.start, star.end)
        parts = star.parts
        entry = scope.entry(parts[0]) if len(parts) == 1 else scope.entry_by_parts(parts)
        if entry is None and (self.dialect.struct_paths or parts[0] in self.variables):
            column = tree.Column(star.start, star.end, parts)
            if self.dialect.struct_paths and self._is_column(parts, scope):
                fields = self._fields(column, scope)
                if fields is not None:
                    return list(fields.values())
                made = Made("*", {}, {}, span)
                self.collect(column, scope, made.values, made.conditions, TRANSFORMATION)
                self.report("star_of_expression", "warning", "the fields of this row are not known", span)
                return [made]
            variable = self.variables.get(parts[0])
            if variable is not None and variable.fields is not None:
                return list(variable.fields.values())
        entry = entry or self.star_entry(parts, scope, span)
        return [] if entry is None else self._expand_entry(entry, span, hide=False)

    @staticmethod
    def _is_column(parts: tuple[str, ...], scope: Scope) -> bool:
        """Whether the name before the star is a column rather than a table."""
        if len(parts) > 1 and scope.entry(parts[0]) is not None:
            return True
        return any(isinstance(v, Entry) and (parts[0] in v.columns or v.open) for v in scope.visible)

    def _expand_entry(self, entry: Entry, span: Span, hide: bool) -> list[Made]:
        hidden = entry.hidden if hide else ()
        found = [
            self.passed_on([Reference(entry, column)], name, span)
            for name, column in entry.order
            if name not in hidden
        ]
        for opened in entry.open:
            if not any(made.name == "*" for made in found):
                self._report_open(opened, span)
                found.append(self.passed_on([Reference(opened, "*")], "*", span))
        if entry.rest is not None and entry.rest.name == "*":
            found.append(self.passed_on([Reference(entry, entry.rest)], "*", span))
        return found

    def _report_open(self, opened: Entry, span: Span) -> None:
        if opened.is_file:
            return
        self.report(
            "star_of_unknown_table",
            "warning",
            f"the columns behind * of “{opened.key}” are not known",
            span,
            "scan the system that holds the table, or give its columns",
        )

    def _modified(self, modifiers: tree.StarModifiers, columns: list[Made], scope: Scope) -> list[Made]:
        fold = self.dialect.folding.apply if self.dialect.folding is Folding.UPPER else lambda name: name
        excluded = set(modifiers.excluded)
        renamed = dict(modifiers.renamed)
        replaced = {item.alias: item for item in modifiers.replaced}
        matches = _matcher(modifiers)
        known = {fold(made.name) for made in columns}
        if "*" not in known:
            for wanted in [*excluded, *renamed, *[n for n in replaced if n is not None]]:
                if wanted not in known:
                    span = (modifiers.start, modifiers.end)
                    self.report("unknown_column", "error", f"the star has no column “{wanted}”", span)
        found = []
        for made in columns:
            name = fold(made.name)
            if name in excluded or (matches is not None and made.name != "*" and not matches(made.name)):
                continue
            item = replaced.pop(name, None)
            if item is not None:
                made = Made(made.name, {}, {}, (item.start, item.end))
                self.collect(item.expression, scope, made.values, made.conditions, IDENTITY)
            elif name in renamed:
                made = Made(renamed.pop(name), made.values, made.conditions, made.span)
            found.append(made)
        if "*" in known:
            # The rest of these columns stands behind the star of an unknown table.
            for new_name, item in replaced.items():
                made = Made(new_name or "", {}, {}, (item.start, item.end))
                self.collect(item.expression, scope, made.values, made.conditions, IDENTITY)
                found.append(made)
            for old, new in renamed.items():
                made = Made(new, {}, {}, (modifiers.start, modifiers.end))
                self.collect(tree.Column(*made.span, (old,)), scope, made.values, made.conditions, IDENTITY)
                found.append(made)
        return found

    # --- functions over the columns of a star --------------------------------------------------------

    def _has_columns_star(self, call: tree.Call) -> bool:
        """Whether a call is, or is a function of, ``COLUMNS(…)``, which stands for several columns."""
        return self.dialect.columns_calls and any(True for _ in _columns_calls(call))

    def _each_column(self, call: tree.Call, scope: Scope) -> list[Made]:
        (columns, *_) = _columns_calls(call)
        matches = self._chosen(columns)
        found = []
        for made in self._expand(tree.Star(columns.start, columns.end, ()), scope):
            if made.name != "*" and not matches(made.name):
                continue
            output = Made(made.name, {}, {}, (call.start, call.end))
            if call is columns:
                output = made
            else:
                inner = Scope(scope)
                only = Entry("", (), None, {"columns()": made}, [("columns()", made)])
                inner.visible.append(only)
                stand_in = _with_column(call, columns)
                self.collect(stand_in, inner, output.values, output.conditions, IDENTITY)
            found.append(output)
        return found

    def _chosen(self, columns: tree.Call) -> Callable[[str], bool]:
        argument = columns.arguments[0] if columns.arguments else None
        if isinstance(argument, tree.Literal):
            pattern = re.compile(self.text[argument.start + 1 : argument.end - 1])
            return lambda name: pattern.search(name) is not None
        if isinstance(argument, tree.ArrayItems):
            names = {self.text[item.start : item.end].strip("'\"").lower() for item in argument.items}
            return lambda name: name.lower() in names
        if isinstance(argument, tree.Star) and argument.modifiers is not None:
            excluded = set(argument.modifiers.excluded)
            return lambda name: name not in excluded
        return lambda name: True


def _matcher(modifiers: tree.StarModifiers) -> Callable[[str], bool] | None:
    if modifiers.pattern is None:
        return None
    pattern = re.escape(modifiers.pattern).replace("%", ".*").replace("_", ".")
    compiled = re.compile(pattern, re.IGNORECASE | re.DOTALL)
    return lambda name: compiled.fullmatch(name) is not None


def _columns_calls(call: tree.Call) -> Iterator[tree.Call]:
    if call.parts[-1].lower() == "columns" and len(call.parts) == 1:
        yield call
        return
    for argument in call.arguments:
        if isinstance(argument, tree.Call):
            yield from _columns_calls(argument)


def _with_column(node: tree.Call, columns: tree.Call) -> tree.Expression:
    """The call with a column in the place of ``COLUMNS(…)``."""
    if node is columns:
        return tree.Column(node.start, node.end, (Name("columns()"),))
    arguments = [_with_column(a, columns) if isinstance(a, tree.Call) else a for a in node.arguments]
    return tree.Call(
        node.start, node.end, node.parts, arguments, node.distinct, node.star, node.order, node.within_group,
        node.filter, node.window, node.having,
    )  # fmt: skip
