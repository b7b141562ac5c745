"""Writes down which types, casts, operators and functions PostgreSQL has, as its own catalogue says.

    python -m tools.type_data > src/jalan/change/types/postgresql.txt

Asked of the tests' own cluster; a test holds the file against what that says.
"""

import sys
from pathlib import Path

import psycopg

from jalan.demo.cluster import Cluster

_OWN = (
    "boolean, bytea, bigint, smallint, integer, text, oid, json, xml, point, lseg, path, box, polygon, line, real, "
    "double precision, circle, money, macaddr, inet, cidr, macaddr8, character, character varying, date, "
    "time without time zone, timestamp without time zone, timestamp with time zone, interval, time with time zone, "
    "bit, bit varying, numeric, uuid, tsvector, tsquery, jsonb, jsonpath, name, int4range, numrange, tsrange, "
    "tstzrange, daterange, int8range, int4multirange, nummultirange, tsmultirange, tstzmultirange, datemultirange, "
    'int8multirange, regclass, regconfig, "char"'
)
_POLYMORPHIC = (
    "anyelement, anyarray, anynonarray, anyenum, anyrange, anymultirange, anycompatible, anycompatiblearray, "
    'anycompatiblenonarray, anycompatiblerange, anycompatiblemultirange, "any", record, void, "unknown"'
)
# Of the types that people have in their columns and expressions; those of the server's own inside are left out.
_TYPES = """
create temporary table own as
select t.oid, t.typcategory, t.typispreferred from pg_type t
join unnest(string_to_array(%s, ', ')) n on t.oid = n::regtype where t.typtype <> 'p';
create temporary table known as
select oid from own union select typarray from pg_type where oid in (select oid from own) and typarray <> 0
union select n::regtype::oid from unnest(string_to_array(%s, ', ')) n;
"""
_PARTS = {
    "types": (
        "select format_type(oid, null), typcategory, case when typispreferred then 'preferred' else '' end from own"
    ),
    "casts": (
        "select format_type(castsource, null), format_type(casttarget, null), castcontext::text from pg_cast "
        "where castsource in (select oid from known) and casttarget in (select oid from known) "
        "and castsource <> casttarget"
    ),
    "operators": (
        "select oprname, case when oprleft = 0 then '' else format_type(oprleft, null) end, "
        "format_type(oprright, null), format_type(oprresult, null) from pg_operator "
        "where (oprleft = 0 or oprleft in (select oid from known)) and oprright in (select oid from known) "
        "and oprresult in (select oid from known)"
    ),
    "functions": (
        "select proname, coalesce((select string_agg(format_type(t, null), ',' order by n) "
        "from unnest(proargtypes) with ordinality u(t, n)), ''), format_type(prorettype, null), "
        "concat(case when provariadic <> 0 then 'v' end, case prokind when 'f' then '' else prokind::text end, "
        "case when proretset then 's' end, nullif(pronargdefaults, 0)) from pg_proc "
        "where pronamespace = 'pg_catalog'::regnamespace and prokind in ('f', 'a', 'w') "
        "and prorettype in (select oid from known) "
        "and not exists (select from unnest(proargtypes) t where t not in (select oid from known)) "
        "and proname !~ '^(pg_|has_|binary_upgrade_|ts_debug|lo_|_)'"
    ),
}


def type_data(connection: psycopg.Connection) -> str:
    """Return the whole file, as a server says it."""
    with connection.transaction(force_rollback=True):
        for statement in _TYPES.split(";\n"):
            if statement.strip():
                given = [_POLYMORPHIC if "table known" in statement else _OWN]
                psycopg.ClientCursor(connection).execute(statement.encode(), given)
        lines = [
            "# Types (with category), casts (implicit, assignment, explicit), operators and functions.",
            "# Made by tools/type_data.py from the catalogue of PostgreSQL 15.",
        ]
        for part, query in _PARTS.items():
            lines.append(f"[{part}]")
            rows = {"\t".join(map(str, row)) for row in connection.execute(query.encode())}
            lines += sorted(rows)
    return "\n".join(lines) + "\n"


def main() -> None:
    """Print what the tests' own cluster says."""
    cluster = Cluster(Path(".jalan/test"), durable=False)
    cluster.start()
    try:
        with psycopg.connect(cluster.url("postgres").replace("+psycopg", "")) as connection:
            sys.stdout.write(type_data(connection))
    finally:
        cluster.stop()


if __name__ == "__main__":
    main()
