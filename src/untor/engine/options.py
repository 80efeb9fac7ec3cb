"""Checks of an engine's options; each raises ``ValueError`` that says what would be valid."""

from __future__ import annotations

from functools import partial

from untor.escape.origins import origin_of
from untor.filters import NAMES

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable, Mapping


def one_of(option: str, value: str, *allowed: str) -> None:
    """Check that an option has one of the values that it may have."""
    if value not in allowed:
        words = " or ".join(f'"{each}"' for each in allowed)
        raise ValueError(f"{option} must be {words}, not {value!r}")


def checked_name(kind: str, name: str) -> str:
    """Return a name for a filter or helper. Raises ``ValueError`` for what cannot be one."""
    from untor.language.tokens import KEYWORDS  # noqa: PLC0415  only where there are any

    if not isinstance(name, str) or not name.isidentifier() or name.startswith("_") or name in KEYWORDS:
        raise ValueError(f"{name!r} cannot be the name of a {kind}: templates could not write it")
    if kind == "filter" and name in NAMES:
        raise ValueError(f'there is a built-in filter "{name}"; give yours another name')
    return name


def checked_attributes(rows: Mapping[str, str] | None) -> dict[str, str]:
    """Return what attributes mean that client libraries read. Raises ``ValueError`` for rows that cannot be."""
    if not rows:
        return {}
    from untor.contexts.client_libraries import ATTRIBUTE_KINDS  # noqa: PLC0415
    from untor.contexts.html_attributes import Meaning, meaning  # noqa: PLC0415  only where there are any

    for name in _checked_rows("attributes", rows, ATTRIBUTE_KINDS):
        if meaning("p", name.lower()) != Meaning("plain"):
            raise ValueError(f'attributes cannot say what "{name}" means: the standard does')
    return {name.lower(): kind for name, kind in rows.items()}


def checked_script_types(rows: Mapping[str, str] | None) -> dict[str, str]:
    """Return what script elements of some types hold. Raises ``ValueError`` for rows that cannot be."""
    if not rows:
        return {}
    from untor.contexts.client_libraries import SCRIPT_KINDS  # noqa: PLC0415
    from untor.contexts.json_states import ADDRESSES  # noqa: PLC0415  only where there are any
    from untor.contexts.script_tokens import TYPES  # noqa: PLC0415

    for name in _checked_rows("script_types", rows, SCRIPT_KINDS):
        if name.lower() in {*TYPES, *ADDRESSES, "module", "text/css"}:
            raise ValueError(f'script_types cannot say what "{name}" means: the standard does')
    return {name.lower(): kind for name, kind in rows.items()}


def _checked_rows(option: str, rows: Mapping[str, str], kinds: frozenset[str]) -> Mapping[str, str]:
    if not hasattr(rows, "items"):
        raise ValueError(f"{option} must be a mapping, not {rows!r}")
    for name, kind in rows.items():
        if not isinstance(name, str) or not name.strip() or any(char in name for char in " \t\n\f\r\"'<>="):
            raise ValueError(f"{option}: {name!r} cannot be a name in a page")
        if kind not in kinds:
            raise ValueError(f'{option}: "{name}" must be one of {", ".join(sorted(kinds))}, not {kind!r}')
    return rows


def checked_origin(url: str) -> str:
    """Normalise an origin for comparison. Raises ``ValueError`` if it is not one."""
    origin = origin_of(url)
    if origin is None or url.rstrip("/").count("/") > 2:  # noqa: PLR2004  those after the scheme
        raise ValueError(f"resource_origins takes origins like 'https://cdn.ellery.example', not {url!r}")
    return origin


def with_locale(function: Callable[..., object], locale: str) -> Callable[..., object]:
    """Give a filter that asks for it the engine's locale; a template may still name another."""
    defaults = getattr(function, "__kwdefaults__", None) or {}
    code = getattr(function, "__code__", None)
    if code is None or "locale" in defaults:
        return function
    only = code.co_varnames[code.co_argcount : code.co_argcount + code.co_kwonlyargcount]
    return partial(function, locale=locale) if "locale" in only else function
