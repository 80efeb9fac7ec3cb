"""The interface of the languages inside HTML: scripts, styles, JSON, lists of URLs, a document in an attribute."""

from __future__ import annotations

from typing import TYPE_CHECKING

from untor.contexts.placement import Unreadable

if TYPE_CHECKING:
    import re
    from typing import Self

    from untor.contexts.placement import Place, Refusal


class EmbeddedLanguage:
    """The state of a language at some point of its text; a state never changes once it is given away.

    Subclasses eat text in ``_eat``. Their fields are always set in one order, and none is added later.
    """

    def copy(self) -> Self:
        """Return a state that can go its own way."""
        other = self.__class__.__new__(self.__class__)
        other.__dict__ = self.__dict__.copy()
        return other

    def key(self) -> tuple[object, ...]:
        """Return all that decides how the text that follows is read."""
        return (*self.__dict__.values(),)

    def __eq__(self, other: object) -> bool:
        return type(self) is type(other) and self.key() == other.key()

    def __hash__(self) -> int:
        return hash((type(self), self.key()))

    def read(self, text: str) -> Self:
        """Return the state after fixed text. Raises ``Unreadable`` where it changes what a value before it means."""
        other = self.copy()
        other._eat(text)  # noqa: SLF001  its own kind
        return other

    def _eat(self, text: str) -> None:
        raise NotImplementedError

    def place(self) -> Place | Refusal:
        """Judge the place that has been come to."""
        raise NotImplementedError

    def took_value(self) -> Self:
        """Return the state after a value printed here; the place has been found good before."""
        return self.copy()

    def gap(self, text: str) -> str:  # noqa: ARG002  most need none
        """Return the white space that is required between the last value and the fixed text after it."""
        return ""

    def is_closed(self) -> bool:
        """Return whether what comes after this text begins anew."""
        return True

    def joined(self, other: EmbeddedLanguage) -> EmbeddedLanguage | None:
        """Return the state after branches that end in these two; ``None`` when what follows would differ."""
        return self if self == other else None


def run(states: dict[str, object], language: object, text: str) -> None:
    """Go over text with a function for each state, which returns the new position."""
    position = 0
    while position < len(text):
        before = position, language.state  # type: ignore[attr-defined]
        try:
            position = states[language.state](language, text, position)  # type: ignore[attr-defined, operator]
        except Unreadable as found:
            found.offset = found.offset or position
            raise
        if (position, language.state) == before:  # type: ignore[attr-defined]
            raise AssertionError(f"the state {before[1]!r} does not advance")


_LONGEST_ESCAPE = 40


def unfinished_escape(pattern: re.Pattern[str], text: str, start: int = 0) -> str:
    """Return the escape sequence at the end of a literal that something after it could go on.

    What is before ``start`` in the text does not belong to the literal.
    """
    match = pattern.search(text, max(start, len(text) - _LONGEST_ESCAPE))
    if match is None:
        return ""
    before = text[start : match.start() + 1]
    backslashes = len(before) - len(before.rstrip("\\"))
    return match[0] if backslashes % 2 else ""
