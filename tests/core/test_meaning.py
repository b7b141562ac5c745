"""Queries that are written otherwise and mean the same, and what is said of those that do not."""

import pytest

from jalan.change.meaning import Forms, FoundRelation, Meaning, QueryDifference, Unclear, difference, meaning
from jalan.sql import tree
from jalan.sql.dialects import get_dialect
from jalan.sql.grammar.script import parse

TABLES = {
    "tickets": ["ticket_id", "sailing_id", "fare", "discount", "void", "sold_at"],
    "sailings": ["sailing_id", "port", "day"],
    "ports": ["port", "island"],
}
NET = (
    "select s.port, sum(t.fare - t.discount) as net from tickets t join sailings s on s.sailing_id = t.sailing_id "
    "where not t.void and t.fare > 10 and s.port in ('Ness', 'Skerry') group by s.port"
)


def meant(sql: str, forms: Forms) -> Meaning:
    def find(parts: tuple[str, ...]) -> FoundRelation | None:
        columns = TABLES.get(parts[-1])
        return None if columns is None else FoundRelation(parts[-1], {name: name for name in columns})

    (node,) = parse(sql, get_dialect("postgresql"))
    assert isinstance(node, tree.QueryStatement)
    return meaning(node.query, sql, forms, find)


def compared(before: str, after: str) -> QueryDifference:
    forms = Forms()
    return difference(meant(before, forms), meant(after, forms), forms)


SAME = [
    (
        NET,
        "select b.port, sum((a.fare) - a.discount) net from sailings as b, tickets a where ((10 < a.fare)) "
        "and a.sailing_id = b.sailing_id and b.port in ('Skerry', 'Ness') and (not (a.void)) group by 1",
    ),
    (NET, NET.replace("from tickets t join sailings s", "from sailings s inner join tickets t")),
    (
        "select x.fare from (select fare from tickets where void) x",
        "with y as (select z.fare from tickets as z where z.void) select y.fare from y",
    ),
    (
        "select fare between 1 and 2 as b, ticket_id::int4 as i from tickets",
        "select fare <= 2 and 1 <= fare as b, cast(ticket_id as integer) as i from tickets",
    ),
    ("select ticket_id from tickets where fare in (3)", "select ticket_id from tickets where 3 = fare"),
    ("select * from ports", "select port, island from ports"),
    (
        "select * from sailings join ports using (port)",
        "select s.port, s.sailing_id, s.day, p.island from ports p join sailings s on p.port = s.port",
    ),
    ("select fare from tickets limit 3", "select fare from tickets fetch first 3 rows only"),
    (
        "select port from ports p where exists (select 1 from sailings s where s.port = p.port)",
        "select port from ports x where exists (select day from sailings p where x.port = p.port)",
    ),
    (
        "select rank() over w as r from tickets window w as (partition by void order by fare)",
        "select rank() over (partition by void order by fare) as r from tickets",
    ),
    (
        "with recursive n (d) as (select day from sailings union all select d + 1 from n where d < 9) "
        "select d from n",
        "with recursive days (x) as (select day from sailings union all select 1 + x from days where 9 > x) "
        "select x as d from days",
    ),
    ("select fare + discount as f from tickets", "select discount + fare as f from tickets"),
]


@pytest.mark.parametrize(("before", "after"), SAME)
def test_what_is_written_otherwise_means_the_same(before: str, after: str) -> None:
    assert compared(before, after).is_none
    assert compared(after, before).is_none


