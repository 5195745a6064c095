"""What every calendar gives: consecutive numbers for the periods of each grain."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Sequence
from contextlib import suppress
from numbers import Integral
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.calendars.period_names import Name, Texts, as_text, read_name
from logochron.core.calendars.written_names import label_of
from logochron.core.choices import Grain, check, values
from logochron.core.days import DayLike, Days, day_number, in_words, to_dates, to_days
from logochron.core.errors import CalendarError, LogochronError, QuestionError, brief, nearest
from logochron.core.notes import Noted
from logochron.core.said import Said

if TYPE_CHECKING:
    import pandas as pd

Bools = NDArray[np.bool_]
#: A day that names of all grains are shown for.
_SHOWN = "2026-05-18"
_BY_LENGTH: tuple[Grain, ...] = values(Grain)


class Earlier(NamedTuple):
    """The same places some years before: `ordinals`, whether they are there (`found`), and a note on some."""

    ordinals: Days
    found: Bools
    note: Noted

    @classmethod
    def all_found(cls, ordinals: Days) -> Earlier:
        """Periods that are all there."""
        found = np.ones(ordinals.shape, dtype=bool)
        return cls(ordinals, found, Noted(~found, ""))

    @classmethod
    def where(cls, found: Bools, ordinals: Days, why_not: str, *args: Any) -> Earlier:
        """Periods of which some are there; the others bear a note."""
        return cls(ordinals, found, Noted(~found, why_not, args))

    @classmethod
    def stacked(cls, steps: Sequence[Earlier]) -> Earlier:
        """Several parts for each period, all with one kind of note."""
        ordinals, found = (np.stack(side) for side in zip(*((step.ordinals, step.found) for step in steps)))
        rows, code = np.stack([step.note.rows for step in steps]), steps[0].note.code
        args = tuple(
            np.stack(arg) if isinstance(arg[0], np.ndarray) else arg[0]
            for arg in zip(*(step.note.args for step in steps))
        )
        return cls(ordinals, found, Noted(rows, code, args))


class Calendar(ABC):
    """Numbers the periods of each grain with consecutive integers.

    All methods are vectorised: days are day numbers (int64, days since 1970-01-01), ordinals are int64.
    "The one before" is always ordinal - 1.
    """

    #: Whether its periods are made of whole weeks.
    whole_weeks = False
    #: The grains it has.
    grains: tuple[Grain, ...] = _BY_LENGTH

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
            Where `each` is no grain of this calendar.
        CalendarError
            Where no period holds a day.
        """
        self.check_grain(each)
        numbers = to_days(days)
        held = self.holds(numbers)
        if not held.all():
            outside = int(numbers[~held].flat[0])
            raise CalendarError("no period of the calendar holds {0}{1}", in_words(outside), self.extent())
        return self._ordinals(each, numbers)

    def check_grain(self, each: Grain, name: str = "each") -> None:
        """Refuse what is no grain of this calendar."""
        check(name, each, Grain)
        if each not in self.grains:
            raise QuestionError(
                "`{0}` {1!r} is no grain of this calendar; it has {2}{3}",
                name,
                each,
                ", ".join(self.grains),
                self._lacking(each),
            )

    def touching(self, each: Grain, first: int, last: int) -> Days:
        """The ordinals of all periods that touch the days from `first` to `last`."""
        low, high = (int(o) for o in self._ordinals(each, np.array([first, last])))
        return np.arange(low, high + 1)

    def last_days(self, each: Grain, ordinals: Any) -> Days:
        """The last day of each period: the day before the next one starts."""
        return self.first_days(each, as_ordinals(ordinals) + 1) - 1

    def holds(self, days: Days) -> Bools:
        """Whether any period holds each day."""
        return np.ones(days.shape, dtype=bool)

    def exists(self, each: Grain, ordinals: Days) -> Bools:
        """Whether there are such periods."""
        return np.ones(ordinals.shape, dtype=bool)

    def whole(self, each: Grain, ordinals: Days) -> Bools:
        """Whether the calendar has all of each period."""
        return np.ones(ordinals.shape, dtype=bool)

    def lengths(self, starts: Days, ends: Days) -> Days:
        """The days of spans that belong to any period."""
        return ends - starts + 1

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
            raise QuestionError("`first` must not be after `last`; got {0} and {1}", first, last)
        self.check_grain(each)
        columns = self.period_columns(each, self.touching(each, *bounds))
        return pd.DataFrame({n: v.astype("datetime64[s]") if v.dtype.kind == "M" else v for n, v in columns.items()})

    def period_columns(self, each: Grain, ordinals: Days) -> dict[str, NDArray[Any]]:
        """What `periods` tells of some periods, as arrays."""
        starts, ends = self.first_days(each, ordinals), self.last_days(each, ordinals)
        years, numbers = self.places(each, ordinals)
        return {
            "period": self.labels(each, ordinals).astype(object),
            "start": to_dates(starts),
            "end": to_dates(ends),
            "year": years,
            "number": numbers,
            "days": self.lengths(starts, ends),
        }

    def nests(self, each: Grain, parent: Grain) -> bool:
        """Whether periods of grain `each` make up those of grain `parent`."""
        return _BY_LENGTH.index(each) <= _BY_LENGTH.index(parent)

    def parents(self, each: Grain, parent: Grain, ordinals: Days) -> Days:
        """The ordinals of the longer periods that hold each period."""
        return self._ordinals(parent, self.first_days(each, ordinals))

    def children(self, each: Grain, parent: Grain, ordinals: Any) -> tuple[Days, Days]:
        """The first and the last period of grain `each` in each longer period."""
        ordinals = as_ordinals(ordinals)
        return self._ordinals(each, self.first_days(parent, ordinals)), self._ordinals(
            each, self.last_days(parent, ordinals)
        )

    def day_ordinals(self, days: Days) -> Days:
        """The ordinals of days, whether or not a period holds them."""
        return self._ordinals("day", days)

    def word(self, each: str) -> str:
        """What people call the periods of a grain."""
        return Said(each)

    def find(self, each: Grain, label: str, name: str = "at") -> tuple[int, int]:
        """The first and last ordinal of the periods that a label names: its own, or those within a longer one.

        Parameters
        ----------
        name
            The option, as the message calls it.

        Raises
        ------
        QuestionError
            Where it names none; what was probably meant is offered.
        """
        grain, ordinal = self._as_written(label.strip(), each, name)
        if grain == "day":
            held = int(self.ordinals(each, np.array([ordinal]))[0])
            return held, held
        if grain == each:
            return ordinal, ordinal
        if self.nests(each, grain):
            low, high = self.children(each, grain, ordinal)
            return int(low), int(high)
        if self.nests(grain, each):
            longer = int(self.parents(grain, each, np.array([ordinal]))[0])
            raise QuestionError(
                "`{0}` names a {1} ({2}), shorter than each={3!r}: did you mean {4!r}?",
                name,
                self.word(grain),
                label,
                each,
                str(self.labels(each, np.array([longer]))[0]),
            )
        raise QuestionError(
            "`{0}` names a {1} ({2}), and weeks do not fit into months: with each={3!r} name a "
            "{3}, a day in it or a year",
            name,
            grain,
            label,
            each,
        )

    def grain_of(self, label: str, each: Grain) -> Grain:
        """The grain of the period that a label names: `each` where it names none, or a shorter one.

        >>> from logochron import CivilCalendar
        >>> CivilCalendar().grain_of("Q3 2015", "month"), CivilCalendar().grain_of("2015-07-04", "month")
        ('quarter', 'month')
        """
        try:
            grain, _ = self._as_written(label.strip(), each, "at")
        except LogochronError:
            return each
        return grain if grain != "day" and self.nests(each, grain) else each

    def _as_written(self, label: str, each: Grain, option: str) -> tuple[Grain, int]:
        """The grain and ordinal of the period that a label names, in its own form or as people write it."""
        try:
            return self._named(label, option)
        except QuestionError:
            written = None if read_name(label) else label_of(label, each)
            if written is None:
                raise
            for fiscal in (written.fiscal, False)[: 1 + written.fiscal]:
                with suppress(QuestionError):
                    return self._named(written._replace(fiscal=fiscal).name.text, option)
            return self._named(written.name.text, option)  # says why there is no such period

    def _named(self, label: str, option: str) -> tuple[Grain, int]:
        """The grain and ordinal of the period that a label of the usual forms names; of a day its number."""
        name = read_name(label)
        if name is None:
            raise self._no_name(label, option)
        if name.kind == "day":
            return "day", day_number(label.upper().removeprefix("FY") if name.fiscal else label, option)
        if name.year < 1:
            raise QuestionError("`{0}` must name a year from 0001 to 9999; got {1}", option, brief(label))
        return self._place(name, label, option)

    def _no_name(self, label: str, option: str) -> QuestionError:
        day = to_days(np.array([_SHOWN], dtype="datetime64[D]"))
        forms = [str(self.labels(grain, self._ordinals(grain, day))[0]) for grain in self.grains]
        hint = nearest(label, forms)
        return QuestionError(
            "`{0}` must be a period such as {1}; got {2}{3}",
            option,
            ", ".join(forms),
            brief(label),
            (Said(". Did you mean something like {0!r}?", hint) if hint else ""),
        )

    def extent(self) -> str:
        """From when to when it has periods, for a message; empty where it has no end."""
        return ""

    def _lacking(self, each: Grain) -> str:
        return ""

    def _place(self, name: Name, label: str, option: str) -> tuple[Grain, int]:
        raise NotImplementedError

    @abstractmethod
    def _ordinals(self, each: Grain, days: Days) -> Days: ...

    @abstractmethod
    def first_days(self, each: Grain, ordinals: Any) -> Days:
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

    def cut(self, each: Grain, starts: Days, base_starts: Days, report_days: Any) -> Days:
        """The last day of each base span, cut where a report day cuts the period that starts on `starts`.

        Here: the same number of days from the start.
        """
        return np.asarray(base_starts + (report_days - starts), dtype=np.int64)

    def day_places(self, grain: Grain, ordinals: Days) -> Days:
        """The day at each place in some periods, so that the places of all line up.

        Here: by day number; shorter periods stay at their last day.

        Returns
        -------
        numpy.ndarray
            int64, shape (periods, places): as many places as the longest of them has days.
        """
        starts, ends = self.first_days(grain, ordinals), self.last_days(grain, ordinals)
        places = np.arange(int((ends - starts).max(initial=0)) + 1)
        return np.minimum(starts[:, None] + places, ends[:, None])

    @abstractmethod
    def legend(self, each: Grain, ordinals: Days) -> tuple[str, ...]:
        """Lines that say what the named years of these periods are; empty where the label says it."""


def year_lines(prefix: str, years: Days, starts: Days, ends: Days, weeks: Days | None = None) -> tuple[str, ...]:
    """The lines of a legend: "FY2026 = 1 Apr 2025 to 31 Mar 2026"."""
    lengths = [""] * len(years) if weeks is None else [Said(", {0} weeks", n) for n in weeks]
    return tuple(
        Said("{0}{1} = {2} to {3}{4}", prefix, year, in_words(int(start)), in_words(int(end)), more)
        for year, start, end, more in zip(years, starts, ends, lengths)
    )


def day_labels(days: Days) -> Texts:
    """The labels of days, in any calendar."""
    return as_text(to_dates(days))


def check_number(name: str, came: object, least: int, most: int, what: str) -> None:
    """Refuse a parameter of a calendar that is no number in a range."""
    if isinstance(came, bool) or not isinstance(came, Integral) or not least <= int(came) <= most:
        raise CalendarError("`{0}` must be {1} from {2} to {3}; got {4}", name, what, least, most, brief(came))


def as_ordinals(ordinals: Any) -> Days:
    """Ordinals as an array."""
    return np.asarray(ordinals, dtype=np.int64)
