"""A view of Starlette returns a page as it is. Run it: uvicorn starlette_app:app."""

from __future__ import annotations

from typing import TYPE_CHECKING

from port import BERTHS, HERE, found, pages
from starlette.applications import Starlette
from starlette.exceptions import HTTPException
from starlette.routing import Mount, Route
from starlette.staticfiles import StaticFiles

if TYPE_CHECKING:
    from collections.abc import AsyncIterator

    from starlette.requests import Request

    from untor import Page


async def count() -> int:
    """Stand in for a database that is asked asynchronously."""
    return len(BERTHS)


async def lines() -> AsyncIterator[str]:
    """Yield the lines of a log, more than one would keep in memory."""
    for number in range(5000):
        yield f"{number}: the lock gate moved"


def berths(request: Request) -> Page:
    """Show the berths."""
    asked = request.query_params.get("asked", "")
    return pages.page("berths", {"berths": found(asked), "asked": asked})


async def berth(request: Request) -> Page:
    """Show one berth."""
    for each in BERTHS[: await count()]:
        if each.code == request.path_params["code"]:
            return pages.page("berth", {"berth": each}, cache="private, max-age=60")
    raise HTTPException(404)


def log(request: Request) -> Page:  # noqa: ARG001  the shape of a view
    """Send the log while it is read."""
    return pages.page("log", {"lines": lines()}, stream=True)


app = Starlette(
    routes=[
        Route("/", berths),
        Route("/berths/{code}", berth),
        Route("/log", log),
        Mount("/static", StaticFiles(directory=HERE / "static")),
    ],
)
