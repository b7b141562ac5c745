"""The stable face: jalan.extract and jalan.extract_many."""

import os
import pickle
import threading
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from jalan import Extraction, Item, extract, extract_many
from jalan.lineage.model import Output, Source
from jalan.lineage.packing import PackedExtraction, pack, unpack
from jalan.sql.identifiers import Name

TABLES = {"public.tickets": ["ticket_id", "fare", "status"], "core.sailings": ["sailing_id", "route_id"]}


def _values(output: Output) -> list[str]:
    return [f"{source.table}.{source.column}" for source in output.values]


def _only(sql: str, **arguments: object) -> list[Output]:
    return extract(sql, **arguments).statements[-1].outputs  # type: ignore[arg-type]


def test_a_source_is_named_by_the_key_under_which_the_table_was_given() -> None:
    assert _values(_only("select fare from tickets", tables=TABLES)[0]) == ["public.tickets.fare"]
    assert _values(_only("select fare from public.tickets", tables=TABLES)[0]) == ["public.tickets.fare"]
    assert _values(_only("select Fare from TICKETS", tables={"Tickets": ["Fare"]})[0]) == ["Tickets.Fare"]


def test_an_unknown_table_is_named_as_written_and_folded() -> None:
    found = extract("select Height from Tides.Gauge")
    assert _values(found.statements[0].outputs[0]) == ["tides.gauge.height"]
    assert [(d.code, d.level) for d in found.diagnostics] == [("unknown_table", "info")]


def test_unqualified_names_are_looked_up_along_the_search_path() -> None:
    outputs = _only("select route_id from sailings", tables=TABLES, search_path=["mart", "core"])
    assert _values(outputs[0]) == ["core.sailings.route_id"]
    outputs = _only("set search_path to core; select route_id from sailings", tables=TABLES)
    assert _values(outputs[0]) == ["core.sailings.route_id"]


def test_spans_are_the_very_characters() -> None:
    sql = "select t.fare + t.fare as twice\nfrom tickets t where t.status = 'sold'"
    statement = extract(sql, tables=TABLES).statements[0]
    (source,) = statement.outputs[0].values
    assert [sql[a:b] for a, b in source.spans] == ["t.fare", "t.fare"]
    assert source.span == source.spans[0] == (7, 13)
    condition = statement.row_conditions[0]
    assert sql[slice(*condition.span)] == "t.status"
    assert sql[slice(*statement.outputs[0].span)] == "t.fare + t.fare"
    assert statement.span == (0, len(sql))


def test_kinds_and_targets() -> None:
    script = """
        create view a as select 1; create materialized view b as select 1; create table c as select 1;
        create table d (x int); insert into d values (1); update d set x = 2; delete from d;
        merge into d using c on true when matched then delete; truncate d; drop table d; select 1;
        select 1 as x into e; alter table e add column y int; vacuum
    """
    found = [(s.kind, s.target) for s in extract(script).statements]
    assert found == [
        ("create_view", "a"), ("create_materialized_view", "b"), ("create_table_as", "c"), ("create_table", "d"),
        ("insert", "d"), ("update", "d"), ("delete", "d"), ("merge", "d"), ("truncate", "d"), ("drop_table", "d"),
        ("select", None), ("create_table_as", "e"), ("alter_table", "e"), ("vacuum", None),
    ]  # fmt: skip


def test_it_never_raises_on_bad_sql_and_reads_the_rest() -> None:
    found = extract("select fare from tickets; selekt; select status from tickets", tables=TABLES)
    assert [s.outputs[0].name for s in found.statements] == ["fare", "status"]
    (problem,) = found.diagnostics
    assert (problem.code, problem.level, problem.span) == ("syntax_error", "error", (26, 32))
    assert problem.hint


@pytest.mark.parametrize(
    ("sql", "code", "level"),
    [
        ("select nothing from tickets", "unknown_column", "error"),
        ("select t.nothing from tickets t", "unknown_column", "error"),
        ("select x.fare from tickets t", "unknown_table_reference", "error"),
        ("select fare from tickets union select 1, 2", "uneven_set_operation", "error"),
        ("insert into tickets (fare) select 1, 2", "uneven_insert", "error"),
        ("select * from unheard_of", "star_of_unknown_table", "warning"),
        ("select height from gauge_a, gauge_b", "ambiguous_column", "warning"),
        ("insert into unheard_of select fare from tickets", "unknown_insert_columns", "warning"),
        ("call nightly()", "not_followed", "warning"),
        ("select sum(fare) over missing from tickets", "unknown_window", "error"),
    ],
)
def test_what_cannot_be_resolved_is_said(sql: str, code: str, level: str) -> None:
    found = extract(sql, tables=TABLES)
    problem = next(d for d in found.diagnostics if d.code == code)
    assert problem.level == level
    assert sql[slice(*problem.span)]


def test_an_ambiguous_column_links_every_candidate() -> None:
    assert _values(_only("select height from gauge_a, gauge_b")[0]) == ["gauge_a.height", "gauge_b.height"]


def test_a_star_of_an_unknown_table_is_a_star_until_a_column_is_asked_for() -> None:
    assert _values(_only("select * from gauge")[0]) == ["gauge.*"]
    assert _values(_only("select x.height from (select * from gauge) x")[0]) == ["gauge.height"]


@pytest.mark.parametrize(
    ("expression", "name"),
    [
        ("fare", "fare"), ("sum(fare)", "sum"), ("fare + 1", "?column?"), ("fare::text", "fare"),
        ("1::int", "int4"),
        ("case when true then 1 end", "case"), ("coalesce(fare, 1)", "coalesce"), ("exists (select 1)", "exists"),
        ("(select max(fare) from tickets)", "max"), ("extract(year from now())", "extract"),
    ],
)  # fmt: skip
def test_outputs_have_the_names_that_the_database_gives(expression: str, name: str) -> None:
    assert _only(f"select {expression} from tickets", tables=TABLES)[0].name == name


