"""The ledger of runs: counted, page by page, or all of it as a stream."""

from collections import Counter
from collections.abc import Iterator, Sequence
from datetime import datetime, timedelta
from typing import Any
from uuid import UUID

from sqlalchemy import (
    ColumnElement,
    Select,
    String,
    and_,
    cast,
    func,
    literal,
    select,
    tuple_,
)
from sqlalchemy.orm import Session

from jalan.service.context import Context
from jalan.service.cursors import pack, unpack
from jalan.service.runs.answers import Bucket, RunCounts, RunFacet, RunsPage
from jalan.service.runs.rows import as_rows, rows_query
from jalan.service.runs.searching import NOBODY, Search, found_by, period
from jalan.service.streams import StreamForm, header, written
from jalan.store.schema import Container, Dataset, DatasetName, Job, Run, RunDataset

_BUCKETS = 120
_CHUNK = 1_000  # rows of a stream
_COLUMNS = (
    "run_id", "namespace", "name", "state", "started_at", "ended_at", "took", "rows", "bytes", "who", "message",
    "parent", "parent_name", "version", "events",
)  # fmt: skip
_FACET_VALUES = 12
_FACETS_OF = 4_000  # the latest runs, of which facets are counted


def runs(context: Context, search: Search, limit: int, cursor: str | None, counted: bool = True) -> RunsPage:
    """Find runs. Raises Invalid, BadCursor. counted: the first page comes with counts of all that are found.

    Cost: the runs of a page; with counts, those of the time that is looked at.
    """
    session = context.session
    since, until = period(session, search)
    conditions = found_by(context, search, since, until)
    query = rows_query().where(*conditions).order_by(Run.started_at.desc(), Run.id.desc())
    if cursor is not None:
        query = query.where(
            tuple_(Run.started_at, Run.id)
            < tuple_(*map(literal, unpack(cursor, "runs", datetime.fromisoformat, int)))
        )
    found = session.execute(query.limit(limit + 1)).all()
    page = found[:limit]
    if counted and cursor is None:
        counts = _counted(session, conditions, since, until)
    else:  # what follows a page is counted already
        counts = _not_counted(since, until)
    return RunsPage(
        items=as_rows(session, page),
        next=pack([page[-1].started_at.isoformat(), page[-1].id]) if len(found) > limit else None,
        **dict(counts),
    )


def run_counts(context: Context, search: Search) -> RunCounts:
    """Count the runs that are found. Raises Invalid. Cost: the runs of the time that is looked at."""
    session = context.session
    since, until = period(session, search)
    return _counted(session, found_by(context, search, since, until), since, until)


def every_run(context: Context, search: Search, form: StreamForm) -> Iterator[bytes]:
    """Return all runs that are found, the latest first, in pieces. Raises Invalid."""
    session = context.session
    since, until = period(session, search)
    query = (
        rows_query().where(*found_by(context, search, since, until)).order_by(Run.started_at.desc(), Run.id.desc())
    )
    return _all(context, query, form)


def _all(context: Context, query: Select[*tuple[Any, ...]], form: StreamForm) -> Iterator[bytes]:
    yield header(_COLUMNS, form)
    # A connection of its own, for as long as somebody reads.
    with context.engine.connect().execution_options(stream_results=True, yield_per=_CHUNK) as connection:
        for part in connection.execute(query).partitions():
            yield written(_COLUMNS, (tuple(_plain(getattr(row, name)) for name in _COLUMNS) for row in part), form)


def _plain(value: Any) -> Any:
    return value.isoformat() if isinstance(value, datetime) else str(value) if isinstance(value, UUID) else value


# --- counts ----------------------------------------------------------------------------------------------


def _counted(
    session: Session, conditions: Sequence[ColumnElement[bool]], since: datetime, until: datetime
) -> RunCounts:
    buckets = _buckets(since, until)
    width = max((until - since) / _BUCKETS, timedelta(milliseconds=1))
    place = func.date_bin(width, Run.started_at, since)
    states: Counter[str] = Counter()
    told = 0
    query = select(place, Run.state, func.count(), func.sum(Run.events)).where(*conditions)
    for at, state, count, events in session.execute(query.group_by(place, Run.state)):
        bucket = buckets[min((at - since) // width, _BUCKETS - 1)]
        name = state if state in ("done", "failed", "running") else "other"
        setattr(bucket, name, getattr(bucket, name) + count)
        states[state] += count
        told += int(events)
    facets = _facets(session, [*conditions, Run.started_at >= _latest(buckets, since)])
    facets["state"] = [RunFacet(value=one, label=one, count=n) for one, n in states.most_common()]
    return RunCounts(
        total=states.total(),
        events=told,
        since=since,
        until=until,
        facets=facets,
        facets_of=min(states.total(), _FACETS_OF),
        buckets=buckets,
    )


def _not_counted(since: datetime, until: datetime) -> RunCounts:
    return RunCounts(total=0, events=0, since=since, until=until, facets={}, facets_of=0, buckets=[])


def _buckets(since: datetime, until: datetime) -> list[Bucket]:
    width = (until - since) / _BUCKETS
    return [Bucket(at=since + n * width, done=0, failed=0, running=0, other=0) for n in range(_BUCKETS)]


def _latest(buckets: Sequence[Bucket], since: datetime) -> datetime:
    """Return a time since which there are as many runs as facets are counted of, or the beginning."""
    left = _FACETS_OF
    for bucket in reversed(buckets):
        left -= bucket.done + bucket.failed + bucket.running + bucket.other
        if left <= 0:
            return bucket.at
    return since


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
            value = label = value or NOBODY
        found[facet].append(RunFacet(value=value, label=label, count=count))
    for values in found.values():
        values.sort(key=lambda one: (-one.count, one.label))
        del values[_FACET_VALUES:]
    return found
