"""What every calendar gives: consecutive numbers for the periods of each grain."""

from __future__ import annotations

from abc import ABC, abstractmethod
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.days import DayLike, Days, day_number, to_dates, to_days
from logochron.core.errors import QuestionError
from logochron.core.options import Grain, check

if TYPE_CHECKING:
    import pandas as pd

Texts = NDArray[np.str_]


class Earlier(NamedTuple):
    """The same places some years before: `ordinals`, whether they are there (`found`), and a note for each."""

    ordinals: Days
    found: NDArray[np.bool_]
    notes: NDArray[np.object_]


class Calendar(ABC):
    """Numbers the periods of each grain with consecutive integers.

    All methods are vectorised: days are day numbers (int64, days since 1970-01-01), ordinals are int64.
    "The one before" is always ordinal - 1.
    """

    def ordinals(self, each: Grain, days: Any) -> Days:
        """The ordinal of the period of grain `each` that holds each day.

        Parameters
        ----------
        each
            day, week, month, quarter, half or year.
        days
            Anything NumPy reads as days, or day numbers; any shape.

        Returns
        -------
        numpy.ndarray
            int64, of the shape of `days`.

        Raises
        ------
        QuestionError
            Where `each` is no grain.
        """
        check("each", each, Grain)
        return self._ordinals(each, to_days(days))

    def ends(self, each: Grain, ordinals: Any) -> Days:
        """The last day of each period: the day before the next one starts."""
        return self.starts(each, np.asarray(ordinals, dtype=np.int64) + 1) - 1

    def periods(self, each: Grain, first: DayLike, last: DayLike) -> pd.DataFrame:
        """All periods of a grain that touch the days from `first` to `last`.

        Returns
        -------
        pandas.DataFrame
            `period` (label), `start`, `end` (datetime64), `year` (int, the year it belongs to),
            `number` (int, its place in that year), `days` (int).

        Raises
        ------
        QuestionError
            Where `each` is no grain, a day is none, or `first` is after `last`.

        Examples
        --------
        >>> from logochron import CivilCalendar
        >>> CivilCalendar(year_start=4).periods("quarter", "2026-03-31", "2026-04-01")
             period      start        end  year  number  days
        0 FY2026-Q4 2026-01-01 2026-03-31  2026       4    90
        1 FY2027-Q1 2026-04-01 2026-06-30  2027       1    91
        """
        import pandas as pd

        bounds = day_number(first, "first"), day_number(last, "last")
        if bounds[0] > bounds[1]:
            raise QuestionError(f"`first` must not be after `last`; got {first} and {last}")
        low, high = self.ordinals(each, np.array(bounds))
        ordinals = np.arange(low, high + 1)
        starts, ends = self.starts(each, ordinals), self.ends(each, ordinals)
        years, numbers = self.places(each, ordinals)
        return pd.DataFrame(
            {
                "period": self.labels(each, ordinals).astype(object),
                "start": to_dates(starts).astype("datetime64[s]"),
                "end": to_dates(ends).astype("datetime64[s]"),
                "year": years,
                "number": numbers,
                "days": ends - starts + 1,
            }
        )

    @abstractmethod
    def _ordinals(self, each: Grain, days: Days) -> Days: ...

    @abstractmethod
    def starts(self, each: Grain, ordinals: Any) -> Days:
        """The first day of each period."""

    @abstractmethod
    def labels(self, each: Grain, ordinals: Any) -> Texts:
        """The label of each period: unique within the grain."""

    @abstractmethod
    def places(self, each: Grain, ordinals: Any) -> tuple[Days, Days]:
        """The year each period belongs to, and its number in that year."""

    @abstractmethod
    def year_ago(self, each: Grain, ordinals: Days, n: int) -> Earlier:
        """The same place in the year, `n` years earlier."""

    @abstractmethod
    def cut(self, each: Grain, starts: Days, base_starts: Days, report_day: int) -> Days:
        """The last day of each base span, cut where `report_day` cuts the period that starts on `starts`."""

    @abstractmethod
    def find(self, each: Grain, label: str) -> tuple[int, int]:
        """The first and last ordinal of the periods that a label names: its own, or those within a longer one."""

    @abstractmethod
    def legend(self, each: Grain, ordinals: Days) -> tuple[str, ...]:
        """Lines that say what the named years of these periods are; empty where the label says it."""
