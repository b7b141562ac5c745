-- Queries of our own, one a paragraph, each made a view by the oracle test.

select ticket_id, fare_cents from tickets

select t.* from tickets t

select * from tickets

select *, fare_cents * 2 as doubled from tickets t where status = 'sold'

select t.ticket_id, s.departs_at from tickets t join ops.sailings s on s.sailing_id = t.sailing_id

select ticket_id, departs_at from tickets join ops.sailings using (sailing_id)

select * from tickets join refunds using (ticket_id)

select * from refunds right join tickets using (ticket_id)

select ticket_id, fare_cents, amount_cents from tickets full join refunds using (ticket_id)

select * from (select ticket_id, status from tickets) a natural join (select ticket_id, amount_cents from refunds) b

select port_id, name, height_cm from ops.ports natural left join tides

select a.name as from_name, b.name as to_name from ops.routes r cross join ops.ports a cross join ops.ports b where a.port_id = r.from_port and b.port_id = r.to_port

select p.name, v.name as vessel from ops.ports p, ops.vessels v where p.port_id = v.vessel_id

select v.name, s.departs_at from ops.vessels v left outer join ops.sailings s on s.vessel_id = v.vessel_id and s.cancelled_at is null

select route_id from ops.routes union select route_id from ops.sailings

select route_id, minutes from ops.routes union all select route_id, seats from ops.sailings

select passenger_id from passengers intersect select passenger_id from tickets

select passenger_id from passengers except select passenger_id from tickets where status = 'void'

(select sailing_id from tickets order by fare_cents limit 3) union all (select sailing_id from ops.sailings)

select route_id from ops.routes union select route_id from ops.sailings union all select reason from refunds order by 1

select count(*) from tickets

select count(*) as n, sum(fare_cents), avg(fare_cents)::numeric(10,2), min(sold_at), max(sold_at) from tickets

select status, count(*) filter (where fare_cents > 100) as dear, sum(fare_cents) filter (where channel = 'web') from tickets group by status

select channel, status, sum(fare_cents) from tickets group by grouping sets ((channel, status), (channel), ())

select channel, status, grouping(channel, status), sum(fare_cents) from tickets group by rollup (channel, status)

select channel, status, count(*) from tickets group by cube (channel, status) having sum(fare_cents) > 10

select extract(year from sold_at) as y, count(*) from tickets group by 1 order by 2 desc

select date_trunc('month', sold_at) as month, sum(fare_cents) as gross from tickets group by month order by month

select string_agg(distinct channel, ', ' order by channel) as channels from tickets

select array_agg(fare_cents order by sold_at desc) from tickets group by sailing_id

select percentile_cont(0.5) within group (order by fare_cents) as median, mode() within group (order by channel) from tickets

select ticket_id, row_number() over (partition by sailing_id order by sold_at) as nth from tickets

select ticket_id, sum(fare_cents) over w, lag(fare_cents, 1, 0) over w from tickets window w as (partition by sailing_id order by sold_at)

select ticket_id, avg(fare_cents) over (w rows between 2 preceding and current row) from tickets window w as (partition by channel order by sold_at)

select ticket_id, first_value(status) over (order by sold_at range between interval '1 day' preceding and current row exclude ties) from tickets

select rank() over (order by sum(fare_cents) desc), sailing_id from tickets group by sailing_id

select distinct channel, status from tickets

select distinct on (sailing_id) sailing_id, ticket_id, fare_cents from tickets order by sailing_id, sold_at desc

select ticket_id from tickets order by fare_cents desc limit 10 offset 5

select ticket_id from tickets order by fare_cents fetch first 5 rows with ties

select case when fare_cents > 1000 then 'dear' when fare_cents is null then status else channel end from tickets

select case status when 'sold' then fare_cents else 0 end as income from tickets

select coalesce(t.channel, r.reason), nullif(t.status, 'void'), greatest(t.fare_cents, r.amount_cents), least(1, t.fare_cents) from tickets t left join refunds r using (ticket_id)

select cast(fare_cents as numeric) / 100, fare_cents::text, (fare_cents::numeric)::int from tickets

select true, false, null::text, date '2024-01-01', interval '1 day', timestamp with time zone '2024-01-01 00:00+00', 'a'
 'b' from tickets

select -fare_cents, +fare_cents, fare_cents % 7, fare_cents ^ 2, @ fare_cents, |/ fare_cents from tickets

select full_name || ' <' || email || '>' as contact from passengers

select full_name from passengers where email like '%@%' and full_name not ilike 'a%' and full_name similar to '(a|b)%' and email !~ '^x'

