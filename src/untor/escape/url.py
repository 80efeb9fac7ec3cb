"""URLs in attributes: which may be followed, and percent-encoding (URL §1.3, §4.4).

A URL that could run code is replaced by ``about:invalid`` and reported on the logger ``untor.blocked``.
"""

from __future__ import annotations

from untor.escape.accelerated import accelerated
from untor.escape.dot_segments import is_dot_segment
from untor.escape.html import attribute
from untor.escape.kinds import ITERATOR, MAPPING, SEQUENCE, SET, is_absent, kind_of
from untor.escape.lazy_patterns import pattern
from untor.escape.printing import FORBIDDEN, SURROGATES, NotPrintable, described, printed
from untor.escape.reports import report
from untor.escape.trusted import TrustedURL
from untor.escape.truth import settled

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable, Iterable
    from typing import Any

INVALID = "about:invalid"
"""What is printed instead of a blocked URL (CSS Values §4.5.2 names it for this use)."""

SCHEMES = frozenset({"http", "https", "mailto", "sms", "tel"})
"""Schemes of URLs that a person follows or submits."""

FIXED, URL, COMPONENT, OPAQUE, PATH, HOST, QUERY, DATA = 0, 1, 2, 3, 4, 5, 6, 7
"""Kinds of a piece of a URL: the template's own text, a value that is (the start of) a URL, a percent-encoded value,
a value in the address after ``mailto:`` and the like, several path segments, a host or a part of one, names and values
of a query, data of a picture."""

Piece = tuple[int, object, str]
"""Kind, value (for fixed text: its source) and, for fixed text, how a browser reads it."""

# URL §4.4: "Remove any leading and trailing C0 control or space from input." "Remove all ASCII tab or newline."
C0_CONTROL_OR_SPACE = "".join(map(chr, range(0x21)))
FOREIGN_ORIGIN = "code would be loaded from an origin that is not the template's own, nor listed in resource_origins"
_LONGEST_LOGGED = 200
_TAB_OR_NEWLINE = pattern("[\t\n\r]+")
_SCHEME = pattern(r"([A-Za-z][A-Za-z0-9+.\-]*):")
_DATA_IMAGE = pattern(r"(?ai)data:image/(?!svg)[a-z0-9.\-]+[;,]")
# URL §4.4: special authority slashes state, and relative slash state for a base with a special scheme.
_AUTHORITY_START = pattern(r"(?ai)(?:https?|wss?|ftp|file):[/\\]*|[/\\]{2,}")
_PATH_PARTS = pattern(r"([/\\?#])")

# URL §1.3: the component percent-encode set and more; RFC 3986 §2.3: only unreserved characters stay.
_UNRESERVED = frozenset(b"ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789-._~")
_ENCODED = [chr(byte) if byte in _UNRESERVED else f"%{byte:02X}" for byte in range(256)]
_ENCODED_OPAQUE = [chr(byte) if byte in _UNRESERVED | frozenset(b"@+") else f"%{byte:02X}" for byte in range(256)]
_ENCODED_PATH = [chr(byte) if byte in _UNRESERVED | frozenset(b"/") else f"%{byte:02X}" for byte in range(256)]
_ENCODED_DATA = [chr(byte) if byte in _UNRESERVED | frozenset(b"+/=") else f"%{byte:02X}" for byte in range(256)]
_HOST_PART = pattern(r"[A-Za-z0-9.-]+")
_WITH_HOST = pattern(r"(?ai)(?:[a-z]+:)?//(?=[a-z0-9])[a-z0-9.-]*[a-z0-9]\.?(?::[0-9]+)?(?=[/?#]|\Z)")


_attribute = accelerated(attribute)


def _encoded(string: str, table: list[str]) -> str:
    try:
        octets = string.encode()
    except UnicodeEncodeError:
        octets = SURROGATES.sub("\ufffd", string).encode()
    return "".join(map(table.__getitem__, octets))


def percent(value: object) -> str:
    """Percent-encode as one component: one path segment, one name or value of a query, a fragment."""
    string = value if type(value) is str else printed(value)
    is_unreserved = string.isascii() and (string.isalnum() or string.replace("-", "").isalnum())
    return string if is_unreserved else _encoded(string, _ENCODED)


percent_quickly = accelerated(percent)


def percent_opaque(value: object) -> str:
    """Percent-encode as a part of an address after ``mailto:``, ``tel:`` or ``sms:``; ``@`` and ``+`` stay."""
    return _encoded(printed(value), _ENCODED_OPAQUE)


