## quoted-names
select "Port", port from quoted
=: select
=> Port: quoted.Port
=> port: quoted.port

## strings
select 'it''s ' || name || E'\n' || $q$done; 'yes'$q$ from ports
=: select
=> ?column?: ~ports.name

## parameters
select name from ports where port = $1 and island = :island and name like %(name)s and tide_offset > %s
=: select
=> name: ports.name
=> (rows): ports.port/filter, ports.island/filter, ports.name/filter, ports.tide_offset/filter

## operators
select details -> 'a' ? 'b' as has, name ~* '^n' as n, tide_offset::text || port as key from ports, bookings
=: select
=> has: ~bookings.details
=> n: ~ports.name
=> key: ~ports.tide_offset, ~ports.port

## json-path
select details ->> 'passenger' as passenger, details #>> '{legs,0,port}' as first_port, details['fare'] as fare from bookings
=: select
=> passenger: ~bookings.details{passenger}
=> first_port: ~bookings.details{legs.0.port}
=> fare: ~bookings.details{fare}

## cast
select fare::numeric(10, 2), sold_at::date, cast(paid as int) as paid from tickets
=: select
=> fare: ~tickets.fare
=> sold_at: ~tickets.sold_at
=> paid: ~tickets.paid

## whole-row
select row_to_json(p) as doc from ports p
=: select
=> doc: ~ports.port, ~ports.name, ~ports.island, ~ports.tide_offset

## whole-row
select p from ports p
=: select
=> p: ports.port, ports.name, ports.island, ports.tide_offset

## field
select (p).name from (select p from ports p) x
=: select
=> name: ports.name

## qualified-star
select s.*, p.name from sailings s join ports p using (port)
=: select
=> sailing_id: sailings.sailing_id
=> port: sailings.port
=> departs_at: sailings.departs_at
=> vessel_id: sailings.vessel_id
=> berths: sailings.berths
=> delayed: sailings.delayed
=> name: ports.name
=> (rows): sailings.port/join, ports.port/join

## distinct-on
select distinct on (port) port, at, height from tides order by port, height desc
=: select
=> port: tides.port
=> at: tides.at
=> height: tides.height
=> (rows): tides.port/group_by, tides.port/sort, tides.height/sort

## lateral
select p.name, t.height from ports p left join lateral (select height from tides where port = p.port order by at desc limit 1) t on true
=: select
=> name: ports.name
=> height: tides.height
=> (rows): tides.port/filter, ports.port/filter, tides.at/sort

## set-returning
select booking_id, jsonb_array_elements(legs) ->> 'port' as port from bookings
=: select
=> booking_id: bookings.booking_id
=> port: ~bookings.legs
=> (rows): bookings.legs/join

## table-function
select b.booking_id, l.value ->> 'port' as port from bookings b, jsonb_array_elements(b.legs) l
=: select
=> booking_id: bookings.booking_id
=> port: ~bookings.legs{[*].port}
=> (rows): bookings.legs{[*]}/join

## unnest
select b.booking_id, u.leg from bookings b, unnest(b.legs) as u (leg)
=: select
=> booking_id: bookings.booking_id
=> leg: ~bookings.legs{[*]}
=> (rows): bookings.legs{[*]}/join

## unnest-ordinality
select b.booking_id, u.leg, u.nth from bookings b, unnest(b.legs) with ordinality as u (leg, nth)
=: select
=> booking_id: bookings.booking_id
=> leg: ~bookings.legs{[*]}
=> (rows): bookings.legs{[*]}/join

## rows-from
select x.a, x.b from bookings k, rows from (unnest(k.legs), generate_series(1, 3)) as x (a, b)
=: select
=> a: ~bookings.legs{[*]}
=> (rows): bookings.legs{[*]}/join

## column-definitions
select r.port, r.at from bookings b, jsonb_to_record(b.details) as r (port text, at timestamptz)
=: select
=> port: ~bookings.details
=> at: ~bookings.details
=> (rows): bookings.details/join

## xml-table
select x.port, x.nth from bookings b, xmltable('/legs/leg' passing b.legs columns nth for ordinality, port text path '@port' default 'none') as x
=: select
=> port: ~bookings.legs{@port}
=> (rows): bookings.legs/join

## aggregate-filter
select port, count(*) filter (where delayed) as late from sailings group by port
=: select
=> port: sailings.port
=> late: sailings.delayed/filter
=> (rows): sailings.port/group_by

