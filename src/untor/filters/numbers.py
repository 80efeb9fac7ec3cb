"""Filters for numbers, in the format of a locale (CLDR, UTS #35 part 3)."""

from __future__ import annotations

from functools import lru_cache

from untor.escape.kinds import DECIMAL, ENUM, FLOAT, FRACTION, INTEGER, OBJECT, TEXT, kind_of, value_of_member
from untor.filters.locales import locale_named
from untor.runtime.filter_error import FilterProblem, unfit

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable
    from decimal import Decimal
    from types import ModuleType
    from typing import Any

    from babel import Locale

    from untor.filters.locale_settings import LocaleSettings

    Number = int | float | Decimal

_CATEGORIES = ("zero", "one", "two", "few", "many", "other")
_MOST_DIGITS = 30
_EXACT = frozenset({int, float})
_UNITS = ("byte", "kilobyte", "megabyte", "gigabyte", "terabyte", "petabyte")


def number_of(value: object) -> Number:
    """Return a value that is a number. Raises ``FilterProblem`` for any other."""
    if type(value) in _EXACT:
        return value  # type: ignore[return-value]
    kind = kind_of(value)
    if kind == ENUM:
        return number_of(value_of_member(value))
    if kind == TEXT:
        raise FilterProblem("it works on numbers, not on text: turn it into a number in the view, with int or float.")
    if kind not in _CONVERTED or isinstance(value, bool):
        if kind == OBJECT and _is_real(value):
            return float(value)  # type: ignore[arg-type]
        raise unfit("numbers", value)
    number: Number = _CONVERTED[kind](value)
    return number


def _float(value: Any) -> float:
    return float.__float__(value) if isinstance(value, float) else float(value)


def _int(value: Any) -> int:
    return int.__int__(value) if isinstance(value, int) else int(value)


_CONVERTED: dict[str, Callable[[Any], Any]] = {
    DECIMAL: lambda value: value,
    FLOAT: _float,
    FRACTION: _float,
    INTEGER: _int,
}
"""Kinds of numbers, and what makes a number of Python of them; a decimal never goes through a ``float``."""


def _is_real(value: object) -> bool:
    from numbers import Real  # noqa: PLC0415  only for other numbers than those of Python and NumPy

    return isinstance(value, Real)


def _as_float(value: object) -> float:
    try:
        number = float(number_of(value))
    except OverflowError:
        number = float("inf")
    if number - number != 0:
        raise FilterProblem("the number is too large.")
    return number


def _digits(value: object) -> int | None:
    if value is None:
        return None
    if isinstance(value, bool) or not isinstance(value, int) or not 0 <= value <= _MOST_DIGITS:
        raise FilterProblem(f"the digits must be an integer from 0 to {_MOST_DIGITS}.")
    return value


@lru_cache(1)
def formats() -> ModuleType:
    """Return the module that writes numbers, loaded when the first one is printed."""
    from untor.filters import number_format  # noqa: PLC0415

    return number_format


def number_filters(settings: LocaleSettings) -> dict[str, Callable[..., object]]:
    """Make the filters of numbers for an engine's locale."""

    def chosen(locale: str | None) -> Locale:
        return locale_named(settings.locale if locale is None else locale)

    def number(value: object, digits: int | None = None, *, locale: str | None = None) -> str:
        """Return a number with the separators of the locale; ``digits`` after the decimal separator, else up to 3."""
        fixed = _digits(digits)
        written: str = formats().decimal_format(settings.locale if locale is None else locale, fixed)(number_of(value))
        return written

    def percent(value: object, digits: int = 0, *, locale: str | None = None) -> str:
        """Return a part of one as a percentage: 0.5 is 50 %."""
        fixed = _digits(digits) or 0
        written: str = formats().percent_format(settings.locale if locale is None else locale, fixed)(number_of(value))
        return written

    def money(value: object, currency: str, *, locale: str | None = None) -> str:
        """Return an amount of a currency (ISO 4217: ``"EUR"``), with as many digits as the currency has."""
        if not isinstance(currency, str):
            raise formats().unknown_currency(currency)
        written: str = formats().money_format(settings.locale if locale is None else locale, currency)(number_of(value))
        return written

    def bytes_(value: object, *, locale: str | None = None) -> str:
        """Return a number of bytes in a unit that suits it, a thousand of one being the next: 1.5 MB."""
        from babel.units import format_unit  # noqa: PLC0415

        size, unit = _as_float(value), 0
        while abs(size) >= 1000 and unit < len(_UNITS) - 1:  # noqa: PLR2004  SI prefixes count by thousands
            size, unit = size / 1000, unit + 1
        rounded = round(size, 1) if unit else size
        if abs(rounded) >= 1000 and unit < len(_UNITS) - 1:  # noqa: PLR2004
            rounded, unit = round(rounded / 1000, 1), unit + 1
        where = chosen(locale)
        if not unit:
            return format_unit(rounded, "digital-byte", length="long", locale=where)
        return format_unit(rounded, f"digital-{_UNITS[unit]}", length="short", locale=where)

    def plural(value: object, *, other: str, locale: str | None = None, **forms: str) -> str:
        """Return the form of a text that goes with a number in the locale; ``#`` in it is the number.

        Forms are named by the plural categories of CLDR: zero, one, two, few, many, other.
        """
        for name, form in {**forms, "other": other}.items():
            if name not in _CATEGORIES:
                raise FilterProblem(f'"{name}" is not a plural category; these are {", ".join(_CATEGORIES)}.')
            if not isinstance(form, str):
                raise FilterProblem(f"the form {name} must be text.")
        quantity: Any = number_of(value)
        is_finite = quantity - quantity == 0
        category = chosen(locale).plural_form(abs(quantity)) if is_finite else "other"
        form = forms["zero"] if not quantity and "zero" in forms else forms.get(category, other)
        return form.replace("#", number(quantity, locale=locale)) if "#" in form else form

    return {"number": number, "percent": percent, "money": money, "bytes": bytes_, "plural": plural, "round": round_}


def round_(value: object, digits: int = 0) -> Number:
    """Return a number rounded to some digits after the decimal point, halves to the even one as Python does."""
    if isinstance(digits, bool) or not isinstance(digits, int) or abs(digits) > _MOST_DIGITS:
        raise FilterProblem("the digits must be an integer.")
    quantity: Any = number_of(value)
    try:
        rounded: Number = round(quantity) if digits == 0 else round(quantity, digits)
    except (ValueError, ArithmeticError):
        return number_of(value)  # not a number, or infinite
    return rounded
