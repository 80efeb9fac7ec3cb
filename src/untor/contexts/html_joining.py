"""The state of HTML's tokenizer and tree builder after branches that meet."""

from __future__ import annotations

from typing import TYPE_CHECKING

from untor.contexts import ways
from untor.contexts.alternatives import together
from untor.contexts.html_attributes import DECIDING

if TYPE_CHECKING:
    from untor.contexts.html_state import HtmlState

    Attributes = tuple[tuple[str, str | None], ...]
    """Names and fixed values; ``None`` for a value that is not known."""

_EITHER = (
    "insertion_modes",
    "attributes",
    "dynamic_attributes",
    "omittable_attributes",
    "printed",
    "in_p",
    "after_value",
)
"""The fields that are sets or flags: what holds of either branch may hold after them."""

_SAME_ELEMENT = ("tag", "closing", "ambiguity", "noscript")
"""The fields that must be the same where branches end in different states of one tag."""

_BOUNDARY = frozenset(
    {
        "tag name",
        "before attribute name",
        "attribute name",
        "after attribute name",
        "after attribute value (quoted)",
        "between attributes",
    },
)
_BOUNDARY_UNQUOTED = _BOUNDARY | {"attribute value (unquoted)", "between attributes (unquoted)"}
"""The states in which white space would end one attribute and begin another."""


def joined(first: HtmlState, second: HtmlState) -> HtmlState | None:
    """Return the state after branches that end in these two; ``None`` when what follows would be read differently."""
    if first.inner is not None and second.inner is not None and first.inner != second.inner:
        inner = together(first.inner, second.inner)
        if inner is None:
            return None
        first, second = first.copy(), second.copy()
        first.inner = second.inner = inner
    result = first.copy()
    for name in _EITHER:
        setattr(result, name, getattr(first, name) | getattr(second, name))
    if first.static_attributes != second.static_attributes:
        result.static_attributes = _joined_attributes(first.static_attributes, second.static_attributes)
    if first.value != second.value and first.attribute in DECIDING:
        result.dynamic_attributes |= {first.attribute}
    if not ways.join(first, second, result):
        return None
    if first.key() == second.key():
        return result
    states = {first.state, second.state}
    same_element = all(getattr(first, name) == getattr(second, name) for name in _SAME_ELEMENT)
    return _between_attributes(first, second, result) if same_element and states <= _BOUNDARY_UNQUOTED else None


def _joined_attributes(first: Attributes, second: Attributes) -> Attributes:
    """Return the attributes that decide on others; one that differs has no known value."""
    one, two = dict(first), dict(second)
    return tuple((name, one.get(name) if one.get(name, "") == two.get(name, "") else None) for name in {**one, **two})


def _between_attributes(first: HtmlState, second: HtmlState, result: HtmlState) -> HtmlState:
    """End the attributes that are open at the ends of branches in a tag."""
    finished = {state.attribute for state in (first, second) if state.attribute}
    unknown = sorted(finished & DECIDING - result.attributes)
    result.static_attributes += tuple((name, None) for name in unknown)
    result.attributes |= finished
    are_quoted = {first.state, second.state} <= _BOUNDARY
    result.state = "between attributes" if are_quoted else "between attributes (unquoted)"
    return result
