"""JSON as far as it decides what a value printed in it would be (RFC 8259)."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

from untor.places.language import Language, run, unfinished_escape
from untor.places.place import Place, Refusal, refused
from untor.places.script_tokens import ESCAPE_IN_STRING

if TYPE_CHECKING:
    from collections.abc import Callable

_SPACE = re.compile("[ \t\n\r]+")
_LITERAL = re.compile(r"[-+.0-9A-Za-z]+")
_STRING = re.compile(r'(?:[^"\\\n\r]|\\[\s\S])+')


class Json(Language):
    """The state of a JSON text: ``state`` is ``value``, ``key``, ``string``, ``after`` (something) or ``lost``.

    ``addresses`` tells an import map, whose strings are URLs that code is loaded from.
    """

    __slots__ = ("addresses", "stack", "state", "tail", "word")

    def __init__(self, *, addresses: bool = False) -> None:
        self.state = "value"
        self.stack: tuple[str, ...] = ()
        self.tail = ""
        self.word = False
        self.addresses = addresses

    def _eat(self, text: str) -> None:
        text, self.tail = self.tail + text, ""
        run(_STATES, self, text)  # type: ignore[arg-type]

    def place(self) -> Place | Refusal:
        """Judge the place of a value."""
        if self.tail:
            reason = "the value would become a part of it"
            return refused(f"inside the unfinished escape sequence {self.tail}", reason, "Finish it.")
        if self.state == "value":
            escaper = "import-map" if self.addresses else "json-value"
            return Place("value", "json-value", ("JSON value",), (escaper,))
        if self.state == "string" and self.addresses:
            reason = "code would be loaded from there"
            return refused("in a string of an import map", reason, "Print the whole address: {= address =}.")
        if self.state == "string":
            return Place("value", "json-string", ("JSON string",), ("json-string",))
        if self.state == "key":
            return refused("as a key of JSON", "a key is text in quotes", 'Put it into quotes: "{= … =}".')
        remedy = "Make JSON of the whole in the view, and print that: {= data =}."
        return refused("here in JSON", "only a comma or a bracket can come there", remedy)

    def took_value(self) -> Json:
        """Return the state after a value."""
        other = self.copy()
        if other.state == "value":
            other.state, other.word = "after", True
        return other

    def gap(self, text: str) -> str:
        """Return a space where the value before would be glued to the text after it."""
        return " " if self.word and self.state == "after" and _LITERAL.match(text) else ""


def _value(json: Json, text: str, position: int) -> int:
    """Go over what may come where a value is expected."""
    found = _SPACE.match(text, position) or _LITERAL.match(text, position)
    if found:
        if not found[0].isspace():
            json.state, json.word = "after", True
        return found.end()
    char = text[position]
    if char in "[{":
        json.stack += (char,)
        json.state = "key" if char == "{" else "value"
    elif char == '"':
        json.state = "string"
    elif char == "]" and json.stack[-1:] == ("[",):
        json.stack, json.state = json.stack[:-1], "after"
    else:
        json.state = "lost"
    return position + 1


def _key(json: Json, text: str, position: int) -> int:
    found = _SPACE.match(text, position)
    if found:
        return found.end()
    char = text[position]
    if char == '"':
        json.state = "string"
        json.stack += ("key",)
    elif char == "}" and json.stack[-1:] == ("{",):
        json.stack, json.state = json.stack[:-1], "after"
    else:
        json.state = "lost"
    return position + 1


def _string(json: Json, text: str, position: int) -> int:
    found = _STRING.match(text, position)
    position = found.end() if found else position
    if position + (text[position : position + 1] == "\\") >= len(text):
        json.tail = unfinished_escape(ESCAPE_IN_STRING, text)
        return len(text)
    if text[position] != '"':
        json.state = "lost"
        return position + 1
    json.state, json.word = "after", False
    return position + 1


def _after(json: Json, text: str, position: int) -> int:
    """Go over what may come after a value or a key."""
    found = _SPACE.match(text, position)
    if found:
        json.word = False
        return found.end()
    found = _LITERAL.match(text, position)
    if found and json.word:
        return found.end()
    char, top = text[position], json.stack[-1] if json.stack else ""
    json.word = False
    if top == "key" and char == ":":
        json.stack, json.state = json.stack[:-1], "value"
    elif char == "," and top in {"[", "{"}:
        json.state = "key" if top == "{" else "value"
    elif (top, char) in {("[", "]"), ("{", "}")}:
        json.stack = json.stack[:-1]
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
