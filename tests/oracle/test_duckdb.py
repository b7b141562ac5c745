"""What PostgreSQL lacks, held against DuckDB: star modifiers, QUALIFY, PIVOT, UNNEST, ASOF, structs and the rest.

DuckDB says what the columns are called, and a changed value shows what it reaches.
"""

from collections.abc import Iterator

import duckdb
import pytest

from tests.oracle.duckdb_judge import database, judge

TABLES = {
    "sailings": {"id": "int", "port": "varchar", "berths": "int", "delay": "int", "day": "int"},
    "tickets": {"id": "int", "sailing": "int", "fare": "int", "paid": "boolean", "day": "int"},
    "bookings": {"id": "int", "port": "varchar", "legs": "int[]", "who": "struct(name varchar, age int)"},
}

QUERIES = """
select * exclude (delay, day) from sailings
select s.* exclude (port), t.fare from sailings s join tickets t on t.sailing = s.id
select * replace (berths * 2 as berths, port || '!' as port) from sailings
select * rename (berths as places) from sailings
select * exclude (day) replace (delay + 1 as delay) from sailings where berths > 1
select columns('.*s.*') from sailings
select min(columns(* exclude (port))) from sailings
select id, berths from sailings qualify row_number() over (partition by port order by delay, id) = 1
select port, sum(berths) as b from sailings group by all
select port, delay > 2 as late, count(*) as n from sailings group by all
select port, berths from sailings order by all limit 2
from sailings select port, berths where delay > 1
from tickets
select fare * 2 as twice, twice + day as more from tickets
select fare + 1 as f, f * 2 as g from tickets where f > 2
select id, unnest(legs) as leg from bookings
select b.id, u.leg from bookings b, unnest(b.legs) as u(leg)
select b.id, leg from bookings b cross join unnest(b.legs) t(leg) where leg > 1
select legs[1] as first_leg, len(legs) as n, list_sum(legs) as total from bookings
select list_transform(legs, lambda x: x + id) as l from bookings
select [x * 2 for x in legs if x > id] as l from bookings
select list_filter(legs, lambda x: x > 2) as l, id from bookings
select who.name as n, who.age + 1 as a from bookings
select b.who.age as a, struct_extract(b.who, 'name') as n from bookings b
select {'p': port, 'b': {'x': berths}} as s from sailings
select x.s.p as p, x.s.b.x as b from (select {'p': port, 'b': {'x': berths}} as s, delay from sailings) x
select s.* from (select {'p': port, 'd': delay} as s from sailings) t
select struct_pack(a := port, b := berths) as s from sailings
select map {'a': berths, 'b': delay} as m from sailings
select map {'a': berths}['a'] as a from sailings
select * from (select port, delay, berths from sailings) pivot (sum(berths) for delay in (0, 1, 2))
select * from (select port, delay, berths from sailings) pivot (sum(berths) as s, max(berths) as m for delay in (0, 1))
pivot sailings on delay in (0, 1) using sum(berths) group by port
pivot (select port, berths, delay from sailings) on delay in (0, 1) using sum(berths)
unpivot (select port, berths, delay from sailings) on berths, delay into name what value said
select * from (select id, berths, delay from sailings) unpivot (said for what in (berths, delay))
select t.id, s.berths from tickets t asof join sailings s on t.day >= s.day
select t.id, s.berths from tickets t asof left join sailings s on t.sailing = s.id and t.day >= s.day
select s.id from sailings s semi join tickets t on t.sailing = s.id
select s.id, s.port from sailings s anti join tickets t on t.sailing = s.id and t.fare > 3
select s.port, t.fare from sailings s positional join tickets t
select id, port, berths from sailings union all by name select id, fare as berths from tickets
select id, day from sailings union by name select day, id from tickets
select s.port, x.f from sailings s, (select max(fare) as f from tickets t where t.sailing = s.id) x
select distinct on (port) port, berths from sailings order by port, berths, id
select arg_max(port, (berths, id)) as p, max_by(id, berths * 10 + id) as i from sailings
select list(fare order by day, id) filter (paid) as l from tickets
select quantile_cont(fare, 0.5) as q, mode(paid) as m from tickets
select count(*) filter (where paid) as n, string_agg(id::varchar, ',' order by fare, id) as s from tickets
select id, fare // 2 as half, fare ** 2 as area, fare % 3 as rest from tickets
select id, lag(fare) over (partition by sailing order by day, id) as p, sum(fare) over w as s from tickets window w as (order by day, id rows 1 preceding)
select if(paid, fare, day) as f, coalesce(nullif(fare, 2), day) as c from tickets
select id, case when delay > 1 then berths else day end as x from sailings
select try_cast(port as int) as p, berths::varchar || port as s from sailings
with recursive n(i, b) as (select id, berths from sailings where id = 1 union all select n.i + 1, s.berths from n join sailings s on s.id = n.i + 1) select i, b from n
select a.id, b.id as other from sailings a join sailings b using (port) where a.id < b.id
select port, id from sailings natural join (select id, fare from tickets)
select p.i, s.port from range(1, 3) p(i) join sailings s on s.id = p.i
select x.a, x.b from (values (1, 2), (3, 4)) x(a, b) join sailings s on s.id = x.a
select id from sailings where id in (select sailing from tickets where fare > 2)
select id, (select max(fare) from tickets t where t.sailing = s.id) as top from sailings s
select port, grouping(port) as g, sum(berths) as b from sailings group by cube (port)
""".strip().split("\n")


@pytest.fixture(scope="module")
def connection() -> Iterator[duckdb.DuckDBPyConnection]:
    with database(TABLES) as found:
        yield found


@pytest.mark.parametrize("sql", QUERIES)
def test_what_changes_is_reached_and_the_columns_are_called_so(
    connection: duckdb.DuckDBPyConnection, sql: str
) -> None:
    judge(connection, TABLES, sql, rounds=3)
