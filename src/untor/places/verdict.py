"""What a value printed at some point of the markup is, and how it is escaped there; or why it cannot stand there."""

from __future__ import annotations

from typing import NamedTuple

from untor.places.attributes import meaning
from untor.places.elements import BREAKOUT, INTEGRATION_POINTS, NO_TEXT
from untor.places.formatting import misnested
from untor.places.html_machine import VALUE_STATES, Machine


class Place(NamedTuple):
    """A place for values: its context (as in ``Placement.context``), its path in words and the escaping there.

    ``escaper`` is a key of ``untor.escape.escapers``; ``kind`` tells ``value`` from ``whole`` attributes and ``url``.
    """

    kind: str
    context: str
    path: tuple[str, ...]
    escaper: str


class Refusal(NamedTuple):
    """A place for no value: a problem's code and its words."""

    code: str
    words: dict[str, str]


def _refused(place: str, reason: str, remedy: str) -> Refusal:
    return Refusal("place-refused", {"place": place, "reason": reason, "remedy": remedy})


def _later(place: str, remedy: str) -> Refusal:
    return Refusal("place-later", {"place": place, "remedy": remedy})


_TAG_REASON = "no escaping keeps the page's elements and attributes the same"
_TAG_REMEDY = "Write the variants out with <! if !>, each with fixed text."
_SCRIPT_REMEDY = 'Put it into a data attribute: <body data-call="{= call.id =}">, and read it from there.'
_TEXT_REMEDY = "Put it into the text of an element, or into an attribute value in quotes."

_MODES = {
    "before head": "between the doctype and the head",
    "in head": "directly in the head",
    "after head": "between the head and the body",
}

_TAG_STATES: dict[str, str] = {
    "tag open": "right after <, where it would name a tag",
    "end tag open": "right after </, where it would name a tag",
    "tag name": "in the name of a tag",
    "before attribute name": "where the name of an attribute would be",
    "attribute name": "in the name of an attribute",
    "after attribute name": "where the name of an attribute would be",
    "after attribute value (quoted)": "right after an attribute value",
    "self-closing start tag": "where a tag closes itself",
    "between attributes": "where the name of an attribute would be",
    "between attributes (unquoted)": "where an attribute would go on",
    "markup declaration open": "right after <!",
    "DOCTYPE": "in a doctype",
}


def place_of(machine: Machine) -> Place | Refusal:
    """Judge the place that a machine has come to."""
    state = machine.state
    if machine.doubt:
        return _refused("here", machine.doubt, "Make the markup before it unambiguous.")
    if "noscript" in machine.stack:
        return _later("inside <noscript>", "Put it outside of the noscript.")
    if state == "data":
        return _in_text(machine)
    if state in VALUE_STATES or state == "before attribute value":
        return _in_attribute(machine)
    if state == "RCDATA":
        return Place("value", "title-text", (f"element {machine.last_start}", "text"), "text")
    if state == "attribute value (unquoted)" or machine.after_value:
        return Refusal("place-unquoted", {"name": machine.attribute})
    if state in _TAG_STATES:
        return _refused(_TAG_STATES[state], _TAG_REASON, _TAG_REMEDY)
    return _in_raw_text(machine)


def _in_text(machine: Machine) -> Place | Refusal:
    top = machine.stack[-1] if machine.stack else ""
    if top in NO_TEXT:
        reason = "a browser moves text there out of the table, or drops it"
        return _refused(f"directly in <{top}>", reason, "Put it into a cell: <td>{= … =}</td>.")
    if top.startswith(("svg:", "math:")) and top not in INTEGRATION_POINTS | {"svg:text", "svg:tspan", "svg:textpath"}:
        return _later(f"in <{top.partition(':')[2]}> of foreign content", "Use fixed text there, or <text> or <title>.")
    if not machine.stack:
        for mode, place in _MODES.items():
            if mode in machine.modes:
                reason = "depending on the value, a browser would drop it or start the body there"
                return _refused(place, reason, "Put it into the body or into the title.")
    if misnested(machine.inline):
        reason = "a formatting element before it was closed by another tag, and text would open it again"
        return _refused("here", reason, "Close elements like <b> and <a> in the reverse order of their opening.")
    return Place("value", "text", ("text",), "text")


def _in_attribute(machine: Machine) -> Place | Refusal:
    element, name = machine.tag, machine.attribute
    if machine.closing:
        return _refused("in an attribute of a closing tag", "browsers drop it", "Put it into the opening tag.")
    top = machine.stack[-1] if machine.stack else ""
    inside = top.startswith(("svg:", "math:")) and top not in INTEGRATION_POINTS and element not in BREAKOUT
    foreign = inside or element in {"svg", "math"}
    means = meaning(element, name, foreign=foreign, others=machine.attributes)
    if means.kind == "refused":
        return _refused(means.place, means.reason, means.remedy)
    if means.kind == "later":
        return _later(means.place, means.remedy)
    path: tuple[str, ...] = (f"attribute {name}",)
    whole = machine.state == "before attribute value"
    if means.kind in {"url", "image-url"}:
        if whole:
            return Place("whole", "url", (*path, "URL"), f"{means.kind}-attribute")
        return Place("url", "url", path, means.kind)
    if whole:
        escaper = {"boolean": "boolean-attribute", "state": "state-attribute"}.get(means.kind, "whole-attribute")
        return Place("whole", "whole-attribute", path, escaper)
    return Place("value", "attribute", path, "attribute")


def _in_raw_text(machine: Machine) -> Refusal:
    state = machine.state
    if state.startswith("script data"):
        inside = " in a comment" if "escaped" in state else ""
        return _later(f"inside <script>{inside}", _SCRIPT_REMEDY)
    if state.startswith("RAWTEXT") and machine.last_start == "style":
        return _later("inside <style>", "Choose between classes in the style sheet instead.")
    if state.startswith("RAWTEXT") or state == "PLAINTEXT":
        reason = "browsers read no character references there, so nothing can be escaped"
        return _refused(f"inside <{machine.last_start}>", reason, _TEXT_REMEDY)
    if state.startswith("RCDATA"):
        reason = "right after < it could become an end tag"
        return _refused(f"there in <{machine.last_start}>", reason, "Write &lt; for the < before it.")
    if "comment" in state:
        return _refused(
            "in what browsers read as a comment", "it would not be seen", "Write <!-- … --> or take it away."
        )
    return _later("in a CDATA section", _TEXT_REMEDY)


def describe(machine: Machine) -> str:
    """Say in a few words where the machine has come to, for messages about branches and loops."""
    state = machine.state
    if state == "data":
        top = machine.stack[-1].rpartition(":")[2] if machine.stack else ""
        return f"in the text of <{top}>" if top else "in text"
    if state in VALUE_STATES:
        return f'in the attribute "{machine.attribute}" of <{machine.tag}>'
    if machine.tag and (state in _TAG_STATES or "attribute" in state):
        return f"inside the tag <{'/' if machine.closing else ''}{machine.tag}>"
    if state.startswith(("RCDATA", "RAWTEXT", "script data", "PLAINTEXT")):
        return f"inside <{machine.last_start}>"
    return "inside a comment" if "comment" in state else "inside a tag"
