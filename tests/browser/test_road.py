"""The whole road of a trail at a glance: it fits, nothing covers anything, and what is folded can be opened."""

from itertools import pairwise
from typing import Any

import httpx
import pytest
from selenium.webdriver.chrome.webdriver import WebDriver
from selenium.webdriver.common.keys import Keys

from tests.browser.chrome import console_errors, resize
from tests.browser.page import Page
from tests.browser.test_story import serious

# Trails of all kinds: from a source, in the middle, of a report's element, with many forks, through extracts.
TRAILS = [
    ("core.sailing_revenue", "gross"),
    ("tidy.tickets", "fare"),
    ("public.tickets", "fare_cents"),
    ("mart.seat_yield", "median_yield"),
    ("mart.route_month", "net_share"),
    ("core.ticket_facts", "commission"),
    ("mart.loyalty", "spent"),
    ("tidy.sailings", "seats"),
    ("core.passenger_value", "spent"),
    ("mart.refund_watch", "refund_rate"),
]
# Of every two things that can be read in one lane, those that cover each other; what is cut; and what lies outside.
GEOMETRY = """
const found = {covered: [], cut: [], outside: [], lanes: []};
const frame = document.querySelector('.frame .map').getBoundingClientRect();
for (const lane of document.querySelectorAll('.lane')) {
  const box = lane.getBoundingClientRect();
  found.lanes.push([box.left, box.right]);
  if (box.left < frame.left - 1 || box.right > frame.right + 1) found.outside.push(lane.textContent.slice(0, 40));
  const parts = [...lane.querySelectorAll('.head, .row, .operation, .fold')];
  const rects = parts.map(e => e.getBoundingClientRect());
  for (let i = 0; i < parts.length; i++) for (let j = i + 1; j < parts.length; j++) {
    const [a, b] = [rects[i], rects[j]];
    if (a.bottom - b.top > 1 && b.bottom - a.top > 1)
      found.covered.push(parts[i].textContent.trim() + ' / ' + parts[j].textContent.trim());
  }
  for (const line of lane.querySelectorAll('.operation .mono span')) {
    const at = line.getBoundingClientRect();
    const range = document.createRange(); range.selectNodeContents(line);
    if (range.getBoundingClientRect().right > box.right + 1) found.cut.push(line.textContent);
    if (line.textContent.endsWith('…') && !line.closest('button').title) found.cut.push(line.textContent);
  }
}
const strips = [...document.querySelectorAll('.strip')].map(e => e.getBoundingClientRect());
for (const one of strips) found.lanes.push([one.left, one.right]);
return found;
"""


@pytest.fixture
def page(browser: WebDriver, address: str) -> Page:
    resize(browser, 1280, 800)
    return Page(browser, address)


def trail(page: Page, table: str, column: str) -> None:
    found = httpx.get(f"{page.address}/api/v1/find", params={"q": table}).json()
    dataset = next(one["dataset"] for one in found if one["title"] == table)
    columns = httpx.get(f"{page.address}/api/v1/datasets/{dataset}").json()["columns"]
    field = next(one["id"] for one in columns if one["name"] == column)
    page.open(f"/lineage/{dataset}?field={field}")
    page.one(".glance button")
    page.one(".story span:not(.mute)")


@pytest.mark.parametrize(("table", "column"), TRAILS)
def test_the_road_fits_and_nothing_on_it_covers_anything(page: Page, table: str, column: str) -> None:
    trail(page, table, column)
    for width, height in ((1280, 800), (1920, 1080)):
        resize(page.driver, width, height)
        page.wait(lambda: page.all(".lane"))
        found: dict[str, Any] = page.wait(lambda: page.driver.execute_script(GEOMETRY))
        assert (found["covered"], found["cut"], found["outside"]) == ([], [], [])
        lanes = sorted(found["lanes"])
        assert all(one[1] < other[0] for one, other in pairwise(lanes))
    assert console_errors(page.driver) == []


