"""The ledger of runs: found by words, states, jobs, data and time; counted, page by page."""

from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from typing import Any
from uuid import UUID

from sqlalchemy import (
    ColumnElement,
    Select,
    String,
    and_,
    case,
    cast,
    exists,
    func,
    literal,
    or_,
    select,
    true,
    tuple_,
)
from sqlalchemy.dialects.postgresql import array
from sqlalchemy.orm import Session, aliased

from jalan.runs.search import BadSearch, Wanted, read_search
from jalan.runs.usual import alike, usual
from jalan.service.context import Context
from jalan.service.cursors import BadCursor, pack, unpack
from jalan.service.errors import Invalid
from jalan.service.runs.answers import Bucket, JobBrief, RunFacet, RunRow, RunsPage, UsualFact
from jalan.service.runs.job_versions import versions_of
from jalan.service.streams import StreamForm, header, written
from jalan.store.patterns import holding_with_gaps
from jalan.store.schema import Container, Dataset, DatasetName, EventRow, Field, Job, Run, RunDataset

USUAL_OF = 60  # runs
_BUCKETS = 120
_CHUNK = 1_000  # rows of a stream
_COLUMNS = (
    "run_id", "namespace", "name", "state", "started_at", "ended_at", "took", "rows", "bytes", "who", "message",
    "parent", "parent_name", "version", "events",
)  # fmt: skip
_FACET_VALUES = 12
_FACETS_OF = 10_000  # the latest runs, of which facets are counted
_NOBODY = "nobody"
_parent_job = aliased(Job)


@dataclass(slots=True)
class Search:
    """What is looked for. since, until: when runs began; by default the last day there was anything.

    typed: see ``jalan.runs.search``. chosen: values of facets, by name. job, dataset: ids.
    """

    typed: str = ""
    chosen: dict[str, list[str]] = field(default_factory=dict)
    since: datetime | None = None
    until: datetime | None = None
    job: int | None = None
    dataset: int | None = None


def runs(context: Context, search: Search, limit: int, cursor: str | None) -> RunsPage:
    """Find runs. Raises Invalid, BadCursor. Cost: the runs of the time that is looked at."""
    session = context.session
    since, until = period(session, search)
    conditions = found_by(search, since, until)
    query = rows_query().where(*conditions).order_by(Run.started_at.desc(), Run.id.desc())
    if cursor is not None:
        query = query.where(tuple_(Run.started_at, Run.id) < _position(cursor))
    found = session.execute(query.limit(limit + 1)).all()
    page = found[:limit]
    # What follows a page is counted already.
    counts = _Counts() if cursor is not None else _counted(session, conditions, since, until)
    return RunsPage(
        items=as_rows(session, page),
        total=counts.total,
        events=counts.events,
        next=pack([page[-1].started_at.isoformat(), page[-1].id]) if len(found) > limit else None,
        since=since,
        until=until,
        facets=counts.facets,
        facets_of=min(counts.total, _FACETS_OF),
        buckets=counts.buckets,
    )


def every_run(context: Context, search: Search, form: StreamForm) -> Iterator[bytes]:
    """Return all runs that are found, the latest first, in pieces. Raises Invalid."""
    since, until = period(context.session, search)
    query = rows_query().where(*found_by(search, since, until)).order_by(Run.started_at.desc(), Run.id.desc())
    return _all(context, query, form)


def _all(context: Context, query: Select[*tuple[Any, ...]], form: StreamForm) -> Iterator[bytes]:
    yield header(_COLUMNS, form)
    # A connection of its own, for as long as somebody reads.
    with context.engine.connect().execution_options(stream_results=True, yield_per=_CHUNK) as connection:
        for part in connection.execute(query).partitions():
            yield written(_COLUMNS, (tuple(_plain(getattr(row, name)) for name in _COLUMNS) for row in part), form)


def _plain(value: Any) -> Any:
    return value.isoformat() if isinstance(value, datetime) else str(value) if isinstance(value, UUID) else value


def period(session: Session, search: Search) -> tuple[datetime, datetime]:
    """Return the time that is looked at: what is asked for, or the last day in which anything ran."""
    until, since = search.until, search.since
    if until is None:
        last = session.scalars(select(func.max(Run.started_at))).one()
        now = datetime.now(UTC)
        until = now if last is None or last > now - timedelta(days=1) or since is not None else last
        until = max(until, since or until)
    if since is None:
        since = until - timedelta(days=1)
    if since > until:
        raise Invalid("since: this is after “until”")
    return since, until


def found_by(search: Search, since: datetime, until: datetime) -> list[ColumnElement[bool]]:
    """Return the conditions of a search. Raises Invalid."""
    try:
        wanted = read_search(search.typed)
    except BadSearch as error:
        raise Invalid(f"q: {error}") from error
    conditions: list[ColumnElement[bool]] = [Run.started_at >= since, Run.started_at <= until]
    conditions += [Run.words.like(holding_with_gaps(word)) for word in wanted.words]
    if wanted.states:
        conditions.append(Run.state.in_(wanted.states))
    conditions += _measured(wanted)
    for name, values in wanted.named.items():
        conditions += [_named(name, value) for value in values]
    for name, values in search.chosen.items():
        conditions.append(_chosen(name, values))
    if search.job is not None:
        conditions.append(Run.job_id == search.job)
    if search.dataset is not None:
        conditions.append(_touching(None, DatasetName.dataset_id == search.dataset))
    return conditions