def test_scripts_see_the_state_of_tables_at_each_point() -> None:
    script = """
        create table a (x int, y int);
        create view first as select * from a;
        alter table a add column z int;
        alter table a rename column x to w;
        create view second as select * from a;
    """
    statements = extract(script).statements
    views = {s.target: [o.name for o in s.outputs] for s in statements if s.kind == "create_view"}
    assert views == {"first": ["x", "y"], "second": ["w", "y", "z"]}


def test_an_intermediate_that_is_written_twice_carries_both() -> None:
    script = """
        create temp table mixed (v int);
        insert into mixed select fare from tickets;
        insert into mixed select sailing_id from core.sailings where route_id = 'R1';
        create table result as select v, count(*) over () as n from mixed;
    """
    found = extract(script, tables=TABLES)
    assert found.intermediates == ["mixed"]
    last = [(k.output, f"{k.table}.{k.column}", k.kind) for k in found.links if k.target == "result"]
    assert last == [
        ("v", "public.tickets.fare", "value"),
        ("v", "core.sailings.sailing_id", "value"),
        (None, "core.sailings.route_id", "condition"),
    ]


def test_a_source_is_the_same_however_often_it_is_extracted() -> None:
    sql = "select distinct fare, (select max(s.sailing_id) from core.sailings s) from tickets"
    assert extract(sql, tables=TABLES) == extract(sql, tables=TABLES)
    (found,) = _only("select fare from tickets", tables=TABLES)[0].values
    assert found == Source("public.tickets", "fare", "identity", (7, 11), ((7, 11),))


def test_a_batch_comes_back_in_order_with_any_number_of_workers() -> None:
    items = [Item(f"select c{i} from t", tables={"t": [f"c{i}"]}) for i in range(20)] + ["selec"]
    alone = extract_many(items, workers=1)
    assert [e.statements[0].outputs[0].name for e in alone[:-1]] == [f"c{i}" for i in range(20)]
    assert alone[-1].diagnostics[0].code == "syntax_error"
    assert extract_many(items, workers=2) == alone


WORDS = st.sampled_from(
    """select from where group by order having ( ) , . * + - = ; 'x' 1 a b t case when then else end join on using
    natural left lateral union all with as recursive insert into values update set delete merge over partition [ ]
    :: "Q" $$ $1 create view table exists in not between and array row cast distinct limit null {{ \x00""".split()
)


@settings(max_examples=400, deadline=None)
@given(st.lists(WORDS, max_size=40))
def test_no_sequence_of_words_raises(words: list[str]) -> None:
    text = " ".join(words)
    found = extract(text, tables={"t": ["a", "b"]})
    for problem in found.diagnostics:
        assert 0 <= problem.span[0] <= problem.span[1] <= len(text)


@pytest.mark.parametrize(
    "sql",
    [
        "select " + "+".join(["a"] * 20_000) + " from t",
        "select a from t where a in (" + ",".join(["1"] * 50_000) + ")",
        " union all ".join(["select a from t"] * 3_000),
        "with " + ", ".join(f"c{i} as (select a from {'t' if i == 0 else f'c{i - 1}'})" for i in range(500))
        + " select a from c499",
        "select " + "not " * 5_000 + "a from t",
        "select " + "-" * 100_000 + "a from t",
        "select " + "case when a then " * 3_000 + "1" + " end" * 3_000,
        "(" * 5_000 + "select 1" + ")" * 5_000,
        "select a" + "[1]" * 5_000 + " from t",
        "select a" + "::int" * 5_000 + " from t",
    ],
    ids=["sum", "in", "union", "ctes", "not", "signs", "case", "parentheses", "subscripts", "casts"],
)  # fmt: skip
def test_long_and_deep_texts_are_read_or_refused_but_never_crash(sql: str) -> None:
    found = extract(sql, tables={"t": ["a"]})
    assert found.statements or found.diagnostics[0].code == "too_deep"


@pytest.mark.skipif("JALAN_COMPILED" not in os.environ, reason="only for the run with the compiled modules")
def test_this_run_is_of_the_compiled_modules() -> None:
    from jalan.lineage.resolve import queries as relations
    from jalan.sql.grammar import expressions

    assert {Path(module.__file__ or "").suffix for module in (expressions, relations)} == {".so"}


def test_a_packed_extraction_is_like_any_other() -> None:
    whole = extract(
        "create temp table x as select fare as f from tickets; select f + 1 as g from x; selec", tables=TABLES
    )
    (packed,) = unpack(pack([whole]))
    assert isinstance(packed, PackedExtraction)
    assert pickle.loads(pickle.dumps(packed)) == packed == whole
    assert (packed == "another thing") is False
    assert repr(packed).partition("(")[2] == repr(whole).partition("(")[2]
    assert packed.statements[1].diagnostics == whole.statements[1].diagnostics
    assert all(a is b for a, b in zip(packed.statements[0].diagnostics, packed.diagnostics, strict=False))
    with pytest.raises(AttributeError):
        _ = packed.nothing  # type: ignore[attr-defined]
    named = Extraction([], [], [], [Name("Port")])
    assert unpack(pack([named])) == [named]


def test_a_batch_is_read_by_processes_also_where_threads_run() -> None:
    go = threading.Event()
    other = threading.Thread(target=go.wait)
    other.start()
    try:
        found = extract_many(["select a from t", "select b from t"], workers=2)
    finally:
        go.set()
        other.join()
    assert [e.statements[0].uses for e in found] == [{("t", "a")}, {("t", "b")}]
