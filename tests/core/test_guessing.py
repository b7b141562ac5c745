"""Guessing the dialect of a text."""

import pytest

from jalan import extract
from jalan.sql.dialects import DIALECTS
from jalan.sql.dialects.detection import guess_dialect
from tests.core.corpus import cases


@pytest.mark.parametrize(
    ("sql", "dialect"),
    [
        ("select a, b from t where c = 1", "postgresql"),
        ("select distinct on (a) a::int from t where b ->> 'x' = 'y'", "postgresql"),
        (
            "select `a` from `t` on duplicate key update x = 1; insert into t set a = 1 on duplicate key update a = 2",
            "mysql",
        ),
        ("select top 5 [a] from [dbo].[t] with (nolock)\ngo\n", "tsql"),
        ("select a from t lateral view explode(b) x as c; insert overwrite table u select 1", "spark"),
        ("select v:a.b::int from t, lateral flatten(input => t.v) f", "snowflake"),
        ("select * except (a) from `my-project.core.t`, unnest(b) as c with offset", "bigquery"),
        ("select nvl(a, 0) from t, dual where t.b = u.b(+) and rownum < 5", "oracle"),
        ("from 'x.parquet' select * exclude (a)", "duckdb"),
        ("pragma foreign_keys = on; create table t (a integer primary key autoincrement) without rowid", "sqlite"),
        ("create table t (a int) diststyle key distkey (a) sortkey (a)", "redshift"),
        ("select a from t cross join unnest(b) as x (c) where try(d) is null", "trino"),
    ],
)
def test_a_typical_text_is_recognised(sql: str, dialect: str) -> None:
    assert guess_dialect(sql).dialect == dialect


def test_a_whole_corpus_is_recognised() -> None:
    guesses = {name: guess_dialect(";\n".join(case.sql for case in cases(name))).dialect for name in DIALECTS}
    assert {name: guess for name, guess in guesses.items() if name != guess and name != "ansi"} == {}


def test_the_guess_and_its_reasons_are_said() -> None:
    found = extract("select 1;\nselect top 3 port from [dbo].[ports]", dialect="auto")
    assert found.dialect == "tsql"
    (said,) = [d for d in found.diagnostics if d.code == "guessed_dialect"]
    assert said.message == "read as tsql: TOP (line 2), names in brackets (line 2)"
    assert [(link.table, link.column) for link in found.links] == [("dbo.ports", "port")]
