"""The documentation: every example is run, every generated page is current, every picture is there."""

from __future__ import annotations

import ast
import os
import re
import runpy
import shlex
import sqlite3
import subprocess
import sys
from dataclasses import fields, is_dataclass
from datetime import UTC, datetime
from importlib import import_module
from pathlib import Path
from typing import TYPE_CHECKING, Any
from xml.etree import ElementTree as ET

import pytest

from untor import Engine
from untor.check.findings import Finding
from untor.cli.pyproject import _SHAPES
from untor.diagnostics.codes import CODES
from untor.diagnostics.rules import RULES
from untor.diagnostics.source import Source
from untor.filters import NAMES, built_in
from untor.filters.locale_settings import LocaleSettings
from untor.language.expressions import STRENGTH, ExpressionParser
from untor.language.keywords import STEPS
from untor.language_server.hover import arguments_of

if TYPE_CHECKING:
    from collections.abc import Iterator

ROOT = Path(__file__).parent.parent
DOCUMENTS = [
    ROOT / f"docs/{name}.md"
    for name in (
        "attributes", "data", "forms", "language", "links", "refused", "scripts", "security", "styles", "trusted",
    )
]  # fmt: skip
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


CHAPTERS = {
    "messages": 5, "sites": 5, "tutorial-1": 9, "tutorial-2": 7, "static-page": 2, "streams": 2, "own-filters": 2,
    "testing": 3, "ci": 2,
}  # fmt: skip
"""Documents to follow step by step, each with how many commands it has."""


BLOCKS = [
    (name, kind, text)
    for file in sorted([*ROOT.glob("*.md"), *ROOT.glob("docs/*.md")])
    for name in [file.name]
    for kind, text in re.findall(r"^```(python|html)\n(.*?)^```", file.read_text("utf-8"), re.DOTALL | re.MULTILINE)
    if kind == "python" or file.stem not in {"contexts", "types", *CHAPTERS}  # these are tried by tests of their own
]


@pytest.mark.parametrize(("name", "kind", "text"), BLOCKS, ids=[f"{name}-{kind}" for name, kind, _ in BLOCKS])
def test_block(name: str, kind: str, text: str, tmp_path: Path) -> None:
    """Python in the documents is read by Python, what it imports of Untor is there, and all templates compile."""
    if kind == "python":
        for node in ast.walk(ast.parse(text)):
            if isinstance(node, ast.ImportFrom) and str(node.module).partition(".")[0] == "untor":
                module = import_module(str(node.module))
                assert all(hasattr(module, each.name) for each in node.names), name
        return
    for other in ("frame", "pager", "card", "row", "call"):
        (tmp_path / f"{other}.html").write_text("<! slot title !><! slot foot !><! slot !>", "utf-8")
    functions: dict[str, Any] = {each: lambda *_, **__: "" for each in ("link", "asset", "integrity", "tide")}
    Engine(
        tmp_path, helpers=functions, filters={"knots": lambda value, unit="": f"{value} {unit}", "flag": str}
    ).compile(text)


FEEDS = re.findall(
    "^```xml\n(.*?)\n```$", (ROOT / "docs/mail-and-feeds.md").read_text("utf-8"), re.DOTALL | re.MULTILINE
)


@pytest.mark.parametrize("feed", FEEDS, ids=["Atom", "RSS", "a sitemap"])
def test_feed(feed: str) -> None:
    """A feed of the documents is well-formed, and a reader gets the HTML that a page would have."""
    text = "Fog & <soon>\n\nstay in ]]> port\nRuna"
    notice = {
        "id": "7/a",
        "title": "R&D <b>",
        "posted": datetime(2031, 5, 17, 12, tzinfo=UTC),
        "author": "<x>",
        "text": text,
    }
    page = Engine().compile(feed, "feed.xml").render(site="https://port-ellery.example", notices=[notice, notice])
    root = ET.fromstring(page)
    written = "<p>Fog &amp; &lt;soon&gt;</p>\n<p>stay in ]]&gt; port<br>Runa</p>"
    assert root.tag.endswith("urlset") or written in {each.text for each in root.iter()}


def test_pages_of_codes_are_current() -> None:
    """The pages of problems and of rules, and one for each code, are what their tables make."""
    made = runpy.run_path(str(ROOT / "docs/make_problems.py"))["pages"]()
    assert {path: (ROOT / "docs" / path).read_text("utf-8") for path in made} == made
    assert {f"problems/{file.name}" for file in (ROOT / "docs/problems").iterdir()} == {
        f"problems/{code}.md" for code in (*CODES, *RULES)
    }


