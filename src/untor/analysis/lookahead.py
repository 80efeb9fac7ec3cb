"""Looks ahead in a tag for attributes that decide what an earlier one means, like ``rel`` of a link."""

from __future__ import annotations

from untor.contexts.html_attributes import DECIDING
from untor.contexts.html_state import ANYTHING, TAG_STATES, VALUE_STATES, HtmlState
from untor.contexts.html_tokenizer import STATES
from untor.contexts.placement import Unreadable
from untor.language import tree

DECIDED_LATE = frozenset({"link", "meta", "animate", "set", "animatetransform", "animatemotion", "animatecolor"})
"""Elements with attributes whose meaning other attributes decide, anywhere in the tag."""

ATTRIBUTE_VALUE_STATES = VALUE_STATES | {"before attribute value"}
_IN_TAG = TAG_STATES | ATTRIBUTE_VALUE_STATES
_UNKNOWN = tuple((name, None) for name in (*sorted(DECIDING), ANYTHING))


def attributes_ahead(machine: HtmlState, nodes: list[tree.Node], index: int) -> tuple[tuple[str, str | None], ...]:
    """Return the deciding attributes that come later in the tag; with a step in the tag, any attribute may come."""
    after = machine.copy()
    after.markup_only = True
    for node in nodes[index:]:
        if isinstance(node, tree.Print):
            after.took_value()
            continue
        if not isinstance(node, tree.Text):
            if not stays_in_value(after, node):
                return _UNKNOWN
            after.took_value()
            continue
        position = 0
        while position < len(node.text):
            try:
                position = STATES[after.state](after, node.text, position)
            except Unreadable:
                return _UNKNOWN
            if after.state not in _IN_TAG:
                return after.static_attributes
    return _UNKNOWN


def stays_in_value(machine: HtmlState, node: tree.Node) -> bool:
    """Return whether a step prints only a piece of the quoted value that a machine is in."""
    if machine.state not in VALUE_STATES:
        return False
    quote = '"' if "double" in machine.state else "'"
    todo = [node]
    while todo:
        node = todo.pop()
        match node:
            case tree.If():
                todo += [inner for branch in node.branches for inner in branch.body]
            case tree.For():
                todo += [*node.body, *(node.between or []), *(node.empty or [])]
            case tree.Say():
                todo += [*node.body, *(node.plural or [])]
            case tree.Text() if quote not in node.text:
                continue
            case tree.Print() | tree.Let():
                continue
            case _:
                return False
    return True
