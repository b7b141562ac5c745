"""Scans and loads: once is as often as you like, nothing is lost, nothing is made double."""

from collections.abc import Iterator
from pathlib import Path

import psycopg
import pytest
from sqlalchemy import Engine, select, text
from sqlalchemy.orm import Session

from jalan.demo.cluster import Cluster
from jalan.service.context import Context
from jalan.service.ingest.once import load, scan
from jalan.sources.errors import SourceError
from jalan.store.schema import Dataset, Definition, Field, Ingestion, Link, System
from tests.conftest import admin, fresh_database

SERVER = "islands:5432"
SETTINGS = "server: islands:5432\ndatabase: {database}\npipeline: nightly\n"


@pytest.fixture
def source(cluster: Cluster) -> Iterator[tuple[str, psycopg.Connection, str]]:
    """A small real database: its name, a connection, and its address."""
    with fresh_database(cluster) as name, admin(cluster, name) as connection:
        connection.execute(
            """create schema core;
               create table public.tickets (ticket_id int, fare int, status text);
               create table core.gross (ticket_id int, amount numeric);
               comment on table public.tickets is 'One seat on one sailing.';
               create view core.sold as select ticket_id, fare from tickets where status = 'sold'"""
        )
        yield name, connection, cluster.url(name).replace("+psycopg", "")


@pytest.fixture
def folder(tmp_path: Path, source: tuple[str, psycopg.Connection, str]) -> Path:
    (tmp_path / "jalan.yaml").write_text(SETTINGS.format(database=source[0]))
    (tmp_path / "gross.sql").write_text(
        "insert into core.gross select ticket_id, fare / 100.0 from public.tickets;\n"
    )
    return tmp_path


def _links(engine: Engine, valid: bool = True) -> set[tuple[str, str | None, str]]:
    """(source column, target column or None for rows, kind) of links that hold, or that held."""
    with Session(engine) as session:
        targets = {f.id: f.name for f in session.scalars(select(Field))}
        query = select(Link).where(Link.valid_to.is_(None) if valid else Link.valid_to.is_not(None))
        return {
            (targets[k.source_field_id], targets.get(k.target_field_id or 0), k.kind)
            for k in session.scalars(query)
        }


def _dataset(engine: Engine, name: str) -> Dataset:
    with Session(engine) as session:
        found = session.scalars(select(Dataset).where(Dataset.name == name)).one()
        session.expunge(found)
        return found


def test_a_scan_brings_tables_columns_comments_and_view_links(store: Engine, source: tuple) -> None:
    name, _, url = source
    outcome = scan(Context(store, "command line"), url, known_as=SERVER)
    assert outcome.totals == {"tables": 3, "columns": 7, "routines": 0, "triggers": 0}
    tickets = _dataset(store, f"{name}.public.tickets")
    assert (tickets.kind, tickets.description, tickets.placeholder) == ("table", "One seat on one sailing.", False)
    assert _links(store) == {
        ("ticket_id", "ticket_id", "value"),
        ("fare", "fare", "value"),
        ("status", None, "condition"),
    }
    with Session(store) as session:
        assert [s.namespace for s in session.scalars(select(System))] == ["postgres://islands:5432"]


def test_bringing_the_same_in_twice_changes_nothing(store: Engine, source: tuple, folder: Path) -> None:
    for _ in range(2):
        outcomes = [
            scan(Context(store, "command line"), source[2], known_as=SERVER),
            load(Context(store, "command line"), folder),
        ]
    assert [outcome.counts for outcome in outcomes] == [{}, {}]


def test_long_work_tells_how_far_it_is(store: Engine, source: tuple, folder: Path) -> None:
    told: list[tuple[str, int, int]] = []
    scan(
        Context(store, "command line"), source[2], known_as=SERVER, progress=lambda *told_now: told.append(told_now)
    )
    steps = ["schemas", "tables", "columns", "keys", "privileges", "foreign tables", "routines", "triggers", "done"]
    assert [what for what, _, _ in told[:10]] == ["starting", *steps]
    load(Context(store, "command line"), folder, progress=lambda *told_now: told.append(told_now))
    assert all(0 <= done <= total for _, done, total in told)
    assert told[-1] == ("links", 1, 1), "the view of the scan is the same, so only the file is read"


def test_a_placeholder_and_the_scanned_table_are_one(store: Engine, source: tuple, folder: Path) -> None:
    name, _, url = source
    (folder / "star.sql").write_text("create table core.copied as select * from public.tickets where fare > 0;\n")
    load(Context(store, "command line"), folder)
    before = _dataset(store, f"{name}.public.tickets")
    assert before.placeholder
    assert ("*", "*", "value") in _links(store)
    outcome = scan(Context(store, "command line"), url, known_as=SERVER)
    after = _dataset(store, f"{name}.public.tickets")
    assert (after.id, after.placeholder) == (before.id, False)
    assert outcome.counts["placeholders joined"] == 2
    found = _links(store)
    assert ("status", "status", "value") in found, "the star is opened once the columns are known"
    assert ("*", "*", "value") not in found
    with Session(store) as session:
        names = [d.name for d in session.scalars(select(Dataset))]
        assert len(names) == len(set(names))
    assert load(Context(store, "command line"), folder).counts == {}


