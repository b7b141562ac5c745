"""DuckDB as a judge: what a query's columns are called, and what a changed value reaches."""

import random
from collections.abc import Iterator, Mapping
from contextlib import contextmanager

import duckdb

from jalan import extract

Tables = Mapping[str, Mapping[str, str]]
Rows = dict[str, list[list[str]]]


@contextmanager
def database(tables: Tables) -> Iterator[duckdb.DuckDBPyConnection]:
    """A connection in which these tables (name → column → type) are empty."""
    with duckdb.connect(config={"threads": 1}) as found:
        for table, columns in tables.items():
            found.execute(f"create table {table} ({', '.join(f'{n} {k}' for n, k in columns.items())})")
        yield found


def literal(r: random.Random, kind: str) -> str:
    """A made-up value as SQL."""
    number = r.randint(0, 4)
    return {
        "int": f"{number}",
        "boolean": r.choice(["true", "false"]),
        "varchar": r.choice(["'SK'", "'NH'", "'4'", "'LO'"]),
        "date": f"'2020-0{r.randint(1, 9)}-1{number}'",
        "timestamp": f"'2020-0{r.randint(1, 9)}-1{number} 10:00:00'",
        "int[]": f"{[r.randint(0, 4) for _ in range(r.randint(0, 3))]}::int[]",
        "struct(name varchar, age int)": f"{{'name': '{r.choice('ab')}', 'age': {r.randint(0, 9)}}}",
        "map(varchar, int)": f"map {{'a': {number}, '{r.choice('bc')}': {r.randint(0, 4)}}}",
        "struct(a int, b varchar)[]": f"[{{'a': {number}, 'b': '{r.choice('xyz')}'}}]",
        "json": f"""'{{"a": {number}, "b": "x"}}'""",
    }[kind]


def made_up(r: random.Random, tables: Tables) -> Rows:
    """Three rows a table, numbered in the first column."""
    return {
        table: [[str(n + 1), *[literal(r, kind) for kind in list(columns.values())[1:]]] for n in range(3)]
        for table, columns in tables.items()
    }


def fill(connection: duckdb.DuckDBPyConnection, rows: Rows) -> None:
    for table, content in rows.items():
        connection.execute(f"delete from {table}")
        listed = ", ".join("(" + ", ".join(row) + ")" for row in content)
        connection.execute(f"insert into {table} values {listed}")


def answer(connection: duckdb.DuckDBPyConnection, sql: str) -> tuple[list[str], list[list[str]]]:
    found = connection.execute(sql)
    names = [column[0] for column in found.description or []]
    rows = found.fetchall()
    return names, [sorted(str(row[i]) for row in rows) for i in range(len(names))]


def judge(connection: duckdb.DuckDBPyConnection, tables: Tables, sql: str, rounds: int) -> None:
    """Fail where a column is called otherwise than we say, or a value changes that we do not link."""
    found = extract(sql, dialect="duckdb", tables={table: list(columns) for table, columns in tables.items()})
    assert [d.message for d in found.diagnostics if d.level == "error"] == []
    statement = found.statements[-1]
    decide = {(s.table, s.column) for s in statement.row_conditions}
    r = random.Random(sql)
    for _ in range(rounds):
        rows = made_up(r, tables)
        fill(connection, rows)
        names, before = answer(connection, sql)
        assert [o.name.lower() for o in statement.outputs] == [name.lower() for name in names]
        for table, columns in tables.items():
            if table not in sql:
                continue
            for i, (column, kind) in enumerate(columns.items()):
                if i == 0 or (table, column) in decide:
                    continue
                changed = [[*row[:i], literal(r, kind), *row[i + 1 :]] for row in rows[table]]
                fill(connection, {table: changed})
                _, after = answer(connection, sql)
                fill(connection, {table: rows[table]})
                for output, old, new in zip(statement.outputs, before, after, strict=True):
                    reached = {(s.table, s.column) for s in (*output.values, *output.conditions)}
                    assert old == new or (table, column) in reached, f"{table}.{column} changed {output.name}"
