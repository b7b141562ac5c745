"""Reads the lineage out of the definitions of one database and keeps its links in the store."""

from collections.abc import Callable
from dataclasses import dataclass, field
from functools import cache
from hashlib import blake2b
from pathlib import Path
from typing import Any

import jalan
from jalan.catalog.kinds import MAKING_STATEMENTS, NOT_SQL, DatasetKind, DefinitionKind, FieldKind, definition_kind
from jalan.catalog.names import full_table_name, place_of_file
from jalan.lineage.following import called_names, extract_following, routines_of
from jalan.lineage.model import Extraction, Link
from jalan.lineage.tables import KnownTables, Table, WatchedTables
from jalan.service.ingest.coverage import coverage_of
from jalan.service.ingest.identity import Aliases
from jalan.service.ingest.queries import QueryWriter
from jalan.store.repositories.catalog import CatalogueWriter
from jalan.store.repositories.definitions import DefinitionWriter, NewDiagnostic, NewLink
from jalan.store.schema import Dataset, Definition, System

_ROUNDS = 20  # how long a chain of scripts over tables that nobody scanned may be
Progress = Callable[[str, int, int], None]


@cache
def _reader() -> str:
    """A word for the code that reads: another one reads everything anew."""
    root = Path(jalan.__file__).parent
    digest = blake2b(digest_size=8)
    for package in ("sql", "lineage"):
        for path in sorted((root / package).rglob("*.py")):
            digest.update(path.read_bytes())
    return digest.hexdigest()


@dataclass(slots=True)
class _Reading:
    """One definition with what its extraction asked and made. extraction: none where it need not be done again.

    called: the names that may be those of routines, each with a word for what it does as far as another text says.
    routines: those that it defines, each with its place in the text.
    """

    definition: Definition
    asked: dict[tuple[str, ...], str | None] | None = None
    makes: dict[str, list[str]] = field(default_factory=dict)
    called: dict[str, str | None] = field(default_factory=dict)
    routines: dict[str, list[int]] = field(default_factory=dict)
    extraction: Extraction | None = None

    def kept(self) -> dict[str, Any]:
        """Return what the store keeps of it."""
        asked = [[list(parts), told] for parts, told in (self.asked or {}).items()]
        return {
            "reader": _reader(),
            "asked": sorted(asked),
            "makes": self.makes,
            "called": self.called,
            "routines": self.routines,
        }


class _Routines:
    """The routines that the texts of a database define, by dialect and last name. Of two with one name, none."""

    def __init__(self, readings: list[_Reading]) -> None:
        self._texts: dict[str, dict[str, str]] = {}
        doubled: dict[str, set[str]] = {}
        for reading in readings:
            definition = reading.definition
            mine = self._texts.setdefault(definition.dialect, {})
            for name, (start, end) in reading.routines.items():
                written = definition.text[start:end]
                if mine.setdefault(name, written) != written:
                    doubled.setdefault(definition.dialect, set()).add(name)
        for dialect, names in doubled.items():
            for name in names:
                del self._texts[dialect][name]
        self._words: dict[tuple[str, str], str | None] = {}

    def of(self, dialect: str) -> dict[str, str]:
        """Return those of a dialect."""
        return self._texts.get(dialect, {})

    def word(self, dialect: str, name: str) -> str | None:
        """Return a word for what a routine does, what it calls included; none where nobody defines it."""
        key = (dialect, name)
        if key not in self._words:
            self._words[key] = None  # while it is made up: of a circle the rest is enough
            written = self.of(dialect).get(name)
            if written is not None:
                calls = [self.word(dialect, called) or "" for called in sorted(called_names(written))]
                self._words[key] = blake2b("\x1f".join([written, *calls]).encode(), digest_size=6).hexdigest()
        return self._words[key]


