## quoted-names
select `Port`, q.port as `where it is` from quoted q

## backquoted-path
select f.port from `far-project.core.trips` f join `far-project`.core.stops s on s.port = f.port

## dashed-names
select t.port from far-project.core.trips as t

## strings
select "it's" as a, r'\d' as b, """three "quotes" here""" as c, rb'x' as d, name from ports

## comments
select port # the port
  , name -- its name
from ports

## parameters
select name from ports where port = @port and tide_offset > ?

## star-except
select * except (berths, delayed) from sailings

## star-replace
select * replace (upper(name) as name) from ports

## qualified-star
select s.*, p.name from sailings s join ports p on p.port = s.port

## struct
select struct(port as p, name as n) as s, struct<a int64, b string>(tide_offset, island) as t, (port, name) as u from ports

## struct
select x.s.p as p from (select struct(port as p, name as n) as s from ports) x

## struct
select s.* from (select struct(port as p, name as n) as s from ports)

## struct-field
select details.passenger.name as who, b.details.fare as fare, legs[offset(0)].port as first_port, legs[safe_ordinal(2)].port as second from bookings b

## select-as-struct
select array(select as struct s.berths, s.delayed from sailings s where s.port = p.port) as sailings from ports p

## array
select [berths, vessel_id] as a, array<int64>[1, berths] as b, generate_array(1, berths) as c from sailings

## unnest
select b.booking_id, leg.port, leg.at from bookings b, unnest(b.legs) as leg

## unnest
select b.booking_id, leg from bookings b cross join b.legs as leg

## unnest-ordinality
select b.booking_id, leg, n from bookings b left join unnest(b.legs) as leg with offset as n

## unnest
select name from ports where port in unnest(['SK', 'NH'])

## qualify
select port, height from tides where true qualify row_number() over (partition by port order by height desc) = 1

## group-by-all
select port, sum(berths) as berths from sailings group by all

## aliases-in-clauses
select port as p, sum(berths) as total from sailings group by p having total > 5 order by total

## rollup
select port, sum(berths) as b from sailings group by rollup (port, vessel_id)

## grouping-sets
select port, sum(berths) as b from sailings group by grouping sets (port, ())

## aggregates
select countif(paid) as paid, any_value(passenger having max fare) as who, approx_quantiles(fare, 4) as q, logical_or(paid) as some_paid from tickets

## ordered-aggregate
select array_agg(name ignore nulls order by tide_offset desc limit 3) as names, string_agg(distinct name, ', ' order by name) as list from ports

## named-window
select sum(fare) over w as s, lag(fare, 1, 0) over (w) as l from tickets window w as (partition by sailing_id order by sold_at)

## conditional-function
select if(paid, fare, 0) as income, ifnull(passenger, 'none') as who, nullif(fare, 0) as f from tickets

## cast
select cast(fare as string format '999') as s, safe_cast(passenger as int64) as n, date '2026-01-01' as d from tickets

## date-functions
select date_trunc(sold_at, month) as a, date_diff(current_date(), sold_at, day) as b, timestamp_sub(sold_at, interval fare hour) as c, extract(week(monday) from sold_at) as d, extract(date from sold_at at time zone 'UTC') as e from tickets

## json-path
select json_value(details, '$.passenger.name') as who, json_extract_scalar(details, '$.fare') as fare, json_query(details, '$.legs') as legs from bookings

## functions
select safe.parse_json(details) as d, net.host(legs) as h from bookings

## pivot
select * from (select port, delayed, berths from sailings) pivot (sum(berths) as b, count(*) as n for delayed in (true as late, false as on_time))

## unpivot
select * from tides unpivot (reading for kind in (height as 'h'))

## sample
select fare from tickets tablesample system (10 percent)

## time-travel
select name from ports for system_time as of timestamp_sub(current_timestamp(), interval 1 hour)

## join
select port, p.name from ports p full join tides t using (port)

## comma-join
select p.name from ports p, sailings s where p.port = s.port

