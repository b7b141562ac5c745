## quoted-names
select "port" as "Where" from quoted
=: select
=> Where: quoted.port

## strings
select 'it''s ' || name || $$plain$$ from ports
=: select
=> ?column?: ~ports.name

## parameters
select name from ports where port = $1 and island = :island and tide_offset > %(tide)s
=: select
=> name: ports.name
=> (rows): ports.port/filter, ports.island/filter, ports.tide_offset/filter

## lateral-alias
select fare * 2 as twice, twice + 1 as more from tickets
=: select
=> twice: ~tickets.fare
=> more: ~tickets.fare

## top
select top 5 port from ports order by tide_offset desc
=: select
=> port: ports.port
=> (rows): ports.tide_offset/sort

## qualify
select port, height from tides qualify row_number() over (partition by port order by height desc) = 1
=: select
=> port: tides.port
=> height: tides.height
=> (rows): tides.port/window, tides.height/window

## star-except
select * exclude (berths, delayed) from sailings
=: select
=> sailing_id: sailings.sailing_id
=> port: sailings.port
=> departs_at: sailings.departs_at
=> vessel_id: sailings.vessel_id

## conditional-function
select nvl(passenger, 'none') as who, nvl2(passenger, fare, 1) as x, decode(paid, true, fare, 0) as y from tickets
=: select
=> who: ~tickets.passenger
=> x: ~tickets.fare, tickets.passenger/conditional
=> y: ~tickets.fare, tickets.paid/conditional

## date-functions
select dateadd(day, 1, sold_at) as a, datediff(month, sold_at, getdate()) as b, date_part(year, sold_at) as c, date_trunc('week', sold_at) as d, extract(dow from sold_at) as e from tickets
=: select
=> a: ~tickets.sold_at
=> b: ~tickets.sold_at
=> c: ~tickets.sold_at
=> d: ~tickets.sold_at
=> e: ~tickets.sold_at

## cast
select fare::decimal(10, 2) as fare, cast(sold_at as date) as d, convert(integer, passenger) as n from tickets
=: select
=> fare: ~tickets.fare
=> d: ~tickets.sold_at
=> n: ~tickets.passenger

## aggregates
select listagg(distinct name, ', ') within group (order by tide_offset) as names, median(tide_offset) as middle, approximate count(distinct island) as islands from ports
=: select
=> names: +ports.name, ports.tide_offset/sort
=> middle: +ports.tide_offset
=> islands: +ports.island

## within-group
select percentile_cont(0.5) within group (order by fare) over (partition by sailing_id) as middle from tickets
=: select
=> middle: +tickets.fare, tickets.sailing_id/window

## window
select fare, ratio_to_report(fare) over (partition by sailing_id) as share, lag(fare, 1) ignore nulls over (order by sold_at) as before_it from tickets
=: select
=> fare: tickets.fare
=> share: ~tickets.fare, tickets.sailing_id/window
=> before_it: ~tickets.fare, tickets.sold_at/window

## grouping-sets
select port, sum(berths) from sailings group by grouping sets ((port), ())
=: select
=> port: sailings.port
=> sum: +sailings.berths
=> (rows): sailings.port/group_by

## rollup
select port, sum(berths) from sailings group by rollup (port, vessel_id)
=: select
=> port: sailings.port
=> sum: +sailings.berths
=> (rows): sailings.port/group_by, sailings.vessel_id/group_by

## cube
select port, sum(berths) from sailings group by cube (port)
=: select
=> port: sailings.port
=> sum: +sailings.berths
=> (rows): sailings.port/group_by

## super-path
select b.details.passenger.name as who, b.legs[0].port as p from bookings b
=: select
=> who: ~bookings.details{passenger.name}
=> p: ~bookings.legs{[0].port}

## super-unnest
select b.booking_id, l.port from bookings b, b.legs l
=: select
=> booking_id: bookings.booking_id
=> port: ~bookings.legs{[*].port}
=> (rows): bookings.legs{[*]}/join

## super-unnest
select b.booking_id, l, n from bookings b, b.legs as l at n
=: select
=> booking_id: bookings.booking_id
=> l: ~bookings.legs{[*]}
=> (rows): bookings.legs{[*]}/join

## json-path
select json_extract_path_text(details, 'passenger', 'name') as who from bookings
=: select
=> who: ~bookings.details{passenger.name}

## pivot
select * from (select port, delayed, berths from sailings) pivot (sum(berths) as b for delayed in (true as late, false as on_time))
=: select
=> port: sailings.port
=> late_b: +sailings.berths, sailings.delayed/conditional
=> on_time_b: +sailings.berths, sailings.delayed/conditional
=> (rows): sailings.port/group_by