## within-group
select mode() within group (order by fare) as usual, percentile_disc(0.9) within group (order by fare) as high from tickets
=: select
=> usual: +tickets.fare
=> high: +tickets.fare

## ordered-aggregate
select string_agg(name, ', ' order by tide_offset) as names, array_agg(distinct island) as islands from ports
=: select
=> names: +ports.name, ports.tide_offset/sort
=> islands: +ports.island

## grouping-sets
select port, vessel_id, sum(berths) from sailings group by grouping sets ((port, vessel_id), (port), ())
=: select
=> port: sailings.port
=> vessel_id: sailings.vessel_id
=> sum: +sailings.berths
=> (rows): sailings.port/group_by, sailings.vessel_id/group_by

## rollup
select port, grouping(port), sum(berths) from sailings group by rollup (port)
=: select
=> port: sailings.port
=> sum: +sailings.berths
=> (rows): sailings.port/group_by

## ordinals
select port, delayed, count(*) from sailings group by 1, 2 order by 3 desc limit 5
=: select
=> port: sailings.port
=> delayed: sailings.delayed
=> (rows): sailings.port/group_by, sailings.delayed/group_by

## window
select ticket_id, fare - lag(fare) over (partition by sailing_id order by sold_at) as more from tickets
=: select
=> ticket_id: tickets.ticket_id
=> more: ~tickets.fare, tickets.sailing_id/window, tickets.sold_at/window

## named-window
select ticket_id, sum(fare) over w, avg(fare) over (w rows 3 preceding) from tickets window w as (partition by sailing_id order by sold_at)
=: select
=> ticket_id: tickets.ticket_id
=> sum: +tickets.fare, tickets.sailing_id/window, tickets.sold_at/window
=> avg: +tickets.fare, tickets.sailing_id/window, tickets.sold_at/window

## natural-join
select * from ports natural join tides
=: select
=> port: ports.port
=> name: ports.name
=> island: ports.island
=> tide_offset: ports.tide_offset
=> at: tides.at
=> height: tides.height
=> (rows): ports.port/join, tides.port/join

## using-join
select port, j.port as again from (ports join tides using (port)) as j
=: select
=> port: ports.port
=> again: ports.port
=> (rows): ports.port/join, tides.port/join

## subquery
select name from ports where (port, island) in (select port, role from crew)
=: select
=> name: ports.name
=> (rows): ports.port/filter, ports.island/filter, crew.port/filter, crew.role/filter

## quantified
select ticket_id from tickets where fare = any (select amount from refunds) or fare = any (array[1, 2])
=: select
=> ticket_id: tickets.ticket_id
=> (rows): tickets.fare/filter, refunds.amount/filter

## array
select array(select fare from tickets where sailing_id = s.sailing_id order by sold_at) as fares, array[berths, vessel_id] as both from sailings s
=: select
=> fares: +tickets.fare, tickets.sailing_id/filter, sailings.sailing_id/filter, tickets.sold_at/sort
=> both: ~sailings.berths, ~sailings.vessel_id

## except
select port from ports except select port from sailings order by 1
=: select
=> port: ports.port
=> (rows): sailings.port/filter, ports.port/group_by

## cte
with a as materialized (select port, berths from sailings), b as (select port, sum(berths) as berths from a group by port) select * from b
=: select
=> port: sailings.port
=> berths: +sailings.berths
=> (rows): sailings.port/group_by

## recursive-cte
with recursive chain as (select crew_id, boss_id, 1 as depth from crew where boss_id is null union all select c.crew_id, c.boss_id, k.depth + 1 from crew c join chain k on c.boss_id = k.crew_id) select crew_id, depth from chain
=: select
=> crew_id: crew.crew_id
=> (rows): crew.boss_id/filter, crew.boss_id/join, crew.crew_id/join

## search-cycle
with recursive chain(crew_id) as (select crew_id from crew union select c.crew_id from crew c join chain k on c.boss_id = k.crew_id) search breadth first by crew_id set nth cycle crew_id set looped using way select crew_id, looped from chain
=: select
=> crew_id: crew.crew_id
=> looped: crew.crew_id/conditional
=> (rows): crew.boss_id/join, crew.crew_id/join, crew.crew_id/group_by

