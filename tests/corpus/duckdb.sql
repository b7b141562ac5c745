## quoted-names
select "port" as "Where" from quoted
=: select
=> Where: quoted.port

## strings
select 'it''s ' || name || e'\n' || $$plain$$ from ports
=: select
=> ('it''s ' || name || e'\n' || $$plain$$): ~ports.name

## parameters
select name from ports where port = $port and island = ? and tide_offset > $1
=: select
=> name: ports.name
=> (rows): ports.port/filter, ports.island/filter, ports.tide_offset/filter

## star-except
select * exclude (berths, delayed) from sailings
=: select
=> sailing_id: sailings.sailing_id
=> port: sailings.port
=> departs_at: sailings.departs_at
=> vessel_id: sailings.vessel_id

## star-except
select s.* exclude delayed, p.name from sailings s join ports p on p.port = s.port
=: select
=> sailing_id: sailings.sailing_id
=> port: sailings.port
=> departs_at: sailings.departs_at
=> vessel_id: sailings.vessel_id
=> berths: sailings.berths
=> name: ports.name
=> (rows): ports.port/join, sailings.port/join

## star-replace
select * replace (lower(name) as name) from ports
=: select
=> port: ports.port
=> name: ~ports.name
=> island: ports.island
=> tide_offset: ports.tide_offset

## star-rename
select * rename (name as title, island as isle) from ports
=: select
=> port: ports.port
=> title: ports.name
=> isle: ports.island
=> tide_offset: ports.tide_offset

## columns
select columns('.*_id') from tickets
=: select
=> ticket_id: tickets.ticket_id
=> sailing_id: tickets.sailing_id

## columns
select min(columns(* exclude (port, name, island))) from ports
=: select
=> tide_offset: +ports.tide_offset

## from-first
from ports
=: select
=> port: ports.port
=> name: ports.name
=> island: ports.island
=> tide_offset: ports.tide_offset

## from-first
from sailings select port, berths where delayed
=: select
=> port: sailings.port
=> berths: sailings.berths
=> (rows): sailings.delayed/filter

## lateral-alias
select fare * 2 as twice, twice + 1 as more from tickets where twice > 10
=: select
=> twice: ~tickets.fare
=> more: ~tickets.fare
=> (rows): tickets.fare/filter

## group-by-all
select port, delayed, sum(berths) as berths from sailings group by all
=: select
=> port: sailings.port
=> delayed: sailings.delayed
=> berths: +sailings.berths
=> (rows): sailings.port/group_by, sailings.delayed/group_by

## order-by-all
select port, name from ports order by all limit 3
=: select
=> port: ports.port
=> name: ports.name
=> (rows): ports.port/sort, ports.name/sort

## qualify
select port, at, height from tides qualify row_number() over (partition by port order by height desc) = 1
=: select
=> port: tides.port
=> at: tides.at
=> height: tides.height
=> (rows): tides.port/window, tides.height/window

## qualify
select port, rank() over (order by height) as place from tides qualify place < 3
=: select
=> port: tides.port
=> place: tides.height/window
=> (rows): tides.height/window

## named-window
select fare, avg(fare) over w as usual from tickets window w as (partition by sailing_id)
=: select
=> fare: tickets.fare
=> usual: +tickets.fare, tickets.sailing_id/window

## distinct-on
select distinct on (port) port, height from tides order by height desc
=: select
=> port: tides.port
=> height: tides.height
=> (rows): tides.port/group_by, tides.height/sort

## aggregate-filter
select sum(fare) filter (where paid) as income, list(passenger order by sold_at) as who from tickets
=: select
=> income: +tickets.fare, tickets.paid/filter
=> who: +tickets.passenger, tickets.sold_at/sort

## within-group
select quantile_cont(fare, 0.5) as middle, mode() within group (order by fare) as usual from tickets
=: select
=> middle: +tickets.fare
=> usual: +tickets.fare

## grouping-sets
select port, sum(berths) from sailings group by grouping sets ((port), ())
=: select
=> port: sailings.port
=> sum(berths): +sailings.berths
=> (rows): sailings.port/group_by

## struct
select {'port': port, 'who': {'name': name}} as s from ports
=: select
=> s: ~ports.port, ~ports.name

## struct
select x.s.port as p, x.s.who.name as n from (select {'port': port, 'who': {'name': name}} as s from ports) x
=: select
=> p: ports.port
=> n: ports.name

## struct
select s.* from (select {'p': port, 'n': name} as s from ports)
=: select
=> p: ports.port
=> n: ports.name

