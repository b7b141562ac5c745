## quoted-names
select "Port", port from quoted
=: select
=> Port: quoted.Port
=> PORT: quoted.port

## strings
select 'it''s ' || name || U&'\0041' from ports
=: select
=> (unnamed): ~ports.name

## comments
select port -- the port
  , /* its name */ name from ports
=: select
=> PORT: ports.port
=> NAME: ports.name

## parameters
select name from ports where port = :port and island = ?
=: select
=> NAME: ports.name
=> (rows): ports.port/filter, ports.island/filter

## operators
select (berths + 1) * 2 - berths / 3 as many, not delayed as on_time from sailings
=: select
=> MANY: ~sailings.berths
=> ON_TIME: ~sailings.delayed

## cast
select cast(fare as decimal(10, 2)) as fare, cast(sold_at as date) as sold_on from tickets
=: select
=> FARE: ~tickets.fare
=> SOLD_ON: ~tickets.sold_at

## case
select case when paid then fare else 0 end as income from tickets
=: select
=> INCOME: ~tickets.fare, tickets.paid/conditional

## case
select case port when 'Skerry' then berths end as skerry_berths from sailings
=: select
=> SKERRY_BERTHS: ~sailings.berths, sailings.port/conditional

## date-functions
select extract(year from sold_at) as sold_year, sold_at + interval '1' day as next_day from tickets
=: select
=> SOLD_YEAR: ~tickets.sold_at
=> NEXT_DAY: ~tickets.sold_at

## qualified-star
select s.* from sailings s join ports p on p.port = s.port
=: select
=> sailing_id: sailings.sailing_id
=> port: sailings.port
=> departs_at: sailings.departs_at
=> vessel_id: sailings.vessel_id
=> berths: sailings.berths
=> delayed: sailings.delayed
=> (rows): ports.port/join, sailings.port/join

## whole-row
select sailings.port, count(*) from sailings group by sailings.port
=: select
=> PORT: sailings.port
=> (rows): sailings.port/group_by

## join
select s.sailing_id, p.name from sailings s inner join ports p on s.port = p.port
=: select
=> SAILING_ID: sailings.sailing_id
=> NAME: ports.name
=> (rows): sailings.port/join, ports.port/join

## left-join
select s.sailing_id, t.fare from sailings s left outer join tickets t on t.sailing_id = s.sailing_id and t.paid
=: select
=> SAILING_ID: sailings.sailing_id
=> FARE: tickets.fare
=> (rows): tickets.sailing_id/join, sailings.sailing_id/join, tickets.paid/join

## natural-join
select port, name, height from ports natural join tides
=: select
=> PORT: ports.port
=> NAME: ports.name
=> HEIGHT: tides.height
=> (rows): ports.port/join, tides.port/join

## using-join
select port, p.name, t.height from ports p full join tides t using (port)
=: select
=> PORT: ports.port, tides.port
=> NAME: ports.name
=> HEIGHT: tides.height
=> (rows): ports.port/join, tides.port/join

## comma-join
select p.name from ports p, sailings s where p.port = s.port
=: select
=> NAME: ports.name
=> (rows): ports.port/filter, sailings.port/filter

## cross-join
select p.name, s.berths from ports p cross join sailings s
=: select
=> NAME: ports.name
=> BERTHS: sailings.berths

## lateral
select p.name, x.height from ports p, lateral (select t.height from tides t where t.port = p.port) x
=: select
=> NAME: ports.name
=> HEIGHT: tides.height
=> (rows): tides.port/filter, ports.port/filter

## unnest
select b.booking_id, leg from bookings b cross join unnest(b.legs) as l (leg)
=: select
=> BOOKING_ID: bookings.booking_id
=> LEG: ~bookings.legs{[*]}
=> (rows): bookings.legs{[*]}/join

## unnest-ordinality
select b.booking_id, l.leg, l.nth from bookings b, unnest(b.legs) with ordinality as l (leg, nth)
=: select
=> BOOKING_ID: bookings.booking_id
=> LEG: ~bookings.legs{[*]}
=> (rows): bookings.legs{[*]}/join

## subquery
select name from ports where port in (select port from sailings where delayed)
=: select
=> NAME: ports.name
=> (rows): ports.port/filter, sailings.port/filter, sailings.delayed/filter

## subquery
select name, (select max(height) from tides t where t.port = p.port) as highest from ports p
=: select
=> NAME: ports.name
=> HIGHEST: +tides.height, tides.port/filter, ports.port/filter

## exists
select name from ports p where exists (select * from sailings s where s.port = p.port)
=: select
=> NAME: ports.name
=> (rows): sailings.port/filter, ports.port/filter