def percent_path(value: object) -> str:
    """Percent-encode as several path segments: ``/`` stays."""
    return _encoded(printed(value), _ENCODED_PATH)


def percent_data(value: object) -> str:
    """Percent-encode as data of a ``data:`` URL; the characters of base64 stay (RFC 4648 §4)."""
    return _encoded(printed(value), _ENCODED_DATA)


def query_string(value: object) -> str:
    """Return the names and values of a mapping, or of pairs, as a query: ``a=1&b=2``; ``None`` is left out.

    A list has its name once for each item (URL §5.2). Raises ``NotPrintable`` for what has no pairs.
    """
    parts: list[str] = []
    for name, given in _pairs(value):
        several: Any = given if kind_of(given) in {SEQUENCE, SET} else (given,)
        parts += [f"{percent(name)}={percent(each)}" for each in several if not is_absent(each)]
    return "&".join(parts)


def _pairs(value: object) -> list[tuple[object, object]]:
    kind = kind_of(value)
    if kind == MAPPING:
        return [(name, value[name]) for name in value]  # type: ignore[attr-defined, index]
    if kind in {SEQUENCE, SET, ITERATOR}:
        try:
            return [(name, given) for name, given in value]  # type: ignore[attr-defined]
        except (TypeError, ValueError):
            pass
    what = f"{described(value).partition(',')[0]} as a query"
    raise NotPrintable(what, "A query is a mapping, or pairs of names and values.")


def percent_query(value: object) -> str:
    """Percent-encode a mapping or pairs as names and values of a query, for an attribute."""
    if is_absent(value):
        return ""
    return query_string(value).replace("&", "&amp;")


def host(value: object) -> str:
    """Return a host, or a part of one or its port, as ASCII (URL §3.3); anything else becomes empty."""
    string = printed(value)
    if not string.isascii():
        try:
            string = string.encode("idna").decode()
        except UnicodeError:
            return ""
    return string if _HOST_PART.fullmatch(string) else ""


def has_host(url: str) -> bool:
    """Return whether a URL has an authority that is a host with or without a port, and nothing else."""
    return _WITH_HOST.match(_normalized(url).strip(C0_CONTROL_OR_SPACE)) is not None


def _normalized(string: str) -> str:
    return _TAB_OR_NEWLINE.sub("", string) if "\n" in string or "\t" in string or "\r" in string else string


def permitted(url: str, schemes: frozenset[str], *, images: bool = False) -> bool:
    """Return whether a URL has a permitted scheme or is relative, read as a URL parser reads it."""
    url = _normalized(url.lstrip(C0_CONTROL_OR_SPACE)).lstrip(C0_CONTROL_OR_SPACE)
    match = _SCHEME.match(url)
    if match is None:
        return True
    scheme = match[1].lower()
    return scheme in schemes or (images and scheme == "data" and _DATA_IMAGE.match(url) is not None)


def log_blocked(what: str, why: str) -> None:
    """Report something that was not printed on the logger ``untor.blocked``."""
    excerpt = what if len(what) <= _LONGEST_LOGGED else what[:_LONGEST_LOGGED] + "…"
    report("untor.blocked", f"blocked {excerpt}: {why}")


def blocked(url: str, why: str) -> str:
    """Log a URL that must not be followed, and return its replacement."""
    log_blocked(f"the URL {url!r}", why)
    return INVALID


def url_escaper(schemes: frozenset[str], *, images: bool = False) -> Callable[[object], str]:
    """Make the escaping function for an attribute that is one value, and that value a URL."""
    both = {"http", "https"} <= schemes

    def url(value: object) -> str:
        string = value if type(value) is str else printed(value)
        # What begins with a solidus has no scheme.
        if string[:1] == "/" or (string.startswith(("https://", "http://")) and both):
            return _attribute(string)
        if type(value) is TrustedURL:
            return _attribute(string)
        string = FORBIDDEN.sub("\ufffd", string)
        return (
            _attribute(string)
            if permitted(string, schemes, images=images)
            else blocked(string, "its scheme is not permitted")
        )

    return url


def url_checker(schemes: frozenset[str]) -> Callable[[object], str]:
    """Make the function that returns a whole URL unchanged, or its replacement."""

    def checked(value: object) -> str:
        string = FORBIDDEN.sub("\ufffd", printed(value))
        if type(value) is TrustedURL or permitted(string, schemes):
            return string
        return blocked(string, "its scheme is not permitted")

    return checked


