"""Escaping for HTML text and attribute values (HTML §13.1.2.3, §13.1.4 and §13.2.5).

Each function takes any value and returns text that a browser reads back as exactly that value's text,
whatever is in it. Testing with ``in`` before ``replace`` is the fastest way that pure Python has.
"""

from __future__ import annotations

from untor.escape.accelerated import accelerated
from untor.escape.kinds import MAPPING, SEQUENCE, SET, kind_of
from untor.escape.lazy_patterns import pattern
from untor.escape.printing import FORBIDDEN, NotPrintable, printed
from untor.escape.trusted import TrustedHTML, html_of
from untor.escape.truth import settled, truth

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable

_NOT_XML = pattern("[\x0c\ufffe\uffff]")


def text(value: object) -> str:
    """Escape for element content; ``TrustedHTML`` and objects with ``__html__`` are printed as the HTML they are."""
    kind = type(value)
    if kind is str:
        # As _text does: a call to it costs a small page a tenth.
        string: str = value  # type: ignore[assignment]
        if "&" in string:
            string = string.replace("&", "&amp;")
        if "<" in string:
            string = string.replace("<", "&lt;")
        if ">" in string:
            string = string.replace(">", "&gt;")
        return string if string.isprintable() else _unprintable(string)
    if kind is int or (kind is float and value == value):  # noqa: PLR0124  NaN is not itself
        return repr(value)
    html = html_of(value)
    return _text(printed(value)) if html is None else html


def _text(string: str) -> str:
    if "&" in string:
        string = string.replace("&", "&amp;")
    if "<" in string:
        string = string.replace("<", "&lt;")
    if ">" in string:
        string = string.replace(">", "&gt;")
    return string if string.isprintable() else _unprintable(string)


_BREAKOUT = pattern(
    r"(?ai)</?(?:b|big|blockquote|body|br|center|code|dd|div|dl|dt|em|embed|h[1-6]|head|hr|i|img|li|listing|menu|meta|nobr"
    r"|ol|p|pre|ruby|s|small|span|strong|strike|sub|sup|table|tt|u|ul|var|font)(?![^ \t\n\r\f/>])"
)
"""HTML §13.2.6.5: tags that end foreign content."""


def foreign_text(value: object) -> str:
    """Escape for text in SVG or MathML. Raises ``NotPrintable`` for elements made by a filter that would end it."""
    if type(value) is TrustedHTML and " by the filter " in value.reason and _BREAKOUT.search(value.value):
        raise NotPrintable("HTML elements inside <svg> or <math>", "Print text there, or use a <foreignObject>.")
    return text(value)


def rcdata(value: object) -> str:
    """Escape for ``title`` and ``textarea``, which hold text only (HTML §13.1.2 "escapable raw text elements")."""
    return _text(printed(value))


def attribute(value: object) -> str:
    """Escape for an attribute value between quotes of either kind."""
    kind = type(value)
    if kind is str:
        string: str = value  # type: ignore[assignment]
        if "&" in string:
            string = string.replace("&", "&amp;")
        if "<" in string:
            string = string.replace("<", "&lt;")
        if ">" in string:
            string = string.replace(">", "&gt;")
        if '"' in string:
            string = string.replace('"', "&#34;")
        if "'" in string:
            string = string.replace("'", "&#39;")
        return string if string.isprintable() else _unprintable(string)
    if kind is int or (kind is float and value == value):  # noqa: PLR0124
        return repr(value)
    return _attribute_quickly(printed(value))


_attribute_quickly = accelerated(attribute)


def _unprintable(string: str) -> str:
    """Replace what HTML forbids; a carriage return as such would be read as a line feed (HTML §13.2.3.5)."""
    if "\r" in string:
        string = string.replace("\r", "&#13;")
    return FORBIDDEN.sub("\ufffd", string)


def whole_attribute(name: str, value: object) -> str:
    """Print an attribute with its value, or without one (``True``), or not at all (``False``, ``None``, missing)."""
    if type(value) is not str:
        value = settled(value)
        if value is None or value is False:
            return ""
        if value is True:
            return f" {name}"
    return f' {name}="{attribute(value)}"'


def tokens(value: object) -> str:
    """Return the text of a list of tokens: of a mapping, the keys whose values are true; ``None`` is left out."""
    if isinstance(value, str):
        return printed(value)
    kind = kind_of(value)
    if kind == MAPPING:
        return " ".join([printed(name) for name in value if truth(value[name])])  # type: ignore[attr-defined, index]
    if kind not in {SEQUENCE, SET}:
        return printed(value)
    items = [settled(each) for each in value]  # type: ignore[attr-defined]
    return " ".join([printed(each) for each in items if not (each is None or each is False)])


def embedded_attribute(name: str, value: object, escape: Callable[[object], str]) -> str:
    """Print an attribute whose value is in a language of its own, escaped for that first; nothing when it is absent."""
    value = settled(value)
    if value is None or value is False:
        return ""
    return f' {name}=""' if value is True else f' {name}="{attribute(escape(value))}"'


def boolean_attribute(name: str, value: object) -> str:
    """Print a boolean attribute (HTML §2.3.2) when the value is true, nothing otherwise."""
    if value is True or value is False or value is None:
        return f" {name}" if value else ""
    return f" {name}" if truth(value) else ""


def state_attribute(name: str, value: object) -> str:
    """Print an attribute whose states are spelt ``true`` and ``false`` (``aria-…``, ``draggable``, …)."""
    value = value if type(value) is str else settled(value)
    if value is True or value is False:
        return f' {name}="{"true" if value else "false"}"'
    return whole_attribute(name, value)


def flag_attribute(name: str, value: object) -> str:
    """Print an attribute of XML, where every attribute has a value: its own name for ``True``."""
    value = settled(value)
    if value is None or value is False:
        return ""
    return f' {name}="{xml_attribute(name if value is True else value)}"'


def xml_embedded_attribute(name: str, value: object, escape: Callable[[object], str]) -> str:
    """Print an attribute of XML whose value is in a language of its own; ``True`` gives it an empty one."""
    value = settled(value)
    if value is None or value is False:
        return ""
    return f' {name}=""' if value is True else f' {name}="{xml_attribute(escape(value))}"'


def in_xml(function: Callable[..., str]) -> Callable[..., str]:
    """Make a function for XML out of one that prints a URL, or an attribute that is one."""

    def escaped(*arguments: object) -> str:
        if len(arguments) > 1 and settled(arguments[-1]) is True:
            return f' {arguments[0]}=""'
        return _xml(function(*arguments))

    return escaped


def conditional_comment(string: str) -> str:
    """Escape what is escaped for markup already so that it can end no comment around it (HTML §13.1.6)."""
    return string.replace("-", "&#45;")


def xml_text(value: object) -> str:
    """Escape for character data of XML (XML §2.4); HTML is written as XML. Raises ``NotPrintable`` where it is not."""
    html = html_of(value)
    if html is None:
        return _xml(rcdata(value))
    from untor.escape.xml import well_formed  # noqa: PLC0415  only for HTML in XML

    return well_formed(html)


def xml_attribute(value: object) -> str:
    """Escape for an attribute value of XML, whose white space would be normalized to spaces (XML §3.3.3)."""
    string = attribute(value)
    return _xml(string).replace("\t", "&#9;").replace("\n", "&#10;")


def _xml(string: str) -> str:
    """Replace what XML has no way to write (XML §2.2 "Char")."""
    return _NOT_XML.sub("\ufffd", string)
