"""Templates: holes survive, or are filled in with every place still in the file as written."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from jalan import extract
from jalan.sql.dialects import DIALECTS
from jalan.sql.templates import render
from tests.core.corpus import TABLES

CALLS = {"dataset": "core.{0}", "raw": "{0}.{1}", "config": "", "named": "{schema}.{0}"}
VALUES = {"env": "prod", "columns": ["port", "name"], "island": "North", "deep": {"x": 7}}


def _links(sql: str, **more: object) -> list[tuple[str | None, str, str, str]]:
    found = extract(sql, variables=VALUES, calls=CALLS, **more)  # type: ignore[arg-type]
    assert [d.message for d in found.diagnostics if d.level == "error"] == []
    return [(link.output, f"{link.table}.{link.column}", link.how, sql[slice(*link.span)]) for link in found.links]


@pytest.mark.parametrize("dialect", sorted(DIALECTS))
@pytest.mark.parametrize(
    ("sql", "table"),
    [
        ("select port from {{ dataset('ports') }} where day = {{ day }}", "{{ dataset('ports') }}"),
        ("select port from ${database}.ports where island = '{{ island }}'", "${database}.ports"),
        ("select port from raw_{{ env }}.ports{% if full %} where true{% endif %}", "raw_{{ env }}.ports"),
        ("{# a note #} select port from core.{{ name }}_v2 limit {{ n }}", "core.{{ name }}_v2"),
        ("{{ config(x=1) }} select port from core.ports", "core.ports"),
    ],
)
def test_holes_survive_as_values_and_names(sql: str, table: str, dialect: str) -> None:
    found = extract(sql, dialect=dialect)
    assert [d.message for d in found.diagnostics if d.level == "error"] == []
    values = [source for output in found.statements[-1].outputs for source in output.values]
    assert [(v.table.lower(), v.column.lower()) for v in values] == [(table.lower(), "port")]


@pytest.mark.parametrize(
    ("sql", "links"),
    [
        ("select port from {{ dataset('ports') }}", [("port", "core.ports.port", "identity", "port")]),
        ("select port from {{ named('ports', schema='far') }}", [("port", "far.ports.port", "identity", "port")]),
        ("{{ config(a=1) }}\nselect a.b from {{ raw('x', 'y') }} a", [("b", "x.y.b", "identity", "a.b")]),
        (
            "select {% for c in columns %}{{ c }}{{ ', ' if not loop.last }}{% endfor %} from ports",
            [
                ("port", "ports.port", "identity", "{{ c }}"),
                ("name", "ports.name", "identity", "{{ c }}"),
            ],
        ),
        (
            "select port from ports {% if env == 'prod' -%} where name = 'x' {%- else %} where island = 'x' {% endif %}",
            [("port", "ports.port", "identity", "port"), (None, "ports.name", "filter", "name")],
        ),
        (
            "{% macro half(c) %}{{ c }} / 2{% endmacro %}select {{ half('tide_offset') }} as h from ports",
            [("h", "ports.tide_offset", "transformation", "{{ half('tide_offset') }}")],
        ),
        (
            "{% set kept %}port, name{% endset %}select {{ kept }} from ports",
            [("port", "ports.port", "identity", "{{ kept }}"), ("name", "ports.name", "identity", "{{ kept }}")],
        ),
        (
            "select port from ports_${env}\r\nwhere port = '${env}'",
            [("port", "ports_prod.port", "identity", "port"), (None, "ports_prod.port", "filter", "port")],
        ),
        ("select p.{{ columns[1] }} from ports p", [("name", "ports.name", "identity", "p.{{ columns[1] }}")]),
    ],
)
def test_a_filled_in_template_has_its_places_in_the_file(sql: str, links: list[tuple[str, ...]]) -> None:
    assert _links(sql, tables=TABLES) == links


def test_what_nobody_has_given_stays_a_hole_and_is_said() -> None:
    sql = "select port from core.ports where island = {{ nobody.knows }}"
    found = extract(sql, variables={}, calls={})
    (said,) = [d for d in found.diagnostics if d.level != "info"]
    assert (said.code, sql[slice(*said.span)]) == ("undefined_variable", "{{ nobody.knows }}")
    assert [(link.table, link.column) for link in found.links] == [("core.ports", "port"), ("core.ports", "island")]


@pytest.mark.parametrize(
    ("sql", "message"),
    [
        ("select 1;\nselect {% if %} 2", "Expected an expression"),
        ("select {{ 'x' * 999999999 }}", "too large"),
        ("select {{ 9 ** 999 }}", "too large"),
        ("{% for i in range(99999999) %}x{% endfor %}", "range"),
        ("select {{ dataset() }}", "too few arguments"),
        ("select {{ ''.__class__.__mro__ }}", ""),
        ("select {{ 1 / 0 }}", "division by zero"),
    ],
)
def test_a_template_that_cannot_be_filled_in_is_reported_and_read_as_it_is(sql: str, message: str) -> None:
    found = extract(sql, variables={}, calls=CALLS)
    said = [d for d in found.diagnostics if d.code in ("template_error", "undefined_variable")]
    assert said
    assert message in said[0].message
    assert 0 <= said[0].span[0] < said[0].span[1] <= len(sql)


@given(st.text(alphabet="ab {}%#-\n'\"xy$", max_size=80))
def test_no_template_makes_it_fail(text: str) -> None:
    rendered = render(text, VALUES, CALLS)
    for piece in rendered.pieces:
        assert 0 <= piece.start <= piece.end <= len(text)
        if piece.end - piece.start == len(piece.text):
            assert piece.text == text[piece.start : piece.end].replace("\r", " ")
    extract(text, variables=VALUES, calls=CALLS)


@given(st.text(alphabet="ab ,.();'\n\t\rß", max_size=60))
def test_plain_text_comes_through_as_it_is(text: str) -> None:
    rendered = render(text, {}, {})
    joined = "".join(piece.text for piece in rendered.pieces)
    assert joined == text.replace("\r\n", " \n").replace("\r", " ")


DOUBLING = (
    "{{% set n = namespace(x={0}) %}}{{% for i in range(60) %}}{{% set n.x = {1} %}}{{% endfor %}}{{{{ n.x }}}}"
)


@pytest.mark.parametrize(
    "bomb",
    [
        "{% for a in range(99999) %}{% for b in range(99999) %}{% endfor %}{% endfor %}",
        DOUBLING.format("'ab'", "n.x ~ n.x"),
        DOUBLING.format("'ab'", "n.x + n.x"),
        DOUBLING.format("['ab']", "[n.x, n.x]"),
        DOUBLING.format("['ab']", "n.x + n.x"),
        DOUBLING.format("{}", "{1: n.x, 2: n.x}"),
        DOUBLING.format("3", "n.x * n.x"),
        DOUBLING.format("'a'", "n.x|replace('a', 'aa')"),
        DOUBLING.format("'a'", "n.x.replace('a', 'aa')"),
        "{{ 'a'|center(10**9) }}",
        "{{ 'a'.ljust(1000000000) }}",
        "{{ '%0999999999d'|format(1) }}",
        "{{ '%0999999999d' % 1 }}",
        "{{ '%*d' % (999999999, 1) }}",
        "{{ '{:>999999999}'.format(1) }}",
        "{{ 'a' * 99999999 }}",
        "{{ [[1] * 9999] * 9999 }}",
        "{{ ['a' * 100000] * 1000 }}",
        "{{ range(99999)|map('string')|join(range(99999)|join) }}",
        "{% macro m(n) %}{% if n %}{{ m(n-1) }}{{ m(n-1) }}{% endif %}{% endmacro %}{{ m(60) }}",
        "{% macro m() %}{{ m() }}{% endmacro %}{{ m() }}",
        "{% for x in [1] recursive %}{{ loop([1, 1]) }}{% endfor %}",
        "{% set x %}{% for a in range(9999) %}{% for b in range(9999) %}x{% endfor %}{% endfor %}{% endset %}",
    ],
)
def test_a_template_that_means_to_exhaust_us_is_reported(bomb: str) -> None:
    found = render(f"select 1 {bomb}", {}, {})
    assert [problem.code for problem in found.problems] == ["template_error"]
    assert "".join(piece.text for piece in found.pieces).startswith("select 1 ")


def test_what_templates_commonly_compute_is_within_bounds() -> None:
    text = (
        "{% set months = range(1, 13)|list %}{% macro col(m) %}sum(m{{ '%02d'|format(m) }}) as m{{ m }}{% endmacro %}"
        "select {% for m in months %}{{ col(m) }}{{ ', ' if not loop.last }}{% endfor %} from {{ 'core' ~ '.fares' }}"
        "{{ ' where a in (%s)' % (months|join(', ')) }} {{ 'x'.upper().ljust(3) }}{{ '{}-{}'.format(1, 2) }}"
    )
    found = render(text, {}, {})
    assert not found.problems
    filled = " ".join("".join(piece.text for piece in found.pieces).split())
    assert filled.startswith("select sum(m01) as m1, sum(m02) as m2")
    assert "where a in (1, 2, 3," in filled