select passenger_id from passengers where born_on between date '1980-01-01' and date '1990-01-01' and home_port in (1, 2, 3) and referred_by is not null

select passenger_id from passengers where (home_port, born_on) in (select port_id, opened_on from ops.ports)

select passenger_id from passengers where home_port not in (select port_id from ops.ports where island = 'North')

select passenger_id from passengers p where exists (select 1 from tickets t where t.passenger_id = p.passenger_id and t.status = 'sold')

select passenger_id from passengers p where not exists (select t.fare_cents from tickets t where t.passenger_id = p.passenger_id)

select full_name, (select count(*) from tickets t where t.passenger_id = p.passenger_id) as bought from passengers p

select full_name, (select max(fare_cents) from tickets t where t.passenger_id = p.passenger_id) from passengers p

select full_name, exists (select 1 from refunds) from passengers

select full_name, array(select fare_cents from tickets t where t.passenger_id = p.passenger_id order by sold_at) as fares from passengers p

select sailing_id from ops.sailings where seats > all (select berths from ops.vessels) or seats = any (array[1, 2, 3])

select x.total from (select sailing_id, sum(fare_cents) as total, count(*) as n from tickets group by sailing_id) x where x.n > 3

select x.a, x.b from (select ticket_id, status from tickets) as x(a, b)

select t.a, t.status from tickets as t(a, b) where t.b > 3

select s.sailing_id, top.fare_cents from ops.sailings s cross join lateral (select fare_cents from tickets t where t.sailing_id = s.sailing_id order by fare_cents desc limit 1) top

select s.sailing_id, x.n from ops.sailings s left join lateral (select count(*) as n from tickets t where t.sailing_id = s.sailing_id) x on true

with sold as (select * from tickets where status = 'sold') select sailing_id, sum(fare_cents) from sold group by sailing_id

with a as (select ticket_id, fare_cents from tickets), b as (select ticket_id, amount_cents from refunds) select a.ticket_id, a.fare_cents - coalesce(b.amount_cents, 0) as net from a left join b on a.ticket_id = b.ticket_id

with a(x, y) as (select ticket_id, status from tickets) select y, count(x) from a group by y

with unused as (select email from passengers) select ticket_id from tickets

with a as materialized (select route_id from ops.routes), b as not materialized (select route_id from a) select * from b

with recursive chain as (select crew_id, boss_id, full_name, 1 as depth from crew where boss_id is null union all select c.crew_id, c.boss_id, c.full_name, chain.depth + 1 from crew c join chain on c.boss_id = chain.crew_id) select full_name, depth from chain

with recursive days(d) as (select min(opened_on) from ops.ports union all select d + 1 from days where d < date '2030-01-01') select d, count(t.ticket_id) from days left join tickets t on t.sold_at::date = d group by d

with recursive chain as (select crew_id, boss_id from crew where boss_id is null union all select c.crew_id, c.boss_id from crew c join chain on c.boss_id = chain.crew_id) search depth first by crew_id set seq cycle crew_id set looped using path select crew_id, looped from chain

with a as (with b as (select vessel_id, name from ops.vessels) select * from b) select name from a

select * from (values (1, 'a'), (2, 'b')) as v(id, label) join ops.ports p on p.port_id = v.id

values (1, 2), (3, 4)

table ops.routes

select n, p.name from ops.ports p, generate_series(1, p.port_id) as n

select p.name, tag from ops.ports p, unnest(p.tags) as tag

select p.name, u.tag, u.nth from ops.ports p cross join unnest(p.tags) with ordinality as u(tag, nth)

select v.name, e.key, e.value from ops.vessels v, jsonb_each_text(v.specs) e

select v.name, x.length, x.engine from ops.vessels v, jsonb_to_record(v.specs) as x(length numeric, engine text)

select a.n, b.t from rows from (generate_series(1, 3), unnest(array['x', 'y'])) as a(n, m), unnest(array[1]) as b(t)

select specs -> 'engine' ->> 'maker' as maker, specs #>> '{a,b}', specs @> '{"fast": true}', specs ? 'crane' from ops.vessels

select tags[1], tags[2:3], array_length(tags, 1), array[port_id, 2] from ops.ports

select (place).lat, (p.place).lon from ops.ports p

select row(port_id, name)::text, (port_id, island)::text from ops.ports

select to_jsonb(p) from ops.ports p

select count(p) from ops.ports p

select row_to_json(x) from (select ticket_id, status from tickets) x

