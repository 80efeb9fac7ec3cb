"""Finds the places in a real HTML document where a template would have a value, a loop or a condition.

Each site replaces a piece of the document by a mark that prints the same again, so that the page must come out byte for
byte. Offsets are those of the document.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from html.parser import HTMLParser
from typing import NamedTuple

VOID = frozenset("area base br col embed hr img input link meta param source track wbr".split())
LINKS = frozenset("href src action formaction poster cite data background srcset".split())
DECIDING = frozenset(
    """type rel as language http-equiv charset crossorigin referrerpolicy sandbox allow integrity nonce name is srcdoc
    for target content""".split()
)
"""Attributes that may decide what others mean: they are tried apart from other values."""
RESOURCES = frozenset(
    """script src,link href,iframe src,embed src,object data,base href,use href,frame src""".split(",")
)
"""URLs that code or another page is loaded from: a whole one must be trusted."""
_WORD = re.compile(r"(?<![&#A-Za-z0-9])[A-Za-z0-9]{2,}")
_MARK = re.compile(r"\{=|=\}|<!(?!--|doctype|\[CDATA)|!>", re.IGNORECASE)
_ATTRIBUTE = re.compile(r"""([^\s"'<>/=]+)(\s*=\s*(?:"([^"]*)"|'([^']*)'|([^\s"'=<>`]+)))?""")
_DECLARATION = re.compile(r"([a-z-]+)\s*:\s*([^;:{}\"'()]+?)\s*(?=[;}]|$)", re.IGNORECASE)
_STRING = re.compile(r"""(["'])([A-Za-z][A-Za-z0-9 ]*)\1""")
_NUMBER = re.compile(r"(?<=[\s(,=:\[])[1-9][0-9]{0,5}(?=[\s),;\]}])")


class Site(NamedTuple):
    """A piece of a document, what kind of place it is, and what stands there in the template."""

    kind: str
    start: int
    end: int
    before: str
    after: str = ""
    value: str | int | None = None
    """What a print mark prints; for a step, ``None``: the piece stays between ``before`` and ``after``."""
    printed: str = ""
    """What the page has there, if it is not the piece itself."""


class Placed(NamedTuple):
    """Where a site is in a template."""

    start: int
    site: Site


@dataclass(slots=True)
class Element:
    """An element with both of its tags."""

    name: str
    start: int
    tag_end: int
    end: int = 0
    parent: Element | None = None
    children: list[Element] = field(default_factory=list)


class Sites(HTMLParser):
    """Collects the sites of a document."""

    def __init__(self, text: str) -> None:
        super().__init__(convert_charrefs=False)
        self.text = text
        self.lines = [0, *(match.end() for match in re.finditer("\n", text))]
        self.found: list[Site] = []
        self.root = Element("", 0, 0, len(text))
        self.open = self.root
        self.elements: list[Element] = []
        self.feed(text)
        self.close()

    @property
    def at(self) -> int:
        """The offset of what is being handled."""
        line, column = self.getpos()
        return self.lines[line - 1] + column

    def value(self, kind: str, start: int, end: int) -> None:
        """Add a value that prints a piece of the document, if it prints the same bytes."""
        piece = self.text[start:end]
        brackets = piece.count("(") == piece.count(")")
        if piece and brackets and not set("&<>\"'") & set(piece) and piece.isprintable():
            self.found.append(Site(kind, start, end, "{= v", " =}", piece))

    # --- markup ----------------------------------------------------------------------------------------------------

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:  # noqa: ARG002
        """Go over a start tag."""
        raw, start = self.get_starttag_text() or "", self.at
        if self.text[start : start + len(raw)] == raw:
            self.attributes(tag, start, raw)
        if tag in VOID or raw.endswith("/>"):
            return
        element = Element(tag, start, start + len(raw), parent=self.open)
        self.open.children.append(element)
        self.open = element

    def handle_startendtag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        """Go over a tag that ends with a solidus."""
        self.handle_starttag(tag, attrs)

    def handle_endtag(self, tag: str) -> None:
        """Go over an end tag, and note the element if it is well nested."""
        element: Element | None = self.open
        while element is not None and element.name != tag:
            element = element.parent
        if element is None or element.parent is None:
            return
        if element is self.open:
            end = self.text.find(">", self.at) + 1
            element.end = end
            self.elements.append(element)
        self.open = element.parent

    def attributes(self, tag: str, start: int, raw: str) -> None:
        """Find the sites in a start tag."""
        name_end = 1 + len(tag)
        for match in _ATTRIBUTE.finditer(raw, name_end):
            name = match[1].lower()
            at = start + match.start()
            if re.fullmatch("[a-z-]+", name) and raw[match.start() - 1].isspace():
                before = at - 1
                self.found.append(
                    Site("condition round an attribute", before, start + match.end(), "<! if yes !>", "<! end !>")
                )
            group = next((number for number in (3, 4, 5) if match[number]), 0)
            if not group:
                continue
            begin, end = start + match.start(group), start + match.end(group)
            quoted = "" if group != 5 else " without quotes"
            if name.startswith("on"):
                self.code(begin, end, "handler")
            elif name == "style":
                self.style(begin, end, "style attribute")
            elif name == "xlink:href":
                self.value("fragment of xlink:href", begin + self.text.startswith("#", begin), end)
            elif name in LINKS:
                resource = f"{tag} " if f"{tag} {name}" in RESOURCES else ""
                self.url(f"{resource}{name}", begin, end, quoted)
            else:
                kind = name if name in {"class", "id", "title", "alt", "content", "value"} else "attribute"
                kind = "data attribute" if name.startswith("data-") else kind
                kind = f"deciding attribute {name}" if name in DECIDING else kind
                if quoted:
                    piece = self.text[begin:end]
                    self.found.append(Site(f"{kind} without quotes", begin, end, "{= v", " =}", piece, f'"{piece}"'))
                else:
                    self.value(kind, begin, end)
                    self.part(f"part of {kind}", begin, end)

    def part(self, kind: str, start: int, end: int) -> None:
        """Add a word in a longer value."""
        words = [*_WORD.finditer(self.text, start, end)]
        if len(words) > 1:
            word = words[len(words) // 2]
            self.value(kind, word.start(), word.end())

    def url(self, name: str, start: int, end: int, quoted: str) -> None:
        """Find the sites in a URL."""
        piece = self.text[start:end]
        if quoted:
            return
        if name != "srcset" and not piece.lower().startswith(("javascript:", "data:")):
            self.value(f"{name}{quoted}", start, end)
        slash, question = piece.rfind("/"), piece.find("?")
        if not quoted and question >= 0:
            query = re.search(r"=([A-Za-z0-9]+)", piece[question:])
            if query:
                self.value(f"query of {name}", start + question + query.start(1), start + question + query.end(1))
        elif not quoted and slash > 0 and (last := re.match("[A-Za-z0-9_-]+", piece[slash + 1 :])):
            self.value(f"segment of {name}", start + slash + 1, start + slash + 1 + last.end())

    # --- text and code ---------------------------------------------------------------------------------------------

    def handle_data(self, data: str) -> None:
        """Go over text, or what is in a script or a style."""
        start = self.at
        end = start + len(data)
        if self.text[start:end] != data:
            return
        if self.open.name == "script":
            self.code(start, end, "script")
        elif self.open.name == "style":
            self.style(start, end, "style element")
        elif data.strip():
            self.words(start, end)

    def words(self, start: int, end: int) -> None:
        """Find the sites in text."""
        words = [*_WORD.finditer(self.text, start, end)]
        if words:
            kind = self.open.name if self.open.name in {"title", "textarea"} else "text"
            self.value(kind, words[0].start(), words[-1].end())
            self.part(f"part of {kind}", start, end)

    def style(self, start: int, end: int, kind: str) -> None:
        """Find values of properties."""
        for match in _DECLARATION.finditer(self.text, start, end):
            important = re.search(r"\s*!", match[2])
            value_end = match.start(2) + important.start() if important else match.end(2)
            self.value(f"value in a {kind}", match.start(2), value_end)
            number = re.search("[0-9]+", match[2])
            if number and not re.search(r"[#\\]", match[2]):
                at = match.start(2)
                self.value(f"number in a {kind}", at + number.start(), at + number.end())

    def code(self, start: int, end: int, kind: str) -> None:
        """Find strings and numbers."""
        if kind == "script" and re.search(
            r"type\s*=\s*[\"']?(?!text/javascript|module|application/(?:ld\+)?json)", self.tag()
        ):
            kind = "data block"
        for match in _STRING.finditer(self.text, start, end):
            self.value(f"string in a {kind}", match.start(2), match.end(2))
        for match in _NUMBER.finditer(self.text, start, end):
            found = Site(f"number in a {kind}", match.start(), match.end(), "{= v", " =}", int(match[0]))
            self.found.append(found)

    def tag(self) -> str:
        """Return the start tag of the open element."""
        return self.text[self.open.start : self.open.tag_end]


INCLUDE = "include of an element"
SLOT = "slot in an element"
MOST_SLOTS = 5
"""Of one document: each is a template of its own."""


def steps_of(document: Sites) -> list[Site]:
    """Return loops round one of several siblings, conditions round elements, includes of elements, and slots in them."""
    found: list[Site] = []
    slots = 0
    for element in document.elements:
        around = element.parent.children if element.parent else []
        if element.name in {"html", "head", "body", "script", "style"}:
            continue
        start, end = element.start, element.end
        alike = [other for other in around if other.name == element.name]
        if len(alike) > 1 and alike[0] is element:
            found.append(Site("loop round an element", start, end, "<! for i in one !>", "<! end !>"))
        elif alike[-1:] == [element]:
            found.append(Site("condition round an element", start, end, "<! if yes !>", "<! end !>"))
        else:
            found.append(Site(INCLUDE, start, end, ""))
        inside = document.text[element.tag_end : document.text.rfind("<", 0, end)]
        if slots < MOST_SLOTS and inside and inside == inside.strip():
            slots += 1
            found.append(Site(SLOT, element.tag_end, element.tag_end + len(inside), ""))
    return found


def sites_of(text: str) -> list[Site]:
    """Return the sites of a document, without those where it has what looks like a mark."""
    document = Sites(text)
    marks = [match.span() for match in _MARK.finditer(text)]
    sites = [*document.found, *steps_of(document)]
    return [site for site in sites if not any(start < site.end and end > site.start for start, end in marks)]


def templates_of(text: str, sites: list[Site]) -> list[tuple[str, dict[str, object], list[Placed]]]:
    """Return templates that together have all sites, with their values, and where each site is in its template.

    Values that overlap come into different templates, and so do steps: these are around values.
    """
    layers: list[list[Site]] = []
    for site in sorted(sites, key=lambda each: (each.value is None, each.start, -each.end)):
        for layer in layers:
            if _group(layer[0]) == _group(site) and layer[-1].end <= site.start:
                layer.append(site)
                break
        else:
            layers.append([site])
    return [_template(text, layer) for layer in layers]


def _group(site: Site) -> object:
    """Tell sites apart that would get into each other's way."""
    if site.kind == SLOT:
        return site
    return site.kind == INCLUDE, site.value is None, "deciding" in site.kind


def _template(text: str, sites: list[Site]) -> tuple[str, dict[str, object], list[Placed]]:
    if sites[0].kind == SLOT:
        return _with_slot(text, sites[0])
    parts: list[str] = []
    values: dict[str, object] = {"yes": True, "one": [1]}
    places: list[Placed] = []
    at = length = 0

    def add(piece: str) -> None:
        nonlocal length
        parts.append(piece)
        length += len(piece)

    for number, site in enumerate(sites):
        add(text[at : site.start])
        places.append(Placed(length, site))
        if site.kind == INCLUDE:
            add(f"<! include p{number} !>")
        elif site.value is None:
            add(f"{site.before}{text[site.start : site.end]}{site.after}")
        else:
            values[f"v{number}"] = site.value
            add(f"{site.before}{number}{site.after}")
        at = site.end
    add(text[at:])
    for number, site in enumerate(sites):
        if site.kind == INCLUDE:
            places.append(Placed(length, site))
            add(f"<! part p{number} !>{text[site.start : site.end]}<! end !>")
    return "".join(parts), values, places


def _with_slot(text: str, site: Site) -> tuple[str, dict[str, object], list[Placed]]:
    """Return a page that puts an element's content into the rest of the document, its frame."""
    frame = f"<! part frame !>{text[: site.start]}<! slot !>{text[site.end :]}<! end !>"
    return f"<! use frame !>{text[site.start : site.end]}<! end !>{frame}", {}, [Placed(0, site)]
