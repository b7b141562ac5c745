"""How each kind of source is configured. These models are the API's schemas and the forms of the screen."""

import os
import re
from datetime import UTC, datetime
from pathlib import Path
from typing import Annotated, Any, Literal, get_args
from urllib.parse import unquote
from zoneinfo import available_timezones

from croniter import CroniterError, croniter
from pydantic import AfterValidator, BaseModel, ConfigDict, Field, SecretStr, field_validator, model_validator

from jalan.patterns import compile_pattern

SERVER = r"^[^/:\s]+:[0-9]+$"


def _is_pattern(value: str) -> str:
    compile_pattern(value)
    return value


def _absolute(value: str) -> str:
    """Return a path as it holds wherever it is read later: as seen from where the command was given."""
    if "\0" in value:
        raise ValueError("a path has no NUL in it")
    return os.path.abspath(os.path.expanduser(value))


def _absolute_unless_remote(value: str) -> str:
    return value if _REMOTE.match(value) else _absolute(value)


_REMOTE = re.compile(r"^[A-Za-z][A-Za-z+.-]*://|^[^/\s]+@[^/\s]+:")
_WITH_USER = re.compile(r"^(https?://)([^/?#]*)@(.*)$", re.DOTALL)
LocalPath = Annotated[str, Field(min_length=1), AfterValidator(_absolute)]
Pattern = Annotated[str, AfterValidator(_is_pattern)]
Server = Annotated[str, Field(pattern=SERVER, description="host:port by which a server is known.")]


class SourceConfig(BaseModel):
    """What all kinds have in common: nothing that is misspelt is taken in silence."""

    model_config = ConfigDict(extra="forbid")


class PostgresqlConfig(SourceConfig):
    """A live PostgreSQL database, read in one read-only transaction."""

    kind: Literal["postgresql"] = "postgresql"
    host: str = Field(min_length=1)
    port: int = Field(5432, ge=1, le=65535)
    database: str = Field(min_length=1)
    user: str = Field(min_length=1)
    password: SecretStr | None = Field(
        None, description="The password, or env:JALAN_SOURCE_… of an environment variable."
    )
    known_as: Server | None = Field(None, description="The name of the server in Jalan, wherever it runs.")
    aliases: dict[str, Server] = Field({}, description="The same for servers that foreign tables point to.")
    include: list[Pattern] = Field([], description="Regular expressions of schemas to read (default: all).")
    exclude: list[Pattern] = Field([], description="Regular expressions of schemas to leave out.")
    timeout: int = Field(60, ge=1, le=3600, description="Seconds that one question to the catalogue may take.")
    samples: bool = Field(
        False, description="Let people look at some rows of the queries that they edit. They may be personal data."
    )


class RepositoryConfig(SourceConfig):
    """A folder of SQL files with reports, or a git repository at a branch or revision."""

    kind: Literal["repository"] = "repository"
    location: Annotated[str, AfterValidator(_absolute_unless_remote)] = Field(
        min_length=1, description="A folder, or what git clone takes."
    )
    credentials: SecretStr | None = Field(
        None, description="For a remote reached by https: user:password or a token, or env:JALAN_SOURCE_…"
    )
    revision: str | None = Field(None, description="Branch, tag or commit; none reads the folder as it stands.")
    folder: str = Field("", description="The folder inside, where not all of it is to be read.")
    server: Server | None = Field(None, description="The database server, where the files do not say.")
    known_as: str | None = Field(None, description="What its jobs are known by (default: the source's name).")

    @model_validator(mode="after")
    def _hide_credentials(self) -> "RepositoryConfig":
        """What stands before the server in an address is a secret, and is kept as one."""
        found = _WITH_USER.match(self.location)
        if found is not None:
            self.location = f"{found[1]}{found[3]}"
            if self.credentials is None:
                self.credentials = SecretStr(unquote(found[2]))
        return self


class HistoryMapping(SourceConfig):
    """Which column of a table of queries holds what."""

    text: str
    time: str
    user: str | None = None
    role: str | None = None
    application: str | None = None
    database: str | None = None
    duration: str | None = Field(None, description="How long the query took, see duration_unit.")
    duration_unit: Literal["ms", "s", "us", "ns"] = "ms"
    rows: str | None = None
    bytes: str | None = None


