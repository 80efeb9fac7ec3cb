"""Hints as edits: what to replace in the source so that a problem is gone.

Each rule returns alternatives, of which one is to be chosen. Only what the hint says is an edit, and only where it is
complete: nothing is guessed.
"""

from __future__ import annotations

import re
from typing import NamedTuple

from untor.diagnostics import hints

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable

    from untor.diagnostics.problem import Problem


class Edit(NamedTuple):
    """Put ``text`` in the place of what is between two offsets of the problem's source."""

    start: int
    end: int
    text: str


_WORD = re.compile(r"[^\W\d][\w-]*")
_QUOTED = re.compile(r'"([^"\s]+)"')
_INSTEAD = re.compile(r'(?:To compare, write|Write) "?([^".:…]+?)"?(?:[.:;]|$)')
_ELSE_IF = re.compile(r"<!\s*(else\s+if)\b")
_VALUE_BEFORE = re.compile(r"""=((?:[^\s"'<>=`{}]|\{=[^"'<>]*?=\})*)\Z""")
_VALUE_AFTER = re.compile(r"""(?:[^\s"'<>=`{}]|\{=[^"'<>]*?=\})*""")


def edits_of(problem: Problem) -> list[Edit]:
    """Return the edits that a problem's hint describes, each of them an alternative; an empty list for none."""
    if problem.known_edits:
        return [*problem.known_edits]
    rule = _RULES.get(problem.code)
    if rule is None or problem.source is None:
        return []
    return rule(problem, problem.source.text)


def _suggested(problem: Problem, text: str) -> list[Edit]:
    """Replace the word at the place by one that the hint says may have been meant."""
    begun = next((line for line in problem.hint.splitlines() if line.startswith(("Did you mean", "There is "))), "")
    start = problem.start
    if text[start : start + 1] in {'"', "'"}:
        quote = text[start]
        return [Edit(start, problem.end, f"{quote}{name}{quote}") for name in _QUOTED.findall(begun)]
    found = _WORD.match(text, start, problem.end)
    return [Edit(start, found.end(), name) for name in _QUOTED.findall(begun)] if found else []


def _of_filter(problem: Problem, _text: str) -> list[Edit]:
    """Replace a filter by those that the hint names."""
    if problem.hint.startswith(('Write "', "Did you")):
        names = [name for name in _QUOTED.findall(problem.hint) if _WORD.fullmatch(name)]
        return [Edit(problem.start, problem.end, name) for name in names]
    return []


def _of_word(problem: Problem, text: str) -> list[Edit]:
    """Replace a word or sign of another language, or remove it."""
    hint, start, end = problem.hint, problem.start, problem.end
    if hint.startswith(("Remove the colon", "Remove the prefix")) or hint.endswith("Remove the backslash."):
        if hint.startswith("Remove the prefix"):
            start, end = problem.start - 1, problem.start
        return [Edit(start, end, "")]
    if hint.startswith('Remove the "') and (sign := hint[len('Remove the "')]) in text[start:end]:
        at = text.index(sign, start, end)
        return [Edit(at, at + 1, "")]
    if hint.startswith("Write a dot"):
        return [Edit(start, end, ".")]
    return _instead(problem, text)


def _instead(problem: Problem, text: str) -> list[Edit]:
    """Replace what is there by the word that the hint says, where it says one alone."""
    match = _INSTEAD.match(problem.hint)
    word = match[1] if match else ""
    is_one = bool(word) and (word in _OPERATORS or _WORD.fullmatch(word) is not None)
    is_alone = is_one and text[problem.start : problem.end] not in {"", word}
    return [Edit(problem.start, problem.end, word)] if is_alone else []


_OPERATORS = frozenset({"==", "!=", "<", "<=", ">", ">=", "%", "and", "or", "not", "in"})


