"""Dots and items: how ``a.b`` and ``a[b]`` read a value, and what they never read."""

from __future__ import annotations

from untor.diagnostics.problem import Problem, suggestion
from untor.diagnostics.wording import counted, with_article
from untor.errors import MissingValue, RenderError
from untor.escape import MISSING
from untor.runtime.closed_types import CLOSED, is_code, kind_of_code
from untor.types.parameter_types import is_mapping

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterable, Mapping


_plain_types: set[type] = set()
"""Types seen whose dots are attributes first: neither mappings nor closed. Asked before every other test."""

direct_types: set[type] = set()
"""Those of them that have no items, and that nobody awaits: what is no attribute of theirs is missing."""

item_types: set[type] = set()
"""Mappings whose dots are items, and that make none up."""

both_types: set[type] = set()
"""Types that have attributes and items: what is no attribute of theirs may be an item."""

_BUILT_IN = (bool, str, int, float, type(None), list, dict, tuple)
plain_values: set[type] = set(_BUILT_IN)
"""Types whose values are true or false as Python has it, since they are no arrays, and that nobody awaits."""

_MOST_TYPES = 1000
_NOT_DIRECT = ("__getitem__", "__await__", "__array__")
"""Methods of types that have items, are awaited, or have a truth of their own."""


def dot(value: object, name: str) -> object:
    """Return ``value.name``: of a mapping the item, of anything else the attribute, then the item.

    Raises ``MissingValue`` without a position, which ``tracebacks`` fills in.
    """
    kind = type(value)
    if kind is dict:
        if name in value:  # type: ignore[operator]
            return value[name]  # type: ignore[index]
    else:
        attribute: object = getattr(value, name, MISSING) if kind in direct_types else dot_maybe(value, name)
        if attribute is not MISSING or value is MISSING:
            return attribute
    raise MissingValue(missing_attribute(value, name))


def dot_data(value: object, name: str) -> object:
    """Return ``value.name`` to hand it on. Raises ``RenderError`` for a function, unless it is an item of a mapping."""
    return only_data(dot(value, name), value, name)


def dot_data_maybe(value: object, name: str) -> object:
    """Return ``value.name`` to hand it on, or ``MISSING``; see ``dot_data``."""
    return only_data(dot_maybe(value, name), value, name)


def only_data(found: object, owner: object, name: str) -> object:
    """Return what was read. Raises ``RenderError`` for a function, unless it is an item of a mapping."""
    if is_code(found) and not is_mapping(owner):
        raise RenderError(Problem("function-as-value", what=f'"{name}", a {kind_of_code(found)},'))
    return found


def dot_maybe(value: object, name: str) -> object:
    """Return ``value.name``, or ``MISSING`` when it is not there."""
    if type(value) is dict:
        return value.get(name, MISSING)
    if value is None or value is MISSING:
        return MISSING
    if type(value) not in _plain_types:
        if isinstance(value, CLOSED):
            raise RenderError(Problem("attribute-refused", type=type(value).__name__))
        if len(_plain_types) + len(item_types) >= _MOST_TYPES:
            for types in (_plain_types, direct_types, item_types, both_types, plain_values):
                types.clear()
            plain_values.update(_BUILT_IN)
        if is_mapping(value):
            if not hasattr(type(value), "__missing__"):
                item_types.add(type(value))
            return _item(value, name)
        _plain_types.add(type(value))
        if not (is_code(value) or any(hasattr(type(value), name) for name in _NOT_DIRECT)):
            direct_types.add(type(value))
            plain_values.add(type(value))
        elif hasattr(type(value), "__getitem__") and not is_code(value):
            both_types.add(type(value))
    attribute: object = getattr(value, name, MISSING)
    if attribute is MISSING and hasattr(type(value), "__getitem__"):
        return _item(value, name)
    return attribute


def _item(value: object, key: object) -> object:
    try:
        return value[key]  # type: ignore[index]
    except (LookupError, TypeError):
        return MISSING


