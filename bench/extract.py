"""How fast extraction is, beside parsers that do less, in one run.

``pglast.parse_sql`` is PostgreSQL's own parser building a tree in Python, ``parse_sql_json`` the same as text of
JSON: no names are resolved, no links made. ``sqlparse.parse`` is a tokenizer that groups. Ours is measured in full:
lex, parse, resolve, links. Memory is the peak of a process that does one piece of work, less that of one that does
none.

    python bench/extract.py [--queries 300] [--statements 3000] [--rounds 3] [--megabytes 10]
"""

import argparse
import gc
import multiprocessing
import os
import random
import resource
import time
from collections.abc import Callable
from pathlib import Path

import pglast
import sqlparse

from jalan import Item, KnownTables, extract, extract_many, fingerprint
from jalan.demo import scenario
from jalan.sources.folder import read_folder
from jalan.sql import lexer as lexer_module
from jalan.sql.dialects import get_dialect
from jalan.sql.grammar.script import parse
from jalan.sql.lexer import Lexer
from jalan.usage.digest import Digester, Reading
from jalan.usage.entries import LogEntry

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


def analytical_query(rng: random.Random) -> str:
    """A query of 50 to 200 lines: some common table expressions over joins, with windows and cases, then a report."""
    parts = []
    for n in range(rng.randint(2, 6)):
        columns = [f"c{rng.randrange(12)}" for _ in range(14)]
        lines = [
            f"        a.{columns[0]} as key_{n},",
            f"        date_trunc('month', a.{columns[1]}) as month_{n},",
            f"        coalesce(b.{columns[2]}, 0) as first_{n},",
            f"        case when a.{columns[3]} > {rng.randrange(100)} and b.{columns[4]} is not null then a.{columns[5]}",
            f"             when a.{columns[6]} in ('fog', 'storm', 'tide') then b.{columns[7]} else 0 end as state_{n},",
            f"        row_number() over (partition by a.{columns[0]} order by a.{columns[8]} desc) as nth_{n},",
            f"        sum(a.{columns[9]}) over (partition by b.{columns[10]}) as total_{n},",
            f"        a.{columns[11]} * 100.0 / nullif(b.{columns[12]}, 0) as share_{n}",
        ]
        joins = [f"    from t{rng.randrange(60)} as a", f"    join t{rng.randrange(60)} as b on b.c0 = a.c0"]
        joins += [
            f"    left join t{rng.randrange(60)} as j{i} on j{i}.c0 = b.c{rng.randrange(12)} and j{i}.c1 = a.c1"
            for i in range(rng.randint(0, 4))
        ]
        where = [
            f"    where a.{columns[13]} between {n} and {n + 50}",
            f"      and lower(b.{columns[4]}) like 'n%'",
        ]
        parts.append("\n".join([f"step_{n} as (", "    select", *lines, *joins, *where, ")"]))
    last = len(parts) - 1
    outer = [f"    max(s{n}.state_{n}) filter (where s{n}.nth_{n} = 1) as state_{n}," for n in range(len(parts))]
    outer += [f"    round(avg(s{n}.share_{n}), 2) as share_{n}," for n in range(len(parts))]
    source = ["from step_0 as s0"]
    source += [f"left join step_{n} as s{n} on s{n}.key_{n} = s0.key_0" for n in range(1, len(parts))]
    tail = [
        "group by s0.key_0, s0.month_0",
        f"having count(*) > 1 and max(s{last}.total_{last}) > 0",
        "order by 1, 2 desc",
    ]
    head = ["with " + ",\n".join(parts), "select", "    s0.key_0,", "    s0.month_0,"]
    return "\n".join([*head, *outer, "    count(*) as n", *source, *tail])


