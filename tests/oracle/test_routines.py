"""Functions and procedures, judged by PostgreSQL: each change is made in a transaction that is taken back, all
texts are run over it, and what failed, or gave something else, is held against what was said."""

from collections.abc import Iterator
from contextlib import contextmanager

import psycopg
import pytest

from jalan.change.catalogue import Catalogue
from jalan.change.outcome import Kind, Outcome
from jalan.change.plan import Route, routes
from jalan.change.ran import Text
from jalan.change.running import run
from jalan.change.simulation import World
from jalan.demo.cluster import Cluster

SETUP = """
create table ports (port text, island text, berths int);
create table tickets (ticket int, port text, fare int, sold date);
create table daily (port text, total bigint);
insert into ports values ('Aru', 'north', 3), ('Bel', 'north', 5), ('Cor', 'south', 2);
insert into tickets values (1, 'Aru', 43, '2026-03-01'), (2, 'Aru', 17, '2025-02-01'), (3, 'Bel', 88, '2026-05-04');
create function fares(p text) returns bigint language sql stable
    begin atomic select sum(t.fare) from tickets t where t.port = p; end;
create function doubled(p text) returns bigint language sql stable return fares(p) * 2;
create function island_of(p text) returns text language sql stable as $$ select island from ports where port = p $$;
create function rounded(n int) returns int language sql immutable as $$ select n / 10 * 10 $$;
create function rounded(n numeric) returns numeric language sql immutable as $$ select round(n / 3, 1) $$;
create function rounded(n int, by int) returns int language sql immutable as $$ select n / by * by $$;
create function only_numbers(n int) returns int language sql immutable as $$ select n + 1 $$;
create function counted(p text) returns bigint language plpgsql as $$ declare n bigint; begin
    select count(*) into n from tickets where port = p and sold > '2026-01-01'; return n; end $$;
create function described(p text) returns text language plpgsql as $$ begin
    return island_of(p) || counted(p)::text; end $$;
create function listed(lowest int) returns table (port text, fare int) language sql stable as $$
    select port, fare from tickets where fare > lowest $$;
create procedure fill() language plpgsql as $$ begin
    delete from daily; insert into daily select port, sum(fare) from tickets group by port; end $$;
create view by_port as select port, doubled(port) as twice, berths from ports;
create view islands as select port, island_of(port) as land, berths from ports;
create view counts as select port, counted(port) as n, berths from ports;
create view tens as select ticket, rounded(fare) as ten from tickets;
"""
NIGHT = [
    Text("fill", "call fill()"),
    Text(
        "correct",
        "do $$ begin update daily d set total = total + p.berths from ports p where p.port = d.port; end $$",
    ),
]
ASKED = [
    Text(query, query, is_query=True)
    for query in (
        "select port, total from daily",
        "select port, twice from by_port",
        "select port, berths from by_port",
        "select land from islands",
        "select port, berths from islands",
        "select berths from counts",
        "select n from counts",
        "select ten from tens",
        "select ticket from tens",
        "select rounded(fare) from tickets",
        "select rounded(fare, 7) from tickets",
        "select rounded(2.5), rounded(fare + 0.5) from tickets",
        "select only_numbers(fare) from tickets",
        "select only_numbers(berths) from ports",
        "select described(port) from ports",
        "select * from listed(20)",
        "select port from listed(20)",
        "select fares('Aru')",
        "select island from ports",
        "select port from ports where exists (select 1 from daily where total > berths)",
        "select lower(port) as pp, count(*) from ports group by pp",
        "select island from ports where port in (select port from daily)",
        "select port, (select max(fare) from tickets t where t.port = ports.port and berths > 2) from ports",
    )
]
COLUMNS = {
    "ports": ("port", "island", "berths"),
    "tickets": ("ticket", "port", "fare", "sold"),
    "daily": ("port", "total"),
}
SIGNATURES = [
    "fares(text)", "doubled(text)", "island_of(text)", "rounded(int)", "rounded(numeric)", "rounded(int, int)",
    "only_numbers(int)", "counted(text)", "described(text)", "listed(int)",
]  # fmt: skip
REPLACED = [
    "create or replace function fares(p text) returns bigint language sql stable return 5::bigint",
    "create or replace function fares(p text) returns bigint language sql stable "
    "begin atomic select min(t.fare)::bigint from tickets t where t.port = p; end",
    "create or replace function fares(p text) returns int language sql stable as $$ select 5 $$",
    "create or replace function fares(q text) returns bigint language sql stable as $$ select 5::bigint $$",
    "create function fares(p text) returns bigint language sql as $$ select 5::bigint $$",
    "create function fares(p text) returns bigint language sql begin atomic select sum(toll) from tickets; end",
    "create or replace function doubled(p text) returns bigint language sql stable return fares(p) * 3",
    "create or replace function island_of(p text) returns text language sql stable as $$ select upper(p) $$",
    "create or replace function island_of(p text) returns text language sql stable as $$ select toll from ports $$",
    "create or replace function counted(p text) returns bigint language plpgsql as $$ begin return 4; end $$",
    "create or replace function counted(p text) returns bigint language plpgsql "
    "as $$ begin return (select count(toll) from tickets); end $$",
    "create or replace function rounded(n int) returns int language sql immutable as $$ select n $$",
    "create or replace function rounded(n bigint) returns bigint language sql immutable as $$ select n $$",
    "create or replace function rounded(n int, by int default 5) returns int language sql as $$ select 1 $$",
    "create or replace function only_numbers(n int, m int) returns int language sql as $$ select 1 $$",
    "create or replace function only_numbers(n int, m int default 1) returns int language sql as $$ select 1 $$",
    "create or replace function only_numbers(n numeric) returns numeric language sql as $$ select n $$",
    "create or replace procedure fill() language plpgsql as $$ begin delete from daily; end $$",
    "create or replace procedure fill() language plpgsql "
    "as $$ begin insert into daily (porto) select port from ports; end $$",
    "create or replace procedure fill() language plpgsql as $$ begin delete from nightly; end $$",
    "create or replace procedure fill(x int) language plpgsql as $$ begin delete from daily; end $$",
    "drop procedure fill",
    "drop procedure fill()",
    "alter function only_numbers(int) rename to no_numbers",
    "alter function fares(text) rename to tolls",
    "alter function fares rename to tolls",
    "alter function rounded rename to tens_of",
    "alter function nothing(int) rename to tolls",
    "drop function nothing(int)",
    "drop function if exists nothing(int)",
    "drop function rounded(text)",
    "drop function only_numbers(int), listed(int)",
    *(
        f"alter table {table} add column {column}"
        for table in COLUMNS
        for column in ("p text", "pp text default 'x'", "berths int default 9", "lowest int default 90", "n int")
        if column.split()[0] not in COLUMNS[table]
    ),
    "drop table tickets",
    "drop table tickets cascade",
    "drop table ports cascade",
    "drop view by_port",
    "drop table daily",
    "alter table tickets rename to passages",
    "create or replace view by_port as select port, fares(port) as twice, berths from ports",
    "create or replace view islands as select port, island_of(port) as land, berths + 0 as berths from ports",
]


