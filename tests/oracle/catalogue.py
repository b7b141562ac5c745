"""What PostgreSQL itself knows about a view, to hold extraction against."""

import psycopg

_USED = """
    select case when t.relpersistence = 't' then '' else n.nspname || '.' end || t.relname,
           a.attname
    from pg_depend d
    join pg_rewrite r on r.oid = d.objid
    join pg_class t on t.oid = d.refobjid
    join pg_namespace n on n.oid = t.relnamespace
    join pg_attribute a on a.attrelid = t.oid and a.attnum = d.refobjsubid
    where d.classid = 'pg_rewrite'::regclass and d.refclassid = 'pg_class'::regclass
      and t.relkind <> 'c' and d.refobjsubid > 0 and r.ev_class = %s::regclass and t.oid <> r.ev_class
"""

_COLUMNS = """
    select case when c.relpersistence = 't' then '' else n.nspname || '.' end || c.relname,
           array_agg(a.attname::text order by a.attnum)
    from pg_class c join pg_namespace n on n.oid = c.relnamespace
    join pg_attribute a on a.attrelid = c.oid and a.attnum > 0 and not a.attisdropped
    where c.relkind in ('r', 'v', 'm', 'f', 'p') and n.nspname not in ('pg_catalog', 'information_schema')
    group by 1
"""


def used_columns(connection: psycopg.Connection, view: str) -> set[tuple[str, str]]:
    """Return (schema.table, column) of every column that the view's rule depends on.

    A temporary table has no schema here.
    """
    return set(connection.execute(_USED, (view,)).fetchall())


def known_tables(connection: psycopg.Connection) -> dict[str, list[str]]:
    """Return the columns of all tables and views."""
    return dict(connection.execute(_COLUMNS).fetchall())
