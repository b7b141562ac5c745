"""What a database keeps: relations, the queries of views, and routines."""

from collections.abc import Mapping
from dataclasses import dataclass, field

from jalan.catalog.kinds import DatasetKind
from jalan.change.signature import Signature, signature_of
from jalan.change.types import TypedOutput, TypeName

POSTGRESQL = "postgresql"
"""The dialect whose types and keys are known."""
TABLE, VIEW = DatasetKind.TABLE.value, DatasetKind.VIEW.value
MATERIALISED, FOREIGN = DatasetKind.MATERIALISED_VIEW.value, DatasetKind.FOREIGN_TABLE.value
_QUERIES = frozenset({VIEW, MATERIALISED})
_WORDS = {TABLE: "table", VIEW: "view", MATERIALISED: "materialized view", FOREIGN: "foreign table"}
DROPPED = frozenset(words.replace(" ", "_") for words in _WORDS.values())
"""What DROP can name of these, as the grammar calls it."""
TEMPORARY = "pg_temp"
"""The schema that stands first on every path."""
ColumnKey = tuple[int, int]
"""A column by the number of its relation and its own number there: they stay when names change."""


@dataclass(frozen=True, slots=True)
class KeptQuery:
    """What a view is kept as. path: where it looks for names; prefix: what stands in front of these. dialect: that
    it is written in."""

    text: str
    path: tuple[str, ...]
    prefix: str = ""
    dialect: str = POSTGRESQL


@dataclass(frozen=True, slots=True)
class StoredRelation:
    """A table, a view, or what is read as one.

    columns: name → number, in order. uses: the columns that a view hangs on; reads: the relations. through: of a
    view, column → what it is made of; rows: what decides which rows it has. remote: of a foreign table, the name of
    the relation that it shows, and ``remote_columns`` the names of its columns there. points_to: the columns of
    other tables that its foreign keys need; references: the same, each behind the column of its own. types: number
    of a column → its type, as far as they are known. strict: columns that may not be null; filled: those that have
    a value where none is given, with the expression that makes it, if it is known; generated: those that are always
    made of others, with these; must_give: those that have to be given a value because of a change. keys: name of a
    constraint → the columns that are together in no two rows; primary: the name of the one that is; lost_keys: what
    was one before a change. calls: of a view, the routines that its query calls, by number: column → those that it
    is made by, none → those that decide about its rows, or are run whatever is read of it.
    """

    number: int
    name: str
    kind: str
    columns: Mapping[str, int]
    uses: frozenset[ColumnKey] = frozenset()
    reads: frozenset[int] = frozenset()
    through: Mapping[str, frozenset[ColumnKey]] = field(default_factory=dict)
    rows: frozenset[ColumnKey] = frozenset()
    query: KeptQuery | None = None
    remote: str | None = None
    remote_columns: Mapping[str, str] = field(default_factory=dict)
    points_to: frozenset[ColumnKey] = frozenset()
    references: frozenset[tuple[ColumnKey, ColumnKey]] = frozenset()
    types: Mapping[int, TypeName] = field(default_factory=dict)
    strict: frozenset[int] = frozenset()
    filled: Mapping[int, str] = field(default_factory=dict)
    generated: Mapping[int, frozenset[int]] = field(default_factory=dict)
    must_give: frozenset[int] = frozenset()
    keys: Mapping[str, frozenset[int]] = field(default_factory=dict)
    primary: str | None = None
    lost_keys: frozenset[frozenset[int]] = frozenset()
    calls: Mapping[str | None, frozenset[int]] = field(default_factory=dict)

    def type_of(self, column: str) -> TypeName | None:
        """Return the type of a column, none where it is not known."""
        number = self.columns.get(column)
        return None if number is None else self.types.get(number)

    def outputs(self) -> list[TypedOutput]:
        """Return its columns with their types."""
        return [TypedOutput(name, self.types.get(number)) for name, number in self.columns.items()]

    @property
    def called(self) -> frozenset[int]:
        """The numbers of all routines that its query calls."""
        return frozenset[int]().union(*self.calls.values())

    @property
    def is_query(self) -> bool:
        """Whether it is kept as a query: a view, materialised or not."""
        return self.kind in _QUERIES

    @property
    def words(self) -> str:
        """Its kind as the database says it."""
        return _WORDS.get(self.kind, "relation")


@dataclass(frozen=True, slots=True)
class KeptBody:
    """What a routine hangs on whose body the database keeps as it was meant: columns and relations, by number, and
    other routines by theirs."""

    uses: frozenset[ColumnKey]
    reads: frozenset[int]
    calls: frozenset[int]


@dataclass(frozen=True, slots=True)
class StoredRoutine:
    """A routine. text: all of its definition. path: where it looks for names; prefix: what stands in front of them.
    takes: what it is called with. known: what is wrong with it anyhow. kept: what it hangs on, if on anything.
    number: given by the catalogue. dialect: that it is written in."""

    name: str
    text: str
    path: tuple[str, ...]
    prefix: str = ""
    takes: Signature = field(default_factory=Signature)
    known: frozenset[str] = frozenset()
    kept: KeptBody | None = None
    number: int = 0
    dialect: str = "postgresql"

    @property
    def words(self) -> str:
        """Its kind as the database says it."""
        return "procedure" if self.takes.is_procedure else "function"

    @property
    def signature(self) -> str:
        """Its name with what it is called with: no other one has the same."""
        return f"{self.name}({','.join(self.takes.arguments)})"


def stored_routine(name: str, text: str, path: tuple[str, ...], prefix: str = "") -> StoredRoutine:
    """Return a routine as the text says that makes it."""
    return StoredRoutine(name, text, path, prefix, signature_of(text))
