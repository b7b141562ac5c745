"""How an output is made, along the longest way through what the text has in between."""

from itertools import pairwise

import pytest

from jalan import extract
from tests.core.corpus import TABLES

# statement → output: kind, expression, the way
WAYS: dict[str, dict[str, tuple[str, str, str]]] = {
    "select name from crew": {"name": ("same", "name", "same crew.name; same .name")},
    "select c.name as who from crew c": {"who": ("renamed", "c.name", "same crew.name; renamed .who")},
    "select 7 as seven, null as nothing": {
        "seven": ("constant", "7", "constant .seven"),
        "nothing": ("constant", "null", "constant .nothing"),
    },
    "select count(*) as n from crew": {"n": ("aggregated", "count(*)", "aggregated .n")},
    "select max(height) as high from tides": {
        "high": ("aggregated", "max(height)", "same tides.height; aggregated .high")
    },
    "select upper(name) || role as who from crew": {
        "who": ("computed", "upper(name) || role", "same crew.name; computed .who")
    },
    "select x.who from (select name as who from crew) x": {
        "who": ("renamed", "x.who", "same crew.name; renamed x.who; same .who")
    },
    "select * from (select upper(name) as who from crew) x": {
        "who": ("computed", "who", "same crew.name; computed x.who; same .who")
    },
    "with a as (select height * 2 as twice from tides), b as (select twice + 1 as more from a)"
    " select more from b": {
        "more": ("computed", "more", "same tides.height; computed a.twice; computed b.more; same .more")
    },
    "with a as (select height as h from tides), b as (select max(h) as high from a) select high * 2 as d from b": {
        "d": ("aggregated", "high * 2", "same tides.height; renamed a.h; aggregated b.high; computed .d")
    },
    "with a (tall) as (select height from tides) select tall from a": {
        "tall": ("renamed", "tall", "same tides.height; renamed a.tall; same .tall")
    },
    "create temp table t as select fare * 2 as f from tickets; create temp table u as select f + 1 as g from t;"
    " select g as h from u": {"h": ("computed", "g", "same tickets.fare; computed t.f; computed u.g; renamed .h")},
    "select t.fare + x.low as f from tickets t, (select min(amount) + 1 as low from refunds) x": {
        "f": ("aggregated", "t.fare + x.low", "same refunds.amount; aggregated x.low; computed .f")
    },
    "select case when paid then fare else 0 end as f from tickets": {
        "f": ("computed", "case when paid then fare else 0 end", "same tickets.fare; computed .f")
    },
    "select sum(fare) over (partition by sailing_id) as s from tickets": {
        "s": ("computed", "sum(fare) over (partition by sailing_id)", "same tickets.fare; computed .s")
    },
    "select (select max(height) from tides) as high from ports": {
        "high": (
            "aggregated",
            "(select max(height) from tides)",
            "same tides.height; aggregated .max; computed .high",
        )
    },
    "select (select port from ports p where p.port = t.port) as p from tides t": {
        "p": (
            "computed",
            "(select port from ports as p where p.port = t.port)",
            "same ports.port; same .port; computed .p",
        )
    },
    "select case when paid then 1 else 0 end as n from tickets": {
        "n": ("computed", "case when paid then 1 else 0 end", "same tickets.paid; computed .n")
    },
    "select cast(fare as int) as f from tickets": {
        "f": ("computed", "cast(fare as int)", "same tickets.fare; computed .f")
    },
    "insert into refunds (amount) select fare from tickets": {
        "amount": ("renamed", "fare", "same tickets.fare; renamed refunds.amount")
    },
}


def ways(sql: str) -> dict[str, tuple[str, str, str]]:
    """Return of each output of the last statement what kind it is of, what makes it, and its way."""
    found = {}
    for output in extract(sql, tables=TABLES, detail=True).statements[-1].outputs:
        if output.detail is not None:
            chain = "; ".join(f"{step.kind} {step.table}.{step.name}" for step in output.detail.chain)
            found[output.name] = (output.detail.kind, output.detail.expression, chain)
    return found


@pytest.mark.parametrize("sql", WAYS)
def test_the_way_to_an_output_is_told_step_by_step(sql: str) -> None:
    assert ways(sql) == WAYS[sql]


@pytest.mark.parametrize("sql", WAYS)
def test_every_step_has_its_place_in_the_text(sql: str) -> None:
    for output in extract(sql, tables=TABLES, detail=True).statements[-1].outputs:
        assert output.detail is not None
        for step in output.detail.chain:
            start, end = step.span
            assert 0 <= start < end <= len(sql)


def test_a_way_that_leads_in_a_circle_ends() -> None:
    sql = "with recursive r as (select crew_id as c from crew union all select c + 1 from r) select c from r"
    _, expression, way = ways(sql)["c"]
    assert expression == "c"
    assert way.endswith("same .c")


def test_a_very_long_way_is_cut() -> None:
    names = ["crew", *(f"c{n}" for n in range(150))]
    ctes = ", ".join(f"{b} as (select name from {a})" for a, b in pairwise(names))
    (output,) = extract(f"with {ctes} select name from c149", tables=TABLES, detail=True).statements[0].outputs
    assert output.detail is not None
    assert len(output.detail.chain) == 100
    assert output.detail.chain[-1].name == "name"


def test_without_being_asked_nothing_is_told() -> None:
    assert [o.detail for s in extract("select name from crew", tables=TABLES).statements for o in s.outputs] == [
        None
    ]
