"""Shows the preview's error page in an application of one's own, while one develops: ASGI and WSGI middleware."""

from __future__ import annotations

import ipaddress
import os
from importlib.resources import files
from inspect import iscoroutinefunction
from typing import TYPE_CHECKING
from urllib.parse import parse_qsl, urlencode

from untor.engine.engine import Engine
from untor.errors import UntorError
from untor.serve.error_page import shown, values_of
from untor.web.csp import Policy

if TYPE_CHECKING:
    from collections.abc import Callable, Iterable, Iterator, Mapping
    from typing import Any

    from untor.web.response import Page

SWITCH = "UNTOR_ERROR_PAGES"
"""The environment variable that turns error pages on: ``on``."""

_VALUES = "untor-values"
"""The query parameter that shows the values themselves."""
_FAILED = 500


def error_pages(app: Any, *, on: bool | None = None) -> Any:
    """Return an ASGI or WSGI application that shows an ``UntorError`` of another one as the preview's error page.

    For development only: it shows lines of templates, and the values of the page on request. So it does nothing (it
    returns ``app``) unless ``on`` is true or the environment variable ``UNTOR_ERROR_PAGES`` is ``on``, and it answers
    only requests from this machine that no proxy has forwarded. Other errors, and other requests' errors, are raised.
    """
    is_on = os.environ.get(SWITCH) == "on" if on is None else on
    if not is_on:
        return app
    around = _ErrorPages(app)
    if not iscoroutinefunction(app) and not iscoroutinefunction(getattr(app, "__call__", None)):  # noqa: B004
        return around.wsgi

    # Servers take a function for an application of ASGI 3.0 if it is a coroutine function; a method is none.
    async def answer(scope: Any, receive: Any, send: Any) -> None:
        await around.asgi(scope, receive, send)

    return answer


class _ErrorPages:
    """The application around another one."""

    def __init__(self, app: Any) -> None:
        self.app = app
        self.engine = Engine(str(files("untor.serve") / "templates"), policy=Policy())

    async def asgi(self, scope: Any, receive: Any, send: Any) -> None:
        """Answer a request of ASGI 3.0."""
        held: list[Any] = []
        started = False

        async def hold(message: Any) -> None:
            # Frameworks answer 500 first, and then raise the error again.
            nonlocal started
            if held or (message["type"] == "http.response.start" and message["status"] >= _FAILED):
                held.append(message)
                return
            started = True
            await send(message)

        try:
            await self.app(scope, receive, hold)
        except UntorError as error:
            names = [name.decode("latin-1").lower() for name, _ in scope.get("headers", ())]
            client = (scope.get("client") or ("",))[0]
            if started or scope["type"] != "http" or not _is_near(client, names):
                for message in held:
                    await send(message)
                raise
            target = scope["path"], scope.get("query_string", b"").decode("latin-1")
            await self._page(error, scope["method"], *target)(scope, receive, send)
            return
        for message in held:
            await send(message)

    def wsgi(self, environ: Mapping[str, Any], start_response: Callable[..., Any]) -> Iterable[bytes]:
        """Answer a request of WSGI."""
        held: list[tuple[Any, ...]] = []

        def hold(*arguments: Any) -> Callable[[bytes], object]:
            held[:] = [arguments]

            def write(octets: bytes) -> object:
                # Whoever writes at once begins the answer.
                return start_response(*held.pop())(octets)

            return write

        try:
            chunks = self.app(environ, hold)
            # A page that is made while it is sent fails at its first chunk.
            rest = iter(chunks)
            first = next(rest, b"")
        except UntorError as error:
            names = [name[len("HTTP_") :].lower().replace("_", "-") for name in environ if name.startswith("HTTP_")]
            if not _is_near(environ.get("REMOTE_ADDR", ""), names):
                raise
            target = environ.get("PATH_INFO", "/"), environ.get("QUERY_STRING", "")
            page = self._page(error, environ["REQUEST_METHOD"], *target)
            return page(environ, start_response)  # type: ignore[no-any-return]
        if held:
            start_response(*held.pop())
        return _from(first, rest, getattr(chunks, "close", None))

    def _page(self, error: UntorError, method: str, path: str, query: str) -> Page:
        pairs = parse_qsl(query, keep_blank_values=True)
        texts = any(name == _VALUES for name, _ in pairs)
        others = [pair for pair in pairs if pair[0] != _VALUES] + ([] if texts else [(_VALUES, "1")])
        other = f"/{path.lstrip('/')}" + (f"?{urlencode(others)}" if others else "")
        return self.engine.page(
            "problem",
            name=path,
            problems=[shown(error.problem)],
            values=values_of(error, {}, texts=texts),
            texts=texts,
            other=other if method == "GET" else "",
            status=_FAILED,
            cache="no-store",
        )


def _is_near(client: str, headers: list[str]) -> bool:
    """Return whether a request comes from this machine, and no proxy has forwarded it."""
    if any(name in {"forwarded", "via"} or name.startswith("x-forwarded") for name in headers):
        return False
    try:
        return ipaddress.ip_address(client).is_loopback
    except ValueError:
        return False


def _from(first: bytes, rest: Iterator[bytes], close: Callable[[], object] | None) -> Iterator[bytes]:
    try:
        yield first
        yield from rest
    finally:
        if close is not None:
            close()
