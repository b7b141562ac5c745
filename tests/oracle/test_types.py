"""Types of columns and expressions, and where they do not fit: PostgreSQL decides."""

import itertools
import random
from collections.abc import Iterator, Sequence

import psycopg
import pytest
from tools.type_data import type_data

from jalan.change.types import Misfit, TypedOutput, check_statement, declared_type, outputs_of, type_system
from jalan.change.types.system import Ambiguous
from jalan.demo.cluster import Cluster
from jalan.sql import tree
from jalan.sql.dialects import get_dialect
from jalan.sql.grammar.script import parse
from tests.conftest import NIGHTLY, admin
from tests.oracle.test_views import HERE, QUERIES

SYSTEM = type_system()
TYPES = (
    "integer", "bigint", "smallint", "numeric", "double precision", "real", "text", "character varying",
    "character", "boolean", "date", "timestamp without time zone", "timestamp with time zone",
    "time without time zone", "interval", "uuid", "json", "jsonb", "text[]", "integer[]", "bytea", "inet", "name",
    "unknown",
)  # fmt: skip
REFUSED = ("42883", "42804", "42P18", "42725", "42846", "42P19")
"""No such operator or function, types that do not match, no type at all, several that fit, no such cast."""
_COLUMNS = """
select case when n.nspname = 'public' then '' else n.nspname || '.' end || c.relname,
       array_agg(a.attname::text order by a.attnum),
       array_agg(format_type(a.atttypid, a.atttypmod) order by a.attnum)
from pg_class c join pg_namespace n on n.oid = c.relnamespace
join pg_attribute a on a.attrelid = c.oid and a.attnum > 0 and not a.attisdropped
where c.relkind in ('r', 'v') and n.nspname not in ('pg_catalog', 'information_schema') group by 1
"""
Columns = dict[str, list[TypedOutput]]


@pytest.fixture(scope="module")
def connection(cluster: Cluster, database: str) -> Iterator[psycopg.Connection]:
    with admin(cluster, database) as found:
        found.execute((HERE / "schema.sql").read_text())
        yield found


def columns(connection: psycopg.Connection) -> Columns:
    return {
        name: [TypedOutput(one, declared_type(written)) for one, written in zip(names, types, strict=True)]
        for name, names, types in connection.execute(_COLUMNS)
    }


def find(known: Columns, parts: tuple[str, ...]) -> Sequence[TypedOutput] | None:
    return known.get(".".join(parts).removeprefix("public."))


def test_the_tables_of_types_are_those_of_the_server(connection: psycopg.Connection) -> None:
    """They are made anew by tools/type_data.py."""
    assert type_data(connection) == (HERE.parents[1] / "src/jalan/change/types/postgresql.txt").read_text()


def asked(connection: psycopg.Connection, expression: str) -> str:
    try:
        row = connection.execute(f"select pg_typeof({expression})::text".encode()).fetchone()
        return str(row[0]) if row else ""
    except psycopg.Error as error:
        return "refused" if error.sqlstate in REFUSED else f"over data {error.sqlstate}"


def of(type_: str) -> str:
    return "null" if type_ == "unknown" else f"(null::{type_})"


def test_operators_are_those_that_the_server_takes(connection: psycopg.Connection) -> None:
    every = list(itertools.product(sorted(SYSTEM.operators), TYPES, TYPES))
    wrong = []
    for name, left, right in every if NIGHTLY else random.Random(5).sample(every, 2_000):
        try:
            found = SYSTEM.operator(name, left, right)
            said = "refused" if found is None else SYSTEM.result(found, (left, right))
        except Ambiguous:
            said = "refused"
        done = asked(connection, f"{of(left)} {name} {of(right)}")
        if said is not None and said != done and not done.startswith("over data"):
            wrong.append((name, left, right, said, done))
    assert wrong == []


def test_functions_are_those_that_the_server_takes(connection: psycopg.Connection) -> None:
    chance = random.Random(7)
    wrong = []
    for name, routines in sorted(SYSTEM.functions.items()):
        special = name in ("substring", "overlay", "position", "numeric", "current_database") or SYSTEM.knows(name)
        if special or declared_type(name) != declared_type(f'"{name}"'.strip('"')) or _makes_rows(name):
            continue
        if (target := declared_type(name)) is not None and SYSTEM.knows(target.base):
            continue  # a cast
        for count in {len(one.arguments) for one in routines if 0 < len(one.arguments) < 4}:
            every = list(itertools.product(TYPES[:-1], repeat=count))
            for given in chance.sample(every, min(len(every), 30 if NIGHTLY else 1)):
                try:
                    found = SYSTEM.function(name, given)
                    said = "refused" if found is None else SYSTEM.result(found, given)
                except Ambiguous:
                    said = "refused"
                done = asked(connection, f'"{name}"({", ".join(map(of, given))})')
                if said is not None and said != done and not done.startswith("over data"):
                    wrong.append((name, given, said, done))
    assert wrong == []


