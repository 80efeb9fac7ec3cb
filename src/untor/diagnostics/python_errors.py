"""What Python's own exceptions of an expression mean, in words for the author of a template.

Each row has the text of the exception (CPython 3.11 to 3.14) as a pattern, the sentence, and what to do.
"""

from __future__ import annotations

import re

from untor.diagnostics.wording import with_article

_DONE = {
    "+": "added",
    "-": "subtracted",
    "*": "multiplied",
    "/": "divided",
    "//": "divided",
    "%": "divided",
}
_NONE = "If a value may be None, give another one with ??, or test it first: (call.tons ?? 0)."
_MISSING = "If a value may be missing, give another one with ??, or test it first: (call.tons ?? 0)."
_TEXT = "Print them beside each other, or make a string of the other value: n | text."

ROWS: tuple[tuple[str, str, str], ...] = (
    (r"unsupported operand type\(s\) for (\S+): '(.+)' and '(.+)'", "{2} and {3} cannot be {done}", ""),
    (r"can only concatenate (\w+) \(not \"(.+)\"\) to \w+", "{1} and {2} cannot be added", _TEXT),
    (r"can't multiply sequence by non-int of type '(.+)'", "a list or a string cannot be multiplied by {1}", ""),
    (
        r"'([<>]=?)' not supported between instances of '(.+)' and '(.+)'",
        '{2} and {3} cannot be compared with "{op}"',
        "",
    ),
    (
        r"argument of type '(.+)' is not (?:a container or )?iterable",
        '"in" needs a collection or a string on its right, not {1}',
        "",
    ),
    (
        r"'in <string>' requires string as left operand, not (.+)",
        '"in" needs a string on its left where one is on its right, not {1}',
        "Write n | text.",
    ),
    (r"'(.+)' object is not subscriptable", "{1} has no items", "A dot reads an attribute: call.vessel."),
    (
        r"(\w+) indices must be integers(?: or slices)?, not '?(\w+)'?",
        "the items of {1} have numbers, and this is {2}",
        "",
    ),
    (r"bad operand type for unary (\S): '(.+)'", "{2} cannot have a sign", ""),
    (
        r"(?:.*division.* by zero|.*modulo by zero|division by zero)",
        "a number cannot be divided by zero",
        "Test it first: a / b if b else 0.",
    ),
    (r"unhashable type: '(.+)'", "{1} cannot be a key of a mapping", ""),
)
"""Patterns, sentences, hints: numbers are replaced by the type in that group, ``op`` by the first group."""

_NAMES = {"NoneType": "None", "string": "a string", "str": "a string", "Missing": "a missing value"}


def explained(text: str) -> tuple[str, str] | None:
    """Return the sentence and the hint for the text of an exception; ``None`` for one that is not known."""
    for pattern, sentence, hint in ROWS:
        match = re.fullmatch(pattern, text, re.DOTALL)
        if match is None:
            continue
        groups = ["", *match.groups()]
        types = [_NAMES.get(name) or with_article(name) for name in groups]
        operator = groups[1] if len(groups) > 1 else ""
        written = sentence.format(*types, done=_DONE.get(operator, "computed"), op=operator)
        return f"{written}.", _remedy(written) or hint
    return None


def _remedy(written: str) -> str:
    """Return the hint for a kind of value that a sentence speaks of, if there is one."""
    if "None" in written.replace('"', " ").split():
        return _NONE
    if "a missing value" in written:
        return _MISSING
    return _TEXT if "added" in written and "a string" in written else ""


CALLS: tuple[tuple[str, str], ...] = (
    (r".+\(\) got an unexpected keyword argument '(\w+)'.*", 'it has no parameter "{0}".'),
    (r".+\(\) missing \d+ required (?:positional|keyword-only) arguments?: (.+)", "it requires {0}."),
    (r".+\(\) takes .+ positional arguments? but \d+ (?:was|were) given", "it was given too many values."),
    (r".+\(\) got multiple values for argument '(\w+)'", 'it was given "{0}" twice.'),
)
"""Python's exceptions for the arguments of a call: a pattern, and the sentence."""


def wrong_arguments(text: str) -> str:
    """Return what is wrong with the arguments of a call, by the exception's text; empty where that is not known."""
    for pattern, sentence in CALLS:
        if match := re.fullmatch(pattern, text, re.DOTALL):
            return sentence.format(*(group.replace("'", '"') for group in match.groups()))
    return ""
