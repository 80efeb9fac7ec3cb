"""Follows the markup while a template is parsed, to tell a step from a ``<!`` of the markup."""

from __future__ import annotations

from functools import cached_property

from untor.contexts.html_state import HtmlState
from untor.contexts.placement import Unreadable


class MarkupTracker:
    """Follows an HTML template roughly, branch by branch; the plan will look again with care."""

    def __init__(self, *, xml: bool = False) -> None:
        self.xml = xml
        self.before: list[HtmlState] = []

    @cached_property
    def machine(self) -> HtmlState:
        """The machine, which most templates do not need."""
        return HtmlState(xml=self.xml, rough=True)

    def text(self, text: str) -> None:
        """Go over text of the template."""
        position = 0
        while position < len(text):
            try:
                position = self.machine.read(text, position)
            except Unreadable as found:
                self.machine.state = "data"
                position = found.offset + 1

    def value(self) -> None:
        """Go over a print mark."""
        self.machine.took_value()

    def opened(self) -> None:
        """Go into a step with content."""
        self.before.append(self.machine.copy())

    def branched(self) -> None:
        """Go from one branch of the innermost open step to the next."""
        if self.before:
            self.machine = self.before[-1].copy()

    def closed(self) -> None:
        """Go out of the innermost open step."""
        if self.before:
            self.before.pop()

    def in_markup(self) -> bool:
        """Return whether a tag or a comment could begin here."""
        return self.machine.state == "data"

    def kind(self) -> str:
        """Return what text is read as here: ``markup``, ``text`` with character references, or ``raw``."""
        state = self.machine.state
        if state == "data":
            return "markup"
        return "text" if state == "RCDATA" or state.startswith(("attribute value", "before attribute")) else "raw"
