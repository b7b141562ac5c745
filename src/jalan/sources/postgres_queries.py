"""What is asked of PostgreSQL's catalogue. ``:schemas`` are the oids of the schemas that are read."""

SCHEMAS = """
    select n.oid, n.nspname, obj_description(n.oid, 'pg_namespace'), pg_get_userbyid(n.nspowner),
           has_schema_privilege(n.oid, 'usage')
    from pg_namespace n
    where n.nspname not like 'pg\\_%' and n.nspname <> 'information_schema'
    order by 2
"""
TABLES = """
    select c.oid, n.nspname, c.relname, c.relkind::text, obj_description(c.oid, 'pg_class'),
           case when c.relkind in ('v', 'm') then pg_get_viewdef(c.oid) end,
           case when c.reltuples >= 0 and c.relkind in ('r', 'p', 'm') then c.reltuples::bigint end,
           case when c.relkind in ('r', 'm', 'p')
                then c.relpages::bigint * current_setting('block_size')::bigint end,
           pg_get_userbyid(c.relowner),
           case when c.relkind = 'p' then pg_get_partkeydef(c.oid) end
    from pg_class c join pg_namespace n on n.oid = c.relnamespace
    where c.relkind in ('r', 'p', 'v', 'm', 'f') and not c.relispartition and n.oid = any(:schemas)
    order by 2, 3
"""
PARTITIONS = """
    select i.inhparent, n.nspname || '.' || c.relname, pg_get_expr(c.relpartbound, c.oid),
           case when c.reltuples >= 0 and c.relkind = 'r' then c.reltuples::bigint end,
           c.relpages::bigint * current_setting('block_size')::bigint, c.oid
    from pg_inherits i join pg_class c on c.oid = i.inhrelid join pg_namespace n on n.oid = c.relnamespace
    where c.relispartition
    order by 2
"""
COLUMNS = """
    select a.attrelid, a.attname, format_type(a.atttypid, a.atttypmod), a.attnum,
           col_description(a.attrelid, a.attnum),
           (select o.option_value from pg_options_to_table(a.attfdwoptions) o where o.option_name = 'column_name'),
           a.attnotnull,
           case when a.attgenerated = '' then pg_get_expr(d.adbin, d.adrelid) end,
           case when a.attgenerated <> '' then pg_get_expr(d.adbin, d.adrelid) end,
           case a.attidentity when 'a' then 'always' when 'd' then 'by default' end
    from pg_attribute a
    join pg_class c on c.oid = a.attrelid
    left join pg_attrdef d on d.adrelid = a.attrelid and d.adnum = a.attnum
    where a.attnum > 0 and not a.attisdropped and c.relkind in ('r', 'p', 'v', 'm', 'f') and not c.relispartition
      and c.relnamespace = any(:schemas)
    order by 1, 4
"""
KEYS = """
    select k.conrelid, k.contype::text, k.conname,
           (select array_agg(a.attname::text order by x.n) from unnest(k.conkey) with ordinality x(num, n)
            join pg_attribute a on a.attrelid = k.conrelid and a.attnum = x.num),
           case when k.contype = 'f' then (select n.nspname || '.' || c.relname from pg_class c
                join pg_namespace n on n.oid = c.relnamespace where c.oid = k.confrelid) end,
           (select array_agg(a.attname::text order by x.n) from unnest(k.confkey) with ordinality x(num, n)
            join pg_attribute a on a.attrelid = k.confrelid and a.attnum = x.num)
    from pg_constraint k
    where k.contype in ('p', 'u', 'f') and k.conrelid <> 0 and k.connamespace = any(:schemas)
    order by 1, 2, 3
"""
PRIVILEGES = """
    select c.oid, case x.grantee when 0 then 'public' else pg_get_userbyid(x.grantee) end, lower(x.privilege_type)
    from pg_class c, aclexplode(c.relacl) x
    where c.relkind in ('r', 'p', 'v', 'm', 'f') and not c.relispartition and c.relnamespace = any(:schemas)
    order by 1, 2, 3
"""
FOREIGN = """
    select f.ftrelid, s.srvname, w.fdwname,
           (select jsonb_object_agg(o.option_name, o.option_value) from pg_options_to_table(s.srvoptions) o),
           (select jsonb_object_agg(o.option_name, o.option_value) from pg_options_to_table(f.ftoptions) o)
    from pg_foreign_table f
    join pg_foreign_server s on s.oid = f.ftserver
    join pg_foreign_data_wrapper w on w.oid = s.srvfdw
"""
ROUTINES = """
    select p.oid, n.nspname, p.proname, pg_get_function_identity_arguments(p.oid), p.prokind::text, l.lanname,
           obj_description(p.oid, 'pg_proc'), pg_get_userbyid(p.proowner),
           case when p.prokind in ('f', 'p') then pg_get_functiondef(p.oid) end,
           p.prorettype = 'trigger'::regtype
    from pg_proc p join pg_namespace n on n.oid = p.pronamespace join pg_language l on l.oid = p.prolang
    where p.prokind in ('f', 'p') and l.lanname in ('sql', 'plpgsql') and n.oid = any(:schemas)
      and not exists (select from pg_depend d where d.classid = 'pg_proc'::regclass and d.objid = p.oid
                      and d.deptype = 'e')
    order by 2, 3, 4
"""
TRIGGERS = """
    select t.tgrelid, t.tgname, pg_get_triggerdef(t.oid, true), t.tgfoid
    from pg_trigger t join pg_class c on c.oid = t.tgrelid
    where not t.tgisinternal and c.relnamespace = any(:schemas) and t.tgparentid = 0
    order by 1, 2
"""
CALLED = """
    select distinct r.ev_class, d.refobjid
    from pg_rewrite r join pg_depend d on d.classid = 'pg_rewrite'::regclass and d.objid = r.oid
    where d.refclassid = 'pg_proc'::regclass
    order by 1, 2
"""
DATABASE = "select shobj_description(oid, 'pg_database') from pg_database where datname = current_database()"
READABLE = """
    select count(*) filter (where has_table_privilege(c.oid, 'select')), count(*)
    from pg_class c where c.relkind in ('r', 'p', 'v', 'm', 'f') and not c.relispartition
      and c.relnamespace = any(:schemas)
"""