def shape(node: object) -> object:
    """Return a tree without the places of its nodes."""
    if is_dataclass(node) and not isinstance(node, type):
        places = {"start", "end", "name_start"}
        return (
            type(node).__name__,
            [shape(getattr(node, each.name)) for each in fields(node) if each.name not in places],
        )
    return [*map(shape, node)] if isinstance(node, list | tuple) else node


def test_precedence() -> None:
    """Expressions are read as the page about the language says, with and without brackets; it has every step and operator."""
    text = (ROOT / "docs/language.md").read_text("utf-8")
    table = text.partition("| written | is read as |")[2].partition("\n\n")[0].replace("\\|", "¦")
    rows = re.findall(r"^\| `(.*?)` \| `(.*?)` \|$", table, re.MULTILINE)
    assert len(rows) == 12
    for pair in rows:
        written, meant = (each.replace("¦", "|") for each in pair)
        trees = []
        for expression in (written, meant):
            parser = ExpressionParser(Source("page.html", expression), 0, len(expression))
            trees.append(shape(parser.expression()))
            parser.finish()
        assert trees[0] == trees[1], written
    operators = text.partition("| operators | meaning |")[2].partition("\n\n")[0].replace("\\|", "|")
    assert {*STRENGTH} <= {*re.findall(r"`([^` ]+)`", operators)} | {"not", "is"}
    steps = dict(re.findall(r"^\| `([a-z]+)` \| `(.*)` \|$", text.partition("| step | is written |")[2], re.MULTILINE))
    assert steps == STEPS


def test_settings() -> None:
    """The page about settings has all of them, and no other."""
    text = (ROOT / "docs/settings.md").read_text("utf-8")
    assert sorted(re.findall(r"^\| `([a-z-]+)` \|", text, re.MULTILINE)) == sorted(_SHAPES)


def test_checking() -> None:
    """What the page about checking says of the report's lines and keys is so."""
    text = (ROOT / "docs/checking.md").read_text("utf-8")
    line = re.compile(next(line for line in text.splitlines() if line.startswith("^(")))
    report = (ROOT / "tests/cases/site.txt").read_text("utf-8").splitlines()
    assert sum(line.match(each) is not None for each in report) == sum(each.endswith("]") for each in report) > 30
    keys = {found for row in re.findall(r"^\| `.*", text, re.MULTILINE) for found in re.findall("`([a-z_]+)`", row)}
    assert {field.name for field in fields(Finding)} <= keys


FILTERS = [
    line.partition(" → ")[::2]
    for block in re.findall(
        r"^```text\n(.*?)^```", (ROOT / "docs/filters.md").read_text("utf-8"), re.DOTALL | re.MULTILINE
    )
    for line in block.splitlines()
]


@pytest.mark.parametrize(("template", "page"), FILTERS, ids=[template for template, _ in FILTERS])
def test_filter_example(template: str, page: str) -> None:
    """An example of the page about filters gives what stands beside it."""
    text = (ROOT / "docs/filters.md").read_text("utf-8")
    data: dict[str, object] = {}
    exec(text[text.index("note = ") : text.index("```", text.index("note = "))], data)  # noqa: S102  our own documents
    engine = Engine(timezone="Europe/Lisbon", clock=lambda: datetime(2031, 5, 17, 12, tzinfo=UTC))
    assert " ".join(engine.compile(template).render(data).split()) == " ".join(page.split())


def test_filters_are_complete() -> None:
    """Each built-in filter has its signature, and an example that is run; pictures are shown in a test of their own."""
    text = (ROOT / "docs/filters.md").read_text("utf-8")
    signatures = {
        name + arguments_of(function, is_filter=True) for name, function in built_in(LocaleSettings()).items()
    }
    assert {
        each for row in re.findall(r"^\| (`[^|]*) \|", text, re.MULTILINE) for each in re.findall("`(.*?)`", row)
    } == signatures
    shown = {name for template, _ in FILTERS for name in re.findall(r"\| (\w+)", template)}
    assert shown | {"picture"} >= NAMES


