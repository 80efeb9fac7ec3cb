"""What a code means: its message, an input that causes it and the fixed input, as Markdown."""

from __future__ import annotations

import re
import tempfile
from pathlib import Path

from untor.diagnostics.codes import CODES, EXAMPLE_FILES, Code
from untor.diagnostics.rules import ABOUT_CHECKING, OFF, RULES
from untor.engine.engine import Engine
from untor.errors import UntorError

_WORD = re.compile(r"(?<!{){\w+}(?!})")


def about(code: str) -> str:
    """Return the page of a code of a problem or a rule. Raises ``KeyError`` for any other."""
    rule = RULES.get(code)
    kind = CODES[code] if rule is None else rule
    body = _of_problem(kind) if rule is None else _of_rule(code, rule)
    return f"# {code}\n\n{body}\n"


def in_one_line(kind: Code) -> str:
    """Return the message of a kind of problem, with an ellipsis for each word that a finder gives."""
    return _without_words(kind.message)


def _without_words(text: str) -> str:
    return _WORD.sub("…", text).replace("{{", "{").replace("}}", "}")


def _told(intro: str, kind: Code) -> str:
    """Return the page of a code without an example: what is said, and what to do."""
    said = [plain(text) for text in (in_one_line(kind), _without_words(kind.hint)) if text]
    return "\n\n".join([intro, *said])


def plain(message: str) -> str:
    """Return a message as text of Markdown."""
    return message.replace("<", "\\<").replace("|", "\\|")


def _of_problem(kind: Code) -> str:
    intro = f"A problem: a template that has it is not rendered. From Python it is an `untor.{kind.error}`."
    if not kind.failing:
        return _told(intro, kind)
    with tempfile.TemporaryDirectory() as folder:
        for name, text in EXAMPLE_FILES.items():
            (Path(folder) / name).write_text(text, "utf-8")
        try:
            Engine(folder).compile(kind.failing, "page.html").render(kind.data)
        except UntorError as error:
            return _shown(intro, error.message, str(error), kind.fixed)
    raise AssertionError(kind.failing)


def _of_rule(code: str, rule: Code) -> str:
    intro = "A rule of `untor check`: the page is rendered nevertheless."
    intro += " It is off by default: `--also " + code + "`." if code in OFF else ""
    intro += " It cannot be accepted." if code in ABOUT_CHECKING else ""
    if not rule.failing:
        return _told(intro, rule)
    with tempfile.TemporaryDirectory() as folder:
        (Path(folder) / "page.html").write_text(rule.failing, "utf-8")
        found = next(each for each in Engine(folder).check(also=OFF & {code}) if each.code == code)
    lines = [f"page.html:{found.line}:{found.column}: {found.severity}: {found.message} [{code}]", found.excerpt]
    lines += [f"  {line}" for line in found.hint.splitlines()]
    return _shown(intro, found.message, "\n".join(lines), rule.fixed)


def _shown(intro: str, message: str, output: str, fixed: str) -> str:
    return "\n".join([intro, "", plain(message), "", "```", output, "```", "", "Fixed:", "", "```html", fixed, "```"])
