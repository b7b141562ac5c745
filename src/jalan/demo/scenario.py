"""Builds the demo's real databases in a cluster and runs its pipeline in them."""

import hashlib
from collections.abc import Callable
from pathlib import Path

import psycopg
from ruamel.yaml import YAML

from jalan.demo.cluster import Cluster
from jalan.demo.generate import Generator

HERE = Path(__file__).parent
REPOSITORY = HERE / "repository"
PIPELINES = REPOSITORY / "pipelines"
REPORTS = REPOSITORY / "reports"
SOURCES = ("harbour", "ticketing")
WAREHOUSE = "strait"

Say = Callable[[str], None]


def connect(cluster: Cluster, database: str) -> psycopg.Connection:
    """Open a connection that commits each statement."""
    return psycopg.connect(cluster.url(database).replace("+psycopg", ""), autocommit=True)


def build(cluster: Cluster, scale: float = 1.0, say: Say = print) -> tuple[str, ...]:
    """Make the three databases with their data; returns their names.

    The warehouse comes last and gets a mark when it is complete, so that a build that was cut short is begun anew,
    as is one of an older version of the scenario.
    """
    mark = _fingerprint(scale)
    names = (*SOURCES, WAREHOUSE)
    if _mark_of(cluster, WAREHOUSE) == mark:
        _point_servers(cluster)
        return names
    with connect(cluster, "postgres") as connection:
        for name in names:
            connection.execute(f'drop database if exists "{name}" with (force)')
            connection.execute(f'create database "{name}"')
    with connect(cluster, "harbour") as harbour, connect(cluster, "ticketing") as ticketing:
        harbour.execute((HERE / "databases" / "harbour.sql").read_text())
        ticketing.execute((HERE / "databases" / "ticketing.sql").read_text())
        with harbour.transaction(), ticketing.transaction():
            made = Generator(scale).fill(harbour, ticketing)
        for connection in (harbour, ticketing):
            connection.execute("analyze")
    say(f"made {made:,} rows in harbour and ticketing")
    with connect(cluster, WAREHOUSE) as warehouse:
        text = (HERE / "databases" / "strait.sql").read_text()
        for word, value in (("host", "127.0.0.1"), ("port", cluster.port), ("password", cluster.password)):
            text = text.replace(f"{{{word}}}", str(value))
        warehouse.execute(text)
        run_pipeline(warehouse, say)
        warehouse.execute("analyze")
        warehouse.execute(f"comment on database \"{WAREHOUSE}\" is '{mark}'")
    return names


def pipeline_files() -> list[str]:
    """Return the files of the pipeline in the order in which they run."""
    settings = YAML(typ="safe").load((PIPELINES / "jalan.yaml").read_text())
    return list(settings["order"])


def run_pipeline(warehouse: psycopg.Connection, say: Say = print) -> None:
    """Run every file of the pipeline, each in a transaction of its own."""
    for name in pipeline_files():
        with warehouse.transaction():
            # Some comments are on views; COMMENT and everything else run exactly as they stand in the file.
            warehouse.execute((PIPELINES / name).read_text())
    say(f"ran {len(pipeline_files())} files of the nightly pipeline")


def _fingerprint(scale: float) -> str:
    """What the databases are made from, as one word."""
    digest = hashlib.sha256(str(scale).encode())
    for path in sorted([*HERE.glob("databases/*"), *PIPELINES.rglob("*.*"), HERE / "generate.py"]):
        digest.update(path.read_bytes())
    return f"demo {digest.hexdigest()[:16]}"


def _mark_of(cluster: Cluster, warehouse: str) -> str | None:
    with connect(cluster, "postgres") as connection:
        query = "select shobj_description(oid, 'pg_database') from pg_database where datname = %s"
        row = connection.execute(query, (warehouse,)).fetchone()
        return None if row is None else row[0]


def _point_servers(cluster: Cluster) -> None:
    """Tell the foreign servers the port of today: it may be another one than when they were made."""
    with connect(cluster, WAREHOUSE) as warehouse:
        for name in SOURCES:
            warehouse.execute(f"alter server {name} options (set port '{cluster.port}')")
