"""What breaks if this is changed, over HTTP and on the command line: over the demo as the store has it."""

import json
import shutil
import subprocess
from collections import Counter
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import pytest
from fastapi.testclient import TestClient
from sqlalchemy import text
from typer.testing import CliRunner

from jalan.change.ran import Text
from jalan.change.running import run as run_text
from jalan.cli.main import app
from jalan.demo import scenario
from jalan.service.change.world import world_of as world_in
from jalan.service.context import Context
from jalan.web.app import create_app
from tests.conftest import Demo
from tests.oracle.warehouse import world_of

CHANGES = [
    "alter table tidy.tickets drop column fare",
    "alter table ticketing.public.tickets rename column fare_cents to fare",
    "alter table core.sailing_revenue rename to sailing_money",
    "drop table tidy.bookings cascade",
    "drop table core.ticket_facts",
    "alter table landing.tickets add column berth text",
    "create or replace view mart.seat_yield as select 1 as a",
    "alter table tidy.tickets alter column fare type text",
    "alter table ticketing.public.tickets alter column fare_cents type bigint",
    "alter table ticketing.public.refund_log alter column amount_cents type text",
    "alter table harbour.ops.incidents alter column sailing_id type numeric",
    "alter table tidy.tickets alter column fare set not null",
]


@pytest.fixture(scope="module")
def client(demo: Demo) -> Iterator[TestClient]:
    with TestClient(create_app(demo.engine), base_url="http://localhost") as found:
        yield found


def simulate(client: TestClient, sql: str, **more: Any) -> dict[str, Any]:
    answer = client.post("/api/v1/changes/simulate", json={"sql": sql, **more})
    assert answer.status_code == 200, answer.text
    found: dict[str, Any] = answer.json()
    return found


@pytest.mark.parametrize("sql", CHANGES)
def test_the_store_says_what_the_warehouse_itself_says(demo: Demo, client: TestClient, sql: str) -> None:
    """The same simulation over what PostgreSQL's catalogue has, and over what the store has of it."""
    mine = simulate(client, sql)
    own = world_of(demo.cluster).simulate(sql)
    assert mine["refused"] == own.refused
    said = {(one.kind.value, one.subject) for one in own.consequences if "/" not in one.subject}
    told = {(one["kind"], one["subject"]) for one in mine["consequences"] if one["definition"] is None}
    assert said <= told
    breaks = {one.subject for one in own.consequences if one.kind == "breaks" and one.subject.endswith(".sql")}
    found = {one["subject"] for one in mine["consequences"] if one["kind"] == "breaks"}
    assert {f"pipelines/{place}" for place in breaks} == {one for one in found if one.endswith(".sql")}


def test_an_edited_view_is_compared_with_what_it_was(demo: Demo, client: TestClient) -> None:
    relation = world_of(demo.cluster).catalogue.find("tidy.routes")
    assert relation is not None
    assert relation.query is not None
    same = relation.query.text.strip().rstrip(";").replace("SELECT", "select /* as ever */")
    found = simulate(client, f"create or replace view tidy.routes as {same}")
    (edit,) = found["edits"]
    assert (edit["subject"], edit["clear"], edit["safe"]) == ("tidy.routes", True, True)
    assert edit["sentence"] == "It means the same: only how it is written differs."
    assert found["consequences"] == []
    found = simulate(client, f"create or replace view tidy.routes as {same} limit 3")
    (edit,) = found["edits"]
    assert (edit["safe"], [row["part"] for row in edit["rows"]]) == (False, ["limit"])
    assert {one["kind"] for one in found["consequences"]} == {"rows may change"}
    done = run(demo, f"create or replace view tidy.routes as {same}")
    assert (done.exit_code, done.stdout.splitlines()[0].partition(": ")[0]) == (0, "tidy.routes")


def test_what_does_not_run_is_named_by_its_place(demo: Demo, client: TestClient) -> None:
    places = client.get("/api/v1/changes/texts", params={"q": "tidy tickets"}).json()
    assert places == ["pipelines/tidy/tickets.sql"]
    answer = client.post("/api/v1/changes/simulate", json={"stopped": places})
    assert answer.status_code == 200, answer.text
    found = answer.json()
    assert (found["stopped"], found["refused"]) == (places, None)
    assert {one["subject"]: one["kind"] for one in found["consequences"]}["tidy.tickets"] == "goes stale"
    done = run(demo, "--stop", places[0])
    assert (done.exit_code, done.stdout.count("goes stale")) == (1, found["counts"]["goes stale"])
    answer = client.post("/api/v1/changes/simulate", json={"stopped": ["pipelines/tidy/tickts.sql"]})
    assert (answer.status_code, places[0] in answer.json()["detail"]) == (404, True)
    assert client.post("/api/v1/changes/simulate", json={}).status_code == 422


