"""Keys of items, as filters of lists read them: attributes or items by a path such as ``vessel.name``."""

from __future__ import annotations

from untor.diagnostics.problem import suggestion
from untor.escape import MISSING
from untor.escape.fields import mappings_of
from untor.escape.kinds import BYTES, ENUM, FRAME, TEXT, is_absent, kind_of, value_of_member
from untor.runtime.attributes import dot_data_maybe, item_maybe, reach, there_is
from untor.runtime.filter_error import FilterProblem, unfit
from untor.runtime.places import report

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterable

    Step = tuple[str, bool]
    """A name, and whether it may be missing."""


def items_of(value: object) -> Iterable[object]:
    """Return what can be looped over, of a mapping its keys, of a data frame its rows; text and bytes are no lists."""
    kind = kind_of(value)
    if kind in {TEXT, BYTES}:
        raise unfit("lists", value)
    if kind == FRAME:
        return mappings_of(value)
    if not (hasattr(type(value), "__iter__") or hasattr(type(value), "__getitem__")):
        raise unfit("lists", value)
    return value  # type: ignore[return-value]


def keyed(value: object, by: object) -> list[tuple[object, object]]:
    """Return each item with its key, which is the item itself where ``by`` is ``None``.

    A key that is absent is ``None``. Raises ``FilterProblem`` where no item has the key; that some items lack it is
    reported on the logger ``untor.data``. A step with a ``?`` after it may be missing.
    """
    items = list(items_of(value))
    if by is None:
        return [(_present(item), item) for item in items]
    if isinstance(by, int) and not isinstance(by, bool):
        keys = [item_maybe(item, by) for item in items]
        lacking = [(item, str(by)) for key, item in zip(keys, items, strict=True) if key is MISSING]
    else:
        steps, keys, lacking = _steps(by), [], []
        for item in items:
            key, lack = _read(item, steps)
            keys.append(key)
            lacking += lack
    if lacking and len(lacking) == len(items):
        raise _nowhere(*lacking[0], len(items))
    if lacking:
        report(f"{len(lacking)} of {len(items)} items have no {lacking[0][1]!r}")
    return [(_present(key), item) for key, item in zip(keys, items, strict=True)]


def order_of(key: object) -> object:
    """Return what a key is ordered by: the value of a member of an enumeration, anything else itself."""
    return value_of_member(key) if kind_of(key) == ENUM else key


def _present(key: object) -> object:
    return None if is_absent(key) else key


def _steps(by: object) -> list[Step]:
    if not isinstance(by, str) or not by:
        raise FilterProblem('the name must be text, like "name" or "vessel.name".')
    steps = [(step.removesuffix("?"), step.endswith("?")) for step in str.split(by, ".")]
    if any(not step or step.startswith("_") for step, _ in steps):
        raise FilterProblem(f"{by!r} is not a valid name of an attribute or key.")
    return steps


def _read(item: object, steps: list[Step]) -> tuple[object, list[tuple[object, str]]]:
    """Return the key of an item, and where it lacks that, the owner and the step that is missing."""
    key = item
    for step, is_optional in steps:
        if is_absent(key):
            return None, []
        owner, key = key, dot_data_maybe(key, step)
        if key is MISSING:
            return None, [] if is_optional else [(owner, step)]
    return key, []


def _nowhere(owner: object, step: str, count: int) -> FilterProblem:
    names = reach(owner)
    near = suggestion(step, names, there_is(names))
    hint = f'If it may be missing, write "{step}?".'
    items = "the item has no" if count == 1 else f"none of the {count:,} items has"
    return FilterProblem(" ".join(part for part in (f'{items} "{step}".', near or hint) if part))
