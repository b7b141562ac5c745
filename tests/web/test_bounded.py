"""Answers that stay small whatever the graph: parts of crowded lanes, pages, streams, facets that are searched."""

import csv
import io
import os
import signal
import subprocess
import sys
import time
from pathlib import Path
from urllib.request import urlopen

import orjson
import pytest
from sqlalchemy import Engine
from starlette.testclient import TestClient

from jalan.demo.cluster import free_port
from jalan.service.context import Context
from jalan.service.ingest.once import load
from jalan.web.app import create_app
from jalan.web.deps import VERSION
from tests.conftest import ROOT

CROWD = 40
SETTINGS = "database: strait\nserver: islands:5432\nowners: {mart: Quay desk}\n"


@pytest.fixture
def crowd(store: Engine, tmp_path: Path) -> Engine:
    """One table that forty others are made of, each with twenty columns."""
    (tmp_path / "jalan.yaml").write_text(SETTINGS)
    columns = [f"c{n}" for n in range(20)]
    for n in range(CROWD):
        names = ", ".join(f"{c} + c{n % 7} as {c}" for c in columns)
        place = "mart" if n % 2 else f"desk{n}"
        (tmp_path / f"t{n}.sql").write_text(f"create table {place}.copy_{n} as select {names} from core.fares;")
    load(Context(store, "test"), tmp_path)
    return store


@pytest.fixture
def client(crowd: Engine) -> TestClient:
    return TestClient(create_app(crowd), base_url="http://localhost")


def _fares(client: TestClient) -> dict[str, object]:
    (row,) = [r for r in client.get("/api/v1/catalog?q=core.fares").json()["items"] if r["title"] == "core.fares"]
    return dict(row)


def _field(client: TestClient, name: str) -> int:
    facts = client.get(f"/api/v1/datasets/{_fares(client)['id']}").json()
    return int(next(column["id"] for column in facts["columns"] if column["name"] == name))


def _lane(client: TestClient, asked: str = "") -> dict[str, object]:
    found = client.get(f"/api/v1/datasets/{_fares(client)['id']}/lanes?downstream=1{asked}").json()
    return {"lane": found["lanes"][-1], **found}


def test_a_crowded_lane_shows_some_and_counts_all(client: TestClient) -> None:
    found = _lane(client)
    lane = found["lane"]
    assert (lane["total"], len(lane["datasets"])) == (CROWD, 12)  # type: ignore[index]
    drawn = len(found["crossings"]) + sum(bundle["links"] for bundle in found["bundles"])  # type: ignore[arg-type, union-attr, index]
    shown = {dataset["id"] for dataset in lane["datasets"]}  # type: ignore[index]
    whole = client.get("/api/v1/export/csv").text
    every = {
        (row["source_column"], row["target_dataset"], row["target_column"])
        for row in csv.DictReader(io.StringIO(whole))
        if row["target_dataset"].endswith(tuple(d["name"] for d in lane["datasets"]))  # type: ignore[index]
    }
    assert drawn == len(every)
    assert {c["target_dataset"] for c in found["crossings"]} <= shown  # type: ignore[union-attr, index]
    assert len(orjson.dumps(found)) < 200_000


def test_more_of_a_lane_is_shown_when_asked_for(client: TestClient) -> None:
    lane = _lane(client, "&shown=1:30")["lane"]
    assert len(lane["datasets"]) == 30  # type: ignore[index]


def test_a_lane_is_narrowed_by_words(client: TestClient) -> None:
    lane = _lane(client, "&named=1:copy_3")["lane"]
    names = {dataset["title"].partition(".")[2] for dataset in lane["datasets"]}  # type: ignore[index]
    expected = {f"copy_{n}" for n in range(CROWD) if f"copy_{n}".startswith("copy_3")}
    assert (lane["total"], names) == (len(expected), expected)  # type: ignore[index]


@pytest.mark.parametrize("asked", ["shown=1", "shown=a:1", "shown=1:99999", "named=tickets"])
def test_a_part_that_makes_no_sense_is_refused(client: TestClient, asked: str) -> None:
    assert client.get(f"/api/v1/datasets/{_fares(client)['id']}/lanes?{asked}").status_code == 422


def test_what_depends_on_a_field_comes_in_pages_that_make_up_the_whole(client: TestClient) -> None:
    field = _field(client, "c0")
    seen, cursor = [], ""
    while True:
        page = client.get(f"/api/v1/fields/{field}/dependents?limit=17{cursor}").json()
        seen += [item["field"] for item in page["items"]]
        assert page["total"] == page["columns"] + page["elements"]
        if page["next"] is None:
            break
        cursor = f"&cursor={page['next']}"
    assert len(seen) == len(set(seen)) == page["total"]
    assert sum(group["count"] for group in page["groups"]) == page["total"]
    streamed = client.get(f"/api/v1/fields/{field}/dependents/all")
    assert streamed.headers["content-type"] == "application/x-ndjson"
    rows = [orjson.loads(line) for line in streamed.text.splitlines()]
    table = list(csv.DictReader(io.StringIO(client.get(f"/api/v1/fields/{field}/dependents/all?form=csv").text)))
    assert len(rows) == len(table) == len(seen)
    assert {(row["dataset"], row["name"]) for row in rows} == {(row["dataset"], row["name"]) for row in table}


