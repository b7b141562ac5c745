"""Reads the lineage out of the definitions of a database that may have changed, and keeps their links."""

from collections.abc import Collection
from datetime import datetime
from difflib import get_close_matches
from functools import cache, cached_property
from hashlib import blake2b
from pathlib import Path
from typing import Any

from sqlalchemy import ColumnElement, Text, bindparam, func, literal_column, or_, select, text
from sqlalchemy.dialects.postgresql import ARRAY, insert
from sqlalchemy.orm import Session

import jalan
from jalan.catalog.kinds import NOT_SQL, DatasetKind, DefinitionKind, FieldKind, definition_kind
from jalan.catalog.names import full_table_name, place_of_file
from jalan.lineage.model import Extraction, Link
from jalan.lineage.project import Progress, Project, TextReading
from jalan.lineage.tables import Parts
from jalan.service.ingest.coverage import coverage_of
from jalan.service.ingest.queries import QueryWriter
from jalan.store.among import is_among
from jalan.store.repositories.aliases import alias_map
from jalan.store.repositories.catalog import CatalogueWriter
from jalan.store.repositories.definitions import DefinitionWriter, NewDiagnostic, NewLink
from jalan.store.schema import Alias, Dataset, Definition, Field, Relinked, System

_ALIKE = 2_000
_NEAR = 3
_TYPED_WRONG = 3


@cache
def reader_word() -> str:
    """Return a word for the code that reads: what another one has read is read anew."""
    root = Path(jalan.__file__).parent
    digest = blake2b(digest_size=8)
    for package in ("sql", "lineage"):
        for path in sorted((root / package).rglob("*.py")):
            digest.update(path.read_bytes())
    return digest.hexdigest()


def _kept(reading: TextReading) -> dict[str, Any]:
    """What the store keeps of a reading."""
    asked = [[list(parts), told] for parts, told in (reading.asked or {}).items()]
    return {
        "asked": sorted(asked),
        "makes": reading.makes,
        "called": reading.called,
        "routines": reading.routines,
    }


