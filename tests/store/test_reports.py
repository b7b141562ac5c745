"""The crawler of a reports service, against a stand-in that also answers wrongly."""

import copy
from collections.abc import Iterator
from typing import Any

import httpx
import pytest
from sqlalchemy import Engine, select, text
from sqlalchemy.orm import Session

from jalan.demo.report_desk import Trouble, create_desk, read_content, served
from jalan.service.context import Context
from jalan.service.ingest import overview, sources
from jalan.service.ingest.kinds.reports import circular
from jalan.service.ingest.registry import parse_config
from jalan.sources.errors import SourceError
from jalan.sources.reports_service import ReportsService
from jalan.store.schema import Dataset, Field, Link
from tests.store.state import content


class Desk:
    """A served stand-in whose content and troubles a test can change."""

    def __init__(self, content_: dict[str, Any], trouble: Trouble, url: str) -> None:
        self.content, self.trouble, self.url = content_, trouble, url

    def crawl(self, store: Engine, **values: object) -> sources.Outcome:
        config = parse_config(
            {
                "kind": "reports", "url": self.url, "token": "t0ken", "known_as": "reports://desk",
                "server": "islands:5432", "page_size": 2, "retries": 2, **values,
            }
        )  # fmt: skip
        return sources.ingest(
            Context(store, "test"), sources.ensure(Context(store, "test"), "desk", config), config=config
        )


@pytest.fixture
def desk() -> Iterator[Desk]:
    found, trouble = copy.deepcopy(read_content()), Trouble()
    with served(create_desk(found, "t0ken", trouble)) as url:
        yield Desk(found, trouble, url)


def _links(store: Engine) -> set[tuple[str, str, str, str]]:
    with Session(store) as session:
        names = {f.id: f"{d.title or d.name.rpartition('.')[2]}.{f.name}" for f, d in session.execute(
            select(Field, Dataset).join(Dataset))}  # fmt: skip
        titles = {d.id: d.title or d.name for d in session.scalars(select(Dataset))}
        return {
            (
                names[k.source_field_id],
                names.get(k.target_field_id or 0, titles[k.target_dataset_id]),
                k.kind,
                k.how,
            )
            for k in session.scalars(select(Link).where(Link.valid_to.is_(None)))
        }


def test_columns_flow_from_the_warehouse_through_extracts_and_calculations(store: Engine, desk: Desk) -> None:
    outcome = desk.crawl(store)
    assert outcome.totals["calculated fields"] == 6
    assert {
        ("sailing_board.revenue", "sailings.revenue", "value", "identity"),
        ("sailings.revenue", "Quay board.kept", "value", "transformation"),
        ("Quay board.kept", "Quay board.kept of busy sailings", "value", "aggregation"),
        ("Quay board.busy", "Quay board.kept of busy sailings", "condition", "conditional"),
        ("Quay board.kept of busy sailings", "Quay board.Kept", "value", "identity"),
        ("sailings.load_factor", "Quay board.Fares by vessel", "condition", "filter"),
    } <= _links(store)
    with Session(store) as session:
        folders = {
            d.title: (d.owner, d.container_id) for d in session.scalars(select(Dataset)) if d.kind == "report"
        }
        assert folders["Late watch"][0] == "Harbour office"
        (source,) = overview.sources(Context(store, "test"))
        found = overview.unread(Context(store, "test"), source.id, 0, 9).items
    (unread,) = [one for one in found if one.code == "unknown_column"]
    assert unread.message == "there is no field “last_weke”; the nearest names are last_week, crew load.last_week"
    assert "t0ken" not in source.model_dump_json()


def test_the_second_crawl_changes_nothing_and_views_do_not_add_up(store: Engine, desk: Desk) -> None:
    desk.crawl(store)
    before = content(store)
    assert desk.crawl(store).counts == {}
    assert content(store) == before
    desk.content["views"][0]["views"] += 5
    assert desk.crawl(store).counts == {"views": 1}
    with store.connect() as connection:
        total = connection.execute(text("select sum(views) from report_view")).scalar()
    assert total == sum(view["views"] for view in desk.content["views"])


def test_one_bad_item_of_a_list_is_told_and_nothing_of_the_others_is_lost(store: Engine, desk: Desk) -> None:
    desk.crawl(store)
    links = _links(store)
    del desk.content["extracts"][0]["name"]
    desk.content["reports"].append(copy.deepcopy(desk.content["reports"][0]))
    desk.content["users"].append({"id": 7})
    outcome = desk.crawl(store)
    assert _links(store) == links
    assert not any(key.endswith(("gone", "closed", "withdrawn")) for key in outcome.counts)
    with Context(store, "test") as context:
        notes = overview.sources(context)[0].last_ingestion.notes
    assert {note.message for note in notes} >= {"name: Field required", "“quay-board” is listed twice"}
    assert all(note.place.startswith("/api/") for note in notes if note.code == "unreadable_item")


