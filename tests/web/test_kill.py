"""What was acknowledged is there, once, whatever dies under load: the server, or PostgreSQL."""

import os
import signal
import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from contextlib import suppress
from pathlib import Path

import httpx
import psycopg
import pytest

from jalan.demo.cluster import Cluster, free_port
from jalan.store.database import create_database, migrate, open_store
from tests.conftest import ROOT
from tests.events import dataset, digest, event


@pytest.fixture
def own(tmp_path: Path) -> Iterator[Cluster]:
    """A cluster of this test's own, which keeps what it commits."""
    cluster = Cluster(ROOT / ".jalan" / "test" / f"kill-{os.environ.get('PYTEST_XDIST_WORKER', 'main')}")
    cluster.start()
    with psycopg.connect(cluster.url("postgres").replace("+psycopg", ""), autocommit=True) as connection:
        connection.execute("drop database if exists jalan with (force)")
    create_database(cluster.url("jalan"))
    engine = open_store(cluster.url("jalan"))
    migrate(engine)
    engine.dispose()
    yield cluster
    cluster.stop()


class Server:
    """``jalan serve`` in a process of its own, always at the same port."""

    def __init__(self, store: str, frontend: Path) -> None:
        self.port = free_port()
        self._store, self._frontend = store, frontend
        self._process: subprocess.Popen[bytes] | None = None

    def start(self) -> None:
        command = [sys.executable, "-m", "jalan.cli.main", "serve", "--port", str(self.port)]
        self._process = subprocess.Popen(
            [*command, "--frontend", str(self._frontend)],
            env={**os.environ, "JALAN_STORE": self._store},
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
            start_new_session=True,
        )

    def kill(self, how: signal.Signals = signal.SIGKILL) -> None:
        assert self._process is not None
        self._process.send_signal(how)
        self._process.wait(30)


class Senders:
    """Who sends events until told to stop, and notes which were acknowledged."""

    def __init__(self, port: int) -> None:
        self._address = f"http://127.0.0.1:{port}/api/v1/lineage"
        self._end = threading.Event()
        self.taken: list[bytes] = []
        self._threads = [threading.Thread(target=self._send, args=(n,)) for n in range(6)]
        for thread in self._threads:
            thread.start()

    def _send(self, mine: int) -> None:
        number = mine * 1_000_000
        with httpx.Client(timeout=10) as client:
            while not self._end.is_set():
                number += 1
                body = event("COMPLETE", number, "tides", number / 1000, outputs=[dataset("strait.core.tides", 1)])
                # Like every good producer: again until it is taken.
                while not self._end.is_set():
                    with suppress(httpx.HTTPError):
                        if client.post(self._address, json=body).status_code == 201:
                            self.taken.append(digest(body))
                            break
                    time.sleep(0.02)

    def stop(self) -> list[bytes]:
        self._end.set()
        for thread in self._threads:
            thread.join()
        return self.taken


def waiting_for(count: int, senders: Senders) -> None:
    before, end = len(senders.taken), time.monotonic() + 40
    while len(senders.taken) < before + count:
        assert time.monotonic() < end, f"only {len(senders.taken) - before} events were taken"
        time.sleep(0.02)


def test_every_acknowledged_event_is_there_once(own: Cluster, tmp_path: Path) -> None:
    (tmp_path / "assets").mkdir()
    (tmp_path / "index.html").write_text("")
    server = Server(own.url("jalan"), tmp_path)
    server.start()
    senders = Senders(server.port)
    try:
        waiting_for(200, senders)
        server.kill()
        server.start()
        waiting_for(200, senders)
        own.stop()  # while it is being written to
        own.start()
        waiting_for(200, senders)  # the server has come back by itself
        server.kill()
        server.start()
        waiting_for(100, senders)
    finally:
        taken = senders.stop()
    assert len(taken) == len(set(taken))
    with psycopg.connect(own.url("jalan").replace("+psycopg", "")) as connection:
        kept = [row[0] for row in connection.execute("select digest from event").fetchall()]
        assert len(kept) == len(set(kept))
        assert set(taken) <= set(kept)
        # The worker has died with each server, and takes the rest in.
        end = time.monotonic() + 40
        while connection.execute("select count(*) from event_waiting").fetchone() != (0,):
            assert time.monotonic() < end
            connection.rollback()
            time.sleep(0.1)
        connection.rollback()
        assert connection.execute("select count(*), sum(events) from run").fetchone() == (len(kept), len(kept))
    server.kill(signal.SIGTERM)
