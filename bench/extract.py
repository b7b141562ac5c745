"""How fast extraction is, beside two parsers that do less, in one run.

``pglast.parse_sql`` is PostgreSQL's own parser building a tree in Python: no names are resolved, no links made.
``sqlparse.parse`` is a tokenizer that groups. Ours is measured in full: lex, parse, resolve, links.

    python bench/extract.py [--statements 5000] [--rounds 5]
"""

import argparse
import gc
import random
import time
from collections.abc import Callable

import pglast
import sqlparse

from jalan import KnownTables, extract
from jalan.demo import scenario
from jalan.sources.folder import read_folder
from jalan.sql.dialects import get_dialect
from jalan.sql.lexer import Lexer
from jalan.sql.statements import parse

TABLES = {f"t{i}": [f"c{j}" for j in range(12)] for i in range(60)}


def demo_script() -> str:
    """All SQL of the demo: the pipeline and the reports' elements."""
    found = read_folder(scenario.REPOSITORY)
    texts = [file.text for file in found.files]
    texts += [element.sql for report in found.reports for element in report.elements]
    return ";\n".join(texts)


def generated_script(statements: int, seed: int = 7) -> str:
    """A made-up script of the shapes that warehouses have."""
    rng = random.Random(seed)
    return "\n".join(_statement(rng, i) for i in range(statements))


def _statement(rng: random.Random, number: int) -> str:
    a, b, c = (f"t{rng.randrange(60)}" for _ in range(3))
    columns = [f"c{rng.randrange(12)}" for _ in range(8)]
    shape = number % 5
    if shape == 0:
        return (
            f"create table made.m{number} as select x.{columns[0]}, x.{columns[1]} as first, "
            f"sum(y.{columns[2]}) / 100.0 as total, count(*) filter (where y.{columns[3]} > {number}) as n "
            f"from {a} x join {b} y on x.c0 = y.c1 where y.{columns[4]} is not null and x.{columns[5]} <> 'void' "
            f"group by x.{columns[0]}, x.{columns[1]};"
        )
    if shape == 1:
        return (
            f"with recent as (select {columns[0]}, {columns[1]}, {columns[2]}, row_number() over (partition by "
            f"{columns[0]} order by {columns[3]} desc) as nth from {a} where {columns[4]} >= date '2026-01-01') "
            f"select r.*, case when r.{columns[2]} > 10 then 'many' else 'few' end as size "
            f"from recent r where r.nth = 1;"
        )
    if shape == 2:
        return (
            f"insert into {c} (c0, c1, c2) select {columns[0]}, coalesce({columns[1]}, 0) + 1, {columns[2]}::text "
            f"from {a} where {columns[3]} in (select {columns[4]} from {b} where {columns[5]} = {number});"
        )
    if shape == 3:
        return (
            f"update {a} set c1 = s.{columns[1]}, c2 = {a}.c2 * 1.1 from {b} s "
            f"where s.c0 = {a}.c0 and s.{columns[3]} between 1 and {number};"
        )
    return (
        f"create or replace view made.v{number} as select c0, c1, lower({columns[2]}) as name from {a} "
        f"union all select c0, c1, {columns[3]} from {b} where exists (select 1 from {c} z where z.c0 = {b}.c0);"
    )


def best(works: dict[str, Callable[[], object]], rounds: int) -> dict[str, float]:
    """Return the fastest of some rounds for each piece of work, in seconds.

    The pieces take turns, so that a machine which is slow for a while is slow for all of them.
    """
    fastest = dict.fromkeys(works, float("inf"))
    for _ in range(rounds):
        for name, work in works.items():
            gc.collect()
            start = time.perf_counter()
            work()
            fastest[name] = min(fastest[name], time.perf_counter() - start)
    return fastest


def measure(title: str, text: str, rounds: int) -> None:
    """Print one table."""
    known = KnownTables(TABLES)
    dialect = get_dialect("postgresql")
    lexer = Lexer(dialect)
    statements = len(extract(text, tables=known).statements)
    size = len(text.encode()) / 1e6
    ours = "jalan: lex, parse, resolve, links"
    found = best(
        {
            ours: lambda: extract(text, tables=known),
            "jalan: lex and parse": lambda: sum(1 for _ in parse(text, dialect)),
            "jalan: lex": lambda: lexer.read(text),
            "pglast.parse_sql": lambda: pglast.parse_sql(text),
            "sqlparse.parse": lambda: sqlparse.parse(text),
        },
        rounds,
    )
    print(f"\n{title}: {statements} statements, {size:.2f} MB, best of {rounds}")
    print(f"{'':36}{'seconds':>9}{'stmt/s':>10}{'MB/s':>8}{'beside ours':>13}")
    for label, seconds in found.items():
        ratio = seconds / found[ours]
        print(f"{label:36}{seconds:9.3f}{statements / seconds:10.0f}{size / seconds:8.2f}{ratio:12.2f}×")


def main() -> None:
    """Measure the demo's SQL and a generated script."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--statements", type=int, default=5000)
    parser.add_argument("--rounds", type=int, default=5)
    arguments = parser.parse_args()
    measure("the demo's SQL", demo_script(), arguments.rounds)
    measure("a generated script", generated_script(arguments.statements), arguments.rounds)


if __name__ == "__main__":
    main()
