"""The context of a value printed in CSS, and its escaping; or why no value may be printed there."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

from untor.contexts.css_rules import (
    AT_RULES,
    CODE,
    LOADING,
    SELECTOR_FUNCTIONS,
    URL_FUNCTIONS,
    URL_MODIFIERS,
)
from untor.contexts.placement import Place, Refusal, refused
from untor.escape.css import RESERVED
from untor.escape.css_values import FUNCTIONS

if TYPE_CHECKING:
    from collections.abc import Callable

    from untor.contexts.css_states import Style

_JOINED = frozenset("#.+-")
_HEX_ESCAPE = re.compile(r"\\(?:([0-9A-Fa-f]{1,6})(?:\r\n|[ \t\n\r\f])?|\r?\n|([\s\S]))")


def plain(token: str) -> str:
    """Return a name with its escapes decoded (§4.3.7)."""

    def decoded(match: re.Match[str]) -> str:
        if match[1]:
            code = int(match[1], 16)
            return chr(code) if 0 < code < 0x110000 and not 0xD800 <= code < 0xE000 else "\ufffd"  # noqa: PLR2004
        return match[2] or ""

    return _HEX_ESCAPE.sub(decoded, token)


def _in_string(style: Style) -> Place | Refusal:
    if style.tail:
        return _in_escape(style)
    function = _function(style)
    if function in URL_MODIFIERS:
        return _in_modifier(function)
    if style.at and (found := _in_at_rule(style, string=True)) is not None:
        return found
    if function in URL_FUNCTIONS:
        return _in_url(style)
    return Place("value", "style-string", ("style string",), ("style-string",))


def _function(style: Style) -> str:
    return next((entry[1:] for entry in style.stack if entry[0] == "("), "")


def _in_modifier(function: str) -> Refusal:
    return refused(f"in {function}( ) of a URL in a style", "it decides how the URL is loaded", "Write it out.")


def _in_escape(style: Style) -> Refusal:
    reason = "the value would become a part of it"
    return refused(f"inside the unfinished escape {style.tail} of a style", reason, "Finish the escape.")


def _in_at_rule(style: Style, *, string: bool = False) -> Place | Refusal | None:
    """Judge a value in the prelude of an at-rule; ``None`` where what is around it decides."""
    rule = AT_RULES.get(style.at)
    where = f"in @{style.at}"
    if style.at in LOADING:
        reason = "a style sheet would be loaded, or read otherwise"
        return refused("in @import and the like", reason, "Use a link: <link rel=stylesheet href=…>.")
    if rule is None:
        return refused(where, "what a value would mean in that rule is not known", "Write it out.")
    in_brackets = style.stack and style.stack[-1][0] in "(["
    if string or in_brackets:
        allowed = rule.prelude in {"condition", "selectors", "family"} or (string and rule.prelude == "name")
        return None if allowed else refused(where, "only fixed text is allowed there", "Write it out.")
    if rule.prelude == "name":
        part = _is_part(style)
        start = plain(style.tail).lower()
        if part and (style.glued or any(word.startswith(start) for word in RESERVED)):
            reason = "together they could be a word that CSS keeps for itself"
            return refused(f"in a part of the name in {where[3:]}", reason, "Begin the name with a word of your own.")
        escaper = "style-keyframes" if style.at.endswith("keyframes") else "style-custom-name"
        return Place("value", "style-name", ("style name",), ("style-name-part" if part else escaper,))
    return refused(where, "with some values the rule would be dropped", "Write it out, or choose a class.")


def _is_part(style: Style) -> bool:
    return (bool(style.tail) and style.tail not in {"#", "."}) or style.glued


def _in_url(style: Style) -> Place | Refusal:
    if style.tail:
        return _in_escape(style)
    if style.at and (found := _in_at_rule(style, string=True)) is not None:
        return found
    if style.property in CODE:
        return _as_code(style)
    place = style.url.place()
    if isinstance(place, Refusal):
        return place
    return Place("value", "style-url", ("style URL", *place.path), place.escapers)


def _in_normal(style: Style) -> Place | Refusal:
    if style.tail.startswith("@") or "\\" in style.tail[-7:] or style.last in {"!", "<"}:
        place = "right after @, !, < or \\ in a style"
        return refused(place, "the value would become a part of it", "Write it out.")
    if style.phase == "prelude" and style.at and (found := _in_at_rule(style)) is not None:
        return found
    if "{unknown" in style.stack:
        return refused(
            "in a rule of a style that is not known", "what a value would mean there is not known", "Write it out."
        )
    part = bool(style.tail) or style.glued or style.last in _JOINED
    if style.phase == "value":
        if style.property in CODE:
            return _as_code(style)
        if _function(style) in URL_MODIFIERS:
            return _in_modifier(_function(style))
        escaper = "style-value-part" if part else "style-list" if _takes_lists(style) else "style-value"
        return Place("value", "style-value", ("style value",), (escaper,))
    if style.phase == "prelude":
        return _in_condition(part=part) if _is_condition(style) else _in_selector(style)
    if style.phase == "start" and not style.tail:
        return Place("value", "style-value", ("style rules",), ("style-rules",))
    if style.phase in {"start", "name"} and style.tail and not _in_declarations(style):
        return _in_selector(style)
    remedy = "Write the name out, or choose between classes."
    return refused("as the name of a property", "it would decide what the style does", remedy)


def _takes_lists(style: Style) -> bool:
    """Return whether a value may be several: not in a function that could load what is in a string."""
    functions = [entry[1:] for entry in style.stack if entry[0] == "("]
    return all(not name or name in FUNCTIONS for name in functions)


def _in_declarations(style: Style) -> bool:
    """Return whether the innermost block is one of declarations."""
    return style.stack.ends_with("{")


def _is_condition(style: Style) -> bool:
    rule = AT_RULES.get(style.at)
    return rule is not None and rule.prelude == "condition"


def _in_condition(*, part: bool) -> Place:
    return Place("value", "style-value", ("style value",), ("style-value-part" if part else "style-value",))


def _in_selector(style: Style) -> Place | Refusal:
    """Judge a value in a selector, which is never dropped for what the value is (Selectors 4 §4)."""
    if style.stack.ends_with("{frames"):
        return refused("as a key frame", "with some values it would be dropped", "Print one number: {= n =}%.")
    if style.colon or style.last == ":":
        reason = "with a name that is not known the rule would be dropped"
        return refused("in the name of a pseudo-class", reason, "Write the name out.")
    if style.last == "|":
        reason = "with a prefix that is not declared the rule would be dropped"
        return refused("right after | in a selector", reason, "Write it out.")
    if style.last == "-" and style.tail in {"-", "#-"}:
        reason = "with a digit, or nothing, it would not be a name"
        return refused("right after a - that begins a name", reason, "Begin the name with a letter.")
    function = style.stack[-1] if style.stack and style.stack[-1][0] in "([" else ""
    before = style.prior if _is_part(style) else style.last
    if function == "[" and not style.glued and before not in {"=", "["}:
        return refused("here in [ ] of a selector", "it could be a flag that is not known", "Write it out.")
    kind = "selectors" if function in {"", "(", "["} else SELECTOR_FUNCTIONS.get(function[1:], "")
    part = _is_part(style)
    if kind == "nth" and not part and style.last == "(":
        return Place("value", "style-value", ("style value",), ("style-nth",))
    if kind not in {"selectors", "name"}:
        name = function[1:] or "…"
        reason = "with some values the rule would be dropped"
        return refused(f"in :{name}( ) of a selector", reason, "Write it out.")
    return Place("value", "style-name", ("style name",), ("style-name-part" if part else "style-name",))


def _as_code(style: Style) -> Refusal:
    return refused(f"in the property {style.property}", "browsers run it as code", "Remove it.")


def _in_comment(_: Style) -> Refusal:
    return refused("in a comment of a style", "it would not be seen", "Take it out of the comment.")


def _nowhere(_: Style) -> Refusal:
    return refused("here in a style", "the style before it could not be followed", "Put it at the start.")


JUDGES: dict[str, Callable[[Style], Place | Refusal]] = {
    "normal": _in_normal,
    '"': _in_string,
    "'": _in_string,
    "url": _in_url,
    "before url": _in_url,
    "comment": _in_comment,
    "after url": _nowhere,
    "lost": _nowhere,
}
"""What judges a value, by the state of the style."""