select json_build_object('id', ticket_id, 'fare', fare_cents) from tickets

select "Port Id", "select", "MixedCase" as x from "Odd Names"

select "o"."Port Id" from public."Odd Names" as "o" where "o"."MixedCase" > 1

select public.tickets.ticket_id, tickets.status from public.tickets

select o.fare, o.status from open_tickets o where o.sailing_id = 3

select ticket_id, fare from open_tickets union all select refund_id, amount_cents from refunds

select sold_at at time zone 'UTC', (sold_at at time zone 'UTC')::date from tickets

select trim(both ' ' from full_name), substring(full_name from 1 for 3), position('a' in full_name), overlay(full_name placing 'x' from 1), upper(left(full_name, 1)), ltrim(email) from passengers

select current_date - born_on, current_timestamp, age(born_on), now() from passengers

select full_name collate "C" from passengers order by full_name collate "C"

select status is distinct from channel, fare_cents is null, (fare_cents > 3) is not true, sold_at isnull from tickets

select not (fare_cents > 3 and status = 'sold' or channel = 'web') from tickets

select t1.ticket_id, t2.ticket_id as other from tickets t1 join tickets t2 on t1.sailing_id = t2.sailing_id and t1.ticket_id < t2.ticket_id

select c.full_name, b.full_name as boss from crew c left join crew b on b.crew_id = c.boss_id where c.pay > (select avg(pay) from crew x where x.vessel_id = c.vessel_id)

select j.name, j.minutes from (ops.routes r join ops.ports p on p.port_id = r.from_port) as j

select j.port_id from (ops.ports join tides using (port_id)) as j where j.height_cm > 3

select ju.port_id, tides.height_cm from ops.ports join tides using (port_id) as ju

select * from ops.routes r join (ops.sailings s join ops.vessels v using (vessel_id)) using (route_id)

select r.route_id from ops.routes r join ops.sailings s join ops.vessels v on v.vessel_id = s.vessel_id on s.route_id = r.route_id

select a.port_id, c.height_cm from ops.ports a join tides b using (port_id) join tides c using (port_id)

select * from tides a full join tides b using (port_id, at) full join tides c using (port_id)

select ticket_id from tickets tablesample system (10) repeatable (3)

select sum(x.n) from (select distinct sailing_id, count(*) over (partition by channel) as n from tickets) x

select max(departs_at) - min(departs_at), count(distinct vessel_id), bool_or(cancelled_at is not null), every(seats > 3) from ops.sailings

select sailing_id, fare_cents * 1.0 / nullif(sum(fare_cents) over (partition by sailing_id), 0) as share from tickets

select s.sailing_id, t.total from ops.sailings s join (select sailing_id, sum(fare_cents) total from tickets group by sailing_id) t using (sailing_id) where t.total > 100

select q.route_id, q.late from (select route_id, avg(extract(epoch from arrives_at - departs_at)) as late from ops.sailings where cancelled_at is null group by route_id having count(*) > 3) q order by q.late desc limit 5

select case when exists (select 1 from refunds r where r.ticket_id = t.ticket_id) then 'refunded' else 'kept' end as state from tickets t

select (select string_agg(r.reason, ',' order by r.refunded_at) from refunds r where r.ticket_id = t.ticket_id) as reasons from tickets t

select p.full_name from passengers p where p.home_port = (select port_id from ops.ports where name = 'Haven') and p.born_on > (select max(built_on) from ops.vessels)

select array_agg(x order by x.sold_at) from tickets x

select t.*, r.* from tickets t left join refunds r on r.ticket_id = t.ticket_id and r.amount_cents > (select avg(amount_cents) from refunds)

select 1 as one

select sailing_id + 1 as sailing_id from tickets order by sailing_id

select sum(fare_cents) as fare_cents from tickets group by channel having max(fare_cents) > 3

select channel as status, count(*) from tickets group by status, channel

select date_part('dow', departs_at) as dow, count(*) filter (where cancelled_at is not null)::numeric / count(*) as rate from ops.sailings group by date_part('dow', departs_at)

select coalesce((select name from ops.vessels v where v.vessel_id = s.vessel_id), 'none') from ops.sailings s

select x.v from (select vessel_id as v from ops.vessels union select crew_id from crew) x where x.v > 3

select ((select 1) + fare_cents), ((select 2) union (select 3) limit 1) from tickets

select t.ticket_id from tickets t where t.fare_cents >= all (select fare_cents from tickets i where i.sailing_id = t.sailing_id) for update

select regexp_replace(email, '(.*)@', '***@') as masked, md5(email) from passengers

