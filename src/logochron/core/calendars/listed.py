"""Listed periods: whatever a company's finance department has written down."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core import ports
from logochron.core.calendars.base import Bools, Calendar, Earlier, as_ordinals, day_labels, year_lines
from logochron.core.calendars.period_names import Name, Texts, read_name, write_names
from logochron.core.choices import Gaps, Grain, check
from logochron.core.days import Days, day_number, in_words, iso
from logochron.core.errors import CalendarError, QuestionError, brief, no_such
from logochron.core.said import Said

#: More than the numbers that periods of one year may have.
_YEAR = 1000


class Listing(NamedTuple):
    """A list of periods as it was read: where each stands (`lines` of `name`), day numbers, texts, whole numbers."""

    name: str
    unit: str
    lines: Days
    starts: Days
    ends: Days
    labels: NDArray[np.object_]
    years: Days
    quarters: Days | None = None
    halves: Days | None = None
    numbers: Days | None = None

    def where(self, row: int) -> str:
        """Where a period stands, for a message."""
        return Said("{0}, {1} {2:,}", self.name, Said(self.unit), self.lines[row])


class _Grain(NamedTuple):
    """The periods of one grain: the first and last listed period of each, its year and its number there."""

    low: Days
    high: Days
    years: Days
    numbers: Days

    def at(self, years: Days, numbers: Days) -> tuple[Days, Bools]:
        """The ordinals of places, and whether they are listed."""
        keys, wanted = self.years * _YEAR + self.numbers, years * _YEAR + numbers
        places = np.minimum(np.searchsorted(keys, wanted), len(keys) - 1)
        return places, keys[places] == wanted


class ListedCalendar(Calendar):
    """Periods listed in a table: `start`, `end`, `label`, `year`, if need be `quarter`, `half`, `number`.

    Listed periods are the grain ``month``; quarters, halves and years are made of them. Days count from the
    first day of the year. There are no weeks.

    Parameters
    ----------
    frame_or_path
        A data frame, a mapping of columns, or the path of a table (.csv, .xlsx, .json, .parquet). Days are ISO
        dates or dates proper; `year`, `quarter`, `half` and `number` are whole numbers. `number` is the place
        in the year; where it is left out periods count from 1, and a first year that has fewer periods than the
        next counts from its end, which `notes` tells.
    gaps
        ``"refused"``, or ``"allowed"``: days between periods then belong nowhere.

    Raises
    ------
    CalendarError
        Naming the row: overlap, disorder, gaps, labels or numbers that come twice, days that are none.

    Examples
    --------
    >>> calendar = ListedCalendar({"start": ["2026-01-01", "2026-02-10"], "end": ["2026-02-09", "2026-03-15"],
    ...                            "label": ["winter", "thaw"], "year": [2026, 2026]})
    >>> calendar.labels("month", calendar.ordinals("month", ["2026-02-10"]))
    array(['thaw'], dtype='<U6')
    """

    def __init__(self, frame_or_path: Any, *, gaps: Gaps = "refused") -> None:
        check("gaps", gaps, Gaps, CalendarError)
        listing = ports.listing(frame_or_path)
        self.name = listing.name
        self.notes: tuple[str, ...] = ()
        _check(listing, gaps)
        self._starts, self._ends = listing.starts, listing.ends
        self._labels = np.array([str(label).strip() for label in listing.labels], dtype=str)
        # where days lie between periods, a day's ordinal leaves them out
        self._before = np.append(0, np.cumsum(self._ends - self._starts + 1)) + int(self._starts[0])
        self._gapless = bool((self._starts[1:] == self._ends[:-1] + 1).all())
        numbers = self._numbered(listing)
        rows = np.arange(len(self._starts))
        self._of_grain = {"month": _Grain(rows, rows, listing.years, numbers)}
        for grain, given in (("quarter", listing.quarters), ("half", listing.halves), ("year", None)):
            if grain == "year" or given is not None:
                self._of_grain[grain] = _gathered(listing, grain, given)
        self.grains = tuple(g for g in ("day", "month", "quarter", "half", "year") if g == "day" or g in self._of_grain)
        self._short = {grain: self._starts_within(grain) for grain in self._of_grain}

    def _starts_within(self, grain: str) -> bool:
        """Whether the list begins within its first period of a grain: the year after says where such ones begin."""
        first, numbers = self._of_grain[grain], self._of_grain["month"].numbers
        if grain == "year":
            return bool(numbers[0] > 1)
        after, found = first.at(first.years[:1] + 1, first.numbers[:1])
        return bool(found[0] and numbers[first.low[after[0]]] < numbers[0])

    def _numbered(self, listing: Listing) -> Days:
        years, firsts, counts = np.unique(listing.years, return_index=True, return_counts=True)
        if listing.numbers is None:
            numbers = np.arange(len(listing.years)) - np.repeat(firsts, counts) + 1
            if len(years) > 1 and counts[0] < counts[1]:
                numbers[: counts[0]] += counts[1] - counts[0]
                self.notes = (
                    Said(
                        "{0} has {1} periods and {2} {3}: those of {0} are numbered from its end, {4} to "
                        "{5}; a column `number` says it otherwise",
                        years[0],
                        counts[0],
                        years[1],
                        counts[1],
                        numbers[0],
                        numbers[counts[0] - 1],
                    ),
                )
            return np.asarray(numbers, dtype=np.int64)
        falls = np.append(False, (np.diff(listing.numbers) <= 0) & (np.diff(listing.years) == 0))
        bad = np.flatnonzero(falls | (listing.numbers < 1) | (listing.numbers >= _YEAR))
        if len(bad):
            at = int(bad[0])
            raise CalendarError(
                "{0}: `number` must count up from 1 within a year; got {1}", listing.where(at), listing.numbers[at]
            )
        return listing.numbers

    def __repr__(self) -> str:
        return f"<ListedCalendar: {self.name}, {len(self._starts)} periods{self.extent()}>"

    def extent(self) -> str:
        return f" from {iso(int(self._starts[0]))} to {iso(int(self._ends[-1]))}"

    def _lacking(self, each: Grain) -> str:
        return Said(": its table has no column `{0}`", each) if each in ("quarter", "half") else ""

    def _ordinals(self, each: Grain, days: Days) -> Days:
        rows = np.clip(np.searchsorted(self._starts, days, side="right") - 1, 0, len(self._starts) - 1)
        if each == "day":
            return np.minimum(self._before[rows] + days - self._starts[rows], self._before[rows + 1])
        return self._of_rows(each, rows)

    def _of_rows(self, each: Grain, rows: Days) -> Days:
        return np.asarray(np.searchsorted(self._of_grain[each].low, rows, side="right") - 1, dtype=np.int64)

    def touching(self, each: Grain, first: int, last: int) -> Days:
        low = int(np.searchsorted(self._ends, first))
        high = int(np.searchsorted(self._starts, last, side="right")) - 1
        if low > high:
            return np.arange(0)
        if each == "day":
            days = np.array([max(first, self._starts[low]), min(last, self._ends[high])])
            ends = self._ordinals("day", days)
        else:
            ends = self._of_rows(each, np.array([low, high]))
        return np.arange(int(ends[0]), int(ends[1]) + 1)

    def holds(self, days: Days) -> Bools:
        rows = np.searchsorted(self._starts, days, side="right") - 1
        return np.asarray((rows >= 0) & (days <= self._ends[np.maximum(rows, 0)]))

    def exists(self, each: Grain, ordinals: Days) -> Bools:
        if each == "day":
            return np.asarray((ordinals >= self._before[0]) & (ordinals < self._before[-1]))
        return np.asarray((ordinals >= 0) & (ordinals < len(self._of_grain[each].low)))

    def whole(self, each: Grain, ordinals: Days) -> Bools:
        return np.asarray((ordinals != 0) | (each == "day") | (not self._short.get(each, False)))

    def lengths(self, starts: Days, ends: Days) -> Days:
        if self._gapless:
            return ends - starts + 1
        return self._held_before(ends + 1) - self._held_before(starts)

    def _held_before(self, days: Days) -> Days:
        """How many listed days lie before each day."""
        rows = np.searchsorted(self._starts, days, side="right") - 1
        inside = np.minimum(days - self._starts[np.maximum(rows, 0)], np.diff(self._before)[np.maximum(rows, 0)])
        return np.where(rows < 0, 0, self._before[np.maximum(rows, 0)] - self._before[0] + inside)

    def first_days(self, each: Grain, ordinals: Any) -> Days:
        ordinals = as_ordinals(ordinals)
        if each == "day":
            rows = self._day_rows(ordinals)
            return self._starts[rows] + ordinals - self._before[rows]
        return self._starts[self._row(each, ordinals, "low")]

    def last_days(self, each: Grain, ordinals: Any) -> Days:
        if each == "day":
            return self.first_days(each, ordinals)
        return self._ends[self._row(each, as_ordinals(ordinals), "high")]

    def _day_rows(self, ordinals: Days) -> Days:
        rows = np.searchsorted(self._before, ordinals, side="right") - 1
        return np.asarray(np.clip(rows, 0, len(self._starts) - 1), dtype=np.int64)

    def _row(self, each: Grain, ordinals: Days, end: str) -> Days:
        """The first or last listed period of each; what is not there is clipped to what is."""
        rows: Days = getattr(self._of_grain[each], end)
        return rows[np.clip(ordinals, 0, len(rows) - 1)]

    def places(self, each: Grain, ordinals: Any) -> tuple[Days, Days]:
        ordinals = as_ordinals(ordinals)
        if each == "day":
            days = self.first_days(each, ordinals)
            year = self._of_rows("year", self._day_rows(ordinals))
            return self._of_grain["year"].years[year], days - self.first_days("year", year) + 1
        of = self._of_grain[each]
        clipped = np.clip(ordinals, 0, len(of.low) - 1)
        return of.years[clipped], of.numbers[clipped]

    def labels(self, each: Grain, ordinals: Any) -> Texts:
        if each == "day":
            return day_labels(self.first_days(each, ordinals))
        if each == "month":
            return self._labels[self._row(each, as_ordinals(ordinals), "low")]
        years, numbers = self.places(each, ordinals)
        return write_names("", years, each, numbers)

    def year_ago(self, each: Grain, ordinals: Days, n: int) -> Earlier:
        years, numbers = self.places(each, ordinals)
        if each == "day":
            of = self._of_grain["year"]
            year, found = of.at(years - n, np.ones_like(years))
            days = self.first_days("year", year) + numbers - 1
            found = found & (days <= self.last_days("year", year)) & self.holds(days)
            at = np.where(found, self._ordinals("day", days), 0)
        else:
            at, found = self._of_grain[each].at(years - n, numbers)
        found = found & self.exists(each, ordinals)
        return Earlier.where(found, at, "no base: no such place", self.word(each), numbers, years - n)

    def nests(self, each: Grain, parent: Grain) -> bool:
        return each in self.grains and parent in self.grains and super().nests(each, parent)

    def word(self, each: str) -> str:
        return Said("period" if each == "month" else each)

    def _named(self, label: str, option: str) -> tuple[Grain, int]:
        at = np.flatnonzero(self._labels == label)
        if len(at):
            return "month", int(at[0])
        name = read_name(label)
        if name is None or name.kind in ("week", "month") or name.fiscal:
            known = [
                *self._labels[::-1].tolist(),
                *self.labels("year", np.arange(len(self._of_grain["year"].low))).tolist(),
            ]
            raise QuestionError("`{0}`: {1}", option, no_such("period", label, known, where=self.name))
        if name.kind == "day":
            return "day", day_number(label, option)
        return self._place(name, label, option)

    def _place(self, name: Name, label: str, option: str) -> tuple[Grain, int]:
        grain: Grain = "month" if name.kind == "period" else name.kind  # type: ignore[assignment]
        self.check_grain(grain, option)
        at, found = self._of_grain[grain].at(np.array([name.year]), np.array([max(name.number, 1)]))
        if not found[0]:
            known = self.labels(grain, np.arange(len(self._of_grain[grain].low))).tolist()
            raise QuestionError("`{0}`: {1}", option, no_such(grain, label, known, where=self.name))
        return grain, int(at[0])

    def legend(self, each: Grain, ordinals: Days) -> tuple[str, ...]:
        if each == "day" or not len(ordinals):
            return self.notes
        of = self._of_grain["year"]
        years = np.flatnonzero(np.isin(of.years, self.places(each, ordinals)[0]))
        lines = year_lines("", of.years[years], self._starts[of.low[years]], self._ends[of.high[years]])
        return (*lines, *self.notes)


def _gathered(listing: Listing, grain: str, given: Days | None) -> _Grain:
    """The longer periods that runs of listed ones make up.

    Raises
    ------
    CalendarError
        Where one comes back after another has begun.
    """
    inner = np.ones(len(listing.years), dtype=np.int64) if given is None else given
    keys = listing.years * _YEAR + inner
    back = np.flatnonzero(np.diff(keys) < 0)
    if len(back) or (inner < 1).any():
        at = int(back[0]) + 1 if len(back) else int(np.flatnonzero(inner < 1)[0])
        raise CalendarError(
            "{0}: {1} {2} of {3} comes after {4} of {5}; each {1} must be one run of periods, counted up from 1",
            listing.where(at),
            grain,
            inner[at],
            listing.years[at],
            inner[at - 1],
            listing.years[at - 1],
        )
    low = np.flatnonzero(np.diff(keys, prepend=keys[0] - 1))
    high = np.append(low[1:], len(keys)) - 1
    return _Grain(low, high, listing.years[low], inner[low])


def _check(listing: Listing, gaps: Gaps) -> None:
    """Refuse a list that cannot be a calendar, by row."""
    if not len(listing.starts):
        raise CalendarError("{0} lists no period", listing.name)
    backward = np.flatnonzero(listing.ends < listing.starts)
    if len(backward):
        at = int(backward[0])
        raise CalendarError(
            "{0}: {1!r} ends on {2}, before it starts",
            listing.where(at),
            listing.labels[at],
            in_words(int(listing.ends[at])),
        )
    after = listing.starts[1:] - listing.ends[:-1]
    for bad, what in (
        (np.diff(listing.starts) <= 0, "{0}: {1!r} (from {2}) starts no later than the one before: "
            "periods must be in order of time"),
        (after <= 0, "{0}: {1!r} (from {2}) starts before the one before has ended, on {3}: periods must not overlap"),
        ((after > 1) & (gaps == "refused"), "{0}: {1!r} (from {2}) leaves a gap: the one before ends on {3}; say "
            "gaps='allowed' (--calendar-gaps allowed) where such days belong to no period"),
        (np.diff(listing.years) < 0, "{0}: {1!r} (from {2}) is of {4}, after one of {5}: years must be in order"),
    ):  # fmt: skip
        if bad.any():
            at = int(bad.argmax()) + 1
            raise CalendarError(
                what, listing.where(at), listing.labels[at], in_words(int(listing.starts[at])),
                in_words(int(listing.ends[at - 1])), listing.years[at], listing.years[at - 1],
            )  # fmt: skip
    labels, first = np.unique([str(label).strip() for label in listing.labels], return_index=True)
    if len(labels) < len(listing.labels) or "" in labels:
        twice = np.setdiff1d(np.arange(len(listing.labels)), first)
        at = int(twice[0]) if len(twice) else int(first[0])
        raise CalendarError(
            "{0}: each period needs a label of its own; got {1}", listing.where(at), brief(listing.labels[at])
        )
