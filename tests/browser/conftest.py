"""A served demo and a browser."""

import threading
import time
from collections.abc import Iterator

import pytest
import uvicorn
from selenium.webdriver.chrome.webdriver import WebDriver

from jalan.demo.cluster import free_port
from jalan.web.app import create_app
from tests.browser.chrome import chrome
from tests.conftest import ROOT, Demo


@pytest.fixture(scope="session")
def address(demo: Demo) -> Iterator[str]:
    """Where the demo is served."""
    port = free_port()
    app = create_app(demo.engine, ROOT / "frontend" / "dist")
    config = uvicorn.Config(app, port=port, log_level="critical", timeout_graceful_shutdown=1)
    server = uvicorn.Server(config)
    thread = threading.Thread(target=server.run)
    thread.start()
    for _ in range(100):
        if server.started:
            break
        time.sleep(0.05)
    assert server.started
    yield f"http://127.0.0.1:{port}"
    server.should_exit = True
    thread.join()


@pytest.fixture(scope="session")
def session_browser() -> Iterator[WebDriver]:
    with chrome() as driver:
        yield driver


@pytest.fixture
def browser(session_browser: WebDriver) -> WebDriver:
    """The browser, its console emptied."""
    session_browser.get_log("browser")
    return session_browser