select u.ord, u.v from passengers p, lateral (select p.passenger_id as v, 1 as ord union all select p.referred_by, 2) u

-- more, clause by clause

select p.name, p.island from ops.ports p where p.island = any (array['North', 'South'])

select (p.place).lat as lat, (p.place).lon from ops.ports p

select p.place from ops.ports p where (p.place).lat > 50

select p.tags[1] as first_tag, p.tags[2:3] as more, cardinality(p.tags) as n from ops.ports p

select v.specs -> 'engine' ->> 'kind' as engine, v.specs #> '{hull,length}' as hull, v.specs ? 'radar' as radar from ops.vessels v

select jsonb_build_object('name', v.name, 'berths', v.berths) as doc from ops.vessels v

select jsonb_object_agg(v.name, v.berths) filter (where not v.retired) as by_name from ops.vessels v

select v.name, e.key, e.value from ops.vessels v, jsonb_each(v.specs) e

select v.name, e.value ->> 'x' as x from ops.vessels v cross join lateral jsonb_array_elements(v.specs -> 'decks') with ordinality as e(value, n)

select v.name, d.n, d.kind from ops.vessels v left join lateral jsonb_to_recordset(v.specs -> 'decks') as d(n int, kind text) on d.n > 1

select route_id, from_port, to_port, rank() over (order by minutes) as fast from ops.routes

select route_id, minutes - avg(minutes) over (partition by from_port) as over_usual from ops.routes

select route_id, first_value(minutes) over w as fastest, last_value(minutes) over (w rows between unbounded preceding and unbounded following) as slowest from ops.routes window w as (partition by from_port order by minutes)

select route_id, ntile(4) over (order by distance_km) as quarter, cume_dist() over (partition by to_port order by minutes) as share from ops.routes

select route_id, sum(minutes) over (order by distance_km range between 5 preceding and 5 following exclude current row) as near from ops.routes

select route_id, count(*) over () as n, lead(minutes, 1, 0) over (order by route_id) as next_minutes from ops.routes

select s.route_id, count(*) as sailings, count(distinct s.vessel_id) as vessels from ops.sailings s group by s.route_id having count(*) > 3 and max(s.seats) < 100

select date_trunc('month', s.departs_at) as month, sum(s.seats) as seats from ops.sailings s group by 1 order by 1

select extract(isodow from s.departs_at) as day, avg(extract(epoch from s.arrives_at - s.departs_at)) as took from ops.sailings s group by extract(isodow from s.departs_at)

select s.route_id, s.vessel_id, sum(s.seats) from ops.sailings s group by rollup (s.route_id, s.vessel_id)

select s.route_id, s.vessel_id, grouping(s.route_id, s.vessel_id) as g, min(s.departs_at) from ops.sailings s group by cube (s.route_id, s.vessel_id)

select coalesce(s.route_id, 'all') as route, sum(s.seats) as seats from ops.sailings s group by grouping sets ((s.route_id), ())

select s.route_id, array_agg(s.sailing_id order by s.departs_at desc) as latest_first, array_agg(distinct s.vessel_id) as vessels from ops.sailings s group by s.route_id

select s.route_id, percentile_cont(array[0.25, 0.75]) within group (order by s.seats) as quartiles from ops.sailings s group by s.route_id

select s.route_id, rank(50) within group (order by s.seats) as place from ops.sailings s group by s.route_id

select s.route_id, bool_or(s.cancelled_at is not null) as some_cancelled, every(s.seats > 0) as all_seats from ops.sailings s group by s.route_id

select s.sailing_id, case when s.cancelled_at is null then 'sails' when s.reason = 'fog' then 'fog' else s.reason end as state from ops.sailings s

select s.sailing_id, case s.route_id when 'A' then s.seats when 'B' then s.vessel_id end as odd from ops.sailings s

select s.sailing_id, case when s.seats > (select avg(v.berths) from ops.vessels v) then s.seats else 0 end as large from ops.sailings s

select s.sailing_id, nullif(s.reason, '') as reason, greatest(s.departs_at, s.arrives_at) as later, least(s.seats, s.vessel_id) as less from ops.sailings s

select s.sailing_id, s.departs_at at time zone 'UTC' as utc, s.departs_at::date as day, age(s.arrives_at, s.departs_at) as took from ops.sailings s

select s.sailing_id, (s.departs_at, s.arrives_at) overlaps (s.cancelled_at, s.arrives_at) as o from ops.sailings s

