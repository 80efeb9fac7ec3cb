"""Resources of Falcon answer with pages, over WSGI. Run it: gunicorn falcon_wsgi_app:app."""

from __future__ import annotations

import falcon
from port import BERTHS, HERE, found, pages

from untor.web.falcon import answer


class Berths:
    """The berths."""

    def on_get(self, req: falcon.Request, resp: falcon.Response) -> None:
        """Show them, and remember the language."""
        asked = req.get_param("asked", default="")
        resp.set_cookie("language", "en")
        answer(req, resp, pages.page("berths", berths=found(asked), asked=asked))

    on_head = on_get

    def on_get_one(self, req: falcon.Request, resp: falcon.Response, code: str) -> None:
        """Show one of them."""
        for each in BERTHS:
            if each.code == code:
                return answer(req, resp, pages.page("berth", berth=each))
        raise falcon.HTTPNotFound


class Log:
    """The log of the harbour."""

    def on_get(self, req: falcon.Request, resp: falcon.Response) -> None:
        """Send it while it is read."""
        lines = (f"{number}: the lock gate moved" for number in range(5000))
        answer(req, resp, pages.page("log", lines=lines, stream=True))


app = falcon.App()
app.add_route("/", Berths())
app.add_route("/berths/{code}", Berths(), suffix="one")
app.add_route("/log", Log())
app.add_static_route("/static", HERE / "static")
