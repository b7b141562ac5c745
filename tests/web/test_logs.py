"""The log: one line a request and a run, with ids; nothing that somebody looked for, wrote or keeps secret."""

import logging
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
import structlog
from fastapi.testclient import TestClient
from sqlalchemy import Engine
from structlog.testing import capture_logs

from jalan.service.context import Context
from jalan.service.ingest import sources
from jalan.service.ingest.registry import parse_config
from jalan.service.logs import configure
from jalan.sources.errors import SourceError
from jalan.web.app import create_app


@pytest.fixture
def logged() -> Iterator[list[Any]]:
    configure(logging.INFO)
    with capture_logs() as found:
        yield found
    configure(logging.CRITICAL)


def test_a_request_is_one_line_without_what_was_looked_for(store: Engine, logged: list[Any]) -> None:
    client = TestClient(create_app(store), base_url="http://localhost")
    answer = client.get("/api/v1/find?q=strongroom")
    (line,) = [one for one in logged if one["event"] == "request"]
    assert line["request"] == answer.headers["x-request-id"]
    assert (line["method"], line["path"], line["status"]) == ("GET", "/api/v1/find", 200)
    assert line["ms"] >= 0
    assert "strongroom" not in str(logged)


def test_a_fault_of_ours_is_a_problem_with_the_id_that_the_log_has(
    store: Engine, logged: list[Any], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("jalan.web.api.catalog.find", lambda *_: 1 / 0)
    client = TestClient(create_app(store), base_url="http://localhost", raise_server_exceptions=False)
    answer = client.get("/api/v1/find?q=x")
    assert answer.status_code == 500
    assert answer.json()["title"] == "Internal error"
    assert [one["event"] for one in logged] == ["a fault of ours", "request"]


def test_a_request_that_takes_too_long_is_given_up(
    store: Engine, monkeypatch: pytest.MonkeyPatch, logged: list[Any]
) -> None:
    monkeypatch.setenv("JALAN_REQUEST_SECONDS", "0.05")
    app = create_app(store)

    @app.get("/api/v1/slow")
    def slow() -> None:
        time.sleep(0.5)

    app.router.routes.insert(0, app.router.routes.pop())
    answer = TestClient(app, base_url="http://localhost").get("/api/v1/slow")
    assert answer.status_code == 503
    assert "no answer within" in answer.json()["detail"]


def test_a_run_is_one_line_whether_it_is_done_or_fails(store: Engine, tmp_path: Path, logged: list[Any]) -> None:
    path = tmp_path / "strongroom.yaml"
    config = parse_config({"kind": "declared", "location": str(path)})
    source = sources.ensure(Context(store, "test"), "office", config)
    with pytest.raises(SourceError):
        sources.ingest(Context(store, "test"), source, config=config)
    path.write_text(
        "by: Quay\nlinks:\n  - {from: {namespace: a, name: x}, to: {namespace: a, name: y}, because: so}\n"
    )
    sources.ingest(Context(store, "test"), source, config=config)
    assert [(one["event"], one["ingestion"], one["source"]) for one in logged] == [
        ("ingestion failed", 1, "office"), ("ingestion done", 2, "office"),
    ]  # fmt: skip
    assert "strongroom" not in str(logged)


def test_lines_are_json_where_nobody_watches(capsys: pytest.CaptureFixture[str]) -> None:
    configure(json=True)
    structlog.get_logger().info("a word", run=1)
    assert capsys.readouterr().err.startswith('{"run": 1, "event": "a word"')
    configure(json=False)
    structlog.get_logger().info("a word", run=1)
    assert "a word" in capsys.readouterr().err
    configure(logging.CRITICAL)