def _measured(wanted: Wanted) -> list[ColumnElement[bool]]:
    found: list[ColumnElement[bool]] = []
    # What is still running has taken as long as it has until now.
    took = func.coalesce(
        Run.took, case((Run.state == "running", func.extract("epoch", func.now() - Run.started_at)))
    )
    if wanted.longer is not None:
        found.append(took >= wanted.longer)
    if wanted.shorter is not None:
        found.append(took <= wanted.shorter)
    if wanted.rows is not None:
        found.append(Run.rows >= wanted.rows)
    return found


def _named(name: str, value: str) -> ColumnElement[bool]:
    pattern = holding_with_gaps(value)
    if name == "job":
        jobs = select(Job.id).where(func.lower(Job.name).like(pattern))
        return or_(Run.job_id.in_(jobs), Run.parent_job_id.in_(jobs))
    if name == "who":
        return func.lower(Run.who).like(pattern)
    if name == "run":
        return cast(Run.run_id, String).like(pattern)
    if name == "type":
        return exists().where(EventRow.run == Run.run_id, func.lower(EventRow.type).like(pattern))
    if name == "column":
        columns = select(Field.dataset_id).where(func.lower(Field.name).like(pattern))
        return _touching(None, DatasetName.dataset_id.in_(columns))
    side = {"read": "in", "wrote": "out"}.get(name)
    return _touching(side, func.lower(DatasetName.name).like(pattern))


def _touching(side: str | None, which: ColumnElement[bool]) -> ColumnElement[bool]:
    query = select(RunDataset.run).join(DatasetName, DatasetName.id == RunDataset.name_id).where(which)
    return Run.id.in_(query if side is None else query.where(RunDataset.side == side))


def _chosen(name: str, values: Sequence[str]) -> ColumnElement[bool]:
    if name == "state":
        return Run.state.in_(values)
    if name == "who":
        return Run.who.in_(["" if value == _NOBODY else value for value in values])
    if name == "pipeline":
        ids = [int(value) for value in values if value.isdecimal() and len(value) < 10]
        return Run.root_job_id.in_(ids)
    if name == "wrote":
        containers = [int(value) for value in values if value.isdecimal() and len(value) < 10]
        datasets = select(Dataset.id).where(Dataset.container_id.in_(containers))
        return _touching("out", DatasetName.dataset_id.in_(datasets))
    raise Invalid(f"there is no facet “{name[:40]}”; there are state, pipeline, who, wrote")


# --- rows ------------------------------------------------------------------------------------------------


def rows_query() -> Select[*tuple[Any, ...]]:
    """What a row of the ledger is made of."""
    return (
        select(
            Run.id,
            Run.run_id,
            Run.job_id,
            Job.namespace,
            Job.name,
            Run.parent,
            Run.parent_job_id,
            _parent_job.namespace.label("parent_namespace"),
            _parent_job.name.label("parent_name"),
            Run.state,
            Run.started_at,
            Run.ended_at,
            Run.took,
            Run.rows,
            Run.bytes,
            Run.message,
            Run.who,
            Run.version,
            Run.code,
            Run.events,
        )
        .join(Job, Job.id == Run.job_id)
        .outerjoin(_parent_job, _parent_job.id == Run.parent_job_id)
    )


def as_rows(session: Session, found: Sequence[Any]) -> list[RunRow]:
    """Return rows with what is usual for each, and its version. Cost: the last runs of their jobs."""
    jobs = {row.job_id for row in found}
    history = _history(session, {(row.job_id, row.parent_job_id) for row in found})
    versions = versions_of(session, jobs)
    rows = []
    for row in found:
        # What is usual is told by the other runs that were called by the same.
        others = [one for one in history.get((row.job_id, row.parent_job_id), []) if one.id != row.id]
        tooks = [(one.started_at, one.took) for one in others if one.took is not None]
        counts = [(one.started_at, one.rows) for one in others if one.rows is not None]
        version = versions.get((row.job_id, row.version))
        parent_job = (
            None
            if row.parent_job_id is None
            else JobBrief(id=row.parent_job_id, namespace=row.parent_namespace, name=row.parent_name)
        )
        rows.append(
            RunRow(
                run=row.run_id,
                job=JobBrief(id=row.job_id, namespace=row.namespace, name=row.name),
                parent=row.parent,
                parent_job=parent_job,
                state=row.state,
                started_at=row.started_at,
                ended_at=row.ended_at,
                took=row.took,
                usual_took=judged(alike(tooks, row.started_at), row.took),
                rows=row.rows,
                usual_rows=judged(alike(counts, row.started_at), row.rows),
                bytes=row.bytes,
                message=row.message[:500],
                who=row.who,
                version=version.number if version else None,
                is_new=version is not None and version.number > 1 and version.first_at == row.started_at,
                events=row.events,
            )
        )
    return rows