class HistoryConfig(SourceConfig):
    """Queries that ran: logs of PostgreSQL, its statistics, or tables of them."""

    kind: Literal["history"] = "history"
    format: Literal["jsonlog", "csvlog", "csv", "jsonl", "parquet", "digest", "pg_stat_statements"]
    files: LocalPath | None = Field(None, description="A file, or a pattern of files such as /var/log/pg/*.json.")
    mapping: HistoryMapping | None = None
    connection: PostgresqlConfig | None = Field(None, description="For pg_stat_statements: where to ask.")
    server: Server = Field(description="The server that ran the queries, as it is known in Jalan.")
    database: str | None = Field(None, description="The database, where the history does not say.")
    databases: list[str] = Field([], description="Only the queries of these databases (default: all).")
    time_zone: str = Field("UTC", description="Where times that do not say it were written, as Europe/Lisbon.")
    dialect: str = "postgresql"
    search_path: list[str] = ["public"]
    keep_literals: bool = Field(False, description="Keep the queries' constants. They may be personal data.")

    @field_validator("time_zone")
    @classmethod
    def _known_zone(cls, value: str) -> str:
        if value not in available_timezones():
            raise ValueError(f"“{value}” is no time zone; expected a name such as Europe/Lisbon")
        return value

    @model_validator(mode="after")
    def _complete(self) -> "HistoryConfig":
        if self.format == "pg_stat_statements":
            if self.connection is None:
                raise ValueError("pg_stat_statements needs a connection")
        elif self.files is None:
            raise ValueError(f"{self.format} needs files")
        if self.format in ("csv", "jsonl", "parquet") and self.mapping is None:
            raise ValueError(f"{self.format} needs a mapping that says which column holds what")
        return self


class ReportsConfig(SourceConfig):
    """A service of reports, read over its HTTP interface."""

    kind: Literal["reports"] = "reports"
    url: str = Field(pattern=r"^https?://")
    token: SecretStr | None = Field(
        None, description="The token, or env:JALAN_SOURCE_… of an environment variable."
    )
    known_as: str = Field(min_length=1, description="The namespace of the service in Jalan.")
    server: Server = Field(description="The database server that its extracts are loaded from.")
    page_size: int = Field(50, ge=1, le=1000)
    retries: int = Field(4, ge=0, le=10)
    timeout: float = Field(10.0, gt=0, le=300, description="Seconds to wait for one answer.")


class DatasetMapping(SourceConfig):
    """Which column of the file of datasets holds what."""

    id: str
    name: str
    namespace: str | None = Field(None, description="Column of the namespace.")
    kind: str | None = None
    description: str | None = None
    owner: str | None = None


class FlowMapping(SourceConfig):
    """Which column of the file of flows holds what: each row is one input or output of a flow."""

    flow: str
    dataset: str
    side: str = Field(description="Column that says whether the row is an input or an output.")
    input: str = Field("input", description="What stands in it for an input.")
    output: str = Field("output", description="What stands in it for an output.")
    type: str | None = Field(None, description="Column of the flow's type.")
    name: str | None = Field(None, description="Column of the flow's name.")


class Where(SourceConfig):
    """Rows of flows: those in which a column has one of these values, or is empty."""

    column: str
    is_in: list[str] | None = Field(None, alias="in")
    empty: bool | None = None

    model_config = ConfigDict(extra="forbid", populate_by_name=True)


class FillRule(SourceConfig):
    """Where a column is empty, take another one's value."""

    rule: Literal["fill"] = "fill"
    column: str
    source: str = Field(alias="from")
    where: Where | None = None

    model_config = ConfigDict(extra="forbid", populate_by_name=True)


class MissingSideRule(SourceConfig):
    """Where a flow has no row on one side, a column of its other rows names the dataset that is missing."""

    rule: Literal["missing_side"] = "missing_side"
    side: Literal["input", "output"]
    source: str = Field(alias="from", description="The column that holds the id of the missing dataset.")
    where: Where | None = None

    model_config = ConfigDict(extra="forbid", populate_by_name=True)


class DropDuplicatesRule(SourceConfig):
    """Keep the first of the rows that are equal in these columns."""

    rule: Literal["drop_duplicates"] = "drop_duplicates"
    by: list[str] = Field(min_length=1)


class IgnoreRule(SourceConfig):
    """Leave rows out."""

    rule: Literal["ignore"] = "ignore"
    where: Where


Rule = Annotated[FillRule | MissingSideRule | DropDuplicatesRule | IgnoreRule, Field(discriminator="rule")]


