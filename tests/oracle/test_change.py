"""What a change does, against PostgreSQL: the change is really made in a copy, and everything is run after it."""

import os
import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from types import MappingProxyType

import psycopg
import pytest

from jalan.change.outcome import Kind, Outcome
from jalan.change.ran import Text
from jalan.change.simulation import World
from jalan.demo import scenario
from jalan.sql import tree
from jalan.sql.dialects import get_dialect
from jalan.sql.grammar.script import Unread, parse
from tests.conftest import NIGHTLY, Demo
from tests.core.test_respelling import other_case, parenthesized
from tests.oracle.warehouse import scratch, texts, world_of

_CONTENT = "md5(coalesce(string_agg({0}::text, chr(10) order by {0}::text), ''))"
_SHAPES = """
select n.nspname, c.relname, array_agg(a.attname::text order by a.attnum)
from pg_class c join pg_namespace n on n.oid = c.relnamespace join pg_attribute a on a.attrelid = c.oid
where n.nspname in ('landing', 'tidy', 'core', 'mart') and c.relkind in ('r', 'v', 'm')
and a.attnum > 0 and not a.attisdropped group by 1, 2
"""


@dataclass(slots=True)
class Night:
    """What really happened.

    refused: what the database said to the change itself. failed: place → what it said. over_data: places that
    failed over what the rows held, which nobody can know beforehand. contents: of each column, and under no name of
    the whole rows.
    """

    refused: str | None = None
    failed: dict[str, str] = field(default_factory=dict)
    over_data: set[str] = field(default_factory=set)
    shapes: dict[str, list[str]] = field(default_factory=dict)
    contents: dict[str, dict[str, str]] = field(default_factory=dict)


def really(
    demo: Demo,
    word: str,
    database: str,
    change: str | None,
    stopped: str | None = None,
    edited: Mapping[str, str] = MappingProxyType({}),
) -> Night:
    """Make a change in copies of the databases, then run and ask all but what is stopped, as it is edited."""
    found = Night()
    with scratch(demo.cluster, word) as held:
        if change is not None:
            try:
                held[database].execute(change.encode())
            except psycopg.Error as error:
                if (error.sqlstate or "")[:2] in ("22", "23"):
                    found.over_data.add(change)
                else:
                    found.refused = str(error.diag.message_primary)
                return found
        warehouse = held[scenario.WAREHOUSE]
        for text in (one for one in texts() if one.place != stopped):
            try:
                with warehouse.transaction():
                    warehouse.execute(edited.get(text.place, text.text).encode())
            except psycopg.Error as error:
                if (error.sqlstate or "")[:2] in ("22", "23"):
                    found.over_data.add(text.place)
                else:
                    found.failed[text.place] = str(error.diag.message_primary)
        for schema, name, columns in warehouse.execute(_SHAPES).fetchall():
            found.shapes[f"{schema}.{name}"] = columns
            asked = ", ".join(_CONTENT.format(one) for one in ("t", *(f't."{column}"' for column in columns)))
            try:
                row = warehouse.execute(f'select {asked} from "{schema}"."{name}" t'.encode()).fetchone()
                found.contents[f"{schema}.{name}"] = dict(zip(("", *columns), row or (), strict=False))
            except psycopg.Error as error:
                found.contents[f"{schema}.{name}"] = {"": str(error.diag.message_primary)}
    return found


def changes(world: World) -> Iterator[tuple[str, str]]:
    """Every column dropped once, with and without what hangs on it; tables dropped, renamed and emptied; columns
    renamed and added; views of what is not there. Database and SQL."""
    for relation in world.catalogue:
        parts = relation.name.split(".")
        database = parts[0] if len(parts) > 2 else scenario.WAREHOUSE
        name = ".".join(parts[-2:])
        if parts[0] == "remote":
            continue
        word = "view" if relation.kind == "view" else "materialized view" if relation.is_query else "table"
        yield database, f"drop {word} {name}"
        yield database, f"drop {word} {name} cascade"
        yield database, f"alter {word} {name} rename to {parts[-1]}_before"
        if relation.is_query:
            if word == "view":
                columns = ", ".join(f'"{column}"' for column in relation.columns)
                yield database, f"create or replace view {name} as select {columns} from {name}_base limit 1"
                if database == scenario.WAREHOUSE and relation.query is not None:
                    for query in edited(relation.query.text):
                        yield database, f"create or replace view {name} as {query}"
            continue
        yield database, f"truncate {name}"
        yield database, f"truncate {name} cascade"
        yield database, f"alter table {name} add column wind_force int"
        for column in relation.columns:
            yield database, f"alter table {name} drop column {column}"
            yield database, f"alter table {name} drop column {column} cascade"
            yield database, f"alter table {name} rename column {column} to {column}_before"


