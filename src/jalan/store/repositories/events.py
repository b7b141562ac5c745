"""Events as they were received: written in batches, each once; in partitions by month; kept as long as wanted."""

from collections.abc import Iterable, Iterator, Sequence
from datetime import UTC, datetime, timedelta
from typing import Any

import psycopg
from sqlalchemy import Connection, Engine

from jalan.runs.events import Event

CHANNEL = "jalan_events"
_WRITE = """
with given as (
    select distinct on (at, digest) * from unnest(
        %(at)b::timestamptz[], %(digest)b::bytea[], %(type)b::text[], %(run)b::uuid[], %(namespace)b::text[],
        %(name)b::text[], %(raw)b::text[]
    ) as given (at, digest, type, run, namespace, name, raw)
), new as (
    insert into event (at, digest, type, run, namespace, name, raw)
    select at, digest, type, run, namespace, name, raw from given on conflict do nothing
    returning at, digest
), waiting as (
    insert into event_waiting (at, digest) select at, digest from new returning 1
)
select pg_notify('jalan_events', '') where exists (select from waiting)
"""
_PARTS = "partitions"  # the schema that they are in
_OTHER = f"{_PARTS}.event_other"
_EARLIEST = 150  # months before now that get partitions of their own


def write(connection: Connection, events: Sequence[tuple[Event, str]]) -> None:
    """Write events that are not there yet, each with its text. Cost: these events."""
    connection.exec_driver_sql(_WRITE, _given(events))


async def write_from_loop(connection: psycopg.AsyncConnection, events: Sequence[tuple[Event, str]]) -> None:
    """The same from an event loop, committed when it returns. connection: one that commits each statement."""
    await connection.execute(_WRITE, _given(events))


def _given(events: Sequence[tuple[Event, str]]) -> dict[str, Any]:
    names = [event.job or event.dataset or ("", "") for event, _ in events]
    return {
        "at": [event.time for event, _ in events],
        "digest": [event.digest for event, _ in events],
        "type": [event.type for event, _ in events],
        "run": [event.run for event, _ in events],
        "namespace": [namespace for namespace, _ in names],
        "name": [name for _, name in names],
        "raw": [raw for _, raw in events],
    }


def waiting(connection: Connection, limit: int) -> list[Any]:
    """Return events that are not yet taken into their runs, in the order in which they came: id, at, digest,
    raw. Who takes them holds them until the end of the transaction."""
    query = """
        select w.id, w.at, w.digest, e.raw from (
            select id, at, digest from event_waiting order by id limit %(limit)s for update skip locked
        ) w left join event e on e.at = w.at and e.digest = w.digest order by w.id
    """
    return list(connection.exec_driver_sql(query, {"limit": limit}).all())


def taken(connection: Connection, ids: Iterable[int]) -> None:
    """Events wait no longer."""
    connection.exec_driver_sql("delete from event_waiting where id = any(%(ids)s)", {"ids": list(ids)})


def refuse(connection: Connection, at: datetime, digest: bytes, why: str) -> None:
    """Write down that an event could not be taken into its run."""
    query = "insert into event_refused values (%(at)s, %(digest)s, %(why)s) on conflict do nothing"
    connection.exec_driver_sql(query, {"at": at, "digest": digest, "why": why[:2000]})


def wait_again(connection: Connection) -> int:
    """Let every event wait to be taken into its run, the oldest first; returns how many."""
    query = "insert into event_waiting (at, digest) select at, digest from event order by at, digest"
    return connection.exec_driver_sql(query).rowcount


def every_text(engine: Engine) -> Iterator[str]:
    """Yield the texts of all events, the oldest first, without having them all in memory."""
    with engine.connect().execution_options(stream_results=True, yield_per=1_000) as connection:
        yield from connection.exec_driver_sql("select raw from event order by at, digest").scalars()


# --- partitions ------------------------------------------------------------------------------------------


def upkeep(connection: Connection, now: datetime, keep_days: int) -> None:
    """Give months with events, and the next one, partitions of their own; drop those that are older than wanted.

    keep_days: 0 keeps everything. Events of times that are far away lie in one partition for all.
    """
    known = _months(connection)
    latest = _next(_month(now))
    earliest = latest
    for _ in range(_EARLIEST):
        earliest = _month(earliest - timedelta(days=1))
    rows = connection.exec_driver_sql(
        f"select distinct date_trunc('month', at, 'UTC') from {_OTHER} where at >= %(from)s and at < %(to)s",
        {"from": earliest, "to": _next(latest)},
    )
    wanted = {row[0].astimezone(UTC) for row in rows} | {_month(now), latest}
    if keep_days:
        oldest = now - timedelta(days=keep_days)
        for month in sorted(known):
            if _next(month) <= oldest:
                connection.exec_driver_sql(f"drop table {_table(month)}")
        connection.exec_driver_sql(f"delete from {_OTHER} where at < %(oldest)s", {"oldest": oldest})
        wanted = {month for month in wanted if _next(month) > oldest}
    for month in sorted(wanted - known):
        _make(connection, month)


def _make(connection: Connection, month: datetime) -> None:
    """Make the partition of a month; what lies in that for all others moves there."""
    table, bounds = _table(month), {"from": month, "to": _next(month)}
    connection.exec_driver_sql("lock table event in share row exclusive mode")
    connection.exec_driver_sql(f"create table {table} (like event including all)")
    connection.exec_driver_sql(
        f"with moved as (delete from {_OTHER} where at >= %(from)s and at < %(to)s returning *) "
        f"insert into {table} select * from moved",
        bounds,
    )
    span = f"from ('{month:%Y-%m-%d} 00:00+00') to ('{_next(month):%Y-%m-%d} 00:00+00')"
    connection.exec_driver_sql(f"alter table event attach partition {table} for values {span}")


def _months(connection: Connection) -> set[datetime]:
    query = "select tablename from pg_tables where schemaname = %(schema)s and tablename like 'event\\_2%%'"
    rows = connection.exec_driver_sql(query, {"schema": _PARTS})
    return {datetime(int(name[6:10]), int(name[11:13]), 1, tzinfo=UTC) for (name,) in rows}


def _table(month: datetime) -> str:
    return f"{_PARTS}.event_{month:%Y_%m}"


def _month(time: datetime) -> datetime:
    return datetime(time.year, time.month, 1, tzinfo=UTC)


def _next(month: datetime) -> datetime:
    return datetime(month.year + month.month // 12, month.month % 12 + 1, 1, tzinfo=UTC)
