"""The language inside an attribute or an element (HTML §4.2.6, §4.12.1, and the tables of ``html_attributes``)."""

from __future__ import annotations

from typing import TYPE_CHECKING

from untor.contexts.client_libraries import bound
from untor.contexts.css_states import Style
from untor.contexts.html_attributes import DECIDING, KNOWN_TO_STANDARDS, Fixed, Meaning, meaning, meaning_in_xml
from untor.contexts.html_data_block import DataBlock, NoText
from untor.contexts.html_srcdoc import Document, fragment
from untor.contexts.json_states import ADDRESSES, Json
from untor.contexts.placement import Refusal, refused
from untor.contexts.script_sinks import Sink
from untor.contexts.script_states import Script
from untor.contexts.script_tokens import TYPES
from untor.contexts.url_lists import LocalUrl, Refresh, UrlList

if TYPE_CHECKING:
    from collections.abc import Set as AbstractSet

    from untor.contexts.client_libraries import Tables
    from untor.contexts.embedded_language import EmbeddedLanguage
    from untor.contexts.html_state import HtmlState

_JSON = frozenset({"application/json", "text/json"})
_SINKS = {"srcdoc": "html", "url": "url", "image-url": "url", "resource-url": "resource-url", "script": "code"}


def of_attribute(machine: HtmlState) -> EmbeddedLanguage | None:
    """Return the language at the start of the value of the machine's attribute; ``None`` for text and whole URLs."""
    if machine.closing:
        return None
    means = meaning_of(machine)
    if isinstance(means, Refusal):
        return None
    match means.kind:
        case "script":
            return Script(element=machine.tag.rpartition(":")[2].lower(), tables=machine.tables)
        case "expression":
            return _expression(machine)
        case "json":
            return Json()
        case "style":
            return Style(declarations=True)
        case "style-value":
            return Style(declarations=True).read("x:")
        case "srcset":
            return UrlList("image-url", descriptors=True)
        case "urls":
            return UrlList("url", descriptors=False)
        case "refresh":
            return Refresh()
        case "srcdoc":
            return Document(machine.nested())
        case "url" | "image-url" | "resource-url" if machine.inside:
            return LocalUrl(means.kind)
    return None


def _expression(machine: HtmlState) -> EmbeddedLanguage:
    """Return the language of an attribute that a library evaluates; what it sets may be a sink."""
    script = Script(expression=True, tables=machine.tables)
    name = bound(machine.attribute)
    if name is not None:
        means = meaning(machine.tag, name, fixed=machine.fixed_attributes())
        kind = "closed" if isinstance(means, Refusal) or not name else _SINKS.get(means.kind)
        if name.replace("-", "") in {"innerhtml", "outerhtml"}:
            kind = "html"
        if kind is not None:
            script.flow = script.flow.given_to(Sink(kind, f'{machine.attribute}="…"'))
    return script


def meaning_of(machine: HtmlState) -> Meaning | Refusal:
    """Say what the machine's attribute means on the machine's element, to browsers or to libraries in the page."""
    has_others = machine.static_attributes or machine.later_attributes
    fixed = machine.fixed_attributes() if has_others else None
    if machine.inside:
        # Nobody looks ahead there: any of them may come after this one.
        fixed = {**dict.fromkeys(DECIDING), **(fixed or {})}
    if machine.xml:
        return meaning_in_xml(machine.tag, machine.attribute, machine.namespaces_here(), fixed or {})
    means = meaning(machine.tag, machine.attribute, foreign=machine.is_foreign_tag(), fixed=fixed)
    if isinstance(means, Meaning) and means.kind == "plain":
        return _of_library(machine, means)
    return means


_LIBRARY_KINDS = {"script": "expression", "html": "srcdoc", "id-list": "plain", "text": "plain"}


def _of_library(machine: HtmlState, means: Meaning) -> Meaning | Refusal:
    """Say what libraries in the page read an attribute as that no standard gives a meaning."""
    name = machine.attribute
    if name in KNOWN_TO_STANDARDS:
        return means
    kind = machine.tables.attribute(name)
    if kind == "refused":
        where = f'in the attribute "{name}" of <{machine.tag}>'
        reason = "libraries in the page may run attributes of such names as code"
        return Refusal("place-active", {"place": where, "reason": reason, "remedy": _ACTIVE_REMEDY})
    return Meaning(_LIBRARY_KINDS.get(kind, kind))


_ACTIVE_REMEDY = (
    'Put it into a data attribute, data-value="{= … =}", or say what the attribute is: Engine(attributes={…}).'
)


def of_element(
    name: str, fixed: Fixed, tables: Tables, *, optional: AbstractSet[str] = frozenset()
) -> EmbeddedLanguage | Refusal:
    """Return the language of a script's or style's text, by the element's attributes; or why it has none.

    ``optional`` are the attributes that a value may leave out.
    """
    if name == "script" and "src" in optional:
        return NoText()
    if any(fixed.get(each, "") is None for each in ("type", "language")):
        reason = "the type of the element may be one or another"
        return refused(f"inside <{name}>", reason, "Write the variants out with <! if !>, each with a fixed type.")
    kind = (fixed.get("type") or "").strip("\t\n\f\r ")
    if name == "style" and kind in {"", "text/css"}:
        return Style()
    if name == "script" and not fixed.get("type"):
        language = fixed.get("language") if "type" not in fixed else ""
        kind = f"text/{language}" if language else "text/javascript"
    if name == "script":
        if kind in TYPES or kind == "module":
            return Script(module=kind == "module", tables=tables)
        if kind in ADDRESSES:
            return Json(addresses=kind)
    kind_of_script = tables.script_type(kind)
    if kind_of_script is None and name == "script" and (kind in _JSON or kind.endswith("+json")):
        kind_of_script = "json"
    if kind_of_script == "script":
        return Script(tables=tables)
    if kind_of_script in {"json", "text"}:
        return Json() if kind_of_script == "json" else DataBlock()
    if kind_of_script == "html":
        return fragment(tables)
    reason = "what reads it is not known"
    remedy = "Print the data as JSON into a script of the type application/json, or say what the type is: "
    remedy += f'Engine(script_types={{"{kind}": "text"}}).'
    return refused(f'in a {name} element of the type "{kind}"', reason, remedy)
