"""Write docs/problems.md, docs/rules.md and a page for each code from their tables: ``docs/make_problems.py``."""

from __future__ import annotations

from itertools import groupby
from pathlib import Path

from untor.diagnostics.codes import CODES
from untor.diagnostics.rules import OFF, RULES
from untor.report.about import about, in_one_line, plain

HERE = Path(__file__).parent

PROBLEMS_HEAD = """# Problems

What keeps a page from being rendered, by its code. Each has a page with an example that causes it, and the fixed one;
`untor check --about CODE` prints the same. What else can be wrong with a page: the [rules](rules.md).
These pages are made from the table that the messages come from.
"""

RULES_HEAD = """# Rules

What `untor check` finds besides [problems](problems.md): pages that are rendered all the same, but are wrong or risky.
Each rule has a page with an example that breaks it, and the fixed one; `untor check --about CODE` prints the same. A
rule is accepted, with a reason, by a note, in a folder or for a whole site; see [Checking](checking.md).
"""


def pages() -> dict[str, str]:
    """Return the text of each page, by its path in docs."""
    found = {f"problems/{code}.md": about(code) for code in (*CODES, *RULES)}
    blocks = [PROBLEMS_HEAD]
    by_class = sorted(CODES.items(), key=lambda item: item[1].error)
    for error, group in groupby(by_class, key=lambda item: item[1].error):
        rows = [f"| [{code}](problems/{code}.md) | {plain(in_one_line(kind))} |" for code, kind in group]
        blocks.append("\n".join([f"## {error}", "", "| code | message |", "|---|---|", *rows, ""]))
    found["problems.md"] = "\n".join(blocks)
    off = dict.fromkeys(OFF, " Off by default.")
    rows = [
        f"| [{code}](problems/{code}.md) | {plain(in_one_line(rule))}{off.get(code, '')} |"
        for code, rule in RULES.items()
    ]
    found["rules.md"] = "\n".join([RULES_HEAD, "| code | message |", "|---|---|", *rows, ""])
    return found


if __name__ == "__main__":
    (HERE / "problems").mkdir(exist_ok=True)
    texts = pages()
    for old in (HERE / "problems").glob("*.md"):
        if f"problems/{old.name}" not in texts:
            old.unlink()
    for path, text in texts.items():
        (HERE / path).write_text(text, "utf-8")
