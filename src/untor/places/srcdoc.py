"""A document in an attribute (HTML §4.8.5 "srcdoc"): HTML once more, with its own machine."""

from __future__ import annotations

from typing import TYPE_CHECKING

from untor.places.language import Language
from untor.places.place import Place, Refusal, refused

if TYPE_CHECKING:
    from untor.places.html_machine import Machine

_LONGEST_REFERENCE = 64


class Document(Language):
    """The state of a document in an attribute."""

    __slots__ = ("machine", "tail")

    def __init__(self, machine: Machine) -> None:
        self.machine = machine
        self.tail = ""

    def key(self) -> tuple[object, ...]:
        """Return all that decides how the text that follows is read."""
        return (self.machine.full_key(),)

    def _eat(self, text: str) -> None:
        self.machine = self.machine.copy()
        self.machine.read(text)
        self.tail = (self.tail + text)[-_LONGEST_REFERENCE:]

    def place(self) -> Place | Refusal:
        """Leave the verdict to whoever judges documents: see ``outside``."""
        raise NotImplementedError

    def outside(self, place: Place | Refusal) -> Place | Refusal:
        """Turn the verdict on the place inside the document into that on the attribute."""
        if self.machine.fresh or self.machine.unfinished(self.tail):
            reason = "the value would become a part of what is before it"
            remedy = "Write &amp;amp; for &, and a line feed after <pre> and <textarea>."
            return refused("right after this in srcdoc", reason, remedy)
        if isinstance(place, Refusal):
            return place._replace(html=False)
        if place.kind != "value":
            return refused("there in srcdoc", "the whole is one attribute already", "Put the value into quotes.")
        return Place("value", "html-attribute", ("HTML", *place.path), place.escapers, place.before)

    def took_value(self) -> Document:
        """Return the state after a value."""
        other = self.copy()
        other.machine = self.machine.copy()
        other.machine.took_value()
        other.tail = ""
        return other

    def joined(self, other: Language) -> Language | None:
        """Join two states."""
        if not isinstance(other, Document):
            return None
        joined = self.machine.joined(other.machine)
        if joined is None:
            return None
        result = self.copy()
        result.machine = joined
        result.tail = max(self.tail, other.tail, key=self.machine.unfinished)
        return result