select s.sailing_id, s.departs_at between s.cancelled_at and s.arrives_at as b, s.seats not between 1 and s.vessel_id as nb from ops.sailings s

select s.sailing_id, s.reason is distinct from s.route_id as d, s.reason is null as n, (s.seats > 3) is true as t from ops.sailings s

select s.sailing_id, s.reason like s.route_id || '%' as l, s.reason ~* s.route_id as r, s.reason similar to '%fog%' as sim from ops.sailings s

select s.sailing_id, position('fog' in s.reason) as at, substring(s.reason from 2 for 3) as part, overlay(s.reason placing 'x' from 1 for 1) as o, trim(both 'x' from s.reason) as t from ops.sailings s

select s.sailing_id, format('%s to %s', r.from_port, r.to_port) as what from ops.sailings s join ops.routes r using (route_id)

select * from ops.sailings s join ops.routes r using (route_id)

select s.*, r.minutes from ops.sailings s natural join ops.routes r

select route_id, s.seats, v.berths from ops.sailings s join ops.routes r using (route_id) join ops.vessels v using (vessel_id)

select j.route_id, j.minutes from (ops.sailings s join ops.routes r using (route_id)) as j

select x.route_id from ops.sailings s join ops.routes r using (route_id) as x

select route_id, seats, minutes from ops.sailings full join ops.routes using (route_id)

select route_id, seats, minutes from ops.sailings right join ops.routes using (route_id)

select a.name as here, b.name as there from ops.routes r join ops.ports a on a.port_id = r.from_port join ops.ports b on b.port_id = r.to_port

select a.name, b.name as other from ops.ports a cross join ops.ports b where a.port_id < b.port_id

select p.name, t.height_cm from ops.ports p left join tides t on t.port_id = p.port_id and t.height_cm > 400

select p.name, t.height_cm from ops.ports p left join lateral (select height_cm from tides t where t.port_id = p.port_id order by at desc limit 1) t on true

select p.name, x.n from ops.ports p, lateral (select count(*) as n from ops.routes r where r.from_port = p.port_id) x

select p.name, x.high, x.low from ops.ports p cross join lateral (select max(height_cm), min(height_cm) from tides t where t.port_id = p.port_id) as x(high, low)

select p.name from ops.ports p where exists (select from ops.routes r where r.from_port = p.port_id and r.minutes > 30)

select p.name from ops.ports p where not exists (select 1 from ops.routes r where p.port_id in (r.from_port, r.to_port))

select p.name from ops.ports p where p.port_id in (select r.to_port from ops.routes r where r.distance_km > 10)

select p.name from ops.ports p where (p.port_id, p.name) not in (select r.to_port, r.route_id from ops.routes r)

select p.name from ops.ports p where p.port_id > all (select r.to_port from ops.routes r where r.from_port = p.port_id)

select p.name, p.port_id = any (select r.to_port from ops.routes r) as reached from ops.ports p

select p.name, array(select r.route_id from ops.routes r where r.from_port = p.port_id order by r.minutes) as routes from ops.ports p

select p.name, (select r.route_id from ops.routes r where r.from_port = p.port_id order by r.minutes limit 1) as fastest from ops.ports p

select p.name, (select r.route_id || r.minutes from ops.routes r where r.from_port = p.port_id limit 1) as fastest from ops.ports p

select row_to_json(p) as doc from ops.ports p

select to_jsonb(x) as doc from (select p.name, p.island from ops.ports p) x

select jsonb_agg(x order by x.name) as docs from (select p.name, p.opened_on from ops.ports p) x

select p from ops.ports p

select p.name, p is null as gone from ops.ports p

select port_id, name from ops.ports union select vessel_id, name from ops.vessels

select port_id, name from ops.ports union all select vessel_id, name from ops.vessels union all select crew_id, full_name from crew

select name from ops.ports intersect select name from ops.vessels

select name from ops.ports except all select name from ops.vessels

select name from ops.ports union (select name from ops.vessels except select full_name from crew)

(select name from ops.ports order by opened_on limit 2) union all (select name from ops.vessels order by built_on desc limit 2)

select x.n from (select name as n from ops.ports union select reason from refunds) x where x.n is not null

select port_id, 'port' as kind from ops.ports union all select vessel_id, 'vessel' from ops.vessels order by 2, 1

with late as (select sailing_id, vessel_id from ops.sailings where cancelled_at is not null) select v.name, count(*) as n from late l join ops.vessels v using (vessel_id) group by v.name

with a as (select route_id, minutes from ops.routes), b as (select route_id, minutes * 2 as m from a) select b.m, a.minutes from a join b using (route_id)