## struct-field
select details.passenger.name as who, details['fare'] as fare from bookings
=: select
=> who: ~bookings.details{passenger.name}
=> fare: ~bookings.details{fare}

## array
select [berths, vessel_id] as both, [berths, 2][1] as first_one from sailings
=: select
=> both: ~sailings.berths, ~sailings.vessel_id
=> first_one: ~sailings.berths

## array
select legs[1] as first_leg, legs[2:3] as more from bookings
=: select
=> first_leg: ~bookings.legs{[1]}
=> more: ~bookings.legs

## map
select map {'a': berths, 'b': vessel_id} as m, map([port], [berths]) as n from sailings
=: select
=> m: ~sailings.berths, ~sailings.vessel_id
=> n: ~sailings.port, ~sailings.berths

## list-comprehension
select [upper(leg) for leg in legs if leg <> port] as big from bookings, ports
=: select
=> big: ~bookings.legs, ports.port/conditional

## lambda
select list_transform(legs, leg -> leg || name) as l, list_filter(legs, (x, i) -> i > tide_offset) as m from bookings, ports
=: select
=> l: ~bookings.legs, ~ports.name
=> m: ~bookings.legs, ~ports.tide_offset

## json-path
select details -> 'passenger' ->> 'name' as who, json_extract_string(details, '$.legs[0].port') as port from bookings
=: select
=> who: ~bookings.details{passenger.name}
=> port: ~bookings.details{legs[0].port}

## cast
select fare::decimal(10, 2) as fare, try_cast(passenger as integer) as n from tickets
=: select
=> fare: ~tickets.fare
=> n: ~tickets.passenger

## operators
select berths // 2 as half, berths ** 2 as area, name ilike 'n%' as n, port glob 'S*' as g from sailings join ports using (port)
=: select
=> half: ~sailings.berths
=> area: ~sailings.berths
=> n: ~ports.name
=> g: ~sailings.port
=> (rows): sailings.port/join, ports.port/join

## unnest
select booking_id, unnest(legs) as leg from bookings
=: select
=> booking_id: bookings.booking_id
=> leg: ~bookings.legs
=> (rows): bookings.legs/join

## unnest
select b.booking_id, u.leg from bookings b, unnest(b.legs) as u(leg)
=: select
=> booking_id: bookings.booking_id
=> leg: ~bookings.legs{[*]}
=> (rows): bookings.legs{[*]}/join

## asof-join
select t.fare, h.height from tickets t asof join tides h on t.passenger = h.port and t.sold_at >= h.at
=: select
=> fare: tickets.fare
=> height: tides.height
=> (rows): tickets.passenger/join, tides.port/join, tickets.sold_at/join, tides.at/join

## asof-join
select s.sailing_id, h.height from sailings s asof left join tides h using (port)
=: select
=> sailing_id: sailings.sailing_id
=> height: tides.height
=> (rows): sailings.port/join, tides.port/join

## semi-join
select p.name from ports p semi join sailings s on s.port = p.port
=: select
=> name: ports.name
=> (rows): sailings.port/join, ports.port/join

## anti-join
select p.name from ports p anti join sailings s using (port)
=: select
=> name: ports.name
=> (rows): ports.port/join, sailings.port/join

## positional-join
select p.name, t.height from ports p positional join tides t
=: select
=> name: ports.name
=> height: tides.height

## natural-join
select name, height from ports natural join tides
=: select
=> name: ports.name
=> height: tides.height
=> (rows): ports.port/join, tides.port/join

## lateral
select p.name, x.h from ports p, (select max(height) as h from tides t where t.port = p.port) x
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
pivot sailings on port in ('SK', 'NH') using sum(berths) as b group by vessel_id
=: select
=> vessel_id: sailings.vessel_id
=> SK_b: +sailings.berths, sailings.port/conditional
=> NH_b: +sailings.berths, sailings.port/conditional
=> (rows): sailings.vessel_id/group_by

## pivot
pivot tickets on paid using sum(fare)
=: select
=> ticket_id: tickets.ticket_id
=> sailing_id: tickets.sailing_id
=> sold_at: tickets.sold_at
=> passenger: tickets.passenger
=> *: +tickets.fare, tickets.paid/conditional
=> (rows): tickets.ticket_id/group_by, tickets.sailing_id/group_by, tickets.sold_at/group_by, tickets.passenger/group_by

## unpivot
unpivot ports on name, island into name what value said
=: select
=> port: ports.port
=> tide_offset: ports.tide_offset
=> said: ports.name, ports.island
=> (rows): ports.name/filter, ports.island/filter

## unpivot
select * from tides unpivot (reading for kind in (height))
=: select
=> port: tides.port
=> at: tides.at
=> reading: tides.height
=> (rows): tides.height/filter

