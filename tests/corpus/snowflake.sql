## quoted-names
select "port", Port as "Where" from quoted
=: select
=> port: quoted.port
=> Where: quoted.port

## strings
select 'it''s' as a, 'a\'b' as b, $$plain $ text$$ as c, name from ports
=: select
=> NAME: ports.name

## comments
select port // the port
  , name -- its name
from ports
=: select
=> PORT: ports.port
=> NAME: ports.name

## parameters
select name from ports where port = :port and island = $isle and tide_offset > ?
=: select
=> NAME: ports.name
=> (rows): ports.port/filter, ports.island/filter, ports.tide_offset/filter

## star-except
select * exclude (berths, delayed) from sailings
=: select
=> sailing_id: sailings.sailing_id
=> port: sailings.port
=> departs_at: sailings.departs_at
=> vessel_id: sailings.vessel_id

## star-except
select s.* exclude delayed rename (berths as places) from sailings s
=: select
=> sailing_id: sailings.sailing_id
=> port: sailings.port
=> departs_at: sailings.departs_at
=> vessel_id: sailings.vessel_id
=> PLACES: sailings.berths

## star-replace
select * replace (upper(name) as name) from ports
=: select
=> port: ports.port
=> name: ~ports.name
=> island: ports.island
=> tide_offset: ports.tide_offset

## star-ilike
select * ilike '%id%' from tickets
=: select
=> ticket_id: tickets.ticket_id
=> sailing_id: tickets.sailing_id
=> paid: tickets.paid

## lateral-alias
select fare * 2 as twice, twice + 1 as more from tickets where twice > 10
=: select
=> TWICE: ~tickets.fare
=> MORE: ~tickets.fare
=> (rows): tickets.fare/filter

## group-by-all
select port, sum(berths) as berths from sailings group by all
=: select
=> PORT: sailings.port
=> BERTHS: +sailings.berths
=> (rows): sailings.port/group_by

## order-by-all
select port, name from ports order by all limit 3
=: select
=> PORT: ports.port
=> NAME: ports.name
=> (rows): ports.port/sort, ports.name/sort

## qualify
select port, height from tides qualify row_number() over (partition by port order by height desc) = 1
=: select
=> PORT: tides.port
=> HEIGHT: tides.height
=> (rows): tides.port/window, tides.height/window

## top
select top 5 port from ports order by tide_offset desc
=: select
=> PORT: ports.port
=> (rows): ports.tide_offset/sort

## json-path
select details:passenger.name::string as who, details:legs[0].port as p, details['fare'] as fare, b.details:"Odd Key".x as x from bookings b
=: select
=> WHO: ~bookings.details{passenger.name}
=> P: ~bookings.details{legs[0].port}
=> FARE: ~bookings.details{fare}
=> X: ~bookings.details{Odd Key.x}

## json-path
select get_path(details, 'passenger.name') as who, parse_json(legs):a.b::int as n from bookings
=: select
=> WHO: ~bookings.details{passenger.name}
=> N: ~bookings.legs

## flatten
select b.booking_id, f.value:port::string as port, f.index as n, f.key as k from bookings b, lateral flatten(input => b.legs, outer => true) f
=: select
=> BOOKING_ID: bookings.booking_id
=> PORT: ~bookings.legs{[*].port}
=> K: ~bookings.legs{[*]}
=> (rows): bookings.legs{[*]}/join

## flatten
select f.value as leg from bookings b, table(flatten(b.details:legs)) f
=: select
=> LEG: ~bookings.details{legs[*]}
=> (rows): bookings.details{legs[*]}/join

## table-function
select s.value from ports, lateral split_to_table(ports.name, ' ') s
=: select
=> VALUE: ~ports.name
=> (rows): ports.name/join

## table-function
select seq4() as n from table(generator(rowcount => 10)) v
=: select

## object
select {'port': port, 'n': name} as o, object_construct('a', island) as p, [port, name] as q, array_construct(port) as r from ports
=: select
=> O: ~ports.port, ~ports.name
=> P: ~ports.island
=> Q: ~ports.port, ~ports.name
=> R: ~ports.port

## lambda
select filter(legs, x -> x:port = 'SK') as a, transform(legs, x int -> x * 2) as b from bookings
=: select
=> A: ~bookings.legs
=> B: ~bookings.legs