with a (x, y) as (select route_id, minutes from ops.routes) select x, sum(y) as y from a group by x

with a as materialized (select * from tickets), b as not materialized (select * from a where status = 'sold') select passenger_id, sum(fare_cents) from b group by passenger_id

with a as (select fare_cents as f from tickets) select (select max(f) from a) as top, f from a

with recursive boss as (select crew_id, boss_id, full_name from crew where boss_id is null union all select c.crew_id, c.boss_id, b.full_name from crew c join boss b on b.crew_id = c.boss_id) select crew_id, full_name from boss

with recursive boss (id, way) as (select crew_id, array[full_name] from crew union all select c.crew_id, b.way || c.full_name from crew c join boss b on b.id = c.boss_id) select id, way from boss

with recursive boss as (select crew_id, boss_id from crew union select c.crew_id, b.boss_id from crew c, boss b where c.boss_id = b.crew_id) search breadth first by crew_id set nth cycle crew_id set looped using way select crew_id, boss_id, looped from boss

with recursive n (i) as (values (1) union all select i + 1 from n where i < 10) select i, p.name from n join ops.ports p on p.port_id = i

with recursive a as (select port_id from tides union all select r.to_port from ops.routes r join a on a.port_id = r.from_port) select distinct port_id from a

select n, p.name from generate_series(1, 10) as n join ops.ports p on p.port_id = n

select d::date as day, count(s.sailing_id) as n from generate_series(timestamptz '2026-01-01', timestamptz '2026-02-01', interval '1 day') d left join ops.sailings s on s.departs_at::date = d::date group by d

select p.name, tag from ops.ports p, unnest(p.tags) as tag

select p.name, u.tag, u.n from ops.ports p, unnest(p.tags) with ordinality as u(tag, n)

select p.name, u.a, u.b from ops.ports p, unnest(p.tags, array[1, 2]) as u(a, b)

select p.name, x.a, x.b, x.n from ops.ports p, rows from (unnest(p.tags), generate_series(1, p.port_id)) with ordinality as x(a, b, n)

select p.name, unnest(p.tags) as tag from ops.ports p

select p.name, r[1] as word from ops.ports p, regexp_matches(p.name, '(\w+)', 'g') as r

select p.name, w.w from ops.ports p cross join regexp_split_to_table(p.name, ' ') as w(w)

select v.name, x.lat, (x).lon from ops.vessels v, jsonb_populate_record(null::ops.position, v.specs) x

select x.port, x.nth from ops.vessels v, xmltable('/a/b' passing xmlparse(document v.name) columns nth for ordinality, port text path '@p') x

select a, b from (values (1, 'x'), (2, 'y')) as v(a, b)

select v.a, p.name from (values (1), (2)) v(a) left join ops.ports p on p.port_id = v.a

select v.x, v.y from ops.ports p, lateral (values (p.name, p.island), (p.island, p.name)) v(x, y)

select distinct island from ops.ports

select distinct on (port_id) port_id, at, height_cm from tides order by port_id, height_cm desc, at

select distinct on (p.island) p.name, p.opened_on from ops.ports p order by p.island, p.opened_on

select fare_cents from tickets order by sold_at desc limit 10 offset 5

select fare_cents from tickets order by fare_cents fetch first 3 rows with ties

select fare_cents from tickets tablesample bernoulli (10) repeatable (4)

select t.ticket_id, t.ctid, t.xmin from tickets t

select t.tableoid::regclass as which, t.ticket_id from tickets t

select ticket_id from only tickets

select "Port Id", "select" as word, "MixedCase" + 1 as m from "Odd Names"

select o."MixedCase", p.name from "Odd Names" o join ops.ports p on p.port_id = o."Port Id"

select fare, status from open_tickets

select o.fare * 2 as twice, s.seats from open_tickets o join ops.sailings s using (sailing_id)

select o from open_tickets o

select sum(o.fare) as total, s.route_id from open_tickets o join ops.sailings s on s.sailing_id = o.sailing_id group by s.route_id

select p.full_name, r.full_name as friend from passengers p left join passengers r on r.passenger_id = p.referred_by

select p.full_name, count(t.ticket_id) filter (where t.status = 'sold') as sold, sum(t.fare_cents) filter (where t.channel = 'web') as web from passengers p left join tickets t using (passenger_id) group by p.passenger_id

select p.passenger_id, p.full_name, p.email, count(*) as n from passengers p join tickets t using (passenger_id) group by p.passenger_id

