## quoted-names
select `Port`, `port` as `where` from quoted

## strings
select "it's" as a, r'\d' as b, concat(name, 'x') as c from ports

## parameters
select name from ports where port = :port and island = ? and tide_offset > ${tide}

## star-except
select * except (berths, delayed) from sailings

## lateral-alias
select fare * 2 as twice, twice + 1 as more from tickets

## group-by-all
select port, sum(berths) as berths from sailings group by all

## qualify
select port, height from tides qualify row_number() over (partition by port order by height desc) = 1

## lateral-view
select b.booking_id, leg from bookings b lateral view explode(b.legs) l as leg

## lateral-view
select booking_id, pos, leg from bookings lateral view outer posexplode(legs) l as pos, leg

## lateral-view
select booking_id, stop from bookings lateral view explode(legs) a as leg lateral view explode(leg.stops) b as stop

## generator
select booking_id, explode(details) as (key, value) from bookings

## generator
select booking_id, inline(legs) as (port, at) from bookings

## stack
select port, what, said from ports lateral view stack(2, 'name', name, 'island', island) s as what, said

## lambda
select transform(legs, leg -> upper(leg)) as big, filter(legs, x -> x <> name) as other, aggregate(legs, 0, (acc, x) -> acc + tide_offset) as total from bookings, ports

## struct
select struct(port, name as title) as s, named_struct('p', port) as t from ports

## struct-field
select details.passenger.name as who, b.legs[0].port as first_port from bookings b

## json-path
select details:passenger.name as who, get_json_object(details, '$.legs[0].port') as port, details:legs[0]['port']::string as p2 from bookings

## map
select map('a', berths, 'b', vessel_id) as m, array(berths, vessel_id) as a from sailings

## cast
select cast(fare as decimal(10, 2)) as fare, try_cast(passenger as int) as n, fare::string as s from tickets

## operators
select berths div 2 as half, port <=> name as same, name rlike '^n' as n, delayed == true as late from sailings join ports using (port)

## conditional-function
select if(paid, fare, 0) as income, nvl2(passenger, fare, 1) as x, decode(paid, true, fare, 0) as y from tickets

## date-functions
select date_add(sold_at, 1) as a, dateadd(day, 1, sold_at) as b, datediff(day, sold_at, current_date()) as c, sold_at + interval 2 hours as d, extract(week from sold_at) as e from tickets

## aggregates
select collect_list(passenger) as who, percentile_approx(fare, 0.5) as middle, count(distinct sailing_id) as n, first(fare, true) as f from tickets

## aggregate-filter
select sum(fare) filter (where paid) as income from tickets

## grouping-sets
select port, vessel_id, sum(berths) from sailings group by port, vessel_id grouping sets ((port), (vessel_id))

## rollup
select port, grouping_id() as g, sum(berths) from sailings group by port with rollup

## cube
select port, sum(berths) from sailings group by cube(port, vessel_id)

## window
select fare, sum(fare) over (partition by sailing_id order by sold_at range between interval 1 day preceding and current row) as near from tickets

## named-window
select rank() over w from tickets window w as (partition by sailing_id order by fare)

## semi-join
select p.name from ports p left semi join sailings s on s.port = p.port and s.delayed

## anti-join
select p.name from ports p left anti join sailings s on s.port = p.port

## join
select s.berths, p.name from sailings s full outer join ports p on s.port = p.port

## natural-join
select name, height from ports natural join tides

## cross-join
select /*+ broadcast(p) */ p.name, s.berths from sailings s cross join ports p

## lateral
select p.name, x.h from ports p, lateral (select max(height) as h from tides t where t.port = p.port) x

## pivot
select * from (select port, delayed, berths from sailings) pivot (sum(berths) for delayed in (true as late, false as on_time))

## pivot
select * from sailings pivot (sum(berths) as b, count(vessel_id) as n for port in ('SK' as sk, 'NH' as nh))

## unpivot
select * from ports unpivot include nulls (said for what in (name as n, island))

## except
select port from ports minus select port from sailings

## intersect
select port from ports intersect all select port from sailings

## values
select a, b from values (1, 'x'), (2, 'y') as v(a, b)