def changes() -> Iterator[str]:
    for table, columns in COLUMNS.items():
        for column in columns:
            yield f"alter table {table} drop column {column}"
            yield f"alter table {table} drop column {column} cascade"
            yield f"alter table {table} rename column {column} to {column}_x"
            yield f"alter table {table} alter column {column} type text using {column}::text"
            yield f"alter table {table} alter column {column} type numeric using length({column}::text)"
            yield f"alter table {table} alter column {column} type bigint using length({column}::text)"
    for one in SIGNATURES:
        yield f"drop function {one}"
        yield f"drop function {one} cascade"
        yield f"drop function {one.partition('(')[0]}"
    yield from REPLACED


@pytest.fixture(scope="module")
def world() -> World:
    catalogue = Catalogue()
    failure = run(catalogue, Text("before", SETUP), typed=True).failure
    assert failure is None, failure
    found = World(catalogue, [*NIGHT, *ASKED])
    assert [
        (text.place, ran.failure) for text, ran in zip(found.texts, found.ran, strict=True) if ran.failure
    ] == []
    return found


@pytest.fixture(scope="module")
def database(cluster: Cluster) -> Iterator[psycopg.Connection]:
    url = cluster.url("postgres").replace("+psycopg", "")
    with psycopg.connect(url, autocommit=True) as admin:
        admin.execute("drop database if exists routines with (force)")
        admin.execute("create database routines")
    with psycopg.connect(cluster.url("routines").replace("+psycopg", ""), autocommit=True) as connection:
        connection.execute(SETUP)  # type: ignore[call-overload]
        yield connection


