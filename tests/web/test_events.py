"""Events are received as the standard's own client sends them; nothing acknowledged is lost."""

import asyncio
import gzip
import json
import time
from collections.abc import Iterator
from datetime import UTC, datetime
from typing import Any

import httpx
import psycopg
import pytest
from openlineage.client import OpenLineageClient
from openlineage.client.event_v2 import InputDataset, Job, OutputDataset, Run, RunEvent, RunState
from openlineage.client.facet_v2 import (
    column_lineage_dataset,
    dataset_version_dataset,
    environment_variables_run,
    error_message_run,
    nominal_time_run,
    parent_run,
    schema_dataset,
    source_code_location_job,
    sql_job,
)
from openlineage.client.facet_v2 import data_quality_assertions_dataset as quality
from openlineage.client.facet_v2 import input_statistics_input_dataset as read_statistics
from openlineage.client.facet_v2 import output_statistics_output_dataset as write_statistics
from openlineage.client.serde import Serde
from openlineage.client.transport.http import HttpCompression, HttpConfig, HttpTransport
from sqlalchemy import Engine, text

from jalan.service.runs.apply import apply_waiting
from jalan.service.runs.intake import Intake
from tests.events import SERVER, dataset, event, run_id, send
from tests.web.serving import serving


@pytest.fixture
def address(store: Engine) -> Iterator[str]:
    with serving(store) as found:
        yield found


def kept(engine: Engine) -> list[dict[str, Any]]:
    with engine.connect() as connection:
        return [
            json.loads(raw) for raw in connection.execute(text("select raw from event order by at, type")).scalars()
        ]


def whole(kind: RunState, number: int) -> RunEvent:
    """An event with every facet that a run of SQL has."""
    parent = parent_run.ParentRunFacet(
        run=parent_run.Run(runId=run_id(1)),
        job=parent_run.Job(namespace="ferry", name="nightly"),
        root=parent_run.Root(
            run=parent_run.RootRun(runId=run_id(1)), job=parent_run.RootJob(namespace="ferry", name="nightly")
        ),
    )
    fields = [schema_dataset.SchemaDatasetFacetFields(name="fare", type="int")]
    return RunEvent(
        eventType=kind,
        eventTime=datetime(2026, 11, 27, 2, number, tzinfo=UTC).isoformat(),
        run=Run(
            runId=run_id(number),
            facets={
                "parent": parent,
                "nominalTime": nominal_time_run.NominalTimeRunFacet(nominalStartTime="2026-11-27T02:00:00Z"),
                "errorMessage": error_message_run.ErrorMessageRunFacet(message="fog", programmingLanguage="SQL"),
                "environmentVariables": environment_variables_run.EnvironmentVariablesRunFacet(
                    environmentVariables=[
                        environment_variables_run.EnvironmentVariable(name="SAILING_DAY", value="2026-11-26")
                    ]
                ),
            },
        ),
        job=Job(
            namespace="ferry",
            name="nightly.core",
            facets={
                "sql": sql_job.SQLJobFacet(query="insert into core.fares select fare from tidy.tickets"),
                "sourceCodeLocation": source_code_location_job.SourceCodeLocationJobFacet(
                    type="git", url="https://git.ferry.example/pipelines", path="core/fares.sql", version="a1b2"
                ),
            },
        ),
        producer="https://ferry.example/runner",
        inputs=[
            InputDataset(
                namespace=SERVER,
                name="strait.tidy.tickets",
                facets={
                    "schema": schema_dataset.SchemaDatasetFacet(fields=fields),
                    "version": dataset_version_dataset.DatasetVersionDatasetFacet(datasetVersion="17"),
                },
                inputFacets={
                    "inputStatistics": read_statistics.InputStatisticsInputDatasetFacet(rowCount=8140),
                    "dataQualityAssertions": quality.DataQualityAssertionsDatasetFacet(
                        assertions=[quality.Assertion(assertion="not_null", success=True, column="fare")]
                    ),
                },
            )
        ],
        outputs=[
            OutputDataset(
                namespace=SERVER,
                name="strait.core.fares",
                facets={
                    "columnLineage": column_lineage_dataset.ColumnLineageDatasetFacet(
                        fields={
                            "fare": column_lineage_dataset.Fields(
                                inputFields=[
                                    column_lineage_dataset.InputField(
                                        namespace=SERVER, name="strait.tidy.tickets", field="fare"
                                    )
                                ]
                            )
                        }
                    )
                },
                outputFacets={
                    "outputStatistics": write_statistics.OutputStatisticsOutputDatasetFacet(
                        rowCount=8000, size=640_000
                    )
                },
            )
        ],
    )


