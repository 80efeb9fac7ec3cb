"""Resources of Falcon answer with pages, over ASGI. Run it: uvicorn falcon_app:app."""

from __future__ import annotations

from typing import TYPE_CHECKING

import falcon
import falcon.asgi
from port import BERTHS, HERE, found, pages

from untor.web.falcon import answer

if TYPE_CHECKING:
    from falcon.asgi import Request, Response


class Berths:
    """The berths."""

    async def on_get(self, req: Request, resp: Response) -> None:
        """Show them, and remember the language."""
        asked = req.get_param("asked", default="")
        resp.set_cookie("language", "en")
        answer(req, resp, pages.page("berths", berths=found(asked), asked=asked))

    on_head = on_get

    async def on_get_one(self, req: Request, resp: Response, code: str) -> None:
        """Show one of them."""
        for each in BERTHS:
            if each.code == code:
                return answer(req, resp, await pages.page_async("berth", berth=each))
        raise falcon.HTTPNotFound


class Log:
    """The log of the harbour."""

    async def on_get(self, req: Request, resp: Response) -> None:
        """Send it while it is read."""
        lines = (f"{number}: the lock gate moved" for number in range(5000))
        answer(req, resp, pages.page("log", lines=lines, stream=True))


app = falcon.asgi.App()
app.add_route("/", Berths())
app.add_route("/berths/{code}", Berths(), suffix="one")
app.add_route("/log", Log())
app.add_static_route("/static", HERE / "static")
