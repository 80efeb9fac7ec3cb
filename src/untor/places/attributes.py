"""What the attributes of elements mean, as tables, each with the standard's section."""

from __future__ import annotations

import re
from typing import NamedTuple


class Meaning(NamedTuple):
    """What an attribute's value is.

    ``kind`` is ``plain``, ``boolean``, ``state``, ``url`` or ``image-url``; or ``refused`` (no escaping can help)
    or ``later`` (not built yet), with ``place`` and ``reason`` in words.
    """

    kind: str
    place: str = ""
    reason: str = ""
    remedy: str = ""


# HTML §4 "URL": followed or submitted by a person.
_URL: frozenset[tuple[str, str]] = frozenset(
    {
        ("a", "href"),
        ("area", "href"),
        ("form", "action"),
        ("button", "formaction"),
        ("input", "formaction"),
        ("blockquote", "cite"),
        ("q", "cite"),
        ("ins", "cite"),
        ("del", "cite"),
        ("img", "longdesc"),
        ("audio", "src"),
        ("video", "src"),
        ("source", "src"),
        ("track", "src"),
    },
)

# HTML §4.8.3, §4.8.8, §4.10.5.1.19, §16.2: shown as a picture.
_IMAGE_URL: frozenset[tuple[str, str]] = frozenset(
    {
        ("img", "src"),
        ("input", "src"),
        ("video", "poster"),
        ("body", "background"),
        ("table", "background"),
        ("td", "background"),
        ("th", "background"),
    },
)

# Names that are URLs on some element; elsewhere they mean nothing, and a library may give them a meaning.
_URL_NAMES = frozenset(
    """action archive attributionsrc background cite classid code codebase data dynsrc formaction href icon longdesc
    lowsrc manifest poster profile src usemap""".split(),
)

# HTML §2.3.2 and §4: boolean attributes.
BOOLEAN = frozenset(
    """allowfullscreen async autofocus autoplay checked controls default defer disabled formnovalidate inert ismap
    itemscope loop multiple muted nomodule novalidate open playsinline readonly required reversed selected
    shadowrootclonable shadowrootdelegatesfocus shadowrootserializable""".split(),
)

# HTML §6.8.2, §6.11.1, §6.8.5 and WAI-ARIA §6: enumerated attributes that spell their states out.
_STATE = frozenset({"contenteditable", "draggable", "spellcheck"})

# Attributes that change what other attributes or the content of their element mean.
_DEFINING: dict[str, frozenset[str]] = {
    "type": frozenset({"script", "style", "link", "object", "embed"}),
    "rel": frozenset({"link"}),
    "as": frozenset({"link"}),
    "language": frozenset({"script"}),
    "http-equiv": frozenset({"meta"}),
    "charset": frozenset({"meta", "script"}),
    "encoding": frozenset({"annotation-xml"}),
    "sandbox": frozenset({"iframe"}),
    "allow": frozenset({"iframe"}),
    "shadowrootmode": frozenset({"template"}),
    "name": frozenset({"param", "meta"}),
    "value": frozenset({"param"}),
}
_ANIMATING = frozenset({"attributename", "attributetype"})

_LATER: dict[str, tuple[str, str]] = {
    "style": ("the style attribute", "Choose between classes: class=\"{= 'late' if call.late else 'due' =}\"."),
    "srcset": ("the list of pictures", "Use src for one picture."),
    "imagesrcset": ("the list of pictures", "Use a fixed list."),
    "srcdoc": ("the HTML of a frame", "Link to a page of its own."),
    "ping": ("the list of URLs", "Use a fixed list."),
}

# Names that libraries in the page run as code or read as their own language.
_ACTIVE_NAME = re.compile(r"(?:data-)?(?:x|v|ng|hx|bind|on)-|.*-on(?:-|$)|.*[^a-z0-9_-]|\Z")

_FOREIGN_PLAIN = frozenset(
    """class id role lang tabindex viewbox width height x y x1 x2 y1 y2 cx cy r rx ry d points dx dy rotate transform
    opacity pathlength preserveaspectratio version focusable fill-opacity stroke-opacity stroke-width""".split(),
)

_DATA_REMEDY = 'Put it into a data attribute: data-value="{= … =}".'


def meaning(element: str, attribute: str, *, foreign: bool = False, others: frozenset[str] = frozenset()) -> Meaning:
    """Say what an attribute of an element means; ``others`` are the names of the element's attributes so far."""
    where = f'in the attribute "{attribute}" of <{element}>'
    refused = _refused(element, attribute, where)
    if refused is not None:
        return refused
    if attribute in _LATER:
        place, remedy = _LATER[attribute]
        return Meaning("later", f'in {place} "{attribute}" of <{element}>', "", remedy)
    if foreign:
        known = attribute in _FOREIGN_PLAIN or attribute.startswith(("aria-", "data-"))
        return (
            Meaning("plain")
            if known
            else Meaning(
                "later",
                f'in the attribute "{attribute}" of <{element}> in foreign content',
                "",
                "Use fixed text there.",
            )
        )
    if (element, attribute) in _URL:
        return Meaning("url")
    if (element, attribute) in _IMAGE_URL:
        return Meaning("image-url")
    if attribute in _URL_NAMES or (element, attribute) == ("iframe", "src"):
        place = f'in the URL "{attribute}" of <{element}>, which loads code or reframes the page,'
        return Meaning("later", place, "", 'Use a fixed URL, or link to it: <a href="{= … =}">.')
    if element == "meta" and attribute == "content" and "http-equiv" in others:
        return Meaning("later", f"{where}, an instruction to the browser,", "", "Use fixed text there.")
    if attribute in BOOLEAN:
        return Meaning("boolean")
    if attribute in _STATE or attribute.startswith("aria-"):
        return Meaning("state")
    return Meaning("plain")


def _refused(element: str, attribute: str, where: str) -> Meaning | None:
    if attribute.startswith("on"):
        return Meaning("later", f'in the event handler "{attribute}" of <{element}>', "", _DATA_REMEDY)
    if element in _DEFINING.get(attribute, ()) or attribute in _ANIMATING or attribute == "is":
        reason = "it decides what the element and its other attributes do"
        return Meaning("refused", where, reason, "Write the variants out with <! if !>, each with fixed text.")
    if attribute in {"xml:lang", "xml:space"}:
        return None
    if _ACTIVE_NAME.match(attribute):
        reason = "libraries in the page may run attributes of such names as code"
        return Meaning("refused", where, reason, _DATA_REMEDY)
    return None
