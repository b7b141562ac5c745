"""Bringing things in: scans of databases and loads of folders. Each is one transaction, logged, repeatable."""

from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path

from sqlalchemy import Engine, text
from sqlalchemy.orm import Session

from jalan.catalog.names import postgres_namespace
from jalan.service.relink import FOREIGN, Progress, relink
from jalan.sources.errors import SourceError
from jalan.sources.folder import Element, Folder, Report, SqlFile, read_folder
from jalan.sources.postgres import ForeignSource, ScannedDatabase, ScannedTable, parse_url, read_database
from jalan.store.catalogue import CatalogueWriter
from jalan.store.definitions import DefinitionWriter, NewLink
from jalan.store.models import Dataset, Ingestion, System

REPORTS_NAMESPACE = "reports"
_LOCK = 7_201_311  # one ingestion at a time: any number will do that nothing else in the store uses


@dataclass(frozen=True, slots=True)
class Outcome:
    """What an ingestion did: counts by what changed; empty where all was known already."""

    subject: str
    counts: dict[str, int]
    totals: dict[str, int]


def _silent(what: str, done: int, total: int) -> None:
    pass


@contextmanager
def _logged(engine: Engine, kind: str, subject: str) -> Iterator[Callable[[Session, Outcome], None]]:
    """Keep the log of one ingestion; that it is done is written with what it did, in the same transaction."""
    with Session(engine) as session:
        row = Ingestion(kind=kind, subject=subject, state="running", started_at=datetime.now(UTC), counts={})
        session.add(row)
        session.commit()
        ingestion_id = row.id

    def finish(session: Session, outcome: Outcome) -> None:
        log = session.get_one(Ingestion, ingestion_id)
        log.state = "done"
        log.finished_at = datetime.now(UTC)
        log.counts = {"changed": outcome.counts, "found": outcome.totals}

    try:
        yield finish
    except BaseException as error:
        with Session(engine) as session:
            log = session.get_one(Ingestion, ingestion_id)
            log.state = "failed"
            log.finished_at = datetime.now(UTC)
            log.message = str(error) or type(error).__name__
            session.commit()
        raise


def _begin(session: Session) -> tuple[CatalogueWriter, DefinitionWriter]:
    session.execute(text("select pg_advisory_xact_lock(:lock)"), {"lock": _LOCK})
    catalogue = CatalogueWriter(session, datetime.now(UTC))
    return catalogue, DefinitionWriter(catalogue)


# --- scanning a database ---------------------------------------------------------------------------------


def scan(
    engine: Engine,
    url: str,
    *,
    known_as: str | None = None,
    aliases: Mapping[str, str] | None = None,
    progress: Progress = _silent,
) -> Outcome:
    """Read the catalogue of a PostgreSQL database into the store.

    known_as: ``host:port`` by which the server shall be known, whatever its address. aliases: the same for other
    servers that foreign tables point to. Raises SourceError.
    """
    parsed = parse_url(url)
    place = f"{parsed.host or '127.0.0.1'}:{parsed.port or 5432}"
    names = dict(aliases or {})
    if known_as is not None:
        names[place] = known_as
    namespace = postgres_namespace(parsed.host or "127.0.0.1", parsed.port, names)
    subject = f"{namespace}/{parsed.database}"
    with _logged(engine, "scan", subject) as finish:
        found = read_database(url, progress)
        with Session(engine) as session, session.begin():
            catalogue, definitions = _begin(session)
            system = catalogue.system(namespace, "postgresql")
            _write_scan(catalogue, definitions, system, found, names)
            relink(catalogue, definitions, system, found.database, progress)
            system.scanned_at = catalogue.now
            totals = {
                "tables": len(found.tables),
                "columns": sum(len(table.columns) for table in found.tables),
            }
            outcome = Outcome(subject, dict(catalogue.changes), totals)
            finish(session, outcome)
    return outcome


