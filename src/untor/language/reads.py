"""What a dot or an item in a template reads, and from what: for messages about what does not exist."""

from __future__ import annotations

from typing import NamedTuple

from untor.language import tree
from untor.language.expressions import ExpressionParser
from untor.language.tokens import SyntaxProblem

TYPE_CHECKING = False
if TYPE_CHECKING:
    from untor.diagnostics.source import Source


class Read(NamedTuple):
    """A dot or an item: the text of its ``owner`` without ``?``, the text ``after`` it, and what is read.

    ``word`` is the name after the dot, or the brackets; ``start`` and ``end`` are where a message about it points.
    """

    owner: str
    after: str
    word: str
    start: int
    end: int


def read_at(source: Source, start: int, end: int) -> Read | None:
    """Return what the expression between two offsets reads; ``None`` if it is neither a dot nor an item."""
    try:
        parser = ExpressionParser(source, start, end)
        node = parser.expression()
        parser.finish()
    except SyntaxProblem:
        return None
    if not isinstance(node, tree.Attribute | tree.Item):
        return None
    owner = node.owner
    # What is read does not include the parentheses around it.
    end = start + len(source.text[start:end].rstrip(") \t\r\n\f"))
    after = source.text[owner.end : end].lstrip()
    while isinstance(owner, tree.Maybe):
        owner = owner.value
    owner_text = source.text[owner.start : owner.end]
    if isinstance(node, tree.Attribute):
        return Read(owner_text, after, node.name, node.name_start, end)
    return Read(owner_text, after, after, owner.start, end)
