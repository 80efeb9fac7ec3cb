"""What people write who come from elsewhere or slip, and the whole of what Untor says to it.

``PYTHONPATH=tests python tests/diagnostics/test_provoked.py`` writes what is said now into the cases.
"""

from __future__ import annotations

import tempfile
from datetime import date
from pathlib import Path
from types import SimpleNamespace

import pytest
from support import CASES, Case, cases

from untor import Engine, UntorError

FILES = {
    "frame": "<title><! slot title !></title><body><! slot !>",
    "needs": "<! takes berth !>{= berth =}",
    "reads": "<p>{= berth =}",
    "row": "<li>{= name =}",
}
"""Templates that the cases use."""
_CALLS = [
    {"name": "Sea Holly", "tons": 12, "vessel": {"name": "Sea Holly"}},
    {"name": "Gannet", "tons": 9, "vessel": {"name": "Gannet"}},
]
DATA = {
    "calls": _CALLS,
    "name": "Runa",
    "n": 3,
    "day": date(2031, 5, 21),
    "vessel": {"name": "Sea Holly"},
    "user": SimpleNamespace(name="Runa"),
    "call": {"vessel": {"name": "Sea Holly", "id": 3}, "berth": None, "note": "all well", "tons": 12},
    "items": {"keys": 1},
    "nothing": None,
    "text": "a\nb",
    "b": "x",
    "link": lambda name, id=3: f"/{name}/{id}",  # noqa: A006  as applications call it
}
folder = Path(tempfile.mkdtemp())
for file, text in FILES.items():
    (folder / f"{file}.html").write_text(text, "utf-8")


def said(template: str) -> str:
    """Return the error of a template, whole; of one that is rendered the page, and what the checker finds in it."""
    try:
        page = Engine(folder).compile(template, "page.html").render(DATA)
    except UntorError as error:
        return str(error)
    with tempfile.TemporaryDirectory() as place:
        (Path(place) / "page.html").write_text(template, "utf-8")
        found = Engine([place, folder]).check()
    findings = [
        "\n".join([f"[{each.code}] {each.message}", *(f"  {line}" for line in each.hint.splitlines())])
        for each in found
        if each.name == "page.html"
    ]
    return "\n".join([f"rendered: {page}", *findings])


@pytest.mark.parametrize("case", cases("provoked.txt"), ids=lambda case: case.title)
def test_provoked(case: Case) -> None:
    """What is said is this, to the last word."""
    assert said(case.parts["template"]) == case.parts["said"]


def main() -> None:
    """Write what is said now."""
    blocks = [
        f"=== {case.title}\n{case.parts['template']}\n--- said\n{said(case.parts['template'])}\n"
        for case in cases("provoked.txt")
    ]
    head = "What people write who come from elsewhere or slip: a template, and all that is said to it.\n\n"
    (CASES / "provoked.txt").write_text(head + "".join(blocks), "utf-8")


if __name__ == "__main__":
    main()
