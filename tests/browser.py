"""A real browser without a display, as people outside have it."""

from __future__ import annotations

import os
import shutil
from contextlib import contextmanager

import pytest

WAIT_S = 10.0  # for an element that is looked for: a page that a click leads to takes its time to come


def needs_browser() -> None:
    """Leave a test out where there is no browser; where tests run unattended that is a failure."""
    if shutil.which("chromium") and shutil.which("chromedriver"):
        return
    if os.environ.get("CI") == "true":
        pytest.fail("chromium and chromium-driver are not installed")
    pytest.skip("chromium and chromium-driver are not installed")


def violations(page) -> list[str]:
    """Return what a page has against WCAG 2.1 AA, by the rule and where, as axe finds it."""
    from axe_core_python.base import AXE_SCRIPT

    page.execute_script(AXE_SCRIPT)
    rules = {"runOnly": ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa"]}
    found = page.execute_async_script("axe.run(document, arguments[0]).then(arguments[1])", rules)
    return [f"{each['id']}: {node['html'][:120]}" for each in found["violations"] for node in each["nodes"]]


@contextmanager
def browser(*, scripts: bool = True, width: int = 1280, height: int = 900, reliefs: bool = False):
    """Give a browser with an empty profile; `reliefs` where it draws in three dimensions, by the processor."""
    from selenium import webdriver
    from selenium.webdriver.chrome.service import Service

    options = webdriver.ChromeOptions()
    options.binary_location = shutil.which("chromium") or ""
    for each in (
        "--headless=new",
        "--no-sandbox",
        "--enable-unsafe-swiftshader" if reliefs else "--disable-gpu",
        "--disable-dev-shm-usage",
        "--hide-scrollbars",
        f"--window-size={width},{height}",
    ):
        options.add_argument(each)
    if not scripts:
        options.add_experimental_option("prefs", {"profile.managed_default_content_settings.javascript": 2})
    options.set_capability("goog:loggingPrefs", {"browser": "ALL"})
    driver = webdriver.Chrome(options=options, service=Service(shutil.which("chromedriver")))
    driver.implicitly_wait(WAIT_S)
    try:
        yield driver
    finally:
        driver.quit()
