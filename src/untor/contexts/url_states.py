"""The parts of a URL, by the states of the URL parser (URL §4.4), over the fixed text of an attribute."""

from __future__ import annotations

import re
from dataclasses import dataclass

from untor.escape.url import C0_CONTROL_OR_SPACE

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable

SPECIAL = frozenset({"http", "https", "ftp", "ws", "wss", "file"})
"""URL §4.2: special schemes."""

_IGNORED = re.compile("[\t\n\r]+")
_SCHEME_CHARS = re.compile(r"[A-Za-z0-9+.\-]*")
_SLASHES = re.compile(r"[/\\]*")
_AUTHORITY = re.compile(r"[^/\\?#]*")
_PATH = re.compile(r"[^?#]*")
_PICTURE = re.compile(r"data:image/(?!svg)[a-z0-9.\-]+(?:;[^,]*)?,", re.IGNORECASE | re.ASCII)
"""The beginning of a ``data:`` URL whose data are the pixels of a picture; SVG has scripts and links."""
_PERCENT_END = re.compile(r"%[0-9A-Fa-f]?\Z")

AFTER_PATH = frozenset({"path", "query", "fragment"})


@dataclass(frozen=True, slots=True)
class UrlState:
    """The state of the URL parser at some point of an attribute.

    ``unknown``: after a value at the start, which may have any part of a URL; ``data`` and
    ``picture data``: before and after the comma of a ``data:`` URL, whose beginning is in ``scheme``.
    ``percent`` holds an unfinished percent-encoding at the end of the fixed text.
    """

    state: str = "scheme start"
    scheme: str = ""
    percent: str = ""

    def read(self, text: str, schemes: frozenset[str]) -> UrlState:
        """Return the state after fixed text (character references already decoded)."""
        state, scheme = self.state, self.scheme
        text = _IGNORED.sub("", text)
        if not text:
            return self
        percent = _PERCENT_END.search(self.percent + text)
        if state == "scheme start":
            text = text.lstrip(C0_CONTROL_OR_SPACE)
        position = 0
        while position < len(text):
            if state not in _STEPS:
                break
            state, scheme, position = _STEPS[state](text, position, scheme, schemes)
        return UrlState(state, scheme, percent[0] if percent else "")

    def took_value(self) -> UrlState:
        """Return the state after a value printed here."""
        if self.state in {"scheme start", "unknown"}:
            return UrlState("unknown", self.scheme)
        if self.state in {"scheme", "relative slash"}:
            return UrlState("path", self.scheme)
        if self.state == "path or authority":
            return UrlState("opaque path", self.scheme)
        if self.state == "special authority ignore slashes":
            return UrlState("authority", self.scheme)
        return UrlState(self.state, self.scheme)

    def joined(self, other: UrlState) -> UrlState | None:
        """Return the state after branches that end in these two; ``None`` when a value after them has no one place."""
        if self == other:
            return self
        if self.percent or other.percent:
            return None
        states = {self.state, other.state}
        if states <= {"scheme start", "unknown"}:
            return UrlState("unknown")
        if states <= AFTER_PATH | {"unknown", "scheme", "relative slash"}:
            # All of these percent-encode; that no host and no scheme comes out of it is decided on the whole.
            return UrlState("path")
        return None


Step = tuple[str, str, int]
"""The next state, the scheme so far and the next position."""


def _scheme_start(text: str, position: int, scheme: str, schemes: frozenset[str]) -> Step:
    """Scheme start state."""
    char = text[position]
    if char.isascii() and char.isalpha():
        return "scheme", "", position
    if char in "/\\":
        return "relative slash", "", position + 1
    return _unknown(text, position, scheme, schemes)


def _unknown(text: str, position: int, scheme: str, schemes: frozenset[str]) -> Step:  # noqa: ARG001
    """After a value that may have brought any part of a URL: only a delimiter decides how it continues."""
    return _delimiter(text[position]), "", position + (text[position] in "?#")


def _scheme(text: str, position: int, scheme: str, schemes: frozenset[str]) -> Step:
    """Scheme state."""
    end = _end(_SCHEME_CHARS, text, position)
    scheme += text[position:end].lower()
    if end == len(text):
        return "scheme", scheme, end
    if text[end] != ":":
        return _delimiter(text[end]), "", end + (text[end] in "?#")
    if scheme == "data" and scheme not in schemes:
        return "data", "data:", end + 1
    if scheme not in schemes:
        return "blocked scheme", scheme, end + 1
    return "special authority slashes" if scheme in SPECIAL else "path or authority", scheme, end + 1


