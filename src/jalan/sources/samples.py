"""Some rows of a query, and how many there are, asked of a real database that may only be read."""

from collections.abc import Sequence
from contextlib import suppress
from dataclasses import dataclass, field
from typing import Any

import psycopg
from sqlalchemy import Connection, text
from sqlalchemy.engine import URL

from jalan.sources.postgres import reading

_LONGEST = 200  # characters of a value
_SECONDS = 8  # for each question


@dataclass(frozen=True, slots=True)
class Asked:
    """A query whose rows are looked at. sql: without a semicolon. columns: the names by which its outputs go.
    path: where it looks for names. condition: over the columns, empty for none. order: columns by which the rows
    are put in order."""

    sql: str
    columns: Sequence[str]
    path: Sequence[str]
    condition: str = ""
    order: Sequence[str] = ()


@dataclass(slots=True)
class Sampled:
    """What was found. rows: of texts, none for nulls. more: there are more of them. total, nulls, distinct: of all
    rows, none where counting takes too long. failed: what the database said."""

    rows: list[tuple[str | None, ...]] = field(default_factory=list)
    more: bool = False
    total: int | None = None
    nulls: list[int] = field(default_factory=list)
    distinct: list[int] = field(default_factory=list)
    failed: str | None = None


def sample(url: URL, queries: Sequence[Asked], most: int) -> list[Sampled]:
    """Return some rows of queries, and their counts, in one read-only transaction each that gives up in time.

    most: how many rows of each. Raises SourceError where the database is away.
    """
    return [_one(url, query, most) for query in queries]


def _one(url: URL, asked: Asked, most: int) -> Sampled:
    found = Sampled()
    with reading(url, _SECONDS) as connection:
        names = [quoted(name) for name in asked.columns]
        source = f"({asked.sql}\n) as s ({', '.join(names)})" + (
            f" where ({asked.condition}\n)" if asked.condition else ""
        )
        shown = ", ".join(f"left(s.{name}::text, {_LONGEST})" for name in names)
        order = ", ".join(f"s.{quoted(name)}::text" for name in asked.order)
        rows = f"select {shown} from {source}" + (f" order by {order}" if order else "") + f" limit {most + 1}"
        counts = "select count(*), " + ", ".join(
            f"count(*) - count(s.{name}), count(distinct s.{name}::text)" for name in names
        )
        connection.execute(text("select set_config('search_path', :path, true)"), {"path": ", ".join(asked.path)})
        try:
            fetched = _fetch(connection, rows)
        except psycopg.errors.QueryCanceled:
            found.failed = f"it takes longer than {_SECONDS} seconds; narrow it down by a filter"
            return found
        except psycopg.Error as error:
            found.failed = str(error.diag.message_primary or error)
            return found
        found.rows, found.more = fetched[:most], len(fetched) > most
        with suppress(psycopg.errors.QueryCanceled):
            (counted,) = _fetch(connection, f"{counts} from {source}")
            found.total, found.nulls, found.distinct = counted[0], list(counted[1::2]), list(counted[2::2])
    return found


def _fetch(connection: Connection, sql: str) -> list[tuple[Any, ...]]:
    """Run one statement: the server refuses several where they are prepared."""
    driver = connection.connection.driver_connection
    assert isinstance(driver, psycopg.Connection)
    with driver.cursor() as cursor:
        return cursor.execute(sql.encode(), prepare=True).fetchall()


def quoted(name: str) -> str:
    """Return a name as SQL has it where nothing is known of its letters."""
    return '"' + name.replace('"', '""') + '"'
