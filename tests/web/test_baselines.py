"""Baselines: kept under a name, held against one another and against how it is now, and taken over into."""

import subprocess
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import pytest
from fastapi.testclient import TestClient

from jalan.web.app import create_app
from tests.conftest import Demo

FILE = "pipelines/tidy/routes.sql"
NEW = "pipelines/mart/new.sql"
REPORT = "reports/channel-costs.yaml: Gross by channel"


@pytest.fixture
def client(demo: Demo) -> Iterator[TestClient]:
    with TestClient(create_app(demo.engine), base_url="http://localhost") as found:
        yield found
        for one in found.get("/api/v1/baselines").json():
            assert found.delete(f"/api/v1/baselines/{one['id']}?confirmed=true").status_code == 204
        for one in found.get("/api/v1/changes").json()["items"]:
            assert found.delete(f"/api/v1/changes/kept/{one['id']}").status_code == 204


def keep(client: TestClient, name: str, **given: Any) -> int:
    answer = client.post("/api/v1/baselines", json={"name": name, **given})
    assert answer.status_code == 201, answer.text
    return int(answer.json()["id"])


def compare(client: TestClient, left: int | str, right: int | str) -> dict[str, Any]:
    answer = client.get("/api/v1/baselines/compare", params={"left": left, "right": right})
    assert answer.status_code == 200, answer.text
    found: dict[str, Any] = answer.json()
    return found


def text_at(client: TestClient, place: str) -> str:
    return str(client.get("/api/v1/changes/text", params={"place": place}).json()["text"])


def reviewed(client: TestClient, edits: dict[str, str], **more: Any) -> int:
    given = {"name": "another way", "database": "strait", "edits": edits, **more}
    change = int(client.post("/api/v1/changes", json=given).json()["id"])
    assert client.patch(f"/api/v1/changes/kept/{change}", json={"state": "reviewed"}).status_code == 204
    return change


def take(client: TestClient, baseline: int, **given: Any) -> Any:
    return client.post(f"/api/v1/baselines/{baseline}/take", json=given)


def edited(text: str) -> str:
    return text.replace("route_name", "route_name, 1 as one", 1)


def test_a_baseline_is_how_it_was_when_it_was_kept(client: TestClient) -> None:
    production = keep(client, "  production  ", protected=True)
    (one,) = client.get("/api/v1/baselines").json()
    assert (one["id"], one["name"], one["protected"], one["database"]) == (production, "production", True, "strait")
    same = compare(client, production, 0)
    assert (same["total"], same["differences"]) == (0, [])
    assert same["outcome"]["consequences"] == []
    # At a time before anything was read there was nothing.
    empty = keep(client, "before it all", at=datetime(2001, 1, 1, tzinfo=UTC).isoformat())
    nothing = compare(client, empty, 0)
    assert {one["what"] for one in nothing["differences"]} == {"added"}
    assert FILE in {one["place"] for one in nothing["differences"]}


def test_a_reviewed_change_is_taken_over_and_that_stays(client: TestClient) -> None:
    staging = keep(client, "staging")
    before = text_at(client, FILE)
    change = reviewed(client, {FILE: edited(before)}, sql="alter table tidy.routes add column one int")
    answer = take(client, staging, change=change)
    assert answer.json() == {"taken": 1, "by_hand": "alter table tidy.routes add column one int"}
    found = compare(client, 0, staging)
    assert found["differences"] == [{"place": FILE, "what": "edited", "asked": False}]
    assert {one["subject"] for one in found["outcome"]["edits"]} or found["outcome"]["consequences"]
    texts = client.get("/api/v1/baselines/text", params={"left": 0, "right": staging, "place": FILE}).json()
    assert [one["text"] for one in texts["lines"] if one["mark"] == "+"] == [
        line for line in edited(before).split("\n") if line not in before.split("\n")
    ]
    # The other way round it is undone; what was written where it is now has not changed.
    assert compare(client, staging, 0)["differences"][0]["what"] == "edited"
    assert text_at(client, FILE) == before
    (row,) = client.get(f"/api/v1/baselines/{staging}/taken").json()["items"]
    assert (row["place"], row["source"], row["gone"]) == (FILE, "the change “another way”", False)
    # What is taken over from how it is now stands beside it, the latest first.
    assert take(client, staging, other="0", places=[FILE]).json()["taken"] == 1
    assert compare(client, 0, staging)["total"] == 0
    sources = [one["source"] for one in client.get(f"/api/v1/baselines/{staging}/taken").json()["items"]]
    assert sources == ["as it is now", "the change “another way”"]


def test_from_one_baseline_to_another(client: TestClient) -> None:
    staging, production = keep(client, "staging"), keep(client, "production")
    report = text_at(client, REPORT)
    made = {NEW: "create table mart.new as select 1 as a"}
    change = reviewed(client, {REPORT: f"{report} limit 1", **made})
    assert take(client, staging, change=change).json()["taken"] == 2
    found = compare(client, production, staging)
    assert {(one["place"], one["what"]) for one in found["differences"]} == {
        (REPORT, "edited"),
        (NEW, "added"),
    }
    assert REPORT in {one["subject"] for one in found["outcome"]["consequences"]}
    assert take(client, production, other=str(staging), places=[REPORT]).json()["taken"] == 1
    left = compare(client, production, staging)["differences"]
    assert [one["place"] for one in left] == [NEW]
    # Back again: there it is taken out.
    assert [one["what"] for one in compare(client, staging, production)["differences"]] == ["taken out"]


