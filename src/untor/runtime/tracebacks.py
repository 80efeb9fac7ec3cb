"""Finds what went wrong while rendering, and where in the template; costs nothing until then.

A program reports the current steps; generated Python has the template's own lines and columns, so that the
traceback of any exception has them. Either way, the traceback shows the template's lines.
"""

from __future__ import annotations

from types import TracebackType

from untor.diagnostics.hints import of_call
from untor.diagnostics.problem import Problem
from untor.diagnostics.wording import shortened, with_article
from untor.errors import MissingValue, RenderError, UntorError
from untor.escape import NotPrintable
from untor.escape.truth import NotData
from untor.runtime import places
from untor.runtime.attributes import unreadable
from untor.runtime.compiled import place_at
from untor.runtime.filter_error import FilterProblem, NotComputable
from untor.runtime.iteration import items_taken

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Sequence
    from types import FrameType
    from typing import NamedTuple

    from untor.diagnostics.source import Source
    from untor.runtime.compiled import CompiledProgram

    Sources = dict[str, Source]
    Calls = dict[tuple[str, int, int], tuple[str, str]]
    Trail = tuple[tuple[int, int, tuple[object, ...], tuple[int, ...], int], ...]
    """Where a program was, from the outside in: a function, the place in the code, the values of its slots, for each
    loop how many items it has taken and used, and which activation of the function it is."""

    class Location(NamedTuple):
        """A place in a template, and, where a filter or a function was called there, which of the two and its name.

        ``items`` are those that the loops around it are at, innermost first: their number, and of which collection.
        """

        source: Source
        start: int
        end: int
        kind: str = ""
        word: str = ""
        items: tuple[tuple[int, str], ...] = ()
else:  # typing is not loaded to render a page
    from collections import namedtuple

    Location = namedtuple("Location", "source start end kind word items", defaults=("", "", ()))  # noqa: PYI024

_LONGEST = 300
_MOST_SHOWN = 40
"""How many pieces of a page a traceback shows: those around the error, of pages that are nested deep."""


# --- programs --------------------------------------------------------------------------------------------------------


def failed(compiled: CompiledProgram, error: Exception, trail: Trail) -> Exception:
    """Return the exception to raise instead of one of a program: the same, or another with it as its cause."""
    places.forget()
    trail = trail[-_MOST_SHOWN:]
    located = [
        (location, number, values)
        for location, (number, _, values, _, _) in zip(locations_of(compiled, trail), trail, strict=True)
    ]
    following = error.__traceback__
    for location, number, values in reversed(located):
        if location is not None:
            following = _shown_at(location, compiled, number, values, following)
    error.__traceback__ = following
    found = [location for location, _, _ in located if location is not None]
    last = located[-1][0] if located else None
    instead = instead_of(error, last, next(iter(compiled.sources.values())))
    _add_chain(error if instead is None else instead, found)
    if instead is None:
        return error
    instead.__cause__ = error
    return instead


def locations_of(compiled: CompiledProgram, trail: Trail) -> list[Location | None]:
    """Return the places in templates that a program was at, from the outside in; ``None`` for one that has none."""
    found: list[Location | None] = []
    told: set[tuple[int, int]] = set()
    for number, at, _, counts, activation in trail:
        place = place_at(compiled.places, at)
        if place is None:
            found.append(None)
            continue
        file, start, end, kind, word = place
        source, items = compiled.sources[file], []
        for loop, (first, last, begin, stop, ahead) in enumerate(compiled.functions[number][3]):
            # Content for a slot runs among the loops of the function that it is in, and those are reported there.
            if begin <= start < stop and (activation, loop) not in told:
                told.add((activation, loop))
                items.append((counts[2 * loop + ahead], source.text[first:last]))
        found.append(Location(source, start, end, kind, word, tuple(reversed(items))))
    return found