## unpivot
select * from ports unpivot (said for what in (name, island))
=: select
=> port: ports.port
=> tide_offset: ports.tide_offset
=> said: ports.name, ports.island
=> (rows): ports.name/filter, ports.island/filter

## join
select s.berths, p.name from sailings s join ports p on s.port = p.port
=: select
=> berths: sailings.berths
=> name: ports.name
=> (rows): sailings.port/join, ports.port/join

## left-join
select p.name, t.height from ports p left join tides t on t.port = p.port
=: select
=> name: ports.name
=> height: tides.height
=> (rows): tides.port/join, ports.port/join

## using-join
select port, p.name from ports p full join tides t using (port)
=: select
=> port: ports.port, tides.port
=> name: ports.name
=> (rows): ports.port/join, tides.port/join

## natural-join
select name, height from ports natural join tides
=: select
=> name: ports.name
=> height: tides.height
=> (rows): ports.port/join, tides.port/join

## comma-join
select p.name from ports p, sailings s where p.port = s.port(+)
=: select
=> name: ports.name
=> (rows): ports.port/filter, sailings.port/filter

## subquery
select name from ports where (port, island) in (select port, role from crew)
=: select
=> name: ports.name
=> (rows): ports.port/filter, ports.island/filter, crew.port/filter, crew.role/filter

## exists
select name from ports p where exists (select 1 from sailings s where s.port = p.port)
=: select
=> name: ports.name
=> (rows): sailings.port/filter, ports.port/filter

## quantified
select ticket_id from tickets where fare > all (select amount from refunds)
=: select
=> ticket_id: tickets.ticket_id
=> (rows): tickets.fare/filter, refunds.amount/filter

## case
select case when paid then fare else 0 end as income from tickets
=: select
=> income: ~tickets.fare, tickets.paid/conditional

## union
select port from sailings union all select port from tides
=: select
=> port: sailings.port, tides.port

## minus
select port from ports minus select port from sailings
=: select
=> port: ports.port
=> (rows): sailings.port/filter, ports.port/group_by

## intersect
select port from ports intersect select port from sailings
=: select
=> port: ports.port, sailings.port
=> (rows): ports.port/group_by, sailings.port/group_by

## cte
with late as (select port from sailings where delayed) select p.name from ports p join late on late.port = p.port
=: select
=> name: ports.name
=> (rows): sailings.delayed/filter, sailings.port/join, ports.port/join

## recursive-cte
with recursive chain (id, boss) as (select crew_id, boss_id from crew union all select c.crew_id, k.boss from crew c join chain k on c.boss_id = k.id) select id, boss from chain
=: select
=> id: crew.crew_id
=> boss: crew.boss_id
=> (rows): crew.boss_id/join, crew.crew_id/join

## connect-by
select crew_id, level from crew start with boss_id is null connect by prior crew_id = boss_id
=: select
=> crew_id: crew.crew_id
=> (rows): crew.boss_id/filter, crew.crew_id/filter

## distinct
select distinct port, delayed from sailings
=: select
=> port: sailings.port
=> delayed: sailings.delayed
=> (rows): sailings.port/group_by, sailings.delayed/group_by

## ordinals
select port, count(*) from sailings group by 1 order by 2 desc limit 10 offset 5
=: select
=> port: sailings.port
=> (rows): sailings.port/group_by

## named-window
select sum(fare) over (partition by sailing_id order by sold_at rows unbounded preceding) as so_far from tickets
=: select
=> so_far: +tickets.fare, tickets.sailing_id/window, tickets.sold_at/window

## four-part-names
select t.port from lake.core.trips t join spectrum.ports2 p on p.port = t.port
=: select
=> port: lake.core.trips.port
=> (rows): spectrum.ports2.port/join, lake.core.trips.port/join

## create-table
create table if not exists core.berth (berth_id int identity(0, 1) primary key, port varchar(20) encode zstd distkey sortkey, wide decimal(6, 2) default 0 not null) diststyle key compound sortkey (port, wide)
=: create_table

## create-table-as
create table core.late diststyle all sortkey (port) as select sailing_id, port from sailings where delayed
=: create_table_as
=> core.late.sailing_id: sailings.sailing_id
=> core.late.port: sailings.port
=> core.late.(rows): sailings.delayed/filter

## create-table-like
create table core.ports_copy (like ports including defaults)
=: create_table

