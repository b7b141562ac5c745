## quoted-names
select `Port`, `port` as `where` from quoted
=: select
=> Port: quoted.port
=> where: quoted.port

## strings
select "it's" as a, r'\d' as b, concat(name, 'x') as c from ports
=: select
=> c: ~ports.name

## parameters
select name from ports where port = :port and island = ? and tide_offset > ${tide}
=: select
=> name: ports.name
=> (rows): ports.port/filter, ports.island/filter, ports.tide_offset/filter

## star-except
select * except (berths, delayed) from sailings
=: select
=> sailing_id: sailings.sailing_id
=> port: sailings.port
=> departs_at: sailings.departs_at
=> vessel_id: sailings.vessel_id

## lateral-alias
select fare * 2 as twice, twice + 1 as more from tickets
=: select
=> twice: ~tickets.fare
=> more: ~tickets.fare

## group-by-all
select port, sum(berths) as berths from sailings group by all
=: select
=> port: sailings.port
=> berths: +sailings.berths
=> (rows): sailings.port/group_by

## qualify
select port, height from tides qualify row_number() over (partition by port order by height desc) = 1
=: select
=> port: tides.port
=> height: tides.height
=> (rows): tides.port/window, tides.height/window

## lateral-view
select b.booking_id, leg from bookings b lateral view explode(b.legs) l as leg
=: select
=> booking_id: bookings.booking_id
=> leg: ~bookings.legs{[*]}
=> (rows): bookings.legs{[*]}/join

## lateral-view
select booking_id, pos, leg from bookings lateral view outer posexplode(legs) l as pos, leg
=: select
=> booking_id: bookings.booking_id
=> leg: ~bookings.legs{[*]}
=> (rows): bookings.legs{[*]}/join

## lateral-view
select booking_id, stop from bookings lateral view explode(legs) a as leg lateral view explode(leg.stops) b as stop
=: select
=> booking_id: bookings.booking_id
=> stop: ~bookings.legs{[*].stops[*]}
=> (rows): bookings.legs{[*].stops[*]}/join

## generator
select booking_id, explode(details) as (key, value) from bookings
=: select
=> booking_id: bookings.booking_id
=> key: ~bookings.details{[*]}
=> value: ~bookings.details{[*]}
=> (rows): bookings.details/join

## generator
select booking_id, inline(legs) as (port, at) from bookings
=: select
=> booking_id: bookings.booking_id
=> port: ~bookings.legs{[*]}
=> at: ~bookings.legs{[*]}
=> (rows): bookings.legs/join

## stack
select port, what, said from ports lateral view stack(2, 'name', name, 'island', island) s as what, said
=: select
=> port: ports.port
=> said: ports.name, ports.island

## lambda
select transform(legs, leg -> upper(leg)) as big, filter(legs, x -> x <> name) as other, aggregate(legs, 0, (acc, x) -> acc + tide_offset) as total from bookings, ports
=: select
=> big: ~bookings.legs
=> other: ~bookings.legs, ~ports.name
=> total: ~bookings.legs, ~ports.tide_offset

## struct
select struct(port, name as title) as s, named_struct('p', port) as t from ports
=: select
=> s: ~ports.port, ~ports.name
=> t: ~ports.port

## struct-field
select details.passenger.name as who, b.legs[0].port as first_port from bookings b
=: select
=> who: ~bookings.details{passenger.name}
=> first_port: ~bookings.legs{[0].port}

## json-path
select details:passenger.name as who, get_json_object(details, '$.legs[0].port') as port, details:legs[0]['port']::string as p2 from bookings
=: select
=> who: ~bookings.details{passenger.name}
=> port: ~bookings.details{legs[0].port}
=> p2: ~bookings.details{legs[0].port}

## map
select map('a', berths, 'b', vessel_id) as m, array(berths, vessel_id) as a from sailings
=: select
=> m: ~sailings.berths, ~sailings.vessel_id
=> a: ~sailings.berths, ~sailings.vessel_id

## cast
select cast(fare as decimal(10, 2)) as fare, try_cast(passenger as int) as n, fare::string as s from tickets
=: select
=> fare: ~tickets.fare
=> n: ~tickets.passenger
=> s: ~tickets.fare

## operators
select berths div 2 as half, port <=> name as same, name rlike '^n' as n, delayed == true as late from sailings join ports using (port)
=: select
=> half: ~sailings.berths
=> same: ~sailings.port, ~ports.name
=> n: ~ports.name
=> late: ~sailings.delayed
=> (rows): sailings.port/join, ports.port/join

