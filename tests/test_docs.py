"""The documentation: every example is run, every generated page is current, every picture is there."""

from __future__ import annotations

import re
import runpy
from pathlib import Path
from typing import TYPE_CHECKING

import pytest

from untor import Engine

if TYPE_CHECKING:
    from collections.abc import Iterator

ROOT = Path(__file__).parent.parent
DOCUMENTS = [ROOT / "docs/language.md", ROOT / "docs/security.md"]
EXAMPLE = re.compile(
    r"(?:^`(?P<file>[\w.]+)`\n```html\n(?P<text>.*?)\n```\nand the page\n)?"
    r"^```html\n(?P<template>(?:(?!```).)*?)\n```\nwith `(?P<data>[^\n]*)` gives\n```html\n(?P<page>.*?)\n```$",
    re.DOTALL | re.MULTILINE,
)


def examples() -> Iterator[re.Match[str]]:
    for document in DOCUMENTS:
        yield from EXAMPLE.finditer(document.read_text("utf-8"))


@pytest.mark.parametrize("example", [*examples()], ids=lambda found: found["template"][:30])
def test_example(example: re.Match[str], tmp_path: Path) -> None:
    """An example of the documents gives the page that it says."""
    if example["file"]:
        (tmp_path / example["file"]).write_text(example["text"], "utf-8")
    page = Engine(tmp_path).compile(example["template"]).render(eval(example["data"]))  # noqa: S307  our own documents
    assert page.rstrip("\n") == example["page"].rstrip("\n")


def test_every_example_is_found() -> None:
    """No example of the documents is passed over."""
    assert len([*examples()]) == sum(document.read_text("utf-8").count("` gives\n") for document in DOCUMENTS) > 20


def test_problems_page_is_current() -> None:
    """The page of problems is what its table makes."""
    made = runpy.run_path(str(ROOT / "docs/make_problems.py"))["page"]()
    assert (ROOT / "docs/problems.md").read_text("utf-8") == made


def test_links() -> None:
    """What the documents link to is there."""
    for document in [*ROOT.glob("*.md"), *ROOT.glob("docs/*.md")]:
        for target in re.findall(r"\]\((?!https?:|#)([^)#]+)", document.read_text("utf-8")):
            assert (document.parent / target).exists(), f"{document.name} links to {target}"
