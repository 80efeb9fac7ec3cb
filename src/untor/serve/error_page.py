"""What the error page shows of an error: its place in the template, and the values there."""

from __future__ import annotations

import re
from typing import NamedTuple

from untor.diagnostics.wording import shortened
from untor.escape import MISSING
from untor.runtime.tracebacks import traces

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterable, Mapping

    from untor.diagnostics.problem import Problem
    from untor.errors import UntorError

_AROUND = 4
"""How many lines are shown before and after the place."""

_LONGEST = 400
_MOST = 60
_LOCAL = re.compile(r"_(?:v_(.+)_\d+|p_(.+))|[^_].*", re.DOTALL)


class ShownLine(NamedTuple):
    """A line of a template; in the line of the problem, ``marked`` is what is wrong."""

    number: int
    before: str
    marked: str
    after: str
    here: bool


class Shown(NamedTuple):
    """A problem with the lines around it."""

    kind: str
    code: str
    message: str
    hints: list[str]
    file: str
    line: int
    column: int
    lines: list[ShownLine]
    chain: tuple[str, ...] = ()


class ShownValue(NamedTuple):
    """A value that the template can read: its name, origin and type, and its text on request."""

    name: str
    comes: str
    type: str
    text: str


def shown(problem: Problem) -> Shown:
    """Return what is shown of a problem."""
    kind, hints = problem.kind.error, problem.hint.splitlines()
    source = problem.source
    if source is None:
        return Shown(kind, problem.code, problem.message, hints, "", 0, 0, [])
    line, column = source.position(problem.start)
    lines = []
    for number in range(max(1, line - _AROUND), min(len(source.starts), line + _AROUND) + 1):
        begin = source.starts[number - 1]
        end = source.starts[number] if number < len(source.starts) else len(source.text)
        text = source.text[begin:end].rstrip("\r\n")
        if number > line and begin == len(source.text):
            break
        start = min(max(problem.start - begin, 0), len(text)) if number == line else 0
        stop = min(max(problem.end - begin, start), len(text)) if number == line else 0
        lines.append(ShownLine(number, text[:start], text[start:stop], text[stop:], number == line))
    file = source.path or source.name
    return Shown(kind, problem.code, problem.message, hints, file, line, column, lines, problem.chain)


def values_of(error: UntorError, context: Mapping[str, object], *, texts: bool) -> list[ShownValue]:
    """Return the values that exist where rendering failed, innermost first; with ``texts``, their texts too."""
    values: dict[str, tuple[str, object]] = {}
    for frame in traces(error):
        for local, value in reversed(frame.f_locals.items()):
            matched = _LOCAL.fullmatch(local)
            if matched and value is not MISSING:
                values.setdefault(matched[1] or matched[2] or local, ("this template", value))
    for name, value in context.items():
        if isinstance(name, str):
            values.setdefault(name, ("the page's data", value))
    return [
        ShownValue(name, comes, kind_of(value), _text(value) if texts else "") for name, (comes, value) in _few(values)
    ]


def _few(found: Mapping[str, tuple[str, object]]) -> Iterable[tuple[str, tuple[str, object]]]:
    return list(found.items())[:_MOST]


def kind_of(value: object) -> str:
    """Say what kind of value this is, and how many items or what names it has."""
    name = type(value).__name__
    if isinstance(value, dict):
        keys = [str(key) for key in list(value)[:8]]
        return f"{name} with {', '.join(keys)}{' …' if len(value) > len(keys) else ''}" if keys else f"empty {name}"
    if isinstance(value, list | tuple | set | frozenset):
        inner = {type(item).__name__ for item in list(value)[:20]}
        return f"{name} of {len(value):,}{f' {inner.pop()}' if len(inner) == 1 else ''}"
    return f"{name}, {len(value):,} characters" if isinstance(value, str) else name


def _text(value: object) -> str:
    """Return a value as Python shows it, cut off; whatever it does, the page goes on."""
    try:
        text = repr(value)
    except Exception as error:  # noqa: BLE001  a view's object may do anything
        return f"(cannot be shown: {type(error).__name__})"
    return shortened(text, _LONGEST)
