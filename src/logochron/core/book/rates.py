"""Rates of currencies: what one unit of each is worth on a day, and what sums come to by them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from decimal import Decimal
from fractions import Fraction
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.book.sums import Amounts
from logochron.core.calendars.base import Bools
from logochron.core.days import FIRST_DAY, LAST_DAY, Days

#: A rate has so many decimals at most that whole numbers hold it.
_FINEST = 12
#: Sums past this leave no room for differences of whole numbers.
_MOST = 2.0**62


class Factors(NamedTuple):
    """What sums are multiplied by: whole numbers of 10**-`scale`, or floats where that is None; 0 where not known."""

    units: NDArray[np.int64] | NDArray[np.float64]
    scale: int | None
    known: Bools

    @classmethod
    def of(cls, numbers: Sequence[Fraction | None]) -> Factors:
        """Of exact numbers, None where one is not known; floats where they have too many decimals."""
        known = np.array([number is not None for number in numbers], dtype=bool)
        exact = [number or Fraction(0) for number in numbers]
        powers = (n for n in range(_FINEST + 1) if all(10**n % one.denominator == 0 for one in exact))
        scale = next(powers, None)
        if scale is None or max(exact, default=Fraction(0)) * 10**scale >= _MOST:
            return cls(np.array(list(map(float, exact))), None, known)
        return cls(np.array([int(one * 10**scale) for one in exact], dtype=np.int64), scale, known)

    @classmethod
    def decimals(cls, numbers: Sequence[Decimal]) -> Factors:
        """Of decimal numbers, all of them known."""
        plain = [number.normalize() for number in numbers]
        scale = max((max(-int(number.as_tuple().exponent), 0) for number in plain), default=0)
        known = np.ones(len(plain), dtype=bool)
        if scale > _FINEST or max(plain, default=Decimal(0)) >= Decimal(_MOST).scaleb(-scale):
            return cls(np.array(list(map(float, plain))), None, known)
        return cls(np.array([int(number.scaleb(scale)) for number in plain], dtype=np.int64), scale, known)

    def number(self, place: int) -> Fraction:
        """One of them as an exact number."""
        return Fraction(self.units[place].item()) / 10 ** (self.scale or 0)

    def at(self, places: Days) -> Factors:
        """Those at some places; not known where a place is -1."""
        known = (places >= 0) & self.known[places] if len(self.known) else np.zeros(len(places), dtype=bool)
        units = self.units[places] if len(self.units) else np.zeros(len(places), dtype=np.int64)
        return Factors(np.where(known, units, np.zeros(1, dtype=units.dtype)), self.scale, known)

    def times(self, amounts: Amounts) -> Amounts:
        """Amounts, one a factor, brought to the other currency: exact where both are, and whole numbers hold it.

        Notes
        -----
        The product of whole numbers of 10**-a and 10**-b is one of 10**-(a + b).
        """
        if amounts.scale is not None and self.scale is not None:
            values = amounts.values.astype(np.int64, copy=False)
            size = float(np.abs(values.astype(np.float64)) @ np.abs(self.units.astype(np.float64)))
            if size < _MOST:
                return Amounts(values * self.units, amounts.scale + self.scale, size)
        products = amounts.values / 10 ** (amounts.scale or 0) * (self.units / 10 ** (self.scale or 0))
        with np.errstate(over="ignore"):
            return Amounts(products, None, float(np.abs(products).sum()))


@dataclass(frozen=True, eq=False)
class RateTable:
    """What one unit of each currency is worth in another.

    Attributes
    ----------
    name, to
        What messages call the table, and the currency that amounts are brought to.
    currencies
        Those it has rates of, in order; `to` is one of them, whose rate is always 1.
    of, starts, ends, rates
        Of each row the place of its currency, the days it holds for, and the rate.
    constants
        The mean rates that were asked for, by their span.
    """

    name: str
    to: str
    currencies: tuple[str, ...]
    of: Days
    starts: Days
    ends: Days
    rates: Factors
    constants: dict[tuple[int, int], Factors] = field(default_factory=dict)

    @classmethod
    def listed(
        cls, name: str, to: str, codes: Sequence[str], starts: Days, ends: Days, rates: Sequence[Decimal]
    ) -> RateTable:
        """Of the rows of a table."""
        known = sorted({*codes, to})
        place = {code: i for i, code in enumerate(known)}
        of = np.array([place[code] for code in codes if code != to], dtype=np.int64)
        kept = np.array([code != to for code in codes], dtype=bool)
        return cls(
            name=name,
            to=to,
            currencies=tuple(known),
            of=np.append(of, place[to]),
            starts=np.append(starts[kept], FIRST_DAY),
            ends=np.append(ends[kept], LAST_DAY),
            rates=Factors.decimals([*(rate for rate, code in zip(rates, codes) if code != to), Decimal(1)]),
        )

    @property
    def undated(self) -> bool:
        """Whether each rate holds always."""
        return bool((self.starts == FIRST_DAY).all())

    def place(self, code: str) -> int:
        """The place of a currency; -1 where the table does not have it."""
        return self.currencies.index(code) if code in self.currencies else -1

    def rows(self, currencies: Days, days: Days) -> Days:
        """The row that holds for each currency on each day, the one of fewest days; -1 where none does.

        Parameters
        ----------
        currencies
            Places of currencies, -1 for none.
        """
        found: Days = np.full(len(days), -1, dtype=np.int64)
        lengths = self.ends - self.starts
        span = LAST_DAY - FIRST_DAY + 1
        wanted = currencies * span + (days - FIRST_DAY)
        # rows of one length and currency never overlap; months have four lengths, so few passes are needed
        for length in np.unique(lengths)[::-1].tolist():
            rows = np.flatnonzero(lengths == length)
            keys = self.of[rows] * span + (self.starts[rows] - FIRST_DAY)
            order = np.argsort(keys, kind="stable")
            rows, keys = rows[order], keys[order]
            at = np.searchsorted(keys, wanted, side="right") - 1
            near = rows[np.maximum(at, 0)]
            holds = (at >= 0) & (self.of[near] == currencies) & (days <= self.ends[near])
            found[holds] = near[holds]
        return found

    def mean(self, code: str, first: int, last: int) -> Fraction | None:
        """The mean rate of a currency over the days of a span that have one; None where none has."""
        days = np.arange(first, last + 1)
        rows = self.rows(np.full(len(days), self.place(code), dtype=np.int64), days)
        used, many = np.unique(rows[rows >= 0], return_counts=True)
        if not len(used):
            return None
        total = sum((self.rates.number(row) * n for row, n in zip(used.tolist(), many.tolist())), Fraction(0))
        return total / int(many.sum())

    def factors(self, span: tuple[int, int] | None, currencies: Days, days: Days) -> Factors:
        """What amounts of some currencies on some days are multiplied by.

        Parameters
        ----------
        span
            Whose mean rate holds for all days; None for the rate of each day.
        """
        if span is None:
            return self.rates.at(self.rows(currencies, days))
        if span not in self.constants:
            self.constants[span] = Factors.of([self.mean(code, *span) for code in self.currencies])
        return self.constants[span].at(currencies)


class Rated(NamedTuple):
    """The rates of one currency over a span: how many days have one, the least and the greatest, and when."""

    currency: str
    days: int
    least: float
    greatest: float
    least_on: int
    greatest_on: int


class CurrencyPart(NamedTuple):
    """What of the records that count is in one currency: how many, and what their first amounts come to in all."""

    currency: str
    records: int
    amount: float


@dataclass(frozen=True, eq=False)
class Conversion:
    """How the amounts of a book were brought to one currency.

    Attributes
    ----------
    rates
        The table.
    columns
        The columns of amounts that were converted; all others stand as they are.
    at
        By what a measure says of its rates the first and the last day whose mean rate it takes; what says nothing
        takes the rate of each day.
    parts
        The currencies of the records.
    """

    rates: RateTable
    columns: frozenset[str]
    at: Mapping[str, tuple[int, int]] = field(default_factory=dict)
    parts: tuple[CurrencyPart, ...] = ()

    @property
    def to(self) -> str:
        """The currency that amounts were brought to."""
        return self.rates.to

    def span(self, at: str) -> tuple[int, int] | None:
        """The days whose mean rate is taken; None where each day has its own."""
        return self.at.get(at)

    def rated(self, at: str, first: int, last: int) -> list[Rated]:
        """The rates that were taken on the days of a span, of each currency of the records but the one they came to."""
        found = []
        days = np.arange(first, last + 1)
        for part in self.parts:
            if part.currency == self.to:
                continue
            place = np.full(len(days), self.rates.place(part.currency), dtype=np.int64)
            units, scale, known = self.rates.factors(self.span(at), place, days)
            if not known.any():
                continue
            rates, on = units[known] / 10 ** (scale or 0), days[known]
            low, high = int(rates.argmin()), int(rates.argmax())
            found.append(
                Rated(part.currency, len(on), float(rates[low]), float(rates[high]), int(on[low]), int(on[high]))
            )
        return found
