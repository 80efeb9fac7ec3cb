"""CSS, as far as it decides on contexts (CSS Syntax Level 3 §4 and §5, CSS Nesting)."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

from untor.contexts.css_classify import JUDGES, plain
from untor.contexts.css_rules import AT_RULES, CODE, URL_FUNCTIONS
from untor.contexts.embedded_language import EmbeddedLanguage, run, unfinished_escape
from untor.contexts.placement import Place, Refusal, unreadable
from untor.contexts.stacks import Stack
from untor.contexts.url_lists import LocalUrl

if TYPE_CHECKING:
    from collections.abc import Callable

_SPACE = re.compile("[ \t\n\r\f]+")
# §4.2: ident code points, escapes among them; numbers are read with them, since both are joined to what follows.
_HEX = r"\\[0-9A-Fa-f]{1,6}(?:\r\n|[ \t\n\r\f])?"
_NAME = re.compile(rf"(?:[A-Za-z0-9_\-\x80-\U0010ffff]|{_HEX}|\\[^\n\r\f0-9A-Fa-f])+")
_ESCAPE = re.compile(r"\\(?:[0-9A-Fa-f]{1,6})?\Z")
_STRINGS = {
    '"': re.compile(r'(?:[^"\\\n\r\f]|\\(?:\r\n|[\s\S]))+'),
    "'": re.compile(r"(?:[^'\\\n\r\f]|\\(?:\r\n|[\s\S]))+"),
}
_URL = re.compile(r"(?:[^)\"'(\\ \t\n\r\f]|\\[^\n\r\f])+")

_AFTER_NTH = re.compile(r"[ \t\n\r\f]*(?:\)|of[ \t\n\r\f])")
_SPACE_OR_BRACE = re.compile(r"[ \t\n\r\f{]")
_END_OF_CDC = re.compile("-?>")
_NAME_TAIL = re.compile(r"[A-Za-z0-9_-]*")


class Style(EmbeddedLanguage):
    """The state of a style sheet or of the declarations in an attribute.

    ``state`` is ``normal``, the quote of a string, ``url``, ``after url``, ``comment`` or ``lost``. ``phase`` is
    ``start`` (of a rule or declaration), ``name`` (of what may be a property), ``value`` or ``prelude``. ``stack``
    holds open blocks (``{`` of declarations, ``{rules`` of rules, ``{frames`` of key frames, ``{unknown``) and
    brackets (``(name``, ``[``). ``tail`` is a token or an escape that is not finished, ``glued`` means that a value
    is part of the last token, ``ruled`` that it replaces whole declarations, ``colon`` that the last name is that
    of a pseudo-class or pseudo-element, ``prior`` is what was ``last`` before the unfinished token.
    """

    def __init__(self, *, declarations: bool = False) -> None:
        self.state = "normal"
        self.phase = "start"
        self.stack: Stack[str] = Stack()
        if declarations:
            self.stack = self.stack.push("{")
        self.base = len(self.stack)
        self.property = ""
        self.at = ""
        self.tail = ""
        self.last = self.prior = ""
        self.glued = False
        self.colon = False
        self.valued = False
        self.ruled = False
        self.url = LocalUrl("image-url")

    def _eat(self, text: str) -> None:
        if not text:
            return
        if self.glued:
            self._glue(text)
        if self.ruled and text[0] == ":" and self.stack.ends_with("{"):
            raise unreadable(
                "right before this colon in a style",
                "as the name of a property it would decide what the style does",
                "Write the name out, or choose between classes.",
            )
        self.ruled = False
        if self.tail and self.state == "normal":
            self.last, self.prior = self.prior, ""
        text, self.tail = self.tail + text, ""
        run(_STATES, self, text)  # type: ignore[arg-type]

    def _glue(self, text: str) -> None:
        """Look at what comes right after a value: it must not make another token of it."""
        dashes = self.last in {"-", "--"} and _END_OF_CDC.match(text)
        if text[0] == "(" or (self.last == "/" and text[0] == "*") or dashes:
            raise unreadable(
                "right before this",
                "together they would be a function or a comment",
                "Write the name of the function out.",
            )
        if text[0] == "|" and text[1:2] != "=" and self.phase != "value":
            raise unreadable("right before this | in a selector", "it would be a prefix", "Write the prefix out.")
        if self.stack and self.stack[-1].startswith("(nth") and not _AFTER_NTH.match(text):
            raise unreadable("right before this", "together they could be no an+b", "Print all of it: {= n =}.")
        if self.at.endswith("keyframes") and self.phase == "prelude" and not _SPACE_OR_BRACE.match(text):
            raise unreadable("right before this", "a name that CSS keeps is written in quotes", "Print the whole name.")
        match = _NAME.match(text)
        if not match or match.end() < len(text):
            if match and text[match.end()] == "(":
                self._glue("(")
            self.glued = False

    # --- values ----------------------------------------------------------------------------------------------------

    def place(self) -> Place | Refusal:
        """Judge the place of a value."""
        return JUDGES[self.state](self)

    def took_value(self) -> Style:
        """Return the state after a value."""
        other = self.copy()
        if other.state in {"before url", "url"}:
            other.state, other.valued = "url", True
        if other.state == "url" or (other.state in _STRINGS and self._is_url()):
            other.url = other.url.took_value()
        if other.state == "normal":
            if other.tail:
                other.last = other.tail if other.tail == "--" else other.tail[-1]
                if other.phase == "start":
                    other.phase = "prelude"
            other.tail = ""
            other.valued = other.glued = other.phase != "start"
            other.ruled = other.phase == "start"
        return other

    def joined(self, other: EmbeddedLanguage) -> EmbeddedLanguage | None:
        """Join two states; where the last names differ, what follows may not make functions of them."""
        if self == other or not isinstance(other, Style):
            return self if self == other else None
        if self.state == other.state != "normal":
            return self._joined_urls(other)
        tails, lasts = {self.tail, other.tail}, {self.last, other.last}
        if {self.state, other.state} != {"normal"} or any(not _NAME_TAIL.fullmatch(tail) for tail in tails):
            return None
        if {self.property, other.property, *tails} & CODE or (len(tails) > 1 and self.phase != "value"):
            # What is known of the name of a property would be lost.
            return None
        first, second = self.copy(), other.copy()
        for state in (first, second):
            if len(tails) > 1:
                state.tail, state.glued = "a", True
            if len(lasts) > 1:
                state.last = "a"
            state.glued = state.glued or self.glued or other.glued
            state.valued = self.valued or other.valued
            state.url, state.property = self.url, self.property
            state.colon = self.colon or other.colon
            state.prior = self.prior if self.prior == other.prior else ""
        risky = lasts & {"!", "/", ".", "#", "@", ":", "|"} if len(lasts) > 1 else frozenset()
        return None if risky or first != second else first

    def _joined_urls(self, other: Style) -> Style | None:
        """Join two states inside a URL or a string that is one."""
        url = self.url.joined(other.url)
        first, second = self.copy(), other.copy()
        if isinstance(url, LocalUrl) and not url.is_mixed():
            first.url = second.url = url
        return first if first == second else None

    def _is_url(self) -> bool:
        return any(entry[1:] in URL_FUNCTIONS for entry in self.stack.members if entry[0] == "(")


def _normal(style: Style, text: str, position: int) -> int:
    """§4.3.1 "Consume a token", and what it means in the grammar of §5."""
    match = _SPACE.match(text, position)
    if match:
        style.last = "!" if style.last == "!" else ""
        return match.end()
    char = text[position]
    if char in _STRINGS:
        style.state, style.last = char, char
        style.url = LocalUrl("image-url")
        return position + 1
    if char == "/" and position + 1 == len(text):
        style.tail = "/"
        return position + 1
    if text.startswith("<!--", position):
        style.last = ""
        return _html_comment(style, position + 4, len(text))
    if text.startswith("-->", position):
        style.last = ""
        return _html_comment(style, position + 3, len(text))
    if text.startswith("/*", position):
        style.state = "comment"
        return position + 2
    start = position + (char in "@#")
    name = _NAME.match(text, start)
    end = name.end() if name else start
    if (name or char in "@#\\") and end + (text[end : end + 1] == "\\") >= len(text):
        style.tail, style.prior = text[position:], style.last
        style.last = style.tail[-1]
        return len(text)
    if char == "<" and "<!--".startswith(text[position:]):
        # It may still become a CDO token (§4.3.1).
        style.tail, style.prior, style.last = text[position:], style.last, "<"
        return len(text)
    if name:
        return _name(style, text, position, end)
    _delimiter(style, char)
    return position + 1


def _html_comment(style: Style, end: int, length: int) -> int:
    """Go over a CDO or CDC token: between rules it is dropped (§5.4.1), elsewhere it is a part of the prelude."""
    if style.stack and style.phase in {"start", "name"}:
        style.phase = "prelude"
    return min(end, length)


def _name(style: Style, text: str, position: int, end: int) -> int:
    """Go over a name, number, dimension, hash or at-keyword that has ended, and over the bracket of a function."""
    token = text[position:end]
    style.last = token[-1]
    if token[0] == "@" and style.phase == "start":
        style.at, style.phase = plain(token[1:]).lower(), "prelude"
        return end
    style.colon = False
    if style.phase == "start" and token[0] != "#":
        style.phase, style.property, style.valued = "name", plain(token).lower(), False
    elif style.phase in {"start", "name"}:
        style.phase = "prelude"
    if text[end] != "(":
        return end
    function = plain(token).lower()
    style.stack += (f"({function}",)
    style.last = "("
    style.valued = False
    if function == "url":
        style.state, style.url = "before url", LocalUrl("image-url")
    return end + 1


def _delimiter(style: Style, char: str) -> None:
    """Go over a bracket, a separator or another single character."""
    style.last = char
    style.colon = char == ":" and style.phase != "value"
    if char in "([":
        style.stack += (char,)
        style.valued = False
        if style.phase in {"start", "name"}:
            style.phase = "prelude"
    elif char in ")]":
        if style.stack and style.stack[-1][0] == {")": "(", "]": "["}[char]:
            style.stack = style.stack[:-1]
        else:
            style.state = "lost"
    elif char == "{":
        _open(style)
    elif char == "}":
        _close(style)
    elif char == ";" and not (style.stack and style.stack[-1][0] in "(["):
        _next(style)
    elif char == ":" and style.phase == "name" and style.stack.ends_with("{"):
        style.phase = "value"
    elif style.phase in {"start", "name"}:
        style.phase = "prelude"


def _next(style: Style) -> None:
    style.phase, style.property, style.at, style.valued = "start", "", "", False


def _open(style: Style) -> None:
    """Open a block: of declarations, or of rules; §5.5.2 "consume an at-rule", .3 "consume a qualified rule"."""
    if style.stack and style.stack[-1][0] in "([":
        style.state = "lost"
        return
    if style.phase == "value" and style.valued:
        raise unreadable(
            "in what is the selector of a nested rule",
            "up to here it could be a declaration",
            "Begin the selector with &.",
        )
    nested = "{" in style.stack
    rule = AT_RULES.get(style.at)
    entry = "{" if not style.at else "{unknown" if rule is None else rule.block
    style.stack += ("{" if entry == "{rules" and nested else entry,)
    _next(style)


def _close(style: Style) -> None:
    if len(style.stack) <= style.base or style.stack[-1][0] != "{":
        style.state = "lost"
        return
    style.stack = style.stack[:-1]
    _next(style)


def _string(quote: str) -> Callable[[Style, str, int], int]:
    def state(style: Style, text: str, position: int) -> int:
        """§4.3.5 "Consume a string token"."""
        match = _STRINGS[quote].match(text, position)
        end = match.end() if match else position
        if end + (text[end : end + 1] == "\\") >= len(text):
            style.tail = unfinished_escape(_ESCAPE, text)
            _url_text(style, text[position : len(text) - len(style.tail)])
            return len(text)
        _url_text(style, text[position:end])
        style.state = "normal" if text[end] == quote else "lost"
        style.glued = False
        return end + 1

    return state


def _url_text(style: Style, text: str) -> None:
    style.url = style.url.read(plain(text))


def _before_url(style: Style, text: str, position: int) -> int:
    """§4.3.4 "Consume an ident-like token": after ``url(``, white space and perhaps a quote."""
    match = _SPACE.match(text, position)
    if match:
        return match.end()
    style.state = "normal" if text[position] in _STRINGS else "url"
    return position


def _url(style: Style, text: str, position: int) -> int:
    """§4.3.6 "Consume a url token"."""
    match = _URL.match(text, position)
    end = match.end() if match else position
    if end + (text[end : end + 1] == "\\") >= len(text):
        style.tail = unfinished_escape(_ESCAPE, text)
        _url_text(style, text[position : len(text) - len(style.tail)])
        return len(text)
    _url_text(style, text[position:end])
    if text[end] == ")":
        style.state, style.stack = "normal", style.stack[:-1]
        style.last = ")"
    elif _SPACE.match(text[end]):
        style.state = "after url"
    else:
        _lose_url(style)
    return end + 1


def _lose_url(style: Style) -> None:
    """Give up at a bad URL (§4.3.14): an empty value in it could make it a valid one."""
    if style.valued:
        raise unreadable("in a URL that goes on like this", "an empty value would make another one of it", "End it.")
    style.state = "lost"


def _after_url(style: Style, text: str, position: int) -> int:
    """Go over white space at the end of a url token."""
    match = _SPACE.match(text, position)
    if match:
        return match.end()
    if text[position] == ")":
        style.state, style.stack = "normal", style.stack[:-1]
        style.last = ")"
    else:
        _lose_url(style)
    return position + 1


def _comment(style: Style, text: str, position: int) -> int:
    """§4.3.2 "Consume comments"."""
    end = text.find("*/", position)
    if end < 0:
        style.tail = "*" if text.endswith("*") else ""
        return len(text)
    style.state, style.last = "normal", ""
    return end + 2


def _lost(style: Style, text: str, position: int) -> int:  # noqa: ARG001  one shape for all
    """Lost: skip the rest."""
    return len(text)


_STATES: dict[str, Callable[[Style, str, int], int]] = {
    "normal": _normal,
    '"': _string('"'),
    "'": _string("'"),
    "before url": _before_url,
    "url": _url,
    "after url": _after_url,
    "comment": _comment,
    "lost": _lost,
}