class _Store:
    """What surrounds the texts of a database, looked up in the store."""

    def __init__(self, catalogue: CatalogueWriter, system: System, database: str) -> None:
        self._catalogue = catalogue
        self._session: Session = catalogue.session
        self._system = system
        self._database = database
        self._prefix = f"{database}."
        self._aliases = alias_map(self._session)
        self._systems = {one.namespace: one for one in catalogue.systems()}
        self.definitions: dict[int, Definition] = {}

    # --- texts ---------------------------------------------------------------------------------------

    def _mine(self) -> tuple[Any, ...]:
        return (
            Definition.system_id == self._system.id,
            Definition.database == self._database,
            Definition.valid_to.is_(None),
            Definition.kind.not_in(NOT_SQL),
            # What another Jalan has read comes with its links.
            ~Definition.key.startswith("event:"),
        )

    def unread(self) -> list[int]:
        """Return the ids of the texts that this code has not read yet."""
        other = or_(Definition.reader.is_(None), Definition.reader != reader_word())
        return list(self._session.scalars(select(Definition.id).where(*self._mine(), other)))

    def readings(self, ids: Collection[int]) -> list[TextReading]:
        query = select(Definition).where(is_among(Definition.id, ids))
        found = []
        for row in self._session.scalars(query):
            self.definitions[row.id] = row
            kept = row.asked if row.reader == reader_word() else None
            reading = TextReading(row.id, row.text, row.dialect, row.search_path, row.template)
            if kept is not None:
                reading.asked = {tuple(parts): told for parts, told in kept["asked"]}
                reading.makes, reading.called = kept["makes"], kept["called"]
                reading.routines = kept["routines"]
            found.append(reading)
        return found

    def with_names(self, names: Collection[str]) -> set[int]:
        overlap = Definition.names.overlap(bindparam(None, sorted(names), type_=ARRAY(Text()), unique=True))
        return set(self._session.scalars(select(Definition.id).where(*self._mine(), overlap)))

    def names_closed(self, since: datetime) -> set[str]:
        """Return what texts have made and defined that hold no longer since a time."""
        query = select(Definition.names).where(
            Definition.valid_to > since,
            Definition.system_id == self._system.id,
            Definition.database == self._database,
        )
        return {name for names in self._session.scalars(query) for name in names if name[:2] in ("m:", "r:")}

    # --- tables --------------------------------------------------------------------------------------

    @cached_property
    def complete(self) -> bool:
        """Whether the database has been scanned."""
        query = select(Dataset.id).where(
            Dataset.system_id == self._system.id,
            Dataset.name.startswith(self._prefix, autoescape=True),
            ~Dataset.placeholder,
            Dataset.gone_since.is_(None),
        )
        if self._session.scalars(query.limit(1)).first() is not None:
            return True
        return any(self.scanned(name.removeprefix(self._prefix)) for name in self._alias_names())

    def _alias_names(self) -> list[str]:
        return [
            name
            for (namespace, name), _ in self._aliases.pairs()
            if namespace == self._system.namespace and name.startswith(self._prefix)
        ]

    def scanned(self, name: str) -> list[str] | None:
        own = self._usable(self._catalogue.find(self._system, self._prefix + name))
        if own is None:
            namespace, meant = self._aliases.resolve((self._system.namespace, self._prefix + name))
            system = self._systems.get(namespace)
            if system is not None and (system.id, meant) != (self._system.id, self._prefix + name):
                own = self._usable(self._catalogue.find(system, meant))
        return own

    def _usable(self, dataset: Dataset | None) -> list[str] | None:
        """The columns of a dataset that its own system knows: those of placeholders are guesses."""
        if dataset is None or dataset.placeholder or dataset.gone_since is not None:
            return None
        fields = self._catalogue.fields(dataset).values()
        columns = [f for f in fields if f.gone_since is None and f.kind == FieldKind.COLUMN]
        return [f.name for f in sorted(columns, key=lambda f: f.ordinal)] or None

    def scanned_folded(self, name: str) -> tuple[str, list[str]] | None:
        query = select(Dataset.name).where(
            Dataset.system_id == self._system.id, func.lower(Dataset.name) == (self._prefix + name).lower()
        )
        for full in self._session.scalars(query.order_by(Dataset.id)):
            own = full.removeprefix(self._prefix)
            columns = self.scanned(own) if own.lower() == name else None
            if columns is not None:
                return own, columns
        return None

    def near(self, parts: Parts) -> list[str]:
        last = parts[-1].lower()
        short = func.substring(Dataset.name, "[^.]*$")
        query = select(Dataset.name).where(
            Dataset.system_id == self._system.id,
            Dataset.name.startswith(self._prefix, autoescape=True),
            ~Dataset.placeholder,
            Dataset.gone_since.is_(None),
        )
        same = list(self._session.scalars(query.where(func.lower(short) == last).order_by(Dataset.id).limit(_NEAR)))
        if same:
            return [name.removeprefix(self._prefix) for name in same]
        # A name that is hardly like it is not looked at: there may be thousands.
        alike = query.where(
            func.lower(func.left(short, 1)) == last[:1],
            func.abs(func.length(short) - len(last)) <= _TYPED_WRONG,
        )
        by_last: dict[str, list[str]] = {}
        for name in self._session.scalars(alike.order_by(Dataset.id).limit(_ALIKE)):
            by_last.setdefault(name.rpartition(".")[2].lower(), []).append(name.removeprefix(self._prefix))
        return [name for one in get_close_matches(last, list(by_last), _NEAR) for name in by_last[one]][:_NEAR]

    # --- what has changed ----------------------------------------------------------------------------

    def changed_tables(self, last: Relinked) -> set[str]:
        """Return the names, as ``m:name``, of tables whose columns are others than at the last time, or that other
        names stand for now."""
        here = self._system.namespace
        of_fields = select(Field.dataset_id).where(_unseen(Field.changed, last))
        query = (
            select(System.namespace, Dataset.name)
            .join(System, System.id == Dataset.system_id)
            .where(or_(_unseen(Dataset.changed, last), Dataset.id.in_(of_fields)))
        )
        if not self._aliases.pairs():
            query = query.where(Dataset.system_id == self._system.id)
        shaped = {(namespace, name) for namespace, name in self._session.execute(query)}
        found = {name for namespace, name in shaped if namespace == here}
        found |= {name for name in self._alias_names() if self._aliases.resolve((here, name)) in shaped}
        found |= self._through_systems(shaped)
        aliases = select(Alias).where(Alias.from_namespace == here, _unseen(Alias.changed, last))
        for alias in self._session.scalars(aliases):
            if alias.from_name:
                found.add(alias.from_name)
            elif (system := self._systems.get(alias.to_namespace)) is not None:
                found |= self._catalogue.datasets(system, self._prefix).keys()
        return {f"m:{name.removeprefix(self._prefix)}" for name in found if name.startswith(self._prefix)}

    def _through_systems(self, shaped: set[tuple[str, str]]) -> set[str]:
        """Names in this system of tables of another one that this one stands for as a whole."""
        here = self._system.namespace
        whole = [name[0] for name, _ in self._aliases.pairs() if not name[1]]
        if here not in whole:
            return set()
        return {name for namespace, name in shaped if self._aliases.resolve((here, name)) == (namespace, name)}


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
    store = _Store(catalogue, system, database)
    last = catalogue.session.get(Relinked, (system.id, database))
    # What was never read is read anyhow.
    names = set() if last is None else store.changed_tables(last) | store.names_closed(last.at)
    if last is not None and last.complete != store.complete:
        names.add("m:")
    found = Project(store).read(store.unread(), names, tell)
    queries = QueryWriter(catalogue)
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


def _unseen(column: Any, last: Relinked) -> ColumnElement[bool]:
    """Whether a row was written by another transaction than the last one, and after what that one saw."""
    return literal_column(
        f"({column.expression} >= pg_snapshot_xmin('{last.seen}'::pg_snapshot) "
        f"and not pg_visible_in_snapshot({column.expression}, '{last.seen}'::pg_snapshot) "
        f"and {column.expression} <> '{last.xact}'::xid8)"
    )


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
