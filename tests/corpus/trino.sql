## quoted-names
select "Port", port from quoted
=: select
=> Port: quoted.port
=> port: quoted.port

## strings
select 'it''s ' || name as a, U&'\0041' as b, X'65' as c from ports
=: select
=> a: ~ports.name

## parameters
select name from ports where port = ? and tide_offset > ?
=: select
=> name: ports.name
=> (rows): ports.port/filter, ports.tide_offset/filter

## cast
select cast(fare as decimal(10, 2)) as fare, try_cast(passenger as integer) as n, try(cast(passenger as bigint)) as m from tickets
=: select
=> fare: ~tickets.fare
=> n: ~tickets.passenger
=> m: ~tickets.passenger

## conditional-function
select if(paid, fare, 0) as income, if(paid, fare) as other, coalesce(passenger, 'none') as who from tickets
=: select
=> income: ~tickets.fare, tickets.paid/conditional
=> other: ~tickets.fare, tickets.paid/conditional
=> who: ~tickets.passenger

## date-functions
select date_trunc('day', sold_at) as a, date_add('hour', 1, sold_at) as b, extract(year from sold_at) as c, sold_at at time zone 'UTC' as d, sold_at + interval '1' day as e from tickets
=: select
=> a: ~tickets.sold_at
=> b: ~tickets.sold_at
=> c: ~tickets.sold_at
=> d: ~tickets.sold_at
=> e: ~tickets.sold_at

## unnest
select b.booking_id, leg from bookings b cross join unnest(b.legs) as t (leg)
=: select
=> booking_id: bookings.booking_id
=> leg: ~bookings.legs{[*]}
=> (rows): bookings.legs{[*]}/join

## unnest-ordinality
select b.booking_id, t.leg, t.n from bookings b cross join unnest(b.legs) with ordinality as t (leg, n)
=: select
=> booking_id: bookings.booking_id
=> leg: ~bookings.legs{[*]}
=> (rows): bookings.legs{[*]}/join

## unnest
select b.booking_id, t.k, t.v from bookings b left join unnest(map_keys(b.details), b.legs) as t (k, v) on true
=: select
=> booking_id: bookings.booking_id
=> k: ~bookings.details
=> v: ~bookings.legs
=> (rows): bookings.details/join, bookings.legs/join

## lambda
select transform(legs, x -> x || name) as a, filter(legs, leg -> leg <> 'x') as b, reduce(legs, 0, (s, x) -> s + x, s -> s) as c from bookings, ports
=: select
=> a: ~bookings.legs, ~ports.name
=> b: ~bookings.legs
=> c: ~bookings.legs

## struct
select row(port, name) as r, cast(row(port, tide_offset) as row(p varchar, t integer)) as s from ports
=: select
=> r: ~ports.port, ~ports.name
=> s: ~ports.port, ~ports.tide_offset

## struct-field
select details.passenger.name as who, b.details.fare as fare from bookings b
=: select
=> who: ~bookings.details{passenger.name}
=> fare: ~bookings.details{fare}

## array
select array[berths, vessel_id] as a, array[berths][1] as b, legs[1] as c from sailings, bookings
=: select
=> a: ~sailings.berths, ~sailings.vessel_id
=> b: ~sailings.berths
=> c: ~bookings.legs{[1]}

## map
select map(array['a'], array[berths]) as m, map_agg(port, berths) as n from sailings group by 1
=: select
=> m: ~sailings.berths
=> n: +sailings.port, +sailings.berths
=> (rows): sailings.berths/group_by

## json-path
select json_extract_scalar(details, '$.passenger.name') as who, json_value(details, 'lax $.legs[0].port') as p, json_query(details, 'lax $.legs') as l from bookings
=: select
=> who: ~bookings.details{passenger.name}
=> p: ~bookings.details{legs[0].port}
=> l: ~bookings.details{legs}

## json-table
select t.port, t.n from bookings, json_table(details, 'lax $.legs[*]' columns (n for ordinality, port varchar path 'lax $.port')) as t
=: select
=> port: ~bookings.details{legs[*].port}
=> (rows): bookings.details/join

