"""Positions of the protocol, lines and UTF-16 code units from 0, and offsets of sources, in code points."""

from __future__ import annotations

from lsprotocol import types as lsp

TYPE_CHECKING = False
if TYPE_CHECKING:
    from untor.diagnostics.source import Source

_FIRST_ASTRAL = "\U00010000"


def position_of(source: Source, offset: int) -> lsp.Position:
    """Return the position of an offset."""
    line, column = source.position(min(max(offset, 0), len(source.text)))
    start = source.starts[line - 1]
    return lsp.Position(line - 1, _units(source.text[start : start + column - 1]))


def range_of(source: Source, start: int, end: int) -> lsp.Range:
    """Return the range between two offsets."""
    return lsp.Range(position_of(source, start), position_of(source, max(start, end)))


def offset_of(source: Source, position: lsp.Position) -> int:
    """Return the offset of a position; of one beyond a line or the file, the end of that."""
    if position.line >= len(source.starts):
        return len(source.text)
    start = source.starts[position.line]
    line = source.line(position.line + 1)
    units = 0
    for index, char in enumerate(line):
        if units >= position.character:
            return start + index
        units += 2 if char >= _FIRST_ASTRAL else 1
    return start + len(line)


def _units(text: str) -> int:
    return len(text) if text.isascii() else len(text.encode("utf-16-le", "surrogatepass")) // 2
