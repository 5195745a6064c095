"""The civil calendar: months of the year, fiscal years from any month, weeks from any weekday."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Any

import numpy as np

from logochron.core.calendars.base import Calendar, Earlier, Texts
from logochron.core.calendars.weeks import WeekYears
from logochron.core.days import Days, day_number, in_words, to_dates, to_days
from logochron.core.errors import CalendarError, QuestionError, nearest
from logochron.core.options import Grain, Weekday, YearNamed, values

#: Months in a period of each grain that is made of months.
MONTHS = {"month": 1, "quarter": 3, "half": 6, "year": 12}
_CIVIL_ZERO = 1970 * 12  # months from year 0 to NumPy's month 0
_LABEL = re.compile(r"(FY)?(\d{4})(?:-(?:H([12])|Q(\d)|W(\d\d)|(\d\d)(?:-(\d\d))?))?", re.IGNORECASE)


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
        if isinstance(self.year_start, bool) or not isinstance(self.year_start, int) or not 1 <= self.year_start <= 12:
            raise CalendarError(f"`year_start` must be a month from 1 to 12; got {self.year_start!r}")
        for name, literal in (("week_start", Weekday), ("year_named", YearNamed)):
            came, allowed = getattr(self, name), values(literal)
            if came not in allowed:
                hint = nearest(str(came), allowed)
                raise CalendarError(
                    f"`{name}` must be one of {', '.join(allowed)}; got {came!r}."
                    + (f" Did you mean {hint!r}?" if hint else "")
                )

    @property
    def _weeks(self) -> WeekYears:
        return WeekYears(first_weekday=values(Weekday).index(self.week_start))

    @property
    def _shift(self) -> int:
        return self.year_start - 1

    @property
    def _added(self) -> int:
        """What turns the civil year in which a year starts into the year's name."""
        return int(self.year_start > 1 and self.year_named == "ending")

    @property
    def _prefix(self) -> str:
        return "FY" if self.year_start > 1 else ""

    def _ordinals(self, each: Grain, days: Days) -> Days:
        if each == "day":
            return days
        if each == "week":
            return self._weeks.weeks(days)
        return (_months(days) - self._shift) // MONTHS[each]

    def starts(self, each: Grain, ordinals: Any) -> Days:
        if each == "day":
            return _int64(ordinals)
        if each == "week":
            return self._weeks.starts(_int64(ordinals))
        return _month_starts(_int64(ordinals) * MONTHS[each] + self._shift)

    def _week_places(self, weeks: Days) -> tuple[Days, Days]:
        years = self._ordinals("year", self._weeks.middles(weeks))
        return years, weeks - self._weeks.first_weeks(self.starts("year", years)) + 1

    def places(self, each: Grain, ordinals: Any) -> tuple[Days, Days]:
        ordinals = np.asarray(ordinals, dtype=np.int64)
        if each == "week":
            years, numbers = self._week_places(ordinals)
        elif each == "day":
            years = self._ordinals("year", ordinals)
            numbers = ordinals - self.starts("year", years) + 1
        else:
            years, numbers = np.divmod(ordinals, 12 // MONTHS[each])
            numbers = numbers + 1
        return years + self._added, numbers

    def labels(self, each: Grain, ordinals: Any) -> Texts:
        ordinals = np.asarray(ordinals, dtype=np.int64)
        if each == "day":
            return _as_text(to_dates(ordinals))
        if each == "month":
            return _as_text((ordinals + self._shift - _CIVIL_ZERO).astype("datetime64[M]"))
        years, numbers = self.places(each, ordinals)
        text: Texts = np.char.mod(f"{self._prefix}%04d", years)
        if each == "year":
            return text
        form = {"week": "-W%02d", "quarter": "-Q%d", "half": "-H%d"}[each]
        named: Texts = np.char.add(text, np.char.mod(form, numbers))
        return named

    def year_ago(self, each: Grain, ordinals: Days, n: int) -> Earlier:
        found = np.ones(ordinals.shape, dtype=bool)
        notes = np.full(ordinals.shape, "", dtype=object)
        if each == "day":
            months = _months(ordinals)
            place = ordinals - _month_starts(months)
            starts = _month_starts(months - 12 * n)
            lengths = _month_starts(months - 12 * n + 1) - starts
            notes[place >= lengths] = "leap day"
            return Earlier(starts + np.minimum(place, lengths - 1), found, notes)
        if each == "week":
            years, numbers = self._week_places(ordinals)
            firsts = self._weeks.first_weeks(self.starts("year", np.stack([years - n, years - n + 1])))
            found = numbers <= firsts[1] - firsts[0]
            named = np.char.mod(f"no week 53 in {self._prefix}%04d", years - n + self._added)
            notes[~found] = named[~found]
            return Earlier(firsts[0] + numbers - 1, found, notes)
        return Earlier(ordinals - n * 12 // MONTHS[each], found, notes)

    def cut(self, each: Grain, starts: Days, base_starts: Days, report_day: int) -> Days:
        if each in ("day", "week"):
            return base_starts + (report_day - starts)
        report = to_days(report_day)
        month = _months(report)
        place = report - _month_starts(month)
        target = _months(base_starts) + (month - _months(starts))
        target_last = _month_starts(target + 1) - 1
        if report == _month_starts(month + 1) - 1:  # the end of a month goes with the end of a month
            return target_last
        return np.minimum(_month_starts(target) + place, target_last)

    def find(self, each: Grain, label: str) -> tuple[int, int]:
        grain, ordinal = self._parse(label.strip())
        if grain == each:
            return ordinal, ordinal
        first, last = int(self.starts(grain, ordinal)), int(self.ends(grain, ordinal))
        low, high = (int(o) for o in self._ordinals(each, np.array([first, last])))
        if grain == "day":
            return low, low
        if each == "week" and grain == "year":
            weeks = self._weeks.first_weeks(self.starts("year", np.array([ordinal, ordinal + 1])))
            return int(weeks[0]), int(weeks[1]) - 1
        if each == "day" or (each != "week" and grain != "week" and MONTHS[each] < MONTHS[grain]):
            return low, high
        if grain == "week" or each == "week":
            raise QuestionError(
                f"`at` names a {grain} ({label}), and weeks do not fit into months: with each={each!r}"
                f" name a {each}, a day in it or a year"
            )
        raise QuestionError(
            f"`at` names a {grain} ({label}), shorter than each={each!r}: did you mean {str(self.labels(each, low))!r}?"
        )

    def _parse(self, label: str) -> tuple[Grain, int]:
        match = _LABEL.fullmatch(label)
        if not match:
            grains: tuple[Grain, ...] = values(Grain)
            forms = ", ".join(str(self.labels(g, self.ordinals(g, ["2026-05-18"]))[0]) for g in grains)
            raise QuestionError(f"`at` must be a period such as {forms}; got {label!r}")
        prefix, year, half, quarter, week, month, day = match.groups()
        fiscal_form = month is None
        if fiscal_form and bool(prefix) != bool(self._prefix):
            offered = self._prefix + label.upper().removeprefix("FY")
            why = (
                f"years start in month {self.year_start} and are named FY" if self._prefix else "years are civil years"
            )
            raise QuestionError(f"`at` names no period: {label!r}; {why}: did you mean {offered!r}?")
        if not fiscal_form and prefix:
            raise QuestionError(
                f"`at` names no period: {label!r}; months and days are civil: did you mean {label[2:]!r}?"
            )
        if int(year) < 1:
            raise QuestionError(f"`at` must name a year from 0001 to 9999; got {label!r}")
        if day:
            return "day", day_number(label, "at")
        if month:
            if not 1 <= int(month) <= 12:
                raise QuestionError(f"`at` must name a month from 01 to 12; got {label!r}")
            return "month", int(year) * 12 + int(month) - 1 - self._shift
        start_year = int(year) - self._added
        if week:
            weeks = self._weeks.first_weeks(self.starts("year", np.array([start_year, start_year + 1])))
            if not 1 <= int(week) <= weeks[1] - weeks[0]:
                raise QuestionError(
                    f"`at` names no week: {label!r}; {self._prefix}{year} has weeks 01 to {weeks[1] - weeks[0]}"
                )
            return "week", int(weeks[0]) + int(week) - 1
        if quarter:
            if not 1 <= int(quarter) <= 4:
                raise QuestionError(f"`at` must name a quarter from Q1 to Q4; got {label!r}")
            return "quarter", start_year * 4 + int(quarter) - 1
        if half:
            return "half", start_year * 2 + int(half) - 1
        return "year", start_year

    def legend(self, each: Grain, ordinals: Days) -> tuple[str, ...]:
        if not self._prefix or each in ("day", "month") or not len(ordinals):
            return ()
        names = np.unique(self.places(each, ordinals)[0])
        if each == "week":
            weeks = self._weeks.first_weeks(self.starts("year", np.stack([names, names + 1]) - self._added))
            firsts, lasts = self._weeks.starts(weeks[0]), self._weeks.starts(weeks[1]) - 1
        else:
            years = names - self._added
            firsts, lasts = self.starts("year", years), self.ends("year", years)
        return tuple(f"FY{n} = {in_words(int(a))} to {in_words(int(b))}" for n, a, b in zip(names, firsts, lasts))


def _as_text(dates: Any) -> Texts:
    return np.asarray(np.datetime_as_string(dates))


def _int64(ordinals: Any) -> Days:
    return np.asarray(ordinals, dtype=np.int64)


def _months(days: Any) -> Days:
    """Months since the start of year 0."""
    return to_dates(days).astype("datetime64[M]").astype(np.int64) + _CIVIL_ZERO


def _month_starts(months: Any) -> Days:
    return to_days((np.asarray(months) - _CIVIL_ZERO).astype("datetime64[M]"))
