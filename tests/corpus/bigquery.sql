## quoted-names
select `Port`, q.port as `where it is` from quoted q
=: select
=> Port: quoted.port
=> where it is: quoted.port

## backquoted-path
select f.port from `far-project.core.trips` f join `far-project`.core.stops s on s.port = f.port
=: select
=> port: far-project.core.trips.port
=> (rows): far-project.core.stops.port/join, far-project.core.trips.port/join

## dashed-names
select t.port from far-project.core.trips as t
=: select
=> port: far-project.core.trips.port

## strings
select "it's" as a, r'\d' as b, """three "quotes" here""" as c, rb'x' as d, name from ports
=: select
=> name: ports.name

## comments
select port # the port
  , name -- its name
from ports
=: select
=> port: ports.port
=> name: ports.name

## parameters
select name from ports where port = @port and tide_offset > ?
=: select
=> name: ports.name
=> (rows): ports.port/filter, ports.tide_offset/filter

## star-except
select * except (berths, delayed) from sailings
=: select
=> sailing_id: sailings.sailing_id
=> port: sailings.port
=> departs_at: sailings.departs_at
=> vessel_id: sailings.vessel_id

## star-replace
select * replace (upper(name) as name) from ports
=: select
=> port: ports.port
=> name: ~ports.name
=> island: ports.island
=> tide_offset: ports.tide_offset

## qualified-star
select s.*, p.name from sailings s join ports p on p.port = s.port
=: select
=> sailing_id: sailings.sailing_id
=> port: sailings.port
=> departs_at: sailings.departs_at
=> vessel_id: sailings.vessel_id
=> berths: sailings.berths
=> delayed: sailings.delayed
=> name: ports.name
=> (rows): ports.port/join, sailings.port/join

## struct
select struct(port as p, name as n) as s, struct<a int64, b string>(tide_offset, island) as t, (port, name) as u from ports
=: select
=> s: ~ports.port, ~ports.name
=> t: ~ports.tide_offset, ~ports.island
=> u: ~ports.port, ~ports.name

## struct
select x.s.p as p from (select struct(port as p, name as n) as s from ports) x
=: select
=> p: ports.port

## struct
select s.* from (select struct(port as p, name as n) as s from ports)
=: select
=> p: ports.port
=> n: ports.name

## struct-field
select details.passenger.name as who, b.details.fare as fare, legs[offset(0)].port as first_port, legs[safe_ordinal(2)].port as second from bookings b
=: select
=> who: ~bookings.details{passenger.name}
=> fare: ~bookings.details{fare}
=> first_port: ~bookings.legs{[0].port}
=> second: ~bookings.legs{[1].port}

## select-as-struct
select array(select as struct s.berths, s.delayed from sailings s where s.port = p.port) as sailings from ports p
=: select
=> sailings: +sailings.berths, +sailings.delayed, sailings.port/filter, ports.port/filter

## array
select [berths, vessel_id] as a, array<int64>[1, berths] as b, generate_array(1, berths) as c from sailings
=: select
=> a: ~sailings.berths, ~sailings.vessel_id
=> b: ~sailings.berths
=> c: ~sailings.berths

## unnest
select b.booking_id, leg.port, leg.at from bookings b, unnest(b.legs) as leg
=: select
=> booking_id: bookings.booking_id
=> port: ~bookings.legs{[*].port}
=> at: ~bookings.legs{[*].at}
=> (rows): bookings.legs{[*]}/join

## unnest
select b.booking_id, leg from bookings b cross join b.legs as leg
=: select
=> booking_id: bookings.booking_id
=> leg: ~bookings.legs{[*]}
=> (rows): bookings.legs{[*]}/join

## unnest-ordinality
select b.booking_id, leg, n from bookings b left join unnest(b.legs) as leg with offset as n
=: select
=> booking_id: bookings.booking_id
=> leg: ~bookings.legs{[*]}
=> (rows): bookings.legs{[*]}/join

## unnest
select name from ports where port in unnest(['SK', 'NH'])
=: select
=> name: ports.name
=> (rows): ports.port/filter

## qualify
select port, height from tides where true qualify row_number() over (partition by port order by height desc) = 1
=: select
=> port: tides.port
=> height: tides.height
=> (rows): tides.port/window, tides.height/window

