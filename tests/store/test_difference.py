"""What happened, and what is another than before: against what was shown at both times."""

import itertools
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import pytest
from sqlalchemy import Engine, select, text
from sqlalchemy.orm import Session

from jalan.demo.cluster import Cluster
from jalan.service.catalog.facts import facts
from jalan.service.catalog.pages import catalog
from jalan.service.context import Context
from jalan.service.errors import Invalid, NotFound
from jalan.service.history.answers import Difference, Happening
from jalan.service.history.difference import Reach, difference
from jalan.service.history.lines import compared
from jalan.service.history.moments import dataset_history, job_history
from jalan.service.ingest.once import load, scan
from jalan.service.lineage.lanes import lanes
from jalan.service.runs.worker import work_through
from jalan.store.schema import Link
from tests.conftest import NIGHTLY, Demo, admin, fresh_database
from tests.events import event, run_id, send
from tests.store.test_past import Harbour

STEPS = 5
SERVER = "islands:5432"
ALL = Reach(50, 50)


class Shown:
    """What the screens show at a time."""

    def __init__(self, engine: Engine, at: datetime | None) -> None:
        with Context(engine, "test", as_of=at) as context:
            rows = catalog(context, "", {}, 500, None).items
            self.gone = {row.id: row.gone for row in rows}
            self.columns = {
                row.id: {
                    column.id: (column.name, column.type)
                    for column in facts(context, row.id).columns
                    if not column.gone
                }
                for row in rows
            }
            maps = {row.id: lanes(context, row.id, 50, 50, True) for row in rows}
        self.near = {
            id_: {dataset.id for lane in found.lanes for dataset in lane.datasets} for id_, found in maps.items()
        }
        self.links = {
            (link.source_field, link.target_field or -link.target_dataset, link.kind): {
                link.source_dataset,
                link.target_dataset,
            }
            for found in maps.values()
            for link in found.crossings
        }


def told_links(engine: Engine, found: Difference, went: str) -> set[tuple[int, int, str]]:
    with Session(engine) as session:
        rows = {
            row.id: (row.source_field_id, row.target_field_id or -row.target_dataset_id, row.kind)
            for row in session.scalars(select(Link))
        }
    return {rows[one.link] for one in found.links if one.went == went}


@pytest.mark.parametrize("seed", range(12 if NIGHTLY else 2))
def test_a_difference_is_what_was_shown_at_both_times(
    store: Engine, cluster: Cluster, tmp_path: Path, seed: int
) -> None:
    with fresh_database(cluster) as name:
        harbour = Harbour(cluster, name, tmp_path, seed)
        times: list[datetime] = []
        for _ in range(STEPS):
            harbour.change()
            scan(Context(store, "command line"), cluster.url(name).replace("+psycopg", ""), known_as=SERVER)
            load(Context(store, "command line"), tmp_path, name="ferry")
            times.append(datetime.now(UTC))
    every = [Shown(store, at) for at in times]
    changed = 0
    for (i, earlier), (j, later) in itertools.combinations(enumerate(every), 2):
        for dataset in later.near:
            with Context(store, "test", as_of=times[j]) as context:
                found = difference(context, dataset, times[i], ALL)
            near = earlier.near.get(dataset, set()) | later.near[dataset]
            links = [{key for key, ends in one.links.items() if ends <= near} for one in (earlier, later)]
            assert told_links(store, found, "came") == links[1] - links[0]
            assert told_links(store, found, "went") == links[0] - links[1]
            columns: list[dict[int, Any]] = [
                {id_: said for of in near for id_, said in one.columns.get(of, {}).items()}
                for one in (earlier, later)
            ]
            told: dict[str, set[int]] = {"came": set(), "went": set(), "changed": set()}
            for change in found.columns:
                told[change.went].add(change.field)
            assert told["came"] == columns[1].keys() - columns[0].keys()
            assert told["went"] == columns[0].keys() - columns[1].keys()
            assert told["changed"] == {
                id_ for id_ in columns[0].keys() & columns[1].keys() if columns[0][id_][1] != columns[1][id_][1]
            }
            there = [{id_ for id_ in near if one.gone.get(id_) is False} for one in (earlier, later)]
            moved = {(one.dataset, one.went) for one in found.datasets}
            assert moved == {(id_, "came") for id_ in there[1] - there[0]} | {
                (id_, "went") for id_ in there[0] - there[1]
            }
            changed += len(found.links) + len(found.columns)
    assert changed  # something was compared


