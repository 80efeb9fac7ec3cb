"""What loops iterate over."""

from __future__ import annotations

from untor.diagnostics.problem import Problem
from untor.diagnostics.wording import shortened
from untor.errors import RenderError
from untor.escape import MISSING
from untor.types.parameter_types import is_mapping

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterable, Iterator
    from typing import Any


def each(value: object) -> Iterable[object]:
    """Return what a loop with one name runs over; nothing for a missing value. Raises ``RenderError``."""
    if type(value) is list or type(value) is tuple:
        return value
    if value is MISSING:
        return ()
    if isinstance(value, bytes | bytearray | memoryview):
        raise RenderError(Problem("not-iterable", what="bytes"))
    if is_data_frame(value):
        return mappings_of(value)
    try:
        return iter(value)  # type: ignore[call-overload, no-any-return]
    except TypeError:
        what = "None" if value is None else f"{_shown(value)} ({type(value).__name__})"
        hint = "If it may be missing, put a ? after it: calls?" if value is None else None
        raise RenderError(Problem("not-iterable", hint=hint, what=what)) from None


def is_data_frame(value: object) -> bool:
    """Tell whether a value is a table with named columns, as pandas and polars have it."""
    return (hasattr(type(value), "itertuples") or hasattr(type(value), "iter_rows")) and hasattr(value, "columns")


def rows_of(frame: Any) -> Iterator[tuple[object, ...]]:
    """Return the rows of a data frame, each with the values of all columns."""
    if hasattr(type(frame), "iter_rows"):
        return frame.iter_rows()  # type: ignore[no-any-return]
    return frame.itertuples(index=False, name=None)  # type: ignore[no-any-return]


def mappings_of(frame: Any) -> Iterator[dict[str, object]]:
    """Yield the rows of a data frame, each a mapping from the names of columns."""
    names = [str(name) for name in frame.columns]
    for row in rows_of(frame):
        yield dict(zip(names, row, strict=False))


def pairs(value: object, names: int) -> Iterable[object]:
    """Return what a loop with several names runs over: items with as many values, or a mapping's keys and values."""
    if names == 2 and is_mapping(value):  # noqa: PLR2004  key and value
        return value.items()  # type: ignore[attr-defined, no-any-return]
    return _taken_apart(each(value), names)


def _taken_apart(items: Iterable[object], names: int) -> Iterator[tuple[object, ...]]:
    for number, item in enumerate(items, 1):
        # To take a string or a mapping apart is a mistake: it gives letters or keys.
        values = None if isinstance(item, str | bytes | bytearray) or is_mapping(item) else _values(item)
        if values is None or len(values) != names:
            has = "" if values is None else f" with {len(values)} value{'s' * (len(values) != 1)}"
            what = f"{_shown(item)} ({type(item).__name__}){has}"
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
    for following in rest:
        yield item, False
        item = following
    yield item, True


def sized(items: Iterable[object]) -> list[object]:
    """Return items that can be counted."""
    return items if isinstance(items, list) else list(items)


def _shown(value: object) -> str:
    try:
        text = repr(value)
    except Exception:  # noqa: BLE001  a value's own fault must not hide the message about it
        text = "a value"
    return shortened(text, 40)
