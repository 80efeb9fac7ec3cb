"""The mark around an offset, also one that is being typed, and the tokens before the offset in it."""

from __future__ import annotations

import re
from dataclasses import dataclass

from untor.analysis.analyser import surroundings_of
from untor.language.keywords import STEPS
from untor.language.scanner import Mark, Scanner
from untor.language.unreadable import tokens_before

TYPE_CHECKING = False
if TYPE_CHECKING:
    from untor.diagnostics.source import Source
    from untor.language.tokens import Token

_OPENING = re.compile(r"\{=|<!(?!--|doctype|\[)", re.IGNORECASE)
_OUTSIDE = re.compile(r"[\r\n<>]")
"""What is not between a mark that is never closed and a cursor in it."""
_KEYWORD = re.compile(r"<!\s*([^\W\d][\w-]*)?")


@dataclass(frozen=True)
class TypedMark:
    """A mark up to the cursor: its keyword, empty for a print mark, the tokens before the cursor, an open string."""

    start: int
    word: str
    inner_start: int
    tokens: list[Token]
    string_start: int | None
    """Where the string begins that the cursor is in: after its quote."""
    offset: int
    is_keyword: bool
    """Whether the cursor is in the keyword, or where it would be."""


def scanned(source: Source) -> list[Mark]:
    """Return the marks of a source."""
    return Scanner(source, surroundings_of(source)).scan()


def mark_at(marks: list[Mark], offset: int) -> Mark | None:
    """Return the mark that an offset is in, without its edges."""
    return next((each for each in marks if each.kind != "text" and each.start < offset < each.end + each.is_torn), None)


def mark_before(source: Source, marks: list[Mark], offset: int) -> TypedMark | None:
    """Return the mark that the text before an offset ends in; ``None`` where it ends in none."""
    text = source.text
    passed = [mark for mark in marks if mark.end <= offset and not _is_begun(text, mark)]
    inside = mark_at(marks, offset)
    is_comment = inside is not None and inside.kind == "nothing" and not _is_begun(text, inside)
    if is_comment or (passed and passed[-1].word == "verbatim"):
        return None
    if passed and passed[-1].is_torn and not _OUTSIDE.search(text, passed[-1].end, offset):
        passed.pop()
    closed = max((mark.end for mark in passed), default=0)
    openings = [*_OPENING.finditer(text, closed, offset)]
    if not openings:
        return None
    opening = openings[-1]
    if opening[0] == "{=":
        return _typed(source, opening.start(), "", opening.end(), offset)
    keyword = _KEYWORD.match(text, opening.start(), offset)
    word = (keyword and keyword[1]) or ""
    end = keyword.end() if keyword else opening.end()
    if end == offset:
        return TypedMark(opening.start(), word, end, [], None, offset, is_keyword=True)
    if word not in STEPS or word in {"note", "verbatim"}:
        return None
    return _typed(source, opening.start(), word, end, offset)


def _is_begun(text: str, mark: Mark) -> bool:
    """Return whether a mark is text, or the beginning of a step whose keyword is being typed."""
    is_open = mark.kind == "broken" and not text.startswith("!>", mark.end - 2)
    return mark.kind == "text" or is_open or (mark.kind == "nothing" and mark.end - mark.start == len("<!"))


def _typed(source: Source, start: int, word: str, inner: int, offset: int) -> TypedMark:
    found = tokens_before(source, inner, offset)
    last = found[-1].start
    if last < offset and source.text[last : last + 1] in {'"', "'"}:
        return TypedMark(start, word, inner, found[:-1], last + 1, offset, is_keyword=False)
    return TypedMark(start, word, inner, found[:-1], None, offset, is_keyword=False)
