"""How fast the ledger answers over a million events, beside counting them.

    .venv/bin/python bench/ledger.py [--events 1000000] [--plans]

Runs of a made-up year: pipelines of thirty steps, one in forty fails. Filled by SQL, in the form that taking events
in gives; kept for the next time.
"""

import argparse
import logging
import time
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from typing import Any

import numpy as np
import psycopg
from sqlalchemy import Engine, event, text

from jalan.service.context import Context
from jalan.service.logs import configure
from jalan.service.runs.ledger import run_counts, runs
from jalan.service.runs.one_run import run_facts
from jalan.service.runs.searching import Search
from jalan.service.runs.timetable import timetable
from jalan.store.database import create_database, migrate, open_store, plain_address
from stores import bench_cluster

_END = datetime(2026, 11, 27, tzinfo=UTC)
_DAYS = 90
_STEPS = 30
_WIDEST = 150  # characters of a line of a plan
_TYPED = (
    "pipeline7.* failed",
    "column c3 does not exist",
    "step12*t372",
    "wrote:*.t42",
    "read:strait.area3.*",
    "longer:40s",
    "nobody at all",
)


_FILL = (
    """
    insert into system (namespace, kind, first_seen) values ('postgres://islands:5432', 'postgresql', now())
    """,
    """
    insert into container (system_id, path, kind)
    select 1, 'strait.area' || n, 'schema' from generate_series(1, 8) n
    """,
    """
    insert into dataset (system_id, container_id, name, kind, placeholder, first_seen)
    select 1, 1 + n % 8, 'strait.area' || 1 + n % 8 || '.t' || n, 'table', false, now()
    from generate_series(1, 600) n
    """,
    """
    insert into dataset_name (namespace, name, dataset_id) select 'postgres://islands:5432', name, id from dataset
    """,
    """
    insert into job (namespace, name, first_seen)
    select 'ferry', 'pipeline' || n / :steps || case when n % :steps = 0 then '' else '.step' || n % :steps end,
        now()
    from generate_series(0, 599) n
    """,
    """
    insert into run (run_id, job_id, parent, root, parent_job_id, root_job_id, state, started_at, ended_at, last_at,
        took, rows, bytes, message, who, code, version, events, words, fold)
    select ('00000000-0000-7000-8000-' || lpad(n::text, 12, '0'))::uuid, 1 + n % 600, null, null,
        nullif(1 + (n % 600) / :steps * :steps, 1 + n % 600), 1 + (n % 600) / :steps * :steps,
        case when n % 40 = 7 then 'failed' when n > :total - 5 then 'running' else 'done' end, at, at + took,
        at + took, extract(epoch from took), 1000 + n % 97, 64000, message,
        (array['scheduler', 'quay desk', 'revenue desk'])[1 + n % 3], 'c', 'v', 2,
        'ferry pipeline' || (n % 600) / :steps || '.step' || n % :steps || ' ' || n || ' strait.area' || n % 8
        || '.t' || n % 600 || ' ' || message, '{}'
    from (
        select n, cast(:begin as timestamptz) + n * cast(:step as interval) as at,
            (5 + n % 37) * interval '1 second' as took,
            case when n % 40 = 7 then 'column c' || n % 31 || ' does not exist' else '' end as message
        from generate_series(1, :total) n
    ) made
    """,
    "insert into run_dataset select id, 'out', 1 + id % 600, rows, bytes, '' from run",
    "insert into run_dataset select id, 'in', 1 + (id + 7) % 600, rows, bytes, '' from run",
    """
    insert into job_version (job_id, digest, code_digest, kind, text, dialect, place, revision, inputs, outputs)
    select id, 'v', 'c', 'sql', 'select 1', '', '', '', '[["n", "a"]]', '[]' from job
    """,
    """
    insert into event (at, digest, type, run, namespace, name, raw)
    select started_at + k * interval '1 second', decode(md5(id::text || k), 'hex'),
        case k when 0 then 'START' else 'COMPLETE' end, run_id, 'ferry', 'job' || job_id, repeat('x', 200)
    from run, generate_series(0, 1) k
    """,
)


def fill(engine: Engine, count: int) -> None:
    """Make runs with two events each, so many events in all."""
    total = count // 2
    given = {
        "steps": _STEPS,
        "total": total,
        "begin": _END - timedelta(days=_DAYS),
        "step": timedelta(days=_DAYS) / total,
    }
    with engine.begin() as connection:
        for statement in _FILL:
            query = text(statement)
            connection.execute(query, {name: given[name] for name in query.compile().params})
    address = plain_address(engine)
    with psycopg.connect(address, autocommit=True) as connection:
        connection.execute("vacuum analyze")