## conditional-function
select iff(paid, fare, 0) as income, nvl(passenger, 'none') as who, decode(paid, true, fare, 0) as x, zeroifnull(fare) as z from tickets
=: select
=> INCOME: ~tickets.fare, tickets.paid/conditional
=> WHO: ~tickets.passenger
=> X: ~tickets.fare, tickets.paid/conditional
=> Z: ~tickets.fare

## date-functions
select dateadd(day, 1, sold_at) as a, datediff('hour', sold_at, current_timestamp()) as b, date_trunc(month, sold_at) as c, date_part(epoch_second, sold_at) as d, sold_at + interval '1 day' as e from tickets
=: select
=> A: ~tickets.sold_at
=> B: ~tickets.sold_at
=> C: ~tickets.sold_at
=> D: ~tickets.sold_at
=> E: ~tickets.sold_at

## cast
select fare::number(10, 2) as fare, try_cast(passenger as integer) as n, cast(sold_at as timestamp_ntz) as at from tickets
=: select
=> FARE: ~tickets.fare
=> N: ~tickets.passenger
=> AT: ~tickets.sold_at

## aggregates
select listagg(distinct name, ', ') within group (order by tide_offset) as names, array_agg(name) within group (order by name) as list, approx_percentile(tide_offset, 0.5) as middle from ports
=: select
=> NAMES: +ports.name, ports.tide_offset/sort
=> LIST: +ports.name, ports.name/sort
=> MIDDLE: +ports.tide_offset

## aggregates
select count_if(paid) as paid, max_by(passenger, fare) as who, object_agg(passenger, fare) as o from tickets
=: select
=> PAID: +tickets.paid
=> WHO: +tickets.passenger, +tickets.fare
=> O: +tickets.passenger, +tickets.fare

## grouping-sets
select port, vessel_id, sum(berths) as b from sailings group by grouping sets ((port), (vessel_id))
=: select
=> PORT: sailings.port
=> VESSEL_ID: sailings.vessel_id
=> B: +sailings.berths
=> (rows): sailings.port/group_by, sailings.vessel_id/group_by

## rollup
select port, grouping(port) as g, sum(berths) as b from sailings group by rollup (port)
=: select
=> PORT: sailings.port
=> B: +sailings.berths
=> (rows): sailings.port/group_by

## window
select fare, ratio_to_report(fare) over (partition by sailing_id) as share, last_value(fare ignore nulls) over (order by sold_at) as l from tickets
=: select
=> FARE: tickets.fare
=> SHARE: +tickets.fare, tickets.sailing_id/window
=> L: ~tickets.fare, tickets.sold_at/window

## pivot
select * from (select port, delayed, berths from sailings) pivot (sum(berths) for delayed in ('yes', 'no')) as p (where_at, late, on_time)
=: select
=> WHERE_AT: sailings.port
=> LATE: +sailings.berths, sailings.delayed/conditional
=> ON_TIME: +sailings.berths, sailings.delayed/conditional
=> (rows): sailings.port/group_by

## pivot
select * from (select port, delayed, berths from sailings) pivot (sum(berths) for delayed in (any order by delayed))
=: select
=> PORT: sailings.port
=> *: +sailings.berths, sailings.delayed/conditional
=> (rows): sailings.port/group_by

## unpivot
select * from ports unpivot (said for what in (name, island))
=: select
=> port: ports.port
=> tide_offset: ports.tide_offset
=> SAID: ports.name, ports.island
=> (rows): ports.name/filter, ports.island/filter

## match-recognize
select * from tides match_recognize (partition by port order by at measures match_number() as n, first(up.height) as low one row per match after match skip to next row pattern (up+) define up as height > lag(height)) m
=: select
=> PORT: tides.port
=> LOW: ~tides.height
=> (rows): tides.port/window, tides.at/window, tides.height/filter

## asof-join
select t.fare, h.height from tickets t asof join tides h match_condition (t.sold_at >= h.at) on t.passenger = h.port
=: select
=> FARE: tickets.fare
=> HEIGHT: tides.height
=> (rows): tickets.sold_at/join, tides.at/join, tickets.passenger/join, tides.port/join

## connect-by
select crew_id, sys_connect_by_path(name, '/') as path from crew start with boss_id is null connect by prior crew_id = boss_id
=: select
=> CREW_ID: crew.crew_id
=> PATH: ~crew.name
=> (rows): crew.boss_id/filter, crew.crew_id/filter

## sample
select fare from tickets sample (10)
=: select
=> FARE: tickets.fare

## sample
select fare from tickets tablesample bernoulli (10) seed (3)
=: select
=> FARE: tickets.fare