## by-name
select port, name from ports union all by name select name, crew_id, port from crew
=: select
=> port: ports.port, crew.port
=> name: ports.name, crew.name
=> crew_id: crew.crew_id

## except
select port from ports except all select port from sailings
=: select
=> port: ports.port
=> (rows): sailings.port/filter, ports.port/group_by

## files
select f.port, t.fare from 'data/fares.parquet' as f join tickets t on t.ticket_id = f.ticket_id
=: select
=> port: data/fares.parquet.port
=> fare: tickets.fare
=> (rows): tickets.ticket_id/join, data/fares.parquet.ticket_id/join

## files
select port, sum(berths) as berths from read_csv('sailings_*.csv', header = true) group by port
=: select
=> port: sailings_*.csv.port
=> berths: +sailings_*.csv.berths
=> (rows): sailings_*.csv.port/group_by

## sample
select fare from tickets tablesample reservoir(20%)
=: select
=> fare: tickets.fare

## sample
select fare from tickets using sample 10 percent (bernoulli)
=: select
=> fare: tickets.fare

## limit
select name from ports order by tide_offset limit 10 percent
=: select
=> name: ports.name
=> (rows): ports.tide_offset/sort

## values
select a, b from (values (1, 'x')) v(a, b)
=: select

## recursive-cte
with recursive chain as (select crew_id, boss_id from crew union all select c.crew_id, k.boss_id from crew c join chain k on c.boss_id = k.crew_id) select * from chain
=: select
=> crew_id: crew.crew_id
=> boss_id: crew.boss_id
=> (rows): crew.boss_id/join, crew.crew_id/join

## table-function
select i.range, p.name from range(3) as i, ports p
=: select
=> name: ports.name

## interval
select sold_at + interval 3 days as later, sold_at - interval (fare) hours as sooner from tickets
=: select
=> later: ~tickets.sold_at
=> sooner: ~tickets.sold_at, ~tickets.fare

## create-table
create or replace table berth (berth_id integer primary key, port varchar, wide double, tags varchar[], place struct(x double, y double))
=: create_table

## create-table-as
create table late as from sailings where delayed
=: create_table_as
=> late.sailing_id: sailings.sailing_id
=> late.port: sailings.port
=> late.departs_at: sailings.departs_at
=> late.vessel_id: sailings.vessel_id
=> late.berths: sailings.berths
=> late.delayed: sailings.delayed
=> late.(rows): sailings.delayed/filter

## temp-table
create or replace temp table recent as select port, berths from sailings; insert into ports by name select port, berths as tide_offset from recent
=: create_table_as, insert
=> ports.port: sailings.port
=> ports.tide_offset: sailings.berths

## insert-by-name
insert into ports by name select island as name, port from ports
=: insert
=> ports.name: ports.island
=> ports.port: ports.port

## insert-or
insert or replace into ports (port, name) select port, role from crew
=: insert
=> ports.port: crew.port
=> ports.name: crew.role

## upsert
insert into ports (port, tide_offset) select port, height from tides on conflict do update set tide_offset = excluded.tide_offset
=: insert
=> ports.port: tides.port
=> ports.tide_offset: tides.height
=> ports.(rows): tides.port/join, tides.height/join

## create-view
create or replace temporary view income as select s.port, sum(t.fare) as income from sailings s join tickets t using (sailing_id) group by all
=: create_view

## update-join
update tickets set fare = fare - r.amount from refunds r where r.ticket_id = tickets.ticket_id
=: update
=> tickets.fare: ~tickets.fare, ~refunds.amount
=> tickets.(rows): refunds.ticket_id/filter, tickets.ticket_id/filter

## delete-join
delete from refunds using tickets t where t.ticket_id = refunds.ticket_id
=: delete
=> refunds.(rows): tickets.ticket_id/filter, refunds.ticket_id/filter

## merge
merge into ports p using tides t on p.port = t.port when matched then update set tide_offset = t.height when not matched then insert (port, tide_offset) values (t.port, t.height)
=: merge
=> ports.tide_offset: tides.height
=> ports.port: tides.port
=> ports.(rows): ports.port/join, tides.port/join

## copy-in
copy ports from 'ports.parquet' (format parquet)
=: copy
=> ports.port: ports.parquet.port
=> ports.name: ports.parquet.name
=> ports.island: ports.parquet.island
=> ports.tide_offset: ports.parquet.tide_offset

## copy-out
copy (select port, name from ports) to 'ports.parquet' (format parquet, partition_by (port))
=: copy
=> ports.parquet.port: ports.port
=> ports.parquet.name: ports.name