def retyped(world: World) -> Iterator[tuple[str, str]]:
    """Each column of what comes from outside, and of the warehouse's own tables, with other types."""
    for relation in world.catalogue:
        parts = relation.name.split(".")
        database = parts[0] if len(parts) > 2 else scenario.WAREHOUSE
        name = ".".join(parts[-2:])
        if parts[0] == "remote" or relation.kind != "table":
            continue
        for column in relation.columns:
            for type_ in ("text", "bigint", "numeric", "varchar(60)"):
                yield database, f"alter table {name} alter column {column} type {type_}"
            yield database, f"alter table {name} alter column {column} type jsonb using to_jsonb({column})"
            yield database, f"alter table {name} alter column {column} type boolean using {column} is not null"


def keys_dropped(world: World) -> Iterator[tuple[str, str]]:
    """Each key and function dropped, with and without what hangs on it."""
    for relation in world.catalogue:
        parts = relation.name.split(".")
        database = parts[0] if len(parts) > 2 else scenario.WAREHOUSE
        for name in relation.keys:
            yield database, f"alter table {'.'.join(parts[-2:])} drop constraint {name}"
            yield database, f"alter table {'.'.join(parts[-2:])} drop constraint {name} cascade"
    for name in sorted({one.name for one in world.catalogue.routines}):
        database, _, short = name.partition(".") if name.count(".") > 1 else (scenario.WAREHOUSE, "", name)
        yield database, f"drop function {short}"
        yield database, f"drop function {short} cascade"


def edited(query: str) -> Iterator[str]:
    """A view's query written otherwise, with fewer rows, and with each of its columns computed otherwise."""
    query = query.strip().rstrip(";")
    yield other_case("postgresql", parenthesized("postgresql", query))
    yield f"{query} limit 1"
    (node,) = parse(query, get_dialect("postgresql"))
    assert isinstance(node, tree.QueryStatement)
    if not isinstance(node.query.body, tree.Select):
        return
    for item in node.query.body.items:
        one, name = item.expression, item.alias
        if isinstance(one, tree.Column):
            name = name or one.parts[-1]
        if name is not None and not isinstance(one, tree.Star):
            written = query[one.start : one.end]
            otherwise = f"nullif({written}, {written}) as {name}"
            yield query[: item.start] + otherwise + query[item.end :]


