"""What the questions about runs answer. These models are the API's schemas; times are UTC, durations seconds."""

from datetime import datetime
from typing import Any, Literal
from uuid import UUID

from pydantic import BaseModel


class JobBrief(BaseModel):
    """A job by its name; ``title`` without what it shares with its pipeline."""

    id: int
    namespace: str
    name: str


class UsualFact(BaseModel):
    """What is usual for a number, of the last runs that told it. verdict: low or high where this one is not."""

    low: float
    middle: float
    high: float
    runs: int
    verdict: Literal["", "low", "high"]


class RunRow(BaseModel):
    """A run in the ledger. version: number of the version of the job, none where it told none; is_new: it is the
    first run of it."""

    run: UUID
    job: JobBrief
    parent: UUID | None
    parent_job: JobBrief | None
    state: str
    started_at: datetime
    ended_at: datetime | None
    took: float | None
    usual_took: UsualFact | None
    rows: int | None
    usual_rows: UsualFact | None
    bytes: int | None
    message: str
    who: str
    version: int | None
    is_new: bool
    events: int


class RunFacet(BaseModel):
    """How many of the runs found have a value."""

    value: str
    label: str
    count: int


class Bucket(BaseModel):
    """How many runs began in a stretch of time, by state."""

    at: datetime
    done: int
    failed: int
    running: int
    other: int


class Line(BaseModel):
    """A run in the timetable: from when and which station to when and which one. Stations count from 0."""

    run: UUID
    job: str
    state: str
    started_at: datetime
    ended_at: datetime | None
    from_station: int
    to_station: int


class RunCounts(BaseModel):
    """Counts of all runs that were found.

    facets: by name; those of state are of all, the others of the latest ``facets_of`` runs.
    """

    total: int
    events: int
    since: datetime
    until: datetime
    facets: dict[str, list[RunFacet]]
    facets_of: int
    buckets: list[Bucket]


class RunsPage(RunCounts):
    """Runs found, the latest first; the first page with counts of all, unless it was asked for without."""

    items: list[RunRow]
    next: str | None


class Timetable(BaseModel):
    """Runs as lines between stations.

    left_out: how many of them are not drawn, because they are too many. counted_all: whether these are all.
    """

    stations: list[str]
    lines: list[Line]
    left_out: int
    counted_all: bool
    since: datetime
    until: datetime


class SideFact(BaseModel):
    """A dataset that a run has read or written. writer: the run that had written what it read, where known;
    pattern: by which it was chosen; subset: which of its rows. measures: what was measured of its first columns;
    measured: of how many."""

    dataset: int | None
    namespace: str
    name: str
    side: Literal["in", "out"]
    rows: int | None
    usual_rows: UsualFact | None
    bytes: int | None
    version: str
    pattern: list[str]
    subset: str
    checks: list[tuple[str, str, bool]]
    measures: dict[str, dict[str, float]]
    measured: int
    writer: UUID | None
    writer_state: str | None
    written_at: datetime | None


class ChangesFact(BaseModel):
    """What is another than in the last good run before. before, after: the texts, where these differ."""

    against: UUID
    at: datetime
    code: bool
    before: str
    after: str
    inputs_added: list[str]
    inputs_gone: list[str]
    outputs_added: list[str]
    outputs_gone: list[str]


class StaleFact(BaseModel):
    """A dataset or report that has older data because a run failed. hops: how far from what it writes."""

    dataset: int
    name: str
    title: str
    kind: str
    owner: str | None
    hops: int


class RunFacts(BaseModel):
    """One run. stale: what has had older data because it failed, since when, and until which run repaired that."""

    row: RunRow
    root: UUID | None
    nominal_at: datetime | None
    last_at: datetime
    trace: str
    producer: str
    engine: str
    query: str
    address: str
    parameters: dict[str, str]
    job_type: str
    description: str
    owner: str
    tags: list[str]
    place: str
    revision: str
    code: str
    code_dialect: str
    callers: list[RunRow]
    children_total: int
    sides: list[SideFact]
    changes: ChangesFact | None
    plans: dict[str, Any]
    stale: list[StaleFact]
    stale_total: int
    stale_since: datetime | None
    repaired_at: datetime | None
    repaired_by: UUID | None


class EventFact(BaseModel):
    """An event that was received. event: by which its text is asked for. size: bytes. refused: why it could not be
    taken in, where it could not."""

    event: str
    at: datetime
    received_at: datetime
    type: str
    namespace: str
    name: str
    run: UUID | None
    size: int
    refused: str | None


