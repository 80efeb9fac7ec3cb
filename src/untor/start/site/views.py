"""The site: its engine, and which page answers which address."""

import os
import re
import sqlite3
from contextlib import closing
from pathlib import Path
from typing import TypedDict

from starlette.applications import Starlette
from starlette.exceptions import HTTPException
from starlette.responses import RedirectResponse
from starlette.routing import Mount, Route
from starlette.staticfiles import StaticFiles

from untor import Engine, Policy
from untor.web.starlette import PageResponse

HERE = Path(__file__).parent
FLASH = {"announced": "Your call is announced."}
PROBLEMS = {403: "This form is not from this site", 404: "Page not found", 500: "Something went wrong"}


class Call(TypedDict):
    vessel: str
    draught: float


links = {"calls": "/", "announce": "/announce"}
pages = Engine(HERE / "templates", static=HERE / "static", links=links, types={"Call": Call}, policy=Policy())


def ask(sql, *values):
    with closing(sqlite3.connect(os.environ.get("DATABASE", HERE / "calls.db"))) as database, database:
        database.row_factory = sqlite3.Row
        database.execute("create table if not exists calls (vessel text, draught real)")
        return database.execute(sql, values).fetchall()


def calls(request):
    rows = ask("select vessel, draught from calls order by rowid desc limit 100")
    response = PageResponse(pages.page("calls", calls=rows, flash=FLASH.get(request.cookies.get("flash"))))
    response.delete_cookie("flash")
    return response


def troubles(typed):
    if not 1 <= len(typed.get("vessel", "").strip()) <= 60:
        yield "vessel", "Write the vessel's name, with up to 60 characters."
    if not re.fullmatch(r"([0-9]|1[01])(\.[0-9]{1,2})?", typed.get("draught", "").strip(), re.ASCII):
        yield "draught", "Write the draught in metres, like 3.5, and less than 12."


async def announce(request):
    if request.method != "POST":
        return pages.page("announce")
    if request.headers.get("sec-fetch-site", "same-origin") != "same-origin":
        raise HTTPException(403)
    typed = dict(await request.form())
    if errors := dict(troubles(typed)):
        return pages.page("announce", status=422, typed=typed, errors=errors)
    ask("insert into calls values (?, ?)", typed["vessel"].strip(), float(typed["draught"]))
    response = RedirectResponse("/", 303)
    response.set_cookie("flash", "announced", max_age=60, httponly=True, samesite="lax")
    return response


def problem(request, error):
    status = getattr(error, "status_code", 500)
    return PageResponse(pages.page("problem", status=status, title=PROBLEMS[status]))


static = StaticFiles(directory=HERE / "static")
routes = [Route("/", calls), Route("/announce", announce, methods=["GET", "POST"]), Mount("/static", static)]
app = Starlette(routes=routes, exception_handlers=dict.fromkeys(PROBLEMS, problem))
