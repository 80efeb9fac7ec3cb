"""What the built-in filters take and what they return: the kinds of values, and the type of the result."""

from __future__ import annotations

from typing import TYPE_CHECKING

from untor.escape import kinds
from untor.escape.trusted import TrustedHTML
from untor.types.members import is_abstract, items_of, prints
from untor.types.model import (
    ANY,
    FLOAT,
    INT,
    NONE,
    STR,
    FixedTuple,
    Instance,
    class_of,
    members_of,
    union,
)

if TYPE_CHECKING:
    from collections.abc import Callable

    from untor.types.model import Type

_HTML = Instance(TrustedHTML)

_NUMBER = frozenset({kinds.INTEGER, kinds.FLOAT, kinds.DECIMAL, kinds.FRACTION, kinds.ARRAY, kinds.ENUM, kinds.OBJECT})
_MOMENT = frozenset(
    {kinds.MOMENT, kinds.TEXT, kinds.INTEGER, kinds.FLOAT, kinds.NUMPY_MOMENT, kinds.ARRAY, kinds.ENUM, kinds.OBJECT}
)
_MANY = frozenset({
    kinds.SEQUENCE, kinds.SET, kinds.ITERATOR, kinds.ARRAY, kinds.FRAME, kinds.MAPPING, kinds.ROW, kinds.ELEMENT,
    kinds.OBJECT, kinds.MODEL,
})  # fmt: skip


def _items(value: Type) -> Type:
    """Return the type of what a collection of some type has in it."""
    return union(items_of(each) or ANY for each in members_of(value))


def _list_of(value: Type) -> Type:
    return Instance(list, (_items(value),))


def _in_other_order(value: Type) -> Type:
    return Instance(list, (_items(value),), is_filled=_is_filled(value))


def _is_filled(value: Type) -> bool:
    return all(isinstance(each, Instance) and each.is_filled for each in members_of(value))


def _one(value: Type) -> Type:
    """Return the type of one item: nothing, unless a test has shown that there are some."""
    return _items(value) if _is_filled(value) else union([_items(value), NONE])


_KINDS: dict[str, tuple[frozenset[str], str]] = {
    **dict.fromkeys(("bytes", "money", "number", "percent", "plural", "round"), (_NUMBER, "a number")),
    **dict.fromkeys(("ago", "date", "datetime", "iso", "time"), (_MOMENT, "a date or a time")),
    **dict.fromkeys(("batched", "each", "first", "group", "join", "last", "listed"), (_MANY, "a collection")),
    **dict.fromkeys(("max", "min", "reversed", "sorted", "sum", "table", "unique", "where"), (_MANY, "a collection")),
    "len": (_MANY | {kinds.TEXT, kinds.BYTES}, "a collection or a string"),
}
"""The kinds that a filter can take, and the words for them."""

_OF_TEXT = frozenset(
    "capital cleaned clip html_source lines lower paragraphs path replace slug split strip text title trusted upper "
    "words".split()
)
"""Filters of what can be printed."""


def wanted_by(name: str, kind: Type) -> str:
    """Describe what a built-in filter accepts, if it rejects a type (not a union); else return an empty string."""
    cls = class_of(kind)
    if cls is None or kind == NONE or is_abstract(cls):
        return ""
    if name in _OF_TEXT:
        return "" if prints(kind) else "a printable value"
    allowed, words = _KINDS.get(name, (frozenset(), ""))
    return words if words and kinds.kind_of_class(cls) not in allowed else ""


RESULTS: dict[str, Callable[[Type], Type]] = {
    **dict.fromkeys(
        "ago bytes capital clip date datetime html_source iso join listed lower money number path percent plural query "
        "replace slug strip text time title upper".split(),
        lambda _: STR,
    ),
    **dict.fromkeys(("cleaned", "lines", "paragraphs", "picture", "table", "trusted"), lambda _: _HTML),
    **dict.fromkeys(("split", "words"), lambda _: Instance(list, (STR,))),
    **dict.fromkeys(("reversed", "sorted", "unique"), _in_other_order),
    "where": _list_of,
    "len": lambda _: INT,
    "batched": lambda value: Instance(list, (_list_of(value),)),
    "group": lambda value: Instance(list, (FixedTuple((ANY, _list_of(value))),)),
}
"""What a filter returns for a value of some type; the others are below."""

NAMES_OF_ITEMS = frozenset({"each", "group", "max", "min", "sorted", "sum", "unique", "where"})
"""Filters whose first argument is what a dot reads of each item."""


def result_of_filter(name: str, value: Type, count: int) -> Type:
    """Return what a built-in filter returns for a value, with as many arguments."""
    if name in RESULTS:
        return RESULTS[name](value)
    if name in {"first", "last"}:
        return _list_of(value) if count else _one(value)
    if name in {"max", "min"}:
        return _one(value)
    if name == "round":
        return FLOAT if class_of(value) is float else ANY
    return ANY
