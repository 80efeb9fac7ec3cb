"""The site: which page answers which address. Run it with any ASGI server: uvicorn views:app."""

import json
from pathlib import Path

from untor import Engine, Policy

HERE = Path(__file__).parent

pages = Engine(
    HERE / "templates",
    static={"/static": HERE / "static"},
    links={"index": "/", "tides": "/tides"},
    policy=Policy(),
)


def index():
    return pages.page("index")


def tides():
    return pages.page("tides", json.loads((HERE / "templates/tides.json").read_text("utf-8")))


VIEWS = {"/": index, "/tides": tides}


async def app(scope, receive, send):
    if scope["type"] != "http":
        return
    if scope["path"] == "/static/site.css":
        head = [(b"content-type", b"text/css"), (b"cache-control", b"public, max-age=31536000, immutable")]
        await send({"type": "http.response.start", "status": 200, "headers": head})
        await send({"type": "http.response.body", "body": (HERE / "static/site.css").read_bytes()})
        return
    view = VIEWS.get(scope["path"])
    page = view() if view else pages.page("index", {"missing": scope["path"]}, status=404)
    await page(scope, receive, send)
