"""What several test files share: cases in plain text, and pages as conforming parsers read them."""

from __future__ import annotations

import ast
import os
import subprocess
import sys
from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple

from selectolax.lexbor import LexborHTMLParser, LexborNode

if TYPE_CHECKING:
    from collections.abc import Iterator

CASES = Path(__file__).parent / "cases"


class Case(NamedTuple):
    """A title, the parts by name, and the line it stands in."""

    title: str
    parts: dict[str, str]


def cases(name: str) -> list[Case]:
    """Read a file of cases: ``=== title``, then the first part, then parts that begin with ``--- name``."""
    found = []
    for block in (CASES / name).read_text("utf-8").removesuffix("\n").split("\n=== ")[1:]:
        title, _, body = block.partition("\n")
        first, *others = body.split("\n--- ")
        parts = {"template": first}
        for other in others:
            heading, _, text = other.partition("\n")
            parts[heading.strip()] = text
        found.append(Case(title, parts))
    assert found
    return found


def data_of(case: Case) -> dict[str, object]:
    """Return the case's data, a Python literal."""
    data = ast.literal_eval(case.parts.get("data", "{}").strip())
    assert isinstance(data, dict)
    return data


def structure(page: str) -> list[object]:
    """Return a page's elements with the names of their attributes, as lexbor reads them; text and values left out."""

    def walk(node: LexborNode) -> Iterator[object]:
        for child in node.iter(include_text=False):
            if child.tag != "-comment":
                yield (child.tag, sorted(child.attributes), list(walk(child)))

    root = LexborHTMLParser(page).root
    assert root is not None
    return [(root.tag, sorted(root.attributes), list(walk(root)))]


def untor(*arguments: str, folder: Path, given: str | None = None, columns: int = 80) -> tuple[int, str, str]:
    """Run the command in a folder; return exit status, output and errors."""
    done = subprocess.run(
        [sys.executable, "-m", "untor", *arguments], cwd=folder, input=given, capture_output=True, encoding="utf-8",
        check=False, env={**os.environ, "COLUMNS": str(columns)},
    )  # fmt: skip
    return done.returncode, done.stdout, done.stderr
