"""Write docs/problems.md from the table of problems: ``python docs/make_problems.py``."""

from __future__ import annotations

import re
import tempfile
from pathlib import Path

from untor import Engine, UntorError
from untor.problem_table import CODES, EXAMPLE_FILES, Code

_WORD = re.compile(r"(?<!{){\w+}(?!})")

HEAD = """# Problems

Everything that Untor can find wrong, by its code: what the message says, an example that causes it, and the mended one.
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
        shown = ["```", str(error), "```", "", "Mended:", "", "```html", kind.mended, "```"]
        return "\n".join([error.message, "", *shown])
    raise AssertionError(kind.failing)


if __name__ == "__main__":
    (Path(__file__).parent / "problems.md").write_text(page(), "utf-8")
