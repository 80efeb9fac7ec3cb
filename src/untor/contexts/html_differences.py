"""How two states of a page differ, in words: for messages about branches and loops that end in different places."""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple

from untor.contexts.css_states import Style
from untor.contexts.html_active_formatting import FORMATTING
from untor.contexts.html_classify import describe
from untor.contexts.html_state import VALUE_STATES
from untor.contexts.json_states import Json
from untor.contexts.script_states import Script
from untor.contexts.ways import ways_of

if TYPE_CHECKING:
    from collections.abc import Iterable

    from untor.contexts.embedded_language import EmbeddedLanguage
    from untor.contexts.html_state import HtmlState

REMEDY = "Close in each branch what is opened in it, so that the markup after it is read the same way."
_RAW = ("RCDATA", "RAWTEXT", "script data", "PLAINTEXT")
_TAG_WORDS = {
    "self-closing start tag": "after its /",
    "before attribute value": "after the = of an attribute",
    "attribute value (unquoted)": "in a value without quotes",
}
_CLOSING = {"(": ")", "[": "]", "{": "}"}


class Difference(NamedTuple):
    """Where each of two states is, and what to do about it."""

    first: str
    second: str
    remedy: str = REMEDY


def differing(first: HtmlState, second: HtmlState) -> Difference:
    """Say in which two places two states are; the words are never the same."""
    one, other = describe(first), describe(second)
    if one != other:
        return Difference(one, other, _remedy_of_places(first, second))
    for compare in (_elements, _formatting, _brackets, _in_tag, _ambiguity):
        found = compare(first, second)
        if found is not None and found.first != found.second:
            return Difference(f"{one}{found.first}", f"{other}{found.second}", found.remedy)
    remedy = "Write the whole URL out in each branch." if "URL" in one else REMEDY
    return Difference(one, f"{other} that is read in another way", remedy)


def _remedy_of_places(first: HtmlState, second: HtmlState) -> str:
    for one, other in ((first, second), (second, first)):
        if one.state.startswith(_RAW) and not (other.state.startswith(_RAW) and one.last_start == other.last_start):
            return f"Close what is opened there: </{one.last_start}>."
    for one, other in ((first, second), (second, first)):
        if one.state in VALUE_STATES and other.state not in VALUE_STATES:
            name = one.attribute
            return f'Put the step around the whole attribute, {name}="…", or between its quotes.'
    found = _elements(first, second)
    return found.remedy if found is not None else REMEDY


def _elements(first: HtmlState, second: HtmlState) -> Difference | None:
    """Compare the open elements, as far as they are followed."""
    one, other = ([*reversed([*state.stack])] for state in (first, second))
    while one and other and one[0] == other[0]:
        del one[0], other[0]
    if not (one or other):
        return None
    closing = [f"</{name.rpartition(':')[2]}>" for name in reversed(one or other)]
    return Difference(_with(one), _with(other), f"Close what is opened there: {''.join(closing)}.")


def _formatting(first: HtmlState, second: HtmlState) -> Difference | None:
    """Compare the formatting elements that may be open."""
    one, other = ([*_open_formatting(state)] for state in (first, second))
    extra = [name for name in (*one, *other) if one.count(name) != other.count(name)]
    if not extra:
        return None
    closing = "".join(f"</{name}>" for name in dict.fromkeys(reversed(extra)))
    return Difference(_with(one), _with(other), f"Close what is opened there: {closing}.")


def _open_formatting(machine: HtmlState) -> Iterable[str]:
    inline = max((way.inline for way in ways_of(machine)), key=lambda each: len(each.here.entries))
    return (name for name in reversed([*inline.here.entries]) if name in FORMATTING)


def _with(names: list[str]) -> str:
    elements = [f"<{name.rpartition(':')[2]}>" for name in dict.fromkeys(names)]
    return f" with {' and '.join(elements)} open" if elements else ""


def _brackets(first: HtmlState, second: HtmlState) -> Difference | None:
    """Compare the open brackets of a script, a style or JSON."""
    one, other = (_opened_in(state.inner) for state in (first, second))
    while one and other and one[0] == other[0]:
        del one[0], other[0]
    if not (one or other):
        return None
    closing = "".join(_CLOSING.get(char, char) for char in reversed(one or other))
    words = [f" with {' '.join(chars)} open" if chars else "" for chars in (one, other)]
    return Difference(words[0], words[1], f"Close what is opened there: {closing}")


def _opened_in(language: EmbeddedLanguage | None) -> list[str]:
    if not isinstance(language, Script | Style | Json):
        return []
    entries = [entry for entry in reversed([*language.stack]) if entry not in {"?", "key"}]
    return [entry if entry == "${" else entry[0] for entry in entries]


def _in_tag(first: HtmlState, second: HtmlState) -> Difference | None:
    """Compare where in a tag two states are."""
    words = [f", {_TAG_WORDS[state.state]}" if state.state in _TAG_WORDS else "" for state in (first, second)]
    return Difference(words[0], words[1], "Write the variants of the whole tag out, each in its branch.")


def _ambiguity(first: HtmlState, second: HtmlState) -> Difference | None:
    """Compare whether the markup can be judged."""
    if first.ambiguity != second.ambiguity:
        words = [f", where {state.ambiguity}" if state.ambiguity else "" for state in (first, second)]
        return Difference(words[0], words[1], "Make the markup in the step unambiguous.")
    return None