## inline-table
select col1, col2 from values (1, 2)

## sample
select fare from tickets tablesample (10 percent) t

## sample
select fare from tickets tablesample (bucket 4 out of 10 on ticket_id)

## time-travel
select name from ports version as of 12

## time-travel
select name from ports timestamp as of '2026-01-01'

## files
select f.port from parquet.`/data/fares.parquet` f join delta.`/data/other` d on d.port = f.port

## cte
with late as (select port from sailings where delayed) select p.name from ports p join late on late.port = p.port

## distribute
select port, berths from sailings distribute by port sort by berths desc

## cluster
select port from sailings cluster by port

## transform
select transform (port, name) using 'script.py' as (a string, b int) from ports

## create-table
create table if not exists core.berth (berth_id bigint not null comment 'id', port string, tags array<string>, place struct<x: double, y: double>) using delta partitioned by (port) location '/data/berth' tblproperties ('a' = 'b')

## create-table
create external table core.raw (port string, line string) partitioned by (day string) row format delimited fields terminated by ',' stored as textfile location '/data/raw'; select port, day from core.raw

## create-table-as
create or replace table core.late using parquet partitioned by (port) as select sailing_id, port from sailings where delayed

## create-table-like
create table core.ports_copy like ports

## clone
create or replace table core.ports_copy shallow clone ports

## temp-view
create or replace temporary view recent as select port, berths from sailings; insert into ports (port, tide_offset) select port, berths from recent

## create-view
create or replace view core.income (port comment 'where', income) comment 'what comes in' tblproperties ('a' = 'b') as select s.port, sum(t.fare) from sailings s join tickets t on t.sailing_id = s.sailing_id group by s.port

## alter-view
alter view core.income as select port from sailings

## cached-table
cache lazy table recent options ('storageLevel' = 'DISK_ONLY') as select port, berths from sailings; insert into ports (port, tide_offset) select port, berths from recent

## insert-overwrite
insert overwrite table tides select port, current_timestamp(), tide_offset from ports

## insert-overwrite
insert overwrite table sales partition (day = '2026-01-01', port) select fare, paid, passenger as port from tickets

## multi-insert
from sailings s insert into ports (port, tide_offset) select s.port, s.berths where s.delayed insert overwrite table crew (port) select s.port where not s.delayed

## insert-directory
insert overwrite directory '/data/out' using parquet select port, name from ports

## insert-by-name
insert into ports by name select island as name, port from ports

## insert-replace
insert into ports replace where port = 'SK' select port, name, island, tide_offset from ports

## update
update tickets set fare = fare * 2, paid = true where sailing_id = 7

## delete
delete from refunds where amount in (select fare from tickets where not paid)

## merge
merge into ports t using tides s on t.port = s.port when matched and s.height > 4 then update set tide_offset = s.height when not matched then insert (port, tide_offset) values (s.port, s.height) when not matched by source then delete

## merge
merge into ports t using (select port, role as name, role as island, crew_id as tide_offset from crew) s on t.port = s.port when matched then update set * when not matched then insert *

## load
load data local inpath '/data/ports.csv' overwrite into table ports partition (day = '2026')

## copy-in
copy into ports from '/data/ports' fileformat = csv format_options ('header' = 'true')

## alter-table
create table t1 as select port, name from ports; alter table t1 change column name title string; alter table t1 add columns (tide int, x string); alter table t1 replace columns (port string, title string); insert into crew (name) select title from t1

## partition-exchange
alter table tickets exchange partition (day = '2026-01-01') with table tickets_2026

## rename-table
create table t1 as select port from ports; alter table t1 rename to core.t2; insert into crew (name) select port from core.t2

## drop
drop table if exists core.berth purge; drop view core.income

## truncate
truncate table refunds partition (day = '2026')

## use
use core; select port from berths_here

## function
create or replace temporary function net(fare double, back double) returns double return fare - back; select net(t.fare, r.amount) as net from tickets t join refunds r on r.ticket_id = t.ticket_id

## optimize
optimize ports zorder by (port); msck repair table ports; refresh table ports; analyze table ports compute statistics

## set
set spark.sql.shuffle.partitions = 10; reset; show tables in core; describe extended ports
