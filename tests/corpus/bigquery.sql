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

## star-as-argument
select to_json_string(struct(*)) as o, struct(p.*) as q from ports p
=: select
=> o: ~ports.port, ~ports.name, ~ports.island, ~ports.tide_offset
=> q: ~ports.port, ~ports.name, ~ports.island, ~ports.tide_offset

## unnest
select (select value.s from unnest(props) where key='k') as v, port from (select port, props from t)
=: select
=> v: ~t.props{[*].value.s}, t.props{[*]}/join, t.props{[*].key}/filter
=> port: t.port

## unnest
select x.b, a from ports, unnest([struct(port as a, name as b)]) x
=: select
=> b: ports.name
=> a: ports.port
=> (rows): ports.port/join, ports.name/join

## dynamic-sql
execute immediate """insert into ports (port) select port from tides"""
=: execute, insert
=> ports.port: tides.port

## dynamic-sql
declare q string default 'insert into ports (port) select port from tides'; execute immediate q; execute immediate format('insert into %s (port) select name from crew', 'ports');
=: declare, execute, insert, execute, insert
=> ports.port: tides.port, crew.name

## pipes
from tickets |> where fare > 3 |> extend fare * 2 as twice |> select ticket_id, twice, paid |> aggregate sum(twice) as total group by paid |> order by total desc |> limit 3
=: select
=> paid: tickets.paid
=> total: +tickets.fare
=> (rows): tickets.fare/filter, tickets.paid/group_by, tickets.fare/sort

## pipes
from ports |> select port, name |> set name = upper(name) |> drop port |> rename name as n |> as x |> where x.n is not null
=: select
=> n: ~ports.name
=> (rows): ports.name/filter

## pipes
from tickets t |> join refunds r on r.ticket_id = t.ticket_id |> left join sailings s using (sailing_id) |> select t.fare, r.amount, port
=: select
=> fare: tickets.fare
=> amount: refunds.amount
=> port: sailings.port
=> (rows): refunds.ticket_id/join, tickets.ticket_id/join, tickets.sailing_id/join, sailings.sailing_id/join

## pipes
from tickets |> aggregate count(*) as n, sum(fare) as f group and order by paid, passenger as p
=: select
=> paid: tickets.paid
=> p: tickets.passenger
=> f: +tickets.fare
=> (rows): tickets.paid/group_by, tickets.passenger/group_by

## pipes
from ports |> union all (select * from ports), (select * from ports) |> distinct
=: select
=> port: ports.port
=> name: ports.name
=> island: ports.island
=> tide_offset: ports.tide_offset
=> (rows): ports.port/group_by, ports.name/group_by, ports.island/group_by, ports.tide_offset/group_by

## pipes
select port, name from ports |> where port = 'x' |> aggregate max(name) group by port
=: select
=> port: ports.port
=> f0_: +ports.name
=> (rows): ports.port/filter, ports.port/group_by

## pipes
from tides |> window sum(height) over (partition by port) as s |> pivot(sum(height) for port in ('a', 'b'))
=: select
=> at: tides.at
=> s: +tides.height, tides.port/window
=> a: +tides.height, tides.port/conditional
=> b: +tides.height, tides.port/conditional
=> (rows): tides.at/group_by, tides.height/group_by

## pipes
with a as (from ports |> where port = 'x') from a |> extend name || 'x' as y
=: select
=> port: ports.port
=> name: ports.name
=> island: ports.island
=> tide_offset: ports.tide_offset
=> y: ~ports.name
=> (rows): ports.port/filter

## pipes
insert into ports (port) from tides |> where height > 1 |> select port
=: insert
=> ports.port: tides.port
=> ports.(rows): tides.height/filter

## pipes
create table x as from tides |> aggregate max(height) as h group by port
=: create_table_as
=> x.port: tides.port
=> x.h: +tides.height
=> x.(rows): tides.port/group_by

## pipes
from ports |> recursive union all (select * from ports)
=: select
=> port: ports.port
=> name: ports.name
=> island: ports.island
=> tide_offset: ports.tide_offset

## pipes
from tickets |> select distinct paid, fare |> match_recognize (partition by paid order by fare measures last(a.fare) as lf pattern (a+) define a as a.fare > 1)
=: select
=> paid: tickets.paid
=> lf: ~tickets.fare
=> (rows): tickets.paid/group_by, tickets.fare/group_by, tickets.paid/window, tickets.fare/window, tickets.fare/filter

