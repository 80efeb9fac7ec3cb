"""URLs in attributes, and their origins according to the URL standard's parser."""

from __future__ import annotations

import re
from functools import lru_cache
from typing import NamedTuple

from untor.probe.payloads import is_harmless

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterator

RELATIVE = "relative"
"""Stands for the scheme of a URL that leads to the page's own site."""

_BASE = "https://page.example/folder/page"
_LOADS = frozenset(
    """script iframe frame embed object applet base link portal use image-set animate set html manifest""".split(),
)
_NAMES = frozenset(
    """href src action formaction cite poster data background longdesc manifest icon lowsrc dynsrc codebase classid
    profile usemap xlink:href""".split(),
)
_LISTS = frozenset({"srcset", "imagesrcset", "ping", "attributionsrc"})
_REFRESH = re.compile(r"\s*[\d.]*\s*[;,]?\s*(?:url\s*=\s*)?['\"]?(.*)", re.IGNORECASE | re.DOTALL)
_LOADING = frozenset(
    """stylesheet modulepreload preload prefetch prerender manifest import expect compression-dictionary""".split(),
)
"""HTML §4.6.7, and relations that browsers also support: links that load code, styles or pages."""


class Address(NamedTuple):
    """Where a URL leads: its scheme and its origin."""

    scheme: str
    origin: str

    def __str__(self) -> str:
        return f"{self.scheme}:" if not self.origin or self.scheme == RELATIVE else self.origin

    def from_value(self, text: str) -> bool:
        """Return whether a harmless value is at the start or in the host of the URL that leads here."""
        return is_harmless(text) or "xq" in self.origin or "xq" in self.scheme


@lru_cache(maxsize=4096)
def address_of(url: str) -> Address:
    """Return where a URL leads from a page."""
    import ada_url  # noqa: PLC0415  an extra

    try:
        address = ada_url.URL(url, base=_BASE)
    except ValueError:
        return Address("about", "")
    scheme = address.protocol.removesuffix(":")
    origin = "" if address.origin == "null" else str(address.origin)
    if origin == "https://page.example":
        return Address(RELATIVE, _parent(url, str(address.pathname)))
    if scheme == "data" and re.match(r"data:image/(?!svg)[\w.+-]+[;,]", url.strip(), re.IGNORECASE):
        return Address("data:image", "")
    return Address(scheme, origin)


def _parent(url: str, path: str) -> str:
    """Say of a relative URL whether it has climbed out of the folder that it is written for."""
    segments = re.split(r"[/\\]", re.split(r"[?#]", url)[0])
    climbs = any(re.fullmatch(r"(?:\.|%2e){2}", segment, re.IGNORECASE) for segment in segments)
    return "climbing" if climbs and path else ""


def urls_in(element: str, name: str, value: str, attributes: dict[str, str]) -> Iterator[tuple[str, bool]]:
    """Yield each URL of an attribute, and whether code or a frame is loaded from it."""
    if name in _NAMES:
        relations = set(attributes.get("rel", "").lower().split())
        loads = element in _LOADS and not (element == "link" and relations.isdisjoint(_LOADING))
        yield value, loads
    elif name in _LISTS:
        for part in value.split() if "srcset" not in name else re.split(r",\s+|,$", value):
            url = part.strip().split()
            if url:
                yield url[0], False
    elif (element, name) == ("meta", "content") and attributes.get("http-equiv", "").lower() == "refresh":
        match = _REFRESH.match(value)
        yield (match[1] if match else value).rstrip("'\""), False
