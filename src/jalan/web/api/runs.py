"""Runs of jobs: the ledger, one run, jobs, what must run for a dataset."""

from collections.abc import AsyncIterator
from datetime import datetime
from typing import Annotated, Any
from uuid import UUID

from fastapi import APIRouter, Depends, Path, Query, Request
from fastapi.responses import StreamingResponse
from pydantic import BaseModel, Field
from sse_starlette import EventSourceResponse, ServerSentEvent

from jalan.service.runs import kept
from jalan.service.runs.answers import (
    EventsPage,
    EventText,
    JobFacts,
    JobLineage,
    KeptSearchFact,
    OrderFact,
    RoadFact,
    RunCounts,
    RunFacts,
    RunRow,
    RunsPage,
    StateFact,
    SuspectsFact,
    Timetable,
)
from jalan.service.runs.below import job_lineage
from jalan.service.runs.feed import Feed
from jalan.service.runs.jobs import job_facts, order_for
from jalan.service.runs.ledger import every_run, run_counts, runs
from jalan.service.runs.one_run import children, run_events, run_facts
from jalan.service.runs.received_events import event_text, received_events
from jalan.service.runs.road import road
from jalan.service.runs.searching import Search
from jalan.service.runs.states import states
from jalan.service.runs.timetable import timetable
from jalan.service.runs.witnesses import suspects_of
from jalan.service.streams import StreamForm
from jalan.web.api.download import download
from jalan.web.api.made import Made
from jalan.web.deps import Id, Now, zoned

router = APIRouter(prefix="/api/v1")
Chosen = Annotated[list[str] | None, Query(max_length=50)]
Cursor = Annotated[str | None, Query(max_length=200)]


def _search(
    q: Annotated[
        str,
        Query(
            max_length=500,
            description="Words with * for anything, states, and name:value (job, read, wrote, dataset, column, "
            "run, who, type, longer, shorter, rows, larger).",
        ),
    ] = "",
    state: Chosen = None,
    pipeline: Chosen = None,
    who: Chosen = None,
    wrote: Chosen = None,
    since: datetime | None = None,
    until: datetime | None = None,
    job: Annotated[int | None, Query(ge=1, le=2_147_483_647)] = None,
    dataset: Annotated[int | None, Query(ge=1, le=2_147_483_647)] = None,
) -> Search:
    chosen = {"state": state, "pipeline": pipeline, "who": who, "wrote": wrote}
    return Search(
        q, {name: values for name, values in chosen.items() if values}, zoned(since), zoned(until), job, dataset
    )


Searched = Annotated[Search, Depends(_search)]


class KeptSearchIn(BaseModel):
    """A search to keep: what stands in the address of the screen, by name."""

    name: str = Field(min_length=1, max_length=100)
    query: dict[str, Any] = Field(max_length=20)


@router.get("/runs")
def get_runs(
    context: Now,
    search: Searched,
    limit: Annotated[int, Query(ge=1, le=500)] = 50,
    cursor: Cursor = None,
    counted: Annotated[
        bool, Query(description="Whether all that are found are counted, which takes longer.")
    ] = True,
) -> RunsPage:
    """The ledger: runs that began in a time, the latest first, with counts of all that were found."""
    return runs(context, search, limit, cursor, counted)


@router.get("/runs/counts")
def get_run_counts(context: Now, search: Searched) -> RunCounts:
    """Counts of the runs that began in a time: by state and time, pipeline, person, and where they wrote to."""
    return run_counts(context, search)


@router.get("/runs/all", response_class=StreamingResponse)
def get_all_runs(context: Now, search: Searched, form: StreamForm = "ndjson") -> StreamingResponse:
    """All runs that are found, as a stream of rows."""
    return download("runs", every_run(context, search, form), form)


@router.get("/runs/timetable")
def get_timetable(context: Now, search: Searched) -> Timetable:
    """Runs as lines from station to station."""
    return timetable(context, search)