def test_an_id_cannot_lead_to_another_path() -> None:
    odd = ["../users", "quay-board?x=1", "a/b", "é#", "..", ""]
    asked: list[str] = []

    def answer(request: httpx.Request) -> httpx.Response:
        asked.append(request.url.raw_path.decode().partition("?")[0])
        items = [{"id": one} for one in odd] if asked[-1] == "/api/reports" else []
        return httpx.Response(200, json={"items": items})

    with ReportsService("http://desk", None, transport=httpx.MockTransport(answer)) as service:
        service.read(lambda what, done, total: None)
    assert [path for path in asked if path.startswith("/api/reports/")] == [
        "/api/reports/..%2Fusers", "/api/reports/quay-board%3Fx%3D1", "/api/reports/a%2Fb",
        "/api/reports/%C3%A9%23",
    ]  # fmt: skip
    assert [message for _, message in service.problems if "cannot be an id" in message] == [
        "“..” cannot be an id", "“” cannot be an id",
    ]  # fmt: skip


def test_what_is_calculated_from_itself_is_told(store: Engine, desk: Desk) -> None:
    report = next(one for one in desk.content["reports"] if one["id"] == "quay-board")
    report["calculations"] += [
        {"name": "ebb", "expression": "flood + 1"},
        {"name": "flood", "expression": "ebb + slack"},
        {"name": "slack", "expression": "slack"},
    ]
    desk.crawl(store)
    with Context(store, "test") as context:
        (source,) = overview.sources(context)
        found = overview.unread(context, source.id, 0, 50).items
    told = {one.message for one in found if one.code == "circular_calculation"}
    assert told == {
        "this is calculated from itself: ebb ← flood ← ebb",
        "this is calculated from itself: flood ← ebb ← flood",
        "this is calculated from itself: slack ← slack",
    }


def test_a_great_circle_is_told_in_a_moment_and_in_few_words() -> None:
    count = 20_000
    found = circular({str(n): [str((n + 1) % count)] for n in range(count)})
    assert len(found) == count
    assert max(map(len, found.values())) <= 12
    assert found["0"][:3] == ["0", "1", "2"]
    assert circular({str(n): [str(n + 1)] for n in range(count)}) == {}


def test_every_page_is_read(store: Engine, desk: Desk) -> None:
    desk.crawl(store, page_size=1)
    assert desk.trouble.asked.count("/api/extracts") == 3
    assert desk.trouble.asked.count("/api/views") == len(desk.content["views"])


@pytest.mark.parametrize(
    "answer",
    [(500, "oops", {}), (429, "slow down", {"Retry-After": "0"}), (200, "<html>garbage", {}), (503, "", {})],
    ids=["500", "429", "garbage", "503"],
)
def test_what_passes_is_tried_again(store: Engine, desk: Desk, answer: tuple) -> None:
    desk.trouble.answers = {"/api/extracts": [answer], "/api/reports/quay-board": [answer, answer]}
    assert desk.crawl(store).totals["reports"] == 3


@pytest.mark.parametrize(
    ("answer", "message"),
    [
        ((500, "oops", {}), r"/api/extracts answers 500, also after 2 retries; nothing was changed"),
        ((200, "{", {}), r"/api/extracts answers with something that is no JSON, also after 2"),
        ((200, "[]", {}), r"/api/extracts, page 1: expected an object with a list of “items”"),
        ((200, '{"items": [], "next": 1}', {}), r"“next” must be the number of a later page"),
        ((403, "", {}), r"refuses the token \(403\)"),
        ((404, "nothing", {}), r"/api/extracts answers 404$"),
    ],
)
def test_what_does_not_pass_leaves_what_was_there(store: Engine, desk: Desk, answer: tuple, message: str) -> None:
    desk.crawl(store)
    before = content(store)
    desk.trouble.answers = {"/api/extracts": [answer] * 5}
    with pytest.raises(SourceError, match=message):
        desk.crawl(store)
    assert content(store) == before
    with Context(store, "test") as context:
        assert overview.sources(context)[0].last_ingestion.state == "failed"


def test_a_service_that_is_not_there(store: Engine, desk: Desk) -> None:
    desk.url = "http://127.0.0.1:9"
    with pytest.raises(SourceError, match=r"does not answer \(ConnectError\)"):
        desk.crawl(store, retries=0)


def test_what_is_no_longer_there_is_gone_and_what_changed_is_another_version(store: Engine, desk: Desk) -> None:
    desk.crawl(store)
    desk.content["reports"] = [r for r in desk.content["reports"] if r["id"] != "late-watch"]
    desk.content["reports"][0]["calculations"][0]["expression"] = "earned / revenue / 2"
    counts = desk.crawl(store).counts
    assert (counts["reports gone"], counts["definitions changed"]) == (1, 1)
    with Session(store) as session:
        gone = session.scalars(select(Dataset).where(Dataset.gone_since.is_not(None))).all()
        assert [d.title for d in gone] == ["Late watch"]


def test_a_name_in_two_extracts_is_only_possible(store: Engine, desk: Desk) -> None:
    report = desk.content["reports"][0]
    report["extracts"].append("x-punctual")
    report["calculations"] = [{"name": "route", "expression": "route_name"},
                              {"name": "sure", "expression": "punctuality.route_name"}]  # fmt: skip
    report["elements"] = []
    desk.crawl(store)
    with Session(store) as session:
        names = {f.id: f.name for f in session.scalars(select(Field))}
        found = [
            (names[k.target_field_id or 0], k.possible)
            for k in session.scalars(select(Link))
            if names.get(k.target_field_id or 0) in ("route", "sure")
        ]
    assert sorted(found) == [("route", True), ("route", True), ("sure", False)]
