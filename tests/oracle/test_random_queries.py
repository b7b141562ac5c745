"""Queries made by chance: the catalogue says what each uses, and changed values what each depends on."""

import os
import random
from collections.abc import Iterator

import psycopg
import pytest

from jalan import KnownTables, extract
from jalan.demo.cluster import Cluster
from tests.conftest import admin
from tests.oracle.catalogue import used_columns
from tests.oracle.random_queries import TABLES, Maker

SEEDS = range(int(os.environ.get("JALAN_ORACLE_SEEDS", "60")))
KNOWN = KnownTables({f"public.{table}": columns for table, columns in TABLES.items()})
Rows = dict[str, list[list[int | None]]]


@pytest.fixture(scope="module")
def connection(cluster: Cluster, database: str) -> Iterator[psycopg.Connection]:
    with admin(cluster, database) as found:
        for table, columns in TABLES.items():
            found.execute(f"create table {table} ({', '.join(f'{c} int' for c in columns)})")
        yield found


def _rows(r: random.Random) -> Rows:
    def value() -> int | None:
        return None if r.random() < 0.1 else r.randint(0, 5)

    return {t: [[value() for _ in columns] for _ in range(r.randint(2, 4))] for t, columns in TABLES.items()}


def _fill(connection: psycopg.Connection, rows: Rows) -> None:
    """Fill the tables anew in the same order, so that nothing but values can differ."""
    for table, content in rows.items():
        connection.execute(f"truncate {table}")
        with connection.cursor() as cursor, cursor.copy(f"copy {table} from stdin") as copy:
            for row in content:
                copy.write_row(row)


def _answer(connection: psycopg.Connection, sql: str) -> list[list[str]]:
    """Each output column as a bag of values."""
    connection.execute("set statement_timeout = '200ms'")
    try:
        found = connection.execute(sql)
    except psycopg.errors.QueryCanceled:
        pytest.skip("too large a product for a test")
    finally:
        connection.execute("reset statement_timeout")
    assert found.description is not None
    rows = found.fetchall()
    return [sorted(str(row[i]) for row in rows) for i in range(len(found.description))]


@pytest.mark.parametrize("seed", SEEDS)
def test_a_random_query_is_understood(connection: psycopg.Connection, seed: int) -> None:
    sql = Maker(seed).statement()
    found = extract(sql, tables=KNOWN)
    assert [d for d in found.diagnostics if d.level != "info"] == [], sql
    statement = found.statements[-1]

    connection.execute(f"create temporary view under_test as {sql}")
    try:
        assert statement.uses == used_columns(connection, "under_test"), sql
    finally:
        connection.execute("drop view under_test")

    r = random.Random(seed)
    whole = {(s.table, s.column) for s in statement.row_conditions}
    for _ in range(2):
        rows = _rows(r)
        _fill(connection, rows)
        before = _answer(connection, sql)
        for table, columns in TABLES.items():
            for i, column in enumerate(columns):
                changed = {t: [list(row) for row in content] for t, content in rows.items()}
                for row in changed[table]:
                    row[i] = None if r.random() < 0.1 else r.randint(0, 7)
                _fill(connection, {table: changed[table]})
                after = _answer(connection, sql)
                _fill(connection, {table: rows[table]})
                source = (f"public.{table}", column)
                if source in whole:
                    continue
                for output, old, new in zip(statement.outputs, before, after, strict=True):
                    reached = {(s.table, s.column) for s in (*output.values, *output.conditions)}
                    assert old == new or source in reached, f"{source} changed {output.name} in: {sql}"
