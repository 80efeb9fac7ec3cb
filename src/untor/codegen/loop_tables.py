"""Where loops are in a template, to say in errors which item they were at."""

from __future__ import annotations

TYPE_CHECKING = False
if TYPE_CHECKING:
    from untor.language import tree
    from untor.runtime.compiled import LoopTable


def loop_table(node: tree.For, *, ahead: bool) -> LoopTable:
    """Return where a loop's collection is, where what it does for each item is, and whether it looks one item ahead.

    The condition is part of that, unless the loop looks ahead: it is then tested for another item.
    """
    start = node.end if ahead else node.iterable.end
    return (node.iterable.start, node.iterable.end, start, node.content_end, ahead)