def test_what_is_folded_is_counted_and_opens_by_mouse_and_by_key(page: Page) -> None:
    trail(page, "core.sailing_revenue", "gross")
    page.wait(lambda: page.texts(".strip") == ["3 lanes, unchanged"])
    assert page.texts(".lane h2 span:first-child")[:3] == ["5 upstream", "1 upstream", "here"]
    page.click(".strip")
    page.wait(lambda: "open=" in page.driver.current_url and not page.all(".strip"))
    assert "tidy.tickets" in " ".join(page.texts(".lane"))
    # A lane is folded again from its head, and its station on the map opens it.
    page.driver.execute_script("document.querySelector('[aria-label=\"Fold the lane 3 upstream\"]').focus()")
    page.driver.switch_to.active_element.send_keys(Keys.ENTER)
    page.wait(lambda: page.texts(".strip") == ["1 lane, unchanged"])
    page.click(".glance button", "landing.tickets")
    page.wait(lambda: not page.all(".strip"))
    page.driver.back()
    assert serious(page) == []


def test_the_walk_says_it_in_words_and_one_side_can_be_left_out(page: Page) -> None:
    trail(page, "core.sailing_revenue", "gross")
    assert page.read(".story").startswith("Gross is sum of fare_paid (or 0) by sailing_id")
    rows = page.texts(".walk li")
    assert "unchanged" in rows[0]
    assert any("(fare less discount) divided by 100" in row for row in rows)
    # What stands on the road is the code, put together from the steps inside its file; no character is left out.
    written = ["".join(text.split()) for text in page.texts(".operation .mono")]
    assert "coalesce(sum(fare_paid),0)" in written
    page.click(".sides button", "upstream")
    page.wait(lambda: page.texts(".lane h2 span:first-child")[-1] == "here")
    page.click(".sides button", "downstream")
    page.wait(lambda: page.texts(".lane h2 span:first-child")[0] == "here")
    page.click(".sides button", "both sides")
    page.wait(lambda: page.texts(".lane h2 span:first-child")[-1] == "3 downstream")


def test_the_whole_way_lights_up_under_the_pointer(page: Page) -> None:
    page.open("/lineage")
    page.find("core.ticket_facts", "core.ticket_facts")
    page.hover(".here .row", "fare_paid")
    # Through the lanes on both sides, not only the next ones.
    page.wait(lambda: len(page.all(".lane .row.lit")) >= 4)
    assert any("fare_cents" in one or one == "fare" for one in page.texts(".lane .row.lit"))


def test_the_facts_of_what_is_here_open_on_a_trail(page: Page) -> None:
    trail(page, "core.sailing_revenue", "gross")
    page.click(".lane:has(h2.middle) .head")
    page.one(".here h3", "core.sailing_revenue")
    page.click(".here button", "only the trail")
    page.wait(lambda: not page.all(".here h3"))


def test_what_is_called_so_is_found_within_the_road_also_where_it_is_folded(page: Page) -> None:
    trail(page, "core.sailing_revenue", "gross")
    page.press("f")
    page.driver.switch_to.active_element.send_keys("fare")
    page.wait(lambda: page.texts(".within .count") == ["1 of 7"])
    page.wait(lambda: page.texts(".lane .at") == ["fare_cents"])
    assert len(page.all(".lane .found")) >= 2
    # The next one lies in a lane that is folded: it opens.
    page.driver.switch_to.active_element.send_keys(Keys.ENTER)
    page.wait(lambda: page.texts(".within .count") == ["2 of 7"])
    page.wait(lambda: "remote.tickets" in " ".join(page.texts(".lane:has(.at)")))
    page.driver.switch_to.active_element.send_keys(Keys.SHIFT, Keys.ENTER)
    page.wait(lambda: page.texts(".within .count") == ["1 of 7"])
    page.driver.switch_to.active_element.send_keys(Keys.ESCAPE)
    page.wait(lambda: not page.all(".lane .found"))
    page.press("f")
    page.driver.switch_to.active_element.send_keys("<img onerror>")
    page.wait(lambda: page.texts(".within .count") == ["nothing"])
    assert serious(page) == []
