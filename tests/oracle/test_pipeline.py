"""Every query of the demo, wrapped as a view: PostgreSQL's catalogue says which columns it uses."""

import re
from collections.abc import Iterator

import psycopg
import pytest

from jalan import extract
from jalan.demo import scenario
from jalan.sources.folder import read_folder
from tests.conftest import Demo, admin
from tests.oracle.catalogue import known_tables, used_columns

REPOSITORY = read_folder(scenario.REPOSITORY)
_CREATED = re.compile(r"create\s+(?:or replace\s+)?(?:materialized\s+)?(?:view|table)\s+\S+\s+as\b", re.IGNORECASE)
ELEMENTS: list[tuple[str, str, list[str]]] = [
    (f"{r.slug}/{e.name}", e.sql, []) for r in REPOSITORY.reports for e in r.elements
]


def _queries() -> Iterator[tuple[str, str, list[str]]]:
    """The queries of the pipeline, cut out of their statements, each with the temporary tables made before it."""
    for file in REPOSITORY.files:
        temporary: list[str] = []
        for statement in extract(file.text).statements:
            text = file.text[statement.span[0] : statement.span[1]]
            match = _CREATED.match(text)
            if match:
                yield file.path, text[match.end() :], list(temporary)
            elif statement.kind == "insert":
                found = re.search(r"\b(with|select)\b", text)
                assert found is not None
                yield file.path, text[found.start() :], list(temporary)
            elif statement.kind == "create_table_as" and text.startswith("select"):
                yield file.path, re.sub(r"\binto \S+", "", text), list(temporary)
            elif statement.kind == "create_table_as":
                temporary.append(text)
                yield file.path, re.sub(r"(?s)^.*?\bas\s+(?=select)", "", text, count=1), temporary[:-1]


QUERIES = [*_queries(), *ELEMENTS]


@pytest.fixture(scope="module")
def warehouse(demo: Demo) -> Iterator[psycopg.Connection]:
    with admin(demo.cluster, scenario.WAREHOUSE) as connection:
        yield connection


def test_most_of_the_pipeline_is_held_against_the_catalogue() -> None:
    assert len(QUERIES) >= 60


@pytest.mark.parametrize(("name", "query", "temporary"), QUERIES, ids=[name for name, _, _ in QUERIES])
def test_a_query_of_the_demo_uses_the_columns_that_postgresql_says(
    warehouse: psycopg.Connection, name: str, query: str, temporary: list[str]
) -> None:
    with warehouse.transaction(force_rollback=True):
        for statement in temporary:
            warehouse.execute(statement)
        tables = known_tables(warehouse)
        found = extract(query, tables=tables).statements[-1]
        names = ", ".join(f"c{i}" for i in range(len(found.outputs)))
        warehouse.execute(f"create temporary view under_test ({names}) as {query}")
        assert found.uses == used_columns(warehouse, "under_test")


def test_every_view_of_the_warehouse_agrees(warehouse: psycopg.Connection) -> None:
    tables = known_tables(warehouse)
    query = """
        select schemaname || '.' || viewname, definition from pg_views
        where schemaname in ('tidy', 'core', 'mart')
        union all
        select schemaname || '.' || matviewname, definition from pg_matviews
    """
    views = warehouse.execute(query).fetchall()
    assert len(views) >= 14
    for view, definition in views:
        assert extract(definition, tables=tables).statements[-1].uses == used_columns(warehouse, view), view
