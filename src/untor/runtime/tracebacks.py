"""Finds what went wrong while rendering, and where in the template; costs nothing until then.

Generated code carries the template's own lines and columns, so that the traceback of any exception has them.
"""

from __future__ import annotations

from opcode import opmap
from types import TracebackType

from untor.diagnostics.problem import Problem
from untor.diagnostics.wording import shortened
from untor.errors import MissingValue, RenderError, UntorError
from untor.escape import NotPrintable
from untor.runtime.attributes import missing_attribute
from untor.runtime.filter_error import FilterProblem

TYPE_CHECKING = False
if TYPE_CHECKING:
    from types import FrameType

    from untor.diagnostics.source import Source

    Sources = dict[str, Source]
    Calls = dict[tuple[str, int, int], tuple[str, str]]
    Reads = dict[tuple[str, int, int, int, int, bool], tuple[str, str]]

_LONGEST = 300
LINES = 4_000_000
"""Where code of one file is part of that of another, the number of its file times this is added to each line."""
_READING = {opmap[name] for name in ("LOAD_ATTR", "BINARY_SUBSCR", "BINARY_OP") if name in opmap}
"""The instructions that read an attribute or an item."""


def innermost(error: BaseException, sources: Sources) -> TracebackType | None:
    """Return the innermost part of a traceback that is in the code of a template."""
    found: TracebackType | None = None
    trace = error.__traceback__
    while trace is not None:
        if trace.tb_frame.f_globals.get("__untor_sources__") is sources:
            found = trace
        trace = trace.tb_next
    return found


