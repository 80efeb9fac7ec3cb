"""The context of a value printed in the markup, and its escaping; or why no value may be printed there."""

from __future__ import annotations

from typing import TYPE_CHECKING

from untor.contexts.alternatives import Alternatives
from untor.contexts.html_active_formatting import misnested
from untor.contexts.html_attributes import SVG, TOKEN_LISTS, XHTML, Meaning
from untor.contexts.html_content import meaning_of, of_attribute
from untor.contexts.html_elements import NO_TEXT
from untor.contexts.html_srcdoc import Document
from untor.contexts.html_state import NOSCRIPT_END, VALUE_STATES, HtmlState
from untor.contexts.placement import Place, Refusal, refused
from untor.contexts.script_states import Script
from untor.contexts.ways import on_way, ways_of

if TYPE_CHECKING:
    from untor.contexts.embedded_language import EmbeddedLanguage


_NAMES_TAG = "it would name an element"
_NAMES_ATTRIBUTE = "it would name an attribute"
_TAG_REMEDY = "Write the variants out with <! if !>, each with fixed text."
_TEXT_OR_TAG_REMEDY = f"Write &lt; for a < in text. {_TAG_REMEDY}"
_ATTRIBUTE_REMEDY = "Write name={= value =}: None and False leave the attribute out, and True prints its name alone."
_DATA_REMEDY = 'Put it into a data attribute, data-value="{= … =}", or print it as JSON: {= … | json =}.'
_TEXT_REMEDY = "Put it into the text of an element, or into an attribute value in quotes."

_MODES = {
    "before head": "between the doctype and the head",
    "in head": "directly in the head",
    "after head": "between the head and the body",
}

_TAG_STATES: dict[str, tuple[str, str, str]] = {
    "tag open": ("right after <", _NAMES_TAG, _TEXT_OR_TAG_REMEDY),
    "end tag open": ("right after </", _NAMES_TAG, _TEXT_OR_TAG_REMEDY),
    "tag name": ("in the name of an element", "it would be another element", _TAG_REMEDY),
    "before attribute name": ("alone in a tag", _NAMES_ATTRIBUTE, _ATTRIBUTE_REMEDY),
    "attribute name": ("in the name of an attribute", "it would be another attribute", _TAG_REMEDY),
    "after attribute name": ("alone in a tag", _NAMES_ATTRIBUTE, _ATTRIBUTE_REMEDY),
    "after attribute value (quoted)": ("right after an attribute's value", _NAMES_ATTRIBUTE, _ATTRIBUTE_REMEDY),
    "self-closing start tag": ("between / and > of a tag", _NAMES_ATTRIBUTE, _ATTRIBUTE_REMEDY),
    "between attributes": ("alone in a tag", _NAMES_ATTRIBUTE, _ATTRIBUTE_REMEDY),
    "between attributes (unquoted)": ("where an attribute would go on", _NAMES_ATTRIBUTE, _ATTRIBUTE_REMEDY),
    "markup declaration open": ("right after <!", "it would be a declaration or a comment", _TAG_REMEDY),
    "DOCTYPE": ("in a doctype", "it would decide how the page is read", _TAG_REMEDY),
}


_XML_TEXT = {
    "attribute": "xml-attribute",
    "boolean-attribute": "flag-attribute",
    "state-attribute": "flag-attribute",
    "whole-attribute": "flag-attribute",
}


def place_of(machine: HtmlState) -> Place | Refusal:
    """Judge the place that a machine has come to."""
    state = machine.state
    if machine.ambiguity:
        return refused("here", machine.ambiguity, "Make the markup before it unambiguous.")
    if "noscript" in machine.stack.members and NOSCRIPT_END.search(machine.noscript):
        reason = "with scripting on, a value could make the end tag of noscript of it"
        return refused("right after this inside <noscript>", reason, "Write &lt; for the < before it.")
    if state == "data":
        return _in_text(machine)
    if state in VALUE_STATES or state == "before attribute value":
        return _in_attribute(machine)
    if state == "RCDATA":
        return Place("value", "title-text", (f"element {machine.last_start}", "text"), ("rcdata",))
    if state == "attribute value (unquoted)" or machine.after_value:
        return Refusal("place-unquoted", {"name": machine.attribute})
    if state == "conditional comment":
        return _in_conditional_comment(machine)
    if state in _TAG_STATES:
        return refused(*_TAG_STATES[state])
    return _in_raw_text(machine)