## quantified
select ticket_id from tickets where fare > all (select amount from refunds)
=: select
=> TICKET_ID: tickets.ticket_id
=> (rows): tickets.fare/filter, refunds.amount/filter

## aggregates
select port, sum(berths) as berths, count(distinct vessel_id) as vessels from sailings group by port having sum(berths) > 10
=: select
=> PORT: sailings.port
=> BERTHS: +sailings.berths
=> VESSELS: +sailings.vessel_id
=> (rows): sailings.port/group_by, sailings.berths/filter

## aggregate-filter
select sum(fare) filter (where paid) as income from tickets
=: select
=> INCOME: +tickets.fare, tickets.paid/filter

## within-group
select percentile_cont(0.5) within group (order by fare) as middle from tickets
=: select
=> MIDDLE: +tickets.fare

## ordered-aggregate
select listagg(name, ', ') within group (order by name) as names from ports
=: select
=> NAMES: +ports.name, ports.name/sort

## grouping-sets
select port, vessel_id, sum(berths) as berths from sailings group by grouping sets ((port), (vessel_id), ())
=: select
=> PORT: sailings.port
=> VESSEL_ID: sailings.vessel_id
=> BERTHS: +sailings.berths
=> (rows): sailings.port/group_by, sailings.vessel_id/group_by

## rollup
select port, vessel_id, sum(berths) as berths from sailings group by rollup (port, vessel_id)
=: select
=> PORT: sailings.port
=> VESSEL_ID: sailings.vessel_id
=> BERTHS: +sailings.berths
=> (rows): sailings.port/group_by, sailings.vessel_id/group_by

## cube
select port, grouping(port) as g, sum(berths) as berths from sailings group by cube (port, vessel_id)
=: select
=> PORT: sailings.port
=> BERTHS: +sailings.berths
=> (rows): sailings.port/group_by, sailings.vessel_id/group_by

## window
select ticket_id, sum(fare) over (partition by sailing_id order by sold_at rows between unbounded preceding and current row) as so_far from tickets
=: select
=> TICKET_ID: tickets.ticket_id
=> SO_FAR: +tickets.fare, tickets.sailing_id/window, tickets.sold_at/window

## named-window
select ticket_id, rank() over w as place from tickets window w as (partition by sailing_id order by fare desc)
=: select
=> TICKET_ID: tickets.ticket_id
=> PLACE: tickets.sailing_id/window, tickets.fare/window

## union
select port from sailings union all select port from tides
=: select
=> PORT: sailings.port, tides.port

## intersect
select port from sailings intersect select port from tides
=: select
=> PORT: sailings.port, tides.port
=> (rows): sailings.port/group_by, tides.port/group_by

## except
select port from ports except select port from sailings
=: select
=> PORT: ports.port
=> (rows): sailings.port/filter, ports.port/group_by

## by-name
select port, name from ports union corresponding select name, port from crew
=: select
=> PORT: ports.port, crew.port
=> NAME: ports.name, crew.name
=> (rows): ports.port/group_by, crew.port/group_by, ports.name/group_by, crew.name/group_by

## values
select * from (values (1, 'a'), (2, 'b')) as v (n, letter)
=: select

## cte
with late as (select sailing_id, port from sailings where delayed) select l.port, count(*) as late from late l group by l.port
=: select
=> PORT: sailings.port
=> (rows): sailings.delayed/filter, sailings.port/group_by

## recursive-cte
with recursive chain (crew_id, boss) as (select crew_id, boss_id from crew union all select c.crew_id, k.boss from crew c join chain k on c.boss_id = k.crew_id) select crew_id, boss from chain
=: select
=> CREW_ID: crew.crew_id
=> BOSS: crew.boss_id
=> (rows): crew.boss_id/join, crew.crew_id/join

## search-cycle
with recursive chain (crew_id) as (select crew_id from crew union all select c.crew_id from crew c join chain k on c.boss_id = k.crew_id) search depth first by crew_id set nth cycle crew_id set looped to 'y' default 'n' using way select crew_id, looped from chain
=: select
=> CREW_ID: crew.crew_id
=> LOOPED: crew.crew_id/conditional
=> (rows): crew.boss_id/join, crew.crew_id/join

## match-recognize
select * from tides match_recognize (partition by port order by at measures first(low.height) as lowest, last(high.at) as high_at one row per match pattern (low high+) define high as high.height > prev(high.height)) as m
=: select
=> PORT: tides.port
=> LOWEST: ~tides.height
=> HIGH_AT: ~tides.at
=> (rows): tides.port/window, tides.at/window, tides.height/filter

## json-path
select json_value(details, '$.passenger.name') as passenger from bookings
=: select
=> PASSENGER: ~bookings.details{passenger.name}

