"""What the attributes of elements mean, as tables, each with the standard's section."""

from __future__ import annotations

import re
from typing import NamedTuple

from untor.places.place import Refusal, refused

Fixed = dict[str, str | None]
"""The attributes of an element so far that are fixed text, lower case; ``None`` for one that may be several things."""


class Meaning(NamedTuple):
    """What an attribute's value is.

    ``kind`` is ``plain``, ``boolean``, ``state``, ``url``, ``image-url``, ``resource-url``, ``urls``, ``srcset``,
    ``script``, ``style``, ``style-value``, ``refresh``, ``srcdoc`` or ``code`` (libraries in the page run it).
    """

    kind: str


def _pairs(table: str) -> frozenset[tuple[str, str]]:
    """Read a table: a line for each attribute, with the elements that have it."""
    pairs = set()
    for line in table.strip().splitlines():
        attribute, *elements = line.split()
        pairs |= {(element, attribute) for element in elements}
    return frozenset(pairs)


# HTML §4 "URL": followed or submitted by a person, or played.
_URL = _pairs("""
    href a area
    action form
    formaction button input
    cite blockquote q ins del
    longdesc img iframe frame
    src audio video source track
    xlink:href a
""")

# HTML §4.8.3, §4.8.8, §4.10.5.1.19, §16.2; SVG 2 §12.3, Filter Effects §9.13: shown as a picture.
_IMAGE_URL = _pairs("""
    src img input
    lowsrc img
    dynsrc img
    poster video
    background body table td th tr tbody thead tfoot
    href image feimage
    xlink:href image feimage
    icon menuitem
""")

# HTML §4: URLs that code or another page is loaded from, or that change what the other URLs of the page mean.
_RESOURCE_URL = _pairs("""
    src script iframe frame embed portal
    href base link
    data object
    code applet object
    codebase applet object
    classid object
    archive applet object
    object applet
    manifest html
    profile head
    usemap img input object
""")
_URL_NAMES = frozenset(attribute for _, attribute in _URL | _IMAGE_URL | _RESOURCE_URL) - {"data", "code", "object"}
"""Names that are URLs on some element. On others they mean nothing, but a library may give them a meaning."""

# HTML §4.6.7: links that point to something, and load it at most as data or as a picture.
_POINTING = frozenset(
    """alternate archives author bookmark canonical first help index last license me next pingback prev previous
    privacy-policy search self shortlink terms-of-service up edit hub webmention dns-prefetch preconnect""".split(),
)
_PICTURES = frozenset(
    {"icon", "shortcut", "apple-touch-icon", "apple-touch-icon-precomposed", "mask-icon", "image_src"}
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
DEFINING: dict[str, frozenset[str]] = {
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
    "valuetype": frozenset({"param"}),
}
_ANIMATING = frozenset({"attributename", "attributetype"})

# SVG Animations §2.2: elements that change attributes of others, and the attributes that say to what.
_ANIMATIONS = frozenset({"animate", "set", "animatetransform", "animatemotion", "animatecolor", "discard"})
_ANIMATED = frozenset({"to", "from", "by", "values"})

# SVG 2 §6.6 "presentation attributes" that are CSS with URLs or functions in it.
_PRESENTATION = frozenset(
    """fill stroke color stop-color flood-color lighting-color filter mask clip-path marker marker-start marker-mid
    marker-end cursor font font-family transform-origin""".split(),
)

ACTIVE_NAMES = (r"(?:data-)?(?:x|v|ng|hx|bind|on)-.*", r".*-on(?:-.*)?", r".*[^a-z0-9_-].*", "data-bind", "_")
"""Names of attributes that libraries in the page run as code or read as their own language, as patterns."""

_HARMLESS_WITH_COLON = frozenset({"xml:lang", "xml:space", "xlink:title"})

_VARIANTS = "Write the variants out with <! if !>, each with fixed text."


def meaning(element: str, attribute: str, *, foreign: bool = False, fixed: Fixed | None = None) -> Meaning | Refusal:
    """Say what an attribute of an element means; ``fixed`` are the element's other attributes."""
    fixed = fixed or {}
    where = f'in the attribute "{attribute}" of <{element}>'
    if attribute.startswith("on"):
        return Meaning("script")
    if element in DEFINING.get(attribute, ()) or attribute in _ANIMATING or attribute == "is":
        return refused(where, "it decides what the element and its other attributes do", _VARIANTS)
    if foreign and attribute == "xmlns":
        return refused(where, "it decides what the elements are", "Write the namespace out.")
    if attribute in _BY_NAME:
        return Meaning(_BY_NAME[attribute])
    if element == "link" and attribute == "href":
        return Meaning(_link(fixed))
    if element == "meta" and attribute == "content":
        return _meta(where, fixed)
    if (element, attribute) in _URL or (foreign and attribute == "href" and element.startswith("m")):
        return Meaning("url")
    if (element, attribute) in _IMAGE_URL:
        return Meaning("image-url")
    if (element, attribute) in _RESOURCE_URL or attribute in _URL_NAMES:
        return Meaning("resource-url")
    if foreign:
        return _foreign(element, attribute, where, fixed)
    if attribute in BOOLEAN:
        return Meaning("boolean")
    return Meaning("state" if attribute in _STATE or attribute.startswith("aria-") else "plain")


_BY_NAME = {
    "style": "style",
    "srcset": "srcset",
    "imagesrcset": "srcset",
    "srcdoc": "srcdoc",
    "ping": "urls",
    "attributionsrc": "urls",
}


WITH_LANGUAGE = frozenset({*_BY_NAME, "content", *_PRESENTATION, *_ANIMATED})
"""Attributes with a language of their own inside, besides event handlers."""

DECIDING = frozenset({"type", "rel", "language", "http-equiv", "attributename"})
"""Attributes that decide what others mean; their values are kept."""


def _link(fixed: Fixed) -> str:
    """Say what a link loads, by its ``rel`` (HTML §4.6.7)."""
    words = set((fixed.get("rel") or "stylesheet").split())
    if words and words <= _POINTING:
        return "url"
    return "image-url" if words <= _POINTING | _PICTURES else "resource-url"


def _meta(where: str, fixed: Fixed) -> Meaning | Refusal:
    """Say what a ``meta`` instructs the browser to do (HTML §4.2.5.3)."""
    if "http-equiv" not in fixed:
        return Meaning("plain")
    if fixed["http-equiv"] == "refresh":
        return Meaning("refresh")
    return refused(where, "it is an instruction to the browser", "Write it out, or send it as a header.")


def _foreign(element: str, attribute: str, where: str, fixed: Fixed) -> Meaning | Refusal:
    if element in _ANIMATIONS and attribute in _ANIMATED:
        target = fixed.get("attributename")
        if target is None or target.rpartition(":")[2] in {"href", "src", "style", "class"} or target.startswith("on"):
            return refused(where, "it may change where a link leads", "Give it a fixed attributeName that is no link.")
        return Meaning("style-value" if target in _PRESENTATION else "plain")
    return Meaning("style-value" if attribute in _PRESENTATION else "plain")


def runs_as_code(attribute: str, patterns: re.Pattern[str]) -> bool:
    """Tell whether libraries in the page may run an attribute of this name."""
    return attribute not in _HARMLESS_WITH_COLON | {"xlink:href"} and patterns.fullmatch(attribute) is not None


def active_pattern(patterns: tuple[str, ...]) -> re.Pattern[str]:
    """Join the patterns of names of attributes that libraries run. Raises ``re.error`` for one that is none."""
    return re.compile("|".join(f"(?:{pattern})" for pattern in patterns) or r"(?!)")