def test_what_comes_late_or_is_delivered_otherwise_is_asked_by_name(demo: Demo, client: TestClient) -> None:
    place = "pipelines/core/ticket_facts.sql"
    found = client.post("/api/v1/changes/simulate", json={"late": [place]}).json()
    kinds = {one["subject"]: one["kind"] for one in found["consequences"]}
    assert (found["late"], kinds["core.ticket_facts"], kinds["core.sailing_revenue"]) == (
        [place],
        "comes late",
        "goes stale",
    )
    asked = {"delivers": ["ticketing.public.tickets.fare_cents"]}
    found = client.post("/api/v1/changes/simulate", json=asked).json()
    values = {one["subject"]: one["columns"] for one in found["consequences"] if one["kind"] == "values may change"}
    assert values["core.ticket_facts"] == ["commission", "fare_paid"]
    assert run(demo, "--delivers", asked["delivers"][0]).exit_code == 1
    assert "runs late" in run(demo, "--late", place).stdout
    whole = client.post("/api/v1/changes/simulate", json={"delivers": ["ticketing.public.tickets"]}).json()
    assert {one["subject"]: one["kind"] for one in whole["consequences"]}["core.ticket_facts"] == "rows may change"
    answer = client.post("/api/v1/changes/simulate", json={"delivers": ["ticketing.public.ticket"]})
    assert (answer.status_code, "ticketing.public.tickets" in answer.json()["detail"]) == (404, True)
    assert client.post("/api/v1/changes/simulate", json={"late": ["nowhere"]}).status_code == 404


FILE = "pipelines/tidy/routes.sql"


def test_a_text_is_edited_where_it_is(demo: Demo, client: TestClient, tmp_path: Path) -> None:
    assert FILE in client.get("/api/v1/changes/texts", params={"q": "tidy routes"}).json()
    known = client.get("/api/v1/changes/text", params={"place": FILE}).json()
    assert (known["place"], known["dialect"], known["asked"]) == (FILE, "postgresql", False)
    same = client.post("/api/v1/changes/simulate", json={"edits": {FILE: f"/* as ever */ {known['text']}"}}).json()
    assert (same["edited"], same["added"], same["consequences"]) == ([FILE], [], [])
    assert {one["sentence"] for one in same["edits"]} == {"It means the same: only how it is written differs."}
    wrong = known["text"].replace("from landing.routes", "from landing.routs")
    answer = client.post("/api/v1/changes/simulate", json={"edits": {FILE: wrong}}).json()
    breaks = {one["subject"]: one for one in answer["consequences"] if one["kind"] == "breaks"}
    failure = breaks[FILE]["failure"]
    assert failure["text"][failure["start"] : failure["end"]] == "landing.routs"
    file = tmp_path / "routes.sql"
    file.write_text(wrong)
    done = run(demo, "--edit", f"{FILE}={file}")
    assert (done.exit_code, done.stdout.splitlines()[0]) == (1, f"edited: {FILE}")
    assert run(demo, "--edit", FILE).exit_code == 2
    assert run(demo, "--edit", f"{FILE}={tmp_path / 'none.sql'}").exit_code == 2


def test_a_query_of_a_report_is_edited_too(client: TestClient) -> None:
    (place, *_) = client.get("/api/v1/changes/texts", params={"q": "net share", "asked": True}).json()
    assert client.get("/api/v1/changes/texts", params={"q": "net share"}).json() == []
    known = client.get("/api/v1/changes/text", params={"place": place}).json()
    assert known["asked"]
    edits = {place: f"select * from ({known['text'].rstrip(';')}) q limit 1"}
    (only,) = client.post("/api/v1/changes/simulate", json={"edits": edits}).json()["consequences"]
    assert (only["kind"], only["subject"], only["what"]) == ("rows may change", place, "report")


