"""Queries and scripts made by chance: the catalogue says what a query uses, and changed values what everything
depends on: what changes when one source column does must be reached from it.

``JALAN_ORACLE_EXAMPLES`` sets how many; the nightly run takes 2000. Every counterexample ever found stands in
``counterexamples.sql``.
"""

import os
import random
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

import psycopg
import pytest
from hypothesis import HealthCheck, given, note, settings
from hypothesis import strategies as st

from jalan import Extraction, extract
from jalan.demo.cluster import Cluster
from tests.conftest import admin
from tests.oracle.catalogue import used_columns
from tests.oracle.random_queries import Maker, Tables

EXAMPLES = int(os.environ.get("JALAN_ORACLE_EXAMPLES", "50"))
NIGHTLY = EXAMPLES > 1000
SETTINGS = settings(
    max_examples=EXAMPLES,
    deadline=None,
    derandomize=not NIGHTLY,
    database=None,
    suppress_health_check=list(HealthCheck),
)
COUNTEREXAMPLES = [
    text.strip()
    for text in (Path(__file__).parent / "counterexamples.sql").read_text().split("\n\n")
    if text.strip() and not text.startswith("--")
]
Value = int | None
Rows = dict[str, list[list[Value]]]
Column = tuple[str, str]


class NoExample(Exception):
    """The query is too large for a test, or its values clash: it proves nothing."""


class Schema:
    """Tables in a database of their own."""

    def __init__(self, connection: psycopg.Connection, tables: Tables) -> None:
        self.connection = connection
        self.tables = tables
        for table, columns in tables.items():
            connection.execute(f"create table {table} ({', '.join(f'{c} int' for c in columns)})")

    def fill(self, rows: Rows) -> None:
        """Fill the tables anew in the same order, so that nothing but values can differ."""
        for table, content in rows.items():
            self.connection.execute(f"truncate {table}")
            with self.connection.cursor() as cursor, cursor.copy(f"copy {table} from stdin") as copy:
                for row in content:
                    copy.write_row(row)

    def known(self) -> dict[str, list[str]]:
        """The tables as extraction takes them."""
        return {f"public.{table}": columns for table, columns in self.tables.items()}

    def changes(self, rows: Rows, r: random.Random) -> Iterator[tuple[Column, Rows]]:
        """Yield each column, with the rows in which only its values are others."""
        for table, columns in self.tables.items():
            for i, column in enumerate(columns):
                changed = [list(row) for row in rows[table]]
                for row in changed:
                    row[i] = _value(r, 7)
                yield (f"public.{table}", column), {**rows, table: changed}


@pytest.fixture(scope="module")
def connection(cluster: Cluster, database: str) -> Iterator[psycopg.Connection]:
    with admin(cluster, database) as found:
        yield found


@contextmanager
def limited(connection: psycopg.Connection) -> Iterator[None]:
    """Run made-up SQL: at most for a moment, and without proof where its values do not allow it.

    Only this work is limited. Making and filling the tables takes what it takes on a busy machine.
    """
    connection.execute("set statement_timeout = '500ms'")
    try:
        yield
    except (psycopg.errors.QueryCanceled, psycopg.errors.DataError, psycopg.errors.CardinalityViolation) as error:
        raise NoExample from error
    finally:
        _without_limit(connection)


def _without_limit(connection: psycopg.Connection) -> None:
    """Take the limit off; on a busy machine it may hit the very statement that does."""
    for _ in range(10):
        try:
            connection.execute("reset statement_timeout")
            return
        except psycopg.errors.QueryCanceled:
            continue
    raise TimeoutError("the server does not take the limit off")


@st.composite
def schemas(draw: st.DrawFn) -> Tables:
    """Two to four tables of two to four columns, some of which have the same names."""
    return {
        name: draw(st.lists(st.sampled_from("kvwxyz"), min_size=2, max_size=4, unique=True))
        for name in ("a", "b", "c", "d")[: draw(st.integers(2, 4))]
    }


def _value(r: random.Random, most: int) -> Value:
    return None if r.random() < 0.1 else r.randint(0, most)


def _rows(r: random.Random, tables: Tables) -> Rows:
    return {t: [[_value(r, 5) for _ in columns] for _ in range(r.randint(1, 3))] for t, columns in tables.items()}


def _run(connection: psycopg.Connection, work: str) -> list[list[str]]:
    """Each output column as a bag of values."""
    found = connection.execute(work)
    assert found.description is not None
    rows = found.fetchall()
    return [sorted(str(row[i]) for row in rows) for i in range(len(found.description))]


