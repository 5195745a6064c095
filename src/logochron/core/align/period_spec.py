"""Which periods are asked for, against what, over which window."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, NamedTuple

from logochron.core.align.bases import Basis, YearAgo, parse_basis
from logochron.core.calendars.base import Bools, Calendar
from logochron.core.calendars.civil import CivilCalendar
from logochron.core.choices import PLURALS, Each, Grain, Partial, Per, Weeks, check, check_count, refuse_brought, values
from logochron.core.days import Days
from logochron.core.errors import QuestionError, brief
from logochron.core.said import Said


class Window(NamedTuple):
    """From the start of the `parent` that holds a period to its end; or the period and the `n` - 1 before."""

    parent: Grain | None = None
    n: int = 1

    def starts(self, calendar: Calendar, each: Grain, ordinals: Days) -> Days:
        """The first day of each row."""
        if self.parent is None:
            return calendar.first_days(each, ordinals - (self.n - 1))
        parents = calendar.parents(each, self.parent, ordinals)
        return calendar.first_days(each, calendar.children(each, self.parent, parents)[0])

    def exists(self, calendar: Calendar, each: Grain, ordinals: Days) -> Bools:
        """Whether the calendar has all periods of each row."""
        return calendar.exists(each, ordinals) & calendar.exists(each, ordinals - (self.n - 1))

    def whole(self, calendar: Calendar, each: Grain, ordinals: Days) -> Bools:
        """Whether the calendar has all of each row."""
        if self.parent is not None:
            return calendar.whole(self.parent, calendar.parents(each, self.parent, ordinals))
        return calendar.whole(each, ordinals) & calendar.exists(each, ordinals - (self.n - 1))


def window_of(calendar: Calendar, each: Grain, running: object) -> Window:
    """The window that `running` names: a longer grain, or a number of periods.

    Raises
    ------
    QuestionError
        Where it is neither, or periods of grain `each` do not make up those of the longer one.
    """
    if running is None:
        return Window()
    if isinstance(running, str) and running in values(Grain):
        parent: Grain = running  # type: ignore[assignment]
        calendar.check_grain(parent, "running")
        if not calendar.nests(each, parent) or parent == "day":
            fitting = [grain for grain in calendar.grains if grain not in ("day", each) and calendar.nests(each, grain)]
            offered = Said("with each={0!r} running may be {1} or a number", each, ', '.join(fitting)) if fitting else (
                Said("with each={0!r} running may be a number", each)
            )  # fmt: skip
            raise QuestionError("`running` {0!r} is not made of whole {1}: {2}", parent, PLURALS[each], offered)
        return Window(parent=parent)
    if isinstance(running, str):
        refuse_brought("running", running)
        raise QuestionError(
            "`running` must be week, month, quarter, half, year or a number of periods; got {0}", brief(running)
        )
    return Window(n=check_count("running", running))


@dataclass(frozen=True, kw_only=True)
class PeriodSpec:
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


def period_spec(
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
) -> PeriodSpec:
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
    return PeriodSpec(
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
        raise QuestionError("`calendar` must be a calendar such as CivilCalendar(); got {0}", type(calendar).__name__)
    return calendar
