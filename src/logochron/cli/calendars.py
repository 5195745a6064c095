"""The calendar that the options choose."""

from __future__ import annotations

import datetime as dt
import re
from typing import Any

from logochron.core.calendars.base import Calendar
from logochron.core.calendars.civil import CivilCalendar
from logochron.core.errors import CalendarError, IntakeError, QuestionError, brief
from logochron.core.options import refuse_brought

#: Which options go with which kind of calendar.
_OF = {
    "civil": ("year_start", "week_start", "year_named"),
    "retail": ("pattern", "year_ends_on", "year_ends_in", "year_ends", "year_named", "long_period"),
    "FILE": ("calendar_gaps",),
}


def calendar_of(asked: dict[str, Any]) -> Calendar:
    """The calendar; an option of another kind is refused.

    Raises
    ------
    QuestionError, CalendarError
        Where the options make none.
    """
    kind = asked["calendar"] if asked["calendar"] in _OF else "FILE"
    refuse_brought("calendar", asked["calendar"])
    for names in _OF.values():
        for name in names:
            if asked[name] is not None and name not in _OF[kind]:
                goes = " or ".join(f"--calendar {other}" for other, own in _OF.items() if name in own)
                raise QuestionError(f"--{name.replace('_', '-')} goes with {goes}; this is --calendar {kind}")
    given = {name.removeprefix("calendar_"): asked[name] for name in _OF[kind] if asked[name] is not None}
    if kind == "civil":
        return CivilCalendar(**given)
    if kind == "retail":
        from logochron.core.calendars.retail import RetailCalendar

        if "pattern" in given:
            given["pattern"] = _pattern(given["pattern"])
        return RetailCalendar(**given)
    from logochron.core.calendars.listed import ListedCalendar

    try:
        return ListedCalendar(asked["calendar"], **given)
    except CalendarError as error:  # what a file holds, not what an option says
        raise IntakeError(str(error)) from None
    except QuestionError as error:
        raise QuestionError(f"--calendar must be civil, retail or the file of a table of periods: {error}") from None


def _pattern(text: str) -> tuple[int, ...]:
    """``4-5-4`` as weeks; ``13x4`` as thirteen periods of four."""
    if text.strip().lower() == "13x4":
        return (4,) * 13
    if not re.fullmatch(r"\d+(-\d+)*", text.strip()):
        raise CalendarError(
            f"--pattern must be the weeks in the periods of a quarter such as 4-5-4, or 13x4; got {brief(text)}"
        )
    return tuple(int(weeks) for weeks in text.split("-"))


def this_year(calendar: Calendar) -> tuple[dt.date, dt.date]:
    """The year of a calendar that holds today; all that is listed where today is in none."""
    from logochron.core.days import as_date, day_number

    today = day_number(dt.date.today())
    year = calendar.touching("year", today, today)
    if not len(year):
        year = calendar.touching("year", -(2**31), 2**31)
    first, last = calendar.first_days("year", year[:1])[0], calendar.last_days("year", year[-1:])[0]
    return as_date(int(first)), as_date(int(last))
