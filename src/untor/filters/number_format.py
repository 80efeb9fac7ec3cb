"""Numbers in the patterns of CLDR (UTS #35 part 3 §3), with all that is the same for every number worked out once."""

from __future__ import annotations

from decimal import Context, Decimal, InvalidOperation, getcontext, localcontext
from functools import lru_cache

from untor.filters.locales import locale_named
from untor.runtime.filter_error import FilterProblem

TYPE_CHECKING = False
if TYPE_CHECKING:
    from babel import Locale
    from babel.numbers import NumberPattern

    Number = int | float | Decimal

_MOST_WRITTEN = 400
"""How many digits are written; decimals limit this themselves."""
_ROOMY = Context(prec=_MOST_WRITTEN)
_BY_THREE = (3, 3)
_UNGROUPED = (1000, 1000)


class NumberFormat:
    """A pattern in a locale; called with a number, it returns the number in that locale's form.

    Raises ``FilterProblem`` for numbers of too many digits. Numbers are rounded as decimals are, halves to the even
    digit if the decimal context of the thread does not specify another.
    """

    def __init__(self, pattern: NumberPattern, locale: Locale, currency: str | None = None) -> None:
        from babel.numbers import get_currency_precision, get_decimal_symbol, get_group_symbol  # noqa: PLC0415

        self.pattern, self.locale, self.currency = pattern, locale, currency
        self.least, self.most = pattern.frac_prec
        if currency is not None:
            self.least = self.most = get_currency_precision(currency)
        self.scale = pattern.scale
        self.quantum = Decimal(1).scaleb(-self.most)
        self.group, self.point = get_group_symbol(locale), get_decimal_symbol(locale)
        self.spec = ",f" if pattern.grouping == _BY_THREE else "f"
        self.before = [self._affix(affix) for affix in pattern.prefix]
        self.after = [self._affix(affix) for affix in pattern.suffix]
        affixes = "".join((*pattern.prefix, *pattern.suffix))
        self.is_plain = (
            pattern.grouping in {_BY_THREE, _UNGROUPED}
            and pattern.int_prec[0] <= 1
            and not pattern.exp_prec
            and "@" not in pattern.pattern
            and pattern.number_pattern != ""
            and "¤¤" not in affixes
            and "'" not in affixes + self.group + self.point
        )
        """Whether the pattern is one of those that are worked out here; others are left to Babel."""

    def _affix(self, text: str) -> str:
        from babel.numbers import get_currency_symbol  # noqa: PLC0415

        return text if self.currency is None else text.replace("¤", get_currency_symbol(self.currency, self.locale))

    def __call__(self, number: Number) -> str:
        """Return a number as the pattern has it."""
        try:
            exact = _exact(number)
            if not (self.is_plain and exact.is_finite()):
                return self._by_babel(number)
            if self.scale:
                exact = exact.scaleb(self.scale, _ROOMY)
            rounded = exact.quantize(self.quantum, getcontext().rounding, _ROOMY)
        except (InvalidOperation, ValueError):
            raise FilterProblem("the number is too large.") from None
        is_negative = exact.is_signed()
        whole, _, fraction = format(rounded.copy_abs(), self.spec).partition(".")
        if self.least < self.most:
            fraction = fraction.rstrip("0").ljust(self.least, "0")
        if "," in whole:
            whole = whole.replace(",", self.group)
        written = f"{whole}{self.point}{fraction}" if fraction else whole
        return f"{self.before[is_negative]}{written}{self.after[is_negative]}"

    def _by_babel(self, number: Number) -> str:
        try:
            with localcontext() as context:
                context.prec = _MOST_WRITTEN
                written: str = self.pattern.apply(_exact(number), self.locale, currency=self.currency)
        except (InvalidOperation, ValueError):
            raise FilterProblem("the number is too large.") from None
        return written


def _exact(number: Number) -> Decimal:
    """Return a number as the decimal that it is written as; what a subclass prints itself as does not count."""
    if isinstance(number, Decimal):
        return number
    return Decimal(int.__repr__(number) if isinstance(number, int) else float.__repr__(number))


@lru_cache(256)
def decimal_format(locale: str, digits: int | None) -> NumberFormat:
    """Return the format of numbers in a locale, with a fixed number of digits after the decimal separator if any."""
    from babel.numbers import parse_pattern  # noqa: PLC0415  loaded when the first number is printed

    where = locale_named(locale)
    pattern = where.decimal_formats[None]
    return NumberFormat(pattern if digits is None else parse_pattern(_with_digits(pattern.pattern, digits)), where)


@lru_cache(256)
def percent_format(locale: str, digits: int) -> NumberFormat:
    """Return the format of percentages in a locale."""
    from babel.numbers import parse_pattern  # noqa: PLC0415

    where = locale_named(locale)
    return NumberFormat(parse_pattern(_with_digits(where.percent_formats[None].pattern, digits)), where)


@lru_cache(256)
def money_format(locale: str, currency: str) -> NumberFormat:
    """Return the format of amounts in a currency. Raises ``FilterProblem`` for an unknown currency."""
    if currency not in _currencies():
        raise unknown_currency(currency)
    where = locale_named(locale)
    return NumberFormat(where.currency_formats["standard"], where, currency)


def unknown_currency(currency: object) -> FilterProblem:
    """Return the exception for something that is not a currency code."""
    return FilterProblem(f"{currency!r} is not a currency code; write three letters, like EUR (ISO 4217).")


@lru_cache(1)
def _currencies() -> frozenset[str]:
    from babel.numbers import list_currencies  # noqa: PLC0415

    return frozenset(list_currencies())


def _with_digits(pattern: str, digits: int) -> str:
    """Return a number pattern of CLDR with a fixed number of digits after the decimal separator."""
    whole, separator, _ = pattern.partition(".")
    tail = "%" if pattern.endswith("%") and separator else ""
    blank = "\xa0" if "\xa0" in pattern and tail else ""
    if not separator and pattern.endswith("%"):
        tail = pattern[len(pattern.rstrip("%\xa0 ")) :]
        whole, blank = pattern.rstrip("%\xa0 "), ""
    return whole + ("." + "0" * digits if digits else "") + blank + tail
