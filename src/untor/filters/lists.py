"""Filters for lists and other collections."""

from __future__ import annotations

from untor.escape import printed
from untor.filters.problem import FilterProblem, unfit

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterable


def length(value: object) -> int:
    """Return how many items a collection has, or how many code points a text."""
    if not hasattr(type(value), "__len__"):
        raise unfit("collections and text", value)
    return len(value)  # type: ignore[arg-type]


def join(value: Iterable[object], separator: str = ", ") -> str:
    """Return the items as one text, with the separator between them."""
    if not isinstance(separator, str):
        raise FilterProblem("the separator must be text.")
    if isinstance(value, str) or not (hasattr(type(value), "__iter__") or hasattr(type(value), "__getitem__")):
        raise unfit("lists", value)
    return separator.join(printed(item) for item in value)
