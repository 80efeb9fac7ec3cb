"""Lists in a sentence, as a locale writes them (CLDR, UTS #35 part 2, list patterns)."""

from __future__ import annotations

from functools import lru_cache

from untor.escape import printed
from untor.escape.kinds import is_absent
from untor.escape.lazy_patterns import pattern
from untor.filters.keys import items_of
from untor.filters.locales import locale_named
from untor.runtime.filter_error import FilterProblem

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable

    from untor.filters.locale_settings import LocaleSettings

_PART = pattern(r"\{[01]\}")

STYLES = {"and": "standard", "or": "or"}
"""CLDR's types of list patterns, by the word between the last two items."""


def list_filters(settings: LocaleSettings) -> dict[str, Callable[..., object]]:
    """Make the filter that writes a list for people, for an engine's locale."""

    def listed(value: object, style: str = "and", *, locale: str | None = None) -> str:
        """Return the items as people write them in a sentence, ``a, b, and c``; ``None`` is left out.

        ``style`` is ``and``, or ``or`` (``a, b, or c``).
        """
        if style not in STYLES:
            raise FilterProblem('the style must be "and" or "or".')
        items = [printed(item) for item in items_of(value) if not is_absent(item)]
        if len(items) < 2:  # noqa: PLR2004  there is nothing between them
            return "".join(items)
        return _written(items, _patterns(settings.locale if locale is None else locale, STYLES[style]))

    return {"listed": listed}


def _written(items: list[str], patterns: dict[str, tuple[str, str, str]]) -> str:
    """Put items into the patterns from left to right, each time into one more."""
    if len(items) == 2 and "2" in patterns:  # noqa: PLR2004  its own pattern
        used = [patterns["2"]]
    else:
        count = len(items) - 1
        used = [patterns["start"], *[patterns["middle"]] * (count - 2), patterns["end"]][-count:]
    before = "".join(each[0] for each in reversed(used))
    after = "".join(f"{between}{item}{end}" for (_, between, end), item in zip(used, items[1:], strict=True))
    return f"{before}{items[0]}{after}"


@lru_cache(64)
def _patterns(locale: str, style: str) -> dict[str, tuple[str, str, str]]:
    """Return the patterns of a locale by their names, each as what is before, between and after its two parts."""
    known = locale_named(locale).list_patterns
    found = {**known["standard"], **known.get(style, {})}
    return {name: tuple(_PART.split(each)) for name, each in found.items()}  # type: ignore[misc]
