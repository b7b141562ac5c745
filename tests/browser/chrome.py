"""A headless Chromium at an exact size, driven through ChromeDriver."""

import os
import shutil
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager

from selenium import webdriver
from selenium.webdriver.chrome.options import Options
from selenium.webdriver.chrome.service import Service
from selenium.webdriver.chrome.webdriver import WebDriver

_FLAGS = (
    "--headless=new", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run",
    "--disable-background-networking", "--disable-component-update", "--disable-sync", "--hide-scrollbars",
    "--force-prefers-reduced-motion", "--lang=en-GB",
)  # fmt: skip


@contextmanager
def chrome(width: int = 1280, height: int = 800) -> Iterator[WebDriver]:
    """Open a browser whose viewport has exactly this size; closed at the end."""
    os.environ["SE_OFFLINE"] = "true"
    browser, driver_path = shutil.which("chromium"), shutil.which("chromedriver")
    if browser is None or driver_path is None:
        raise RuntimeError("Chromium is not installed; on Debian: apt-get install chromium chromium-driver")
    profile = tempfile.mkdtemp(prefix="jalan-chrome-")
    options = Options()
    options.binary_location = browser
    for flag in (*_FLAGS, f"--user-data-dir={profile}"):
        options.add_argument(flag)
    options.set_capability("goog:loggingPrefs", {"browser": "ALL"})
    driver = webdriver.Chrome(options=options, service=Service(driver_path))
    try:
        resize(driver, width, height)
        yield driver
    finally:
        driver.quit()
        shutil.rmtree(profile, ignore_errors=True)


def resize(driver: WebDriver, width: int, height: int) -> None:
    """Set the size of the viewport."""
    metrics = {"width": width, "height": height, "deviceScaleFactor": 1, "mobile": False}
    driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", metrics)


def console_errors(driver: WebDriver) -> list[str]:
    """Return what the page has logged as severe since the last call."""
    return [entry["message"] for entry in driver.get_log("browser") if entry["level"] == "SEVERE"]
