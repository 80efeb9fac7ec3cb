"""Splits source text into text, print marks and step marks.

A ``<!`` is a step or not depending on whether it is in markup, in an attribute, in a script …; the
``Surroundings`` that the caller passes decide that, where it matters.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Protocol

from untor.diagnostics import hints
from untor.diagnostics.problem import Problem, suggestion
from untor.language.keywords import BLOCKS, STEPS

TYPE_CHECKING = False
if TYPE_CHECKING:
    from untor.diagnostics.source import Source


class Surroundings(Protocol):
    """Follows the text between marks and knows what kind of place it has come to."""

    def text(self, text: str) -> None:
        """Go over text of the template."""

    def value(self) -> None:
        """Go over a print mark."""

    def opened(self) -> None:
        """Go into a step with content."""

    def branched(self) -> None:
        """Go from one branch of the innermost open step to the next."""

    def closed(self) -> None:
        """Go out of the innermost open step."""

    def in_markup(self) -> bool:
        """Return whether a tag or a comment could begin here."""

    def kind(self) -> str:
        """Return what text is read as here: ``markup``, ``text`` with character references, or ``raw``."""


@dataclass(slots=True)
class Mark:
    """A piece of source: ``text``, ``print``, ``step``, or ``nothing`` (a dropped comment, a mark with a problem).

    ``start`` and ``end`` enclose all of it, ``inner_start`` and ``inner_end`` what is between its delimiters,
    after the keyword of a step. ``place`` is what text is read as around a message. A torn mark is never closed.
    """

    kind: str
    start: int
    end: int
    inner_start: int = 0
    inner_end: int = 0
    word: str = ""
    place: str = ""
    is_torn: bool = False


_NO_STEP = re.compile(r"<!(?:doctype|\[CDATA\[|\[(?:if\b|endif\]))", re.IGNORECASE | re.ASCII)
_CONDITIONAL = re.compile(r"<!--\[if\b", re.IGNORECASE | re.ASCII)
_STEP = re.compile(r"<!(\s*)([^\W\d]\w*)")
_WORD_OF_STEP = re.compile(r"<!\s+(/?[^\W\d][\w-]*|/)(?=\s|!>)")
_OPENER = re.compile(rf"\{{=|<!\s*(?:{'|'.join(STEPS)})\b")
_STRING = r'"(?:[^"\\\r\n]|\\.)*"|\'(?:[^\'\\\r\n]|\\.)*\''
_PRINT_END = re.compile(rf"{_STRING}|=\}}|\{{=|<!")
_STEP_END = re.compile(rf"{_STRING}|!>|\{{=|<!")
_AFFIXED_STEP = re.compile(r"<!([-~+_])\s*([a-z]+)\b")
_VERBATIM_END = re.compile(r"<!\s*end(?:\s+verbatim)?\s*!>")
_SLOT_ELSE = re.compile(r"\selse\s*\Z")
_AFTER_TORN = re.compile(r"""[\r\n]|</|=?\}|!?>|["'](?:[ \t]*/?>|[ \t]+[\w:@-]+=)""")
"""What cannot be in a mark that is not closed: the end of its line, of a tag, of an attribute or of another mark."""
_HALF_CLOSED = {"=}": re.compile(r"[ \t]*\}"), "!>": re.compile(r"[ \t]*>")}
"""What seems to be meant for a closing delimiter."""
_BLANK_START = re.compile(r"[ \t\f]*(?:\r\n|\n|\r|\Z)")
_BLANK = re.compile(r"[ \t\f]*")


