"""What feeds Jalan: sources with their ingestions, how much was read, and what was not understood."""

from collections.abc import Sequence
from datetime import UTC, datetime
from typing import Any

from croniter import CroniterError, croniter
from pydantic import BaseModel
from sqlalchemy import ColumnElement, case, func, select
from sqlalchemy.dialects.postgresql import distinct_on
from sqlalchemy.orm import Session

from jalan.service.context import Context
from jalan.service.errors import NotFound
from jalan.service.ingest.configuration import shown_config
from jalan.service.ingest.coverage import Coverage
from jalan.service.ingest.log import bury_dead
from jalan.service.ingest.registry import KINDS
from jalan.service.ingest.sources import get, secret_states
from jalan.service.ingest.unit_of_work import coverage_of_sources
from jalan.sql.dialects import DIALECTS
from jalan.sql.fingerprint import redact
from jalan.store.schema import Definition, Diagnostic, Ingestion, Source, Statement

_RUNS_LISTED = 50
_LONGEST_TEXT = 4000
_UNREAD = (Definition.valid_to.is_(None), Diagnostic.valid_to.is_(None), Diagnostic.level != "info")


class CoverageFact(Coverage):
    """How much of the texts of a source was read; the shares are none where there are no texts."""

    full_share: float | None = None
    resolved_share: float | None = None

    @classmethod
    def of(cls, found: Coverage) -> "CoverageFact":
        """Return a coverage with its shares."""
        return cls(
            **found.model_dump(),
            full_share=found.full / found.statements if found.statements else None,
            resolved_share=found.resolved / found.columns if found.columns else None,
        )


class ProgressFact(BaseModel):
    """How far an ingestion is. total is 0 where nobody knows how much there is."""

    what: str
    done: int
    total: int


class NoteFact(BaseModel):
    """Something outside of SQL texts that was not understood."""

    level: str
    code: str
    message: str
    place: str


class IngestionFact(BaseModel):
    """One ingestion. duration in seconds; for one that is at work, until now."""

    id: int
    source: int | None
    subject: str
    kind: str
    state: str
    who: str
    started_at: datetime
    finished_at: datetime | None
    duration: float
    progress: ProgressFact | None
    stopping: bool
    found: dict[str, int]
    changed: dict[str, int]
    notes: list[NoteFact]
    message: str | None
    coverage: CoverageFact | None


class SourceFact(BaseModel):
    """A source.

    secrets: where each of them is, never what it is.
    unread: places that were not understood.
    """

    id: int
    name: str
    kind: str
    kind_title: str
    config: dict[str, Any]
    secrets: dict[str, str]
    schedule: str | None
    next_run: datetime | None
    created_at: datetime
    created_by: str
    last_ingestion: IngestionFact | None
    last_done: IngestionFact | None
    ongoing: IngestionFact | None
    coverage: CoverageFact
    unread: int


class UnreadFact(BaseModel):
    """A place that was not understood.

    text: the statement, without its constants;
    excerpt: the very place.
    """

    level: str
    code: str
    message: str
    hint: str
    place: str
    line: int
    column: int
    kind: str
    text: str
    excerpt: str


class UnreadPage(BaseModel):
    """Some of the places that were not understood, the worst first."""

    items: list[UnreadFact]
    total: int


def sources(context: Context) -> list[SourceFact]:
    """Return all sources."""
    session = context.session
    bury_dead(session)
    rows = session.scalars(select(Source).where(Source.removed_at.is_(None)).order_by(Source.id)).all()
    return _sources(session, rows)


def source(context: Context, source_id: int) -> SourceFact:
    """Return one source. Raises NotFound."""
    session = context.session
    bury_dead(session)
    return _sources(session, [get(session, source_id)])[0]


def _sources(session: Session, rows: Sequence[Source]) -> list[SourceFact]:
    """Everything is asked once for all of them."""
    ids = [row.id for row in rows]
    last_ingestion = _latest(session, ids, Ingestion.state != "running")
    last_done = _latest(session, ids, Ingestion.state == "done")
    ongoing_ = _latest(session, ids, Ingestion.state == "running")
    coverage = coverage_of_sources(session, ids)
    query = (
        select(Definition.source_id, func.count())
        .join(Diagnostic)
        .where(Definition.source_id.in_(ids), *_UNREAD)
        .group_by(Definition.source_id)
    )
    unread_counts: dict[int | None, int] = dict(session.execute(query).all())
    return [
        SourceFact(
            id=row.id,
            name=row.name,
            kind=row.kind,
            kind_title=KINDS[row.kind].title,
            config=shown_config(row.config),
            secrets=secret_states(row),
            schedule=row.schedule,
            next_run=next_time(row.schedule, datetime.now(UTC)),
            created_at=row.created_at,
            created_by=row.created_by,
            last_ingestion=last_ingestion.get(row.id),
            last_done=last_done.get(row.id),
            ongoing=ongoing_.get(row.id),
            coverage=CoverageFact.of(coverage.get(row.id, Coverage())),
            unread=unread_counts.get(row.id, 0),
        )
        for row in rows
    ]