## modifying-cte
with gone as (delete from refunds where amount = 0 returning refund_id, ticket_id) insert into tickets (ticket_id) select ticket_id from gone
=: delete, insert
=> refunds.(rows): refunds.amount/filter
=> tickets.ticket_id: refunds.ticket_id
=> tickets.(rows): refunds.amount/filter

## values
values (1, 'a'), (2, 'b')
=: select

## sample
select fare from tickets tablesample system (5) repeatable (1)
=: select
=> fare: tickets.fare

## create-table
create table core.berth (berth_id int generated always as identity primary key, port text references ports, length_m numeric check (length_m > 0), exclude using gist (port with =)) partition by list (port)
=: create_table

## create-table-as
create table core.late as select sailing_id, port from sailings where delayed with no data
=: create_table_as
=> core.late.sailing_id: sailings.sailing_id
=> core.late.port: sailings.port
=> core.late.(rows): sailings.delayed/filter

## create-table-like
create table core.ports_copy (like ports including all, note text)
=: create_table

## create-view
create or replace view core.income (port, income) as select port, sum(fare) from sailings join tickets using (sailing_id) group by port
=: create_view
=> core.income.port: sailings.port
=> core.income.income: +tickets.fare
=> core.income.(rows): sailings.sailing_id/join, tickets.sailing_id/join, sailings.port/group_by

## materialized-view
create materialized view core.highest as select port, max(height) as highest from tides group by port with data
=: create_materialized_view
=> core.highest.port: tides.port
=> core.highest.highest: +tides.height
=> core.highest.(rows): tides.port/group_by

## insert-select
insert into tides (port, at, height) select port, now(), tide_offset from ports returning port
=: insert
=> tides.port: ports.port
=> tides.height: ports.tide_offset

## upsert
insert into ports as p (port, name) select port, role from crew on conflict (port) do update set name = excluded.name || p.island where p.tide_offset > 0
=: insert
=> ports.port: crew.port
=> ports.name: crew.role, ~crew.role, ~ports.island
=> ports.(rows): crew.port/join, ports.tide_offset/filter

## update-join
update tickets t set fare = t.fare - r.amount, (paid, passenger) = (select false, c.name from crew c) from refunds r where r.ticket_id = t.ticket_id
=: update
=> tickets.fare: ~tickets.fare, ~refunds.amount
=> tickets.passenger: crew.name
=> tickets.(rows): refunds.ticket_id/filter, tickets.ticket_id/filter

## delete-join
delete from refunds using tickets t where t.ticket_id = refunds.ticket_id and t.paid
=: delete
=> refunds.(rows): tickets.ticket_id/filter, refunds.ticket_id/filter, tickets.paid/filter

## merge
merge into ports p using (select port, max(height) as h from tides group by port) s on s.port = p.port when matched and s.h > 4 then update set tide_offset = s.h when not matched then insert (port, tide_offset) values (s.port, s.h) when matched then do nothing
=: merge
=> ports.tide_offset: +tides.height
=> ports.port: tides.port
=> ports.(rows): tides.port/group_by, tides.port/join, ports.port/join, tides.height/filter

## copy-in
copy ports (port, name) from '/data/ports.csv' with (format csv, header)
=: copy
=> ports.port: /data/ports.csv.port
=> ports.name: /data/ports.csv.name

## copy-out
copy (select port, name from ports where island = 'North') to '/data/north.csv' csv
=: copy
=> /data/north.csv.port: ports.port
=> /data/north.csv.name: ports.name
=> /data/north.csv.(rows): ports.island/filter

## copy-out
copy tides to program 'gzip > /data/tides.gz'
=: copy
=> gzip > /data/tides.gz.port: tides.port
=> gzip > /data/tides.gz.at: tides.at
=> gzip > /data/tides.gz.height: tides.height

## select-into
select port, count(*) as sailings into temp busy from sailings group by port; insert into ports (port) select port from busy
=: create_table_as, insert
=> ports.port: sailings.port
=> ports.(rows): sailings.port/group_by

## alter-table
create table t1 as select port, name from ports; alter table t1 rename column name to title; alter table t1 rename to t2; insert into crew (name) select title from t2
=: create_table_as, alter_table, alter_table, insert
=> t2.port: ports.port
=> t2.title: ports.name
=> crew.name: t2.title

## rename-swap
create table ports_new as select port, name from ports; drop table ports; alter table ports_new rename to ports
=: create_table_as, drop_table, alter_table
=> ports.port: ports.port
=> ports.name: ports.name