class Scanner:
    """Cuts one source; ``problems`` collects what is wrong, and the scan goes on at the next mark."""

    def __init__(self, source: Source, surroundings: Surroundings | None = None) -> None:
        self.source = source
        self.surroundings = surroundings
        self.marks: list[Mark] = []
        self.problems: list[Problem] = []
        self._text_start = 0
        self._followed = 0
        self._followed_to = 0
        self._is_last_close_passed = False
        self._may_end_with_bang = True

    def scan(self) -> list[Mark]:
        """Return the marks and the text between them, without the lines that hold only steps."""
        text, position = self.source.text, 0
        value, step = text.find("{="), text.find("<!")
        while value >= 0 or step >= 0:
            is_value = step < 0 or 0 <= value < step
            at = value if is_value else step
            position = self._print(at) if is_value else self._declaration(at)
            if position <= at:
                raise AssertionError("the scanner does not advance")
            if 0 <= value < position:
                value = text.find("{=", position)
            if 0 <= step < position:
                step = text.find("<!", position)
        self._text_to(len(text))
        _take_lines_away(self.marks, text)
        return self.marks

    def _text_to(self, end: int) -> None:
        if end > self._text_start:
            self.marks.append(Mark("text", self._text_start, end))

    def _add(self, mark: Mark) -> int:
        self._text_to(mark.start)
        self.marks.append(mark)
        self._text_start = mark.end
        return mark.end

    def _print(self, at: int) -> int:
        end = self._end(at + 2, "=}", _PRINT_END)
        if end is None:
            end = self._unclosed("print-unclosed", at, at + 2, "=}")
            return self._add(Mark("print", at, end, at + 2, end, is_torn=True))
        return self._add(Mark("print", at, end, at + 2, end - 2))

    def _end(self, start: int, closing: str, pattern: re.Pattern[str]) -> int | None:
        """Return the offset after the closing delimiter; ``None`` when another mark opens before it."""
        for found in pattern.finditer(self.source.text, start):
            if found[0] == closing:
                return found.end()
            if found[0] in {"{=", "<!"}:
                break
        # A quote without its partner hides the delimiter: the reader of the expression will say so.
        opener = _OPENER.search(self.source.text, start)
        plain = self.source.text.find(closing, start, opener.start() if opener else len(self.source.text))
        return None if plain < 0 else plain + len(closing)

    def _unclosed(self, code: str, at: int, after: int, closing: str) -> int:
        """Report a mark that is never closed; it ends on its line, before what cannot be in it. Return where."""
        from untor.diagnostics.edits import Edit  # noqa: PLC0415  only where something is wrong

        text = self.source.text
        opener = _OPENER.search(text, after)
        last = opener.start() if opener else len(text)
        found = _AFTER_TORN.search(text, after, last)
        end = found.start() if found else last
        while end > after and text[end - 1] in " \t":
            end -= 1
        begun = _HALF_CLOSED[closing].match(text, end)
        problem = Problem(code, self.source, at, after)
        problem.known_edits = (Edit(end, begun.end() if begun else end, f" {closing}"),)
        self.problems.append(problem)
        return end

    def _declaration(self, at: int) -> int:
        text = self.source.text
        if text.startswith("<!--", at):
            return self._comment(at)
        if _NO_STEP.match(text, at):
            return at + 2
        match = _STEP.match(text, at)
        if match and match[2] in STEPS and (match[1] or self._in_markup(at)):
            hyphened = _WORD_OF_STEP.match(text, at)
            if hyphened is None or hyphened[1] not in hints.STEPS:
                return self._step(at, match[2], match.end())
        if not self._in_markup(at):
            return at + 2
        steps = ", ".join(STEPS)
        if found := _WORD_OF_STEP.match(text, at):
            return self._unknown(at, found[1], found.start(1), found.end(), steps)
        affixed = _AFFIXED_STEP.match(text, at)
        hint = hints.AFFIXES[affixed[1]] if affixed and affixed[2] in STEPS else None
        self.problems.append(Problem("markup-declaration", self.source, at, at + 2, hint=hint, steps=steps))
        return self._add(Mark("nothing", at, at + 2))

    def _unknown(self, at: int, word: str, start: int, end: int, steps: str) -> int:
        """Report a step that there is not, and go on after it."""
        near = suggestion(word, STEPS)
        meant = hints.STEPS.get(word, "")
        self.problems.append(
            Problem("step-unknown", self.source, start, end, hint=meant or near or None, word=word, steps=steps)
        )
        after = self._end(end, "!>", _STEP_END)
        if word in hints.ENDS:
            return self._add(Mark("broken", at, after or end, word="end"))
        # A misspelt step that needs an end keeps its end from being reported too.
        opens = word in hints.OPENING or (not meant and any(f'"{block}"' in near for block in BLOCKS))
        return self._add(Mark("broken", at, after or end, word="if" if opens else ""))

    def _step(self, at: int, word: str, after: int) -> int:
        end: int | None
        if word == "note":
            end = self.source.text.find("!>", after) + 2
            end = None if end < 2 else end  # noqa: PLR2004  find said -1
        else:
            end = self._end(after, "!>", _STEP_END)
        if end is None:
            end = self._unclosed("step-unclosed", at, after, "!>")
            if word in {"note", "verbatim"}:
                return self._add(Mark("nothing", at, end))
            return self._add(Mark("step", at, end, after, end, word, is_torn=True))
        if word == "slot" and _SLOT_ELSE.search(self.source.text[after : end - 2]):
            word = "slot-else"
        place = self._kind(at) if word == "say" else ""
        self._add(Mark("step", at, end, after, end - 2, word, place))
        return self._verbatim(end) if word == "verbatim" else end

    def _verbatim(self, start: int) -> int:
        match = _VERBATIM_END.search(self.source.text, start)
        if match is None:
            opening = self.marks[-1]
            self.problems.append(Problem("verbatim-unclosed", self.source, opening.start, opening.end))
            return self._add(Mark("nothing", start, len(self.source.text)))
        return self._add(Mark("step", match.start(), match.end(), match.end() - 2, match.end() - 2, "end-verbatim"))

    def _comment(self, at: int) -> int:
        """Pass an HTML comment through, or drop it when it has a mark inside (HTML §13.2.5.43 to 13.2.5.52)."""
        text = self.source.text
        end = self._end_of_comment(at)
        is_closed = end is not None
        end = len(text) if end is None else end
        marked = _OPENER.search(text, at + 4, end)
        if marked is None:
            return end
        if _CONDITIONAL.match(text, at) and is_closed:
            # Mail clients read what is in it as markup.
            return at + 4
        if not self._in_markup(at):
            return at + 4
        if not is_closed:
            self.problems.append(Problem("comment-unclosed", self.source, at, at + 4))
        return self._add(Mark("nothing", at, end))

    def _end_of_comment(self, at: int) -> int | None:
        """Return where a comment ends, if it does; what is found not to come is not looked for again."""
        text = self.source.text
        close = -1 if self._is_last_close_passed else text.find("-->", at + 2)
        self._is_last_close_passed = close < 0
        bang = text.find("--!>", at + 4, close + 3 if close >= 0 else len(text)) if self._may_end_with_bang else -1
        self._may_end_with_bang = self._may_end_with_bang and (bang >= 0 or close >= 0)
        if bang >= 0:
            return bang + 4
        return close + 3 if close >= 0 else None

    def _in_markup(self, at: int) -> bool:
        return self.surroundings is not None and self._follow(self.surroundings, at).in_markup()

    def _kind(self, at: int) -> str:
        return "raw" if self.surroundings is None else self._follow(self.surroundings, at).kind()

    def _follow(self, follow: Surroundings, at: int) -> Surroundings:
        """Lead the surroundings to a place after all that they have seen."""
        for mark in self.marks[self._followed :]:
            if mark.kind == "text":
                follow.text(self.source.text[max(mark.start, self._followed_to) : mark.end])
            elif mark.kind == "print":
                follow.value()
            elif mark.word in BLOCKS:
                follow.opened()
            elif mark.word in {"else", "elif", "between"}:
                follow.branched()
            elif mark.word == "end":
                follow.closed()
        self._followed = len(self.marks)
        follow.text(self.source.text[max(self._text_start, self._followed_to) : at])
        self._followed_to = at
        return follow


