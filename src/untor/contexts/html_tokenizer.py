"""The tokenizer states of HTML §13.2.5, a function each, named as there.

A function takes the machine, the text and a position, eats at least one character or changes the state, and
returns the new position. Character references (§13.2.5.72 ff.) never change the state and are left to
``html_references``; nor do NUL and other replaced characters.
"""

from __future__ import annotations

import re

from untor.contexts import html_tree_builder
from untor.contexts.html_comments import COMMENT_STATES
from untor.contexts.html_content import of_attribute
from untor.contexts.html_raw_text import RAW_STATES
from untor.contexts.html_references import attribute_text
from untor.contexts.html_tags import after_name, attribute_done, emit, lower, new_tag
from untor.contexts.placement import Unreadable

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable

    from untor.contexts.html_state import HtmlState

_QUOTES = {'"': "double", "'": "single"}
_ALPHA = re.compile("[A-Za-z]")
_ALPHAS = re.compile("[A-Za-z]+")
_SPACES = re.compile("[\t\n\f\r ]+")
_TO_LESS_THAN = re.compile("[^<]+")
_TO_LESS_THAN_OR_DASH = re.compile("[^<-]+")
_SIMPLE_TAG = re.compile("<(/?)([a-z][a-z0-9]*)>")
_SIMPLE_ATTRIBUTE = re.compile('([a-z][a-z-]*)="([^"]*)"')
_TAG_NAME = re.compile("[^\t\n\f\r />]+")
_ATTRIBUTE_NAME = re.compile("[^\t\n\f\r />=]+")
_TO_DOUBLE_QUOTE = re.compile('[^"]+')
_TO_SINGLE_QUOTE = re.compile("[^']+")
_UNQUOTED = re.compile("[^\t\n\f\r >]+")


# --- 13.2.5.1 to .5: text ------------------------------------------------------------------------------------


def data_state(machine: HtmlState, text: str, position: int) -> int:
    """13.2.5.1 Data state."""
    match = _TO_LESS_THAN.match(text, position)
    if match:
        html_tree_builder.characters(machine, match[0])
        return match.end()
    machine.after_pre = False
    match = _SIMPLE_TAG.match(text, position)
    if match:
        # A shortcut through the states of a tag without attributes; it comes to the same.
        new_tag(machine, closing=bool(match[1]))
        machine.tag = match[2]
        emit(machine)
        return match.end()
    machine.state = "tag open"
    return position + 1


def _raw_text(less_than: str) -> Callable[[HtmlState, str, int], int]:
    def state(machine: HtmlState, text: str, position: int) -> int:
        """13.2.5.2 RCDATA state, .3 RAWTEXT state, .4 Script data state: text up to a less-than sign."""
        machine.after_pre = False
        match = _TO_LESS_THAN.match(text, position)
        if match:
            return match.end()
        machine.state = less_than
        return position + 1

    return state


def plaintext_state(machine: HtmlState, text: str, position: int) -> int:  # noqa: ARG001  one shape for all
    """13.2.5.5 PLAINTEXT state: nothing ends it."""
    return len(text)


# --- 13.2.5.6 to .8: tags ------------------------------------------------------------------------------------


def tag_open_state(machine: HtmlState, text: str, position: int) -> int:
    """13.2.5.6 Tag open state."""
    char = text[position]
    if _ALPHA.match(char):
        new_tag(machine, closing=False)
    elif char == "/":
        machine.state = "end tag open"
        return position + 1
    elif char == "!":
        machine.state, machine.buffer = "markup declaration open", ""
        return position + 1
    elif char == "?":
        machine.state = "processing instruction" if machine.xml else "bogus comment"
    else:
        html_tree_builder.characters(machine, "<")
        machine.state = "data"
    return position


def end_tag_open_state(machine: HtmlState, text: str, position: int) -> int:
    """13.2.5.7 End tag open state."""
    char = text[position]
    if _ALPHA.match(char):
        new_tag(machine, closing=True)
        return position
    if char == ">":
        machine.state = "data"
        return position + 1
    machine.state = "bogus comment"
    return position


def tag_name_state(machine: HtmlState, text: str, position: int) -> int:
    """13.2.5.8 Tag name state."""
    match = _TAG_NAME.match(text, position)
    if match:
        machine.tag += match[0] if machine.xml else lower(match[0])
        return match.end()
    return after_name(machine, text, position)


# --- 13.2.5.32 to .40: attributes ----------------------------------------------------------------------------


def before_attribute_name_state(machine: HtmlState, text: str, position: int) -> int:
    """13.2.5.32 Before attribute name state."""
    match = _SPACES.match(text, position)
    if match:
        return match.end()
    if text[position] in "/>":
        machine.state = "after attribute name"
        return position
    match = _SIMPLE_ATTRIBUTE.match(text, position)
    if match:
        # A shortcut through the states of an attribute that is fixed text in double quotes; it comes to the same.
        machine.state, machine.attribute, machine.value = "after attribute value (quoted)", match[1], match[2]
        attribute_done(machine)
        return match.end()
    machine.state, machine.attribute, machine.value = "attribute name", "", ""
    if text[position] == "=":
        machine.attribute = "="
        return position + 1
    return position


