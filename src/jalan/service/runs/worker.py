"""Takes received events into runs and into the catalogue, in a process of its own.

    python -m jalan.service.runs.worker [LEVEL]

The store stands in the environment (``JALAN_STORE``). It works until its input ends, so it never outlives whoever
started it. Several may run over one store: one works, the others wait to take over.
"""

import logging
import os
import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from datetime import UTC, datetime

import psycopg
import structlog
from sqlalchemy import Engine
from sqlalchemy.exc import SQLAlchemyError

from jalan.service.context import Context
from jalan.service.logs import configure
from jalan.service.runs.apply import apply_waiting
from jalan.service.runs.received import tell_catalogue
from jalan.service.settings import Settings
from jalan.store.database import open_store, plain_address
from jalan.store.repositories import events

_LOCK = 7_201_314
_LOOK_EVERY = 5.0  # seconds, should a notice be missed
_UPKEEP_EVERY = 3_600.0
_AGAIN_AFTER = 1.0  # seconds after something went wrong
WHO = "events"
log = structlog.get_logger("jalan.runs")


def work_through(engine: Engine, stop: threading.Event | None = None) -> int:
    """Do all that waits; returns how many events there were."""
    end = stop or threading.Event()
    done = apply_waiting(engine, end.is_set)
    while not end.is_set() and tell_catalogue(Context(engine, WHO)):
        pass
    return done


class Worker:
    """Works until it is told to end, whatever the store does meanwhile."""

    def __init__(self, store: str, keep_days: int = 0) -> None:
        self._engine = open_store(store)
        self._address = plain_address(self._engine)
        self._keep_days = keep_days
        self._kept_up = 0.0
        self.end = threading.Event()

    def run(self) -> None:
        """Work until ``end`` is set."""
        while not self.end.is_set():
            try:
                with psycopg.connect(self._address, autocommit=True) as connection:
                    self._serve(connection)
            except (psycopg.Error, SQLAlchemyError) as error:
                # A store that is away comes back.
                log.warning("store not reached", reason=type(error).__name__)
            except Exception:
                log.exception("events not taken")
            self.end.wait(_AGAIN_AFTER)
        self._engine.dispose()

    def _serve(self, connection: psycopg.Connection) -> None:
        while not self.end.is_set():
            row = connection.execute("select pg_try_advisory_lock(%s)", (_LOCK,)).fetchone()
            if row is not None and row[0]:
                break
            self.end.wait(_LOOK_EVERY)
        connection.execute(f"listen {events.CHANNEL}")
        while not self.end.is_set():
            if time.monotonic() - self._kept_up > _UPKEEP_EVERY or not self._kept_up:
                with self._engine.begin() as store:
                    events.upkeep(store, datetime.now(UTC), self._keep_days)
                self._kept_up = time.monotonic()
            work_through(self._engine, self.end)
            for _ in connection.notifies(timeout=_LOOK_EVERY, stop_after=1):
                pass
            # Whatever has come together by now is taken together.
            for _ in connection.notifies(timeout=0.0):
                pass


@contextmanager
def beside(store: str, level: int = logging.INFO) -> Iterator[None]:
    """Let a worker run beside, begun again should it die, until the end of the block. level: the least it logs."""
    ended = threading.Event()
    running: list[subprocess.Popen[bytes]] = []

    def keep() -> None:
        while not ended.is_set():
            process = subprocess.Popen(
                [sys.executable, "-m", "jalan.service.runs.worker", str(level)],
                # The address has a password, so it goes by the environment, which other users cannot see.
                env={**os.environ, "JALAN_STORE": store},
                stdin=subprocess.PIPE,
                start_new_session=True,
            )
            running[:] = [process]
            code = process.wait()
            if not ended.is_set():
                log.warning("worker ended", code=code)
                ended.wait(_AGAIN_AFTER)

    thread = threading.Thread(target=keep, daemon=True)
    thread.start()
    try:
        yield
    finally:
        ended.set()
        for process in running:
            if process.stdin is not None:
                with suppress(OSError):
                    process.stdin.close()
            with suppress(subprocess.TimeoutExpired):
                process.wait(10)
            process.kill()
        thread.join(10)


def main() -> None:
    """Work until the input ends."""
    configure(int(sys.argv[1]) if len(sys.argv) > 1 else logging.INFO)
    settings = Settings()
    worker = Worker(settings.store, settings.keep_events_days)

    def watch() -> None:
        while sys.stdin.buffer.read(4096):
            pass
        worker.end.set()

    threading.Thread(target=watch, daemon=True).start()
    worker.run()


if __name__ == "__main__":
    main()