def missing_of(value: object, name: str) -> object:
    """Raise ``MissingValue`` for a name that a value does not have."""
    raise MissingValue(missing_attribute(value, name))


def missing_attribute(value: object, name: str) -> Problem:
    """Return the problem of a name that a value does not have."""
    if value is None:
        return Problem("attribute-of-none", owner="it", word=name)
    names = reach(value)
    near = suggestion(name, names, _there_is(names))
    if name in names:
        near = "It has code of its own for that, which ended in an AttributeError."
    return Problem("attribute-missing", word=name, type=type(value).__name__, near=near)


def reach(value: object) -> list[str]:
    """Return the names that a template can read of a value."""
    names: Iterable[object]
    if is_mapping(value):
        names = value  # type: ignore[assignment]
    elif hasattr(type(value), "keys"):
        names = value.keys()  # type: ignore[attr-defined]
    else:
        names = (name for name in dir(value) if not callable(getattr(type(value), name, None)))
    return [name for name in names if isinstance(name, str) and not name.startswith("_")]


def _there_is(names: list[str], most: int = 12) -> str:
    if not names:
        return ""
    few = ", ".join(names[:most])
    return f"It has {few}{' and more' if len(names) > most else ''}."


def item(value: object, key: object) -> object:
    """Return ``value[key]``, or part of it when the key is a slice."""
    item = item_maybe(value, key)
    if item is not MISSING or value is MISSING:
        return item
    if value is None:
        raise MissingValue(Problem("attribute-of-none", owner="it", word=f"[{key!r}]"))
    near = suggestion(key, reach(value), _there_is(reach(value))) if isinstance(key, str) else _size(value)
    raise MissingValue(Problem("item-missing", key=repr(key)[:80], type=type(value).__name__, near=near))


def item_maybe(value: object, key: object) -> object:
    """Return ``value[key]``, or ``MISSING`` when it is not there."""
    if value is None or value is MISSING or (isinstance(key, str) and key.startswith("__")):
        return MISSING
    if isinstance(value, (*CLOSED, type)):
        raise RenderError(Problem("attribute-refused", type=type(value).__name__))
    try:
        return value[key]  # type: ignore[index]
    except LookupError:
        return MISSING


def _size(value: object) -> str:
    size = len(value) if hasattr(type(value), "__len__") else None  # type: ignore[arg-type]
    if size is None:
        return ""
    items = f"It has {counted(size, 'item')}"
    return f"{items}; the first is [0]." if size else f"{items}."


def none_is_missing(value: object) -> object:
    """After a ``?``, ``None`` is as good as missing."""
    return MISSING if value is None else value


def missing_name(name: str, scope: Mapping[str, object] | tuple[str, ...]) -> object:
    """Raise ``MissingValue`` for a name that is neither among the page's values nor an argument of an include."""
    raise MissingValue(Problem("name-missing", word=name, near=suggestion(name, scope, _in_reach(scope))))


EVERYWHERE = frozenset({"range"})
"""Names that every page sees, whatever it is given."""


def _in_reach(scope: Mapping[str, object] | tuple[str, ...]) -> str:
    what = "This piece" if isinstance(scope, tuple) else "The page"
    names = sorted(name for name in scope if isinstance(name, str) and name not in EVERYWHERE)
    return f"{what} was given {', '.join(names[:12]) if names else 'no values'}."


def modulo(left: object, right: object) -> object:
    """Return the remainder; ``%`` never formats text."""
    if isinstance(left, str | bytes | bytearray):
        raise TypeError("% is the remainder of numbers, and this is text")
    return left % right  # type: ignore[operator]


def merge(globals_: Mapping[str, object], context: object, values: dict[str, object]) -> dict[str, object]:
    """Return the names that a page sees: the engine's globals, its context, its values, later ones first."""
    if context is None:
        return {**globals_, **values} if globals_ else values
    if not is_mapping(context):
        raise RenderError(Problem("context-bad", what=f"{with_article(type(context).__name__)}"))
    return {**globals_, **context, **values}  # type: ignore[dict-item]
