"""The API under requests that nobody would send: never a 5xx, every answer documented, errors problem documents."""

import re
import subprocess
from collections.abc import Iterator
from types import SimpleNamespace

import pytest
import schemathesis
from fastapi.testclient import TestClient
from hypothesis import HealthCheck, given, settings
from schemathesis.checks import not_a_server_error
from schemathesis.specs.openapi.checks import (
    content_type_conformance,
    response_schema_conformance,
    status_code_conformance,
)
from sqlalchemy import Engine, func, select
from sqlalchemy.orm import Session

from jalan.demo import scenario
from jalan.demo.cluster import Cluster
from jalan.service.context import Context
from jalan.service.ingest import scheduler
from jalan.service.ingest.once import load
from jalan.store.database import migrate, open_store
from jalan.store.schema import Field
from jalan.web.app import create_app
from tests.conftest import fresh_database

_ENDLESS = "/api/v1/runs/events"  # a stream that has no end
OPERATIONS = [
    (path, method)
    for path, methods in create_app(open_store("postgresql+psycopg://")).openapi()["paths"].items()
    for method in methods
    if path != _ENDLESS
]


@pytest.fixture(scope="module")
def known(cluster: Cluster) -> Iterator[Engine]:
    """A store with something in it that may be changed and removed: what is asked for here may do anything."""
    with fresh_database(cluster) as name, pytest.MonkeyPatch.context() as patch:
        engine = open_store(cluster.url(name))
        migrate(engine)
        load(Context(engine, "command line"), scenario.REPOSITORY, name="ferry", server="islands:5432")
        nothing = SimpleNamespace(
            Popen=lambda command, **more: subprocess.Popen(["true"], **more), DEVNULL=subprocess.DEVNULL
        )
        patch.setattr(scheduler, "subprocess", nothing)
        yield engine
        engine.dispose()


@pytest.fixture(scope="module")
def document(known: Engine) -> schemathesis.BaseSchema:
    return schemathesis.openapi.from_asgi("/api/openapi.json", create_app(known, hosts=["testserver"]))


@pytest.fixture(scope="module")
def client(known: Engine) -> Iterator[TestClient]:
    """One application for all that asks it nothing but single requests."""
    with TestClient(create_app(known), base_url="http://localhost", raise_server_exceptions=False) as found:
        yield found


@pytest.mark.parametrize("mode", [schemathesis.GenerationMode.POSITIVE, schemathesis.GenerationMode.NEGATIVE])
@pytest.mark.parametrize(("path", "method"), OPERATIONS)
def test_no_request_is_answered_in_a_way_that_is_not_documented(
    document: schemathesis.BaseSchema, path: str, method: str, mode: schemathesis.GenerationMode
) -> None:
    operation = document[path][method]
    negative = mode is schemathesis.GenerationMode.NEGATIVE
    if negative and not (operation.path_parameters or operation.query or operation.body):
        pytest.skip("nothing to give wrongly")

    @given(case=operation.as_strategy(generation_mode=mode))
    @settings(max_examples=12, suppress_health_check=list(HealthCheck), database=None)
    def tried(case: schemathesis.Case) -> None:
        _try(case)

    tried()


def _try(case: schemathesis.Case) -> None:
    response = case.call(base_url="http://localhost")
    case.validate_response(
        response,
        checks=[
            not_a_server_error, status_code_conformance, content_type_conformance, response_schema_conformance,
        ],
    )  # fmt: skip
    if response.status_code >= 400:
        problem = response.json()
        assert problem["status"] == response.status_code
        assert problem["detail"]


def test_a_store_without_tables_is_a_problem_document(store: Engine) -> None:
    with store.begin() as connection:
        connection.exec_driver_sql("drop table link, diagnostic, statement, ingestion cascade")
    with TestClient(create_app(store), base_url="http://localhost", raise_server_exceptions=False) as client:
        answer = client.get("/api/v1/sources")
    assert answer.status_code == 503
    assert "jalan migrate" in answer.json()["detail"]


HUGE = ["0", "-1", "2147483648", "9223372036854775808", "1" * 400, "1e9", "%00", "NaN", "x" * 5000, "..%2f..%2fetc"]


@pytest.mark.parametrize("value", HUGE)
@pytest.mark.parametrize(("path", "method"), [one for one in OPERATIONS if "{" in one[0]])
def test_ids_beyond_all_measure_are_refused(client: TestClient, path: str, method: str, value: str) -> None:
    answer = client.request(method, re.sub(r"{\w+}", value, path), json={})
    assert 400 <= answer.status_code < 500
    assert answer.json()["status"] == answer.status_code


@pytest.mark.parametrize(
    "query",
    [
        "/trail?field=1&field=999999999999999999999", "/trail?field=%00", "/find?q=%00", "/find?q=%ff%fe",
        "/overview?as_of=0001-01-01T00:00:00Z", "/catalog?cursor=%00", "/catalog?cursor=AAAA",
        "/catalog?q=%ed%a0%80",
        "/datasets/1?as_of=9999-12-31T23:59:59%2B00:00", "/datasets/1?as_of=0001-01-01T00:00:00%2B14:00",
        "/catalog?as_of=2026-01-01T00:00:00", "/export/csv?around=99999999999999999999",
    ],
)  # fmt: skip
def test_odd_queries_are_answered(client: TestClient, query: str) -> None:
    assert client.get(f"/api/v1{query}").status_code < 500


@pytest.mark.parametrize(
    "body",
    [
        b'{"name": "a\\u0000b", "config": {"kind": "declared"}}',
        b'{"name": "\\ud800", "config": {"kind": "declared"}}',
        b'{"name": "x", "config": {"kind": "declared", "location": "a\\u0000b"}}',
        b'{"name": "x", "config": {"kind": "tabular", "namespace": "\\u0000"}}',
        b'{"name": "x", "config": ' + b'{"a":' * 3000 + b"1" + b"}" * 3000 + b"}",
        b"[" * 100_000,
        b"\xff\xfe",
        b'{"name": 1e999, "config": {}}',
    ],
)
def test_bodies_that_mean_harm_are_refused(client: TestClient, body: bytes) -> None:
    headers = {"content-type": "application/json"}
    answer = client.post("/api/v1/sources", content=body, headers=headers)
    assert 400 <= answer.status_code < 500
    assert answer.headers["content-type"] == "application/problem+json"


def test_a_trail_is_of_one_dataset(known: Engine) -> None:
    with Session(known) as session:
        fields = dict(
            session.execute(select(Field.dataset_id, func.min(Field.id)).group_by(Field.dataset_id)).all()
        )
    first, second = sorted(fields.values())[:2]
    with TestClient(create_app(known), base_url="http://localhost") as client:
        answer = client.get(f"/api/v1/trail?field={first}&field={second}")
    assert answer.status_code == 422
    assert "several datasets" in answer.json()["detail"]