def _data(text: str, position: int, scheme: str, schemes: frozenset[str]) -> Step:  # noqa: ARG001
    """Go over the media type of a ``data:`` URL (RFC 2397, Fetch §6)."""
    comma = text.find(",", position)
    if comma < 0:
        return "data", scheme + text[position:], len(text)
    scheme += text[position : comma + 1]
    return ("picture data" if _PICTURE.fullmatch(scheme) else "blocked scheme"), "data", comma + 1


def _relative_slash(text: str, position: int, scheme: str, schemes: frozenset[str]) -> Step:  # noqa: ARG001
    """Relative slash state."""
    if text[position] in "/\\":
        return "special authority ignore slashes", "", position + 1
    return "path", "", position


def _special_authority_slashes(text: str, position: int, scheme: str, schemes: frozenset[str]) -> Step:  # noqa: ARG001
    """Read the first slash (special authority slashes state)."""
    if text[position] in "/\\":
        return "special authority second slash", scheme, position + 1
    return "special without slashes", scheme, position


def _second_slash(text: str, position: int, scheme: str, schemes: frozenset[str]) -> Step:  # noqa: ARG001
    """Read the second slash (special authority slashes state)."""
    if text[position] in "/\\":
        return "special authority ignore slashes", scheme, position + 1
    return "special without slashes", scheme, position


def _ignore_slashes(text: str, position: int, scheme: str, schemes: frozenset[str]) -> Step:  # noqa: ARG001
    """Go over more slashes (special authority ignore slashes state)."""
    end = _end(_SLASHES, text, position)
    return ("special authority ignore slashes" if end == len(text) else "authority"), scheme, end


def _without_slashes(text: str, position: int, scheme: str, schemes: frozenset[str]) -> Step:  # noqa: ARG001
    """Go over what is a path or a host, depending on the page's own URL (special relative or authority state)."""
    end = _end(_AUTHORITY, text, position)
    return (
        ("special without slashes" if end == len(text) else _delimiter(text[end])),
        scheme,
        end + (end < len(text) and text[end] in "?#"),
    )


def _authority(text: str, position: int, scheme: str, schemes: frozenset[str]) -> Step:  # noqa: ARG001
    """Go over the authority (authority, host and port states)."""
    end = _end(_AUTHORITY, text, position)
    if end == len(text):
        return "authority", scheme, end
    return _delimiter(text[end]), scheme, end + (text[end] in "?#")


def _path(text: str, position: int, scheme: str, schemes: frozenset[str]) -> Step:  # noqa: ARG001
    """Path state."""
    end = _end(_PATH, text, position)
    return ("path", scheme, end) if end == len(text) else (_delimiter(text[end]), scheme, end + 1)


def _path_or_authority(text: str, position: int, scheme: str, schemes: frozenset[str]) -> Step:  # noqa: ARG001
    """After the scheme of a URL that is not special: a slash begins a path, or with another one an authority."""
    if text[position] == "/":
        return "special authority second slash", scheme, position + 1
    return "opaque path", scheme, position


def _opaque_path(text: str, position: int, scheme: str, schemes: frozenset[str]) -> Step:
    """Opaque path state."""
    state, scheme, end = _path(text, position, scheme, schemes)
    return ("opaque path" if state == "path" else state), scheme, end


def _query(text: str, position: int, scheme: str, schemes: frozenset[str]) -> Step:  # noqa: ARG001
    """Query state."""
    fragment = text.find("#", position)
    return ("query", scheme, len(text)) if fragment < 0 else ("fragment", scheme, fragment + 1)


_STEPS: dict[str, Callable[[str, int, str, frozenset[str]], Step]] = {
    "scheme start": _scheme_start,
    "unknown": _unknown,
    "scheme": _scheme,
    "data": _data,
    "relative slash": _relative_slash,
    "special authority slashes": _special_authority_slashes,
    "special authority second slash": _second_slash,
    "special authority ignore slashes": _ignore_slashes,
    "special without slashes": _without_slashes,
    "authority": _authority,
    "path": _path,
    "path or authority": _path_or_authority,
    "opaque path": _opaque_path,
    "query": _query,
}
"""What each state does; out of the others (fragment, picture data, blocked scheme, mixed) nothing leads."""


def _end(pattern: re.Pattern[str], text: str, position: int) -> int:
    match = pattern.match(text, position)
    return match.end() if match else position


def _delimiter(char: str) -> str:
    return {"?": "query", "#": "fragment"}.get(char, "path")
