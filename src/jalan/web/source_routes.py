"""What feeds Jalan: sources, their ingestions with progress, what was not understood; aliases and exports."""

from collections.abc import AsyncIterator
from typing import Annotated, Any

import anyio
from fastapi import APIRouter, Depends, Query, Request, Response
from pydantic import BaseModel, Field
from sqlalchemy import Engine
from sqlalchemy.orm import Session
from sse_starlette import EventSourceResponse, ServerSentEvent

from jalan.service import export as exports
from jalan.service.errors import Conflict
from jalan.service.ingest import declarations, identity, log, overview, registry, scheduler, sources, trial
from jalan.service.ingest.configuration import Schedule
from jalan.service.ingest.declarations import ConsumerIn, DeclarationFact, LinkIn
from jalan.service.ingest.overview import IngestionFact, SourceFact, UnreadPage
from jalan.service.ingest.preview import Preview
from jalan.service.ingest.registry import KindFact
from jalan.service.snapshot import Snapshot, SnapshotCache
from jalan.web.parameters import AsOf, Id

router = APIRouter(prefix="/api/v1")

WHO = "local user"
_LOOK_EVERY = 0.4  # seconds between two looks at an ingestion that somebody watches


def _engine(request: Request) -> Engine:
    cache: SnapshotCache = request.app.state.cache
    return cache.engine


def _cache(request: Request) -> SnapshotCache:
    cache: SnapshotCache = request.app.state.cache
    return cache


Store = Annotated[Engine, Depends(_engine)]
Cache = Annotated[SnapshotCache, Depends(_cache)]


class SourceIn(BaseModel):
    """A source as it is to be. Secrets that are left empty keep what they were."""

    name: str = Field(min_length=1, max_length=100)
    config: dict[str, Any] = Field(description="See GET /api/v1/source-kinds.")
    schedule: Schedule = None


class TryIn(BaseModel):
    """A configuration to try. source: the id of one whose kept secrets may be used."""

    config: dict[str, Any]
    source: int | None = None


class Made(BaseModel):
    """What was made."""

    id: int


class JoinIn(BaseModel):
    """Two datasets that are one; it is known by the second name from now on."""

    dataset: int
    into: int
    note: str | None = Field(None, max_length=500)


@router.get("/source-kinds")
def get_source_kinds() -> list[KindFact]:
    """The kinds of sources, each with the schema of its configuration."""
    return registry.kinds()


@router.get("/sources")
def get_sources(store: Store) -> list[SourceFact]:
    """What feeds Jalan."""
    with Session(store) as session:
        return overview.sources(session)


@router.post("/sources", status_code=201)
def add_source(store: Store, given: SourceIn) -> Made:
    """Add a source."""
    return Made(id=sources.add(store, given.name, given.config, schedule=given.schedule, who=WHO))


@router.post("/sources/try")
def try_source(store: Store, given: TryIn) -> Preview:
    """Try a configuration: can it be reached, and what would an ingestion bring?"""
    config = given.config
    if given.source is not None:
        with Session(store) as session:
            config = sources.completed(session, given.source, config)
    return trial.try_config(registry.parse_config(config))


@router.get("/sources/{source}")
def get_source(store: Store, source: Id) -> SourceFact:
    """One source."""
    with Session(store) as session:
        return overview.source(session, source)


@router.put("/sources/{source}", status_code=204)
def change_source(store: Store, source: Id, given: SourceIn) -> None:
    """Change a source."""
    sources.change(store, source, given.config, schedule=given.schedule, who=WHO)


@router.delete("/sources/{source}", status_code=204)
def remove_source(store: Store, source: Id) -> None:
    """Remove a source. What it brought stays."""
    sources.remove(store, source, WHO)


@router.get("/sources/{source}/ingestions")
def get_ingestions(store: Store, source: Id) -> list[IngestionFact]:
    """The last ingestions of a source, the latest first."""
    with Session(store) as session:
        sources.get(session, source)
        return overview.ingestions(session, source)