## aggregates
select approx_distinct(passenger) as n, max_by(passenger, fare) as who, count_if(paid) as paid, arbitrary(fare) as f from tickets
=: select
=> n: +tickets.passenger
=> who: +tickets.passenger, +tickets.fare
=> paid: +tickets.paid
=> f: +tickets.fare

## aggregate-filter
select sum(fare) filter (where paid) as income from tickets
=: select
=> income: +tickets.fare, tickets.paid/filter

## ordered-aggregate
select array_agg(name order by tide_offset desc) as names, listagg(name, ',') within group (order by name) as list from ports
=: select
=> names: +ports.name, ports.tide_offset/sort
=> list: +ports.name, ports.name/sort

## grouping-sets
select port, vessel_id, sum(berths) from sailings group by grouping sets ((port), (vessel_id), ())
=: select
=> port: sailings.port
=> vessel_id: sailings.vessel_id
=> _col2: +sailings.berths
=> (rows): sailings.port/group_by, sailings.vessel_id/group_by

## rollup
select port, grouping(port) as g, sum(berths) as b from sailings group by rollup (port)
=: select
=> port: sailings.port
=> b: +sailings.berths
=> (rows): sailings.port/group_by

## cube
select port, sum(berths) as b from sailings group by cube (port, delayed)
=: select
=> port: sailings.port
=> b: +sailings.berths
=> (rows): sailings.port/group_by, sailings.delayed/group_by

## ordinals
select port, count(*) from sailings group by 1 order by 2 desc limit 10
=: select
=> port: sailings.port
=> (rows): sailings.port/group_by

## window
select fare, lag(fare) ignore nulls over (partition by sailing_id order by sold_at) as before_it from tickets
=: select
=> fare: tickets.fare
=> before_it: ~tickets.fare, tickets.sailing_id/window, tickets.sold_at/window

## named-window
select sum(fare) over w as s from tickets window w as (partition by sailing_id order by sold_at groups 1 preceding)
=: select
=> s: +tickets.fare, tickets.sailing_id/window, tickets.sold_at/window

## match-recognize
select m.port, m.top from tides match_recognize (partition by port order by at measures last(up.height) as top, match_number() as n all rows per match after match skip past last row pattern (start up+ down*) define up as up.height > prev(up.height), down as down.height < prev(down.height)) as m
=: select
=> port: tides.port
=> top: ~tides.height
=> (rows): tides.port/window, tides.at/window, tides.height/filter

## join
select s.berths, p.name from sailings s join ports p on s.port = p.port
=: select
=> berths: sailings.berths
=> name: ports.name
=> (rows): sailings.port/join, ports.port/join

## using-join
select port, p.name from ports p right join tides t using (port)
=: select
=> port: tides.port
=> name: ports.name
=> (rows): ports.port/join, tides.port/join

## natural-join
select name, height from ports natural join tides
=: select
=> name: ports.name
=> height: tides.height
=> (rows): ports.port/join, tides.port/join

## cross-join
select p.name, s.berths from sailings s cross join ports p
=: select
=> name: ports.name
=> berths: sailings.berths

## lateral
select p.name, x.h from ports p cross join lateral (select max(height) as h from tides t where t.port = p.port) x
=: select
=> name: ports.name
=> h: +tides.height
=> (rows): tides.port/filter, ports.port/filter

## subquery
select name from ports where (port, island) in (select port, role from crew)
=: select
=> name: ports.name
=> (rows): ports.port/filter, ports.island/filter, crew.port/filter, crew.role/filter

## quantified
select ticket_id from tickets where fare >= all (select amount from refunds) or fare = some (values 1, 2)
=: select
=> ticket_id: tickets.ticket_id
=> (rows): tickets.fare/filter, refunds.amount/filter

## exists
select name from ports p where exists (select 1 from sailings s where s.port = p.port)
=: select
=> name: ports.name
=> (rows): sailings.port/filter, ports.port/filter

## union
select port from sailings union select port from tides
=: select
=> port: sailings.port, tides.port
=> (rows): sailings.port/group_by, tides.port/group_by

## except
select port from ports except select port from sailings
=: select
=> port: ports.port
=> (rows): sailings.port/filter, ports.port/group_by

