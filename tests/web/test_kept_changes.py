"""Changes that are kept: found again, sent to somebody, and held against what they would do by now."""

from collections.abc import Iterator
from datetime import UTC, datetime
from typing import Any

import pytest
from fastapi.testclient import TestClient
from sqlalchemy import update

from jalan.service.context import Context
from jalan.store.schema import Definition, Ingestion
from jalan.web.app import create_app
from tests.conftest import Demo

DROP = {"name": "no more fares", "sql": "alter table tidy.tickets drop column fare", "database": "strait"}
FILE = "pipelines/tidy/routes.sql"


@pytest.fixture
def client(demo: Demo) -> Iterator[TestClient]:
    with TestClient(create_app(demo.engine), base_url="http://localhost") as found:
        yield found
        for one in found.get("/api/v1/changes").json()["items"]:
            assert found.delete(f"/api/v1/changes/kept/{one['id']}").status_code == 204


def keep(client: TestClient, **given: Any) -> int:
    answer = client.post("/api/v1/changes", json={**DROP, **given})
    assert answer.status_code == 201, answer.text
    return int(answer.json()["id"])


def kept(client: TestClient, change: int) -> dict[str, Any]:
    answer = client.get(f"/api/v1/changes/kept/{change}")
    assert answer.status_code == 200, answer.text
    found: dict[str, Any] = answer.json()
    return found


def test_a_change_is_kept_with_what_it_does_and_has_an_address(client: TestClient) -> None:
    edits = {FILE: client.get("/api/v1/changes/text", params={"place": FILE}).json()["text"] + " -- as ever"}
    change = keep(client, edits=edits, stopped=["pipelines/tidy/sailings.sql"])
    found = kept(client, change)
    assert found["kept"]["name"] == "no more fares"
    assert (found["kept"]["state"], found["kept"]["edits"]) == ("proposed", edits)
    assert found["kept"]["who"] == found["kept"]["changed_by"] == "local user"
    assert found["kept"]["consequences"] == found["outcome"]["consequences_total"] > 0
    assert (found["came"], found["went"], found["impossible"]) == ([], [], None)
    (listed,) = client.get("/api/v1/changes").json()["items"]
    assert listed.items() <= found["kept"].items()
    assert "edits" not in listed  # a list is not as long as all that is in it


def test_it_gets_another_state_and_name(client: TestClient) -> None:
    change = keep(client)
    place = f"/api/v1/changes/kept/{change}"
    assert client.patch(place, json={"state": "reviewed", "name": "  fares go "}).status_code == 204
    assert kept(client, change)["kept"].items() >= {"state": "reviewed", "name": "fares go"}.items()
    assert client.patch(place, json={"state": "perhaps"}).status_code == 422
    assert client.patch(place, json={"name": " "}).status_code == 422
    assert client.delete(place).status_code == 204
    for answer in (client.get(place), client.patch(place, json={}), client.delete(place)):
        assert answer.status_code == 404
    assert client.post("/api/v1/changes", json={**DROP, "sql": "alter tabel x"}).status_code == 422


def test_it_is_held_against_what_it_would_do_by_now(demo: Demo, client: TestClient) -> None:
    change = keep(client)
    before = kept(client, change)["outcome"]["consequences"]
    place = "pipelines/core/ticket_facts.sql"
    assert ["breaks", place] in [[one["kind"], one["subject"]] for one in before]
    known = client.get("/api/v1/changes/text", params={"place": place}).json()["text"]
    try:
        rewrite(demo, place, known.replace("t.fare", "t.seats"))
        now = kept(client, change)
        assert ["breaks", place] not in [[one["kind"], one["subject"]] for one in now["outcome"]["consequences"]]
        assert {"kind": "breaks", "subject": place} in now["went"]
        assert now["went_total"] == len(now["went"])
        assert client.patch(f"/api/v1/changes/kept/{change}", json={"settle": True}).status_code == 204
        assert kept(client, change)["went"] == []
    finally:
        rewrite(demo, place, known)


def rewrite(demo: Demo, place: str, text: str) -> None:
    """Give a text other words in the store, as an ingestion would."""
    with Context(demo.engine, "somebody").changing() as session:
        session.execute(update(Definition).where(Definition.place == place).values(text=text))

        now = datetime.now(UTC)
        counts = {"changed": {"definitions changed": 1}, "found": {}}
        session.add(
            Ingestion(kind="test", subject=place, state="done", started_at=now, finished_at=now, counts=counts)
        )


def test_the_list_comes_in_pages(client: TestClient) -> None:
    ids = [keep(client, name=f"change {n}", sql="drop table tidy.nothing") for n in range(52)]
    first = client.get("/api/v1/changes").json()
    rest = client.get("/api/v1/changes", params={"cursor": first["next"]}).json()
    assert [one["id"] for one in first["items"] + rest["items"]] == ids[::-1]
    assert rest["next"] is None
    assert client.get("/api/v1/changes", params={"cursor": "nonsense"}).status_code == 400
    assert first["items"][0]["refused"] is not None


def test_a_text_that_is_being_written_is_read(client: TestClient) -> None:
    text = "create table core.x as\nselect t.fare * 2 as twice, r.nope from tidy.tickets t, tidy.routes r"
    found = client.post("/api/v1/changes/read", json={"text": text}).json()
    (problem, *_) = found["problems"]
    assert text[problem["start"] : problem["end"]] == "r.nope"
    (statement,) = found["statements"]
    assert statement["target"] == "core.x"
    twice = statement["outputs"][0]
    assert (twice["name"], twice["values"]) == ("twice", ["tidy.tickets.fare"])
    assert text[twice["start"] : twice["end"]] == "t.fare * 2"
    assert "fare" in found["tables"]["tidy.tickets"]
    assert client.post("/api/v1/changes/read", json={"text": "selct"}).json()["problems"]
    assert client.post("/api/v1/changes/read", json={"text": "", "dialect": "klingon"}).status_code == 422


def test_what_can_be_written_is_found_by_words(client: TestClient) -> None:
    found = client.get("/api/v1/changes/tables", params={"q": "tidy tick"}).json()
    assert list(found) == ["tidy.tickets"]
    assert "fare" in found["tidy.tickets"]
    assert len(client.get("/api/v1/changes/tables", params={"limit": 3}).json()) == 3
