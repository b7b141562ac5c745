"""Rules of running a text on paper: each as PostgreSQL has it."""

from collections.abc import Mapping, Sequence

import pytest

from jalan.change import simulation
from jalan.change.catalogue import Catalogue, Refused
from jalan.change.outcome import Kind, Outcome
from jalan.change.proposal import NotSimulated, check
from jalan.change.ran import Ran, Text
from jalan.change.running import run
from jalan.change.simulation import World
from jalan.change.stored import FOREIGN, TABLE
from jalan.change.types import declared_type

TABLES = {"tidy.tickets": ["ticket_id", "fare", "port"], "tidy.ports": ["port", "island"]}


def catalogue(tables: Mapping[str, Sequence[str]] = TABLES, *made: str) -> Catalogue:
    found = Catalogue()
    for name, columns in tables.items():
        found.make(name, TABLE, columns)
    for sql in made:
        assert run(found, Text("before", sql)).failure is None, sql
    return found


def fails(sql: str, *made: str) -> str:
    failure = run(catalogue(TABLES, *made), Text("text", sql)).failure
    assert failure is not None
    return failure.message


def works(sql: str, *made: str) -> tuple[Catalogue, Ran]:
    found = catalogue(TABLES, *made)
    ran = run(found, Text("text", sql))
    assert ran.failure is None, ran.failure
    return found, ran


VIEW = "create view mart.fares as select port, fare from tidy.tickets"


@pytest.mark.parametrize(
    ("sql", "says"),
    [
        ("select berth from tidy.tickets", 'column "berth" does not exist'),
        ("select t.berth from tidy.tickets t", "column t.berth does not exist"),
        ("select x.fare from tidy.tickets t", 'missing FROM-clause entry for table "x"'),
        ("select 1 from tidy.tides", 'relation "tidy.tides" does not exist'),
        ("select port from tidy.tickets, tidy.ports", 'column reference "port" is ambiguous'),
        ("insert into tidy.tickets select 1, 2, 3, 4", "INSERT has more expressions than target columns"),
        ("insert into tidy.tickets (fare) values (1, 2)", "INSERT has more expressions than target columns"),
        ("insert into tidy.tickets (fare, port) select 1", "INSERT has more target columns than expressions"),
        ("with t as (select 1, 2, 3, 4) insert into tidy.tickets select * from t", "INSERT has more expressions"),
        ("insert into tidy.tickets (berth) select 1", 'column "berth" of relation "tickets" does not exist'),
        ("update tidy.tickets set berth = 1", 'column "berth" of relation "tickets" does not exist'),
        ("create table tidy.ports (port int)", 'relation "ports" already exists'),
        ("create table x as select 1 as a, 2 as a", 'column "a" specified more than once'),
        ("drop table tidy.tides", 'relation "tidy.tides" does not exist'),
        ("drop view tidy.ports", '"ports" is not a view'),
        ("truncate tidy.tides", 'relation "tidy.tides" does not exist'),
        ("comment on column tidy.ports.berth is 'x'", 'column "berth" of relation "ports" does not exist'),
        ("comment on table tidy.tides is 'x'", 'relation "tidy.tides" does not exist'),
        ("refresh materialized view mart.tides", 'relation "mart.tides" does not exist'),
        ("alter table tidy.ports add column island text", 'column "island" of relation "ports" already exists'),
        ("alter table tidy.ports drop column berth", 'column "berth" of relation "ports" does not exist'),
        ("alter table tidy.ports rename column port to island", 'column "island" of relation "ports" already'),
        ("alter table tidy.ports rename to tickets", 'relation "tickets" already exists'),
        (
            "merge into tidy.ports p using tidy.tickets t on p.port = t.port "
            "when matched then update set berth = 1",
            'column "berth" of relation "ports" does not exist',
        ),
    ],
)
def test_what_fails_says_what_the_database_says(sql: str, says: str) -> None:
    assert fails(sql).startswith(says)


@pytest.mark.parametrize(
    "sql",
    [
        "drop table if exists tidy.tides",
        "create table if not exists tidy.ports (other int)",
        "insert into tidy.tickets select 1, 2",  # what is left out is null
        "alter table tidy.ports drop column if exists berth",
        "alter table tidy.ports add column if not exists island text",
        "alter table if exists tidy.tides rename to tides_before",
        "create temporary table ports as select port from tidy.ports; select port from ports; drop table ports",
        "select p.port from tidy.ports p join tidy.tickets t using (port)",
        "comment on column tidy.ports.island is 'x'; comment on table tidy.ports is 'y'",
        "set search_path to tidy; select island from ports",
    ],
)
def test_what_the_database_lets_pass_passes(sql: str) -> None:
    works(sql)


