"""Pages as responses of Starlette and FastAPI."""

from __future__ import annotations

from typing import Any

import pytest
from fastapi import Depends, FastAPI, Response
from serving import asked
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


@pytest.mark.parametrize("name", APPS)
def test_responses(name: str) -> None:
    """Cookies, headers of a response or a dependency, tasks, 304, HEAD and streams work as for any response."""
    done.clear()
    status, headers, body = asked(APPS[name])
    known = dict(headers)
    assert (status, known["content-type"], int(known["content-length"])) == (200, "text/html; charset=utf-8", len(body))
    assert (known["x-port"], known["vary"], known["cache-control"]) == ("Ellery", "Cookie", "no-store")
    assert [value.partition(";")[0] for header, value in headers if header == "set-cookie"] == ["a=1", "b=2"]
    assert len([header for header, _ in headers if header == "cache-control"]) == 1
    nonce = known["content-security-policy"].partition("'nonce-")[2].partition("'")[0]
    assert f'<script nonce="{nonce}">f()</script>'.encode() in body
    assert done == ["task"]
    status, streamed, body = asked(APPS[name], query="stream=1")
    assert (status, body.count(b"<p>a</p>"), "content-length" in dict(streamed)) == (200, 1, False)
    assert len([header for header, _ in streamed if header == "set-cookie"]) == 2
    assert len({header for header, _ in headers} - {header for header, _ in streamed} - {"etag"}) == 1