select lower(split_part(p.email, '@', 2)) as domain, count(*) from passengers p group by lower(split_part(p.email, '@', 2))

select extract(year from age(p.born_on))::int / 10 * 10 as decade, count(*) from passengers p group by 1

select p.full_name, t.fare_cents, r.amount_cents, t.fare_cents - coalesce(r.amount_cents, 0) as net from passengers p join tickets t using (passenger_id) left join refunds r using (ticket_id)

select t.ticket_id, t.extras ->> 'bike' as bike, (t.extras ->> 'dogs')::int as dogs from tickets t where t.extras @> '{"car": true}'

select t.channel, jsonb_object_keys(t.extras) as key from tickets t

select t.status, string_agg(distinct t.channel, '/' order by t.channel) as channels from tickets t group by t.status

select t.status, mode() within group (order by t.channel) as usual, max(t.sold_at) filter (where t.fare_cents > 100) as last_dear from tickets t group by t.status

select t.ticket_id, row_number() over (partition by t.passenger_id order by t.sold_at) as nth, t.fare_cents::numeric / sum(t.fare_cents) over (partition by t.sailing_id) as share from tickets t

select * from (select t.*, rank() over (partition by t.sailing_id order by t.fare_cents desc) as place from tickets t) x where x.place <= 3

select x.sailing_id, x.total, x.total - lag(x.total) over (order by x.sailing_id) as more from (select sailing_id, sum(fare_cents) as total from tickets group by sailing_id) x

select sailing_id, sum(sum(fare_cents)) over (order by sailing_id) as running from tickets group by sailing_id

select sailing_id, count(*) as n, rank() over (order by count(*) desc, max(fare_cents)) as place from tickets group by sailing_id

select corr(t.fare_cents, t.sailing_id) as c, regr_slope(t.fare_cents, t.sailing_id) as s, stddev_pop(t.fare_cents) as d from tickets t

select c.full_name, b.full_name as boss, v.name as vessel from crew c left join crew b on b.crew_id = c.boss_id left join ops.vessels v on v.vessel_id = c.vessel_id

select c.rank, avg(c.pay)::numeric(10, 2) as pay, min(c.hired_on) as first_hired from crew c group by c.rank having avg(c.pay) > (select avg(pay) from crew)

select c.full_name, c.pay > avg(c.pay) over (partition by c.rank) as above from crew c

select v.name, coalesce(sum(c.pay), 0) as pay, array_length(array_agg(c.full_name), 1) as n from ops.vessels v left join crew c using (vessel_id) group by v.vessel_id

select v.name, (select string_agg(c.full_name, ', ' order by c.rank) from crew c where c.vessel_id = v.vessel_id) as crew from ops.vessels v

select v.name, (select count(*) from crew c where c.vessel_id = v.vessel_id and c.pay > (select avg(d.pay) from crew d where d.vessel_id = c.vessel_id)) as well_paid from ops.vessels v

select v.name, v.built_on + interval '30 years' as due, current_date - v.built_on as days, v.retired or v.berths is null as gone from ops.vessels v

select v.name collate "C" as name, v.berths::text || ' berths' as berths, -v.berths as minus, @ v.berths as absolute from ops.vessels v

select cast(v.berths as numeric(5, 1)) as b, v.specs::text as s, v.name::varchar(5) as n, to_char(v.built_on, 'YYYY') as y from ops.vessels v

select v.name, array[v.berths, v.vessel_id] as a, array[[v.berths], [v.vessel_id]] as b, (v.name, v.berths) = ('x', 1) as same from ops.vessels v

select r.route_id, r.distance_km / nullif(r.minutes, 0) * 60 as kmh, round(r.distance_km, 1) as km, width_bucket(r.minutes, 0, 100, 5) as bucket from ops.routes r

select r.reason, sum(r.amount_cents) as back, sum(r.amount_cents) * 100.0 / sum(sum(r.amount_cents)) over () as share from refunds r group by r.reason

select t.status, r.reason, count(*) from tickets t left join refunds r using (ticket_id) group by grouping sets ((t.status, r.reason), (t.status), ())

select to_char(r.refunded_at, 'YYYY-MM') as month, count(*) filter (where r.amount_cents > 1000) as large from refunds r group by 1 having count(*) > 1 order by 1 desc limit 12

select p.port_id, h.at, h.height_cm, h.height_cm - lag(h.height_cm) over (partition by h.port_id order by h.at) as change from ops.ports p join tides h on h.port_id = p.port_id

