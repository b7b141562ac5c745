"""How an output is made, for a person: the expression in the normal form, and the steps on the way."""

import pytest

from jalan import extract
from tests.core.corpus import TABLES


def _ways(sql: str, dialect: str = "postgresql") -> dict[str, tuple[str, list[str]]]:
    found = extract(sql, dialect=dialect, tables=TABLES, detail=True)
    ways = {}
    for output in found.statements[-1].outputs:
        assert output.detail is not None
        steps = [f"{step.kind} {step.table}.{step.name}".replace(" .", " ") for step in output.detail.chain]
        ways[output.name] = (output.detail.kind, steps)
    return ways


@pytest.mark.parametrize(
    ("sql", "ways"),
    [
        ("select port from ports", {"port": ("same", ["same ports.port", "same port"])}),
        ("select port as p from ports", {"p": ("renamed", ["same ports.port", "renamed p"])}),
        ("select fare*2 as f from tickets", {"f": ("computed", ["same tickets.fare", "computed f"])}),
        ("select 1 as one", {"one": ("constant", ["constant one"])}),
        (
            "with a as (select fare as amount, port from tickets join sailings using (sailing_id)), "
            "b as (select port, amount / 100 as pounds from a) "
            "select port, sum(pounds) as income from b group by port",
            {
                "port": ("same", ["same sailings.port", "same a.port", "same b.port", "same port"]),
                "income": (
                    "aggregated",
                    ["same tickets.fare", "renamed a.amount", "computed b.pounds", "aggregated income"],
                ),
            },
        ),
        (
            "create temp table t as select fare + 1 as f from tickets; select f as g from t",
            {"g": ("computed", ["same tickets.fare", "computed t.f", "renamed g"])},
        ),
        (
            "select x.* from (select upper(name) as name from ports) x",
            {"name": ("computed", ["same ports.name", "computed x.name", "same name"])},
        ),
    ],
)
def test_the_way_of_a_value(sql: str, ways: dict[str, tuple[str, list[str]]]) -> None:
    assert _ways(sql) == ways


@pytest.mark.parametrize(
    ("written", "normal"),
    [
        ("trim(leading 'x' from name)", "trim(leading 'x' from name)"),
        ("trim(leading from name, 'x')", "trim(leading 'x' from name)"),
        ("trim('x' from name)", "trim(name, 'x')"),
        ("trim(both name)", "trim(both from name)"),
        ("trim(trailing from name)", "trim(trailing from name)"),
    ],
)
def test_what_is_trimmed_stays_what_is_trimmed(written: str, normal: str) -> None:
    (output,) = extract(f"select {written} as n from ports", tables=TABLES, detail=True).statements[0].outputs
    assert output.detail is not None
    assert output.detail.expression == normal


def test_the_expression_is_in_the_normal_form() -> None:
    sql = "select  SUM( Fare )  FILTER(WHERE paid)/100 AS x, (select max(height) from tides) h from tickets"
    found = extract(sql, tables=TABLES, detail=True)
    details = [output.detail for output in found.statements[0].outputs]
    assert [detail.expression for detail in details if detail is not None] == [
        "sum(fare) filter (where paid) / 100",
        "(select max(height) from tides)",
    ]


def test_without_being_asked_there_is_no_detail() -> None:
    found = extract("select port from ports", tables=TABLES)
    assert found.statements[0].outputs[0].detail is None