## group-by-all
select port, sum(berths) as berths from sailings group by all
=: select
=> port: sailings.port
=> berths: +sailings.berths
=> (rows): sailings.port/group_by

## aliases-in-clauses
select port as p, sum(berths) as total from sailings group by p having total > 5 order by total
=: select
=> p: sailings.port
=> total: +sailings.berths
=> (rows): sailings.port/group_by, sailings.berths/filter

## rollup
select port, sum(berths) as b from sailings group by rollup (port, vessel_id)
=: select
=> port: sailings.port
=> b: +sailings.berths
=> (rows): sailings.port/group_by, sailings.vessel_id/group_by

## grouping-sets
select port, sum(berths) as b from sailings group by grouping sets (port, ())
=: select
=> port: sailings.port
=> b: +sailings.berths
=> (rows): sailings.port/group_by

## aggregates
select countif(paid) as paid, any_value(passenger having max fare) as who, approx_quantiles(fare, 4) as q, logical_or(paid) as some_paid from tickets
=: select
=> paid: +tickets.paid
=> who: +tickets.passenger, tickets.fare/filter
=> q: +tickets.fare
=> some_paid: +tickets.paid

## ordered-aggregate
select array_agg(name ignore nulls order by tide_offset desc limit 3) as names, string_agg(distinct name, ', ' order by name) as list from ports
=: select
=> names: +ports.name, ports.tide_offset/sort
=> list: +ports.name, ports.name/sort

## named-window
select sum(fare) over w as s, lag(fare, 1, 0) over (w) as l from tickets window w as (partition by sailing_id order by sold_at)
=: select
=> s: +tickets.fare, tickets.sailing_id/window, tickets.sold_at/window
=> l: ~tickets.fare, tickets.sailing_id/window, tickets.sold_at/window

## conditional-function
select if(paid, fare, 0) as income, ifnull(passenger, 'none') as who, nullif(fare, 0) as f from tickets
=: select
=> income: ~tickets.fare, tickets.paid/conditional
=> who: ~tickets.passenger
=> f: ~tickets.fare

## cast
select cast(fare as string format '999') as s, safe_cast(passenger as int64) as n, date '2026-01-01' as d from tickets
=: select
=> s: ~tickets.fare
=> n: ~tickets.passenger

## date-functions
select date_trunc(sold_at, month) as a, date_diff(current_date(), sold_at, day) as b, timestamp_sub(sold_at, interval fare hour) as c, extract(week(monday) from sold_at) as d, extract(date from sold_at at time zone 'UTC') as e from tickets
=: select
=> a: ~tickets.sold_at
=> b: ~tickets.sold_at
=> c: ~tickets.sold_at, ~tickets.fare
=> d: ~tickets.sold_at
=> e: ~tickets.sold_at

## json-path
select json_value(details, '$.passenger.name') as who, json_extract_scalar(details, '$.fare') as fare, json_query(details, '$.legs') as legs from bookings
=: select
=> who: ~bookings.details{passenger.name}
=> fare: ~bookings.details{fare}
=> legs: ~bookings.details{legs}

## functions
select safe.parse_json(details) as d, net.host(legs) as h from bookings
=: select
=> d: ~bookings.details
=> h: ~bookings.legs

## pivot
select * from (select port, delayed, berths from sailings) pivot (sum(berths) as b, count(*) as n for delayed in (true as late, false as on_time))
=: select
=> port: sailings.port
=> b_late: +sailings.berths, sailings.delayed/conditional
=> n_late: sailings.delayed/conditional
=> b_on_time: +sailings.berths, sailings.delayed/conditional
=> n_on_time: sailings.delayed/conditional
=> (rows): sailings.port/group_by

## unpivot
select * from tides unpivot (reading for kind in (height as 'h'))
=: select
=> port: tides.port
=> at: tides.at
=> reading: tides.height
=> (rows): tides.height/filter

## sample
select fare from tickets tablesample system (10 percent)
=: select
=> fare: tickets.fare

## time-travel
select name from ports for system_time as of timestamp_sub(current_timestamp(), interval 1 hour)
=: select
=> name: ports.name

