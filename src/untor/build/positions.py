"""Gives nodes of Python's syntax tree their place in the template, so that tracebacks point there."""

from __future__ import annotations

import ast
from typing import TypeVar

TYPE_CHECKING = False
if TYPE_CHECKING:
    from untor.source import Source

_PLACED = (ast.expr, ast.stmt, ast.excepthandler, ast.arg, ast.keyword)
_NO_PLACE = frozenset({str, int, type(None), bool, ast.Load, ast.Store})
"""What most fields hold that has no place."""
_Placed = TypeVar("_Placed", bound=ast.expr | ast.stmt | ast.excepthandler)


class Positions:
    """Turns offsets into Python's lines and columns (in bytes of UTF-8)."""

    def __init__(self, source: Source) -> None:
        self.source = source
        self.file = source.path or source.name
        self.ascii = source.text.isascii()
        self._line = 0
        self._offset = 0
        self._column = 0

    def of(self, offset: int) -> tuple[int, int]:
        """Return line and column; cheap when the offsets of a long line come in order."""
        if self.ascii:
            return self.source.byte_position(offset)
        line, _ = self.source.position(offset)
        if line != self._line or offset < self._offset:
            self._line, self._offset, self._column = line, self.source.starts[line - 1], 0
        part = self.source.text[self._offset : offset]
        self._column += len(part.encode("utf-8", "surrogatepass"))
        self._offset = offset
        return line, self._column

    def place(self, node: _Placed, start: int, end: int) -> _Placed:
        """Give a node the place between two offsets."""
        node.lineno, node.col_offset = self.of(start)
        node.end_lineno, node.end_col_offset = self.of(end)
        return node


def place_all(module: ast.Module) -> None:
    """Give each node without a place that of the node around it, as the compiler demands."""
    todo: list[tuple[ast.AST, tuple[int, int, int, int]]] = [(module, (1, 0, 1, 0))]
    add = todo.append
    while todo:
        node, place = todo.pop()
        own = node.__dict__
        if "lineno" in own:
            place = (own["lineno"], own["col_offset"], own["end_lineno"], own["end_col_offset"])
        elif isinstance(node, _PLACED):
            own["lineno"], own["col_offset"], own["end_lineno"], own["end_col_offset"] = place
        for name in node._fields:
            value = own.get(name)
            if isinstance(value, list):
                for each in value:
                    if isinstance(each, ast.AST):
                        add((each, place))
            elif type(value) not in _NO_PLACE and isinstance(value, ast.AST):
                add((value, place))
