"""Positions of the protocol, lines and code units from 0, and offsets of sources, in code points."""

from __future__ import annotations

from dataclasses import dataclass

from lsprotocol import types as lsp

TYPE_CHECKING = False
if TYPE_CHECKING:
    from untor.diagnostics.source import Source

_LAST = {"utf-8": (0x7F, 0x7FF, 0xFFFF), "utf-16": (0xFFFF,), "utf-32": ()}
"""By encoding, the last code points that take one unit, two, and so on."""


@dataclass
class Positions:
    """Converts positions in the units that the editor and the server have agreed on."""

    encoding: str = "utf-16"

    def position(self, source: Source, offset: int) -> lsp.Position:
        """Return the position of an offset."""
        line, column = source.position(min(max(offset, 0), len(source.text)))
        start = source.starts[line - 1]
        return lsp.Position(line - 1, self._units(source.text[start : start + column - 1]))

    def range(self, source: Source, start: int, end: int) -> lsp.Range:
        """Return the range between two offsets."""
        return lsp.Range(self.position(source, start), self.position(source, max(start, end)))

    def offset(self, source: Source, position: lsp.Position) -> int:
        """Return the offset of a position; of one beyond a line or the file, the end of that."""
        if position.line >= len(source.starts):
            return len(source.text)
        start = source.starts[position.line]
        line = source.line(position.line + 1)
        units = 0
        for index, char in enumerate(line):
            if units >= position.character:
                return start + index
            units += self._units(char)
        return start + len(line)

    def _units(self, text: str) -> int:
        """Return how many code units a text has."""
        if text.isascii():
            return len(text)
        last = _LAST[self.encoding]
        return len(text) + sum(code > each for code in map(ord, text) for each in last)
