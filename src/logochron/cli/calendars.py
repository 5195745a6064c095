"""The calendar that the options choose."""

from __future__ import annotations

import datetime as dt
import re
from typing import Any

from logochron.core.calendars.base import Calendar
from logochron.core.calendars.civil import CivilCalendar
from logochron.core.choices import refuse_brought
from logochron.core.errors import CalendarError, IntakeError, QuestionError, brief
from logochron.options import CALENDARS, calendar_options

#: What the command line calls a calendar that is listed.
_FILE = "FILE"


def calendar_of(options: dict[str, Any]) -> Calendar:
    """The calendar; an option of another kind is refused.

    Raises
    ------
    QuestionError, CalendarError
        Where the options make none.
    """
    refuse_brought("calendar", options["calendar"])
    rows = {_FILE if kind == "listed" else kind: list(calendar_options(kind)) for kind in CALENDARS}
    kind = options["calendar"] if options["calendar"] in rows else _FILE
    own = {row.name for row in rows[kind]}
    for row in (row for kind_rows in rows.values() for row in kind_rows):
        if options[row.name] is not None and row.name not in own:
            goes = " or ".join(f"--calendar {other}" for other, of in rows.items() if row.name in {r.name for r in of})
            raise QuestionError(f"{row.flags} goes with {goes}; this is --calendar {kind}")
    given = {name: options[name] for name in own if options[name] is not None}
    if kind == "civil":
        return CivilCalendar(**given)
    if kind == "retail":
        from logochron.core.calendars.retail import RetailCalendar

        if "pattern" in given:
            given["pattern"] = _pattern(given["pattern"])
        return RetailCalendar(**given)
    from logochron.core.calendars.listed import ListedCalendar

    try:
        return ListedCalendar(options["calendar"], **given)
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