def locate(error: BaseException, sources: Sources) -> tuple[Source, int, int] | None:
    """Return the source and the offsets of the innermost place in a template that an exception went through."""
    trace = innermost(error, sources)
    if trace is None:
        return None
    code = trace.tb_frame.f_code
    positions = list(code.co_positions())
    line, last_line, first, last = positions[trace.tb_lasti // 2]
    if line is None:
        line = trace.tb_lineno
    source = sources[code.co_filename]
    if line > len(source.starts):
        source = [*sources.values()][line // LINES]
        line, last_line = line % LINES, None if last_line is None else last_line % LINES
    start = source.offset_of_bytes(line, first or 0)
    end = start + 1 if last is None or last_line is None else source.offset_of_bytes(last_line, last)
    return source, start, max(end, start + 1)


def replacement_for(error: Exception, sources: Sources, calls: Calls, reads: Reads) -> UntorError | None:
    """Return the exception to raise instead; ``None`` to raise the original one again, with its position filled in."""
    instead = _instead_of(error, sources, calls, reads)
    _give_own_lines(error)
    return instead


def _instead_of(error: Exception, sources: Sources, calls: Calls, reads: Reads) -> UntorError | None:
    place = locate(error, sources)
    if isinstance(error, KeyError | AttributeError) and (missing := _not_there(error, sources, reads)):
        if place is not None:
            _fill_in(missing, *place)
        return missing
    if isinstance(error, UntorError):
        if error.problem.source is None and place is not None:
            _fill_in(error, *place)
        return None
    source, start, end = place or (next(iter(sources.values())), 0, 1)
    if isinstance(error, NotPrintable):
        return RenderError(Problem("not-printable", source, start, end, what=error.what, remedy=error.remedy))
    if isinstance(error, RecursionError):
        return RenderError(Problem("recursion", source, start, end))
    what = str(error) if isinstance(error, FilterProblem) else f"{type(error).__name__}: {error}"
    what = shortened(what, _LONGEST)
    kind, name = calls.get((source.path or source.name, *source.byte_position(start)), ("", ""))
    if kind == "filter":
        return RenderError(Problem("filter-failed", source, start, end, word=name, trouble=what))
    if kind == "call" and source.text[end - 1 : end] == ")":
        return RenderError(Problem("call-failed", source, start, end, word=name, trouble=what))
    return RenderError(Problem("expression-failed", source, start, end, trouble=what))


def _give_own_lines(error: Exception) -> None:
    """Replace the parts of a traceback whose code is that of another file by ones that show that file and its line.

    Such code is part of a function of the including template, and Python's own traceback knows one file a function.
    """
    parts: list[TracebackType] = []
    part = error.__traceback__
    while part is not None:
        parts.append(part)
        part = part.tb_next
    if all(part.tb_lineno < LINES for part in parts):
        return
    following: TracebackType | None = None
    for part in reversed(parts):
        sources = part.tb_frame.f_globals.get("__untor_sources__")
        if part.tb_lineno >= LINES and sources is not None:
            following = _in_own_file(part, [*sources.values()][part.tb_lineno // LINES], following)
        else:
            following = TracebackType(following, part.tb_frame, part.tb_lasti, part.tb_lineno)
    error.__traceback__ = following


def _in_own_file(part: TracebackType, source: Source, following: TracebackType | None) -> TracebackType:
    """Return a part of a traceback with the file and line of a source, and the values of the original frame."""
    import ast  # noqa: PLC0415  only for an error in an included template

    code = part.tb_frame.f_code
    line, last_line, first, last = [*code.co_positions()][part.tb_lasti // 2]
    line = part.tb_lineno % LINES
    module = ast.parse("0/0")
    for node in ast.walk(module):
        if isinstance(node, ast.expr | ast.stmt):
            node.lineno, node.end_lineno = line, (last_line or line) % LINES
            node.col_offset, node.end_col_offset = first or 0, last or 0
    raises = compile(module, source.path or source.name, "exec").replace(co_name=code.co_name)
    try:
        exec(raises, part.tb_frame.f_globals, dict(part.tb_frame.f_locals))  # noqa: S102  code of our own
    except ZeroDivisionError as error:
        own = error.__traceback__.tb_next  # type: ignore[union-attr]
    assert own is not None  # noqa: S101  the code raises
    return TracebackType(following, own.tb_frame, own.tb_lasti, line)


def has_no_location(error: Exception) -> bool:
    """Tell whether an exception has no position yet: only then is the item redone in Python, to find it.

    An exception with a position comes from another page, which was rendered for this one.
    """
    is_told = isinstance(error, UntorError) and error.problem.source is not None
    return not (is_told or isinstance(error, RecursionError))


def _not_there(error: KeyError | AttributeError, sources: Sources, reads: Reads) -> MissingValue | None:
    """Return the exception for a name that was read directly and is not there."""
    trace = innermost(error, sources)
    if trace is None or (isinstance(error, KeyError) and trace.tb_next is not None):
        return None
    code = trace.tb_frame.f_code
    if code.co_code[trace.tb_lasti] not in _READING:
        return None
    line, last_line, first, last = [*code.co_positions()][trace.tb_lasti // 2]
    items = isinstance(error, KeyError)
    read_here = reads.get((code.co_filename, line or 0, first or 0, last_line or 0, last or 0, items))
    if read_here is None:
        # Python was told to keep no columns: the line must do.
        name = error.args[0] if isinstance(error, KeyError) else error.name
        here = (
            each for key, each in reads.items() if (*key[:2], key[-1]) == (code.co_filename, trace.tb_lineno, items)
        )
        read_here = next((each for each in here if each[1] == name), None)
    if read_here is None:
        return None
    variable, name = read_here
    return MissingValue(missing_attribute(trace.tb_frame.f_locals.get(variable), name))


def _fill_in(error: UntorError, source: Source, start: int, end: int) -> None:
    problem = error.problem
    if isinstance(error, MissingValue):
        from untor.language.reads import read_at  # noqa: PLC0415  only for a message

        read = read_at(source, start, end)
        if read is not None and problem.code == "attribute-of-none":
            hint = f"If it may be None, write {read.owner}?{read.after} to print nothing, or test it with "
            hint += f"<! if {read.owner} !>."
            problem = Problem(problem.code, hint=hint, owner=read.owner, word=read.word)
        start = start if read is None else read.start
    problem.at(source, start, end)
    error.problem = problem
    error.args = (problem,)


def traces(error: BaseException) -> list[FrameType]:
    """Return the frames of generated code that an exception or its causes went through, innermost first."""
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
