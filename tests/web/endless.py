"""Applications with a page that has no end, ``/``, one that breaks in the middle, and ``/rows``, the rows read and closed."""

from __future__ import annotations

import json
from itertools import count
from typing import TYPE_CHECKING, Any

import falcon
import falcon.asgi
from aiohttp import web
from starlette.applications import Starlette
from starlette.responses import JSONResponse
from starlette.routing import Route

import untor.web.falcon
from untor import Engine, Page
from untor.web.aiohttp import PageResponse
from untor.web.starlette import PageResponse as StarletteResponse

if TYPE_CHECKING:
    from collections.abc import AsyncIterator, Awaitable, Callable, Iterable, Iterator, MutableMapping

    Messages = MutableMapping[str, Any]

pages = Engine()
template = pages.compile("<! for row in rows !><p>{= row =}</p>\n<! end !>")
counted = {"read": 0, "closed": 0}
TEXT = "The lock gate moved, and the tide was as high as it ever is in Port Ellery. " * 2


def plain(end: int | None = None) -> Iterator[str]:
    """Yield rows without end, or until they break."""
    try:
        for number in count():
            counted["read"] += 1
            yield TEXT
            if number == end:
                raise OSError("the database has gone")
    finally:
        counted["closed"] += 1


async def awaited(end: int | None = None) -> AsyncIterator[str]:
    """Yield rows as ``plain`` does, and never wait."""
    for row in plain(end):
        yield row


def page(*, is_async: bool = True, end: int | None = None) -> Page:
    """Return a page without end, or that breaks after as many rows."""
    return template.page(rows=awaited(end) if is_async else plain(end), stream=True)


BREAKS = 500


async def asgi(scope: Messages, receive: Callable[[], Awaitable[Messages]], send: Callable[[Messages], Any]) -> None:
    """Answer over ASGI, with the page itself."""
    if scope["type"] == "http":
        made = {"/": page, "/broken": lambda: page(end=BREAKS)}.get(scope["path"])
        answer = made() if made else pages.compile("{= rows =}", "a.txt").page(rows=json.dumps(counted))
        await answer(scope, receive, send)


def wsgi(environ: dict[str, Any], start_response: Callable[..., object]) -> Iterable[bytes]:
    """Answer over WSGI, with the page itself."""
    if environ["PATH_INFO"] != "/rows":
        end = BREAKS if environ["PATH_INFO"] == "/broken" else None
        return page(is_async=False, end=end)(environ, start_response)  # type: ignore[no-any-return]
    start_response("200 OK", [("Content-Type", "application/json")])
    return [json.dumps(counted).encode()]


starlette = Starlette(
    routes=[
        Route("/", lambda _: StarletteResponse(page())),
        Route("/broken", lambda _: StarletteResponse(page(end=BREAKS))),
        Route("/rows", lambda _: JSONResponse(counted)),
    ]
)


class _Endless:
    async def on_get(self, req: falcon.asgi.Request, resp: falcon.asgi.Response) -> None:
        untor.web.falcon.answer(req, resp, page())

    async def on_get_broken(self, req: falcon.asgi.Request, resp: falcon.asgi.Response) -> None:
        untor.web.falcon.answer(req, resp, page(end=BREAKS))

    async def on_get_rows(self, _req: falcon.asgi.Request, resp: falcon.asgi.Response) -> None:
        resp.media = counted


class _EndlessWsgi:
    def on_get(self, req: falcon.Request, resp: falcon.Response) -> None:
        untor.web.falcon.answer(req, resp, page(is_async=False))

    def on_get_broken(self, req: falcon.Request, resp: falcon.Response) -> None:
        untor.web.falcon.answer(req, resp, page(is_async=False, end=BREAKS))

    def on_get_rows(self, _req: falcon.Request, resp: falcon.Response) -> None:
        resp.media = counted


falcon_asgi: Any = falcon.asgi.App()
falcon_wsgi: Any = falcon.App()
for app, resource in ((falcon_asgi, _Endless()), (falcon_wsgi, _EndlessWsgi())):
    app.add_route("/", resource)
    app.add_route("/broken", resource, suffix="broken")
    app.add_route("/rows", resource, suffix="rows")


async def _page(_request: web.Request) -> PageResponse:
    return PageResponse(page())


async def _broken(_request: web.Request) -> PageResponse:
    return PageResponse(page(end=BREAKS))


async def _rows(_request: web.Request) -> web.Response:
    return web.json_response(counted)


aiohttp = web.Application()
aiohttp.router.add_get("/", _page)
aiohttp.router.add_get("/broken", _broken)
aiohttp.router.add_get("/rows", _rows)