## merge
merge `p.d.t` T using (select * except(rn) from (select *, row_number() over(partition by ticket_id order by at desc) rn from refunds) where rn = 1) S on T.ticket_id = S.ticket_id and T._PARTITIONDATE > '2020-01-01' when matched and S.amount > 0 then update set amount = S.amount, reason = concat(T.reason, S.reason) when not matched by target then insert (ticket_id, amount) values (ticket_id, amount) when not matched by source then delete
=: merge
=> p.d.t.amount: refunds.amount
=> p.d.t.reason: ~p.d.t.reason, ~refunds.reason
=> p.d.t.ticket_id: refunds.ticket_id
=> p.d.t.(rows): refunds.ticket_id/window, refunds.at/window, p.d.t.ticket_id/join, refunds.ticket_id/join, p.d.t._PARTITIONDATE/join, refunds.amount/filter

## wildcard-tables
select event_date, (select value.string_value from unnest(event_params) where key = 'page') as page, ep.value.int_value as sid, items[safe_offset(0)].item_name, geo.country from `p.analytics.events_*`, unnest(event_params) as ep with offset as pos where _table_suffix between '20260101' and '20260131' and ep.key = 'sid' and regexp_contains(device.category, r'^m')
=: select
=> event_date: p.analytics.events_*.event_date
=> page: ~p.analytics.events_*.event_params{[*].value.string_value}, p.analytics.events_*.event_params{[*]}/join, p.analytics.events_*.event_params{[*].key}/filter
=> sid: ~p.analytics.events_*.event_params{[*].value.int_value}
=> item_name: ~p.analytics.events_*.items{[0].item_name}
=> country: ~p.analytics.events_*.geo{country}
=> (rows): p.analytics.events_*.event_params{[*]}/join, p.analytics.events_*._table_suffix/filter, p.analytics.events_*.event_params{[*].key}/filter, p.analytics.events_*.device{category}/filter

## insert-select
insert d.t (port, n) with x as (select port, count(*) as n from tides group by port) select * from x
=: insert
=> d.t.port: tides.port
=> d.t.(rows): tides.port/group_by

## update-join
update d.t set a.b = s.fare, c = array(select x from unnest(c) as x where x > 1 union all select s.fare) from tickets s where s.ticket_id = d.t.id
=: update
=> d.t.a: tickets.fare
=> d.t.c: +d.t.c{[*]}, +tickets.fare, d.t.c{[*]}/join, d.t.c{[*]}/filter
=> d.t.(rows): tickets.ticket_id/filter, d.t.id/filter

## export
export data options (uri='gs://b/x-*.csv', format='csv', overwrite=true) as select port, name from ports order by port
=: export
=> gs://b/x-*.csv.port: ports.port
=> gs://b/x-*.csv.name: ports.name

## function
create temp function clean(s string) returns string as (lower(trim(s))); create temp function js(x float64) returns float64 language js as r"""return x*2;"""; select clean(name) as n, js(tide_offset) as j from ports
=: create_function, create_function, select
=! routine_not_read
=> n: ~ports.name
=> j: ~ports.tide_offset

## create-view
create or replace view d.v (port options(description='x'), n) options(description="y") as select port, count(1) from tides group by port
=: create_view
=> d.v.port: tides.port
=> d.v.(rows): tides.port/group_by

## materialized-view
create materialized view d.mv partition by day as select date(at) as day, max(height) as h from tides group by day
=: create_materialized_view
=> d.mv.day: ~tides.at
=> d.mv.h: +tides.height
=> d.mv.(rows): tides.at/group_by

## variables
declare d date default current_date(); declare ids array<int64>; set ids = (select array_agg(ticket_id) from tickets where paid); create temp table x as select * from refunds where ticket_id in unnest(ids); insert into ports (port) select reason from x where at > timestamp(d)
=: declare, declare, set, create_table_as, insert
=> ports.port: refunds.reason
=> ports.(rows): refunds.at/filter, refunds.ticket_id/filter, tickets.ticket_id/filter, tickets.paid/filter

## generator
select * from unnest(generate_date_array('2020-01-01', '2020-02-01', interval 1 month)) as d left join tides on date(at) = d
=: select
=> port: tides.port
=> at: tides.at
=> height: tides.height
=> (rows): tides.at/join

