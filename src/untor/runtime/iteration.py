"""What loops iterate over."""

from __future__ import annotations

from untor.diagnostics.problem import Problem
from untor.diagnostics.wording import shortened, with_article
from untor.errors import RenderError
from untor.escape.fields import columns_of, index_of, mappings_of
from untor.escape.kinds import ARRAY, BYTES, FRAME, MISSING, MODEL, ROW, SINGLE, is_absent, kind_of, stands_for_root
from untor.types.parameter_types import is_mapping

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterable, Iterator


def each(value: object) -> Iterable[object]:
    """Return what a loop with one name runs over; nothing for a missing value. Raises ``RenderError``.

    These are the rows of a data frame, each a mapping from the names of columns.
    """
    if type(value) is list or type(value) is tuple:
        return value
    if value is MISSING:
        return ()
    kind = kind_of(value)
    if kind == FRAME:
        return mappings_of(value)
    if kind == BYTES or isinstance(value, str):
        is_text = isinstance(value, str)
        raise RenderError(Problem("not-iterable", hint=_HINTS[is_text], what="a string" if is_text else "bytes"))
    if stands_for_root(type(value)):
        return each(value.root)  # type: ignore[attr-defined]
    if kind != MODEL or is_collection(type(value)):
        try:
            return iter(value)  # type: ignore[call-overload, no-any-return]
        except TypeError:
            pass
    hint = "If it may be missing, put a ? after it: calls?" if is_absent(value) else None
    raise RenderError(Problem("not-iterable", hint=hint, what=_shown(value)))


_HINTS = {
    True: "Print it whole, or split it first, with | words or | split.",
    False: 'Decode it in the view: data.decode("utf-8").',
}


def is_collection(kind: type) -> bool:
    """Return whether a class of models can be gone through by its own doing: pydantic's goes through the fields."""
    definer = next((base for base in kind.__mro__ if "__iter__" in base.__dict__), None)
    return definer is not None and not definer.__module__.startswith("pydantic.")


def counted(items: Iterable[object]) -> Iterator[object]:
    """Return an iterator for ``items_taken``."""
    return iter(items) if type(items) is list or type(items) is tuple else _numbered(items)


def _numbered(items: Iterable[object]) -> Iterator[object]:
    for number, item in enumerate(items, 1):  # noqa: B007  read by items_taken
        yield item


def items_taken(iterator: object) -> int | None:
    """Return how many items have been taken from an iterator of this module's; ``None`` if that is not known."""
    kind = type(iterator).__name__
    if kind in {"list_iterator", "tuple_iterator"}:
        state = iterator.__reduce__()
        return state[2] if len(state) > 2 else None  # type: ignore[return-value]  # noqa: PLR2004  after its list
    frame = getattr(iterator, "gi_frame", None)
    return frame.f_locals.get("number") if frame is not None else getattr(iterator, "number", None)


def pairs(value: object, names: int, first: int = 1) -> Iterable[object]:
    """Return what a loop with several names runs over: items with as many values.

    Messages number the items from ``first`` on.

    With two names these are also a mapping's keys and values, the columns of a row and their values, and what a data
    frame or a series has as the index of a row and the row.
    """
    if names == 2:  # noqa: PLR2004  key and value
        if is_mapping(value):
            return value.items()  # type: ignore[attr-defined, no-any-return]
        kind = kind_of(value)
        if kind == FRAME:
            return zip(index_of(value), mappings_of(value), strict=False)
        if kind == ROW:
            return columns_of(value).items()
        if kind == ARRAY and hasattr(type(value), "items") and hasattr(type(value), "keys"):
            return value.items()  # type: ignore[attr-defined, no-any-return]
    return _taken_apart(each(value), names, first)


def _taken_apart(items: Iterable[object], names: int, first: int) -> Iterator[tuple[object, ...]]:
    for number, item in enumerate(items, first):
        # To take a string or a mapping apart is a mistake: it gives letters or keys.
        values = None if isinstance(item, str | bytes | bytearray) or is_mapping(item) else _values(item)
        if values is None or len(values) != names:
            has = "" if values is None else f" with {len(values)} value{'s' * (len(values) != 1)}"
            what = f"{_shown(item)}{has}"
            raise RenderError(Problem("not-pairs", number=number, what=what, names=names))
        yield values


def _values(item: object) -> tuple[object, ...] | None:
    try:
        return tuple(item)  # type: ignore[arg-type]
    except (TypeError, ValueError):
        return None


def ahead(items: Iterable[object]) -> Iterator[tuple[object, bool]]:
    """Yield each item and whether it is the last, looking one ahead."""
    rest = iter(items)
    try:
        item = next(rest)
    except StopIteration:
        return
    number = 1  # read by items_taken
    for following in rest:
        yield item, False
        item = following
        number += 1
    yield item, True


def sized(items: Iterable[object]) -> list[object]:
    """Return items that can be counted."""
    return items if isinstance(items, list) else list(items)


def _shown(value: object) -> str:
    """Return a value for a message: its ``repr`` for single values, else its type, since it may hold secrets."""
    if value is None:
        return "None"
    name = type(value).__name__
    if kind_of(value) in SINGLE:
        return f"{shortened(repr(value), 40)} ({name})"
    return with_article(name)
