"""How fast a large database is scanned: 2 000 tables with 40 000 columns, and 500 views over them.

Beside it, in the same run, what the questions to PostgreSQL's catalogue take alone. python bench/scan.py
"""

import argparse
import time

import psycopg

from jalan.demo.cluster import Cluster
from jalan.sources.postgres import read_database
from stores import bench_cluster, bring_in_twice, empty_store, row

_COLUMNS = 20


def build(cluster: Cluster, tables: int, views: int) -> str:
    """Make the database, if it is not there yet; returns its name."""
    name = f"large_{tables}_{views}"
    with psycopg.connect(cluster.url("postgres").replace("+psycopg", ""), autocommit=True) as connection:
        if connection.execute("select 1 from pg_database where datname = %s", (name,)).fetchone():
            return name
        connection.execute(f"create database {name}")
    with psycopg.connect(cluster.url(name).replace("+psycopg", "")) as connection:
        for schema in range(20):
            connection.execute(f"create schema area{schema}")
        for n in range(tables):
            columns = ", ".join(
                f"c{c} {('int', 'text', 'numeric(10, 2)', 'date')[c % 4]}" for c in range(1, _COLUMNS)
            )
            connection.execute(f"create table area{n % 20}.t{n} (id int primary key, {columns})")
        for n in range(views):
            one, two = f"area{n % 20}.t{n}", f"area{(n * 7 + 3) % tables % 20}.t{(n * 7 + 3) % tables}"
            connection.execute(
                f"create view area{n % 20}.v{n} as select a.id, a.c1 as label, sum(b.c2) as amount, "
                f"max(b.c4) filter (where b.c1 <> '') as latest, count(*) as rows from {one} a join {two} b using (id) "
                f"where a.c3 > date '2026-01-01' group by a.id, a.c1 having count(*) > {n}"
            )
    return name


def main() -> None:
    """Print what it takes."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--tables", type=int, default=2_000)
    parser.add_argument("--views", type=int, default=500)
    arguments = parser.parse_args()
    with bench_cluster() as cluster:
        name = build(cluster, arguments.tables, arguments.views)
        start = time.perf_counter()
        found = read_database(cluster.url(name).replace("+psycopg", ""))
        floor = time.perf_counter() - start
        columns = sum(len(table.columns) for table in found.tables)
        print(f"{len(found.tables):,} tables and views, {columns:,} columns")
        row("the questions to the catalogue alone", floor, floor)
        with empty_store(cluster) as engine:
            config = {
                "kind": "postgresql",
                "host": "127.0.0.1",
                "port": cluster.port,
                "database": name,
                "user": "jalan",
                "password": cluster.password,
            }
            bring_in_twice(engine, config, floor)


if __name__ == "__main__":
    main()
