"""A scan: the catalogue of a live PostgreSQL database."""

from collections.abc import Iterable, Mapping

from sqlalchemy.engine import URL

from jalan.catalog.kinds import DatasetKind, DefinitionKind
from jalan.catalog.names import postgres_namespace
from jalan.service.ingest.claims import ClaimWriter, ColumnClaim
from jalan.service.ingest.configuration import PostgresqlConfig
from jalan.service.ingest.coverage import Coverage
from jalan.service.ingest.preview import Preview, PreviewPart
from jalan.service.ingest.secrets import resolve
from jalan.service.ingest.unit_of_work import UnitOfWork
from jalan.sources.allowed import Allowed
from jalan.sources.hosts import Hosts
from jalan.sources.postgres import (
    ForeignSource,
    Reading,
    ScannedDatabase,
    ScannedRoutine,
    ScannedTable,
    look_around,
    read_database,
)
from jalan.store.repositories.definitions import NewLink
from jalan.store.schema import Dataset, System


def address(config: PostgresqlConfig, hosts: Hosts) -> URL:
    """Return where to connect. Raises Invalid where a secret is missing, SourceError where that is not allowed."""
    place = hosts.address(config.host, config.port)
    password = resolve(config.password.get_secret_value()) if config.password is not None else None
    found = URL.create("postgresql+psycopg", config.user, password, config.host, config.port, config.database)
    return found if place.startswith("/") else found.set(query={"hostaddr": place})


def _aliases(config: PostgresqlConfig) -> dict[str, str]:
    names = dict(config.aliases)
    if config.known_as is not None:
        names[postgres_namespace(config.host, config.port).removeprefix("postgres://")] = config.known_as
    return names


def namespace_of(config: PostgresqlConfig) -> str:
    """Return the namespace of the server."""
    return postgres_namespace(config.host, config.port, _aliases(config))


def _what(config: PostgresqlConfig) -> Reading:
    return Reading(config.include, config.exclude, config.timeout)


def scan(config: PostgresqlConfig, work: UnitOfWork) -> None:
    """Read a database into the store. Raises SourceError, Cancelled."""
    found = read_database(address(config, work.allowed.hosts), work.tell, _what(config))
    work.totals = {
        "tables": len(found.tables),
        "columns": sum(len(table.columns) for table in found.tables),
        "routines": len(found.routines),
        "triggers": len(found.triggers),
    }
    with work.writing() as (catalogue, _definitions):
        system = catalogue.system(namespace_of(config), "postgresql")
        _ScanWriter(work, system, found, _aliases(config), _what(config)).write()
        work.relink(system, found.database)
        system.scanned_at = catalogue.now
        if found.closed:
            names = ", ".join(found.closed)
            work.log.note(
                "warning",
                "closed_schema",
                f"the account may not use these schemas: {names}; their tables are known, their rows are not",
                found.database,
            )


def quoted(name: str) -> str:
    """Return a name as PostgreSQL has to be given it."""
    plain = name.isidentifier() and name == name.lower()
    return name if plain else '"' + name.replace('"', '""') + '"'