def test_a_view_follows_names_and_the_file_that_makes_it_does_not() -> None:
    found, _ = works(
        "alter table tidy.tickets rename column fare to price; alter table tidy.tickets rename to sold", VIEW
    )
    view, table = found.find("mart.fares"), found.find("tidy.sold")
    assert view is not None
    assert table is not None
    assert list(view.columns) == ["port", "fare"]
    assert (table.number, table.columns["price"]) in view.uses
    again = run(found, Text("file", VIEW.replace("create", "create or replace")))
    assert again.failure is not None
    assert again.failure.message == 'relation "tidy.tickets" does not exist'


def test_what_hangs_on_it_holds_a_column_back_or_goes_along() -> None:
    above = "create view mart.sums as select sum(fare) as fare from mart.fares"
    message = "cannot drop column fare of table tidy.tickets because other objects depend on it"
    assert fails("alter table tidy.tickets drop column fare", VIEW, above) == message
    works("alter table tidy.tickets drop column ticket_id", VIEW)  # nobody reads it
    found, ran = works("alter table tidy.tickets drop column fare cascade", VIEW, above)
    assert found.find("mart.fares") is None
    assert found.find("mart.sums") is None
    assert {"mart.fares", "mart.sums"} <= ran.names
    assert fails("drop table tidy.tickets", VIEW).startswith("cannot drop table tidy.tickets")


@pytest.mark.parametrize(
    ("columns", "says"),
    [
        ("port, fare, ticket_id", None),
        ("port", "cannot drop columns from view"),
        ("fare, port", 'cannot change name of view column "port" to "fare"'),
        ("port, fare as price", 'cannot change name of view column "fare" to "price"'),
    ],
)
def test_a_replaced_view_may_only_gain_columns(columns: str, says: str | None) -> None:
    sql = f"create or replace view mart.fares as select {columns} from tidy.tickets"
    failure = run(catalogue(TABLES, VIEW), Text("text", sql)).failure
    assert (None if failure is None else failure.message) == says


def test_a_text_that_fails_has_done_nothing() -> None:
    found = catalogue(TABLES, VIEW)
    before = {one.name: list(one.columns) for one in found}
    script = "drop table tidy.ports; create table a.b as select 1 as c; drop view mart.fares; select nope from a.b"
    assert run(found, Text("text", script)).failure is not None
    assert {one.name: list(one.columns) for one in found} == before
    assert [one.name for one in found.hanging_on(found.find("tidy.tickets").number)] == ["mart.fares"]  # type: ignore[union-attr]


def test_foreign_keys_hold_tables_back() -> None:
    found = catalogue()
    tickets, ports = found.find("tidy.tickets"), found.find("tidy.ports")
    assert tickets is not None
    assert ports is not None
    found.point(tickets, {(ports.number, ports.columns["port"])})
    with pytest.raises(Refused, match="because other objects depend on it"):
        found.drop(ports, cascade=False)
    with pytest.raises(Refused, match="because other objects depend on it"):
        found.drop_column(ports, "port", cascade=False)
    found.drop_column(ports, "island", cascade=False)
    again = run(found, Text("text", "truncate tidy.ports"))
    assert again.failure is not None
    assert run(found, Text("text", "truncate tidy.ports cascade")).filled == {"tidy.ports", "tidy.tickets"}
    # With cascade the key goes, the table stays.
    assert run(found, Text("text", "drop table tidy.ports cascade")).failure is None
    assert found.find("tidy.tickets") is not None


def test_a_foreign_table_fails_only_where_what_is_gone_is_read() -> None:
    found = Catalogue()
    found.make("sales.public.tickets", TABLE, ["id", "fare"])
    found.make(
        "remote.tickets", FOREIGN, ["id", "price"], remote="sales.public.tickets", remote_columns={"price": "fare"}
    )
    view = "create view v.t as select id, price from remote.tickets"
    assert run(found, Text("text", view)).failure is None
    assert run(found, Text("text", "alter table sales.public.tickets drop column fare")).failure is None
    assert run(found, Text("text", "select id from remote.tickets")).failure is None
    assert run(found, Text("text", "select id from v.t")).failure is None
    for sql in ("select price from remote.tickets", "select price from v.t", "create table x as select * from v.t"):
        failure = run(found, Text("text", sql)).failure
        assert failure is not None, sql
        assert (failure.relation, failure.column) == ("sales.public.tickets", "fare")


