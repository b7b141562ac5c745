"""What the benches of sources share: a cluster and an empty store, and one source brought in twice."""

import os
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import psycopg
from sqlalchemy import Engine, text

from estate import DIGEST, SEED, SIZES, Asset, assets, write_estate
from jalan.demo.cluster import Cluster
from jalan.service.context import Context
from jalan.service.ingest import sources
from jalan.service.ingest.registry import parse_config
from jalan.sources.allowed import EVERYTHING
from jalan.store.database import create_database, migrate, open_store

ROOT = Path(__file__).resolve().parent.parent


@contextmanager
def bench_cluster(durable: bool = False) -> Iterator[Cluster]:
    """Run the benches' own cluster. durable: with PostgreSQL's usual care for what is committed."""
    os.environ.setdefault("JALAN_SECRET_KEY_FILE", str(ROOT / ".jalan" / "bench" / "secret.key"))
    cluster = Cluster(ROOT / ".jalan" / ("bench-durable" if durable else "bench"), durable=durable)
    cluster.start()
    try:
        yield cluster
    finally:
        cluster.stop()


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


def estate_store(cluster: Cluster, name: str) -> tuple[Engine, list[Asset]]:
    """Return the store of a made-up estate, made where it is not there yet, and its datasets."""
    url = cluster.url(f"jalan_{name}_{DIGEST}")
    create_database(url)
    engine = open_store(url)
    migrate(engine)
    with engine.connect() as connection:
        known = connection.execute(text("select count(*) from dataset")).scalar()
    estate = assets(SIZES[name], SEED) if known else write_estate(engine, SIZES[name], SEED)
    return engine, estate


def bring_in_twice(engine: Engine, config: dict[str, Any], floor: float) -> None:
    """Run a source twice, and print what each run takes, in seconds and as a multiple of ``floor``."""
    parsed = parse_config(config)
    source = sources.ensure(Context(engine, "bench"), "bench", parsed)
    for what in ("all of it into an empty store", "once more, nothing being new"):
        start = time.perf_counter()
        outcome = sources.ingest(Context(engine, "bench"), source, config=parsed, allowed=EVERYTHING)
        row(what, time.perf_counter() - start, floor, str(outcome.totals))


def row(what: str, took: float, floor: float, more: str = "") -> None:
    """Print one measured time."""
    print(f"{what:52} {took:7.2f} s   {took / floor:7.2f}   {more}".rstrip())