class TabularConfig(SourceConfig):
    """Metadata kept in tables: a file of datasets and a file of flows (CSV, XLSX or Parquet)."""

    kind: Literal["tabular"] = "tabular"
    datasets: LocalPath = Field(description="The file of datasets.")
    flows: LocalPath = Field(description="The file of flows.")
    dataset_columns: DatasetMapping
    flow_columns: FlowMapping
    namespace: str = Field(description="The namespace of datasets that name none.")
    rules: list[Rule] = []


class DeclaredConfig(SourceConfig):
    """Links and consumers that people declare, in YAML files, or one by one on the screen."""

    kind: Literal["declared"] = "declared"
    location: LocalPath | None = Field(
        None, description="A file, or a folder; none for what is declared on the screen."
    )


class EventsConfig(SourceConfig):
    """OpenLineage events in a file, one a line or as an array; or those that are received over HTTP."""

    kind: Literal["events"] = "events"
    file: LocalPath | None = Field(None, description="A file; none for the events that are received.")


AnyConfig = Annotated[
    PostgresqlConfig
    | RepositoryConfig
    | HistoryConfig
    | ReportsConfig
    | TabularConfig
    | DeclaredConfig
    | EventsConfig,
    Field(discriminator="kind"),
]


def secrets_of(config: BaseModel) -> dict[str, str]:
    """Return the secrets of a configuration by their path."""
    found = {}
    for path in secret_paths(type(config)):
        value: Any = config
        for part in path.split("."):
            value = getattr(value, part, None)
        if isinstance(value, SecretStr):
            found[path] = value.get_secret_value()
    return found


def secret_paths(model: type[BaseModel], prefix: str = "") -> list[str]:
    """Return the paths at which configurations of a kind may have secrets."""
    found = []
    for name, field in model.model_fields.items():
        for kind in get_args(field.annotation) or (field.annotation,):
            if kind is SecretStr:
                found.append(prefix + name)
            elif isinstance(kind, type) and issubclass(kind, BaseModel):
                found += secret_paths(kind, f"{prefix}{name}.")
    return found


def without_secrets(config: BaseModel) -> dict[str, Any]:
    """Return a configuration as the store and the API's answers have it: no secret in it."""
    found = config.model_dump(mode="json", by_alias=True, exclude_defaults=False)
    for path in secrets_of(config):
        at: Any = found
        *above, last = path.split(".")
        for part in above:
            at = at[part]
        at[last] = None
    return found


def shown_config(config: dict[str, Any]) -> dict[str, Any]:
    """Return a stored configuration as answers have it: an old one may have a user in an address.

    >>> shown_config({"location": "https://ann:pw@quay.example/x.git"})
    {'location': 'https://quay.example/x.git'}
    """
    found = _WITH_USER.match(str(config.get("location", "")))
    return config if found is None else {**config, "location": f"{found[1]}{found[3]}"}


def with_secrets(config: dict[str, Any], secrets: dict[str, str]) -> dict[str, Any]:
    """Put secrets back into a configuration."""
    found: dict[str, Any] = _copy(config)
    for path, value in secrets.items():
        at: Any = found
        *above, last = path.split(".")
        for part in above:
            at = at.get(part) or {}
        at[last] = value
    return found


def _copy(value: Any) -> Any:
    if isinstance(value, dict):
        return {key: _copy(inner) for key, inner in value.items()}
    return [_copy(inner) for inner in value] if isinstance(value, list) else value


def check_schedule(value: str | None) -> str | None:
    """Return a schedule if it has the five fields of cron; raises ValueError."""
    if value is not None and (len(value.split()) != 5 or not croniter.is_valid(value)):
        raise ValueError(f"“{value}” is no schedule; expected five fields as of cron, such as “15 3 * * *”")
    if value is not None:
        try:
            croniter(value, datetime.now(UTC)).get_next(datetime)
        except CroniterError as error:
            raise ValueError(f"“{value}” never comes: there is no such day") from error
    return value


Schedule = Annotated[
    str | None,
    AfterValidator(check_schedule),
    Field(description="Minute, hour, day, month and weekday as of cron, in UTC; none ingests it when asked."),
]


def local_path(location: str) -> Path | None:
    """Return the path that a location names, none where it is an address of a remote."""
    return None if _REMOTE.match(location) else Path(location)