## conditional-function
select if(paid, fare, 0) as income, nvl2(passenger, fare, 1) as x, decode(paid, true, fare, 0) as y from tickets
=: select
=> income: ~tickets.fare, tickets.paid/conditional
=> x: ~tickets.fare, tickets.passenger/conditional
=> y: ~tickets.fare, tickets.paid/conditional

## date-functions
select date_add(sold_at, 1) as a, dateadd(day, 1, sold_at) as b, datediff(day, sold_at, current_date()) as c, sold_at + interval 2 hours as d, extract(week from sold_at) as e from tickets
=: select
=> a: ~tickets.sold_at
=> b: ~tickets.sold_at
=> c: ~tickets.sold_at
=> d: ~tickets.sold_at
=> e: ~tickets.sold_at

## aggregates
select collect_list(passenger) as who, percentile_approx(fare, 0.5) as middle, count(distinct sailing_id) as n, first(fare, true) as f from tickets
=: select
=> who: +tickets.passenger
=> middle: +tickets.fare
=> n: +tickets.sailing_id
=> f: +tickets.fare

## aggregate-filter
select sum(fare) filter (where paid) as income from tickets
=: select
=> income: +tickets.fare, tickets.paid/filter

## grouping-sets
select port, vessel_id, sum(berths) from sailings group by port, vessel_id grouping sets ((port), (vessel_id))
=: select
=> port: sailings.port
=> vessel_id: sailings.vessel_id
=> sum(berths): +sailings.berths
=> (rows): sailings.port/group_by, sailings.vessel_id/group_by

## rollup
select port, grouping_id() as g, sum(berths) from sailings group by port with rollup
=: select
=> port: sailings.port
=> sum(berths): +sailings.berths
=> (rows): sailings.port/group_by

## cube
select port, sum(berths) from sailings group by cube(port, vessel_id)
=: select
=> port: sailings.port
=> sum(berths): +sailings.berths
=> (rows): sailings.port/group_by, sailings.vessel_id/group_by

## window
select fare, sum(fare) over (partition by sailing_id order by sold_at range between interval 1 day preceding and current row) as near from tickets
=: select
=> fare: tickets.fare
=> near: +tickets.fare, tickets.sailing_id/window, tickets.sold_at/window

## named-window
select rank() over w from tickets window w as (partition by sailing_id order by fare)
=: select
=> rank() over w: tickets.sailing_id/window, tickets.fare/window

## semi-join
select p.name from ports p left semi join sailings s on s.port = p.port and s.delayed
=: select
=> name: ports.name
=> (rows): sailings.port/join, ports.port/join, sailings.delayed/join

## anti-join
select p.name from ports p left anti join sailings s on s.port = p.port
=: select
=> name: ports.name
=> (rows): sailings.port/join, ports.port/join

## join
select s.berths, p.name from sailings s full outer join ports p on s.port = p.port
=: select
=> berths: sailings.berths
=> name: ports.name
=> (rows): sailings.port/join, ports.port/join

## natural-join
select name, height from ports natural join tides
=: select
=> name: ports.name
=> height: tides.height
=> (rows): ports.port/join, tides.port/join

## cross-join
select /*+ broadcast(p) */ p.name, s.berths from sailings s cross join ports p
=: select
=> name: ports.name
=> berths: sailings.berths

## lateral
select p.name, x.h from ports p, lateral (select max(height) as h from tides t where t.port = p.port) x
=: select
=> name: ports.name
=> h: +tides.height
=> (rows): tides.port/filter, ports.port/filter

## pivot
select * from (select port, delayed, berths from sailings) pivot (sum(berths) for delayed in (true as late, false as on_time))
=: select
=> port: sailings.port
=> late: +sailings.berths, sailings.delayed/conditional
=> on_time: +sailings.berths, sailings.delayed/conditional
=> (rows): sailings.port/group_by

## pivot
select * from sailings pivot (sum(berths) as b, count(vessel_id) as n for port in ('SK' as sk, 'NH' as nh))
=: select
=> sailing_id: sailings.sailing_id
=> departs_at: sailings.departs_at
=> delayed: sailings.delayed
=> sk_b: +sailings.berths, sailings.port/conditional
=> sk_n: +sailings.vessel_id, sailings.port/conditional
=> nh_b: +sailings.berths, sailings.port/conditional
=> nh_n: +sailings.vessel_id, sailings.port/conditional
=> (rows): sailings.sailing_id/group_by, sailings.departs_at/group_by, sailings.delayed/group_by