FILES = [
    Text("facts", "drop table if exists core.facts cascade; create table core.facts as select * from tidy.tickets"),
    Text(
        "sums", "create or replace view mart.sums as select port, sum(fare) as fare from core.facts group by port"
    ),
    Text(
        "kept",
        "create table if not exists core.kept (port text); insert into core.kept select port from tidy.ports",
    ),
    Text("report", "select fare from mart.sums", is_query=True),
]


def outcome(sql: str) -> Outcome:
    return World(catalogue(), FILES).simulate(sql)


def told(found: Outcome) -> dict[str, Kind]:
    return {one.subject: one.kind for one in found.consequences}


def test_a_column_that_is_gone_breaks_its_readers_and_stales_what_they_fill() -> None:
    found = outcome("alter table tidy.tickets drop column fare")
    assert told(found) == {
        "sums": Kind.BREAKS,
        "mart.sums": Kind.GONE,  # the file before it takes the view along
        "report": Kind.BREAKS,
        "core.facts": Kind.SHAPE,
    }
    assert found.untouched == ["facts"]


def test_stars_take_new_columns_along_and_the_rest_is_untouched() -> None:
    found = outcome("alter table tidy.tickets add column berth text")
    assert told(found) == {"core.facts": Kind.SHAPE}
    assert set(found.untouched) == {"facts", "sums", "mart.sums", "report"}
    ambiguous = World(
        catalogue(),
        [Text("join", "drop table if exists a.b; create table a.b as select island from tidy.tickets, tidy.ports")],
    ).simulate("alter table tidy.tickets add column island text")
    assert told(ambiguous) == {"join": Kind.BREAKS, "a.b": Kind.STALE}


def test_what_is_made_anew_heals() -> None:
    for sql in (
        "drop table core.facts cascade",
        "alter table core.facts drop column fare cascade",
        "drop view mart.sums",
    ):
        found = outcome(sql)
        assert found.refused is None
        assert found.consequences == [], sql
    assert (
        outcome("drop table core.facts").refused
        == "cannot drop table core.facts because other objects depend on it"
    )


def test_what_is_emptied_may_change_what_is_made_of_it() -> None:
    found = outcome("truncate tidy.tickets")
    assert told(found) == {
        "core.facts": Kind.ROWS,
        "mart.sums": Kind.ROWS,
        "report": Kind.ROWS,
    }
    assert set(found.untouched) == {"facts", "sums"}
    healed = outcome("truncate core.facts")
    assert healed.consequences == []


def test_what_another_text_drops_each_night_is_gone_where_its_own_fails() -> None:
    texts = [
        Text("landing", "drop table if exists a.ports cascade; create table a.ports as select * from tidy.ports"),
        Text("kept", "create table if not exists a.kept (fare int); insert into a.kept (fare) select 1"),
        Text("view", "create or replace view a.v as select fare, island from a.kept, a.ports"),
        Text("report", "select fare from a.v", is_query=True),
    ]
    found = World(catalogue(), texts).simulate("alter table a.kept rename column fare to price")
    assert told(found) == {
        "kept": Kind.BREAKS,
        "a.kept": Kind.STALE,
        "view": Kind.BREAKS,
        "a.v": Kind.GONE,
        "report": Kind.BREAKS,
    }


def test_asking_changes_nothing_and_what_fails_anyhow_is_not_blamed_on_the_change() -> None:
    world = World(catalogue(), [*FILES, Text("wrong", "select nope from tidy.ports")])
    shapes = {one.name: list(one.columns) for one in world.catalogue}
    first = world.simulate("drop table tidy.ports cascade")
    assert first.failing == ["wrong"]
    assert told(first) == {"kept": Kind.BREAKS, "core.kept": Kind.STALE, "tidy.ports": Kind.GONE}
    world.simulate("alter table tidy.tickets drop column fare")
    assert world.simulate("drop table tidy.ports cascade") == first
    assert {one.name: list(one.columns) for one in world.catalogue} == shapes


