"""Replaces a value by a text: a string by the text, an object by a copy with other strings."""

from __future__ import annotations

import copy
from collections.abc import Iterator, Mapping
from typing import Any

from untor.escape import MISSING
from untor.escape.trusted import KINDS

_DEEPEST = 6
_ATOMS = (bool, int, float, complex, bytes, type(None))


def replaced(value: object, text: str, *, prints: bool) -> object:
    """Return a value with a text in its place, or in the place of the texts in it.

    Numbers and the like are replaced only where they are ``prints``ed: elsewhere the template may count with them.
    """
    if value is MISSING:
        return value
    if prints and (isinstance(value, (str, *_ATOMS, *KINDS.values())) or _is_plain(value)):
        return text
    return _inside(value, text or "x", {}, 0)


def _is_plain(value: object) -> bool:
    """Tell a date or a decimal, which is printed as its text, from an object with texts in it."""
    package = type(value).__module__.partition(".")[0]
    return package in {"datetime", "decimal", "fractions", "uuid", "pathlib", "zoneinfo"}


def _inside(value: Any, text: str, seen: dict[int, object], depth: int) -> Any:
    """Return a copy of a value with all texts in it replaced."""
    if isinstance(value, str):
        # A text that vouches for itself was vouched for with what was in it, not with this.
        return text
    if isinstance(value, (*_ATOMS, Iterator, *KINDS.values(), type)) or callable(value) or _is_plain(value):
        return value
    if id(value) in seen or depth > _DEEPEST:
        return seen.get(id(value), value)
    try:
        return _copied(value, text, seen, depth + 1)
    except Exception:  # noqa: BLE001  a value that cannot be copied is left unchanged
        return value


def _copied(value: Any, text: str, seen: dict[int, object], depth: int) -> Any:
    def inside(part: object) -> Any:
        return _inside(part, text, seen, depth)

    if isinstance(value, dict):
        made: Any = copy.copy(value)
        seen[id(value)] = made
        for key, part in value.items():
            made[key] = inside(part)
        return made
    if isinstance(value, list):
        made = copy.copy(value)
        seen[id(value)] = made
        made[:] = [inside(part) for part in value]
        return made
    if isinstance(value, tuple):
        parts = [inside(part) for part in value]
        return type(value)(*parts) if hasattr(value, "_fields") else type(value)(parts)
    if isinstance(value, Mapping):
        return {key: inside(part) for key, part in value.items()}
    names = [*getattr(value, "__dict__", ())]
    names += [name for kind in type(value).__mro__ for name in _slots(kind) if hasattr(value, name)]
    if not names:
        return value
    made = copy.copy(value)
    seen[id(value)] = made
    for name in names:
        object.__setattr__(made, name, inside(getattr(value, name)))
    return made


def _slots(kind: type) -> list[str]:
    slots = getattr(kind, "__slots__", ())
    names = [slots] if isinstance(slots, str) else list(slots)
    return [name for name in names if not name.startswith("__")]