## star-replace
select t.*, r.* except (ticket_id) replace (amount / 100 as amount) from tickets t left join refunds r on t.ticket_id = r.ticket_id and r.at > t.sold_at
=: select
=> ticket_id: tickets.ticket_id
=> sailing_id: tickets.sailing_id
=> fare: tickets.fare
=> sold_at: tickets.sold_at
=> passenger: tickets.passenger
=> paid: tickets.paid
=> refund_id: refunds.refund_id
=> amount: ~refunds.amount
=> reason: refunds.reason
=> at: refunds.at
=> (rows): tickets.ticket_id/join, refunds.ticket_id/join, refunds.at/join, tickets.sold_at/join

## pivot
select port, p.* from (select port, at, height from tides) pivot(avg(height) as a, max(height) as m for extract(month from at) in (1 as jan, 2 as feb)) as p
=: select
=> port: tides.port
=> a_jan: +tides.height, tides.at/conditional
=> m_jan: +tides.height, tides.at/conditional
=> a_feb: +tides.height, tides.at/conditional
=> m_feb: +tides.height, tides.at/conditional
=> (rows): tides.port/group_by

## unpivot
select * from ports unpivot((v) for k in (name as 'n', island as 'i'))
=: select
=> port: ports.port
=> tide_offset: ports.tide_offset
=> v: ports.name, ports.island
=> (rows): ports.name/filter, ports.island/filter

## select-as-struct
select (select as struct a.port, a.name) as s, array(select as value x from unnest([1]) x) as v from ports a
=: select
=> s: ports.port, ports.name

## quantified
select distinct port from tides where exists(select 1 from ports p where p.port = tides.port) and (port, at) in (select (port, at) from tides) and height between 1 and 2 and port not like all ('a', 'b') and port like any (select name from crew)
=: select
=> port: tides.port
=> (rows): ports.port/filter, tides.port/filter, tides.at/filter, tides.height/filter, crew.name/filter, tides.port/group_by

## recursive-cte
with recursive r as (select crew_id, boss_id, 1 as lvl from crew where boss_id is null union all select c.crew_id, c.boss_id, lvl + 1 from crew c join r on c.boss_id = r.crew_id) select * from r where lvl < 5
=: select
=> crew_id: crew.crew_id
=> boss_id: crew.boss_id
=> (rows): crew.boss_id/filter, crew.boss_id/join, crew.crew_id/join

## table-function
select window_start, sum(fare) from tumble(table tickets, "sold_at", interval 1 hour) group by window_start
=: select
=! not_followed
=> window_start: ~tickets.ticket_id, ~tickets.sailing_id, ~tickets.fare, ~tickets.sold_at, ~tickets.passenger, ~tickets.paid
=> f0_: +tickets.ticket_id, +tickets.sailing_id, +tickets.fare, +tickets.sold_at, +tickets.passenger, +tickets.paid
=> (rows): tickets.ticket_id/group_by, tickets.sailing_id/group_by, tickets.fare/group_by, tickets.sold_at/group_by, tickets.passenger/group_by, tickets.paid/group_by

## struct-field
select a.b.c, x.y[offset(0)].z, array_length(x.y), arr[0], m['k'], x.y[safe_ordinal(2)] from d.t as x cross join x.arr as a with offset o
=: select
=> c: ~d.t.arr{[*].b.c}
=> z: ~d.t.y{[0].z}
=> f1_: ~d.t.y
=> f2_: ~d.t.arr{[0]}
=> f3_: ~d.t.m{k}
=> f4_: ~d.t.y{[1]}
=> (rows): d.t.arr{[*]}/join

## temporary-self-update
create temp table f as select port, name from ports; update f set port = name where true; insert into sailings (port) select port from f
=: create_table_as, update, insert
=> sailings.port: ports.name

## tight-spelling
select fare>@x as a,fare<-ticket_id as b from tickets where fare=@y and paid<>@z
=: select
=> a: ~tickets.fare
=> b: ~tickets.fare, ~tickets.ticket_id
=> (rows): tickets.fare/filter, tickets.paid/filter

## star-as-argument
select farm_fingerprint(to_json_string(struct(p.*))) as f, to_json_string(p) as j from ports p
=: select
=> f: ~ports.port, ~ports.name, ~ports.island, ~ports.tide_offset
=> j: ~ports.port, ~ports.name, ~ports.island, ~ports.tide_offset