def timed(what: str, ask: Callable[[], Any], times: int = 7) -> None:
    """Print how long a question takes: the middle, and the longest but the first."""
    took = []
    for _ in range(times):
        begun = time.perf_counter()
        ask()
        took.append((time.perf_counter() - begun) * 1000)
    print(f"{what:64} {np.median(took[1:]):8.0f} ms   {max(took[1:]):8.0f}")


def plans(engine: Engine, asked: dict[str, Callable[[], Any]]) -> None:
    """Print how PostgreSQL goes about the queries of each question, as Markdown."""
    held: list[tuple[str, Any]] = []

    @event.listens_for(engine, "before_cursor_execute")
    def hold(_connection: Any, _cursor: Any, statement: str, parameters: Any, *_: Any) -> None:
        held.append((statement, parameters))

    for name, ask in asked.items():
        held.clear()
        ask()
        print(f"\n## {name}")
        with engine.connect() as connection:
            for statement, parameters in list(held):
                query = f"explain (analyze, costs off, timing off, summary off) {statement}"
                lines = [row[0] for row in connection.exec_driver_sql(query, parameters)]
                lines = [line for line in lines if "Buckets:" not in line and "Memory" not in line]
                print("\n```\n" + "\n".join(line[:_WIDEST] for line in lines) + "\n```")


def main() -> None:
    """Measure."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--events", type=int, default=1_000_000)
    parser.add_argument("--plans", action="store_true", help="print the plans of the queries and end")
    given = parser.parse_args()
    configure(logging.WARNING)
    with bench_cluster() as cluster:
        url = cluster.url(f"jalan_ledger_{given.events}")
        create_database(url)
        engine = open_store(url)
        migrate(engine)
        with engine.connect() as connection:
            known = connection.execute(text("select count(*) from run")).scalar()
        if not known:
            fill(engine, given.events)
        context = Context(engine, "bench")
        _ = context.graph
        everything = {"since": _END - timedelta(days=_DAYS), "until": _END}
        day = {"since": _END - timedelta(days=1), "until": _END}
        week = {"since": _END - timedelta(days=7), "until": _END}
        if given.plans:
            written, read = Search("wrote:*.t42", **everything), Search("read:strait.area3.*", **everything)
            some, failed = Search(**everything), Search("pipeline7.* failed", **everything)
            after = runs(context, some, 60, None, counted=False).next
            asked = {
                "A page of all runs": lambda: runs(context, some, 60, None, counted=False),
                "The next page": lambda: runs(context, some, 60, after),
                "A page by words and state": lambda: runs(context, failed, 60, None, counted=False),
                "A page by what was written": lambda: runs(context, written, 60, None, counted=False),
                "Counts of all runs": lambda: run_counts(context, some),
                "Counts by what was read, from an eighth of all tables": lambda: run_counts(context, read),
                "The timetable": lambda: timetable(context, some),
            }
            plans(engine, asked)
            context.close()
            engine.dispose()
            return
        print(f"{given.events:,} events, {known or given.events // 2:,} runs of {_DAYS} days; middle and longest:")

        def count() -> None:
            with engine.connect() as connection:
                connection.execute(text("select count(*) from event")).scalar()

        timed("counting the events (reference)", count)
        searches = [(name, Search(**span)) for name, span in (("a day", day), ("a week", week))]
        searches.append(("all of it", Search(**everything)))
        searches += [(f"all of it: {words}", Search(words, **everything)) for words in _TYPED]
        for name, search in searches:
            timed(f"ledger, {name}", lambda search=search: runs(context, search, 60, None, counted=False))
            timed("  its counts", lambda search=search: run_counts(context, search))
        timed("timetable, a day", lambda: timetable(context, Search(**day)))
        timed("timetable, all of it", lambda: timetable(context, Search(**everything)))
        last = runs(context, Search(**everything), 1, None).items[0].run
        timed("one run", lambda: run_facts(context, last))
        page = runs(context, Search(**everything), 60, None)
        timed("the next page", lambda: runs(context, Search(**everything), 60, page.next))
        context.close()
        engine.dispose()


if __name__ == "__main__":
    main()