@pytest.fixture
def harbour(store: Engine, cluster: Cluster) -> Any:
    """A table and a view of it that is defined otherwise later; the times before and after."""
    with fresh_database(cluster) as name, admin(cluster, name) as connection:
        url = cluster.url(name).replace("+psycopg", "")
        connection.execute(
            "create table fares (port text, fare int, day date); create view gross as select port, fare from fares"
        )
        scan(Context(store, "command line"), url, known_as=SERVER)
        before = datetime.now(UTC)
        connection.execute(
            "drop view gross; alter table fares alter fare type numeric; alter table fares drop day; "
            "create view gross as select port, fare * 2 as fare, upper(port) as name from fares"
        )
        scan(Context(store, "command line"), url, known_as=SERVER)
    with Context(store, "test") as context:
        ids = {row.title.rpartition(".")[2]: row.id for row in catalog(context, "", {}, 9, None).items}
    return store, ids, before


def test_a_difference_says_what_is_defined_otherwise(harbour: Any) -> None:
    store, ids, before = harbour
    with Context(store, "test") as context:
        found = difference(context, ids["gross"], before, ALL)
    assert {(one.name.rpartition(".")[2], one.went, one.before, one.after) for one in found.columns} == {
        ("fare", "changed", "integer", "numeric"),
        ("day", "went", "date", None),
        ("name", "came", None, "text"),
    }
    assert [(one.source.rpartition(".")[2], one.target.rpartition(".")[2]) for one in found.links] == [
        ("port", "name")
    ]
    (text_,) = found.definitions
    assert text_.went == "changed"
    assert any(line.mark == "+" and "* " in line.text for line in text_.lines)
    assert (found.looked_at, found.within, found.until) == (2, 2, None)


def test_nothing_is_another_than_a_moment_ago(harbour: Any) -> None:
    store, ids, _ = harbour
    with Context(store, "test") as context:
        found = difference(context, ids["gross"], datetime.now(UTC), ALL)
    assert not (found.datasets)
    assert not (found.columns)
    assert not (found.links)
    assert not (found.definitions)


def test_a_difference_that_cannot_be_told_says_why(harbour: Any) -> None:
    store, ids, before = harbour
    with Context(store, "test", as_of=before) as context:
        with pytest.raises(Invalid, match="since"):
            difference(context, ids["gross"], before + timedelta(days=1), ALL)
        with pytest.raises(NotFound):
            difference(context, 999_999, before - timedelta(days=9), ALL)


def said(moments: list[Any]) -> list[list[str]]:
    return [[one.words for one in moment.happenings] for moment in moments]


def test_the_history_of_a_dataset_says_what_happened_when(harbour: Any) -> None:
    store, ids, _ = harbour
    with Context(store, "test") as context:
        gross = dataset_history(context, ids["gross"], True, 50, None).items
        fares = dataset_history(context, ids["fares"], True, 50, None).items
    latest, first = said(gross)
    assert "first seen" in first
    assert any(words.startswith("defined in ") for words in first)
    assert "column name came" in latest
    assert "1 link into it came" in latest
    assert any(words.startswith("defined otherwise in ") for words in latest)
    latest, first = said(fares)
    assert "public.gross reads it" in first
    assert "column day went" in latest
    assert "fare: integer became numeric" in latest
    assert not any("link" in words or "reads" in words for words in latest)


def test_the_lineage_of_each_moment_has_what_came_then(harbour: Any) -> None:
    store, ids, _ = harbour
    with Context(store, "test") as context:
        latest = dataset_history(context, ids["gross"], True, 50, None).items[0].at
    columns = []
    for at in (latest, latest - timedelta(milliseconds=1)):
        # As a browser says it: to the millisecond.
        told = datetime.fromisoformat(at.isoformat(timespec="milliseconds"))
        with Context(store, "test", as_of=told) as context:
            columns.append({one.name for one in facts(context, ids["gross"]).columns})
    assert [("name" in some) for some in columns] == [True, False]


