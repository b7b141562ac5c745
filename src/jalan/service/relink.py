"""Reads the lineage out of the definitions of one database and keeps its links in the store."""

from collections.abc import Callable

from jalan.catalog.names import full_table_name
from jalan.lineage.extraction import Extraction, Link
from jalan.lineage.script import extract
from jalan.lineage.tables import KnownTables
from jalan.store.catalogue import CatalogueWriter
from jalan.store.definitions import DefinitionWriter, NewDiagnostic, NewLink
from jalan.store.models import Dataset, Definition, System

_ROUNDS = 20  # how long a chain of scripts over tables that nobody scanned may be
_MAKES_TABLE = (
    "create_table", "create_table_as", "create_view", "create_materialized_view", "alter_view",
    "create_table_clone", "create_external_table", "create_dynamic_table", "create_stream",
)  # fmt: skip
FOREIGN = "foreign_table"

Progress = Callable[[str, int, int], None]


def relink(
    catalogue: CatalogueWriter,
    definitions: DefinitionWriter,
    system: System,
    database: str,
    tell: Progress,
) -> None:
    """Extract every definition of a database with the tables known now, and write what has changed."""
    texts = [
        d for d in definitions.valid() if d.system_id == system.id and d.database == database and d.kind != FOREIGN
    ]
    found = _extract_all(texts, _scanned_tables(catalogue, system, database), tell)
    for number, (definition, extraction) in enumerate(found):
        tell("links", number, len(found))
        _Writer(catalogue, definitions, system, definition, extraction).write()
    tell("links", len(found), len(found))


def _scanned_tables(catalogue: CatalogueWriter, system: System, database: str) -> dict[str, list[str]]:
    """The tables whose columns are known for sure: placeholders are left out, theirs are guesses."""
    known = {}
    prefix = f"{database}."
    for name, dataset in catalogue.datasets(system).items():
        if name.startswith(prefix) and not dataset.placeholder and dataset.gone_since is None:
            fields = [f for f in catalogue.fields(dataset).values() if f.gone_since is None]
            fields.sort(key=lambda f: f.ordinal)
            known[name.removeprefix(prefix)] = [f.name for f in fields]
    return known


def _extract_all(
    texts: list[Definition], scanned: dict[str, list[str]], tell: Progress
) -> list[tuple[Definition, Extraction]]:
    """Extract until the tables that the texts make for one another are known as well."""
    made: dict[str, list[str]] = {}
    found: list[tuple[Definition, Extraction]] = []
    for _ in range(_ROUNDS):
        known = KnownTables(made | scanned)
        found = []
        for number, definition in enumerate(texts):
            tell("statements", number, len(texts))
            extraction = extract(
                definition.text,
                dialect=definition.dialect,
                tables=known,
                search_path=definition.search_path,
                **(definition.template or {}),
            )
            found.append((definition, extraction))
        before = dict(made)
        for definition, extraction in found:
            made |= _tables_made(definition, extraction)
        if made == before or all(key in scanned for key in made):
            break
    return found


def _tables_made(definition: Definition, extraction: Extraction) -> dict[str, list[str]]:
    made = {}
    for statement in extraction.statements:
        target = statement.target
        if target is None or statement.kind not in _MAKES_TABLE or target in extraction.intermediates:
            continue
        names = [output.name for output in statement.outputs]
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

    def write(self) -> None:
        definition, extraction = self._definition, self._extraction
        statements = [(s.kind, s.span) for s in extraction.statements]
        ids = self._definitions.statements(definition, statements)
        self._name_targets()
        wanted = {new for link in extraction.links if (new := self._new_link(link, ids)) is not None}
        origin = "catalogue" if definition.kind == "view" else "parsed"
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
            dataset = self._dataset(target)
            if dataset.placeholder:
                for output in statement.outputs:
                    self._catalogue.field(dataset, output.name)
                if statement.kind in ("create_view", "create_materialized_view"):
                    kind = "view" if statement.kind == "create_view" else "materialised view"
                    self._catalogue.update(dataset, "datasets changed", kind=kind)

    def _new_link(self, link: Link, ids: list[int]) -> NewLink | None:
        source = self._dataset(link.table)
        field = self._catalogue.field(source, link.column)
        definition = self._definition
        target_field: int | None
        if definition.field_id is not None:
            # An element of a report: whatever its query puts out, it shows.
            assert definition.dataset_id is not None
            target_dataset = definition.dataset_id
            target_field = definition.field_id
        elif link.target is None:
            return None
        else:
            target = self._dataset(link.target)
            target_dataset = target.id
            target_field = None if link.output is None else self._catalogue.field(target, link.output).id
        return NewLink(
            field.id, target_dataset, target_field, link.kind, link.how,
            ids[link.statement], link.spans, self._expression(link), link.path, link.possible,
        )  # fmt: skip

    def _expression(self, link: Link) -> tuple[int, int] | None:
        if link.output is None:
            return None
        for output in self._extraction.statements[link.statement].outputs:
            if output.name == link.output:
                return output.span
        return None

    def _dataset(self, written: str) -> Dataset:
        name = full_table_name(written, self._definition.database, self._definition.search_path)
        return self._catalogue.dataset(self._system, name)
