"""Gives nodes of Python's syntax tree their position in the template, so that tracebacks point there."""

from __future__ import annotations

import ast
from typing import Any, TypeVar

from untor.codegen import nodes

TYPE_CHECKING = False
if TYPE_CHECKING:
    from untor.diagnostics.source import Source

_NO_PLACE = frozenset(
    {str, bytes, int, float, complex, tuple, type(None), bool, ast.Load, ast.Store, nodes.Name, nodes.Constant}
    | {*ast.operator.__subclasses__(), *ast.cmpop.__subclasses__()}
    | {*ast.boolop.__subclasses__(), *ast.unaryop.__subclasses__()}
)
"""What the fields of nodes hold that has no place, or one already."""
_Placed = TypeVar("_Placed", bound=ast.expr | ast.stmt | ast.excepthandler)


class Locations:
    """Turns offsets into Python's lines and columns (in bytes of UTF-8)."""

    def __init__(self, source: Source) -> None:
        self.source = source
        self.ascii = source.text.isascii()
        self._line = 0
        self._offset = 0
        self._column = 0
        self._found: dict[int, tuple[int, int]] = {}

    def of(self, offset: int) -> tuple[int, int]:
        """Return line and column; cheap when the offsets of a long line come in order."""
        location = self._found.get(offset)
        if location is None:
            line, column = self.source.byte_position(offset) if self.ascii else self._counted(offset)
            location = self._found[offset] = line, column
        return location

    def called(self, offset: int) -> tuple[str, int, int]:
        """Return the file, line and column where something is called."""
        return (self.source.path or self.source.name, *self.of(offset))

    def _counted(self, offset: int) -> tuple[int, int]:
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
    around: dict[str, Any] = {"lineno": 1, "col_offset": 0, "end_lineno": 1, "end_col_offset": 0}
    todo: list[tuple[ast.AST, dict[str, Any]]] = [(module, around)]
    add = todo.append
    while todo:
        node, place = todo.pop()
        own = node.__dict__
        if "lineno" in own:
            place = own
        else:
            own["lineno"] = place["lineno"]
            own["col_offset"] = place["col_offset"]
            own["end_lineno"] = place["end_lineno"]
            own["end_col_offset"] = place["end_col_offset"]
        for value in own.values():
            kind = type(value)
            if kind is list:
                for each in value:
                    if type(each) not in _NO_PLACE:
                        add((each, place))
            elif kind not in _NO_PLACE:
                add((value, place))