## unnest
select l.port, l.stop from bookings, unnest(legs) as l where l.port is not null
=: select
=> port: ~bookings.legs{[*].port}
=> stop: ~bookings.legs{[*].stop}
=> (rows): bookings.legs{[*]}/join, bookings.legs{[*].port}/filter

## unnest
select port from bookings, unnest(legs)
=: select
=> port: ~bookings.legs{[*].port}
=> (rows): bookings.legs{[*]}/join

## unnest
select x from bookings left join unnest([booking_id, details]) as x
=: select
=> x: ~bookings.booking_id, ~bookings.details
=> (rows): bookings.booking_id/join, bookings.details/join

## update-target
update ports p set p.name = c.name, island = (select max(role) from crew where port = p.port) from crew c where c.port = p.port
=: update
=> ports.name: crew.name
=> ports.island: +crew.role, crew.port/filter, ports.port/filter
=> ports.(rows): crew.port/filter, ports.port/filter

## records
for r in (select port, height from tides) do insert into sailings (port, berths) values (r.port, r.height); end for
=: loop, insert
=> sailings.port: tides.port
=> sailings.berths: tides.height

## order-under-limit
select * from (select port from ports order by tide_offset limit 3)
=: select
=> port: ports.port
=> (rows): ports.tide_offset/sort

## unit-words
select date_add(sold_at, interval 1 month) as a, timestamp_diff(sold_at, at, day) as b, date_trunc(sold_at, isoweek) as c, last_day(sold_at, year) as d from tickets, refunds
=: select
=> a: ~tickets.sold_at
=> b: ~tickets.sold_at, ~refunds.at
=> c: ~tickets.sold_at
=> d: ~tickets.sold_at

## pipes
from tickets |> where paid |> aggregate sum(fare) as s, count(*) as n group by sailing_id |> join sailings using (sailing_id) |> select port, s |> order by s desc
=: select
=> port: sailings.port
=> s: +tickets.fare
=> (rows): tickets.paid/filter, tickets.sailing_id/group_by, tickets.sailing_id/join, sailings.sailing_id/join

## pipes
create view v as from ports |> extend upper(name) as u |> drop island, tide_offset
=: create_view
=> v.port: ports.port
=> v.name: ports.name
=> v.u: ~ports.name

## pipes
from ports |> select * except (name) |> rename port as p |> as q |> where q.p <> 'x'
=: select
=> p: ports.port
=> island: ports.island
=> tide_offset: ports.tide_offset
=> (rows): ports.port/filter

## pipes
from ports |> select port |> union all (select port from tides), (select port from crew where role = 'x')
=: select
=> port: ports.port, tides.port, crew.port
=> (rows): crew.role/filter

## pipes
from tickets |> aggregate sum(fare) as s group by paid desc nulls last, sailing_id asc |> order by s
=: select
=> paid: tickets.paid
=> sailing_id: tickets.sailing_id
=> s: +tickets.fare
=> (rows): tickets.paid/group_by, tickets.sailing_id/group_by

## pipes
from ports |> select port, name |> except distinct (select port, role from crew)
=: select
=> port: ports.port
=> name: ports.name
=> (rows): crew.port/filter, crew.role/filter, ports.port/group_by, ports.name/group_by

## union
select port, name from ports union all strict corresponding select port, role as name from crew
=: select
=> port: ports.port, crew.port
=> name: ports.name, crew.role

## dynamic-sql
execute immediate 'insert into crew (name) select concat(port, \'-\', name) from ports'
=: execute, insert
=> crew.name: ~ports.port, ~ports.name

## call-of-a-table-function
from ports |> call made.nearest(1)
=: select
=! not_followed
=> *: ports.port, ports.name, ports.island, ports.tide_offset

## window-of-a-pipe
from tickets |> select fare, sum(fare) over w as total window w as (partition by sailing_id)
=: select
=> fare: tickets.fare
=> total: +tickets.fare, tickets.sailing_id/window

## export-with-a-connection
export data with connection `far.eu.quay` options (uri = 'gs://tides/all*.csv') as select port, height from tides
=: export
=> gs://tides/all*.csv.port: tides.port
=> gs://tides/all*.csv.height: tides.height

## export-without-a-place
export data as select port from tides
=: export
=> ?.port: tides.port