@pytest.mark.parametrize("packed", [None, HttpCompression.GZIP])
def test_the_standards_own_client_is_understood(
    store: Engine, address: str, packed: HttpCompression | None
) -> None:
    client = OpenLineageClient(transport=HttpTransport(HttpConfig(url=address, compression=packed)))
    sent = whole(RunState.COMPLETE, 5)
    client.emit(sent)
    client.emit(sent)  # again: nothing changes
    (found,) = kept(store)
    assert found == json.loads(Serde.to_json(sent))
    apply_waiting(store)
    with store.connect() as connection:
        row = connection.execute(text("select * from run where run_id = :r"), {"r": run_id(5)}).one()
        sides = connection.execute(text("select side, rows, bytes, version from run_dataset order by side")).all()
    assert (row.state, row.rows, row.bytes, row.message, str(row.parent)) == (
        "done",
        8000,
        640_000,
        "fog",
        run_id(1),
    )
    assert row.nominal_at == datetime(2026, 11, 27, 2, 0, tzinfo=UTC)
    assert "sailing_day=2026-11-26" in row.words
    assert [tuple(side) for side in sides] == [("in", 8140, None, "17"), ("out", 8000, 640_000, "")]


def test_what_is_wrong_is_refused_with_its_path_and_status(store: Engine, address: str) -> None:
    post = f"{address}/api/v1/lineage"
    cases: list[tuple[Any, dict[str, str], int, str]] = [
        (json.dumps({**event("START", 1, "a", 0), "run": {"runId": "x"}}), {}, 422, "$.run.runId"),
        (b"{", {}, 422, "$: this is not JSON"),
        (b'"\xff"', {}, 422, "UTF-8"),
        (json.dumps(event("START", 1, "a\0", 0)), {}, 422, "$.job.name"),
        (gzip.compress(b"{}")[:-4], {"Content-Encoding": "gzip"}, 422, "ends too early"),
        (b"{}", {"Content-Encoding": "gzip"}, 422, "no gzip"),
        (b"{}", {"Content-Encoding": "br"}, 422, "send gzip"),
        (gzip.compress(b" " * 20_000_000), {"Content-Encoding": "gzip"}, 413, "larger"),
    ]
    for body, headers, status, told in cases:
        answer = httpx.post(post, content=body, headers=headers)
        assert (answer.status_code, answer.headers["content-type"]) == (status, "application/problem+json"), told
        assert told in answer.json()["detail"]
    assert kept(store) == []


