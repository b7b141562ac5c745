"""The tables that names can stand for: those that the caller knows, and those that a script makes."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from difflib import get_close_matches

from jalan.sql import tree
from jalan.sql.dialects.dialect import Dialect, Folding
from jalan.sql.identifiers import Name

Parts = tuple[str, ...]

_NEAR = 3
TYPED_WRONG = 3
_LOOKED_AT = 2_000
_OF_THE_SYSTEM = frozenset({"pg_catalog", "information_schema", "sys", "pg_toast"})


@dataclass(slots=True, eq=False)
class Table:
    """A table with its columns in order; ``lookup`` finds a column by its name as folded in the text.

    columns is None while they are not known. pairs: each column with itself, the order in which a star lists them.
    """

    key: str
    columns: tuple[str, ...] | None
    lookup: dict[str, str]
    temporary: bool = False
    pairs: tuple[tuple[str, str], ...] = ()


def make_table(
    key: str, columns: Sequence[str] | None, temporary: bool = False, folding: Folding = Folding.LOWER
) -> Table:
    """Build a table; a column is found by its exact name and, where that is free, by its folded one."""
    if columns is None:
        return Table(key, None, {}, temporary)
    if folding is Folding.KEEP:
        columns = [Name(name) for name in columns]
    lookup: dict[str, str] = {}
    for name in columns:
        lookup.setdefault(name, name)
    if folding is not Folding.KEEP:
        for name in columns:
            lookup.setdefault(folding.apply(name), name)
    return Table(key, tuple(columns), lookup, temporary, tuple([(name, name) for name in columns]))


def split_key(key: str) -> Parts:
    """Split ``schema."odd.table"`` into its parts, quotes removed."""
    if '"' not in key:
        return tuple(key.split("."))
    parts, part, quoted = [], "", False
    for character in key:
        if character == '"':
            quoted = not quoted
        elif character == "." and not quoted:
            parts.append(part)
            part = ""
        else:
            part += character
    parts.append(part)
    return tuple(parts)


class KnownTables:
    """The caller's tables, indexed by their names. Build it once to extract many texts.

    complete: these are all that there are, so that another name is likely a mistake.

    >>> known = KnownTables({"core.sailings": ["sailing_id", "port"], "tides": ["at"]})
    >>> known.find(("core", "sailings")).columns
    ('sailing_id', 'port')
    >>> known.find(("core", "nothing")) is None
    True
    """

    def __init__(self, tables: Mapping[str, Sequence[str]], complete: bool = False) -> None:
        self.complete = complete
        self._last: dict[str, list[str]] = {}
        self._exact: dict[Parts, Table] = {}
        folded: dict[Parts, Table] = {}
        for key, columns in tables.items():
            table = make_table(key, columns)
            parts = split_key(key)
            self._exact[parts] = table
            folded.setdefault(tuple(part.lower() for part in parts), table)
        for parts, table in folded.items():
            self._exact.setdefault(parts, table)

    def find(self, parts: Parts) -> Table | None:
        """Return the table of exactly these name parts."""
        return self._exact.get(parts)

    def near(self, parts: Parts) -> list[str]:
        """Return the keys of the tables whose names are most like this one: the same in another schema comes first.

        >>> KnownTables({"core.fares": [], "core.ports": []}).near(("core", "faers"))
        ['core.fares']
        """
        if not self._last:
            for table in self._exact.values():
                keys = self._last.setdefault(split_key(table.key)[-1].lower(), [])
                if table.key not in keys:
                    keys.append(table.key)
        name = parts[-1].lower()
        # A name that is hardly like it is not looked at: there may be thousands.
        likely = [n for n in self._last if n[:1] == name[:1] and abs(len(n) - len(name)) <= TYPED_WRONG]
        names = [name] if name in self._last else get_close_matches(name, likely[:_LOOKED_AT], _NEAR)
        return [key for found in names for key in self._last[found]][:_NEAR]


class WatchedTables(KnownTables):
    """Known tables that remember what they were asked: ``asked`` has each name with the table that was told.

    An extraction that would get the same answers again would find the same, so it need not be done.
    """

    def __init__(self, known: KnownTables) -> None:
        self._exact = known._exact
        self._last = known._last
        self.complete = known.complete
        self.asked: dict[Parts, Table | None] = {}

    def find(self, parts: Parts) -> Table | None:
        found = self._exact.get(parts)
        self.asked[tuple(map(str, parts))] = found
        return found


class TableState:
    """Which table a name stands for at this point of a script. files: the keys of those that are files."""

    def __init__(self, known: KnownTables, search_path: Iterable[str], dialect: Dialect) -> None:
        self._known = known
        self._search_path = tuple(search_path)
        self._folding = dialect.folding
        self._schema_level = dialect.use_names_schema
        self._default_schemas = dialect.default_schemas
        self._system_schema = dialect.system_schema
        self.files: dict[str, None] = {}
        self._made: dict[Parts, Table] = {}
        self._unknown: dict[Parts, Table] = {}
        self._found: dict[Parts, Table] = {}
        self._database: Parts = ()
        self._schema: Parts = ()

    @property
    def search_path(self) -> Parts:
        """The schemas in which unqualified names are looked up, in order."""
        return self._search_path

    @search_path.setter
    def search_path(self, schemas: Parts) -> None:
        self._search_path = schemas
        self._found.clear()

    def find(self, parts: Parts) -> Table:
        """Return the table; one that nobody knows comes back without columns, under its name as written.

        Unqualified names are looked up among temporary tables, then along the search path.
        """
        table = self._found.get(parts)
        if table is None:
            table = self._found[parts] = self._look_up(parts)
        return table

    def named(self, name: tree.TableName) -> Table:
        """Return the table, or the file, that a name in the text stands for."""
        table = self.find(name.parts)
        if name.file:
            self.files[table.key] = None
        return table

    def unheard(self, parts: Parts, table: Table) -> list[str] | None:
        """Return what may be meant by a name that nobody knows although all tables are known; none otherwise."""
        if not self._known.complete or self._unknown.get(parts) is not table:
            return None
        if parts[0].lower() in _OF_THE_SYSTEM or parts[-1].lower().startswith("pg_"):
            return None
        return self._known.near(parts)

    def use(self, parts: Parts) -> None:
        """Say that unqualified names are looked up in this schema, or (with an empty last part) this database."""
        if parts[-1] == "":
            self._database, self._schema = parts[:-1], ()
        elif len(parts) > 1:
            self._database, self._schema = parts[:-1], parts[-1:]
        elif self._schema_level:
            self._schema = parts
        else:
            self._database, self._schema = parts, ()
        self._found.clear()

    def _qualified(self, parts: Parts) -> Parts | None:
        """The full name that an unqualified one has after USE; None where there was none."""
        if len(parts) == 1 and (self._schema or self._database):
            schema = self._schema or self._default_schemas[:1]
            return (*self._database, *schema, *parts)
        if len(parts) == 2 and self._database:
            return (*self._database, *parts)
        return None

    def _look_up(self, parts: Parts) -> Table:
        made = self._made.get(parts)
        if made is not None:
            return made
        qualified = self._qualified(parts)
        candidates = [parts]
        if len(parts) == 1:
            candidates = [(schema, parts[0]) for schema in self._search_path] + candidates
            if self._system_schema and self._system_schema not in self._search_path:
                candidates.insert(0, (self._system_schema, parts[0]))
        elif len(parts) == 2 and parts[0] in self._search_path:
            candidates.append(parts[1:])
        elif len(parts) > 2:
            # Without another word the database is the one whose tables are known.
            candidates += [parts[n:] for n in range(1, len(parts) - 1)]
            if parts[-2] in self._search_path:
                candidates.append(parts[-1:])
        if qualified is not None:
            candidates = [qualified[n:] for n in range(len(qualified) - len(parts))] + candidates
        for candidate in candidates:
            table = self._made.get(candidate) or self._known_table(candidate)
            if table is not None and not (len(candidate) < len(parts) and table.temporary):
                return table
        table = self._unknown.get(parts)
        if table is None or qualified is not None:
            key = ".".join(map(str, qualified or parts))
            table = self._unknown[parts] = make_table(key, None, folding=self._folding)
        return table

    def _known_table(self, parts: Parts) -> Table | None:
        if self._folding is Folding.LOWER:
            return self._known.find(parts)
        plain = tuple(map(str, parts))
        table = self._known.find(plain) or self._known.find(tuple(part.lower() for part in plain))
        return None if table is None else make_table(table.key, table.columns, folding=self._folding)

    def make(self, parts: Parts, columns: Sequence[str] | None, temporary: bool) -> Table:
        """Say that the script has made this table; returns it under the key that it has for the caller."""
        before = None if temporary else self.find(parts)
        key = ".".join(map(str, parts)) if before is None else before.key
        if columns is None and before is not None:
            columns = before.columns
        table = self._made[parts] = make_table(key, columns, temporary, self._folding)
        self._forget(parts)
        return table

    def drop(self, parts: Parts) -> None:
        """Say that the script has dropped this table."""
        self._made.pop(parts, None)
        self._forget(parts)

    def rename(self, parts: Parts, new: Parts) -> tuple[Table, Table]:
        """Say that a table has got another name; returns it as it was and as it is."""
        table = self.find(parts)
        self._made.pop(parts, None)
        target = self._known_table(new)
        key = ".".join(map(str, new)) if target is None else target.key
        renamed = make_table(key, table.columns, table.temporary, self._folding)
        self._made[new] = renamed
        self._forget(parts)
        self._forget(new)
        return table, renamed

    def swap(self, parts: Parts, other: Parts) -> tuple[Table, Table]:
        """Say that two tables have exchanged their names; returns both as they were."""
        one, two = self.find(parts), self.find(other)
        self._made[parts] = make_table(one.key, two.columns, one.temporary, self._folding)
        self._made[other] = make_table(two.key, one.columns, two.temporary, self._folding)
        self._forget(parts)
        self._forget(other)
        return one, two

    def _forget(self, parts: Parts) -> None:
        """Look these names up again: what they stand for has changed."""
        self._found.pop(parts, None)
        self._found.pop(parts[-1:], None)
        for schema in self._search_path:
            self._found.pop((schema, parts[-1]), None)
