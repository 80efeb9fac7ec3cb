"""How thoroughly properties are tried (``--hypothesis-profile=medium``, or ``long`` for a night), and the browser."""

from __future__ import annotations

import os
import shutil
import subprocess
from typing import TYPE_CHECKING

import pytest
from hypothesis import settings

if TYPE_CHECKING:
    from collections.abc import Iterator
    from pathlib import Path

    from selenium import webdriver

settings.register_profile("long", max_examples=100_000, deadline=None)
settings.register_profile("medium", max_examples=20_000, deadline=None)
settings.register_profile("few", max_examples=60, deadline=None, derandomize=True, database=None)
settings.register_profile("short", max_examples=200, deadline=None)
settings.load_profile("short")

_WITHOUT_WINDOWS = "/usr/lib/chromium/chromium-headless-shell"
"""Not the command that starts it, which a driver would end in its place."""


@pytest.hookimpl(tryfirst=True)
def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Mark every test that drives a browser, so that ``-m "not browser"`` starts none."""
    for item in items:
        if "browser" in getattr(item, "fixturenames", ()):
            item.add_marker(pytest.mark.browser)


@pytest.fixture(scope="session")
def chromium() -> Iterator[webdriver.Chrome]:
    """A headless Chromium; without one its tests are skipped, but not where everything must be tested.

    The one without windows, where it is installed, has the same engine and takes much less of the processor's time.
    """
    binary = shutil.which(_WITHOUT_WINDOWS) or shutil.which("chromium")
    driver = shutil.which("chromedriver")
    if not binary or not driver:
        if os.environ.get("CI"):
            pytest.fail("chromium and chromedriver are missing")
        pytest.skip("needs Debian's packages chromium and chromium-driver")
    from selenium import webdriver  # noqa: PLC0415  most tests run without it

    options = webdriver.ChromeOptions()
    options.binary_location = binary
    flags = "headless no-sandbox disable-gpu disable-quic no-first-run disable-background-networking disable-sync"
    for flag in (*flags.split(), "disable-component-update", "site-per-process", "window-size=1280,800"):
        options.add_argument(f"--{flag}")
    started = webdriver.Chrome(options, webdriver.ChromeService(driver))
    started.set_script_timeout(600)  # a page that hangs, not a slow machine
    yield started
    started.quit()


@pytest.fixture
def browser(chromium: webdriver.Chrome) -> webdriver.Chrome:
    """The browser, where no page of another test goes on, and whose log says nothing of one."""
    chromium.get("about:blank")
    chromium.get_log("browser")  # type: ignore[no-untyped-call]
    return chromium


@pytest.fixture(scope="session")
def checkers(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The folder of the packages that judge pages (the Nu checker, axe); skipped where there is no npm."""
    npm = shutil.which("npm")
    if npm is None:
        pytest.skip("the checkers of HTML and of accessibility come by npm, which is not here")
    folder = tmp_path_factory.mktemp("checkers")
    packages = ["vnu-jar@26.9.27", "axe-core@4.14.1"]  # a newer one may find more: it is taken with what it finds fixed
    command = [npm, "install", "--no-save", "--silent", "--ignore-scripts", "--no-package-lock", *packages]
    subprocess.run([*command, "--prefix", str(folder)], check=True, capture_output=True, timeout=300)
    return folder / "node_modules"