class _ScanWriter:
    def __init__(
        self, work: UnitOfWork, system: System, found: ScannedDatabase, aliases: Mapping[str, str], what: Reading
    ) -> None:
        self._catalogue, self._definitions = work.catalogue, work.definitions
        self._claims = ClaimWriter(work.catalogue, itself=True)
        self._system = system
        self._found = found
        self._aliases = aliases
        self._what = what
        self._prefix = f"catalogue:{system.namespace}/{found.database}:"
        self._keys: set[str] = set()

    def write(self) -> None:
        found, catalogue = self._found, self._catalogue
        catalogue.datasets(self._system, f"{found.database}.")  # all of them are looked at
        database = catalogue.container(self._system, found.database)
        catalogue.update(database, "containers changed", description=found.comment)
        for schema, (comment, _) in found.schemas.items():
            # The role that owns a schema is rarely who answers for it: that one is named by people.
            container = catalogue.container(self._system, f"{found.database}.{schema}")
            catalogue.update(container, "containers changed", description=comment)
        seen = set()
        for table in found.tables:
            dataset = self._table(table)
            seen.add(dataset.name)
            if table.definition is not None:
                self._view(table, dataset)
            elif table.foreign is not None and table.foreign.wrapper == "postgres_fdw":
                self._foreign(table, dataset, table.foreign)
            self._generated(table, dataset)
        for routine in found.routines:
            if not routine.makes_trigger:
                self._define(
                    f"{routine.schema}.{routine.name}({routine.arguments})",
                    routine.kind,
                    routine.definition,
                    None,
                    f"{routine.schema}.{routine.name}",
                    [routine.schema],
                )
        self._triggers()
        self._definitions.close_missing(self._prefix, self._keys)
        self._gone(seen)

    def _gone(self, seen: set[str]) -> None:
        """What this scan could have found and did not is gone; what it was told to leave out is not."""
        prefix = f"{self._found.database}."
        for name, dataset in self._catalogue.datasets(self._system, prefix).items():
            if dataset.placeholder or name in seen or dataset.gone_since is not None:
                continue
            if self._what.wants(name.removeprefix(prefix).split(".")[0]):
                self._catalogue.update(dataset, "datasets gone", gone_since=self._catalogue.now)
                self._claims.withdraw(dataset)

    def _table(self, table: ScannedTable) -> Dataset:
        catalogue = self._catalogue
        dataset = catalogue.dataset(self._system, f"{self._found.database}.{table.schema}.{table.name}")
        if dataset.placeholder and dataset.first_seen != catalogue.now:
            catalogue.changes["placeholders joined"] += 1
        facts = {"role": table.owner, **table.facts}
        new = dataset.scanned_at is None
        catalogue.update(
            dataset,
            "datasets joined" if new else "datasets changed",
            kind=table.kind,
            description=table.comment,
            placeholder=False,
            gone_since=None,
            facts=facts,
        )
        # Estimates move with every analyse: they are kept fresh, and are no change worth counting.
        dataset.rows, dataset.bytes = table.rows, table.bytes
        dataset.scanned_at = catalogue.now
        self._claims.claim(dataset, [ColumnClaim(c.name, c.type, c.comment, c.facts) for c in table.columns])
        return dataset

    def _define(
        self, key: str, kind: str, text: str, dataset: Dataset | None, place: str, schemas: Iterable[str] = ()
    ) -> None:
        """schemas: where bodies of routines look for names; views come with every name qualified."""
        path = list(dict.fromkeys([*schemas, "public"])) if schemas else ["pg_catalog"]
        key = self._prefix + key
        self._keys.add(key)
        self._definitions.define(
            key,
            kind=kind,
            place=place,
            first_line=1,
            dialect="postgresql",
            search_path=path,
            system_id=self._system.id,
            database=self._found.database,
            dataset_id=dataset.id if dataset else None,
            text=text,
        )

    def _view(self, table: ScannedTable, dataset: Dataset) -> None:
        """A view with the functions that it calls before it, so that what they do is followed."""
        materialised = "materialized " if table.kind == DatasetKind.MATERIALISED_VIEW else ""
        name = f"{quoted(table.schema)}.{quoted(table.name)}"
        columns = ", ".join(quoted(column.name) for column in table.columns)
        text = f"create {materialised}view {name} ({columns}) as\n{table.definition}\n"
        routines = self._called(table.calls)
        called = "".join(f"{routine.definition};\n\n" for routine in routines)
        place = f"{table.schema}.{table.name}"
        self._define(place, "view", called + text, dataset, place, [routine.schema for routine in routines])

    def _called(self, calls: list[int]) -> list[ScannedRoutine]:
        """The routines called, and those that these call in turn, the innermost first."""
        routines = self._found.routines
        found: dict[int, None] = {}

        def add(position: int) -> None:
            if position in found:
                return
            found[position] = None
            body = routines[position].definition
            for other, routine in enumerate(routines):
                if other not in found and f"{routine.name}(" in body and routine.kind == "function":
                    add(other)

        for position in calls:
            add(position)
        return [routines[position] for position in reversed(found)]

    def _generated(self, table: ScannedTable, dataset: Dataset) -> None:
        computed = [column for column in table.columns if column.generated is not None]
        if computed and table.kind != DatasetKind.FOREIGN_TABLE:
            name = f"{quoted(table.schema)}.{quoted(table.name)}"
            items = ",\n    ".join(f"{quoted(column.name)} = {column.generated}" for column in computed)
            text = f"-- columns that PostgreSQL itself computes for every row\nupdate {name} set\n    {items}\n"
            key = f"{table.schema}.{table.name} generated"
            self._define(key, "generated", text, dataset, f"{table.schema}.{table.name}")

    def _triggers(self) -> None:
        """A trigger with the function that it runs before it."""
        for trigger in self._found.triggers:
            routine = None if trigger.routine is None else self._found.routines[trigger.routine]
            body = "" if routine is None else f"{routine.definition};\n\n"
            schemas = [trigger.schema] if routine is None else [routine.schema, trigger.schema]
            place = f"{trigger.schema}.{trigger.table} {trigger.name}"
            self._define(f"trigger {place}", "trigger", f"{body}{trigger.definition};\n", None, place, schemas)

    def _foreign(self, table: ScannedTable, dataset: Dataset, foreign: ForeignSource) -> None:
        """A foreign table is another name for a table elsewhere: its columns link straight to those."""
        catalogue, definitions = self._catalogue, self._definitions
        body, places = _foreign_text(table, foreign)
        key = f"{self._prefix}{table.schema}.{table.name}"
        self._keys.add(key)
        definition = definitions.define(
            key,
            kind=DefinitionKind.FOREIGN_TABLE,
            place=f"{table.schema}.{table.name}",
            first_line=1,
            dialect="postgresql",
            search_path=["pg_catalog"],
            system_id=self._system.id,
            database=self._found.database,
            dataset_id=dataset.id,
            text=body,
        )
        definition.coverage = Coverage(full=1, columns=len(table.columns), resolved=len(table.columns)).model_dump()
        namespace = postgres_namespace(foreign.host, foreign.port, self._aliases)
        remote_system = catalogue.system(namespace, "postgresql")
        remote = catalogue.dataset(remote_system, f"{foreign.database}.{foreign.schema}.{foreign.table}")
        statements = definitions.statements(definition, [("create_foreign_table", (0, len(body) - 1))])
        wanted = set()
        for column in table.columns:
            source = catalogue.field(remote, column.remote_name or column.name)
            target = catalogue.field(dataset, column.name)
            place = places[column.name]
            wanted.add(
                NewLink(source.id, dataset.id, target.id, "value", "identity", statements[0], (place,), place)
            )
        definitions.links(definition, "catalogue", wanted)


