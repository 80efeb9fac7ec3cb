"""Dots and items: how ``a.b`` and ``a[b]`` read a value, and what they never read."""

from __future__ import annotations

from types import MappingProxyType, MemberDescriptorType

from untor.diagnostics.hints import ATTRIBUTES, NAMES
from untor.diagnostics.problem import Problem, suggestion
from untor.diagnostics.wording import counted, with_article
from untor.errors import MissingValue, RenderError
from untor.escape.fields import columns_of, names_of_fields
from untor.escape.kinds import (
    ARRAY,
    DURATION,
    ELEMENT,
    ENUM,
    FLOAT,
    FRAME,
    INTEGER,
    MAPPING,
    MISSING,
    MODEL,
    MOMENT,
    ROW,
    SEQUENCE,
    SET,
    SINGLE,
    TEXT,
    WORD,
    bases_by_name,
    has_method,
    is_absent,
    kind_of,
)
from untor.runtime.closed_types import CLOSED, is_code, kind_of_code
from untor.runtime.filter_error import NotComputable
from untor.types.parameter_types import is_mapping

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterable, Mapping


direct_types: set[type] = set()
"""Known types whose dots read attributes only: any other name is missing."""

plain_objects: set[type] = set()
"""Those of them whose attributes are found as Python finds them, by no code of their own."""

item_types: set[type] = set()
"""Mappings whose dots are items, and that make none up."""

row_types: set[type] = set()
"""Rows: their dots are columns first, whatever methods they have, then attributes."""

both_types: set[type] = set()
"""Known types with attributes and items: a name that is not an attribute may be an item."""

_MOST_TYPES = 1000

_DATA = frozenset({str, int, float, bool, type(None), list, dict})
"""Types of values that are certainly no functions."""


def dot(value: object, name: str) -> object:
    """Return ``value.name``: of a mapping the item, of a row the column, of anything else the attribute, then the item.

    Raises ``MissingValue`` without a position, which ``tracebacks`` fills in.
    """
    kind = type(value)
    if kind in direct_types:
        # As _attribute does, without the call, which costs as much again.
        try:
            found: object = getattr(value, name)
        except AttributeError:
            if not _is_missing(value, name):
                raise
        else:
            if found is not MISSING:
                return found
    elif kind is dict:
        if name in value:  # type: ignore[operator]
            return value[name]  # type: ignore[index]
    else:
        found = dot_maybe(value, name)
        if found is not MISSING or value is MISSING:
            return found
    raise MissingValue(missing_attribute(value, name))


def dot_data(value: object, name: str) -> object:
    """Return ``value.name`` to hand it on. Raises ``RenderError`` for a function, unless it is an item of a mapping."""
    return only_data(dot(value, name), value, name)


def dot_data_maybe(value: object, name: str) -> object:
    """Return ``value.name`` to hand it on, or ``MISSING``; see ``dot_data``."""
    return only_data(dot_maybe(value, name), value, name)


def only_data(found: object, owner: object, name: str) -> object:
    """Return what was read. Raises ``RenderError`` for a function, unless it is an item of a mapping."""
    if type(found) not in _DATA and is_code(found) and not is_mapping(owner):
        raise RenderError(Problem("function-as-value", what=f'"{name}", a {kind_of_code(found)},'))
    return found


def dot_maybe(value: object, name: str) -> object:
    """Return ``value.name``, or ``MISSING`` when it is not there."""
    kind = type(value)
    if kind is dict:
        return value.get(name, MISSING)  # type: ignore[attr-defined]
    if kind in direct_types:
        return _attribute(value, name)
    if kind in item_types:
        return _own_item(value, name)
    if kind in row_types:
        column = _own_item(value, name)
        return _attribute(value, name) if column is MISSING else column
    if value is None or value is MISSING:
        return MISSING
    if kind not in both_types:
        if isinstance(value, CLOSED):
            raise RenderError(Problem("attribute-refused", type=kind.__name__))
        if is_mapping(value):
            return _safe_item(value, name) if _makes_items(kind) else _seen(item_types, value, name)
        of_kind = kind_of(value)
        if of_kind == FRAME:
            return value[name] if name in list(value.columns) else _attribute(value, name)  # type: ignore[index, attr-defined]
        if of_kind in {ROW, ARRAY} and hasattr(kind, "keys"):
            return _seen(row_types, value, name)
        if is_code(value) or not has_method(kind, "__getitem__"):
            return _attribute(value, name) if is_code(value) else _seen(direct_types, value, name)
        both_types.add(kind)
    if callable(getattr(kind, name, None)) and kind_of(value) == ROW and name in (columns := columns_of(value)):
        return columns[name]
    attribute = _attribute(value, name)
    return _own_item(value, name) if attribute is MISSING else attribute


