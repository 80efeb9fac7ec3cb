"""The meaning of attributes, as tables, each with the standard's section."""

from __future__ import annotations

from functools import lru_cache
from typing import TYPE_CHECKING, NamedTuple

from untor.contexts.placement import Refusal, refused

if TYPE_CHECKING:
    from collections.abc import Mapping

Fixed = dict[str, str | None]
"""The attributes of an element so far that are fixed text, lower case; ``None`` for one that may be several things."""


class Meaning(NamedTuple):
    """What an attribute's value is.

    ``kind`` is ``plain``, ``boolean``, ``state``, ``url``, ``image-url``, ``resource-url``, ``urls``, ``srcset``,
    ``script``, ``style``, ``style-value``, ``refresh``, ``srcdoc``, ``integrity`` or ``nonce``; of attributes that a
    library reads also ``expression`` or ``json``.
    """

    kind: str


def _pairs(table: str) -> frozenset[tuple[str, str]]:
    """Read a table: a line for each attribute, with the elements that have it."""
    pairs = set()
    for line in table.strip().splitlines():
        attribute, *elements = line.split()
        pairs |= {(element, attribute) for element in elements}
    return frozenset(pairs)


# HTML §4 "URL": followed or submitted by a person, or played. Of VML, which mail clients draw, a shape may be a link.
_URL = _pairs("""
    href a area
    action form
    formaction button input
    cite blockquote q ins del
    longdesc img iframe frame
    src audio video source track
    href v:arc v:curve v:group v:image v:line v:oval v:polyline v:rect v:roundrect v:shape
    xlink:href a
""")

