"""The Sources screen in a real browser: what feeds Jalan, a run that is watched, and adding a source."""

from pathlib import Path

import pytest
from selenium.webdriver.chrome.webdriver import WebDriver
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from sqlalchemy import text

from jalan.demo.sources import OFFICE
from jalan.service.ingest.log import LOCK
from tests.browser.chrome import console_errors, resize
from tests.browser.page import Page
from tests.browser.test_story import serious
from tests.conftest import Demo


@pytest.fixture
def page(browser: WebDriver, address: str) -> Page:
    resize(browser, 1280, 800)
    return Page(browser, address)


def _fill(page: Page, label: str, text: str) -> None:
    field = page.one(f"#c-{label}")
    field.send_keys(Keys.CONTROL, "a")
    field.send_keys(text)


def test_what_feeds_jalan_and_what_it_did_not_understand(page: Page) -> None:
    page.open("/sources")
    page.click(".one", "query gateway")
    page.wait(lambda: page.texts(".detail h2") == ["query gateway"])
    page.one(".detail pre", "where (month = '?'")
    shown = page.read(".detail")
    assert "1 not at all" in shown
    assert "a secret" not in shown
    assert serious(page) == []
    assert console_errors(page.driver) == []


def test_arrows_walk_the_list_and_the_address_says_where(page: Page) -> None:
    page.open("/sources")
    page.one(".one.on").send_keys(Keys.ARROW_DOWN)
    page.wait(lambda: page.texts(".detail h2") == ["ticketing database"])
    address = page.driver.current_url
    page.open("/catalog")
    page.driver.get(address)
    page.wait(lambda: page.texts(".detail h2") == ["ticketing database"])


def test_a_run_is_watched_to_its_end(page: Page) -> None:
    page.open("/sources")
    page.click(".one", "harbour office")
    page.wait(lambda: page.texts(".detail h2") == ["harbour office"])
    # Only the last ones are listed: the newest is known by when it began, to the second.
    before = page.read(".detail tr td[title]", attribute="title")
    page.click(".act", "Ingest now")
    page.wait(lambda: page.read(".detail tr td[title]", attribute="title") != before and page.all(".act.main"))
    page.wait(lambda: "no change" in page.texts(".detail td.what")[0])


def test_a_run_shows_how_far_it_is_and_can_be_stopped(page: Page, shown: Demo) -> None:
    page.open("/sources")
    page.click(".one", "harbour office")
    page.wait(lambda: page.texts(".detail h2") == ["harbour office"])
    with shown.engine.connect() as other:
        # While somebody else writes, the run has to wait, and it says so.
        other.execute(text("select pg_advisory_lock(:lock)"), {"lock": LOCK})
        page.click(".act", "Ingest now")
        page.one(".progress", "waiting for another ingestion")
        assert page.read(".one.on .state") == "at work"
        page.click(".act", "Stop")
        page.wait(lambda: not page.all(".progress") and page.all(".act.main"))
        other.execute(text("select pg_advisory_unlock(:lock)"), {"lock": LOCK})
    page.one(".trouble", "What was there before is still there")
    assert page.texts(".detail td .state")[0] == "stopped"
    page.click(".act", "Ingest now")
    page.wait(lambda: not page.all(".trouble"))


def test_a_source_is_added_with_a_live_test(page: Page, tmp_path: Path) -> None:
    page.open("/sources/add")
    page.click(".kind", "OpenLineage events")
    _fill(page, "file", "/no/such/file.jsonl")
    page.click(".act", "Try it")
    page.one("[role=alert]", "outside of the folders that sources may read")
    _fill(page, "file", str(OFFICE / "gate-events.jsonl"))
    page.click(".act", "Try it")
    page.one(".preview dl", "2 datasets")
    assert serious(page) == []
    page.one("#name").send_keys("gate events again")
    page.click(".act.main", "Add and ingest")
    page.wait(lambda: page.texts(".detail h2") == ["gate events again"])
    page.wait(lambda: "2 datasets" in page.read(".detail") and page.all(".act.main"))
    page.click(".act", "Remove…")
    page.click("[role=alertdialog] button", "Remove it")
    page.wait(lambda: "gate events again" not in "".join(page.texts(".one b")))


