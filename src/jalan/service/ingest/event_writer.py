"""Writes what OpenLineage events tell into the catalogue: datasets, their other names, jobs and links."""

from typing import Any

from jalan.catalog.kinds import DatasetKind, FieldKind
from jalan.formats.graph import DatasetRecord, DefinitionRecord, LinkRecord
from jalan.service.ingest.claims import ClaimWriter, ColumnClaim
from jalan.service.ingest.coverage import Coverage
from jalan.service.ingest.identity import add_alias
from jalan.service.ingest.unit_of_work import UnitOfWork
from jalan.store.repositories.definitions import NewLink
from jalan.store.schema import Dataset


class EventWriter:
    """Writes what events tell."""

    def __init__(self, work: UnitOfWork) -> None:
        self._work = work
        self._catalogue, self._definitions = work.catalogue, work.definitions
        self._claims = ClaimWriter(work.catalogue, itself=False)
        self._seen: dict[int, DatasetRecord] = {}

    def write(self, datasets: list[DatasetRecord], definitions: list[DefinitionRecord], whole: bool) -> None:
        """Write what the events tell. whole: all could be read, so what is not told any more has ended."""
        for number, record in enumerate(datasets):
            if number % 500 == 0:
                self._work.tell("datasets", number, len(datasets))
            self.dataset(record)
        prefix = f"event:{self._work.source.name}:"
        keys = []
        for number, definition in enumerate(definitions):
            if number % 500 == 0:
                self._work.tell("links", number, len(definitions))
            keys.append(self.definition(prefix, definition))
        if whole:
            self._definitions.close_missing(prefix, keys)

    def dataset(self, record: DatasetRecord) -> Dataset:
        """Write what is told of a dataset, of several tellings the one with most fields; returns the dataset."""
        catalogue = self._catalogue
        if record.kind == DatasetKind.REPORT:
            system = catalogue.system(record.namespace, record.system or "reports")
            dataset = catalogue.report(system, record.container, record.name)
        else:
            dataset = catalogue.named(record.namespace, record.name)
        for alias in record.aliases:
            self.alias(alias, dataset, "symlink")
        before = self._seen.get(dataset.id)
        if before is not None and len(before.fields) >= len(record.fields):
            return dataset
        self._seen[dataset.id] = record
        if dataset.scanned_at is None:
            self._facts(dataset, record)
        columns = [f for f in record.fields if f.kind == FieldKind.COLUMN and not f.placeholder]
        if columns:
            self._claims.claim(dataset, [ColumnClaim(f.name, f.type, f.description) for f in columns])
        for field in record.fields:
            known = catalogue.field(dataset, field.name, field.kind)
            if not field.placeholder and known.placeholder and dataset.scanned_at is None:
                catalogue.update(
                    known,
                    "fields joined",
                    kind=field.kind,
                    type=field.type,
                    description=field.description,
                    placeholder=False,
                )
        return dataset

    def _facts(self, dataset: Dataset, record: DatasetRecord) -> None:
        values: dict[str, Any] = {"placeholder": record.placeholder and dataset.placeholder, "gone_since": None}
        if record.kind or dataset.placeholder:
            values["kind"] = record.kind or (
                DatasetKind.TOPIC if record.namespace.startswith("kafka://") else dataset.kind
            )
        for name in ("title", "description", "owner"):
            if getattr(record, name) is not None:
                values[name] = getattr(record, name)
        self._catalogue.update(dataset, "datasets changed", **values)

    def alias(self, alias: tuple[str, str], dataset: Dataset, origin: str) -> None:
        """Let another name that a producer sends stand for a dataset from now on."""
        other = self._catalogue.named(*alias)
        if other.id == dataset.id:
            return
        systems = {s.id: s.namespace for s in self._catalogue.systems()}
        made = add_alias(
            self._work.session,
            (systems[other.system_id], other.name),
            (systems[dataset.system_id], dataset.name),
            origin,
            self._work.source.name,
            source_id=self._work.source.id,
        )
        if made is not None:
            self._catalogue.changes["aliases"] += 1

    def definition(self, prefix: str, record: DefinitionRecord) -> str:
        """Write a definition with its links; returns its key."""
        key = f"{prefix}{record.key}"
        catalogue = self._catalogue
        system = catalogue.system(
            record.namespace, "postgresql" if record.namespace.startswith("postgres:") else "other"
        )
        job = self._definitions.job(record.job_namespace, record.job, None) if record.job else None
        definition = self._definitions.define(
            key,
            {"revision": record.revision, "authored_at": None, "author": None},
            kind=record.kind,
            place=record.place,
            first_line=record.first_line,
            dialect=record.dialect,
            search_path=record.search_path,
            template=record.template,
            text=record.text,
            system_id=system.id,
            database=record.database,
            job_id=job.id if job else None,
        )
        ids = self._definitions.statements(definition, [(kind, (a, b)) for kind, a, b in record.statements])
        by_origin: dict[str, set[NewLink]] = {}
        for link in record.links:
            by_origin.setdefault(link.origin, set()).add(self._link(link, ids))
        self._definitions.links_by_origin(definition, by_origin)
        full = len(record.statements)
        definition.coverage = Coverage(full=full).model_dump()
        return key

    def _link(self, link: LinkRecord, ids: list[int]) -> NewLink:
        source = self._field(*link.source)
        target = self._catalogue.named(*link.target[:2])
        field = None if link.target[2] is None else self._field(*link.target[:2], link.target[2])
        statement = None if link.statement is None or link.statement >= len(ids) else ids[link.statement]
        return NewLink(
            source,
            target.id,
            field,
            link.kind,
            link.how,
            statement,
            tuple(link.spans),
            link.expression,
            link.path,
            link.possible,
        )

    def _field(self, namespace: str, name: str, column: str) -> int:
        return self._catalogue.field(self._catalogue.named(namespace, name), column).id
