"""Whole weeks gathered into years of 52 or 53: the family that ISO weeks belong to."""

from __future__ import annotations

from dataclasses import dataclass

from logochron.core.days import Days


@dataclass(frozen=True, kw_only=True)
class WeekYears:
    """Years that start on the `first_weekday` nearest to a nominal first day.

    Week 1 is then the week that holds four or more days of the nominal year. With Monday and 1 January
    these are ISO weeks (ISO 8601-1:2019, 4.2.2), whose years end on the Sunday nearest to 31 December.

    Weeks are numbered through all years: week 0 holds 1 January 1970 or starts the last week before it.
    """

    first_weekday: int  # 0 Monday .. 6 Sunday

    def weeks(self, days: Days) -> Days:
        """The running number of the week that holds each day."""
        return (days + 3 - self.first_weekday) // 7

    def starts(self, weeks: Days) -> Days:
        """The first day of each week."""
        return weeks * 7 - 3 + self.first_weekday

    def middles(self, weeks: Days) -> Days:
        """The fourth day of each week: the nominal year that holds it is the week's year."""
        return self.starts(weeks) + 3

    def first_weeks(self, nominal_starts: Days) -> Days:
        """Week 1 of the years whose nominal first days are given."""
        return self.weeks(nominal_starts + 3)