def attribute_name_state(machine: HtmlState, text: str, position: int) -> int:
    """13.2.5.33 Attribute name state."""
    match = _ATTRIBUTE_NAME.match(text, position)
    if match:
        machine.attribute += match[0] if machine.xml else lower(match[0])
        return match.end()
    if text[position] == "=":
        machine.state = "before attribute value"
        return position + 1
    machine.state = "after attribute name"
    return position


def after_attribute_name_state(machine: HtmlState, text: str, position: int) -> int:
    """13.2.5.34 After attribute name state."""
    match = _SPACES.match(text, position)
    if match:
        return match.end()
    char = text[position]
    if char == "=" and machine.attribute:
        machine.state = "before attribute value"
        return position + 1
    attribute_done(machine)
    if char == "/":
        machine.state = "self-closing start tag"
    elif char == ">":
        emit(machine)
    else:
        machine.state, machine.attribute, machine.value = "attribute name", "", ""
        return position
    return position + 1


def before_attribute_value_state(machine: HtmlState, text: str, position: int) -> int:
    """13.2.5.35 Before attribute value state."""
    match = _SPACES.match(text, position)
    if match:
        return match.end()
    char = text[position]
    if char == ">":
        attribute_done(machine)
        emit(machine)
        return position + 1
    machine.value = ""
    if char in _QUOTES:
        machine.state = f"attribute value ({_QUOTES[char]}-quoted)"
        machine.inner = None if machine.markup_only else of_attribute(machine)
        return position + 1
    if machine.xml:
        raise Unreadable("xml-unquoted", name=machine.attribute)
    machine.state = "attribute value (unquoted)"
    return position


def _quoted_value(rest: re.Pattern[str]) -> Callable[[HtmlState, str, int], int]:
    def state(machine: HtmlState, text: str, position: int) -> int:
        """13.2.5.36, .37 Attribute value (double-quoted) state and (single-quoted) state."""
        match = rest.match(text, position)
        if match:
            machine.value += match[0]
            if machine.inner is not None:
                machine.inner = machine.inner.read(attribute_text(match[0]))
            return match.end()
        attribute_done(machine)
        machine.state = "after attribute value (quoted)"
        return position + 1

    return state


def attribute_value_unquoted_state(machine: HtmlState, text: str, position: int) -> int:
    """13.2.5.38 Attribute value (unquoted) state."""
    match = _UNQUOTED.match(text, position)
    if match:
        machine.value += match[0]
        return match.end()
    attribute_done(machine)
    if text[position] == ">":
        emit(machine)
    else:
        machine.state = "before attribute name"
    return position + 1


def after_attribute_value_quoted_state(machine: HtmlState, text: str, position: int) -> int:
    """13.2.5.39 After attribute value (quoted) state."""
    if text[position] in "\t\n\f\r />":
        attribute_done(machine)
        machine.after_value = False
        return after_name(machine, text, position)
    if machine.after_value:
        # The template has a value without quotes here, so this is not what it looks like.
        raise Unreadable("text-after-value", name=machine.attribute)
    machine.state = "before attribute name"
    return position


def _between_attributes(ends: str) -> Callable[[HtmlState, str, int], int]:
    def state(machine: HtmlState, text: str, position: int) -> int:
        """Stand where branches end at different points between two attributes: only what is the same for all."""
        if text[position] not in ends:
            raise Unreadable("step-inside", place="right before this text in a tag", remedy=_SPACE_REMEDY)
        machine.attribute, machine.after_value = "", False
        return after_name(machine, text, position)

    return state


_SPACE_REMEDY = "Put white space after the end of the step, so that the attribute before it has ended in every branch."


def self_closing_start_tag_state(machine: HtmlState, text: str, position: int) -> int:
    """13.2.5.40 Self-closing start tag state."""
    if text[position] == ">":
        machine.self_closing = True
        emit(machine)
        return position + 1
    machine.state = "before attribute name"
    return position


STATES: dict[str, Callable[[HtmlState, str, int], int]] = {
    "data": data_state,
    "RCDATA": _raw_text("RCDATA less-than sign"),
    "RAWTEXT": _raw_text("RAWTEXT less-than sign"),
    "script data": _raw_text("script data less-than sign"),
    "PLAINTEXT": plaintext_state,
    "tag open": tag_open_state,
    "end tag open": end_tag_open_state,
    "tag name": tag_name_state,
    **RAW_STATES,
    "before attribute name": before_attribute_name_state,
    "attribute name": attribute_name_state,
    "after attribute name": after_attribute_name_state,
    "before attribute value": before_attribute_value_state,
    "attribute value (double-quoted)": _quoted_value(_TO_DOUBLE_QUOTE),
    "attribute value (single-quoted)": _quoted_value(_TO_SINGLE_QUOTE),
    "attribute value (unquoted)": attribute_value_unquoted_state,
    "after attribute value (quoted)": after_attribute_value_quoted_state,
    "between attributes": _between_attributes("\t\n\f\r />"),
    "between attributes (unquoted)": _between_attributes("\t\n\f\r >"),
    "self-closing start tag": self_closing_start_tag_state,
    **COMMENT_STATES,
}
