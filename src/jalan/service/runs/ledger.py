"""The ledger of runs: counted, page by page, or all of it as a stream."""

from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
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
from jalan.service.runs.answers import Bucket, RunFacet, RunsPage
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
_FACETS_OF = 10_000  # the latest runs, of which facets are counted


def runs(context: Context, search: Search, limit: int, cursor: str | None) -> RunsPage:
    """Find runs. Raises Invalid, BadCursor. Cost: the runs of the time that is looked at."""
    session = context.session
    since, until = period(session, search)
    conditions = found_by(search, since, until)
    query = rows_query().where(*conditions).order_by(Run.started_at.desc(), Run.id.desc())
    if cursor is not None:
        query = query.where(
            tuple_(Run.started_at, Run.id)
            < tuple_(*map(literal, unpack(cursor, "runs", datetime.fromisoformat, int)))
        )
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
            value = label = value or NOBODY
        found[facet].append(RunFacet(value=value, label=label, count=count))
    for values in found.values():
        values.sort(key=lambda one: (-one.count, one.label))
        del values[_FACET_VALUES:]
    return found
