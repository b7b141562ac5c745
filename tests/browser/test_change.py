"""What breaks if this is changed, in a real browser: from a column of the lineage to the code that fails."""

import httpx
import pytest
from selenium.webdriver.chrome.webdriver import WebDriver
from selenium.webdriver.common.keys import Keys

from jalan.demo.scenario import REPOSITORY
from tests.browser.chrome import console_errors, resize
from tests.browser.page import Page
from tests.browser.test_story import serious


@pytest.fixture
def page(browser: WebDriver, address: str) -> Page:
    resize(browser, 1280, 800)
    return Page(browser, address)


def test_a_column_is_dropped_from_its_row_and_the_ledger_is_read(page: Page) -> None:
    page.open("/lineage")
    page.find("tidy.tickets", "tidy.tickets")
    page.click(".here .row", "discount")
    page.click(".bar .changes a", "dropped")
    sql = "alter table tidy.tickets drop column discount"
    page.wait(lambda: page.read("textarea", attribute="value") == sql)
    page.one(".figures", "2 break")
    assert page.texts(".one mark")[0] == "t.discount"
    assert set(page.texts(".one.open b")) == {
        "pipelines/core/ticket_facts.sql",
        "pipelines/tidy/tickets.sql",
    }
    assert serious(page) == []
    # Whom it concerns, and from there to the report on the lineage.
    page.click(".by button", "person")
    page.one(".group h3", "Revenue data")
    page.one(".within").send_keys("mart.route_month")
    page.wait(lambda: all("mart.route_month" in one for one in page.texts(".one")) and page.all(".one"))
    page.click(".one a", "mart.route_month")
    page.wait(lambda: page.texts(".here h3") == ["mart.route_month"])
    assert console_errors(page.driver) == []


def test_what_is_written_is_asked_as_one_writes(page: Page) -> None:
    page.open("/change")
    field = page.one("textarea")
    field.send_keys("drop view mart.seat_yie")
    page.wait(lambda: "does not exist" in " ".join(page.texts(".refused")))
    field.send_keys("ld")
    # It is made anew each night.
    page.one(".good", "Nothing breaks")
    assert "sql=drop" in page.driver.current_url
    field.send_keys(Keys.CONTROL, "a")
    field.send_keys("alter table tidy.tickets add constraint one_fare unique (fare)")
    page.one("[role=alert]", "are simulated")
    assert serious(page) == []


def test_another_type_breaks_what_it_no_longer_fits_and_a_plan_tells_how_to_go_about_it(page: Page) -> None:
    page.open("/lineage")
    page.find("public.tickets", "public.tickets")
    page.click(".here .row", "fare_cents")
    page.click(".bar .changes a", "renamed")
    page.one(".group h3", "break")
    page.click(".plan summary", "How to carry it out")
    page.one(".plan li", "Add the new column")
    assert "generated always as (fare_cents) stored" in page.texts(".plan pre")[0]
    page.click(".plan .routes button", "at once")
    page.one(".plan li", "in the same moment")
    assert serious(page) == []
    page.open("/lineage")
    page.find("tidy.tickets", "tidy.tickets")
    page.click(".here .row", "discount")
    page.click(".bar .changes a", "retyped")
    page.one(".one.open", "operator does not exist: integer - text")
    assert console_errors(page.driver) == []


def test_an_edited_view_says_what_it_makes_otherwise_and_who_is_concerned(page: Page) -> None:
    view = (REPOSITORY / "pipelines" / "tidy" / "routes.sql").read_text().partition(";")[0]
    page.open("/change")
    page.one("textarea").send_keys(view.replace("\n", " ").replace("as distance_km", "+ 1 as distance_km"))
    page.one(".edit", "Other values in distance_km")
    assert page.texts(".edit del") == ["r.distance_nm * 1.852"]
    assert page.texts(".edit ins") == ["r.distance_nm * 1.852 + 1"]
    assert page.texts(".one .reason b") == ["distance_km"]
    assert serious(page) == []


def test_what_stops_is_found_by_words_and_leaves_things_stale(page: Page) -> None:
    page.open("/change")
    page.one("[aria-label='Find what would not run']").send_keys("tidy tick")
    page.click(".proposal li button", "pipelines/tidy/tickets.sql")
    page.wait(lambda: "stop=" in page.driver.current_url)
    page.wait(lambda: any("goes stale" in one for one in page.texts(".one .state")))
    page.wait(lambda: "tidy.tickets" in page.texts(".one .subject a"))
    assert serious(page) == []
    page.click(".proposal .one button", "take back")
    page.wait(lambda: page.texts(".ledger .one") == [])


