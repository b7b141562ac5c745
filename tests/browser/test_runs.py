"""The story of a failed night, in a real browser: found, opened, understood."""

import re
from xml.etree import ElementTree

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
    assert "1 of 1 run" in page.read(".foot")
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


def test_the_lineage_as_of_a_run_is_compared_with_now(page: Page) -> None:
    page.open("/runs?span=90 days")
    search(page, "mart.sailing_board done job:nightly.mart.sailing_board")
    page.wait(lambda: set(page.texts("button.row .job b")) == {"mart.sailing_board"})
    # The earliest of 90 nights: the board was another one then.
    while "show more" in page.texts(".foot .link"):
        before = len(page.all("button.row"))
        page.click(".foot .link", "show more")
        page.wait(lambda before=before: len(page.all("button.row")) > before)  # type: ignore[misc]
    rows = page.all("button.row")
    page.driver.execute_script("arguments[0].scrollIntoView()", rows[-1])
    rows[-1].click()
    page.click(".detail a", "as it was then")
    page.one(".moments .moment.on")
    page.wait(lambda: "mart.sailing_board" in page.texts(".here h3"))
    page.click(".against button", "compare with now")
    page.one(".difference .said", "2 links, 2 definitions came, went or changed")
    assert [" ".join(text.split()) for text in page.texts(".difference .row .t")] == [
        "core.sailing_revenue.gross → mart.sailing_board.revenue",
        "core.sailing_revenue.net → mart.sailing_board.revenue",
    ]
    lines = page.texts(".difference .gone span, .difference .new span")
    assert "v.net as revenue," in lines
    assert "v.gross as revenue," in lines
    # The code of what went is that of then.
    page.click(".difference .row", "core.sailing_revenue.net")
    page.wait(lambda: page.texts(".code mark.link") == ["v.net"])
    assert serious(page) == []
    page.click(".against button", "side by side")
    page.wait(lambda: len(page.all(".both .here")) == 2)
    page.wait(lambda: len(page.all(".both path.differs")) >= 2)
    # Moments stay open until they are closed.
    page.click(".against button", "leave")
    assert len(page.all(".moments .moment")) == 1
    page.click(".moments .x")
    page.wait(lambda: not page.all(".moments"))
    assert console_errors(page.driver) == []


def test_what_has_happened_opens_by_key_and_says_what_it_changed(page: Page) -> None:
    page.open("/lineage")
    page.find("sailing_board", "mart.sailing_board")
    page.one(".lane")
    page.press("h")
    page.one(".past ol li", "defined otherwise in pipelines/mart/sailing_board.sql by Revenue desk")
    page.click(".past ol .link", "what it changed")
    page.one(".difference .said", "2 links")
    page.press(Keys.ESCAPE)
    page.wait(lambda: not page.all(".difference"))
    page.click(".past label", "runs too")
    page.one(".past .run", "nightly.mart.sailing_board ran")


def test_a_pipeline_shows_all_that_lies_below_it(page: Page) -> None:
    page.open("/runs?span=90 days")
    search(page, "tidy.routes done")
    page.click("button.row", "tidy.routes")
    page.click(".detail .ways a", "the job")
    page.one("h1", "nightly.tidy.routes")
    page.click(".calls a", "nightly.tidy")
    page.click(".calls a", "nightly")
    page.wait(lambda: page.texts("h1") == ["nightly ferry"])
    page.wait(lambda: {"strait.remote.tickets"} < set(page.texts(".job .flow > :first-child a")))
    assert not any(name.startswith("strait.tidy") for name in page.texts(".job .flow > :first-child a"))
    assert "strait.mart.route_month" in page.texts(".job .flow > :last-child a")
    page.click(".below a", "nightly.tidy")
    page.one("h1", "nightly.tidy")
    page.one(".calls a", "nightly")
    page.one(".job ol li")
    assert serious(page) == []


def test_events_are_listed_by_themselves_and_read_as_received(page: Page) -> None:
    page.open("/runs?span=week")
    search(page, "tidy.refunds failed")
    page.click(".lists button", "events")
    page.wait(lambda: {"FAIL", "START"} == set(page.texts(".ledger .event b")))
    page.click(".ledger .event .turn", "FAIL")
    page.one(".ledger pre", '"eventType": "FAIL"')
    assert serious(page) == []


@pytest.mark.parametrize("form", ["SVG", "PNG"])
def test_what_is_shown_can_be_kept_as_a_picture(page: Page, form: str) -> None:
    page.open("/runs?span=day")
    page.one("button.row")
    page.driver.execute_script(
        "const make = URL.createObjectURL; "
        "URL.createObjectURL = blob => { window.kept = blob; return make.call(URL, blob) }"
    )
    page.click(".pictures button", form)
    page.wait(lambda: page.driver.execute_script("return window.kept ? window.kept.size : 0") > 10_000)
    read = "const done = arguments[0]; const reader = new FileReader(); reader.onload = () => done(reader.result); "
    if form == "PNG":
        begin = page.driver.execute_async_script(read + "reader.readAsDataURL(window.kept.slice(0, 12))")
        assert "iVBORw0KGgo" in begin
        return
    picture = page.driver.execute_async_script(read + "reader.readAsText(window.kept)")
    drawn = ElementTree.fromstring(picture).iter("{http://www.w3.org/2000/svg}text")
    texts = ["".join(one.itertext()).strip() for one in drawn]
    assert {"landing", "tidy", "core", "mart", "tidy.refunds"} <= set(texts)
    assert any(text.startswith("Runs, ") for text in texts)
    # From the first run to the last, not only what is in view.
    shown = page.texts("button.row .job b")
    assert all(texts.count(name) >= shown.count(name) for name in shown)


def test_the_period_of_a_road_is_played(page: Page) -> None:
    page.open("/runs?span=week")
    search(page, "mart.refund_watch done")
    page.click("button.row", "mart.refund_watch")
    page.click(".detail a", "its road")
    page.wait(lambda: len(page.all(".road .card")) > 3)
    whole = len(page.all(".road .card"))
    assert not page.all(".road .card.later")
    page.click(".road .bar button", "play")
    # It begins with the first run: what came of it has not begun.
    page.wait(lambda: len(page.all(".road .card.later")) > 1)
    page.wait(lambda: page.all(".road .card.at-work"))
    page.wait(lambda: page.texts(".road .bar button") == ["▸ play"])  # it ends by itself
    assert len(page.all(".road .card")) == whole
    assert not page.all(".road .card.later")
    # A moment is chosen by keyboard too.
    moment = page.one("[aria-label=Moment]")
    moment.send_keys(Keys.HOME)
    page.wait(lambda: len(page.all(".road .card.later")) > 1)
    assert page.read(".road .bar .mute") != "as it ended"
    assert serious(page) == []
    assert console_errors(page.driver) == []
