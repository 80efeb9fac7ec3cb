"""The result of the analysis for a point in a page: a context for values, a refusal, or text that cannot be judged."""

from __future__ import annotations

from typing import NamedTuple


class Place(NamedTuple):
    """A place for values: its context (as in ``Placement.context``), its path in words and the escaping there.

    ``escapers`` are keys of ``untor.escape.escapers``, in the order applied; ``kind`` is ``value``, ``whole`` (an
    attribute) or ``url``; ``before`` is white space that must precede the value.
    """

    kind: str
    context: str
    path: tuple[str, ...]
    escapers: tuple[str, ...]
    before: str = ""


class Refusal(NamedTuple):
    """Why no value may be printed here: a problem's code and its words. ``html``: trusted HTML may be printed."""

    code: str
    words: dict[str, str]
    html: bool = False


class Unreadable(Exception):  # noqa: N818  never leaves the analysis
    """Fixed text that cannot be judged: the problem's code and words, and the offset in the text read."""

    def __init__(self, code: str, offset: int = 0, **words: str) -> None:
        super().__init__(code)
        self.code = code
        self.offset = offset
        self.words = words


def refused(place: str, reason: str, remedy: str, *, html: bool = False) -> Refusal:
    """Refuse a place, with the place and the reason in words, and what to write instead."""
    return Refusal("place-refused", {"place": place, "reason": reason, "remedy": remedy}, html)


def unreadable(place: str, reason: str, remedy: str, offset: int = 0) -> Unreadable:
    """Return the exception for text after a value that would change what the value means."""
    return Unreadable("place-refused", offset, place=place, reason=reason, remedy=remedy)