def _seen(types: set[type], value: object, name: str) -> object:
    """Remember how the dots of a type are read, and read one."""
    if sum(map(len, (direct_types, item_types, row_types, both_types))) >= _MOST_TYPES:
        for each in (direct_types, plain_objects, item_types, row_types, both_types):
            each.clear()
    kind = type(value)
    types.add(kind)
    if (
        types is direct_types
        and kind.__getattribute__ is object.__getattribute__
        and not has_method(kind, "__getattr__")
    ):
        plain_objects.add(kind)
    return dot_maybe(value, name)


def _attribute(value: object, name: str) -> object:
    try:
        return getattr(value, name)
    except AttributeError:
        if not _is_missing(value, name):
            raise
        return MISSING


def _is_missing(value: object, name: str) -> bool:
    """Return whether a value has no such attribute, rather than one whose own code ended in an ``AttributeError``."""
    for base in type(value).__mro__:
        if name in base.__dict__:
            return isinstance(base.__dict__[name], MemberDescriptorType)  # a slot that is empty
    return True


def _own_item(value: object, key: object) -> object:
    try:
        return value[key]  # type: ignore[index]
    except (LookupError, TypeError):
        return MISSING


def _makes_items(kind: type) -> bool:
    """Return whether mappings of a type can create missing items, or lead to one that can."""
    return hasattr(kind, "__missing__") or kind is MappingProxyType


def _safe_item(value: object, key: object) -> object:
    """Return an item without making it."""
    try:
        if key in value:  # type: ignore[operator]
            return value[key]  # type: ignore[index]
    except (LookupError, TypeError):
        return MISSING
    # A counter makes none: what it has not counted, it has counted 0 times.
    return 0 if "collections.Counter" in bases_by_name(type(value)) else MISSING


def unreadable(error: Exception) -> MissingValue | None:
    """Return the error of ``dot`` for one of reading a plain object in place; ``None`` for an error of another kind."""
    if type(error) is not AttributeError or type(error.obj) not in plain_objects or error.name is None:
        return None
    return MissingValue(missing_attribute(error.obj, error.name)) if _is_missing(error.obj, error.name) else None


def not_there(value: object, name: str, error: AttributeError | None) -> object:
    """Return an item in place of an attribute that a program has not found; ``error`` is what looking for it ended in.

    It is returned itself, for the program to raise, where a property's own code raised it. Raises ``MissingValue``.
    """
    if error is not None and not _is_missing(value, name):
        return error
    found = _own_item(value, name) if type(value) in both_types else MISSING
    if found is MISSING:
        raise MissingValue(missing_attribute(value, name))
    return found


def missing_attribute(value: object, name: str) -> Problem:
    """Return the problem of a name that a value does not have."""
    if value is None:
        return Problem("attribute-of-none", owner="it", word=name)
    names = reach(value)
    if name in names:  # a slot that is empty
        near = "Its class declares it, but it has no value."
    else:
        near = _written_elsewhere(value, name, kind_of(value)) or suggestion(name, names, there_is(names))
    return Problem("attribute-missing", word=name, type=type(value).__name__, near=near)


def _written_elsewhere(value: object, name: str, kind: str) -> str:
    """Return the hint for an attribute of another language; ``{owner}`` in it is the text before the dot."""
    if kind in {TEXT, INTEGER, FLOAT, SEQUENCE, SET, MAPPING} and name in ATTRIBUTES:
        return ATTRIBUTES[name]
    if kind == SEQUENCE and len(value) and dot_maybe(value[0], name) is not MISSING:  # type: ignore[arg-type, index]
        return f'It is a list: write {{owner}}[0].{name}, loop over it, or write {{owner}} | each("{name}").'
    return ""