def _walked(read: Any) -> list[Any]:
    found, cursor = [], None
    for _ in range(500):
        page = read(cursor)
        found += page.items
        cursor = page.next
        if cursor is None:
            return found
    raise AssertionError("the pages do not end")


def test_histories_come_page_by_page(demo: Demo) -> None:
    with Session(demo.engine) as session:
        job, dataset = session.execute(
            text(
                "select r.job_id, n.dataset_id from run_dataset d join dataset_name n on n.id = d.name_id "
                "join run r on r.id = d.run where d.side = 'out' and n.dataset_id is not null "
                "group by 1, 2 order by count(*) filter (where r.state = 'failed') desc, count(*), 1, 2 limit 1"
            )
        ).one()
        runs = session.execute(text("select count(*) from run where job_id = :job"), {"job": job}).scalar_one()
    with Context(demo.engine, "test") as context:
        by_ones = _walked(lambda cursor: job_history(context, job, 7, cursor))
        at_once = _walked(lambda cursor: job_history(context, job, 200, cursor))
        of_data = _walked(lambda cursor: dataset_history(context, dataset, True, 9, cursor))
        without = _walked(lambda cursor: dataset_history(context, dataset, False, 9, cursor))
    assert by_ones == at_once
    told: list[Happening] = [one for moment in by_ones for one in moment.happenings]
    assert sum(one.kind == "run" for one in told) == runs
    assert any(one.kind == "version" for one in told)
    assert [moment.at for moment in of_data] == sorted({moment.at for moment in of_data}, reverse=True)
    assert not any(one.kind == "run" for moment in without for one in moment.happenings)
    assert sum(one.kind != "run" for moment in of_data for one in moment.happenings) == sum(
        len(moment.happenings) for moment in without
    )


def test_no_run_is_lost_between_pages_where_many_begin_at_once(store: Engine) -> None:
    """Three runs each minute, and once far more than a page of moments reads."""
    bodies = [event("COMPLETE", n, "gates", n // 3, outputs=["strait.tidy.gates"]) for n in range(90)]
    bodies += [event("COMPLETE", 1_000 + n, "gates", 90, outputs=["strait.tidy.gates"]) for n in range(100)]
    send(store, bodies)
    work_through(store)
    with Context(store, "test") as context:
        job = context.session.execute(text("select id from job where name = 'gates'")).scalar_one()
        dataset = context.session.execute(text("select id from dataset")).scalar_one()
        of_job = _walked(lambda cursor: job_history(context, job, 2, cursor))
        of_data = _walked(lambda cursor: dataset_history(context, dataset, True, 2, cursor))
    for found in (of_job, of_data):
        runs = [one.run for moment in found for one in moment.happenings if one.run is not None]
        assert len(runs) == len(set(runs))
        assert {str(one) for one in runs} >= {run_id(n) for n in range(90)}
        assert [moment.at for moment in found] == sorted({moment.at for moment in found}, reverse=True)


def test_a_job_that_is_not_there_has_no_history(store: Engine) -> None:
    with Context(store, "test") as context, pytest.raises(NotFound):
        job_history(context, 1, 5, None)


def test_lines_of_two_texts() -> None:
    before = "\n".join(f"line {n}" for n in range(20))
    lines, cut = compared(before, before.replace("line 9", "line nine"))
    assert [line.mark for line in lines] == ["…", " ", " ", " ", "-", "+", " ", " ", " ", "…"]
    assert [(line.before, line.after) for line in lines if line.mark in "-+"] == [(10, None), (None, 10)]
    assert not cut
    assert [line.mark for line in compared("", "a\nb")[0]] == ["+", "+"]
    assert [line.mark for line in compared("a\nb", "")[0]] == ["-", "-"]
    assert compared("x\n" * 5_000, "y\n" * 5_000)[1]
    assert compared(before, before) == ([], False)
