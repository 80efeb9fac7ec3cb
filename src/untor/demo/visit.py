"""Visits every page of the demo, without a server or a browser."""

from __future__ import annotations

import asyncio
from html.parser import HTMLParser
from typing import NamedTuple

from untor.demo import views
from untor.demo.asking import asked

TYPE_CHECKING = False
if TYPE_CHECKING:
    from untor.demo.app import Port

HOSTILE = (
    "author=%3Cscript%3Edocument.title%3D1%3C%2Fscript%3E&vessel=3&text=%3C%2Ftextarea%3E%3Cimg+src%3Dx+onerror%3D1%3E"
)
"""A message as a hostile visitor posts it."""

PATHS = (
    "/",
    "/?value=%22%3E%3Cscript%3Ealert(1)%3C%2Fscript%3E",
    "/results?value=javascript:alert(1)",
    "/arrivals",
    *(f"/vessels/{number}" for number in range(1, 9)),
    "/notices",
    "/berths",
    "/tide",
    *(
        f"{path}?language={code}"
        for code in views.LANGUAGES
        for path in ("/", "/arrivals", "/vessels/3", "/notices", "/berths", "/tide", "/invoices")
    ),
    "/invoices/2031-016",
    "/search",
    "/search?words=%3Cscript&kind=Yacht",
    "/log",
    "/source?of=/vessels/3",
    *(f"/templates/{name}" for name in views.PAGES),
    *(f"/explained/{name}" for name in views.PAGES),
)
"""Everything that is requested, in the order of the tour."""


class Visit(NamedTuple):
    """What came back for one request; ``trouble`` is empty when it was right."""

    method: str
    path: str
    status: int
    length: int
    trouble: str


class _Scripts(HTMLParser):
    """Counts the scripts and styles of a page that have no nonce, and the attributes that run code."""

    def __init__(self) -> None:
        super().__init__()
        self.loose = 0

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        """Look at a start tag."""
        names = dict(attrs)
        self.loose += tag in {"script", "style"} and not names.get("nonce")
        self.loose += any(name.startswith("on") or name == "style" for name in names)


def visit(site: Port) -> list[Visit]:
    """Ask for every page, post a hostile message, and look at what comes back."""
    return asyncio.run(_visit(site))


async def _visit(site: Port) -> list[Visit]:
    found = [await _asked(site, "GET", path, 200) for path in PATHS]
    found.append(await _asked(site, "POST", "/notices", 422))
    found.append(await _asked(site, "POST", "/notices", 303, HOSTILE.encode()))
    found.append(await _asked(site, "GET", "/notices", 200))
    found.append(await _asked(site, "GET", "/vessels/nowhere", 404))
    return found


async def _asked(site: Port, method: str, target: str, expected: int, body: bytes = b"") -> Visit:
    status, headers, octets = await asked(site.app, method, target, body)
    return Visit(method, target, status, len(octets), _trouble(status, expected, headers, octets))


def _trouble(status: int, expected: int, headers: dict[str, str], octets: bytes) -> str:
    """Say what is wrong with an answer; empty when nothing is."""
    if status != expected:
        return f"not the status {expected}"
    if not octets:
        return ""
    if "'nonce-" not in headers.get("content-security-policy", ""):
        return "no strict Content-Security-Policy"
    looked = _Scripts()
    looked.feed(octets.decode())
    return f"{looked.loose} scripts, styles or handlers that no template has" if looked.loose else ""
