"""The demo's warehouse as a world to be simulated, and as scratch copies in which changes are really made."""

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace

import psycopg

from jalan import extract
from jalan.change.catalogue import Catalogue, columns_in
from jalan.change.ran import Text
from jalan.change.routines import keep, read_routine
from jalan.change.simulation import World
from jalan.change.stored import FOREIGN, MATERIALISED, TABLE, VIEW, KeptQuery, stored_routine
from jalan.change.types import declared_type
from jalan.change.views import hangs_on, stored_calls
from jalan.demo import scenario
from jalan.demo.cluster import Cluster
from jalan.sources.folder import read_folder

DATABASES = (*scenario.SOURCES, scenario.WAREHOUSE)
_KINDS = {"r": TABLE, "v": VIEW, "m": MATERIALISED, "f": FOREIGN}
_RELATIONS = """
select n.nspname || '.' || c.relname, c.relkind::text,
       array_agg(a.attname::text order by a.attnum) filter (where a.attnum > 0 and not a.attisdropped),
       array_agg(format_type(a.atttypid, a.atttypmod) order by a.attnum)
           filter (where a.attnum > 0 and not a.attisdropped),
       array_agg(coalesce(a.attgenerated::text, '') || coalesce((select pg_get_expr(d.adbin, d.adrelid)
           from pg_attrdef d where d.adrelid = c.oid and d.adnum = a.attnum), '') order by a.attnum)
           filter (where a.attnum > 0 and not a.attisdropped),
       array_agg(a.attnotnull order by a.attnum) filter (where a.attnum > 0 and not a.attisdropped),
       case when c.relkind in ('v', 'm') then pg_get_viewdef(c.oid) end,
       (select s.srvname || '.' || coalesce((select option_value from pg_options_to_table(f.ftoptions)
            where option_name = 'schema_name'), n.nspname) || '.' || coalesce((select option_value
            from pg_options_to_table(f.ftoptions) where option_name = 'table_name'), c.relname)
        from pg_foreign_table f join pg_foreign_server s on s.oid = f.ftserver where f.ftrelid = c.oid)
from pg_class c join pg_namespace n on n.oid = c.relnamespace join pg_attribute a on a.attrelid = c.oid
where n.nspname not in ('pg_catalog', 'information_schema', 'pg_toast') and c.relkind in ('r', 'v', 'm', 'f')
group by c.oid, n.oid order by c.oid
"""
_KEYS = """
select f.nspname || '.' || c.relname, t.nspname || '.' || r.relname,
       (select array_agg(a.attname::text) from pg_attribute a where a.attrelid = c.oid and a.attnum = any(conkey)),
       (select array_agg(a.attname::text) from pg_attribute a where a.attrelid = r.oid and a.attnum = any(confkey))
from pg_constraint k join pg_class c on c.oid = k.conrelid join pg_namespace f on f.oid = c.relnamespace
join pg_class r on r.oid = k.confrelid join pg_namespace t on t.oid = r.relnamespace where k.contype = 'f'
"""
_ROUTINES = """
select n.nspname || '.' || p.proname, pg_get_functiondef(p.oid) from pg_proc p
join pg_namespace n on n.oid = p.pronamespace where p.prokind in ('f', 'p') and p.prorettype <> 'trigger'::regtype
and n.nspname not in ('pg_catalog', 'information_schema') and not exists (
    select from pg_depend d where d.objid = p.oid and d.deptype = 'e')
"""
_UNIQUE = """
select n.nspname || '.' || c.relname, k.conname::text, k.contype = 'p', array_agg(a.attname::text)
from pg_constraint k join pg_class c on c.oid = k.conrelid join pg_namespace n on n.oid = c.relnamespace
join pg_attribute a on a.attrelid = c.oid and a.attnum = any(k.conkey) where k.contype in ('p', 'u')
group by 1, 2, 3
"""
REPOSITORY = read_folder(scenario.REPOSITORY)


def texts() -> list[Text]:
    """The pipeline's files in the order in which they run, then the queries of the reports."""
    files = [Text(name, (scenario.PIPELINES / name).read_text()) for name in scenario.pipeline_files()]
    asked = [
        Text(f"{report.slug}/{element.name}", element.sql, is_query=True)
        for report in REPOSITORY.reports
        for element in report.elements
    ]
    return [*files, *asked]


def world_of(cluster: Cluster) -> World:
    """The warehouse, and the databases whose tables it shows, as they are."""
    catalogue = Catalogue()
    for database in DATABASES:
        prefix = "" if database == scenario.WAREHOUSE else f"{database}."
        with scenario.connect(cluster, database) as connection:
            for name, text in connection.execute(_ROUTINES):
                catalogue.routines.make(stored_routine(prefix + name, text, ("public",), prefix))
            for name, kind, columns, types, defaults, strict, query, remote in connection.execute(_RELATIONS):
                more: dict[str, object] = {"remote": remote} if remote else {}
                if query is not None:
                    tables = {one.name.removeprefix(prefix): list(one.columns) for one in catalogue}
                    (statement,) = extract(query, tables=tables, search_path=["public"]).statements
                    more = hangs_on(catalogue, statement, prefix)
                    more["query"] = kept = KeptQuery(query, ("public",), prefix)
                    more["calls"] = stored_calls(catalogue, kept, columns)
                numbers = {column: n for n, column in enumerate(columns, 1)}
                more["generated"] = {
                    n: columns_in(one[1:], numbers) for n, one in enumerate(defaults, 1) if one.startswith("s")
                }
                more["strict"] = frozenset(n for n, one in enumerate(strict, 1) if one)
                more["filled"] = {n: one for n, one in enumerate(defaults, 1) if one and not one.startswith("s")}
                known = dict(zip(columns, map(declared_type, types), strict=True))
                catalogue.make(prefix + name, _KINDS[kind], columns, known, **more)
            for routine in catalogue.routines:
                known = read_routine(routine, catalogue).problems
                catalogue.routines.make(keep(replace(routine, known=known), catalogue))
            for name, constraint, is_primary, columns in connection.execute(_UNIQUE):
                if (one := catalogue.find(prefix + name)) is not None:
                    catalogue.know_key(one, constraint, columns, is_primary)
            for name, other, own, columns in connection.execute(_KEYS):
                one, there = catalogue.find(prefix + name), catalogue.find(prefix + other)
                assert one is not None
                assert there is not None
                needs = [(there.number, there.columns[column]) for column in columns]
                mine = [(one.number, one.columns[column]) for column in own]
                catalogue.point(one, one.points_to.union(needs), zip(mine, needs, strict=True))
    return World(catalogue, texts())


@contextmanager
def scratch(cluster: Cluster, word: str) -> Iterator[dict[str, psycopg.Connection]]:
    """Copies of the three databases that show one another as the originals do; dropped at the end."""
    names = {database: f"scratch_{word}_{database}" for database in DATABASES}
    with scenario.connect(cluster, "postgres") as admin:
        for database, name in names.items():
            admin.execute(f'create database "{name}" template "{database}"')  # type: ignore[call-overload]
    held: dict[str, psycopg.Connection] = {}
    try:
        for database, name in names.items():
            held[database] = scenario.connect(cluster, name)
        for database in scenario.SOURCES:
            held[scenario.WAREHOUSE].execute(
                f"alter server {database} options (set dbname '{names[database]}')"  # type: ignore[call-overload]
            )
        yield held
    finally:
        for connection in held.values():
            connection.close()
        with scenario.connect(cluster, "postgres") as admin:
            for name in names.values():
                admin.execute(f'drop database if exists "{name}" with (force)')  # type: ignore[call-overload]
