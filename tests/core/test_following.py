"""Calls of routines that another text defines: followed, and placed where the call stands."""

import pytest

from jalan import Extraction, extract
from jalan.lineage.following import called_names, extract_following, routines_of

TABLES = {"core.fares": ["fare", "port"], "mart.gross": ["g", "p"]}
REFRESH = (
    "create procedure mart.refresh() language sql as $$ insert into mart.gross select fare, port from core.fares $$"
)
OUTER = "create procedure mart.nightly() language plpgsql as $$ begin call mart.refresh(); end $$"
ROWS_OF = (
    "create function mart.rows_of(n int) returns table(a int, b int) language sql as "
    "$$ select fare * n, port from core.fares $$"
)
ROUTINES = {"refresh": REFRESH, "nightly": OUTER, "rows_of": ROWS_OF}
GROSS = {("core.fares", "fare", "mart.gross", "g"), ("core.fares", "port", "mart.gross", "p")}


def _read(sql: str, dialect: str = "postgresql") -> Extraction:
    return extract_following(sql, ROUTINES, dialect=dialect, tables=TABLES)


def _links(found: Extraction) -> set[tuple[str, str, str | None, str | None]]:
    return {(link.table, link.column, link.target, link.output) for link in found.links}


@pytest.mark.parametrize("sql", ["call mart.refresh()", "select 1;\ncall mart.nightly();", 'call "mart".refresh()'])
def test_what_a_called_procedure_writes_is_written_by_the_call(sql: str) -> None:
    found = _read(sql)
    assert _links(found) == GROSS
    assert not found.diagnostics
    for link in found.links:
        assert {sql[start:end].replace('"', "") for start, end in link.spans} <= {"mart.refresh", "mart.nightly"}
        assert found.statements[link.statement].target == "mart.gross"
    assert all(0 <= start < end <= len(sql) for start, end in (s.span for s in found.statements))


def test_what_a_called_function_returns_flows_on() -> None:
    found = _read("insert into mart.gross select a, p from mart.rows_of(2), (select 1 as p) x")
    assert ("core.fares", "fare", "mart.gross", "g") in _links(found)
    (link,) = [link for link in found.links if link.column == "fare"]
    assert link.how == "transformation"


def test_what_the_text_itself_defines_comes_first() -> None:
    sql = REFRESH.replace("fare, port", "port, port") + "; call mart.refresh();"
    assert _links(_read(sql)) == {
        ("core.fares", "port", "mart.gross", "g"),
        ("core.fares", "port", "mart.gross", "p"),
    }


def test_what_nobody_defines_is_still_told() -> None:
    found = _read("call mart.unheard()")
    assert [d.code for d in found.diagnostics] == ["not_followed"]


def test_what_is_wrong_in_a_routine_is_told_where_it_is_defined_and_not_where_it_is_called() -> None:
    broken = {
        "broken": "create procedure broken() language sql as $$ select fr om x; insert into mart.gross select 1 $$"
    }
    found = extract_following("call broken()", broken, dialect="postgresql", tables=TABLES)
    assert all(0 <= d.span[0] <= d.span[1] <= len("call broken()") for d in found.diagnostics)


def test_a_circle_of_calls_ends() -> None:
    routines = {n: f"create procedure {n}() language sql as $$ call {m}() $$" for n, m in (("a", "b"), ("b", "a"))}
    assert not extract_following("call a()", routines, dialect="postgresql").links


def test_routines_and_calls_are_found() -> None:
    text = f"{REFRESH};\n{ROWS_OF}; select f(g(1)) from t where x in (select 2); exec dbo.[Load It]"
    assert set(routines_of(text, extract(text, tables=TABLES))) == {"refresh", "rows_of"}
    assert {"f", "g", "load it"} <= called_names(text)
    twice = f"{REFRESH}; {REFRESH.replace('fare', 'port')}"
    assert routines_of(twice, extract(twice)) == {}