@pytest.mark.parametrize(
    "sql",
    [
        "alter table a.b add constraint k unique (c)",
        "drop trigger f on a.b",
        "create index on a.b (c)",
        "create trigger x before insert on a.b execute function f()",
        "alter tabel a.b",
        "",
        "-- nothing",
    ],
)
def test_what_cannot_be_simulated_is_refused_and_not_passed_over(sql: str) -> None:
    with pytest.raises(NotSimulated):
        check(sql)


@pytest.mark.parametrize(
    "sql",
    [
        "alter table a.b drop column c, add column d int",
        "alter table a.b rename to d",
        "drop view a.b cascade",
        "create or replace view a.b as select 1 as c",
        "truncate a.b",
        "delete from a.b",
        "comment on table a.b is 'x'",
    ],
)
def test_what_can_be_simulated_is_let_through(sql: str) -> None:
    check(sql)


def test_another_query_of_a_view_is_followed_column_by_column() -> None:
    files = [
        Text(
            "sums",
            "drop table if exists mart.sums; create table mart.sums as select port, fare * 2 as twice from v",
        ),
        Text("count", "drop table if exists mart.n; create table mart.n as select count(*) as n from v"),
        Text("dear", "drop table if exists mart.dear; create table mart.dear as select port from v where fare > 9"),
        Text("by name", "select twice from mart.sums", is_query=True),
        Text("by port", "select port from mart.sums", is_query=True),
    ]
    view = "create view public.v as select port, fare from tidy.tickets t where ticket_id > 0"

    def of(query: str) -> Outcome:
        return World(catalogue(TABLES, view), files).simulate(f"create or replace view public.v as {query}")

    same = of("SELECT x.port, (x.fare) FROM tidy.tickets AS x WHERE 0 < x.ticket_id")
    assert same.consequences == []
    assert same.differs["public.v"] is not None
    assert same.differs["public.v"].is_none
    values = of("select port, fare + 1 as fare from tidy.tickets where ticket_id > 0")
    assert told(values) == {"mart.sums": Kind.VALUES, "by name": Kind.VALUES, "mart.dear": Kind.ROWS}
    assert [one.columns for one in values.consequences if one.subject == "mart.sums"] == [("twice",)]
    assert {"count", "mart.n", "by port"} <= set(values.untouched)
    rows = of("select port, fare from tidy.tickets where ticket_id > 1")
    assert set(told(rows).values()) == {Kind.ROWS}
    assert {"mart.sums", "mart.n", "mart.dear", "by name", "by port"} == set(told(rows))
    more = of("select port, fare, ticket_id from tidy.tickets where ticket_id > 0")
    assert more.consequences == []


def test_a_view_whose_names_mean_something_else_by_now_may_differ_in_everything() -> None:
    view = "create view public.v as select port, fare from tidy.tickets"
    found = catalogue(TABLES, view)
    swapped = (
        "alter table tidy.tickets rename column fare to f; "
        "alter table tidy.tickets rename column ticket_id to fare; "
        "create or replace view public.v as select port, fare from tidy.tickets"
    )
    ran = run(found, Text("text", swapped), compares=True)
    assert ran.failure is None
    assert ran.differs == {"public.v": None}


def test_what_does_not_run_leaves_what_it_fills_as_it_was() -> None:
    found = World(catalogue(), FILES).simulate("", stopped={"facts"})
    assert told(found) == {"core.facts": Kind.STALE, "mart.sums": Kind.STALE, "report": Kind.STALE}
    assert [one.because for one in found.consequences if one.subject == "core.facts"] == ["facts"]
    assert "sums" in found.untouched  # it runs, over what is stale
    # What another text drops night after night is gone where nothing makes it again.
    found = World(catalogue(), FILES).simulate("", stopped={"sums"})
    assert told(found) == {"mart.sums": Kind.GONE, "report": Kind.BREAKS}
    assert World(catalogue(), FILES).simulate("", stopped={"report"}).consequences == []