@pytest.mark.parametrize(
    ("edits", "words"),
    [
        ({FILE: "select 1;\ncreate tabel x"}, f"{FILE}: line 2"),
        ({"pipelines/tidy/new.sql": "selct 1"}, "pipelines/tidy/new.sql: line 1"),
        ({"x" * 1001: "select 1"}, "1000"),
        ({f"{n}.sql": "" for n in range(501)}, "500"),
        ({f"{n}.sql": " " * 300_000 for n in range(8)}, "2000000 characters"),
    ],
)
def test_an_edit_that_cannot_be_read_is_said_with_its_place(
    client: TestClient, edits: dict[str, str], words: str
) -> None:
    answer = client.post("/api/v1/changes/simulate", json={"edits": edits})
    assert answer.status_code == 422
    assert words in answer.text
    answer = client.get("/api/v1/changes/text", params={"place": "pipelines/tidy/rotes.sql"})
    assert (answer.status_code, FILE in answer.json()["detail"]) == (404, True)


def git(folder: Path, *words: str) -> None:
    who = ["-c", "user.name=Quay", "-c", "user.email=quay@ferry.example"]
    subprocess.run(["git", *who, *words], cwd=folder, check=True, capture_output=True)


def test_a_branch_of_the_repository_is_held_against_what_is_known(demo: Demo, tmp_path: Path) -> None:
    folder = tmp_path / "repository"
    shutil.copytree(scenario.REPOSITORY, folder)
    git(folder, "init", "-q", "-b", "main")
    git(folder, "add", ".")
    git(folder, "commit", "-qm", "as it is")
    untouched = run(demo, "--folder", str(folder), "--format", "json")
    assert (untouched.exit_code, json.loads(untouched.stdout)["consequences"]) == (0, [])
    git(folder, "checkout", "-qb", "other-fares")
    tidy = folder / "pipelines" / "tidy"
    (tidy / "tickets.sql").write_text((tidy / "tickets.sql").read_text().replace("fare", "fare_paid"))
    (tidy / "piers.sql").write_text("create or replace view tidy.piers as select * from landing.ports;\n")
    (folder / "pipelines" / "mart" / "loyalty.sql").unlink()
    settings = folder / "pipelines" / "jalan.yaml"
    assert "there is no file" in run(demo, "--folder", str(folder)).output
    listed = [line for line in settings.read_text().splitlines(keepends=True) if "loyalty.sql" not in line]
    settings.write_text("".join(listed))
    git(folder, "add", ".")
    git(folder, "commit", "-qm", "other fares")
    git(folder, "checkout", "-q", "main")
    assert run(demo, "--folder", str(folder)).exit_code == 0
    for more in (("--revision", "other-fares"), ()):
        if not more:
            git(folder, "checkout", "-q", "other-fares")
        done = run(demo, "--folder", str(folder), *more, "--format", "json")
        found = json.loads(done.stdout)
        assert done.exit_code == 1
        assert found["edited"] == ["pipelines/tidy/tickets.sql"]
        assert found["added"] == ["pipelines/tidy/piers.sql"]
        assert found["stopped"] == ["pipelines/mart/loyalty.sql"]
        breaks = {one["subject"] for one in found["consequences"] if one["kind"] == "breaks"}
        assert "pipelines/tidy/tickets.sql" in breaks  # the table that is there has no such column
    assert run(demo, "--folder", str(folder), "--revision", "nowhere").exit_code == 1
    (tmp_path / "empty").mkdir()
    (tmp_path / "empty" / "x.sql").write_text("select 1")
    assert run(demo, "--folder", str(tmp_path / "empty")).exit_code == 1
    assert run(demo, "--revision", "main").exit_code == 2


def test_a_consequence_has_its_characters_and_who_answers_for_it(client: TestClient) -> None:
    found = simulate(client, "alter table tidy.tickets drop column fare")
    breaks = {one["subject"]: one for one in found["consequences"] if one["kind"] == "breaks"}
    assert set(breaks) == {"pipelines/core/ticket_facts.sql", "pipelines/tidy/tickets.sql"}
    failure = breaks["pipelines/core/ticket_facts.sql"]["failure"]
    assert failure["message"] == "column t.fare does not exist"
    assert failure["text"][failure["start"] : failure["end"]] == "t.fare"
    stale = {one["subject"]: one for one in found["consequences"] if one["kind"] == "goes stale"}
    assert stale["core.ticket_facts"]["owner"] == "Revenue data"
    assert stale["core.ticket_facts"]["because"] == "pipelines/core/ticket_facts.sql"
    assert found["counts"] == Counter(one["kind"] for one in found["consequences"])
    assert found["reachable"] == len(found["consequences"]) + len(found["untouched"])


