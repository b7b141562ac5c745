"""Scans of a real PostgreSQL: all that its catalogue tells, and what goes wrong on the way."""

import threading
from collections.abc import Iterator
from pathlib import Path

import psycopg
import pytest
from sqlalchemy import Engine, select
from sqlalchemy.orm import Session

from jalan.demo.cluster import Cluster
from jalan.service.context import Context
from jalan.service.ingest import overview, sources
from jalan.service.ingest.log import IngestionLog
from jalan.service.ingest.registry import parse_config
from jalan.sources.errors import SourceError
from jalan.sources.postgres import read_database
from jalan.store.schema import Dataset, Definition, Field, Link, System
from tests.conftest import ROOT, admin, fresh_database
from tests.store.state import content

MINIMAL_ROLE = (ROOT / "docs" / "minimal-role.sql").read_text()

SCHEMA = """
    create schema core;
    create schema hidden;
    create table core.ports (port_id int primary key, name text not null unique, opened date default current_date);
    create table core.tickets (
        ticket_id bigint generated always as identity, port_id int references core.ports,
        fare_cents int not null, fare numeric generated always as (fare_cents / 100.0) stored, sold_on date not null
    ) partition by range (sold_on);
    create table core.tickets_2026 partition of core.tickets for values from ('2026-01-01') to ('2027-01-01');
    create table core.tickets_2027 partition of core.tickets for values from ('2027-01-01') to ('2028-01-01');
    insert into core.ports values (1, 'Selm');
    insert into core.tickets (port_id, fare_cents, sold_on)
        select 1, g, '2026-05-01' from generate_series(1, 500) g;
    analyze;
    create table core.audit (ticket_id bigint, fare numeric);
    create table hidden.wages (crew_id int, wage numeric);
    create function core.euros(cents int) returns numeric language sql immutable as $$ select cents / 100.0 $$;
    create view core.gross as
        select port_id, sum(core.euros(fare_cents)) as gross from core.tickets group by port_id;
    create view hidden.cost as select crew_id, wage * 1.2 as cost from hidden.wages;
    create function core.note() returns trigger language plpgsql as $$
    begin insert into audit select new.ticket_id, new.fare; return new; end $$;
    create trigger noted after insert on core.tickets for each row execute function core.note();
    create procedure core.close(day date) language plpgsql as $$
    begin delete from core.audit a using core.tickets t where t.ticket_id = a.ticket_id and t.sold_on < day; end $$;
    comment on column core.ports.name is 'What people call it.';
    grant select on core.ports to public;
"""


@pytest.fixture
def place(cluster: Cluster) -> Iterator[tuple[str, psycopg.Connection]]:
    with fresh_database(cluster) as name, admin(cluster, name) as connection:
        connection.execute(SCHEMA)
        yield name, connection


def _config(cluster: Cluster, database: str, **values: object) -> dict:
    return {
        "kind": "postgresql", "host": "127.0.0.1", "port": cluster.port, "database": database, "user": "jalan",
        "password": cluster.password, "known_as": "islands:5432", **values,
    }  # fmt: skip


def _scan(store: Engine, config: dict, name: str = "place") -> sources.Outcome:
    source = sources.ensure(Context(store, "test"), name, parse_config(config))
    return sources.ingest(Context(store, "test"), source, config=parse_config(config))


def _links(store: Engine) -> set[tuple[str, str, str]]:
    with Session(store) as session:
        names = {f.id: f"{d.name.partition('.')[2]}.{f.name}" for f, d in session.execute(
            select(Field, Dataset).join(Dataset))}  # fmt: skip
        return {
            (names[k.source_field_id], names.get(k.target_field_id or 0, "rows"), k.kind)
            for k in session.scalars(select(Link).where(Link.valid_to.is_(None)))
        }


def _dataset(store: Engine, name: str) -> Dataset:
    with Session(store) as session:
        found = session.scalars(select(Dataset).where(Dataset.name.endswith(name))).one()
        session.expunge(found)
        return found