## join
select port, p.name from ports p full join tides t using (port)
=: select
=> port: ports.port, tides.port
=> name: ports.name
=> (rows): ports.port/join, tides.port/join

## comma-join
select p.name from ports p, sailings s where p.port = s.port
=: select
=> name: ports.name
=> (rows): ports.port/filter, sailings.port/filter

## subquery
select name from ports p where exists (select 1 from sailings s where s.port = p.port) and tide_offset > (select avg(height) from tides)
=: select
=> name: ports.name
=> (rows): sailings.port/filter, ports.port/filter, ports.tide_offset/filter, tides.height/filter

## union
select port from sailings union distinct select port from tides
=: select
=> port: sailings.port, tides.port
=> (rows): sailings.port/group_by, tides.port/group_by

## except
select port from ports except distinct select port from sailings
=: select
=> port: ports.port
=> (rows): sailings.port/filter, ports.port/group_by

## intersect
select port from ports intersect distinct select port from sailings
=: select
=> port: ports.port, sailings.port
=> (rows): ports.port/group_by, sailings.port/group_by

## by-name
select port, name from ports union all by name select name, port from crew
=: select
=> port: ports.port, crew.port
=> name: ports.name, crew.name

## cte
with late as (select port from sailings where delayed) select p.name from ports p join late on late.port = p.port
=: select
=> name: ports.name
=> (rows): sailings.delayed/filter, sailings.port/join, ports.port/join

## recursive-cte
with recursive chain as (select crew_id, boss_id from crew union all select c.crew_id, k.boss_id from crew c join chain k on c.boss_id = k.crew_id) select * from chain
=: select
=> crew_id: crew.crew_id
=> boss_id: crew.boss_id
=> (rows): crew.boss_id/join, crew.crew_id/join

## wildcard-tables
select port from `core.trips_*` where _table_suffix between '2026' and '2027'
=: select
=> port: core.trips_*.port
=> (rows): core.trips_*._table_suffix/filter

## trailing-comma
select port, name, from ports
=: select
=> port: ports.port
=> name: ports.name

## lambda
select array(select upper(x) from unnest(legs) as x where x <> 'a') as big from bookings
=: select
=> big: +bookings.legs{[*]}, bookings.legs{[*]}/join, bookings.legs{[*]}/filter

## create-table
create or replace table core.berth (berth_id int64 not null options (description = 'id'), port string, tags array<string>, place struct<x float64, y float64>) partition by date(at) cluster by port options (expiration_timestamp = null)
=: create_table

## create-table-as
create table if not exists core.late partition by port options (description = 'late ones') as select sailing_id, port from sailings where delayed
=: create_table_as
=> core.late.sailing_id: sailings.sailing_id
=> core.late.port: sailings.port
=> core.late.(rows): sailings.delayed/filter

## create-table-like
create table core.ports_copy like ports
=: create_table

## clone
create table core.ports_copy clone ports
=: create_table_clone
=> core.ports_copy.port: ports.port
=> core.ports_copy.name: ports.name
=> core.ports_copy.island: ports.island
=> core.ports_copy.tide_offset: ports.tide_offset

## copy-table
create table core.ports_copy copy ports
=: create_table_clone
=> core.ports_copy.port: ports.port
=> core.ports_copy.name: ports.name
=> core.ports_copy.island: ports.island
=> core.ports_copy.tide_offset: ports.tide_offset

## external-table
create external table core.raw options (format = 'CSV', uris = ['gs://bucket/raw/*.csv'])
=: create_external_table
=> core.raw.*: gs://bucket/raw/*.csv.*

## create-view
create or replace view core.income (port options (description = 'where'), income) options (labels = [('a', 'b')]) as select s.port, sum(t.fare) from sailings s join tickets t on t.sailing_id = s.sailing_id group by s.port
=: create_view
=> core.income.port: sailings.port
=> core.income.income: +tickets.fare
=> core.income.(rows): tickets.sailing_id/join, sailings.sailing_id/join, sailings.port/group_by

## materialized-view
create materialized view core.highest cluster by port as select port, max(height) as highest from tides group by port
=: create_materialized_view
=> core.highest.port: tides.port
=> core.highest.highest: +tides.height
=> core.highest.(rows): tides.port/group_by

