"""The structure of a page as conforming parsers read it: elements, attributes, script tokens, URLs, declarations."""

from __future__ import annotations

from functools import lru_cache
from typing import NamedTuple
from xml.parsers import expat

from untor.contexts.html_attributes import NO_HANDLERS
from untor.probe.followed_urls import RELATIVE, Address, address_of, urls_in
from untor.probe.script_shape import Loaded, json_shape, script_shape, style_shape

TYPE_CHECKING = False
if TYPE_CHECKING:
    from selectolax.lexbor import LexborNode

_SCRIPTS = frozenset(
    """module text/javascript application/javascript text/ecmascript application/ecmascript text/jscript
    application/x-javascript text/livescript""".split(),
)
_JSON = frozenset({"importmap", "speculationrules"})
_WIDTH = 66
_DEEPEST = 8
"""How many documents may be inside one another."""


class StructureEntry(NamedTuple):
    """One thing in a page: how deep it is, what it is in words, and of a URL where it leads.

    ``loads`` marks URLs that code or a frame is loaded from; ``text`` is the URL as the page has it.
    """

    depth: int
    what: str
    address: Address | None = None
    loads: bool = False
    text: str = ""

    def __str__(self) -> str:
        shown = f"{'  ' * self.depth}{self.what}"
        return shown if self.address is None else f"{shown} → {self.address}"


class StructureMissing(ImportError):  # noqa: N818  the name describes the error
    """The packages that read pages are not installed."""


def structure_of(page: str, *, xml: bool = False) -> list[StructureEntry]:
    """Return the structure of a page. Raises ``StructureMissing`` where the extra ``probe`` is not installed."""
    entries: list[StructureEntry] = []
    if xml:
        _xml(page, entries)
    else:
        _html(page, entries, 0, 0)
    return entries


def _html(page: str, found: list[StructureEntry], depth: int, nested: int) -> None:
    try:
        from selectolax.lexbor import LexborHTMLParser  # noqa: PLC0415  an extra
    except ImportError as error:
        message = 'Reading the structure of pages needs more packages: pip install "untor[probe]"'
        raise StructureMissing(message) from error
    root = LexborHTMLParser(page.encode("utf-8", "replace").decode()).root
    todo: list[tuple[LexborNode | None, int]] = [(root, depth)]
    while todo:
        node, depth = todo.pop()
        if node is None:
            continue
        name = node.tag or ""
        if name in {"-comment", ""}:  # a processing instruction has no name
            continue
        attributes = {key: value or "" for key, value in node.attributes.items()}
        if "srcdoc" in attributes:
            _element(name, attributes, found, depth, nested)
        else:
            found += _entries(name, tuple(attributes.items()), depth)
        if name in {"script", "style"}:
            _content(name, attributes, node.text(deep=False) or "", found, depth + 1)
        todo += [(child, depth + 1) for child in node.iter(include_text=False)][::-1]


@lru_cache(4096)
def _entries(element: str, attributes: tuple[tuple[str, str], ...], depth: int) -> tuple[StructureEntry, ...]:
    """Return what an element adds. Nearly all elements of two pages of a probe are the same."""
    entries: list[StructureEntry] = []
    _element(element, dict(attributes), entries, depth, 0)
    return tuple(entries)


def _element(element: str, attributes: dict[str, str], found: list[StructureEntry], depth: int, nested: int) -> None:
    """Add an element, and what is in those of its attributes that are more than text."""
    found.append(StructureEntry(depth, f"<{' '.join([element, *sorted(attributes)])}>"))
    for name in sorted(attributes):
        value = attributes[name]
        if name.startswith("on") and name not in NO_HANDLERS:
            found += [_part(depth + 1, name, token) for token in script_shape(value)]
        elif name == "style":
            found += [_part(depth + 1, "style", part) for part in style_shape(value, inside=True)]
        elif name == "srcdoc" and nested < _DEEPEST:
            _html(value, found, depth + 1, nested + 1)
        else:
            for url, loads in urls_in(element, name, value, attributes):
                found.append(StructureEntry(depth + 1, name, address_of(url), loads, url))


def _part(depth: int, kind: str, what: str) -> StructureEntry:
    """Return the entry of a part of a script or style, with where it leads if it is a URL."""
    shown = f"{kind}: {what}"
    return (
        StructureEntry(depth, shown, address_of(what.url), what.runs, what.url)
        if isinstance(what, Loaded)
        else StructureEntry(depth, shown)
    )