def _shown_at(
    location: Location,
    compiled: CompiledProgram,
    number: int,
    values: Sequence[object],
    following: TracebackType | None,
) -> TracebackType:
    """Return a part of a traceback that shows a place in a template, with the values of its names."""
    import ast  # noqa: PLC0415  only for an error

    source = location.source
    name, _, variables, _ = compiled.functions[number]
    line, first = source.byte_position(location.start)
    last_line, last = source.byte_position(location.end)
    module = ast.parse("0/0")
    for node in ast.walk(module):
        if isinstance(node, ast.expr | ast.stmt):
            node.lineno, node.end_lineno, node.col_offset, node.end_col_offset = line, last_line, first, last
    code = compile(module, source.path or source.name, "exec").replace(co_name=name)
    names = {variable: values[slot] for variable, slot in variables if slot < len(values)}
    around = {"__untor_sources__": compiled.sources, "__name__": "untor.page", "__loader__": SourceLines(source)}
    try:
        exec(code, around, names)  # noqa: S102  code of our own, for its frame
    except ZeroDivisionError as error:
        own = error.__traceback__.tb_next  # type: ignore[union-attr]
    assert own is not None  # noqa: S101  the code raises
    return TracebackType(following, own.tb_frame, own.tb_lasti, line)


class SourceLines:
    """Gives Python's tracebacks the lines of a template that is in no file."""

    def __init__(self, source: Source) -> None:
        self.source = source

    def get_source(self, name: str) -> str:  # noqa: ARG002  the signature that linecache calls
        """Return the text of the template."""
        return self.source.text


# --- generated Python ------------------------------------------------------------------------------------------------


def replacement_for(error: Exception, sources: Sources, calls: Calls) -> UntorError | None:
    """Return the exception to raise instead; ``None`` to raise the original one again, with its position filled in."""
    places = _located(error, sources, calls)
    missing = unreadable(error) if _is_own(error) else None
    last = places[-1] if places else None
    instead = instead_of(missing or error, last, next(iter(sources.values()))) or missing
    _add_chain(instead or error, places)
    return instead


def _is_own(error: BaseException) -> bool:
    """Return whether an exception was raised by a page's own code, and not by a function that it calls."""
    trace = error.__traceback__
    while trace is not None and trace.tb_next is not None:
        trace = trace.tb_next
    return trace is None or "__untor_sources__" in trace.tb_frame.f_globals


def _located(error: BaseException, sources: Sources, calls: Calls) -> list[Location]:
    """Return the places in templates that an exception went through, outermost first."""
    traces: list[TracebackType] = []
    trace = error.__traceback__
    while trace is not None:
        if trace.tb_frame.f_globals.get("__untor_sources__") is sources:
            traces.append(trace)
        trace = trace.tb_next
    return locations_in([(each.tb_frame, each.tb_lasti, each.tb_lineno) for each in traces[-_MOST_SHOWN:]], calls)


def locations_in(frames: list[tuple[FrameType, int, int]], calls: Calls) -> list[Location]:
    """Return the places in templates of frames, each at an instruction and a line, outermost first."""
    found: list[Location] = []
    told: set[int] = set()
    variables: dict[str, object] = {}
    for frame, instruction, line in frames:
        place = _at_instruction(frame, instruction, line, calls)
        # The condition of a loop has a frame of its own, inside that of the loop.
        variables = {**(variables if frame.f_code.co_name == "<genexpr>" else {}), **frame.f_locals}
        items: list[tuple[int, str]] = []
        for name, (first, last, begin, stop, _) in frame.f_globals["__untor_loops__"].items():
            iterator = variables.get(name)
            if begin <= place.start < stop and id(iterator) not in told and (number := items_taken(iterator)):
                told.add(id(iterator))
                items.append((number, place.source.text[first:last]))
        found.append(place._replace(items=tuple(reversed(items))))
    return found