## intersect
select port from ports intersect select port from sailings
=: select
=> port: ports.port, sailings.port
=> (rows): ports.port/group_by, sailings.port/group_by

## cte
with late (p) as (select port from sailings where delayed) select ports.name from ports join late on late.p = ports.port
=: select
=> name: ports.name
=> (rows): sailings.delayed/filter, sailings.port/join, ports.port/join

## recursive-cte
with recursive chain (id, boss) as (select crew_id, boss_id from crew union all select c.crew_id, k.boss from crew c join chain k on c.boss_id = k.id) select id, boss from chain
=: select
=> id: crew.crew_id
=> boss: crew.boss_id
=> (rows): crew.boss_id/join, crew.crew_id/join

## values
select a, b from (values (1, 'x'), (2, 'y')) as v (a, b)
=: select

## values
values 1, 2, 3
=: select

## sample
select fare from tickets tablesample bernoulli (10)
=: select
=> fare: tickets.fare

## time-travel
select name from ports for version as of 123
=: select
=> name: ports.name

## time-travel
select name from ports for timestamp as of timestamp '2026-01-01 00:00:00'
=: select
=> name: ports.name

## table-function
select n.sequential_number from table(sequence(start => 1, stop => 5)) n
=: select

## table-function
select t.port from table(remote.system.query(query => 'select port from far')) as t
=: select

## limit
select name from ports order by tide_offset offset 5 limit 10
=: select
=> name: ports.name
=> (rows): ports.tide_offset/sort

## limit
select name from ports order by tide_offset fetch first 5 rows with ties
=: select
=> name: ports.name
=> (rows): ports.tide_offset/sort

## four-part-names
select t.port from lake.core.trips t join lake."odd schema".ports p on p.port = t.port
=: select
=> port: lake.core.trips.port
=> (rows): lake.odd schema.ports.port/join, lake.core.trips.port/join

## system-columns
select port, "$path" from ports
=: select
=> port: ports.port

## create-table
create table if not exists lake.core.berth (berth_id bigint not null comment 'id', port varchar, place row(x double, y double)) comment 'berths' with (format = 'ORC', partitioned_by = array['port'])
=: create_table

## create-table-as
create table lake.core.late with (format = 'PARQUET') as select sailing_id, port from sailings where delayed with no data
=: create_table_as
=> lake.core.late.sailing_id: sailings.sailing_id
=> lake.core.late.port: sailings.port
=> lake.core.late.(rows): sailings.delayed/filter

## create-table-like
create table lake.core.ports_copy (like ports including properties, note varchar)
=: create_table

## create-view
create or replace view lake.core.income security invoker as select s.port, sum(t.fare) as income from sailings s join tickets t on t.sailing_id = s.sailing_id group by s.port
=: create_view
=> lake.core.income.port: sailings.port
=> lake.core.income.income: +tickets.fare
=> lake.core.income.(rows): tickets.sailing_id/join, sailings.sailing_id/join, sailings.port/group_by

## materialized-view
create or replace materialized view lake.core.highest with (a = 'b') as select port, max(height) as highest from tides group by port
=: create_materialized_view
=> lake.core.highest.port: tides.port
=> lake.core.highest.highest: +tides.height
=> lake.core.highest.(rows): tides.port/group_by

## insert-select
insert into tides (port, height) select port, tide_offset from ports
=: insert
=> tides.port: ports.port
=> tides.height: ports.tide_offset

## insert-values
insert into ports values ('SK', 'Skerry', 'North', 3)
=: insert

## update
update tickets set fare = fare * 2, paid = (select max(paid) from tickets) where sailing_id = 7
=: update
=> tickets.fare: ~tickets.fare
=> tickets.paid: +tickets.paid
=> tickets.(rows): tickets.sailing_id/filter

## delete
delete from refunds where amount in (select fare from tickets where not paid)
=: delete
=> refunds.(rows): refunds.amount/filter, tickets.fare/filter, tickets.paid/filter

## merge
merge into ports t using tides s on (t.port = s.port) when matched and s.height > 4 then update set tide_offset = s.height when matched then delete when not matched then insert (port, tide_offset) values (s.port, s.height)
=: merge
=> ports.tide_offset: tides.height
=> ports.port: tides.port
=> ports.(rows): ports.port/join, tides.port/join, tides.height/filter

