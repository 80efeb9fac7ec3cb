"""Pages judged by axe, in light and dark, on a screen and on a phone."""

from __future__ import annotations

from contextlib import contextmanager
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from collections.abc import Iterator
    from pathlib import Path

    from selenium.webdriver import Chrome

VIEWS = [(1280, "light"), (390, "dark")]
"""Widths of screens and colour schemes, each of them once."""


@contextmanager
def viewed(browser: Chrome, width: int, scheme: str) -> Iterator[None]:
    """Let the browser have a screen of some width, and prefer a colour scheme."""
    media = {"features": [{"name": "prefers-color-scheme", "value": scheme}]}
    size = {"width": width, "height": 800, "deviceScaleFactor": 1, "mobile": width < 500}
    browser.execute_cdp_cmd("Emulation.setEmulatedMedia", media)
    browser.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", size)
    browser.execute_cdp_cmd("Page.setBypassCSP", {"enabled": True})
    try:
        yield
    finally:
        browser.execute_cdp_cmd("Page.setBypassCSP", {"enabled": False})
        browser.execute_cdp_cmd("Emulation.clearDeviceMetricsOverride", {})
        browser.execute_cdp_cmd("Emulation.setEmulatedMedia", {"features": []})


def findings(browser: Chrome, checkers: Path, url: str) -> list[object]:
    """Return what axe finds on a page, and "too wide" where it does not fit the screen."""
    browser.get(url)
    browser.execute_script((checkers / "axe-core/axe.min.js").read_text("utf-8"))
    found: Any = browser.execute_async_script(
        "axe.run(document, {iframes: false}).then(done => "
        "arguments[0](done.violations.map(each => [each.id, each.nodes[0].html.slice(0, 200)])))"
    )
    fits = browser.execute_script("return document.documentElement.scrollWidth <= innerWidth")
    return [*found, *([] if fits else ["too wide"])]
