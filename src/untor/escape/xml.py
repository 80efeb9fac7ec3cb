"""HTML as XML: what is well-formed is unchanged, void elements are closed, all else is an error (XML §2.1, §4.1)."""

from __future__ import annotations

import re
from html import unescape
from xml.parsers import expat

from untor.escape.printing import NotPrintable

_NOT_XML = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\ufffe\uffff\ud800-\udfff]")
_VOID = re.compile(
    r"""<((?ai:area|base|br|col|embed|hr|img|input|link|meta|source|track|wbr))"""
    r"""((?:[ \t\r\n]+[A-Za-z][A-Za-z0-9:-]*(?:="[^"<]*"|='[^'<]*')?)*)[ \t\r\n]*(?<!/)>"""
)
_ATTRIBUTE = re.compile(r"""[ \t\r\n]+([A-Za-z][A-Za-z0-9:-]*)(="[^"<]*"|='[^'<]*')?""")
_REFERENCE = re.compile("&([A-Za-z][A-Za-z0-9]*);")


def well_formed(html: str) -> str:
    """Return HTML as the content of an element of XML. Raises ``NotPrintable`` for what cannot be that."""
    text = _NOT_XML.sub("\ufffd", html)
    if not _parses(text):
        text = _REFERENCE.sub(_numbered, _VOID.sub(_closed, text))
        if not _parses(text):
            raise NotPrintable("HTML that is not well-formed, in XML,", "Close every element, and quote attributes.")
    return text


def _closed(match: re.Match[str]) -> str:
    attributes = _ATTRIBUTE.sub(lambda each: " " + each[1] + (each[2] or "=''"), match[2])
    return f"<{match[1]}{attributes}/>"


def _numbered(match: re.Match[str]) -> str:
    """Write a character by its number: XML has names for five of them only (HTML §13.5, XML §4.6)."""
    text = unescape(match[0])
    return match[0] if text == match[0] else "".join(f"&#{ord(char)};" for char in text)


def _parses(content: str) -> bool:
    parser = expat.ParserCreate()
    try:
        parser.Parse(f"<r>{content}</r>".encode(), True)  # noqa: FBT003  its shape
    except expat.ExpatError:
        return False
    return True
