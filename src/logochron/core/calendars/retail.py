"""The retail calendar: years of 52 or 53 whole weeks, periods of four or five of them."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from logochron.core.calendars.base import (
    Calendar,
    Earlier,
    as_ordinals,
    check_number,
    day_labels,
    year_lines,
)
from logochron.core.calendars.period_names import Name, Texts, write_names
from logochron.core.calendars.weeks import WeekYears
from logochron.core.choices import PLURALS, Grain, Weekday, YearEnds, YearNamed, check, values
from logochron.core.days import Days
from logochron.core.errors import CalendarError, QuestionError, brief
from logochron.core.said import Said

_THIRTEEN = (4,) * 13


@dataclass(frozen=True, kw_only=True)
class RetailCalendar(Calendar):
    """Years of 52 or 53 whole weeks, quarters of 13, periods (grain ``month``) of four or five.

    Parameters
    ----------
    pattern
        Weeks in the three periods of a quarter, ``(4, 5, 4)``, ``(4, 4, 5)`` or ``(5, 4, 4)``; or ``(4,) * 13``:
        thirteen periods, quarters of 3, 3, 3 and 4 of them, halves of 6 and 7.
    year_ends_on
        The weekday on which years end.
    year_ends_in
        The month, 1 to 12, whose end is the anchor of a year's end.
    year_ends
        ``"nearest"``: on the `year_ends_on` nearest to the anchor; ``"last"``: on the last one in that month.
    year_named
        ``"starting"``: the civil year of the day after the anchor before; ``"ending"``: that of the anchor.
    long_period
        The period that week 53 joins as its last week, from 1; the last one where None.

    Raises
    ------
    CalendarError
        Where a parameter cannot be.

    Examples
    --------
    >>> calendar = RetailCalendar()
    >>> calendar.labels("month", calendar.ordinals("month", ["2024-02-03"]))
    array(['2023-P12'], dtype='<U8')
    """

    pattern: tuple[int, ...] = (4, 5, 4)
    year_ends_on: Weekday = "saturday"
    year_ends_in: int = 1
    year_ends: YearEnds = "nearest"
    year_named: YearNamed = "starting"
    long_period: int | None = None

    whole_weeks = True

    def __post_init__(self) -> None:
        given = self.pattern if isinstance(self.pattern, (tuple, list)) else ()
        whole = all(isinstance(weeks, int) and not isinstance(weeks, bool) and weeks > 0 for weeks in given)
        fits = whole and (tuple(given) == _THIRTEEN or (len(given) == 3 and sum(given) == 13))
        if not fits:
            raise CalendarError(
                "`pattern` must be the weeks in the three periods of a quarter, 13 together, such as "
                "(4, 5, 4), (4, 4, 5) or (5, 4, 4), or thirteen fours (4,) * 13; got {0}",
                brief(self.pattern),
            )
        object.__setattr__(self, "pattern", tuple(given))
        check("year_ends_on", self.year_ends_on, Weekday, CalendarError)
        check_number("year_ends_in", self.year_ends_in, 1, 12, "a month")
        check("year_ends", self.year_ends, YearEnds, CalendarError)
        check("year_named", self.year_named, YearNamed, CalendarError)
        if self.long_period is not None:
            check_number("long_period", self.long_period, 1, self._in_year["month"], "a period")

    @cached_property
    def _weeks(self) -> WeekYears:
        return WeekYears(
            year_ends_on=values(Weekday).index(self.year_ends_on),
            year_ends_in=self.year_ends_in,
            year_ends=self.year_ends,
        )

    @property
    def _in_year(self) -> dict[str, int]:
        """How many periods of each grain a year has."""
        return {"month": 13 if len(self.pattern) == 13 else 12, "quarter": 4, "half": 2, "year": 1}

    @cached_property
    def _first_weeks(self) -> dict[str, Days]:
        """For each grain the weeks before each of its periods, shape (2, periods + 1): years of 52, years of 53."""
        weeks = np.array(self.pattern if len(self.pattern) == 13 else self.pattern * 4)
        long = weeks.copy()
        long[(self.long_period or len(weeks)) - 1] += 1
        before = np.stack([np.append(0, np.cumsum(one)) for one in (weeks, long)])
        quarters = np.array([0, 3, 6, 9, len(weeks)])
        return {
            "month": before,
            "quarter": before[:, quarters],
            "half": before[:, quarters[[0, 2, 4]]],
            "year": before[:, [0, -1]],
        }

    @property
    def _named_after(self) -> int:
        """What turns the civil year of a year's anchor into the year's name."""
        return -1 if self.year_named == "starting" and self.year_ends_in < 12 else 0

    def _ordinals(self, each: Grain, days: Days) -> Days:
        if each == "day":
            return days
        weeks = self._weeks.weeks(days)
        return weeks if each == "week" else self._of_weeks(each, weeks)

    def _of_weeks(self, each: Grain, weeks: Days) -> Days:
        """The longer period that holds each week."""
        years, places, lengths = self._weeks.places(weeks)
        n = self._in_year[each]
        in_week = np.stack(
            [np.searchsorted(before, np.arange(53), side="right") - 1 for before in self._first_weeks[each]]
        )
        return years * n + in_week[lengths - 52, places]

    def first_days(self, each: Grain, ordinals: Any) -> Days:
        ordinals = as_ordinals(ordinals)
        if each == "day":
            return ordinals
        if each == "week":
            return self._weeks.starts(ordinals)
        years, places = np.divmod(ordinals, self._in_year[each])
        before = self._first_weeks[each][self._weeks.lengths(years) - 52, places]
        return self._weeks.starts(self._weeks.first_weeks(years) + before)

    def _places(self, each: Grain, ordinals: Days) -> tuple[Days, Days]:
        """The year of each period, by its anchor, and its place there from 0."""
        if each == "week":
            return self._weeks.places(ordinals)[:2]
        if each == "day":
            years = self._of_weeks("year", self._weeks.weeks(ordinals))
            return years, ordinals - self.first_days("year", years)
        years, places = np.divmod(ordinals, self._in_year[each])
        return years, places

    def places(self, each: Grain, ordinals: Any) -> tuple[Days, Days]:
        years, places = self._places(each, as_ordinals(ordinals))
        return years + self._named_after, places + 1

    def labels(self, each: Grain, ordinals: Any) -> Texts:
        if each == "day":
            return day_labels(ordinals)
        years, numbers = self.places(each, ordinals)
        return write_names("", years, "period" if each == "month" else each, numbers)

    def year_ago(self, each: Grain, ordinals: Days, n: int) -> Earlier:
        if each not in ("day", "week"):
            return Earlier.all_found(ordinals - n * self._in_year[each])
        years, places = self._places(each, ordinals)
        firsts = self._weeks.first_weeks(years - n)
        weeks = self._weeks.lengths(years - n)
        named = write_names("", years - n + self._named_after, "year", places)
        if each == "day":
            return Earlier.where(places < 7 * weeks, self._weeks.starts(firsts) + places, "no week 53", named)
        return Earlier.where(places < weeks, firsts + places, "no week 53", named)

    def word(self, each: str) -> str:
        return Said("period" if each == "month" else each)

    def _place(self, name: Name, label: str, option: str) -> tuple[Grain, int]:
        if name.fiscal:
            raise QuestionError(
                "`{0}` names no period: {1!r}; years of this calendar bear no FY: did you mean {2!r}?",
                option,
                label,
                label[2:],
            )
        periods = self._in_year["month"]
        if name.kind == "month":
            raise QuestionError(
                "`{0}` names no period: {1!r}; months of this calendar are its periods, P01 to P{2}: "
                "did you mean '{3:04d}-P{4:02d}'?",
                option,
                label,
                periods,
                name.year,
                name.number,
            )
        year = name.year - self._named_after
        if name.kind == "year":
            return "year", year
        grain: Grain = "month" if name.kind == "period" else name.kind  # type: ignore[assignment]
        first = int(self._weeks.first_weeks(year))
        most = int(self._weeks.first_weeks(year + 1)) - first if grain == "week" else self._in_year[grain]
        if not 1 <= name.number <= most:
            sign = {"half": "H%d", "quarter": "Q%d", "month": "P%02d", "week": "W%02d"}[grain]
            raise QuestionError(
                "`{0}` names no {1}: {2!r}; {3} has {4} {5} to {6}",
                option,
                self.word(grain),
                label,
                name.year,
                PLURALS[self.word(grain)],
                sign % 1,
                sign % most,
            )
        start = first if grain == "week" else year * most
        return grain, start + name.number - 1

    def legend(self, each: Grain, ordinals: Days) -> tuple[str, ...]:
        if each == "day" or not len(ordinals):
            return ()
        years = np.unique(self._places(each, ordinals)[0])
        starts, ends = self.first_days("year", years), self.last_days("year", years)
        return year_lines("", years + self._named_after, starts, ends, (ends - starts + 1) // 7)
