"""Periods and spans of days in words: "September 2026", "week 18 of 2026 (27 Apr to 3 May)", "1–18 October 2026"."""

from __future__ import annotations

from functools import lru_cache
from typing import Any, NamedTuple

import numpy as np

from logochron.core.calendars.base import Calendar
from logochron.core.days import as_date, to_days
from logochron.core.options import Grain
from logochron.core.rows.answer import AlignedAnswer
from logochron.views.catalog import message
from logochron.views.formats import Formats

#: Periods that bear a number in their year, as people call them; and what stands before them in a sentence.
_NUMBERED = {
    "week": message("week {number} of {year}"),
    "month": message("period {number} of {year}"),
    "quarter": message("quarter {number} of {year}"),
    "half": message("half {number} of {year}"),
}
_LOCATED = {
    "day": message("on {period}"),
    "week": message("in {period}"),
    "month": message("in {month}"),
    "period": message("in {period}"),
    "quarter": message("in {period}"),
    "half": message("in {period}"),
    "year": message("in {period}"),
    "days": message("over {period}"),
    "months": message("from {period}"),
}
_HALVES = (
    (message("first half of {year}"), message("in the first half of {year}")),
    (message("second half of {year}"), message("in the second half of {year}")),
)


class PeriodWords(NamedTuple):
    """A period in words: by its name, and as a sentence says when something was ("in September 2026")."""

    name: str
    when: str


def _worded(name: str, kind: str, formats: Formats) -> PeriodWords:
    return PeriodWords(name, formats.say(_LOCATED[kind], period=name, month=name))


def days_in_words(first: int, last: int, formats: Formats) -> PeriodWords:
    """A span of days.

    >>> days_in_words(20362, 20379, Formats()).when
    'over 1–18 October 2025'
    """
    within_a_month = as_date(first).replace(day=1) == as_date(last).replace(day=1)
    kind = "day" if first == last else "days" if within_a_month else "months"
    return _worded(formats.long_span(first, last), kind, formats)


@lru_cache(maxsize=2**14)
def whole_period(calendar: Calendar, each: Grain, first: int, formats: Formats) -> PeriodWords:
    """A whole period, by its first day: civil ones by name, others by their number and their days.

    >>> from logochron import CivilCalendar
    >>> whole_period(CivilCalendar(), "month", 20362, Formats()).when
    'in October 2025'
    """
    ordinals = np.asarray(calendar.ordinals(each, np.array([first])))
    label = str(calendar.labels(each, ordinals)[0])
    start, end = int(calendar.first_days(each, ordinals)[0]), int(calendar.last_days(each, ordinals)[0])
    year, number = (int(side[0]) for side in calendar.places(each, ordinals))
    if each == "day":
        return _worded(formats.long_day(start), "day", formats)
    civil = calendar.word("month") == "month"
    if each == "month" and civil:
        return _worded(formats.long_month(start), "month", formats)
    if label == str(year) and as_date(start).timetuple().tm_yday == 1 and as_date(end + 1).year == year + 1:
        return _worded(label, "year", formats)
    if label == f"{year}-Q{number}" and civil:
        return _worded(formats.quarter(start), "quarter", formats)
    if label == f"{year}-H{number}" and civil:
        name, when = _HALVES[number - 1]
        return PeriodWords(formats.say(name, year=year), formats.say(when, year=year))
    named = label
    if each in _NUMBERED and label[-1:].isdigit() and "-" in label:
        named = formats.say(_NUMBERED[each], number=number, year=label.partition("-")[0])
    kind = "period" if each == "month" else each
    return _worded(f"{named} ({_days_of(start, end, year, formats)})", kind, formats)


def _days_of(start: int, end: int, year: int, formats: Formats) -> str:
    """The days of a period that is named by a year, which is said again where it is not that of its days."""
    years = [as_date(day).year for day in (start, end)]
    told = years != [year, year]
    if as_date(start).replace(day=1) == as_date(end).replace(day=1):
        return formats.span(start, end, year=told)
    first, last = formats.day(start, year=years[0] != years[1]), formats.day(end, year=told)
    return formats.say("{first} to {last}", first=first, last=last)


def beside_label(result: AlignedAnswer, start: int, end: int, status: str, formats: Formats) -> str:
    """What a label leaves unsaid, for those who do not have the calendar in mind: the month, or the days; else nothing.

    Where a row is not one whole period, its label says to which day it goes.
    """
    if result.each == "span" or (result.each == "year" and as_date(start).timetuple().tm_yday == 1):
        return ""
    if result.each == "day":
        return formats.weekday(start)
    if result.each == "month" and result.calendar.word("month") == "month":
        return formats.short_month(end)
    ordinals = result.calendar.ordinals(result.each, np.array([end]))
    first = int(result.calendar.first_days(result.each, ordinals)[0])
    last = int(result.calendar.last_days(result.each, ordinals)[0])
    if result.calendar.whole_weeks or result.each == "week" or as_date(first).day > 1:
        return formats.span(first, last, year=False)
    opening, closing = (formats.month(day) for day in (first, last))
    return f"{opening}{formats.dash}{closing}"


def row_period(result: AlignedAnswer, row: Any, formats: Formats, status: str) -> PeriodWords:
    """The days that a row sums, in words: a whole period by its name, else from day to day."""
    start, end = int(to_days(row["start"])), int(to_days(row["end"]))
    window = result.question.window
    if result.each == "span" or status != "complete" or window.parent is not None or window.n > 1:
        return days_in_words(start, end, formats)
    return whole_period(result.calendar, result.each, start, formats)


def base_period(result: AlignedAnswer, row: Any, formats: Formats) -> PeriodWords | None:
    """The days that a row is held against, in words; None where they are not those of one span, or unknown."""
    if result.plan is not None or len(result.alignment.base_starts) > 1 or np.isnat(row["base_start"]):
        return None
    start, end = int(to_days(row["base_start"])), int(to_days(row["base_end"]))
    if result.each != "span" and result.calendar.holds(np.array([start]))[0]:
        ordinals = result.calendar.ordinals(result.each, np.array([start]))
        whole = (int(result.calendar.first_days(result.each, ordinals)[0]),
                 int(result.calendar.last_days(result.each, ordinals)[0]))  # fmt: skip
        if whole == (start, end):
            return whole_period(result.calendar, result.each, start, formats)
    return days_in_words(start, end, formats)
