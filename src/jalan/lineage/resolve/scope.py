"""Scopes: what the names in one query can stand for. A scope is asked for a name and answers with the columns
it stands for, or with nothing."""

from collections.abc import Sequence
from dataclasses import dataclass, field

from jalan.lineage.model import Span
from jalan.sql import tree

Key = tuple[str, str, str]
Mark = tuple[str, bool]
"""The path that is taken out of a column, and whether the column is only one of several that may be meant."""

Flow = dict[Key, dict[Span, Mark | None]]
"""(table, column, how) → where that column is named, each place once and in order, with its mark."""


@dataclass(slots=True, eq=False, init=False)
class Made:
    """A column that a query makes: what carries value into it and what decides about it.

    stands_for: table columns of which this is only another name, so that naming it is naming them.
    fields: the parts of a value that has named parts, origin: what they can be found out from when they are asked
        for.
    text: the constant text that it is known to be.
    unnamed: the name was made up by the database.
    """

    name: str
    values: Flow
    conditions: Flow
    span: Span
    stands_for: tuple[tuple[str, str], ...] = ()
    fields: "dict[str, Made] | None" = None
    text: "Text | None" = None
    unnamed: bool = False
    origin: "tuple[tree.Expression, Scope] | None" = None

    def __init__(
        self,
        name: str,
        values: Flow,
        conditions: Flow,
        span: Span,
        stands_for: tuple[tuple[str, str], ...] = (),
        fields: "dict[str, Made] | None" = None,
        text: "Text | None" = None,
        unnamed: bool = False,
        origin: "tuple[tree.Expression, Scope] | None" = None,
    ) -> None:
        self.name = name
        self.values = values
        self.conditions = conditions
        self.span = span
        self.stands_for = stands_for
        self.fields = fields
        self.text = text
        self.unnamed = unnamed
        self.origin = origin


Text = list[tuple[str, int]]
"""Constant text in pieces, each with the offset at which it stands in the script."""


@dataclass(slots=True, eq=False, init=False)
class Relation:
    """What a query puts out.

    rows: what decides which rows there are.
    order: the keys of an ORDER BY that decides nothing more than the order.
    open: tables with unknown columns whose star is part of the output.
    """

    columns: list[Made]
    rows: Flow
    order: Flow
    open: list["Entry"]
    _by_name: dict[str, Made] | None = None

    def __init__(
        self,
        columns: list[Made],
        rows: Flow,
        order: Flow,
        open: list["Entry"],
    ) -> None:
        self.columns = columns
        self.rows = rows
        self.order = order
        self.open = open
        self._by_name = None

    def named(self, name: str) -> Made | None:
        """Return the first column of that name."""
        if self._by_name is None or len(self._by_name) > len(self.columns):
            self._by_name = {}
            for made in self.columns:
                self._by_name.setdefault(made.name, made)
        return self._by_name.get(name)


@dataclass(slots=True, eq=False, init=False)
class Entry:
    """One table-like thing in FROM.

    name: how columns are qualified with it.
    parts: its full name where it is a table without alias.
    key: the table, None for a query.
    columns: name → the table's own name of the column, or what makes it.
    order: the names for a star; a name may come twice.
    open: tables that may have any further column.
    hidden: columns that a USING has merged away.
    rest: what any further name stands for, as the fields of an unnested value, or the columns of a pivot that the
        data decides.
    """

    name: str
    parts: tuple[str, ...]
    key: str | None
    columns: dict[str, "str | Made"]
    order: Sequence[tuple[str, "str | Made"]]
    open: list["Entry"] = field(default_factory=list)
    hidden: set[str] = field(default_factory=set)
    rest: Made | None = None
    is_file: bool = False

    def __init__(
        self,
        name: str,
        parts: tuple[str, ...],
        key: str | None,
        columns: dict[str, "str | Made"],
        order: Sequence[tuple[str, "str | Made"]],
        open: list["Entry"] | None = None,
        hidden: set[str] | None = None,
        rest: Made | None = None,
        is_file: bool = False,
    ) -> None:
        self.name = name
        self.parts = parts
        self.key = key
        self.columns = columns
        self.order = order
        self.open = open if open is not None else []
        self.hidden = hidden if hidden is not None else set()
        self.rest = rest
        self.is_file = is_file

    def find(self, name: str) -> "Reference | None":
        """Return the column of that name; an open entry has every name."""
        column = self.columns.get(name)
        if column is not None:
            return Reference(self, column)
        if self.open:
            return Reference(self.open[0], name)
        if self.rest is not None:
            return Reference(self, self.rest, name)
        return None


@dataclass(slots=True, eq=False, init=False)
class Reference:
    """A column of an entry, or a part of it; ``possible`` where others may be meant."""

    entry: Entry
    column: "str | Made"
    path: str = ""
    possible: bool = False

    def __init__(self, entry: Entry, column: "str | Made", path: str = "", possible: bool = False) -> None:
        self.entry = entry
        self.column = column
        self.path = path
        self.possible = possible


@dataclass(slots=True, eq=False)
class Merged:
    """A column that USING or NATURAL has made of one column on either side."""

    name: str
    references: list[Reference]


class Scope:
    """The names of one FROM, inside the scope of the query around it. ``aliases``: the outputs made so far, where
    the dialect lets other clauses name them. ``order``: what the rows of a query in FROM are sorted by."""

    __slots__ = ("aliases", "entries", "order", "parent", "select_windows", "visible")

    def __init__(self, parent: "Scope | None") -> None:
        self.aliases: dict[str, Made] | None = None
        self.parent = parent
        self.order: Flow = {}
        self.entries: list[Entry] = []
        self.visible: list[Entry | Merged] = []
        self.select_windows: dict[str, tree.Window] = {}

    def open_tables(self) -> "list[Entry]":
        """Return the tables of this FROM that may have further columns."""
        return [table for item in self.visible if isinstance(item, Entry) for table in item.open]

    def add(self, entry: Entry) -> None:
        """Let an entry be found by its name."""
        self.entries.append(entry)

    def entry(self, name: str) -> Entry | None:
        """Return the entry of that name, looking outwards."""
        scope: Scope | None = self
        wanted: object = name
        while scope is not None:
            for entry in scope.entries:
                if entry.name == wanted:
                    return entry
            scope = scope.parent
        return None

    def entry_by_parts(self, parts: tuple[str, ...]) -> Entry | None:
        """Return the table without alias whose full name ends so, looking outwards."""
        scope: Scope | None = self
        while scope is not None:
            for entry in scope.entries:
                if entry.parts[-len(parts) :] == parts:
                    return entry
            scope = scope.parent
        return None


Visible = list[Entry | Merged]
Ctes = dict[str, Relation]