## alter-table
create table t1 as select port, name from ports; alter table t1 rename name to title; alter table t1 drop column port; insert into crew (name) select title from t1
=: create_table_as, alter_table, alter_table, insert
=> t1.title: ports.name
=> crew.name: t1.title

## macro
create macro double_it(x) as x * 2; select double_it(fare) as twice from tickets
=: create_function, select
=> twice: ~tickets.fare

## pragma
pragma table_info('ports'); attach 'other.db' as other; use other; select port from ports2; detach other
=: pragma, attach, use, select, detach
=> port: other.ports2.port

## summarize
summarize ports; describe select port from ports
=: summarize, describe

## method-call
select name.upper() as u, name.list_max() as m, ports.name.lower() as l, upper(name).lower().trim() as x, (name || island).upper() as y from ports
=: select
=> u: ~ports.name
=> m: ~ports.name
=> l: ~ports.name
=> x: ~ports.name
=> y: ~ports.name, ~ports.island

## columns
select columns(*)+1, columns('port|name') from ports
=: select
=> port: ~ports.port, ports.port
=> name: ~ports.name, ports.name
=> island: ~ports.island
=> tide_offset: ~ports.tide_offset

## columns
select columns('ti.*') + 1 from ports
=: select
=> tide_offset: ~ports.tide_offset

## columns
select columns(c -> c like 't%') from ports
=: select
=> tide_offset: ports.tide_offset

## columns
select columns(c -> length(c) < 5) from ports
=: select
=> port: ports.port
=> name: ports.name

## columns
select * like 't%' from ports
=: select
=> tide_offset: ports.tide_offset

## columns
select * not like 't%' from ports
=: select
=> port: ports.port
=> name: ports.name
=> island: ports.island

## columns
select * similar to 't.*' from ports
=: select
=> port: ports.port
=> tide_offset: ports.tide_offset

## ordinals
select #1 as a, #2 from ports order by #1
=: select
=> a: ports.port
=> name: ports.name

## unit-words
select date_diff(day, d) from (select sold_at as d, sold_at as day from tickets) t
=: select
=> date_diff(day, d): ~tickets.sold_at

## pivot
pivot ports on island in ('a'), name using max(tide_offset) as m, count(*) group by port
=: select
=> port: ports.port
=> *: +ports.tide_offset, ports.island/conditional, ports.name/conditional
=> (rows): ports.port/group_by

## prefix-alias
select n: name, port from p: ports where n = 'x'
=: select
=> n: ports.name
=> port: ports.port
=> (rows): ports.name/filter

## table-function
from query_table('ports') select name; select * from query('select 1')
=: select, select
=> name: ports.name

## sample
select * from ports limit 40%; select * from ports using sample 10%; select * from ports using sample reservoir(50 rows) repeatable (3)
=: select, select, select
=> port: ports.port
=> name: ports.name
=> island: ports.island
=> tide_offset: ports.tide_offset

## ordered-aggregate
select list(name order by port) over (partition by island order by port) as l, first_value(name order by port) over (partition by island) as f, sum(tide_offset order by port) filter (island = 'x') as s from ports
=: select
=> l: +ports.name, ports.port/sort, ports.island/window, ports.port/window
=> f: ~ports.name, ports.port/sort, ports.island/window
=> s: +ports.tide_offset, ports.port/sort, ports.island/filter

## struct
select struct_extract(s, 'a') as x, s['b'] as y, s.a from (select {'a': port, 'b': name} as s from ports)
=: select
=> x: ~ports.port
=> y: ~ports.name
=> a: ports.port

## struct
select unnest(s), unnest([1,2]) as n from (select {'a': port, 'b': name} as s from ports)
=: select
=> a: ports.port
=> b: ports.name

## temporary-self-update
create temp table f as select port, name from ports; update f set port = name; insert into sailings (port) select port from f
=: create_table_as, update, insert
=> sailings.port: ports.name

## tight-spelling
select fare::int<ticket_id as a,fare::int%ticket_id as b,fare::int>$1 as c,fare<=?as d from tickets
=: select
=> a: ~tickets.fare, ~tickets.ticket_id
=> b: ~tickets.fare, ~tickets.ticket_id
=> c: ~tickets.fare
=> d: ~tickets.fare

## star-as-argument
select coalesce(*columns(*)) as c, count(*) as n from (select port, name from ports)
=: select
=> c: ~ports.port, ~ports.name

## columns
select min(columns(*)), max(columns('port|name')) from ports
=: select
=> port: +ports.port
=> name: +ports.name
=> island: +ports.island
=> tide_offset: +ports.tide_offset