## unpivot
select * from ports unpivot include nulls (said for what in (name as n, island))
=: select
=> port: ports.port
=> tide_offset: ports.tide_offset
=> said: ports.name, ports.island
=> (rows): ports.name/filter, ports.island/filter

## except
select port from ports minus select port from sailings
=: select
=> port: ports.port
=> (rows): sailings.port/filter, ports.port/group_by

## intersect
select port from ports intersect all select port from sailings
=: select
=> port: ports.port, sailings.port
=> (rows): ports.port/group_by, sailings.port/group_by

## values
select a, b from values (1, 'x'), (2, 'y') as v(a, b)
=: select

## inline-table
select col1, col2 from values (1, 2)
=: select

## sample
select fare from tickets tablesample (10 percent) t
=: select
=> fare: tickets.fare

## sample
select fare from tickets tablesample (bucket 4 out of 10 on ticket_id)
=: select
=> fare: tickets.fare
=> (rows): tickets.ticket_id/filter

## time-travel
select name from ports version as of 12
=: select
=> name: ports.name

## time-travel
select name from ports timestamp as of '2026-01-01'
=: select
=> name: ports.name

## files
select f.port from parquet.`/data/fares.parquet` f join delta.`/data/other` d on d.port = f.port
=: select
=> port: /data/fares.parquet.port
=> (rows): /data/other.port/join, /data/fares.parquet.port/join

## cte
with late as (select port from sailings where delayed) select p.name from ports p join late on late.port = p.port
=: select
=> name: ports.name
=> (rows): sailings.delayed/filter, sailings.port/join, ports.port/join

## distribute
select port, berths from sailings distribute by port sort by berths desc
=: select
=> port: sailings.port
=> berths: sailings.berths

## cluster
select port from sailings cluster by port
=: select
=> port: sailings.port

## transform
select transform (port, name) using 'script.py' as (a string, b int) from ports
=: select
=> a: ~ports.port, ~ports.name
=> b: ~ports.port, ~ports.name

## create-table
create table if not exists core.berth (berth_id bigint not null comment 'id', port string, tags array<string>, place struct<x: double, y: double>) using delta partitioned by (port) location '/data/berth' tblproperties ('a' = 'b')
=: create_table

## create-table
create external table core.raw (port string, line string) partitioned by (day string) row format delimited fields terminated by ',' stored as textfile location '/data/raw'; select port, day from core.raw
=: create_external_table, select
=> core.raw.port: /data/raw.port
=> core.raw.line: /data/raw.line
=> core.raw.day: /data/raw.day
=> port: core.raw.port
=> day: core.raw.day

## create-table-as
create or replace table core.late using parquet partitioned by (port) as select sailing_id, port from sailings where delayed
=: create_table_as
=> core.late.sailing_id: sailings.sailing_id
=> core.late.port: sailings.port
=> core.late.(rows): sailings.delayed/filter

## create-table-like
create table core.ports_copy like ports
=: create_table

## clone
create or replace table core.ports_copy shallow clone ports
=: create_table_clone
=> core.ports_copy.port: ports.port
=> core.ports_copy.name: ports.name
=> core.ports_copy.island: ports.island
=> core.ports_copy.tide_offset: ports.tide_offset

## temp-view
create or replace temporary view recent as select port, berths from sailings; insert into ports (port, tide_offset) select port, berths from recent
=: create_view, insert
=> ports.port: sailings.port
=> ports.tide_offset: sailings.berths

## create-view
create or replace view core.income (port comment 'where', income) comment 'what comes in' tblproperties ('a' = 'b') as select s.port, sum(t.fare) from sailings s join tickets t on t.sailing_id = s.sailing_id group by s.port
=: create_view
=> core.income.port: sailings.port
=> core.income.income: +tickets.fare
=> core.income.(rows): tickets.sailing_id/join, sailings.sailing_id/join, sailings.port/group_by

## alter-view
alter view core.income as select port from sailings
=: alter_view
=> core.income.port: sailings.port

## cached-table
cache lazy table recent options ('storageLevel' = 'DISK_ONLY') as select port, berths from sailings; insert into ports (port, tide_offset) select port, berths from recent
=: create_cached_table, insert
=> ports.port: sailings.port
=> ports.tide_offset: sailings.berths

