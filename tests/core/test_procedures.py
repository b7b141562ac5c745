"""Bodies of procedures: what flows through variables, branches, loops, results and text that is run.

The cases stand in ``tests/corpus/procedures.txt``, in the notation of the corpora; a heading is the dialect and what
the case is about.
"""

import pytest

from jalan import extract
from tests.core.corpus import TABLES, procedures, rendered


@pytest.mark.parametrize(
    ("dialect", "title", "sql", "expected"), procedures(), ids=[case[1] for case in procedures()]
)
def test_a_body_is_followed(dialect: str, title: str, sql: str, expected: list[str]) -> None:
    assert rendered(extract(sql, dialect=dialect, tables=TABLES)) == expected


def test_dynamic_text_is_reported_on_the_very_expression() -> None:
    sql = "do $$ declare t text; begin select port into t from ports; execute 'delete from ' || t; end $$"
    (said,) = [d for d in extract(sql, tables=TABLES).diagnostics if d.level == "warning"]
    assert (said.code, sql[slice(*said.span)]) == ("dynamic_sql", "'delete from ' || t")


def test_links_of_text_that_is_run_point_at_the_characters_in_the_strings() -> None:
    sql = "do $$ begin execute 'insert into crew (name) select na' || 'me from ports where island = ''x'''; end $$"
    found = extract(sql, tables=TABLES)
    spans = {(link.column, sql[slice(*link.span)]) for link in found.links}
    assert spans == {("name", "na' || 'me"), ("island", "island")}


def test_a_body_that_cannot_be_read_says_where_and_leaves_the_rest() -> None:
    sql = "create function f() returns int language plpgsql as $$ begin if then x; end if; end $$; select port from ports"
    found = extract(sql, tables=TABLES)
    (said,) = [d for d in found.diagnostics if d.level == "warning"]
    assert (said.code, sql[slice(*said.span)]) == ("routine_not_read", "then")
    assert [(link.table, link.column) for link in found.links] == [("ports", "port")]


def test_a_statement_of_a_body_that_cannot_be_read_leaves_the_others_of_the_body() -> None:
    sql = (
        "create procedure p() language plpgsql as $$ begin insert into crew (name) select name from ports; "
        "retrun 1; insert into crew (port) select port from ports; end $$"
    )
    found = extract(sql, tables=TABLES)
    (said,) = [d for d in found.diagnostics if d.level == "error"]
    assert (said.code, sql[slice(*said.span)]) == ("syntax_error", "retrun")
    assert [(link.output, link.column) for link in found.links] == [("name", "name"), ("port", "port")]


@pytest.mark.parametrize("loop", [False, True])
def test_what_is_wrong_in_a_change_with_returning_into_is_told_once(loop: bool) -> None:
    change = (
        "insert into ports (port) select nosuch from crew returning port into v; insert into log (p) values (v);"
    )
    body = f"for i in 1..3 loop {change} end loop;" if loop else change
    found = extract(f"declare v int; begin {body} end;", dialect="oracle", tables={"CREW": ["NAME"]})
    assert [d.code for d in found.diagnostics if d.level != "info"] == ["unknown_column"]
    assert [(link.target, link.output, link.table) for link in found.links] == [("LOG", "P", "PORTS")]


def test_a_body_in_another_language_is_not_taken_for_sql() -> None:
    found = extract("create function f() returns int language plpython3u as $$ return 1 $$")
    assert [d.message for d in found.diagnostics] == ["the body is in plpython3u"]


def test_perform_ends_like_any_query() -> None:
    (found,) = extract(
        "create procedure p() language plpgsql as $$ begin "
        "perform note(x) from t where y > 1 order by z offset 2 fetch first 3 rows only; end $$"
    ).statements
    assert found.uses == {("t", "x"), ("t", "y"), ("t", "z")}
    assert [d.code for d in found.diagnostics] == ["unknown_table"]
