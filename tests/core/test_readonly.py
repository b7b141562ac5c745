"""What may be run over a real database to look at rows, and what may not."""

import pytest

from jalan.change.readonly import MayNotRun, check_reads, checked_filter
from jalan.sql import tree
from jalan.sql.dialects import get_dialect
from jalan.sql.grammar.script import parse


def check(sql: str) -> None:
    (node,) = parse(sql, get_dialect("postgresql"))
    assert isinstance(node, tree.QueryStatement)
    check_reads(node.query, sql)


@pytest.mark.parametrize(
    "sql",
    [
        "select fare, upper(port) from tidy.tickets",
        "with t as (select 1 as a) select coalesce(a, 2), sum(a) over () from t group by a",
        "select extract(year from sold_at), trim(both ' ' from port) from t",
        "select percentile_cont(0.5) within group (order by a) from t",
        "select * from generate_series(1, 3) g",
        "select pg_catalog.lower(port), current_date, x in (select 1) from t",
    ],
)
def test_what_reads_may_run(sql: str) -> None:
    check(sql)


@pytest.mark.parametrize(
    "sql",
    [
        "select pg_read_file('/etc/passwd')",
        "select pg_sleep(1000)",
        "select set_config('transaction_read_only', 'off', false)",
        "select nextval('s')",
        "select query_to_xml('delete from t', true, true, '')",
        "select * from ts_stat('delete from t')",
        "select dblink('a', 'b')",
        "select * from dblink_exec('b')",
        "select ops.refund(1)",
        "select lo_import('/etc/passwd')",
        "select current_setting('jalan.secret')",
        "with d as (delete from t returning a) select a from d",
        "select $1",
        "select (select pg_terminate_backend(1))",
        "select a from t order by pg_sleep(1)",
        "select count(*) filter (where pg_sleep(1) is null) from t",
    ],
)
def test_what_does_more_than_read_may_not(sql: str) -> None:
    with pytest.raises(MayNotRun):
        check(sql)


@pytest.mark.parametrize(
    ("written", "kept"),
    [
        ("fare > 3", "fare > 3"),
        ("sold_on >= '2026-01-01' and port = 'Aln' -- only these", "sold_on >= '2026-01-01' and port = 'Aln'"),
        ("a in (1, 2) /* x */ or b is null", "a in ( 1 , 2 ) or b is null"),
    ],
)
def test_a_filter_is_a_condition_in_its_words_alone(written: str, kept: str) -> None:
    assert checked_filter(written) == kept


@pytest.mark.parametrize(
    "written",
    [
        "1 = 1) union select secret from passwords where (1 = 1",
        "true; drop table t",
        "exists (select 1 from pg_authid)",
        "a = (select passwd from pg_shadow limit 1)",
        "pg_sleep(10) is null",
        "true) order by (1",
        "true) group by (1",
        "/* ",
        "'",
        "a >",
        "",
    ],
)
def test_a_filter_that_is_something_else_is_refused(written: str) -> None:
    with pytest.raises(MayNotRun):
        checked_filter(written)