## time-travel
select name from ports at (timestamp => '2026-01-01'::timestamp) as p
=: select
=> NAME: ports.name

## time-travel
select name from ports before (statement => 'abc')
=: select
=> NAME: ports.name

## stage
select $1 as port, t.$2 as name, metadata$filename from @landing/ports (file_format => 'csv', pattern => '.*csv') t
=: select
=> PORT: @landing/ports.$1
=> NAME: @landing/ports.$2
=> METADATA$FILENAME: @landing/ports.METADATA$FILENAME

## lateral
select p.name, x.h from ports p, lateral (select max(height) as h from tides t where t.port = p.port) x
=: select
=> NAME: ports.name
=> H: +tides.height
=> (rows): tides.port/filter, ports.port/filter

## natural-join
select name, height from ports natural join tides
=: select
=> NAME: ports.name
=> HEIGHT: tides.height
=> (rows): ports.port/join, tides.port/join

## minus
select port from ports minus select port from sailings
=: select
=> PORT: ports.port
=> (rows): sailings.port/filter, ports.port/group_by

## by-name
select port, name from ports union all by name select name, port from crew
=: select
=> PORT: ports.port, crew.port
=> NAME: ports.name, crew.name

## values
select column1, column2 from values (1, 'x'), (2, 'y')
=: select

## recursive-cte
with chain as (select crew_id, boss_id from crew union all select c.crew_id, k.boss_id from crew c join chain k on c.boss_id = k.crew_id) select * from chain
=: select
=> CREW_ID: crew.crew_id
=> BOSS_ID: crew.boss_id
=> (rows): crew.boss_id/join, crew.crew_id/join

## four-part-names
select t.port from lake.core.trips t join lake..ports2 p on p.port = t.port
=: select
=> PORT: LAKE.CORE.TRIPS.PORT
=> (rows): LAKE.PUBLIC.PORTS2.PORT/join, LAKE.CORE.TRIPS.PORT/join

## trailing-comma
select port, name, from ports
=: select
=> PORT: ports.port
=> NAME: ports.name

## create-table
create or replace transient table core.berth (berth_id number autoincrement primary key, port varchar(20) comment 'where' with tag (a = 'b'), wide float as (length * 2), tags variant) cluster by (port) data_retention_time_in_days = 1
=: create_table

## create-table-as
create or replace table core.late cluster by (port) as select sailing_id, port from sailings where delayed
=: create_table_as
=> CORE.LATE.SAILING_ID: sailings.sailing_id
=> CORE.LATE.PORT: sailings.port
=> CORE.LATE.(rows): sailings.delayed/filter

## create-table-like
create table core.ports_copy like ports
=: create_table

## clone
create or replace table core.ports_copy clone ports at (offset => -3600)
=: create_table_clone
=> CORE.PORTS_COPY.port: ports.port
=> CORE.PORTS_COPY.name: ports.name
=> CORE.PORTS_COPY.island: ports.island
=> CORE.PORTS_COPY.tide_offset: ports.tide_offset

## temp-table
create temporary table recent as select port, berths from sailings; insert into ports (port, tide_offset) select port, berths from recent
=: create_table_as, insert
=> ports.port: sailings.port
=> ports.tide_offset: sailings.berths

## create-view
create or replace secure view core.income (port comment 'where', income) copy grants comment = 'what comes in' as select s.port, sum(t.fare) from sailings s join tickets t on t.sailing_id = s.sailing_id group by s.port
=: create_view
=> CORE.INCOME.PORT: sailings.port
=> CORE.INCOME.INCOME: +tickets.fare
=> CORE.INCOME.(rows): tickets.sailing_id/join, sailings.sailing_id/join, sailings.port/group_by

## materialized-view
create materialized view core.highest as select port, max(height) as highest from tides group by port
=: create_materialized_view
=> CORE.HIGHEST.PORT: tides.port
=> CORE.HIGHEST.HIGHEST: +tides.height
=> CORE.HIGHEST.(rows): tides.port/group_by

## dynamic-table
create or replace dynamic table core.busy target_lag = '1 minute' warehouse = w as select port, count(*) as n from sailings group by port
=: create_dynamic_table
=> CORE.BUSY.PORT: sailings.port
=> CORE.BUSY.(rows): sailings.port/group_by

