"""Every command of PostgreSQL's SQL reference is read, and those without data flow are passed over by name.

``pglast`` is PostgreSQL's own parser: it says that the examples are real.
"""

import pglast
import pytest

from jalan import extract

COMMANDS = """
abort
alter aggregate port_sum(int) rename to total
alter collation "de_DE" refresh version
alter conversion c rename to d
alter database core set search_path to tidy
alter default privileges in schema core grant select on tables to clerk
alter domain fare_cents add check (value > 0)
alter event trigger t disable
alter extension hstore update
alter foreign data wrapper w options (add a 'b')
alter foreign table far.ports add column x int
alter function net(numeric) stable
alter group clerks add user clerk
alter index by_port rename to by_port2
alter language plpgsql owner to clerk
alter large object 1 owner to clerk
alter materialized view core.highest rename to top
alter operator + (int, int) owner to clerk
alter operator class c using btree rename to d
alter operator family f using btree rename to g
alter policy p on ports to clerk
alter procedure close_day(text) rename to close_it
alter publication p add table ports
alter role clerk with login
alter routine net(numeric) rename to gross
alter rule r on ports rename to s
alter schema core rename to kernel
alter sequence s restart with 5
alter server far options (set host 'x')
alter statistics s rename to t
alter subscription s disable
alter system set work_mem = '64MB'
alter table ports add column x int, drop column y, alter column z type text using z::text
alter tablespace t rename to u
alter text search configuration c rename to d
alter text search dictionary d (stopwords = x)
alter text search parser p rename to q
alter text search template t rename to u
alter trigger t on ports rename to u
alter type leg add attribute at timestamp
alter user clerk with password 'x'
alter user mapping for clerk server far options (set user 'x')
alter view core.income rename to gross
analyze verbose ports (port)
begin isolation level serializable
call close_day('SK')
checkpoint
close c
cluster ports using by_port
comment on column ports.name is 'what it is called'
commit and chain
commit prepared 'x'
copy ports to stdout
create access method m type index handler h
create aggregate total (int) (sfunc = int4pl, stype = int, initcond = '0')
create cast (text as leg) with function to_leg(text)
create collation c (locale = 'de_DE')
create conversion c for 'UTF8' to 'LATIN1' from f
create database lake with owner clerk
create domain fare_cents as int check (value >= 0)
create event trigger t on ddl_command_start execute function f()
create extension if not exists hstore with schema core
create foreign data wrapper w
create foreign table far.ports (port text) server far options (table_name 'ports')
create function one() returns int language sql as 'select 1'
create group clerks
create unique index concurrently by_port on ports using btree (lower(port) desc nulls last) where name is not null
create language plperl
create materialized view core.highest as select max(height) as h from tides
create operator === (leftarg = int, rightarg = int, function = int4eq)
create operator class c for type int using btree as operator 1 <
create operator family f using btree
create policy p on ports for select using (owner = current_user)
create procedure nothing() language sql as 'select 1'
create publication p for table ports
create role clerk login password 'x'
create rule r as on insert to ports do instead nothing
create schema core authorization clerk create table ports (port text) create view v as select port from ports
create sequence s start 101 increment by 2 owned by ports.port
create server far foreign data wrapper w options (host 'x')
create statistics s (dependencies) on port, name from ports
create subscription s connection 'host=x' publication p
create table ports (port text primary key, name text not null) with (fillfactor = 70)
create table ports_as as select 1 as one
create tablespace t location '/x'
create text search configuration c (copy = pg_catalog.english)
create text search dictionary d (template = snowball, language = russian)
create text search parser p (start = a, gettoken = b, end = c, lextypes = d)
create text search template t (lexize = f)
create transform for leg language plpgsql (from sql with function f(internal), to sql with function g(internal))
create trigger t before update of port on ports for each row when (old.port is distinct from new.port) execute function f()
create type leg as (port text, at timestamp)
create user clerk
create user mapping for clerk server far options (user 'x')
create recursive view chain (n) as values (1) union all select n + 1 from chain
deallocate prepare q
declare c cursor for select port from ports
delete from ports where port = 'SK'
discard all
do $$ begin null; end $$
drop access method m
drop aggregate total(int)
drop cast (text as leg)
drop collation c
drop conversion c
drop database lake
drop domain fare_cents
drop event trigger t
drop extension hstore
drop foreign data wrapper w
drop foreign table far.ports
drop function net(numeric)
drop group clerks
drop index concurrently by_port
drop language plperl
drop materialized view core.highest
drop operator === (int, int)
drop operator class c using btree
drop operator family f using btree
drop owned by clerk
drop policy p on ports
drop procedure close_day(text)
drop publication p
drop role clerk
drop routine net(numeric)
drop rule r on ports
drop schema core cascade
drop sequence s
drop server far
drop statistics s
drop subscription s
drop table ports
drop tablespace t
drop text search configuration c
drop text search dictionary d
drop text search parser p
drop text search template t
drop transform for leg language plpgsql
drop trigger t on ports
drop type leg
drop user clerk
drop user mapping for clerk server far
drop view core.income
end
execute q ('SK')
explain (analyze, costs off) select port from ports
fetch forward 5 from c
grant select (port), update on ports to clerk with grant option
import foreign schema public from server far into far
insert into ports (port) values ('SK')
listen news
load 'auto_explain'
lock table ports in share mode nowait
merge into ports p using tides t on p.port = t.port when matched then delete
move forward 5 in c
notify news, 'come'
prepare q (text) as select name from ports where port = $1
prepare transaction 'x'
reassign owned by clerk to boss
refresh materialized view concurrently core.highest with data
reindex table ports
release savepoint s
reset all
revoke all on ports from clerk
rollback to savepoint s
rollback prepared 'x'
savepoint s
security label on table ports is 'x'
select port from ports
select port into temp kept from ports
set local timezone to 'UTC'
set constraints all deferred
set role clerk
set session authorization clerk
set transaction isolation level read committed
show search_path
start transaction read only
truncate ports, tides restart identity cascade
unlisten *
update ports set name = 'x' where port = 'SK'
vacuum (full, analyze) ports
values (1, 'a')
table ports
""".strip().split("\n")

MOVING = {"call", "execute"}  # what they run is elsewhere


@pytest.mark.parametrize("command", COMMANDS)
def test_a_command_is_read(command: str) -> None:
    pglast.parse_sql(command)
    found = extract(command)
    assert [d.message for d in found.diagnostics if d.level == "error" and "column" not in d.code] == []
    assert found.statements
    statement = found.statements[0]
    first = command.split()[0].replace("analyse", "analyze")
    named = {"values": "select", "table": "select", "select": "select", "prepare": "prepare"}.get(first, first)
    kind = "create_table_as" if " into temp " in command else named
    assert statement.kind.startswith(kind)
    said = {d.code for d in statement.diagnostics if d.level == "warning"} - {"star_of_unknown_table"}
    assert said == ({"not_followed"} if first in MOVING or "trigger t before" in command else set())


def test_the_kind_of_a_definition_says_what_is_defined() -> None:
    kinds = {command: extract(command).statements[0].kind for command in COMMANDS if command.startswith("create ")}
    assert kinds["create role clerk login password 'x'"] == "create_role"
    assert (
        kinds["create text search parser p (start = a, gettoken = b, end = c, lextypes = d)"]
        == "create_text_search"
    )
    assert len(set(kinds.values())) > 35
