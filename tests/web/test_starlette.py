"""Pages as responses of Starlette and FastAPI."""

from __future__ import annotations

import asyncio
from typing import Any

import pytest
from fastapi import Depends, FastAPI, Response
from starlette.applications import Starlette
from starlette.background import BackgroundTask
from starlette.routing import Route

from untor import Engine, Policy
from untor.web.starlette import PageResponse

pages = Engine(policy=Policy())
template = pages.compile("<p>{= x =}</p><script>f()</script>")
done: list[str] = []


def view(request: Any) -> PageResponse:
    """Answer with cookies, a header of the response and a task."""
    page = template.page(x="a", headers={"Vary": "Cookie"}, stream="stream" in request.query_params)
    response = PageResponse(page, background=BackgroundTask(done.append, "task"))
    response.set_cookie("a", "1")
    response.set_cookie("b", "2")
    response.headers["X-Port"] = "Ellery"
    response.headers["Cache-Control"] = "no-store"
    return response


def cookie(response: Response) -> None:
    """Add a header and a cookie, as a dependency of FastAPI does."""
    response.headers["X-Port"] = "Ellery"
    response.headers["Cache-Control"] = "no-store"
    response.set_cookie("a", "1")
    response.set_cookie("b", "2")


fast = FastAPI()


@fast.get("/", response_class=PageResponse, dependencies=[Depends(cookie)])
def operation(response: Response, stream: str | None = None) -> PageResponse:
    """Answer with the headers of a dependency."""
    page = template.page(x="a", headers={"Vary": "Cookie"}, stream=stream is not None)
    return PageResponse(page, BackgroundTask(done.append, "task"), response=response)


APPS = {"starlette": Starlette(routes=[Route("/", view)]), "fastapi": fast}


def ask(app: Any, method: str = "GET", query: str = "", etag: str = "") -> tuple[int, list[tuple[str, str]], bytes]:
    """Return what an application answers."""
    sent: list[Any] = []

    async def run() -> None:
        async def send(message: Any) -> None:
            sent.append(message)

        async def receive() -> dict[str, Any]:
            await asyncio.sleep(60)
            return {"type": "http.disconnect"}

        headers = [(b"if-none-match", etag.encode())] if etag else []
        scope = {"type": "http", "asgi": {"version": "3.0"}, "method": method, "path": "/", "raw_path": b"/"}
        scope |= {"query_string": query.encode(), "headers": headers, "http_version": "1.1", "scheme": "http"}
        scope |= {"root_path": "", "server": ("h", 80), "client": ("c", 1)}
        await app(scope, receive, send)

    asyncio.run(run())
    headers = [(name.decode(), value.decode()) for name, value in sent[0]["headers"]]
    return sent[0]["status"], headers, b"".join(message.get("body", b"") for message in sent)


@pytest.mark.parametrize("name", APPS)
def test_responses(name: str) -> None:
    """Cookies, headers of a response or a dependency, tasks, 304, HEAD and streams work as for any response."""
    done.clear()
    status, headers, body = ask(APPS[name])
    known = dict(headers)
    assert (status, known["content-type"], int(known["content-length"])) == (200, "text/html; charset=utf-8", len(body))
    assert (known["x-port"], known["vary"], known["cache-control"]) == ("Ellery", "Cookie", "no-store")
    assert [value.partition(";")[0] for header, value in headers if header == "set-cookie"] == ["a=1", "b=2"]
    assert len([header for header, _ in headers if header == "cache-control"]) == 1
    nonce = known["content-security-policy"].partition("'nonce-")[2].partition("'")[0]
    assert f'<script nonce="{nonce}">f()</script>'.encode() in body
    assert done == ["task"]
    status, streamed, body = ask(APPS[name], query="stream=1")
    assert (status, body.count(b"<p>a</p>"), "content-length" in dict(streamed)) == (200, 1, False)
    assert len([header for header, _ in streamed if header == "set-cookie"]) == 2
    assert len({header for header, _ in headers} - {header for header, _ in streamed} - {"etag"}) == 1


def test_the_browser_has_it_already() -> None:
    """A 304 has cookies and added headers, but neither the policy, whose nonce is another, nor a length."""
    plain = Engine().compile("<p>x</p>")

    def answer(_request: Any) -> PageResponse:
        response = PageResponse(plain.page(headers={"Vary": "Cookie"}))
        response.set_cookie("a", "1")
        return response

    app = Starlette(routes=[Route("/", answer)])
    _, headers, body = ask(app)
    assert body == b"<p>x</p>"
    status, kept, body = ask(app, etag=dict(headers)["etag"])
    assert (status, body) == (304, b"")
    assert {name for name, _ in headers} - {name for name, _ in kept} == {"content-length", "content-type"}
    assert {"set-cookie", "vary", "etag"} <= {name for name, _ in kept}
    assert ask(app, "HEAD")[0::2] == (200, b"")


def test_a_status_that_is_set_later() -> None:
    """The status of the response counts, as one that a dependency sets."""

    def answer(_request: Any) -> PageResponse:
        response = PageResponse(template.page(x="a"))
        response.status_code = 404
        return response

    app = Starlette(routes=[Route("/", answer)])
    assert ask(app)[0] == 404
    assert ask(app, etag="*")[0] == 404
