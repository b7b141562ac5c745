"""No text makes it raise, hang, or take more than its length's worth of work."""

import sys
from collections.abc import Callable

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from jalan import extract, fingerprint, redact
from jalan.sql.dialects import DIALECTS
from tests.core.corpus import cases

NAMES = sorted(DIALECTS)
WORDS = sorted({word for name in NAMES for case in cases(name) for word in case.sql.split()})
PIECES = [
    "(", ")", ",", ";", ".", "*", "=", "'", '"', "`", "[", "]", "{", "}", "{{", "}}", "{%", "%}", "$$", "$1", ":a", "::",
    ":", "?", "%s", "@a", "#t", "--", "/*", "*/", "\\", "\n", "\x00", "\ud800", "\u202e", "é", "e\u0301", "שלום", "0x",
    "1e", "..", "begin", "end", "if", "then", "else", "loop", "case", "when", "select", "from", "with", "as", "on",
    "join", "lateral", "pivot", "unnest", "merge", "copy", "execute", "declare", "return", "go", "values", "q'[", "U&'",
]  # fmt: skip


def _check(text: str, dialect: str) -> None:
    found = extract(text, dialect=dialect)
    assert "internal_error" not in {d.code for d in found.diagnostics}, text
    for diagnostic in found.diagnostics:
        start, end = diagnostic.span
        assert 0 <= start <= end <= len(text)
    for link in found.links:
        assert all(0 <= start <= end <= len(text) for start, end in link.spans)


@settings(max_examples=300, suppress_health_check=[HealthCheck.too_slow], deadline=None)
@given(st.lists(st.sampled_from(WORDS + PIECES * 8), max_size=40), st.sampled_from(NAMES))
def test_no_row_of_tokens_makes_it_fail(tokens: list[str], dialect: str) -> None:
    text = " ".join(tokens)
    _check(text, dialect)
    fingerprint(text, dialect)
    _check(redact(text, dialect), dialect)


@settings(max_examples=200, deadline=None)
@given(st.text(max_size=80), st.sampled_from(NAMES))
def test_no_text_makes_it_fail(text: str, dialect: str) -> None:
    _check(text, dialect)


@settings(max_examples=200, deadline=None)
@given(st.sampled_from([case for name in NAMES for case in cases(name)]), st.data())
def test_a_real_statement_that_is_cut_or_torn_does_not_make_it_fail(case: object, data: st.DataObject) -> None:
    text: str = case.sql  # type: ignore[attr-defined]
    at = data.draw(st.integers(0, len(text)))
    cut = data.draw(st.integers(0, 12))
    put = data.draw(st.sampled_from(["", *PIECES]))
    _check(text[:at] + put + text[at + cut :], data.draw(st.sampled_from(NAMES)))


def _calls(work: Callable[[], object]) -> int:
    """How many functions are called, ours and C's: a measure of work that no other program can disturb."""
    count = 0

    def profile(frame: object, event: str, argument: object) -> None:
        nonlocal count
        count += event in ("call", "c_call")

    sys.setprofile(profile)
    try:
        work()
    finally:
        sys.setprofile(None)
    return count


GROWING: dict[str, Callable[[int], str]] = {
    "statements": lambda n: "insert into t (a) select b + 1 from u where c = 2;\n" * n,
    "list": lambda n: f"select a from t where a in ({', '.join(map(str, range(n)))})",
    "ctes": lambda n: (
        "with c0 as (select 1 as x from t)"
        + "".join(f", c{i + 1} as (select x from c{i})" for i in range(n))
        + f" select x from c{n}"
    ),
    "columns": lambda n: f"select {', '.join(f'a{i} as b{i}' for i in range(n))} from t order by b1 limit 1",
    "grouped": lambda n: (
        f"select {', '.join(f'a{i}' for i in range(n))} from t group by " + ", ".join(f"a{i}" for i in range(n))
    ),
    "values": lambda n: "insert into t values " + ", ".join("(1, 'a', null)" for _ in range(n)),
    "operators": lambda n: "select " + " + ".join(f"a{i}" for i in range(n)) + " from t",
    "unions": lambda n: " union all ".join(f"select a from t{i}" for i in range(n)),
    "joins": lambda n: "select t0.a from t0" + "".join(f" join t{i} on t{i}.a = t0.a" for i in range(1, n)),
    "assignments": lambda n: "update t set " + ", ".join(f"a{i} = b{i}" for i in range(n)),
    "unread": lambda n: "selec a from t;\n" * n,
    "errors": lambda n: "create table t (x int); select " + ", ".join(f"t.a{i}" for i in range(n)) + " from t",
    "open strings": lambda n: "select 'a" * n,
    "open comments": lambda n: "select /* a" * n,
    "open templates": lambda n: "select {{ a " * n,
    "open tags": lambda n: "select {% a " * n,
    "dollars": lambda n: "select $a$ b " * n,
    "brackets": lambda n: "select a[" * n,
    "temporary tables": lambda n: "".join(f"create temp table t{i + 1} as select a from t{i};\n" for i in range(n)),
}


