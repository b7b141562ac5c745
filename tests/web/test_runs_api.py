"""The ledger over HTTP: found by what people remember of a run; what is usual; what is stale."""

import base64
import random
from datetime import UTC, datetime, timedelta
from typing import Any

import orjson
import pytest
from sqlalchemy import Engine, text

from jalan.service.runs.worker import work_through
from jalan.web.app import create_app
from tests.events import BEGUN, dataset, event, night, run_id, send
from tests.web.test_api import Client

NIGHTS = 8
SINCE = {"since": "2026-11-01T00:00:00Z", "until": "2026-12-31T00:00:00Z"}


@pytest.fixture
def client(store: Engine) -> Client:
    dice = random.Random(1)
    failing = {6: "nightly.core", 3: "nightly.mart"}
    bodies = [one for n in range(NIGHTS) for one in night(n * 10 + 1, n, dice, failing.get(n, ""))]
    send(store, [*bodies, event("START", 900, "gates", 7 * 24 * 60)])
    work_through(store)
    return Client(create_app(store))


def names(page: dict[str, Any]) -> list[tuple[str, str]]:
    return [(row["job"]["name"], row["state"]) for row in page["items"]]


def test_runs_are_found_by_words_states_data_and_time(client: Client) -> None:
    def found(q: str, **more: Any) -> list[tuple[str, str]]:
        return names(client.json("/api/v1/runs", q=q, limit=100, **{**SINCE, **more}))

    assert found("nightly.c* failed") == [("nightly.core", "failed")]
    assert found("fare does not exist") == [("nightly.core", "failed"), ("nightly.mart", "failed")]
    assert len(found('"fare does not exist" job:*.mart')) == 1
    assert len(found("wrote:*core.fares")) == NIGHTS - 1
    assert len(found("read:core.fares")) == NIGHTS - 2
    assert found("running") == [("gates", "running")]
    assert found(f"run:{run_id(62)}") == [("nightly.tidy", "done")]
    assert found("longer:8m done job:nightly") == found("rows:900 longer:8m") + [("nightly", "done")] * 6
    assert found("100%_") == []  # signs of LIKE are signs here
    assert len(found("", until=BEGUN.isoformat())) == 1
    for wrong in ("longer:soon", "rows:many"):
        answer = client.get("/api/v1/runs", q=wrong)
        assert answer.status_code == 422
        assert "expected a" in answer.json()["detail"]


def test_counts_are_of_all_that_is_found_and_pages_lose_nothing(client: Client) -> None:
    page = client.json("/api/v1/runs", limit=5, **SINCE)
    seen = names(page)
    assert page["total"] == 32
    assert {one["value"]: one["count"] for one in page["facets"]["state"]} == {
        "done": 27,
        "failed": 4,
        "running": 1,
    }
    assert [(one["label"], one["count"]) for one in page["facets"]["pipeline"]] == [("nightly", 31), ("gates", 1)]
    assert sum(b["done"] + b["failed"] + b["running"] + b["other"] for b in page["buckets"]) == 32
    (pipeline,) = [one["value"] for one in page["facets"]["pipeline"] if one["label"] == "nightly"]
    while page["next"]:
        page = client.json("/api/v1/runs", limit=5, cursor=page["next"], **SINCE)
        seen += names(page)
    assert len(seen) == 32
    narrowed = client.json("/api/v1/runs", state="failed", pipeline=pipeline, **SINCE)
    assert narrowed["total"] == 4
    huge = base64.urlsafe_b64encode(b'["2026-11-27T00:00:00+00:00", 1e999]').decode()
    for cursor in ("sand", "WzFd", huge):
        assert client.get("/api/v1/runs", cursor=cursor).status_code == 400


def test_all_that_is_found_comes_as_a_stream(client: Client) -> None:
    lines = client.get("/api/v1/runs/all", q="failed", form="csv", **SINCE).text.splitlines()
    assert lines[0].startswith("run_id,namespace,name,state")
    assert sorted(line.split(",")[2] for line in lines[1:]) == [
        "nightly",
        "nightly",
        "nightly.core",
        "nightly.mart",
    ]
    rows = client.get("/api/v1/runs/all", **SINCE).text.splitlines()
    assert len(rows) == 32
    assert client.get("/api/v1/runs/all", q="longer:soon").status_code == 422


