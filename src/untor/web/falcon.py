"""Pages as responses of Falcon, in its ASGI and its WSGI apps."""

from __future__ import annotations

from falcon.asgi import Request as AsgiRequest

from untor.web.streams import while_connected

TYPE_CHECKING = False
if TYPE_CHECKING:
    from typing import Any

    from falcon import Request, Response

    from untor.web.response import Page

_LISTS = frozenset({"set-cookie", "vary", "link"})
"""Headers that are added to those of a response, and do not give way to them."""


def answer(req: Request, resp: Response, page: Page) -> None:
    """Answer a request with a page: ``answer(req, resp, pages.page("arrivals", calls=calls))``.

    Headers and cookies that the response has already, or gets later, are kept. If the browser has the page already,
    the answer is an empty 304. A page that is streamed is rendered while it is sent.
    """
    response: Any = resp
    if page.stream:
        status, headers, body = page.status, page.pairs, b""
        if req.method != "HEAD":
            is_async = isinstance(req, AsgiRequest)
            # Falcon itself does not notice that the client has gone.
            response.stream = while_connected(page, getattr(req, "_receive", None)) if is_async else iter(page)
    else:
        status, headers, body = page.answer(req.method, req.get_header("If-None-Match") or "")
    response.status = status
    own = response.headers.keys()
    kept = {name.lower() for name in own} - _LISTS
    for name, value in headers:
        if name.lower() not in kept:
            response.append_header(name, value)
    if body:
        response.data = body
