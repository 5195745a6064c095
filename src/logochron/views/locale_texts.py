"""Numbers and days as a locale writes them, each asked of it once."""

from __future__ import annotations

from decimal import Decimal
from functools import cache, lru_cache

from babel import Locale
from babel.dates import format_date, format_skeleton
from babel.numbers import NumberPattern, format_compact_decimal, parse_pattern

from logochron.core.days import as_date

#: So many texts of a kind are kept.
_KEPT = 2**16


@cache
def locale_of(name: str) -> Locale:
    """The locale of a name, read once."""
    return Locale.parse(name)


@cache
def _pattern(decimals: int) -> NumberPattern:
    """How numbers of so many decimals are written, prepared once."""
    return parse_pattern("#,##0" + ("." + "0" * decimals if decimals else ""))


@lru_cache(_KEPT)
def grouped(number: Decimal, decimals: int, locale: str) -> str:
    """A number with grouping."""
    return str(_pattern(decimals).apply(number, locale_of(locale)))


@lru_cache(_KEPT)
def compacted(size: float, digits: int, locale: str) -> str:
    """A number shortened by words for thousands and the like."""
    return str(format_compact_decimal(Decimal(repr(size)), locale=locale_of(locale), fraction_digits=digits))


@lru_cache(_KEPT)
def dated(day: int, pattern: str, locale: str) -> str:
    """A day in a form of ours, or in one of the locale's own."""
    return str(format_date(as_date(day), pattern, locale=locale_of(locale)))


@lru_cache(_KEPT)
def by_skeleton(skeleton: str, day: int, locale: str) -> str:
    """Parts of a day as the locale orders and joins them."""
    return str(format_skeleton(skeleton, as_date(day), locale=locale_of(locale)))
