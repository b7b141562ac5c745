"""Expressions of others never take long, and mean what they mean to Python where both know them."""

import re

import pytest
from hypothesis import given
from hypothesis import strategies as st

from jalan import extract
from jalan.patterns import BadPattern, compile_pattern

SIMPLE = st.text("ab.*+?|()[]^$1-_", max_size=12)


@given(SIMPLE, st.text("ab1-_ ", max_size=12))
def test_what_python_takes_means_the_same(expression: str, text: str) -> None:
    try:
        here = compile_pattern(expression)
        there = re.compile(expression, re.DOTALL)
    except (BadPattern, re.error):
        return
    if expression.endswith("$") or "$" in expression or "^" in expression:
        return  # Python's $ also stands before a last line end
    assert (here.fullmatch(text) is None) == (there.fullmatch(text) is None)


@pytest.mark.parametrize(
    ("expression", "reason"),
    [
        ("a(?=b)", "invalid perl operator"),
        (r"(a)\1", "invalid escape sequence"),
        ("(", "missing )"),
        ("x" * 1001, "at most 1000 characters"),
        ("\ud800", "not UTF-8"),
        ("((((a{100}){100}){100}){100}){100}", "bad repetition"),
    ],
)
def test_what_cannot_be_answered_in_time_is_refused(expression: str, reason: str) -> None:
    with pytest.raises(BadPattern) as refused:
        compile_pattern(expression)
    assert reason in str(refused.value) or "no regular expression" in str(refused.value)


def test_an_expression_in_sql_cannot_hold_the_reader() -> None:
    name = "a" * 60
    found = extract("select columns('(a+)+b') from t", dialect="duckdb", tables={"t": [name]})
    assert [output.name for statement in found.statements for output in statement.outputs] == []
