"""Codes of locales (BCP 47): how they are written, which way their text runs, and which one a reader is served."""

from __future__ import annotations

from untor.escape.lazy_patterns import pattern
from untor.filters.locales import locale_named

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterable
    from typing import Any

_CODE = pattern(
    r"(?a)([A-Za-z]{2,3}|[A-Za-z]{5,8})(?:[-_]([A-Za-z]{4}))?(?:[-_]([A-Za-z]{2}|[0-9]{3}))?"
    r"(?:[-_]([0-9A-Za-z]{5,8}|[0-9][0-9A-Za-z]{3}))?"
)
_SOURCE = "en"
"""The locale of engines that name none: nothing is loaded to learn about it or its like."""


def code_of(name: str) -> str:
    """Return a locale's name as BCP 47 writes it, ``pt-BR`` for ``pt_BR``; empty for what is no such name."""
    if len(name) == len(_SOURCE) and name.isascii() and name.isalpha():
        return name.lower()
    found = _CODE.fullmatch(name)
    if found is None:
        return ""
    language, script, territory, variant = found.groups()
    parts = language.lower(), (script or "").capitalize(), (territory or "").upper(), (variant or "").lower()
    return "-".join(part for part in parts if part)


def chain_of(code: str) -> list[str]:
    """Return a code and the ones that it falls back to (RFC 4647 §3.4): ``de-AT``, then ``de``."""
    parts = code.split("-")
    chain = []
    while parts:
        if len(parts[-1]) > 1:
            chain.append("-".join(parts))
        parts.pop()
    return chain


class PageLocale:
    """What templates see as ``locale``: the locale that a page is rendered in."""

    __slots__ = ("code",)

    code: str

    def __init__(self, code: str) -> None:
        self.code = code
        """The code of BCP 47, for the attribute ``lang``."""

    @property
    def direction(self) -> str:
        """``rtl`` where text runs from right to left, else ``ltr``, for the attribute ``dir``."""
        if self.code == _SOURCE:
            return "ltr"
        return "rtl" if locale_named(self.code).character_order == "right-to-left" else "ltr"

    def __str__(self) -> str:
        return self.code


def category(code: str, number: Any) -> str:
    """Return the category of CLDR that a number has in a locale, like ``one`` or ``few``."""
    return str(locale_named(code).plural_form(number))


_RANGE = pattern(
    r"(?a)\s*(\*|[A-Za-z]{1,8}(?:-[A-Za-z0-9]{1,8})*)\s*"
    r"(?:;\s*[qQ]\s*=\s*(0(?:\.[0-9]{0,3})?|1(?:\.0{0,3})?)\s*)?"
)
_MOST_RANGES = 100


def looked_up(accepted: str, available: Iterable[str], default: str) -> str:
    """Return the available locale that a reader prefers, by the lookup of RFC 4647 §3.4.

    ``accepted`` is a header ``Accept-Language`` (RFC 9110 §12.5.4); parts that are not valid are left out.
    """
    known = {code.lower(): code for code in (default, *available)}
    ranges: list[tuple[float, int, str]] = []
    for number, each in enumerate(accepted[:10_000].split(",")[:_MOST_RANGES]):
        found = _RANGE.fullmatch(each)
        if found is not None:
            ranges.append((-float(found[2] or 1), number, found[1].lower()))
    refused = {name for quality, _, name in ranges if not quality}
    for quality, _, name in sorted(ranges):
        if not quality:
            break
        if name == "*":
            return next((code for each, code in known.items() if each not in refused), default)
        for code in chain_of(name):
            if code in known and code not in refused:
                return known[code]
    return default
