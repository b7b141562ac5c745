"""Statements that an engine accepted when they were written down are read; PostgreSQL's mistakes are seen."""

import sqlite3
from pathlib import Path

import pytest
from tools.acceptance import is_accepted, is_read, mistakes, statements

from jalan.sql.dialects import get_dialect
from jalan.sql.grammar.script import Unread, parse

ACCEPTED = Path(__file__).parents[1] / "accepted"
FILES = sorted(path.stem for path in ACCEPTED.glob("*.sql"))


def accepted(dialect: str) -> list[str]:
    return [line.removesuffix(";") for line in (ACCEPTED / f"{dialect}.sql").read_text().splitlines()]


@pytest.mark.parametrize("dialect", FILES)
def test_what_the_engine_accepts_is_read(dialect: str) -> None:
    rules = get_dialect(dialect)
    refused = {
        sql: found.message
        for sql in accepted(dialect)
        for found in parse(sql, rules)
        if isinstance(found, Unread)
    }  # fmt: skip
    assert refused == {}


def test_postgresql_accepts_its_list() -> None:
    assert [sql for sql in accepted("postgresql") if not is_accepted(sql)] == []


def test_sqlite_accepts_its_list() -> None:
    database = sqlite3.connect(":memory:")
    refused = []
    for sql in accepted("sqlite"):
        try:
            database.execute(sql if sql.startswith("explain") else f"explain {sql}")
        except sqlite3.Error as error:
            if "syntax error" in str(error) or "incomplete" in str(error):
                refused.append(sql)
    assert refused == []


def test_mistakes_are_seen() -> None:
    wrong = list(mistakes(statements(), seed=11))
    seen = [sql for sql in wrong if not is_read(sql)]
    assert len(wrong) > 1000
    assert len(seen) / len(wrong) >= 0.88