def test_a_run_tells_what_is_usual_what_changed_and_what_is_stale(client: Client) -> None:
    failed = client.json(f"/api/v1/runs/{run_id(63)}")
    assert failed["row"]["message"] == "column fare does not exist"
    assert [one["job"]["name"] for one in failed["callers"]] == ["nightly"]
    # Repaired by the run of the next night.
    assert failed["repaired_by"] == run_id(73)
    assert {one["name"] for one in failed["stale"]} == {"strait.core.fares", "strait.mart.board"}
    good = client.json(f"/api/v1/runs/{run_id(74)}")
    assert good["row"]["usual_rows"]["verdict"] == ""
    assert good["row"]["usual_rows"]["runs"] == 5
    reads = {one["name"]: one for one in good["sides"] if one["side"] == "in"}
    assert reads["strait.core.fares"]["writer"] == run_id(73)
    children = client.json(f"/api/v1/runs/{run_id(71)}/children")
    assert [one["job"]["name"] for one in children] == ["nightly.tidy", "nightly.core", "nightly.mart"]
    events = client.json(f"/api/v1/runs/{run_id(74)}/events/received")["items"]
    assert [one["type"] for one in events] == ["COMPLETE", "START"]
    assert client.get(f"/api/v1/runs/{run_id(12345)}").status_code == 404


def test_a_job_has_versions_and_callers(client: Client) -> None:
    page = client.json("/api/v1/runs", q="nightly.core done", limit=1, **SINCE)
    job = client.json(f"/api/v1/jobs/{page['items'][0]['job']['id']}")
    assert [(one["job"]["name"], one["runs"]) for one in job["called_by"]] == [("nightly", NIGHTS)]
    assert job["versions_total"] == 1
    assert job["versions"][0]["runs"] == NIGHTS - 1


def test_a_pipeline_reads_and_writes_what_all_below_it_do(client: Client) -> None:
    page = client.json("/api/v1/runs", q="job:nightly.core done", limit=1, **SINCE)
    core = page["items"][0]
    whole = client.json(f"/api/v1/jobs/{core['parent_job']['id']}/lineage")
    assert [(one["job"]["name"], one["depth"]) for one in whole["jobs"]] == [
        ("nightly", 0),
        ("nightly.tidy", 1),
        ("nightly.core", 1),
        ("nightly.mart", 1),
    ]
    assert [one["name"] for one in whole["reads"]] == ["strait.core.ports", "strait.landing.tickets"]
    assert {one["name"]: one["within"] for one in whole["writes"]} == {
        "strait.tidy.tickets": 1,
        "strait.core.fares": 1,
        "strait.mart.board": 0,
    }
    assert all(one["dataset"] for one in [*whole["reads"], *whole["writes"]])
    alone = client.json(f"/api/v1/jobs/{core['job']['id']}/lineage")
    assert [one["name"] for one in alone["reads"]] == ["strait.tidy.tickets"]
    assert client.get("/api/v1/jobs/99999/lineage").status_code == 404


def test_a_pipeline_in_a_circle_and_of_any_depth_ends(store: Engine) -> None:
    deep = [event("COMPLETE", 1, "j0", 0, outputs=["strait.a.t0"])]
    for n in range(1, 60):
        deep.append(
            event(
                "COMPLETE",
                n + 1,
                f"j{n}",
                n,
                parent=(n, f"j{n - 1}"),
                outputs=[f"strait.a.t{n}"],
                inputs=["strait.b.x"],
            )
        )
    deep.append(event("COMPLETE", 99, "j0", 99, parent=(60, "j59"), outputs=["strait.a.t0"]))
    send(store, deep)
    work_through(store)
    client = Client(create_app(store))
    top = client.json("/api/v1/runs", q=f"run:{run_id(1)}", **SINCE)["items"][0]["job"]["id"]
    whole = client.json(f"/api/v1/jobs/{top}/lineage")
    assert (whole["jobs_total"], whole["writes_total"], whole["reads_total"]) == (60, 60, 1)
    assert whole["jobs"][-1]["depth"] == 59


def test_runs_and_their_counts_may_be_asked_for_apart(client: Client) -> None:
    for asked in ({}, {"q": "failed"}, {"q": "wrote:core"}):
        span = {**asked, "since": "2026-01-01T00:00:00Z"}
        whole = client.json("/api/v1/runs", limit=5, **span)
        span["until"] = whole["until"]
        page = client.json("/api/v1/runs", limit=5, counted="false", **span)
        counts = client.json("/api/v1/runs/counts", **span)
        assert page["items"] == whole["items"] != []
        assert (page["next"] is None, page["total"], page["buckets"]) == (whole["next"] is None, 0, [])
        assert counts == {name: value for name, value in whole.items() if name not in ("items", "next")}
        assert counts["total"] > 0