def reach(value: object) -> list[str]:
    """Return the names that a template can read of a value."""
    names: Iterable[object]
    kind = kind_of(value)
    if is_mapping(value):
        names = value  # type: ignore[assignment]
    elif kind == FRAME:
        names = value.columns  # type: ignore[attr-defined]
    elif kind == ROW:
        names = columns_of(value)
    elif kind == MODEL:
        own = [name for name in dir(type(value)) if isinstance(getattr(type(value), name, None), property)]
        names = [*names_of_fields(type(value)), *(name for name in own if not name.startswith("model_"))]
    elif kind in _FEW_NAMES:
        names = _FEW_NAMES[kind]
    elif hasattr(type(value), "keys"):
        names = value.keys()  # type: ignore[attr-defined]
    else:
        names = (name for name in dir(value) if not callable(getattr(type(value), name, None)))
    return [name for name in names if isinstance(name, str) and not name.startswith("_")]


_FEW_NAMES: dict[str, tuple[str, ...]] = {
    ELEMENT: ("tag", "text", "tail", "attrib"),
    ENUM: ("name", "value"),
    **dict.fromkeys(SINGLE - {ENUM, MOMENT, DURATION, WORD}, ()),
}
"""Kinds of values that have few names to look for, whatever else their libraries add."""


def there_is(names: list[str], most: int = 12) -> str:
    """Return a sentence with the available names, or an empty string."""
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
    has_names = isinstance(key, str) or hasattr(type(value), "keys") or kind_of(value) == FRAME
    names = reach(value) if has_names else []
    near = suggestion(str(key), names, there_is(names)) if names else _size(value)
    raise MissingValue(Problem("item-missing", key=repr(key)[:80], type=type(value).__name__, near=near))


def item_maybe(value: object, key: object) -> object:
    """Return ``value[key]``, or ``MISSING`` when it is not there."""
    if value is None or value is MISSING or (isinstance(key, str) and key.startswith("__")):
        return MISSING
    if isinstance(value, (*CLOSED, type)):
        raise RenderError(Problem("attribute-refused", type=type(value).__name__))
    if is_mapping(value) and _makes_items(type(value)):
        return _safe_item(value, key)
    if isinstance(key, str) and hasattr(type(value), "_mapping") and kind_of(value) == ROW:
        return columns_of(value).get(key, MISSING)
    try:
        return value[key]  # type: ignore[index]
    except LookupError:
        return MISSING


def _size(value: object) -> str:
    if is_mapping(value):
        return ""
    size = len(value) if hasattr(type(value), "__len__") else None  # type: ignore[arg-type]
    if size is None:
        return ""
    items = f"It has {counted(size, 'item')}"
    return f"{items}; the first is [0]." if size else f"{items}."


def none_is_missing(value: object) -> object:
    """After a ``?``, ``None`` is as good as missing, and so is NaN."""
    return MISSING if is_absent(value) else value


def missing_name(name: str, scope: Mapping[str, object] | tuple[str, ...]) -> object:
    """Raise ``MissingValue`` for a name that is neither among the page's values nor an argument of an include."""
    near = NAMES.get(name) or suggestion(name, scope, _in_reach(scope))
    raise MissingValue(Problem("name-missing", word=name, near=near))


EVERYWHERE = frozenset({"locale", "range", "say"})
"""Names that every page sees, whatever it is given."""


def _in_reach(scope: Mapping[str, object] | tuple[str, ...]) -> str:
    what = "This piece" if isinstance(scope, tuple) else "The page"
    names = sorted(name for name in scope if isinstance(name, str) and name not in EVERYWHERE and name[:1] != "_")
    return f"{what} was given {', '.join(names[:12]) if names else 'no values'}."


def modulo(left: object, right: object) -> object:
    """Return the remainder; ``%`` never formats text."""
    if isinstance(left, str | bytes | bytearray):
        raise NotComputable(
            "% is the remainder of numbers, and this is a string.",
            "Join strings with +, or print the values beside the text.",
        )
    return left % right  # type: ignore[operator]


def merge(globals_: Mapping[str, object], context: object, values: dict[str, object]) -> dict[str, object]:
    """Return the names that a page sees: the engine's globals, its context, its values, later ones first."""
    if context is None:
        return {**globals_, **values} if globals_ else values
    if not is_mapping(context):
        raise RenderError(Problem("context-bad", what=f"{with_article(type(context).__name__)}"))
    return {**globals_, **context, **values}  # type: ignore[dict-item]
