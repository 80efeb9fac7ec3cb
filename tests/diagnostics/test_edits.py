"""Hints as edits: what an edit makes of the source no longer has the problem, and none that tears it."""

from __future__ import annotations

from typing import TYPE_CHECKING

from support import cases

from untor import Engine
from untor.check.checker import CheckOptions
from untor.check.kept_site import KeptSite
from untor.compiler.compiler import Compiler
from untor.diagnostics.codes import CODES, EXAMPLE_FILES
from untor.diagnostics.rules import RULES
from untor.language.parser import TEARING
from untor.loading.overlays import OverlayLoader

if TYPE_CHECKING:
    from pathlib import Path

    from untor.diagnostics.problem import Problem

WITH_EDITS = """accept-unknown accept-unused argument-unknown end-extra end-mismatch expression-end expression-unexpected filter-unknown
input-not-given input-undeclared layout-argument part-unknown place-unquoted position-attribute print-unclosed slot-unknown
step-shape step-unclosed step-unknown template-missing type-attribute type-none type-unknown value-unmarked"""
MORE = """{= call.note</p>\n<p>{= x =}
<! if a = 1 !>x<! end !>
{= a && b || c =}
<! takes x: int | None !>{= x + 1 =}
{= call->vessel =}
<! for x of xs !>{= x =}<! end !>
<! foreach x in xs !>{= x =}<! endforeach !>
<! set x = 3 !>{= x =}
{= x | length =}
{= x | uppercase =}
{= u"Ellery" =}
{=- x -=}
<! for x in xs: !>{= x =}<! end !>
<! for x in xs as row !>{= row.length =}<! end !>
<! takes calls: array !>{= calls[0] =}
<! takes vessel !>{= vesel =}{= vessel =}
<! include "head" cal=1 !>
<! layout "framed" headin=1 !><p>Quay</p>
<! include "fram" !>
<p class={= x =}-{= y =}>Quay</p>
<! include "given" !>""".replace("</p>\\n", "</p>\n")

FIXED = {
    '{= u"Ellery" =}': '{= "Ellery" =}', "{= a && b =}": "{= a and b =}", "{= call->vessel =}": "{= call.vessel =}",
    "<! for x in xs: !>{= x =}<! end !>": "<! for x in xs !>{= x =}<! end !>", "{= x | length =}": "{= x | len =}",
}  # fmt: skip
"""What the first edit makes of some of them."""


def _torn(problems: list[Problem]) -> int:
    return sum(problem.code in TEARING for problem in problems)


def test_edits(tmp_path: Path) -> None:
    """Of every failing example, of the cases of messages, and of more; each code that has edits has them here."""
    files = {**EXAMPLE_FILES, "given.html": "<p>{= ship =}</p>", "head.html": "<! takes call = 1 !>{= call =}"}
    files["framed.html"] = "<! takes heading !><h1>{= heading =}</h1><! slot !>"
    for name, text in files.items():
        (tmp_path / name).write_text(text, "utf-8")
    compiler = Engine(tmp_path).compiler
    loader = OverlayLoader(compiler.loader)
    site = KeptSite(Compiler(loader, compiler.settings, compiler.cache), CheckOptions(also=[*RULES]))

    def problems(text: str) -> list[Problem]:
        loader.put(str(tmp_path / "tried.html"), text)
        site.changed("tried.html")
        while site.work() is not None:
            pass
        return site.problems("tried.html")

    texts = [kind.failing for kind in {**CODES, **RULES}.values() if kind.failing]
    texts += (
        [case.parts["template"] for case in cases("messages.txt")] + MORE.splitlines() + ["{= call.note</p>\n{= x =}"]
    )
    edited: set[str] = set()
    for text in texts:
        found_first = problems(text)
        for problem in found_first:
            for edit in problem.edits:
                edited.add(problem.code)
                after = problems(text[: edit.start] + edit.text + text[edit.end :])
                shown = f"{text!r}: {edit}"
                assert not [each for each in after if (each.code, each.start) == (problem.code, problem.start)], shown
                assert _torn(after) <= _torn(found_first), shown
    assert edited == {*WITH_EDITS.split()}
    for text, fixed in FIXED.items():
        edit = problems(text)[0].edits[0]
        assert text[: edit.start] + edit.text + text[edit.end :] == fixed