def test_events_are_found_by_themselves_and_by_their_runs(client: Client, store: Engine) -> None:
    def found(q: str = "", **more: Any) -> list[tuple[str, str]]:
        items = client.json("/api/v1/events", q=q, limit=200, **{**SINCE, **more})["items"]
        return [(one["name"], one["type"]) for one in items]

    every = found()
    assert len(every) == client.json("/api/v1/runs", **SINCE)["events"]
    assert found("type:fail nightly.core") == [("nightly.core", "FAIL")]
    assert found("type:start state:x") == []
    assert set(found("failed")) == {("nightly", "START"), ("nightly", "FAIL")} | {
        (job, kind) for job in ("nightly.core", "nightly.mart") for kind in ("START", "FAIL")
    }
    assert found("gates") == [("gates", "START")]
    assert found("larger:1MB") == []
    assert 0 < len(found("larger:0.5kB")) < len(every)
    walked: list[tuple[str, str]] = []
    cursor = None
    while True:
        page = client.json("/api/v1/events", limit=7, **({"cursor": cursor} if cursor else {}), **SINCE)
        walked += [(one["name"], one["type"]) for one in page["items"]]
        cursor = page["next"]
        if cursor is None:
            break
    assert walked == every
    about = {
        "eventTime": BEGUN.isoformat(),
        "producer": "urn:ferry",
        "schemaURL": "https://openlineage.io/spec/2-0-2/OpenLineage.json#/$defs/DatasetEvent",
        "dataset": {"namespace": "postgres://islands:5432", "name": "strait.core.ports", "facets": {}},
    }
    send(store, [about])
    assert ("strait.core.ports", "DATASET") in found("core.ports")
    (one,) = client.json("/api/v1/events", q="type:dataset", **SINCE)["items"]
    assert orjson.loads(client.json(f"/api/v1/events/{one['event']}")["raw"]) == about
    assert client.get("/api/v1/events/nonsense").status_code == 400
    gone = base64.urlsafe_b64encode(b'["2020-01-01T00:00:00+00:00", "00ff"]').decode()
    assert client.get(f"/api/v1/events/{gone}").status_code == 404


def test_what_events_tell_of_a_dataset_stands_with_it(store: Engine) -> None:
    facets = {
        "schema": {"fields": [{"name": "gate", "type": "struct", "fields": [{"name": "pier", "type": "int"}]}]},
        "storage": {"storageLayer": "files", "fileFormat": "parquet"},
        "catalog": {"framework": "hive", "type": "metastore", "name": "quay"},
        "tags": {"tags": [{"key": "personal", "value": "yes", "field": "gate"}, "nonsense"]},
        "hierarchy": {"hierarchy": [{"type": "DATABASE", "name": "strait"}]},
        "version": {"datasetVersion": "17"},
        "dataSource": {"name": 7},
    }
    send(store, [event("COMPLETE", 1, "gates", 1, outputs=[dataset("strait.landing.gates", **facets)])])
    work_through(store)
    client = Client(create_app(store))
    (row,) = client.json("/api/v1/catalog", limit=50)["items"]
    found = client.json(f"/api/v1/datasets/{row['id']}")
    assert found["details"] == {
        "storage": ["files", "parquet"],
        "catalog": ["hive", "metastore", "quay"],
        "lies in": ["database strait"],
        "tags": ["personal: yes: gate"],
        "version": ["17"],
    }
    assert {one["name"]: one["type"] for one in found["columns"] if one["type"]} == {
        "gate": "struct",
        "gate.pier": "int",
    }


def test_what_must_run_for_a_dataset_stands_in_order(client: Client) -> None:
    board = client.json("/api/v1/find", q="mart.board")[0]
    order = client.json(f"/api/v1/datasets/{board['dataset']}/order")
    assert [one["job"]["name"] for one in order["steps"]] == ["nightly.tidy", "nightly.core", "nightly.mart"]
    assert [one["after"] for one in order["steps"]] == [[], [0], [1]]
    assert [one["last_state"] for one in order["steps"]] == ["done", "done", "done"]
    assert set(order["origins"]) == {"landing.tickets", "core.ports"}


def test_the_road_of_a_run_goes_through_the_very_versions_that_were_read(client: Client) -> None:
    # The last night's: the core of that night read what tidy had written minutes before.
    road = client.json(f"/api/v1/runs/{run_id(74)}/road", back=2, ahead=1)
    lanes = {one["offset"]: [row["run"] for row in one["runs"]] for one in road["lanes"]}
    assert lanes == {-2: [run_id(72)], -1: [run_id(73)], 0: [run_id(74)]}
    # In the night in which core failed, nobody read what tidy wrote; the next night's core read the next tidy's.
    unread = client.json(f"/api/v1/runs/{run_id(62)}/road")
    assert [one["offset"] for one in unread["lanes"]] == [0]
    ahead = client.json(f"/api/v1/runs/{run_id(2)}/road", back=0, ahead=9)
    assert [[row["job"]["name"] for row in one["runs"]] for one in ahead["lanes"]] == [
        ["nightly.tidy"],
        ["nightly.core"],
        ["nightly.mart"],
    ]
    assert [(one["name"], one["reader"]) for one in ahead["steps"]] == [
        ("strait.tidy.tickets", run_id(3)),
        ("strait.core.fares", run_id(4)),
    ]