def test_whom_it_concerns_is_told_with_how_often_they_look(demo: Demo, client: TestClient) -> None:
    found = simulate(client, "alter table tidy.tickets drop column fare")
    reports = {one["title"]: one for one in found["reports"]}
    # A report of the service shows by its formulas what a file of the pipeline fills.
    quay = reports["Quay board"]
    assert (quay["kind"], quay["elements"], quay["told"]) == ("goes stale", [], True)
    with demo.engine.connect() as connection:
        since = (datetime.now(UTC) - timedelta(days=30)).date()
        asked = text(
            "select sum(views), count(distinct person), max(day) from report_view "
            "where dataset_id = :d and day > :s"
        )
        row = connection.execute(asked, {"d": quay["dataset"], "s": since}).one()
        fares = text(
            "select u.person, sum(u.runs) from use u where u.day > :s and u.query_id in "
            "(select query_id from query_field f join dataset d on d.id = f.dataset_id "
            "where d.name = 'strait.mart.route_month') group by 1"
        )
        askers = dict(connection.execute(fares, {"s": since}).all())
    assert (quay["views"], quay["people"], quay["last_opened"]) == (row[0], row[1], row[2].isoformat())
    assert not reports["Board pack"]["told"]
    assert "Net, year to date" in reports["Board pack"]["elements"]
    people = {one["person"]: one["runs"] for one in found["people"]}
    assert askers
    assert all(people[person] >= runs for person, runs in askers.items())
    untouched = simulate(client, "alter table landing.tickets drop column status")
    assert (untouched["reports"], untouched["people"]) == ([], [])


def test_what_is_made_anew_each_night_heals(client: TestClient) -> None:
    found = simulate(client, "alter table landing.tickets drop column status")
    assert found["consequences"] == []
    assert "tidy.tickets" in {one["subject"] for one in found["untouched"]}


def test_nothing_is_changed_by_asking(client: TestClient) -> None:
    once = simulate(client, "drop table tidy.bookings cascade")
    simulate(client, "alter table tidy.tickets drop column fare")
    assert simulate(client, "drop table tidy.bookings cascade") == once


@pytest.mark.parametrize(
    ("sql", "words"),
    [
        ("alter tabel tidy.tickets", "line 1"),
        ("  ", "write what is to be changed"),
        ("select 1;\nnonsense x", "line 2"),
    ],
)
def test_what_cannot_be_read_is_said_with_its_line(client: TestClient, sql: str, words: str) -> None:
    answer = client.post("/api/v1/changes/simulate", json={"sql": sql})
    assert answer.status_code == 422
    assert words in answer.json()["detail"]


def test_a_database_that_is_not_known_is_named_with_those_that_are(client: TestClient) -> None:
    assert {one["database"] for one in client.get("/api/v1/changes/databases").json()} >= {"strait"}
    answer = client.post("/api/v1/changes/simulate", json={"sql": "drop table a.b", "database": "atlantis"})
    assert answer.status_code == 404
    assert "strait" in answer.json()["detail"]


def run(demo: Demo, *arguments: str, given: str | None = None) -> Any:
    url = demo.engine.url.render_as_string(hide_password=False)
    return CliRunner().invoke(app, ["change", *arguments, "--store", url], input=given)


def test_the_command_says_the_same_with_exit_codes(demo: Demo, client: TestClient) -> None:
    sql = "alter table tidy.tickets drop column fare"
    asked = run(demo, sql, "--format", "json")
    assert asked.exit_code == 1
    assert json.loads(asked.stdout)["consequences"] == simulate(client, sql)["consequences"]
    text = run(demo, "-", given=sql)
    assert text.exit_code == 1
    assert "breaks" in text.stdout.splitlines()[0]
    rows = run(demo, sql, "--format", "csv").stdout.splitlines()
    assert rows[0] == "kind,subject,what,reason,because,owner"
    assert len(rows) == 1 + len(simulate(client, sql)["consequences"])
    assert run(demo, "alter table landing.tickets drop column status").exit_code == 0
    refused = run(demo, "drop table core.ticket_facts")
    healed = simulate(client, "drop table core.ticket_facts")
    assert refused.exit_code == (1 if healed["refused"] else 0)
    assert run(demo, "alter tabel x").exit_code == 1
    assert run(demo).exit_code == 2


