"""The options of a question about periods that are lined up: checked once, asked anew by `replace`."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from logochron.core.align.bases import Basis, YearAgo, parse_basis
from logochron.core.align.windows import Window, window_of
from logochron.core.calendars.base import Calendar
from logochron.core.calendars.civil import CivilCalendar
from logochron.core.errors import QuestionError
from logochron.core.options import Each, Grain, Partial, Per, Weeks, check, check_count


@dataclass(frozen=True, kw_only=True)
class Question:
    """Which periods, what each adds up, what it is held against, and how both are cut and divided.

    Parameters
    ----------
    each, calendar
        The grain of the rows, and what numbers them.
    basis
        What each is held against.
    window
        What a row adds up.
    partial, weeks, skip_closed, at, last, per
        As `compare` has them.
    """

    each: Each
    calendar: Calendar = CivilCalendar()
    basis: Basis = YearAgo()
    window: Window = Window()
    partial: Partial = "to-date"
    weeks: Weeks = "same-number"
    skip_closed: bool = False
    at: Any = None
    last: int | None = None
    per: Per | None = None

    @property
    def grain(self) -> Grain:
        """`each`, where it is no span."""
        return "day" if self.each == "span" else self.each

    @property
    def running(self) -> Grain | int | None:
        """What each row adds up, as it is asked: a longer grain, so many periods, or the period itself."""
        return self.window.parent or (self.window.n if self.window.n > 1 else None)


def question_of(
    *,
    each: Each,
    against: str | Basis = "year-ago",
    calendar: Calendar | None = None,
    running: Any = None,
    partial: Partial = "to-date",
    weeks: Weeks = "same-number",
    skip_closed: bool = False,
    at: Any = None,
    last: int | None = None,
    per: Per | None = None,
) -> Question:
    """The options as a user gives them, checked.

    Raises
    ------
    QuestionError
        Where one names nothing or does not go with another.
    """
    check("each", each, Each)
    check("partial", partial, Partial)
    check("weeks", weeks, Weeks)
    if last is not None:
        check_count("last", last)
    calendar = calendar_asked(calendar)
    basis = parse_basis(against)
    grain: Grain = "day" if each == "span" else each
    if each != "span":
        calendar.check_grain(grain)
    elif running is not None:
        raise QuestionError("`running` goes with periods, not with each='span'")
    if per is not None:
        check("per", per, Per)
    return Question(
        each=each,
        calendar=calendar,
        basis=basis,
        window=window_of(calendar, grain, running),
        partial=partial,
        weeks=weeks,
        skip_closed=bool(skip_closed),
        at=at,
        last=last,
        per=per,
    )


def calendar_asked(calendar: object) -> Calendar:
    """The calendar of a question; civil where None.

    Raises
    ------
    QuestionError
        Where it is none.
    """
    if calendar is None:
        return CivilCalendar()
    if not isinstance(calendar, Calendar):
        raise QuestionError(f"`calendar` must be a calendar such as CivilCalendar(); got {type(calendar).__name__}")
    return calendar