def test_what_goes_wrong_where_one_event_is_received_is_a_problem_too(
    store: Engine, address: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    post = f"{address}/api/v1/lineage"
    endless = (b" " * 1_000_000 for _ in range(20))  # without a length
    cases: list[tuple[Exception | None, Any, int]] = [
        (None, endless, 413),
        (psycopg.OperationalError("away"), b"", 503),
        (RuntimeError("not thought of"), b"", 500),
    ]
    for error, body, status in cases:
        if error is not None:

            async def write(self: Intake, events: Any, error: Exception = error) -> None:
                raise error

            monkeypatch.setattr(Intake, "write", write)
        answer = httpx.post(post, content=body or json.dumps(event("START", 1, "a", 0)))
        assert (answer.status_code, answer.json()["status"]) == (status, status)
        assert answer.headers["x-request-id"]
        assert answer.headers["x-content-type-options"] == "nosniff"
    assert kept(store) == []


def test_one_bad_event_of_a_batch_does_not_hold_back_the_others(store: Engine, address: str) -> None:
    batch = [event("START", 1, "a", 0), {"eventTime": 3}, event("START", 2, "b", 1), [], event("START", 2, "b", 1)]
    answer = httpx.post(f"{address}/api/v1/lineage/batch", json=batch)
    assert answer.status_code == 200
    found = answer.json()
    assert found["status"] == "partial_success"
    assert found["summary"] == {"received": 5, "successful": 3, "failed": 2, "retriable": 0, "non_retriable": 2}
    assert [(one["index"], one["reason"].partition(":")[0]) for one in found["failed_events"]] == [
        (1, "$[1].eventTime"),
        (3, "$[3]"),
    ]
    assert len(kept(store)) == 2
    for body, told in (("{}", "a list"), ("[1,]", "JSON"), ("[1 2]", "comma"), ("[]x", "JSON")):
        answer = httpx.post(f"{address}/api/v1/lineage/batch", content=body)
        assert answer.status_code == 422
        assert told in answer.json()["detail"]
    assert httpx.post(f"{address}/api/v1/lineage/batch", content="[ ]").json()["status"] == "success"
    none = httpx.post(f"{address}/api/v1/lineage/batch", json=[{}])
    assert none.status_code == 422
    assert none.json()["failed_events"][0]["reason"].startswith("$[0].eventTime")


def test_the_text_of_an_event_is_kept_as_it_came(store: Engine, address: str) -> None:
    body = json.dumps(event("START", 1, "a", 0, big=0), indent=1).replace(
        '"big": 0', '"big": 12345678901234567890123'
    )
    assert httpx.post(f"{address}/api/v1/lineage", content=body).status_code == 201
    assert httpx.post(f"{address}/api/v1/lineage/batch", content=f"[ {body} ,{body}]").status_code == 200
    with store.connect() as connection:
        assert connection.execute(text("select raw from event")).scalars().all() == [body]


def test_many_at_once_share_commits_and_each_is_kept_once(store: Engine, address: str) -> None:
    bodies = [event("COMPLETE", n, "tides", n, outputs=[dataset("strait.core.tides", n)]) for n in range(300)]

    async def send() -> list[int]:
        # How long a request waits for one of the connections says something about the machine alone.
        limits = httpx.Limits(max_connections=30)
        async with httpx.AsyncClient(base_url=address, limits=limits, timeout=60) as client:
            answers = await asyncio.gather(
                *(client.post("/api/v1/lineage", json=body) for body in [*bodies, *bodies])
            )
            return [answer.status_code for answer in answers]

    assert set(asyncio.run(send())) == {201}
    assert len(kept(store)) == 300
    with store.connect() as connection:
        commits = connection.execute(text("select count(distinct xmin::text) from event")).scalar()
    assert commits is not None
    assert commits < 300
    assert apply_waiting(store) == 300


def test_who_sends_more_than_is_taken_on_is_told_to_wait(store: Engine, monkeypatch: pytest.MonkeyPatch) -> None:
    from jalan.service.runs import intake

    monkeypatch.setattr(intake, "_MOST_WAITING", 3)
    taking = intake.Intake(store)
    several = [intake.one_event(json.dumps(event("START", n, "a", n)).encode()) for n in range(4)]

    async def crowd() -> list[Any]:
        found = await asyncio.gather(
            taking.write(several[:2]), taking.write(several[2:]), taking.write(several[2:3]), return_exceptions=True
        )
        await taking.write(several[2:])  # a moment later there is room
        await taking.close()
        return list(found)

    first, second, third = asyncio.run(crowd())
    assert (first, third) == (None, None)
    assert isinstance(second, intake.TooBusy)
    assert len(kept(store)) == 4


def test_who_watches_is_told_when_runs_have_changed(store: Engine, address: str) -> None:
    with httpx.stream("GET", f"{address}/api/v1/runs/events", timeout=20) as stream:
        lines = stream.iter_lines()
        # Whoever listens does so a moment after the answer has begun.
        for minute in range(5):
            time.sleep(0.2)
            send(store, [event("RUNNING", 1, "tides", minute)])
            apply_waiting(store)
        assert next(line for line in lines if line.startswith("event:")) == "event: runs"