def chosen(every: list[tuple[str, str]]) -> list[tuple[str, str]]:
    """A few of them in each run of all tests, all of them at night."""
    return every if NIGHTLY else every[:: max(1, len(every) // 9)]


@pytest.fixture(scope="module")
def world(demo: Demo) -> World:
    return world_of(demo.cluster)


def test_what_is_said_of_a_change_is_what_happens(demo: Demo, world: World) -> None:
    assert [text.place for text, ran in zip(world.texts, world.ran, strict=True) if ran.failure] == []
    usual = really(demo, "usual", scenario.WAREHOUSE, None)
    assert usual.failed == {}
    wrong = []
    for number, (database, change) in enumerate(chosen(list(changes(world)))):
        here = change if database == scenario.WAREHOUSE else _elsewhere(change, database)
        said = world.simulate(here)
        done = really(demo, f"{os.getpid()}_{number}", database, change)
        wrong += [f"{change}: {one}" for one in differences(said, done, usual)]
    assert wrong == []


def test_what_is_said_of_another_type_is_what_happens(demo: Demo, world: World) -> None:
    usual = really(demo, "usual_types", scenario.WAREHOUSE, None)
    every = [*retyped(world), *keys_dropped(world)]
    wrong = []
    for number, (database, change) in enumerate(every if NIGHTLY else every[3 :: len(every) // 7]):
        here = change if database == scenario.WAREHOUSE else _elsewhere(change, database)
        said = world.simulate(here)
        done = really(demo, f"{os.getpid()}_types_{number}", database, change)
        wrong += [f"{change}: {one}" for one in differences(said, done, usual)]
    assert wrong == []


def test_what_is_said_where_a_text_does_not_run_is_what_happens(demo: Demo, world: World) -> None:
    usual = really(demo, "usual_again", scenario.WAREHOUSE, None)
    places = [text.place for text in texts() if not text.is_query]
    wrong = []
    for number, place in enumerate(places if NIGHTLY else places[3::11]):
        said = world.simulate("", stopped={place})
        done = really(demo, f"{os.getpid()}_stopped_{number}", scenario.WAREHOUSE, None, place)
        wrong += [f"{place}: {one}" for one in differences(said, done, usual)]
    assert wrong == []


def edits_of(text: Text) -> Iterator[str]:
    """A text written otherwise; without each of its statements; each of its queries with fewer rows and with each
    of its outputs computed otherwise; conditions of what it updates and deletes turned round."""
    yield other_case("postgresql", parenthesized("postgresql", text.text))
    for node in parse(text.text, get_dialect("postgresql")):
        if isinstance(node, Unread):
            continue
        before, after = text.text[: node.start], text.text[node.end :]
        yield before + ("select 1" if after.strip().startswith(";") else "") + after
        query = getattr(node, "query", None)
        if query is not None:
            cut = text.text[query.start : query.end]
            yield f"{text.text[: query.start]}select * from ({cut}) q limit 1{text.text[query.end :]}"
            yield from others(query, text.text)
        where = getattr(node, "where", None)
        if where is not None:
            written = text.text[where.start : where.end]
            yield f"{text.text[: where.start]}not ({written}){text.text[where.end :]}"


def others(query: tree.Query, text: str) -> Iterator[str]:
    """A text with each output of a query computed otherwise."""
    if not isinstance(query.body, tree.Select):
        return
    for item in query.body.items:
        one = item.expression
        name = item.alias or (one.parts[-1] if isinstance(one, tree.Column) else None)
        if name is not None and not isinstance(one, tree.Star):
            written = text[one.start : one.end]
            yield f"{text[: item.start]}nullif({written}, {written}) as {name}{text[item.end :]}"


def test_what_is_said_of_an_edited_text_is_what_happens(demo: Demo, world: World) -> None:
    usual = really(demo, "usual_edits", scenario.WAREHOUSE, None)
    every = [(text.place, sql) for text in texts() if not text.is_query for sql in edits_of(text)]
    wrong = []
    for number, (place, sql) in enumerate(every if NIGHTLY else every[7 :: len(every) // 8]):
        said = world.simulate("", edited={place: sql})
        done = really(demo, f"{os.getpid()}_edit_{number}", scenario.WAREHOUSE, None, None, {place: sql})
        wrong += [f"{place}, {sql}: {one}" for one in differences(said, done, usual)]
    assert wrong == []


def deliveries(world: World) -> Iterator[tuple[str, str, str, str]]:
    """Each column of what comes from outside, with the same value in all rows; database, relation, column, SQL."""
    for relation in world.catalogue:
        database, _, name = relation.name.partition(".")
        if database in scenario.SOURCES and relation.kind == "table":
            for column in relation.columns:
                value = f'(select o."{column}" from {name} o where o."{column}" is not null order by 1 limit 1)'
                yield database, relation.name, column, f'update {name} set "{column}" = {value}'


def test_what_is_said_where_something_else_is_delivered_is_what_happens(demo: Demo, world: World) -> None:
    usual = really(demo, "usual_delivered", scenario.WAREHOUSE, None)
    every = list(deliveries(world))
    wrong = []
    for number, (database, relation, column, sql) in enumerate(every if NIGHTLY else every[5 :: len(every) // 5]):
        done = really(demo, f"{os.getpid()}_delivered_{number}", database, sql)
        if done.refused is None:  # a key is not to be the same in all rows
            said = world.simulate("", delivers={relation: frozenset({column})})
            wrong += [f"{relation}.{column}: {one}" for one in differences(said, done, usual)]
    assert wrong == []


def _elsewhere(change: str, database: str) -> str:
    """The same change to a database whose tables have its name in front."""
    words = change.split()
    for at, word in enumerate(words):
        if re.fullmatch(r"(ops|public)\.\w+", word):
            words[at] = f"{database}.{word}"
    return " ".join(words)


def differences(said: Outcome, done: Night, usual: Night) -> Iterator[str]:
    """Where what was said is not what happened."""
    if done.over_data:
        return
    if (said.refused is None) != (done.refused is None):
        yield f"said {said.refused}, the database {done.refused}"
    if said.refused is not None or done.refused is not None:
        return
    by_kind = {kind: {one.subject for one in said.consequences if one.kind is kind} for kind in Kind}
    if by_kind[Kind.BREAKS] != set(done.failed):
        for place in by_kind[Kind.BREAKS] ^ set(done.failed):
            reason = [one.reason for one in said.consequences if one.subject == place]
            yield f"{place}: said {reason}, the database {done.failed.get(place)}"
    gone = {name for name in usual.shapes if name not in done.shapes}
    if gone != {name for name in by_kind[Kind.GONE] if name in usual.shapes}:
        yield f"gone: said {sorted(by_kind[Kind.GONE])}, really {sorted(gone)}"
    by_column = {one.subject: set(one.columns) for one in said.consequences if one.kind is Kind.VALUES}
    for name, columns in done.shapes.items():
        was, now = usual.contents.get(name, {}), done.contents[name]
        if name in by_column and name not in by_kind[Kind.STALE]:
            others = {column for column in was.keys() & now.keys() - {""} if was[column] != now[column]}
            if others - by_column[name]:
                yield f"{name}: said values of {by_column[name]}, really of {others}"
        if name in said.untouched and columns != usual.shapes.get(name):
            yield f"{name}: said untouched, has other columns"
        if name in said.untouched and done.contents[name] != usual.contents.get(name):
            yield f"{name}: said untouched, has another content"
    for place in said.untouched:
        if place in done.failed:
            yield f"{place}: said untouched, fails"
