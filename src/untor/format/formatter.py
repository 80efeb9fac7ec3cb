"""Gives the marks of a template one spelling; everything that reaches a page stays as it is."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, NamedTuple

from untor.analysis.analyser import reading_of, surroundings_of
from untor.analysis.markup_tracker import MarkupTracker
from untor.diagnostics.source import Source
from untor.format.blank_lines import between_contents
from untor.format.comparison import Difference, compare
from untor.format.spelling import lines_of
from untor.language.keywords import BLOCKS
from untor.language.scanner import Scanner
from untor.language.tokens import SyntaxProblem, tokens

if TYPE_CHECKING:
    from untor.compiler.compiler import Compiler
    from untor.language.scanner import Mark


@dataclass(frozen=True, slots=True)
class Style:
    """Where people differ: the ``quotes`` of strings, and the blanks before the further lines of a mark, ``indent``.

    Quotes are ``double``, ``single``, or ``alternate``: those that are not around the attribute that a mark is in, and
    double ones elsewhere.
    """

    quotes: str = "double"
    indent: int = 2


class Replacement(NamedTuple):
    """Put ``text`` in the place of what is between two offsets."""

    start: int
    end: int
    text: str


class Formatted(NamedTuple):
    """A template in the one spelling, and what was replaced for that."""

    text: str
    edits: list[Replacement]


def formatted(
    source: Source,
    style: Style = Style(),
    *,
    lines: tuple[int, int] | None = None,
    compiler: Compiler | None = None,
) -> Formatted:
    """Return a template with its marks in one spelling, or only those that begin in some ``lines`` (from 1).

    Raises ``Difference`` if the page were another one, which is a mistake of ours. With a ``compiler``, the compiled
    programs are compared too.
    """
    scanner = _StateScanner(source, surroundings_of(source))
    marks = scanner.scan()
    edits = [*_spelled(source, marks, scanner.states, style), *_aligned(source, marks)]
    reading = reading_of(source)
    edits += [Replacement(*each) for each in between_contents(reading)]
    first, last = lines or (1, len(source.starts))
    chosen = [each for each in sorted(edits) if first <= source.position(each.start)[0] <= last]
    chosen = [each for each in chosen if source.text[each.start : each.end] != each.text]
    after = Source(source.name, _applied(source.text, chosen), source.path)
    if chosen:
        compare(reading, reading_of(after), compiler)
    return Formatted(after.text, chosen)


def _applied(text: str, edits: list[Replacement]) -> str:
    pieces, at = [], 0
    for edit in edits:
        pieces += [text[at : edit.start], edit.text]
        at = edit.end
    return "".join([*pieces, text[at:]])


class _StateScanner(Scanner):
    """Knows the state of the markup at each mark."""

    def __init__(self, source: Source, surroundings: MarkupTracker | None) -> None:
        super().__init__(source, surroundings)
        self.states: dict[int, str] = {}

    def _add(self, mark: Mark) -> int:
        if isinstance(self.surroundings, MarkupTracker) and mark.kind in {"print", "step"}:
            self._follow(self.surroundings, mark.start)
            self.states[mark.start] = self.surroundings.machine.state
        return super()._add(mark)


# --- spelling --------------------------------------------------------------------------------------------------------


def _spelled(source: Source, marks: list[Mark], states: dict[int, str], style: Style) -> list[Replacement]:
    """Return the marks in their spelling."""
    edits: list[Replacement] = []
    for mark in marks:
        if mark.kind not in {"print", "step"} or mark.is_torn:
            continue
        text = _spelling(source, mark, states.get(mark.start, ""), style)
        if text is not None:
            edits.append(Replacement(mark.start, mark.end, text))
    return edits


def _spelling(source: Source, mark: Mark, state: str, style: Style) -> str | None:
    """Return how a mark is written; ``None`` where it cannot be read."""
    opening, closing = ("{=", "=}") if mark.kind == "print" else (f"<! {mark.word.removesuffix('-else')}", "!>")
    inner = source.text[mark.inner_start : mark.inner_end]
    if mark.word == "note":
        text = inner.strip()
        is_one_line = len(text.splitlines()) <= 1 and len(inner.splitlines()) <= 1
        return (f"{opening} {text} !>" if text else f"{opening} !>") if is_one_line else None
    if mark.word == "end-verbatim":
        return None
    try:
        found = tokens(source, mark.inner_start, mark.inner_end)[:-1]
    except SyntaxProblem:
        return None
    if not found:
        return f"{opening} {closing}" if mark.kind == "step" else None
    is_in_double = style.quotes == "alternate" and "double-quoted" in state
    quote = "'" if style.quotes == "single" or is_in_double else '"'
    lines = lines_of(found, mark.word, source.text, quote)
    gap_before = source.text[mark.inner_start : found[0].start]
    gap_after = source.text[found[-1].end : mark.inner_end]
    line_break = "\r\n" if "\r\n" in inner else "\n" if "\n" in inner else "\r"
    base = _indentation(source, mark.start)
    further = base + " " * style.indent
    pieces = [opening, line_break + further if _breaks(gap_before) else " "]
    for number, line in enumerate(lines):
        if number:
            pieces += [line_break, base if line.closes else further]
        pieces.append(line.text)
    pieces += [line_break + base if _breaks(gap_after) else " ", closing]
    return "".join(pieces)


def _breaks(gap: str) -> bool:
    return "\n" in gap or "\r" in gap


def _indentation(source: Source, offset: int) -> str:
    """Return the blanks at the beginning of the line of an offset."""
    line = source.line(source.position(offset)[0])
    return line[: len(line) - len(line.lstrip(" \t"))]


# --- lines that hold only steps --------------------------------------------------------------------------------------


def _aligned(source: Source, marks: list[Mark]) -> list[Replacement]:
    """Return the blanks before branches and ends, so that they begin where their step does.

    Only lines that hold only steps are aligned: their blanks never reach the page.
    """
    edits: list[Replacement] = []
    open_: list[Mark] = []
    alone = _alone(source, marks)
    for mark in marks:
        if mark.kind not in {"step", "broken"}:
            continue
        if mark.word in {"else", "elif", "between", "end", "end-verbatim"} and open_:
            opener = open_.pop() if mark.word in {"end", "end-verbatim"} else open_[-1]
            if mark.start in alone and opener.start in alone and mark.word != "end-verbatim":
                edits.append(Replacement(alone[mark.start], mark.start, _indentation(source, opener.start)))
        elif mark.word in BLOCKS or mark.word == "verbatim":
            open_.append(mark)
    return edits


def _is_on_line(text: str, end: int, mark: Mark) -> bool:
    """Return whether a line of steps goes on with a mark, or with the blanks before the next one."""
    if mark.kind == "text":
        return mark.start == end and not text[mark.start : mark.end].strip(" \t")
    return mark.kind == "step" and not text[end : mark.start].strip(" \t")


def _alone(source: Source, marks: list[Mark]) -> dict[int, int]:
    """Return the marks that begin a line which holds only steps, each with where the line begins."""
    text = source.text
    found: dict[int, int] = {}
    line_end = 0
    for index, mark in enumerate(marks):
        if mark.kind != "step" or mark.start < line_end:
            continue
        start = source.starts[source.position(mark.start)[0] - 1]
        if text[start : mark.start].strip(" \t"):
            continue
        end = mark.end
        following = index + 1
        while following < len(marks) and _is_on_line(text, end, marks[following]):
            end = max(end, marks[following].end)
            following += 1
        line_end = end
        rest = text[end:].split("\n", 1)[0].split("\r", 1)[0] if end < len(text) else ""
        if not rest.strip(" \t"):
            found[mark.start] = start
    return found


__all__ = ["Difference", "Formatted", "Replacement", "Style", "formatted"]