## insert-overwrite
insert overwrite table tides select port, current_timestamp(), tide_offset from ports
=: insert
=> tides.port: ports.port
=> tides.height: ports.tide_offset

## insert-overwrite
insert overwrite table sales partition (day = '2026-01-01', port) select fare, paid, passenger as port from tickets
=: insert
=! unknown_insert_columns
=> sales.fare: tickets.fare
=> sales.paid: tickets.paid
=> sales.port: tickets.passenger

## multi-insert
from sailings s insert into ports (port, tide_offset) select s.port, s.berths where s.delayed insert overwrite table crew (port) select s.port where not s.delayed
=: insert, insert
=> ports.port: sailings.port
=> ports.tide_offset: sailings.berths
=> ports.(rows): sailings.delayed/filter
=> crew.port: sailings.port
=> crew.(rows): sailings.delayed/filter

## insert-directory
insert overwrite directory '/data/out' using parquet select port, name from ports
=: insert_overwrite_directory
=> /data/out.port: ports.port
=> /data/out.name: ports.name

## insert-by-name
insert into ports by name select island as name, port from ports
=: insert
=> ports.name: ports.island
=> ports.port: ports.port

## insert-replace
insert into ports replace where port = 'SK' select port, name, island, tide_offset from ports
=: insert
=> ports.port: ports.port
=> ports.name: ports.name
=> ports.island: ports.island
=> ports.tide_offset: ports.tide_offset

## update
update tickets set fare = fare * 2, paid = true where sailing_id = 7
=: update
=> tickets.fare: ~tickets.fare
=> tickets.(rows): tickets.sailing_id/filter

## delete
delete from refunds where amount in (select fare from tickets where not paid)
=: delete
=> refunds.(rows): refunds.amount/filter, tickets.fare/filter, tickets.paid/filter

## merge
merge into ports t using tides s on t.port = s.port when matched and s.height > 4 then update set tide_offset = s.height when not matched then insert (port, tide_offset) values (s.port, s.height) when not matched by source then delete
=: merge
=> ports.tide_offset: tides.height
=> ports.port: tides.port
=> ports.(rows): ports.port/join, tides.port/join, tides.height/filter

## merge
merge into ports t using (select port, role as name, role as island, crew_id as tide_offset from crew) s on t.port = s.port when matched then update set * when not matched then insert *
=: merge
=> ports.port: crew.port
=> ports.name: crew.role
=> ports.island: crew.role
=> ports.tide_offset: crew.crew_id
=> ports.(rows): ports.port/join, crew.port/join

## load
load data local inpath '/data/ports.csv' overwrite into table ports partition (day = '2026')
=: load
=> ports.port: /data/ports.csv.port
=> ports.name: /data/ports.csv.name
=> ports.island: /data/ports.csv.island
=> ports.tide_offset: /data/ports.csv.tide_offset

## copy-in
copy into ports from '/data/ports' fileformat = csv format_options ('header' = 'true')
=: copy
=> ports.port: /data/ports.port
=> ports.name: /data/ports.name
=> ports.island: /data/ports.island
=> ports.tide_offset: /data/ports.tide_offset

## alter-table
create table t1 as select port, name from ports; alter table t1 change column name title string; alter table t1 add columns (tide int, x string); alter table t1 replace columns (port string, title string); insert into crew (name) select title from t1
=: create_table_as, alter_table, alter_table, alter_table, insert
=> t1.port: ports.port
=> t1.title: ports.name
=> crew.name: t1.title

## partition-exchange
alter table tickets exchange partition (day = '2026-01-01') with table tickets_2026
=: alter_table, alter_table
=> tickets.ticket_id: tickets_2026.ticket_id
=> tickets.sailing_id: tickets_2026.sailing_id
=> tickets.fare: tickets_2026.fare
=> tickets.sold_at: tickets_2026.sold_at
=> tickets.passenger: tickets_2026.passenger
=> tickets.paid: tickets_2026.paid
=> tickets_2026.ticket_id: tickets.ticket_id
=> tickets_2026.sailing_id: tickets.sailing_id
=> tickets_2026.fare: tickets.fare
=> tickets_2026.sold_at: tickets.sold_at
=> tickets_2026.passenger: tickets.passenger
=> tickets_2026.paid: tickets.paid

