"""Makes the values that cause a change as few and as short as possible."""

from __future__ import annotations

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable

_MOST_TRIES = 400


def shortest(text: str, still: Callable[[str], bool]) -> str:
    """Return a text with as many pieces taken out as can be while it ``still`` causes the change."""
    tries, size = 0, len(text) // 2
    while size and tries < _MOST_TRIES:
        start = 0
        while start < len(text) and tries < _MOST_TRIES:
            shorter = text[:start] + text[start + size :]
            tries += 1
            if still(shorter):
                text = shorter
            else:
                start += size
        size //= 2
    return text


def smallest(values: dict[int, str], still: Callable[[dict[int, str]], bool]) -> dict[int, str]:
    """Return as few of the values as ``still`` cause the change."""
    needed = dict(values)
    size = len(needed) // 2
    while size:
        numbers = list(needed)
        for start in range(0, len(numbers), size):
            without = {number: text for number, text in needed.items() if number not in numbers[start : start + size]}
            if without and still(without):
                needed = without
        size //= 2
    return needed
