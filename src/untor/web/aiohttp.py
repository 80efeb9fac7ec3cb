"""Pages as responses of aiohttp's server."""

from __future__ import annotations

from asyncio import sleep
from contextlib import aclosing

from aiohttp.web import StreamResponse
from multidict import CIMultiDict

TYPE_CHECKING = False
if TYPE_CHECKING:
    from aiohttp.abc import AbstractStreamWriter
    from aiohttp.web import BaseRequest

    from untor.web.response import Page


class PageResponse(StreamResponse):
    """A page as a response, with cookies and headers as any other response has them.

    A handler returns ``PageResponse(pages.page("arrivals", calls=calls))``, or awaits ``page_async``. If the browser
    has the page already, the answer is an empty 304. A page that is streamed is rendered while it is sent; it ends
    when the client has gone.
    """

    def __init__(self, page: Page) -> None:
        super().__init__(status=page.status, headers=CIMultiDict(page.pairs))
        self.page = page
        self._rest = b"" if page.stream else page.body
        self._streams = False

    async def prepare(self, request: BaseRequest) -> AbstractStreamWriter | None:
        """Send the headers; the page decides whether the browser has it already."""
        if not self.prepared:
            page = self.page
            page.status = self.status
            self._streams = page.stream and request.method != "HEAD"
            if not page.stream:
                own = {name for name, _ in page.pairs}
                etags = ",".join(request.headers.getall("If-None-Match", []))
                status, headers, self._rest = page.answer(request.method, etags)
                self.set_status(status)
                # Those that were added later go along; those of the page that a 304 leaves out do not.
                for name in own - {name for name, _ in headers}:
                    self.headers.popall(name, None)
        return await super().prepare(request)

    async def write_eof(self, data: bytes = b"") -> None:
        """Send what is left of the page."""
        if self._streams:
            self._streams = False
            async with aclosing(aiter(self.page)) as chunks:
                async for chunk in chunks:
                    await self.write(chunk)
                    # A page that never waits would keep all other requests waiting.
                    await sleep(0)
        rest, self._rest = self._rest, b""
        await super().write_eof(rest or data)
