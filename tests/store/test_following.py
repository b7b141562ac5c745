"""Calls of routines that the scan or another file defines, and tables that no scan knows."""

from collections.abc import Iterator
from pathlib import Path

import pytest
from sqlalchemy import Engine, select
from sqlalchemy.orm import Session

from jalan.demo.cluster import Cluster
from jalan.service.context import Context
from jalan.service.ingest import overview
from jalan.service.ingest.once import load, scan
from jalan.store.schema import Dataset, Definition, Field, Link, System
from tests.conftest import admin, fresh_database

SETTINGS = "database: {}\nserver: islands:5432\n"
BODY = "insert into gross select {} from fares"


@pytest.fixture
def place(cluster: Cluster) -> Iterator[str]:
    with fresh_database(cluster) as name, admin(cluster, name) as connection:
        connection.execute("create table fares (fare int, tax int); create table gross (amount int)")
        yield name


def _scan(store: Engine, cluster: Cluster, name: str) -> None:
    scan(Context(store, "command line"), cluster.url(name).replace("+psycopg", ""), known_as="islands:5432")


def _from_file(store: Engine, file: str) -> set[str]:
    """The columns that a file makes flow into gross.amount."""
    with Session(store) as session:
        query = (
            select(Field.name)
            .join(Link, Link.source_field_id == Field.id)
            .join(Definition, Definition.id == Link.definition_id)
            .join(Dataset, Dataset.id == Link.target_dataset_id)
            .where(Definition.place == file, Link.valid_to.is_(None), Dataset.name.like("%.gross"))
        )
        return set(session.scalars(query))


def test_a_call_follows_what_the_scan_knows_and_is_read_again_when_it_changes(
    store: Engine, cluster: Cluster, place: str, tmp_path: Path
) -> None:
    (tmp_path / "jalan.yaml").write_text(SETTINGS.format(place))
    (tmp_path / "run.sql").write_text("call refresh();\n")
    _scan(store, cluster, place)
    load(Context(store, "command line"), tmp_path, name="ferry")
    assert _from_file(store, "run.sql") == set()
    with admin(cluster, place) as connection:
        for column in ("fare", "tax"):
            connection.execute(f"create or replace procedure refresh() language sql as $$ {BODY.format(column)} $$")
            _scan(store, cluster, place)
            assert _from_file(store, "run.sql") == {column}
        connection.execute("drop procedure refresh()")
    _scan(store, cluster, place)
    assert _from_file(store, "run.sql") == set()


def test_a_call_follows_what_another_file_defines_in_whatever_order(
    store: Engine, cluster: Cluster, place: str, tmp_path: Path
) -> None:
    _scan(store, cluster, place)
    (tmp_path / "jalan.yaml").write_text(SETTINGS.format(place))
    (tmp_path / "a_run.sql").write_text("call outer_one();\n")
    (tmp_path / "b.sql").write_text("create procedure outer_one() language sql as $$ call inner_one() $$;\n")
    for column in ("fare", "tax"):
        (tmp_path / "c.sql").write_text(
            f"create procedure inner_one() language sql as $$ {BODY.format(column)} $$;\n"
        )
        load(Context(store, "command line"), tmp_path, name="ferry")
        assert _from_file(store, "a_run.sql") == {column}
    counts = load(Context(store, "command line"), tmp_path, name="ferry").counts
    assert counts == {}, "the same once more changes nothing"


def test_a_table_that_no_scan_knows_is_a_warning_with_what_may_be_meant(
    store: Engine, cluster: Cluster, place: str, tmp_path: Path
) -> None:
    (tmp_path / "jalan.yaml").write_text(SETTINGS.format(place))
    (tmp_path / "a.sql").write_text("insert into gross select fare from faers;\nselect 1 from pg_class;\n")
    load(Context(store, "command line"), tmp_path, name="ferry")
    with Context(store, "test") as context:
        (source,) = overview.sources(context)
        found = overview.unread(context, source.id, 0, 9).items
    assert not [one for one in found if one.code == "unknown_table"]
    _scan(store, cluster, place)
    with Context(store, "test") as context:
        found = overview.unread(context, source.id, 0, 9).items
    (told,) = [one for one in found if one.code == "unknown_table" and one.level == "warning"]
    assert told.message == (
        "no scan has found “faers”; its columns are inferred from use; the nearest names are public.fares"
    )


def test_what_is_copied_to_a_file_is_a_file_and_no_table(
    store: Engine, cluster: Cluster, place: str, tmp_path: Path
) -> None:
    _scan(store, cluster, place)
    (tmp_path / "jalan.yaml").write_text(SETTINGS.format(place))
    (tmp_path / "out.sql").write_text(
        "copy fares to '/out/fares.csv';\ncopy gross from 'drop/gross.csv';\ncopy fares to stdout;\n"
    )
    load(Context(store, "command line"), tmp_path, name="ferry")
    with Session(store) as session:
        query = select(System.namespace, Dataset.name, Dataset.kind).join(System, System.id == Dataset.system_id)
        found = {tuple(row) for row in session.execute(query) if ".csv" in row.name or "std" in row.name}
    assert found == {("file://islands", "/out/fares.csv", "file"), ("file://islands", "drop/gross.csv", "file")}