## alter-table
create table t1 as select port, name from ports; alter table t1 rename column name to title; alter table t1 drop column port; insert into crew (name) select title from t1
=: create_table_as, alter_table, alter_table, insert
=> t1.title: ports.name
=> crew.name: t1.title

## rename-swap
create table ports_new as select port, name from ports; alter table ports rename to ports_old; alter table ports_new rename to ports
=: create_table_as, alter_table, alter_table
=> ports.port: ports.port
=> ports.name: ports.name

## alter-table
alter table ports execute optimize; alter table ports set properties a = 'b'
=: alter_table, alter_table

## drop
drop table if exists lake.core.berth; drop view lake.core.income; drop materialized view lake.core.highest
=: drop_table, drop_view, drop_materialized_view

## truncate
truncate table refunds
=: truncate

## use
use lake.core; select port from berths_here
=: use, select
=> port: lake.core.berths_here.port

## function
create function net(fare double, back double) returns double return fare - back; select net(t.fare, r.amount) as net from tickets t join refunds r on r.ticket_id = t.ticket_id
=: create_function, select
=> net: ~tickets.fare, ~refunds.amount
=> (rows): refunds.ticket_id/join, tickets.ticket_id/join

## call
call lake.system.flush()
=: call
=! not_followed

## prepare
prepare q from select 1; execute q using 1; deallocate prepare q
=: prepare, select, execute, deallocate
=! not_followed

## grant
grant select on ports to role clerk; comment on table ports is 'where'; analyze ports; show tables; describe ports; set session a = 'b'
=: grant, comment, analyze, show, describe, set

## transaction
start transaction read only; commit; rollback
=: start, commit, rollback

## unnest
select k, v, o from x cross join unnest(m) with ordinality as t(k, v, o)
=: select
=> k: ~x.m{[*]}
=> v: ~x.m{[*]}
=> (rows): x.m{[*]}/join

## unnest
select k, v from x cross join unnest(map_from_entries(m)) as t(k, v)
=: select
=> k: ~x.m
=> v: ~x.m
=> (rows): x.m/join

## table-function
select * from table(exclude_columns(input => table(ports), columns => descriptor(port, name)))
=: select
=> island: ports.island
=> tide_offset: ports.tide_offset

## tight-spelling
select fare>-1 as a,fare%ticket_id as b from tickets where fare<?and paid=?
=: select
=> a: ~tickets.fare
=> b: ~tickets.fare, ~tickets.ticket_id
=> (rows): tickets.fare/filter, tickets.paid/filter

## unnest
select n, a, b from bookings cross join unnest(array[row(booking_id, details), row(details, booking_id)]) as t(a, b) cross join unnest(sequence(1, 3)) as u(n)
=: select
=> a: ~bookings.booking_id, ~bookings.details
=> b: ~bookings.booking_id, ~bookings.details
=> (rows): bookings.booking_id/join, bookings.details/join

## update-target
update ports set name = (select max(c.name) from crew c where c.port = ports.port) where island = 'x'
=: update
=> ports.name: +crew.name, crew.port/filter, ports.port/filter
=> ports.(rows): ports.island/filter

## order-under-limit
select * from (select port from ports order by tide_offset fetch first 3 rows only) t
=: select
=> port: ports.port
=> (rows): ports.tide_offset/sort

## unit-words
select date_add('day', 1, sold_at) as a, date_diff('day', sold_at, at) as b, sold_at + interval '1' month as c from tickets, refunds
=: select
=> a: ~tickets.sold_at
=> b: ~tickets.sold_at, ~refunds.at
=> c: ~tickets.sold_at

## dynamic-sql
prepare p from select port from tides where height > ?; execute p using 3
=: prepare, select, execute
=! not_followed
=> port: tides.port
=> (rows): tides.height/filter

## table-argument-with-its-order
select t.* from table(made.last_of(input => table(tides) partition by port order by at, days => 3)) t
=: select
=! not_followed
=> *: ~tides.port, ~tides.at, ~tides.height
=> (rows): tides.at/sort, tides.port/filter
