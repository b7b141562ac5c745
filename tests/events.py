"""Made-up events of a ferry operator's jobs, for tests."""

import random
from datetime import UTC, datetime, timedelta
from typing import Any
from uuid import UUID

from sqlalchemy import Engine, text

from jalan.runs.events import read_event
from jalan.service.runs.intake import one_event
from jalan.store.repositories import events as store

BEGUN = datetime(2026, 11, 20, 2, 0, tzinfo=UTC)
SERVER = "postgres://islands:5432"


def run_id(number: int) -> str:
    """The id of a run by a number."""
    return str(UUID(int=(7 << 76) | (2 << 62) | number))


def event(kind: str, run: int, job: str, minute: float, **more: Any) -> dict[str, Any]:
    """A run's event. more: inputs and outputs (names or datasets), facets, job_facets, parent (run and job)."""
    facets = dict(more.pop("facets", {}))
    if parent := more.pop("parent", None):
        facets["parent"] = {"run": {"runId": run_id(parent[0])}, "job": {"namespace": "ferry", "name": parent[1]}}
    found = {
        "eventType": kind,
        "eventTime": (BEGUN + timedelta(minutes=minute)).isoformat(),
        "producer": "urn:ferry",
        "schemaURL": "https://openlineage.io/spec/2-0-2/OpenLineage.json#/$defs/RunEvent",
        "run": {"runId": run_id(run), "facets": facets},
        "job": {"namespace": "ferry", "name": job, "facets": more.pop("job_facets", {})},
    }
    for side in ("inputs", "outputs"):
        found[side] = [dataset(one) if isinstance(one, str) else one for one in more.pop(side, ())]
    return {**found, **more}


def dataset(name: str, rows: int | None = None, output: bool = True, **facets: Any) -> dict[str, Any]:
    """A dataset of an event, with how many rows were written or read."""
    found: dict[str, Any] = {"namespace": SERVER, "name": name, "facets": facets}
    if rows is not None:
        outer, inner = ("outputFacets", "outputStatistics") if output else ("inputFacets", "inputStatistics")
        found[outer] = {inner: {"rowCount": rows, "size": rows * 100}}
    return found


def night(first: int, day: int, dice: random.Random, fails: str = "") -> list[dict[str, Any]]:
    """The events of one night: a pipeline with three steps. first: number of its first run."""
    at = day * 24 * 60
    found = [event("START", first, "nightly", at)]
    steps = [
        ("nightly.tidy", ["strait.landing.tickets"], "strait.tidy.tickets"),
        ("nightly.core", ["strait.tidy.tickets"], "strait.core.fares"),
        ("nightly.mart", ["strait.core.fares", "strait.core.ports"], "strait.mart.board"),
    ]
    for n, (job, inputs, output) in enumerate(steps, 1):
        parent = (first, "nightly")
        found.append(event("START", first + n, job, at + n, parent=parent))
        rows = 1000 + dice.randint(-20, 20)
        if job == fails:
            wrong = {"errorMessage": {"message": "column fare does not exist", "programmingLanguage": "SQL"}}
            found.append(event("FAIL", first + n, job, at + n + 0.5, parent=parent, facets=wrong))
            found.append(event("FAIL", first, "nightly", at + n + 0.6))
            return found
        found.append(
            event(
                "COMPLETE",
                first + n,
                job,
                at + n + 0.5,
                parent=parent,
                inputs=inputs,
                outputs=[dataset(output, rows)],
            )
        )
    return [*found, event("COMPLETE", first, "nightly", at + 9)]


def send(engine: Engine, bodies: list[dict[str, Any]]) -> None:
    """Put events into the store as if they had been received."""
    import orjson

    received = [one_event(orjson.dumps(body)) for body in bodies]
    with engine.begin() as connection:
        store.write(connection, received)


def state(engine: Engine) -> dict[str, list[tuple[Any, ...]]]:
    """What the store has of runs, without numbers that depend on the order in which things came."""
    queries = {
        "runs": "select r.run_id, j.namespace, j.name, r.parent, p.name, r.state, r.started_at, r.ended_at, "
        "r.last_at, r.took, r.rows, r.bytes, r.message, r.who, r.code, r.version, r.events, r.words, r.fold "
        "from run r join job j on j.id = r.job_id left join job p on p.id = r.parent_job_id order by 1",
        "datasets": "select r.run_id, d.side, n.namespace, n.name, d.rows, d.bytes, d.version from run_dataset d "
        "join run r on r.id = d.run join dataset_name n on n.id = d.name_id order by 1, 2, 3, 4",
        "versions": "select distinct j.name, v.digest, v.text, v.inputs, v.outputs from job_version v "
        "join job j on j.id = v.job_id join run r on r.version = v.digest and r.job_id = j.id order by 1, 2",
        "growth": "select r.run_id, v.digest, v.since from run_version v join run r on r.id = v.run order by 1, 3",
        "names": "select namespace, name, facets from dataset_name order by 1, 2",
        "jobs": "select namespace, name, facets from job order by 1, 2",
        "waiting": "select count(*) from event_waiting",
    }
    with engine.connect() as connection:
        return {name: [tuple(row) for row in connection.execute(text(query))] for name, query in queries.items()}


def digest(body: dict[str, Any]) -> bytes:
    """What tells an event apart."""
    return read_event(body).digest
