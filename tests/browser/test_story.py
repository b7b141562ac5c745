"""The whole story, in a real browser: from a report's number to its source column and forward again."""

import contextlib
import re

import pytest
from selenium.common.exceptions import TimeoutException
from selenium.webdriver.chrome.webdriver import WebDriver
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import WebDriverWait

from tests.browser.chrome import console_errors, resize
from tests.browser.page import Page
from tests.conftest import ROOT

CHAIN = [
    "remote.tickets.fare_cents",
    "landing.tickets.fare_cents",
    "tidy.tickets.fare",
    "core.ticket_facts.fare_paid",
    "core.sailing_revenue.gross",
    "mart.route_month.gross",
    "Revenue by route.Gross by month",
]
AXE = (ROOT / "frontend" / "node_modules" / "axe-core" / "axe.min.js").read_text()


@pytest.fixture
def page(browser: WebDriver, address: str) -> Page:
    resize(browser, 1280, 800)
    return Page(browser, address)


def serious(page: Page) -> list[str]:
    """What axe finds that is serious or worse."""
    page.driver.execute_script(AXE)
    found = page.driver.execute_async_script(
        "const done = arguments[0]; axe.run(document, {resultTypes: ['violations']}).then(r => done(r.violations))"
    )
    return [
        f"{v['id']}: {v['nodes'][0]['target']} {v['nodes'][0].get('failureSummary', '')}"
        for v in found
        if v["impact"] in ("serious", "critical")
    ]


def _shown_target(page: Page) -> str:
    """What the step makes that is looked at."""
    titles = "return [...document.querySelectorAll('.walk li.on button')].map(e => e.title.split('\\n')[0])"
    return "".join(page.driver.execute_script(titles))


def _walk(page: Page, by: str) -> str:
    """Take a step of the walk by its key; return what the step makes that is looked at then."""
    before = _shown_target(page)
    page.press(by)
    with contextlib.suppress(TimeoutException):
        WebDriverWait(page.driver, 1.5).until(lambda _: _shown_target(page) != before)
    return _shown_target(page)


def _marked(page: Page) -> list[str]:
    return page.texts(".code mark.link")


def test_by_mouse_from_the_report_to_the_source_and_forward_to_all_reports(page: Page) -> None:
    page.open("/catalog")
    page.click("label", "report")
    page.click("a.row", "Revenue by route")
    page.click(".here .row", "Gross by month")
    page.wait(lambda: "comes unchanged from" in page.read(".story") or "come unchanged from" in page.read(".story"))
    # Step by step back to the source: every step's code is shown, with the characters that prove it marked.
    met = [_shown_target(page)]
    while (target := _walk(page, "p")) != met[-1]:
        met.append(target)
        page.wait(lambda target=target: target.split(".")[-1] in page.read(".where"))
        page.wait(lambda: bool(_marked(page)))
    assert [target for target in CHAIN if target not in met] == []
    page.click(".operation", "coalesce(")
    page.wait(lambda: _marked(page) == ["fare_paid"])
    assert "group by" in page.read(".code")
    # The source column at the beginning of the road becomes what is here.
    page.click(".lane .row", "fare_cents")
    page.wait(lambda: "public.tickets" in page.read(".lane:has(h2.middle)"))
    page.wait(lambda: page.driver.current_url.count("field=") == 1)
    page.click("button", "what depends on it")
    page.wait(lambda: len(page.all("[data-depends]")) > 10)
    elements = page.texts("[data-depends] .what")
    for element in ("Gross by month", "Gross, year to date", "Revenue of each sailing", "Gross by channel"):
        assert any(element in text for text in elements)
    way = page.texts("[data-depends] .way")[next(i for i, t in enumerate(elements) if "Gross by month" in t)]
    assert [name for name in CHAIN if name not in way] == []
    assert console_errors(page.driver) == []


def test_by_keyboard_from_the_find_box_along_the_trail(page: Page) -> None:
    page.open("/overview")
    page.one(".flow a")
    page.find("gross by month", "Gross by month")
    page.wait(lambda: bool(_shown_target(page)))
    page.press("p")
    page.wait(lambda: "link=" in page.driver.current_url)
    first = _shown_target(page)
    assert _walk(page, "p") != first
    page.press("d")
    page.wait(lambda: "Nothing that Jalan has read depends on" in page.read(".dock"))
    page.press("e")
    page.one(".code")
    # Walk to the lane before and make its first dataset here.
    page.press(Keys.ARROW_LEFT, Keys.ARROW_LEFT)
    page.one(".lane .at")
    page.press(Keys.ARROW_UP, Keys.ARROW_UP, Keys.ARROW_UP)
    page.press(Keys.ENTER)
    page.wait(lambda: "mart.route_month" in page.read(".here h3"))
    page.press(Keys.ARROW_DOWN, Keys.ARROW_DOWN, "t")
    page.wait(lambda: "field=" in page.driver.current_url)
    page.press(Keys.ESCAPE)
    page.wait(lambda: "field=" not in page.driver.current_url)
    page.driver.back()
    page.wait(lambda: "field=" in page.driver.current_url)
    assert console_errors(page.driver) == []


