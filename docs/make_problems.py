"""Write docs/problems.md and docs/rules.md from their tables: ``python docs/make_problems.py``."""

from __future__ import annotations

import re
import tempfile
from pathlib import Path

from untor import Engine, UntorError
from untor.diagnostics.codes import CODES, EXAMPLE_FILES, Code
from untor.diagnostics.rules import ABOUT_CHECKING, OFF, RULES

_WORD = re.compile(r"(?<!{){\w+}(?!})")

HEAD = """# Problems

Everything that Untor can find wrong, by its code: what the message says, an example that causes it, and the fixed one.
This page is made from the table that the messages come from.
"""


def page() -> str:
    """Return the page."""
    blocks = [HEAD]
    with tempfile.TemporaryDirectory() as folder:
        for name, text in EXAMPLE_FILES.items():
            (Path(folder) / name).write_text(text, "utf-8")
        engine = Engine(folder)
        for code, kind in CODES.items():
            blocks.append(f"## {code}\n\n`{kind.error}`: {section(engine, kind)}\n")
    return "\n".join(blocks)


def section(engine: Engine, kind: Code) -> str:
    """Return what there is to say of one code."""
    if not kind.failing:
        return _WORD.sub("…", kind.message).replace("{{", "{").replace("}}", "}")
    try:
        engine.compile(kind.failing, "page.html").render(kind.data)
    except UntorError as error:
        shown = ["```", str(error), "```", "", "Fixed:", "", "```html", kind.fixed, "```"]
        return "\n".join([_plain(error.message), "", *shown])
    raise AssertionError(kind.failing)


def _plain(message: str) -> str:
    """Return a message as text of Markdown."""
    return message.replace("<", "\\<")


RULES_HEAD = """# Rules

What `untor check` finds besides [problems](problems.md): pages that render all the same, but are wrong or risky. Each
rule has an example that breaks it, and the fixed one. A rule is accepted, with a reason, by a note or for a whole
site; see [Checking](checking.md). This page is made from the table that the messages come from.
"""


def rules() -> str:
    """Return the page of rules."""
    blocks = [RULES_HEAD]
    with tempfile.TemporaryDirectory() as folder:
        for code, rule in RULES.items():
            notes = ["Off unless asked for."] if code in OFF else []
            notes += ["Cannot be accepted."] if code in ABOUT_CHECKING else []
            intro = f"{' '.join(notes)}\n\n" if notes else ""
            blocks.append(f"## {code}\n\n{intro}{broken(folder, code, rule)}\n")
    return "\n".join(blocks)


def broken(folder: str, code: str, rule: Code) -> str:
    """Return what there is to say of one rule."""
    if not rule.failing:
        return _WORD.sub("…", rule.message)
    (Path(folder) / "page.html").write_text(rule.failing, "utf-8")
    found = next(found for found in Engine(folder).check(also=OFF & {code}) if found.code == code)
    shown = ["```", found.excerpt, *(f"  {line}" for line in found.hint.splitlines()), "```"]
    return "\n".join([_plain(found.message), "", *shown, "", "Fixed:", "", "```html", rule.fixed, "```"])


if __name__ == "__main__":
    (Path(__file__).parent / "problems.md").write_text(page(), "utf-8")
    (Path(__file__).parent / "rules.md").write_text(rules(), "utf-8")