def test_a_text_is_edited_and_its_columns_follow(page: Page) -> None:
    page.open("/change")
    page.one("[aria-label='Find a text to edit']").send_keys("core ticket_facts")
    page.click("[aria-label=Texts] button", "ticket_facts.sql")
    page.one(".makes p", "fare_paid of tidy.tickets.fare, tidy.tickets.discount")
    page.click(".cm-line", "as fare_paid")
    page.press(Keys.HOME, "2 * ")
    # The cursor stands in what makes this column.
    page.one(".makes p.here", "fare_paid")
    page.one(".edit .head", "Other values in fare_paid")
    page.wait(lambda: "core.ticket_facts" in page.texts(".ledger .one .subject, .ledger .one a"))
    assert serious(page) == []
    assert console_errors(page.driver) == []
    # Names are offered, and what is wrong is underlined where it stands.
    page.press(Keys.END, " t.dis")
    page.one(".cm-tooltip-autocomplete li", "discount")
    page.press(Keys.ESCAPE)
    page.one(".cm-lintRange-error, .cm-lint-marker-error")
    page.click("[aria-label^='take back the edit']")
    page.wait(lambda: not page.all(".edit .head"))


def test_a_change_is_kept_and_found_again(page: Page) -> None:
    page.open("/change?sql=alter table tidy.tickets drop column discount")
    page.one(".keep input").send_keys("fares without discount", Keys.ENTER)
    page.one(".kept h2", "fares without discount")
    page.one(".kept", "It does what it did")
    address = page.driver.current_url
    page.open("/change")
    page.click(".ledger a", "fares without discount")
    page.wait(lambda: page.read("textarea", attribute="value") == "alter table tidy.tickets drop column discount")
    page.wait(lambda: "breaks" in " ".join(page.texts(".ledger .one")))
    assert serious(page) == []
    page.driver.get(address)
    page.click(".kept .link", "let it go")
    page.wait(lambda: not page.all(".kept"))
    assert console_errors(page.driver) == []


def test_two_baselines_are_compared_and_one_is_taken_over_into_the_other(page: Page) -> None:
    """A change is reviewed, taken over into staging, and from there into production, which is protected."""
    page.open("/change/baselines")
    for name, is_protected in (("production", True), ("staging", False)):
        page.one(".keep input[type=checkbox]")
        page.one("[aria-label='A name for it']").send_keys(name)
        if is_protected:
            page.click(".keep input[type=checkbox]")
        page.click(".keep .link", "keep it")
        page.one(".one b", name)
    assert serious(page) == []
    edits = {"mart/tides.sql": "create table mart.tides as select 1 as a"}
    given = {"name": "tides", "database": "strait", "edits": edits}
    change = httpx.post(f"{page.address}/api/v1/changes", json=given, timeout=60).json()["id"]
    kept = f"{page.address}/api/v1/changes/kept/{change}"
    assert httpx.patch(kept, json={"state": "reviewed"}).status_code == 204
    page.open(f"/change?kept={change}")
    page.choose("[aria-label='A baseline']", "staging")
    page.click(".kept .link", "take it over")
    page.one("[role=status]", "1 text taken over into staging")
    page.open("/change/baselines")
    page.choose("[aria-label='From']", "production")
    page.choose("[aria-label='To']", "staging")
    page.click(".other .link", "mart/tides.sql")
    page.one(".lines", "create table mart.tides")
    assert serious(page) == []
    page.click(".take .link", "take all of it over into production")
    page.one("[role=alert]", "production is protected")
    page.click(".take .link", "all the same")
    page.one("[role=status]", "1 text taken over into production")
    page.one(".compared .good", "Nothing differs")
    page.one(".taken", "from staging")
    for name in ("production", "staging"):
        page.click(".one .acts .link", "let it go")
        page.click(".one p .link", "let it go all the same")
        page.wait(lambda name=name: name not in page.texts(".one b"))
    assert httpx.delete(kept).status_code == 204
    assert console_errors(page.driver) == []
