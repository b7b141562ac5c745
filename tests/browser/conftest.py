"""A served demo and a browser."""

import threading
import time
import uuid
from collections.abc import Iterator

import pytest
import uvicorn
from selenium.webdriver.chrome.webdriver import WebDriver

from jalan.demo.cluster import free_port
from jalan.store.database import open_store
from jalan.web.app import create_app
from tests.browser.chrome import chrome
from tests.conftest import ROOT, Demo, admin


@pytest.fixture(scope="session")
def shown(demo: Demo) -> Iterator[Demo]:
    """The demo in a store of its own: what is done on the screens touches no other test."""
    name = f"shown_{uuid.uuid4().hex[:12]}"
    demo.engine.dispose()  # a database that is in use cannot be copied
    with admin(demo.cluster) as connection:
        connection.execute(f'create database "{name}" template "{demo.engine.url.database}"')
    engine = open_store(demo.cluster.url(name))
    yield Demo(demo.cluster, engine)
    engine.dispose()
    with admin(demo.cluster) as connection:
        connection.execute(f'drop database "{name}" with (force)')


@pytest.fixture(scope="session")
def address(shown: Demo) -> Iterator[str]:
    """Where the demo is served."""
    port = free_port()
    app = create_app(shown.engine, ROOT / "frontend" / "dist")
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
