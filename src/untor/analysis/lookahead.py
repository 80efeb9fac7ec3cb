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
            return _UNKNOWN
        position = 0
        while position < len(node.text):
            try:
                position = STATES[after.state](after, node.text, position)
            except Unreadable:
                return _UNKNOWN
            if after.state not in _IN_TAG:
                return after.static_attributes
    return _UNKNOWN