## partition-exchange
alter table tickets attach partition tickets_2026 for values from ('2026-01-01') to ('2027-01-01')
=: alter_table
=> tickets.ticket_id: tickets_2026.ticket_id
=> tickets.sailing_id: tickets_2026.sailing_id
=> tickets.fare: tickets_2026.fare
=> tickets.sold_at: tickets_2026.sold_at
=> tickets.passenger: tickets_2026.passenger
=> tickets.paid: tickets_2026.paid

## drop
drop view if exists core.income cascade; drop materialized view core.highest
=: drop_view, drop_materialized_view

## truncate
truncate only refunds restart identity cascade
=: truncate

## set-schema
set search_path to core, public; select port from ports
=: set, select
=> port: ports.port

## temp-table
create temp table recent on commit drop as select port, berths from sailings; update ports set tide_offset = r.berths from recent r where r.port = ports.port
=: create_table_as, update
=> ports.tide_offset: sailings.berths
=> ports.(rows): sailings.port/filter, ports.port/filter

## function
create function net(fare numeric, back numeric) returns numeric language sql immutable as $$ select fare - coalesce(back, 0) $$; select net(t.fare, r.amount) as net from tickets t left join refunds r using (ticket_id)
=: create_function, select
=> net: ~tickets.fare, ~refunds.amount
=> (rows): tickets.ticket_id/join, refunds.ticket_id/join

## function
create function late_sailings(p text) returns table (sailing_id int, berths int) language plpgsql as $$ begin return query select s.sailing_id, s.berths from sailings s where s.port = p and s.delayed; end $$; select l.berths from ports, late_sailings(ports.port) l
=: create_function, select
=> sailing_id: sailings.sailing_id
=> berths: sailings.berths
=> (rows): sailings.port/filter, sailings.delayed/filter, ports.port/filter

## procedure
create procedure book(p_sailing int, p_name text) language plpgsql as $$
declare
  v_fare numeric := 0;
  v_port text;
begin
  select s.port, s.berths * 2 into v_port, v_fare from sailings s where s.sailing_id = p_sailing;
  if v_fare > 10 then
    insert into tickets (sailing_id, fare, passenger) values (p_sailing, v_fare, v_port);
  end if;
end $$
=: create_procedure, insert
=> tickets.fare: ~sailings.berths, sailings.sailing_id/filter
=> tickets.passenger: sailings.port, sailings.sailing_id/filter
=> tickets.(rows): sailings.berths/conditional, sailings.sailing_id/filter

## loop
do $$ declare r record; begin for r in select port, height from tides where height > 4 loop update ports set tide_offset = r.height where port = r.port; end loop; end $$
=: do, update
=> ports.tide_offset: tides.height, tides.height/filter
=> ports.(rows): ports.port/filter, tides.height/filter, tides.port/filter

## dynamic-sql
do $$ begin execute 'insert into ports (port) select port ' || 'from sailings'; execute format('delete from %I where port = %L', 'tides', 'X'); end $$
=: do, insert, delete
=> ports.port: sailings.port
=> tides.(rows): tides.port/filter

## trigger
create function note_refund() returns trigger language plpgsql as $$ begin insert into crew (name, role) values (new.reason, 'refund'); return new; end $$; create trigger noted after insert on refunds for each row execute function note_refund()
=: create_function, create_trigger, insert
=> crew.name: refunds.reason

## prepare
prepare fares (text) as select fare from tickets where passenger = $1
=: prepare, select
=> fare: tickets.fare
=> (rows): tickets.passenger/filter

## transaction
begin; savepoint a; release savepoint a; commit
=: begin, savepoint, release, commit

## grant
grant select on ports to clerk; comment on table ports is 'where ferries land'
=: grant, comment

## tight-spelling
select a::int < b and c > d as x from (select port as a, name as b, island as c, tide_offset as d from ports) t
=: select
=> x: ~ports.port, ~ports.name, ~ports.island, ~ports.tide_offset

## tight-spelling
select tide_offset::int<5 and fare::int>3 as y from ports, tickets
=: select
=> y: ~ports.tide_offset, ~tickets.fare

## tight-spelling
select tide_offset::int <@ port as y, name::text << island as z, name::int <> island as w, name::int<=island as v from ports
=: select
=> y: ~ports.tide_offset, ~ports.port
=> z: ~ports.name, ~ports.island
=> w: ~ports.name, ~ports.island
=> v: ~ports.name, ~ports.island