## temp-table
create temp table recent as select port, berths from sailings; insert into ports (port, tide_offset) select port, berths from recent
=: create_table_as, insert
=> ports.port: sailings.port
=> ports.tide_offset: sailings.berths

## insert-select
insert tides (port, height) select port, tide_offset from ports
=: insert
=> tides.port: ports.port
=> tides.height: ports.tide_offset

## insert-values
insert into ports (port, name) values ('SK', (select name from crew limit 1))
=: insert
=> ports.name: crew.name

## update-join
update tickets t set t.fare = t.fare - r.amount, paid = default from refunds r where r.ticket_id = t.ticket_id
=: update
=> tickets.fare: ~tickets.fare, ~refunds.amount
=> tickets.(rows): refunds.ticket_id/filter, tickets.ticket_id/filter

## delete
delete ports where port not in (select port from sailings)
=: delete
=> ports.(rows): ports.port/filter, sailings.port/filter

## merge
merge ports t using (select port, max(height) as h from tides group by port) s on t.port = s.port when matched and s.h > 4 then update set tide_offset = s.h when not matched by target then insert (port, tide_offset) values (port, h) when not matched by source then delete
=: merge
=> ports.tide_offset: +tides.height
=> ports.port: tides.port
=> ports.(rows): tides.port/group_by, ports.port/join, tides.port/join, tides.height/filter

## merge
merge into ports t using (select port, role as name, role as island, crew_id as tide_offset from crew) s on false when not matched then insert row
=: merge
=> ports.port: crew.port
=> ports.name: crew.role
=> ports.island: crew.role
=> ports.tide_offset: crew.crew_id

## export
export data options (uri = 'gs://bucket/out/*.csv', format = 'CSV') as select port, name from ports
=: export
=> gs://bucket/out/*.csv.port: ports.port
=> gs://bucket/out/*.csv.name: ports.name

## load
load data overwrite ports from files (format = 'CSV', uris = ['gs://bucket/ports.csv'])
=: load
=> ports.port: gs://bucket/ports.csv.port
=> ports.name: gs://bucket/ports.csv.name
=> ports.island: gs://bucket/ports.csv.island
=> ports.tide_offset: gs://bucket/ports.csv.tide_offset

## alter-table
create table t1 as select port, name from ports; alter table t1 rename column name to title; alter table t1 add column x int64, drop column port; insert into crew (name) select title from t1
=: create_table_as, alter_table, alter_table, insert
=> t1.title: ports.name
=> crew.name: t1.title

## drop
drop table if exists core.berth; drop materialized view core.highest; drop function core.net
=: drop_table, drop_materialized_view, drop_function

## truncate
truncate table refunds
=: truncate

## function
create temp function net(fare numeric, back numeric) as (fare - ifnull(back, 0)); select net(t.fare, r.amount) as net from tickets t left join refunds r using (ticket_id)
=: create_function, select
=> net: ~tickets.fare, ~refunds.amount
=> (rows): tickets.ticket_id/join, refunds.ticket_id/join

## function
create function core.js(x string) returns string language js as r'return x;'
=: create_function
=! routine_not_read

## variables
declare top numeric default (select max(fare) from tickets); set top = top * 2; insert into ports (tide_offset) values (top)
=: declare, set, insert
=> ports.tide_offset: +tickets.fare

## condition-block
declare n int64; set n = (select count(*) from sailings where delayed); if n > 3 then insert into crew (name) select port from sailings; else delete from crew where true; end if
=: declare, set, if, insert, delete
=> crew.name: sailings.port
=> crew.(rows): sailings.delayed/filter

## loop
for r in (select port, height from tides where height > 4) do update ports set tide_offset = r.height where port = r.port; end for
=: loop, update
=> ports.tide_offset: tides.height, tides.height/filter
=> ports.(rows): ports.port/filter, tides.height/filter, tides.port/filter

## dynamic-sql
execute immediate 'insert into ports (port) select port from sailings'
=: execute, insert
=> ports.port: sailings.port

## transaction
begin transaction; commit transaction
=: begin, commit

## grant
grant `roles/viewer` on table ports to 'user'; assert true as 'fine'
=: grant, assert
