"""Script elements of a type that no browser runs: text for a program in the page (HTML §4.12.1 "data block")."""

from __future__ import annotations

from untor.contexts.embedded_language import EmbeddedLanguage
from untor.contexts.placement import Place, Refusal, refused, unreadable


class DataBlock(EmbeddedLanguage):
    """There is one state only: browsers read it as text."""

    def _eat(self, text: str) -> None:
        """Go over anything."""

    def place(self) -> Place:
        """Return the one place that there is."""
        return Place("value", "data-block", ("data block",), ("attribute",))


class NoText(EmbeddedLanguage):
    """The content of a script whose ``src`` a value may leave out: any text in it would be run then."""

    def _eat(self, text: str) -> None:
        if text.strip():
            raise unreadable("in a script that may be without its src", _REASON, _REMEDY)

    def place(self) -> Refusal:
        """Refuse all values."""
        return refused("in a script that may be without its src", _REASON, _REMEDY)


_REASON = "with None as its src, the text would be run"
_REMEDY = "Take the text away, or put the src into quotes."