def test_how_datasets_stand(store: Engine) -> None:
    now = (datetime.now(UTC) - BEGUN).total_seconds() / 60
    number = iter(range(1, 99))

    def hours(job: str, reads: str, writes: str, last: int, **more: Any) -> list[dict[str, Any]]:
        """A job of each hour, the last time so many hours ago."""
        ago = range(last, last + 9)
        sides = {"inputs": [reads], "outputs": [writes]}
        return [event("COMPLETE", next(number), job, now - n * 60 + 0.5, **sides) for n in ago]

    bodies = hours("tides", "strait.landing.a", "strait.tidy.tides", 0)
    bodies += hours("fares", "strait.landing.b", "strait.tidy.fares", 5)
    bodies += hours("board", "strait.tidy.ports", "strait.mart.board", 0)
    bodies += hours("ports", "strait.landing.c", "strait.tidy.ports", 0)
    bodies += hours("crew", "strait.landing.d", "strait.tidy.crew", 0)
    bodies += [event("FAIL", 97, "ports", now + 1), event("START", 98, "crew", now + 1)]
    send(store, bodies)
    work_through(store)
    client = Client(create_app(store))
    ids = {one["id"]: one["name"] for one in client.json("/api/v1/catalog", limit=50)["items"]}
    found = client.json("/api/v1/runs/states", dataset=list(ids))
    assert {ids[one["dataset"]].split(".", 1)[1]: one["state"] for one in found} == {
        "tidy.tides": "fresh",
        "tidy.fares": "late",
        "tidy.ports": "failed",
        "mart.board": "stale",
        "tidy.crew": "running",
    }


def test_who_has_a_schedule_is_late_by_it(store: Engine) -> None:
    now = (datetime.now(UTC) - BEGUN).total_seconds() / 60
    # Both ran ten hours ago, once: nobody knows their habits.
    bodies = [
        event("COMPLETE", n, job, now - 600, outputs=[f"strait.tidy.{job}"])
        for n, job in ((1, "tides"), (2, "crew"))
    ]
    send(store, bodies)
    work_through(store)
    with store.begin() as connection:
        connection.execute(text("update job set schedule = '0 * * * *' where name = 'tides'"))
        connection.execute(text("update job set schedule = 'whenever' where name = 'crew'"))
    client = Client(create_app(store))
    ids = {one["id"]: one["name"] for one in client.json("/api/v1/catalog", limit=50)["items"]}
    found = {ids[one["dataset"]]: one for one in client.json("/api/v1/runs/states", dataset=list(ids))}
    assert {name: one["state"] for name, one in found.items()} == {
        "strait.tidy.tides": "late",
        "strait.tidy.crew": "fresh",
    }
    due = datetime.fromisoformat(found["strait.tidy.tides"]["due_at"])
    assert timedelta(0) <= datetime.now(UTC) - due <= timedelta(hours=2)


def test_the_timetable_has_the_stations_in_the_order_of_the_data(client: Client) -> None:
    table = client.json("/api/v1/runs/timetable", **SINCE)
    assert table["stations"] == ["landing", "tidy", "core", "mart"]
    failed = [one for one in table["lines"] if one["state"] == "failed"]
    assert {(one["job"], one["from_station"], one["to_station"]) for one in failed} == {
        ("nightly.core", 1, 2),
        ("nightly.mart", 2, 3),
    }


def test_searches_are_kept_under_a_name(client: Client, store: Engine) -> None:
    from jalan.service.context import Context
    from jalan.service.errors import Conflict, Invalid
    from jalan.service.runs import kept

    context = Context(store, "quay")
    number = kept.keep_search(context, "failed this week", {"q": "failed", "span": "week"})
    assert [(one["name"], one["query"]["q"]) for one in client.json("/api/v1/searches")] == [
        ("failed this week", "failed")
    ]
    with pytest.raises(Conflict):
        kept.keep_search(context, "failed this week", {})
    with pytest.raises(Invalid, match=r"query\.colour"):
        kept.keep_search(context, "x", {"colour": 1})
    kept.let_go(context, number)
    assert client.json("/api/v1/searches") == []