## json-table
select b.booking_id, j.port, j.nth from bookings b, json_table(b.details, '$.legs[*]' columns (nth for ordinality, port varchar(20) path '$.port')) as j
=: select
=> BOOKING_ID: bookings.booking_id
=> PORT: ~bookings.details{legs[*].port}
=> (rows): bookings.details/join

## sample
select fare from tickets tablesample bernoulli (10) repeatable (7)
=: select
=> FARE: tickets.fare

## time-travel
select name from ports for system_time as of timestamp '2026-01-01 00:00:00'
=: select
=> NAME: ports.name

## limit
select name from ports order by tide_offset offset 5 rows fetch first 10 rows only
=: select
=> NAME: ports.name
=> (rows): ports.tide_offset/sort

## create-table
create table core.berth (berth_id integer primary key, port varchar(20) not null references ports (port), length_m decimal(6, 2) default 0, check (length_m > 0))
=: create_table

## create-table-as
create table core.late (sailing_id, port) as (select sailing_id, port from sailings where delayed) with data
=: create_table_as
=> CORE.LATE.SAILING_ID: sailings.sailing_id
=> CORE.LATE.PORT: sailings.port
=> CORE.LATE.(rows): sailings.delayed/filter

## create-table-like
create table core.ports_copy (like ports)
=: create_table

## create-view
create view core.income (port, income) as select s.port, sum(t.fare) from sailings s join tickets t on t.sailing_id = s.sailing_id group by s.port with check option
=: create_view
=> CORE.INCOME.PORT: sailings.port
=> CORE.INCOME.INCOME: +tickets.fare
=> CORE.INCOME.(rows): tickets.sailing_id/join, sailings.sailing_id/join, sailings.port/group_by

## insert-select
insert into tides (port, at, height) select port, current_timestamp, tide_offset from ports
=: insert
=> tides.port: ports.port
=> tides.height: ports.tide_offset

## insert-values
insert into ports (port, name) values ('SK', 'Skerry'), ('NH', 'North Haven')
=: insert

## update
update tickets set fare = fare * 1.1, paid = (select max(p.paid) from tickets p) where sailing_id in (select sailing_id from sailings where delayed)
=: update
=> tickets.fare: ~tickets.fare
=> tickets.paid: +tickets.paid
=> tickets.(rows): tickets.sailing_id/filter, sailings.sailing_id/filter, sailings.delayed/filter

## delete
delete from refunds where ticket_id not in (select ticket_id from tickets)
=: delete
=> refunds.(rows): refunds.ticket_id/filter, tickets.ticket_id/filter

## merge
merge into ports as p using (select distinct port from sailings) as s on p.port = s.port when matched then update set name = s.port when not matched then insert (port, name) values (s.port, 'new')
=: merge
=> ports.name: sailings.port
=> ports.port: sailings.port
=> ports.(rows): sailings.port/group_by, ports.port/join, sailings.port/join

## alter-table
create table t1 as select port, name from ports; alter table t1 add column tide integer; alter table t1 drop column name; insert into t1 select port, tide_offset from ports
=: create_table_as, alter_table, alter_table, insert
=> T1.PORT: ports.port
=> T1.TIDE: ports.tide_offset

## drop
drop table core.berth cascade
=: drop_table

## truncate
truncate table refunds
=: truncate

## temp-table
create local temporary table recent as (select port from sailings) with data; insert into ports (port) select port from recent
=: create_table_as, insert
=> ports.port: sailings.port

## function
create function double_fare(fare decimal(10, 2)) returns decimal(10, 2) language sql return fare * 2; select double_fare(fare) as twice from tickets
=: create_function, select
=> TWICE: ~tickets.fare

## transaction
start transaction; commit work; rollback
=: start, commit, rollback

## grant
grant select on ports to clerk; revoke select on ports from clerk
=: grant, revoke

## set-schema
set schema 'core'
=: set

## tight-spelling
select fare*-1 as a,fare<ticket_id as b from tickets where fare>?and paid=?
=: select
=> A: ~tickets.fare
=> B: ~tickets.fare, ~tickets.ticket_id
=> (rows): tickets.fare/filter, tickets.paid/filter

## update-target
update ports set (name, island) = (select name, role from crew where crew.port = ports.port)
=: update
=> ports.name: crew.name, crew.port/filter, ports.port/filter
=> ports.island: crew.role, crew.port/filter, ports.port/filter

## order-under-limit
select * from (select port from ports order by tide_offset) t fetch first 3 rows only
=: select
=> PORT: ports.port
=> (rows): ports.tide_offset/sort

## isolation-of-one-query
select port from ports with ur
=: select
=> PORT: ports.port