## columns
select columns(* exclude (port, island)) from ports
=: select
=> name: ports.name
=> tide_offset: ports.tide_offset

## columns
select port from ports where columns(['name', 'island']) is not null
=: select
=> port: ports.port
=> (rows): ports.name/filter, ports.island/filter

## columns
select columns(* replace (upper(name) as name)) from ports
=: select
=> port: ports.port
=> name: ~ports.name
=> island: ports.island
=> tide_offset: ports.tide_offset

## method-call
select legs.list_transform(x -> x.port).list_sort() as l, details.json_extract('$.a') as d from bookings
=: select
=> l: ~bookings.legs
=> d: ~bookings.details

## unnest
select unnest([{'a': port, 'b': name}, {'a': island, 'b': port}], recursive := true) from ports
=: select
=> a: ports.port, ports.island
=> b: ports.name, ports.port

## update-target
update ports as p set name = c.name from crew c where c.port = p.port returning p.port
=: update
=> ports.name: crew.name
=> ports.(rows): crew.port/filter, ports.port/filter

## order-under-limit
select * from (select port from ports order by tide_offset desc) limit 5
=: select
=> port: ports.port
=> (rows): ports.tide_offset/sort

## sequences
insert into ports (port, tide_offset) select port, nextval('s') from tides
=: insert
=> ports.port: tides.port

## temp-table
create temp table f as select * from ports; create temp table g as select * from f where tide_offset > 1; insert into crew (port, name) select port, name from g
=: create_table_as, create_table_as, insert
=> crew.port: ports.port
=> crew.name: ports.name
=> crew.(rows): ports.tide_offset/filter

## columns
select columns(c -> c <= 'name') from ports
=: select
=> name: ports.name
=> island: ports.island

## columns
select columns(c -> c >= 'port' or c = 'island'), columns(c -> c <> 'port' and c < 'port') from ports
=: select
=> port: ports.port
=> island: ports.island
=> tide_offset: ports.tide_offset
=> name: ports.name

## choice-of-names-by-length
select columns(c -> length(c) < 7) from crew
=: select
=> name: crew.name
=> role: crew.role
=> port: crew.port

## choice-of-names-before
select columns(c -> c < 'name') from ports
=: select
=> island: ports.island

## choice-of-names-up-to
select columns(c -> c <= 'name') from ports
=: select
=> name: ports.name
=> island: ports.island

## struct-with-a-name-behind-a-colon
select {'a':port, b: name} as s from ports
=: select
=> s: ~ports.port, ~ports.name

## lambda-of-two
select list_reduce(legs, lambda x, y: x + y) as n from bookings
=: select
=> n: ~bookings.legs

## settings-behind-a-query
select port from ports order by all desc nulls last
=: select
=> port: ports.port

## limit-by-share
select port from ports limit 40 percent
=: select
=> port: ports.port

## function-of-a-table
create macro made(x) as table select name from ports where port = x; insert into crew (name) select name from made('SK')
=: create_function, insert
=> name: ports.name
=> (rows): ports.port/filter
=> crew.name: ports.name
=> crew.(rows): ports.port/filter

## star-without-a-column-of-one-table
select * exclude (ports.name) from ports join crew using (port)
=: select
=> port: ports.port
=> island: ports.island
=> tide_offset: ports.tide_offset
=> crew_id: crew.crew_id
=> name: crew.name
=> role: crew.role
=> boss_id: crew.boss_id
=> (rows): ports.port/join, crew.port/join

## columns-by-glob
select * glob 'ti*' from ports
=: select
=> tide_offset: ports.tide_offset

## choice-in-a-list
select columns(c -> c in ('port', 'name')) from ports
=: select
=> port: ports.port
=> name: ports.name

## choice-not-in-a-list
select columns(c -> c not in ('port', 'name')) from ports
=: select
=> island: ports.island
=> tide_offset: ports.tide_offset

## choice-that-is-not
select columns(c -> not (c like 'p%')) from ports
=: select
=> name: ports.name
=> island: ports.island
=> tide_offset: ports.tide_offset

## choice-by-both
select columns(c -> c like '%t' and not starts_with(c, 'x')) from ports
=: select
=> port: ports.port
=> tide_offset: ports.tide_offset

## choice-that-cannot-be-known
select columns(c -> made(c)) from ports
=: select
=! star_of_expression
=> port: ports.port
=> name: ports.name
=> island: ports.island
=> tide_offset: ports.tide_offset

## renamed-by-a-pattern
select columns('(p)ort|(n)ame') as 'x_\1' from ports
=: select
=> x_p: ports.port
=> x_: ports.name
