"""The checks of an engine's options; each raises ``ValueError`` that says what would be right."""

from __future__ import annotations

from untor.escape.origins import origin_of
from untor.filters import NAMES


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


def checked_pattern(pattern: str) -> str:
    """Return a regular expression. Raises ``ValueError`` for what is none."""
    import re  # noqa: PLC0415  only where there are any

    try:
        re.compile(pattern)
    except re.error as error:
        message = f"active_attributes takes regular expressions, and {pattern!r} is none: {error}"
        raise ValueError(message) from None
    return pattern


def checked_origin(url: str) -> str:
    """Return an origin as it is compared. Raises ``ValueError`` for what is none."""
    origin = origin_of(url)
    if origin is None or url.rstrip("/").count("/") > 2:  # noqa: PLR2004  those after the scheme
        raise ValueError(f"resource_origins takes origins like 'https://cdn.ellery.example', not {url!r}")
    return origin
