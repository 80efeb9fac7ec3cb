"""Tells what went wrong while rendering, and where in the template; costs nothing until then.

Generated code carries the template's own lines and columns, so that the traceback of any exception has them.
"""

from __future__ import annotations

from untor.errors import MissingValue, RenderError, UntorError
from untor.escape import NotPrintable
from untor.filters.problem import FilterProblem
from untor.problems import Problem

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Mapping
    from types import TracebackType

    from untor.source import Source

_LONGEST = 300


def locate(error: BaseException, source: Source) -> tuple[int, int] | None:
    """Return the offsets of the innermost place in a template that an exception went through."""
    found: TracebackType | None = None
    trace = error.__traceback__
    while trace is not None:
        if trace.tb_frame.f_globals.get("__untor_source__") is source:
            found = trace
        trace = trace.tb_next
    if found is None:
        return None
    positions = list(found.tb_frame.f_code.co_positions())
    line, last_line, first, last = positions[found.tb_lasti // 2]
    if line is None:
        line = found.tb_lineno
    start = source.offset_of_bytes(line, first or 0)
    end = start + 1 if last is None or last_line is None else source.offset_of_bytes(last_line, last)
    return start, max(end, start + 1)


def trouble(error: Exception, source: Source, filter_places: Mapping[tuple[int, int], str]) -> UntorError | None:
    """Return the exception to raise instead; ``None`` when the one there is can go on, with its place filled in."""
    place = locate(error, source)
    if isinstance(error, UntorError):
        if error.problem.source is None and place is not None:
            _fill_in(error, source, *place)
        return None
    start, end = place or (0, 1)
    name = filter_places.get(source.byte_position(start))
    if isinstance(error, NotPrintable):
        return RenderError(Problem("not-printable", source, start, end, what=error.what, remedy=error.remedy))
    what = str(error) if isinstance(error, FilterProblem) else f"{type(error).__name__}: {error}"
    what = what if len(what) <= _LONGEST else what[:_LONGEST] + "…"
    if name is not None:
        return RenderError(Problem("filter-failed", source, start, end, word=name, trouble=what))
    return RenderError(Problem("expression-failed", source, start, end, trouble=what))


def _fill_in(error: UntorError, source: Source, start: int, end: int) -> None:
    problem = error.problem
    if isinstance(error, MissingValue):
        text = source.text[start:end]
        owner, found, word = text.rpartition("[" if text.endswith("]") else ".")
        if found and problem.code == "attribute-of-none":
            word = f"[{word}" if found == "[" else word
            owner = owner.rstrip().rstrip("?")
            hint = f"If it may be None, write {owner}?{text[len(owner) :].lstrip('? ')} to print nothing, or test it "
            problem = Problem(problem.code, hint=f"{hint}with <! if {owner} !>.", owner=owner, word=word)
        start = end - len(word) if found == "." else start
    problem.at(source, start, end)
    error.problem = problem
    error.args = (problem,)
