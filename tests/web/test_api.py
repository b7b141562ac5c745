"""The API over the loaded demo."""

import csv
import json
import subprocess
import sys
from datetime import UTC, datetime, timedelta
from xml.etree import ElementTree

import pytest
from httpx import ASGITransport, AsyncClient, Response
from sqlalchemy import create_engine

from jalan.demo.sources import KNOWN_AS
from jalan.web.app import create_app
from tests.conftest import ROOT, Demo


class Client:
    """Asks the application without a server."""

    def __init__(self, app: object) -> None:
        self._app = app

    def get(self, path: str, **query: object) -> Response:
        import asyncio

        async def ask() -> Response:
            transport = ASGITransport(app=self._app)  # type: ignore[arg-type]
            async with AsyncClient(transport=transport, base_url="http://localhost") as client:
                return await client.get(path, params=query or None)  # type: ignore[arg-type]

        return asyncio.run(ask())

    def json(self, path: str, **query: object):  # type: ignore[no-untyped-def]
        answer = self.get(path, **query)
        assert answer.status_code == 200, answer.text
        return answer.json()


@pytest.fixture(scope="module")
def client(demo: Demo) -> Client:
    return Client(create_app(demo.engine))


@pytest.fixture(scope="module")
def ids(client: Client) -> dict[str, int]:
    """title → dataset id, and title.column → field id."""
    found = {}
    for row in client.json("/api/v1/catalog", limit=500)["items"]:
        found[row["title"]] = row["id"]
        for column in client.json(f"/api/v1/datasets/{row['id']}")["columns"]:
            found[f"{row['title']}.{column['name']}"] = column["id"]
    return found


def test_find_knows_datasets_columns_reports_and_elements(client: Client) -> None:
    found = {(hit["kind"], hit["title"]) for hit in client.json("/api/v1/find", q="revenue", limit=50)}
    assert {("report", "Revenue by route"), ("element", "Revenue of each sailing"), ("field", "revenue"),
            ("dataset", "core.sailing_revenue")} <= found  # fmt: skip
    assert client.json("/api/v1/find", q="sailing_revenue")[0]["title"] == "core.sailing_revenue"
    assert client.json("/api/v1/find", q="no such thing") == []
    assert client.json("/api/v1/find", q="  ") == []


def test_an_asset_has_its_facts(client: Client, ids: dict[str, int]) -> None:
    found = client.json(f"/api/v1/datasets/{ids['core.sailing_revenue']}")
    assert found["description"] == "What each sailing earned after refunds, one row a sailing."
    assert (found["owner"], found["kind"], found["namespace"]) == (
        "Revenue data",
        "table",
        f"postgres://{KNOWN_AS}",
    )
    assert [d["job"] for d in found["written_by"]] == ["nightly.core.sailing_revenue"]
    gross = next(c for c in found["columns"] if c["name"] == "gross")
    assert (gross["type"], gross["reports"]) == ("numeric", 5)
    assert "Revenue by route" in found["reports"]


def test_lanes_count_hops_and_say_what_lies_beyond(client: Client, ids: dict[str, int]) -> None:
    road = client.json(f"/api/v1/datasets/{ids['core.sailing_revenue']}/lanes", upstream=1, downstream=1)
    lanes = {lane["offset"]: {d["title"] for d in lane["datasets"]} for lane in road["lanes"]}
    assert lanes[-1] == {"core.ticket_facts", "tidy.sailings"}
    assert lanes[1] == {
        "mart.route_month", "mart.sailing_board", "mart.seat_yield", "statements/fares-monthly.xlsx",
    }  # fmt: skip
    assert road["downstream"] == {"hops": 2, "datasets": 3, "reports": 5, "next_datasets": 7}
    assert road["upstream"]["hops"] == 5
    assert {c["kind"] for c in road["crossings"]} == {"value", "condition"}


def test_conditions_can_be_left_out(client: Client, ids: dict[str, int]) -> None:
    road = client.json(f"/api/v1/datasets/{ids['core.sailing_revenue']}/lanes", conditions=False)
    assert {c["kind"] for c in road["crossings"]} == {"value"}