@pytest.mark.parametrize(
    ("text", "change", "notices"),
    [
        ("select fare from tidy.tickets", "drop column port", False),
        ("select count(*), fare * 2 from tidy.tickets group by fare", "drop column port", False),
        ("select fare from tidy.tickets", "drop column fare", True),
        ("select fare from tidy.tickets", "add column berth int", False),
        ("select * from tidy.tickets", "add column berth int", True),
        ("select t.* from tidy.tickets t", "drop column port", True),
        ("select distinct on (fare) * from tidy.tickets", "drop column port", True),
        ("drop table if exists a.b; create table a.b as table tidy.tickets", "add column berth int", True),
        ("select (fare) * 2, fare*fare from tidy.tickets", "drop column port", False),
        ("select count(*) from tidy.tickets natural join tidy.ports", "add column island text", True),
        ("insert into tidy.tickets select 1, 2, 3", "drop column port", True),
        ("insert into tidy.tickets (fare) select 2", "drop column port", False),
        ("insert into tidy.tickets (fare) select 2", "drop column fare", True),
        (
            "select 1 from tidy.ports where exists (select 1 from tidy.tickets where island = 'x')",
            "add column island text",
            True,
        ),
        ('select "fare" from tidy.tickets', "drop column fare", True),
        ("create temporary table t (like tidy.tickets)", "drop column port", True),
    ],
)
def test_only_what_may_notice_a_column_is_run_again(
    text: str, change: str, notices: bool, monkeypatch: pytest.MonkeyPatch
) -> None:
    world = World(catalogue(), [Text("it", text)])
    ran = []
    real = simulation.run
    monkeypatch.setattr(simulation, "run", lambda c, t, *a, **k: ran.append(t.place) or real(c, t, *a, **k))  # type: ignore[func-returns-value]
    world.simulate(f"alter table tidy.tickets {change}")
    assert ("it" in ran) is notices


KEYED = (
    "create or replace view mart.ports as select p.port, p.island, count(*) as n from tidy.ports p group by p.port"
)


def keyed(*texts: Text) -> World:
    found = catalogue()
    ports = found.find("tidy.ports")
    assert ports is not None
    found.know_key(ports, "ports_pkey", ["port"], is_primary=True)
    return World(found, texts)


def test_what_a_primary_key_holds_together_falls_apart_without_it() -> None:
    view = keyed(Text("view.sql", KEYED))
    refused = view.simulate("alter table tidy.ports drop constraint ports_pkey").refused
    assert refused == "cannot drop constraint ports_pkey on table tidy.ports because other objects depend on it"
    report = Text("report", KEYED.partition(" as ")[2], is_query=True)
    (broken,) = keyed(report).simulate("alter table tidy.ports drop constraint ports_pkey").consequences
    assert broken.reason == (
        'column "p.island" must appear in the GROUP BY clause or be used in an aggregate function'
    )


@pytest.mark.parametrize(
    "query",
    [
        "select p.port, count(*) from tidy.ports p group by p.port",
        "select p.port, max(p.island) from tidy.ports p group by p.port",
        "select p.port, upper(p.island) from tidy.ports p group by p.port, upper(p.island)",
        "select p.port, p.island as i from tidy.ports p group by 1, i, p.island",
        "select p.port, (select p.island) from tidy.ports p group by p.port, p.island",
    ],
)
def test_what_is_grouped_by_itself_leans_on_no_key(query: str) -> None:
    text = Text("report", query, is_query=True)
    assert keyed(text).simulate("alter table tidy.ports drop constraint ports_pkey").consequences == []


def test_rows_are_found_again_only_by_a_key_that_is_there() -> None:
    text = Text(
        "again.sql", "insert into tidy.ports values ('a', 'b') on conflict (port) do update set island = 'c'"
    )
    outcome = keyed(text).simulate("alter table tidy.ports drop constraint ports_pkey")
    assert [one.reason for one in outcome.consequences if one.kind is Kind.BREAKS] == [
        "there is no unique or exclusion constraint matching the ON CONFLICT specification"
    ]
    by_all = Text("all.sql", "insert into tidy.ports values ('a', 'b') on conflict do nothing")
    assert keyed(by_all).simulate("alter table tidy.ports drop constraint ports_pkey").consequences == []


def test_a_change_is_written_in_the_dialect_of_the_texts() -> None:
    """What a type or a key means there is not known, so nothing is said to break because of it."""
    found = Catalogue()
    types = {"FARE": declared_type("integer"), "PORT": declared_type("text")}
    found.make("TIDY.TICKETS", TABLE, types, types)
    text = Text(
        "daily.sql",
        "create or replace table core.daily as select port || fare as x, iff(fare > '1', fare, 0) as f "
        "from tidy.tickets qualify row_number() over (order by fare) = 1",
        ("PUBLIC",),
        "snowflake",
    )
    world = World(found, [text])
    assert world.dialect == "snowflake"
    outcome = world.simulate('alter table tidy."TICKETS" drop column Port')
    assert outcome.consequences[0].reason == 'column "port" does not exist'
    assert outcome.consequences[0].kind is Kind.BREAKS
    retyped = world.simulate("alter table tidy.tickets alter column fare set data type variant")
    assert retyped.refused is None
    assert [one.kind for one in retyped.consequences if one.kind is Kind.BREAKS] == []


