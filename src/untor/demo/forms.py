"""Checks the form of the notice board."""

from __future__ import annotations

from typing import NamedTuple

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable, Collection, Mapping

LONGEST_AUTHOR = 60
LONGEST_TEXT = 500


class Notice(NamedTuple):
    """A message that may be posted."""

    author: str
    vessel: int
    text: str
    urgent: bool


def checked(
    typed: Mapping[str, str], vessels: Collection[int], say: Callable[..., str]
) -> tuple[Notice | None, dict[str, str]]:
    """Return the message that was typed, or what is wrong with it, by field; ``say`` translates."""
    author, text = typed.get("author", "").strip(), typed.get("text", "").strip()
    vessel = int(typed["vessel"]) if typed.get("vessel", "").isdecimal() else 0
    errors = {
        "author": "" if author else say("Your name is missing."),
        "vessel": "" if vessel in vessels else say("Choose the vessel that this is about."),
        "text": "" if text else say("The message is missing."),
    }
    for name, value, most in (("author", author, LONGEST_AUTHOR), ("text", text, LONGEST_TEXT)):
        if len(value) > most:
            errors[name] = say("It has {count} characters; {most} are the most.", count=len(value), most=most)
    errors = {name: trouble for name, trouble in errors.items() if trouble}
    return (None if errors else Notice(author, vessel, text, "urgent" in typed)), errors
