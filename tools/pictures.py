"""Refreshes docs/screenshots: one picture of each main view at 1280×800, from the full demo.

make pictures
"""

import logging
import threading
import time
from collections.abc import Callable
from pathlib import Path

import httpx
import uvicorn
from selenium.webdriver.common.keys import Keys
from tests.browser.chrome import chrome
from tests.browser.page import Page

from jalan.demo import pipeline, scenario, traffic
from jalan.demo.cluster import Cluster, free_port
from jalan.demo.nights import write_past
from jalan.demo.report_desk import create_desk, read_content, served
from jalan.demo.runner import all_counts
from jalan.demo.sources import DESK_TOKEN
from jalan.demo.start import fill_store
from jalan.service.logs import configure
from jalan.service.runs.worker import work_through
from jalan.web.app import create_app

ROOT = Path(__file__).resolve().parent.parent
PICTURES = ROOT / "docs" / "screenshots"


def _lineage(page: Page) -> None:
    page.open("/lineage")
    page.find("sailing_revenue", "core.sailing_revenue")
    page.one(".lane")


def _trail(page: Page) -> None:
    _lineage(page)
    page.click(".here .row", "gross")
    page.one(".code .line")
    page.click(".operation", "coalesce(")
    page.wait(lambda: page.texts(".code mark.link") == ["fare_paid"])
    page.wait(lambda: "unchanged" in page.read(".story"))
    page.hover("h1")  # off the road: what the pointer is on lights up


def _depends(page: Page) -> None:
    page.open("/lineage")
    page.find("fare_cents", "fare_cents")
    page.one(".code .line")
    page.press("d")
    page.one("[data-depends]")


def _table(page: Page) -> None:
    _lineage(page)
    page.press("v")
    page.one(".el-table__row")


def _dark(page: Page) -> None:
    page.driver.execute_script("localStorage.setItem('jalan-theme', 'dark')")
    _trail(page)
    page.driver.execute_script("localStorage.removeItem('jalan-theme')")


def _difference(page: Page) -> None:
    page.open("/lineage")
    page.find("sailing_board", "mart.sailing_board")
    page.one(".lane")
    page.press("h")
    page.click(".past ol .link", "what it changed")
    page.one(".difference .text")


def _job(page: Page) -> None:
    page.open("/runs?span=90 days&q=tidy.routes done")
    page.click("button.row", "tidy.routes")
    page.click(".detail .ways a", "the job")
    page.click(".calls a", "nightly.tidy")
    page.click(".calls a", "nightly")
    page.wait(lambda: page.texts("h1") == ["nightly ferry"])
    page.wait(lambda: len(page.all(".job .flow a")) > 20)


def _edit(page: Page) -> None:
    page.open("/change?edit=pipelines/core/ticket_facts.sql")
    page.click(".cm-line", "as fare_paid")
    page.press(Keys.HOME, "2 * ")
    page.one(".edit .head", "Other values in fare_paid")
    page.one(".makes p.here", "fare_paid")
    page.click(".sample summary", "rows, before and after")
    page.one(".sample .differs")


def _baselines(page: Page) -> None:
    """Production, and staging into which a reviewed change was taken over."""
    with httpx.Client(base_url=f"{page.address}/api/v1", timeout=120) as client:
        made = {
            name: client.post("/baselines", json={"name": name, "protected": name == "production"}).json()["id"]
            for name in ("production", "staging")
        }
        place = "pipelines/core/ticket_facts.sql"
        text = client.get("/changes/text", params={"place": place}).json()["text"]
        edits = {place: text.replace("/ 100.0 as fare_paid", "/ 100.0 - 1 as fare_paid", 1)}
        given = {"name": "cheaper fares", "database": "strait", "edits": edits}
        change = client.post("/changes", json=given).json()["id"]
        client.patch(f"/changes/kept/{change}", json={"state": "reviewed"})
        client.post(f"/baselines/{made['staging']}/take", json={"change": change})
    page.open(f"/change/baselines?from={made['production']}&to={made['staging']}&text={place}")
    page.one(".lines")
    page.one(".figures")


