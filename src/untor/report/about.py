"""What a code means: its message, an input that causes it and the fixed input."""

from __future__ import annotations

import re
import tempfile
from pathlib import Path
from typing import NamedTuple

from untor.diagnostics.codes import CODES, EXAMPLE_FILES, Code
from untor.diagnostics.rules import ABOUT_CHECKING, OFF, RULES
from untor.engine.engine import Engine
from untor.errors import UntorError

_WORD = re.compile(r"(?<!{){\w+}(?!})")


class Explanation(NamedTuple):
    """What a code means; ``report`` and ``fixed`` are empty if no template can be an example of it."""

    code: str
    severity: str
    sentences: list[str]
    report: str
    fixed: str


def explanation(code: str) -> Explanation:
    """Explain the code of a problem or a rule. Raises ``KeyError`` for any other."""
    rule = RULES.get(code)
    return _of_problem(code, CODES[code]) if rule is None else _of_rule(code, rule)


def about(code: str) -> str:
    """Return the page of a code as Markdown. Raises ``KeyError`` for anything that is not a code."""
    explained = explanation(code)
    intro, *sentences = explained.sentences
    parts = [f"# {code}", intro, *map(plain, sentences)]
    if explained.report:
        parts += [f"```\n{explained.report}\n```", "Fixed:", f"```html\n{explained.fixed}\n```"]
    return "\n\n".join(parts) + "\n"


def in_one_line(kind: Code) -> str:
    """Return the message of a kind of problem, with an ellipsis for each word that a finder gives."""
    return _without_words(kind.message)


def plain(message: str) -> str:
    """Return a message as text of Markdown."""
    return message.replace("<", "\\<").replace("|", "\\|")


def _without_words(text: str) -> str:
    return _WORD.sub("…", text).replace("{{", "{").replace("}}", "}")


def _without_example(code: str, intro: str, kind: Code) -> Explanation:
    sentences = [text for text in (in_one_line(kind), _without_words(kind.hint)) if text]
    return Explanation(code, kind.severity, [intro, *sentences], "", "")


def _of_problem(code: str, kind: Code) -> Explanation:
    intro = f"A problem: a template that has it is not rendered. From Python it is an `untor.{kind.error}`."
    if not kind.failing:
        return _without_example(code, intro, kind)
    with tempfile.TemporaryDirectory() as folder:
        for name, text in EXAMPLE_FILES.items():
            (Path(folder) / name).write_text(text, "utf-8")
        try:
            Engine(folder).compile(kind.failing, "page.html").render(kind.data)
        except UntorError as error:
            return Explanation(code, kind.severity, [intro, error.message], str(error), kind.fixed)
    raise AssertionError(kind.failing)


def _of_rule(code: str, rule: Code) -> Explanation:
    intro = "A rule of `untor check`: the page is rendered nevertheless."
    intro += " It is off by default: `--also " + code + "`." if code in OFF else ""
    intro += " It cannot be accepted." if code in ABOUT_CHECKING else ""
    if not rule.failing:
        return _without_example(code, intro, rule)
    with tempfile.TemporaryDirectory() as folder:
        (Path(folder) / "page.html").write_text(rule.failing, "utf-8")
        found = next(each for each in Engine(folder).check(also=OFF & {code}) if each.code == code)
    lines = [f"page.html:{found.line}:{found.column}: {found.severity}: {found.message} [{code}]", found.excerpt]
    lines += [f"  {line}" for line in found.hint.splitlines()]
    return Explanation(code, found.severity, [intro, found.message], "\n".join(lines), rule.fixed)
