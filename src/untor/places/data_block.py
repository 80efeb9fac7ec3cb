"""Script elements of a type that no browser runs: text for some program in the page (HTML §4.12.1 "data block")."""

from __future__ import annotations

from untor.places.language import Language
from untor.places.place import Place


class DataBlock(Language):
    """There is one state only: browsers read it as text."""

    __slots__ = ()

    def _eat(self, text: str) -> None:
        """Go over anything."""

    def place(self) -> Place:
        """Return the one place that there is."""
        return Place("value", "data-block", ("data block",), ("attribute",))