## temp-table
create temp table recent as select port, berths from sailings; insert into ports (port, tide_offset) select port, berths from recent; drop table recent
=: create_table_as, insert, drop_table
=> ports.port: sailings.port
=> ports.tide_offset: sailings.berths

## temp-table
create table #recent as select port, berths from sailings; insert into ports (port, tide_offset) select port, berths from #recent
=: create_table_as, insert
=> ports.port: sailings.port
=> ports.tide_offset: sailings.berths

## select-into
select port, count(*) as n into temp busy from sailings group by port; insert into ports (port) select port from busy
=: create_table_as, insert
=> ports.port: sailings.port
=> ports.(rows): sailings.port/group_by

## external-table
create external table spectrum.raw (port varchar(20), line varchar(200)) partitioned by (day date) row format delimited fields terminated by ',' stored as parquet location 's3://bucket/raw/'
=: create_external_table
=> spectrum.raw.port: s3://bucket/raw/.port
=> spectrum.raw.line: s3://bucket/raw/.line
=> spectrum.raw.day: s3://bucket/raw/.day

## create-view
create or replace view core.income (port, income) as select s.port, sum(t.fare) from sailings s join tickets t on t.sailing_id = s.sailing_id group by s.port with no schema binding
=: create_view
=> core.income.port: sailings.port
=> core.income.income: +tickets.fare
=> core.income.(rows): tickets.sailing_id/join, sailings.sailing_id/join, sailings.port/group_by

## materialized-view
create materialized view core.highest backup no diststyle all auto refresh yes as select port, max(height) as highest from tides group by port
=: create_materialized_view
=> core.highest.port: tides.port
=> core.highest.highest: +tides.height
=> core.highest.(rows): tides.port/group_by

## insert-select
insert into tides (port, at, height) select port, getdate(), tide_offset from ports
=: insert
=> tides.port: ports.port
=> tides.height: ports.tide_offset

## insert-values
insert into ports values ('SK', 'Skerry', 'North', 3), ('NH', 'North Haven', 'North', default)
=: insert

## update-join
update tickets set fare = fare - r.amount from refunds r where r.ticket_id = tickets.ticket_id
=: update
=> tickets.fare: ~tickets.fare, ~refunds.amount
=> tickets.(rows): refunds.ticket_id/filter, tickets.ticket_id/filter

## delete-join
delete from refunds using tickets t where t.ticket_id = refunds.ticket_id
=: delete
=> refunds.(rows): tickets.ticket_id/filter, refunds.ticket_id/filter

## merge
merge into ports using tides t on ports.port = t.port when matched then update set tide_offset = t.height when not matched then insert (port, tide_offset) values (t.port, t.height)
=: merge
=> ports.tide_offset: tides.height
=> ports.port: tides.port
=> ports.(rows): ports.port/join, tides.port/join

## copy-in
copy ports (port, name) from 's3://bucket/ports/' iam_role 'arn:role' format as csv ignoreheader 1 gzip
=: copy
=> ports.port: s3://bucket/ports/.port
=> ports.name: s3://bucket/ports/.name

## unload
unload ('select port, name from ports where island = ''North''') to 's3://bucket/out/' iam_role 'arn:role' parquet allowoverwrite
=: unload
=> s3://bucket/out/.port: ports.port
=> s3://bucket/out/.name: ports.name
=> s3://bucket/out/.(rows): ports.island/filter

## alter-table
create table t1 as select port, name from ports; alter table t1 rename column name to title; alter table t1 add column x int default 0; alter table t1 drop column port; insert into crew (name) select title from t1
=: create_table_as, alter_table, alter_table, alter_table, insert
=> t1.title: ports.name
=> crew.name: t1.title

## append
alter table tickets append from tickets_new
=: alter_table
=> tickets.ticket_id: tickets_new.ticket_id
=> tickets.sailing_id: tickets_new.sailing_id
=> tickets.fare: tickets_new.fare
=> tickets.sold_at: tickets_new.sold_at
=> tickets.passenger: tickets_new.passenger
=> tickets.paid: tickets_new.paid

## rename-swap
create table ports_new as select port, name from ports; drop table ports; alter table ports_new rename to ports
=: create_table_as, drop_table, alter_table
=> ports.port: ports.port
=> ports.name: ports.name

## drop
drop table if exists core.berth cascade; drop view core.income
=: drop_table, drop_view

## truncate
truncate table refunds
=: truncate

## set-schema
set search_path to core, public; select port from berths_here
=: set, select
=> port: berths_here.port

