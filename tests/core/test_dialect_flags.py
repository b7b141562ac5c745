"""Every form that a flag of a dialect describes is read where the flag is set, and otherwise not, or otherwise."""

import pytest

from jalan import Extraction, extract
from jalan.sql.dialects import DIALECTS
from jalan.sql.grammar.script import Unread, parse
from tests.core.corpus import TABLES

# flag → a text in its form, and what is then found: kinds of statements, or columns that something comes from.
ACCEPTED = {
    "null_escape": r"select \N from crew",
    "match_against": "select match (name) against ('tide') from crew",
    "charset_introducers": "select _utf8mb4 'tide' from crew",
    "at_local": "select departs_at at local from sailings",
    "postfix_not_null": "select * from crew where name not null",
    "columns_calls": "select columns(c -> c like 'p%') from ports",
    "numbered_columns": "select #1 from ports",
    "from_first": "from ports select port",
    "comma_joins_on": "select p.name from ports p, tides t on p.port = t.port",
    "cross_joins_on": "select p.name from ports p cross join tides t on p.port = t.port",
    "bare_cycles": (
        "with recursive up(id, boss) as (select crew_id, boss_id from crew union all select crew_id, boss_id"
        " from crew, up where boss = crew_id) cycle id set looped to 'y' default 'n' select id from up"
    ),
    "sorted_groups": "select port from ports group by port desc",
    "empty_rows": "insert into ports values ()",
    "optional_into": "insert ports (port) select port from tides",
    "optional_from": "delete ports where port = 'Brim'",
    "prefix_aliases": "select who: name from crew",
    "equals_aliases": "select who = name from crew",
    "string_aliases": "select name 'who' from crew",
    "trailing_commas": "select name, role, from crew",
    "backquoted_paths": "select port from `bay.quay.ports`",
    "rules": "create rule r as on insert to ports do also delete from tides",
    "events": "create event e on schedule every 1 day do delete from tides",
    "packages": "create package body p as procedure f is begin delete from tides; end; end;",
    "bare_insert_aliases": "insert into ports p (port) select port from tides",
    "bare_bodies": "create procedure f() delete from tides",
    "do_evaluates": "do sleep(5)",
    "other_commands": "optimize ports",
    "collections": "begin names(1) := 'Brim'; end;",
}


def read(name: str, sql: str) -> Extraction:
    """Read a text in a dialect."""
    return extract(sql, dialect=name, tables=TABLES)


def refused(found: Extraction) -> bool:
    """Whether something of it could not be read."""
    return any(d.code in ("syntax_error", "routine_not_read", "unterminated") for d in found.diagnostics)


@pytest.mark.parametrize("flag", ACCEPTED)
def test_a_form_is_read_where_the_flag_is_set(flag: str) -> None:
    having = [name for name, dialect in DIALECTS.items() if getattr(dialect, flag)]
    assert having
    assert {name for name in having if refused(read(name, ACCEPTED[flag]))} == set()


@pytest.mark.parametrize(
    "flag",
    [
        "null_escape",
        "postfix_not_null",
        "from_first",
        "comma_joins_on",
        "cross_joins_on",
        "bare_cycles",
        "sorted_groups",
        "empty_rows",
        "optional_into",
        "optional_from",
        "prefix_aliases",
        "trailing_commas",
        "bare_insert_aliases",
        "other_commands",
    ],
)
def test_and_postgresql_and_the_standard_refuse_what_they_have_not(flag: str) -> None:
    strict = [name for name in ("postgresql", "ansi") if not getattr(DIALECTS[name], flag)]
    assert strict
    assert [name for name in strict if not refused(read(name, ACCEPTED[flag]))] == []


@pytest.mark.parametrize("name", DIALECTS)
def test_an_alias_is_seen_in_having_where_the_dialect_shows_it(name: str) -> None:
    found = read(name, "select port, max(height) as high from tides group by port having high > 3")
    codes = {d.code for d in found.diagnostics}
    assert ("unknown_column" in codes) is not (DIALECTS[name].aliases_in_having or DIALECTS[name].lateral_aliases)