def test_what_depends_on_a_field_is_narrowed_by_words(client: TestClient) -> None:
    page = client.get(f"/api/v1/fields/{_field(client, 'c0')}/dependents?q=copy_3 quay").json()
    titles = {item["dataset_title"] for item in page["items"]}
    assert titles
    assert all(title.startswith("mart.copy_3") for title in titles)
    assert client.get(f"/api/v1/fields/{_field(client, 'c0')}/dependents?cursor=fog").status_code == 400


def test_a_facet_with_many_values_lists_some_and_is_searched(client: TestClient) -> None:
    page = client.get("/api/v1/catalog").json()
    assert page["facet_totals"]["container"] == len(page["facets"]["container"]) == CROWD // 2 + 2
    found = client.get("/api/v1/catalog/facets/container?values=desk1").json()
    expected = sorted(f"strait.desk{n}" for n in range(0, CROWD, 2) if f"desk{n}".startswith("desk1"))
    assert sorted(value["value"] for value in found["values"]) == expected
    narrowed = client.get("/api/v1/catalog/facets/container?owner=Quay desk").json()
    assert [(one["value"], one["count"]) for one in narrowed["values"]] == [("strait.mart", CROWD // 2)]
    assert client.get("/api/v1/catalog/facets/smell").status_code == 404


def test_a_name_that_is_spelled_nearly_so_is_found(client: TestClient) -> None:
    hits = client.get("/api/v1/find?q=copi_17").json()
    assert ("mart.copy_17", "nearly so") in {(hit["title"], hit["why"]) for hit in hits}
    assert client.get("/api/v1/find?q=lighthouse").json() == []


def test_an_answer_says_which_version_of_the_graph_it_is_of(
    client: TestClient, crowd: Engine, tmp_path: Path
) -> None:
    address = f"/api/v1/datasets/{_fares(client)['id']}"
    before = int(client.get(address).headers[VERSION])
    assert client.get(f"{address}/lanes").json()["version"] == before
    (tmp_path / "more.sql").write_text("create table mart.more as select c0 from mart.copy_1;")
    load(Context(crowd, "test"), tmp_path)
    assert int(client.get(address).headers[VERSION]) > before


def test_answers_are_compressed_for_who_takes_it(client: TestClient) -> None:
    assert client.get("/api/v1/catalog", headers={"accept-encoding": "gzip"}).headers["content-encoding"] == "gzip"
    assert "content-encoding" not in client.get("/api/v1/catalog", headers={"accept-encoding": ""}).headers


def test_a_graph_that_follows_the_store_sees_what_another_process_has_brought(
    crowd: Engine, tmp_path: Path
) -> None:
    app = create_app(crowd)
    with TestClient(app, base_url="http://localhost") as client:
        assert client.get("/api/v1/find?q=later").json() == []
        (tmp_path / "later.sql").write_text("create table mart.later as select c0 from core.fares;")
        load(Context(crowd, "test"), tmp_path)
        end = time.monotonic() + 10
        while time.monotonic() < end and not client.get("/api/v1/find?q=later").json():
            time.sleep(0.05)
        assert client.get("/api/v1/find?q=later").json()[0]["title"] == "mart.later"
        id_ = client.get("/api/v1/find?q=later").json()[0]["dataset"]
        assert len(client.get(f"/api/v1/datasets/{id_}/lanes").json()["crossings"]) == 1


def test_two_processes_serve_one_store(crowd: Engine, tmp_path: Path) -> None:
    page = tmp_path / "page"
    (page / "assets").mkdir(parents=True)
    (page / "index.html").write_text("<p>Jalan</p>")
    port = free_port()
    store = crowd.url.render_as_string(hide_password=False)
    command = [sys.executable, "-m", "jalan.cli.main", "serve", "--port", str(port), "--workers", "2"]
    server = subprocess.Popen(
        [*command, "--frontend", str(page)],
        env={**os.environ, "JALAN_STORE": store},
        cwd=ROOT,
        start_new_session=True,
        stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL,
    )
    try:
        answers = [_asked(f"http://127.0.0.1:{port}/api/v1/find?q=fares") for _ in range(6)]
        assert all(answer[0]["title"] == "core.fares" for answer in answers)
    finally:
        os.killpg(server.pid, signal.SIGTERM)
        server.wait(20)


def _asked(address: str) -> list[dict[str, str]]:
    end = time.monotonic() + 60
    while True:
        try:
            with urlopen(address, timeout=20) as answer:
                return list(orjson.loads(answer.read()))
        except OSError:
            if time.monotonic() > end:
                raise
            time.sleep(0.2)
