"""Pages as responses of aiohttp, Starlette and Falcon: headers, cookies, what the browser has already, streams and their ends."""

from __future__ import annotations

import asyncio
from typing import TYPE_CHECKING, Any, NamedTuple

import falcon
import falcon.asgi
import pytest
from aiohttp import web
from aiohttp.test_utils import TestClient, TestServer
from falcon import testing
from serving import asked
from starlette.applications import Starlette
from starlette.routing import Route

from untor import Engine, Policy
from untor.web.aiohttp import PageResponse
from untor.web.falcon import answer
from untor.web.starlette import PageResponse as StarletteResponse

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator

    from untor import Page

TEMPLATE = (
    "<!doctype html><title>Calls</title><p>{= name =}</p><! for row in rows !>{= row =}<! end !><style>p {}</style>"
)


class Asked(NamedTuple):
    """What came back; cookies as they were set."""

    status: int
    headers: dict[str, str]
    cookies: list[str]
    body: str


class Rows:
    """Rows of a stream, which note how many were read."""

    read = 0

    def __iter__(self) -> Iterator[str]:
        for _ in range(1000):
            self.read += 1
            yield "x" * 5000


def page(rows: Any = (), **options: Any) -> Page:
    engine = Engine(policy=Policy())
    template = engine.compile(TEMPLATE, "calls.html")
    return template.page(name="<Gull>", rows=rows, **options)


def of_aiohttp(make: Callable[[], Page], method: str, sent: dict[str, str], status: int) -> Asked:
    async def handler(_: web.Request) -> web.StreamResponse:
        response = PageResponse(make())
        response.set_cookie("a", "1")
        response.headers["X-Own"] = "later"
        response.headers["Referrer-Policy"] = "same-origin"
        if status:
            response.set_status(status)
        return response

    async def asked() -> Asked:
        app = web.Application()
        app.router.add_route("*", "/", handler)
        async with TestClient(TestServer(app)) as client, client.request(method, "/", headers=sent) as response:
            cookies = response.headers.getall("Set-Cookie", [])
            headers = {name.lower(): value for name, value in response.headers.items()}
            return Asked(response.status, headers, cookies, await response.text())

    return asyncio.run(asked())


def of_starlette(make: Callable[[], Page], method: str, sent: dict[str, str], status: int) -> Asked:
    def view(_: Any) -> StarletteResponse:
        response = StarletteResponse(make())
        response.set_cookie("a", "1")
        response.headers["X-Own"] = "later"
        response.headers["Referrer-Policy"] = "same-origin"
        response.status_code = status or response.status_code
        return response

    app = Starlette(routes=[Route("/", view)])
    code, pairs, body = asked(app, method=method, **sent)
    return Asked(code, dict(pairs), [value for name, value in pairs if name == "set-cookie"], body.decode())


def _falcon(resp: Any, status: int) -> None:
    resp.set_cookie("a", "1", secure=False, http_only=False)
    resp.set_header("X-Own", "later")
    resp.set_header("Referrer-Policy", "same-origin")
    if status:
        resp.status = status


def _asked(app: Any, method: str, sent: dict[str, str]) -> Asked:
    result = testing.TestClient(app).simulate_request(method, "/", headers=sent)
    cookies = [f"{each.name}={each.value}" for each in result.cookies.values()]
    headers = {name.lower(): value for name, value in result.headers.items()}
    return Asked(result.status_code, headers, cookies, result.text)


def of_falcon(make: Callable[[], Page], method: str, sent: dict[str, str], status: int) -> Asked:
    class Calls:
        """Headers before the page; in a WSGI app."""

        def on_get(self, req: falcon.Request, resp: falcon.Response) -> None:
            _falcon(resp, 0)
            answer(req, resp, make())
            if status:
                resp.status = status

        on_head = on_get

    app = falcon.App()
    app.add_route("/", Calls())
    return _asked(app, method, sent)


def of_falcon_asgi(make: Callable[[], Page], method: str, sent: dict[str, str], status: int) -> Asked:
    class Calls:
        """Headers after the page; in an ASGI app."""

        async def on_get(self, req: Any, resp: Any) -> None:
            answer(req, resp, make())
            _falcon(resp, status)

        on_head = on_get

    app = falcon.asgi.App()
    app.add_route("/", Calls())
    return _asked(app, method, sent)


WAYS = [of_aiohttp, of_starlette, of_falcon, of_falcon_asgi]


@pytest.mark.parametrize("way", WAYS)
@pytest.mark.parametrize("stream", [False, True], ids=["whole", "streamed"])
def test_answer(way: Any, stream: bool) -> None:  # noqa: FBT001  a case
    """A page is sent with its own headers, those of the view and the view's cookies; a HEAD has no body."""
    whole = way(lambda: page(stream=stream, rows=["é"] * 3), "GET", {}, 0)
    assert (whole.status, whole.body.count("é")) == (200, 3)
    assert "&lt;Gull&gt;" in whole.body
    assert whole.headers["x-own"] == "later"
    assert whole.headers["referrer-policy"] == "same-origin"
    assert whole.headers["content-type"] == "text/html; charset=utf-8"
    assert whole.headers["x-content-type-options"] == "nosniff"
    assert "default-src" in whole.headers["content-security-policy"]
    assert [cookie.partition(";")[0] for cookie in whole.cookies] == ["a=1"]
    head = way(lambda: page(stream=stream), "HEAD", {}, 0)
    assert (head.status, head.body, [*map(_name, head.cookies)]) == (200, "", ["a"])
    assert head.headers["content-type"] == whole.headers["content-type"]
    assert ("etag" in whole.headers) == ("etag" in head.headers) == (not stream)


def _name(cookie: str) -> str:
    return cookie.partition("=")[0]


@pytest.mark.parametrize("way", WAYS)
def test_not_modified(way: Any) -> None:
    """A page that the browser has is an empty 304 with the headers of the 200; another page is sent whole."""
    whole = way(page, "GET", {}, 0)
    again = way(page, "GET", {"If-None-Match": f'"x", W/{whole.headers["etag"]}'}, 0)
    assert (again.status, again.body) == (304, "")
    assert again.headers["etag"] == whole.headers["etag"]
    assert [*map(_name, again.cookies)] == ["a"]
    assert {"etag", "cache-control", "referrer-policy", "x-own"} <= again.headers.keys()
    assert "content-security-policy" not in again.headers, "its nonce is that of another page"
    other = way(page, "GET", {"If-None-Match": '"x"'}, 0)
    assert (other.status, "&lt;Gull&gt;" in other.body) == (200, True)


@pytest.mark.parametrize("way", WAYS)
def test_status(way: Any) -> None:
    """The status is that of the page, or the one that the view gives the response."""
    assert way(lambda: page(status=422), "GET", {}, 0).status == 422
    assert way(lambda: page(status=422), "GET", {}, 409).status == 409
    assert way(page, "GET", {}, 404).status == 404


@pytest.mark.parametrize("way", WAYS)
def test_a_head_reads_no_rows(way: Any) -> None:
    """A streamed page of which only the headers are asked for reads nothing of its values."""
    rows = Rows()
    way(lambda: page(rows, stream=True), "HEAD", {}, 0)
    assert rows.read == 0
