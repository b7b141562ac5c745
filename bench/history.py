"""How fast a query history is read: a million lines of PostgreSQL's JSON log with 5 000 different queries.

Beside it, in the same run, what has to be done in any case: parsing every line as JSON (orjson), alone; and reading
the different queries once. python bench/history.py [--lines N] [--queries N]
"""

import argparse
import os
import resource
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import numpy as np
import orjson
import psycopg
from sqlalchemy import Engine

from jalan.demo.cluster import Cluster
from jalan.service.intake import sources
from jalan.service.intake.registry import parse_config
from jalan.sources.history_files import HistoryFile, digest_file
from jalan.store.database import create_database, migrate, open_store
from jalan.usage.digest import Reading

ROOT = Path(__file__).resolve().parent.parent
_PEOPLE = [f"desk_{n}" for n in range(40)]
_TABLES = ("core.ticket_facts", "core.sailing_revenue", "mart.sailing_board", "landing.refunds", "tidy.tickets")
_COLUMNS = (
    "channel",
    "fare_paid",
    "sold_on",
    "sailing_id",
    "gross",
    "net",
    "vessel_name",
    "reason",
    "status",
    "port",
)


def write_log(path: Path, lines: int, queries: int) -> None:
    """Write a log in which every query comes again and again, each time with other constants."""
    random = np.random.default_rng(5)
    shapes = []
    for n in range(queries):
        one, two, three = (str(column) for column in random.choice(_COLUMNS, 3, replace=False))
        table, other = (str(name) for name in random.choice(_TABLES, 2, replace=False))
        shapes.append(
            f"select a.{one}, sum(a.{two}) as total_{n} from {table} a join {other} b on b.sailing_id = a.sailing_id "
            f"where a.{three} = '%s' and b.{one} between %d and %d group by a.{one} order by 2 desc limit %d"
        )
    picks = random.integers(0, queries, lines).tolist()
    numbers = random.integers(1, 10_000, lines).tolist()
    with path.open("wb") as out:
        block = []
        for at, (pick, number) in enumerate(zip(picks, numbers, strict=True)):
            text = shapes[pick] % (f"x{number}", number, number + 7, number % 100)
            line = {
                "timestamp": f"2026-11-{1 + at * 20 // lines:02d} {at % 24:02d}:{at % 60:02d}:00.123 UTC",
                "user": _PEOPLE[(pick * 7 + number % 3) % 40], "dbname": "strait", "pid": number, "remote_host": "127.0.0.1",
                "session_id": f"6561{number:04x}.{pick:04x}", "line_num": at % 1000, "ps": "SELECT",
                "session_start": "2026-11-01 00:00:00 UTC", "vxid": f"3/{at}", "txid": 0, "error_severity": "LOG",
                "message": f"duration: {number / 100:.3f} ms  statement: {text}",
                "application_name": f"tool {pick % 5}", "backend_type": "client backend", "query_id": pick,
            }  # fmt: skip
            block.append(orjson.dumps(line))
            if len(block) == 10_000:
                out.write(b"\n".join(block) + b"\n")
                block.clear()
        if block:
            out.write(b"\n".join(block) + b"\n")


def silent(what: str, done: int, total: int) -> None:
    """Take no notice."""


def main() -> None:
    """Print what it takes."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--lines", type=int, default=1_000_000)
    parser.add_argument("--queries", type=int, default=5_000)
    arguments = parser.parse_args()
    os.environ.setdefault("JALAN_SECRET_KEY_FILE", str(ROOT / ".jalan" / "bench" / "secret.key"))
    cluster = Cluster(ROOT / ".jalan" / "bench", durable=False)
    cluster.start()
    try:
        with tempfile.TemporaryDirectory(prefix="jalan-bench-") as directory:
            path = Path(directory) / "server.json"
            write_log(path, arguments.lines, arguments.queries)
            size = path.stat().st_size / 1e6
            print(f"{arguments.lines:,} lines, {arguments.queries:,} different queries, {size:,.0f} MB")
            _measure(cluster, path)
    finally:
        cluster.stop()


def _measure(cluster: Cluster, path: Path) -> None:
    start = time.perf_counter()
    with path.open("rb") as file:
        for line in file:
            orjson.loads(line)
    floor = time.perf_counter() - start
    print(f"{'orjson.loads of every line, one core':52} {floor:7.1f} s   1.00")
    for workers in (1, 2):
        start = time.perf_counter()
        digest_file(path, HistoryFile("jsonlog", None, Reading()), 0, silent, workers)
        took = time.perf_counter() - start
        print(f"{f'digest, {workers} process(es)':52} {took:7.1f} s   {took / floor:.2f}")
    peak = resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss / 1024
    print(f"{'memory of a reading process, at most':52} {peak:7.0f} MB")
    with empty_store(cluster) as engine:
        config = parse_config(
            {"kind": "history", "format": "jsonlog", "files": str(path), "server": "islands:5432"}
        )
        source = sources.ensure(engine, "log", config, "bench")
        for what in ("all of it into an empty store", "once more, nothing being new"):
            start = time.perf_counter()
            outcome = sources.run(engine, source, who="bench", config=config)
            took = time.perf_counter() - start
            print(f"{what:52} {took:7.1f} s   {took / floor:.2f}   {outcome.totals}")
    print(f"{'memory of the writing process, at most':52} "
          f"{resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024:7.0f} MB")  # fmt: skip


@contextmanager
def empty_store(cluster: Cluster) -> Iterator[Engine]:
    """Make an empty store."""
    url = cluster.url("jalan_bench")
    with psycopg.connect(cluster.url("postgres").replace("+psycopg", ""), autocommit=True) as connection:
        connection.execute("drop database if exists jalan_bench with (force)")
    create_database(url)
    engine = open_store(url)
    migrate(engine)
    yield engine
    engine.dispose()


if __name__ == "__main__":
    main()
