"""The civil calendar: months of the year, fiscal years from any month, weeks from any weekday."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from logochron.core.calendars.base import (
    Bools,
    Calendar,
    Earlier,
    as_ordinals,
    check_number,
    day_labels,
    year_lines,
)
from logochron.core.calendars.period_names import (
    Name,
    Texts,
    as_text,
    is_leap_day,
    month_names,
    month_starts,
    months_of,
    write_names,
)
from logochron.core.calendars.weeks import WeekYears
from logochron.core.choices import Grain, Weekday, YearNamed, check, values
from logochron.core.days import Days
from logochron.core.errors import CalendarError, QuestionError, brief
from logochron.core.notes import Noted
from logochron.core.said import Said

#: Months in a period of each grain that is made of months.
MONTHS = {"month": 1, "quarter": 3, "half": 6, "year": 12}


@dataclass(frozen=True, kw_only=True)
class CivilCalendar(Calendar):
    """Civil days and months; years, halves and quarters from any month; weeks from any weekday.

    Parameters
    ----------
    year_start
        The month the year starts in, 1 to 12. Quarters and halves follow it.
    week_start
        The weekday a week starts on. A week belongs to the year that holds four or more of its days: with
        `year_start=1, week_start="monday"` exactly ISO 8601.
    year_named
        A fiscal year bears the civil year in which it ends (``"ending"``) or starts (``"starting"``).

    Raises
    ------
    CalendarError
        Where a parameter cannot be.

    Examples
    --------
    >>> CivilCalendar(year_start=4).labels("year", CivilCalendar(year_start=4).ordinals("year", ["2026-03-31"]))
    array(['FY2026'], dtype='<U6')
    """

    year_start: int = 1
    week_start: Weekday = "monday"
    year_named: YearNamed = "ending"

    def __post_init__(self) -> None:
        check_number("year_start", self.year_start, 1, 12, "a month")
        check("week_start", self.week_start, Weekday, CalendarError)
        check("year_named", self.year_named, YearNamed, CalendarError)

    @cached_property
    def _weeks(self) -> WeekYears:
        """The years of weeks end nearest to the end of the month before the year starts."""
        year_ends_on = (values(Weekday).index(self.week_start) - 1) % 7
        return WeekYears(year_ends_on=year_ends_on, year_ends_in=(self.year_start - 2) % 12 + 1)

    @property
    def _shift(self) -> int:
        return self.year_start - 1

    @property
    def _ends_later(self) -> int:
        """Whether a year ends in another civil year than it starts in."""
        return int(self.year_start > 1)

    @property
    def _added(self) -> int:
        """What turns the civil year in which a year starts into the year's name."""
        return self._ends_later if self.year_named == "ending" else 0

    @property
    def _prefix(self) -> str:
        return "FY" if self._ends_later else ""

    def _ordinals(self, each: Grain, days: Days) -> Days:
        if each == "day":
            return days
        if each == "week":
            return self._weeks.weeks(days)
        return (months_of(days) - self._shift) // MONTHS[each]

    def first_days(self, each: Grain, ordinals: Any) -> Days:
        ordinals = as_ordinals(ordinals)
        if each == "day":
            return ordinals
        if each == "week":
            return self._weeks.starts(ordinals)
        return month_starts(ordinals * MONTHS[each] + self._shift)

    def _week_firsts(self, years: Any) -> Days:
        """Week 1 of years, numbered by the civil year they start in."""
        return self._weeks.first_weeks(np.asarray(years, dtype=np.int64) + self._ends_later)

    def places(self, each: Grain, ordinals: Any) -> tuple[Days, Days]:
        ordinals = as_ordinals(ordinals)
        if each == "week":
            years, numbers, _ = self._weeks.places(ordinals)
            years = years - self._ends_later
        elif each == "day":
            years = self._ordinals("year", ordinals)
            numbers = ordinals - self.first_days("year", years)
        else:
            years, numbers = np.divmod(ordinals, 12 // MONTHS[each])
        return years + self._added, numbers + 1

    def labels(self, each: Grain, ordinals: Any) -> Texts:
        ordinals = as_ordinals(ordinals)
        if each == "day":
            return day_labels(ordinals)
        if each == "month":
            return as_text(month_names(ordinals + self._shift))
        years, numbers = self.places(each, ordinals)
        return write_names(self._prefix, years, each, numbers)

    def year_ago(self, each: Grain, ordinals: Days, n: int) -> Earlier:
        if each == "day":
            months = months_of(ordinals)
            place = ordinals - month_starts(months)
            starts = month_starts(months - 12 * n)
            lengths = month_starts(months - 12 * n + 1) - starts
            earlier = Earlier.all_found(starts + np.minimum(place, lengths - 1))
            return earlier._replace(note=Noted(place >= lengths, "leap day"))
        if each == "week":
            years, numbers, _ = self._weeks.places(ordinals)
            found = numbers < self._weeks.lengths(years - n)
            named = write_names(self._prefix, years - n - self._ends_later + self._added, "year", numbers)
            return Earlier.where(found, self._weeks.first_weeks(years - n) + numbers, "no week 53", named)
        return Earlier.all_found(ordinals - n * 12 // MONTHS[each])

    @staticmethod
    def leap_days(days: Days, base_days: Days) -> Bools:
        """Whether a 29 February is held against the 28 February of a year that has no other."""
        base_months = months_of(base_days)
        base_ends = (base_months % 12 == 1) & (base_days - month_starts(base_months) == 27)
        return is_leap_day(days) & base_ends & (base_days + 1 == month_starts(base_months + 1))

    def nests(self, each: Grain, parent: Grain) -> bool:
        if each == "week":
            return parent in ("week", "year")
        return super().nests(each, parent) and (parent != "week" or each == "day")

    def parents(self, each: Grain, parent: Grain, ordinals: Days) -> Days:
        if each == "week" and parent == "year":
            return self._weeks.places(ordinals)[0] - self._ends_later
        return super().parents(each, parent, ordinals)

    def children(self, each: Grain, parent: Grain, ordinals: Any) -> tuple[Days, Days]:
        if each == "week" and parent == "year":
            years = as_ordinals(ordinals)
            return self._week_firsts(years), self._week_firsts(years + 1) - 1
        return super().children(each, parent, ordinals)

    def cut(self, each: Grain, starts: Days, base_starts: Days, report_days: Any) -> Days:
        """The same month of the period and day of the month; the end of a month goes with the end of a month.

        Weeks: the same number of days from the start.
        """
        if each in ("day", "week"):
            return super().cut(each, starts, base_starts, report_days)
        reports = np.asarray(report_days, dtype=np.int64)
        months = months_of(reports)
        targets = months_of(base_starts) + (months - months_of(starts))
        target_ends = month_starts(targets + 1) - 1
        at_end = reports == month_starts(months + 1) - 1
        same_day = np.minimum(month_starts(targets) + (reports - month_starts(months)), target_ends)
        return np.where(at_end, target_ends, same_day)

    def day_places(self, grain: Grain, ordinals: Days) -> Days:
        """By month and day of the month: each month has as many places as the longest such month among the periods."""
        if grain in ("day", "week") or not len(ordinals):
            return super().day_places(grain, ordinals)
        months = self.children("month", grain, ordinals)[0][:, None] + np.arange(MONTHS[grain])
        starts = self.first_days("month", months)
        lengths = self.last_days("month", months) - starts + 1
        longest = lengths.max(axis=0)
        of_month = np.repeat(np.arange(MONTHS[grain]), longest)
        place = np.arange(len(of_month)) - (np.cumsum(longest) - longest)[of_month]
        return starts[:, of_month] + np.minimum(place, lengths[:, of_month] - 1)

    def _place(self, name: Name, label: str, option: str) -> tuple[Grain, int]:
        if name.kind == "period":  # the months of a year, counted from its start
            if not 1 <= name.number <= 12:
                raise QuestionError("`{0}` must name a period from P01 to P12; got {1}", option, brief(label))
            return "month", (name.year - self._added) * 12 + name.number - 1
        if name.kind == "month":
            if name.fiscal:
                raise QuestionError(
                    "`{0}` names no period: {1!r}; months and days are civil: did you mean {2!r}?",
                    option,
                    label,
                    label[2:],
                )
            if not 1 <= name.number <= 12:
                raise QuestionError("`{0}` must name a month from 01 to 12; got {1}", option, brief(label))
            return "month", name.year * 12 + name.number - 1 - self._shift
        if name.fiscal != bool(self._prefix):
            offered = self._prefix + label.upper().removeprefix("FY")
            why = (
                Said("years start in month {0} and are named FY", self.year_start)
                if self._prefix
                else Said("years are civil years")
            )
            raise QuestionError("`{0}` names no period: {1!r}; {2}: did you mean {3!r}?", option, label, why, offered)
        year = name.year - self._added
        if name.kind == "week":
            low, after = (int(week) for week in self._week_firsts([year, year + 1]))
            if not 1 <= name.number <= after - low:
                raise QuestionError(
                    "`{0}` names no week: {1!r}; {2}{3} has weeks 01 to {4}",
                    option,
                    label,
                    self._prefix,
                    name.year,
                    after - low,
                )
            return "week", low + name.number - 1
        for kind, sign, most in (("half", "H", 2), ("quarter", "Q", 4)):
            if name.kind == kind:
                if not 1 <= name.number <= most:
                    raise QuestionError(
                        "`{0}` must name a {1} from {2}1 to {2}{3}; got {4}", option, kind, sign, most, brief(label)
                    )
                return kind, year * most + name.number - 1  # type: ignore[return-value]
        return "year", year

    def legend(self, each: Grain, ordinals: Days) -> tuple[str, ...]:
        if not self._prefix or each in ("day", "month") or not len(ordinals):
            return ()
        names = np.unique(self.places(each, ordinals)[0])
        years = names - self._added
        if each == "week":
            weeks = self._week_firsts(np.stack([years, years + 1]))
            return year_lines(self._prefix, names, self._weeks.starts(weeks[0]), self._weeks.starts(weeks[1]) - 1)
        return year_lines(self._prefix, names, self.first_days("year", years), self.last_days("year", years))
