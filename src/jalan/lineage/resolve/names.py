"""What a name in a query stands for: none, one, or every candidate where the text leaves it open."""

from jalan.lineage.flow import carry, column_of_star, join_path, merge
from jalan.lineage.model import IDENTITY, TRANSFORMATION, Span
from jalan.lineage.resolve.part import ResolverPart
from jalan.lineage.resolve.scope import Entry, Flow, Made, Merged, Reference, Scope

_OF_COLLECTIONS = frozenset({"count", "first", "last", "limit", "exists", "next", "prior"})
_OF_ROWS = frozenset(
    {"to_json", "to_jsonb", "row_to_json", "hash_record", "record_out", "pg_typeof", "text", "hstore"}
)
_WIDEST_ROW = 500  # columns: a row of more is not linked for one wrong name
NOWHERE = Entry("", (), None, {}, [])


class NameResolver(ResolverPart):
    """Finds columns by name. ``uses`` gathers every column that is named, ``variables`` are those of a procedure,
    ``outer`` the scope around all statements of a trigger."""

    def field_named(self, name: str, fields: dict[str, Made]) -> Made | None:
        """Return the field of that name, whatever its case where that does not count."""
        wanted: object = name
        found = fields.get(name) or next(
            (made for key, made in fields.items() if self.env.fold(key) == wanted), None
        )
        if found is None and "*" in fields:
            return column_of_star(name, fields["*"])
        return found

    def under_name(self, name: str, made: Made) -> Made:
        """Return the same column under another name."""
        found = Made(name, made.values, made.conditions, made.span, (), made.fields, origin=made.origin)
        if self.env.tracer is not None:
            self.env.tracer.copy(found, made)
        return found

    def resolve(self, parts: tuple[str, ...], scope: Scope, span: Span) -> list[Reference]:
        """Return the columns that a name stands for: none, one, or every candidate where it is ambiguous."""
        env = self.env
        if parts[-1][:1] in ("#", "$") and parts[-1][1:].isdigit():
            numbered = self._numbered_column(parts, scope)
            if numbered is not None:
                return [numbered]
        if len(parts) == 1:
            return self._resolve_bare(parts[0], scope, span)
        column = parts[-1]
        entry = scope.entry(parts[0]) if len(parts) == 2 else None
        if entry is None:
            entry = scope.entry_by_parts(parts[:-1])
        if entry is not None:
            found = entry.find(column)
            if found is not None:
                return [found]
        deeper = self._resolve_part(parts, scope)
        if deeper is not None:
            element = isinstance(deeper.column, Made) and deeper.column.name == "?"
            opened = scope.open_tables() if element else []
            if opened:  # a field of what is unnested here, or of a column of a table beside it
                return self._ambiguous(
                    parts[0], [deeper, Reference(opened[0], parts[0], ".".join(parts[1:]))], span
                )
            return [deeper]
        if "{{" in column or "${" in column or any("{{" in part for part in parts):
            env.report("opaque_name", "info", "which column this is, is decided by a template", span)
            return []
        if entry is None and column in self.dialect.pseudo_columns:
            return []  # the next value of a sequence
        if entry is None:
            env.report(
                "unknown_table_reference",
                "error",
                f"nothing in FROM is called “{'.'.join(parts[:-1])}”",
                span,
            )
        elif column not in self.dialect.system_columns and column not in self.dialect.pseudo_columns:
            known = column in env.routines or column in _OF_ROWS
            if not (self.dialect.row_functions and known):
                self._unknown_column(column, entry, span)
            if self.dialect.row_functions:
                return self._row_function(column, entry, span, known)
        return []

    def _row_function(self, name: str, entry: Entry, span: Span, known: bool) -> list[Reference]:
        """``row.f`` is ``f(row)`` where the row has no such column: it can only be made of the row."""
        if known:
            message = (
                f"“{entry.key or entry.name}” has no column “{name}”; the function is called with the whole row"
            )
            self.env.report("ambiguous_column", "warning", message, span, "write it as a call")
        return [Reference(entry, column, "", True) for _, column in entry.order[:_WIDEST_ROW]]

    def _numbered_column(self, parts: tuple[str, ...], scope: Scope) -> Reference | None:
        """The column of that number in FROM, or in the table of that name; None where its columns are not known."""
        n = int(parts[-1][1:])
        entries: list[Entry | Merged] = list(scope.visible)
        if len(parts) > 1:
            entry = scope.entry(parts[-2])
            entries = [] if entry is None else [entry]
        for entry_or_merged in entries:
            if isinstance(entry_or_merged, Merged):
                if n == 1:
                    return entry_or_merged.references[0]
                n -= 1
                continue
            order = [column for name, column in entry_or_merged.order if name not in entry_or_merged.hidden]
            if n <= len(order):
                return Reference(entry_or_merged, order[n - 1])
            if entry_or_merged.open:
                return None
            n -= len(order)
        return None

    def _resolve_part(self, parts: tuple[str, ...], scope: Scope) -> Reference | None:
        """Return the part of a column, or of a variable, that ``column.field…`` names."""
        variable = self.env.variables.get(parts[0])
        if variable is not None:
            method = self.dialect.collections and parts[1].lower() in _OF_COLLECTIONS
            if method and parts[1].lower() not in {name.lower() for name in variable.fields or ()}:
                return Reference(NOWHERE, Made(parts[1], {}, {}, variable.span))
            return Reference(NOWHERE, variable, ".".join(parts[1:]))
        if not self.dialect.struct_paths:
            return None
        for n in range(1, len(parts)):
            entry = scope.entry(parts[0]) if n == 1 and len(parts) > 1 else scope.entry_by_parts(parts[:n])
            if entry is not None and n < len(parts) - 1:
                found = entry.find(parts[n])
                if found is not None:
                    path = ".".join(parts[n + 1 :])
                    return Reference(found.entry, found.column, join_path(found.path, path))
        path = ".".join(parts[1:])
        wanted: object = parts[0]
        level: Scope | None = scope
        while level is not None:
            for visible in level.visible:
                if type(visible) is Merged:
                    if visible.name == wanted:
                        first = visible.references[0]
                        return Reference(first.entry, first.column, path)
                elif isinstance(visible, Entry) and parts[0] in visible.columns:
                    return Reference(visible, visible.columns[parts[0]], path)
            level = level.parent
        if scope.aliases and parts[0] in scope.aliases:
            return Reference(NOWHERE, scope.aliases[parts[0]], path)
        for inner in scope.visible:
            if isinstance(inner, Entry) and inner.rest is not None and inner.rest.name == "?":
                return Reference(inner, inner.rest, ".".join(parts))
        opened = scope.open_tables()
        if len(opened) == 1 and scope.entry(parts[0]) is None:
            return Reference(opened[0], parts[0], path)
        return None

    def _unknown_column(self, column: str, entry: Entry, span: Span) -> None:
        near = ", ".join(name for name, _ in entry.order[:8])
        what = f"“{entry.key}”" if entry.key is not None else f"the query “{entry.name}”"
        self.env.report("unknown_column", "error", f"{what} has no column “{column}”", span, f"it has: {near}")

    def _resolve_bare(self, name: str, scope: Scope, span: Span) -> list[Reference]:
        guesses: list[Reference] = []
        wanted: object = name
        level: Scope | None = scope
        while level is not None:
            found: list[Reference] = []
            doubled = False
            for entry in level.visible:
                if type(entry) is Merged:
                    if entry.name == wanted:
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
                elif entry.rest is not None and entry.rest.name in ("*", "?"):
                    path = name if entry.rest.name == "?" and self.dialect.element_fields else ""
                    guesses.append(Reference(entry, entry.rest, path))
            if (
                len(guesses) == 1
                and level is scope
                and not found
                and guesses[0].path
                and self._is_open(level.parent)
            ):
                return guesses  # a field of what is unnested here, rather than a column of a table around it
            if found:
                if doubled or guesses:
                    # A table with unknown columns may have this one too, and would then be meant.
                    if doubled or any(guess.entry not in level.visible for guess in guesses):
                        return self._ambiguous(name, found + guesses, span)
                return found
            if level.aliases is not None and name in level.aliases:
                return [Reference(NOWHERE, level.aliases[name])]
            level = level.parent
        variable = self.env.variables.get(name)
        if variable is not None:
            return [Reference(NOWHERE, variable)]
        if name in self.dialect.pseudo_columns:
            return []
        if not guesses:
            self._unknown_name(name, scope, span)
            return []
        if len(guesses) > 1:
            return self._ambiguous(name, guesses, span)
        return guesses

    @staticmethod
    def _is_open(scope: Scope | None) -> bool:
        return scope is None or any(isinstance(v, Entry) and v.open for v in scope.visible)

    def _unknown_name(self, name: str, scope: Scope, span: Span) -> None:
        if name in self.dialect.system_columns or scope.entry(name) is not None:
            return
        if self.dialect.variables and name.startswith("@"):
            return
        if self.dialect.positional_columns and name.startswith("$"):
            return
        self.env.report("unknown_column", "error", f"no table in FROM has a column “{name}”", span)

    def _ambiguous(self, name: str, candidates: list[Reference], span: Span) -> list[Reference]:
        tables = ", ".join(sorted({str(c.entry.key or c.entry.name) for c in candidates}))
        self.env.report(
            "ambiguous_column",
            "warning",
            f"“{name}” may be a column of any of: {tables}",
            span,
            "all of them are linked as possible; qualify the column, or give the tables' columns",
        )
        return [Reference(c.entry, c.column, c.path, True) for c in candidates]

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
        if self.env.tracer is not None:
            self.env.tracer.touch(found.entry, found.column, values is conditions)
        if found.path or found.possible:
            self._add_part(found, span, values, conditions, how, named)
        else:
            self.add_column(found.entry, found.column, span, values, conditions, how, named)

    def _add_part(
        self, found: Reference, span: Span, values: Flow, conditions: Flow, how: str, named: bool
    ) -> None:
        """Add a part of a column, or a column of which it is not sure that it is meant."""
        column, path = found.column, found.path
        while path and isinstance(column, Made):
            fields = self.resolver.elements.fields_of(column)
            if fields is None:
                break
            step, _, rest = path.partition(".")
            inner = self.field_named(step, fields)
            if inner is None:
                break
            column, path = inner, rest
        if path and how == IDENTITY:
            how = TRANSFORMATION
        flow: Flow = {}
        self.add_column(found.entry, column, span, flow, conditions, IDENTITY, named)
        carry(values, flow, how, (path, found.possible) if path or found.possible else None)

    def add_column(
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
                self.env.uses.add((table, column))
            key = (table, column, how)
            spans = values.get(key)
            if spans is None:
                values[key] = {span: None}
            else:
                spans[span] = None
        else:
            if named and column.stands_for:
                self.env.uses.update(column.stands_for)
            carry(values, column.values, how)
            if column.conditions:
                merge(conditions, column.conditions)

    def add_row(self, entry: Entry, span: Span, values: Flow, conditions: Flow, how: str) -> None:
        """Add all columns of a row that is passed whole. It names no column, so it adds no use."""
        for _, column in entry.order:
            self.add(Reference(entry, column), span, values, conditions, how, named=False)
        for opened in entry.open:
            self.add(Reference(opened, "*"), span, values, conditions, how, named=False)
