"""Received events: taken into runs once each, in any order; what they tell reaches the catalogue."""

import random
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import pytest
from sqlalchemy import Engine, text
from sqlalchemy.orm import Session
from typer.testing import CliRunner

from jalan.cli.main import app
from jalan.demo.cluster import Cluster
from jalan.service.context import Context
from jalan.service.runs.apply import apply_waiting
from jalan.service.runs.worker import work_through
from jalan.store.database import migrate, open_store
from jalan.store.repositories import events as store_events
from jalan.store.repositories import runs
from tests.conftest import fresh_database
from tests.events import SERVER, dataset, event, night, run_id, send, state
from tests.graphs import all_links


def nights() -> list[dict[str, Any]]:
    dice = random.Random(3)
    found = [one for n in range(4) for one in night(n * 10, n, dice, fails="nightly.core" if n == 2 else "")]
    for n in range(6):
        # What is told of a dataset goes to and fro; a run tells under way of less than it has read in the end.
        fare = {"schema": {"fields": [{"name": "fare", "type": "int" if n % 3 else "numeric"}]}}
        sides = {"inputs": [dataset("strait.landing.fares", **fare)], "outputs": ["strait.core.hourly"]}
        more = {**sides, "inputs": [*sides["inputs"], f"strait.landing.part{n % 2}"]}
        found += [event("RUNNING", 100 + n, "hourly", n * 60, **sides)]
        found += [event("COMPLETE", 100 + n, "hourly", n * 60 + 9, **(more if n < 5 else sides))]
    stream = {"jobType": {"processingType": "STREAMING", "integration": "RUNNER"}}
    for n, topics in enumerate((["gates"], ["gates"], ["gates", "north-gates"], ["gates", "south-gates"])):
        sides = {"inputs": topics, "outputs": ["strait.landing.gates"], "job_facets": stream}
        found.append(event("RUNNING" if n else "START", 200, "stream", n * 60, **sides))
    return found


@pytest.mark.parametrize("seed", range(4))
def test_the_state_is_the_same_whatever_the_order_and_however_often_each_came(
    cluster: Any, store: Engine, seed: int
) -> None:
    bodies = nights()
    send(store, bodies)
    apply_waiting(store)
    expected = state(store)
    assert len(expected["runs"]) == 22
    assert len(expected["growth"]) == 3
    with store.begin() as connection:
        assert runs.begin_again(connection) == len(bodies)
        connection.exec_driver_sql("truncate event, event_waiting, dataset_name, run_dataset")
        connection.exec_driver_sql("delete from job")
    dice = random.Random(seed)
    again = [*bodies, *dice.choices(bodies, k=20)]
    dice.shuffle(again)
    while again:
        size = dice.randint(1, 9)
        send(store, again[:size])
        again = again[size:]
        if dice.random() < 0.6:
            apply_waiting(store)
    apply_waiting(store)
    assert state(store) == expected


def test_replaying_all_events_gives_the_same(store: Engine) -> None:
    send(store, nights())
    work_through(store)
    expected = state(store)
    with store.begin() as connection:
        runs.begin_again(connection)
    work_through(store)
    assert state(store) == expected


def test_a_run_of_which_only_its_children_have_spoken_is_known_until_it_speaks(store: Engine) -> None:
    send(store, [event("START", 2, "nightly.tidy", 1, parent=(1, "nightly"))])
    apply_waiting(store)
    (known,) = [row for row in state(store)["runs"] if str(row[0]) == run_id(1)]
    assert (known[2], known[5], known[16]) == ("nightly", "unknown", 0)
    send(store, [event("START", 1, "nightly", 0)])
    apply_waiting(store)
    (known,) = [row for row in state(store)["runs"] if str(row[0]) == run_id(1)]
    assert (known[5], known[16]) == ("running", 1)