def check_query(schema: Schema, sql: str, r: random.Random) -> None:
    """Hold one query against the catalogue and against changed values."""
    connection = schema.connection
    found = extract(sql, tables=schema.known())
    assert [d for d in found.diagnostics if d.level != "info"] == [], sql
    statement = found.statements[-1]
    connection.execute(f"create temporary view under_test as {sql}")
    try:
        assert statement.uses == used_columns(connection, "under_test"), sql
    finally:
        connection.execute("drop view under_test")
    whole = {(s.table, s.column) for s in statement.row_conditions}
    rows = _rows(r, schema.tables)
    schema.fill(rows)
    with limited(connection):
        before = _run(connection, sql)
    for source, changed in schema.changes(rows, r):
        if source in whole:
            continue
        schema.fill(changed)
        with limited(connection):
            after = _run(connection, sql)
        for output, old, new in zip(statement.outputs, before, after, strict=True):
            reached = {(s.table, s.column) for s in (*output.values, *output.conditions)}
            assert old == new or source in reached, f"{source} changed {output.name} in: {sql}"


def reached_by(found: Extraction, source: Column, tables: Tables) -> set[Column]:
    """Return every column that a change of ``source`` may change, by the links of a script.

    Where the rows of a table may change, all of its columns may, and whatever a statement makes of it.
    """
    columns = {source}
    rows: set[str] = set()
    reads = [_lasting_reads(found, i) for i in range(len(found.statements))]
    while True:
        size = (len(columns), len(rows))
        for link in found.links:
            assert link.target is not None
            read = reads[link.statement]
            if (link.table, link.column) in columns or rows & read:
                if link.output is None:
                    rows.add(link.target)
                else:
                    columns.add((link.target, link.output))
        for i, statement in enumerate(found.statements):
            if rows & reads[i] and statement.target is not None:
                rows.add(statement.target)
        for table in rows:
            columns |= {(table, column) for column in tables.get(table.removeprefix("public."), ())}
        if size == (len(columns), len(rows)):
            return columns


def _lasting_reads(found: Extraction, number: int) -> set[str]:
    """The tables that a statement reads, what temporary tables were made of in their place."""
    reads: set[str] = set()
    for table in found.statements[number].reads:
        makers = [i for i in range(number) if found.statements[i].target == table]
        if table in found.intermediates and makers:
            reads |= set().union(*(_lasting_reads(found, i) for i in makers))
        else:
            reads.add(table)
    return reads


def check_script(schema: Schema, sql: str, r: random.Random) -> None:
    """Run a script on values and on changed ones; what differs in the tables afterwards must be reached."""
    found = extract(sql, tables=schema.known())
    assert [d for d in found.diagnostics if d.level != "info"] == [], sql
    rows = _rows(r, schema.tables)
    before = _after_script(schema, rows, sql)
    for source, changed in schema.changes(rows, r):
        after = _after_script(schema, changed, sql)
        differing = {column for column in before if before[column] != after[column]}
        missed = differing - reached_by(found, source, schema.tables)
        assert not missed, f"{source} changed {sorted(missed)} in: {sql}"


def _after_script(schema: Schema, rows: Rows, sql: str) -> dict[Column, list[str]]:
    schema.fill(rows)
    connection = schema.connection
    with limited(connection), connection.transaction(force_rollback=True):
        connection.execute(sql)
        return {
            (f"public.{table}", column): bag
            for table, columns in schema.tables.items()
            for column, bag in zip(columns, _run(connection, f"select * from {table}"), strict=True)
        }


def _with_schema(connection: psycopg.Connection, tables: Tables) -> Schema:
    connection.execute("drop schema public cascade; create schema public")
    return Schema(connection, tables)


@SETTINGS
@given(tables=schemas(), r=st.randoms(use_true_random=False), seed=st.integers(0, 2**32))
def test_a_random_query_is_understood(
    connection: psycopg.Connection, tables: Tables, r: random.Random, seed: int
) -> None:
    sql = Maker(r, tables).statement()
    note(sql)
    with suppress(NoExample):
        check_query(_with_schema(connection, tables), sql, random.Random(seed))


@SETTINGS
@given(tables=schemas(), r=st.randoms(use_true_random=False), seed=st.integers(0, 2**32))
def test_a_random_script_is_understood(
    connection: psycopg.Connection, tables: Tables, r: random.Random, seed: int
) -> None:
    sql = Maker(r, tables).script()
    note(sql)
    with suppress(NoExample):
        check_script(_with_schema(connection, tables), sql, random.Random(seed))


@pytest.mark.parametrize("sql", COUNTEREXAMPLES, ids=range(len(COUNTEREXAMPLES)))
@pytest.mark.parametrize("seed", range(3))
def test_what_was_once_a_counterexample_is_none(connection: psycopg.Connection, sql: str, seed: int) -> None:
    tables = {"a": ["k", "x", "y", "z"], "b": ["k", "x", "w"], "c": ["k", "v", "w"]}
    schema = _with_schema(connection, tables)
    check = check_query if sql.startswith(("select", "with", "(")) else check_script
    check(schema, sql, random.Random(seed))