def test_a_plan_tells_each_step_with_what_takes_it_back(client: TestClient) -> None:
    sql = "alter table ticketing.public.tickets rename column fare_cents to price"
    answer = client.post("/api/v1/changes/plan", json={"sql": sql})
    assert answer.status_code == 200, answer.text
    careful, at_once = answer.json()
    assert (careful["name"], at_once["name"]) == ("step by step", "at once")
    assert [one["database"] for one in careful["steps"]] == ["ticketing", "strait", "ticketing"]
    assert all(one["undo"] for one in careful["steps"])
    assert [one["with_last"] for one in at_once["steps"]] == [False, True]
    refused = client.post("/api/v1/changes/plan", json={"sql": "select 1;" * 60})
    assert refused.status_code == 422
    assert "plans are made for at most 50" in refused.text
    assert client.post("/api/v1/changes/plan", json={"sql": "drop table nowhere.x"}).json() == []


def test_the_command_prints_a_plan(demo: Demo) -> None:
    sql = "alter table tidy.tickets drop column fare"
    done = run(demo, "--plan", sql)
    assert done.exit_code == 0, done.output
    assert "undo:" in done.stdout
    assert "pipelines/core/ticket_facts.sql" in done.stdout
    assert [one["name"] for one in json.loads(run(demo, "--plan", sql, "--format", "json").stdout)] == [
        "step by step"
    ]
    assert run(demo, "--plan", "--stop", "pipelines/tidy/tickets.sql").exit_code == 2


def sample(client: TestClient, **given: Any) -> Any:
    return client.post("/api/v1/changes/sample", json={"database": "strait", **given})


VIEW = "create or replace view mart.loyalty as "


def test_rows_of_an_edited_view_are_shown_before_and_after(demo: Demo, client: TestClient) -> None:
    """The counts are those that the database itself has, and a row is marked where a value of it differs."""
    place = "pipelines/mart/channel_mix.sql"
    with scenario.connect(demo.cluster, scenario.WAREHOUSE) as connection:
        total, channels, one = connection.execute(
            "select count(*), count(distinct channel), min(channel) from mart.channel_mix"
        ).fetchall()[0]
    text_ = text_at(client, place)
    edited = text_.replace("sum(commission) as", f"sum(commission) + (channel = '{one}')::int as")
    assert edited != text_
    answer = sample(client, edits={place: edited}, subject="mart.channel_mix")
    assert answer.status_code == 200, answer.text
    found = answer.json()
    assert (found["failed_before"], found["failed_after"]) == (None, None)
    assert found["rows_before"] == found["rows_after"] == total
    columns = [one["name"] for one in found["columns"]]
    assert found["columns"][columns.index("channel")]["distinct_before"] == channels
    at, of = columns.index("commission"), columns.index("channel")
    for row in found["rows"]:
        changed = row["before"][at] != row["after"][at]
        assert row["mark"] == ("≁" if changed else " ")
        assert changed == (row["after"][of] == one)
    assert any(row["mark"] == "≁" for row in found["rows"])
    assert "commission" not in found["keys"]
    given = {"edits": {place: edited}, "subject": "mart.channel_mix", "condition": f"channel = '{one}'"}
    assert {row["after"][of] for row in sample(client, **given).json()["rows"]} == {one}


def test_rows_that_only_one_side_has_are_told_apart(client: TestClient) -> None:
    place = "reports/channel-costs.yaml: Gross by channel"
    text_ = text_at(client, place)
    answer = sample(client, edits={place: f"select * from ({text_}) q limit 1"}, subject=place).json()
    assert answer["rows_after"] == 1
    assert answer["rows_before"] > 1
    assert [row["mark"] for row in answer["rows"]].count("−") == answer["rows_before"] - 1


@pytest.mark.parametrize(
    ("given", "status", "words"),
    [
        ({"sql": f"{VIEW}select pg_sleep(9)", "subject": "mart.loyalty"}, 422, "not known what it does"),
        ({"sql": f"{VIEW}select rolname from pg_authid", "subject": "mart.loyalty"}, 422, ""),
        ({"sql": f"{VIEW}select 1 as a", "subject": "mart.nowhere"}, 422, "no query is known"),
        ({"sql": "drop view mart.loyalty", "subject": "mart.loyalty"}, 422, "nothing that is edited"),
        (
            {"sql": f"{VIEW}select 1 as a", "subject": "mart.loyalty", "condition": "1=1) union select (1"},
            422,
            "no condition",
        ),
    ],
)
def test_what_is_not_to_be_run_is_not_run(
    client: TestClient, given: dict[str, Any], status: int, words: str
) -> None:
    answer = sample(client, **given)
    assert answer.status_code == status, answer.text
    assert words in answer.json()["detail"]


