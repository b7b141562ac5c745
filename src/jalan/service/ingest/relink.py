"""Reads the lineage out of the definitions of a database that may have changed, and keeps their links."""

from typing import Any

from sqlalchemy import text
from sqlalchemy.dialects.postgresql import insert

from jalan.catalog.kinds import DatasetKind, DefinitionKind, definition_kind
from jalan.catalog.names import full_table_name, place_of_file
from jalan.lineage.model import Extraction, Link
from jalan.lineage.project import Progress, Project, TextReading
from jalan.service.ingest.coverage import coverage_of
from jalan.service.ingest.queries import QueryWriter
from jalan.service.ingest.stored_texts import StoredTexts, reader_word
from jalan.store.repositories.catalog import CatalogueWriter
from jalan.store.repositories.definitions import DefinitionWriter, NewDiagnostic, NewLink
from jalan.store.schema import Dataset, Definition, Relinked, System


def _kept(reading: TextReading) -> dict[str, Any]:
    """What the store keeps of a reading."""
    asked = [[list(parts), told] for parts, told in (reading.asked or {}).items()]
    return {
        "asked": sorted(asked),
        "makes": reading.makes,
        "called": reading.called,
        "routines": reading.routines,
    }


def relink(
    catalogue: CatalogueWriter,
    definitions: DefinitionWriter,
    system: System,
    database: str,
    tell: Progress,
) -> None:
    """Extract the definitions of a database that may have changed with the tables known now, and write what has.

    A definition whose text is the same, and whose tables are, is not extracted again.
    """
    definitions.flush()
    store = StoredTexts(catalogue, system, database)
    last = catalogue.session.get(Relinked, (system.id, database))
    # What was never read is read anyhow.
    names = set() if last is None else store.changed_tables(last) | store.names_closed(last.at)
    if last is not None and last.complete != store.complete:
        names.add("m:")
    found = Project(store).read(store.unread(), names, tell)
    queries = QueryWriter(catalogue, [reading.id for reading in found])
    for number, reading in enumerate(found):
        tell("links", number, len(found))
        assert reading.extraction is not None
        definition = store.definitions[reading.id]
        definition.asked, definition.names = _kept(reading), reading.names()
        definition.reader = reader_word()
        definition.coverage = coverage_of(reading.extraction)
        writer = _Writer(catalogue, definitions, system, definition, reading.extraction)
        writer.write()
        if definition.kind == DefinitionKind.QUERY:
            queries.write(definition, reading.extraction, writer.dataset)
    tell("links", len(found), len(found))
    definitions.flush()
    queries.flush()
    _note(catalogue, system, database, store.complete)


def _note(catalogue: CatalogueWriter, system: System, database: str, complete: bool) -> None:
    seen, xact = catalogue.session.execute(
        text("select pg_current_snapshot()::text, pg_current_xact_id()::text")
    ).one()
    said = {"at": catalogue.now, "seen": seen, "xact": xact, "complete": complete}
    row = insert(Relinked).values(system_id=system.id, database=database, **said)
    catalogue.session.execute(row.on_conflict_do_update(index_elements=["system_id", "database"], set_=said))


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