@pytest.mark.parametrize("shape", sorted(GROWING))
def test_work_grows_with_the_length_of_the_text(shape: str) -> None:
    make = GROWING[shape]
    extract(make(10))
    small, large = make(150), make(600)
    once = _calls(lambda: extract(small))
    assert _calls(lambda: extract(large)) < 6 * once + 2000


@pytest.mark.parametrize("dialect", NAMES)
@pytest.mark.parametrize(
    "text",
    [
        "select " + "(" * 5000 + "1" + ")" * 5000,
        "select " + "case when a then " * 3000,
        "select " + "not " * 5000 + "a",
        "select " + "- " * 5000 + "a from t",
        "select * from " + "(select * from " * 2000 + "t" + ")" * 2000,
        "select " + "f(" * 5000,
        "select a from t where " + "exists (select 1 from t where " * 1000,
        "begin " * 3000,
        "if a then " * 3000,
        "with a as (" * 1000,
        "select " + "[" * 4000,
        "select " + "{'a': " * 4000,
        "create function f() returns int as $$ " * 500,
        "select a" + ".b" * 20000 + " from t",
        "select " + "a -> " * 3000 + "b",
    ],
)
def test_depth_is_a_diagnostic_never_a_recursion_error(text: str, dialect: str) -> None:
    found = extract(text, dialect=dialect)
    assert {d.code for d in found.diagnostics if d.level == "error"} <= {
        "too_deep", "syntax_error", "unterminated", "unknown_table_reference", "unknown_column",
    }  # fmt: skip


def test_a_statement_that_is_too_deep_does_not_take_the_others_along() -> None:
    found = extract("select a from t; select " + "(" * 5000 + "1" + ")" * 5000 + "; select b from u")
    assert [(s.kind, [o.name for o in s.outputs]) for s in found.statements] == [
        ("select", ["a"]),
        ("select", ["b"]),
    ]
    assert [d.code for d in found.diagnostics if d.level == "error"] == ["too_deep"]


def test_large_texts_are_read_whole() -> None:
    statement = "insert into core.target (a, b) select x, sum(y) from core.source where z = 'k' group by x;\n"
    rows = ",\n".join(f"({n}, 'sold at the quay on day {n}', null)" for n in range(220_000))
    script = f"{statement * 1000}insert into core.target values {rows};\n{statement * 1000}"
    assert len(script) > 10_000_000
    found = extract(script)
    assert len(found.statements) == 2001
    assert "error" not in {d.level for d in found.diagnostics}
    assert found.links[-1].spans[0][0] > 10_000_000
    assert len(extract(f"select a from t where a in ({', '.join(map(str, range(200_000)))})").links) == 2
    wide = extract("select " + ", ".join(f"a{i}" for i in range(10_000)) + " from t")
    assert len(wide.statements[0].outputs) == 10_000
    many = GROWING["ctes"](2000)
    assert extract(many).diagnostics[0].code == "unknown_table"


def test_odd_characters_in_names_keep_their_places() -> None:
    text = 'select "שלום", größe, "e\u0301", "a\x00b", 名前, "\u202ex" from "таблица"'
    found = extract(text)
    assert [o.name for o in found.statements[0].outputs] == [
        "שלום",
        "größe",
        "e\u0301",
        "a\x00b",
        "名前",
        "\u202ex",
    ]
    assert [text[slice(*s.span)].strip('"') for o in found.statements[0].outputs for s in o.values] == [
        o.name for o in found.statements[0].outputs
    ]


def test_broken_utf8_is_read_as_far_as_it_goes() -> None:
    text = b"select a, '\xff\xfe' as b from t where c = '\xc3'".decode("utf-8", "surrogateescape")
    found = extract(text)
    assert [o.name for o in found.statements[0].outputs] == ["a", "b"]
    assert fingerprint(text) == fingerprint("select a, 'x' as b from t where c = 'y'")
