"""The API under requests that nobody would send: never a 5xx, every answer documented, errors problem documents."""

import pytest
import schemathesis
from fastapi.testclient import TestClient
from hypothesis import HealthCheck, settings
from schemathesis.checks import not_a_server_error
from schemathesis.specs.openapi.checks import (
    content_type_conformance,
    response_schema_conformance,
    status_code_conformance,
)
from sqlalchemy import Engine

from jalan.web.app import create_app
from tests.conftest import Demo

_ENDLESS = "/api/v1/runs/{run}/events"
_STARTS = "/api/v1/sources/{source}/runs"  # would start processes by the dozen


@pytest.fixture
def document(demo: Demo) -> object:
    app = create_app(demo.engine, hosts=["testserver"])
    return schemathesis.openapi.from_asgi("/api/openapi.json", app)


schema = schemathesis.pytest.from_fixture("document").exclude(path=_ENDLESS).exclude(path=_STARTS, method="POST")


@schema.parametrize()
@settings(max_examples=25, suppress_health_check=list(HealthCheck))
def test_no_request_is_answered_in_a_way_that_is_not_documented(case: schemathesis.Case) -> None:
    response = case.call()
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
