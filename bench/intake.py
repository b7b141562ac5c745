"""How fast events are received: beside an endpoint that reads and checks them and keeps nothing, and beside one
that commits each by itself.

    .venv/bin/python bench/intake.py [--seconds 8] [--connections 32]

Events of 3 kB over HTTP on loopback, one process that receives, PostgreSQL with its usual care for what is
committed. Then 300 a second for a while: how long an answer takes, and whether all are there.
"""

import argparse
import asyncio
import json
import logging
import multiprocessing
import os
import socket
import time
import uuid
from datetime import UTC, datetime, timedelta
from typing import Any

import numpy as np
import psycopg
import uvicorn
from fastapi import FastAPI, Request, Response

from jalan.runs.events import read_event, read_json
from jalan.service.logs import configure
from jalan.store.database import open_store
from jalan.web.app import create_app
from stores import bench_cluster, empty_store

_TURNS = 5
_BEGUN = datetime(2026, 11, 1, tzinfo=UTC)


def body(number: int) -> bytes:
    """An event of about 3 kB."""
    columns = {f"c{n}": {"inputFields": [{"namespace": "postgres://islands:5432", "name": "strait.tidy.tickets",
               "field": f"c{n}"}]} for n in range(14)}  # fmt: skip
    event = {
        "eventType": "COMPLETE",
        "eventTime": (_BEGUN + timedelta(seconds=number)).isoformat(),
        "producer": "https://ferry.example/runner",
        "schemaURL": "https://openlineage.io/spec/2-0-2/OpenLineage.json#/$defs/RunEvent",
        "run": {
            "runId": str(uuid.uuid4()),
            "facets": {"nominalTime": {"nominalStartTime": "2026-11-01T02:00:00Z"}},
        },
        "job": {
            "namespace": "ferry",
            "name": f"nightly.step{number % 40}",
            "facets": {"sql": {"query": "insert into core.fares select * from tidy.tickets " + "-- tides " * 60}},
        },
        "inputs": [{"namespace": "postgres://islands:5432", "name": "strait.tidy.tickets", "facets": {}}],
        "outputs": [
            {
                "namespace": "postgres://islands:5432",
                "name": "strait.core.fares",
                "facets": {"columnLineage": {"fields": columns}},
                "outputFacets": {"outputStatistics": {"rowCount": number}},
            }
        ],
    }
    return json.dumps(event).encode()


def empty() -> FastAPI:
    """An application that reads and checks events, and keeps nothing."""
    app = FastAPI()

    @app.post("/api/v1/lineage", status_code=201, response_class=Response)
    async def receive(request: Request) -> Response:
        read_event(read_json(await request.body()))
        return Response(status_code=201)

    return app


def single(store: str) -> FastAPI:
    """An application that commits each event by itself, one after the other."""
    app, taking = FastAPI(), asyncio.Lock()
    held: list[psycopg.AsyncConnection] = []

    @app.post("/api/v1/lineage", status_code=201, response_class=Response)
    async def receive(request: Request) -> Response:
        raw = await request.body()
        read_event(read_json(raw))
        async with taking:
            if not held:
                address = store.replace("+psycopg", "")
                held.append(await psycopg.AsyncConnection.connect(address, autocommit=True))
                await held[0].execute("create table if not exists single (raw text)")
            await held[0].execute("insert into single values (%s)", (raw.decode(),))
        return Response(status_code=201)

    return app


def _serve(which: str, store: str, listener: socket.socket) -> None:
    configure(logging.WARNING)
    app = {"empty": empty, "single": lambda: single(store), "jalan": lambda: create_app(open_store(store))}[which]()
    uvicorn.Server(uvicorn.Config(app, log_level="critical", access_log=False)).run(sockets=[listener])


class Served:
    """An application in a process of its own."""

    def __init__(self, which: str, store: str) -> None:
        self._listener = socket.socket()
        self._listener.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        self._listener.bind(("127.0.0.1", 0))
        self.port = self._listener.getsockname()[1]
        self._process = multiprocessing.get_context("fork").Process(
            target=_serve, args=(which, store, self._listener)
        )

    def __enter__(self) -> int:
        self._process.start()
        for _ in range(200):
            try:
                socket.create_connection(("127.0.0.1", self.port), 0.2).close()
                break
            except OSError:
                time.sleep(0.05)
        time.sleep(1.0)
        return self.port

    def __exit__(self, *_: Any) -> None:
        self._process.terminate()
        self._process.join()
        self._listener.close()