## subquery
select name from ports p where exists (select 1 from sailings s where s.port = p.port) and tide_offset > (select avg(height) from tides)

## union
select port from sailings union distinct select port from tides

## except
select port from ports except distinct select port from sailings

## intersect
select port from ports intersect distinct select port from sailings

## by-name
select port, name from ports union all by name select name, port from crew

## cte
with late as (select port from sailings where delayed) select p.name from ports p join late on late.port = p.port

## recursive-cte
with recursive chain as (select crew_id, boss_id from crew union all select c.crew_id, k.boss_id from crew c join chain k on c.boss_id = k.crew_id) select * from chain

## wildcard-tables
select port from `core.trips_*` where _table_suffix between '2026' and '2027'

## trailing-comma
select port, name, from ports

## lambda
select array(select upper(x) from unnest(legs) as x where x <> 'a') as big from bookings

## create-table
create or replace table core.berth (berth_id int64 not null options (description = 'id'), port string, tags array<string>, place struct<x float64, y float64>) partition by date(at) cluster by port options (expiration_timestamp = null)

## create-table-as
create table if not exists core.late partition by port options (description = 'late ones') as select sailing_id, port from sailings where delayed

## create-table-like
create table core.ports_copy like ports

## clone
create table core.ports_copy clone ports

## copy-table
create table core.ports_copy copy ports

## external-table
create external table core.raw options (format = 'CSV', uris = ['gs://bucket/raw/*.csv'])

## create-view
create or replace view core.income (port options (description = 'where'), income) options (labels = [('a', 'b')]) as select s.port, sum(t.fare) from sailings s join tickets t on t.sailing_id = s.sailing_id group by s.port

## materialized-view
create materialized view core.highest cluster by port as select port, max(height) as highest from tides group by port

## temp-table
create temp table recent as select port, berths from sailings; insert into ports (port, tide_offset) select port, berths from recent

## insert-select
insert tides (port, height) select port, tide_offset from ports

## insert-values
insert into ports (port, name) values ('SK', (select name from crew limit 1))

## update-join
update tickets t set t.fare = t.fare - r.amount, paid = default from refunds r where r.ticket_id = t.ticket_id

## delete
delete ports where port not in (select port from sailings)

## merge
merge ports t using (select port, max(height) as h from tides group by port) s on t.port = s.port when matched and s.h > 4 then update set tide_offset = s.h when not matched by target then insert (port, tide_offset) values (port, h) when not matched by source then delete

## merge
merge into ports t using (select port, role as name, role as island, crew_id as tide_offset from crew) s on false when not matched then insert row

## export
export data options (uri = 'gs://bucket/out/*.csv', format = 'CSV') as select port, name from ports

## load
load data overwrite ports from files (format = 'CSV', uris = ['gs://bucket/ports.csv'])

## alter-table
create table t1 as select port, name from ports; alter table t1 rename column name to title; alter table t1 add column x int64, drop column port; insert into crew (name) select title from t1

## drop
drop table if exists core.berth; drop materialized view core.highest; drop function core.net

## truncate
truncate table refunds

## function
create temp function net(fare numeric, back numeric) as (fare - ifnull(back, 0)); select net(t.fare, r.amount) as net from tickets t left join refunds r using (ticket_id)

## function
create function core.js(x string) returns string language js as r'return x;'

## variables
declare top numeric default (select max(fare) from tickets); set top = top * 2; insert into ports (tide_offset) values (top)

## condition-block
declare n int64; set n = (select count(*) from sailings where delayed); if n > 3 then insert into crew (name) select port from sailings; else delete from crew where true; end if

## loop
for r in (select port, height from tides where height > 4) do update ports set tide_offset = r.height where port = r.port; end for

## dynamic-sql
execute immediate 'insert into ports (port) select port from sailings'

## transaction
begin transaction; commit transaction

## grant
grant `roles/viewer` on table ports to 'user'; assert true as 'fine'