def _write_scan(
    catalogue: CatalogueWriter,
    definitions: DefinitionWriter,
    system: System,
    found: ScannedDatabase,
    aliases: Mapping[str, str],
) -> None:
    database = catalogue.container(system, found.database)
    catalogue.update(database, "containers changed", description=found.comment)
    for schema, comment in found.schemas.items():
        container = catalogue.container(system, f"{found.database}.{schema}")
        catalogue.update(container, "containers changed", description=comment)
    seen = set()
    keys = set()
    prefix = f"catalogue:{system.namespace}/{found.database}:"
    for table in found.tables:
        dataset = _write_table(catalogue, system, found.database, table)
        seen.add(dataset.name)
        key = f"{prefix}{table.schema}.{table.name}"
        if table.definition is not None:
            keys.add(key)
            materialised = "materialized " if table.kind == "materialised view" else ""
            name = f"{_quoted(table.schema)}.{_quoted(table.name)}"
            columns = ", ".join(_quoted(column.name) for column in table.columns)
            definitions.define(
                key, kind="view", place=f"{table.schema}.{table.name}", first_line=1, dialect="postgresql",
                search_path=["pg_catalog"], system_id=system.id, database=found.database,
                dataset_id=dataset.id, field_id=None, job_id=None,
                text=f"create {materialised}view {name} ({columns}) as\n{table.definition}\n",
            )  # fmt: skip
        elif table.foreign is not None and table.foreign.wrapper == "postgres_fdw":
            keys.add(key)
            _write_foreign(catalogue, definitions, system, found.database, key, table, dataset, aliases)
    definitions.close_missing(prefix, keys)
    for name, dataset in catalogue.datasets(system).items():
        inside = name.startswith(f"{found.database}.") and not dataset.placeholder
        if inside and name not in seen and dataset.gone_since is None:
            catalogue.update(dataset, "datasets gone", gone_since=catalogue.now)


def _write_table(catalogue: CatalogueWriter, system: System, database: str, table: ScannedTable) -> Dataset:
    dataset = catalogue.dataset(system, f"{database}.{table.schema}.{table.name}")
    if dataset.placeholder and dataset.first_seen != catalogue.now:
        catalogue.changes["placeholders joined"] += 1
    new = dataset.scanned_at is None
    catalogue.update(
        dataset,
        "datasets joined" if new else "datasets changed",
        kind=table.kind, description=table.comment, placeholder=False, gone_since=None,
    )  # fmt: skip
    # The estimate moves with every analyse: it is kept fresh, and is no change worth counting.
    dataset.rows = table.rows
    dataset.scanned_at = catalogue.now
    for column in table.columns:
        field = catalogue.field(dataset, column.name)
        known = not field.placeholder
        catalogue.update(
            field, "fields changed" if known else "fields joined",
            kind="column", type=column.type, ordinal=column.ordinal, description=column.comment,
            placeholder=False, gone_since=None,
        )  # fmt: skip
    names = {column.name for column in table.columns}
    for name, field in catalogue.fields(dataset).items():
        if name not in names and field.gone_since is None:
            catalogue.update(field, "fields gone", gone_since=catalogue.now)
    return dataset


def _quoted(name: str) -> str:
    plain = name.isidentifier() and name == name.lower()
    return name if plain else '"' + name.replace('"', '""') + '"'