FARES = "create or replace function ops.fares(p text) returns bigint language {} as $$ {} $$"
SQL = FARES.format("sql", "select sum(fare) from tidy.tickets where port = p")
BLOCK = FARES.format("plpgsql", "declare f bigint; begin select sum(fare) into f from tidy.tickets; return f; end")


def with_routine(sql: str, *texts: Text) -> World:
    return World(catalogue(TABLES, sql), texts)


@pytest.mark.parametrize("sql", [SQL, BLOCK])
def test_a_body_breaks_when_it_is_called(sql: str) -> None:
    caller = Text("caller", "select port, ops.fares(port) from tidy.ports", is_query=True)
    other = Text("other", "select port from tidy.ports", is_query=True)
    outcome = with_routine(sql, caller, other).simulate("alter table tidy.tickets drop column fare")
    assert outcome.refused is None  # nothing hangs on what stands in a body
    assert [(one.kind, one.subject) for one in outcome.consequences] == [(Kind.BREAKS, "caller")]
    assert outcome.consequences[0].reason == 'column "fare" does not exist, in ops.fares, which is called here'


def test_what_a_function_reads_comes_through_it() -> None:
    caller = Text(
        "caller.sql", "drop table if exists core.x; create table core.x as select ops.fares(port) from tidy.ports"
    )
    outcome = with_routine(SQL, caller).simulate("", delivers={"tidy.tickets": frozenset({"fare"})})
    assert [one.subject for one in outcome.consequences if one.kind in (Kind.ROWS, Kind.VALUES)] == ["core.x"]


def test_a_function_that_is_dropped_or_made_otherwise_is_noticed_by_its_callers() -> None:
    caller = Text("caller", "select port, ops.fares(port) from tidy.ports", is_query=True)
    gone = with_routine(SQL, caller).simulate("drop function ops.fares(text)")
    assert [one.reason for one in gone.consequences] == ["function ops.fares(…) does not exist"]
    view = Text("view.sql", "create or replace view mart.v as select ops.fares(port) as f from tidy.ports")
    refused = with_routine(SQL, view).simulate("drop function ops.fares").refused
    assert refused == "cannot drop function ops.fares(text) because other objects depend on it"
    missing = with_routine(SQL).simulate("drop function ops.tolls").refused
    assert missing == 'could not find a function named "ops.tolls"'
    wrong = FARES.format("sql", "select sum(toll) from tidy.tickets")
    assert with_routine(SQL, caller).simulate(wrong).refused == 'column "toll" does not exist'
    later = FARES.format("plpgsql", "begin return (select sum(toll) from tidy.tickets); end")
    broken = with_routine(SQL, caller).simulate(later)
    assert broken.refused is None
    assert [one.reason for one in broken.consequences] == [
        'column "toll" does not exist, in ops.fares, which is called here'
    ]


def test_a_function_that_a_text_makes_otherwise_is_noticed_by_its_callers() -> None:
    maker = Text("maker.sql", BLOCK)
    caller = Text("caller", "select port, ops.fares(port) from tidy.ports", is_query=True)
    world = World(catalogue(TABLES), [maker, caller])
    broken = world.simulate("", edited={"maker.sql": BLOCK.replace("sum(fare)", "sum(toll)")})
    assert [(one.kind, one.subject) for one in broken.consequences] == [(Kind.BREAKS, "caller")]
    other = world.simulate("", edited={"maker.sql": BLOCK.replace("sum(fare)", "min(fare)")})
    assert [(one.kind, one.subject) for one in other.consequences] == [(Kind.ROWS, "caller")]
    assert other.consequences[0].reason == "it reads ops.fares(text), which is made otherwise"
    # What is wrong with a function anyhow, also one that a text replaces, is no fault of a change.
    usual = World(catalogue(TABLES, SQL), [Text("maker.sql", BLOCK.replace("sum(fare)", "sum(toll)")), caller])
    assert usual.simulate("alter table tidy.ports add column pier text").failing == []
    # Of the change itself nothing is left: the text makes the function as it was.
    healed = world.simulate(BLOCK.replace("sum(fare)", "min(fare)"))
    assert (healed.consequences, healed.untouched) == ([], ["caller"])
