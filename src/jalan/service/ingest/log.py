"""Ingestions: the log of everything that brings something in, with progress, and the way to stop it.

An ingestion holds an advisory lock for as long as its process lives, on a connection of its own that also writes
its
progress. So an ingestion whose process was killed is told from one that is at work, whichever machine it ran on.
"""

import re
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from datetime import UTC, datetime
from typing import Any

import orjson
import structlog
from sqlalchemy import Connection, Engine, select, text
from sqlalchemy.orm import Session

from jalan.service.context import Context
from jalan.sources.errors import FileError
from jalan.store.schema import Ingestion

LOCK = 7_201_311  # one writer at a time: any number will do that nothing else in the store uses
_ALIVE = 7_201_312
_EVERY = 0.25  # seconds between two looks at whether somebody asked for the end
_NOTES_KEPT = 1000
ENDED = "the process ended before the ingestion was done; nothing of it was kept, ingest it again"


_UNKEPT = re.compile("[\x00\ud800-\udfff]")
log = structlog.get_logger("jalan.ingest")


def _kept(words: str) -> str:
    """Words that may quote what was read, as the store can keep them."""
    return _UNKEPT.sub(lambda found: ascii(found[0])[1:-1], words)


class Cancelled(Exception):
    """Somebody asked for the end of the ingestion."""


@dataclass(frozen=True, slots=True)
class Note:
    """Something outside of SQL texts that was not understood. place: file and line, page, or row."""

    level: str
    code: str
    message: str
    place: str = ""


@dataclass(frozen=True, slots=True)
class Outcome:
    """What an ingestion did: counts by what changed (empty where all was known already), what it found, and what
    it could not read."""

    subject: str
    counts: dict[str, int]
    totals: dict[str, int]
    notes: list[Note] = field(default_factory=list)


class IngestionLog:
    """An ingestion under way. ``tell`` shows how far it is, and raises Cancelled once somebody asked for the
    end."""

    def __init__(self, engine: Engine, connection: Connection, id_: int, listener: Any = None) -> None:
        self.engine = engine
        self.id = id_
        self.notes: list[Note] = []
        self.dropped_notes = 0
        self._connection = connection
        self._listener = listener
        self._looked = 0.0

    def tell(self, what: str, done: int, total: int) -> None:
        """Say what is being done, how much of it is done, and how much there is (0 where that is not known)."""
        if self._listener is not None:
            self._listener(what, done, total)
        now = time.monotonic()
        if now - self._looked < _EVERY and done:
            return
        self._looked = now
        progress = orjson.dumps({"what": what, "done": done, "total": total}).decode()
        statement = text("update ingestion set progress = cast(:p as jsonb) where id = :id returning cancel")
        cancel = self._connection.execute(statement, {"p": progress, "id": self.id}).scalar()
        if cancel:
            raise Cancelled

    def note(self, level: str, code: str, message: str, place: str = "") -> None:
        """Keep something that was not understood; nothing is dropped in silence."""
        if len(self.notes) < _NOTES_KEPT:
            self.notes.append(Note(level, code, _kept(message), _kept(place)))
        else:
            self.dropped_notes += 1

    def note_file(self, code: str, error: FileError) -> None:
        """Keep what is wrong in a file, with its line."""
        self.note("error", code, error.message, f"{error.path}:{error.line}")

    def take_lock(self, session: Session) -> None:
        """Wait until no other ingestion writes. The lock ends with the transaction of the session."""
        while not session.execute(text("select pg_try_advisory_xact_lock(:lock)"), {"lock": LOCK}).scalar():
            self._looked = 0.0
            self.tell("waiting for another ingestion", 0, 0)
            time.sleep(_EVERY)

    def finish(self, session: Session, outcome: Outcome, coverage: dict[str, Any] | None) -> None:
        """Write into the log what the ingestion did, in the transaction that did it."""
        log = session.get_one(Ingestion, self.id)
        log.state = "done"
        log.finished_at = datetime.now(UTC)
        log.progress = None
        log.counts = {"changed": outcome.counts, "found": outcome.totals}
        log.notes = self._kept_notes()
        log.coverage = coverage

    def _kept_notes(self) -> list[dict[str, str]]:
        found = [{"level": n.level, "code": n.code, "message": n.message, "place": n.place} for n in self.notes]
        if self.dropped_notes:
            message = f"{self.dropped_notes} more of these are not listed"
            found.append({"level": "info", "code": "not_listed", "message": message, "place": ""})
        return found


