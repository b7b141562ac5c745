"""Events as they were received: found by what they say and by the runs that they are of."""

from collections.abc import Sequence
from datetime import datetime

from sqlalchemy import ColumnElement, and_, exists, func, or_, select, tuple_
from sqlalchemy.orm import Session

from jalan.runs.search import Wanted
from jalan.service.context import Context
from jalan.service.cursors import pack, unpack
from jalan.service.errors import NotFound
from jalan.service.runs.answers import EventFact, EventsPage, EventText
from jalan.service.runs.searching import Search, meant, period, typed
from jalan.store.patterns import holding_with_gaps
from jalan.store.schema import EventRefused, EventRow, Run

_NAMES = {"job", "dataset"}  # what can be said of an event by its own name


def received_events(context: Context, search: Search, limit: int, cursor: str | None) -> EventsPage:
    """Return the events of a time that are found, the latest first. Raises Invalid, BadCursor.

    What is looked for holds of an event, or of the run that it is of; the time is that of the events.
    """
    since, until = period(context.session, search)
    return events_page(
        context.session,
        [EventRow.at >= since, EventRow.at <= until, *_found_by(context, search)],
        limit,
        cursor,
    )


def _found_by(context: Context, search: Search) -> list[ColumnElement[bool]]:
    wanted = typed(search)
    types, larger = wanted.named.pop("type", []), wanted.larger
    wanted.larger = None
    own: list[ColumnElement[bool]] = [func.lower(EventRow.type).like(holding_with_gaps(one)) for one in types]
    if larger is not None:
        own.append(func.octet_length(EventRow.raw) >= larger)
    of_run = meant(context, search, wanted)
    if of_run:
        found = exists().where(Run.run_id == EventRow.run, *of_run)
        names = _names(search, wanted)
        own.append(found if names is None else or_(found, and_(EventRow.run.is_(None), *names)))
    return own


def _names(search: Search, wanted: Wanted) -> list[ColumnElement[bool]] | None:
    """What holds of the name in an event that is of no run; none where only a run can have what is looked for."""
    only = Wanted(words=wanted.words, named={name: wanted.named[name] for name in _NAMES & wanted.named.keys()})
    if only != wanted or search.chosen or search.job is not None or search.dataset is not None:
        return None
    looked_for = [*wanted.words, *(value for values in only.named.values() for value in values)]
    name = func.lower(EventRow.namespace + " " + EventRow.name)
    return [name.like(holding_with_gaps(word)) for word in looked_for]


def events_page(
    session: Session, conditions: Sequence[ColumnElement[bool]], limit: int, cursor: str | None
) -> EventsPage:
    """Return a page of events. Raises BadCursor."""
    columns = (
        EventRow.at, EventRow.digest, EventRow.received_at, EventRow.type, EventRow.run, EventRow.namespace,
        EventRow.name, func.octet_length(EventRow.raw).label("size"),
    )  # fmt: skip
    query = select(*columns).where(*conditions).order_by(EventRow.at.desc(), EventRow.digest.desc())
    if cursor is not None:
        query = query.where(tuple_(EventRow.at, EventRow.digest) < _position(cursor, "events"))
    rows = session.execute(query.limit(limit + 1)).all()
    page = rows[:limit]
    refused = {
        (row.at, row.digest): row.why
        for row in session.scalars(
            select(EventRefused).where(
                tuple_(EventRefused.at, EventRefused.digest).in_([(row.at, row.digest) for row in page])
            )
        )
    }
    return EventsPage(
        items=[
            EventFact(
                event=_id(row.at, row.digest),
                at=row.at,
                received_at=row.received_at,
                type=row.type,
                namespace=row.namespace,
                name=row.name,
                run=row.run,
                size=row.size,
                refused=refused.get((row.at, row.digest)),
            )
            for row in page
        ],
        next=_id(page[-1].at, page[-1].digest) if len(rows) > limit else None,
    )


def event_text(context: Context, event: str) -> EventText:
    """Return an event as it was received. Raises NotFound, BadCursor."""
    at, digest = _position(event, "events")
    query = select(EventRow.raw).where(EventRow.at == at, EventRow.digest == digest)
    raw = context.session.scalars(query).first()
    if raw is None:
        raise NotFound("there is no such event; it may be older than events are kept")
    return EventText(event=event, raw=raw)


def _id(at: datetime, digest: bytes) -> str:
    return pack([at.isoformat(), digest.hex()])


def _position(packed: str, of: str) -> tuple[datetime, bytes]:
    at, digest = unpack(packed, of, datetime.fromisoformat, bytes.fromhex)
    return at, digest
