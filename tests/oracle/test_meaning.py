"""Queries that are compared by meaning, and the database as the judge: what is written otherwise and means the same
is called the same; and where an edit changes what a query finds, that was not called the same.

``JALAN_ORACLE_EXAMPLES`` sets how many; the nightly run takes 2000.
"""

import random
import re
from collections import Counter
from collections.abc import Iterable, Iterator
from contextlib import suppress
from itertools import islice

import psycopg
import pytest

from jalan.change.meaning import Forms, FoundRelation, Meaning, Unclear, difference, meaning
from jalan.demo.cluster import Cluster
from jalan.sql import tree
from jalan.sql.dialects import get_dialect
from jalan.sql.grammar.script import parse
from jalan.sql.lexer import tokenize
from jalan.sql.walk import walk
from tests.conftest import admin
from tests.core.test_respelling import other_case, parenthesized
from tests.oracle.random_queries import Maker, Tables
from tests.oracle.test_random_queries import EXAMPLES, NoExample, Schema, limited

TABLES: Tables = {"a": ["k", "v", "w"], "b": ["k", "x"], "c": ["v", "x", "y", "z"], "d": ["k", "v"]}
_MOST_TABLES = 4
_ROWS = 3  # times that a query is asked over other rows
_EDITS = """
    = <>  <> =  < <=  <= <  > >=  >= >  + -  - +  * +  and or  or and  min max  max min  sum min  count sum
    left right  left inner  asc desc  desc asc  rank row_number  0 1  1 2  2 3  3 1  4 0
    k v  v w  w k  x y  y z  z x  x k  k x  a d  d a
""".split()
EDITS = [
    *zip(_EDITS[::2], _EDITS[1::2], strict=True),
    ("distinct", ""),
    ("all", ""),
    ("not", ""),
    ("union", "except"),
]
EDITS.append(("exists", "not exists"))


def _find(parts: tuple[str, ...]) -> FoundRelation | None:
    columns = TABLES.get(parts[-1])
    return None if columns is None else FoundRelation(parts[-1], {name: name for name in columns})


def meant(sql: str, forms: Forms) -> Meaning:
    """What a query means. Raises Unclear."""
    (node,) = parse(sql, get_dialect("postgresql"))
    assert isinstance(node, tree.QueryStatement), sql
    return meaning(node.query, sql, forms, _find)


def understood(seeds: Iterable[int]) -> Iterator[tuple[str, Forms, Meaning]]:
    """Yield queries made by chance of which it can be told what they mean."""
    for seed in seeds:
        sql, forms = Maker(random.Random(seed), TABLES).statement(), Forms()
        with suppress(Unclear):
            yield sql, forms, meant(sql, forms)


def is_quick(sql: str) -> bool:
    """Whether a query joins so little that asking it takes no time worth speaking of, whatever it does."""
    nodes = (node for statement in parse(sql, get_dialect("postgresql")) for node in walk(statement))
    return sum(isinstance(node, tree.TableName) for node in nodes) <= _MOST_TABLES


def edits(sql: str, r: random.Random) -> Iterator[str]:
    """Yield the query with one word of it changed."""
    tokens = tokenize(sql, get_dialect("postgresql"))
    places = [n for n in range(len(tokens.kinds)) if tokens.keys[n]]
    r.shuffle(places)
    for n in places:
        for word in (new for old, new in EDITS if tokens.written(n).lower() == old):
            yield f"{sql[: tokens.starts[n]]} {word} {sql[tokens.ends[n] :]}"


def other_names(sql: str) -> str:
    """The query with other names for what it names itself."""
    own = set(re.findall(r"\b([a-z]+\d+)\b", sql))
    return re.sub(r"\b([a-z]+\d+)\b", lambda found: f"other_{found[1]}" if found[1] in own else found[1], sql)


@pytest.fixture(scope="module")
def schema(cluster: Cluster, database: str) -> Iterator[Schema]:
    with admin(cluster, database) as connection:
        connection.execute("create schema meant; set search_path = meant")
        yield Schema(connection, TABLES)
        connection.execute("drop schema meant cascade")


def _asked(schema: Schema, sql: str) -> Counter[tuple[object, ...]] | None:
    try:
        with limited(schema.connection):
            return Counter(schema.connection.execute(sql).fetchall())
    except (NoExample, psycopg.Error):
        return None


def _names(schema: Schema, sql: str) -> list[str] | None:
    try:
        asked = schema.connection.execute(f"select * from ({sql}) asked limit 0")
        return [one.name for one in asked.description or ()]
    except psycopg.Error:
        return None


def _rows(r: random.Random) -> dict[str, list[list[int | None]]]:
    return {
        name: [[None if r.random() < 0.1 else r.randint(0, 4) for _ in columns] for _ in range(r.randint(1, 4))]
        for name, columns in TABLES.items()
    }


def test_what_is_written_otherwise_means_the_same() -> None:
    clear = 0
    for sql, forms, before in understood(range(EXAMPLES * 4)):
        clear += 1
        spaced = re.sub(r"([(),])", r" \1 /* tide */ ", sql)
        respelled = [again("postgresql", sql) for again in (other_case, parenthesized)]
        for again in (sql, *respelled, spaced, other_names(sql)):
            found = difference(before, meant(again, forms), forms)
            found.columns = [one for one in found.columns if one.kind != "renamed"]
            assert found.is_none, (sql, again, found)
    assert clear > EXAMPLES * 2, "of too many nobody knows what they mean"


def test_an_edit_that_changes_what_is_found_is_never_called_the_same(schema: Schema) -> None:
    r = random.Random(7)
    changed, by_column = 0, 0
    quick = (one for one in understood(range(EXAMPLES * 2)) if is_quick(one[0]))
    for sql, forms, before in islice(quick, EXAMPLES // 4):
        names = [name for name, _ in before.columns]
        assert names == _names(schema, sql), sql
        checked = []
        for edited in edits(sql, r):
            if len(checked) == 10 or _names(schema, edited) is None:
                continue
            with suppress(Unclear, AssertionError):
                after = meant(edited, forms)
                checked.append((edited, after, difference(before, after, forms)))
        for _ in range(_ROWS):
            schema.fill(_rows(r))
            was = _asked(schema, sql)
            for edited, after, found in checked:
                now = _asked(schema, edited)
                if was is None or now is None or was == now:
                    continue
                changed += 1
                assert not found.is_none, (sql, edited)
                others = [n for n, name in enumerate(names) if name not in found.values()]
                if found.rows or found.order or len(set(names)) < len(names):
                    continue
                if names != [name for name, _ in after.columns]:
                    continue
                by_column += 1
                kept = [Counter(tuple(row[n] for n in others) for row in some.elements()) for some in (was, now)]
                assert kept[0] == kept[1], (sql, edited, found)
    assert changed > EXAMPLES, changed
    assert by_column > EXAMPLES // 10, by_column
