"""The demo's runner runs the pipeline for real and tells of it over HTTP."""

import time
from collections.abc import Iterator
from typing import Any

import pytest
from sqlalchemy import Engine, text

from jalan.demo import runner
from jalan.demo.pipeline import mend
from jalan.service.runs.worker import work_through
from jalan.store.database import migrate, open_store
from jalan.web.app import create_app
from tests.conftest import Demo, fresh_database
from tests.web.serving import serving
from tests.web.test_api import Client

QUICK = {"_FIRST_AFTER": 0.0, "_EVERY": 0.1, "_GATES_EVERY": 0.3, "_LATE_BY": 2.0}


@pytest.fixture(scope="module")
def told(demo: Demo) -> Iterator[Client]:
    """What Jalan knows after four cycles and two topics, of which the runner has told."""
    with fresh_database(demo.cluster) as name, pytest.MonkeyPatch.context() as patch:
        engine = open_store(demo.cluster.url(name))
        migrate(engine)
        for constant, value in QUICK.items():
            patch.setattr(runner, constant, value)
        with serving(engine) as address:
            running = runner.Runner(demo.cluster, address)
            running.open()
            try:
                wait_for(engine, "name = 'refresh' and type = 'FAIL'")
                wait_for(engine, "name = 'gate-stream' and position('north-quay' in raw) > 0")
            finally:
                running.close()
                mend(demo.cluster, lambda message: None)
        work_through(engine)
        yield Client(create_app(engine))
        engine.dispose()


def wait_for(engine: Engine, event: str) -> None:
    """Wait until an event has been received."""
    end = time.monotonic() + 180
    while True:
        with engine.connect() as connection:
            if connection.execute(text(f"select exists (select from event where {event})")).scalar():
                return
        assert time.monotonic() < end, event
        time.sleep(0.2)


def runs(client: Client, words: str) -> list[dict[str, Any]]:
    return list(client.json("/api/v1/runs", q=words, limit=500)["items"])


def job(client: Client, name: str) -> int:
    return next((one["job"]["id"] for one in runs(client, f"job:{name}") if one["job"]["name"] == name), 0)


def test_the_demo_runs_nested_with_parameters_and_one_step_fails(told: Client) -> None:
    (failed,) = (one for one in runs(told, "job:nightly.mart.loyalty failed") if one["message"])
    assert "lapsed_points" in failed["message"]
    facts = told.json(f"/api/v1/runs/{failed['run']}")
    assert [one["job"]["name"] for one in facts["callers"]] == ["refresh", "refresh.mart"]
    assert [one["state"] for one in facts["callers"]] == ["failed", "failed"]
    assert (facts["parameters"]["CYCLE"], facts["parameters"]["USER"]) == ("4", "demo runner")
    # It has really run: what a good run wrote was counted in the warehouse.
    good = next(one for one in runs(told, "job:nightly.mart.loyalty done"))
    assert good["rows"] > 0
    late = {one["took"] > QUICK["_LATE_BY"] for one in runs(told, "job:nightly.mart.crew_load done")}
    assert late == {True, False}


def test_a_stream_shows_its_pattern_and_takes_up_a_new_topic_while_it_runs(told: Client) -> None:
    (stream,) = runs(told, "job:gate-stream")
    assert stream["state"] == "running"
    facts = told.json(f"/api/v1/runs/{stream['run']}")
    read = {one["name"]: one["pattern"] for one in facts["sides"] if one["side"] == "in"}
    assert read == {"gate-scans": ["gate-scans*"], "gate-scans-north-quay": ["gate-scans*"]}
    newest, first = told.json(f"/api/v1/jobs/{job(told, 'gate-stream')}")["versions"]
    assert newest["inputs_added"] == ["gate-scans-north-quay"]
    assert first["inputs"] == ["gate-scans"]
