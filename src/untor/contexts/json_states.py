"""JSON, as far as it decides on contexts (RFC 8259)."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

from untor.contexts.embedded_language import EmbeddedLanguage, run, unfinished_escape
from untor.contexts.placement import Place, Refusal, refused
from untor.contexts.script_literals import decoded
from untor.contexts.script_tokens import ESCAPE_IN_STRING
from untor.contexts.stacks import Stack
from untor.contexts.url_lists import LocalUrl

if TYPE_CHECKING:
    from collections.abc import Callable

_SPACE = re.compile("[ \t\n\r]+")
_LITERAL = re.compile(r"[-+.0-9A-Za-z]+")
_STRING = re.compile(r'(?:[^"\\\n\r]|\\[\s\S])+')


ADDRESSES = frozenset({"importmap", "speculationrules"})
"""Types of script elements whose JSON decides what is loaded (HTML §8.1.6.2, §7.6.1)."""

_WHOLE = {"importmap": "import-map", "speculationrules": "speculation-rules"}
_IN = {"importmap": "an import map", "speculationrules": "speculation rules"}
_URLS = frozenset({"urls", "href_matches"})
_RULES = frozenset(
    {"prefetch", "prerender", "prefetch_with_subresources", "prerender_until_script", "where", "and", "or"}
)
_FIXED = "Write it out, or print the whole object: {= rules =}."
_LONGEST_NAME = 40


class Json(EmbeddedLanguage):
    """The state of a JSON text: ``state`` is ``value``, ``key``, ``string``, ``after`` (something) or ``lost``.

    ``addresses`` is ``importmap`` or ``speculationrules``, whose strings say what is loaded; in those ``url`` is the
    state of the URL in the string and ``text`` the string so far, ``names`` the keys around it. ``lost_at`` is what was
    found that is not JSON, a key of ``_LOST``.
    """

    def __init__(self, *, addresses: str = "") -> None:
        self.state = "value"
        self.stack: Stack[str] = Stack()
        self.tail = ""
        self.lost_at = ""
        self.word = False
        self.addresses = addresses
        self.names: tuple[str, ...] = ()
        self.text: str | None = None
        self.url: LocalUrl | None = None

    def key(self) -> tuple[object, ...]:
        """Return all that decides how the text that follows is read: not why it is not JSON."""
        return (*(value for name, value in self.__dict__.items() if name != "lost_at"),)

    def joined(self, other: EmbeddedLanguage) -> EmbeddedLanguage | None:
        """Return the state after branches that end in these two."""
        if self == other and isinstance(other, Json) and self.lost_at != other.lost_at:
            joined = self.copy()
            joined.lost_at = "other"
            return joined
        return super().joined(other)

    def _eat(self, text: str) -> None:
        text, self.tail = self.tail + text, ""
        run(_STATES, self, text)  # type: ignore[arg-type]

    def place(self) -> Place | Refusal:
        """Judge the place of a value."""
        if self.tail:
            reason = "the value would become a part of it"
            return refused(f"inside the unfinished escape sequence {self.tail}", reason, "Finish it.")
        if self.state == "value":
            return self._value()
        if self.state == "string" and self.addresses:
            return self._address()
        if self.state == "string":
            return Place("value", "json-string", ("JSON string",), ("json-string",))
        if self.state == "key":
            return refused("as a key of JSON", "a key is text in quotes", 'Put it into quotes: "{= … =}".')
        reason, remedy = _LOST[self.lost_at]
        return refused("here in JSON", reason, remedy)

    def _value(self) -> Place | Refusal:
        escaper = _WHOLE.get(self.addresses, "json-value")
        if self.addresses == "speculationrules" and self.names:
            if self.names[-1] in _URLS:
                escaper = "import-map"
            elif self.names[-1] not in _RULES:
                return refused("in speculation rules", "it would decide what is loaded, and when", _FIXED)
        return Place("value", "json-value", ("JSON value",), (escaper,))

    def _address(self) -> Place | Refusal:
        """Judge a value in a string of an import map or of speculation rules: a URL that something is loaded from."""
        is_key = self.stack.ends_with("key") and self.url is None
        if is_key or (self.addresses == "speculationrules" and not (self.names and self.names[-1] in _URLS)):
            return refused(f"in this string of {_IN[self.addresses]}", "it would decide what is loaded", _FIXED)
        if self._is_hash():
            if self.text != "":
                remedy = 'Print the whole: "{= … =}".'
                return refused("in a part of a hash", "the whole decides what may be run", remedy)
            return Place("value", "json-string", ("JSON string", "hash"), ("integrity", "json-string"))
        assert self.url is not None  # noqa: S101  each string but a key has one
        place = self.url.place()
        if isinstance(place, Refusal):
            return place
        return place._replace(path=("JSON string", *place.path), escapers=(*place.escapers, "json-string"))

    def _is_hash(self) -> bool:
        """Return whether a string is the hash of a resource in an import map (HTML §8.1.6.2)."""
        integrity = self.addresses == "importmap" and self.names[:1] == ("integrity",)
        return integrity and len(self.names) > 1 and not self.stack.ends_with("key")

    def took_value(self) -> Json:
        """Return the state after a value."""
        other = self.copy()
        other.text = None
        other.url = other.url and other.url.took_value()
        if other.state == "value":
            other.state, other.word = "after", True
        return other

    def gap(self, text: str) -> str:
        """Return a space where the value before would be glued to the text after it."""
        return " " if self.word and self.state == "after" and _LITERAL.match(text) else ""


def _value(json: Json, text: str, position: int) -> int:
    """Go over what may come where a value is expected."""
    match = _SPACE.match(text, position) or _LITERAL.match(text, position)
    if match:
        if not match[0].isspace():
            json.state, json.word = "after", True
        return match.end()
    char = text[position]
    if char in "[{":
        json.stack += (char,)
        json.state = "key" if char == "{" else "value"
    elif char == '"':
        json.state = "string"
        json.url = LocalUrl("resource-url") if json.addresses else None
        json.text = "" if json.addresses else None
    elif char == "]" and json.stack.ends_with("["):
        json.stack, json.state = json.stack[:-1], "after"
    else:
        json.state, json.lost_at = "lost", _lost_at(char, key=False)
    return position + 1


def _key(json: Json, text: str, position: int) -> int:
    match = _SPACE.match(text, position)
    if match:
        return match.end()
    char = text[position]
    if char == '"':
        json.state = "string"
        json.stack += ("key",)
        json.text = ""
        # HTML §8.1.6.2: the keys of integrity are the URLs that the hashes are of.
        of_hashes = json.addresses == "importmap" and json.names == ("integrity",)
        json.url = LocalUrl("resource-url") if of_hashes else None
    elif char == "}" and json.stack.ends_with("{"):
        json.stack, json.state = json.stack[:-1], "after"
    else:
        json.state, json.lost_at = "lost", _lost_at(char, key=True)
    return position + 1


def _string(json: Json, text: str, position: int) -> int:
    start, match = position, _STRING.match(text, position)
    position = match.end() if match else position
    if position + (text[position : position + 1] == "\\") >= len(text):
        json.tail = unfinished_escape(ESCAPE_IN_STRING, text)
        _string_text(json, text[start : len(text) - len(json.tail)])
        return len(text)
    _string_text(json, text[start:position])
    if text[position] != '"':
        json.state, json.lost_at = "lost", "other"
        return position + 1
    json.state, json.word, json.url = "after", False, None
    if not json.stack.ends_with("key"):
        json.text = None
    return position + 1


def _string_text(json: Json, raw: str) -> None:
    """Go over fixed text in a string, where it matters."""
    if not json.addresses or not raw:
        return
    text = decoded(raw)
    json.text = None if json.text is None else (json.text + text)[:_LONGEST_NAME]
    if json.url is not None:
        json.url = json.url.read(text)


def _after(json: Json, text: str, position: int) -> int:
    """Go over what may come after a value or a key."""
    match = _SPACE.match(text, position)
    if match:
        json.word = False
        return match.end()
    match = _LITERAL.match(text, position)
    if match and json.word:
        return match.end()
    char, top = text[position], json.stack[-1] if json.stack else ""
    json.word = False
    if top == "key" and char == ":":
        json.stack, json.state = json.stack[:-1], "value"
        if json.addresses:
            json.names += (json.text or "",)
        json.text = None
    elif char == "," and top in {"[", "{"}:
        json.state = "key" if top == "{" else "value"
        if top == "{":
            json.names = json.names[:-1]
    elif (top, char) in {("[", "]"), ("{", "}")}:
        json.stack = json.stack[:-1]
        if top == "{":
            json.names = json.names[:-1]
    else:
        json.state = "lost"
    return position + 1


def _lost(json: Json, text: str, position: int) -> int:  # noqa: ARG001  one shape for all
    return len(text)


_STATES: dict[str, Callable[[Json, str, int], int]] = {
    "value": _value,
    "key": _key,
    "string": _string,
    "after": _after,
    "lost": _lost,
}

_WHOLE_REMEDY = "Print the whole: {= data =} writes a mapping or a list as JSON."
_LOST = {
    "name": ("a name before it has no quotes", 'Put names into double quotes: {"tons": {= … =}}.'),
    "'": ("strings in JSON have double quotes", "Write \"text\" for 'text'."),
    "/": ("JSON has no comments", "Remove the comment."),
    "": ("only a comma or a closing bracket is allowed here", _WHOLE_REMEDY),
    "other": ("what comes before it is not JSON", _WHOLE_REMEDY),
}
"""Why a text is not JSON: by what was found where a value or a key was expected, or nothing after a whole value."""


def _lost_at(char: str, *, key: bool) -> str:
    if key and (char.isalpha() or char in "_$"):
        return "name"
    return char if char in _LOST else "other"
