"""What a person does on the page, in their words."""

from collections.abc import Callable
from typing import TypeVar

from selenium.common.exceptions import StaleElementReferenceException
from selenium.webdriver.chrome.webdriver import WebDriver
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.remote.webelement import WebElement
from selenium.webdriver.support.ui import WebDriverWait

_PATIENCE = 15
T = TypeVar("T")


class Page:
    """The open application."""

    def __init__(self, driver: WebDriver, address: str) -> None:
        self.driver = driver
        self.address = address

    def open(self, path: str) -> None:
        """Go to an address and wait for its fonts."""
        self.driver.get(self.address + path)
        self.driver.execute_async_script("document.fonts.ready.then(arguments[0])")

    def wait(self, until: Callable[[], T]) -> T:
        """Wait until something is true; returns it."""

        def ask(_: WebDriver) -> T:
            return until()

        return WebDriverWait(self.driver, _PATIENCE, 0.1, [StaleElementReferenceException]).until(ask)

    def all(self, css: str) -> list[WebElement]:
        """Return what is there now."""
        return self.driver.find_elements(By.CSS_SELECTOR, css)

    def texts(self, css: str) -> list[str]:
        """Return the texts of what is there now."""
        script = "return [...document.querySelectorAll(arguments[0])].map(e => e.textContent.trim())"
        return list(self.driver.execute_script(script, css))

    def one(self, css: str, text: str | None = None) -> WebElement:
        """Wait for an element, by its text if that is given."""

        def look() -> WebElement | None:
            for element in self.all(css):
                if text is None or text in " ".join(element.text.split()):
                    return element
            return None

        found = self.wait(look)
        assert found is not None
        return found

    def read(self, css: str, text: str | None = None, attribute: str | None = None) -> str:
        """Wait for an element and read its text or an attribute, again if the page was drawn anew meanwhile."""

        def look() -> tuple[str]:  # one that is empty is an answer, too
            element = self.one(css, text)
            return (element.text if attribute is None else element.get_attribute(attribute) or "",)

        return self.wait(look)[0]

    def click(self, css: str, text: str | None = None) -> None:
        """Click an element when it is there."""

        def act() -> bool:
            element = self.one(css, text)
            self.driver.execute_script("arguments[0].scrollIntoView({block:'nearest',inline:'nearest'})", element)
            element.click()
            return True

        self.wait(act)

    def choose(self, css: str, text: str) -> None:
        """Choose an option of a list when it is there."""

        def act() -> bool:
            for option in self.one(css).find_elements(By.TAG_NAME, "option"):
                if option.text.strip() == text:
                    option.click()
                    return True
            return False

        self.wait(act)

    def hover(self, css: str, text: str | None = None) -> None:
        """Move the pointer onto something."""
        ActionChains(self.driver).move_to_element(self.one(css, text)).perform()

    def press(self, *keys: str) -> None:
        """Press keys wherever the focus is."""
        for key in keys:
            ActionChains(self.driver).send_keys(key).perform()

    def find(self, words: str, title: str) -> None:
        """Use the find box by keyboard and take the hit of that title."""
        self.press("/")
        self.press(words)
        self.wait(lambda: any(title in hit for hit in self.texts("#find-hits [role=option] b")))
        titles = self.texts("#find-hits [role=option] b")
        self.press(*[Keys.ARROW_DOWN] * titles.index(title), Keys.ENTER)