def _write_foreign(
    catalogue: CatalogueWriter,
    definitions: DefinitionWriter,
    system: System,
    database: str,
    key: str,
    table: ScannedTable,
    dataset: Dataset,
    aliases: Mapping[str, str],
) -> None:
    """A foreign table is another name for a table elsewhere: its columns link straight to those."""
    foreign = table.foreign
    assert foreign is not None
    body, places = _foreign_text(table, foreign)
    definition = definitions.define(
        key, kind=FOREIGN, place=f"{table.schema}.{table.name}", first_line=1, dialect="postgresql",
        search_path=["pg_catalog"], system_id=system.id, database=database, dataset_id=dataset.id,
        field_id=None, job_id=None, text=body,
    )  # fmt: skip
    namespace = postgres_namespace(foreign.host, foreign.port, aliases)
    remote_system = catalogue.system(namespace, "postgresql")
    remote = catalogue.dataset(remote_system, f"{foreign.database}.{foreign.schema}.{foreign.table}")
    statements = definitions.statements(definition, [("create_foreign_table", (0, len(body) - 1))])
    wanted = set()
    for column in table.columns:
        source = catalogue.field(remote, column.remote_name or column.name)
        target = catalogue.field(dataset, column.name)
        place = places[column.name]
        wanted.add(NewLink(source.id, dataset.id, target.id, "value", "identity", statements[0], (place,), place))
    definitions.links(definition, "catalogue", wanted)


def _foreign_text(table: ScannedTable, foreign: ForeignSource) -> tuple[str, dict[str, tuple[int, int]]]:
    """Write the foreign table as a statement; returns it with the place of each column."""
    body = f"create foreign table {_quoted(table.schema)}.{_quoted(table.name)} (\n"
    places = {}
    for number, column in enumerate(table.columns):
        body += "    "
        start = len(body)
        body += _quoted(column.name)
        places[column.name] = (start, len(body))
        body += f" {column.type}"
        if column.remote_name and column.remote_name != column.name:
            body += f" options (column_name '{column.remote_name}')"
        body += ",\n" if number + 1 < len(table.columns) else "\n"
    body += f") server {_quoted(foreign.server)}"
    body += f" options (schema_name '{foreign.schema}', table_name '{foreign.table}')\n"
    return body, places


# --- loading a folder ------------------------------------------------------------------------------------


def load(
    engine: Engine,
    folder: Path,
    *,
    name: str | None = None,
    server: str | None = None,
    progress: Progress = _silent,
) -> Outcome:
    """Read the SQL files and reports of a folder into the store.

    name: what the folder is known by, so that a file that is no longer in it can be told (default: its own
    name). server: ``host:port`` of the database server where the files do not say. Raises SourceError.
    """
    known_by = name or folder.resolve().name
    with _logged(engine, "load", known_by) as finish:
        found = read_folder(folder)
        with Session(engine) as session, session.begin():
            catalogue, definitions = _begin(session)
            touched = _write_folder(catalogue, definitions, found, known_by, server)
            for system, database in sorted(touched, key=lambda pair: (pair[0].namespace, pair[1])):
                relink(catalogue, definitions, system, database, progress)
            totals = {
                "files": len(found.files),
                "reports": len(found.reports),
                "elements": sum(len(report.elements) for report in found.reports),
            }
            outcome = Outcome(known_by, dict(catalogue.changes), totals)
            finish(session, outcome)
    return outcome


def _write_folder(
    catalogue: CatalogueWriter,
    definitions: DefinitionWriter,
    found: Folder,
    known_by: str,
    server: str | None,
) -> set[tuple[System, str]]:
    touched: set[tuple[System, str]] = set()
    keys: set[str] = set()
    for file in found.files:
        system = _server(catalogue, file.server or server, file.database, file.path)
        keys.add(_write_file(catalogue, definitions, system, known_by, file))
        touched.add((system, file.database))
    systems = {database: system for system, database in touched}
    for (database, schema), owner in found.owners.items():
        if database in systems:
            container = catalogue.container(systems[database], f"{database}.{schema}")
            catalogue.update(container, "containers changed", owner=owner)
    for report in found.reports:
        system = _server(catalogue, report.server or server, report.database, report.path)
        keys |= _write_report(catalogue, definitions, system, known_by, report)
        touched.add((system, report.database))
    _mark_gone_reports(catalogue, definitions, known_by, keys)
    definitions.close_missing(f"file:{known_by}:", keys)
    definitions.close_missing(f"element:{known_by}:", keys)
    return touched


