"""Builds the demo's real databases in a cluster and runs its pipeline in them."""

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


def database_exists(cluster: Cluster, name: str) -> bool:
    """Whether the cluster has this database."""
    with connect(cluster, "postgres") as connection:
        query = "select 1 from pg_database where datname = %s"
        return connection.execute(query, (name,)).fetchone() is not None


def build(cluster: Cluster, scale: float = 1.0, prefix: str = "", say: Say = print) -> dict[str, str]:
    """Make the three databases with their data; returns their names. ``prefix`` keeps copies apart.

    The warehouse comes last and gets a mark when it is complete, so that a build that was cut short is begun anew.
    """
    names = {name: prefix + name for name in (*SOURCES, WAREHOUSE)}
    if _complete(cluster, names[WAREHOUSE]):
        _point_servers(cluster, names)
        return names
    with connect(cluster, "postgres") as connection:
        for name in names.values():
            connection.execute(f'drop database if exists "{name}" with (force)')
            connection.execute(f'create database "{name}"')
    with connect(cluster, names["harbour"]) as harbour, connect(cluster, names["ticketing"]) as ticketing:
        harbour.execute((HERE / "databases" / "harbour.sql").read_text())
        ticketing.execute((HERE / "databases" / "ticketing.sql").read_text())
        with harbour.transaction(), ticketing.transaction():
            made = Generator(scale).fill(harbour, ticketing)
        for connection in (harbour, ticketing):
            connection.execute("analyze")
    say(f"made {made:,} rows in harbour and ticketing")
    with connect(cluster, names[WAREHOUSE]) as warehouse:
        text = (HERE / "databases" / "strait.sql").read_text()
        for name in SOURCES:
            text = text.replace(f"dbname '{name}'", f"dbname '{names[name]}'")
        for word, value in (("host", "127.0.0.1"), ("port", cluster.port), ("password", cluster.password)):
            text = text.replace(f"{{{word}}}", str(value))
        warehouse.execute(text)
        run_pipeline(warehouse, say)
        warehouse.execute(f"comment on database \"{names[WAREHOUSE]}\" is 'complete'")
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


def _complete(cluster: Cluster, warehouse: str) -> bool:
    if not database_exists(cluster, warehouse):
        return False
    with connect(cluster, "postgres") as connection:
        query = "select shobj_description(oid, 'pg_database') from pg_database where datname = %s"
        row = connection.execute(query, (warehouse,)).fetchone()
        return row is not None and row[0] == "complete"


def _point_servers(cluster: Cluster, names: dict[str, str]) -> None:
    """Tell the foreign servers the port of today: it may be another one than when they were made."""
    with connect(cluster, names[WAREHOUSE]) as warehouse:
        for name in SOURCES:
            warehouse.execute(f"alter server {name} options (set port '{cluster.port}')")