## function
create function net(fare float, back float) returns float stable as $$ select $1 - nvl($2, 0) $$ language sql; select net(t.fare, r.amount) as net from tickets t join refunds r on r.ticket_id = t.ticket_id
=: create_function, select
=> net: ~tickets.fare, ~refunds.amount
=> (rows): refunds.ticket_id/join, tickets.ticket_id/join

## procedure
create or replace procedure close_day(p varchar) as $$ declare total float; begin select into total sum(berths) from sailings where port = p; if total > 5 then insert into ports (port, tide_offset) values (p, total); end if; end; $$ language plpgsql
=: create_procedure, insert
=> ports.tide_offset: +sailings.berths, sailings.port/filter
=> ports.(rows): sailings.berths/conditional, sailings.port/filter

## transaction
begin transaction; commit; vacuum full ports; analyze ports
=: begin, commit, vacuum, analyze

## grant
grant select on table ports to group clerks; comment on table ports is 'where'
=: grant, comment

## procedure
create or replace procedure p(a int) language plpgsql as $$ declare r record; begin for r in select port, height from tides loop insert into sailings (port, berths) values (r.port, r.height); end loop; execute 'insert into ports (port) select port from tides'; end $$
=: create_procedure, insert, insert
=> sailings.port: tides.port
=> sailings.berths: tides.height
=> ports.port: tides.port

## super-unnest
select v, k from bookings b, unpivot b.details as v at k
=: select
=> v: ~bookings.details{[*]}
=> k: ~bookings.details{[*]}
=> (rows): bookings.details{[*]}/join

## merge
merge into ports using tides on ports.port = tides.port remove duplicates
=: merge
=> ports.port: tides.port
=> ports.name: tides.at
=> ports.island: tides.height
=> ports.(rows): ports.port/join, tides.port/join

## super-path
select o.c.a[0].b from orders o
=: select
=> b: ~orders.c{a[0].b}

## temporary-self-update
create temp table f as select port, name from ports; update f set port = name where port = 'x'; insert into sailings (port) select port from f
=: create_table_as, update, insert
=> sailings.port: ports.port, ports.name
=> sailings.(rows): ports.port/filter

## tight-spelling
select fare::int<ticket_id as a,fare::int%ticket_id as b from tickets where fare::int<=ticket_id and paid::int<>ticket_id
=: select
=> a: ~tickets.fare, ~tickets.ticket_id
=> b: ~tickets.fare, ~tickets.ticket_id
=> (rows): tickets.fare/filter, tickets.ticket_id/filter, tickets.paid/filter

## update-target
update ports set name = c.name from crew c where c.port = ports.port
=: update
=> ports.name: crew.name
=> ports.(rows): crew.port/filter, ports.port/filter

## records
create procedure p() language plpgsql as $$ declare r record; begin for r in select port, height from tides loop insert into sailings (port, berths) values (r.port, r.height); end loop; end $$
=: create_procedure, insert
=> sailings.port: tides.port
=> sailings.berths: tides.height

## order-under-limit
select top 3 * from (select port from ports order by tide_offset) t
=: select
=> port: ports.port
=> (rows): ports.tide_offset/sort

## unit-words
select dateadd(month, 1, sold_at) as a, datediff(day, sold_at, at) as b, date_trunc('week', sold_at) as c from tickets, refunds
=: select
=> a: ~tickets.sold_at
=> b: ~tickets.sold_at, ~refunds.at
=> c: ~tickets.sold_at

## dynamic-sql
create procedure p() language plpgsql as $$ declare q text; begin q := 'insert into ports (port) select port from tides'; execute q; end $$
=: create_procedure, insert
=> ports.port: tides.port

## sequences
create table x (a bigint identity(1, 1), port varchar(9)); insert into x (port) select port from tides
=: create_table, insert
=> x.port: tides.port

## conditional-function
select decode(island, 'n', name, 's', port, tide_offset) as d from ports
=: select
=> d: ~ports.name, ~ports.port, ~ports.tide_offset, ports.island/conditional

## temp-table
create temp table f (like ports); insert into f select * from ports where island = 'x'; delete from f where name is null; insert into crew (port) select port from f
=: create_table, insert, delete, insert
=> crew.port: ports.port
=> crew.(rows): ports.island/filter, ports.name/filter

## unload-of-a-query-as-it-stands
unload (select port, height from tides where at > '2026-01-01') to 's3://tides/out_'
=: unload
=> s3://tides/out_.port: tides.port
=> s3://tides/out_.height: tides.height
=> s3://tides/out_.(rows): tides.at/filter

## approximate-count
select approximate count(distinct passenger) as n from tickets
=: select
=> n: +tickets.passenger