DIFFERENT = [
    (NET, NET.replace("> 10", ">= 10"), "Other rows may come (another filter)."),
    (NET, NET.replace("- t.disc", "+ t.disc"), "Other values in net."),
    (NET, NET.replace("join", "left join"), "Other rows may come (another join)."),
    (NET, NET.replace("as net", "as gross"), "A column is called gross now."),
    (NET, f"{NET} order by 2 limit 5", "Other rows may come (another limit or order)."),
    (NET, f"{NET} order by 2", "The same rows come in another order."),
    (
        NET,
        NET.replace("group by s.port", "group by s.port, s.day"),
        "Other rows may come (it is grouped otherwise).",
    ),
    (
        "select port from ports",
        "select distinct port from ports",
        "Other rows may come (repeated rows are kept or left out otherwise).",
    ),
    (
        "select port from ports",
        "select port, island from ports",
        "It gains island. Who reads it by name is not concerned.",
    ),
    ("select port, island from ports", "select port from ports", "It loses island."),
    ("select port, island from ports", "select island, port from ports", "In another place: port, island."),
    (
        "select port from ports",
        "select port, unnest(array[1, 2]) as n from ports",
        "It gains n; other rows may come (a function makes other rows).",
    ),
    (
        "select fare::numeric(8, 2) as f from tickets",
        "select fare::numeric(8, 3) as f from tickets",
        "Other values in f.",
    ),
    (
        "select port from ports p where exists (select 1 from sailings s where s.port = p.port)",
        "select port from ports p where exists (select 1 from sailings s where s.port = s.port)",
        "Other rows may come (another filter).",
    ),
    (
        "select rank() over (order by fare) as r from tickets",
        "select rank() over (order by fare desc) as r from tickets",
        "Other values in r.",
    ),
    (
        "select distinct on (port) port, day from sailings order by port, day",
        "select distinct on (port) port, day from sailings order by port, day desc",
        "Other rows may come (another limit or order).",
    ),
    (
        "select port as a, port as b from ports limit 1",
        "select port as a, port as b from ports limit 2",
        "Other rows may come (another limit or order).",
    ),
    ("select 1, 2 as b order by 1", "select 1, 2 as b order by 2", "The same rows come in another order."),
    ("select day as a, 1 as a from sailings", "select port as a, 1 as a from sailings", "Other values in a."),
    ("select day as a, 1 as a from sailings", "select day as a from sailings", "It loses a (2)."),
    (
        "select port from only ports",
        "select port from ports",
        "Other rows may come (the same parts are put together",
    ),
    ("select port from ports", "select port from sailings", "Other values in port; other rows may come"),
]


@pytest.mark.parametrize(("before", "after", "said"), DIFFERENT)
def test_what_differs_is_said_in_words(before: str, after: str, said: str) -> None:
    found = compared(before, after)
    assert not found.is_none
    assert found.in_words().startswith(said)
    assert found.is_safe == ("not concerned" in said)


def test_a_difference_inside_is_told_where_it_is() -> None:
    inner = "with paid as (select port, fare - discount as net from tickets join sailings using (sailing_id)) "
    found = compared(inner + "select net from paid", inner.replace("- d", "* d") + "select net from paid")
    (one,) = found.columns
    assert (one.name, one.before, one.after) == ("net", "fare - discount", "fare * discount")
    assert found.values() == {"net"}
    (row,) = compared(NET, NET.replace("t.fare > 10", "t.fare > 12")).rows
    assert (row.part, row.went, row.came) == ("filter", ("t.fare > 10",), ("t.fare > 12",))


@pytest.mark.parametrize(
    "sql",
    [
        "select nobody from ports",
        "select port from nowhere",
        "select port from ports, sailings",  # of which of the two
        "select port, count(*) from sailings group by grouping sets ((port), ())",
        "select p from ports p",
        "select island from ports tablesample system (10)",
        "with gone as (delete from ports returning port) select port from gone",
        "select * from jsonb_each('{}') e",
        "select key from jsonb_each('{}') e",
    ],
)
def test_what_is_not_understood_is_not_guessed(sql: str) -> None:
    with pytest.raises(Unclear):
        meant(sql, Forms())


def test_what_is_very_deep_is_not_followed() -> None:
    for sql in (
        f"select fare{' - fare' * 3000} from tickets",
        f"select 1 from tickets where void{' and void' * 3000}",
    ):
        with pytest.raises(Unclear):
            meant(sql, Forms())
    chain = ", ".join(f"c{n} as (select a.port from c{n - 1} a join c{n - 1} b using (port))" for n in range(1, 40))
    sql = f"with c0 as (select port from ports), {chain} select port from c39"
    nested = "select fare from tickets"
    for _ in range(40):
        nested = f"select ({nested}) as fare"
    assert compared(nested, nested.upper()).is_none
    # Each is read once, however often it is named.
    assert compared(sql, sql.replace("c0 as (select port", "c0 as (select  port")).is_none
