"""The tuples of items that occur in a book, one number each."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.calendars.base import Bools
from logochron.core.days import Days

#: A table of all that may be is made where it is at most so many times the rows, and some.
ROOM, SMALL = 10, 1 << 16


class Items(NamedTuple):
    """The items of a question: `of_rows` codes each row of the book, `labels` names each item per dimension.

    `keys` are the tuples of codes that occur, as one number each, in order.
    """

    of_rows: Days
    labels: tuple[NDArray[np.object_], ...]
    size: int
    keys: Days
    sizes: tuple[int, ...]

    @classmethod
    def of(cls, codes: Sequence[Days], labels: Sequence[NDArray[np.object_]], rows: int) -> Items:
        """The tuples of items that occur, numbered in text order of their labels."""
        if not codes:
            return cls(np.zeros(rows, dtype=np.int64), (), 1, np.zeros(1, dtype=np.int64), ())
        sizes = tuple(max(len(known), 1) for known in labels)
        keys, size = _keys(codes, sizes), math.prod(sizes)
        if size <= ROOM * rows + SMALL:  # a table of all tuples is cheaper than sorting
            occurs = np.bincount(keys, minlength=size) > 0
            present = np.flatnonzero(occurs)
            of_rows = (np.cumsum(occurs) - 1)[keys]
        else:
            present, of_rows = np.unique(keys, return_inverse=True)
        tuples = []
        rest = present
        for known in reversed(labels):
            rest, code = np.divmod(rest, max(len(known), 1))
            tuples.append(known[code])
        return cls(of_rows.astype(np.int64), tuple(reversed(tuples)), len(present), present, sizes)

    @classmethod
    def named(cls, labels: Sequence[NDArray[Any]], rows: int) -> Items:
        """The items of rows that are told by their labels."""
        coded = [np.unique(label.astype(str), return_inverse=True) for label in labels]
        return cls.of([codes for _, codes in coded], [known.astype(object) for known, _ in coded], rows)

    def places(self, codes: Sequence[Days], rows: int) -> Days:
        """The items of other rows, -1 for those that do not occur here."""
        if not codes:
            return np.zeros(rows, dtype=np.int64)
        keys = _keys(codes, self.sizes)
        places = np.searchsorted(self.keys, keys)
        return np.where(np.append(self.keys, -1)[places] == keys, places, -1)


def places_of(known: Sequence[NDArray[Any]], wanted: Sequence[NDArray[Any]]) -> Days:
    """The place of each wanted tuple of labels among those known, -1 where it is not; of no dimension the one of all.

    >>> places_of([np.array(["a", "c"])], [np.array(["c", "b"])]).tolist()
    [1, -1]
    """
    if not wanted:
        return np.zeros(1, dtype=np.int64)
    n = len(known[0])
    items = Items.named([np.concatenate(pair) for pair in zip(known, wanted)], n + len(wanted[0]))
    place = np.full(items.size, -1, dtype=np.int64)
    place[items.of_rows[:n]] = np.arange(n)
    return place[items.of_rows[n:]]


def _keys(codes: Sequence[Days], sizes: Sequence[int]) -> Days:
    """Tuples of codes as one number each."""
    keys = codes[0]
    for code, size in zip(codes[1:], sizes[1:]):
        keys = keys * size + code
    return keys


#: The first and the last day of what was never recorded: it neither starts nor ends.
NEVER = np.iinfo(np.int64).max
#: An item has ended where it is silent for longer than so many days, and than so many of its mean gaps.
QUIET_DAYS, QUIET_GAPS = 28, 5


class RecordLife(NamedTuple):
    """The first and last day that the records of each item stand for, `NEVER` where it has none.

    `gap` is the mean number of days from one day with records to the next, float64; infinite where there is one day.
    """

    first: Days
    last: Days
    gap: NDArray[np.float64]

    @classmethod
    def of(cls, items: Days, first: Days, last: Days, size: int) -> RecordLife:
        """The life of `size` items, from rows that tell their item, their first and their last day.

        >>> RecordLife.of(np.array([0, 2, 0]), np.array([5, 6, 3]), np.array([5, 6, 3]), 3).first.tolist()[::2]
        [3, 6]
        """
        opened, closed = ends_of(items, first, last, size)
        started = np.full(size, -NEVER)  # the day on which the last record stands
        np.maximum.at(started, items, first)
        days = _days_of(items, first, size)
        gap = np.full(size, np.inf)
        np.divide(started - opened, days - 1, out=gap, where=days > 1)
        return cls(opened, closed, gap)

    def at(self, places: NDArray[np.intp]) -> RecordLife:
        """The life of the items at some places; at -1 stands one that was never recorded."""
        first, last = (np.append(side, NEVER)[places] for side in (self.first, self.last))
        return RecordLife(first, last, np.append(self.gap, np.inf)[places])

    def beside(self, other: RecordLife) -> RecordLife:
        """These items, then others."""
        return RecordLife(*(np.append(mine, theirs) for mine, theirs in zip(self, other)))

    def has_ended(self, starts: Days, report: int) -> Bools:
        """Which items ended before each span, shape (spans, items), as far as is known on the report date.

        The last record lies before the span, and the silence since then is longer than `QUIET_DAYS` and than
        `QUIET_GAPS` mean gaps; an item with one day never ends.
        """
        silence = np.where(self.last == NEVER, 0, report - self.last)
        quiet = (silence > QUIET_DAYS) & (silence > QUIET_GAPS * self.gap)
        return np.asarray((self.last < starts[:, None]) & quiet)


def ends_of(items: Days, first: Days, last: Days, size: int) -> tuple[Days, Days]:
    """The first and the last day of each item, `NEVER` where it has none."""
    opened, closed = np.full(size, NEVER), np.full(size, -NEVER)
    np.minimum.at(opened, items, first)
    np.maximum.at(closed, items, last)
    return opened, np.where(opened == NEVER, NEVER, closed)


def _days_of(items: Days, days: Days, size: int) -> Days:
    """On how many different days each item has a record."""
    if not len(days):
        return np.zeros(size, dtype=np.int64)
    low = int(days.min())
    reach = int(days.max()) - low + 1
    keys = items * reach + (days - low)
    if size * reach <= ROOM * len(days) + SMALL:  # a table of all that may be is cheaper than sorting
        met = np.zeros(size * reach, dtype=bool)
        met[keys] = True
        return np.asarray(met.reshape(size, reach).sum(axis=1))
    ordered = np.sort(keys)  # quicker than what makes them distinct at once
    return np.bincount(ordered[np.diff(ordered, prepend=-1) > 0] // reach, minlength=size)


class Beyond(NamedTuple):
    """Records that are no rows of a book: their codes by dimension, and the first and last day they stand for."""

    codes: Mapping[str, Days]
    first: Days
    last: Days

    def beside(self, other: Beyond | None) -> Beyond:
        """These and others."""
        if other is None:
            return self
        codes = {name: np.append(mine, other.codes[name]) for name, mine in self.codes.items()}
        return Beyond(codes, np.append(self.first, other.first), np.append(self.last, other.last))

    def taking(self, taken: Mapping[str, NDArray[np.bool_]]) -> Beyond:
        """The items whose label in each dimension is taken."""
        kept = np.ones(len(self.first), dtype=bool)
        for name, of in taken.items():
            kept &= of[self.codes[name]]
        return Beyond({name: codes[kept] for name, codes in self.codes.items()}, self.first[kept], self.last[kept])

    def rows_of(self, names: Sequence[str], items: Items) -> tuple[Days, Days, Days]:
        """The item, first and last day of those that are of the items given."""
        places = items.places([self.codes[name] for name in names], len(self.first))
        known = places >= 0
        return places[known], self.first[known], self.last[known]