def _content(element: str, attributes: dict[str, str], text: str, found: list[StructureEntry], depth: int) -> None:
    """Add what is in a script or a style element."""
    kind = attributes.get("type", "").strip().lower()
    if element == "style":
        if kind in {"", "text/css"}:
            found += [_part(depth, "style", part) for part in style_shape(text, inside=False)]
        return
    if not kind or kind in _SCRIPTS:
        found += [_part(depth, "script", token) for token in script_shape(text)]
    elif kind in _JSON or kind.endswith("json"):
        found += [StructureEntry(depth, f"JSON: {part}") for part in json_shape(text)]


def _xml(page: str, found: list[StructureEntry]) -> None:
    """Read XML; what is not well-formed ends the list."""
    depth = 0
    parser = expat.ParserCreate(namespace_separator=" ")
    texts: list[list[str]] = []

    def start(name: str, attributes: dict[str, str]) -> None:
        nonlocal depth
        _element(_local(name), {_local(each): value for each, value in attributes.items()}, found, depth, 0)
        depth += 1
        texts.append([])

    def end(name: str) -> None:
        nonlocal depth
        depth -= 1
        text = "".join(texts.pop())
        if _local(name) in {"script", "style"}:
            _content(_local(name), {}, text, found, depth + 1)

    def characters(text: str) -> None:
        texts[-1].append(text)

    parser.CharacterDataHandler = characters
    parser.StartElementHandler = start
    parser.EndElementHandler = end
    parser.ProcessingInstructionHandler = lambda name, _: found.append(StructureEntry(depth, f"<?{name}?>"))
    try:
        parser.Parse(page.encode("utf-8", "replace"), True)  # noqa: FBT003  its shape
    except expat.ExpatError as error:
        found.append(StructureEntry(depth, f"not well-formed: {expat.ErrorString(error.code)}"))


_XLINK = "http://www.w3.org/1999/xlink "


def _local(name: str) -> str:
    """Return an XML name without its namespace; XLink links keep their usual prefix."""
    return f"xlink:{name.removeprefix(_XLINK)}" if name.startswith(_XLINK) else name.rpartition(" ")[2]


def differing(
    harmless: list[StructureEntry],
    other: list[StructureEntry],
    schemes: frozenset[str],
    *,
    links_may_differ: bool = False,
) -> int | None:
    """Return where two structures begin to differ; ``None`` when they do not.

    A link may lead elsewhere where the harmless one is a value from its start or in its host, or with
    ``links_may_differ``; ``schemes`` are those that a value may bring. Any URL may have become ``about:invalid``.
    """
    for index, (one, two) in enumerate(zip(harmless, other, strict=False)):
        if one is two:
            continue
        if one[:2] != two[:2] or not _may_lead(one, two, schemes, free=links_may_differ):
            return index
    return None if len(harmless) == len(other) else min(len(harmless), len(other))


def _may_lead(one: StructureEntry, two: StructureEntry, schemes: frozenset[str], *, free: bool) -> bool:
    if one.address is None or two.address is None:
        return one.address is two.address
    if one.address == two.address or two.address.scheme == "about" or not two.text.strip():
        return True
    if one.loads or not (free or one.address.from_value(one.text)):
        return False
    return two.address.scheme in schemes | {RELATIVE}


def side_by_side(
    harmless: list[StructureEntry], other: list[StructureEntry], at: int, *, titles: tuple[str, str], around: int = 4
) -> str:
    """Show two structures next to each other, from a little before the place where they begin to differ."""
    start = max(0, at - around)
    left, right = ([str(entry)[:_WIDTH] for entry in entries[start : at + around]] for entries in (harmless, other))
    indent = min((len(line) - len(line.lstrip()) for line in left + right), default=0)
    left, right = ([line[indent:] for line in lines] for lines in (left, right))
    width = max([len(titles[0]), *map(len, left)])
    rows = [f"  {titles[0]:<{width}}    {titles[1]}"]
    for index in range(max(len(left), len(right))):
        one = left[index] if index < len(left) else ""
        two = right[index] if index < len(right) else ""
        rows.append(f"  {one:<{width}} {'≠' if index >= at - start else ' '}  {two}".rstrip())
    return "\n".join(rows)