def test_rows_are_shown_only_where_the_source_allows_it(demo: Demo, client: TestClient) -> None:
    source = next(one for one in client.get("/api/v1/sources").json() if one["name"] == "strait database")
    fact = client.get(f"/api/v1/sources/{source['id']}").json()
    config = {**fact["config"], "samples": False}
    given = {"name": fact["name"], "config": config, "schedule": fact["schedule"]}
    assert client.put(f"/api/v1/sources/{source['id']}", json=given).status_code < 300
    try:
        answer = sample(client, sql=f"{VIEW}select 1 as a", subject="mart.loyalty")
        assert answer.status_code == 409
        assert "samples" in answer.json()["detail"]
    finally:
        config["samples"] = True
        assert client.put(f"/api/v1/sources/{source['id']}", json=given).status_code < 300


def text_at(client: TestClient, place: str) -> str:
    return str(client.get("/api/v1/changes/text", params={"place": place, "database": "strait"}).json()["text"])


def test_several_simulate_at_once_and_nobody_waits_for_another(demo: Demo, client: TestClient) -> None:
    """Each has a world of its own: one that is in the middle of a change holds nobody up, and is seen by nobody."""
    asked = [
        {"sql": f"alter table tidy.tickets drop column {column} cascade"} for column in ("fare", "route", "void")
    ]
    usual = [client.post("/api/v1/changes/simulate", json=one).json() for one in asked]
    with Context(demo.engine, "test", cache=client.app.state.cache) as context:  # type: ignore[attr-defined]
        held = world_in(context, "strait").world.apart()
        run_text(held.catalogue, Text("half way", "drop table tidy.tickets cascade"))
        with ThreadPoolExecutor(6) as pool:
            several = [pool.submit(client.post, "/api/v1/changes/simulate", json=one) for one in asked * 2]
            found = [one.result().json() for one in several]
        assert found == usual * 2
        answer = client.post("/api/v1/changes/read", json={"text": "select fare from tidy.tickets"})
        assert answer.json()["statements"][0]["outputs"][0]["values"] == ["tidy.tickets.fare"]
        tables = client.get("/api/v1/changes/tables", params={"q": "tidy.tick"}).json()
        assert "tidy.tickets" in tables


def test_a_database_that_was_written_down_is_asked_without_a_store(demo: Demo, tmp_path: Path) -> None:
    file = tmp_path / "strait.json"
    assert run(demo, "--write", str(file)).exit_code == 0

    def asked(*arguments: str) -> Any:
        return CliRunner().invoke(
            app, ["change", *arguments, "--graph", str(file), "--store", "postgresql://nobody:1"]
        )

    def told(found: dict[str, Any]) -> list[tuple[str, str, str]]:
        return [(one["kind"], one["subject"], one["reason"]) for one in found["consequences"]]

    for change in CHANGES:
        here, there = asked(change, "--format", "json"), run(demo, change, "--format", "json")
        assert here.exit_code == there.exit_code
        assert told(json.loads(here.stdout)) == told(json.loads(there.stdout))
        assert json.loads(here.stdout)["untouched"] != [] or json.loads(there.stdout)["untouched"] == []
    plan = asked("--plan", CHANGES[0])
    assert plan.exit_code == 0
    assert plan.stdout == run(demo, "--plan", CHANGES[0]).stdout


@pytest.mark.parametrize(
    ("written", "said"),
    [
        ("{", "line 1: unexpected end of data"),
        ("[]", "this is no file that `jalan change --write` has written"),
        ('{"format": "database of jalan", "version": 9}', "it is of version 9; version 1 is read: write it anew"),
        (
            '{"format": "database of jalan", "version": 1, "system": "s", "database": "d", '
            '"relations": [{"name": 3}]}',
            "relations.0.name: Input should be a valid string",
        ),
    ],
)
def test_a_file_that_holds_no_database_is_refused_with_where(tmp_path: Path, written: str, said: str) -> None:
    file = tmp_path / "broken.json"
    file.write_text(written)
    found = CliRunner().invoke(app, ["change", "drop table a", "--graph", str(file)])
    assert found.exit_code == 1
    assert said in " ".join(found.stderr.split())
