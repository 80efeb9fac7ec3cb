"""A page is a WSGI application. Run it with any server: waitress-serve wsgi_app:app."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any
from urllib.parse import parse_qs

from port import BERTHS, found, pages

if TYPE_CHECKING:
    from collections.abc import Callable, Iterable

    from untor import Page


def view(path: str, query: dict[str, list[str]]) -> Page:
    """Return the page of a path."""
    if path == "/":
        asked = query.get("asked", [""])[0]
        return pages.page("berths", {"berths": found(asked), "asked": asked})
    if path == "/log":
        lines = (f"{number}: the lock gate moved" for number in range(5000))
        return pages.page("log", {"lines": lines}, stream=True)
    for berth in BERTHS:
        if path == f"/berths/{berth.code}":
            return pages.page("berth", {"berth": berth})
    return pages.page("berths", {"berths": []}, status=404)


def app(environ: dict[str, Any], start_response: Callable[..., object]) -> Iterable[bytes]:
    """Answer a request."""
    path = environ["PATH_INFO"].encode("latin-1").decode("utf-8", "replace")
    answer: Iterable[bytes] = view(path, parse_qs(environ["QUERY_STRING"]))(environ, start_response)
    return answer
