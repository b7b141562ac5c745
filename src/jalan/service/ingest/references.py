"""Finds what people name: a dataset or a column, or an error with the nearest names."""

import difflib

from jalan.catalog.names import server_namespace
from jalan.sources.declared import Reference
from jalan.sources.errors import FileError
from jalan.store.repositories.catalog import CatalogueWriter
from jalan.store.schema import Dataset, Field, System


def nearest(word: str, known: list[str]) -> str:
    """Return the known names most like a word, as the end of a message; empty where none is like it."""
    found = difflib.get_close_matches(word, known, 3, 0.5)
    return f"; the nearest names are {', '.join(found)}" if found else ""


class References:
    """Resolves what is written in one file."""

    def __init__(self, catalogue: CatalogueWriter, path: str, server: str | None) -> None:
        self._catalogue = catalogue
        self._path = path
        self._systems = catalogue.systems()
        if server is not None:
            self._systems = [s for s in self._systems if s.namespace == server_namespace(server)]

    def find(self, reference: Reference, line: int) -> tuple[Dataset, Field | None]:
        """Return the dataset and, if one is named, the column. Raises FileError."""
        if reference.written is None:
            return self._named(reference)
        written = reference.written
        found = self._dataset(written, line)
        if found is not None:
            return found, None
        table, _, column = written.rpartition(".")
        found = self._dataset(table, line) if table else None
        if found is None:
            raise FileError(self._path, line, f"nothing is known as “{written}”{self._near(written)}")
        fields = {n: f for n, f in self._catalogue.fields(found).items() if f.gone_since is None}
        if column not in fields:
            near = nearest(column, [name for name in fields if name != "*"])
            raise FileError(self._path, line, f"{table} has no column “{column}”{near}")
        return found, fields[column]

    def _named(self, reference: Reference) -> tuple[Dataset, Field | None]:
        assert reference.namespace is not None
        assert reference.name is not None
        dataset = self._catalogue.named(reference.namespace, reference.name)
        if reference.kind is not None and dataset.placeholder:
            self._catalogue.update(dataset, "datasets changed", kind=reference.kind)
        column = None if reference.column is None else self._catalogue.field(dataset, reference.column)
        return dataset, column

    def _dataset(self, name: str, line: int) -> Dataset | None:
        found = self._among(self._systems, name)
        if len(found) > 1:
            places = ", ".join(system.namespace for system in found)
            message = f"“{name}” is in several places ({places}); say which with “server” or “namespace”"
            raise FileError(self._path, line, message)
        return next(iter(found.values()), None)

    def _among(self, systems: list[System], name: str) -> dict[System, Dataset]:
        known = ((system, self._catalogue.find(system, name)) for system in systems)
        return {system: found for system, found in known if found is not None and found.gone_since is None}

    def _near(self, written: str) -> str:
        names = self._catalogue.near(self._systems, written)
        return nearest(written, names) or nearest(written.rpartition(".")[0], names)