def test_a_trail_leads_from_the_source_column_to_the_report(client: Client, ids: dict[str, int]) -> None:
    road = client.json("/api/v1/trail", field=ids["Sailing desk.Revenue of each sailing"], conditions=False)
    way = {lane["offset"]: [(d["title"], [f["name"] for f in d["fields"]]) for d in lane["datasets"]]
           for lane in road["lanes"]}  # fmt: skip
    assert ("core.sailing_revenue", ["sailing_id", "departs_at", "gross"]) in way[-2]
    names = {f"{d['title']}.{f['name']}" for lane in road["lanes"] for d in lane["datasets"] for f in d["fields"]}
    chain = [
        "public.tickets.fare_cents", "remote.tickets.fare_cents", "landing.tickets.fare_cents",
        "tidy.tickets.fare", "core.ticket_facts.fare_paid", "core.sailing_revenue.gross",
        "mart.sailing_board.revenue", "Sailing desk.Revenue of each sailing",
    ]  # fmt: skip
    assert set(chain) <= names
    steps = {step["target"]: step for step in road["steps"]}
    labels = {c["id"]: c["label"] for c in road["crossings"]}
    for target in chain[1:]:
        assert target in steps, "every hop has its code"
    assert labels[steps["mart.sailing_board.revenue"]["link"]] == "renamed"
    assert labels[steps["core.ticket_facts.fare_paid"]["link"]] == "(t.fare - t.discount) / 100.0"


def test_the_steps_of_a_trail_stand_in_the_order_of_the_road(client: Client, ids: dict[str, int]) -> None:
    steps = client.json("/api/v1/trail", field=ids["core.sailing_revenue.gross"])["steps"]
    places = {step["target"]: n for n, step in enumerate(steps)}
    for n, step in enumerate(steps):
        assert all(one < n for one in step["fed_by"])
        for source in step["source"].split(", "):
            assert source not in places or places[source] < n
    fare, discount = places["tidy.tickets.fare"], places["tidy.tickets.discount"]
    paid = steps[places["core.ticket_facts.fare_paid"]]
    assert paid["fed_by"] == sorted((fare, discount))
    assert {steps[fare]["level"], steps[discount]["level"]} == {0, 1}
    gross = steps[places["core.sailing_revenue.gross"]]
    assert (gross["how"], gross["grouped_by"], gross["lane"]) == ("aggregation", ["sailing_id"], 0)
    assert "is_void" in paid["decided_by"]


def test_a_trail_is_told_in_one_sentence(client: Client, ids: dict[str, int]) -> None:
    told = client.json("/api/v1/trail/story", field=ids["core.sailing_revenue.gross"])
    assert told["sentence"].startswith("Gross is sum of fare_paid (or 0) by sailing_id, of the rows that ")
    assert "fare_paid is (fare less discount) divided by 100" in told["sentence"]
    assert told["sentence"].endswith("come unchanged from public.tickets.")
    by_words = {step["words"]: step["expression"] for step in told["steps"]}
    # What the file makes in between is put in.
    assert by_words["sum of fare_paid (or 0) by sailing_id"] == "coalesce(sum(fare_paid), 0)"
    renamed = client.json("/api/v1/trail/story", field=ids["tidy.tickets.fare"])
    assert renamed["sentence"] == "Fare is fare_cents of public.tickets, unchanged."
    source = client.json("/api/v1/trail/story", field=ids["public.tickets.fare_cents"])
    assert source["sentence"].startswith("No value that is known here is carried into fare_cents; ")
    assert client.get("/api/v1/trail/story?field=2000000000").status_code == 404
    assert client.get("/api/v1/trail/story").status_code == 422


def test_what_is_called_so_is_found_within_a_road(client: Client, ids: dict[str, int]) -> None:
    found = client.json("/api/v1/trail/within", field=ids["core.sailing_revenue.gross"], q="fare")
    assert [one["lane"] for one in found["matches"]] == sorted(one["lane"] for one in found["matches"])
    assert (found["matches"][0]["title"], found["matches"][0]["name"]) == ("public.tickets", "fare_cents")
    assert found["total"] == len(found["matches"])
    # Only what is on the trail; around the dataset all columns count, and names of datasets.
    assert not any(one["name"] == "fare_class" for one in found["matches"])
    lanes = client.json(f"/api/v1/datasets/{ids['core.ticket_facts']}/lanes/within", q="tickets fare")
    assert {one["name"] for one in lanes["matches"] if one["title"] == "tidy.tickets"} >= {"fare", "fare_class"}
    assert any(one["field"] is None for one in client.json(
        f"/api/v1/datasets/{ids['core.ticket_facts']}/lanes/within", q="tickets")["matches"])  # fmt: skip
    assert client.json("/api/v1/trail/within", field=ids["tidy.tickets.fare"], q="%_")["total"] == 0
    assert client.get(f"/api/v1/trail/within?field={ids['tidy.tickets.fare']}").status_code == 422


