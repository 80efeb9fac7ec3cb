"""Path operations of FastAPI return pages, with cookies and dependencies. Run it: uvicorn fastapi_app:app."""

from __future__ import annotations

from typing import Annotated

from fastapi import Depends, FastAPI, HTTPException, Response
from fastapi.staticfiles import StaticFiles
from port import BERTHS, HERE, found, pages
from starlette.background import BackgroundTask

from untor.web.starlette import PageResponse

app = FastAPI(docs_url=None, redoc_url=None)
app.mount("/static", StaticFiles(directory=HERE / "static"))
watched: list[str] = []


def language(response: Response) -> str:
    """Add a header and a cookie to the answer, as any dependency may."""
    response.headers["Content-Language"] = "en"
    response.set_cookie("language", "en", httponly=True)
    return "en"


@app.api_route("/", methods=["GET", "HEAD"], response_class=PageResponse)
def berths(response: Response, spoken: Annotated[str, Depends(language)], asked: str = "") -> PageResponse:
    """Show the berths, and note what was looked for once the page has been sent."""
    page = pages.page("berths", berths=found(asked), asked=asked)
    return PageResponse(page, BackgroundTask(watched.append, f"{spoken}: {asked}"), response=response)


@app.get("/berths/{code}", response_class=PageResponse)
async def berth(code: str) -> PageResponse:
    """Show one berth."""
    for each in BERTHS:
        if each.code == code:
            return PageResponse(await pages.page_async("berth", berth=each))
    raise HTTPException(404)


@app.get("/log", response_class=PageResponse)
def log() -> PageResponse:
    """Send the log while it is read."""
    lines = (f"{number}: the lock gate moved" for number in range(5000))
    return PageResponse(pages.page("log", lines=lines, stream=True))