def test_types(tmp_path: Path) -> None:
    """The page about types says what is found in its example, and the fixed one is clean."""
    text = (ROOT / "docs/types.md").read_text("utf-8")
    (tmp_path / "templates").mkdir()
    for name, content in re.findall(r"^`([\w./]+)`\n```\w*\n(.*?)^```", text, re.DOTALL | re.MULTILINE):
        (tmp_path / name).write_text(content, "utf-8")
    board = tmp_path / "templates/board.html"
    board.write_text(board.read_text("utf-8").replace("list !>", "list[Call] !>"), "utf-8")
    command = [sys.executable, "-m", "untor", "check", "--engine", "site_pages:pages"]
    printed = re.findall(r"^templates/board.*$", text, re.MULTILINE)
    done = subprocess.run(command, cwd=tmp_path, capture_output=True, encoding="utf-8", check=False)
    assert [line for line in done.stdout.splitlines() if line in printed] == printed
    assert done.returncode == 1
    board.write_text(board.read_text("utf-8").replace("tonns", "tons").replace("owner.name", "owner?.name"), "utf-8")
    done = subprocess.run(command, cwd=tmp_path, capture_output=True, encoding="utf-8", check=False)
    assert done.returncode == 0, done.stdout


def test_data_examples(tmp_path: Path) -> None:
    """The examples of the page about data print what stands below them."""
    text = (ROOT / "docs/data.md").read_text("utf-8")
    for name, content in re.findall(r"^`([\w.]+)`\n```\w*\n(.*?)^```", text, re.DOTALL | re.MULTILINE):
        (tmp_path / name).write_text(content, "utf-8")
    connection = sqlite3.connect(tmp_path / "harbour.db")
    connection.executescript(
        "create table vessels (name, tons); insert into vessels values ('Sea Holly', 12), ('Auk', 3)"
    )
    connection.close()
    examples = re.findall(r"^```sh\nuntor (.*?)\n```\nprints\n```\n(.*?)^```", text, re.DOTALL | re.MULTILINE)
    for command, printed in examples:
        arguments = [sys.executable, "-m", "untor", *shlex.split(command)]
        done = subprocess.run(arguments, cwd=tmp_path, capture_output=True, encoding="utf-8", check=False)
        assert (done.stdout, done.stderr) == (printed, ""), command
    assert len(examples) == text.count("prints\n") == 6


def test_links() -> None:
    """What the documents link to is there."""
    for document in [*ROOT.glob("*.md"), *ROOT.glob("docs/*.md")]:
        for target in re.findall(r"\]\((?!https?:|#)([^)#]+)", document.read_text("utf-8")):
            assert (document.parent / target).exists(), f"{document.name} links to {target}"


BLOCK = re.compile(r"(?:^`(?P<file>[\w./]+)`\n)?^```(?P<kind>\w+)\n(?P<text>.*?)\n```$", re.DOTALL | re.MULTILINE)


def test_readme() -> None:
    """The attack in the README comes out as it says, and there are at most 700 words."""
    text = (ROOT / "README.md").read_text("utf-8")
    code, page = re.findall(r"^```(?:python|html)\n(.*?)^```", text, re.DOTALL | re.MULTILINE)[:2]
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, encoding="utf-8", check=True)
    assert done.stdout.strip() == page.strip()
    assert len(text.split()) <= 700


@pytest.mark.parametrize("chapter", CHAPTERS)
def test_chapter(chapter: str, tmp_path: Path) -> None:
    """A chapter is followed from the beginning: its files are written, and its commands say what it says.

    A line that is only "…" stands for the rest. What installs packages is left out: they are there.
    """
    path = f"{Path(sys.executable).parent}{os.pathsep}{os.environ['PATH']}"
    commands = 0
    for block in BLOCK.finditer((ROOT / f"docs/{chapter}.md").read_text("utf-8")):
        if block["file"]:
            if chapter == "tutorial-2" and (tmp_path / block["file"]).exists():  # it shows files that are there
                assert (tmp_path / block["file"]).read_text("utf-8").rstrip("\n") == block["text"], block["file"]
            (tmp_path / block["file"]).parent.mkdir(exist_ok=True, parents=True)
            (tmp_path / block["file"]).write_text(block["text"] + "\n", "utf-8")
        if block["kind"] != "console":
            continue
        for each in re.split(r"^\$ ", block["text"], flags=re.MULTILINE)[1:]:
            command, _, said = each.partition("\n")
            commands += 1
            if "pip install" in command:
                continue
            run = subprocess.run(
                ["/bin/bash", "-c", command], cwd=tmp_path, env={**os.environ, "PATH": path, "LC_ALL": "C.UTF-8"},
                stdout=subprocess.PIPE, stderr=subprocess.STDOUT, encoding="utf-8", check=False,
            )  # fmt: skip
            shown = "\n".join(line.rstrip() for line in run.stdout.splitlines())
            said = said.rstrip("\n")
            if said.endswith("\n…"):
                shown, said = shown[: len(said) - 2], said[:-2]
            assert shown == said, command
    assert commands == CHAPTERS[chapter]
