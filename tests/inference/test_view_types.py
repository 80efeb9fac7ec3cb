"""The module for the type checker of the views: what it says of good and bad views."""

from __future__ import annotations

import shutil
import subprocess
import sys
from pathlib import Path

import pytest
from support import untor

HERE = Path(__file__).parent

TEMPLATES = {
    "board.html": "<! takes calls: list[Vessel], day: date, note: str | None = None, site: str !>{= site =}",
    "mail/confirm.txt": "<! takes class: Literal['a', 'b'], tide: Tide, tons: float, price: decimal !>{= tons =}",
    "options.html": "<! takes status: int, rows: dict[str, list[int]], state: State | None, any: any !>{= status =}",
    "none.html": "{= anything =}",
    "alone.html": "<! takes text: str = '' !>{= text =}",
    "given.html": "{= calls | len =}",
    "1st-page.html": "<! takes pair: tuple[int, str], page: Page[Vessel] !>{= pair[0] =}",
}

ENGINE = """
from inference import harbour
from untor import Engine

pages = Engine("templates", types=harbour, globals={"site": "Port Ellery"}, inputs={"given": harbour.Board})
"""

VIEWS = """
from datetime import date
from decimal import Decimal

from inference import harbour
from inference.harbour import Board, State, Tide, Vessel
from page_types import Pages

pages = Pages("templates", types=harbour, globals={"site": "Port Ellery"}, inputs={"given": Board})
DAY = date(2031, 5, 17)


async def good(calls: list[Vessel], page: harbour.Page[Vessel], tides: list[Tide]) -> str:
    pages.page("board", calls=calls, day=DAY, status=201, headers={"X-Berth": "4"})
    pages.render("board.html", {"calls": tuple(calls), "day": DAY, "note": None})
    pages.render("mail/confirm.txt", {"class": "a", "tide": tides[0], "tons": 3, "price": Decimal(2)})
    pages.render("options", status=3, rows={"a": [1]}, state=State.MOORED, any=object())
    pages.page("options", {"status": 3, "rows": {}, "state": None, "any": 3}, status=200)
    pages.render("none", anything=3)
    pages.render("none.html", {"anything": 3})
    pages.render("alone")
    pages.page("alone", text="a")
    pages.page("given", calls=calls, log=[], berths={}, day=DAY, tides=tides)
    pages.render("1st-page", pair=(1, "a"), page=page)
    await pages.page_async("board", calls=calls, day=DAY)
    return pages.render("board", calls=calls, day=DAY)


def bad(calls: list[Vessel], tides: list[Tide]) -> None:
    pages.render("board", calls=calls)
    pages.render("board", calls=calls, dya=DAY)
    pages.render("board", calls=calls, day="2031-05-17")
    pages.render("baord", calls=calls, day=DAY)
    pages.page("board", {"calls": calls})
    pages.render("board", calls=tides, day=DAY)
    pages.render("mail/confirm.txt", {"class": "c", "tide": tides[0], "tons": 3, "price": Decimal(2)})
    pages.render("options", status="3", rows={}, state=None, any=3)
    pages.render("alone", text=3)
    pages.page("given", calls=calls, log=[], berths={}, day=DAY)
    pages.render("1st-page", pair=(1, 2), page=calls)
"""


@pytest.fixture
def site(tmp_path: Path) -> Path:
    (tmp_path / "inference").mkdir()
    shutil.copy(HERE / "harbour.py", tmp_path / "inference/harbour.py")
    for name, text in TEMPLATES.items():
        (tmp_path / "templates" / name).parent.mkdir(parents=True, exist_ok=True)
        (tmp_path / "templates" / name).write_text(text, "utf-8")
    (tmp_path / "engine.py").write_text(ENGINE, "utf-8")
    (tmp_path / "views.py").write_text(VIEWS, "utf-8")
    return tmp_path


def test_type_checker(site: Path) -> None:
    """A type checker finds each mistake of a view, and nothing in views without one; the module can be run."""
    assert untor("types", "--engine", "engine:pages", "-o", "page_types.py", folder=site) == (
        0,
        "page_types.py: 7 pages, 6 with types.\n",
        "",
    )
    printed = untor("types", "--engine", "engine:pages", folder=site)[1]
    assert printed == (site / "page_types.py").read_text("utf-8")
    done = subprocess.run(
        [sys.executable, "-m", "mypy", "--strict", "--no-error-summary", "--hide-error-context", "views.py"],
        cwd=site,
        capture_output=True,
        encoding="utf-8",
        check=False,
    )
    first = VIEWS.split("def bad", maxsplit=1)[0].count("\n") + 2
    rows = range(first, VIEWS.count("\n") + 1)
    found = {line.split(": ")[0] for line in done.stdout.splitlines() if ": error:" in line}
    others = [line for line in done.stdout.splitlines() if ": error:" in line and "views.py" not in line]
    assert [line for line in others if "nowhere" not in line] == []
    assert {each for each in found if each.startswith("views.py")} == {f"views.py:{row}" for row in rows}
    script = "from page_types import Pages; print(Pages('templates').render('alone', text='<'))"
    ran = subprocess.run([sys.executable, "-c", script], cwd=site, capture_output=True, text=True, check=True)
    assert ran.stdout.strip() == "&lt;"


def test_troubles(site: Path) -> None:
    """A template that cannot be read is said, and the file stays as it was."""
    (site / "page_types.py").write_text("kept", "utf-8")
    (site / "templates/board.html").write_text("<! takes calls: lst !>{= calls =", "utf-8")
    status, output, errors = untor("types", "--engine", "engine:pages", "-o", "page_types.py", folder=site)
    assert (status, output) == (1, "")
    assert "board.html, line 1" in errors
    assert (site / "page_types.py").read_text("utf-8") == "kept"
    assert untor("types", "-o", ".", "--engine", "engine:pages", folder=site)[0] == 2
    assert untor("types", "--folder", "gone", folder=site)[0] == 2
