"""Keys of items, as filters of lists read them: attributes or items by a path such as ``vessel.name``."""

from __future__ import annotations

from enum import EnumType

from untor.diagnostics.problem import suggestion
from untor.escape import MISSING
from untor.escape.fields import mappings_of
from untor.escape.kinds import (
    ARRAY,
    ENUM,
    FRAME,
    MODEL,
    SINGLE,
    has_method,
    is_absent,
    is_array,
    kind_of,
    stands_for_root,
    value_of_member,
)
from untor.escape.reports import report
from untor.runtime.attributes import dot_data_maybe, item_maybe, reach, there_is
from untor.runtime.filter_error import FilterProblem, unfit
from untor.runtime.iteration import is_collection

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterable

    Step = tuple[object, bool]
    """A name, or the number of an item, and whether it may be missing."""


def items_of(value: object) -> Iterable[object]:
    """Return what can be looped over, of a mapping its keys, of a data frame its rows; text and bytes are no lists."""
    kind, own = kind_of(value), type(value)
    if kind == FRAME:
        return mappings_of(value)
    if stands_for_root(own):
        return items_of(value.root)  # type: ignore[attr-defined]
    is_single = (kind in SINGLE and kind != ENUM) or isinstance(value, str) or (kind == ARRAY and not is_array(value))
    has_items = has_method(own, "__iter__") or has_method(own, "__getitem__") or isinstance(value, EnumType)
    if is_single or not has_items or (kind == MODEL and not is_collection(own)):
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
    is_number = isinstance(by, int) and not isinstance(by, bool)
    steps: list[Step] = [(by, False)] if is_number else _steps(by)
    keys: list[object] = []
    lacking: list[tuple[object, object]] = []
    has_key = False
    for item in items:
        key, owner, step = _read(item, steps)
        keys.append(key)
        if step is not None:
            lacking.append((owner, step))
        has_key |= key is not MISSING
    if lacking and not has_key:
        raise _nowhere(*lacking[0], len(items))
    if lacking:
        report("untor.data", f"{len(lacking)} of {len(items)} items have no {lacking[0][1]!r}")
    return [(_present(key), item) for key, item in zip(keys, items, strict=True)]


def order_of(key: object) -> object:
    """Return what a key is ordered by: the value of a member of an enumeration, anything else itself."""
    return value_of_member(key) if kind_of(key) == ENUM else key


def _present(key: object) -> object:
    return None if is_absent(key) else key


def _steps(by: object) -> list[Step]:
    if not isinstance(by, str) or not by:
        raise FilterProblem('the name must be text, like "name" or "vessel.name".')
    steps: list[Step] = []
    for step in str.split(by, "."):
        name = step.removesuffix("?")
        if not name or name.startswith("_"):
            raise FilterProblem(f"{by!r} is not a valid name of an attribute or key.")
        steps.append((name, name != step))
    return steps


def _read(item: object, steps: list[Step]) -> tuple[object, object, object]:
    """Return the key of an item; where it is missing and may not be, also the owner and the step that it lacks."""
    key = item
    for step, is_optional in steps:
        if is_absent(key):
            return MISSING, None, None
        owner, key = key, dot_data_maybe(key, step) if isinstance(step, str) else item_maybe(key, step)
        if key is MISSING:
            return (MISSING, None, None) if is_optional else (MISSING, owner, step)
    return key, None, None


def _nowhere(owner: object, step: object, count: int) -> FilterProblem:
    names = reach(owner)
    near = suggestion(str(step), names, there_is(names))
    hint = f'If it may be missing, write "{step}?".' if isinstance(step, str) else ""
    items = "the item has no" if count == 1 else f"none of the {count:,} items has"
    what = f'"{step}"' if isinstance(step, str) else f"item {step}"
    return FilterProblem(" ".join(part for part in (f"{items} {what}.", near or hint) if part))
