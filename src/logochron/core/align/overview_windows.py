"""The windows of an overview: which period each names on a report date."""

from __future__ import annotations

import re
from typing import NamedTuple

import numpy as np

from logochron.core.calendars.base import Calendar
from logochron.core.choices import Grain, refuse_brought, values
from logochron.core.errors import QuestionError, brief, no_such

_COUNTED = re.compile(r"([1-9]\d{0,5})-(week|month|quarter|half|year|day)s?")


class OverviewWindow(NamedTuple):
    """A window of an overview: the running period of a grain, the last whole one, or so many that end with it.

    >>> OverviewWindow.of("12-month"), OverviewWindow.of("last-week").whole
    (OverviewWindow(name='12-month', grain='month', n=12, whole=False), True)
    """

    name: str
    grain: Grain
    n: int = 1
    whole: bool = False

    def __str__(self) -> str:
        return self.name

    @classmethod
    def of(cls, name: object) -> OverviewWindow:
        """The window that a name means.

        Raises
        ------
        QuestionError
            Where it means none.
        """
        if isinstance(name, str):
            grain, last = name.removeprefix("last-"), name.startswith("last-")
            if grain in values(Grain) and not (last and grain == "day"):
                return cls(name, grain, whole=last)  # type: ignore[arg-type]
            if counted := _COUNTED.fullmatch(name):
                grain, n = counted[2], int(counted[1])
                return cls(f"{n}-{grain}" if n > 1 else grain, grain, n)  # type: ignore[arg-type]
            refuse_brought("windows", name)
        forms = [*values(Grain), *(f"last-{grain}" for grain in values(Grain)[1:]), "12-month"]
        if isinstance(name, str):
            raise QuestionError("`windows`: {0} (12-month: any number of any of them)", no_such("window", name, forms))
        said = "`windows` must be names such as {0}, last-month, 12-month; got {1}"
        raise QuestionError(said, ", ".join(forms[:6]), brief(name))

    def period(self, calendar: Calendar, report: int) -> int:
        """The ordinal of the period of the window that holds the report date, or of the last whole one by then."""
        ordinal = int(calendar.ordinals(self.grain, np.array([report]))[0])
        if self.whole and int(calendar.last_days(self.grain, np.array([ordinal]))[0]) > report:
            return ordinal - 1
        return ordinal