def _change(page: Page) -> None:
    page.open("/change?sql=alter table ticketing.public.tickets alter column fare_cents type text")
    page.one(".figures")
    page.click(".plan summary", "How to carry it out")
    page.one(".plan li pre")


def _sources(page: Page) -> None:
    page.open("/sources")
    page.click(".one", "report desk")
    page.wait(lambda: page.texts(".detail h2") == ["report desk"])
    page.one(".detail pre")


def _add_source(page: Page) -> None:
    page.open("/sources")
    page.click(".one", "harbour register")
    page.wait(lambda: page.texts(".detail h2") == ["harbour register"])
    page.click(".act", "Change")
    page.click(".act", "Try it")
    page.one(".preview table")


def _standing(page: Page) -> None:
    page.open("/lineage")
    page.find("sailing_board", "mart.sailing_board")
    page.click(".sides button", "used")
    page.one(".standing h4")


def _overview(page: Page) -> None:
    page.open("/overview")
    page.one(".flow a")


def _catalog(page: Page) -> None:
    page.open("/catalog")
    page.one("a.row")


def _runs(page: Page) -> None:
    page.open("/runs?span=day")
    page.one(".table svg .line")
    page.one("button.row")


def _run(page: Page) -> None:
    page.open("/runs?span=day&q=refunds")
    page.click("button.row", "tidy.refunds")
    page.one(".detail .message")


def _suspects(page: Page) -> None:
    page.open("/lineage")
    page.find("refund_watch", "mart.refund_watch")
    page.click(".here a", "how it came to be")
    page.one(".who")


def _road(page: Page) -> None:
    page.open("/runs?span=week&q=nightly.core.ticket_facts+done")
    page.click("button.row", "core.ticket_facts")
    page.click(".ways a", "its road")
    page.one(".card.here")


VIEWS: dict[str, Callable[[Page], None]] = {
    "overview": _overview,
    "sources": _sources,
    "add-source": _add_source,
    "standing": _standing,
    "catalog": _catalog,
    "lineage": _lineage,
    "trail": _trail,
    "depends": _depends,
    "table": _table,
    "trail-dark": _dark,
    "runs": _runs,
    "run": _run,
    "suspects": _suspects,
    "road": _road,
    "job": _job,
    "difference": _difference,
    "change": _change,
    "edit": _edit,
    "baselines": _baselines,
}


def main() -> None:
    """Start the demo, take every picture, stop the demo."""
    configure(logging.WARNING)
    cluster = Cluster(ROOT / ".jalan" / "demo")
    cluster.start()
    databases = scenario.build(cluster)
    with scenario.connect(cluster, "postgres") as connection:
        # A store of its own, new each time: what one has tried out before is in no picture.
        connection.execute("drop database if exists jalan_pictures with (force)")
    pipeline.mend(cluster)
    traffic.make_readers(cluster)
    traffic.ask(cluster)
    with served(create_desk(read_content(), DESK_TOKEN)) as desk:
        engine = fill_store(cluster, databases, cluster.url("jalan_pictures"), desk)
    write_past(engine, all_counts(cluster))
    work_through(engine)
    port = free_port()
    app = create_app(engine, ROOT / "frontend" / "dist")
    config = uvicorn.Config(app, port=port, log_level="critical", timeout_graceful_shutdown=1)
    server = uvicorn.Server(config)
    thread = threading.Thread(target=server.run)
    thread.start()
    PICTURES.mkdir(parents=True, exist_ok=True)
    try:
        with chrome() as driver:
            page = Page(driver, f"http://127.0.0.1:{port}")
            for name, prepare in VIEWS.items():
                page.open("/overview")
                prepare(page)
                time.sleep(0.8)  # what moves comes to rest
                driver.save_screenshot(str(PICTURES / f"{name}.png"))
                print(f"docs/screenshots/{name}.png")
    finally:
        server.should_exit = True
        thread.join()
        cluster.stop()


if __name__ == "__main__":
    main()
