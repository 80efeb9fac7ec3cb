"""A language in one of several states: after branches that end differently, such as with and without a last comma.

Each state is followed exactly, so that fixed text after the branches may bring them together again. A value may be
printed only where all of them judge its place alike.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from untor.contexts.css_states import Style
from untor.contexts.embedded_language import EmbeddedLanguage
from untor.contexts.json_states import Json
from untor.contexts.placement import Place, Refusal
from untor.contexts.script_states import Script
from untor.contexts.url_lists import UrlList

if TYPE_CHECKING:
    from collections.abc import Iterable

_BETWEEN_TOKENS: dict[type[EmbeddedLanguage], frozenset[str]] = {
    Script: frozenset({"code"}),
    Style: frozenset({"normal"}),
    Json: frozenset({"value", "key", "after"}),
    UrlList: frozenset({"start", "url", "descriptor"}),
}
"""The languages that are followed in several states, and their states outside literals and comments."""

_MOST = 6
_SOME_STEP = "a step before it"
_FOR = '"for"'
_OTHERWISE = "Let each branch end in the same place."
_COMMA = "Print the comma between two rounds of a loop with <! between !>."
_REMEDIES: dict[type[EmbeddedLanguage], str] = {
    Script: "End the statement before it with ; in each branch.",
    Style: "End the declaration before it with ; in each branch.",
}


class Alternatives(EmbeddedLanguage):
    """Several states of one language, of which one is the true one. The states are all different.

    Its place is what ``html_classify.judged`` makes of those of its states.

    ``merged`` is a script's own state after all of them, which some fixed text cannot follow; ``None`` without one.
    ``since`` is the step that decides which one it is, in words; empty if it is not known.
    """

    merged: EmbeddedLanguage | None
    since: str
    states: tuple[EmbeddedLanguage, ...]

    @classmethod
    def of(cls, states: Iterable[EmbeddedLanguage], since: str = "") -> EmbeddedLanguage | None:
        """Return what several states are together; ``None`` if what follows would be read differently."""
        different: list[EmbeddedLanguage] = []
        for state in states:
            _add(different, state)
        if len(different) == 1:
            return different[0]
        merged: EmbeddedLanguage | None = different[0]
        for state in different[1:]:
            merged = merged and merged.joined(state)
        if len(different) > _MOST:
            return merged
        result = cls.__new__(cls)
        result.states, result.since = tuple(different), since
        result.merged = merged if isinstance(merged, Script) else None
        return result

    def key(self) -> tuple[object, ...]:
        """Return all that decides how the text that follows is read."""
        return (frozenset(self.states),)

    def read(self, text: str) -> EmbeddedLanguage:  # type: ignore[override]
        """Return the states after fixed text. Raises ``Unreadable`` if it changes what a value before it means."""
        if isinstance(self.merged, Script) and self.merged.is_separated(text):
            return self.merged.read(text)
        return self._after(state.read(text) for state in self.states)

    def took_value(self) -> EmbeddedLanguage:  # type: ignore[override]
        """Return the states after a value printed here."""
        return self.merged.took_value() if self.merged else self._after(state.took_value() for state in self.states)

    def _after(self, states: Iterable[EmbeddedLanguage]) -> EmbeddedLanguage:
        after = self.of(states, self.since)
        assert after is not None  # noqa: S101  they do not become more
        return after

    def agreed(self, places: list[Place | Refusal]) -> Place | Refusal:
        """Return the place of which each state has one, if these are the same."""
        places = _adapted(places)
        if all(place == places[0] for place in places):
            return places[0]
        words = [place.path[-1] if isinstance(place, Place) else f"none ({place.words['place']})" for place in places]
        contexts = ", or ".join(dict.fromkeys(words))
        remedy = _COMMA if _FOR in self.since else _REMEDIES.get(type(self.states[0]), _OTHERWISE)
        return Refusal("contexts-differ", {"step": self.since or _SOME_STEP, "contexts": contexts, "remedy": remedy})

    def gap(self, text: str) -> str:
        """Return a blank if the last value would be joined to the fixed text in any of the states."""
        return max(state.gap(text) for state in self.states)


def together(first: EmbeddedLanguage, second: EmbeddedLanguage) -> EmbeddedLanguage | None:
    """Return the state after branches that end in two states; ``None`` when what follows would be read differently."""
    states = [*_states(first), *_states(second)]
    if all(map(_is_between_tokens, states)) and len({(type(each), _brackets(each)) for each in states}) == 1:
        return Alternatives.of(states)
    return first.joined(second) if len(states) == 2 else None  # noqa: PLR2004  neither has alternatives


_BRACKETED = ("script-operand",)


def _adapted(places: list[Place | Refusal]) -> list[Place | Refusal]:
    """Let the places have the blank and the brackets that one of them needs and that do no harm in the others."""
    blank = max(place.before if isinstance(place, Place) else "" for place in places)
    brackets = any(isinstance(place, Place) and place.escapers == _BRACKETED for place in places)
    adapted: list[Place | Refusal] = []
    for each in places:
        place = each._replace(before=blank) if isinstance(each, Place) else each
        if isinstance(place, Place) and brackets and place.escapers == ("script-value",):
            place = place._replace(escapers=_BRACKETED)
        adapted.append(place)
    return adapted


def _states(state: EmbeddedLanguage) -> tuple[EmbeddedLanguage, ...]:
    return state.states if isinstance(state, Alternatives) else (state,)


def _is_between_tokens(language: EmbeddedLanguage) -> bool:
    return getattr(language, "state", "") in _BETWEEN_TOKENS.get(type(language), ())


def _brackets(language: EmbeddedLanguage) -> object:
    """Return the brackets that are open; what follows cannot close those of one branch only."""
    return getattr(language, "stack", None)


def _is_exact(first: EmbeddedLanguage, second: EmbeddedLanguage, joined: EmbeddedLanguage) -> bool:
    """Return whether a joined state reads all text as both of the states do."""
    if isinstance(first, Style) and isinstance(second, Style):
        return (first.tail, first.last) == (second.tail, second.last)
    return not (isinstance(joined, Script) and joined.sealed)


def _add(states: list[EmbeddedLanguage], state: EmbeddedLanguage) -> None:
    """Add a state to those that are different from each other."""
    for index, other in enumerate(states):
        if other == state:
            return
        joined = other.joined(state)
        if joined is not None and _is_exact(other, state, joined):
            del states[index]
            _add(states, joined)
            return
    states.append(state)
