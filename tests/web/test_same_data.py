"""Runs that name the same data otherwise are of the same data: every answer is as if all had used one name."""

from typing import Any

import pytest

from jalan.demo.cluster import Cluster
from jalan.service.runs.worker import work_through
from jalan.store.database import migrate, open_store
from jalan.web.app import create_app
from tests.conftest import fresh_database
from tests.events import SERVER, event, run_id, send
from tests.web.test_api import Client

ONE = {"namespace": SERVER, "name": "strait.landing.gates"}
OTHER = {"namespace": "files://quay", "name": "/gates"}
LINK = {"identifiers": [{**OTHER, "type": "TABLE"}]}


def night(written: dict[str, Any], read: dict[str, Any]) -> list[dict[str, Any]]:
    """A pipeline with two steps; what the first writes, the second reads. The last time, the first one fails."""
    known = {**ONE, "facets": {"symlinks": LINK, "schema": {"fields": [{"name": "gate", "type": "int"}]}}}
    found = [event("COMPLETE", 1, "scan", 0, outputs=[known])]
    for day in range(2):
        first = 10 * (day + 1)
        at = day * 24 * 60
        call = (first, "nightly")
        found += [
            event("COMPLETE", first + 1, "load", at + 1, parent=call, outputs=[written]),
            event("COMPLETE", first + 2, "count", at + 2, parent=call, inputs=[read], outputs=["strait.core.b"]),
            event("COMPLETE", first, "nightly", at + 3),
        ]
    return [*found, event("FAIL", 31, "load", 3000, outputs=[written])]


def answers(client: Client) -> dict[str, Any]:
    """What Jalan says of these runs, without ids."""
    listed = {one["name"]: one["id"] for one in client.json("/api/v1/catalog", limit=50)["items"]}
    gates, counted = listed["strait.landing.gates"], listed["strait.core.b"]
    since = "2026-11-01T00:00:00Z"
    runs = client.json("/api/v1/runs", limit=50, since=since)["items"]
    jobs = {one["job"]["name"]: one["job"]["id"] for one in runs}
    steps = client.json(f"/api/v1/datasets/{counted}/order")["steps"]
    reading = client.json(f"/api/v1/runs/{run_id(22)}")
    below = client.json(f"/api/v1/jobs/{jobs['nightly']}/lineage")
    road = client.json(f"/api/v1/runs/{run_id(22)}/road")
    found = {
        words: [one["run"] for one in client.json("/api/v1/runs", q=words, since=since)["items"]]
        for words in ("read:landing.gates", "wrote:landing.gates", "column:gate")
    }
    states = client.json("/api/v1/runs/states", dataset=[gates, counted])
    return {
        "listed": sorted(listed),
        "states": [(one["state"], one["run"]) for one in states],
        "of it": [one["run"] for one in client.json("/api/v1/runs", dataset=gates, since=since)["items"]],
        "found": found,
        "who wrote": [(one["writer"], one["side"]) for one in reading["sides"]],
        "order": [(one["job"]["name"], one["after"]) for one in steps],
        "suspects": [
            (one["job"]["name"], one["hops"])
            for one in client.json(f"/api/v1/datasets/{counted}/suspects", at="2026-11-23T00:00:00Z")["items"]
        ],
        "road": sorted((one["writer"], one["reader"]) for one in road["steps"]),
        "below": (below["reads_total"], below["writes_total"], sorted(one["within"] for one in below["writes"])),
    }


def told(cluster: Cluster, events: list[dict[str, Any]]) -> dict[str, Any]:
    """The answers of a store of its own that has taken in these events."""
    with fresh_database(cluster) as name:
        engine = open_store(cluster.url(name))
        migrate(engine)
        send(engine, events)
        work_through(engine)
        client = Client(create_app(engine))
        found = answers(client)
        engine.dispose()
        return found


@pytest.mark.parametrize(("written", "read"), [(OTHER, ONE), (ONE, OTHER), (OTHER, OTHER)])
def test_another_name_of_the_same_data_changes_no_answer(
    cluster: Cluster, written: dict[str, Any], read: dict[str, Any]
) -> None:
    expected = told(cluster, night(ONE, ONE))
    assert all([expected["road"], expected["of it"], *expected["found"].values()])
    assert told(cluster, night(written, read)) == expected
