"""URLs inside something else: in CSS, in lists of images or URLs, in a refresh of the page.

Each value is made safe alone here: the printed text has no white space, quotes, brackets, commas at its ends or
other characters that could end the URL in its surroundings, and only the characters of URL §4.1.
"""

from __future__ import annotations

from untor.escape.dot_segments import is_dot_segment
from untor.escape.lazy_patterns import pattern
from untor.escape.printing import FORBIDDEN, SURROGATES, printed
from untor.escape.trusted import TrustedURL
from untor.escape.url import INVALID, blocked, log_blocked, percent_path, percent_quickly, permitted

TYPE_CHECKING = False
if TYPE_CHECKING:
    import re
    from collections.abc import Callable

BLOCKED_SEGMENT = "untor-blocked"
"""What is printed instead of a path segment that is ``.`` or ``..``."""

_TO_ENCODE = pattern(r"[^A-Za-z0-9._~:/?#\[\]@!$&*+,;=%-]")
_COMMAS = pattern(r"\A,+|,+\Z")
_SECONDS = pattern(r"[0-9]+(?:\.[0-9]*)?")
_DESCRIPTOR = pattern(r"[0-9]+(?:\.[0-9]+)?")


def encoded(string: str) -> str:
    """Percent-encode all but URL code points, and commas at the ends."""

    def replaced(match: re.Match[str]) -> str:
        return "".join(f"%{byte:02X}" for byte in SURROGATES.sub("\ufffd", match[0]).encode())

    return _COMMAS.sub(lambda match: "%2C" * len(match[0]), _TO_ENCODE.sub(replaced, string))


def encoded_url_escaper(schemes: frozenset[str], *, images: bool = False) -> Callable[[object], str]:
    """Make the escaping function for a value that is a whole URL."""

    def encoded_url(value: object) -> str:
        string = FORBIDDEN.sub("\ufffd", printed(value)).strip(" \t\n\f\r")
        if type(value) is TrustedURL or permitted(string, schemes, images=images):
            return encoded(string)
        return blocked(string, "its scheme is not permitted")

    return encoded_url


def listed_url_escaper(schemes: frozenset[str], *, images: bool = False) -> Callable[[object], str]:
    """Make the escaping function for a URL in a list, where an empty one would not count."""
    encoded_url = encoded_url_escaper(schemes, images=images)
    return lambda value: encoded_url(value) or INVALID


def url_segment(value: object) -> str:
    """Percent-encode as one path segment; ``.`` and ``..`` are blocked."""
    segment = percent_quickly(value)
    if is_dot_segment(segment):
        log_blocked(f"the path segment {segment!r}", "it leads to another folder")
        return BLOCKED_SEGMENT
    return segment


def url_first_segment(value: object) -> str:
    """Percent-encode as the segment after a first slash; an empty one is blocked: a host could come after it."""
    return url_segment(value) or BLOCKED_SEGMENT


def url_segments(value: object) -> str:
    """Percent-encode as several path segments; ``.`` and ``..`` and a slash at the start are blocked."""
    path = percent_path(value)
    if path.startswith("/") or any(map(is_dot_segment, path.split("/"))):
        log_blocked(f"the path {path!r}", "it leads to another folder or host")
        return BLOCKED_SEGMENT
    return path


def url_first_segments(value: object) -> str:
    """Percent-encode as the path after a first slash; an empty one is blocked too."""
    return url_segments(value) or BLOCKED_SEGMENT


def seconds(value: object) -> str:
    """Print a number of seconds; without one a browser does not reload the page (HTML §4.2.5.3 "refresh")."""
    string = printed(value)
    if _SECONDS.fullmatch(string):
        return string
    log_blocked(f"the time {string!r}", "it is not a number of seconds")
    return ""


def descriptor(value: object) -> str:
    """Print the number of a descriptor (``2`` of ``2x``); with anything else a browser drops the candidate."""
    string = printed(value)
    if _DESCRIPTOR.fullmatch(string):
        return string
    log_blocked(f"the descriptor {string!r}", "it is not a number")
    return "blocked"
