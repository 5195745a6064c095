"""What a row adds up: the period itself, all since the start of a longer one, or so many periods."""

from __future__ import annotations

from typing import NamedTuple

from logochron.core.calendars.base import Bools, Calendar
from logochron.core.days import Days
from logochron.core.errors import QuestionError, brief
from logochron.core.options import PLURALS, Grain, check_count, refuse_brought, values


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
            offered = f"with each={each!r} running may be {', '.join(fitting)} or a number" if fitting else (
                f"with each={each!r} running may be a number"
            )  # fmt: skip
            raise QuestionError(f"`running` {parent!r} is not made of whole {PLURALS[each]}: {offered}")
        return Window(parent=parent)
    if isinstance(running, str):
        refuse_brought("running", running)
        raise QuestionError(
            f"`running` must be week, month, quarter, half, year or a number of periods; got {brief(running)}"
        )
    return Window(n=check_count("running", running))
