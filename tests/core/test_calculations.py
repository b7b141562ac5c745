"""Expressions of calculated fields: what they name, and in which role."""

import pytest

from jalan.formulas.expressions import CalculationError, read_calculation, read_filter


def _named(text: str) -> dict[tuple[str, str], str]:
    return {(n.name, n.kind): n.how for n in read_calculation(text)}


@pytest.mark.parametrize(
    ("text", "named"),
    [
        ("gross", {("gross", "value"): "identity"}),
        ("`Fares paid`", {("Fares paid", "value"): "identity"}),
        ("sailings.gross", {("sailings.gross", "value"): "identity"}),
        ("(gross)", {("gross", "value"): "transformation"}),
        ("gross - refunds", {("gross", "value"): "transformation", ("refunds", "value"): "transformation"}),
        ("round(gross / 100, 2)", {("gross", "value"): "transformation"}),
        ("sum(gross) / sum(seats)", {("gross", "value"): "aggregation", ("seats", "value"): "aggregation"}),
        ("round(sum(gross))", {("gross", "value"): "aggregation"}),
        ("count()", {}),
        ("count(where late)", {("late", "condition"): "conditional"}),
        (
            "sum(gross where status = 'sold' per route)",
            {
                ("gross", "value"): "aggregation", ("status", "condition"): "conditional",
                ("route", "condition"): "window",
            },
        ),
        (
            "if late > 5 and not cancelled then minutes elseif gone is empty then 0 else delay end",
            {
                ("late", "condition"): "conditional", ("cancelled", "condition"): "conditional",
                ("minutes", "value"): "transformation", ("gone", "condition"): "conditional",
                ("delay", "value"): "transformation",
            },
        ),
        ("a + sum(a)", {("a", "value"): "aggregation"}),
        ("status in ('late', 'lost') or 'it''s' = note",
         {("status", "value"): "transformation", ("note", "value"): "transformation"}),
    ],
)  # fmt: skip
def test_fields_have_the_role_that_the_expression_gives_them(text: str, named: dict) -> None:
    assert _named(text) == named


def test_places_are_those_of_the_text() -> None:
    text = "sum(`Fares paid`) - sum(`Fares paid` where `Fares paid` > 0)"
    for named in read_calculation(text):
        assert [text[a:b] for a, b in named.spans] == ["Fares paid"] * (2 if named.kind == "value" else 1)


def test_a_filter_decides_about_rows() -> None:
    assert [(n.name, n.kind, n.how) for n in read_filter("departs_at >= today()")] == [
        ("departs_at", "condition", "filter")
    ]


@pytest.mark.parametrize(
    ("text", "message", "span"),
    [
        ("", "the expression is empty", (0, 0)),
        ("sum(gross", "expected “)”, found the end", (9, 9)),
        ("gross +", "expected a field, a value or a function, found the end", (7, 7)),
        ("gross gross", "expected the end, found “gross”", (6, 11)),
        ("smu(gross)", "there is no function “smu” (did you mean sum", (0, 3)),
        ("gross ; 1", "“;” is not expected here", (6, 7)),
        ("if a then b", "expected “end”, found the end", (11, 11)),
    ],
)
def test_what_is_wrong_is_said_with_its_place(text: str, message: str, span: tuple[int, int]) -> None:
    with pytest.raises(CalculationError) as caught:
        read_calculation(text)
    assert str(caught.value).startswith(message)
    assert caught.value.span == span


def test_depth_has_a_limit() -> None:
    with pytest.raises(CalculationError, match="nested too deeply"):
        read_calculation("(" * 5000 + "a" + ")" * 5000)
