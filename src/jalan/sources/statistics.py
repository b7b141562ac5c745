"""Reads pg_stat_statements: how often each query ran since the statistics were last reset."""

from dataclasses import dataclass

from sqlalchemy import text
from sqlalchemy.engine import URL

from jalan.sources.errors import SourceError
from jalan.sources.postgres import reading

_SCHEMA = """
    select n.nspname from pg_extension e join pg_namespace n on n.oid = e.extnamespace
    where e.extname = 'pg_stat_statements'
"""
_COUNTS = """
    select s.dbid || '/' || s.userid || '/' || s.queryid || '/' || s.toplevel, d.datname, pg_get_userbyid(s.userid),
           s.query, s.calls, s.total_exec_time, s.rows,
           (s.shared_blks_hit + s.shared_blks_read) * current_setting('block_size')::bigint
    from {schema}.pg_stat_statements s join pg_database d on d.oid = s.dbid
    where s.queryid is not null
    order by 1
"""
_RESET = "select extract(epoch from stats_reset) from {schema}.pg_stat_statements_info"
HIDDEN = "<insufficient privilege>"


@dataclass(frozen=True, slots=True)
class Counted:
    """A query with its counts since the reset. key: the same for the same query of the same role and database."""

    key: str
    database: str
    person: str
    text: str
    calls: int
    duration_ms: float
    rows: int
    bytes: int


@dataclass(frozen=True, slots=True)
class Statistics:
    """All counts. reset: seconds since 1970 of the last reset."""

    reset: float
    queries: list[Counted]


def read_statistics(url: URL, timeout: int) -> Statistics:
    """Read the statistics of a server. Raises SourceError."""
    with reading(url, timeout) as connection:
        schema = connection.execute(text(_SCHEMA)).scalar()
        if schema is None:
            raise SourceError(
                f"{url.database} has no pg_stat_statements; as a superuser: create extension pg_stat_statements "
                "(and shared_preload_libraries must name it)"
            )
        quoted = '"' + schema.replace('"', '""') + '"'
        reset = connection.execute(text(_RESET.format(schema=quoted))).scalar_one()
        rows = connection.execute(text(_COUNTS.format(schema=quoted)))
        return Statistics(float(reset or 0), [Counted(*row) for row in rows])
