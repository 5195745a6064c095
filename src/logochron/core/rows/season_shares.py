"""The part that each place of a longer period has in it: months in their years, weekdays in their weeks."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from logochron.core.book.coverage import Coverage
from logochron.core.book.daybook import Daybook
from logochron.core.book.measures import AggregateSums, Measure, aggregates, work_out
from logochron.core.book.sums import divided
from logochron.core.calendars.base import Bools, Calendar
from logochron.core.choices import Grain
from logochron.core.days import Days
from logochron.core.errors import QuestionError
from logochron.core.rows.figures import Floats

#: A season is told from so many whole periods on.
ENOUGH = 2


class SeasonParts(NamedTuple):
    """The parts of some longer periods: of which each is, its place from 0, and its days."""

    of: Days
    place: Days
    starts: Days
    ends: Days

    @classmethod
    def within(cls, calendar: Calendar, each: Grain, within: Grain, ordinals: Days) -> SeasonParts:
        """The parts of longer periods, one period after the other."""
        first, last = calendar.children(each, within, ordinals)
        many = last - first + 1
        of = np.repeat(np.arange(len(ordinals)), many)
        place = np.arange(len(of)) - np.repeat(np.cumsum(many) - many, many)
        parts = first[of] + place
        return cls(of, place, calendar.first_days(each, parts), calendar.last_days(each, parts))


class SeasonWeights(NamedTuple):
    """By which season days of periods are weighed: places in which longer period.

    Months in their year for what is made of months, else weekdays in their week.
    """

    each: Grain
    within: Grain

    @classmethod
    def of(cls, calendar: Calendar, grain: Grain) -> SeasonWeights | None:
        """Those for periods of a grain; None where the calendar has none."""
        if grain in ("year", "half", "quarter"):
            return cls("month", "year")
        return cls("day", "week") if "week" in calendar.grains else None

    def places_done(self, calendar: Calendar, starts: Days, lasts: Days) -> Floats:
        """How much of each place lies from a start to a last day, shape (spans, places): parts of months, or days."""
        if self.each == "day":
            week = calendar.first_days("week", calendar.ordinals("week", starts))
            offset = (np.arange(7) - (starts - week)[:, None]) % 7  # of the first such day after each start
            return np.maximum((lasts - starts)[:, None] - offset, -7) // 7 + 1.0
        years = calendar.ordinals("year", starts)
        known, of = np.unique(years, return_inverse=True)
        places = SeasonParts.within(calendar, self.each, self.within, known)
        first, last = (np.full((len(known), int(places.place.max(initial=0)) + 1), side) for side in (0, -1))
        first[places.of, places.place], last[places.of, places.place] = places.starts, places.ends
        first, last = first[of], last[of]
        done = np.minimum(last, lasts[:, None]) - np.maximum(first, starts[:, None]) + 1
        return np.where(last >= first, np.maximum(done, 0) / np.maximum(last - first + 1, 1), 0.0)


class Shares(NamedTuple):
    """Shares by longer period, place and item, NaN where a period lacks the place or its total is not above 0.

    `usable`: which periods of which item have a total above 0.
    """

    ordinals: Days
    shares: Floats
    usable: Floats

    @property
    def parents(self) -> Days:
        """In how many periods each place of each item has a share."""
        return np.asarray(np.isfinite(self.shares).sum(axis=0))

    def usual(self) -> Floats:
        """The mean share of each place, shape (places, items); NaN where fewer than `ENOUGH` periods tell it."""
        known = np.isfinite(self.shares)
        return divided(np.where(known, self.shares, 0.0).sum(axis=0), self.parents, self.parents >= ENOUGH)

    def known_by(self, periods: int) -> Shares:
        """The first periods alone."""
        return Shares(self.ordinals[:periods], self.shares[:periods], self.usable[:periods])

    def ends(self) -> tuple[Floats, Floats]:
        """The smallest and the largest share of each place, likewise."""
        known, enough = np.isfinite(self.shares), self.parents >= ENOUGH
        least = np.where(known, self.shares, np.inf).min(axis=0, initial=np.inf)
        most = np.where(known, self.shares, -np.inf).max(axis=0, initial=-np.inf)
        return np.where(enough, least, np.nan), np.where(enough, most, np.nan)


def check_places(calendar: Calendar, each: Grain, within: Grain) -> None:
    """Refuse places that do not make up the longer period.

    Raises
    ------
    QuestionError
        Naming those that do.
    """
    calendar.check_grain(each)
    calendar.check_grain(within, "within")
    if each == within or not calendar.nests(each, within):
        fitting = [g for g in calendar.grains if g != within and calendar.nests(g, within)]
        raise QuestionError(
            "`each` {0!r} does not divide a {1}: with within={2!r} it may be {3}",
            each, calendar.word(within), within, ", ".join(fitting),
        )  # fmt: skip


def held_whole(calendar: Calendar, within: Grain, ordinals: Days, coverage: Coverage) -> Bools:
    """Whether there are such periods, and the coverage holds all of each."""
    there = calendar.exists(within, ordinals) & calendar.whole(within, ordinals)
    starts, ends = calendar.first_days(within, ordinals), calendar.last_days(within, ordinals)
    return np.asarray(there & (starts >= coverage.first) & (ends <= coverage.last))


def whole_periods(calendar: Calendar, within: Grain, coverage: Coverage) -> Days:
    """The longer periods that the records hold whole."""
    ordinals = calendar.touching(within, coverage.first, coverage.last)
    return ordinals[held_whole(calendar, within, ordinals, coverage)]


def sums_by_place(
    book: Daybook,
    by: Sequence[str],
    measure: Measure,
    calendar: Calendar,
    each: Grain,
    within: Grain,
    ordinals: Days,
    until: int | None = None,
) -> Floats:
    """What a measure comes to in each place, shape (periods, places, items); NaN where a period lacks the place.

    `until`: the last day that is summed, places after it are NaN too.
    """
    places = SeasonParts.within(calendar, each, within, ordinals)
    if until is not None:
        there = places.starts <= until
        places = SeasonParts(*(side[there] for side in places))._replace(ends=np.minimum(places.ends[there], until))
    formula = book.formulas[measure.name]
    keys = [aggregate.key for aggregate in aggregates(formula)]
    found = book.sums(by, keys, (places.starts[None], places.ends[None]))
    parts = {key: AggregateSums(sides[0], book.scale_of(key)) for key, sides in found.items()}
    sums = work_out(formula, parts).shown
    return laid_by_place(sums, places, len(ordinals))


def laid_by_place(sums: Floats, places: SeasonParts, periods: int) -> Floats:
    """Sums of places one after the other, shape (places, items), as (periods, places, items); NaN where none is."""
    laid = np.full((periods, int(places.place.max(initial=-1)) + 1, sums.shape[1]), np.nan)
    laid[places.of, places.place] = sums
    return laid


def shares_by_place(
    book: Daybook, by: Sequence[str], measure: Measure, calendar: Calendar, each: Grain, within: Grain, ordinals: Days
) -> Shares:
    """The share of each place in its longer period."""
    return shares_of(sums_by_place(book, by, measure, calendar, each, within, ordinals), ordinals)


def shares_of(sums: Floats, ordinals: Days) -> Shares:
    """The shares of sums by period, place and item in the total of their period."""
    totals = np.nansum(sums, axis=1, keepdims=True)
    shares = divided(sums, np.broadcast_to(totals, sums.shape), np.broadcast_to(totals > 0, sums.shape))
    return Shares(ordinals, np.where(np.isfinite(sums), shares, np.nan), np.asarray(totals[:, 0] > 0, dtype=np.float64))
