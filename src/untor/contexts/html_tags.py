"""What the tokenizer's states share: how a tag begins and ends, and its attributes (HTML §13.2.5)."""

from __future__ import annotations

from untor.contexts import html_tree_builder
from untor.contexts.html_attributes import DECIDING
from untor.contexts.html_references import attribute_text
from untor.contexts.stacks import NO_NAMES

TYPE_CHECKING = False
if TYPE_CHECKING:
    from untor.contexts.html_state import HtmlState

SPACE = "\t\n\f\r "

WITH_NONCE = frozenset({"script", "style", "link"})
"""HTML §4.2.4, §4.2.6, §4.12.1: elements that a Content-Security-Policy lets load or run by their nonce."""

_LOADING = frozenset({"stylesheet", "preload", "modulepreload", "prefetch"})
"""HTML §4.6.7: types of links that need a nonce."""


def lower(text: str) -> str:
    """ASCII-lowercase, as the standard does with names in HTML."""
    return text.lower() if text.isascii() else "".join(char.lower() if char < "\x80" else char for char in text)


def new_tag(machine: HtmlState, *, closing: bool) -> None:
    """Begin a tag ("Create a new start tag token", "Create a new end tag token")."""
    machine.state, machine.tag, machine.closing = "tag name", "", closing
    machine.self_closing = machine.after_value = False
    machine.attribute, machine.value = "", ""
    machine.attributes = machine.dynamic_attributes = machine.omittable_attributes = NO_NAMES
    machine.static_attributes = machine.later_attributes = ()


def after_name(machine: HtmlState, text: str, position: int) -> int:
    """White space, a solidus or a greater-than sign inside a tag."""
    char = text[position]
    if char in SPACE:
        machine.state = "before attribute name"
    elif char == "/":
        machine.state = "self-closing start tag"
    else:
        emit(machine)
    return position + 1


def emit(machine: HtmlState) -> None:
    """Hand the tag to the tree builder, which may switch the tokenizer."""
    machine.state = "data"
    machine.after_value = False
    if machine.closing:
        html_tree_builder.end_tag(machine, machine.tag)
    else:
        machine.last_start = machine.tag
        if machine.xml and not machine.self_closing:
            machine.opens_scope()
        html_tree_builder.start_tag(machine, machine.tag)
        if machine.tag in WITH_NONCE and (machine.tag != "link" or _loads(machine)):
            machine.opened = machine.tag


def _loads(machine: HtmlState) -> bool:
    """Return whether a link may be one that loads a style or a script."""
    rel = machine.fixed_attributes().get("rel", "")
    return rel is None or not _LOADING.isdisjoint(rel.split())


def attribute_done(machine: HtmlState) -> None:
    """End an attribute; of two of one name the first counts (§13.2.5.33)."""
    name = machine.attribute
    if name:
        if machine.xml and name not in machine.attributes:
            _attribute_of_xml(machine, name)
        elif name in DECIDING and name not in machine.attributes:
            value = None if name in machine.dynamic_attributes else lower(attribute_text(machine.value)).strip(SPACE)
            machine.static_attributes += ((name, value),)
        if name in machine.attributes and not machine.after_value:
            machine.repeated = name
        machine.attributes = machine.attributes.with_name(name)
    machine.attribute = ""
    machine.inner = None


def _attribute_of_xml(machine: HtmlState, name: str) -> None:
    """Keep an attribute of XML that decides what others mean, or declares a namespace."""
    value = None if name in machine.dynamic_attributes else attribute_text(machine.value)
    if name.partition(":")[0] == "xmlns":
        machine.static_attributes += ((name, value),)
    elif name.lower() in DECIDING:
        machine.static_attributes += ((name.lower(), value and lower(value).strip(SPACE)),)


def dash(machine: HtmlState, text: str, position: int, then: str, otherwise: str) -> int:
    """Go to ``then`` after a dash; otherwise reconsume in ``otherwise``."""
    if text[position] == "-":
        machine.state = then
        return position + 1
    machine.state = otherwise
    return position