## stream
create stream core.new_tickets on table tickets append_only = true; insert into refunds (ticket_id, amount) select ticket_id, fare from core.new_tickets where metadata$action = 'INSERT'
=: create_stream, insert
=> CORE.NEW_TICKETS.ticket_id: tickets.ticket_id
=> CORE.NEW_TICKETS.sailing_id: tickets.sailing_id
=> CORE.NEW_TICKETS.fare: tickets.fare
=> CORE.NEW_TICKETS.sold_at: tickets.sold_at
=> CORE.NEW_TICKETS.passenger: tickets.passenger
=> CORE.NEW_TICKETS.paid: tickets.paid
=> refunds.ticket_id: CORE.NEW_TICKETS.ticket_id
=> refunds.amount: CORE.NEW_TICKETS.fare

## task
create task core.nightly warehouse = w schedule = 'USING CRON 0 2 * * * UTC' when system$stream_has_data('s') as insert into ports (port) select port from sailings
=: create_task, insert
=> ports.port: sailings.port

## insert-overwrite
insert overwrite into tides select port, current_timestamp(), tide_offset from ports
=: insert
=> tides.port: ports.port
=> tides.height: ports.tide_offset

## multi-insert
insert all when fare > 10 then into ports (tide_offset) values (fare) into crew (name) values (passenger) else into refunds (amount) values (fare) select fare, passenger from tickets where paid
=: insert, insert, insert
=> ports.tide_offset: tickets.fare
=> ports.(rows): tickets.paid/filter, tickets.fare/filter
=> crew.name: tickets.passenger
=> crew.(rows): tickets.paid/filter, tickets.fare/filter
=> refunds.amount: tickets.fare
=> refunds.(rows): tickets.paid/filter, tickets.fare/filter

## update-join
update tickets t set t.fare = t.fare - r.amount from refunds r where r.ticket_id = t.ticket_id
=: update
=> tickets.fare: ~tickets.fare, ~refunds.amount
=> tickets.(rows): refunds.ticket_id/filter, tickets.ticket_id/filter

## delete-join
delete from refunds using tickets t where t.ticket_id = refunds.ticket_id
=: delete
=> refunds.(rows): tickets.ticket_id/filter, refunds.ticket_id/filter

## merge
merge into ports t using (select port, max(height) as h from tides group by port) s on t.port = s.port when matched and s.h > 4 then update set t.tide_offset = s.h when matched then delete when not matched then insert (port, tide_offset) values (s.port, s.h)
=: merge
=> ports.tide_offset: +tides.height
=> ports.port: tides.port
=> ports.(rows): tides.port/group_by, ports.port/join, tides.port/join, tides.height/filter

## copy-in
copy into ports (port, name) from @landing/ports.csv file_format = (type = csv skip_header = 1) on_error = continue
=: copy
=> ports.port: @landing/ports.csv.port
=> ports.name: @landing/ports.csv.name

## copy-in
copy into ports (port, name) from (select t.$1, upper(t.$2) from @landing/ports t) file_format = (format_name = f)
=: copy
=> ports.port: @landing/ports.$1
=> ports.name: ~@landing/ports.$2

## copy-out
copy into @landing/out/ from (select port, name from ports) file_format = (type = parquet)
=: copy
=> @landing/out/.PORT: ports.port
=> @landing/out/.NAME: ports.name

## swap
create table ports_new as select port, name from ports; alter table ports swap with ports_new; drop table ports_new
=: create_table_as, alter_table, drop_table
=> ports.PORT: ports.port
=> ports.NAME: ports.name

## alter-table
create table t1 as select port, name from ports; alter table t1 rename column name to title; alter table t1 add column x int; alter table t1 drop column port; alter table t1 rename to t2; insert into crew (name) select title from t2
=: create_table_as, alter_table, alter_table, alter_table, alter_table, insert
=> T2.TITLE: ports.name
=> crew.name: T2.TITLE

## drop
drop table if exists core.berth cascade; drop view core.income; undrop table core.berth; drop stream s
=: drop_table, drop_view, undrop, drop_stream

## truncate
truncate table if exists refunds
=: truncate

## use
use schema core; select port from berths_here
=: use, select
=> PORT: CORE.PUBLIC.BERTHS_HERE.PORT

## use
use warehouse w; use role clerk; use database lake; select port from core.berths_here
=: use, use, use, select
=> PORT: LAKE.CORE.BERTHS_HERE.PORT

## function
create or replace function net(fare float, back float) returns float as 'fare - nvl(back, 0)'; select net(t.fare, r.amount) as net from tickets t left join refunds r using (ticket_id)
=: create_function, select
=> NET: ~tickets.fare, ~refunds.amount
=> (rows): tickets.ticket_id/join, refunds.ticket_id/join