## pipe-assert
from tickets |> assert fare > 0, 'no fare', ticket_id |> select fare
=: select
=> fare: tickets.fare

## pipe-as-struct
from tickets |> select as struct fare, paid
=: select
=> fare: tickets.fare
=> paid: tickets.paid

## pipe-group-by-rollup
from tickets |> aggregate sum(fare) as total group by rollup(sailing_id, paid)
=: select
=> sailing_id: tickets.sailing_id
=> paid: tickets.paid
=> total: +tickets.fare
=> (rows): tickets.sailing_id/group_by, tickets.paid/group_by

## pipe-extend-without-as
from tickets |> extend fare * 2 double_fare |> select double_fare
=: select
=> double_fare: ~tickets.fare

## pipe-union-by-name
from ports |> select port, name |> union all by name (select name, port from crew)
=: select
=> port: ports.port, crew.port
=> name: ports.name, crew.name

## pipe-sample
from tickets |> tablesample system (10 percent) |> select fare
=: select
=> fare: tickets.fare

## pipe-call-with-alias
from ports |> call made.nearest(1) as n |> select n.port
=: select
=! not_followed
=> port: ~ports.port{port}, ~ports.name{port}, ~ports.island{port}, ~ports.tide_offset{port}

## pipe-with
from tickets |> with late as (select sailing_id from sailings where delayed) |> join late using (sailing_id) |> select fare
=: select
=> fare: tickets.fare
=> (rows): sailings.delayed/filter, tickets.sailing_id/join, sailings.sailing_id/join

## pipe-drop
from ports |> drop island, tide_offset
=: select
=> port: ports.port
=> name: ports.name

## load-with-partition-columns
load data into made.t (port string not null, height float64 options (description = 'x')) from files (format = 'CSV', uris = ['gs://tides/x.csv']) with partition columns (d date)
=: load
=> made.t.port: gs://tides/x.csv.port
=> made.t.height: gs://tides/x.csv.height

## cast-with-format
select cast(sold_at as string format 'YYYY' at time zone 'UTC') as y from tickets
=: select
=> y: ~tickets.sold_at

## typed-array-constructor
select array<int64>[sailing_id, berths] as a, array<struct<x int64>>[] as e from sailings
=: select
=> a: ~sailings.sailing_id, ~sailings.berths

## model-as-argument
select p.height from ml.predict(model made.tidal, (select port, height from tides)) p
=: select
=> height: ~tides.port, ~tides.height
=> (rows): tides.port/join, tides.height/join

## nested-types
select cast(null as array<struct<a int64, b array<string>>>) as e, port from ports
=: select
=> port: ports.port

## union-matched-by-names
select port, name from ports full union all by name on (name) select name, role from crew
=: select
=> name: ports.name, crew.name

## window-that-is-only-named
select sum(fare) over b as s from tickets window a as (partition by sailing_id), b as a
=: select
=> s: +tickets.fare, tickets.sailing_id/window

## left-union-by-name
select port, name from ports left outer union all by name select name, role from crew
=: select
=> port: ports.port
=> name: ports.name, crew.name

## inner-union-by-name
select port, name from ports inner union all by name select name, role from crew
=: select
=> name: ports.name, crew.name

## full-intersect-by-name
select port, name from ports full except distinct by name select name, role from crew
=: select
=> port: ports.port
=> name: ports.name
=> (rows): crew.name/filter, crew.role/filter, ports.port/group_by, ports.name/group_by

## star-of-a-struct-in-parentheses
select (struct(port as p, name as n)).* from ports
=: select
=> p: ports.port
=> n: ports.name

## star-replacing-what-is-not-there
select * replace (1 as nothing) from ports
=: select
=! unknown_column
=> port: ports.port
=> name: ports.name
=> island: ports.island
=> tide_offset: ports.tide_offset

## star-of-a-column-of-rows
select details.* from bookings
=: select
=! star_of_expression
=> *: ~bookings.details

## array-of-a-query-unnested
select leg.port from unnest(array(select as struct port, name from ports)) as leg
=: select
=> port: ports.port
=> (rows): ports.port/join, ports.name/join

## array-of-values-unnested
select n from unnest(array(select name from ports)) as n
=: select
=> n: +ports.name
=> (rows): ports.name/join

## field-of-a-merged-column
select details.a from bookings join (select details from bookings) using (details)
=: select
=> a: ~bookings.details{a}
=> (rows): bookings.details/join