## tight-spelling
select tide_offset::int % name as y from ports
=: select
=> y: ~ports.tide_offset, ~ports.name

## tight-spelling
select * from ports where port>? and name<?
=: select
=> port: ports.port
=> name: ports.name
=> island: ports.island
=> tide_offset: ports.tide_offset
=> (rows): ports.port/filter, ports.name/filter

## tight-spelling
select * from ports where tide_offset>%s and name=%s and island<>%(isle)s
=: select
=> port: ports.port
=> name: ports.name
=> island: ports.island
=> tide_offset: ports.tide_offset
=> (rows): ports.tide_offset/filter, ports.name/filter, ports.island/filter

## tight-spelling
select port &< name as a, port ?# name as b, port ?| array['a'] as c, port @> name as d, port ? 'x' as e from ports
=: select
=> a: ~ports.port, ~ports.name
=> b: ~ports.port, ~ports.name
=> c: ~ports.port
=> d: ~ports.port, ~ports.name
=> e: ~ports.port

## temporary-self-update
create temp table f as select port, name, tide_offset from ports; delete from f where tide_offset > 3; update f set name = port || name where name is null; insert into sailings (port) select name from f
=: create_table_as, delete, update, insert
=> sailings.port: ports.name, ~ports.port, ~ports.name
=> sailings.(rows): ports.tide_offset/filter, ports.name/filter

## update-target
update ports x set name = s.r from (select role as r, port from crew) x2 join (select 1 as r) s on true where x.port = x2.port
=: update
=> ports.(rows): ports.port/filter, crew.port/filter

## returning-into
do $$ declare v int; begin insert into ports (port, tide_offset) select port, height from tides returning tide_offset into v; insert into tides (height) values (v); end $$
=: do, insert, insert
=> ports.port: tides.port
=> ports.tide_offset: tides.height
=> tides.height: ports.tide_offset

## lateral
select v.n from ports n cross join lateral (values (n.*)) v(n)
=: select
=> n: ports.port

## lateral
select v.a, v.c from ports n cross join lateral (values (n.*)) v(a, b, c, d)
=: select
=> a: ports.port
=> c: ports.island

## lateral
select u.x from ports n, lateral (select n.*) u(x)
=: select
=> x: ports.port

## order-under-limit
select * from (select port, name from ports order by tide_offset) t limit 3
=: select
=> port: ports.port
=> name: ports.name
=> (rows): ports.tide_offset/sort

## search-cycle
with recursive t(a, b) as (select crew_id, boss_id from crew union all select c.crew_id, c.boss_id from crew c join t on t.a = c.boss_id) search depth first by a set ord cycle a set cyc using path select a, ord, cyc, path from t order by ord
=: select
=> a: crew.crew_id
=> ord: ~crew.crew_id
=> cyc: crew.crew_id/conditional
=> path: ~crew.crew_id
=> (rows): crew.crew_id/join, crew.boss_id/join

## xml-table
select x.* from bookings b, xmltable('/a/b' passing b.details columns id int path '@id', nm text path 'n' default b.legs, ord for ordinality) x
=: select
=> id: ~bookings.details{@id}
=> nm: ~bookings.legs, ~bookings.details{n}
=> (rows): bookings.details/join

## templates
select port from {{ ref('ports') }} where {{ cond }}
=: select
=> port: {{ ref('ports') }}.port

## templates
insert into {{ target }} select port from {{ source('a', 'b') }} p
=: insert
=! unknown_insert_columns
=> {{ target }}.port: {{ source('a', 'b') }}.port

## sequences
insert into ports (port, tide_offset) select name, nextval('s') from crew
=: insert
=> ports.port: crew.name

## procedure
create procedure p(a int) language plpgsql as $$ begin perform log(a); call other(a); insert into ports (port) select port from tides where height > a; exception when unique_violation or others then raise notice 'x %', sqlerrm; get stacked diagnostics a = message_text; end $$
=: create_procedure, insert, raise, get
=! not_followed
=> ports.port: tides.port
=> ports.(rows): tides.height/filter

## routine-body
create function f(x int) returns int language sql immutable return x + 1; select f(tide_offset) as g from ports
=: create_function, select
=> g: ~ports.tide_offset

