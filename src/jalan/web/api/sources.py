"""What feeds Jalan: sources, their ingestions with progress, what was not understood."""

from collections.abc import AsyncIterator
from typing import Annotated, Any

import anyio
from fastapi import APIRouter, Query, Request
from pydantic import BaseModel, Field
from sse_starlette import EventSourceResponse, ServerSentEvent

from jalan.service.context import Context
from jalan.service.errors import Conflict
from jalan.service.ingest import log, overview, registry, scheduler, sources, trial
from jalan.service.ingest.configuration import Schedule
from jalan.service.ingest.overview import IngestionFact, SourceFact, UnreadPage
from jalan.service.ingest.preview import Preview
from jalan.service.ingest.registry import KindFact
from jalan.web.api.made import Made
from jalan.web.deps import Id, Now

router = APIRouter(prefix="/api/v1")

_LOOK_EVERY = 0.4  # seconds between two looks at an ingestion that somebody watches


class SourceIn(BaseModel):
    """A source as it is to be. Secrets that are left empty keep what they were."""

    name: str = Field(min_length=1, max_length=100)
    config: dict[str, Any] = Field(description="See GET /api/v1/source-kinds.")
    schedule: Schedule = None


class TryIn(BaseModel):
    """A configuration to try. source: the id of one whose kept secrets may be used."""

    config: dict[str, Any]
    source: int | None = None


@router.get("/source-kinds")
def get_source_kinds() -> list[KindFact]:
    """The kinds of sources, each with the schema of its configuration."""
    return registry.kinds()


@router.get("/sources")
def get_sources(context: Now) -> list[SourceFact]:
    """What feeds Jalan."""
    return overview.sources(context)


@router.post("/sources", status_code=201)
def add_source(context: Now, given: SourceIn) -> Made:
    """Add a source."""
    return Made(id=sources.add(context, given.name, given.config, schedule=given.schedule))


@router.post("/sources/try")
def try_source(context: Now, given: TryIn) -> Preview:
    """Try a configuration: can it be reached, and what would an ingestion bring?"""
    return trial.try_source(context, given.config, given.source)


@router.get("/sources/{source}")
def get_source(context: Now, source: Id) -> SourceFact:
    """One source."""
    return overview.source(context, source)


@router.put("/sources/{source}", status_code=204)
def change_source(context: Now, source: Id, given: SourceIn) -> None:
    """Change a source."""
    sources.change(context, source, given.config, schedule=given.schedule)


@router.delete("/sources/{source}", status_code=204)
def remove_source(context: Now, source: Id) -> None:
    """Remove a source. What it brought stays."""
    sources.remove(context, source)


@router.get("/sources/{source}/ingestions")
def get_ingestions(context: Now, source: Id) -> list[IngestionFact]:
    """The last ingestions of a source, the latest first."""
    return overview.ingestions(context, source)


@router.post("/sources/{source}/ingestions", status_code=202)
def start_ingestion(context: Now, source: Id) -> Made:
    """Bring a source up to date; follow the ingestion at /api/v1/ingestions/{ingestion}/events."""
    return Made(id=scheduler.start(context, source))


@router.get("/sources/{source}/unread")
def get_unread(
    context: Now,
    source: Id,
    offset: Annotated[int, Query(ge=0)] = 0,
    limit: Annotated[int, Query(ge=1, le=500)] = 100,
) -> UnreadPage:
    """What was not understood, without constants, the worst first."""
    return overview.unread(context, source, offset, limit)


@router.get("/ingestions/{ingestion}")
def get_ingestion(context: Now, ingestion: Id) -> IngestionFact:
    """One ingestion."""
    return overview.ingestion(context, ingestion)


@router.delete("/ingestions/{ingestion}", status_code=202)
def stop_ingestion(context: Now, ingestion: Id) -> None:
    """Ask for the end of an ingestion. What it has done until then is not kept."""
    if not log.cancel(context, ingestion):
        raise Conflict(f"ingestion {ingestion} is over already")


@router.get("/ingestions/{ingestion}/events", response_class=EventSourceResponse)
async def get_ingestion_events(context: Now, request: Request, ingestion: Id) -> EventSourceResponse:
    """Follow an ingestion: an event “ingestion” for each change of it, until it is over."""

    def look() -> IngestionFact:
        with Context(context.engine, context.who) as looking:
            return overview.ingestion(looking, ingestion)

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