def _makes_rows(name: str) -> bool:
    """Whether it cannot stand alone in a query, or asks about more than its arguments' types."""
    alone = all(not one.is_set and one.kind != "w" for one in SYSTEM.functions[name])
    return not alone or name.startswith(("pg_", "jsonb_populate", "json_populate", "inet_", "txid_", "nextval"))


@pytest.mark.parametrize("query", QUERIES, ids=range(len(QUERIES)))
def test_outputs_have_the_types_that_the_server_gives_them(connection: psycopg.Connection, query: str) -> None:
    known = columns(connection)
    node = next(iter(parse(query, get_dialect("postgresql"))))
    assert isinstance(node, tree.QueryStatement)
    said = [one.type for one in outputs_of(node.query, query, lambda parts: find(known, parts))]
    aliases = ", ".join(f"c{n}" for n in range(len(said)))
    connection.execute(f"create view public.typed ({aliases}) as {query}".encode())
    try:
        rows = connection.execute(
            "select format_type(atttypid, atttypmod) from pg_attribute where attrelid = 'public.typed'::regclass "
            "and attnum > 0 order by attnum"
        ).fetchall()
    finally:
        connection.execute("drop view public.typed")
    assert len(said) == len(rows)
    assert [(str(one), row[0]) for one, row in zip(said, rows, strict=True) if one and str(one) != row[0]] == []


RETYPED = [
    ("public.tickets", "fare_cents", "text"), ("public.tickets", "fare_cents", "numeric"),
    ("public.tickets", "status", "integer"), ("public.tickets", "sailing_id", "text"),
    ("public.tickets", "ticket_id", "uuid"), ("public.tickets", "sold_at", "text"),
    ("public.tickets", "sold_at", "date"), ("public.tickets", "extras", "json"),
    ("ops.sailings", "departs_at", "text"), ("ops.sailings", "seats", "boolean"),
    ("ops.sailings", "route_id", "integer"), ("ops.ports", "tags", "text"), ("ops.ports", "opened_on", "text"),
    ("public.passengers", "born_on", "interval"), ("public.passengers", "full_name", "bytea"),
    ("public.crew", "pay", "text"), ("public.crew", "boss_id", "bigint"), ("public.tides", "height_cm", "json"),
    ("ops.vessels", "specs", "text"), ("ops.vessels", "berths", "numeric(6,1)"), ("ops.vessels", "retired", "text"),
    ("public.refunds", "amount_cents", "boolean"), ("public.refunds", "refunded_at", "date"),
    ("ops.routes", "distance_km", "text[]"), ("ops.routes", "minutes", "interval"),
]  # fmt: skip


@pytest.mark.parametrize(("table", "column", "type_"), RETYPED, ids=[" ".join(one) for one in RETYPED])
def test_a_query_fails_over_another_type_where_the_server_says_so(
    connection: psycopg.Connection, table: str, column: str, type_: str
) -> None:
    wrong = []
    with connection.transaction(force_rollback=True):
        connection.execute(
            "drop view public.open_tickets; alter table ops.routes drop constraint routes_pkey cascade"
        )
        connection.execute(
            f"alter table {table} alter column {column} drop default, "
            f"alter column {column} type {type_} using null::{type_}".encode()
        )
        known = columns(connection)
        for query in QUERIES:
            if "open_tickets" in query:
                continue
            node = next(iter(parse(query, get_dialect("postgresql"))))
            assert not isinstance(node, str)
            said = done = ""
            try:
                check_statement(node, query, lambda parts: find(known, parts))  # type: ignore[arg-type]
            except Misfit as misfit:
                said = str(misfit)
            try:
                with connection.transaction():
                    connection.execute(f"explain {query}".encode())
            except psycopg.Error as error:
                done = str(error.diag.message_primary)
            if bool(said) != bool(done):
                wrong.append((query, said, done))
    assert wrong == []