def test_a_changed_definition_closes_the_old_links_and_opens_new_ones(
    store: Engine, source: tuple, folder: Path
) -> None:
    scan(Context(store, "command line"), source[2], known_as=SERVER)
    load(Context(store, "command line"), folder)
    (folder / "gross.sql").write_text(
        "insert into core.gross select ticket_id, 1 from public.tickets where fare > 0;\n"
    )
    load(Context(store, "command line"), folder)
    assert ("fare", "amount", "value") not in _links(store)
    assert ("fare", None, "condition") in _links(store)
    assert ("fare", "amount", "value") in _links(store, valid=False), "what held is kept"
    with Session(store) as session:
        versions = session.scalars(
            select(Definition).where(Definition.place == "gross.sql").order_by(Definition.version)
        ).all()
        assert [(d.version, d.valid_to is None) for d in versions] == [(1, False), (2, True)]
        assert versions[0].valid_to == versions[1].valid_from


def test_a_file_that_is_gone_links_nothing_any_more(store: Engine, source: tuple, folder: Path) -> None:
    scan(Context(store, "command line"), source[2], known_as=SERVER)
    (folder / "other.sql").write_text("select 1;")
    load(Context(store, "command line"), folder)
    (folder / "gross.sql").unlink()
    assert load(Context(store, "command line"), folder).counts == {"definitions closed": 1}
    assert ("fare", "amount", "value") not in _links(store)


def test_what_a_scan_no_longer_finds_is_marked_gone_and_comes_back(store: Engine, source: tuple) -> None:
    name, connection, url = source
    scan(Context(store, "command line"), url, known_as=SERVER)
    connection.execute("drop view core.sold; alter table tickets drop column status")
    outcome = scan(Context(store, "command line"), url, known_as=SERVER)
    assert (outcome.counts["datasets gone"], outcome.counts["fields gone"]) == (1, 1)
    assert _dataset(store, f"{name}.core.sold").gone_since is not None
    assert _links(store) == set()
    connection.execute("create view core.sold as select ticket_id, fare from tickets")
    scan(Context(store, "command line"), url, known_as=SERVER)
    assert _dataset(store, f"{name}.core.sold").gone_since is None
    assert _links(store) == {("ticket_id", "ticket_id", "value"), ("fare", "fare", "value")}


def test_a_foreign_table_links_to_what_it_points_to(store: Engine, source: tuple, cluster: Cluster) -> None:
    name, connection, url = source
    connection.execute(
        f"""create extension postgres_fdw;
            create server elsewhere foreign data wrapper postgres_fdw
                options (host 'LOCALHOST', port '{cluster.port}', dbname 'ticketing');
            create foreign table core.remote (id int options (column_name 'ticket_id')) server elsewhere
                options (schema_name 'public', table_name 'tickets')"""
    )
    scan(Context(store, "command line"), url, known_as=SERVER)
    remote = _dataset(store, "ticketing.public.tickets")
    assert remote.placeholder
    assert remote.system_id == _dataset(store, f"{name}.core.remote").system_id, "one server, however it is spelled"
    assert ("ticket_id", "id", "value") in _links(store)


def test_a_scan_that_fails_leaves_what_was_there_and_says_so(store: Engine, source: tuple) -> None:
    scan(Context(store, "command line"), source[2], known_as=SERVER)
    before = _links(store)
    with pytest.raises(SourceError, match=r"cannot read .*does not exist"):
        scan(Context(store, "command line"), source[2] + "_missing", known_as=SERVER)
    assert _links(store) == before
    with Session(store) as session:
        last = session.scalars(select(Ingestion).order_by(Ingestion.id.desc())).first()
        assert last is not None
        assert (last.state, "does not exist" in (last.message or "")) == ("failed", True)
        assert "password" not in (last.message or "")


@pytest.mark.parametrize(
    ("url", "message"),
    [
        ("nonsense", "this is no database address"),
        ("mysql://x@host/y", "only PostgreSQL is read"),
        ("postgresql://x@host:5432", "names no database"),
    ],
)
def test_a_wrong_address_is_explained(store: Engine, url: str, message: str) -> None:
    with pytest.raises(SourceError, match=message):
        scan(Context(store, "command line"), url)