def test_every_state_has_an_address(page: Page) -> None:
    page.open("/lineage")
    page.find("sailing_revenue", "core.sailing_revenue")
    page.wait(lambda: len(page.all(".lane")) == 4)
    page.click("button[aria-label='One hop more upstream']")
    page.wait(lambda: len(page.all(".lane")) == 5)
    page.press("c")
    page.wait(lambda: not page.all(".wires .condition"))
    page.press("v")
    page.one(".el-table__row")
    address = page.driver.current_url
    page.open("/overview")
    page.driver.get(address)
    page.one(".el-table__row")
    page.press("v")
    page.wait(lambda: len(page.all(".lane")) == 5)
    assert not page.all(".wires .condition")
    assert page.all(".wires .value")
    assert console_errors(page.driver) == []


def test_what_lies_beyond_is_counted_and_comes_with_one_click(page: Page) -> None:
    page.open("/lineage")
    page.find("sailing_revenue", "core.sailing_revenue")
    strip = page.one(".beyond")
    assert re.search(r"4 more hops, \d+ datasets", strip.text)
    page.click(".beyond button", "all the way")
    page.wait(lambda: len(page.all(".lane")) == 8)
    page.click(".beyond button", "all the way")
    page.wait(lambda: not page.all(".beyond"))


def test_conditions_and_values_differ_without_colour(page: Page) -> None:
    page.open("/lineage")
    page.find("sailing_revenue", "core.sailing_revenue")
    page.wait(lambda: page.all(".wires .condition") and page.all(".wires .value"))
    width = "return parseFloat(getComputedStyle(document.querySelector(arguments[0])).strokeWidth)"
    value = page.driver.execute_script(width, ".wires .value")
    condition = page.driver.execute_script(width, ".wires .condition")
    assert value > 1.5 * condition
    assert len(page.all(".wires circle")) == len(page.all(".wires .value")), "values end in a dot"
    assert len(page.all(".wires .head")) == len(page.all(".wires .condition")), "conditions end in an arrow head"


def test_the_catalog_narrows_down_and_keeps_its_state(page: Page) -> None:
    page.open("/catalog?container=strait.mart")
    page.wait(lambda: len(page.all("a.row")) == 9)
    page.click("label", "materialised view")
    page.wait(lambda: len(page.all("a.row")) == 1)
    page.driver.back()
    page.wait(lambda: len(page.all("a.row")) == 9)
    page.open("/catalog?q=no-such-thing")
    page.one(".note", "Nothing matches all of this")


def test_what_is_not_there_is_said_so(page: Page) -> None:
    page.open("/lineage/999999")
    assert "there is no dataset 999999" in page.read("[role=alert]")
    page.open("/nowhere")
    page.one("h1", "There is no page here")


@pytest.mark.parametrize("theme", ["light", "dark"])
@pytest.mark.parametrize("path", ["/overview", "/catalog", "/lineage", "/lineage/{trail}", "/lineage/{depends}"])
def test_axe_finds_nothing_serious(page: Page, path: str, theme: str) -> None:
    page.open("/lineage")
    page.driver.execute_script("localStorage.setItem('jalan-theme', arguments[0])", theme)
    if "{" in path:
        page.open("/lineage")
        page.find("gross", "gross")
        page.wait(lambda: "field=" in page.driver.current_url)
        if "depends" in path:
            page.wait(lambda: page.all(".walk li"))
            page.press("d")
            page.one("[data-depends]")
        else:
            page.one(".code .line")
    else:
        page.open(path)
        page.wait(lambda: page.all("main a, .start a"))
    found = serious(page)
    page.driver.execute_script("localStorage.removeItem('jalan-theme')")
    assert found == []


@pytest.mark.parametrize("width", [1024, 1920])
def test_the_road_fits_other_widths(page: Page, width: int) -> None:
    resize(page.driver, width, 900)
    page.open("/lineage")
    page.find("sailing_revenue", "core.sailing_revenue")
    page.one(".here h3")
    overflow = page.driver.execute_script("return document.documentElement.scrollWidth - window.innerWidth")
    assert overflow <= 0


def test_the_part_that_is_shown_is_handed_on(page: Page) -> None:
    page.open("/lineage")
    page.find("mart.sailing_board", "mart.sailing_board")
    page.one(".lane")
    page.click(".bar button", "export")
    link = page.read(".export a", "CSV", "href")
    page.click(".export label", "the whole graph")
    page.wait(lambda: page.read(".export a", "CSV", "href") != link)
    whole = page.read(".export a", "CSV", "href")
    count = "return fetch(arguments[0]).then(a => a.text()).then(t => t.split('\\n').length)"
    some, every = (page.driver.execute_script(count, address) for address in (link, whole))
    assert 20 < some < every
    assert serious(page) == []