## procedure
create or replace procedure close_day(p varchar) returns varchar language sql as $$ declare total float default 0; begin select sum(berths) into :total from sailings where port = :p; if (total > 5) then insert into ports (port, tide_offset) values (:p, :total); end if; return 'done'; end $$
=: create_procedure, insert
=> ports.tide_offset: +sailings.berths, sailings.port/filter

## variables
set top = (select max(fare) from tickets); select $top as top
=: set, select
=> TOP: +tickets.fare

## grant
grant select on table ports to role clerk; comment on table ports is 'where'; show tables; describe table ports; alter session set a = 'b'; put file:///x @landing; list @landing
=: grant, comment, show, describe, alter_session, put, list

## transaction
begin transaction; commit; rollback
=: begin, commit, rollback

## star-as-argument
select hash(*) as h, object_construct(*) as o, hash(p.*) as g from ports p
=: select
=> H: ~ports.port, ~ports.name, ~ports.island, ~ports.tide_offset
=> O: ~ports.port, ~ports.name, ~ports.island, ~ports.tide_offset
=> G: ~ports.port, ~ports.name, ~ports.island, ~ports.tide_offset

## temporary-self-update
create temporary table f as select port, name from ports; merge into f using tides t on t.port = f.port when matched then update set f.name = f.port; insert into sailings (port) select name from f
=: create_table_as, merge, insert
=> sailings.port: ports.name, ports.port
=> sailings.(rows): tides.port/join, ports.port/join

## records
declare rs resultset default (select port, height from tides); c1 cursor for rs; begin for r in c1 do insert into sailings (port, berths) values (r.port, r.height); end for; end;
=: block, insert
=> sailings.port: tides.port
=> sailings.berths: tides.height

## records
begin let rs resultset := (select port, height from tides); let c cursor for rs; open c; for r in c do insert into sailings (port, berths) values (:r.port, :r.height); end for; return table(rs); end;
=: block, open, insert
=> sailings.port: tides.port
=> sailings.berths: tides.height

## dynamic-sql
execute immediate $$ begin let x int := (select max(height) from tides); insert into sailings (berths) values (:x); end; $$
=: execute, insert
=> sailings.berths: +tides.height

## templates
select * from {{ ref('ports') }}
=: select
=! star_of_unknown_table
=> *: {{ ref('ports') }}.*

## sequences
insert into ports (port, tide_offset) select name, s.nextval from crew; insert into ports (port, tide_offset) select name, x.nextval from crew, table(getnextval(s)) x
=: insert, insert
=> ports.port: crew.name

## dynamic-sql
execute immediate $$insert into ports (port) select port from tides$$
=: execute, insert
=> ports.port: tides.port

## dynamic-sql
create or replace procedure p() returns string language sql as $$ declare q string; begin q := 'insert into ports (port) select port from tides'; execute immediate :q; execute immediate 'insert into ports (port) ' || 'select name from crew'; return 'ok'; end; $$
=: create_procedure, insert, insert
=> ports.port: tides.port, crew.name

## records
begin let c cursor for select port, height from tides; for r in c do let p varchar := r.port; insert into sailings (port, berths) values (:p, r.height); end for; end;
=: block, insert
=> sailings.port: tides.port
=> sailings.berths: tides.height

## ordinals
select $1, t.$2 as b from ports t
=: select
=> port: ports.port
=> B: ports.name

## connect-by
select crew_id, level, sys_connect_by_path(name, '/') as p, connect_by_root name as r from crew start with boss_id is null connect by boss_id = prior crew_id
=: select
=> CREW_ID: crew.crew_id
=> P: ~crew.name
=> R: ~crew.name
=> (rows): crew.boss_id/filter, crew.crew_id/filter

## merge
merge into daily d using (select port, at, height from tides qualify row_number() over (partition by port order by at desc) = 1) s on d.port = s.port when matched and s.height is null then delete when matched and d.h <> s.height then update set d.h = s.height, at = s.at when not matched then insert (port, h) values (s.port, s.height)
=: merge
=> DAILY.H: tides.height
=> DAILY.AT: tides.at
=> DAILY.PORT: tides.port
=> DAILY.(rows): tides.port/window, tides.at/window, DAILY.PORT/join, tides.port/join, tides.height/filter, DAILY.H/filter