def test_a_road_comes_as_a_picture(client: Client, ids: dict[str, int]) -> None:
    for address in (
        f"/api/v1/trail/picture?field={ids['core.sailing_revenue.gross']}",
        f"/api/v1/datasets/{ids['core.sailing_revenue']}/lanes/picture?conditions=false",
    ):
        answer = client.get(address)
        assert answer.headers["content-type"] == "image/svg+xml"
        assert answer.headers["content-disposition"].startswith("attachment")
        assert ElementTree.fromstring(answer.text).tag.endswith("svg")
    assert client.get("/api/v1/datasets/2000000000/lanes/picture").status_code == 404


def test_all_that_everything_depends_on_comes_as_one_flat_table(client: Client, ids: dict[str, int]) -> None:
    answer = client.get("/api/v1/closure?form=csv")
    assert answer.headers["content-disposition"] == 'attachment; filename="closure.csv"'
    rows = list(csv.DictReader(answer.text.splitlines()))
    assert len({(row["dataset"], row["depends_on"]) for row in rows}) == len(rows)
    row = next(
        one
        for one in rows
        if (one["dataset"], one["depends_on"]) == ("strait.core.sailing_revenue", "ticketing.public.tickets")
    )
    assert row["depth"] == str(row["path"].count(" > "))
    assert row["path"].startswith("ticketing.public.tickets > strait.remote.tickets > strait.landing.tickets > ")
    assert row["job"] == "foreign table remote.tickets"
    near = client.get("/api/v1/closure?form=ndjson&depth=1").text.splitlines()
    assert {json.loads(line)["depth"] for line in near} == {1}
    assert len(near) == sum(one["depth"] == "1" for one in rows)
    values = client.get("/api/v1/closure?conditions=false").text.count("\n")
    assert 1 < values - 1 < len(rows)


def test_evidence_marks_the_very_characters(client: Client, ids: dict[str, int]) -> None:
    road = client.json("/api/v1/trail", field=ids["core.sailing_revenue.gross"])
    step = next(s for s in road["steps"] if s["target"] == "core.sailing_revenue.gross")
    found = client.json(f"/api/v1/links/{step['link']}/evidence")
    marks = [(found["text"][m["start"] : m["end"]], m["kind"]) for m in found["marks"]]
    assert ("fare_paid", "link") in marks
    assert ("coalesce(x.gross, 0)", "expression") in marks
    assert found["expression"] == "coalesce(x.gross, 0)"
    assert [(s["kind"], s["name"]) for s in found["way"]] == [
        ("same", "fare_paid"), ("aggregated", "gross"), ("computed", "gross"),
    ]  # fmt: skip
    assert (found["path"], found["possible"]) == ("", False)
    assert ("s.was_cancelled", "condition") in marks
    assert found["definition"]["place"] == "pipelines/core/sailing_revenue.sql"
    path = ROOT / "src/jalan/demo/repository" / found["definition"]["place"]
    assert found["text"] == path.read_text()
    assert path.read_text().splitlines()[step["line"] - 1].strip().startswith("sum(fare_paid)")


def test_evidence_of_an_element_has_the_line_in_its_file(client: Client, ids: dict[str, int]) -> None:
    road = client.json("/api/v1/trail", field=ids["Board pack.Gross, year to date"])
    step = road["steps"][-1]
    lines = (ROOT / "src/jalan/demo/repository" / step["place"]).read_text().splitlines()
    assert lines[step["line"] - 1].strip() == "select sum(gross) as gross"


def test_what_depends_on_a_column_comes_with_its_path(client: Client, ids: dict[str, int]) -> None:
    found = client.json(f"/api/v1/fields/{ids['public.tickets.fare_cents']}/dependents")
    elements = {item["name"]: item for item in found["items"] if item["report"]}
    shown = elements["Gross by month"]
    assert shown["effect"] == "value"
    assert [step["label"] for step in shown["path"]] == [
        "remote.tickets.fare_cents", "landing.tickets.fare_cents", "tidy.tickets.fare",
        "core.ticket_facts.fare_paid", "core.sailing_revenue.gross", "mart.route_month.gross",
        "Revenue by route.Gross by month",
    ]  # fmt: skip
    assert found["elements"] == len(elements)
    assert found["reports"] == len({item["dataset"] for item in elements.values()})


def test_what_only_decides_is_told_apart(client: Client, ids: dict[str, int]) -> None:
    field = ids["ops.sailings.cancelled_at"]
    by_value = client.json(f"/api/v1/fields/{field}/dependents", conditions=False)
    everything = client.json(f"/api/v1/fields/{field}/dependents")
    assert len(by_value["items"]) < len(everything["items"])
    gross = next(
        i for i in everything["items"] if i["dataset_title"] == "core.sailing_revenue" and i["name"] == "gross"
    )
    assert gross["effect"] == "condition"
    assert [step["kind"] for step in gross["path"]][-2:] == ["rows", "contains"]


