"""The sitemap of a site (sitemaps.org, protocol 0.9)."""

from __future__ import annotations

from itertools import chain, islice
from typing import NamedTuple
from xml.sax.saxutils import XMLGenerator
from xml.sax.xmlreader import AttributesImpl

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable, Iterable, Iterator

SITEMAP = "sitemap.xml"
MOST_URLS = 50_000
"""How many addresses one file may have: the limit of the protocol."""

_NONE = AttributesImpl({})
_NAMESPACE = "http://www.sitemaps.org/schemas/sitemap/0.9"


class SitemapFile(NamedTuple):
    """A file of the sitemap: its path, and a function that writes it to a file."""

    path: str
    write: Callable[[str], None]


def sitemap_files(urls: Iterable[str], origin: str, base: str) -> Iterator[SitemapFile]:
    """Yield the files of a sitemap: one, or several and an index of them. Each is to be written before the next.

    ``origin`` and ``base`` are the address of the site. Nothing is yielded where there are no addresses.
    """
    rest = iter(urls)
    first = [*islice(rest, MOST_URLS)]
    following = next(rest, None)
    if following is None:
        if first:
            yield SitemapFile(SITEMAP, lambda file: _write(file, "urlset", "url", first))
        return
    rest = chain([following], rest)
    names: list[str] = []
    while first:
        names.append(f"sitemap-{len(names) + 1}.xml")
        part = first
        yield SitemapFile(names[-1], lambda file, part=part: _write(file, "urlset", "url", part))  # type: ignore[misc]
        first = [*islice(rest, MOST_URLS)]
    addresses = [f"{origin}{base}{name}" for name in names]
    yield SitemapFile(SITEMAP, lambda file: _write(file, "sitemapindex", "sitemap", addresses))


def _write(file: str, root: str, element: str, urls: list[str]) -> None:
    with open(file, "w", encoding="utf-8", newline="\n") as output:
        xml = XMLGenerator(output, "utf-8")
        xml.startDocument()
        xml.startElement(root, AttributesImpl({"xmlns": _NAMESPACE}))
        for url in urls:
            xml.characters("\n")
            xml.startElement(element, _NONE)
            xml.startElement("loc", _NONE)
            xml.characters(url)
            xml.endElement("loc")
            xml.endElement(element)
        xml.characters("\n")
        xml.endElement(root)
        xml.endDocument()
