"""Sources over HTTP: adding with a live test, runs that are followed and stopped, what was not understood."""

import json
import threading
import time
from collections.abc import Iterator
from pathlib import Path

import httpx
import pytest
import uvicorn
from sqlalchemy import Engine

from jalan.demo.cluster import Cluster, free_port
from jalan.web.app import create_app

DECLARED = "by: Quay\nlinks:\n  - from: {namespace: a, name: x}\n    to: {namespace: a, name: y}\n    because: so\n"


@pytest.fixture(autouse=True)
def key(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("JALAN_SECRET_KEY_FILE", str(tmp_path / "secret.key"))


@pytest.fixture
def api(store: Engine) -> Iterator[httpx.Client]:
    """A served application: events are sent as they come."""
    port = free_port()
    server = uvicorn.Server(uvicorn.Config(create_app(store), host="127.0.0.1", port=port, log_level="warning"))
    thread = threading.Thread(target=server.run)
    thread.start()
    while not server.started:
        time.sleep(0.02)
    with httpx.Client(base_url=f"http://127.0.0.1:{port}/api/v1", timeout=30) as client:
        yield client
    server.should_exit = True
    thread.join()


def _declared(tmp_path: Path) -> dict:
    (tmp_path / "declared.yaml").write_text(DECLARED)
    return {"kind": "declared", "location": str(tmp_path / "declared.yaml")}


def _follow(api: httpx.Client, run: int) -> list[dict]:
    """All events of a run until it is over."""
    found = []
    with api.stream("GET", f"/ingestions/{run}/events") as answer:
        assert answer.headers["content-type"].startswith("text/event-stream")
        for line in answer.iter_lines():
            if line.startswith("data:"):
                found.append(json.loads(line.removeprefix("data:")))
    return found


def test_every_kind_has_a_form(api: httpx.Client) -> None:
    kinds = {kind["kind"]: kind for kind in api.get("/source-kinds").json()}
    assert set(kinds) == {"postgresql", "repository", "history", "reports", "tabular", "declared", "events"}
    assert kinds["postgresql"]["config"]["properties"]["password"]["anyOf"][0]["format"] == "password"
    assert all(kind["title"] and kind["about"] for kind in kinds.values())


def test_from_a_try_to_a_run_that_is_followed(api: httpx.Client, tmp_path: Path) -> None:
    config = _declared(tmp_path)
    tried = api.post("/sources/try", json={"config": config}).json()
    assert {"what": "declared links", "count": 1, "examples": ["a x → a y"]} in tried["parts"]
    assert api.get("/sources").json() == []
    source = api.post("/sources", json={"name": "office", "config": config, "schedule": "0 3 * * *"}).json()["id"]
    run = api.post(f"/sources/{source}/ingestions").json()["id"]
    events = _follow(api, run)
    assert [event["id"] for event in events] == [run] * len(events)
    assert events[-1]["state"] == "done"
    assert events[-1]["found"] == {"declared links": 1, "consumers": 0}
    shown = api.get(f"/sources/{source}").json()
    assert (shown["last_done"]["id"], shown["ongoing"], shown["coverage"]["full_share"]) == (run, None, 1.0)
    assert shown["next_run"] is not None
    assert [one["id"] for one in api.get(f"/sources/{source}/ingestions").json()] == [run]
    assert api.get("/overview").json()["links"]["value"] == 1, "the graph takes notice"


def test_a_run_can_be_stopped_by_its_address(api: httpx.Client, store: Engine, tmp_path: Path) -> None:
    from sqlalchemy import text

    from jalan.service.ingest.log import LOCK

    source = api.post("/sources", json={"name": "office", "config": _declared(tmp_path)}).json()["id"]
    with store.connect() as other:
        other.execute(
            text("select pg_advisory_lock(:lock)"), {"lock": LOCK}
        )  # somebody else writes: it has to wait
        run = api.post(f"/sources/{source}/ingestions").json()["id"]
        again = api.post(f"/sources/{source}/ingestions")
        assert (again.status_code, again.json()["title"]) == (409, "Conflict")
        for _ in range(200):
            progress = api.get(f"/ingestions/{run}").json()["progress"] or {}
            if progress.get("what") == "waiting for another ingestion":
                break
            time.sleep(0.05)
        assert progress["what"] == "waiting for another ingestion"
        assert api.delete(f"/ingestions/{run}").status_code == 202
        assert _follow(api, run)[-1]["state"] == "cancelled"
        other.execute(text("select pg_advisory_unlock(:lock)"), {"lock": LOCK})
    assert api.delete(f"/ingestions/{run}").status_code == 409
    assert api.get(f"/sources/{source}").json()["last_done"] is None


def test_secrets_are_in_no_answer(api: httpx.Client, cluster: Cluster) -> None:
    config = {
        "kind": "postgresql", "host": "127.0.0.1", "port": cluster.port, "database": "postgres",
        "user": "jalan", "password": cluster.password,
    }  # fmt: skip
    source = api.post("/sources", json={"name": "place", "config": config}).json()["id"]
    answers = [api.get("/sources"), api.get(f"/sources/{source}"), api.get(f"/sources/{source}/ingestions")]
    assert all(cluster.password not in answer.text for answer in answers)
    bare = {**config, "password": None}
    tried = api.post("/sources/try", json={"config": bare, "source": source})
    assert tried.json()["facts"][0].startswith("PostgreSQL")
    moved = api.post("/sources/try", json={"config": {**bare, "host": "elsewhere"}, "source": source})
    assert moved.status_code == 422
    assert "another address" in moved.json()["detail"]
    assert api.put(f"/sources/{source}", json={"name": "place", "config": bare}).status_code == 204
    assert api.post("/sources/try", json={"config": bare, "source": source}).status_code == 200


@pytest.mark.parametrize(
    ("method", "path", "body", "status", "detail"),
    [
        ("GET", "/sources/999", None, 404, "there is no source 999"),
        ("GET", "/ingestions/999/events", None, 404, "there is no ingestion 999"),
        ("POST", "/sources", {"name": "x", "config": {"kind": "fax"}}, 422, "is no kind of source"),
        ("POST", "/sources", {"name": "", "config": {}}, 422, "name: String should have at least 1"),
        ("POST", "/sources", {"name": "x", "config": {}, "schedule": "often"}, 422, "is no schedule"),
        (
            "POST",
            "/sources/try",
            {"config": {"kind": "declared", "location": "/no/where"}},
            422,
            "outside of the folders that sources may read",
        ),
        ("POST", "/aliases", {"dataset": 1, "into": 2}, 404, "there is no dataset 1"),
        ("DELETE", "/aliases/7", None, 404, "there is no alias 7 that holds"),
        ("GET", "/export/fax", None, 404, "there is no format “fax”; there are: openlineage"),
        ("GET", "/export/dot?around=7", None, 404, "there is no dataset 7"),
    ],
)
def test_what_cannot_be_done_is_a_problem_document(
    api: httpx.Client, method: str, path: str, body: dict | None, status: int, detail: str
) -> None:
    answer = api.request(method, path, json=body)
    assert answer.status_code == status
    assert answer.headers["content-type"] == "application/problem+json"
    assert detail in answer.json()["detail"]


def test_what_was_not_understood_is_paged_and_without_constants(api: httpx.Client, tmp_path: Path) -> None:
    (tmp_path / "jalan.yaml").write_text("server: islands:5432\ndatabase: strait\n")
    texts = [f"select x from t where a = 'person {n}' and (b = {n};\nselect 1 from u;\n" for n in range(3)]
    (tmp_path / "torn.sql").write_text("".join(texts))
    config = {"kind": "repository", "location": str(tmp_path)}
    source = api.post("/sources", json={"name": "sql", "config": config}).json()["id"]
    run = api.post(f"/sources/{source}/ingestions").json()["id"]
    assert _follow(api, run)[-1]["coverage"]["none"] == 3
    page = api.get(f"/sources/{source}/unread", params={"offset": 1, "limit": 1}).json()
    assert page["total"] == 3
    (one,) = page["items"]
    assert (one["place"], one["line"], one["code"]) == ("torn.sql", 3, "syntax_error")
    assert one["text"].startswith("select x from t where a = '?' and (b = 0")
    assert "person" not in json.dumps(page)


def test_datasets_are_joined_and_parted_and_exported(api: httpx.Client, tmp_path: Path) -> None:
    source = api.post("/sources", json={"name": "office", "config": _declared(tmp_path)}).json()["id"]
    _follow(api, api.post(f"/sources/{source}/ingestions").json()["id"])
    rows = {row["name"]: row["id"] for row in api.get("/catalog").json()["items"]}
    alias = api.post("/aliases", json={"dataset": rows["x"], "into": rows["y"]}).json()["id"]
    facts = api.get(f"/datasets/{rows['x']}").json()
    assert (facts["id"], [k["name"] for k in facts["known_as"]]) == (rows["y"], ["x"])
    assert api.get("/catalog").json()["total"] == 1
    assert api.delete(f"/aliases/{alias}").status_code == 204
    assert api.get("/catalog").json()["total"] == 2
    answer = api.get("/export/csv", params={"around": rows["x"]})
    assert answer.headers["content-disposition"] == 'attachment; filename="lineage.csv"'
    assert len(answer.text.splitlines()) == 2


def test_a_link_is_declared_on_the_screen_and_taken_back(api: httpx.Client, tmp_path: Path) -> None:
    source = api.post("/sources", json={"name": "office", "config": _declared(tmp_path)}).json()["id"]
    _follow(api, api.post(f"/sources/{source}/ingestions").json()["id"])
    rows = {row["name"]: row["id"] for row in api.get("/catalog").json()["items"]}
    given = {
        "from_dataset": rows["y"],
        "to_dataset": rows["x"],
        "because": "copied back at night",
        "by": "Quay desk",
    }
    made = api.post("/declarations/links", json=given)
    assert made.status_code == 201
    road = api.get(f"/datasets/{rows['y']}/lanes").json()
    (link,) = [one for one in road["crossings"] if one["source_dataset"] == rows["y"]]
    evidence = api.get(f"/links/{link['id']}/evidence").json()
    assert evidence["origin"] == "declared"
    assert "because: copied back at night" in evidence["text"]
    assert "by: Quay desk" in evidence["text"]
    (shown,) = api.get("/declarations").json()
    assert (shown["by"], shown["because"], shown["on"] is not None) == ("Quay desk", "copied back at night", True)
    assert api.post("/declarations/links", json={**given, "from_field": 999}).status_code == 422
    assert api.post("/declarations/links", json={**given, "to_dataset": 999}).status_code == 404
    assert api.post("/declarations/links", json={**given, "because": " "}).status_code == 422
    assert api.delete(f"/declarations/{shown['id']}").status_code == 204
    assert api.delete(f"/declarations/{shown['id']}").status_code == 404
    assert api.get("/declarations").json() == []
    road = api.get(f"/datasets/{rows['y']}/lanes").json()
    assert [one for one in road["crossings"] if one["source_dataset"] == rows["y"]] == []
    sheet = {"name": "Morning sheet", "owner": "Quay desk", "dataset": rows["y"], "because": "so", "by": "Ana"}
    made = api.post("/declarations/consumers", json=sheet)
    assert made.status_code == 201
    (shown,) = api.get("/declarations").json()
    assert (shown["kind"], shown["sources"], shown["target"]) == ("consumer", ["a y"], "Morning sheet")
    assert api.post("/declarations/consumers", json={**sheet, "owner": "Crew"}).status_code == 409
    road = api.get(f"/datasets/{rows['y']}/lanes").json()
    assert "Morning sheet" in [one["title"] for lane in road["lanes"] for one in lane["datasets"]]


def test_a_link_that_is_only_possible_says_so_on_the_map(api: httpx.Client, tmp_path: Path) -> None:
    (tmp_path / "jalan.yaml").write_text("server: islands:5432\ndatabase: strait\n")
    (tmp_path / "far.sql").write_text(
        "create table core.far as select a.port as port, fog from far.x a, far.y b;\n"
    )
    config = {"kind": "repository", "location": str(tmp_path)}
    source = api.post("/sources", json={"name": "sql", "config": config}).json()["id"]
    assert _follow(api, api.post(f"/sources/{source}/ingestions").json()["id"])[-1]["state"] == "done"
    rows = {row["name"]: row["id"] for row in api.get("/catalog").json()["items"]}
    road = api.get(f"/datasets/{rows['strait.core.far']}/lanes").json()
    found = {(one["source_dataset"], one["label"]): one["possible"] for one in road["crossings"]}
    assert found == {
        (rows["strait.far.x"], "same"): False,
        (rows["strait.far.x"], "possibly same"): True,
        (rows["strait.far.y"], "possibly same"): True,
    }