## rename-table
create table t1 as select port from ports; alter table t1 rename to core.t2; insert into crew (name) select port from core.t2
=: create_table_as, alter_table, insert
=> core.t2.port: ports.port
=> crew.name: core.t2.port

## drop
drop table if exists core.berth purge; drop view core.income
=: drop_table, drop_view

## truncate
truncate table refunds partition (day = '2026')
=: truncate

## use
use core; select port from berths_here
=: use, select
=> port: core.berths_here.port

## function
create or replace temporary function net(fare double, back double) returns double return fare - back; select net(t.fare, r.amount) as net from tickets t join refunds r on r.ticket_id = t.ticket_id
=: create_function, select
=> net: ~tickets.fare, ~refunds.amount
=> (rows): refunds.ticket_id/join, tickets.ticket_id/join

## optimize
optimize ports zorder by (port); msck repair table ports; refresh table ports; analyze table ports compute statistics
=: optimize, msck, refresh_table, analyze

## set
set spark.sql.shuffle.partitions = 10; reset; show tables in core; describe extended ports
=: set, reset, show, describe

## star-as-argument
select concat_ws('|', *) as k, hash(*) as h, struct(*) as s, count(*) as n from ports
=: select
=> k: ~ports.port, ~ports.name, ~ports.island, ~ports.tide_offset
=> h: ~ports.port, ~ports.name, ~ports.island, ~ports.tide_offset
=> s: ~ports.port, ~ports.name, ~ports.island, ~ports.tide_offset

## star-except
select * except (details.a) from bookings
=: select
=> booking_id: bookings.booking_id
=> details: bookings.details
=> legs: bookings.legs

## unnest
select inline(array(struct(port, name), struct(island, port))) from ports
=: select
=> port: ports.port, ports.island
=> name: ports.name, ports.port
=> (rows): ports.port/join, ports.name/join, ports.island/join

## unnest
select * from ports lateral view inline(array(struct(port as p, name as n))) t as a, b
=: select
=> port: ports.port
=> name: ports.name
=> island: ports.island
=> tide_offset: ports.tide_offset
=> a: ports.port
=> b: ports.name
=> (rows): ports.port/join, ports.name/join

## refreshed-table
create or refresh streaming table s as select port, name from stream(ports)
=: create_table_as
=> s.port: ports.port
=> s.name: ports.name

## refreshed-table
create or refresh materialized view m as select port, name from ports
=: create_materialized_view
=> m.port: ports.port
=> m.name: ports.name

## refreshed-table
create or refresh live table m as select port, name from live.ports
=: create_table_as
=> m.port: live.ports.port
=> m.name: live.ports.name

## unit-words
select datediff(day, sold_at) as a, date_add(day, 3) as b, datediff(day, sold_at, day) as c from (select sold_at, at as day from tickets, refunds) t
=: select
=> a: ~refunds.at, ~tickets.sold_at
=> b: ~refunds.at
=> c: ~tickets.sold_at, ~refunds.at

## pipes
from tickets |> where fare > 3 |> select ticket_id, fare |> extend fare + 1 as f1 |> set fare = 0 |> drop ticket_id |> as t |> aggregate sum(f1) as s group by fare
=: select
=> s: +tickets.fare
=> (rows): tickets.fare/filter

## pipes
table tickets |> lateral view explode(array(fare)) e as x |> join refunds using (ticket_id) |> order by x |> limit 2 offset 1
=: select
=> ticket_id: tickets.ticket_id
=> sailing_id: tickets.sailing_id
=> fare: tickets.fare
=> sold_at: tickets.sold_at
=> passenger: tickets.passenger
=> paid: tickets.paid
=> x: ~tickets.fare
=> refund_id: refunds.refund_id
=> amount: refunds.amount
=> reason: refunds.reason
=> at: refunds.at
=> (rows): tickets.fare/join, tickets.ticket_id/join, refunds.ticket_id/join, tickets.fare/sort

## literals
select 10L as a, 2.5D as b, 1Y, 3S, 1BD, 1e3, 1.5E-2F as f from ports where tide_offset > 3L
=: select
=> (rows): ports.tide_offset/filter

## interval
select sold_at + interval 1 day 2 hours as a, at - interval '1' month as b, interval '1 2' day to hour as c, interval 3 days + interval -2 weeks as d, sold_at + interval fare days from tickets, refunds
=: select
=> a: ~tickets.sold_at
=> b: ~refunds.at
=> (sold_at + interval fare days): ~tickets.sold_at, ~tickets.fare