def relink(
    catalogue: CatalogueWriter,
    definitions: DefinitionWriter,
    system: System,
    database: str,
    tell: Progress,
) -> None:
    """Extract the definitions of a database with the tables known now, and write what has changed.

    A definition whose text is the same, and whose tables are, is not extracted again.
    """
    texts = [
        d
        for d in definitions.valid()
        if d.system_id == system.id
        and d.database == database
        and d.kind not in NOT_SQL
        # What another Jalan has read comes with its links.
        and not d.key.startswith("event:")
    ]
    aliases = Aliases(catalogue)
    scanned = _scanned_tables(catalogue, aliases, system, database)
    found = [r for r in _extract_all(texts, scanned, tell) if r.extraction is not None]
    queries = QueryWriter(catalogue)
    for number, reading in enumerate(found):
        tell("links", number, len(found))
        assert reading.extraction is not None
        reading.definition.asked = reading.kept()
        reading.definition.coverage = coverage_of(reading.extraction)
        writer = _Writer(catalogue, definitions, system, reading.definition, reading.extraction)
        writer.write()
        if reading.definition.kind == DefinitionKind.QUERY:
            queries.write(reading.definition, reading.extraction, writer.dataset)
    tell("links", len(found), len(found))
    definitions.flush()
    queries.flush()


def _scanned_tables(
    catalogue: CatalogueWriter, aliases: Aliases, system: System, database: str
) -> dict[str, list[str]]:
    """The tables whose columns are known for sure: placeholders are left out, theirs are guesses.

    A table that goes by several names is known by each of them.
    """
    prefix = f"{database}."
    known = {}
    for name, dataset in catalogue.datasets(system).items():
        if name.startswith(prefix) and not dataset.placeholder and dataset.gone_since is None:
            columns = _columns(catalogue, dataset)
            if columns:
                known[name.removeprefix(prefix)] = columns
    for name, canonical in aliases.names_in(system, prefix):
        if not canonical.placeholder and canonical.gone_since is None and name not in known:
            known[name.removeprefix(prefix)] = _columns(catalogue, canonical)
    return known


def _columns(catalogue: CatalogueWriter, dataset: Dataset) -> list[str]:
    fields = [f for f in catalogue.fields(dataset).values() if f.gone_since is None and f.kind == FieldKind.COLUMN]
    return [f.name for f in sorted(fields, key=lambda f: f.ordinal)]


def _extract_all(texts: list[Definition], scanned: dict[str, list[str]], tell: Progress) -> list[_Reading]:
    """Extract until the tables that the texts make for one another are known as well."""
    readings = [_remembered(definition) for definition in texts]
    made: dict[str, list[str]] = {}
    for reading in readings:
        made |= reading.makes
    routines = _Routines(readings)
    for _ in range(_ROUNDS):
        known = KnownTables(made | scanned, complete=bool(scanned))
        told: dict[int, str] = {}
        for number, reading in enumerate(readings):
            tell("statements", number, len(texts))
            if not _same_answers(reading, known, told, routines):
                _extract(reading, known, told, routines)
        before, made = made, {}
        for reading in readings:
            made |= reading.makes
        routines = _Routines(readings)
        settled = made == before or all(key in scanned for key in made)
        if settled and all(_same_routines(reading, routines) for reading in readings):
            break
    tell("statements", len(texts), len(texts))
    return readings


def _remembered(definition: Definition) -> _Reading:
    kept = definition.asked
    if kept is None or kept["reader"] != _reader():
        return _Reading(definition)
    asked = {tuple(parts): told for parts, told in kept["asked"]}
    return _Reading(definition, asked, kept["makes"], kept["called"], kept["routines"])


def _same_routines(reading: _Reading, routines: _Routines) -> bool:
    dialect = reading.definition.dialect
    return all(routines.word(dialect, name) == word for name, word in reading.called.items())


def _same_answers(reading: _Reading, known: KnownTables, told: dict[int, str], routines: _Routines) -> bool:
    if reading.asked is None or not _same_routines(reading, routines):
        return False
    return all(_answer(known.find(parts), told) == answer for parts, answer in reading.asked.items())


def _answer(table: Table | None, told: dict[int, str]) -> str | None:
    """A table's key and columns in one short word."""
    if table is None:
        return None
    found = told.get(id(table))
    if found is None:
        text = "\x1f".join((table.key, *map(str, table.columns or ("\x1e",))))
        found = told[id(table)] = blake2b(text.encode(), digest_size=6).hexdigest()
    return found