def test_a_change_keeps_the_secret_and_its_kind(page: Page) -> None:
    page.open("/sources")
    page.click(".one", "strait database")
    page.wait(lambda: page.texts(".detail h2") == ["strait database"])
    page.click(".act", "Change")
    field = page.one("#c-password")
    assert field.get_attribute("placeholder") == "kept as it is unless you write another"
    assert field.get_attribute("value") == ""
    page.click(".act", "Try it")
    page.one(".preview", "the catalogue alone is read")


def test_a_change_shows_what_is_configured(page: Page) -> None:
    page.open("/sources")
    page.click(".one", "harbour register")
    page.wait(lambda: page.texts(".detail h2") == ["harbour register"])
    page.click(".act", "Change")
    field = page.one('[id="c-dataset_columns.kind"]')
    assert field.get_attribute("value") == "type"
    page.click(".act", "Try it")
    page.one(".preview", "drop duplicates by flow, direction, dataset: 1 row dropped")


def test_two_names_become_one_and_two_again(page: Page) -> None:
    page.open("/lineage")
    page.find("gate-scans", "gate-scans")
    page.click(".sides button", "1 other name")
    page.one(".standing", "quay.gate-scans.v2")
    page.click(".standing button", "This is the same as")
    page.driver.find_element(By.CSS_SELECTOR, ".standing input").send_keys("gate-alarms")
    page.click(".standing p button", "gate-alarms")
    page.wait(lambda: "gate-alarms" in page.read(".here h3"))
    page.one(".standing", "said by local user")
    page.click(".standing p button", "these are two")
    page.wait(lambda: "gate-scans" in page.read(".here h3"))


def test_who_reads_a_dataset_is_declared_and_taken_back(page: Page) -> None:
    page.open("/lineage")
    page.find("mart.sailing_board", "mart.sailing_board")
    page.click(".sides button", "used")
    page.click(".standing button", "Declare who reads it")
    for label, word in (("name", "Night watch"), ("owner", "Quay desk"), ("because", "read out"), ("says", "Ana")):
        label_ = page.one(".declaring > label", label)
        label_.find_element(By.CSS_SELECTOR, "input").send_keys(word)
    page.click(".declaring fieldset label", "revenue")
    assert page.read(".declaring legend") == "1 of its columns"
    page.click(".declaring .act", "Declare it")
    page.one(".card", "Night watch")
    page.open("/sources")
    page.click(".one", "declared on the screen")
    page.one(".detail li", "a consumer of Quay desk, because read out (Ana")
    page.click(".detail li button", "take it back")
    page.one(".detail section", "Nothing is declared any more")
    page.open("/lineage")
    page.find("mart.sailing_board", "mart.sailing_board")
    page.one(".card", "Sailing desk")
    assert "Night watch" not in " ".join(page.texts(".card"))


def test_sources_that_disagree_are_shown(page: Page) -> None:
    page.open("/lineage")
    page.find("ticketing.public.tickets", "public.tickets")
    page.click(".sides button", "sources disagree")
    shown = page.read(".standing")
    assert "text says ticketing database, the system itself: this holds" in shown
    assert "integer says gate loader" in shown


@pytest.mark.parametrize("width", [1024, 1920])
def test_other_sizes_hold_together(page: Page, width: int) -> None:
    resize(page.driver, width, 800)
    page.open("/sources")
    page.one(".detail")
    wide = "return document.documentElement.scrollWidth <= innerWidth"
    assert page.driver.execute_script(wide)
    page.open("/sources/add")
    page.one(".kind")
    assert page.driver.execute_script(wide)
