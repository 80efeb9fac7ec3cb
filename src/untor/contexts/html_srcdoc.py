"""A document in an attribute (HTML §4.8.5 "srcdoc"): HTML again, with a state of its own."""

from __future__ import annotations

from typing import TYPE_CHECKING

from untor.contexts.embedded_language import EmbeddedLanguage
from untor.contexts.placement import Place, Refusal, refused

if TYPE_CHECKING:
    from untor.contexts.client_libraries import Tables
    from untor.contexts.html_state import HtmlState

_LONGEST_REFERENCE = 64


class Document(EmbeddedLanguage):
    """The state of a document in an attribute."""

    def __init__(self, machine: HtmlState) -> None:
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
        if self.machine.after_pre or self.machine.unfinished(self.tail):
            reason = "the value would become a part of what is before it"
            remedy = "Write &amp;amp; for &, and a line feed after <pre> and <textarea>."
            return refused("right after this in a document inside", reason, remedy)
        if isinstance(place, Refusal):
            return place._replace(html=False)
        if place.kind != "value":
            reason = "it is inside another language already"
            return refused("as a whole attribute there", reason, "Put the value into quotes.")
        return Place("value", "html-attribute", ("HTML", *place.path), place.escapers, place.before)

    def gap(self, text: str) -> str:
        """Return the white space that a language inside needs after a value."""
        return self.machine.inner.gap(text) if self.machine.inner is not None else ""

    def is_closed(self) -> bool:
        """Return whether the document has come to text."""
        return self.machine.state == "data"

    def took_value(self) -> Document:
        """Return the state after a value."""
        other = self.copy()
        other.machine = self.machine.copy()
        other.machine.took_value()
        other.tail = ""
        return other

    def joined(self, other: EmbeddedLanguage) -> EmbeddedLanguage | None:
        """Join two states."""
        if not isinstance(other, Document):
            return None
        from untor.contexts.html_joining import joined  # noqa: PLC0415  as below

        machine = joined(self.machine, other.machine)
        if machine is None:
            return None
        result = self.copy()
        result.machine = machine
        result.tail = max(self.tail, other.tail, key=self.machine.unfinished)
        return result


def fragment(tables: Tables) -> Document:
    """Return a document that begins in the body, like the HTML that scripts set (HTML §13.4)."""
    from untor.contexts.html_state import HtmlState  # noqa: PLC0415  documents have scripts, and scripts documents

    machine = HtmlState(tables=tables)
    machine.inside = True
    machine.insertion_modes = frozenset({"in body"})
    return Document(machine)