def _take_lines_away(marks: list[Mark], text: str) -> None:
    """Take away the white space and the line break of each line that holds only steps and dropped comments."""
    index = 0
    while index < len(marks):
        if marks[index].kind in {"text", "print"}:
            index += 1
            continue
        last = index
        while last + 1 < len(marks) and _continues(marks, last + 1, text):
            last += 1
        while marks[last].kind == "text":
            last -= 1
        before = marks[index - 1] if index else None
        after = marks[last + 1] if last + 1 < len(marks) else None
        left = _blank_tail(before, text)
        right = _blank_head(after, text)
        if left is not None and right is not None:
            if before is not None and before.kind == "text":
                before.end = left
            if after is not None and after.kind == "text":
                after.start = right
            for mark in marks[index:last]:
                if mark.kind == "text":
                    mark.end = mark.start
        index = last + 1


def _continues(marks: list[Mark], index: int, text: str) -> bool:
    """Return whether a mark is another step on the line, or the blanks between two steps."""
    mark = marks[index]
    if mark.kind == "text":
        blank = _BLANK.fullmatch(text, mark.start, mark.end)
        return blank is not None and index + 1 < len(marks) and marks[index + 1].kind not in {"text", "print"}
    return mark.kind != "print"


def _blank_tail(mark: Mark | None, text: str) -> int | None:
    """Return where the blanks at the end of a text begin, when they begin a line."""
    if mark is None:
        return 0
    if mark.kind != "text":
        return None
    end = mark.end
    start = end
    while start > mark.start and text[start - 1] in " \t\f":
        start -= 1
    return start if start == 0 or text[start - 1] in "\r\n" else None


def _blank_head(mark: Mark | None, text: str) -> int | None:
    """Return where the line after the blanks at the start of a text begins."""
    if mark is None:
        return len(text)
    if mark.kind != "text":
        return None
    match = _BLANK_START.match(text, mark.start, mark.end)
    return (
        match.end()
        if match and (match.end() < mark.end or match[0].endswith(("\n", "\r")) or mark.end == len(text))
        else None
    )
