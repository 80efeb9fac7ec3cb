"""XML data files (XML 1.0 with namespaces): no document type, no entities, nothing fetched."""

from __future__ import annotations

from typing import TYPE_CHECKING
from xml.parsers import expat

from untor.data.reading import DEEPEST, offset_of, text_of, too_deep, wrong

if TYPE_CHECKING:
    from collections.abc import Iterator
    from xml.etree.ElementTree import Element

    from untor.diagnostics.source import Source

_MESSAGES = {
    "syntax error": "this is not markup",
    "mismatched tag": "this end tag does not match the element that is open",
    "no element found": "an element is never closed",
    "unclosed token": "what begins here is never closed",
    "not well-formed (invalid token)": "this is not allowed here",
    "junk after document element": "nothing is allowed after the root element",
    "undefined entity": "there is no such entity",
}


class XmlNode:
    """An element of XML data, or all children of one name.

    ``book.title`` are the children of that name, whatever their namespace; ``book["dc:title"]`` those of one namespace,
    by the prefix that the file uses; ``book["@id"]`` is an attribute. A child prints as its text, and loops whether
    it occurs once or often; of several, ``library.book.title`` are the titles of all.
    """

    __slots__ = ("_elements", "_prefixes")

    def __init__(self, elements: list[Element], prefixes: dict[str, str]) -> None:
        self._elements = elements
        self._prefixes = prefixes

    def __getattr__(self, name: str) -> XmlNode:
        if name.startswith("_"):
            raise AttributeError(name)
        children = self._children(name)
        if not children:
            raise AttributeError(name)
        return XmlNode(children, self._prefixes)

    def __getitem__(self, key: object) -> object:
        if isinstance(key, slice):
            return [XmlNode([element], self._prefixes) for element in self._elements[key]]
        if isinstance(key, int):
            return XmlNode([self._elements[key]], self._prefixes)
        if isinstance(key, str) and key.startswith("@"):
            values = [value for element in self._elements for value in self._attribute(element, key[1:])]
            if not values:
                raise KeyError(key)
            return values[0] if len(values) == 1 else values
        children = self._children(key) if isinstance(key, str) else []
        if not children:
            raise KeyError(key)
        return XmlNode(children, self._prefixes)

    def __iter__(self) -> Iterator[XmlNode]:
        return (XmlNode([element], self._prefixes) for element in self._elements)

    def __len__(self) -> int:
        return len(self._elements)

    def __bool__(self) -> bool:
        return bool(self._elements)

    def __str__(self) -> str:
        return ", ".join("".join(element.itertext()).strip() for element in self._elements)

    def __repr__(self) -> str:
        return f"<XML {self._elements[0].tag.rpartition('}')[2] if self._elements else 'nothing'}>"

    def __eq__(self, other: object) -> bool:
        """Compare with a text, as a template would: ``berth.code == "A4"``."""
        if isinstance(other, XmlNode):
            return self._elements == other._elements
        return str(self) == other if isinstance(other, str) else NotImplemented

    def __hash__(self) -> int:
        return hash(str(self))

    def _children(self, name: str) -> list[Element]:
        prefix, found, local = name.rpartition(":")
        space = self._prefixes.get(prefix)
        if found and space is None:
            return []
        return [
            child
            for element in self._elements
            for child in element
            if isinstance(child.tag, str)
            and (child.tag == f"{{{space}}}{local}" if found else child.tag.rpartition("}")[2] == local)
        ]

    def _attribute(self, element: Element, name: str) -> Iterator[str]:
        prefix, found, local = name.rpartition(":")
        space = self._prefixes.get(prefix)
        for key, value in element.items():
            if key == f"{{{space}}}{local}" if found else key.rpartition("}")[2] == local:
                yield value


def source_of(node: XmlNode) -> bytes:
    """Return XML that is equal for elements which read the same."""
    from xml.etree.ElementTree import tostring  # noqa: PLC0415  only for those who compare

    return b"\0".join([repr(node._prefixes).encode(), *map(tostring, node._elements)])  # noqa: SLF001  its own module


def read_xml(octets: bytes, name: str) -> dict[str, object]:
    """Return the root element of an XML file, under its name. Raises ``DataError`` with line and column."""
    from xml.etree.ElementTree import TreeBuilder  # noqa: PLC0415  it only builds; the parser below reads

    source = text_of(octets, name)
    builder = TreeBuilder()
    prefixes: dict[str, str] = {"xml": "http://www.w3.org/XML/1998/namespace"}
    parser = expat.ParserCreate("utf-8", namespace_separator="}")
    parser.buffer_text = True
    depth = 0

    def here() -> int:
        return offset_of(source, parser.CurrentLineNumber, parser.CurrentColumnNumber + 1)

    def start(tag: str, attributes: dict[str, str]) -> None:
        nonlocal depth
        depth += 1
        if depth > DEEPEST:
            raise too_deep(source, "XML", here())
        builder.start(_tag(tag), {_tag(key): value for key, value in attributes.items()})

    def end(tag: str) -> None:
        nonlocal depth
        depth -= 1
        builder.end(_tag(tag))

    def refuse(*_: object) -> None:
        trouble = "it has a document type, which could define entities or load other files"
        raise wrong(source, here(), "XML that is data alone", trouble, "Take the <!DOCTYPE …> away.")

    parser.StartElementHandler, parser.EndElementHandler = start, end
    parser.CharacterDataHandler = builder.data
    parser.StartDoctypeDeclHandler = refuse
    parser.StartNamespaceDeclHandler = lambda prefix, uri: prefixes.setdefault(prefix or "", uri or "")
    _parse(parser, source)
    root = builder.close()
    return {root.tag.rpartition("}")[2]: XmlNode([root], prefixes)}


def _parse(parser: expat.XMLParserType, source: Source) -> None:
    try:
        # The text is UTF-8 here, regardless of the declaration.
        parser.Parse(source.text.encode("utf-8", "replace"), True)  # noqa: FBT003  its shape
    except expat.ExpatError as error:
        message = expat.ErrorString(error.code)
        place = offset_of(source, error.lineno, error.offset + 1)
        raise wrong(source, place, "XML", _MESSAGES.get(message, message)) from None


def _tag(name: str) -> str:
    return f"{{{name}" if "}" in name else name
