"""Seeing through the intermediates of a script: what lasts is linked to what lasts."""

from collections.abc import Set
from dataclasses import dataclass, field, replace

from jalan.lineage.flow import join_path
from jalan.lineage.model import IDENTITY, VALUE_RANK, Link, Source, Span, Statement


@dataclass(slots=True, eq=False)
class Storage:
    """A table that the script makes, through all its names.

    key: its name at the end of the script.
    intermediate: temporary, or dropped by the script.
    made_here: False for an older table that the script only renames.
    renamed, dropped: columns that got other names after being written, or are gone.
    """

    key: str
    intermediate: bool
    made_here: bool = True
    renamed: dict[str, str] = field(default_factory=dict)
    dropped: set[str] = field(default_factory=set)

    def moved(self, name: str | None) -> bool:
        """Whether what a statement says of the table by this name is not yet what lasts."""
        return self.intermediate or self.key != name or bool(self.renamed or self.dropped)


@dataclass(slots=True, eq=False)
class _Column:
    values: list[Source]
    conditions: list[Source]


@dataclass(slots=True, eq=False)
class _Content:
    columns: dict[str, _Column] = field(default_factory=dict)
    rows: list[Source] = field(default_factory=list)


def see_through(
    statements: list[Statement], bindings: list[dict[str, Storage]], replacing: Set[int] = frozenset()
) -> tuple[list[Link], list[tuple[int, Exception]]]:
    """Return the links of all statements with intermediate tables replaced by what went into them, and the
    statements for which that failed (index, error): those have the links that they have by themselves.

    bindings: for each statement the storages that its names stand for, the written one under ``""``.
    replacing: the UPDATEs and DELETEs among them that leave nothing of what was in the columns or rows before.
    """
    links: list[Link] = []
    faults: list[tuple[int, Exception]] = []
    contents: dict[int, _Content] = {}
    for index, statement in enumerate(statements):
        bound = bindings[index]
        if index in replacing and "" in bound:
            _clear(contents.get(id(bound[""])), statement)
        if not statement.outputs and not statement.row_conditions:
            continue
        if any(storage.moved(name or statement.target) for name, storage in bound.items()):
            try:
                links += _opened(index, statement, bound, contents, index in replacing)
                continue
            except Exception as error:
                faults.append((index, error))
        _add_links(links, index, statement.target, statement, statement.row_conditions)
    return links, faults


def _opened(
    index: int, statement: Statement, bound: dict[str, Storage], contents: dict[int, _Content], replacing: bool
) -> list[Link]:
    """The links of one statement, its intermediates opened; none where it writes an intermediate."""
    links: list[Link] = []
    storage = bound.get("")
    seen = _Seen(bound, contents)
    rows = seen.conditions(statement.row_conditions)
    for key in statement.reads:
        rows = _joined(rows, seen.rows_of(key))
    opened = Statement(statement.kind, statement.span, statement.target)
    for output in statement.outputs:
        values, decided = seen.values(output.values)
        conditions = _joined(decided, seen.conditions(output.conditions))
        opened.outputs.append(type(output)(output.name, values, conditions, output.span))
    if storage is not None and storage.intermediate:
        _store(contents.setdefault(id(storage), _Content()), opened, rows, replacing)
        return links
    target = statement.target if storage is None else storage.key
    if storage is not None:
        opened.outputs = [o for o in opened.outputs if o.name not in storage.dropped]
        for output in opened.outputs:
            output.name = storage.renamed.get(output.name, output.name)
    _add_links(links, index, target, opened, rows)
    return links


