"""Ingests sources in processes of their own: when somebody asks, and when their time has come.

An ingestion is a process, so that it cannot slow down or take down the server, and so that it can be stopped by
its log alone. Several servers over one store are fine: the store says who starts an ingestion.
"""

import os
import subprocess
import sys
import tempfile
import threading
from contextlib import suppress
from datetime import UTC, datetime
from typing import IO

import structlog
from sqlalchemy import Engine, select, text
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session

from jalan.service.context import Context
from jalan.service.errors import Conflict
from jalan.service.ingest.log import ENDED, announce, bury_dead, ended
from jalan.service.ingest.overview import next_time
from jalan.service.ingest.sources import get
from jalan.store.schema import Ingestion, Source

_LOCK = 7_201_313
_LOOK_EVERY = 20.0  # seconds
_LAST_WORDS = 2_000  # bytes
log = structlog.get_logger("jalan.schedule")


def start(context: Context, source_id: int) -> int:
    """Start an ingestion in a process of its own; returns its id. Raises NotFound, and Conflict where one is at
    work."""
    engine, who = context.engine, context.who
    with Session(engine) as session:
        bury_dead(session)
        source = get(session, source_id)
        query = select(Ingestion.id).where(Ingestion.source_id == source_id, Ingestion.state == "running")
        if session.scalars(query).first() is not None:
            raise Conflict(f"“{source.name}” is being ingested already; stop that ingestion, or wait for it")
        name, kind = source.name, source.kind
    ingestion_id = announce(engine, kind, name, source_id=source_id, who=who)
    address = engine.url.render_as_string(hide_password=False)
    words = tempfile.TemporaryFile()  # noqa: SIM115  (closed by the thread that waits)
    # The address has a password, so it goes by the environment, which other users cannot see.
    try:
        process = subprocess.Popen(
            [
                sys.executable,
                "-m",
                "jalan.service.ingest.worker",
                str(source_id),
                str(ingestion_id),
                who,
            ],
            env={**os.environ, "JALAN_STORE": address},
            stdin=subprocess.DEVNULL,
            stdout=subprocess.DEVNULL,
            stderr=words,
            start_new_session=True,
        )
    except OSError as error:
        words.close()
        ended(engine, ingestion_id, f"no process could be started for it ({error.strerror})")
        raise Conflict(f"no process could be started for “{name}”: {error.strerror}") from error
    threading.Thread(target=_wait, args=(engine, ingestion_id, process, words), daemon=True).start()
    return ingestion_id


def _wait(engine: Engine, ingestion_id: int, process: subprocess.Popen[bytes], words: IO[bytes]) -> None:
    """Wait for the end of an ingestion's process; of one that did not write its own end, keep the last words."""
    with words:
        code = process.wait()
        words.seek(max(0, words.seek(0, os.SEEK_END) - _LAST_WORDS))
        said = words.read().decode(errors="replace").replace("\0", "").strip()
    how = f"by signal {-code}" if code < 0 else f"with exit code {code}"
    log.info("ingestion's process ended", ingestion=ingestion_id, code=code)
    with suppress(SQLAlchemyError):  # a store that is gone tells of it itself, once it is back
        ended(engine, ingestion_id, f"{ENDED} (it ended {how}){f': {said}' if said else ''}")


class Scheduler:
    """Starts sources when they are due. ``close`` ends it."""

    def __init__(self, engine: Engine) -> None:
        self._engine = engine
        self._end = threading.Event()
        self._thread = threading.Thread(target=self._work, daemon=True)

    def open(self) -> None:
        """Begin to look."""
        self._thread.start()

    def close(self) -> None:
        """End."""
        self._end.set()

    def _work(self) -> None:
        while not self._end.wait(_LOOK_EVERY):
            # A store that does not answer now may do so the next time.
            try:
                self.look(datetime.now(UTC))
            except Exception as error:
                log.error("schedule not looked at", reason=type(error).__name__)

    def look(self, now: datetime) -> list[int]:
        """Start what has become due since the last look; returns the ingestions."""
        started = []
        with Session(self._engine) as session, session.begin():
            if not session.execute(text("select pg_try_advisory_xact_lock(:lock)"), {"lock": _LOCK}).scalar():
                return []
            due = select(Source).where(Source.schedule.is_not(None), Source.removed_at.is_(None))
            for source in session.scalars(due):
                # Whatever is wrong with one source, the others have their time.
                try:
                    if self._is_due(session, source, now):
                        started.append(start(Context(self._engine, "schedule"), source.id))
                except Conflict:
                    continue  # it still works on the last one
                except Exception:
                    log.exception("source not started", source=source.id, name=source.name)
        return started

    def _is_due(self, session: Session, source: Source, now: datetime) -> bool:
        """Whether a time of the schedule has passed since the last ingestion began, or since the source was
        added."""
        query = select(Ingestion.started_at).where(Ingestion.source_id == source.id)
        last = session.scalars(query.order_by(Ingestion.id.desc()).limit(1)).first()
        due = next_time(source.schedule, max(last, source.created_at) if last is not None else source.created_at)
        return due is not None and due <= now
