"""The preview's error page in applications: only when it is turned on, only for this machine, values only on request."""

from __future__ import annotations

import inspect
from html import unescape
from typing import TYPE_CHECKING, Any

import pytest
from serving import asked
from starlette.applications import Starlette
from starlette.routing import Route

from untor import Engine, MissingValue
from untor.web import error_pages

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator

template = Engine().compile("<! for call in calls !><p>{= call.nam =}</p><! end !>", "board.html")
SECRET = {"calls": [{"name": "Sea Holly <b>"}]}


async def plain(scope: Any, receive: Any, send: Any) -> None:
    """An application of ASGI."""
    await template.page(SECRET)(scope, receive, send)


async def late(scope: Any, receive: Any, send: Any) -> None:
    """An application that fails in the middle."""
    calls = [{"name": "x" * 9000}] * 50
    page = Engine().compile("<! for call in calls !>{= call.name =}<! end !>").page(calls=[*calls, {}], stream=True)
    await page(scope, receive, send)


def view(_request: Any) -> Any:
    """A view of Starlette, which answers 500 itself and raises the error again."""
    return template.page(SECRET)


framework = Starlette(routes=[Route("/{path:path}", view)])


def asgi(app: Any, query: str = "", **options: str) -> tuple[int, str]:
    """Return the status and the text that an application of ASGI answers."""
    status, _, body = asked(app, "/x", query, **options)
    return status, body.decode()


def wsgi(app: Any, query: str = "", client: str = "127.0.0.1", method: str = "GET", **headers: str) -> tuple[int, str]:
    """Return the status and the text that an application of WSGI answers."""
    started: list[str] = []

    def start(status: str, _headers: Any, _info: object = None) -> Callable[[bytes], object]:
        assert not started
        started.append(status)
        return lambda _octets: None

    environ = {"REQUEST_METHOD": method, "PATH_INFO": "/x", "QUERY_STRING": query, "REMOTE_ADDR": client}
    environ |= {f"HTTP_{name.upper()}": value for name, value in headers.items()}
    chunks = app(environ, start)
    text = b"".join(chunks).decode()
    if hasattr(chunks, "close"):
        chunks.close()
    return int(started[0][:3]), text


def called(environ: Any, start_response: Any) -> Any:
    """An application of WSGI."""
    return template.page(SECRET)(environ, start_response)


def yielding(_environ: Any, start_response: Any) -> Iterator[bytes]:
    """An application of WSGI that begins its answer, and then fails."""
    start_response("200 OK", [("Content-Type", "text/html")])
    yield template.page(SECRET).body


APPS = [(asgi, plain), (asgi, framework), (wsgi, called), (wsgi, yielding)]


@pytest.mark.parametrize(("ask", "app"), APPS)
def test_servers_see_what_it_is(ask: Any, app: Any) -> None:
    """Servers tell ASGI 3.0 from WSGI, and from what ASGI was before, by the application itself."""
    around = error_pages(app, on=True)
    assert (inspect.isfunction(around) and inspect.iscoroutinefunction(around)) == (ask is asgi)


@pytest.mark.parametrize(("ask", "app"), APPS)
def test_error_page(ask: Any, app: Any) -> None:
    """The error is shown with its place; values by name and type, and themselves on request."""
    status, text = ask(error_pages(app, on=True), "a=1")
    assert status == 500
    shown = unescape(text)
    for part in (
        "MissingValue",
        'There is no "nam"',
        "board.html, line 1, column 35, item 1 of",
        "calls",
        "?a=1&untor-values=1",
    ):
        assert part in shown, part
    assert "Sea Holly" not in text
    status, text = ask(error_pages(app, on=True), "a=1&untor-values=1")
    assert (status, "Sea Holly &lt;b" in text, "untor-values" in text) == (500, True, False)
    assert "untor-values" not in ask(error_pages(app, on=True), method="POST")[1]


@pytest.mark.parametrize(("ask", "app"), APPS)
def test_never_by_accident(ask: Any, app: Any, monkeypatch: pytest.MonkeyPatch) -> None:
    """It is off by default, and answers to nobody else."""
    monkeypatch.delenv("UNTOR_ERROR_PAGES", raising=False)
    assert error_pages(app) is app
    for value, is_on in (("on", True), ("1", False), ("", False), ("off", False)):
        monkeypatch.setenv("UNTOR_ERROR_PAGES", value)
        assert (error_pages(app) is not app) == is_on
        assert error_pages(app, on=False) is app
    around = error_pages(app, on=True)
    for others in (
        {"client": "192.0.2.1"}, {"client": ""}, {"x_forwarded_for": "192.0.2.1"}, {"forwarded": "for=x"},
        {"via": "x"},
    ):  # fmt: skip
        with pytest.raises(MissingValue):
            ask(around, **others)


def test_what_is_no_error_of_a_template() -> None:
    """Other answers and other errors pass; an answer that has begun is not another."""

    async def fine(scope: Any, _receive: Any, send: Any) -> None:
        await send({"type": "http.response.start", "status": 503, "headers": []})
        await send({"type": "http.response.body", "body": scope["path"].encode()})

    async def wrong(_scope: Any, _receive: Any, _send: Any) -> None:
        raise LookupError("x")

    assert asgi(error_pages(fine, on=True)) == (503, "/x")
    with pytest.raises(LookupError):
        asgi(error_pages(wrong, on=True))
    with pytest.raises(MissingValue):
        asgi(error_pages(late, on=True))

    def writing(_environ: Any, start_response: Any) -> list[bytes]:
        start_response("200 OK", [])(b"a")
        return [b"b"]

    assert wsgi(error_pages(writing, on=True)) == (200, "b")