@router.get("/runs/states")
def get_states(
    context: Now, dataset: Annotated[list[int], Query(min_length=1, max_length=500, description="Their ids.")]
) -> list[StateFact]:
    """How datasets stand, by the last runs of the jobs that write them; without those that no run has written."""
    return states(context, dataset)


@router.get("/runs/events", response_class=EventSourceResponse)
async def follow_runs(request: Request) -> EventSourceResponse:
    """A stream (text/event-stream) with an event “runs” whenever any run has changed."""
    feed: Feed = request.app.state.feed

    async def follow() -> AsyncIterator[ServerSentEvent]:
        async for changed in feed.changes():
            yield ServerSentEvent(event="runs" if changed else "quiet", data="")

    return EventSourceResponse(follow())


@router.get("/runs/{run}")
def get_run(context: Now, run: UUID) -> RunFacts:
    """One run: what it did, what is another than usual, what is stale because of it."""
    return run_facts(context, run)


@router.get("/runs/{run}/children")
def get_children(context: Now, run: UUID) -> list[RunRow]:
    """The runs that a run has called."""
    return children(context, run)


@router.get("/runs/{run}/events/received")
def get_run_events(
    context: Now, run: UUID, limit: Annotated[int, Query(ge=1, le=100)] = 20, cursor: Cursor = None
) -> EventsPage:
    """The events of a run as they were received."""
    return run_events(context, run, limit, cursor)


@router.get("/events")
def get_events(
    context: Now, search: Searched, limit: Annotated[int, Query(ge=1, le=200)] = 50, cursor: Cursor = None
) -> EventsPage:
    """Events of a time, the latest first: those that say what is looked for, or whose runs do."""
    return received_events(context, search, limit, cursor)


@router.get("/events/{event}")
def get_event(context: Now, event: Annotated[str, Path(max_length=300)]) -> EventText:
    """An event as it was received, to the character."""
    return event_text(context, event)


@router.get("/runs/{run}/road")
def get_road(
    context: Now,
    run: UUID,
    back: Annotated[int, Query(ge=0, le=20)] = 3,
    ahead: Annotated[int, Query(ge=0, le=20)] = 3,
) -> RoadFact:
    """Which runs had written the very versions that a run read, and which have read what it wrote."""
    return road(context, run, back, ahead)


@router.get("/jobs/{job}")
def get_job(context: Now, job: Id) -> JobFacts:
    """A job: its versions, who calls it, what it calls."""
    return job_facts(context, job)


@router.get("/jobs/{job}/lineage")
def get_job_lineage(context: Now, job: Id) -> JobLineage:
    """What a job and all that it calls, however deep, read and write, taken together."""
    return job_lineage(context, job)


@router.get("/datasets/{dataset}/order")
def get_order(context: Now, dataset: Id) -> OrderFact:
    """The jobs that must run for a dataset, in an order that respects what each needs."""
    return order_for(context, dataset)


@router.get("/datasets/{dataset}/suspects")
def get_suspects(
    context: Now,
    dataset: Id,
    field: Annotated[list[int] | None, Query(max_length=50, description="Columns that look wrong.")] = None,
    at: Annotated[datetime | None, Query(description="When it looked wrong; now by default.")] = None,
) -> SuspectsFact:
    """Who may have made a number wrong: what ran otherwise than usual on the way to it, the likeliest first."""
    return suspects_of(context, dataset, field or (), zoned(at))


@router.get("/searches")
def get_searches(context: Now) -> list[KeptSearchFact]:
    """Searches of runs that are kept."""
    return kept.kept_searches(context)


@router.post("/searches", status_code=201)
def keep_search(context: Now, given: KeptSearchIn) -> Made:
    """Keep a search of runs under a name."""
    return Made(id=kept.keep_search(context, given.name, given.query))


@router.delete("/searches/{search}", status_code=204)
def let_search_go(context: Now, search: Id) -> None:
    """Keep a search no longer."""
    kept.let_go(context, search)