# HTML §4.8.3, §4.8.8, §4.10.5.1.19, §16.2; SVG 2 §12.3, Filter Effects §9.13: shown as a picture.
_IMAGE_URL = _pairs("""
    src img input
    lowsrc img
    dynsrc img
    poster video
    src v:fill v:image v:imagedata v:stroke
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
URLS = _URL | _IMAGE_URL | _RESOURCE_URL
"""All attributes that are URLs, each with its element."""

_URL_NAMES = frozenset(attribute for _, attribute in URLS) - {"data", "code", "object"}
"""Names that are URLs on some element. On others they mean nothing, but a library may give them a meaning."""

_FOLLOWED = frozenset({"href", "action", "formaction", "cite", "longdesc", "poster", "background"})
"""Names of URLs that are followed, or shown as a picture, on elements of libraries too."""

# HTML §4.6.7, the IANA registry of link relations and the wiki that HTML §4.6.7.27 names: links that point to
# something, and load it at most as data or as a picture.
_POINTING = frozenset(
    """alternate amphtml appendix archives author bookmark canonical chapter cite-as collection contents copyright
    current describedby describes disclosure dns-prefetch edit edit-media edituri enclosure first glossary help hub
    index last latest-version license me micropub next next-archive original payment pingback preconnect prev
    prev-archive previous predecessor-version privacy-policy publisher related replies search section self service
    service-desc service-doc shortlink sponsored start status subsection successor-version tag terms-of-service up
    version-history via webmention wlwmanifest working-copy""".split(),
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

# HTML §2.3.7 "set of space-separated tokens", and the lists of IDs of WAI-ARIA §6.
TOKEN_LISTS = frozenset(
    """accesskey aria-controls aria-describedby aria-details aria-errormessage aria-flowto aria-labelledby aria-owns
    autocomplete class for headers itemprop itemref itemtype part rev""".split(),
)

# HTML §6.8.2, §6.11.1, §6.8.5 and WAI-ARIA §6: enumerated attributes that spell their states out.
NO_HANDLERS = frozenset("on once one online only ongoing onward".split())
"""Names that begin as those of event handlers do, but no event is called "line" or "going" (HTML §8.1.8.2)."""

_STATE = frozenset({"contenteditable", "draggable", "spellcheck"})

_LOADS = "it decides how a resource is requested or read"
_IS = "it decides what the element and its other attributes do"
_ALLOWS = "it decides what the document in the frame may do"
_LEAVES = "it decides what the page that is opened learns of this one"

# Attributes that decide what others mean or what is let in, by the elements that have them; ``*`` is every element.
DECISIONS: dict[str, tuple[frozenset[str], str]] = {
    "type": (frozenset({"script", "style", "link", "object", "embed"}), _IS),
    "rel": (frozenset({"link"}), _IS),
    "as": (frozenset({"link"}), _IS),
    "language": (frozenset({"script"}), _IS),
    "event": (frozenset({"script"}), _IS),
    "for": (frozenset({"script"}), _IS),
    "http-equiv": (frozenset({"meta"}), _IS),
    "charset": (frozenset("*"), _LOADS),
    "crossorigin": (frozenset("*"), _LOADS),
    "blocking": (frozenset({"link", "script", "style"}), _LOADS),
    "encoding": (frozenset({"annotation-xml"}), _IS),
    "sandbox": (frozenset("*"), _ALLOWS),
    "allow": (frozenset("*"), _ALLOWS),
    "csp": (frozenset("*"), _ALLOWS),
    "policy": (frozenset({"iframe"}), _ALLOWS),
    "permissionspolicy": (frozenset({"iframe"}), _ALLOWS),
    "referrerpolicy": (frozenset("*"), _LEAVES),
    "target": (frozenset({"base"}), "it decides where all links of the page open"),
    "shadowrootmode": (frozenset({"template"}), _IS),
    "name": (frozenset({"param", "meta"}), _IS),
    "value": (frozenset({"param"}), _IS),
    "valuetype": (frozenset({"param"}), _IS),
    "codetype": (frozenset({"object"}), _IS),
    "is": (frozenset("*"), _IS),
    "attributename": (frozenset("*"), _IS),
    "attributetype": (frozenset("*"), _IS),
}
_REL_OF_LINKS = (frozenset({"a", "area", "form"}), _LEAVES)
"""``rel`` of what a person follows: a word in it may hand the page to the one that is opened (HTML §4.6.7.16)."""

# SVG Animations §2.2: elements that change attributes of others, and the attributes that say to what.
_ANIMATIONS = frozenset({"animate", "set", "animatetransform", "animatemotion", "animatecolor", "discard"})
_ANIMATED = frozenset({"to", "from", "by", "values"})
_NOT_ANIMATED = frozenset({"href", "src", "style", "class"})

# SVG 2 §6.6 "presentation attributes" that are CSS with URLs or functions in it.
_PRESENTATION = frozenset(
    """fill stroke color stop-color flood-color lighting-color filter mask clip-path marker marker-start marker-mid
    marker-end cursor font font-family transform-origin""".split(),
)

KNOWN_TO_STANDARDS = frozenset(
    """xml:lang xml:space xml:id xlink:title xlink:role xlink:arcrole xlink:show xlink:actuate xlink:type x-height
    v-alphabetic v-hanging v-ideographic v-mathematical""".split(),
)
"""Attributes of XML and SVG that are text although their names look like those that libraries read."""

_VARIANTS = "Write the variants out with <! if !>, each with fixed text."


def meaning(element: str, attribute: str, *, foreign: bool = False, fixed: Fixed | None = None) -> Meaning | Refusal:
    """Say what an attribute of an element means; ``fixed`` are the element's other attributes."""
    return _meaning(element, attribute, foreign, (*fixed.items(),) if fixed else ())


@lru_cache(maxsize=2048)
def _meaning(
    element: str,
    attribute: str,
    foreign: bool,  # noqa: FBT001  a key
    others: tuple[tuple[str, str | None], ...],
) -> Meaning | Refusal:
    fixed = dict(others)
    where = f'in the attribute "{attribute}" of <{element}>'
    if attribute.startswith("on") and attribute not in NO_HANDLERS:
        return Meaning("script")
    elements, reason = _REL_OF_LINKS if attribute == "rel" and element != "link" else DECISIONS.get(attribute, _NONE)
    if element in elements or "*" in elements:
        return refused(where, reason, _VARIANTS)
    if foreign and attribute.partition(":")[0] == "xmlns":
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
    if not foreign and attribute in _FOLLOWED and (element, attribute) not in _RESOURCE_URL:
        return Meaning("url")
    if (element, attribute) in _RESOURCE_URL or attribute in _URL_NAMES:
        return Meaning("resource-url")
    if foreign:
        return _foreign(element, attribute, where, fixed)
    if attribute in BOOLEAN:
        return Meaning("boolean")
    return Meaning("state" if attribute in _STATE or attribute.startswith("aria-") else "plain")


_NONE: tuple[frozenset[str], str] = (frozenset(), "")


_BY_NAME = {
    "style": "style",
    "srcset": "srcset",
    "imagesrcset": "srcset",
    "srcdoc": "srcdoc",
    "ping": "urls",
    "attributionsrc": "urls",
    "integrity": "integrity",
    "nonce": "nonce",
    "xml:base": "resource-url",
}

DECIDING = frozenset({"type", "rel", "language", "http-equiv", "attributename", "name"})
"""Attributes that decide what others mean; their values are kept."""


def _link(fixed: Fixed) -> str:
    """Say what a link loads, by its ``rel`` (HTML §4.6.7); without one it loads nothing."""
    rel = fixed.get("rel", "")
    words = {"stylesheet"} if rel is None else set(rel.split())
    if words <= _POINTING:
        return "url"
    return "image-url" if words <= _POINTING | _PICTURES else "resource-url"


def _meta(where: str, fixed: Fixed) -> Meaning | Refusal:
    """Say what a ``meta`` instructs the browser to do (HTML §4.2.5.3)."""
    if "http-equiv" not in fixed and fixed.get("name", "") in {"referrer", None}:
        return refused(where, _LEAVES, _VARIANTS)
    if "http-equiv" not in fixed:
        return Meaning("plain")
    if fixed["http-equiv"] == "refresh":
        return Meaning("refresh")
    return refused(where, "it is an instruction to the browser", "Write it out, or send it as a header.")


def _foreign(element: str, attribute: str, where: str, fixed: Fixed) -> Meaning | Refusal:
    if element in _ANIMATIONS and attribute in _ANIMATED:
        target = fixed.get("attributename")
        decides = target is None or target.rpartition(":")[2] in _NOT_ANIMATED or target.startswith("on")
        if decides or target in DECISIONS:
            return refused(
                where, "it may change where a link leads", "Give it a fixed attributeName that links nowhere."
            )
        return Meaning("style-value" if target in _PRESENTATION else "plain")
    return Meaning("style-value" if attribute in _PRESENTATION else "plain")


# XML §6, Namespaces in XML §3: what a prefix may be bound to that gives an element a meaning.
XHTML = "http://www.w3.org/1999/xhtml"
SVG = "http://www.w3.org/2000/svg"
MATHML = "http://www.w3.org/1998/Math/MathML"
XLINK = "http://www.w3.org/1999/xlink"
XML = "http://www.w3.org/XML/1998/namespace"

_STRICTNESS = """script srcdoc refresh style resource-url urls srcset url image-url integrity nonce style-value state
boolean plain""".split()


def meaning_in_xml(tag: str, attribute: str, namespaces: Mapping[str, str], fixed: Fixed) -> Meaning | Refusal:
    """Say what an attribute means in XML, where names have prefixes.

    ``namespaces`` are the prefixes in scope. An element without a known namespace may become part of any document: its
    attributes have the strictest meaning that they have in one.
    """
    where = f'in the attribute "{attribute}" of <{tag}>'
    if attribute.partition(":")[0] == "xmlns":
        return refused(where, "it decides what the elements are", "Write the namespace out.")
    prefix, _, local = tag.rpartition(":")
    own, _, name = attribute.rpartition(":")
    if own == "xml":
        return meaning(tag, attribute, foreign=True)
    if own:
        bound = namespaces.get(own)
        linked = name.lower() == "href" and bound in {XLINK, None}
        if not linked:
            return Meaning("plain")
        name = "xlink:href"
    element, lowered = local.lower(), name.lower()
    namespace = namespaces.get(prefix)
    if namespace not in {XHTML, SVG, MATHML, None}:
        return Meaning("url" if lowered.rpartition(":")[2] in _URL_NAMES else "plain")
    readings = [False] if namespace == XHTML else [True] if namespace in {SVG, MATHML} else [False, True]
    meanings = [meaning(element, lowered, foreign=foreign, fixed=fixed) for foreign in readings]
    refusal = next((means for means in meanings if isinstance(means, Refusal)), None)
    if refusal is not None:
        return refusal
    kinds = [means.kind for means in meanings if isinstance(means, Meaning)]
    return Meaning(min(kinds, key=_STRICTNESS.index))
