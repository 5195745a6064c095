"""Records that stand for more than a day: whole weeks, months, quarters or years."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.calendars.base import Calendar
from logochron.core.calendars.civil import CivilCalendar
from logochron.core.choices import PLURALS, Grain, PlanSpread
from logochron.core.days import Days, iso, weekday
from logochron.core.errors import QuestionError
from logochron.core.said import Hinted, Said

#: From how many distinct days on a regular pattern is no accident.
_ENOUGH = {"month": 3, "week": 4}


class Standing(NamedTuple):
    """What each record stands for: a day, or the whole period of grain `records_of` that its date falls in.

    With `spread` its amount is laid evenly on all days of the period; else it sits on the first one. Of a plan
    ``"year-ago"`` says that it is yet to be laid in the shape of a year earlier.
    """

    records_of: Grain = "day"
    calendar: Calendar = CivilCalendar()
    spread: PlanSpread | None = None

    def spans(self, days: Days) -> tuple[Days, Days]:
        """First and last day of what a record of each day stands for."""
        if self.records_of == "day":
            return days, days
        ordinals = self.calendar.ordinals(self.records_of, days)
        return self.calendar.first_days(self.records_of, ordinals), self.calendar.last_days(self.records_of, ordinals)

    @property
    def whole(self) -> bool:
        """Whether only whole periods can be told."""
        return self.records_of != "day" and self.spread != "even"

    def known_until(self, starts: Days, days: Days) -> Days:
        """The last day up to which sums from `starts` are known, at most `days`; at least to the first such day."""
        if not self.whole:
            return days
        first, last = self.spans(days.ravel())
        known = np.where(last == days.ravel(), last, first - 1).reshape(days.shape)
        return np.maximum(known, self.spans(starts.ravel())[1].reshape(starts.shape))

    def is_cut(self, day: int, recorded: Days) -> bool:
        """Whether a day lies within the last recorded period, so that this is to date, and is spread over no days."""
        start, end = self.spans(recorded[-1:])
        return self.whole and bool(start[0] <= day < end[0])

    def check_edges(self, first: int, last: int) -> None:
        """Refuse a coverage that starts or ends within a period."""
        if not self.whole:
            return
        for option, day, edge in (("covering", first, 0), ("until", last, 1)):
            start, end = (int(side[0]) for side in self.spans(np.array([day])))
            if day != (start, end)[edge]:
                offered = (iso(start), iso(end + 1)) if edge == 0 else (iso(start - 1), iso(end))
                one = self.records_of
                raise QuestionError(
                    "`{0}` {1} lies within a {2}, and each record stands for a whole {2}: say {3} or "
                    "{4}, or read with spread='even' (--spread even)",
                    option,
                    iso(day),
                    one,
                    offered[0],
                    offered[1],
                    remedies=[{option: end} for end in offered[::-1]] if edge else [],
                )

    def check_spans(self, starts: Days, ends: Days, to_date: int | None = None) -> None:
        """Refuse spans that are not made of whole periods; empty ones are none.

        `to_date` is a day on which a span may end within a period: its record is known to that day.

        Raises
        ------
        QuestionError
            Naming the first such span.
        """
        if not self.whole:
            return
        nonempty = np.flatnonzero(ends >= starts)
        last_days = ends[nonempty]
        bad = (self.spans(starts[nonempty])[0] != starts[nonempty]) | (self.spans(last_days)[1] != last_days)
        bad &= (last_days != to_date) | (self.spans(starts[nonempty])[0] != starts[nonempty])
        if bad.any():
            place = int(nonempty[bad.argmax()])
            raise QuestionError(
                "each record stands for a whole {0}: the days {1} to {2} are not made of such; ask "
                "for longer periods, or read with spread='even' (--spread even)",
                self.records_of,
                iso(int(starts[place])),
                iso(int(ends[place])),
                remedies=[{"each": self.records_of}, {"spread": "even"}],
            )


def even_parts(amounts: Days, lengths: Days) -> tuple[NDArray[np.intp], Days, Days]:
    """Whole amounts laid evenly on days, to the unit: day d of n gets q + floor(r d / n) - floor(r (d - 1) / n).

    Parameters
    ----------
    amounts, lengths
        int64, the amount and the number of days of each.

    Returns
    -------
    tuple of numpy.ndarray
        For each day the index of its amount, its place (from 0) and its part.

    >>> even_parts(np.array([10]), np.array([4]))[2].tolist()
    [2, 3, 2, 3]
    """
    of = np.repeat(np.arange(len(amounts)), lengths)
    place = np.arange(len(of)) - np.repeat(np.cumsum(lengths) - lengths, lengths)
    q, r = np.divmod(amounts, lengths)
    n, rest = lengths[of], r[of]
    return of, place, q[of] + rest * (place + 1) // n - rest * place // n


#: Dates on so many days of a period, and more, are those of shorter periods; on more than one they may be.
_SHORTER, _SEVERAL = 4, 2


def check_periods(dates: Days, standing: Standing) -> str:
    """What to say where dates fall on several days of the periods that each record is to stand for; mostly empty.

    Parameters
    ----------
    dates
        Distinct day numbers.

    Raises
    ------
    QuestionError
        Where they fall on four days or more of the median period: these look like records of shorter ones.

    Examples
    --------
    >>> check_periods(np.array([20_454, 20_485, 20_513]), Standing("month"))
    ''
    """
    one, calendar = standing.records_of, standing.calendar
    typical = _days_a_period(dates, one, calendar)
    if typical < _SEVERAL:
        return ""
    shorter = calendar.grains[: calendar.grains.index(one)]
    fits = next(grain for grain in reversed(shorter) if _days_a_period(dates, grain, calendar) == 1)
    said = Said(
        "the dates fall on {0} different days of the median {1}: these look like records of {2}, say {3}",
        int(typical),
        one,
        PLURALS[fits],
        how_to_say(fits),
    )
    if typical < _SHORTER:
        return Hinted("", Said("records_of={0!r}: {1} unless each record stands for a whole {0}", one, said))
    raise QuestionError(
        "records_of={0!r} (--records-of {0}) would take each record for a whole {0}, but {1}",
        one,
        said,
        remedies=[{"records_of": fits}],
    )


def how_to_say(grain: str) -> str:
    """How to say what each record stands for."""
    return Said("records_of={0!r} (--records-of {0}, of a plan --plan-records-of {0})", grain)


def _days_a_period(dates: Days, grain: Grain, calendar: Calendar) -> float:
    """On how many days of a period distinct dates fall: the median of those that have any."""
    return float(np.median(np.unique(calendar.ordinals(grain, dates), return_counts=True)[1]))


class _Regular(NamedTuple):
    """The grain of which dates fall on one day each, and which."""

    grain: Grain
    shown: str


def _regular(recorded: Days) -> _Regular | None:
    """The longest grain of which all dates fall on one day; None where they do not."""
    dates = recorded.astype("datetime64[D]")
    months = dates.astype("datetime64[M]")
    of_month = (dates - months.astype("datetime64[D]")).astype(np.int64) + 1
    month_ends = ((recorded + 1).astype("datetime64[D]").astype("datetime64[M]") != months).all()
    n = len(recorded)
    if n >= _ENOUGH["month"] and (month_ends or (of_month == of_month[0]).all()):
        number = months.astype(np.int64)
        grain: Grain = "month"
        for step, longer in ((3, "quarter"), (12, "year")):
            if (number % step == number[0] % step).all():
                grain = longer  # type: ignore[assignment]
        where = (
            Said("the last day")
            if month_ends
            else Said("the first")
            if of_month[0] == 1
            else Said("day {0}", of_month[0])
        )
        return _Regular(grain, Said("{0} of a month", where))
    if n >= _ENOUGH["week"] and (weekday(recorded) == weekday(recorded[0])).all():
        return _Regular("week", Said("one weekday"))
    return None


def regular_grain(recorded: Days) -> Grain | None:
    """The longest grain of which distinct dates all fall on one day; None where they do not, or are too few to tell.

    >>> regular_grain(np.array([20_454, 20_485, 20_513]))
    'month'
    """
    regular = _regular(recorded)
    return regular.grain if regular else None


def hint(recorded: Days) -> str:
    """What to say where dates all fall on one day of the month or the week; empty where they do not.

    >>> hint(np.array([20_454, 20_485, 20_513]))
    "all 3 dates fall on the first of a month: where each record stands for a whole month,
    say records_of='month' (--records-of month)"
    """
    regular = _regular(recorded)
    if regular is None:
        return ""
    return Hinted(
        Said("all {0:,} dates fall on {1}", len(recorded), regular.shown),
        Said(": where each record stands for a whole {0}, say records_of={0!r} (--records-of {0})", regular.grain),
    )