def judged(numbers: Sequence[float], value: float | None) -> UsualFact | None:
    """Return what is usual among numbers, and whether a value is."""
    found = usual(numbers)
    if found is None:
        return None
    verdict = "" if value is None else found.judge(value)
    return UsualFact(low=found.low, middle=found.middle, high=found.high, runs=found.runs, verdict=verdict)


def _history(session: Session, called: set[tuple[int, int | None]]) -> dict[tuple[int, int | None], list[Any]]:
    """The last good runs of jobs, by job and by the job that called it: id, began, how long each took, rows."""
    if not called:
        return {}
    listed = sorted(called, key=lambda pair: (pair[0], pair[1] or 0))
    wanted = select(
        func.unnest(array([job for job, _ in listed])).label("job"),
        func.unnest(array([caller or 0 for _, caller in listed])).label("caller"),
    ).subquery("wanted")
    last = (
        select(Run.id, Run.started_at, Run.took, Run.rows)
        .where(
            Run.job_id == wanted.c.job,
            func.coalesce(Run.parent_job_id, 0) == wanted.c.caller,
            Run.state == "done",
        )
        .order_by(Run.started_at.desc())
        .limit(USUAL_OF)
        .lateral("last")
    )
    query = select(wanted.c.job, wanted.c.caller, last).join(last, true())
    found: dict[tuple[int, int | None], list[Any]] = {}
    for row in session.execute(query):
        found.setdefault((row.job, row.caller or None), []).append(row)
    return found


# --- counts ----------------------------------------------------------------------------------------------


@dataclass(slots=True)
class _Counts:
    """Counts of all that is found. events: of the runs found. facets: of the latest of them."""

    total: int = 0
    events: int = 0
    buckets: list[Bucket] = field(default_factory=list)
    facets: dict[str, list[RunFacet]] = field(default_factory=dict)


def _counted(
    session: Session, conditions: Sequence[ColumnElement[bool]], since: datetime, until: datetime
) -> _Counts:
    found = _Counts(buckets=_buckets(since, until))
    width = max((until - since) / _BUCKETS, timedelta(milliseconds=1))
    place = func.date_bin(width, Run.started_at, since)
    states: Counter[str] = Counter()
    query = select(place, Run.state, func.count(), func.sum(Run.events)).where(*conditions)
    for at, state, count, events in session.execute(query.group_by(place, Run.state)):
        bucket = found.buckets[min((at - since) // width, _BUCKETS - 1)]
        name = state if state in ("done", "failed", "running") else "other"
        setattr(bucket, name, getattr(bucket, name) + count)
        states[state] += count
        found.events += int(events)
    found.total = states.total()
    found.facets = _facets(session, conditions)
    found.facets["state"] = [RunFacet(value=one, label=one, count=n) for one, n in states.most_common()]
    return found


def _buckets(since: datetime, until: datetime) -> list[Bucket]:
    width = (until - since) / _BUCKETS
    return [Bucket(at=since + n * width, done=0, failed=0, running=0, other=0) for n in range(_BUCKETS)]


def _facets(session: Session, conditions: Sequence[ColumnElement[bool]]) -> dict[str, list[RunFacet]]:
    hit = (
        select(Run.id, Run.root_job_id, Run.who)
        .where(*conditions)
        .order_by(Run.started_at.desc(), Run.id.desc())
        .limit(_FACETS_OF)
        .cte("hit")
    )
    queries = [
        select(literal("who"), hit.c.who, hit.c.who, func.count()).group_by(hit.c.who),
        select(literal("pipeline"), cast(Job.id, String), Job.name, func.count())
        .select_from(hit)
        .join(Job, Job.id == hit.c.root_job_id)
        .group_by(Job.id),
        select(literal("wrote"), cast(Container.id, String), Container.path, func.count(func.distinct(hit.c.id)))
        .select_from(hit)
        .join(RunDataset, and_(RunDataset.run == hit.c.id, RunDataset.side == "out"))
        .join(DatasetName, DatasetName.id == RunDataset.name_id)
        .join(Dataset, Dataset.id == DatasetName.dataset_id)
        .join(Container, Container.id == Dataset.container_id)
        .group_by(Container.id, Container.path),
    ]
    found: dict[str, list[RunFacet]] = {"state": [], "pipeline": [], "who": [], "wrote": []}
    for facet, value, label, count in session.execute(queries[0].union_all(*queries[1:])):
        if facet == "who":
            value = label = value or _NOBODY
        found[facet].append(RunFacet(value=value, label=label, count=count))
    for values in found.values():
        values.sort(key=lambda one: (-one.count, one.label))
        del values[_FACET_VALUES:]
    return found


def _position(cursor: str) -> Any:
    try:
        at, id_ = unpack(cursor)
        return tuple_(literal(datetime.fromisoformat(at)), literal(int(id_)))
    except (ValueError, TypeError) as error:
        raise BadCursor(f"“{cursor[:80]}” is no cursor of runs; leave it out for the first page") from error
