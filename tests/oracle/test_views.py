"""The columns that a query uses, and the names it gives its outputs: PostgreSQL's catalogue decides."""

from collections.abc import Iterator
from pathlib import Path

import psycopg
import pytest

from jalan import extract
from jalan.demo.cluster import Cluster
from tests.conftest import admin
from tests.oracle.analysed import Analysed
from tests.oracle.catalogue import known_tables, used_columns

HERE = Path(__file__).parent
QUERIES = [
    text.strip()
    for text in (HERE / "views.sql").read_text().split("\n\n")
    if text.strip() and not text.startswith("--")
]


@pytest.fixture(scope="module")
def connection(cluster: Cluster, database: str) -> Iterator[psycopg.Connection]:
    with admin(cluster, database) as found:
        found.execute((HERE / "schema.sql").read_text())
        yield found


def test_there_are_three_hundred_of_them() -> None:
    assert len(set(QUERIES)) >= 300


@pytest.mark.parametrize("query", QUERIES, ids=range(len(QUERIES)))
def test_a_query_uses_the_columns_that_postgresql_says(connection: psycopg.Connection, query: str) -> None:
    tables = known_tables(connection)
    names = _wanted_names(connection, query)
    aliases = ", ".join(f"c{i}" for i in range(len(names)))
    view = "public.under_test"
    connection.execute(f"create or replace view {view} ({aliases}) as {query}")
    try:
        expected = used_columns(connection, view)
        sources = Analysed(connection, view).value_sources()
    finally:
        connection.execute(f"drop view {view}")
    found = extract(f"create view {view} ({aliases}) as {query}", tables=tables)
    assert [d.message for d in found.diagnostics if d.level == "error"] == []
    assert found.statements[-1].uses == expected
    values = [{(v.table, v.column) for v in output.values} for output in found.statements[-1].outputs]
    assert values == sources
    assert [o.name for o in extract(query, tables=tables).statements[-1].outputs] == names


def _wanted_names(connection: psycopg.Connection, query: str) -> list[str]:
    with connection.cursor() as cursor:
        cursor.execute(query)
        assert cursor.description is not None
        return [column.name for column in cursor.description]
