## quoted-names
select "Port", port from quoted

## strings
select 'it''s ' || name as a, U&'\0041' as b, X'65' as c from ports

## parameters
select name from ports where port = ? and tide_offset > ?

## cast
select cast(fare as decimal(10, 2)) as fare, try_cast(passenger as integer) as n, try(cast(passenger as bigint)) as m from tickets

## conditional-function
select if(paid, fare, 0) as income, if(paid, fare) as other, coalesce(passenger, 'none') as who from tickets

## date-functions
select date_trunc('day', sold_at) as a, date_add('hour', 1, sold_at) as b, extract(year from sold_at) as c, sold_at at time zone 'UTC' as d, sold_at + interval '1' day as e from tickets

## unnest
select b.booking_id, leg from bookings b cross join unnest(b.legs) as t (leg)

## unnest-ordinality
select b.booking_id, t.leg, t.n from bookings b cross join unnest(b.legs) with ordinality as t (leg, n)

## unnest
select b.booking_id, t.k, t.v from bookings b left join unnest(map_keys(b.details), b.legs) as t (k, v) on true

## lambda
select transform(legs, x -> x || name) as a, filter(legs, leg -> leg <> 'x') as b, reduce(legs, 0, (s, x) -> s + x, s -> s) as c from bookings, ports

## struct
select row(port, name) as r, cast(row(port, tide_offset) as row(p varchar, t integer)) as s from ports

## struct-field
select details.passenger.name as who, b.details.fare as fare from bookings b

## array
select array[berths, vessel_id] as a, array[berths][1] as b, legs[1] as c from sailings, bookings

## map
select map(array['a'], array[berths]) as m, map_agg(port, berths) as n from sailings group by 1

## json-path
select json_extract_scalar(details, '$.passenger.name') as who, json_value(details, 'lax $.legs[0].port') as p, json_query(details, 'lax $.legs') as l from bookings

## json-table
select t.port, t.n from bookings, json_table(details, 'lax $.legs[*]' columns (n for ordinality, port varchar path 'lax $.port')) as t

## aggregates
select approx_distinct(passenger) as n, max_by(passenger, fare) as who, count_if(paid) as paid, arbitrary(fare) as f from tickets

## aggregate-filter
select sum(fare) filter (where paid) as income from tickets

## ordered-aggregate
select array_agg(name order by tide_offset desc) as names, listagg(name, ',') within group (order by name) as list from ports

## grouping-sets
select port, vessel_id, sum(berths) from sailings group by grouping sets ((port), (vessel_id), ())

## rollup
select port, grouping(port) as g, sum(berths) as b from sailings group by rollup (port)

## cube
select port, sum(berths) as b from sailings group by cube (port, delayed)

## ordinals
select port, count(*) from sailings group by 1 order by 2 desc limit 10

## window
select fare, lag(fare) ignore nulls over (partition by sailing_id order by sold_at) as before_it from tickets

## named-window
select sum(fare) over w as s from tickets window w as (partition by sailing_id order by sold_at groups 1 preceding)

## match-recognize
select m.port, m.top from tides match_recognize (partition by port order by at measures last(up.height) as top, match_number() as n all rows per match after match skip past last row pattern (start up+ down*) define up as up.height > prev(up.height), down as down.height < prev(down.height)) as m

## join
select s.berths, p.name from sailings s join ports p on s.port = p.port

## using-join
select port, p.name from ports p right join tides t using (port)

## natural-join
select name, height from ports natural join tides

## cross-join
select p.name, s.berths from sailings s cross join ports p

## lateral
select p.name, x.h from ports p cross join lateral (select max(height) as h from tides t where t.port = p.port) x

## subquery
select name from ports where (port, island) in (select port, role from crew)

## quantified
select ticket_id from tickets where fare >= all (select amount from refunds) or fare = some (values 1, 2)

## exists
select name from ports p where exists (select 1 from sailings s where s.port = p.port)

## union
select port from sailings union select port from tides

## except
select port from ports except select port from sailings

## intersect
select port from ports intersect select port from sailings

## cte
with late (p) as (select port from sailings where delayed) select ports.name from ports join late on late.p = ports.port

## recursive-cte
with recursive chain (id, boss) as (select crew_id, boss_id from crew union all select c.crew_id, k.boss from crew c join chain k on c.boss_id = k.id) select id, boss from chain

## values
select a, b from (values (1, 'x'), (2, 'y')) as v (a, b)

## values
values 1, 2, 3

## sample
select fare from tickets tablesample bernoulli (10)

## time-travel
select name from ports for version as of 123

## time-travel
select name from ports for timestamp as of timestamp '2026-01-01 00:00:00'

## table-function
select n.sequential_number from table(sequence(start => 1, stop => 5)) n

## table-function
select t.port from table(remote.system.query(query => 'select port from far')) as t

## limit
select name from ports order by tide_offset offset 5 limit 10

## limit
select name from ports order by tide_offset fetch first 5 rows with ties

## four-part-names
select t.port from lake.core.trips t join lake."odd schema".ports p on p.port = t.port

## system-columns
select port, "$path" from ports

## create-table
create table if not exists lake.core.berth (berth_id bigint not null comment 'id', port varchar, place row(x double, y double)) comment 'berths' with (format = 'ORC', partitioned_by = array['port'])

## create-table-as
create table lake.core.late with (format = 'PARQUET') as select sailing_id, port from sailings where delayed with no data

## create-table-like
create table lake.core.ports_copy (like ports including properties, note varchar)

## create-view
create or replace view lake.core.income security invoker as select s.port, sum(t.fare) as income from sailings s join tickets t on t.sailing_id = s.sailing_id group by s.port

## materialized-view
create or replace materialized view lake.core.highest with (a = 'b') as select port, max(height) as highest from tides group by port

## insert-select
insert into tides (port, height) select port, tide_offset from ports

## insert-values
insert into ports values ('SK', 'Skerry', 'North', 3)

## update
update tickets set fare = fare * 2, paid = (select max(paid) from tickets) where sailing_id = 7

## delete
delete from refunds where amount in (select fare from tickets where not paid)

## merge
merge into ports t using tides s on (t.port = s.port) when matched and s.height > 4 then update set tide_offset = s.height when matched then delete when not matched then insert (port, tide_offset) values (s.port, s.height)

## alter-table
create table t1 as select port, name from ports; alter table t1 rename column name to title; alter table t1 drop column port; insert into crew (name) select title from t1

## rename-swap
create table ports_new as select port, name from ports; alter table ports rename to ports_old; alter table ports_new rename to ports

## alter-table
alter table ports execute optimize; alter table ports set properties a = 'b'

## drop
drop table if exists lake.core.berth; drop view lake.core.income; drop materialized view lake.core.highest

## truncate
truncate table refunds

## use
use lake.core; select port from berths_here

## function
create function net(fare double, back double) returns double return fare - back; select net(t.fare, r.amount) as net from tickets t join refunds r on r.ticket_id = t.ticket_id

## call
call lake.system.flush()

## prepare
prepare q from select 1; execute q using 1; deallocate prepare q

## grant
grant select on ports to role clerk; comment on table ports is 'where'; analyze ports; show tables; describe ports; set session a = 'b'

## transaction
start transaction read only; commit; rollback