## routine-body
create function f(x int) returns int language sql begin atomic select x * 2; end; select f(tide_offset) as g from ports
=: create_function, select
=> g: ~ports.tide_offset

## routine-body
create function f() returns setof ports begin atomic insert into ports (port) select port from tides; select * from ports; end
=: create_function, insert
=> port: ports.port
=> name: ports.name
=> island: ports.island
=> tide_offset: ports.tide_offset
=> ports.port: tides.port

## catalogue-tables
select relname from pg_class; select oid from pg_type
=: select, select
=> relname: pg_class.relname
=> oid: pg_type.oid

## catalogue-tables
set search_path to a, pg_catalog; create table a.pg_class (relname text); select relname from pg_class
=: set, create_table, select
=> relname: a.pg_class.relname

## strings
select substring(name similar 'a#"b#"c' escape '#') as s, substring(name from island for '#') as t from ports
=: select
=> s: ~ports.name
=> t: ~ports.name, ~ports.island

## rule
create rule r as on insert to ports do also (insert into tides (port) values (new.port); update crew set name = new.name where port = new.port)
=: create_rule, insert, update
=> tides.port: ports.port
=> crew.name: ports.name
=> crew.(rows): crew.port/filter, ports.port/filter

## rule
create rule r as on update to ports do instead nothing; create rule r2 as on delete to ports where old.port = 'x' do instead delete from tides where port = old.port
=: create_rule, create_rule, delete
=> tides.(rows): tides.port/filter, ports.port/filter

## quoted-names
select port as U&"d\0061t", name U&"x!0061" uescape '!' from ports
=: select
=> dat: ports.port
=> xa: ports.name

## sample
select * from ports tablesample system (tide_offset(3) + 1) repeatable (2)
=: select
=> port: ports.port
=> name: ports.name
=> island: ports.island
=> tide_offset: ports.tide_offset

## window
select sum(tide_offset) over (rows between unbounded preceding and unbounded(1) following) as s from ports
=: select
=> s: +ports.tide_offset

## temporary-self-update
create temp table f as select port, name from ports; update f set (port, name) = (name, port); insert into crew (port, name) select port, name from f
=: create_table_as, update, insert
=> crew.port: ports.name
=> crew.name: ports.port

## star-as-argument
select count(*) as n, count(p.*) as m, row(p.*) as r, to_jsonb(p.*) as j from ports p
=: select
=> m: +ports.port, +ports.name, +ports.island, +ports.tide_offset
=> r: ~ports.port, ~ports.name, ~ports.island, ~ports.tide_offset
=> j: ~ports.port, ~ports.name, ~ports.island, ~ports.tide_offset

## unnest
select u.a, u.b from ports, unnest(array[port, name], array[island]) as u(a, b)
=: select
=> a: ~ports.port, ~ports.name
=> b: ~ports.island
=> (rows): ports.port/join, ports.name/join, ports.island/join

## returning-into
create procedure p() language plpgsql as $$ declare r record; begin update ports set name = 'x' where port = 'y' returning * into r; insert into crew (port, name) values (r.port, r.island); end $$
=: create_procedure, update, insert
=> ports.(rows): ports.port/filter
=> crew.port: ports.port, ports.port/filter
=> crew.name: ports.island, ports.port/filter

## records
create procedure p() language plpgsql as $$ declare r ports%rowtype; begin select * into strict r from ports where port = 'x'; insert into crew (port, name) values (r.port, r.name); end $$
=: create_procedure, insert
=> crew.port: ports.port, ports.port/filter
=> crew.name: ports.name, ports.port/filter

## records
create procedure p() language plpgsql as $$ declare c cursor for select port, height from tides; begin for r in c loop insert into sailings (port, berths) values (r.port, r.height); end loop; end $$
=: create_procedure, insert
=> sailings.port: tides.port
=> sailings.berths: tides.height

## dynamic-sql
do $$ begin execute 'insert into ports (port) select port from tides'; execute format('insert into %I (port) select name from crew', 'ports'); end $$
=: do, insert, insert
=> ports.port: tides.port, crew.name

## sequences
insert into ports (port, tide_offset) values ((select max(port) from tides), nextval('s')); select currval('s'), port from ports
=: insert, select
=> ports.port: +tides.port
=> port: ports.port

