"""Rules about tags: the page's encoding, new windows, what a strict Content-Security-Policy forbids."""

from __future__ import annotations

import re

from untor.contexts.html_attributes import NO_HANDLERS
from untor.diagnostics.problem import Problem

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterator

    from untor.check.tag_walker import Tag

_ABSOLUTE = re.compile(r"\s*(?:[a-z][a-z0-9+.-]*:|[/\\]{2})", re.IGNORECASE)
_SCRIPT_TYPES = re.compile(
    r"\s*(?:|module|(?:text|application)/(?:x-)?(?:java|ecma)script(?:1\.\d)?)\s*", re.IGNORECASE
)
_FIRST = 1024
"""HTML §4.2.5.4: within how many bytes the encoding must be said."""


def charset(tags: list[Tag]) -> Iterator[Problem]:
    """HTML §4.2.5.4: a page that declares its encoding declares UTF-8, once, within its first 1024 bytes.

    It need not: the ``Content-Type`` of an answer has the encoding.
    """
    declarations = [tag for tag in tags if tag.name == "meta" and not tag.foreign and _says_charset(tag)]
    for number, meta in enumerate(declarations):
        value = meta.attributes.get("charset") or meta.attributes.get("content") or "utf-8"
        before = meta.source.text[: meta.start].encode("utf-8", "replace")
        if not re.search(r"utf-?8", value, re.IGNORECASE):
            trouble = f"declares the encoding {value.strip()}, but Untor writes UTF-8"
        elif number and "charset" in declarations[0].attributes.keys() ^ meta.attributes.keys():
            trouble = "declares its encoding twice"
        elif len(before) + meta.end - meta.start > _FIRST:
            trouble = f"declares its encoding after the first {_FIRST} bytes"
        else:
            continue
        yield Problem("charset-wrong", meta.source, meta.start, meta.end, trouble=trouble)
        return


def _says_charset(tag: Tag) -> bool:
    content = tag.attributes.get("content") or ""
    return "charset" in tag.attributes or ("http-equiv" in tag.attributes and "charset" in content.lower())


def opener(tag: Tag) -> Iterator[Problem]:
    """HTML §4.6.7.13 "noopener": a link to another site in a new window does not hand this one over."""
    if tag.closing or tag.name not in {"a", "area", "form"} or "target" not in tag.attributes:
        return
    target, rel = tag.attributes["target"], (tag.attributes.get("rel") or "").lower().split()
    address = tag.attributes.get("action" if tag.name == "form" else "href", "")
    if address is not None and not _ABSOLUTE.match(address):
        return
    if {"noopener", "noreferrer"} & set(rel) or (target or "").lower() in {"", "_self", "_parent", "_top"}:
        return
    if "opener" in rel:
        trouble = 'its rel is "opener"'
    elif (target or "").lower() == "_blank":
        trouble = "browsers from before 2021 allow it"
    else:
        trouble = f'the window is named "{target}"'
    yield Problem("opener", tag.source, tag.start, tag.end, trouble=trouble)


def policy(tag: Tag) -> Iterator[Problem]:
    """CSP Level 3 §4.2 and §8: no handlers in attributes, no scripts without a file or a nonce."""
    if tag.closing:
        return
    place = (tag.source, tag.start, tag.end)
    for name in tag.attributes:
        if name.startswith("on") and name not in NO_HANDLERS:
            yield Problem("csp-handler", *place, name=name)
    if "style" in tag.attributes:
        yield Problem("csp-style", *place)
    for name in ("href", "action", "src"):
        if (tag.attributes.get(name) or "").strip().lower().startswith("javascript:"):
            yield Problem("csp-handler", *place, name=f"{name}=javascript:")
    kind = tag.attributes.get("type", "")
    if tag.name == "script" and "nonce" not in tag.attributes and _SCRIPT_TYPES.fullmatch(kind or ""):
        trouble = "neither a nonce nor a file" if "src" not in tag.attributes else ""
        if trouble:
            yield Problem("csp-script", *place, trouble=trouble)