@pytest.mark.parametrize("name", DIALECTS)
def test_an_output_is_seen_by_later_ones_where_the_dialect_shows_it(name: str) -> None:
    found = read(name, "select height * 2 as twice, twice + 1 as more from tides")
    codes = {d.code for d in found.diagnostics}
    assert ("unknown_column" in codes) is not DIALECTS[name].lateral_aliases


@pytest.mark.parametrize("name", DIALECTS)
def test_a_join_without_a_condition_is_an_error_only_where_it_is_one(name: str) -> None:
    found = read(name, "select p.name from ports p join tides t")
    assert refused(found) is DIALECTS[name].joins_need_condition


@pytest.mark.parametrize("name", DIALECTS)
def test_a_star_as_argument_means_all_columns_or_none(name: str) -> None:
    found = read(name, "select tally(*) as n from ports")
    (output,) = found.statements[0].outputs
    assert bool(output.values) is DIALECTS[name].star_arguments


@pytest.mark.parametrize("name", DIALECTS)
def test_a_batch_ends_as_the_dialect_has_it(name: str) -> None:
    separator = DIALECTS[name].batch_separator or ";"
    found = read(name, f"select name from crew\n{separator}\nselect port from ports")
    assert [s.kind for s in found.statements] == ["select", "select"]
    assert [s.reads for s in found.statements] == [["crew"], ["ports"]]


@pytest.mark.parametrize("name", DIALECTS)
def test_statements_stand_side_by_side_only_where_no_semicolon_is_needed(name: str) -> None:
    found = read(name, "delete from tides where port = 'Brim'\ninsert into ports (port) select port from tides")
    assert refused(found) is not DIALECTS[name].bare_statements


@pytest.mark.parametrize(
    ("name", "expected"),
    [
        ("snowflake", ["'Brim'_HIGH", "'Skerry'_HIGH"]),
        ("bigquery", ["high_Brim", "high_Skerry"]),
        ("spark", ["Brim", "Skerry"]),
        ("tsql", ["Brim", "Skerry"]),
    ],
)
def test_pivots_name_their_columns_as_the_dialect_does(name: str, expected: list[str]) -> None:
    values = "[Brim], [Skerry]" if name == "tsql" else "'Brim', 'Skerry'"
    sql = f"select * from (select port, height from tides) t pivot (max(height) as high for port in ({values})) p"
    if name == "tsql":
        sql = sql.replace(" as high", "")
    outputs = [o.name for o in read(name, sql).statements[0].outputs]
    assert outputs == expected


@pytest.mark.parametrize("name", DIALECTS)
def test_two_aggregates_of_a_pivot_are_told_apart(name: str) -> None:
    values = "[Brim]" if name == "tsql" else "'Brim'"
    if name in ("postgresql", "ansi", "mysql", "sqlite", "trino"):
        pytest.skip("has no PIVOT")
    sql = (
        "select * from (select port, height from tides) t"
        f" pivot (max(height) as high, min(height) as low for port in ({values})) p"
    )
    outputs = [o.name for o in read(name, sql).statements[0].outputs]
    assert len(outputs) == 2
    if name != "tsql":
        assert len(set(outputs)) == 2


@pytest.mark.parametrize("name", DIALECTS)
def test_select_into_in_a_procedure_makes_a_table_only_where_it_does(name: str) -> None:
    dialect = DIALECTS[name]
    if dialect.bare_statements:
        body = "create procedure f as begin select port into kept from ports end"
    elif name == "postgresql":
        body = (
            "create function f() returns void language plpgsql as $$ begin select port into kept from ports; end $$"
        )
    elif name == "oracle":
        body = "create procedure f is begin select port into kept from ports; end;"
    else:
        pytest.skip("procedures of another form")
    assert not any(isinstance(node, Unread) for node in parse(body, dialect))
    targets = {link.target for link in read(name, body).links if link.output}
    assert bool(targets) is dialect.tables_in_blocks
