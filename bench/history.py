"""How fast a query history is read: a million lines of PostgreSQL's JSON log with 5 000 different queries.

Beside it, in the same run, what has to be done in any case: parsing every line as JSON (orjson), alone; and reading
the different queries once. python bench/history.py [--lines N] [--queries N]
"""

import argparse
import resource
import tempfile
import time
from pathlib import Path

import numpy as np
import orjson

from jalan.demo.cluster import Cluster
from jalan.sources.history_files import HistoryFile, digest_file
from jalan.usage.digest import Reading
from stores import bench_cluster, bring_in_twice, empty_store, row

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
                "user": _PEOPLE[(pick * 7 + number % 3) % 40],
                "dbname": "strait",
                "pid": number,
                "remote_host": "127.0.0.1",
                "session_id": f"6561{number:04x}.{pick:04x}",
                "line_num": at % 1000,
                "ps": "SELECT",
                "session_start": "2026-11-01 00:00:00 UTC",
                "vxid": f"3/{at}",
                "txid": 0,
                "error_severity": "LOG",
                "message": f"duration: {number / 100:.3f} ms  statement: {text}",
                "application_name": f"tool {pick % 5}",
                "backend_type": "client backend",
                "query_id": pick,
            }
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
    with bench_cluster() as cluster, tempfile.TemporaryDirectory(prefix="jalan-bench-") as directory:
        path = Path(directory) / "server.json"
        write_log(path, arguments.lines, arguments.queries)
        size = path.stat().st_size / 1e6
        print(f"{arguments.lines:,} lines, {arguments.queries:,} different queries, {size:,.0f} MB")
        _measure(cluster, path)


def _measure(cluster: Cluster, path: Path) -> None:
    start = time.perf_counter()
    with path.open("rb") as file:
        for line in file:
            orjson.loads(line)
    floor = time.perf_counter() - start
    row("orjson.loads of every line, one core", floor, floor)
    for workers in (1, 2):
        start = time.perf_counter()
        digest_file(path, HistoryFile("jsonlog", None, Reading()), 0, silent, workers)
        row(f"digest, {workers} process(es)", time.perf_counter() - start, floor)
    peak = resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss / 1024
    print(f"{'memory of a reading process, at most':52} {peak:7.0f} MB")
    with empty_store(cluster) as engine:
        bring_in_twice(
            engine, {"kind": "history", "format": "jsonlog", "files": str(path), "server": "islands:5432"}, floor
        )
    print(
        f"{'memory of the writing process, at most':52} "
        f"{resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024:7.0f} MB"
    )


if __name__ == "__main__":
    main()
