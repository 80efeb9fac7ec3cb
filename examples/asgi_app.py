"""A page is an ASGI application. Run it with any server: uvicorn asgi_app:app."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any
from urllib.parse import parse_qs

from port import BERTHS, found, pages

if TYPE_CHECKING:
    from collections.abc import Awaitable, Callable, MutableMapping

    from untor import Page

    Scope = MutableMapping[str, Any]
    Receive = Callable[[], Awaitable[MutableMapping[str, Any]]]
    Send = Callable[[MutableMapping[str, Any]], Awaitable[None]]


async def waiting() -> list[str]:
    """Stand in for anything that takes a while; page_async awaits it."""
    return [f"{berth.code}: {berth.vessel}" for berth in BERTHS]


async def view(path: str, query: dict[str, list[str]]) -> Page:
    """Return the page of a path."""
    if path == "/":
        asked = query.get("asked", [""])[0]
        return pages.page("berths", {"berths": found(asked), "asked": asked})
    if path == "/log":
        return await pages.page_async("log", lines=waiting())
    for berth in BERTHS:
        if path == f"/berths/{berth.code}":
            return pages.page("berth", {"berth": berth})
    return pages.page("berths", {"berths": []}, status=404)


async def app(scope: Scope, receive: Receive, send: Send) -> None:
    """Answer a request."""
    if scope["type"] == "http":
        page = await view(scope["path"], parse_qs(scope["query_string"].decode("latin-1")))
        await page(scope, receive, send)
