"""Checks that the links inside a built site lead to files that it has, and fragments to elements that are there."""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import lru_cache
from urllib.parse import quote, unquote, urljoin, urlsplit

from untor.contexts.html_attributes import URLS
from untor.diagnostics.problem import suggestion
from untor.site.paths import NOT_FOUND

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable, Iterable, Iterator
    from pathlib import Path
    from typing import Any

MOST_BROKEN = 1000
"""How many broken links are kept; the others are counted."""

_NOT_LINKS = frozenset({"archive", "cite", "classid", "codebase", "longdesc", "profile", "usemap"})
"""URLs that browsers neither follow nor load, or that are names of something in the page itself."""

_LISTS = {("img", "srcset"), ("source", "srcset"), ("link", "imagesrcset")}
_USED = {("use", "href"), ("use", "xlink:href")}
"""SVG 2 §5.5."""

_URL_ATTRIBUTES: dict[str, list[str]] = {}
for _element, _attribute in sorted({*URLS, *_LISTS, *_USED}):
    if ":" not in _element and _element != "base" and _attribute not in _NOT_LINKS:
        _URL_ATTRIBUTES.setdefault(_element, []).append(_attribute)

_SEVERAL = frozenset({"srcset", "imagesrcset"})
_CANDIDATE = re.compile(r"[\s,]*(\S*[^\s,])(?:\s+[^,]*)?(?:,|\Z)")
"""One candidate of an attribute srcset (HTML Standard §4.8.4.2.1), as authors write it."""

_HOST = re.compile(r"\s*(?:[a-z][a-z0-9+.-]*:|[/\\]{2})", re.IGNORECASE)
"""Begins a URL that names its host."""

_HERE = "https://site.invalid"
"""The origin of a site that has not been given its own."""


@dataclass(slots=True)
class BrokenLink:
    """A link that leads nowhere: the page it is first on, what is written there, why, and on how many pages it is."""

    page: str
    target: str
    why: str
    pages: int = 1

    __module__ = "untor"


class LinkChecker:
    """Checks the pages of a site. ``has`` says whether the site has a file, by its path; ``paths`` yields all of them.

    Raises ``ImportError`` without the package that reads HTML.
    """

    def __init__(
        self, output: Path, origin: str, base: str, has: Callable[[str], bool], paths: Callable[[], Iterable[str]]
    ) -> None:
        from selectolax.lexbor import LexborHTMLParser  # noqa: PLC0415  only for those who check

        self._parsed: Callable[[bytes], Any] = LexborHTMLParser
        self._output = output
        self._origin = origin or _HERE
        self._base = base
        self._has = lru_cache(100_000)(has)
        self._paths = paths
        self._broken: dict[tuple[str, str], BrokenLink] = {}
        self._fragments: dict[str, dict[str, list[tuple[str, str]]]] = {}
        """The fragments that are linked to, by the path of the page that must have them, with the first link."""

    def check(self) -> list[BrokenLink]:
        """Return the links that lead nowhere, in order of the pages, each target once for each reason."""
        for path in self._paths():
            if path.endswith((".html", ".htm")):
                self._check_page(path)
        for path, wanted in self._fragments.items():
            try:
                tree = self._parsed((self._output / path).read_bytes())
            except OSError:  # a page that failed, whose earlier file somebody has removed
                continue
            ids = {node.attributes.get("id") for node in tree.css("[id]")}
            ids |= {node.attributes.get("name") for node in tree.css("a[name]")}
            for fragment, links in wanted.items():
                if fragment not in ids:
                    near = suggestion(fragment, (each for each in ids if each))
                    for page, target in links:
                        self._add(page, target, f'{path} has no element with the id "{fragment}". {near}'.rstrip())
        return sorted(self._broken.values(), key=lambda link: (link.page, link.target))

    def _check_page(self, path: str) -> None:
        try:
            tree = self._parsed((self._output / path).read_bytes())
        except OSError:
            return
        address = urljoin(f"{self._origin}{self._base}", quote(path))
        anywhere = path == NOT_FOUND
        base = tree.css_first("base[href]")
        own = urljoin(address, base.attributes.get("href") or "") if base is not None else address
        for target in dict.fromkeys(_urls(tree)):
            if anywhere and base is None and _is_relative(target):
                self._add(path, target, "this page is the answer at any address: its links must begin with /")
                continue
            self._check_link(path, own, target)

    def _check_link(self, page: str, own: str, target: str) -> None:
        try:
            parts = urlsplit(urljoin(own, target.strip(" \t\n\r\f")))
        except ValueError:
            self._add(page, target, "it is not a valid URL")
            return
        if f"{parts.scheme}://{parts.netloc}" != self._origin:
            return
        if not f"{parts.path}/".startswith(self._base):
            if not _HOST.match(target):  # with a host, something else of the same host is meant
                self._add(page, target, f"it leads out of the site, whose addresses begin with {self._base}")
            return
        path = unquote(parts.path[len(self._base) :])
        file = self._file_at(path)
        if file is None:
            self._add(page, target, f"the site has no {path or 'index.html'}")
            return
        fragment = unquote(parts.fragment.partition(":~:")[0])
        if fragment and fragment.lower() != "top" and file.endswith((".html", ".htm")):
            links = self._fragments.setdefault(file, {}).setdefault(fragment, [])
            if len(links) < MOST_BROKEN:
                links.append((page, target))

    def _file_at(self, path: str) -> str | None:
        """Return the file that a static server answers with: a folder is answered with its index.html."""
        if path and not path.endswith("/") and self._has(path):
            return path
        index = f"{path.rstrip('/')}/index.html".lstrip("/")
        return index if self._has(index) else None

    def _add(self, page: str, target: str, why: str) -> None:
        known = self._broken.get((target, why))
        if known is not None:
            known.pages += 1
        elif len(self._broken) < MOST_BROKEN:
            self._broken[target, why] = BrokenLink(page, target, why)


def _urls(tree: Any) -> Iterator[str]:
    for node in tree.css(",".join(_URL_ATTRIBUTES)):
        attributes = node.attributes
        for name in _URL_ATTRIBUTES[node.tag]:
            value = attributes.get(name)
            if value is None:
                continue
            if name in _SEVERAL:
                yield from (found[1] for found in _CANDIDATE.finditer(value))
            elif value.strip() or name not in {"action", "formaction"}:
                yield value


def _is_relative(target: str) -> bool:
    return not re.match(r"\s*(?:[a-z][a-z0-9+.-]*:|/|#|\Z)", target, re.IGNORECASE)
