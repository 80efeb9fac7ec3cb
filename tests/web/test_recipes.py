"""The recipes of the documentation: their code is one application, which is asked as a browser would."""

from __future__ import annotations

import asyncio
import re
from pathlib import Path
from typing import Any

import pytest
from starlette.requests import Request
from starlette.testclient import TestClient

from untor import Engine

DOCS = Path(__file__).parent.parent.parent / "docs"
TEXT = "\n".join((DOCS / f"{name}.md").read_text("utf-8") for name in ("forms", "partial-updates", "mail-and-feeds"))
IN_AN_APPLICATION = (DOCS / "messages.md").read_text("utf-8").partition("## In an application")[2].partition("\n## ")[0]


def applied(text: str, folder: Path, values: dict[str, Any]) -> dict[str, Any]:
    """Write the files of a text into a folder, run its code there, and return what that has made."""
    for name, content in re.findall(r"^`([\w./]+)`\n```\w*\n(.*?)^```", text, re.DOTALL | re.MULTILINE):
        path = folder / ("" if name.startswith("locales/") else "templates") / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(content, "utf-8")
    for code in re.findall(r"^```python\n(.*?)^```", text, re.DOTALL | re.MULTILINE):
        exec(code, values)  # noqa: S102  our own documents
    return values


@pytest.fixture
def recipes(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> dict[str, Any]:
    """Return what the code of the recipes makes."""
    monkeypatch.chdir(tmp_path)
    return applied(TEXT, tmp_path, {})


@pytest.fixture
def site(recipes: dict[str, Any]) -> TestClient:
    return TestClient(recipes["app"], base_url="https://port-ellery.example", raise_server_exceptions=False)


def test_checks_clean(recipes: dict[str, Any]) -> None:
    """The templates of the recipes have nothing wrong in them."""
    assert recipes["pages"].check() == []


def test_forms_and_flash(site: TestClient) -> None:
    """A form with the token of the visitor is taken, and said once; any other is refused."""
    page = site.get("/report").text
    (token,) = re.findall('name="token" value="([^"]+)"', page)
    assert site.get("/report").text == page, "a visitor keeps the token"
    for other in ["", "x", "\u00e9", token + "x"]:
        answer = site.post("/report", data={"token": other})
        assert (answer.status_code, "This form has expired" in answer.text) == (403, True)
    answer = site.post("/report", data={"token": token})
    assert answer.url.path == "/calls"
    assert "Thank you for your report." in answer.text
    assert "Thank you" not in site.get("/calls").text
    site.cookies.clear()
    assert site.post("/report", data={"token": ""}).status_code == 403
    site.cookies.set("flash", "<script>")
    assert "role=" not in site.get("/calls").text


@pytest.mark.parametrize(
    ("asked", "shown"),
    [("", 1), ("?page=2", 2), ("?page=3", 3), ("?page=99", 3), ("?page=-1", 1), ("?page=x", 1), ("?page=%C2%B2", 1)],
)
def test_pagination(asked: str, shown: int, site: TestClient) -> None:
    """Each page has its rows and leads to those beside it, whatever is asked for."""
    page = site.get(f"/calls{asked}").text
    assert re.findall(r"([0-9]) of 3", page) == [str(shown)]
    assert re.findall('id="call-([0-9]+)"', page) == [str(each) for each in range(45)[(shown - 1) * 20 : shown * 20]]
    beside = [each for each in (shown - 1, shown + 1) if 1 <= each <= 3]
    assert re.findall(r"&(?:amp;)?page=([0-9]+)", page) == [str(each) for each in beside]


def test_partial_updates(site: TestClient) -> None:
    """A part is the row alone, under the policy of the page; rows that are not there are a page of their own."""
    answer = site.get("/calls/7")
    assert answer.text.strip() == '<li id="call-7">Gannet 7, moored</li>'
    assert "content-security-policy" in answer.headers
    assert "Page not found" in site.get("/calls/99").text


def test_errors(recipes: dict[str, Any], site: TestClient) -> None:
    """What a template raises is the page of a 500, which says nothing of it."""
    recipes["CALLS"][3].pop("vessel")
    answer = site.get("/calls")
    assert (answer.status_code, "Something went wrong" in answer.text, "vessel" in answer.text) == (500, True, False)


@pytest.mark.parametrize(("asked", "locale", "height"), [
    ("", "en", "1,234.5"),
    ("de-AT, en;q=0.5", "de", "1.234,5"),
    ("x", "en", "1,234.5"),
])  # fmt: skip
def test_languages(asked: str, locale: str, height: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """The language that a browser asks for decides how numbers are written; the answer says so."""
    request = Request({"type": "http", "method": "GET", "headers": [(b"accept-language", asked.encode())]})
    monkeypatch.chdir(tmp_path)
    page = asyncio.run(applied(IN_AN_APPLICATION, tmp_path, {"Engine": Engine})["tide"](request))
    assert f"<p>{height} mm" in page.body.decode()
    assert f'lang="{locale}"' in page.body.decode()
    assert (page.headers["Content-Language"], page.headers["Vary"]) == (locale, "Accept-Language")


def test_mail(recipes: dict[str, Any]) -> None:
    """A mail has one text in two kinds; what is escaped in one is not in the other."""
    text, html = recipes["confirmation"]({"vessel": "Sea <Holly>"}).iter_parts()
    assert text.get_content() == "Dear Sea <Holly>, your berth is ready.\n"
    assert "<b>Sea &lt;Holly&gt;</b>" in html.get_content()
