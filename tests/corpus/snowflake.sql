## quoted-names
select "port", Port as "Where" from quoted

## strings
select 'it''s' as a, 'a\'b' as b, $$plain $ text$$ as c, name from ports

## comments
select port // the port
  , name -- its name
from ports

## parameters
select name from ports where port = :port and island = $isle and tide_offset > ?

## star-except
select * exclude (berths, delayed) from sailings

## star-except
select s.* exclude delayed rename (berths as places) from sailings s

## star-replace
select * replace (upper(name) as name) from ports

## star-ilike
select * ilike '%id%' from tickets

## lateral-alias
select fare * 2 as twice, twice + 1 as more from tickets where twice > 10

## group-by-all
select port, sum(berths) as berths from sailings group by all

## order-by-all
select port, name from ports order by all limit 3

## qualify
select port, height from tides qualify row_number() over (partition by port order by height desc) = 1

## top
select top 5 port from ports order by tide_offset desc

## json-path
select details:passenger.name::string as who, details:legs[0].port as p, details['fare'] as fare, b.details:"Odd Key".x as x from bookings b

## json-path
select get_path(details, 'passenger.name') as who, parse_json(legs):a.b::int as n from bookings

## flatten
select b.booking_id, f.value:port::string as port, f.index as n, f.key as k from bookings b, lateral flatten(input => b.legs, outer => true) f

## flatten
select f.value as leg from bookings b, table(flatten(b.details:legs)) f

## table-function
select s.value from ports, lateral split_to_table(ports.name, ' ') s

## table-function
select seq4() as n from table(generator(rowcount => 10)) v

## object
select {'port': port, 'n': name} as o, object_construct('a', island) as p, [port, name] as q, array_construct(port) as r from ports

## lambda
select filter(legs, x -> x:port = 'SK') as a, transform(legs, x int -> x * 2) as b from bookings

## conditional-function
select iff(paid, fare, 0) as income, nvl(passenger, 'none') as who, decode(paid, true, fare, 0) as x, zeroifnull(fare) as z from tickets

## date-functions
select dateadd(day, 1, sold_at) as a, datediff('hour', sold_at, current_timestamp()) as b, date_trunc(month, sold_at) as c, date_part(epoch_second, sold_at) as d, sold_at + interval '1 day' as e from tickets

## cast
select fare::number(10, 2) as fare, try_cast(passenger as integer) as n, cast(sold_at as timestamp_ntz) as at from tickets

## aggregates
select listagg(distinct name, ', ') within group (order by tide_offset) as names, array_agg(name) within group (order by name) as list, approx_percentile(tide_offset, 0.5) as middle from ports

## aggregates
select count_if(paid) as paid, max_by(passenger, fare) as who, object_agg(passenger, fare) as o from tickets

## grouping-sets
select port, vessel_id, sum(berths) as b from sailings group by grouping sets ((port), (vessel_id))

## rollup
select port, grouping(port) as g, sum(berths) as b from sailings group by rollup (port)

## window
select fare, ratio_to_report(fare) over (partition by sailing_id) as share, last_value(fare ignore nulls) over (order by sold_at) as l from tickets

## pivot
select * from (select port, delayed, berths from sailings) pivot (sum(berths) for delayed in ('yes', 'no')) as p (where_at, late, on_time)

## pivot
select * from (select port, delayed, berths from sailings) pivot (sum(berths) for delayed in (any order by delayed))

## unpivot
select * from ports unpivot (said for what in (name, island))

## match-recognize
select * from tides match_recognize (partition by port order by at measures match_number() as n, first(up.height) as low one row per match after match skip to next row pattern (up+) define up as height > lag(height)) m

## asof-join
select t.fare, h.height from tickets t asof join tides h match_condition (t.sold_at >= h.at) on t.passenger = h.port

## connect-by
select crew_id, sys_connect_by_path(name, '/') as path from crew start with boss_id is null connect by prior crew_id = boss_id

## sample
select fare from tickets sample (10)

## sample
select fare from tickets tablesample bernoulli (10) seed (3)

## time-travel
select name from ports at (timestamp => '2026-01-01'::timestamp) as p

## time-travel
select name from ports before (statement => 'abc')

## stage
select $1 as port, t.$2 as name, metadata$filename from @landing/ports (file_format => 'csv', pattern => '.*csv') t