def _extract(reading: _Reading, known: KnownTables, told: dict[int, str], routines: _Routines) -> None:
    definition = reading.definition
    watched = WatchedTables(known)
    reading.extraction = extract_following(
        definition.text,
        routines.of(definition.dialect),
        dialect=definition.dialect,
        tables=watched,
        search_path=definition.search_path,
        **(definition.template or {}),
    )
    reading.asked = {parts: _answer(table, told) for parts, table in watched.asked.items()}
    reading.makes = _tables_made(definition, reading.extraction)
    reading.routines = routines_of(definition.text, reading.extraction)
    names = called_names(definition.text)
    reading.called = {name: routines.word(definition.dialect, name) for name in sorted(names)}


def _tables_made(definition: Definition, extraction: Extraction) -> dict[str, list[str]]:
    made = {}
    for statement in extraction.statements:
        target = statement.target
        if target is None or statement.kind not in MAKING_STATEMENTS or target in extraction.intermediates:
            continue
        names = [str(output.name) for output in statement.outputs]
        if names and "*" not in names:
            schema = definition.search_path[0] if definition.search_path else "public"
            made[target if "." in target else f"{schema}.{target}"] = names
    return made


class _Writer:
    def __init__(
        self,
        catalogue: CatalogueWriter,
        definitions: DefinitionWriter,
        system: System,
        definition: Definition,
        extraction: Extraction,
    ) -> None:
        self._catalogue = catalogue
        self._definitions = definitions
        self._system = system
        self._definition = definition
        self._extraction = extraction
        self._files = set(extraction.files)

    def write(self) -> None:
        definition, extraction = self._definition, self._extraction
        statements = [(s.kind, s.span) for s in extraction.statements]
        ids = self._definitions.statements(definition, statements)
        self._name_targets()
        wanted = {new for link in extraction.links if (new := self._new_link(link, ids)) is not None}
        origin = definition_kind(definition.kind).about.origin
        self._definitions.links(definition, origin, wanted)
        found = {
            NewDiagnostic(d.code, d.level, d.message, d.hint, d.span[0], d.span[1]) for d in extraction.diagnostics
        }
        self._definitions.diagnostics(definition, found)

    def _name_targets(self) -> None:
        """Every lasting table that is written exists, also one that gets only constants."""
        for statement in self._extraction.statements:
            target = statement.target
            if target is None or target in self._extraction.intermediates or not statement.outputs:
                continue
            dataset = self.dataset(target)
            if dataset.placeholder:
                for output in statement.outputs:
                    self._catalogue.field(dataset, str(output.name))
                if statement.kind in ("create_view", "create_materialized_view"):
                    kind = DatasetKind.VIEW if statement.kind == "create_view" else DatasetKind.MATERIALISED_VIEW
                    self._catalogue.update(dataset, "datasets changed", kind=kind)

    def _new_link(self, link: Link, ids: list[int]) -> NewLink | None:
        definition = self._definition
        if definition.kind == DefinitionKind.QUERY and link.target is None:
            return None
        source = self.dataset(link.table)
        field = self._catalogue.field(source, link.column)
        target_field: int | None
        if definition.field_id is not None:
            # An element of a report: whatever its query puts out, it shows.
            assert definition.dataset_id is not None
            target_dataset = definition.dataset_id
            target_field = definition.field_id
        elif definition.kind == DefinitionKind.EXTRACT:
            # A copy of what a query puts out: its columns are those of the query.
            assert definition.dataset_id is not None
            copy = self._catalogue.dataset_of(definition.dataset_id)
            target_dataset = copy.id
            target_field = None if link.output is None else self._catalogue.field(copy, str(link.output)).id
        elif link.target is None:
            return None
        else:
            target = self.dataset(link.target)
            target_dataset = target.id
            target_field = None if link.output is None else self._catalogue.field(target, link.output).id
        return NewLink(
            field.id,
            target_dataset,
            target_field,
            link.kind,
            link.how,
            ids[link.statement],
            link.spans,
            self._expression(link),
            link.path,
            link.possible,
        )

    def _expression(self, link: Link) -> tuple[int, int] | None:
        if link.output is None:
            return None
        for output in self._extraction.statements[link.statement].outputs:
            if output.name == link.output:
                return output.span
        return None

    def dataset(self, written: str) -> Dataset:
        """Return the dataset that a name in the text stands for."""
        if written in self._files:
            return self._catalogue.file(*place_of_file(self._system.namespace, written))
        name = full_table_name(written, self._definition.database, self._definition.search_path)
        return self._catalogue.dataset(self._system, name)
