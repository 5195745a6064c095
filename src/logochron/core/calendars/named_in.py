"""Names of periods, as people write them, found in a calendar."""

from __future__ import annotations

import re

import numpy as np

from logochron.core.calendars.base import Calendar
from logochron.core.calendars.civil import CivilCalendar
from logochron.core.calendars.written_names import label_of, read_label
from logochron.core.choices import Grain
from logochron.core.days import DayLike, day_number
from logochron.core.errors import LogochronError, QuestionError
from logochron.core.said import Said


def ordinal_named(text: str, each: Grain, calendar: Calendar) -> int | None:
    """The ordinal of the period of grain `each` that a text names, None where the calendar has no such period.

    Where it is no name that people write, the calendar's own names are tried.
    """
    label = label_of(text, each)
    if label is None or label.grain != each:
        return None if re.fullmatch(r"[\d./ -]+", text) else _ordinal_of(each, text, calendar)
    for fiscal in (label.fiscal, not label.fiscal):
        ordinal = _ordinal_of(each, label._replace(fiscal=fiscal).name.text, calendar)
        if ordinal is not None:
            return ordinal
    return None


def fiscal_years_said(text: str, calendar: Calendar) -> tuple[str, ...]:
    """What to say of a name of a fiscal year, or of a period that is counted in one, in a calendar that has no others.

    >>> from logochron import CivilCalendar
    >>> fiscal_years_said("Jan 2026", CivilCalendar())
    ()
    """
    label = read_label(text)
    if label is None or not (label.fiscal or label.numbered) or calendar != CivilCalendar():
        return ()
    return (
        Said(
            "{0!r} is read by years that start in January: say --year-start MONTH, or another "
            "--calendar, where they start elsewhere",
            text,
        ),
    )


def _ordinal_of(each: Grain, name: str, calendar: Calendar) -> int | None:
    """The one period that a name stands for."""
    try:
        low, high = calendar.find(each, name)
    except LogochronError:
        return None
    return low if low == high else None


def first_day_of(text: str, each: Grain, calendar: Calendar) -> int | None:
    """The first day of the period of grain `each` that a text names, None where it names none."""
    ordinal = ordinal_named(text, each, calendar)
    return None if ordinal is None else int(calendar.first_days(each, np.array([ordinal]))[0])


def day_named(value: DayLike, option: str, calendar: Calendar, *, last: bool) -> int:
    """The number of a day, or of the first or last one of the period that a text names.

    Raises
    ------
    QuestionError
        Where it is neither.
    """
    try:
        return day_number(value, option)
    except QuestionError:
        label = read_label(value) if isinstance(value, str) else None
        ordinal = ordinal_named(value, label.grain, calendar) if label else None
        if label is None or ordinal is None:
            raise
        return int((calendar.last_days if last else calendar.first_days)(label.grain, np.array([ordinal]))[0])