select p.name, max(h.height_cm) - min(h.height_cm) as span from ops.ports p join tides h using (port_id) group by p.name

select coalesce(p.name, 'nowhere') as name, x.high from ops.ports p right join (select port_id, max(height_cm) as high from tides group by port_id) x on x.port_id = p.port_id

select a.port_id, a.at, b.at as next_at from tides a join lateral (select b.at from tides b where b.port_id = a.port_id and b.at > a.at order by b.at limit 1) b on true

select s.sailing_id, h.height_cm from ops.sailings s join ops.routes r using (route_id) left join lateral (select height_cm from tides h where h.port_id = r.from_port and h.at <= s.departs_at order by h.at desc limit 1) h on true

select s.sailing_id, s.seats - count(t.ticket_id) as free from ops.sailings s left join tickets t on t.sailing_id = s.sailing_id and t.status = 'sold' group by s.sailing_id

select s.sailing_id, s.seats, sum(t.fare_cents) / nullif(count(t.*), 0) as usual from ops.sailings s left join tickets t using (sailing_id) group by s.sailing_id, s.seats

select s.sailing_id, exists (select from tickets t where t.sailing_id = s.sailing_id) as sold, (select true from tickets t where t.sailing_id = s.sailing_id and t.fare_cents > 1000 limit 1) as dear from ops.sailings s

select s.sailing_id, l.what, l.at from ops.sailings s cross join lateral (values ('departs', s.departs_at), ('arrives', s.arrives_at)) l(what, at) where l.at is not null

select s.route_id, jsonb_agg(jsonb_build_object('id', s.sailing_id, 'seats', s.seats) order by s.departs_at) as sailings from ops.sailings s group by s.route_id

select r.route_id, (select jsonb_agg(to_jsonb(s)) from ops.sailings s where s.route_id = r.route_id) as sailings from ops.routes r

select (x.p).name, (x.p).island from (select p from ops.ports p) x

select (row_to_json(p) ->> 'name') as name from ops.ports p

select x.a + x.b as c from (select t.fare_cents as a, r.amount_cents as b from tickets t, refunds r where t.ticket_id = r.ticket_id) x

select (x.y).lat as lat from (select p.place as y from ops.ports p) x(y) where false or x.y is not null and (x.y).lat > 0

select a.x, b.x as y from (select fare_cents as x, ticket_id from tickets) a join (select amount_cents as x, ticket_id from refunds) b using (ticket_id)

select sub.* from (select inner_.* from (select t.ticket_id, t.fare_cents from tickets t) inner_) sub

select count(*) as n from tickets

select count(t) as n, count(t.extras) as extras from tickets t

select max(t.sold_at) - min(t.sold_at) as span, bit_and(t.fare_cents) as bits from tickets t

select 1 as one, now() as at, current_user as who from tickets limit 1

select t.ticket_id, s.n from tickets t, (select count(*) as n from refunds) s

select t.ticket_id from tickets t where t.fare_cents = (select max(fare_cents) from tickets u where u.sailing_id = t.sailing_id)

select t.ticket_id, t.fare_cents from tickets t where t.sold_at > now() - interval '30 days' and t.status in ('sold', 'used') and t.channel is not null

select t.ticket_id, coalesce(t.channel, (select 'x' || r.reason from refunds r where r.ticket_id = t.ticket_id limit 1), t.status) as how from tickets t

select xmlelement(name port, xmlattributes(p.island as island), p.name) as x, xmlforest(p.name as n) as f, xmlserialize(content xmlelement(name a, p.name) as text) as s from ops.ports p

select p.name, xmlexists('/a' passing xmlparse(content p.name)) as has from ops.ports p

select o.status, (o).fare from open_tickets o

select x.o from (select o from open_tickets o) x where (x.o).fare > 3

select c.full_name || ' of ' || coalesce(v.name, 'nowhere') as who from crew c left join ops.vessels v on v.vessel_id = c.vessel_id where c.pay is not null order by c.pay desc nulls last limit 3

select upper(left(p.full_name, 1)) as letter, count(*) as n, max(p.born_on) as youngest from passengers p where p.email ilike '%@%' group by upper(left(p.full_name, 1))

select t.sailing_id, sum(t.fare_cents) filter (where t.status = 'sold') - coalesce(sum(r.amount_cents), 0) as net from tickets t left join refunds r on r.ticket_id = t.ticket_id group by t.sailing_id

select p.name, h.day, h.high from ops.ports p join (select port_id, at::date as day, max(height_cm) as high from tides group by 1, 2) h using (port_id) where h.high > 300