def test_what_breaks_between_two_baselines_is_found_over_the_texts_of_the_first(client: TestClient) -> None:
    """A text that was taken over is there, so what reads it is fine; where it is not, that breaks."""
    staging = keep(client, "staging")
    made = {NEW: "create table mart.new as select 1 as a"}
    assert take(client, staging, change=reviewed(client, made)).json()["taken"] == 1
    later = keep(client, "later")
    reads = {FILE: text_at(client, FILE) + ";\nselect a from mart.new;"}
    assert take(client, later, change=reviewed(client, {**made, **reads})).json()["taken"] == 2
    kinds = {one["kind"] for one in compare(client, staging, later)["outcome"]["consequences"]}
    assert "breaks" not in kinds
    only = keep(client, "only the reader")
    assert take(client, only, change=reviewed(client, reads)).json()["taken"] == 1
    broken = [one for one in compare(client, 0, only)["outcome"]["consequences"] if one["kind"] == "breaks"]
    reasons = {one["subject"]: one["reason"] for one in broken}
    assert reasons[FILE] == 'relation "mart.new" does not exist'


def test_what_is_protected_is_not_changed_by_mistake(client: TestClient) -> None:
    production = keep(client, "production", protected=True)
    change = reviewed(client, {FILE: edited(text_at(client, FILE))})
    refused = take(client, production, change=change)
    assert refused.status_code == 409
    assert "“production” is protected" in refused.json()["detail"]
    assert client.delete(f"/api/v1/baselines/{production}").status_code == 409
    assert client.get(f"/api/v1/baselines/{production}/taken").json()["items"] == []
    assert take(client, production, change=change, confirmed=True).json()["taken"] == 1
    assert client.patch(f"/api/v1/baselines/{production}", json={"protected": False}).status_code == 204
    assert client.delete(f"/api/v1/baselines/{production}").status_code == 204


def test_what_cannot_be_taken_over_is_said(client: TestClient) -> None:
    staging = keep(client, "staging")
    given = {"name": "not yet", "database": "strait", "sql": "alter table tidy.tickets drop column fare"}
    change = int(client.post("/api/v1/changes", json=given).json()["id"])
    proposed = take(client, staging, change=change)
    assert proposed.status_code == 409
    assert "reviewed" in proposed.json()["detail"]
    assert take(client, staging, change=2_000_000_000).status_code == 404
    assert take(client, staging, other="0", places=["nowhere.sql"]).status_code == 404
    assert take(client, 2_000_000_000, other="0").status_code == 404
    assert client.post("/api/v1/baselines", json={"name": "staging"}).status_code == 409
    assert client.post("/api/v1/baselines", json={"name": "  "}).status_code == 422
    assert client.post("/api/v1/baselines", json={"name": "x", "database": "atlantis"}).status_code == 404
    assert client.post("/api/v1/baselines", json={"name": "x", "at": "2999-01-01T00:00:00Z"}).status_code == 422
    assert client.get("/api/v1/baselines/compare").json()["total"] == 0
    assert client.get("/api/v1/baselines/compare?left=sideways").status_code == 422
    assert client.get("/api/v1/baselines/compare?left=999999@main").status_code == 404
    assert client.get("/api/v1/baselines/compare?left=77777").status_code == 404


def test_two_revisions_of_a_repository_are_compared(demo: Demo, client: TestClient, tmp_path: Path) -> None:
    """A branch with an edited and a new file, against what is read and against another branch."""
    repository = next(one for one in client.get("/api/v1/repositories").json() if one["name"] == "ferry")
    assert repository["revision"] in repository["branches"]
    place = Path(client.get(f"/api/v1/sources/{repository['id']}").json()["config"]["location"])
    work = tmp_path / "work"
    git(None, "clone", "--quiet", str(place), str(work))

    def branch(name: str, changes: dict[str, str]) -> str:
        git(work, "checkout", "--quiet", "-B", name, f"origin/{repository['revision']}")
        for path, text in changes.items():
            (work / path).parent.mkdir(parents=True, exist_ok=True)
            (work / path).write_text(text)
        git(work, "add", "-A")
        git(work, "-c", "user.name=x", "-c", "user.email=x@x", "commit", "--quiet", "-m", name)
        git(work, "push", "--quiet", "--force", "origin", f"HEAD:refs/heads/{name}")
        return f"{repository['id']}@{name}"

    before = (work / FILE).read_text()
    try:
        one = branch("baseline-one", {FILE: edited(before), NEW: "create table mart.new as select 1 as a"})
        other = branch("baseline-other", {FILE: f"{before}\n-- a word\n"})
        here = compare(client, 0, one)
        assert {(each["place"], each["what"]) for each in here["differences"]} == {(FILE, "edited"), (NEW, "added")}
        both = compare(client, one, other)
        assert both["left"] == "ferry at baseline-one"
        differing = {(each["place"], each["what"]) for each in both["differences"]}
        assert differing == {(FILE, "edited"), (NEW, "taken out")}
        # What only a word of comment differs in changes nothing.
        assert compare(client, 0, other)["outcome"]["consequences"] == []
        staging = keep(client, "staging")
        assert take(client, staging, other=one).json()["taken"] == 2
        assert compare(client, staging, one)["total"] == 0
        gone = client.get("/api/v1/baselines/compare", params={"left": "0", "right": f"{repository['id']}@nowhere"})
        assert gone.status_code == 422
        assert "there is no revision" in gone.json()["detail"]
    finally:
        git(place, "branch", "-D", "baseline-one", "baseline-other")


def git(place: Path | None, *arguments: str) -> None:
    there = [] if place is None else ["-C", str(place)]
    subprocess.run(["git", *there, *arguments], check=True, capture_output=True)