## qualified-names
select core.ports.name, tidy.ports.name as b, core.ports.* from core.ports, tidy.ports where core.ports.port = tidy.ports.port
=: select
=! star_of_unknown_table
=> name: core.ports.name
=> b: tidy.ports.name
=> *: core.ports.*
=> (rows): core.ports.port/filter, tidy.ports.port/filter

## temp-table
create temp table f as select note from x, y where x.id = y.id; insert into z (note) select note from f
=: create_table_as, insert
=! ambiguous_column
=> z.note: ?x.note, ?y.note
=> z.(rows): x.id/filter, y.id/filter

## temp-table
create temp table f as select port as a from ports; drop table f; create temp table f as select name as a from ports where island = 'x'; insert into crew (name) select a from f
=: create_table_as, drop_table, create_table_as, insert
=> crew.name: ports.name
=> crew.(rows): ports.island/filter

## temp-table
create temp table f as select * from x where kept; insert into z (a, b) select c, upper(d) from f
=: create_table_as, insert
=! star_of_unknown_table
=> z.a: x.c
=> z.b: ~x.d
=> z.(rows): x.kept/filter

## driver-parameter-in-parentheses
select name from ports where (port in ((%s)))
=: select
=> name: ports.name
=> (rows): ports.port/filter

## rename-a-column-without-the-word
create table x (a text); alter table x rename a to b; insert into crew (name) select b from x
=: create_table, alter_table, insert
=> crew.name: x.b

## xmltable-passing-by-value
select x.n from bookings b, xmltable('/r' passing by value b.details by ref columns n text path '@n') x
=: select
=> n: ~bookings.details{@n}
=> (rows): bookings.details/join

## order-using-an-operator
select string_agg(name, ',' order by name using operator(pg_catalog.<)) as n from ports order by port using > nulls last
=: select
=> n: +ports.name, ports.name/sort

## type-of-two-words
select cast(fare as double precision) as f, cast(sold_at as timestamp (3) without time zone) as s, cast('x' as character varying (10)) as c from tickets
=: select
=> f: ~tickets.fare
=> s: ~tickets.sold_at

## recursive-view
create recursive view steps (n, port) as select tide_offset, port from ports union all select n + 1, port from steps where n < 5
=: create_view
=> steps.n: ports.tide_offset, ~ports.tide_offset
=> steps.port: ports.port
=> steps.(rows): ports.tide_offset/filter

## table-that-is-emptied
create temporary table x (a text) on commit drop; insert into x select name from ports; insert into crew (name) select a from x
=: create_table, insert, insert
=> crew.name: ports.name

## a-named-window-over-another
select sum(fare) over b as s from tickets window a as (partition by sailing_id), b as (a order by sold_at)
=: select
=> s: +tickets.fare, tickets.sold_at/window, tickets.sailing_id/window

## star-of-a-composite
select (p).* from ports p
=: select
=> port: ports.port
=> name: ports.name
=> island: ports.island
=> tide_offset: ports.tide_offset

## star-of-a-composite-column
select (details).* from bookings
=: select
=! star_of_expression
=> *: ~bookings.details

## star-of-an-unknown-row
select (made.row_of(port)).*, name from ports
=: select
=! star_of_expression
=> *: ~ports.port
=> name: ports.name

## order-by-number-behind-using
select distinct on (1) * from ports join crew using (port) order by 1, 2
=: select
=> port: ports.port
=> name: ports.name, crew.name
=> island: ports.island
=> tide_offset: ports.tide_offset
=> crew_id: crew.crew_id
=> role: crew.role
=> boss_id: crew.boss_id
=> (rows): ports.port/join, crew.port/join, ports.port/group_by, ports.port/sort, ports.name/sort

## function-of-the-whole-row
select p.made from ports p
=: select
=! unknown_column
=> made: ?ports.port, ?ports.name, ?ports.island, ?ports.tide_offset

## group-by-position-of-a-star
select *, count(*) over () from ports group by 1, 2, 3, 4
=: select
=> port: ports.port
=> name: ports.name
=> island: ports.island
=> tide_offset: ports.tide_offset
=> (rows): ports.port/group_by, ports.name/group_by, ports.island/group_by, ports.tide_offset/group_by

## quantified-by-a-query-in-parentheses
select name from ports where port = any ((select port from crew)) and tide_offset <> all (array[1, 2]) and island = any ('{a}')
=: select
=> name: ports.name
=> (rows): ports.port/filter, crew.port/filter, ports.tide_offset/filter, ports.island/filter
