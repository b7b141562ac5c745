"""The catalogue as extraction asks for tables."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Protocol

from jalan.change.stored import StoredRelation
from jalan.lineage.tables import KnownTables, Parts, Table, make_table

FATAL = frozenset({"unknown_table", "unknown_column", "unknown_table_reference", "ambiguous_column"})
"""What extraction says of a query that the database would not run."""


class Finds(Protocol):
    """What relations are found in by name."""

    def find(self, name: str) -> StoredRelation | None:
        """Return a relation by its name."""


@dataclass(frozen=True, slots=True)
class Relations:
    """Relations at one moment, whatever happens to the catalogue that they are of. by_name: all of them."""

    by_name: Mapping[str, StoredRelation]

    def find(self, name: str) -> StoredRelation | None:
        """Return a relation by its name."""
        return self.by_name.get(name)


class CatalogueSeen(KnownTables):
    """The tables of a catalogue, each made once for as long as it stays the same.

    prefix: what stands in front of the names that a query knows.
    """

    def __init__(self, catalogue: Finds, prefix: str = "") -> None:
        super().__init__({}, complete=True)
        self._catalogue, self._prefix = catalogue, prefix
        self._tables: dict[str, tuple[StoredRelation, Table]] = {}

    def find(self, parts: Parts) -> Table | None:
        """Return a table by its name."""
        name = ".".join(map(str, parts))
        found = self._catalogue.find(self._prefix + name)
        if found is None:
            return None
        known = self._tables.get(name)
        if known is None or known[0] is not found:
            known = self._tables[name] = (found, make_table(name, list(found.columns)))
        return known[1]

    def near(self, parts: Parts) -> list[str]:
        """Return nothing: here a name is there or is not."""
        return []
