"""Pages as responses of Starlette and FastAPI."""

from __future__ import annotations

from starlette.responses import Response

TYPE_CHECKING = False
if TYPE_CHECKING:
    from starlette.background import BackgroundTask
    from starlette.types import Message, Receive, Scope, Send

    from untor.web.response import Page


_LISTS = frozenset({b"set-cookie", b"vary", b"link"})
"""Headers that are added to those of a page, and do not replace them."""


class PageResponse(Response):
    """A page as a response, with cookies, headers and background tasks as any other response has them.

    A view returns ``PageResponse(pages.page("arrivals", calls=calls))``. In FastAPI a path operation returns it, with
    ``response_class=PageResponse`` for the API's documentation; ``response`` is the parameter of that type that FastAPI
    passes to operations and dependencies: its status, headers and cookies are added. Where none of these are needed, a
    view of Starlette returns the page itself.
    """

    media_type = "text/html"

    def __init__(
        self, page: Page, background: BackgroundTask | None = None, *, response: Response | None = None
    ) -> None:
        self.page = page
        self.status_code = page.status
        self.background = background
        self.body = b"" if page.stream else page.body
        self.raw_headers = [(name.lower().encode("latin-1"), value.encode("latin-1")) for name, value in page.pairs]
        self._own = {name for name, _ in self.raw_headers}
        if response is not None:
            self.status_code = response.status_code or page.status
            added = [pair for pair in response.raw_headers if pair[0] != b"content-length"]
            replaced = {name for name, _ in added} - _LISTS
            self.raw_headers = [pair for pair in self.raw_headers if pair[0] not in replaced] + added

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Answer a request; the page decides whether the browser has it already."""

        async def with_headers(message: Message) -> None:
            if message["type"] == "http.response.start":
                sent = {name for name, _ in message["headers"]}
                # Those that were added later go along; those of the page that a 304 leaves out do not.
                kept = [pair for pair in self.raw_headers if pair[0] in sent or pair[0] not in self._own]
                message = {**message, "headers": kept}
            await send(message)

        self.page.status = self.status_code
        await self.page(scope, receive, with_headers)
        if self.background is not None:
            await self.background()
