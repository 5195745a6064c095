"""The last period of records that stand for more than a day: whole, or not over yet?"""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from logochron.core.book.measures import all_aggregates
from logochron.core.days import iso
from logochron.core.said import Hinted, Said

if TYPE_CHECKING:
    from logochron.core.book.daybook import Daybook

#: Where the last period has less than this part of its base it may not be over.
_SHORT = 0.7


class LastPeriod(NamedTuple):
    """A last period that has little: its label, the part of the base that it has, and the base's label.

    `first` and `last` are its days.
    """

    label: str
    part: float
    base: str
    first: int
    last: int

    @property
    def advice(self) -> str:
        """What to say where it is not over."""
        return Said("if {0} is not over, say until= the day to which it is recorded (--until DAY)", self.label)


def short_last_period(book: Daybook) -> LastPeriod | None:
    """The last period of records of whole ones, where it has little beside a year ago, or beside the one before.

    None where the report date or the end of the coverage is stated, or records stand for days.
    """
    standing = book.standing
    if standing.records_of == "day" or book.asked_until is not None or book.asked_covering[1] is not None:
        return None
    if len(book.recorded) < 2:
        return None
    grain, calendar = standing.records_of, standing.calendar
    last = int(calendar.ordinals(grain, book.recorded[-1:])[0])
    year_ago = calendar.year_ago(grain, np.array([last]), 1)
    first_held = int(calendar.first_days(grain, year_ago.ordinals)[0]) >= int(book.recorded[0])
    base = int(year_ago.ordinals[0]) if bool(year_ago.found[0]) and first_held else last - 1
    keys = [aggregate.key for aggregate in all_aggregates(book.formulas) if not aggregate.counts]
    if not keys:
        return None
    periods = np.array([[last, base]])
    starts, ends = calendar.first_days(grain, periods), calendar.last_days(grain, periods)
    sums = book.sums((), keys[:1], (starts, ends))[keys[0]][0][:, 0].astype(float)
    if len(sums) < 2 or not sums[1] > 0 or not sums[0] < _SHORT * sums[1]:
        return None
    labels = calendar.labels(grain, periods[0])
    return LastPeriod(str(labels[0]), float(sums[0] / sums[1]), str(labels[1]), int(starts[0, 0]), int(ends[0, 0]))


def running_lines(book: Daybook) -> tuple[str, ...]:
    """What is to be said of a last period that is not over, or may not be."""
    if book.coverage.uncut:
        return (
            Hinted(
                Said("records of whole periods hold no days: what runs to {0} has no base", iso(book.coverage.last)),
                Said("; spread='even' (--spread even) spreads them evenly over their days, and cuts both sides alike"),
            ),
        )
    short = short_last_period(book)
    if short is None:
        return ()
    said = Said("{0} has {1:.0f} % of {2}", short.label, 100 * short.part, short.base)
    return (Hinted(said, Said(": {0}", short.advice)),)
