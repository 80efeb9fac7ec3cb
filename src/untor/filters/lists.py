"""Filters for lists and other collections. They never change the data: they return new lists."""

from __future__ import annotations

from untor.escape import MISSING, printed
from untor.runtime.attributes import dot_data_maybe, item_maybe
from untor.runtime.filter_error import FilterProblem, unfit
from untor.runtime.iteration import is_data_frame, mappings_of
from untor.runtime.truth import truth

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable, Iterable
    from typing import Any


def length(value: object) -> int:
    """Return how many items a collection has, or how many code points a text."""
    if not hasattr(type(value), "__len__"):
        if hasattr(type(value), "__next__"):
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

    What has no such key, or ``None``, comes last, and is reported on the logger ``untor.data``.
    """
    key = _key(by)
    items = [(key(item), item) for item in items_of(value)]
    present = [pair for pair in items if pair[0] is not None and pair[0] is not MISSING]
    absent = [item for found, item in items if found is None or found is MISSING]
    try:
        present.sort(key=lambda pair: pair[0], reverse=bool(reverse))  # type: ignore[arg-type, return-value]
    except TypeError as error:
        raise FilterProblem(f"the items cannot be put in order: {error}.") from None
    if absent and by is not None:
        _say(f"sorted by {by!r}: {len(absent)} of {len(items)} items have none and come last")
    return [item for _, item in present] + absent


def reversed_(value: object) -> list[object]:
    """Return the items from the last to the first."""
    return list(items_of(value))[::-1]


def where(value: object, name: str, *wanted: object) -> list[object]:
    """Return the items whose attribute or key is one of some values; without values, those where it is true."""
    key = _key(name)
    matching = []
    for item in items_of(value):
        field = key(item)
        if field is MISSING:
            continue
        if _is_one_of(field, wanted) if wanted else truth(field):
            matching.append(item)
    return matching


def _is_one_of(read: object, wanted: tuple[object, ...]) -> bool:
    return any(read is value or read == value for value in wanted)


def group(value: object, by: str) -> list[tuple[object, list[object]]]:
    """Return pairs of a key and the list of items that have it, in the order in which the keys come first."""
    key = _key(by)
    found: list[tuple[object, list[object]]] = []
    places: dict[object, int] = {}
    for item in items_of(value):
        read = key(item)
        read = None if read is MISSING else read
        place = _place(read, places, found)
        if place is None:
            found.append((read, [item]))
        else:
            found[place][1].append(item)
    return found


def _place(read: object, places: dict[object, int], found: list[Any]) -> int | None:
    """Return where a key is among those found; keys that cannot be hashed are compared one by one."""
    try:
        if read in places:
            return places[read]
        places[read] = len(found)
    except TypeError:
        return next((index for index, (other, _) in enumerate(found) if other == read), None)
    return None


def unique(value: object, by: str | None = None) -> list[object]:
    """Return the items without those that are equal, or have an equal key, to one before them."""
    key = _key(by)
    found: list[tuple[object, object]] = []
    places: dict[object, int] = {}
    for item in items_of(value):
        field = key(item)
        if _place(field, places, found) is None:
            found.append((field, item))
    return [item for _, item in found]


def sum_(value: object, by: str | None = None) -> object:
    """Return the sum of the items, or of a key of theirs; missing keys and ``None`` count nothing."""
    key = _key(by)
    total: Any = 0
    for item in items_of(value):
        field: Any = key(item)
        if field is None or field is MISSING:
            continue
        if isinstance(field, str | bytes | bool):
            raise unfit("numbers", field)
        try:
            total = total + field
        except TypeError as error:
            raise FilterProblem(f"the items cannot be added: {error}.") from None
    return total


def each(value: object, name: str) -> list[object]:
    """Return an attribute or key of each item, also ``a.b``; ``None`` for an item that has none."""
    key = _key(name)
    fields = [key(item) for item in items_of(value)]
    return [None if field is MISSING else field for field in fields]


def min_(value: object, by: str | None = None) -> object:
    """Return the smallest item, or the one with the smallest key; ``None`` when there is none."""
    return _extreme(min, value, by)


def max_(value: object, by: str | None = None) -> object:
    """Return the largest item, or the one with the largest key; ``None`` when there is none."""
    return _extreme(max, value, by)


def _extreme(choose: Callable[..., Any], value: object, by: str | None) -> object:
    key = _key(by)
    pairs = [(key(item), item) for item in items_of(value)]
    pairs = [pair for pair in pairs if pair[0] is not None and pair[0] is not MISSING]
    try:
        return choose(pairs, key=lambda pair: pair[0], default=(None, None))[1]
    except TypeError as error:
        raise FilterProblem(f"the items cannot be compared: {error}.") from None


def batched(value: object, n: int) -> list[list[object]]:
    """Return lists of ``n`` items each; the last has what is left."""
    size = _count(n)
    if size < 1:
        raise FilterProblem("the number of items must be a whole number from 1.")
    items = list(items_of(value))
    return [items[start : start + size] for start in range(0, len(items), size)]


# --- items and their keys --------------------------------------------------------------------------------------------


def items_of(value: object) -> Iterable[object]:
    """Return what can be looped over, of a mapping its keys; text and bytes are no lists."""
    if isinstance(value, str | bytes | bytearray):
        raise unfit("lists", value)
    if is_data_frame(value):
        return mappings_of(value)
    if not (hasattr(type(value), "__iter__") or hasattr(type(value), "__getitem__")):
        raise unfit("lists", value)
    return value  # type: ignore[return-value]


def _count(n: object) -> int:
    if isinstance(n, bool) or not isinstance(n, int) or n < 0:
        raise FilterProblem("the number of items must be a whole number from 0.")
    return n


def _key(by: object) -> Callable[[object], object]:
    """Return what reads the key of an item: the item itself, or an attribute or key of it, step by step."""
    if by is None:
        return lambda item: item
    if isinstance(by, int) and not isinstance(by, bool):
        return lambda item: item_maybe(item, by)
    if not isinstance(by, str) or not by:
        raise FilterProblem('the name must be text, like "name" or "vessel.name".')
    steps = str.split(by, ".")
    if any(not step or step.startswith("_") for step in steps):
        raise FilterProblem(f"{by!r} is no name of an attribute or key that templates can reach.")

    def read(item: object) -> object:
        for step in steps:
            item = dot_data_maybe(item, step)
            if item is None or item is MISSING:
                return item
        return item

    return read


def _say(what: str) -> None:
    import logging  # noqa: PLC0415  loaded once there is something to say

    logging.getLogger("untor.data").warning("%s", what)