@router.post("/sources/{source}/ingestions", status_code=202)
def start_ingestion(store: Store, source: Id) -> Made:
    """Bring a source up to date; follow the ingestion at /api/v1/ingestions/{ingestion}/events."""
    return Made(id=scheduler.start(store, source, WHO))


@router.get("/sources/{source}/unread")
def get_unread(
    store: Store,
    source: Id,
    offset: Annotated[int, Query(ge=0)] = 0,
    limit: Annotated[int, Query(ge=1, le=500)] = 100,
) -> UnreadPage:
    """What was not understood, without constants, the worst first."""
    with Session(store) as session:
        return overview.unread(session, source, offset, limit)


@router.get("/ingestions/{ingestion}")
def get_ingestion(store: Store, ingestion: Id) -> IngestionFact:
    """One ingestion."""
    with Session(store) as session:
        return overview.ingestion(session, ingestion)


@router.delete("/ingestions/{ingestion}", status_code=202)
def stop_ingestion(store: Store, ingestion: Id) -> None:
    """Ask for the end of an ingestion. What it has done until then is not kept."""
    if not log.cancel(store, ingestion):
        raise Conflict(f"ingestion {ingestion} is over already")


@router.get("/ingestions/{ingestion}/events", response_class=EventSourceResponse)
async def get_ingestion_events(store: Store, request: Request, ingestion: Id) -> EventSourceResponse:
    """Follow an ingestion: an event “ingestion” for each change of it, until it is over."""

    def look() -> IngestionFact:
        with Session(store) as session:
            return overview.ingestion(session, ingestion)

    first = await anyio.to_thread.run_sync(look)

    async def follow() -> AsyncIterator[ServerSentEvent]:
        now, told = first, ""
        while True:
            shown = now.model_dump_json(exclude={"duration"})
            if shown != told:
                told = shown
                yield ServerSentEvent(now.model_dump_json(), event="ingestion")
            if now.state != "running" or await request.is_disconnected():
                return
            await anyio.sleep(_LOOK_EVERY)
            now = await anyio.to_thread.run_sync(look)

    return EventSourceResponse(follow())


@router.get("/declarations")
def get_declarations(store: Store) -> list[DeclarationFact]:
    """What was declared on the screen."""
    return declarations.declared(store)


@router.post("/declarations/links", status_code=201)
def declare_link(store: Store, given: LinkIn) -> Made:
    """Declare a link that no text tells of."""
    return Made(id=declarations.declare_link(store, given, WHO))


@router.post("/declarations/consumers", status_code=201)
def declare_consumer(store: Store, given: ConsumerIn) -> Made:
    """Declare somebody or something that reads a dataset and that nobody can scan."""
    return Made(id=declarations.declare_consumer(store, given, WHO))


@router.delete("/declarations/{declaration}", status_code=204)
def take_back_declaration(store: Store, declaration: Id) -> None:
    """Take a declaration back; that it held until now is kept."""
    declarations.take_back(store, declaration, WHO)


@router.post("/aliases", status_code=201)
def join_datasets(store: Store, given: JoinIn) -> Made:
    """Say that two datasets are one."""
    return Made(id=identity.join(store, given.dataset, given.into, WHO, given.note))


@router.delete("/aliases/{alias}", status_code=204)
def part_datasets(store: Store, alias: Id) -> None:
    """Take it back: the two are two again, and nothing is lost."""
    identity.part(store, alias, WHO)


@router.get("/export/{form}", response_class=Response)
def get_export(
    cache: Cache,
    form: exports.ExportFormat,
    around: Annotated[int | None, Query(description="Only the part around this dataset.")] = None,
    back: Annotated[int, Query(ge=0, le=50)] = 50,
    ahead: Annotated[int, Query(ge=0, le=50)] = 50,
    as_of: AsOf = None,
) -> Response:
    """The graph, or the part around an asset, in an open format."""
    snapshot: Snapshot = cache.get(as_of)
    with Session(cache.engine) as session:
        found = exports.export(snapshot, session, form, around=around, back=back, ahead=ahead)
    media, ending = exports.MEDIA[form]
    name = f"lineage.{ending}"
    return Response(found, media_type=media, headers={"Content-Disposition": f'attachment; filename="{name}"'})
