"""A changed source value shows what it reaches: whatever changed must be downstream in our graph."""

import random
from collections.abc import Iterator

import numpy as np
import psycopg
import pytest

from jalan.demo import scenario
from jalan.demo.cluster import Cluster
from jalan.demo.report_desk import create_desk, read_content, served
from jalan.demo.sources import DESK_TOKEN
from jalan.demo.start import fill_store
from jalan.graph.impact import touched
from jalan.service.context import Context
from jalan.sources.folder import read_folder
from tests.conftest import ROOT, SMALL, Demo, admin, fresh_database
from tests.graphs import all_datasets, all_fields

SEED = 11
CHOSEN = 16
AT_LEAST_TELLING = 10

# How to give a column of each type another value; constants go through every value there is.
_CHANGED = {
    "integer": "{0} + 3",
    "bigint": "{0} + 1000000",
    "numeric": "{0} * 1.5 + 1",
    "text": "reverse({0}) || 'x'",
    "timestamp with time zone": "{0} + interval '33 days 5 hours'",
    "date": "{0} + 400",
    "boolean": "not {0}",
}

Contents = dict[tuple[str, str], str]


@pytest.fixture(scope="module")
def scratch() -> Iterator[Demo]:
    """A copy of the demo in a cluster of its own, whose sources may be changed: their constraints are gone."""
    cluster = Cluster(ROOT / ".jalan" / "test" / "scratch", durable=False)
    cluster.start()
    names = scenario.build(cluster, scale=SMALL, say=lambda message: None)
    for source in scenario.SOURCES:
        with admin(cluster, source) as connection:
            for table, constraint in connection.execute(
                """select conrelid::regclass::text, conname from pg_constraint
                   where contype in ('f', 'p', 'u') and connamespace::regnamespace::text in ('ops', 'public')
                   order by contype"""
            ).fetchall():
                connection.execute(f'alter table {table} drop constraint "{constraint}"')
    with fresh_database(cluster) as name, served(create_desk(read_content(), DESK_TOKEN)) as desk:
        engine = fill_store(cluster, names, cluster.url(name), desk)
        yield Demo(cluster, engine)
        engine.dispose()
    cluster.stop()


@pytest.fixture(scope="module")
def context(scratch: Demo) -> Iterator[Context]:
    with Context(scratch.engine, "test") as found:
        yield found


def _sources(connection: psycopg.Connection) -> list[tuple[str, str, str]]:
    """(schema.table, column, type) of every column that can be changed."""
    query = """
        select table_schema || '.' || table_name, column_name, data_type from information_schema.columns
        join information_schema.tables using (table_schema, table_name)
        where table_schema in ('ops', 'public') and table_type = 'BASE TABLE'
        order by 1, ordinal_position
    """
    return [(t, c, kind) for t, c, kind in connection.execute(query) if kind in _CHANGED]


def _landed(context: Context, database: str, table: str, column: str) -> int | None:
    """The position of a source column if anything reads it at all."""
    graph = context.graph.graph
    names = {info.name: info.title for info in all_datasets(context).values()}
    field = all_fields(context).get(f"{names.get(f'{database}.{table}')}.{column}")
    if field is None:
        return None
    position = graph.field_position(field.id)
    links, _ = graph.links_from(np.array([position], dtype=np.int32), False)
    return position if len(links) else None


def _contents(warehouse: psycopg.Connection) -> Contents:
    """A digest of every column of the warehouse: its values, whatever their order."""
    query = """
        select n.nspname || '.' || c.relname, array_agg(a.attname::text)
        from pg_class c join pg_namespace n on n.oid = c.relnamespace
        join pg_attribute a on a.attrelid = c.oid and a.attnum > 0 and not a.attisdropped
        where n.nspname in ('landing', 'tidy', 'core', 'mart') and c.relkind in ('r', 'v', 'm')
        group by 1
    """
    found: Contents = {}
    for table, columns in warehouse.execute(query).fetchall():
        _digest(warehouse, found, table, columns, f"select * from {table}")
    for report in read_folder(scenario.REPOSITORY).reports:
        for element in report.elements:
            with warehouse.cursor() as cursor:
                cursor.execute(f"select * from ({element.sql}) q limit 0")
                columns = [c.name for c in cursor.description or ()]
            one: Contents = {}
            _digest(warehouse, one, report.slug, columns, element.sql)
            found[report.slug, element.name] = "".join(one.values())
    return found


def _digest(warehouse: psycopg.Connection, found: Contents, table: str, columns: list[str], query: str) -> None:
    digests = ", ".join(
        f"""md5(coalesce(string_agg(q."{c}"::text, '|' order by q."{c}"::text collate "C"), ''))
            || count(*) || ' ' || count(q."{c}")"""
        for c in columns
    )
    row = warehouse.execute(f"select {digests} from ({query}) q").fetchone()
    assert row is not None
    found.update({(table, column): value for column, value in zip(columns, row, strict=True)})


def _reached(context: Context, field: int) -> set[tuple[str, str]]:
    graph = context.graph.graph
    met = touched(graph, np.array([field], dtype=np.int32)).nodes
    fields = context.names.fields_at(met[met >= 0].tolist())
    datasets = context.names.datasets_at({int(graph.field_dataset[position]) for position in fields})
    names = set()
    for position, info in fields.items():
        dataset = datasets[int(graph.field_dataset[position])]
        short = dataset.name if dataset.kind == "report" else ".".join(dataset.name.split(".")[1:])
        names.add((short, info.name))
    return names


def test_what_changes_is_reached(scratch: Demo, context: Context) -> None:
    candidates = []
    for source in scenario.SOURCES:
        with admin(scratch.cluster, source) as connection:
            for table, column, kind in _sources(connection):
                field = _landed(context, source, table, column)
                if field is not None:
                    candidates.append((source, table, column, kind, field))
    chosen = random.Random(SEED).sample(candidates, CHOSEN)
    telling = 0
    with admin(scratch.cluster, scenario.WAREHOUSE) as warehouse:
        scenario.run_pipeline(warehouse, say=lambda message: None)
        before = _contents(warehouse)
        for source, table, column, kind, field in chosen:
            with admin(scratch.cluster, source) as connection:
                connection.execute(f"create table public.kept as select * from {table}")
                connection.execute(f"update {table} set {column} = {_CHANGED[kind].format(column)}")
                try:
                    scenario.run_pipeline(warehouse, say=lambda message: None)
                    after = _contents(warehouse)
                finally:
                    connection.execute(f"truncate {table}")
                    connection.execute(f"insert into {table} select * from public.kept")
                    connection.execute("drop table public.kept")
            changed = {name for name in before if after[name] != before[name]}
            telling += bool(changed)
            missed = changed - _reached(context, field)
            assert not missed, f"{source}.{table}.{column} changed {sorted(missed)} unseen"
    assert telling >= AT_LEAST_TELLING


def test_the_comparison_can_fail(scratch: Demo, context: Context) -> None:
    """A column of another part of the business must not be said to reach the revenue of a sailing."""
    tide = _landed(context, "harbour", "ops.incidents", "severity")
    assert tide is not None
    reached = _reached(context, tide)
    assert ("core.disruptions", "severity") in reached
    assert ("core.sailing_revenue", "gross") not in reached
