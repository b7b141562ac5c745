-- The account that a scan needs. It reads the catalogue, which every account may; the grants below add nothing to
-- what the graph shows. They let Jalan say which schemas people can use, and they give no right to read any row.
create role jalan_reader login password 'a password';
grant connect on database strait to jalan_reader;
do $$
declare
    name text;
begin
    for name in select nspname from pg_namespace where nspname !~ '^pg_' and nspname <> 'information_schema' loop
        execute format('grant usage on schema %I to jalan_reader', name);
    end loop;
end $$;
-- For pg_stat_statements (a query history) it must also see the queries of others:
--   grant pg_read_all_stats to jalan_reader;