class EventText(BaseModel):
    """An event as it was received, to the character."""

    event: str
    raw: str


class EventsPage(BaseModel):
    """Events, the latest first."""

    items: list[EventFact]
    next: str | None


class KeptSearchFact(BaseModel):
    """A search that is kept under a name."""

    id: int
    name: str
    query: dict[str, Any]
    who: str
    kept_at: datetime


class JobVersionFact(BaseModel):
    """A version of a job: its number in the order of first runs, and what is another than in the one before."""

    number: int
    first_at: datetime
    runs: int
    kind: str
    text: str
    place: str
    revision: str
    inputs: list[str]
    outputs: list[str]
    code_changed: bool
    inputs_added: list[str]
    inputs_gone: list[str]
    outputs_added: list[str]
    outputs_gone: list[str]


class CallFact(BaseModel):
    """A job that calls another, or is called by it. runs: how often; last_at: the last time."""

    job: JobBrief
    runs: int
    last_at: datetime


class JobFacts(BaseModel):
    """A job with its versions, who calls it, and what it calls."""

    job: JobBrief
    description: str
    owner: str
    job_type: str
    tags: list[str]
    schedule: str | None
    versions: list[JobVersionFact]
    versions_total: int
    called_by: list[CallFact]
    calls: list[CallFact]
    datasets: list[int]


class FlowFact(BaseModel):
    """A dataset that jobs read or write, by the name that they have for it. within: of what they write, how many of
    them read it again."""

    dataset: int | None
    namespace: str
    name: str
    within: int


class JobBelow(BaseModel):
    """A job that another calls, through so many others. reads, writes: how many datasets; last: its last run."""

    job: JobBrief
    depth: int
    called_by: int | None
    reads: int
    writes: int
    last_state: str | None
    last_at: datetime | None


class JobLineage(BaseModel):
    """What a job and all jobs below it read and write, taken together.

    reads: what none of them writes. writes: all that they write; what is read again among them has ``within``.
    cut: whether there are more jobs than are looked at.
    """

    job: JobBrief
    jobs: list[JobBelow]
    jobs_total: int
    reads: list[FlowFact]
    reads_total: int
    writes: list[FlowFact]
    writes_total: int
    cut: bool


class StepFact(BaseModel):
    """A job that must run for a dataset. after: places in the list of the jobs that must have run before."""

    job: JobBrief
    after: list[int]
    writes: list[str]
    last_run: UUID | None
    last_state: str | None
    last_at: datetime | None


class OrderFact(BaseModel):
    """The jobs that must run for a dataset, in an order that respects what each needs. circles: jobs that need one
    another; they stand side by side. unrun: datasets upstream that no known job writes."""

    dataset: int
    name: str
    steps: list[StepFact]
    circles: list[list[int]]
    origins: list[str]


class SuspectReason(BaseModel):
    """Why a job is suspected: failed, missing, late, rows, check, code or data; and what is odd, in words."""

    kind: str
    words: str


class SuspectFact(BaseModel):
    """A job that may have made a number wrong. score: from 0 to 1. hops: how far what it writes is away."""

    job: JobBrief
    run: UUID | None
    hops: int
    score: float
    reasons: list[SuspectReason]


class SuspectsFact(BaseModel):
    """Who is suspected, the likeliest first. looked_at: how many jobs on the way were looked at."""

    dataset: int
    name: str
    at: datetime
    looked_at: int
    items: list[SuspectFact]


class StateFact(BaseModel):
    """How a dataset stands, by the last run of the job that writes it: fresh, stale (something upstream of it
    failed), failed, stopped, running or late. filled_at: when it was last filled. due_at: when it should have been
    since, where it is late."""

    dataset: int
    state: str
    job: str | None = None
    run: UUID | None = None
    at: datetime | None = None
    filled_at: datetime | None = None
    due_at: datetime | None = None


class RoadLane(BaseModel):
    """Runs that are so many runs before (negative) or after the one in the middle."""

    offset: int
    runs: list[RunRow]


class RoadStep(BaseModel):
    """What one run wrote and another one read."""

    writer: UUID
    name: str
    dataset: int | None
    reader: UUID


class RoadFact(BaseModel):
    """The road of one run. cut: whether there are more runs than are shown."""

    run: UUID
    lanes: list[RoadLane]
    steps: list[RoadStep]
    cut: bool
