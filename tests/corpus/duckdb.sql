## quoted-names
select "port" as "Where" from quoted

## strings
select 'it''s ' || name || e'\n' || $$plain$$ from ports

## parameters
select name from ports where port = $port and island = ? and tide_offset > $1

## star-except
select * exclude (berths, delayed) from sailings

## star-except
select s.* exclude delayed, p.name from sailings s join ports p on p.port = s.port

## star-replace
select * replace (lower(name) as name) from ports

## star-rename
select * rename (name as title, island as isle) from ports

## columns
select columns('.*_id') from tickets

## columns
select min(columns(* exclude (port, name, island))) from ports

## from-first
from ports

## from-first
from sailings select port, berths where delayed

## lateral-alias
select fare * 2 as twice, twice + 1 as more from tickets where twice > 10

## group-by-all
select port, delayed, sum(berths) as berths from sailings group by all

## order-by-all
select port, name from ports order by all limit 3

## qualify
select port, at, height from tides qualify row_number() over (partition by port order by height desc) = 1

## qualify
select port, rank() over (order by height) as place from tides qualify place < 3

## named-window
select fare, avg(fare) over w as usual from tickets window w as (partition by sailing_id)

## distinct-on
select distinct on (port) port, height from tides order by height desc

## aggregate-filter
select sum(fare) filter (where paid) as income, list(passenger order by sold_at) as who from tickets

## within-group
select quantile_cont(fare, 0.5) as middle, mode() within group (order by fare) as usual from tickets

## grouping-sets
select port, sum(berths) from sailings group by grouping sets ((port), ())

## struct
select {'port': port, 'who': {'name': name}} as s from ports

## struct
select x.s.port as p, x.s.who.name as n from (select {'port': port, 'who': {'name': name}} as s from ports) x

## struct
select s.* from (select {'p': port, 'n': name} as s from ports)

## struct-field
select details.passenger.name as who, details['fare'] as fare from bookings

## array
select [berths, vessel_id] as both, [berths, 2][1] as first_one from sailings

## array
select legs[1] as first_leg, legs[2:3] as more from bookings

## map
select map {'a': berths, 'b': vessel_id} as m, map([port], [berths]) as n from sailings

## list-comprehension
select [upper(leg) for leg in legs if leg <> port] as big from bookings, ports

## lambda
select list_transform(legs, leg -> leg || name) as l, list_filter(legs, (x, i) -> i > tide_offset) as m from bookings, ports

## json-path
select details -> 'passenger' ->> 'name' as who, json_extract_string(details, '$.legs[0].port') as port from bookings

## cast
select fare::decimal(10, 2) as fare, try_cast(passenger as integer) as n from tickets

## operators
select berths // 2 as half, berths ** 2 as area, name ilike 'n%' as n, port glob 'S*' as g from sailings join ports using (port)

## unnest
select booking_id, unnest(legs) as leg from bookings

## unnest
select b.booking_id, u.leg from bookings b, unnest(b.legs) as u(leg)

## asof-join
select t.fare, h.height from tickets t asof join tides h on t.passenger = h.port and t.sold_at >= h.at

## asof-join
select s.sailing_id, h.height from sailings s asof left join tides h using (port)

## semi-join
select p.name from ports p semi join sailings s on s.port = p.port

## anti-join
select p.name from ports p anti join sailings s using (port)

## positional-join
select p.name, t.height from ports p positional join tides t

## natural-join
select name, height from ports natural join tides

## lateral
select p.name, x.h from ports p, (select max(height) as h from tides t where t.port = p.port) x

## pivot
select * from (select port, delayed, berths from sailings) pivot (sum(berths) for delayed in (true as late, false as on_time))

## pivot
pivot sailings on port in ('SK', 'NH') using sum(berths) as b group by vessel_id

## pivot
pivot tickets on paid using sum(fare)

## unpivot
unpivot ports on name, island into name what value said

## unpivot
select * from tides unpivot (reading for kind in (height))

## by-name
select port, name from ports union all by name select name, crew_id, port from crew

## except
select port from ports except all select port from sailings

## files
select f.port, t.fare from 'data/fares.parquet' as f join tickets t on t.ticket_id = f.ticket_id

## files
select port, sum(berths) as berths from read_csv('sailings_*.csv', header = true) group by port

## sample
select fare from tickets tablesample reservoir(20%)

## sample
select fare from tickets using sample 10 percent (bernoulli)

## limit
select name from ports order by tide_offset limit 10 percent

## values
select a, b from (values (1, 'x')) v(a, b)

## recursive-cte
with recursive chain as (select crew_id, boss_id from crew union all select c.crew_id, k.boss_id from crew c join chain k on c.boss_id = k.crew_id) select * from chain

## table-function
select i.range, p.name from range(3) as i, ports p

## interval
select sold_at + interval 3 days as later, sold_at - interval (fare) hours as sooner from tickets

## create-table
create or replace table berth (berth_id integer primary key, port varchar, wide double, tags varchar[], place struct(x double, y double))

## create-table-as
create table late as from sailings where delayed

## temp-table
create or replace temp table recent as select port, berths from sailings; insert into ports by name select port, berths as tide_offset from recent

## insert-by-name
insert into ports by name select island as name, port from ports

## insert-or
insert or replace into ports (port, name) select port, role from crew

## upsert
insert into ports (port, tide_offset) select port, height from tides on conflict do update set tide_offset = excluded.tide_offset

## create-view
create or replace temporary view income as select s.port, sum(t.fare) as income from sailings s join tickets t using (sailing_id) group by all

## update-join
update tickets set fare = fare - r.amount from refunds r where r.ticket_id = tickets.ticket_id

## delete-join
delete from refunds using tickets t where t.ticket_id = refunds.ticket_id

## merge
merge into ports p using tides t on p.port = t.port when matched then update set tide_offset = t.height when not matched then insert (port, tide_offset) values (t.port, t.height)

## copy-in
copy ports from 'ports.parquet' (format parquet)

## copy-out
copy (select port, name from ports) to 'ports.parquet' (format parquet, partition_by (port))

## alter-table
create table t1 as select port, name from ports; alter table t1 rename name to title; alter table t1 drop column port; insert into crew (name) select title from t1

## macro
create macro double_it(x) as x * 2

## pragma
pragma table_info('ports'); attach 'other.db' as other; use other; select port from ports2; detach other

## summarize
summarize ports; describe select port from ports