def _latest(session: Session, ids: list[int], which: ColumnElement[bool]) -> dict[int | None, IngestionFact]:
    """The latest ingestion of each source among those of a state."""
    query = select(Ingestion).where(Ingestion.source_id.in_(ids), which).ext(distinct_on(Ingestion.source_id))
    found = session.scalars(query.order_by(Ingestion.source_id, Ingestion.id.desc()))
    return {row.source_id: _run(row) for row in found}


def next_time(schedule: str | None, after: datetime) -> datetime | None:
    """Return when a schedule is due next."""
    if schedule is None:
        return None
    try:
        found: datetime = croniter(schedule, after).get_next(datetime)
    except CroniterError:
        return None  # stored before such schedules were refused
    return found


def _run(row: Ingestion) -> IngestionFact:
    end = row.finished_at or datetime.now(UTC)
    return IngestionFact(
        id=row.id,
        source=row.source_id,
        subject=row.subject,
        kind=row.kind,
        state=row.state,
        who=row.who,
        started_at=row.started_at,
        finished_at=row.finished_at,
        duration=max(0.0, (end - row.started_at).total_seconds()),
        progress=ProgressFact(**row.progress) if row.progress else None,
        stopping=row.cancel,
        found=row.counts.get("found", {}),
        changed=row.counts.get("changed", {}),
        notes=[NoteFact(**note) for note in row.notes],
        message=row.message,
        coverage=CoverageFact.of(Coverage(**row.coverage)) if row.coverage else None,
    )


def ingestions(context: Context, source_id: int) -> list[IngestionFact]:
    """Return the last ingestions of a source, the latest first. Raises NotFound."""
    session = context.session
    get(session, source_id)
    bury_dead(session)
    query = select(Ingestion).where(Ingestion.source_id == source_id).order_by(Ingestion.id.desc())
    return [_run(row) for row in session.scalars(query.limit(_RUNS_LISTED))]


def ingestion(context: Context, ingestion_id: int) -> IngestionFact:
    """Return one ingestion. Raises NotFound."""
    session = context.session
    bury_dead(session)
    found = session.get(Ingestion, ingestion_id)
    if found is None:
        raise NotFound(f"there is no ingestion {ingestion_id}")
    return _run(found)


def ongoing(context: Context, source_id: int) -> list[int]:
    """Return the ids of the ingestions of a source that are at work."""
    session = context.session
    query = select(Ingestion.id).where(Ingestion.source_id == source_id, Ingestion.state == "running")
    return list(session.scalars(query))


def unread(context: Context, source_id: int, offset: int, limit: int) -> UnreadPage:
    """Return the places in a source's texts that were not understood, the worst first. Raises NotFound."""
    session = context.session
    get(session, source_id)
    valid = (Definition.source_id == source_id, *_UNREAD)
    total = session.scalars(select(func.count()).select_from(Diagnostic).join(Definition).where(*valid)).one()
    query = select(Diagnostic, Definition).join(Definition).where(*valid)
    worst = case((Diagnostic.level == "error", 0), else_=1)
    query = query.order_by(worst, Definition.place, Definition.id, Diagnostic.start).offset(offset).limit(limit)
    rows = session.execute(query).all()
    statements: dict[int, list[Statement]] = {}
    ids = {definition.id for _, definition in rows}
    for found in session.scalars(select(Statement).where(Statement.definition_id.in_(ids))):
        statements.setdefault(found.definition_id, []).append(found)
    return UnreadPage(items=[_unread(d, t, statements.get(t.id, [])) for d, t in rows], total=total)


def _unread(found: Diagnostic, definition: Definition, statements: list[Statement]) -> UnreadFact:
    text = definition.text
    start, end = found.start, found.end
    around = [s for s in statements if s.start <= start < s.end]
    if around:
        start, end = min(((s.start, s.end) for s in around), key=lambda span: span[1] - span[0])
    else:
        # Nothing of the statement was read: it is what lies between those that were.
        start = max((s.end for s in statements if s.end <= found.start), default=0)
        end = min((s.start for s in statements if s.start > found.start), default=len(text))
    line_start = text.rfind("\n", 0, found.start) + 1
    return UnreadFact(
        level=found.level,
        code=found.code,
        message=_redacted_message(found, definition),
        hint=found.hint,
        place=definition.place,
        line=definition.first_line + text.count("\n", 0, found.start),
        column=found.start - line_start + 1,
        kind=definition.kind,
        text=_without_literals(text[start:end], definition.dialect).lstrip("; \n")[:_LONGEST_TEXT],
        excerpt=" ".join(_without_literals(text[found.start : found.end], definition.dialect).split())[:200],
    )


def _without_literals(text: str, dialect: str) -> str:
    return redact(text, dialect) if dialect in DIALECTS else text


def _redacted_message(found: Diagnostic, definition: Definition) -> str:
    """A message may quote what it met; a constant among it is taken out too."""
    met = definition.text[found.start : found.end]
    bare = _without_literals(met, definition.dialect)
    return found.message.replace(met, bare) if met and met != bare else found.message