def test_everything_that_the_catalogue_tells(store: Engine, cluster: Cluster, place: tuple) -> None:
    outcome = _scan(store, _config(cluster, place[0]))
    assert outcome.totals == {"tables": 6, "columns": 16, "routines": 3, "triggers": 1}
    tickets = _dataset(store, ".core.tickets")
    assert tickets.rows == 500
    assert (tickets.bytes or 0) >= 8192
    assert tickets.facts["partition key"] == "RANGE (sold_on)"
    assert [p["name"] for p in tickets.facts["partitions"]] == ["core.tickets_2026", "core.tickets_2027"]
    assert tickets.facts["role"] == "jalan"
    assert _dataset(store, ".core.ports").facts["privileges"]["public"] == ["select"]
    with Session(store) as session:
        facts = {f.name: f.facts for f in session.scalars(select(Field).where(Field.dataset_id == tickets.id))}
    assert facts["port_id"] == {"nullable": True, "references": ["core.ports.port_id"]}
    assert facts["fare"]["generated"] == "((fare_cents)::numeric / 100.0)"
    assert facts["ticket_id"]["identity"] == "always"
    ports = _dataset(store, ".core.ports")
    with Session(store) as session:
        facts = {f.name: f.facts for f in session.scalars(select(Field).where(Field.dataset_id == ports.id))}
    assert facts["opened"]["default"] == "CURRENT_DATE"
    assert {
        ("core.tickets.fare_cents", "core.gross.gross", "value"),
        ("core.tickets.fare_cents", "core.tickets.fare", "value"),
        ("core.tickets.fare", "core.audit.fare", "value"),
        ("core.tickets.sold_on", "rows", "condition"),
    } <= _links(store)


def test_a_foreign_table_is_another_name_for_a_table_elsewhere(
    store: Engine, cluster: Cluster, place: tuple
) -> None:
    place[1].execute(
        """create extension postgres_fdw;
           create server quays foreign data wrapper postgres_fdw
               options (host 'quays.example', port '5433', dbname 'ticketing');
           create foreign table core.far (id int, paid int options (column_name 'fare')) server quays
               options (schema_name 'sales', table_name 'tickets')"""
    )
    _scan(store, _config(cluster, place[0]))
    with Session(store) as session:
        elsewhere = session.scalars(select(Dataset).where(Dataset.name == "ticketing.sales.tickets")).one()
        system = session.get_one(System, elsewhere.system_id)
    assert (system.namespace, elsewhere.placeholder) == ("postgres://quays.example:5433", True)
    assert {
        ("sales.tickets.fare", "core.far.paid", "value"),
        ("sales.tickets.id", "core.far.id", "value"),
    } <= _links(store)
    assert _dataset(store, ".core.far").facts["foreign server"] == {"server": "quays", "wrapper": "postgres_fdw"}


def test_the_second_scan_changes_nothing(store: Engine, cluster: Cluster, place: tuple) -> None:
    _scan(store, _config(cluster, place[0]))
    before = content(store)
    assert _scan(store, _config(cluster, place[0])).counts == {}
    assert content(store) == before


def test_schemas_are_chosen_by_patterns_and_what_is_left_out_is_not_gone(
    store: Engine, cluster: Cluster, place: tuple
) -> None:
    _scan(store, _config(cluster, place[0]))
    _scan(store, _config(cluster, place[0], include=["co.*"]))
    assert _dataset(store, ".hidden.wages").gone_since is None
    place[1].execute("drop view hidden.cost")
    _scan(store, _config(cluster, place[0], exclude=["core"]))
    assert _dataset(store, ".hidden.cost").gone_since is not None
    assert _dataset(store, ".core.gross").gone_since is None


def test_the_minimal_role_sees_what_it_was_given(store: Engine, cluster: Cluster, place: tuple) -> None:
    name, connection = place
    role = f"reader_{name}"
    connection.execute(
        MINIMAL_ROLE.replace("jalan_reader", role).replace("strait", name).replace("a password", "x1")
    )
    connection.execute(f"revoke usage on schema hidden from {role}")
    try:
        config = _config(cluster, name, user=role, password="x1")
        found = sources.preview(parse_config(config))
        assert any("hidden" in warning for warning in found.warnings)
        outcome = _scan(store, config)
        assert outcome.totals["tables"] == 6, "the catalogue tells of tables that the role may not read"
        with Context(store, "test") as context:
            (source,) = overview.sources(context)
        assert [note.code for note in source.last_ingestion.notes] == ["closed_schema"]
        reader = psycopg.connect(cluster.url(name).replace("+psycopg", ""), user=role, password="x1")
        with reader, pytest.raises(psycopg.errors.InsufficientPrivilege):
            reader.execute("select wage from hidden.wages")
    finally:
        connection.execute(f"drop owned by {role}; drop role {role}")


def test_the_transaction_can_only_read_and_gives_up_in_time(cluster: Cluster, place: tuple) -> None:
    from sqlalchemy import text

    from jalan.sources.postgres import parse_url, reading

    url = parse_url(cluster.url(place[0]).replace("+psycopg", ""))
    with pytest.raises(SourceError, match="read-only"), reading(url) as connection:
        connection.execute(text("create table x (i int)"))
    with pytest.raises(SourceError, match="statement timeout"), reading(url, timeout=1) as connection:
        connection.execute(text("select pg_sleep(30)"))