@contextmanager
def logged(
    engine: Engine,
    kind: str,
    subject: str,
    *,
    source_id: int | None = None,
    who: str = "",
    ingestion_id: int | None = None,
    listener: Any = None,
) -> Iterator[IngestionLog]:
    """Keep the log of one ingestion. That it is done is written by ``IngestionLog.finish``, with what it did.

    ingestion_id: an ingestion that ``announce`` has put into the log already.
    listener: called as ``IngestionLog.tell`` is.
    """
    if ingestion_id is None:
        ingestion_id = announce(engine, kind, subject, source_id=source_id, who=who)
    with engine.connect().execution_options(isolation_level="AUTOCOMMIT") as connection:
        connection.execute(text("select pg_advisory_lock(:kind, :id)"), {"kind": _ALIVE, "id": ingestion_id})
        ingestion = IngestionLog(engine, connection, ingestion_id, listener)
        told = log.bind(ingestion=ingestion_id, kind=kind, source=subject, who=who)
        begun = time.monotonic()
        try:
            ingestion.tell("starting", 0, 0)
            yield ingestion
            told.info("ingestion done", seconds=round(time.monotonic() - begun, 3), notes=len(ingestion.notes))
        except BaseException as error:
            stopped = isinstance(error, Cancelled | KeyboardInterrupt)
            # What went wrong may quote what was read; it stands with the ingestion, not in the log.
            told.warning(
                "ingestion stopped" if stopped else "ingestion failed",
                seconds=round(time.monotonic() - begun, 3),
                reason=type(error).__name__,
            )
            _end(engine, ingestion, error)
            raise
        finally:
            connection.execute(text("select pg_advisory_unlock(:kind, :id)"), {"kind": _ALIVE, "id": ingestion_id})


def announce(engine: Engine, kind: str, subject: str, *, source_id: int | None, who: str) -> int:
    """Put an ingestion into the log before it begins; returns its id."""
    with Session(engine) as session, session.begin():
        row = Ingestion(
            kind=kind,
            subject=subject,
            source_id=source_id,
            who=who,
            state="running",
            started_at=datetime.now(UTC),
            counts={},
            notes=[],
        )
        session.add(row)
        session.flush()
        return row.id


def _end(engine: Engine, ingestion: IngestionLog, error: BaseException) -> None:
    with Session(engine) as session, session.begin():
        log = session.get_one(Ingestion, ingestion.id)
        stopped = isinstance(error, Cancelled | KeyboardInterrupt)
        log.state = "cancelled" if stopped else "failed"
        log.finished_at = datetime.now(UTC)
        log.progress = None
        log.message = "nothing of it was kept" if stopped else _kept(str(error)) or type(error).__name__
        log.notes = ingestion._kept_notes()


def ended(engine: Engine, ingestion_id: int, message: str) -> None:
    """Write into the log that an ingestion's process is gone, if the ingestion did not write its own end."""
    with Session(engine) as session, session.begin():
        row = session.get(Ingestion, ingestion_id, with_for_update=True)
        if row is not None and row.state == "running":
            row.state, row.message, row.progress = "failed", message, None
            row.finished_at = datetime.now(UTC)


def cancel(context: Context, ingestion_id: int) -> bool:
    """Ask for the end of an ingestion; returns whether it was running."""
    with Session(context.engine) as session, session.begin():
        row = session.get(Ingestion, ingestion_id)
        if row is None or row.state != "running":
            return False
        row.cancel = True
        return True


def bury_dead(session: Session, grace: float = 30.0) -> None:
    """Write into the log which ingestions ended without a word: their process holds no lock any more.

    grace: seconds that an ingestion which was announced has to begin.
    """
    rows = session.scalars(select(Ingestion).where(Ingestion.state == "running")).all()
    if not rows:
        return
    query = text(
        "select l.objid::bigint from pg_locks l join pg_database d on d.oid = l.database"
        " where l.locktype = 'advisory' and l.classid = :kind and l.granted and d.datname = current_database()"
    )
    alive = set(session.execute(query, {"kind": _ALIVE}).scalars())
    for row in rows:
        age = (datetime.now(UTC) - row.started_at).total_seconds()
        if row.id not in alive and (row.progress is not None or age > grace):
            row.state = "failed"
            row.finished_at = datetime.now(UTC)
            row.progress = None
            row.message = ENDED
    session.commit()


def bump(session: Session, kind: str, subject: str, who: str) -> None:
    """Log a change that a person made in one step, so that every reader of the store takes notice."""
    now = datetime.now(UTC)
    session.add(
        Ingestion(
            kind=kind,
            subject=subject,
            who=who,
            state="done",
            started_at=now,
            finished_at=now,
            counts={"changed": {}, "found": {}},
            notes=[],
        )
    )