## time-window
select window(sold_at, '10 minutes') as w, window.start as s, count(*) from tickets group by window(sold_at, '10 minutes', '5 minutes')
=: select
=> w: ~tickets.sold_at
=> s: ~tickets.sold_at
=> (rows): tickets.sold_at/group_by

## time-window
select window.start, window.end, sum(fare) as f from tickets group by window(sold_at, '10 minutes')
=: select
=> start: ~tickets.sold_at
=> end: ~tickets.sold_at
=> f: +tickets.fare
=> (rows): tickets.sold_at/group_by

## lambda
select exists(legs, x -> x.port = booking_id) as e, forall(legs, x -> x > 1) as a, aggregate(legs, 0, (acc, x) -> acc + x, acc -> acc * 2) as g from bookings
=: select
=> e: ~bookings.legs, ~bookings.booking_id
=> a: ~bookings.legs
=> g: ~bookings.legs

## json-path
select details:['k'] as a, details:a.b[0].c as b, details:`x y` as c, details:a::int as d from bookings
=: select
=> a: ~bookings.details{k}
=> b: ~bookings.details{a.b[0].c}
=> c: ~bookings.details{x y}
=> d: ~bookings.details{a}

## ordinals
select * from ports order by name desc nulls last, port asc nulls first
=: select
=> port: ports.port
=> name: ports.name
=> island: ports.island
=> tide_offset: ports.tide_offset

## aggregates
select sort_array(collect_list(name)) as s, first(name, true) ignore nulls as f, percentile_approx(fare, 0.5) filter (where paid) as p from tickets, ports
=: select
=> s: +ports.name
=> f: +ports.name
=> p: +tickets.fare, tickets.paid/filter

## use
select * from default.ports; use default; select * from default.tides
=: select, use, select
=> port: ports.port, tides.port
=> name: ports.name
=> island: ports.island
=> tide_offset: ports.tide_offset
=> at: tides.at
=> height: tides.height

## identifier-clause
select port from identifier('ports') where identifier('name') = 'x'; select identifier('name') as n from ports; create table identifier('a.b') as select port from ports; insert into identifier('ports') (port) select port from tides
=: select, select, create_table_as, insert
=> port: ports.port
=> (rows): ports.name/filter
=> n: ports.name
=> a.b.port: ports.port
=> ports.port: tides.port

## insert-select
insert into ports (port) with schema evolution select port from tides
=: insert
=> ports.port: tides.port

## merge
merge with schema evolution into ports using tides on ports.port = tides.port when matched then update set * when not matched by source then delete
=: merge
=> ports.port: tides.port
=> ports.at: tides.at
=> ports.height: tides.height
=> ports.(rows): ports.port/join, tides.port/join

## stream
select port from stream(tides); select port from stream tides
=: select, select
=> port: tides.port

## cross-join
select * from ports cross join tides on ports.port = tides.port
=: select
=> port: ports.port, tides.port
=> name: ports.name
=> island: ports.island
=> tide_offset: ports.tide_offset
=> at: tides.at
=> height: tides.height
=> (rows): ports.port/join, tides.port/join

## tight-spelling
select fare::int<ticket_id as a,fare%ticket_id as b,fare>:x as c from tickets where fare<=>ticket_id
=: select
=> a: ~tickets.fare, ~tickets.ticket_id
=> b: ~tickets.fare, ~tickets.ticket_id
=> c: ~tickets.fare
=> (rows): tickets.fare/filter, tickets.ticket_id/filter

## star-as-argument
select md5(concat_ws('-', p.*)) as h, named_struct('a', port) as s, to_json(struct(p.*)) as j from ports p
=: select
=> h: ~ports.port, ~ports.name, ~ports.island, ~ports.tide_offset
=> s: ~ports.port
=> j: ~ports.port, ~ports.name, ~ports.island, ~ports.tide_offset

## unnest
select k, v from bookings lateral view explode(map(booking_id, details, 'x', legs)) t as k, v
=: select
=> k: ~bookings.booking_id, ~bookings.details, ~bookings.legs
=> v: ~bookings.booking_id, ~bookings.details, ~bookings.legs
=> (rows): bookings.booking_id/join, bookings.details/join, bookings.legs/join

