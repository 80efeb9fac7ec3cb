"""Shortcuts through the states of ``html_tokenizer``, for markup as most people write it; each comes to the same."""

from __future__ import annotations

import re

from untor.contexts.html_active_formatting import paragraph
from untor.contexts.html_content import of_attribute
from untor.contexts.html_tags import after_name, attribute_done, emit, new_tag
from untor.contexts.html_tokenizer import STATES
from untor.contexts.html_tree_builder import SWITCHING, characters, is_plain

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable

    from untor.contexts.html_state import HtmlState

_TEXT_AND_NAME = re.compile("([^<]*+)(?:<(/?)([a-z][a-z0-9]*+)([ >]))?")
_TEXT_AND_TAG = re.compile("[^<]*+<(/?)([a-z][a-z0-9]*+)>")
_ATTRIBUTE = re.compile('([a-z][a-z-]*+)="(?:([^"]*+)"([ >])?)?')


def plain_markup(machine: HtmlState, text: str, position: int) -> int:
    """Go over text and tags without attributes that do no more than begin or end a paragraph; return where they end.

    The machine is in the data state.
    """
    if not is_plain(machine):
        return position
    start, last = position, None
    is_open = machine.in_p
    while match := _TEXT_AND_TAG.match(text, position):
        closing, name = match.groups()
        if not closing and name in SWITCHING:
            break
        position, last = match.end(), match
        is_open = paragraph(name, is_open=is_open, closing=bool(closing))
        if not closing:
            machine.last_start = name
    if last is not None:
        new_tag(machine, closing=bool(last[1]))
        machine.state, machine.tag, machine.in_p = "data", last[2], is_open
    position = text.find("<", position)
    position = len(text) if position < 0 else position
    if position > start:
        machine.after_pre = False
    return position


def _data(machine: HtmlState, text: str, position: int) -> int:
    """Go over text and the name of a tag after it."""
    match = _TEXT_AND_NAME.match(text, position)
    assert match is not None  # noqa: S101  it matches nothing, too
    before, closing, name, after = match.groups()
    if before:
        characters(machine, before)
    if name is None:
        return match.end() if before else STATES["data"](machine, text, position)
    machine.after_pre = False
    new_tag(machine, closing=bool(closing))
    machine.state, machine.tag = "before attribute name", name
    if after == ">":
        emit(machine)
    return match.end()


def _attribute(machine: HtmlState, text: str, position: int) -> int:
    """Go over an attribute in double quotes, or to the beginning of its value if this text does not end it."""
    match = _ATTRIBUTE.match(text, position)
    if not match:
        return STATES["before attribute name"](machine, text, position)
    name, value, after = match.groups()
    machine.attribute, machine.value = name, value or ""
    if value is None:
        machine.state = "attribute value (double-quoted)"
        machine.inner = None if machine.markup_only else of_attribute(machine)
        return match.end()
    attribute_done(machine)
    if after == ">":
        emit(machine)
    elif after is None:
        machine.state = "after attribute value (quoted)"
    return match.end()


def _end_of_value(machine: HtmlState, text: str, position: int) -> int:
    """Go over a quoted value, or over the quote at its end and what ends the attribute."""
    if text[position] == '"' and text[position + 1 : position + 2] in {" ", ">"}:
        attribute_done(machine)
        return after_name(machine, text, position + 1)
    return STATES["attribute value (double-quoted)"](machine, text, position)


READING: dict[str, Callable[[HtmlState, str, int], int]] = {
    **STATES,
    "data": _data,
    "before attribute name": _attribute,
    "attribute value (double-quoted)": _end_of_value,
}
"""The states as they are read where nobody looks at each on its own."""
