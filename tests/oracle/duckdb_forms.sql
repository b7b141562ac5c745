select columns(*) from sailings s
select columns('d.*') from sailings s
select max(columns('d.*')) from sailings s
select columns(* exclude (port)) from sailings s
select columns(* exclude port)::varchar from sailings s
select columns(['id','port']) || 'x' as y from sailings s
select columns(lambda c: c like 'd%') from sailings s
select coalesce(*columns('berths|delay')) as c from sailings s
select * exclude (id) replace (berths + delay as berths) from sailings s
select s.* exclude (id), t.* replace (fare*2 as fare) from sailings s join tickets t on t.sailing = s.id
select * like 'd%' from sailings s
select * not like 'd%' from sailings s
select * similar to 'd.*' from sailings s
select #2 as p, #3 from sailings s
select id, x: berths + delay, y: port from sailings s
select z.id, z.port from z: sailings
from sailings s select port, berths where delay > 1
from sailings s
from sailings s select *
select who.name, who.age from bookings b
select b.who.age + 1 as x from bookings b
select unnest(legs) as l, id from bookings b
select unnest(ls) as l from bookings b
select id, u.* from bookings b, unnest(b.ls) as u
select id, u.a from bookings b, unnest(b.ls) as t(u)
select id, u.b as q from bookings b cross join lateral (select unnest(b.ls) as u)
select id, l from bookings b, lateral (select unnest(legs) as l) x
select id, k from bookings b, unnest(map_keys(m)) as t(k)
select m['a'] as x, m['b'] as y, element_at(m, 'a') as z, map_keys(m) as k, cardinality(m) as c from bookings b
select legs[1] as a, legs[1:2] as b, legs[-1] as c, len(legs) as d, list_sum(legs) as e, legs[id] as f from bookings b
select list_transform(legs, lambda x: x + id) as a, list_filter(legs, lambda x: x > id) as b, list_reduce(legs, lambda x, y: x + y, 0) as c from bookings b
select [x * 2 for x in legs if x > id] as l from bookings b
select [x + id for x in legs] as l from bookings b
select list_zip(legs, legs) as z, array_contains(legs, id) as c, list_distinct(legs) as d, legs || [id] as e from bookings b
select ls[1].a as a, ls[1].b as bb, [x.a for x in ls] as c from bookings b
select list_transform(ls, lambda x: x.b) as l from bookings b
select struct_pack(a := id, b := legs) as s, {'x': id, 'y': who.name} as t, row(id, legs) as r, struct_insert(who, z := id) as i, struct_extract(who, 'age') as e from bookings b
select x.s.a, x.s.c.y from (select {'a': id, 'c': {'x': legs, 'y': who.name}} as s from bookings b) x
select s.a from (select {'a': id, 'c': legs} as s from bookings b)
select s.* from (select {'a': id, 'c': legs} as s from bookings b)
select j->'a' as x, j->>'$.b' as y, json_extract(j, '$.a') as z, json_extract_string(j, ['a','b']) as w, j.a as v from bookings b
select who.name.upper() as u, who.name.lower().length() as l, legs.list_sum() as ss, ('x' || who.name).reverse() as r from bookings b
select port.upper() as u, berths.add(delay) as a, port.substr(1, 1).lower() as q from sailings s
select s.port.upper() as u from sailings s
select id from sailings s where port.length() > 1 and columns('berths|delay') > 0
select id, port from sailings s order by all
select port, sum(berths) as x from sailings s group by all
select port, berths + delay as x, sum(id) as y from sailings s group by all having sum(id) > 0
select port, berths, count(*) as n from sailings s group by port, rollup (berths)
select id, berths from sailings s qualify row_number() over (partition by port order by delay desc, id) = 1
select id, sum(berths) over w as x, avg(delay) over (w rows between 1 preceding and current row) as y from sailings s window w as (partition by port order by id)
select id, first_value(port order by delay) over (partition by berths) as f from sailings s
select list(port order by delay, id) as l, string_agg(port, ',' order by berths) as a, arg_min(port, delay) as m, max(port, 2) as x2, first(port order by id desc) as f, array_agg(distinct berths order by berths) as d, sum(berths) filter (delay > 1) as ff, histogram(berths) as h, count(distinct port) as c from sailings s
select id, lag(port, 1, 'x') over (order by day, id) as l, ntile(2) over (order by berths, id) as n, rank() over (order by delay) as r, cume_dist() over (order by berths) as c, nth_value(port, 2) over (order by id) as v from sailings s
select distinct on (port) port, berths, id from sailings s order by port, berths, id
select distinct port from sailings s
select * from sailings s limit 2
select * from sailings s order by berths limit 1 offset 1
select * from (select * from sailings s order by berths desc, id) limit 1
select * from sailings s order by delay, id limit 40%
select * from sailings s tablesample 100%
select * from sailings s using sample 100%
pivot sailings on delay in (0, 1, 2) using sum(berths) group by port
pivot sailings on delay in (0, 1) using sum(berths) as s, max(id) as m group by port
pivot (select port, berths, delay from sailings s) on delay in (0, 1) using first(berths)
pivot sailings on port in ('SK', 'NH'), delay in (0, 1) using sum(berths) group by id
select * from (select port, berths, delay from sailings s) pivot (sum(berths) for delay in (0, 1))
select * from (select port, berths, delay, id from sailings s) pivot (sum(berths) as sb, max(id) for delay in (0, 1) group by port)
unpivot (select id, berths, delay from sailings s) on berths, delay into name n value v
unpivot sailings on columns('berths|delay') into name n value v
unpivot sailings on (berths, id) as a, (delay, id) as b into name n value v, w
select * from (select id, berths, delay from sailings s) unpivot (v for n in (berths, delay))
select * from sailings s unpivot include nulls (v for n in (berths as 'x', delay as 'y'))
select s.id, t.fare from sailings s asof join tickets t on s.id >= t.sailing
select s.id, t.fare from sailings s asof left join tickets t on s.day >= t.ts and t.sailing = s.id
select s.id, t.fare from sailings s left join tickets t on t.sailing = s.id and t.paid
select s.id, t.fare from sailings s full join tickets t on t.sailing = s.id
select s.id from sailings s semi join tickets t on t.sailing = s.id
select s.id from sailings s anti join tickets t on t.sailing = s.id
select s.port, t.fare from sailings s positional join tickets t
select * from sailings s natural join (select id, fare from tickets t)
select id, port, fare from sailings s join tickets t using (id)
select id from sailings s union all by name select fare as id, sailing as x from tickets t
select id, port from sailings s union by name select port, id from sailings s
select id from sailings s except select sailing from tickets t
select id from sailings s intersect all select sailing from tickets t
select id, (select max(fare) from tickets t where t.sailing = s.id) as m from sailings s
select id, exists(select 1 from tickets t where t.sailing = s.id and t.paid) as e from sailings s
select id, id in (select sailing from tickets t where fare > 1) as e, berths = any(select fare from tickets t) as a, berths > all(select fare from tickets t) as b2 from sailings s
select id, array(select fare from tickets t where sailing = s.id order by id) as a from sailings s
select x.* from sailings s, lateral (select s.berths + 1 as b1, s.port as p1) x
select s.id, f.f from sailings s, (select max(fare) as f from tickets t where t.sailing = s.id) f
with a as (select id, berths from sailings s), c(x, y) as (select * from a) select y, x from c
with a as materialized (select port p, count(*) n from sailings s group by p) select p, n from a where n > 1
with recursive r(i, b) as (select id, berths from sailings s where id = 1 union all select r.i + 1, s.berths from r join sailings s on s.id = r.i + 1) select i, b from r
with recursive r(i, b) using key (i) as (select id, berths from sailings s union select i, b + 1 from r where b < 3) select * from r
select case when delay > 1 then berths else id end as c, case port when 'SK' then berths end as d, if(delay > 1, berths, id) as i, nullif(berths, delay) as n, coalesce(berths, delay) as co, ifnull(berths, 1) as f, greatest(berths, delay) as g, berths between delay and id as bt, port in ('SK', 'LO') as inn, port like 'S%' as lk, port glob 'S*' as gl, port ~ 'S.' as rg, port similar to 'S.' as st, not delay > 1 as nt, berths is distinct from delay as ds, -berths as ng, berths // 2 as dv, berths ** 2 as pw, berths % 2 as md, berths::varchar || port as ct, try_cast(port as int) as tc, cast(day as varchar) as dc from sailings s
select extract(year from day) as y, date_part('month', day) as m, day + interval 1 day as d1, day - interval (delay) day as d2, date_trunc('month', day) as dt, strftime(day, '%Y') as sf, date_diff('day', day, date '2020-01-01') as dd, year(day) as yy, day::timestamp as ts, day > '2019-01-01' as c, age(day) is null as ag, make_date(2020, 1, berths+1) as md, epoch(ts) as ep from sailings s join tickets t on t.id = s.id
select substring(port, 1, 1) as a, port[1] as b, port[1:1] as c, left(port, 1) as d, trim(both 'S' from port) as e, position('K' in port) as f, replace(port, 'S', 'T') as g, split_part(port, 'K', 1) as h, concat(port, berths) as i, concat_ws('-', port, berths) as k, format('{} {}', port, berths) as l, printf('%s', port) as m, md5(port) as n, regexp_replace(port, 'S', 'x') as o, string_split(port, 'K') as p, port || berths || delay as q, hash(port, delay) as r, strlen(port) as t2 from sailings s
select generate_series(1, berths) as g, range(delay) as r from sailings s
select s.id, g.generate_series as x from sailings s, generate_series(1, s.berths) g
select s.id, r.i from sailings s, range(s.delay) r(i)
select id, unnest(range(berths)) as u from sailings s
select sum(berths) as x from sailings s having max(delay) > 0
select max(berths) over () - berths as d from sailings s
select a.id, b2.port from sailings a, sailings b2 where a.id = b2.id and b2.delay > 0
select t.id as tid, s.* exclude id from tickets t join sailings s on s.id = t.sailing where paid
select distinct s.port, t.paid from sailings s, tickets t
select count(*) as n, count(berths) as m from sailings s where delay > 1
select any_value(port) as p, mode(berths) as m, quantile_disc(berths, 0.5) as q, approx_count_distinct(port) as a, bool_and(delay > 0) as b3, product(berths) as p2, stddev(berths) as sd, corr(berths, delay) as co, entropy(port) as e, favg(berths) as fv, bit_xor(berths) as bx, list_concat(list(berths), list(delay)) as lc, min_by(port, berths) as mb from sailings s
select grouping(port) as g, port, sum(berths) as b from sailings s group by cube (port)
select port, list(struct_pack(i := id, d := delay)) as l from sailings s group by port
select l[1].i as x from (select port, list(struct_pack(i := id, d := delay) order by id) as l from sailings s group by port)
select u.d as x, port from (select port, unnest(list(struct_pack(i := id, d := delay))) as u from sailings s group by port)
select v.x, v.y from (values (1, 2)) v(x, y), sailings s where s.id = v.x
values (1, 2), (3, 4)
select * from (values (1)) t(a)
select alias(port) as a, typeof(port) as t2 from sailings s
select first(columns(*)) from sailings s
select columns(*) + columns(*) from (select berths, delay from sailings s)
select id + 1 as a, a * 2 as b4, b4 + delay as c from sailings s where a > 1
select port as p, count(*) as n from sailings s group by p order by n, p
select berths as port, port as x from sailings s where port = 'SK'
select s2.x from (select berths + delay as x from sailings s) s2 where s2.x > 1 order by s2.x
select id from sailings s order by port desc nulls last, delay limit 2
select t.* from tickets t join sailings s on s.id = t.sailing and s.delay between 1 and 2 where s.port = 'SK' or t.fare > 2
select map {'a': berths, 'b': delay} as m, map {'a': berths}['a'] as a, map([port], [berths]) as mm, map_from_entries([(port, delay)]) as me from sailings s
select union_value(a := berths) as u from sailings s
select id, who from bookings b where who.age > 3
select b from bookings b
select s from sailings s
select x.s.port as p from (select s from sailings s) x
select to_json(s) as j from sailings s
select list(s) as l from sailings s