def _foreign_text(table: ScannedTable, foreign: ForeignSource) -> tuple[str, dict[str, tuple[int, int]]]:
    """Write the foreign table as a statement; returns it with the place of each column."""
    body = f"create foreign table {quoted(table.schema)}.{quoted(table.name)} (\n"
    places = {}
    for number, column in enumerate(table.columns):
        body += "    "
        start = len(body)
        body += quoted(column.name)
        places[column.name] = (start, len(body))
        body += f" {column.type}"
        if column.remote_name and column.remote_name != column.name:
            body += f" options (column_name '{column.remote_name}')"
        body += ",\n" if number + 1 < len(table.columns) else "\n"
    body += f") server {quoted(foreign.server)}"
    body += f" options (schema_name '{foreign.schema}', table_name '{foreign.table}')\n"
    return body, places


def preview(config: PostgresqlConfig, allowed: Allowed) -> Preview:
    """Connect, and say what may be read. Raises SourceError."""
    access = look_around(address(config, allowed.hosts), _what(config))
    warnings = []
    if not access.schemas:
        warnings.append("no schema is chosen: check the patterns")
    if access.closed:
        warnings.append(
            f"without USAGE on {', '.join(access.closed)}: the catalogue tells of their tables all the same"
        )
    parts = [
        PreviewPart(
            what="schemas",
            count=len(access.schemas),
            examples=[f"{name} ({count} tables and views)" for name, count in access.schemas.items()][:12],
        ),
        PreviewPart(what="tables and views", count=access.tables),
    ]
    facts = [
        f"PostgreSQL {access.version}",
        f"known as {namespace_of(config)}/{config.database}",
        f"may select from {access.readable} of {access.tables}; the catalogue alone is read",
    ]
    return Preview(facts=facts, parts=parts, warnings=warnings)