## unnest
select posexplode(array(booking_id, details)) from bookings
=: select
=> col: ~bookings.booking_id, ~bookings.details
=> (rows): bookings.booking_id/join, bookings.details/join

## unnest
select stack(2, port, name, island, port) as (a, b) from ports
=: select
=> a: ports.port, ports.island
=> b: ports.name, ports.port

## order-under-limit
select * from (select port from ports order by tide_offset) limit 3
=: select
=> port: ports.port
=> (rows): ports.tide_offset/sort

## dynamic-sql
execute immediate 'insert into ports (port) select port from tides'
=: execute, insert
=> ports.port: tides.port

## pipes
create view v as from ports |> where island = 'x' |> extend upper(name) as u |> select port, u
=: create_view
=> v.port: ports.port
=> v.u: ~ports.name
=> v.(rows): ports.island/filter

## pipes
from tides |> aggregate max(height) as h group by port |> join ports using (port) |> select name, h
=: select
=> name: ports.name
=> h: +tides.height
=> (rows): tides.port/group_by, tides.port/join, ports.port/join

## pipes
insert into ports (port) from tides |> where height > 1 |> select port
=: insert
=> ports.port: tides.port
=> ports.(rows): tides.height/filter

## pipes
from ports |> select port |> union all (select port from tides) |> intersect (select port from crew)
=: select
=> port: ports.port, tides.port, crew.port
=> (rows): ports.port/group_by, tides.port/group_by, crew.port/group_by

## replace-columns
create table x (a int); alter table x replace columns (b string, c string); insert into x select port, name from ports
=: create_table, alter_table, insert
=> x.b: ports.port
=> x.c: ports.name

## group-by-then-grouping-sets
select port, name, count(*) as n from ports group by port, name grouping sets (port, name)
=: select
=> port: ports.port
=> name: ports.name
=> (rows): ports.port/group_by, ports.name/group_by

## export-of-a-table
export table tides partition (port = 'x') to '/out/tides'
=: export
=> /out/tides.port: tides.port
=> /out/tides.at: tides.at
=> /out/tides.height: tides.height

## pipe-offset
from tickets |> order by sold_at |> limit 5 |> offset 2 |> select fare
=: select
=> fare: tickets.fare
=> (rows): tickets.sold_at/sort

## generated-array
create table x (a array<struct<b:int,c:string>>) using parquet location '/lake/x'; insert into x select legs from bookings
=: create_table, insert
=> x.a: bookings.legs

## transform-with-formats
select transform (port, name) row format delimited fields terminated by ',' using 'cat' as (p, n) row format delimited fields terminated by ',' from ports
=: select
=> p: ~ports.port, ~ports.name
=> n: ~ports.port, ~ports.name

## aliases-in-parentheses
select posexplode(legs) as (i, leg) from bookings
=: select
=> leg: ~bookings.legs{[*]}
=> (rows): bookings.legs/join

## aliases-of-an-unknown-function
select made(legs, booking_id) as (a, b) from bookings
=: select
=> a: ~bookings.legs, ~bookings.booking_id
=> b: ~bookings.legs, ~bookings.booking_id

## named-struct-and-its-fields
select s.a, s.b from (select named_struct('a', port, 'b', upper(name)) as s from ports) t
=: select
=> a: ports.port
=> b: ~ports.name

## inline-of-structs
select inline(array(struct(port, name), struct(name, port))) from ports
=: select
=> port: ports.port, ports.name
=> name: ports.name, ports.port
=> (rows): ports.port/join, ports.name/join

## inline-of-named-structs
select x.a from ports lateral view inline(array(named_struct('a', port), named_struct('a', name))) x
=: select
=> a: ports.port, ports.name
=> (rows): ports.port/join, ports.name/join

## json-tuple
select c0, c1 from bookings lateral view json_tuple(details, 'a', 'b') t
=: select
=> c0: ~bookings.details{a}
=> c1: ~bookings.details{b}

## json-tuple-in-the-list
select json_tuple(details, 'a', 'b') as (x, y) from bookings
=: select
=> x: ~bookings.details{a}
=> y: ~bookings.details{b}

## stack-that-cannot-be-counted
select stack(n, port, name) from ports, (select 2 as n) t
=: select
=> stack(n, port, name): ~ports.port, ~ports.name

## position-and-value
select p, v from bookings lateral view posexplode(legs) t as p, v
=: select
=> v: ~bookings.legs{[*]}
=> (rows): bookings.legs{[*]}/join