def test_the_catalog_pages_and_counts(client: Client) -> None:
    first = client.json("/api/v1/catalog", limit=30)
    second = client.json("/api/v1/catalog", limit=500, cursor=first["next"])
    assert first["total"] == len(first["items"]) + len(second["items"]) == 95
    assert second["next"] is None
    kinds = {facet["value"]: facet["count"] for facet in first["facets"]["kind"]}
    assert kinds["report"] == 12
    views = client.json("/api/v1/catalog", kind=["view", "materialised view"], container="strait.mart")
    assert {row["kind"] for row in views["items"]} == {"view", "materialised view"}
    assert {f["value"]: f["count"] for f in views["facets"]["kind"]}["table"] == 2, (
        "a facet counts what it would add"
    )


def test_the_catalog_says_why_something_matched(client: Client) -> None:
    found = client.json("/api/v1/catalog", q="fare_paid")["items"]
    assert [(row["title"], row["why"]) for row in found] == [("core.ticket_facts", "column fare_paid")]


def test_the_overview_is_honest(client: Client) -> None:
    found = client.json("/api/v1/overview")
    assert found["datasets"]["report"] == 12
    assert found["placeholders"] == 2, "a file and a topic that only others name"
    assert found["diagnostic_counts"] == {"error": 1, "warning": 1}, "a query and a filter with a slip in each"
    assert 0 < found["columns_traced"] <= found["columns_traceable"]
    assert {"source": "ticketing.public", "target": "strait.remote", "links": 39} in found["connections"]
    assert found["ingestions"][0]["state"] == "done"


def test_the_past_can_be_asked_for(client: Client, ids: dict[str, int]) -> None:
    before = (datetime.now(UTC) - timedelta(days=400)).isoformat()
    answer = client.get(f"/api/v1/datasets/{ids['core.sailing_revenue']}/lanes", as_of=before)
    assert answer.status_code == 404
    now = datetime.now(UTC).isoformat()
    road = client.json(f"/api/v1/datasets/{ids['core.sailing_revenue']}/lanes", as_of=now)
    assert len(road["lanes"]) == 5


@pytest.mark.parametrize(
    ("path", "status", "detail"),
    [
        ("/api/v1/datasets/999999", 404, "there is no dataset 999999"),
        ("/api/v1/datasets/999999/lanes", 404, "there is no dataset 999999"),
        ("/api/v1/datasets/1/lanes?upstream=99", 422, "upstream: Input should be less than or equal to 50"),
        ("/api/v1/trail", 422, "field: Field required"),
        ("/api/v1/trail?field=999999", 404, "there is no field 999999"),
        ("/api/v1/links/999999/evidence", 404, "there is no link 999999"),
        ("/api/v1/catalog?cursor=fog", 400, "“fog” is no cursor"),
        ("/api/nothing", 404, "there is no /api/nothing"),
    ],
)
def test_errors_are_problem_documents(client: Client, path: str, status: int, detail: str) -> None:
    answer = client.get(path)
    assert answer.status_code == status
    assert answer.headers["content-type"] == "application/problem+json"
    problem = answer.json()
    assert problem["status"] == status
    assert detail in problem["detail"]


def test_a_store_that_is_away_is_said_so() -> None:
    app = create_app(create_engine("postgresql+psycopg://jalan@127.0.0.1:1/jalan"))
    answer = Client(app).get("/api/v1/overview")
    assert answer.status_code == 503
    assert "the store does not answer" in answer.json()["detail"]


def test_the_front_ends_types_are_those_of_the_api(tmp_path) -> None:  # type: ignore[no-untyped-def]
    document = json.loads((ROOT / "frontend" / "openapi.json").read_text())
    printed = subprocess.run(
        [sys.executable, "-m", "jalan.cli.main", "openapi"], capture_output=True, text=True, check=True
    )
    assert document == json.loads(printed.stdout), "refresh it: jalan openapi > frontend/openapi.json"
    made = tmp_path / "schema.ts"
    subprocess.run(
        ["node_modules/.bin/openapi-typescript", "openapi.json", "-o", str(made)],
        cwd=ROOT / "frontend", check=True, capture_output=True,
    )  # fmt: skip
    kept = ROOT / "frontend" / "src" / "api" / "schema.ts"
    assert made.read_text() == kept.read_text(), "refresh it: npm run api"