def _at_instruction(frame: FrameType, instruction: int, at_line: int, calls: Calls) -> Location:
    code, sources = frame.f_code, frame.f_globals["__untor_sources__"]
    line, last_line, first, last = list(code.co_positions())[instruction // 2]
    source, line = sources[code.co_filename], line or at_line
    start = source.offset_of_bytes(line, first or 0)
    end = start + 1 if last is None or last_line is None else source.offset_of_bytes(last_line, last)
    kind, word = calls.get((source.path or source.name, *source.byte_position(start)), ("", ""))
    if kind == "call" and source.text[end - 1 : end] != ")":
        kind = word = ""
    return Location(source, start, max(end, start + 1), kind, word)


# --- how the page got there ------------------------------------------------------------------------------------------

_RELATIONS = {"include": "included by", "use": "used by", "layout": "the layout of"}
_MOST_STEPS = 6
_MANY = 10
"""From here on, how often a step repeats is not counted: only the last steps are known."""


def chain_of(places: Sequence[Location]) -> tuple[str, ...]:
    """Return how a page got to the last of several places, innermost step first."""
    from itertools import groupby  # noqa: PLC0415  only for an error
    from re import match  # noqa: PLC0415

    found = [_item_of(*item) for item in places[-1].items] if places else []
    for number in reversed(range(len(places) - 1)):
        outer, inside = places[number], places[number + 1 :]
        step = match(r"<!\s*(include|use|layout)\b", outer.source.text[outer.start : outer.start + _MOST_SHOWN])
        # Content for slots is the template's own, though a layout or a component prints it.
        is_own = step is not None and step[1] != "include" and any(each.source is outer.source for each in inside)
        if step is not None and not is_own:
            line, _ = outer.source.position(outer.start)
            found.append(f"{_RELATIONS[step[1]]} {outer.source.name}, line {line}")
        found += [_item_of(*item) for item in outer.items]
    grouped = [(step, len([*same])) for step, same in groupby(found)]
    shown = [step if count == 1 else f"{step} ({count if count < _MANY else 'many'} times)" for step, count in grouped]
    more = len(shown) - _MOST_STEPS
    return (*shown[:_MOST_STEPS], f"and {more} more") if more > 0 else tuple(shown)


def _item_of(number: int, collection: str) -> str:
    return f'item {number} of "{shortened(" ".join(collection.split()), _MOST_SHOWN)}"'


def _add_chain(error: Exception, places: Sequence[Location]) -> None:
    if not isinstance(error, UntorError) or error.problem.chain:
        return
    error.problem.chain = chain_of(places)
    if error.code in {"name-missing", "takes-missing"} and len(places) > 1:
        _say_how_to_pass(error.problem, places)


def _say_how_to_pass(problem: Problem, places: Sequence[Location]) -> None:
    """Add to the hint about a missing value how the step that brought in the template would pass it."""
    from re import match  # noqa: PLC0415  only for a message

    outer, inner = places[-2:]
    step = match(
        r"<!\s*(include|use|layout)\s+(\w+(?:\s+from\s+)?)?('[^']*'|\"[^\"]*\")?", outer.source.text[outer.start :]
    )
    name = match(r"\w+", inner.source.text[inner.start :])
    if step is None or name is None or (step[1] != "include" and inner.source is outer.source):
        return
    passing = f"To pass it, write <! {step[1]} {step[2] or ''}{step[3] or ''} {name[0]}=VALUE !>"
    if problem.code == "takes-missing":
        problem.hint = f"{passing}; or give it a default in the takes step."
    else:
        problem.hint = f"{problem.hint} {passing}.".strip()


# --- both ------------------------------------------------------------------------------------------------------------


def instead_of(error: Exception, location: Location | None, page: Source) -> UntorError | None:
    """Return the exception to raise instead; ``None`` for the original one, which then gets its place."""
    if isinstance(error, UntorError):
        if error.problem.source is None and location is not None:
            _fill_in(error, location.source, location.start, location.end)
        return None
    source, start, end, kind, word, _ = location or Location(page, 0, 1)
    if isinstance(error, NotData):
        return RenderError(Problem("function-as-value", source, start, end, what=error.what))
    if isinstance(error, NotPrintable):
        return RenderError(
            Problem("not-printable", source, start, end, what=_at(error, source, start, end), remedy=error.remedy)
        )
    if isinstance(error, RecursionError):
        return RenderError(Problem("recursion", source, start, end))
    raising = _raising(error)
    # What a function of the application computes, whose value is only read here, is not the template's.
    is_read = bool(raising) and _is_read(source.text[start:end])
    if not kind and not is_read and (known := _explained(error)):
        return RenderError(Problem("expression-failed", source, start, end, trouble=known[0], hint=known[1]))
    if kind == "call" and type(error) is TypeError and (wrong := _of_arguments(error)):
        return RenderError(Problem("call-failed", source, start, end, word=word, trouble=wrong))
    what = str(error) if isinstance(error, FilterProblem) else f"{type(error).__name__}: {error}"
    what = shortened(what, _LONGEST)
    if kind == "filter" and word.startswith("_"):
        # What no template can write is the number of a message.
        kind, word = "call", "say"
    if kind == "filter":
        return RenderError(Problem("filter-failed", source, start, end, word=word, trouble=what))
    if kind == "call":
        return RenderError(Problem("call-failed", source, start, end, word=word, trouble=what))
    return RenderError(Problem("expression-failed", source, start, end, trouble=f"{raising}{what}"))


def _is_read(expression: str) -> bool:
    """Return whether an expression only reads a value: a name, or attributes of one."""
    from re import fullmatch  # noqa: PLC0415  only for an error

    return fullmatch(r"[\w.?]+", expression) is not None


def _raising(error: Exception) -> str:
    """Return which function of the application's an exception of an expression came from: ``Vessel.length raised``."""
    trace, name = error.__traceback__, ""
    while trace is not None:
        module, around = trace.tb_frame.f_globals.get("__name__", ""), "__untor_sources__" in trace.tb_frame.f_globals
        if around:
            name = ""
        elif not name and not module.startswith("untor."):
            name = trace.tb_frame.f_code.co_qualname.rpartition("<locals>.")[2]
        trace = trace.tb_next
    owner, _, method = name.rpartition(".")
    return f"str() of {with_article(owner)} raised " if method == "__str__" else f"{name} raised " if name else ""


def _of_arguments(error: Exception) -> str:
    """Return what is wrong with the arguments of a call, where the call itself failed and nothing inside it."""
    if not _is_own(error):
        return ""
    from untor.diagnostics.python_errors import wrong_arguments  # noqa: PLC0415  only for an error

    return wrong_arguments(str(error))


def _explained(error: Exception) -> tuple[str, str] | None:
    """Return the sentence and the hint for an exception of an expression, where its meaning is known."""
    if isinstance(error, NotComputable):
        return str(error), error.remedy
    if type(error) not in {TypeError, ZeroDivisionError}:
        return None
    from untor.diagnostics.python_errors import explained  # noqa: PLC0415  only for an error

    return explained(str(error))


def _at(error: NotPrintable, source: Source, start: int, end: int) -> str:
    """Return what cannot be printed, with the path to it where it is inside of the printed value."""
    if not error.path:
        return error.what
    from re import fullmatch  # noqa: PLC0415  only for a message

    root, *filters = source.text[start:end].split("|")
    root = root.strip()
    known = len(filters) <= 1 and fullmatch(r"[\w.]+(?:\[[^\[\]]*\][\w.]*)*", root)
    return f"{error.what}, at {root if known else 'value'}{error.path},"


def _fill_in(error: UntorError, source: Source, start: int, end: int) -> None:
    problem = error.problem
    if isinstance(error, MissingValue):
        from untor.language.reads import read_at  # noqa: PLC0415  only for a message

        reading = read_at(source, start, end)
        if reading is not None and problem.code == "attribute-of-none":
            hint = f"If it may be None, write {reading.owner}?{reading.after} to print nothing, or test it with "
            hint += f"<! if {reading.owner} !>."
            problem = Problem(problem.code, hint=hint, owner=reading.owner, word=reading.word)
        if problem.code == "name-missing" and source.text.startswith("(", end):
            problem.hint = _of_call(source, source.text[start:end]) or problem.hint
        problem.hint = problem.hint.replace("{owner}", "value" if reading is None else reading.owner)
        start, end = (start, end) if reading is None else (reading.start, reading.end)
    problem.at(source, start, end)
    error.problem = problem
    error.args = (problem,)


def _of_call(source: Source, name: str) -> str:
    from re import escape, search  # noqa: PLC0415  only for a message

    if search(rf"<!\s*part\s+{escape(name)}\b", source.text):
        return f'"{name}" is a part: write <! include {name} NAME=VALUE !>.'
    return of_call(name)


def traces(error: BaseException) -> list[FrameType]:
    """Return the frames of templates that an exception or its causes went through, innermost first."""
    frames: list[FrameType] = []
    cause: BaseException | None = error
    while cause is not None:
        trace = cause.__traceback__
        while trace is not None:
            if "__untor_sources__" in trace.tb_frame.f_globals and trace.tb_frame not in frames:
                frames.append(trace.tb_frame)
            trace = trace.tb_next
        cause = cause.__cause__
    return frames[::-1]