def test_a_scan_reads_only(store: Engine, source: tuple) -> None:
    name, connection, url = source
    count = "select xact_commit + xact_rollback, tup_inserted + tup_updated + tup_deleted from pg_stat_database"
    scan(Context(store, "command line"), url, known_as=SERVER)
    # What this connection itself has written is counted when the server gets to it.
    connection.execute("select pg_stat_force_next_flush()")
    row = connection.execute(f"{count} where datname = %s", (name,)).fetchone()
    scan(Context(store, "command line"), url, known_as=SERVER)
    again = connection.execute(f"{count} where datname = %s", (name,)).fetchone()
    assert row is not None
    assert again is not None
    assert again[1] == row[1]


def test_the_migrations_make_what_the_models_say(store: Engine) -> None:
    from alembic.autogenerate import compare_metadata
    from alembic.migration import MigrationContext

    from jalan.store.schema import Base

    with store.connect() as connection:

        def told(thing: object, name: str | None, type_: str, reflected: bool, other: object) -> bool:
            return not (type_ == "index" and str(name).endswith(("_words", "_description", "_lower_name")))

        # Indexes over expressions, for finding, stand in their migration alone.
        options = {"compare_type": True, "include_object": told}
        context = MigrationContext.configure(connection, opts=options)
        assert compare_metadata(context, Base.metadata) == []
        assert connection.execute(text("select count(*) from alembic_version")).scalar() == 1


def test_a_link_keeps_its_path_and_that_it_is_only_possible(store: Engine, source: tuple, folder: Path) -> None:
    (folder / "far.sql").write_text(
        "create table core.far as select a.data -> 'legs' ->> 'port' as port, fog from far.x a, far.y b;\n"
    )
    load(Context(store, "command line"), folder)
    with Session(store) as session:
        names = {f.id: f.name for f in session.scalars(select(Field))}
        found = {
            (names[k.source_field_id], names.get(k.target_field_id or 0)): (k.path, k.possible)
            for k in session.scalars(select(Link))
            if names.get(k.target_field_id or 0) in ("port", "fog")
        }
    assert found == {("data", "port"): ("legs.port", False), ("fog", "fog"): ("", True)}
    assert load(Context(store, "command line"), folder).counts == {}


def test_a_repository_of_templates_is_read_in_full(store: Engine, source: tuple, tmp_path: Path) -> None:
    settings = SETTINGS.format(database=source[0]) + (
        'variables: {cents: 100}\ncalls: {dataset: "{0}.{1}", config: ""}\n'
    )
    (tmp_path / "jalan.yaml").write_text(settings)
    text = (
        "{{ config(kept=true) }}\ninsert into {{ dataset('core', 'gross') }} "
        "select ticket_id, fare / {{ cents }} from {{ dataset('public', 'tickets') }};\n"
    )
    (tmp_path / "gross.sql").write_text(text)
    scan(Context(store, "command line"), source[2], known_as=SERVER)
    load(Context(store, "command line"), tmp_path)
    assert ("fare", "amount", "value") in _links(store)
    with Session(store) as session:
        (link,) = [k for k in session.scalars(select(Link).join(Definition)) if text[slice(*k.spans[0])] == "fare"]
        assert text[slice(*(link.expression or ()))] == "fare / {{ cents }}"
        assert session.get_one(Dataset, link.target_dataset_id).name == f"{source[0]}.core.gross"
    assert load(Context(store, "command line"), tmp_path).counts == {}
    (tmp_path / "jalan.yaml").write_text(settings.replace("100", "10"))
    assert load(Context(store, "command line"), tmp_path).counts["definitions changed"] == 1


def test_a_report_over_a_dataset_that_nobody_knows_is_refused_with_the_nearest_names(
    store: Engine, source: tuple, tmp_path: Path
) -> None:
    scan(Context(store, "command line"), source[2], known_as=SERVER)
    (tmp_path / "board.yaml").write_text(
        f"report: board\ntitle: Board\nowner: Sales\ndatabase: {source[0]}\nelements:\n"
        "  - {name: Sold, kind: chart, dataset: core.slod, columns: {fare: fare}}\n"
    )
    with pytest.raises(SourceError, match=r"board.yaml:6: there is no dataset “core.slod”.*names are core.sold"):
        load(Context(store, "command line"), tmp_path)
    board = (tmp_path / "board.yaml").read_text().replace("slod", "sold")
    (tmp_path / "board.yaml").write_text(board)
    assert load(Context(store, "command line"), tmp_path).totals["elements"] == 1
    (tmp_path / "board.yaml").write_text(
        (tmp_path / "board.yaml").read_text().replace("fare: fare", "fare: fair / 2")
    )
    message = r"board.yaml:6: in “Sold”: core.sold has no column “fair”; the nearest names are fare"
    with pytest.raises(SourceError, match=message):
        load(Context(store, "command line"), tmp_path)