def really(database: psycopg.Connection, change: str) -> tuple[str | None, dict[str, str | list[str]]]:
    """What the database says where it refuses, and of each text the error or the rows."""
    found: dict[str, str | list[str]] = {}
    with database.transaction(force_rollback=True):
        if change:
            try:
                with database.transaction():
                    database.execute(change)  # type: ignore[call-overload]
            except psycopg.Error as error:
                return error.diag.message_primary, found
        for text in [*NIGHT, *ASKED]:
            try:
                with database.transaction():
                    answer = database.execute(text.text)  # type: ignore[call-overload]
                    found[text.place] = sorted(map(repr, answer.fetchall())) if answer.description else []
            except psycopg.Error as error:
                found[text.place] = str(error.diag.message_primary)
    return None, found


def said(refusal: str | None) -> str | None:
    """Without the schema, and without what comes first where several stand in the way."""
    if refusal is None or "cannot alter type of a column used by" in refusal:
        return refusal and "cannot alter type"
    return refusal.replace(" public.", " ")


def broken(outcome: Outcome) -> set[str]:
    return {one.subject for one in outcome.consequences if one.kind is Kind.BREAKS}


@pytest.mark.parametrize("change", list(changes()))
def test_what_a_change_does_through_routines(world: World, database: psycopg.Connection, change: str) -> None:
    usual = really(database, "")[1]
    refused, found = really(database, change)
    outcome = world.simulate(change)
    assert said(outcome.refused) == said(refused)
    assert broken(outcome) == {place for place, rows in found.items() if isinstance(rows, str)}
    told = {one.subject for one in outcome.consequences}
    other = {place for place, rows in found.items() if isinstance(rows, list) and rows != usual[place]}
    assert other - told == set()


PLANNED = [
    "alter table tickets drop column fare",
    "alter table tickets drop column port",
    "alter table ports drop column berths",
    "alter table tickets alter column fare type bigint",
    "alter table tickets rename column fare to price",
    "alter table tickets rename to passages",
    "drop table tickets",
]


@pytest.mark.parametrize("change", PLANNED)
def test_a_plan_goes_around_routines_and_is_taken_back(world: World, cluster: Cluster, change: str) -> None:
    for route in routes(world, change):
        with copy(cluster) as connection:
            before = definitions(connection)
            carry_out(connection, route)
            for step in reversed(route.steps):
                if step.undo:
                    connection.execute(step.undo)  # type: ignore[call-overload]
            assert definitions(connection) == before


def carry_out(connection: psycopg.Connection, route: Route) -> None:
    for step in route.steps:
        if step.sql:
            connection.execute(step.sql)  # type: ignore[call-overload]


@contextmanager
def copy(cluster: Cluster) -> Iterator[psycopg.Connection]:
    with psycopg.connect(cluster.url("postgres").replace("+psycopg", ""), autocommit=True) as admin:
        admin.execute("drop database if exists routines_planned with (force)")
        admin.execute("create database routines_planned")
    url = cluster.url("routines_planned").replace("+psycopg", "")
    with psycopg.connect(url, autocommit=True) as connection:
        connection.execute(SETUP)  # type: ignore[call-overload]
        yield connection


def definitions(connection: psycopg.Connection) -> list[object]:
    """The columns of all relations, and what all routines and views are."""
    return connection.execute("""
        select format('%s.%s %s', c.relname, a.attname, a.atttypid::regtype) from pg_class c
        join pg_attribute a on a.attrelid = c.oid and a.attnum > 0 and not a.attisdropped
        where c.relnamespace = 'public'::regnamespace
        union all select pg_get_functiondef(p.oid) from pg_proc p where p.pronamespace = 'public'::regnamespace
        union all select c.relname || pg_get_viewdef(c.oid) from pg_class c
        where c.relnamespace = 'public'::regnamespace and c.relkind = 'v' order by 1
    """).fetchall()