def url_attribute_escaper(schemes: frozenset[str], *, images: bool = False) -> Callable[[str, object], str]:
    """Make the function for ``name={= url =}``, a whole attribute that is a URL."""
    escape = url_escaper(schemes, images=images)

    def url_attribute(name: str, value: object) -> str:
        value = settled(value)
        if value is None or value is False:
            return ""
        return f" {name}" if value is True else f' {name}="{escape(value)}"'

    return url_attribute


def segment_url(before: str, value: object, after: str) -> str:
    """Return fixed text, a value as one whole path segment, and fixed text; block ``.`` and ``..``."""
    segment = value if type(value) is str else printed(value)
    # As percent does: a call to it, and the test for dots each time, cost a table 3 %.
    if not (segment.isascii() and (segment.isalnum() or segment.replace("-", "").isalnum())):
        segment = _encoded(segment, _ENCODED)
        if is_dot_segment(segment):
            return blocked(f"{before}{segment}{after}", "a value in its path is . or ..")
    return f"{before}{segment}{after}"


def pieces_escaper(
    schemes: frozenset[str], *, images: bool = False, from_values: Callable[[str], bool] | None = None
) -> Callable[[Iterable[Piece]], str]:
    """Make the function that joins the pieces of a URL attribute and decides on the whole.

    ``from_values`` also decides on a URL whose start or host is a value.
    """

    def pieces_url(pieces: Iterable[Piece]) -> str:
        page: list[str] = []
        read: list[tuple[int, str]] = []
        for kind, value, plain in pieces:
            if kind == FIXED:
                page.append(printed(value))
                read.append((kind, _normalized(plain)))
            elif kind == URL:
                string = FORBIDDEN.sub("\ufffd", printed(value))
                page.append(_attribute(string))
                read.append((kind, _normalized(string)))
            else:
                page.append(_BY_KIND[kind](value))
                read.append((kind, page[-1]))
        if all(kind == FIXED for kind, _ in read):
            return "".join(page)
        url = "".join(string for _, string in read)
        if not permitted(url, schemes, images=images):
            return blocked(url, "its scheme is not permitted")
        if _gains_host(read, url):
            return blocked(url, "a value in it is a host, or an empty one makes a host of what follows")
        if _has_dot_segment(read):
            return blocked(url, "a value in its path is . or ..")
        if any(kind == HOST for kind, _ in read) and not has_host(url):
            return blocked(url, "a value in its host is not a valid host")
        if from_values is not None and any(kind in {URL, HOST} and string for kind, string in read):
            return "".join(page) if from_values(url) else blocked(url, FOREIGN_ORIGIN)
        return "".join(page)

    return pieces_url


def _gains_host(read: list[tuple[int, str]], url: str) -> bool:
    """Return whether a percent-encoded value is (a part of) the host (URL §4.4).

    It is when the fixed text before it ends in the authority, and when empty values have brought two slashes together.
    """
    slashes = url.lstrip(C0_CONTROL_OR_SPACE)[:2].replace("\\", "/") == "//"
    fixed = ""
    for kind, string in read:
        if kind == URL and string:
            return False
        if kind == HOST:
            return False
        if kind in _ENCODED_KINDS:
            start = fixed.lstrip(C0_CONTROL_OR_SPACE)
            authority = _AUTHORITY_START.match(start)
            if authority is not None:
                return _PATH_PARTS.search(start, authority.end()) is None
            return slashes
        fixed += string
    return False


def _has_dot_segment(read: list[tuple[int, str]]) -> bool:
    """Return whether a segment that a percent-encoded value is part of has become ``.`` or ``..``."""
    segment, valued = "", False
    for kind, string in read:
        if kind in {COMPONENT, OPAQUE}:
            segment, valued = segment + string, True
            continue
        valued = valued or kind == PATH
        for part in _PATH_PARTS.split(string):
            if part in {"/", "\\", "?", "#"}:
                if valued and is_dot_segment(segment):
                    return True
                if part in {"?", "#"}:
                    return False
                segment, valued = "", kind == PATH
            else:
                segment += part
    return valued and is_dot_segment(segment)


_ENCODED_KINDS = frozenset({COMPONENT, OPAQUE, PATH})
_BY_KIND: dict[int, Callable[[object], str]] = {
    COMPONENT: percent,
    OPAQUE: percent_opaque,
    PATH: percent_path,
    HOST: host,
    QUERY: percent_query,
    DATA: percent_data,
}
