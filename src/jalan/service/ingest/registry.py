"""What can be done with each kind of source: test it, preview what it will bring, ingest it."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from pydantic import BaseModel, Field, TypeAdapter, ValidationError

from jalan.service.errors import Invalid
from jalan.service.ingest.configuration import (
    AnyConfig,
    DeclaredConfig,
    EventsConfig,
    HistoryConfig,
    PostgresqlConfig,
    ReportsConfig,
    RepositoryConfig,
    TabularConfig,
)
from jalan.service.ingest.kinds import declared, events, history, postgresql, reports, repository, tabular
from jalan.service.ingest.preview import Preview
from jalan.service.ingest.unit_of_work import UnitOfWork
from jalan.sources.allowed import Allowed


@dataclass(frozen=True, slots=True)
class Kind:
    """A kind of source. title and about are for people; preview connects, and says what an ingestion would
    bring, within what is allowed."""

    title: str
    about: str
    config: type[BaseModel]
    preview: Callable[[Any, Allowed], Preview]
    ingest: Callable[[Any, UnitOfWork], None]


KINDS: dict[str, Kind] = {
    "postgresql": Kind(
        "PostgreSQL database",
        "Tables, views, functions and triggers of a live database, in one read-only transaction.",
        PostgresqlConfig,
        postgresql.preview,
        postgresql.scan,
    ),
    "repository": Kind(
        "SQL repository",
        "SQL files, reports and declarations from a folder or a git repository, with their history.",
        RepositoryConfig,
        repository.preview,
        repository.load,
    ),
    "history": Kind(
        "Query history",
        "Who uses what, from logs of PostgreSQL, its statistics, or tables of queries. Constants are removed.",
        HistoryConfig,
        history.preview,
        history.read_history,
    ),
    "reports": Kind(
        "Reports service",
        "Folders, reports, calculated fields, extracts and views, over the HTTP interface of a service.",
        ReportsConfig,
        reports.preview,
        reports.crawl,
    ),
    "tabular": Kind(
        "Spreadsheets of metadata",
        "A table of datasets and a table of flows (CSV, XLSX or Parquet), with a mapping and rules of repair.",
        TabularConfig,
        tabular.preview,
        tabular.load_tables,
    ),
    "declared": Kind(
        "Declarations",
        "Links and consumers that people write down in YAML.",
        DeclaredConfig,
        declared.preview,
        declared.declare,
    ),
    "events": Kind(
        "OpenLineage events",
        "A file of events, such as another Jalan exports.",
        EventsConfig,
        events.preview,
        events.load_events,
    ),
}

_ADAPTER: TypeAdapter[Any] = TypeAdapter(AnyConfig)


def parse_config(config: dict[str, Any]) -> BaseModel:
    """Return a checked configuration. Raises Invalid, which says where and what is allowed."""
    kind = config.get("kind")
    if kind not in KINDS:
        raise Invalid(f"kind: “{kind}” is no kind of source; there are {', '.join(KINDS)}")
    try:
        found: BaseModel = _ADAPTER.validate_python(config)
    except ValidationError as error:
        raise Invalid("; ".join(_explained(e, kind) for e in error.errors())) from error
    return found


def _explained(error: Any, kind: str) -> str:
    place = ".".join(str(part) for part in error["loc"] if part not in (kind, "function-after"))
    message = error["msg"].removeprefix("Value error, ")
    if error["type"] == "extra_forbidden":
        message = f"is not known here; {kind} has {', '.join(KINDS[kind].config.model_fields)}"
    return f"{place}: {message}" if place else message


class KindFact(BaseModel):
    """A kind of source with the JSON Schema of its configuration."""

    kind: str
    title: str
    about: str
    config: dict[str, Any] = Field(description="JSON Schema of the configuration.")


def kinds() -> list[KindFact]:
    """Return all kinds of sources."""
    return [
        KindFact(kind=name, title=kind.title, about=kind.about, config=kind.config.model_json_schema(by_alias=True))
        for name, kind in KINDS.items()
    ]
