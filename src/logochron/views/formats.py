"""Numbers, dates and marks as people read them: pure functions of a value and a `Formats`."""

from __future__ import annotations

import math
from dataclasses import dataclass
from decimal import Decimal
from functools import cache

import numpy as np
from babel import Locale, UnknownLocaleError
from babel.dates import format_date
from babel.numbers import (
    NumberPattern,
    UnknownCurrencyError,
    format_compact_decimal,
    parse_pattern,
    validate_currency,
)
from numpy.typing import NDArray

from logochron.core.days import as_date
from logochron.core.errors import QuestionError, visible

MINUS, DASH = "\N{MINUS SIGN}", "\N{EN DASH}"


@dataclass(frozen=True, kw_only=True)
class Formats:
    """How figures are written.

    Parameters
    ----------
    locale
        A locale such as ``en_GB`` or ``de``.
    currency
        A currency code, shown once as the unit.
    decimals
        Of amounts; chosen from their size where None.
    plain
        ASCII signs only.

    Raises
    ------
    QuestionError
        Where the locale or the currency is unknown.
    """

    locale: str = "en"
    currency: str | None = None
    decimals: int | None = None
    plain: bool = False

    def __post_init__(self) -> None:
        try:
            Locale.parse(self.locale.replace("-", "_"))
            object.__setattr__(self, "locale", self.locale.replace("-", "_"))
        except (UnknownLocaleError, ValueError):
            raise QuestionError(f"`locale` must be a locale such as en_GB or de_DE; got {self.locale!r}") from None
        if self.currency is not None:
            try:
                validate_currency(self.currency)
            except UnknownCurrencyError:
                raise QuestionError(f"`currency` must be a currency code such as EUR; got {self.currency!r}") from None
        if self.decimals is not None and not 0 <= self.decimals <= 9:
            raise QuestionError(f"`decimals` must be from 0 to 9; got {self.decimals}")

    @property
    def dash(self) -> str:
        """What stands for an empty figure."""
        return "-" if self.plain else DASH

    @property
    def dot(self) -> str:
        """What parts the sayings of one line."""
        return " | " if self.plain else " · "

    def _signs(self, text: str) -> str:
        return (
            text.replace(MINUS, "-").replace("\u202f", " ").replace("\xa0", " ")
            if self.plain
            else text.replace("-", MINUS)
        )

    def number(self, value: float, decimals: int, *, signed: bool = False) -> str:
        """A number with grouping; an en dash where it is not finite.

        >>> Formats().number(-14643.2, 0)
        '−14,643'
        """
        if not math.isfinite(value):
            return self.dash
        exact = round(Decimal(repr(float(value))), decimals)
        text = str(_pattern(decimals).apply(abs(exact), _locale(self.locale)))
        # a change that rounds to nothing keeps its sign
        sign = "-" if value < 0 and (exact or signed) else "+" if signed and value > 0 else ""
        return self._signs(sign) + (text if not self.plain else self._signs(text))

    def growth(self, value: float, decimals: int = 1) -> str:
        """A growth as a signed percentage; ``level`` where it is exactly 0.

        >>> Formats().growth(0.0631), Formats().growth(0.0)
        ('+6.3 %', 'level')
        """
        if not math.isfinite(value):
            return self.dash
        if value == 0:
            return "level"
        return f"{self.number(value * 100, decimals, signed=True)} %"

    def part(self, value: float, decimals: int = 1) -> str:
        """A share as a percentage."""
        return f"{self.number(value * 100, decimals)} %" if math.isfinite(value) else self.dash

    def compact(self, value: float, *, signed: bool = False) -> str:
        """A number in three digits or so: 1.24M.

        >>> Formats().compact(1_240_000)
        '1.24M'
        """
        if not math.isfinite(value):
            return self.dash
        size = abs(value)
        digits = 0 if size < 1000 else 2 - int(math.floor(math.log10(size))) % 3
        if size < 1000:
            decimals = 0 if float(size).is_integer() or size >= 100 else 2
            return self.number(value, decimals, signed=signed)
        text = format_compact_decimal(Decimal(repr(float(size))), locale=self.locale, fraction_digits=digits)
        return self._signs("-" if value < 0 else "+" if signed else "") + text

    def day(self, day: int, *, year: bool = True) -> str:
        """A day in words.

        >>> Formats().day(20379)
        '18 Oct 2025'
        """
        return format_date(as_date(day), "d MMM y" if year else "d MMM", locale=self.locale)

    def month(self, day: int) -> str:
        """The short name of a day's month.

        >>> Formats().month(0)
        'Jan'
        """
        return format_date(as_date(day), "LLL", locale=self.locale)

    def weekday(self, day: int) -> str:
        """The short name of a day's weekday.

        >>> Formats().weekday(0)
        'Thu'
        """
        return format_date(as_date(day), "EEE", locale=self.locale)

    def span(self, first: int, last: int, *, year: bool = True) -> str:
        """Days from first to last in words, as short as they are clear.

        >>> Formats().span(20362, 20379)
        '1–18 Oct 2025'
        """
        start, end = as_date(first), as_date(last)
        if first == last:
            return self.day(last, year=year)
        if start.year != end.year:
            return f"{self.day(first)} {self.dash} {self.day(last)}"
        if start.month != end.month:
            return f"{self.day(first, year=False)} {self.dash} {self.day(last, year=year)}"
        return f"{start.day}{self.dash}{self.day(last, year=year)}"

    def bar(self, share: float, cells: int = 8) -> str:
        """A share as a bar, cut to the part of 0 to 1 that can be shown.

        >>> Formats().bar(0.5, 4), Formats(plain=True).bar(0.5, 4)
        ('██', '##')
        """
        if not math.isfinite(share):
            return ""
        eighths = round(min(max(share, 0.0), 1.0) * cells * 8)
        if self.plain:
            return "#" * round(eighths / 8)
        return "█" * (eighths // 8) + ("", *"▏▎▍▌▋▊▉")[eighths % 8]

    def points(self, part: float) -> str:
        """A part of growth in percentage points.

        >>> Formats().points(0.0213)
        '+2.1'
        """
        return self.number(part * 100, 1, signed=True)


@cache
def _pattern(decimals: int) -> NumberPattern:
    """How numbers of so many decimals are written, prepared once."""
    return parse_pattern("#,##0" + ("." + "0" * decimals if decimals else ""))


@cache
def _locale(name: str) -> Locale:
    return Locale.parse(name)


def fitting_decimals(values: NDArray[np.float64], changes: NDArray[np.float64], scale: int | None) -> int:
    """How many decimals the amounts of a table need: none where they are large, but never a change hidden."""
    finite = np.abs(values[np.isfinite(values)])
    largest = finite.max() if finite.size else 0.0
    most = divided_decimals(largest) if scale is None else min(scale, 6)
    if not finite.size or not (finite % 1).any():
        return 0
    start = 0 if largest >= 10_000 else min(2, most)
    moved = np.abs(changes[np.isfinite(changes) & (changes != 0)])
    for decimals in range(start, most):
        if not moved.size or moved.min() >= 0.5 * 10**-decimals or moved.size > 12 and decimals >= 2:
            return decimals
    return most if start < most else start


def divided_decimals(largest: float) -> int:
    """How many decimals figures that are divided need, as they have none of their own: four digits or so.

    >>> divided_decimals(38.4), divided_decimals(0.49)
    (2, 4)
    """
    return 2 if largest >= 10 else 3 if largest >= 1 else 4


def words(name: str) -> str:
    """A name as it stands in a title: underscores as spaces."""
    return name.replace("_", " ").strip() or name


def capital(text: str) -> str:
    """The text with its first letter large."""
    return text[:1].upper() + text[1:]


def shortened(label: str, most: int = 28) -> str:
    """A label cut with an ellipsis where it is too long; an empty one said so, line ends and the like escaped."""
    text = " ".join(visible(label).split()) if label.strip() else "(empty)"
    return text if len(text) <= most else text[: most - 1].rstrip() + "…"