async def _post(reader: asyncio.StreamReader, writer: asyncio.StreamWriter, payload: bytes) -> int:
    head = f"POST /api/v1/lineage HTTP/1.1\r\nHost: localhost\r\nContent-Length: {len(payload)}\r\n\r\n"
    writer.write(head.encode() + payload)
    status = await reader.readuntil(b"\r\n\r\n")
    return int(status[9:12])


async def _flood(port: int, bodies: list[bytes], connections: int, seconds: float) -> float:
    """Send as fast as answers come; returns events a second."""
    left = iter(bodies)
    end = time.perf_counter() + seconds
    done = 0

    async def one() -> None:
        nonlocal done
        reader, writer = await asyncio.open_connection("127.0.0.1", port)
        for payload in left:
            if time.perf_counter() > end:
                break
            assert await _post(reader, writer, payload) == 201
            done += 1
        writer.close()

    begun = time.perf_counter()
    await asyncio.gather(*(one() for _ in range(connections)))
    return done / (time.perf_counter() - begun)


async def _steady(port: int, bodies: list[bytes], rate: float) -> list[float]:
    """Send so many a second; returns how long each answer took, in milliseconds, from when it was due."""
    free: list[tuple[asyncio.StreamReader, asyncio.StreamWriter]] = []
    took: list[float] = []

    async def one(payload: bytes, due: float) -> None:
        while free and free[-1][0].at_eof():  # the server closes what nobody has used for a while
            free.pop()[1].close()
        reader, writer = free.pop() if free else await asyncio.open_connection("127.0.0.1", port)
        assert await _post(reader, writer, payload) == 201
        took.append((time.perf_counter() - due) * 1000)
        free.append((reader, writer))

    begun, tasks = time.perf_counter(), []
    for number, payload in enumerate(bodies):
        due = begun + number / rate
        if (wait := due - time.perf_counter()) > 0:
            await asyncio.sleep(wait)
        tasks.append(asyncio.create_task(one(payload, due)))
    await asyncio.gather(*tasks)
    for _, writer in free:
        writer.close()
    return took


def main() -> None:
    """Measure."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--seconds", type=float, default=15.0)
    parser.add_argument("--connections", type=int, default=32)
    given = parser.parse_args()
    bodies = [body(n) for n in range(int(4000 * given.seconds))]
    print(f"{os.cpu_count()} cores, {given.connections} connections, events of {len(bodies[0]):,} bytes")
    with bench_cluster(durable=True) as cluster, empty_store(cluster) as engine:
        url = engine.url.render_as_string(hide_password=False)
        engine.dispose()
        # They take turns, so that a machine which is slow for a while is slow for all of them.
        rates: dict[str, list[float]] = {"empty": [], "single": [], "jalan": []}
        for turn in range(_TURNS):
            part = bodies[turn::_TURNS]
            for which, found in rates.items():
                with Served(which, url) as port:
                    found.append(asyncio.run(_flood(port, part, given.connections, given.seconds / _TURNS)))
        reference, alone, received = (float(np.median(found)) for found in rates.values())
        steady = [body(1_000_000 + n) for n in range(int(300 * given.seconds))]
        with Served("jalan", url) as port:
            took = asyncio.run(_steady(port, steady, 300))
        with psycopg.connect(url.replace("+psycopg", "")) as connection:
            query = "select count(*) from event where at >= %s"
            row = connection.execute(query, (_BEGUN + timedelta(days=11),)).fetchone()
    print(f"read and checked, not kept   {reference:8,.0f} a second   1.00")
    print(f"a commit for each            {alone:8,.0f} a second   {alone / reference:.2f}")
    ratio = f"{received / reference:.2f}   of single commits {received / alone:.2f}"
    print(f"received                     {received:8,.0f} a second   {ratio}")
    p50, p99 = np.percentile(took, [50, 99])
    assert row is not None
    print(f"at 300 a second: p50 {p50:.1f} ms, p99 {p99:.1f} ms, sent {len(steady):,}, kept {row[0]:,}")


if __name__ == "__main__":
    main()