class _Seen:
    """The sources of one statement, opened where they are intermediate."""

    def __init__(self, bound: dict[str, Storage], contents: dict[int, _Content]) -> None:
        self._bound = bound
        self._contents = contents

    def _content(self, table: str) -> _Content | None:
        storage = self._bound.get(table)
        if storage is None or not storage.intermediate:
            return None
        return self._contents.get(id(storage), _Content())

    def _lasting(self, source: Source) -> Source:
        storage = self._bound.get(source.table)
        if storage is None or storage.key == source.table:
            return source
        return replace(source, table=storage.key)

    def rows_of(self, table: str) -> list[Source]:
        """What decides about the rows of an intermediate table."""
        content = self._content(table)
        return [] if content is None else content.rows

    def values(self, sources: list[Source]) -> tuple[list[Source], list[Source]]:
        """Return what carries value through, and what decides about it on the way."""
        values: list[Source] = []
        conditions: list[Source] = []
        for source in sources:
            content = self._content(source.table)
            if content is None:
                values.append(self._lasting(source))
                continue
            for column in _columns(content, source.column):
                values += [_composed(source, inner) for inner in column.values]
                conditions += column.conditions
        return _joined([], values), _joined([], conditions)

    def conditions(self, sources: list[Source]) -> list[Source]:
        """Return what stands behind conditions."""
        found: list[Source] = []
        for source in sources:
            content = self._content(source.table)
            if content is None:
                found.append(self._lasting(source))
                continue
            for column in _columns(content, source.column):
                found += [_composed(source, inner) for inner in column.values]
                found += column.conditions
        return _joined([], found)


def _columns(content: _Content, name: str) -> list[_Column]:
    if name == "*":
        return list(content.columns.values())
    column = content.columns.get(name)
    if column is not None:
        return [column]
    star = content.columns.get("*")
    if star is None:
        return []
    # The intermediate was made by `select *` of a table with unknown columns: this column comes from there.
    values = [replace(s, column=name if s.column == "*" else s.column) for s in star.values]
    return [_Column(values, star.conditions)]


def _composed(outer: Source, inner: Source) -> Source:
    path, possible = inner.path, outer.possible or inner.possible
    if outer.path and (inner.how == IDENTITY or inner.path):
        path = join_path(inner.path, outer.path)
    how = outer.how
    if how in VALUE_RANK and VALUE_RANK[inner.how] >= VALUE_RANK[how]:
        how = inner.how
        if path == inner.path and possible == inner.possible:
            return inner
    return Source(inner.table, inner.column, how, inner.span, inner.spans, path, possible)


def _joined(left: list[Source], right: list[Source]) -> list[Source]:
    """Both lists as one, each column once a manner, its places together."""
    if not right:
        return left
    found = {(s.table, s.column, s.how): s for s in left}
    for source in right:
        key = (source.table, source.column, source.how)
        present = found.get(key)
        if present is None:
            found[key] = source
        elif present.spans != source.spans:
            spans: tuple[Span, ...] = tuple(dict.fromkeys(present.spans + source.spans))
            possible = present.possible and source.possible
            found[key] = Source(*key, present.span, spans, present.path or source.path, possible)
    return list(found.values())


def _store(content: _Content, statement: Statement, rows: list[Source], replacing: bool) -> None:
    if statement.kind == "create_table_as":
        content.columns.clear()
        content.rows = []
    for output in statement.outputs:
        present = content.columns.get(output.name)
        if present is None or replacing:
            content.columns[output.name] = _Column(output.values, output.conditions)
        else:
            present.values = _joined(present.values, output.values)
            present.conditions = _joined(present.conditions, output.conditions)
    content.rows = _joined(content.rows, rows)


def _clear(content: _Content | None, statement: Statement) -> None:
    if content is not None and statement.kind == "delete":
        content.columns.clear()
        content.rows = []


def _add_links(links: list[Link], index: int, target: str | None, statement: Statement, rows: list[Source]) -> None:
    for output in statement.outputs:
        name = output.name
        for s in output.values:
            links.append(
                Link(target, name, s.table, s.column, "value", s.how, s.span, s.spans, index, s.path, s.possible)
            )
        for s in output.conditions:
            links.append(
                Link(
                    target, name, s.table, s.column, "condition", s.how, s.span, s.spans, index, s.path, s.possible
                )
            )
    for s in rows:
        links.append(
            Link(target, None, s.table, s.column, "condition", s.how, s.span, s.spans, index, s.path, s.possible)
        )