def test_what_runs_read_and_write_is_linked_by_their_sql(store: Engine) -> None:
    sql = {
        "sql": {
            "query": "insert into core.fares select fare - discount as fare from tidy.tickets",
            "dialect": "postgresql",
        }
    }
    columns = {"schema": {"fields": [{"name": "fare", "type": "int"}, {"name": "discount", "type": "int"}]}}
    read = dataset("strait.tidy.tickets", **columns)
    wrote = dataset("strait.core.fares", 10, schema={"fields": [{"name": "fare", "type": "int"}]})
    send(store, [event("COMPLETE", 1, "fares", 1, inputs=[read], outputs=[wrote], job_facets=sql)])
    work_through(store)
    with Context(store, "test") as context:
        links = str(all_links(context))
    assert "discount" in links
    assert "core.fares" in links
    with Session(store) as session:
        kinds = session.execute(text("select kind from definition where valid_to is null")).scalars().all()
        logged = session.execute(text("select count(*) from ingestion")).scalar()
    assert kinds == ["statement"]
    # The same once more tells nothing new, and leaves no mark in the log.
    send(store, [event("COMPLETE", 2, "fares", 99, inputs=[read], outputs=[wrote], job_facets=sql)])
    work_through(store)
    with Session(store) as session:
        assert session.execute(text("select count(*) from ingestion")).scalar() == logged


def test_where_event_and_code_differ_there_is_a_diagnostic(store: Engine) -> None:
    sql = {"sql": {"query": "insert into core.fares select fare from tidy.tickets", "dialect": "postgresql"}}
    told = {
        "columnLineage": {
            "fields": {
                "fare": {
                    "inputFields": [{"namespace": SERVER, "name": "strait.tidy.tickets", "field": "price"}],
                }
            }
        }
    }
    schema = {"schema": {"fields": [{"name": "fare", "type": "int"}, {"name": "price", "type": "int"}]}}
    wrote = dataset("strait.core.fares", 10, schema={"fields": [{"name": "fare", "type": "int"}]}, **told)
    read = dataset("strait.tidy.tickets", **schema)
    send(store, [event("COMPLETE", 1, "fares", 1, inputs=[read], outputs=[wrote], job_facets=sql)])
    work_through(store)
    with Session(store) as session:
        messages = (
            session.execute(text("select message from diagnostic where code = 'event_differs'")).scalars().all()
        )
    assert sorted(messages) == [
        "the code tells of it, the event does not: strait.tidy.tickets.fare → strait.core.fares.fare",
        "the event tells of it, the code does not: strait.tidy.tickets.price → strait.core.fares.fare",
    ]


def test_a_dataset_that_is_renamed_or_dropped_is_so_in_the_catalogue(store: Engine) -> None:
    about = {
        "eventTime": "2026-11-27T02:00:00Z",
        "producer": "urn:ferry",
        "schemaURL": "urn:x",
        "dataset": dataset("strait.core.old"),
    }
    renamed = dataset(
        "strait.core.new",
        lifecycleStateChange={
            "lifecycleStateChange": "RENAME",
            "previousIdentifier": {"namespace": SERVER, "name": "strait.core.old"},
        },
    )
    gone = dataset("strait.core.wreck", lifecycleStateChange={"lifecycleStateChange": "DROP"})
    send(store, [about, {**about, "dataset": renamed}, {**about, "dataset": gone}])
    work_through(store)
    with Session(store) as session:
        aliases = session.execute(text("select from_name, to_name, origin from alias")).all()
        left = session.execute(text("select name from dataset where gone_since is not null")).scalars().all()
    assert [tuple(row) for row in aliases] == [("strait.core.old", "strait.core.new", "renamed")]
    assert left == ["strait.core.wreck"]


def test_an_event_that_cannot_be_taken_holds_nobody_back(store: Engine) -> None:
    send(store, [event("START", 1, "nightly", 0), event("START", 2, "hourly", 0)])
    with store.begin() as connection:
        connection.exec_driver_sql("update event set raw = '{' where name = 'nightly'")
    assert apply_waiting(store) == 2
    with store.connect() as connection:
        assert connection.execute(text("select why from event_refused")).scalar().startswith("$: this is not JSON")
        names = connection.execute(text("select j.name from run join job j on j.id = job_id")).scalars().all()
    assert names == ["hourly"]