## lateral
select p.name, x.h from ports p, lateral (select max(height) as h from tides t where t.port = p.port) x

## natural-join
select name, height from ports natural join tides

## minus
select port from ports minus select port from sailings

## by-name
select port, name from ports union all by name select name, port from crew

## values
select column1, column2 from values (1, 'x'), (2, 'y')

## recursive-cte
with chain as (select crew_id, boss_id from crew union all select c.crew_id, k.boss_id from crew c join chain k on c.boss_id = k.crew_id) select * from chain

## four-part-names
select t.port from lake.core.trips t join lake..ports2 p on p.port = t.port

## trailing-comma
select port, name, from ports

## create-table
create or replace transient table core.berth (berth_id number autoincrement primary key, port varchar(20) comment 'where' with tag (a = 'b'), wide float as (length * 2), tags variant) cluster by (port) data_retention_time_in_days = 1

## create-table-as
create or replace table core.late cluster by (port) as select sailing_id, port from sailings where delayed

## create-table-like
create table core.ports_copy like ports

## clone
create or replace table core.ports_copy clone ports at (offset => -3600)

## temp-table
create temporary table recent as select port, berths from sailings; insert into ports (port, tide_offset) select port, berths from recent

## create-view
create or replace secure view core.income (port comment 'where', income) copy grants comment = 'what comes in' as select s.port, sum(t.fare) from sailings s join tickets t on t.sailing_id = s.sailing_id group by s.port

## materialized-view
create materialized view core.highest as select port, max(height) as highest from tides group by port

## dynamic-table
create or replace dynamic table core.busy target_lag = '1 minute' warehouse = w as select port, count(*) as n from sailings group by port

## stream
create stream core.new_tickets on table tickets append_only = true; insert into refunds (ticket_id, amount) select ticket_id, fare from core.new_tickets where metadata$action = 'INSERT'

## task
create task core.nightly warehouse = w schedule = 'USING CRON 0 2 * * * UTC' when system$stream_has_data('s') as insert into ports (port) select port from sailings

## insert-overwrite
insert overwrite into tides select port, current_timestamp(), tide_offset from ports

## multi-insert
insert all when fare > 10 then into ports (tide_offset) values (fare) into crew (name) values (passenger) else into refunds (amount) values (fare) select fare, passenger from tickets where paid

## update-join
update tickets t set t.fare = t.fare - r.amount from refunds r where r.ticket_id = t.ticket_id

## delete-join
delete from refunds using tickets t where t.ticket_id = refunds.ticket_id

## merge
merge into ports t using (select port, max(height) as h from tides group by port) s on t.port = s.port when matched and s.h > 4 then update set t.tide_offset = s.h when matched then delete when not matched then insert (port, tide_offset) values (s.port, s.h)

## copy-in
copy into ports (port, name) from @landing/ports.csv file_format = (type = csv skip_header = 1) on_error = continue

## copy-in
copy into ports (port, name) from (select t.$1, upper(t.$2) from @landing/ports t) file_format = (format_name = f)

## copy-out
copy into @landing/out/ from (select port, name from ports) file_format = (type = parquet)

## swap
create table ports_new as select port, name from ports; alter table ports swap with ports_new; drop table ports_new

## alter-table
create table t1 as select port, name from ports; alter table t1 rename column name to title; alter table t1 add column x int; alter table t1 drop column port; alter table t1 rename to t2; insert into crew (name) select title from t2

## drop
drop table if exists core.berth cascade; drop view core.income; undrop table core.berth; drop stream s

## truncate
truncate table if exists refunds

## use
use schema core; select port from berths_here

## use
use warehouse w; use role clerk; use database lake; select port from core.berths_here

## function
create or replace function net(fare float, back float) returns float as 'fare - nvl(back, 0)'; select net(t.fare, r.amount) as net from tickets t left join refunds r using (ticket_id)

## procedure
create or replace procedure close_day(p varchar) returns varchar language sql as $$ declare total float default 0; begin select sum(berths) into :total from sailings where port = :p; if (total > 5) then insert into ports (port, tide_offset) values (:p, :total); end if; return 'done'; end $$

## variables
set top = (select max(fare) from tickets); select $top as top

## grant
grant select on table ports to role clerk; comment on table ports is 'where'; show tables; describe table ports; alter session set a = 'b'; put file:///x @landing; list @landing

## transaction
begin transaction; commit; rollback