## flatten
select t.value:name::string as nm, f.value, f.index, f.this, l.value:x.y[0]::int as xy, parse_json(b.details):a.b as ab, b.details['k'][0]:z as z, get(b.details, 'q') as q, b.details:"Odd Key" as ok, try_to_number(b.details:n::string) n, object_keys(b.details) ks, b.legs[0].port::string p0, array_size(b.legs) sz, b.details:d:e as de from bookings b, lateral flatten(input => b.legs) t, lateral flatten(b.details:items, outer => true) f, table(flatten(input => t.value:sub, recursive => true)) l
=: select
=> NM: ~bookings.legs{[*].name}
=> VALUE: ~bookings.details{items[*]}
=> THIS: ~bookings.details{items[*]}
=> XY: ~bookings.legs{[*].sub[*].x.y[0]}
=> AB: ~bookings.details
=> Z: ~bookings.details{k[0].z}
=> Q: ~bookings.details
=> OK: ~bookings.details{Odd Key}
=> N: ~bookings.details{n}
=> KS: ~bookings.details
=> P0: ~bookings.legs{[0].port}
=> SZ: ~bookings.legs
=> DE: ~bookings.details{d.e}
=> (rows): bookings.legs{[*].sub[*]}/join, bookings.details{items[*]}/join

## flow
select port, height from tides ->> select port from $1 where height > 3
=: select
=> PORT: tides.port
=> (rows): tides.height/filter

## tight-spelling
select fare::int<ticket_id as a,fare::int%ticket_id as b,fare>:x as c from tickets where ticket_id=:y
=: select
=> A: ~tickets.fare, ~tickets.ticket_id
=> B: ~tickets.fare, ~tickets.ticket_id
=> C: ~tickets.fare
=> (rows): tickets.ticket_id/filter

## star-as-argument
select array_construct(*) as a, object_construct_keep_null(p.*) as o, hash_agg(*) as h from ports p
=: select
=> A: ~ports.port, ~ports.name, ~ports.island, ~ports.tide_offset
=> O: ~ports.port, ~ports.name, ~ports.island, ~ports.tide_offset
=> H: +ports.port, +ports.name, +ports.island, +ports.tide_offset

## unnest
select f.value:port::string as p, f.key from bookings, lateral flatten(input => details:legs) f
=: select
=> P: ~bookings.details{legs[*].port}
=> KEY: ~bookings.details{legs[*]}
=> (rows): bookings.details{legs[*]}/join

## update-target
update ports t set t.name = s.n from (select port, max(name) n from crew group by port) s where s.port = t.port
=: update
=> ports.name: +crew.name
=> ports.(rows): crew.port/group_by, crew.port/filter, ports.port/filter

## order-under-limit
select top 3 * from (select port from ports order by tide_offset)
=: select
=> PORT: ports.port
=> (rows): ports.tide_offset/sort

## unit-words
select dateadd(month, 1, sold_at) as a, datediff(day, sold_at, at) as b, date_trunc(week, sold_at) as c, last_day(sold_at, year) as d from tickets, refunds
=: select
=> A: ~tickets.sold_at
=> B: ~tickets.sold_at, ~refunds.at
=> C: ~tickets.sold_at
=> D: ~tickets.sold_at

## conditional-function
select decode(island, 'n', name, 's', port, tide_offset) as d from ports
=: select
=> D: ~ports.name, ~ports.port, ~ports.tide_offset, ports.island/conditional

## temp-table
create or replace temporary table f as select port as a from ports; create or replace temporary table f as select name as a from ports; insert into crew (name) select a from f
=: create_table_as, create_table_as, insert
=> crew.name: ports.name

## pivot-of-all-values
select * from (select port, berths, delayed from sailings) pivot (sum(berths) for delayed in (any order by delayed) default on null (0))
=: select
=> PORT: sailings.port
=> *: +sailings.berths, sailings.delayed/conditional
=> (rows): sailings.port/group_by

## alert-with-an-action
create alert late warehouse = w schedule = '5 minute' if (exists (select 1 from sailings where delayed)) then insert into crew (name) select port from sailings where delayed
=: create_alert, insert
=> crew.name: sailings.port
=> crew.(rows): sailings.delayed/filter

## rename-without-schema
create table made.x (a text); alter table made.x rename to y; insert into made.y select name from ports
=: create_table, alter_table, insert
=> MADE.Y.A: ports.name

## object-and-its-fields
select o:a::string as a, o:b as b from (select object_construct('a', port, 'b', name) as o from ports)
=: select
=> A: ~ports.port
=> B: ~ports.name
