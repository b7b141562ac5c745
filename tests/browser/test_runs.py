"""The story of a failed night, in a real browser: found, opened, understood."""

import re

import pytest
from selenium.webdriver.chrome.webdriver import WebDriver
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.keys import Keys

from tests.browser.chrome import console_errors, resize
from tests.browser.page import Page
from tests.browser.test_story import serious


@pytest.fixture
def page(browser: WebDriver, address: str) -> Page:
    resize(browser, 1280, 800)
    return Page(browser, address)


def search(page: Page, words: str) -> None:
    field = page.one(".search input")
    field.send_keys(Keys.CONTROL, "a")
    field.send_keys(words)


def test_a_failed_run_is_found_by_wildcard_and_time_and_its_callers_are_opened(page: Page) -> None:
    page.open("/runs?span=week")
    page.one("button.row")
    search(page, "nightly.tidy.re* failed")
    page.wait(lambda: page.texts("button.row .job b") == ["tidy.refunds"])
    assert "1 of 1 run" in page.one(".foot").text
    page.click("button.row", "tidy.refunds")
    detail = page.one(".detail .message")
    assert detail.text == 'column "reason_code" does not exist'
    page.wait(lambda: "Board pack" in " ".join(page.texts(".detail .stale")))
    # Up to the run that called it, and down again to all that this one called.
    page.click(".detail .link", "nightly")
    page.click(".detail .link", "that it called")
    page.click(".turn")
    page.wait(lambda: len(page.texts(".detail li .job")) > 12)
    assert serious(page) == []
    assert console_errors(page.driver) == []


def test_facets_and_the_timetable_narrow_down(page: Page) -> None:
    page.open("/runs?span=day")
    page.one(".table svg .line")
    stations = page.texts(".table text.name")
    assert [one for one in stations if one in ("landing", "tidy", "core", "mart")] == [
        "landing",
        "tidy",
        "core",
        "mart",
    ]
    before = page.driver.current_url
    page.click("label", "failed")
    page.wait(lambda: all("failed" in one for one in page.texts("button.row .state")))
    assert "state=failed" in page.driver.current_url
    # A stretch of time is chosen by dragging over it.
    page.driver.get(before)
    page.one(".table svg .line")
    table = page.one(".table svg")
    chain = ActionChains(page.driver)
    chain.move_to_element_with_offset(table, -100, 60).click_and_hold().move_by_offset(180, 0).release().perform()
    page.wait(lambda: re.search(r"since=.+until=", page.driver.current_url))
    page.wait(lambda: page.texts(".spans .on") == [])


def test_the_first_suspect_of_a_planted_fault_is_its_cause(page: Page) -> None:
    page.open("/lineage")
    page.find("refund_watch", "mart.refund_watch")
    page.click(".here a", "how it came to be")
    page.one("h1", "How mart.refund_watch came to be")
    page.wait(lambda: page.texts(".who b")[:1] == ["nightly.tidy.refunds"])
    assert "failed: column" in page.texts("li p")[0]
    page.wait(lambda: page.texts(".steps .mono")[-1:] == ["nightly.mart.refund_watch"])
    page.click(".who", "nightly.tidy.refunds")
    page.one(".detail .message")
    assert serious(page) == []


def test_how_things_stand_is_on_the_lanes_as_a_shape_and_a_word(page: Page) -> None:
    page.open("/lineage")
    page.find("refund_watch", "mart.refund_watch")
    page.wait(lambda: any("✕ failed" in one for one in page.texts(".card .stand")))
    # It was not filled in the last night: stale, and by the afternoon late.
    page.wait(lambda: any(word in one for one in page.texts(".here dd") for word in ("stale", "late")))


def test_a_search_is_kept_and_let_go(page: Page) -> None:
    page.open("/runs?span=week")
    page.one("button.row")
    search(page, "failed")
    page.wait(lambda: "q=failed" in page.driver.current_url)
    page.click("aside .link", "keep this one")
    page.one("aside .within").send_keys("failed this week", Keys.ENTER)
    page.one(".kept .link", "failed this week")
    page.open("/runs?span=day")
    page.click(".kept .link", "failed this week")
    page.wait(lambda: "q=failed" in page.driver.current_url and "span=week" in page.driver.current_url)
    page.click(".kept .mute")
    page.wait(lambda: page.texts(".kept") == [])