def _of_step(problem: Problem, text: str) -> list[Edit]:
    """Replace the keyword of a step; an end of another language by ours."""
    word = text[problem.start : problem.end]
    if word in hints.ENDS:
        return [Edit(problem.start, problem.end, "end")]
    if problem.hint.startswith("Did you mean"):
        return _suggested(problem, text)
    return [Edit(problem.start, problem.end, _SAME_SHAPE[word])] if word in _SAME_SHAPE else []


_SAME_SHAPE = {
    **dict.fromkeys(("elseif", "elsif", "else-if"), "elif"),
    **dict.fromkeys(("var", "const", "set"), "let"),
    **dict.fromkeys(("default", "empty", "otherwise"), "else"),
    "comment": "note",
    "foreach": "for",
    "raw": "verbatim",
    "yield": "slot",
}
"""Steps of other languages that are written like ours but for their keyword."""


def _of_branch(problem: Problem, text: str) -> list[Edit]:
    """Write ``elif`` for ``else if``."""
    if '"elif"' in problem.message and (found := [*_ELSE_IF.finditer(text, 0, problem.end + 2)]):
        return [Edit(*found[-1].span(1), "elif")]
    return _instead(problem, text) if problem.hint.startswith('Write "in"') else []


def _end_named(problem: Problem, _text: str) -> list[Edit]:
    """Name the step that is open, or name none."""
    match = re.search(r'is "([\w-]+)"', problem.message)
    return [Edit(problem.start, problem.end, f"<! end {match[1]} !>")] if match else []


def _quoted(problem: Problem, text: str) -> list[Edit]:
    """Put an attribute value in quotes."""
    before = _VALUE_BEFORE.search(text[: problem.start])
    start = before.start(1) if before else problem.start
    if start == 0 or text[start - 1] != "=":
        return []
    after = _VALUE_AFTER.match(text, start)
    end = after.end() if after else problem.end
    value = text[start:end]
    if end < problem.end or not value:
        return []
    return [Edit(start, end, f'"{value}"')]


def _marked(problem: Problem, text: str) -> list[Edit]:
    """Print what is the name of a value."""
    return [Edit(problem.start, problem.end, f"{{= {text[problem.start : problem.end]} =}}")]


def _passed(problem: Problem, text: str) -> list[Edit]:
    """Pass the values that an include uses."""
    end = text.find("!>", problem.end)
    names = _QUOTED.findall(problem.message.rpartition(" uses ")[2])
    if end < 0 or not names:
        return []
    given = text[problem.end : end].rstrip()
    at = problem.end + len(given)
    return [Edit(at, at, f"{',' if given.strip() else ''} {', '.join(names)}")]


def _maybe(problem: Problem, text: str) -> list[Edit]:
    """Say that a value may be missing, where the hint offers it."""
    is_offered = '"?" after it' in problem.hint and text[problem.end : problem.end + 1] != "?"
    return [Edit(problem.end, problem.end, "?")] if is_offered else []


def _removed(problem: Problem, _text: str) -> list[Edit]:
    """Remove what is there."""
    return [Edit(problem.start, problem.end, "")]


_RULES: dict[str, Callable[[Problem, str], list[Edit]]] = {
    "accept-unknown": _suggested,
    "accept-unused": _removed,
    "argument-unknown": _suggested,
    "end-extra": _removed,
    "end-mismatch": _end_named,
    "expression-end": _of_word,
    "expression-unexpected": _of_word,
    "filter-unknown": _of_filter,
    "input-not-given": _passed,
    "input-undeclared": _suggested,
    "layout-argument": _suggested,
    "part-unknown": _suggested,
    "place-unquoted": _quoted,
    "position-attribute": lambda problem, text: _suggested(problem, text) or _instead(problem, text),
    "slot-unknown": _suggested,
    "step-shape": _of_branch,
    "step-unknown": _of_step,
    "template-missing": _suggested,
    "type-attribute": _suggested,
    "type-none": _maybe,
    "type-unknown": lambda problem, text: _suggested(problem, text) or _instead(problem, text),
    "value-unmarked": _marked,
}