def short_query(rng: random.Random, number: int) -> str:
    """A query as applications send it."""
    a, b = rng.sample(range(12), 2)
    return rng.choice(
        (
            f"select c{a}, c{b} from t{rng.randrange(60)} where c0 = {number}",
            f"select count(*) from t{rng.randrange(60)} where c{a} = 'x{number}' and c{b} is null",
            f"update t{rng.randrange(60)} set c{a} = {number} where c0 = {number}",
            f"insert into t{rng.randrange(60)} (c{a}, c{b}) values ({number}, 'x')",
            f"select * from t{rng.randrange(60)} order by c{a} desc limit 20",
        )
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


def peak(work: Callable[[], object] | None) -> float:
    """Return the peak memory, in MB, of a process that does this piece of work."""
    receiving, sending = multiprocessing.Pipe(duplex=False)

    def child() -> None:
        if work is not None:
            work()
        sending.send(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024)

    process = multiprocessing.get_context("fork").Process(target=child)
    process.start()
    found: float = receiving.recv()
    process.join()
    return found


def show(title: str, size: float, count: int, found: dict[str, float], ours: str, memory: dict[str, float]) -> None:
    """Print one table."""
    print(f"\n{title}: {count} statements, {size:.2f} MB")
    print(f"{'':38}{'seconds':>9}{'stmt/s':>10}{'MB/s':>8}{'ours is':>10}{'MB used':>9}")
    for label, seconds in found.items():
        used = f"{memory[label]:9.0f}" if label in memory else ""
        ratio = f"{found[ours] / seconds:9.2f}×"
        print(f"{label:38}{seconds:9.3f}{count / seconds:10.0f}{size / seconds:8.2f}{ratio}{used}")


def measure(title: str, text: str, rounds: int, slow: bool = True) -> None:
    """Measure one text on one core. ``slow``: beside sqlparse too."""
    known = KnownTables(TABLES)
    dialect = get_dialect("postgresql")
    lexer = Lexer(dialect)
    ours = "jalan: lex, parse, resolve, links"
    works: dict[str, Callable[[], object]] = {
        ours: lambda: extract(text, tables=known),
        "jalan: lex and parse": lambda: sum(1 for _ in parse(text, dialect)),
        "jalan: lex": lambda: lexer.read(text),
        "jalan: lex and fingerprint": lambda: fingerprint(text),
        "pglast.parse_sql": lambda: pglast.parse_sql(text),
        "pglast.parse_sql_json": lambda: pglast.parser.parse_sql_json(text),
    }
    if slow:
        works["sqlparse.parse"] = lambda: sqlparse.parse(text)
    base = peak(None)
    memory = {label: peak(work) - base for label, work in works.items() if label in (ours, "pglast.parse_sql")}
    count = len(extract(text, tables=known).statements)
    show(title, len(text.encode()) / 1e6, count, best(works, rounds), ours, memory)


def measure_batch(title: str, texts: list[str], rounds: int) -> None:
    """Measure many texts one by one: one core, and all of them."""
    known = {name: tuple(columns) for name, columns in TABLES.items()}
    items = [Item(text, tables=known) for text in texts]
    cores = os.cpu_count() or 1
    ours = "jalan.extract_many, one core"
    works: dict[str, Callable[[], object]] = {
        ours: lambda: extract_many(items, workers=1),
        f"jalan.extract_many, {cores} cores": lambda: extract_many(items, workers=cores),
        "  and every link looked at": lambda: [len(e.links) for e in extract_many(items, workers=cores)],
        "pglast.parse_sql": lambda: [pglast.parse_sql(text) for text in texts],
        "pglast.parse_sql_json": lambda: [pglast.parser.parse_sql_json(text) for text in texts],
        "sqlparse.parse": lambda: [sqlparse.parse(text) for text in texts],
    }
    size = sum(len(text.encode()) for text in texts) / 1e6
    show(title, size, len(texts), best(works, rounds), ours, {})


def measure_repeated(texts: list[str], rounds: int) -> None:
    """Measure queries that come again with other constants: what is counted is known already by its fingerprint."""
    lexer = Lexer(get_dialect("postgresql"))
    entries = [LogEntry(text, "2026-11-23T00:00:00", database="strait") for text in texts]
    digester = Digester(Reading())
    digester.digest(iter(entries))
    ours = "jalan: digest of repeated queries"
    works: dict[str, Callable[[], object]] = {
        ours: lambda: digester.digest(iter(entries)),
        "jalan: lex": lambda: [lexer.read(text) for text in texts],
        "jalan: lex and fingerprint": lambda: [fingerprint(text) for text in texts],
    }
    size = sum(len(text.encode()) for text in texts) / 1e6
    show("short queries that are known already", size, len(texts), best(works, rounds), ours, {})


def main() -> None:
    """Measure the demo's SQL and made-up scripts of several kinds."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--queries", type=int, default=300)
    parser.add_argument("--statements", type=int, default=3000)
    parser.add_argument("--rounds", type=int, default=3)
    parser.add_argument("--megabytes", type=float, default=10)
    arguments = parser.parse_args()
    rng = random.Random(11)
    analytical = [analytical_query(rng) for _ in range(arguments.queries)]
    short = [short_query(rng, number) for number in range(arguments.statements * 3)]
    kind = "interpreted" if lexer_module.__file__.endswith(".py") else "compiled"
    print(f"jalan is {kind}: {Path(lexer_module.__file__).parent}")
    measure("the demo's SQL", demo_script(), arguments.rounds)
    measure("analytical queries, 50 to 200 lines", ";\n".join(analytical), arguments.rounds)
    measure("short queries of applications", ";\n".join(short), arguments.rounds)
    measure("a mixed script", generated_script(arguments.statements), arguments.rounds)
    measure_batch("analytical queries, one by one", analytical, arguments.rounds)
    measure_repeated(short, arguments.rounds)
    piece = generated_script(2000)
    large = piece * max(1, round(arguments.megabytes * 1e6 / len(piece)))
    measure("a large script", large, 1, slow=False)


if __name__ == "__main__":
    main()
