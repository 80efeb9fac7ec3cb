"""Which language stands in an attribute or an element (HTML §4.2.6, §4.12.1, and the tables of ``attributes``)."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

from untor.places.attributes import DECIDING, WITH_LANGUAGE, Fixed, Meaning, meaning
from untor.places.data_block import DataBlock
from untor.places.json_states import Json
from untor.places.place import Refusal, refused
from untor.places.script_states import Script
from untor.places.script_tokens import TYPES
from untor.places.srcdoc import Document
from untor.places.style_states import Style
from untor.places.url_lists import LocalUrl, Refresh, UrlList

if TYPE_CHECKING:
    from untor.places.html_machine import Machine
    from untor.places.language import Language

_JSON = frozenset({"application/json", "text/json", "speculationrules"})
_CODE = re.compile("script|babel|[jt]sx|python|ruby|lua|perl|wasm")


def of_attribute(machine: Machine) -> Language | None:
    """Return the language at the start of the value of the machine's attribute; ``None`` for text and whole URLs."""
    name = machine.attribute
    if not (name in WITH_LANGUAGE or name.startswith("on") or machine.inside) or machine.closing:
        return None
    means = meaning_of(machine)
    if isinstance(means, Refusal):
        return None
    match means.kind:
        case "script":
            return Script()
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


def meaning_of(machine: Machine) -> Meaning | Refusal:
    """Say what the machine's attribute means on the machine's element."""
    fixed = machine.fixed_attributes()
    if machine.inside:
        # Nobody looks ahead there: any of them may come after this one.
        fixed = {**dict.fromkeys(DECIDING), **fixed}
    return meaning(machine.tag, machine.attribute, foreign=machine.is_foreign_tag(), fixed=fixed)


def of_element(name: str, fixed: Fixed) -> Language | Refusal:
    """Return the language of a script's or style's text, by the element's attributes; or why it has none."""
    if any(fixed.get(each, "") is None for each in ("type", "language")):
        reason = "the type of the element may be one or another"
        return refused(f"inside <{name}>", reason, "Write the variants out with <! if !>, each with a fixed type.")
    kind = (fixed.get("type") or "").strip("\t\n\f\r ")
    if name == "style":
        return Style() if kind in {"", "text/css"} else DataBlock()
    if not fixed.get("type"):
        language = fixed.get("language") if "type" not in fixed else ""
        kind = f"text/{language}" if language else "text/javascript"
    if kind in TYPES:
        return Script()
    if kind == "module":
        return Script(module=True)
    if kind == "importmap":
        return Json(addresses=True)
    if kind in _JSON or kind.endswith("+json"):
        return Json()
    if _CODE.search(kind):
        return refused(f"in a script of the type {kind}", "it is code of another language", _DATA_REMEDY)
    return DataBlock()


_DATA_REMEDY = "Print the data as JSON into a script of the type application/json, and read it from there."
