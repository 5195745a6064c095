"""Whole weeks gathered into years of 52 or 53: one family, to which ISO weeks belong."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from logochron.core.calendars.period_names import month_starts
from logochron.core.choices import YearEnds
from logochron.core.days import Days, weekday


@dataclass(frozen=True, kw_only=True)
class WeekYears:
    """Years that end on one weekday: the one nearest to the end of a month, or the last one in it.

    With Sunday and December, nearest, these are ISO weeks (ISO 8601-1:2019, 4.2.2): week 1 is the week that
    holds four or more days of January.

    Weeks are numbered through all years: week 0 holds 1 January 1970 or starts the last week before it.
    Years are numbered by the civil year of the month they end in.
    """

    year_ends_on: int  # 0 Monday .. 6 Sunday
    year_ends_in: int  # 1 .. 12
    year_ends: YearEnds = "nearest"

    @property
    def _first_weekday(self) -> int:
        return (self.year_ends_on + 1) % 7

    def weeks(self, days: Days) -> Days:
        """The running number of the week that holds each day."""
        return (days + 3 - self._first_weekday) // 7

    def starts(self, weeks: Any) -> Days:
        """The first day of each week."""
        return np.asarray(weeks, dtype=np.int64) * 7 - 3 + self._first_weekday

    def last_days(self, years: Any) -> Days:
        """The last day of each year."""
        anchors = month_starts(np.asarray(years, dtype=np.int64) * 12 + self.year_ends_in) - 1
        back = (weekday(anchors) - self.year_ends_on) % 7
        later = (back > 3) & (self.year_ends == "nearest")
        return np.asarray(anchors - back + 7 * later, dtype=np.int64)

    def first_weeks(self, years: Any) -> Days:
        """Week 1 of each year."""
        return self.weeks(self.last_days(np.asarray(years, dtype=np.int64) - 1) + 1)

    def lengths(self, years: Any) -> Days:
        """The weeks in each year, 52 or 53."""
        years = np.asarray(years, dtype=np.int64)
        return self.first_weeks(years + 1) - self.first_weeks(years)

    def places(self, weeks: Days) -> tuple[Days, Days, Days]:
        """The year of each week, its place in it from 0, and the weeks that year has."""
        if not weeks.size:
            return weeks, weeks, weeks
        # a table of the years at hand: cheaper than working each week's year out
        around = 1970 + self.starts(np.array([weeks.min(), weeks.max()])) // 365.2425
        years = np.arange(int(around[0]) - 2, int(around[1]) + 3)
        firsts = self.first_weeks(np.append(years, years[-1] + 1))
        row = np.searchsorted(firsts, weeks, side="right") - 1
        return years[row], weeks - firsts[row], np.diff(firsts)[row]