def _server(catalogue: CatalogueWriter, server: str | None, database: str, path: str) -> System:
    if server is not None:
        host, _, port = server.partition(":")
        if not host or (port and not port.isdigit()):
            raise SourceError(f"{path}: “{server}” is no server; expected host:port")
        return catalogue.system(postgres_namespace(host, int(port) if port else None), "postgresql")
    known = catalogue.systems_with(database)
    if len(known) == 1:
        return known[0]
    if known:
        places = ", ".join(system.namespace for system in known)
        raise SourceError(f"{path}: several servers have a database “{database}” ({places}); say which: --server")
    raise SourceError(
        f"{path}: no server with a database “{database}” is known yet; "
        "scan it first, or name it: --server host:port"
    )


def _write_file(
    catalogue: CatalogueWriter,
    definitions: DefinitionWriter,
    system: System,
    known_by: str,
    file: SqlFile,
) -> str:
    catalogue.container(system, file.database)
    job = None
    if file.pipeline is not None:
        parent = definitions.job(known_by, file.pipeline, None)
        step = file.path.removesuffix(".sql").rsplit("/", 2)[-2:]
        job = definitions.job(known_by, f"{file.pipeline}.{'.'.join(step)}", parent)
    key = f"file:{known_by}:{file.path}"
    definitions.define(
        key, kind="file", place=file.path, first_line=1, dialect=file.dialect, search_path=file.search_path,
        template=file.template,
        text=file.text, system_id=system.id, database=file.database, dataset_id=None, field_id=None,
        job_id=job.id if job else None,
    )  # fmt: skip
    return key


def _write_report(
    catalogue: CatalogueWriter,
    definitions: DefinitionWriter,
    system: System,
    known_by: str,
    report: Report,
) -> set[str]:
    place = catalogue.system(REPORTS_NAMESPACE, "reports")
    catalogue.container(system, report.database)
    dataset = catalogue.report(place, report.folder, report.slug)
    catalogue.update(
        dataset, "reports changed", title=report.title, owner=report.owner, address=report.link,
        description=report.description, gone_since=None,
    )  # fmt: skip
    keys = set()
    for ordinal, element in enumerate(report.elements, 1):
        field = catalogue.field(dataset, element.name, element.kind)
        catalogue.update(
            field, "elements changed", kind=element.kind, ordinal=ordinal, description=element.description,
            placeholder=False, gone_since=None,
        )  # fmt: skip
        key = f"element:{known_by}:{report.slug}:{element.name}"
        keys.add(key)
        definitions.define(
            key, kind="element_columns" if element.declared else "element", place=report.path,
            first_line=element.line, dialect="postgresql",
            search_path=report.search_path, text=element.sql, system_id=system.id, database=report.database,
            dataset_id=dataset.id, field_id=field.id, job_id=None,
        )  # fmt: skip
    _mark_gone_elements(catalogue, dataset, report.elements)
    return keys


def _mark_gone_elements(catalogue: CatalogueWriter, dataset: Dataset, elements: list[Element]) -> None:
    names = {element.name for element in elements}
    for name, field in catalogue.fields(dataset).items():
        if name not in names and field.gone_since is None:
            catalogue.update(field, "elements gone", gone_since=catalogue.now)


def _mark_gone_reports(
    catalogue: CatalogueWriter, definitions: DefinitionWriter, known_by: str, keys: set[str]
) -> None:
    """A report whose file this folder had and has no longer is gone, not deleted."""
    place = catalogue.system(REPORTS_NAMESPACE, "reports")
    kept = {key.split(":")[2] for key in keys if key.startswith("element:")}
    prefix = f"element:{known_by}:"
    before = {d.key.split(":")[2] for d in definitions.valid() if d.key.startswith(prefix)}
    for slug in before - kept:
        dataset = catalogue.datasets(place).get(slug)
        if dataset is not None:
            catalogue.update(dataset, "reports gone", gone_since=catalogue.now)
