"""Where in a URL a value lands, by the states of the URL parser (URL §4.4), over the fixed text of an attribute."""

from __future__ import annotations

import re
from dataclasses import dataclass, replace

SPECIAL = frozenset({"http", "https", "ftp", "ws", "wss", "file"})
"""URL §4.2: special schemes."""

_IGNORED = re.compile("[\t\n\r]+")
_C0_CONTROL_OR_SPACE = "".join(map(chr, range(0x21)))
_SCHEME_CHARS = re.compile(r"[A-Za-z0-9+.\-]*")
_SLASHES = re.compile(r"[/\\]*")
_AUTHORITY = re.compile(r"[^/\\?#]*")
_PATH = re.compile(r"[^?#]*")
_PERCENT_END = re.compile(r"%[0-9A-Fa-f]?\Z")

AFTER_PATH = frozenset({"path", "query", "fragment"})


@dataclass(frozen=True, slots=True)
class UrlState:
    """The state of the URL parser at some point of an attribute.

    ``unknown``: after a value that stands at the start and may have brought any part of a URL.
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
            text = text.lstrip(_C0_CONTROL_OR_SPACE)
        position = 0
        while position < len(text):
            state, scheme, position = _step(state, scheme, text, position, schemes)
        return UrlState(state, scheme, percent[0] if percent else "")

    def took_value(self) -> UrlState:
        """Return the state after a value printed here."""
        if self.state in {"scheme start", "unknown"}:
            return replace(self, state="unknown", percent="")
        if self.state in {"scheme", "relative slash"}:
            return replace(self, state="path", percent="")
        return replace(self, percent="")

    def joined(self, other: UrlState) -> UrlState | None:
        """Return the state after branches that end in these two; ``None`` when a value after them has no one place."""
        if self == other:
            return self
        if self.percent or other.percent:
            return None
        states = {self.state, other.state}
        if states <= {"scheme start", "unknown"}:
            return UrlState("unknown")
        if states <= AFTER_PATH | {"unknown", "scheme"} and "opaque path" not in states:
            return UrlState("path")
        return None


def _step(state: str, scheme: str, text: str, position: int, schemes: frozenset[str]) -> tuple[str, str, int]:
    """Go from one state to the next; returns state, scheme and position."""
    char = text[position]
    if state in {"scheme start", "unknown"}:
        if state == "scheme start" and char.isascii() and char.isalpha():
            return "scheme", "", position
        if char in "/\\" and state == "scheme start":
            return "relative slash", "", position + 1
        return _delimiter(char), "", position + (char in "?#")
    if state == "scheme":
        end = _end(_SCHEME_CHARS, text, position)
        scheme += text[position:end].lower()
        if end == len(text):
            return state, scheme, end
        if text[end] == ":":
            if scheme not in schemes:
                return "blocked scheme", scheme, end + 1
            return "special authority slashes" if scheme in SPECIAL else "opaque path", scheme, end + 1
        return _delimiter(text[end]), "", end + (text[end] in "?#")
    if state == "relative slash":
        return ("special authority slashes" if char in "/\\" else "path"), "", position
    if state == "special authority slashes":
        end = _end(_SLASHES, text, position)
        return (state if end == len(text) else "authority"), scheme, end
    if state == "authority":
        end = _end(_AUTHORITY, text, position)
        if end == len(text):
            return state, scheme, end
        return _delimiter(text[end]), scheme, end + (text[end] in "?#")
    if state in {"path", "opaque path"}:
        end = _end(_PATH, text, position)
        return (state, scheme, end) if end == len(text) else (_delimiter(text[end]), scheme, end + 1)
    if state == "query" and "#" in text[position:]:
        return "fragment", scheme, text.index("#", position) + 1
    return state, scheme, len(text)


def _end(pattern: re.Pattern[str], text: str, position: int) -> int:
    found = pattern.match(text, position)
    return found.end() if found else position


def _delimiter(char: str) -> str:
    return {"?": "query", "#": "fragment"}.get(char, "path")
