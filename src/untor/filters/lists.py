"""Filters for lists and other collections. They never change the data: they return new lists."""

from __future__ import annotations

from enum import EnumType

from untor.escape import printed
from untor.escape.kinds import (
    ARRAY,
    COMPLEX,
    DECIMAL,
    DURATION,
    FLOAT,
    FRACTION,
    INTEGER,
    NUMPY_DURATION,
    OBJECT,
    has_method,
    is_array,
    kind_of,
    stands_for_root,
)
from untor.escape.truth import truth
from untor.filters.keys import items_of, keyed, order_of
from untor.runtime.comparison import compare
from untor.runtime.filter_error import FilterProblem, unfit

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable, Iterable
    from typing import Any


def length(value: object) -> int:
    """Return how many items a collection has, or how many code points a text."""
    if stands_for_root(type(value)):
        return length(value.root)  # type: ignore[attr-defined]
    if kind_of(value) == ARRAY and not is_array(value):
        raise unfit("collections and text", value)
    if not (has_method(type(value), "__len__") or isinstance(value, EnumType)):
        if has_method(type(value), "__next__"):
            raise FilterProblem("it works on collections; this can be read only once: make a list of it in the view.")
        raise unfit("collections and text", value)
    return len(value)  # type: ignore[arg-type]


def join(value: Iterable[object], separator: str = ", ") -> str:
    """Return the items as one text, with the separator between them."""
    if not isinstance(separator, str):
        raise FilterProblem("the separator must be text.")
    return separator.join(printed(item) for item in items_of(value))


def first(value: object, n: int | None = None) -> object:
    """Return the first item, ``None`` when there is none; with ``n``, a list of the first ones."""
    if n is None:
        return next(iter(items_of(value)), None)
    count = _count(n)
    first_items: list[object] = []
    for item in items_of(value):
        if len(first_items) == count:
            break
        first_items.append(item)
    return first_items


def last(value: object, n: int | None = None) -> object:
    """Return the last item, ``None`` when there is none; with ``n``, a list of the last ones."""
    items = list(items_of(value))
    if n is None:
        return items[-1] if items else None
    return items[len(items) - min(_count(n), len(items)) :]


def sorted_(value: object, by: str | None = None, *, reverse: bool = False) -> list[object]:
    """Return the items in order, those with equal keys as they were; ``by`` is an attribute or key, also ``a.b``.

    What has no such key, or ``None``, comes last.
    """
    pairs = keyed(value, by)
    present = [(order_of(key), item) for key, item in pairs if key is not None]
    try:
        present.sort(key=lambda pair: pair[0], reverse=truth(reverse))  # type: ignore[arg-type, return-value]
    except (TypeError, ValueError) as error:
        raise FilterProblem(f"the items cannot be put in order: {error}.") from None
    return [item for _, item in present] + [item for key, item in pairs if key is None]


def reversed_(value: object) -> list[object]:
    """Return the items from the last to the first."""
    return list(items_of(value))[::-1]


def where(value: object, name: str, *values: object) -> list[object]:
    """Return the items whose attribute or key is one of some values; without values, those where it is true."""
    pairs = keyed(value, name)
    return [item for key, item in pairs if (_is_one_of(key, values) if values else truth(key))]


def _is_one_of(key: object, values: tuple[object, ...]) -> bool:
    return any(key is value or compare(key, value, "==") for value in values)


def group(value: object, by: str) -> list[tuple[object, list[object]]]:
    """Return pairs of a key and the list of items that have it, in the order in which the keys come first."""
    found: list[tuple[object, list[object]]] = []
    places: dict[object, int] = {}
    for key, item in keyed(value, by):
        place = _place(key, places, found)
        if place is None:
            found.append((key, [item]))
        else:
            found[place][1].append(item)
    return found


def _place(key: object, places: dict[object, int], found: list[Any]) -> int | None:
    """Return where a key is among those found; keys that cannot be hashed are compared one by one."""
    try:
        if key in places:
            return places[key]
        places[key] = len(found)
    except TypeError:
        return next((index for index, (other, _) in enumerate(found) if compare(other, key, "==")), None)
    return None


def unique(value: object, by: str | None = None) -> list[object]:
    """Return the items without those that are equal, or have an equal key, to one before them."""
    found: list[tuple[object, object]] = []
    places: dict[object, int] = {}
    for key, item in keyed(value, by):
        if _place(key, places, found) is None:
            found.append((key, item))
    return [item for _, item in found]


_NUMBERS = frozenset({INTEGER, FLOAT, COMPLEX, DECIMAL, FRACTION})
_ADDED = _NUMBERS | {DURATION, NUMPY_DURATION, OBJECT}
"""Kinds of values that have a sum, and those of them that begin at 0."""


def sum_(value: object, by: str | None = None) -> object:
    """Return the sum of the items, or of a key of theirs; missing keys and ``None`` count nothing."""
    keys = [order_of(key) for key, _ in keyed(value, by) if key is not None]
    for key in keys:
        if kind_of(key) not in _ADDED or isinstance(key, bool):
            raise unfit("numbers", key)
    # NumPy's integers would overflow without a word.
    numbers: list[Any] = [int(key) if kind_of(key) == INTEGER else key for key in keys]  # type: ignore[call-overload]
    try:
        if numbers and kind_of(numbers[0]) not in _NUMBERS:
            return sum(numbers[1:], numbers[0])
        return sum(numbers)
    except TypeError as error:
        raise FilterProblem(f"the items cannot be added: {error}.") from None


def each(value: object, name: str) -> list[object]:
    """Return an attribute or key of each item, also ``a.b``; ``None`` for an item that has none."""
    return [key for key, _ in keyed(value, name)]


def min_(value: object, by: str | None = None) -> object:
    """Return the smallest item, or the one with the smallest key; ``None`` when there is none."""
    return _extreme(min, value, by)


def max_(value: object, by: str | None = None) -> object:
    """Return the largest item, or the one with the largest key; ``None`` when there is none."""
    return _extreme(max, value, by)


def _extreme(choose: Callable[..., Any], value: object, by: str | None) -> object:
    pairs = [(order_of(key), item) for key, item in keyed(value, by) if key is not None]
    try:
        return choose(pairs, key=lambda pair: pair[0], default=(None, None))[1]
    except (TypeError, ValueError) as error:
        raise FilterProblem(f"the items cannot be compared: {error}.") from None


def batched(value: object, n: int) -> list[list[object]]:
    """Return lists of ``n`` items each; the last has what is left."""
    size = _count(n)
    if size < 1:
        raise FilterProblem("the number of items must be an integer from 1.")
    items = list(items_of(value))
    return [items[start : start + size] for start in range(0, len(items), size)]


def _count(n: object) -> int:
    if kind_of(n) != INTEGER or isinstance(n, bool) or n < 0:  # type: ignore[operator]
        raise FilterProblem("the number of items must be an integer from 0.")
    return int(n)  # type: ignore[call-overload, no-any-return]