def test_a_view_that_cannot_be_read_is_one_diagnostic_and_the_rest_is_there(
    store: Engine, cluster: Cluster, place: tuple, monkeypatch: pytest.MonkeyPatch
) -> None:
    from jalan.lineage.script import parse
    from jalan.sql.grammar.script import Unread

    def refusing(sql: str, dialect: object):  # type: ignore[no-untyped-def]
        if "hidden.cost" in sql:
            yield Unread(0, len(sql), "syntax_error", "refused for the test", (3, 9))
        else:
            yield from parse(sql, dialect)

    monkeypatch.setattr("jalan.lineage.script.parse", refusing)
    _scan(store, _config(cluster, place[0]))
    with Context(store, "test") as context:
        (source,) = overview.sources(context)
        (unread,) = overview.unread(context, source.id, 0, 10).items
    assert (unread.place, unread.level, unread.message) == ("hidden.cost", "error", "refused for the test")
    assert source.coverage.none == 1
    assert ("core.tickets.fare_cents", "core.gross.gross", "value") in _links(store)


def test_a_server_that_stops_in_the_middle_leaves_what_was_there(store: Engine, tmp_path: Path) -> None:
    other = Cluster(ROOT / ".jalan" / "test" / "stopping", durable=False)
    other.start()
    try:
        with admin(other) as connection:
            connection.execute("drop database if exists place with (force)")
            connection.execute("create database place")
        with admin(other, "place") as connection:
            connection.execute(SCHEMA)
        config = _config(other, "place")
        _scan(store, config)
        before = content(store)
        told = IngestionLog.tell

        def stopping(run: IngestionLog, what: str, done: int, total: int) -> None:
            if what == "keys":
                other.stop()
            told(run, what, done, total)

        with pytest.MonkeyPatch.context() as patched:
            patched.setattr(IngestionLog, "tell", stopping)
            with pytest.raises(SourceError, match="cannot read"):
                _scan(store, config)
        assert content(store) == before
        with Context(store, "test") as context:
            (source,) = overview.sources(context)
        assert source.last_ingestion.state == "failed"
        assert other.password not in str(source.model_dump())
    finally:
        other.start()
        other.stop()


def test_two_scans_at_once_wait_for_one_another(store: Engine, cluster: Cluster, place: tuple) -> None:
    config = _config(cluster, place[0])
    errors: list[BaseException] = []

    def scan(name: str) -> None:
        try:
            _scan(store, config, name)
        except BaseException as error:
            errors.append(error)

    threads = [threading.Thread(target=scan, args=(f"place {n}",)) for n in range(3)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(60)
    assert not errors
    with Session(store) as session:
        names = session.scalars(select(Dataset.name)).all()
        keys = session.scalars(select(Definition.key).where(Definition.valid_to.is_(None))).all()
    assert len(names) == len(set(names)) == 6
    assert len(keys) == len(set(keys))


def test_the_reader_returns_plain_data(cluster: Cluster, place: tuple) -> None:
    found = read_database(cluster.url(place[0]).replace("+psycopg", ""))
    assert [t.name for t in found.triggers] == ["noted"]
    assert {r.name: r.kind for r in found.routines} == {
        "euros": "function",
        "note": "function",
        "close": "procedure",
    }
    (gross,) = [t for t in found.tables if t.name == "gross"]
    assert [found.routines[n].name for n in gross.calls] == ["euros"]


def test_what_an_earlier_version_has_brought_is_taken_over(store: Engine, cluster: Cluster, place: tuple) -> None:
    from sqlalchemy import text

    place[1].execute(
        f"""create extension postgres_fdw;
            create server far foreign data wrapper postgres_fdw
                options (host '127.0.0.1', port '{cluster.port}', dbname 'ticketing');
            create foreign table core.far (id int, fare int) server far options (schema_name 'public')"""
    )
    _scan(store, _config(cluster, place[0]))
    before = content(store)
    with store.begin() as connection:
        # Before there were sources, definitions were nobody's, and what they had asked was not kept.
        connection.execute(
            text(
                "update definition set source_id = null, asked = null, coverage = null, reader = null, names = '{}'"
            )
        )
    assert _scan(store, _config(cluster, place[0])).counts == {}
    assert content(store) == before
    assert _scan(store, _config(cluster, place[0]), "another name").counts.keys() <= {"claims"}
    for table in ("statement", "link", "definition"):
        assert content(store)[table].total() == before[table].total()
