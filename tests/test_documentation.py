"""The documentation as a site: built by Untor, valid, accessible, searchable without a server of its own."""

from __future__ import annotations

import json
import re
import runpy
import shutil
import subprocess
import tomllib
from pathlib import Path
from typing import TYPE_CHECKING

import pytest
from accessibility import VIEWS, findings, viewed
from selenium.webdriver.common.by import By
from selenium.webdriver.support.wait import WebDriverWait
from serving import served
from starlette.staticfiles import StaticFiles

from untor.diagnostics.codes import CODES
from untor.diagnostics.rules import RULES

if TYPE_CHECKING:
    from collections.abc import Iterator

    from selenium.webdriver import Chrome

DOCS = Path(__file__).parent.parent / "docs"
_SAMPLE = ("index", "tutorial-1", "language", "contexts", "filters", "api", "command-line", "security", "benchmarks", "corpus", "examples", "problems/place-refused")  # fmt: skip


@pytest.fixture(scope="module")
def site(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The site, built."""
    folder = tmp_path_factory.mktemp("site")
    result = runpy.run_path(str(DOCS / "make_site.py"))["build"](folder)
    assert result.broken == []
    assert result.pages > len(CODES) + len(RULES) + 20
    again = runpy.run_path(str(DOCS / "make_site.py"))["build"](folder)
    assert (again.pages, again.written) == (result.pages, 0)
    return folder


@pytest.fixture(scope="module")
def url(site: Path) -> Iterator[str]:
    with served(StaticFiles(directory=site)) as found:
        yield f"{found}/"


def test_reference_is_current() -> None:
    """The pages that are made from the code are what it makes."""
    made = runpy.run_path(str(DOCS / "make_reference.py"))["pages"]()
    assert {path: (DOCS / path).read_text("utf-8") for path in made} == made


def test_links_of_the_package(site: Path) -> None:
    """The README of a package links to pages and pictures of this site, and to nothing in the repository."""
    base = tomllib.loads((DOCS.parent / "pyproject.toml").read_text("utf-8"))["project"]["urls"]
    text = runpy.run_path(str(DOCS.parent / "setup.py"))["readme"]()
    targets = [*re.findall(r"\]\((.*?)\)", text)]
    assert len(targets) > 20
    for target in targets:
        if target != base["Source"]:
            assert target.startswith(base["Documentation"])
            assert (site / target.removeprefix(base["Documentation"]).partition("#")[0]).is_file(), target


def test_pages_are_valid(site: Path, checkers: Path) -> None:
    """The Nu checker finds no error in any page."""
    java = shutil.which("java")
    if java is None:
        pytest.skip("the Nu checker needs Java")
    (jar,) = checkers.glob("vnu-jar/build/dist/vnu.jar")
    pages = [str(path) for path in sorted(site.rglob("*.html"))]
    done = subprocess.run(
        [java, "-jar", str(jar), "--format", "json", "--errors-only", *pages],
        capture_output=True,
        text=True,
        check=False,
    )
    assert json.loads(done.stderr)["messages"] == []


@pytest.mark.parametrize(("width", "scheme"), VIEWS)
def test_pages_are_accessible(url: str, checkers: Path, browser: Chrome, width: int, scheme: str) -> None:
    """Axe finds nothing on any kind of page, and every page fits the screen."""
    with viewed(browser, width, scheme):
        assert {name: found for name in _SAMPLE if (found := findings(browser, checkers, f"{url}{name}.html"))} == {}


def test_search(url: str, browser: Chrome) -> None:
    """Words are found in titles and text, on a page in a folder too; the policy of the page lets it happen."""
    for page, up in (("index.html", ""), ("problems/place-refused.html", "../")):
        browser.get(url + page)
        browser.find_element(By.ID, "site-words").send_keys("whole sites")
        first = WebDriverWait(browser, 60).until(lambda shown: shown.find_elements(By.CSS_SELECTOR, "#site-results a"))[
            0
        ]
        assert first.get_dom_attribute("href") == f"{up}sites.html"
        assert browser.find_element(By.ID, "site-found").text.endswith(" results")
        first.click()
        assert browser.title == "Whole sites · Untor"
    browser.get(f"{url}index.html")
    browser.find_element(By.ID, "site-words").send_keys("<img src=x onerror=alert(1)>")
    assert browser.find_elements(By.CSS_SELECTOR, "#site-results img") == []
    assert [entry for entry in browser.get_log("browser") if "favicon" not in entry["message"]] == []  # type: ignore[no-untyped-call]