def _on_all_ways(machine: HtmlState) -> Place | Refusal:
    """Judge a place in text on each of the ways that lead to it."""
    places = [_in_text(on_way(machine, way)) for way in ways_of(machine)]
    if all(place == places[0] for place in places):
        return places[0]
    refusals = [place for place in places if isinstance(place, Refusal)]
    in_table = any(way.stack != machine.stack for way in machine.other_ways)
    return Refusal("cell-differs", {"what": "value"}) if in_table else refusals[0]


def _in_text(machine: HtmlState) -> Place | Refusal:
    if machine.other_ways:
        return _on_all_ways(machine)
    top = machine.stack.top
    if machine.xml:
        return _in_xml_text(machine, top)
    if top in NO_TEXT:
        reason = "a browser moves text there out of the table, or drops it"
        return refused(f"directly in <{top}>", reason, "Put it into a cell: <td>{= … =}</td>.", html=True)
    name = top.partition(":")[2]
    if top.startswith(("svg:", "math:")) and name in {"script", "style"}:
        reason = "browsers read it as markup there, and what comes out as code"
        return refused(f"in <{name}> of foreign content", reason, f"Put the <{name}> outside of <svg> and <math>.")
    if all(entry == "noscript" for entry in machine.stack):
        for mode, place in _MODES.items():
            if mode in machine.insertion_modes:
                reason = "depending on the value, a browser would drop it or start the body there"
                return refused(place, reason, "Put it into the body or into the title.", html=True)
    if misnested(machine.formatting):
        reason = "a formatting element before it was closed by another tag, and text would open it again"
        return refused("here", reason, "Close elements like <b> and <a> in the reverse order of their opening.")
    return Place("value", "text", ("text",), ("foreign-text" if machine.is_in_foreign() else "text",))


def _in_xml_text(machine: HtmlState, top: str) -> Place | Refusal:
    if not top:
        return refused("outside of the root element", "there is no text in XML", "Put it into an element.")
    prefix, _, name = top.rpartition(":")
    if name.lower() in {"script", "style"} and machine.namespaces().get(prefix) in {XHTML, SVG, None}:
        return refused(f"in <{name}> of XML", "browsers would run what comes out", _DATA_REMEDY)
    return Place("value", "text", ("text",), ("xml-text",))


def _in_attribute(machine: HtmlState) -> Place | Refusal:
    name = machine.attribute
    if machine.closing:
        return refused("in an attribute of a closing tag", "browsers drop it", "Put it into the opening tag.")
    path: tuple[str, ...] = (f"attribute {name}",)
    whole = machine.state == "before attribute value"
    means = meaning_of(machine)
    if isinstance(means, Refusal):
        return means
    language = of_attribute(machine) if whole else machine.inner
    if language is not None:
        return _on_path(machine, language, path, whole=whole)
    if means.kind.endswith("url"):
        xml = "xml-" if machine.xml else ""
        if whole:
            return Place("whole", _url_context(means), (*path, "URL"), (f"{xml}{means.kind}-attribute",))
        return Place("url", _url_context(means), path, (xml + means.kind,))
    if means.kind in {"integrity", "nonce"}:
        return _token(machine, means.kind, path, whole=whole)
    if whole and machine.attribute in TOKEN_LISTS:
        return Place("whole", "whole-attribute", path, (_for(machine, "whole-attribute"), "tokens"))
    if whole:
        escaper = {"boolean": "boolean-attribute", "state": "state-attribute"}.get(means.kind, "whole-attribute")
        return Place("whole", "whole-attribute", path, (_for(machine, escaper),))
    return Place("value", "attribute", path, (_for(machine, "attribute"),))


def _token(machine: HtmlState, kind: str, path: tuple[str, ...], *, whole: bool) -> Place | Refusal:
    """Judge a place in an attribute that takes nothing but tokens of a kind: hashes, or a nonce."""
    if whole:
        return Place("whole", "whole-attribute", path, (f"{kind}-attribute",))
    if machine.value or kind in machine.dynamic_attributes:
        reason = "the whole decides what may be run"
        return refused(f'in a part of the attribute "{kind}"', reason, f'Print the whole: {kind}="{{= … =}}".')
    return Place("value", "attribute", path, (kind,))


def _url_context(means: Meaning) -> str:
    return "resource-url" if means.kind == "resource-url" else "url"


def _for(machine: HtmlState, escaper: str) -> str:
    return _XML_TEXT[escaper] if machine.xml else escaper


def _on_path(machine: HtmlState, language: EmbeddedLanguage, path: tuple[str, ...], *, whole: bool) -> Place | Refusal:
    """Judge a place in a language inside an attribute."""
    place = judged(language)
    if isinstance(place, Refusal):
        return place
    if whole:
        return Place("whole", place.context, (*path, *place.path), (_for(machine, "whole-attribute"), *place.escapers))
    escapers = (*place.escapers, _for(machine, "attribute"))
    return Place(place.kind, place.context, (*path, *place.path), escapers, place.before)


