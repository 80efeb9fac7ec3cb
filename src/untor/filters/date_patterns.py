"""Patterns of dates and times that people write by mistake, and what to write instead (CLDR, UTS #35 part 4 §8).

In CLDR's patterns upper and lower case mean different things, and what is not a field must be between quotes.
"""

from __future__ import annotations

import re

from untor.runtime.filter_error import FilterProblem

_TOKEN = re.compile(r"'(?:[^']|'')*'|([A-Za-z])\1*|[^A-Za-z']+|'")
_STRFTIME = re.compile(r"%[-#]?([A-Za-z%])")

FIELDS = frozenset("GyYuQqMLwWdDFgEecabBhHKkmsSAzZOvVXx")
"""UTS #35 part 4 §8.2: the letters of fields, except those that only other programs than Babel know."""
TIME_FIELDS = frozenset("abBhHKkmsSAzZOvVXx")
ZONE_FIELDS = frozenset("zZOvVXx")
_HOURS = frozenset("hHKk")

_FROM_STRFTIME = {
    "A": "EEEE",
    "a": "EEE",
    "B": "MMMM",
    "b": "MMM",
    "d": "dd",
    "e": "d",
    "H": "HH",
    "I": "hh",
    "j": "DDD",
    "M": "mm",
    "m": "MM",
    "p": "a",
    "S": "ss",
    "Y": "y",
    "y": "yy",
    "Z": "z",
    "z": "xx",
    "%": "%",
}
"""The codes of ``strftime``, as fields."""


def fields_of(pattern: str) -> set[str]:
    """Return the letters of a pattern's fields."""
    return {match[1] for match in _TOKEN.finditer(pattern) if match[1]}


def check(pattern: str, *, dates: bool, times: bool) -> None:
    """Raise ``FilterProblem`` for a pattern that means something else than it seems to, or has other fields."""
    if _STRFTIME.search(pattern):
        known = all(match[1] in _FROM_STRFTIME for match in _STRFTIME.finditer(pattern))
        instead = _STRFTIME.sub(lambda match: _FROM_STRFTIME[match[1]], pattern) if known else "d MMMM y"
        raise FilterProblem(f"{pattern!r} is a pattern of strftime; here that is {instead!r}.")
    tokens = [match[0] for match in _TOKEN.finditer(pattern)]
    at = [index for index, token in enumerate(tokens) if token[0].isascii() and token[0].isalpha()]
    letters = [tokens[index][0] for index in at]
    reasons: list[str] = []
    for number, index in enumerate(at):
        letter, instead = _corrected(letters, number, len(tokens[index]))
        if instead:
            tokens[index] = letter * len(tokens[index])
            reasons += [] if instead in reasons else [instead]
    if reasons:
        corrected = "".join(tokens)
        raise FilterProblem(f"in {pattern!r} {' and '.join(reasons)}: write {corrected!r}.")
    if "'" in tokens:
        raise FilterProblem(f"in {pattern!r} a quote is not closed: write '' for an apostrophe.")
    for index in at:
        if tokens[index][0] not in FIELDS:
            raise FilterProblem(
                f"{tokens[index]!r} in {pattern!r} is not a field of CLDR's patterns; text is written between single "
                "quotes, as in d 'of' MMMM.",
            )
    times_in_it = TIME_FIELDS.intersection(letters)
    if not times and times_in_it:
        raise FilterProblem(f"{pattern!r} has fields of a time of day: use the filter datetime, or time.")
    if not dates and set(letters) - TIME_FIELDS:
        raise FilterProblem(f"{pattern!r} has fields of a date: use the filter datetime, or date.")


def _corrected(letters: list[str], number: int, length: int) -> tuple[str, str]:
    """Return the letter that was meant, and why; no reason for one that is right."""
    letter = letters[number]
    before = letters[number - 1] if number else ""
    after = letters[number + 1] if number + 1 < len(letters) else ""
    if letter == "Y" and "w" not in letters:
        return "y", "Y is the year that a week belongs to"
    if letter == "D" and {"M", "L"}.intersection(letters):
        return "d", "D is the day of the year"
    if letter == "d" and length > 2:  # noqa: PLR2004  a day has two digits at most
        return "E", "d is the day of the month"
    if letter == "m" and before not in _HOURS and after != "s" and {before, after}.intersection("dyYEDM"):
        return "M", "m is minutes"
    if letter == "M" and before in _HOURS:
        return "m", "M is months"
    return letter, ""
