"""Further forms of DuckDB, held against DuckDB: columns(…), methods, pivots, structs, lists, maps and generators.

DuckDB says what the columns are called, and a changed value shows what it reaches.
"""

from collections.abc import Iterator
from pathlib import Path

import duckdb
import pytest

from tests.oracle.duckdb_judge import database, judge

TABLES = {
    "sailings": {"id": "int", "port": "varchar", "berths": "int", "delay": "int", "day": "date"},
    "tickets": {"id": "int", "sailing": "int", "fare": "int", "paid": "boolean", "ts": "timestamp"},
    "bookings": {
        "id": "int",
        "legs": "int[]",
        "who": "struct(name varchar, age int)",
        "m": "map(varchar, int)",
        "ls": "struct(a int, b varchar)[]",
        "j": "json",
    },
}
QUERIES = (Path(__file__).parent / "duckdb_forms.sql").read_text().splitlines()


@pytest.fixture(scope="module")
def connection() -> Iterator[duckdb.DuckDBPyConnection]:
    with database(TABLES) as found:
        yield found


@pytest.mark.parametrize("sql", QUERIES)
def test_what_changes_is_reached_and_the_columns_are_called_so(
    connection: duckdb.DuckDBPyConnection, sql: str
) -> None:
    judge(connection, TABLES, sql, rounds=2)
