"""Select lists to columns: expressions with their names, stars with what they leave out or replace."""

from collections.abc import Collection
from typing import TYPE_CHECKING

from jalan.lineage.flow import copy_flow
from jalan.lineage.model import IDENTITY, TRANSFORMATION, Span
from jalan.lineage.output_names import output_name
from jalan.lineage.resolve.column_choice import chooser, columns_call, matcher, substituted
from jalan.lineage.resolve.elements import HAS_PARTS
from jalan.lineage.resolve.part import ResolverPart
from jalan.lineage.resolve.scope import Entry, Made, Merged, Reference, Scope
from jalan.sql import tree
from jalan.sql.dialects.dialect import Folding

if TYPE_CHECKING:
    from jalan.lineage.resolve.resolver import Resolver


class SelectListResolver(ResolverPart):
    """Resolves what stands behind SELECT and RETURNING."""

    def __init__(self, resolver: "Resolver") -> None:
        super().__init__(resolver)
        dialect = self.dialect
        self._columns_calls = dialect.columns_calls
        self._numbered = dialect.numbered_columns or dialect.positional_columns
        self.generators = bool(dialect.generators)

    def outputs(self, items: list[tree.SelectItem], scope: Scope) -> list[Made]:
        """Resolve a select list."""
        resolver = self.resolver
        env = self.env
        found: list[Made] = []
        for item in items:
            expression = item.expression
            kind = type(expression)
            if kind is tree.Star:
                found += self.expand(expression, scope)  # type: ignore[arg-type]
                continue
            if kind is tree.Field and expression.name == "*":  # type: ignore[attr-defined]
                found += self._expand_field(expression, scope)  # type: ignore[arg-type]
                continue
            if self._columns_calls:
                columns = columns_call(expression)
                if columns is not None:
                    found += self._each_column(item, columns, scope)
                    continue
            if item.aliases is not None:
                found += self._several(item, scope)
                continue
            if self._columns_calls and kind is tree.Call and item.alias is None:
                unpacked = resolver.elements.unpacked(expression, scope)  # type: ignore[arg-type]
                if unpacked is not None:
                    found += unpacked
                    continue
            if self.generators and kind is tree.Call and item.alias is None:
                made_of_it = resolver.elements.generated(expression, scope)  # type: ignore[arg-type]
                if made_of_it is not None:
                    found += made_of_it
                    continue
            name = item.alias
            if name is None:
                if kind is tree.Column:
                    name = self._column_name(expression, scope)  # type: ignore[arg-type]
                else:
                    unnamed = sum(made.unnamed for made in found)
                    name = output_name(expression, self.dialect, env.text, len(found), unnamed)
            made = Made(name, {}, {}, (expression.start, expression.end))
            if env.tracer is not None:
                env.tracer.begin()
            if kind is not tree.Literal:
                resolver.expressions.collect(expression, scope, made.values, made.conditions, IDENTITY)
            if env.tracer is not None:
                env.tracer.end(made, expression)
            if kind in HAS_PARTS:
                made.origin = (expression, scope)
            made.unnamed = item.alias is None and kind is not tree.Column
            found.append(made)
            if scope.aliases is not None:
                scope.aliases.setdefault(name, made)
        return found

    def _column_name(self, expression: tree.Column, scope: Scope) -> str:
        """The name of a column that is named by its number is that of the column."""
        name = expression.parts[-1]
        if name[0] in "#$" and self._numbered:
            for reference in self.resolver.names.resolve(
                expression.parts, scope, (expression.start, expression.end)
            ):
                column = reference.column
                return column.name if isinstance(column, Made) else column
        return name

    def _several(self, item: tree.SelectItem, scope: Scope) -> list[Made]:
        """One expression that makes several columns: each is made of all of it, but for what is known better."""
        expression = item.expression
        if isinstance(expression, tree.Call):
            given = self.resolver.elements.generated(expression, scope, item.aliases)
            if given is not None:
                return given
        made = Made("", {}, {}, (expression.start, expression.end))
        self.resolver.expressions.collect(expression, scope, made.values, made.conditions, IDENTITY)
        names = item.aliases or []
        return [Made(name, copy_flow(made.values), copy_flow(made.conditions), made.span) for name in names]

    # --- stars ---------------------------------------------------------------------------------------

    def _expand_field(self, node: tree.Field, scope: Scope) -> list[Made]:
        if isinstance(node.base, tree.Column):
            star = tree.Star(node.start, node.end, node.base.parts)
            if scope.entry(node.base.parts[0]) is not None:
                return self.expand(star, scope)
        fields = self.resolver.elements.fields(node.base, scope)
        if fields is not None:
            return list(fields.values())
        made = Made("*", {}, {}, (node.start, node.end))
        self.resolver.expressions.collect(node.base, scope, made.values, made.conditions, TRANSFORMATION)
        self.env.report("star_of_expression", "warning", "the fields of this row are not known", made.span)
        return [made]

    def expand(self, star: tree.Star, scope: Scope) -> list[Made]:
        span = (star.start, star.end)
        if star.parts:
            found = self._expand_qualified(star, scope)
        else:
            left_out = self._left_out(star.modifiers, scope) if star.modifiers is not None else {}
            found = []
            for visible in scope.visible:
                if isinstance(visible, Merged):
                    found.append(self.resolver.expressions.passed_on(visible.references, visible.name, span))
                else:
                    found += self._expand_entry(visible, span, True, left_out.get(visible.name, ()))
        if star.modifiers is not None:
            found = self._modified(star.modifiers, found, scope)
        return found

    def star_columns(self, star: tree.Star, scope: Scope) -> list[Made]:
        return self.expand(star, scope)

    def _left_out(self, modifiers: tree.StarModifiers, scope: Scope) -> dict[str, set[str]]:
        """The columns that a star leaves out under the name of their table."""
        found: dict[str, set[str]] = {}
        for parts in modifiers.excluded:
            if len(parts) > 1 and scope.entry(parts[-2]) is not None:
                found.setdefault(parts[-2], set()).add(parts[-1])
        return found

    def _expand_qualified(self, star: tree.Star, scope: Scope) -> list[Made]:
        resolver = self.resolver
        env = self.env
        span = (star.start, star.end)
        parts = star.parts
        entry = scope.entry(parts[0]) if len(parts) == 1 else scope.entry_by_parts(parts)
        if entry is None and (self.dialect.struct_paths or parts[0] in env.variables):
            column = tree.Column(star.start, star.end, parts)
            if self.dialect.struct_paths and self._is_column(parts, scope):
                fields = resolver.elements.fields(column, scope)
                if fields is not None:
                    return list(fields.values())
                made = Made("*", {}, {}, span)
                resolver.expressions.collect(column, scope, made.values, made.conditions, TRANSFORMATION)
                env.report("star_of_expression", "warning", "the fields of this row are not known", span)
                return [made]
            variable = env.variables.get(parts[0])
            if variable is not None and variable.fields is not None:
                return list(variable.fields.values())
        entry = entry or resolver.expressions.star_entry(parts, scope, span)
        return [] if entry is None else self._expand_entry(entry, span, hide=False)

    def _is_column(self, parts: tuple[str, ...], scope: Scope) -> bool:
        """Whether the name before the star is a column rather than a table."""
        if len(parts) > 1 and scope.entry(parts[0]) is not None:
            return True
        return self.resolver.expressions.names_column(parts[0], scope)

    def _expand_entry(self, entry: Entry, span: Span, hide: bool, left_out: Collection[str] = ()) -> list[Made]:
        resolver = self.resolver
        hidden = entry.hidden if hide else ()
        found = [
            resolver.expressions.passed_on([Reference(entry, column)], name, span)
            for name, column in entry.order
            if name not in hidden and name not in left_out
        ]
        for opened in entry.open:
            if not any(made.name == "*" for made in found):
                self._report_open(opened, span)
                found.append(resolver.expressions.passed_on([Reference(opened, "*")], "*", span))
        if entry.rest is not None and entry.rest.name == "?":
            message = f"which columns “{entry.name}” returns is not known"
            self.env.report("star_of_unknown_table", "warning", message, span, "name its columns in an alias")
        if entry.rest is not None and entry.rest.name == "*":
            found.append(resolver.expressions.passed_on([Reference(entry, entry.rest)], "*", span))
        return found

    def _report_open(self, opened: Entry, span: Span) -> None:
        if opened.is_file:
            return
        self.env.report(
            "star_of_unknown_table",
            "warning",
            f"the columns behind * of “{opened.key}” are not known",
            span,
            "scan the system that holds the table, or give its columns",
        )

    def _modified(self, modifiers: tree.StarModifiers, columns: list[Made], scope: Scope) -> list[Made]:
        resolver = self.resolver
        fold = self.dialect.folding.apply if self.dialect.folding is Folding.UPPER else lambda name: name
        excluded = {parts[0] for parts in modifiers.excluded if len(parts) == 1}
        renamed = dict(modifiers.renamed)
        replaced = {item.alias: item for item in modifiers.replaced}
        matches = matcher(modifiers)
        known = {fold(made.name) for made in columns}
        if "*" not in known:
            for wanted in [*excluded, *renamed, *[n for n in replaced if n is not None]]:
                if wanted not in known:
                    span = (modifiers.start, modifiers.end)
                    self.env.report("unknown_column", "error", f"the star has no column “{wanted}”", span)
        found = []
        for made in columns:
            name = fold(made.name)
            if name in excluded or (matches is not None and made.name != "*" and not matches(made.name)):
                continue
            item = replaced.pop(name, None)
            if item is not None:
                made = Made(made.name, {}, {}, (item.start, item.end))
                resolver.expressions.collect(item.expression, scope, made.values, made.conditions, IDENTITY)
            elif name in renamed:
                made = Made(renamed.pop(name), made.values, made.conditions, made.span)
            found.append(made)
        if "*" in known:
            # The rest of these columns stands behind the star of an unknown table.
            for new_name, item in replaced.items():
                made = Made(new_name or "", {}, {}, (item.start, item.end))
                resolver.expressions.collect(item.expression, scope, made.values, made.conditions, IDENTITY)
                found.append(made)
            for old, new in renamed.items():
                made = Made(new, {}, {}, (modifiers.start, modifiers.end))
                resolver.expressions.collect(
                    tree.Column(*made.span, (old,)), scope, made.values, made.conditions, IDENTITY
                )
                found.append(made)
        return found

    # --- functions over the columns of a star --------------------------------------------------------

    def _each_column(self, item: tree.SelectItem, columns: tree.Call, scope: Scope) -> list[Made]:
        """An expression with ``COLUMNS(…)`` in it, once for each of these columns."""
        expression = item.expression
        found = []
        for made in self.chosen_columns(columns, scope):
            name = made.name if item.alias is None else self._column_alias(item.alias, columns, made.name)
            output = Made(name, {}, {}, (expression.start, expression.end))
            if expression is columns:
                output = made if item.alias is None else self.resolver.names.under_name(name, made)
            else:
                self.env.current_column = made
                self.resolver.expressions.collect(expression, scope, output.values, output.conditions, IDENTITY)
                self.env.current_column = None
            found.append(output)
        return found

    def chosen_columns(self, columns: tree.Call, scope: Scope) -> list[Made]:
        argument = columns.arguments[0] if columns.arguments else None
        star = argument if isinstance(argument, tree.Star) else tree.Star(columns.start, columns.end, ())
        chosen = None if argument is star else chooser(argument, self.env.text)
        if chosen is None and argument is not None and argument is not star:
            message = "which columns are chosen is decided while the query runs; all of them are taken"
            self.env.report("star_of_expression", "warning", message, (columns.start, columns.end))
        found = self.expand(star, scope)
        return [made for made in found if chosen is None or made.name == "*" or chosen(str(made.name))]

    def _column_alias(self, alias: str, columns: tree.Call, name: str) -> str:
        """``COLUMNS('(p)ort') AS '\\1x'``: the parts of the name in the place of their numbers."""
        argument = columns.arguments[0] if columns.arguments else None
        if "\\" not in alias or not isinstance(argument, tree.Literal):
            return alias
        return self.dialect.folding.named(
            substituted(self.env.text[argument.start + 1 : argument.end - 1], alias, name)
        )
