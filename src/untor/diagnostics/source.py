"""The source text of a template and positions in it; line and column are computed when they are needed."""

from __future__ import annotations

from bisect import bisect_right
from itertools import accumulate

from untor.escape.lazy_patterns import pattern

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterator

_LINE_BREAK = pattern(r"\r\n|\n|\r")
_UNPRINTABLE = pattern(r"[\x00-\x08\x0a-\x1f\x7f-\x9f\u2028\u2029\u202a-\u202e\u2066-\u2069\ud800-\udfff]")

EXCERPT_WIDTH = 100
"""How many code points of a long line an excerpt shows."""


class Source:
    """The text of one template.

    ``name`` is what messages call it, ``path`` the file it came from, if any, and ``stamp`` what that file was when it
    was read: another one whenever its content is; ``None`` where that is not known.
    Offsets count code points from 0; lines and columns count from 1.
    """

    __slots__ = ("_starts", "name", "path", "stamp", "text")

    def __init__(self, name: str, text: str, path: str | None = None) -> None:
        self.name = name
        self.text = text
        self.path = path
        self.stamp: object = None
        self._starts: list[int] | None = None

    @property
    def starts(self) -> list[int]:
        """Offset of the first code point of each line."""
        if self._starts is None:
            if "\r" in self.text:
                self._starts = [0, *(found.end() for found in _LINE_BREAK.finditer(self.text))]
            else:
                *lines, _ = self.text.split("\n")
                self._starts = [0, *accumulate([len(line) + 1 for line in lines])]
        return self._starts

    def position(self, offset: int) -> tuple[int, int]:
        """Return line and column of an offset."""
        starts = self.starts
        line = bisect_right(starts, offset)
        return line, offset - starts[line - 1] + 1

    def line(self, number: int) -> str:
        """Return the text of a line without its line break; empty when there is no such line."""
        if not 1 <= number <= len(self.starts):
            return ""
        end = self.starts[number] if number < len(self.starts) else len(self.text)
        return self.text[self.starts[number - 1] : end].rstrip("\r\n")

    def byte_position(self, offset: int) -> tuple[int, int]:
        """Return the line and, from 0, the column in UTF-8 bytes: what Python's own positions count in."""
        starts = self.starts
        line = bisect_right(starts, offset)
        start = starts[line - 1]
        if self.text.isascii():
            return line, offset - start
        return line, len(self.text[start:offset].encode("utf-8", "surrogatepass"))

    def offset_of_bytes(self, line: int, column: int) -> int:
        """Turn a line and a column in UTF-8 bytes, as Python reports them, into an offset."""
        start = self.starts[min(line, len(self.starts)) - 1]
        before = self.line(line).encode("utf-8", "surrogatepass")[:column]
        return start + len(before.decode("utf-8", "replace"))

    def excerpt(self, start: int, end: int) -> str:
        """Show the line of ``start`` with carets under the part up to ``end``."""
        number, column = self.position(start)
        line = _UNPRINTABLE.sub("�", self.line(number))
        first = column - 1
        last = min(max(first + 1, first + end - start), max(len(line), first + 1))
        if len(line) > EXCERPT_WIDTH:
            cut = max(0, min(first - EXCERPT_WIDTH // 3, len(line) - EXCERPT_WIDTH))
            line = line[cut : cut + EXCERPT_WIDTH] + ("…" if cut + EXCERPT_WIDTH < len(line) else "")
            first, last = first - cut, min(last - cut, len(line) + 1)
            if cut:
                line, first, last = "…" + line, first + 1, last + 1
        before, marked = line[:first], line[first:last]
        blanks = "".join(_blank(before))
        carets = "^" * max(1, sum(_width(char) for char in marked))
        label = str(number)
        return f"  {label} | {line}\n  {' ' * len(label)} | {blanks}{carets}"


def _blank(text: str) -> Iterator[str]:
    """Blanks as wide as the text: a tab stays a tab, so that the caret lines up wherever tabs stop."""
    for char in text:
        yield "\t" if char == "\t" else " " * _width(char)


def _width(char: str) -> int:
    """Columns that a terminal gives to a code point."""
    if char < "\u0300":
        return 1
    import unicodedata  # noqa: PLC0415  only needed for text beyond Latin

    if unicodedata.combining(char) or unicodedata.category(char) in {"Mn", "Me", "Cf"}:
        return 0
    return 2 if unicodedata.east_asian_width(char) in "WF" else 1