def judged(language: EmbeddedLanguage) -> Place | Refusal:
    """Judge a place in a language, and in the document that the language may have in it."""
    if isinstance(language, Document):
        return language.outside(place_of(language.machine))
    if isinstance(language, Alternatives) and language.merged is not None:
        return judged(language.merged)
    if isinstance(language, Alternatives):
        return language.agreed([judged(state) for state in language.states])
    place = language.place()
    if isinstance(place, Refusal) or not (isinstance(language, Script) and isinstance(language.inner, Document)):
        return place
    inner = judged(language.inner)
    if isinstance(inner, Refusal):
        return inner
    return inner._replace(context="html", path=(*place.path, *inner.path), escapers=(*inner.escapers, *place.escapers))


_AS_MARKUP = frozenset({"text", "rcdata", "attribute"})


def _in_conditional_comment(machine: HtmlState) -> Place | Refusal:
    """Judge a place in a conditional comment: a value must end neither the comment nor what mail clients read in it."""
    if not isinstance(machine.inner, Document):
        return refused("in a conditional comment", "it would not be seen", _TEXT_REMEDY)
    inside = place_of(machine.inner.machine)
    place = machine.inner.outside(inside)
    if isinstance(inside, Refusal) or isinstance(place, Refusal):
        return place if isinstance(place, Refusal) else inside
    where = "here in a conditional comment"
    if machine.buffer[-1:] in {"-", "!"}:
        return refused(where, "together they could end the comment", "Put white space before the value.")
    if place.escapers[-1] not in _AS_MARKUP:
        return refused(where, "nothing can be escaped there for both", "Put it into text, or into an attribute.")
    path = ("conditional comment", *inside.path)
    return place._replace(context=inside.context, path=path, escapers=(*place.escapers, "conditional-comment"))


def _in_raw_text(machine: HtmlState) -> Place | Refusal:
    state, element = machine.state, machine.last_start
    if state.startswith("script data") or (state.startswith("RAWTEXT") and element == "style"):
        return _in_content(machine)
    if state.startswith("RAWTEXT") or state == "PLAINTEXT":
        reason = "browsers read no character references there, so nothing can be escaped"
        return refused(f"inside <{element}>", reason, _TEXT_REMEDY)
    if state.startswith("RCDATA"):
        reason = "right after < it could become an end tag"
        return refused(f"there in <{element}>", reason, "Write &lt; for the < before it.")
    if "comment" in state or state == "processing instruction":
        return refused(
            "in what browsers read as a comment", "it would not be seen", "Write <!-- … --> or take it away."
        )
    return refused("in a CDATA section", "no character can be escaped in it", "Take the CDATA section away.")


def _in_content(machine: HtmlState) -> Place | Refusal:
    """Judge a place in the text of a script or style element."""
    element = machine.last_start
    if machine.inner is None:
        unknown = refused(f"inside <{element}>", "what it is in is not known", _DATA_REMEDY)
        return machine.no_language or unknown
    if "escaped" in machine.state:
        reason = "with what follows, browsers may read all up to the next script tag as a comment"
        return refused(f"inside <{element}> after <!--", reason, "Take the <!-- away; no browser needs it any more.")
    place = judged(machine.inner)
    if isinstance(place, Refusal):
        return place
    if machine.state not in {"script data", "RAWTEXT"} and not place.before:
        remedy = "Write \\x3c for the < in a script, \\3c in a style."
        return refused(f"right after < inside <{element}>", "it could become the end tag", remedy)
    return Place(place.kind, place.context, (f"element {element}", *place.path), place.escapers, place.before)


def describe(machine: HtmlState) -> str:
    """Say in a few words where the machine has come to, for messages about branches and loops."""
    state = machine.state
    inner = ""
    if machine.inner is not None:
        place = judged(machine.inner)
        code = " (code)" if isinstance(machine.inner, Script) else ""
        inner = f" ({place.path[-1]})" if isinstance(place, Place) else code
    if state == "data":
        top = machine.stack.top.rpartition(":")[2]
        return f"in the text of <{top}>" if top else "in text"
    if state in VALUE_STATES:
        return f'in the attribute "{machine.attribute}" of <{machine.tag}>{inner}'
    if machine.tag and (state in _TAG_STATES or "attribute" in state):
        return f"inside the tag <{'/' if machine.closing else ''}{machine.tag}>"
    if state.startswith(("RCDATA", "RAWTEXT", "script data", "PLAINTEXT")):
        return f"inside <{machine.last_start}>{inner}"
    return "inside a comment" if "comment" in state else "inside a tag"
