"""Small pieces of English that messages and reports share."""

from __future__ import annotations

from untor.escape.printing import with_article

__all__ = ["counted", "sentence", "shortened", "with_article"]


def counted(number: int, noun: str) -> str:
    """Return a number with its noun: ``1 finding``, ``2,000 findings``."""
    return f"{number:,} {noun}{'' if number == 1 else 's'}"


def sentence(said: object) -> str:
    """Return the text of an error with a period, unless it ends a sentence already."""
    text = str(said)
    return text if text.endswith((".", "?", "!")) else f"{text}."


def shortened(text: str, most: int) -> str:
    """Return a text, with an ellipsis in place of what is longer than ``most`` characters."""
    return text if len(text) <= most else f"{text[:most]}…"
