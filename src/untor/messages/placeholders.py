"""How a value is written in a message: its name in braces."""

from __future__ import annotations

from untor.escape.lazy_patterns import pattern

NAME = r"[^\W\d]\w*"
VALUE = pattern(rf"\{{({NAME})\}}")


def values_in(text: str) -> set[str]:
    """Return the names of the values in a text."""
    return {found[1] for found in VALUE.finditer(text)}
