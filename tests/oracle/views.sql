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
