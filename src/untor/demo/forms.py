"""Checks the form of the notice board."""

from __future__ import annotations

from typing import NamedTuple

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Collection, Mapping

LONGEST_AUTHOR = 60
LONGEST_TEXT = 500


class Notice(NamedTuple):
    """A message that may be posted."""

    author: str
    vessel: int
    text: str
    urgent: bool


def checked(typed: Mapping[str, str], vessels: Collection[int]) -> tuple[Notice | None, dict[str, str]]:
    """Return the message that was typed, or what is wrong with it, by field."""
    author, text = typed.get("author", "").strip(), typed.get("text", "").strip()
    vessel = int(typed["vessel"]) if typed.get("vessel", "").isdecimal() else 0
    errors = {
        "author": _length("Your name", author, LONGEST_AUTHOR),
        "vessel": "" if vessel in vessels else "Choose the vessel that this is about.",
        "text": _length("The message", text, LONGEST_TEXT),
    }
    errors = {name: trouble for name, trouble in errors.items() if trouble}
    return (None if errors else Notice(author, vessel, text, "urgent" in typed)), errors


def _length(what: str, value: str, most: int) -> str:
    if not value:
        return f"{what} is missing."
    return f"{what} has {len(value)} characters; {most} are the most." if len(value) > most else ""
