"""PostgreSQL's own system views: written by others, so they hold what we would not have thought of."""

from collections.abc import Iterator

import psycopg
import pytest

from jalan import KnownTables, extract
from jalan.demo.cluster import Cluster
from tests.conftest import admin
from tests.oracle.catalogue import used_columns

_TABLES = """
    select n.nspname || '.' || c.relname, array_agg(a.attname::text order by a.attnum)
    from pg_class c join pg_namespace n on n.oid = c.relnamespace
    join pg_attribute a on a.attrelid = c.oid and a.attnum > 0 and not a.attisdropped
    where c.relkind in ('r', 'v') and n.nspname in ('pg_catalog', 'information_schema')
    group by 1
"""


@pytest.fixture(scope="module")
def connection(cluster: Cluster) -> Iterator[psycopg.Connection]:
    with admin(cluster) as found:
        yield found


def test_every_system_view_is_read_in_full(connection: psycopg.Connection) -> None:
    tables: dict[str, list[str]] = dict(connection.execute(_TABLES).fetchall())
    known = KnownTables(tables)
    views = connection.execute("select schemaname || '.' || viewname, definition from pg_views").fetchall()
    views = [(view, text) for view, text in views if view in tables]
    assert len(views) > 130
    for view, definition in views:
        found = extract(definition, tables=known, search_path=["pg_catalog", "information_schema"])
        assert [d.message for d in found.diagnostics] == [], view
        statement = found.statements[-1]
        assert [output.name for output in statement.outputs] == tables[view]
        if view.startswith("information_schema."):
            # Dependencies on the built-in catalogue are not recorded; those among these views are.
            mine = {use for use in statement.uses if use[0].startswith("information_schema.")}
            assert mine == used_columns(connection, view), view