def test_months_get_partitions_and_old_ones_are_dropped(store: Engine) -> None:
    now = datetime(2026, 11, 27, tzinfo=UTC)
    send(store, [event("START", n, "nightly", -n * 30 * 24 * 60) for n in range(5)])
    send(store, [event("START", 77, "nightly", 0, eventTime="2900-01-01T00:00:00Z")])

    def parts() -> dict[str, int]:
        with store.connect() as connection:
            rows = connection.execute(
                text("select tableoid::regclass::text, count(*) from event group by 1 order by 1")
            )
            return dict(rows.all())

    assert list(parts().values()) == [6]
    with store.begin() as connection:
        store_events.upkeep(connection, now, 0)
        store_events.upkeep(connection, now, 0)
    assert parts() == {
        "partitions.event_2026_07": 1,
        "partitions.event_2026_08": 1,
        "partitions.event_2026_09": 1,
        "partitions.event_2026_10": 1,
        "partitions.event_2026_11": 1,
        "partitions.event_other": 1,
    }
    # A second sending finds its event in the partition too.
    send(store, [event("START", n, "nightly", -n * 30 * 24 * 60) for n in range(5)])
    assert sum(parts().values()) == 6
    with store.begin() as connection:
        store_events.upkeep(connection, now + timedelta(days=1), 60)
    assert list(parts()) == [f"partitions.event_{one}" for one in ("2026_09", "2026_10", "2026_11", "other")]


def test_events_that_were_written_out_give_the_same_in_an_empty_store(
    store: Engine, cluster: Cluster, tmp_path: Path
) -> None:
    # A line separator that is none of JSON's stands in a text as any character does.
    odd = event("START", 200, "hourly", 0, facets={"errorMessage": {"message": "fog\u2028bank\x85"}})
    send(store, [*nights(), odd])
    work_through(store)
    url = store.url.render_as_string(hide_password=False)
    file = tmp_path / "events.jsonl"
    done = CliRunner().invoke(app, ["export-events", "-o", str(file), "--store", url])
    assert done.exit_code == 0, done.output
    with fresh_database(cluster) as name:
        other = open_store(cluster.url(name))
        migrate(other)
        with file.open("a") as out:
            out.write('{"eventTime": 3}\n')
        done = CliRunner().invoke(app, ["receive-events", str(file), "--store", cluster.url(name)])
        assert done.exit_code == 1
        assert f"line {len(nights()) + 2}: $.eventTime" in done.output
        assert state(other) == state(store)
        other.dispose()


def test_a_cached_frame_of_the_session_is_seen_through(store: Engine) -> None:
    def column(name: str, field: str, type_: str = "DIRECT", subtype: str = "IDENTITY") -> dict[str, Any]:
        told = {"type": type_, "subtype": subtype}
        return {"namespace": SERVER, "name": name, "field": field, "transformations": [told]}

    tickets, cached = "strait.tidy.tickets", {"datasetType": {"datasetType": "TABLE", "subType": "TEMPORARY"}}
    frame = {
        "fields": {"net": {"inputFields": [column(tickets, "fare", subtype="TRANSFORMATION")]}},
        "dataset": [column(tickets, "void", "INDIRECT", "FILTER")],
    }
    result = {"fields": {"total": {"inputFields": [column("frame-7", "net", subtype="AGGREGATION")]}}}
    written = dataset("strait.core.fares", columnLineage=result)
    sides = {"inputs": [dataset("frame-7", **cached)], "outputs": [written]}
    made = {"inputs": [tickets], "outputs": [dataset("frame-7", **cached, columnLineage=frame)]}
    parent = (1, "notebook")
    # Whoever sends first: the result is told, and told again once it is known what the frame was made of.
    send(store, [event("COMPLETE", 3, "notebook.write", 3, parent=parent, **sides)])
    work_through(store)
    send(store, [event("COMPLETE", 2, "notebook.cache", 1, parent=parent, **made)])
    work_through(store)
    query = (
        "select sd.name, s.name, td.name, t.name, l.kind, l.how from link l "
        "join field s on s.id = l.source_field_id join dataset sd on sd.id = s.dataset_id "
        "join dataset td on td.id = l.target_dataset_id left join field t on t.id = l.target_field_id "
        "where l.valid_to is null order by l.kind"
    )
    with store.connect() as connection:
        links = [tuple(row) for row in connection.execute(text(query))]
    assert links == [
        (tickets, "void", "strait.core.fares", None, "condition", "filter"),
        (tickets, "fare", "strait.core.fares", "total", "value", "aggregation"),
    ]
