"""Handlers of aiohttp return pages. Run it: python aiohttp_app.py, or with its worker for gunicorn."""

from __future__ import annotations

from aiohttp import web
from port import BERTHS, HERE, found, pages

from untor.web.aiohttp import PageResponse


async def berths(request: web.Request) -> PageResponse:
    """Show the berths, and remember the language."""
    asked = request.query.get("asked", "")
    response = PageResponse(pages.page("berths", berths=found(asked), asked=asked))
    response.set_cookie("language", "en", httponly=True)
    return response


async def berth(request: web.Request) -> PageResponse:
    """Show one berth."""
    for each in BERTHS:
        if each.code == request.match_info["code"]:
            return PageResponse(await pages.page_async("berth", berth=each))
    raise web.HTTPNotFound


async def log(_request: web.Request) -> PageResponse:
    """Send the log while it is read."""
    lines = (f"{number}: the lock gate moved" for number in range(5000))
    return PageResponse(pages.page("log", lines=lines, stream=True))


app = web.Application()
app.router.add_get("/", berths, name="berths")
app.router.add_get("/berths/{code}", berth, name="berth")
app.router.add_get("/log", log, name="log")
app.router.add_static("/static", HERE / "static")

if __name__ == "__main__":
    web.run_app(app, host="127.0.0.1", port=8000)
