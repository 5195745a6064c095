"""The rows of a book laid out by day and item, kept: every further question is a lookup."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.book.span_sums import Amounts, Cells, Spans, Sums, span_sums
from logochron.core.days import Days

#: A ledger by day is kept where it is not much larger than the rows themselves.
_ROOM = 10
_SMALL, _MOST = 1 << 16, 1 << 23


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
        if size <= _ROOM * rows + _SMALL:  # a table of all tuples is cheaper than sorting
            occurs = np.bincount(keys, minlength=size) > 0
            present = np.flatnonzero(occurs)
            of_rows = (np.cumsum(occurs) - 1)[keys]
        else:
            present, of_rows = np.unique(keys, return_inverse=True)
        found = []
        rest = present
        for known in reversed(labels):
            rest, code = np.divmod(rest, max(len(known), 1))
            found.append(known[code])
        return cls(of_rows.astype(np.int64), tuple(reversed(found)), len(present), present, sizes)

    @classmethod
    def named(cls, labels: Sequence[NDArray[Any]], rows: int) -> Items:
        """The items of rows that are told by their labels."""
        coded = [np.unique(label.astype(str), return_inverse=True) for label in labels]
        return cls.of([codes for _, codes in coded], [known.astype(object) for known, _ in coded], rows)

    def places(self, codes: Sequence[Days], rows: int) -> Days:
        """The items of other rows, each of which occurs here."""
        if not codes:
            return np.zeros(rows, dtype=np.int64)
        return np.searchsorted(self.keys, _keys(codes, self.sizes))


def _keys(codes: Sequence[Days], sizes: Sequence[int]) -> Days:
    """Tuples of codes as one number each."""
    keys = codes[0]
    for code, size in zip(codes[1:], sizes[1:]):
        keys = keys * size + code
    return keys


class Counted(NamedTuple):
    """Counts by day and item that are no sums of the book's rows, such as those of distinct ids."""

    days: Days
    items: Days
    amounts: Amounts


class Ledger:
    """Sums over spans for the items of some dimensions. Kept by the book, whose rows never change."""

    def __init__(
        self, days: Days, items: Items, columns: Mapping[str, Amounts], counted: Mapping[str, Counted]
    ) -> None:
        self.items = items
        self._days, self._columns, self._counted = days, columns, counted
        self._kept: dict[str, Cells] = {}
        self._first = int(days.min()) if len(days) else 0
        self._n_days = int(days.max()) - self._first + 1 if len(days) else 0
        cells = self._n_days * items.size
        self._compact = 0 < cells <= min(_ROOM * len(days) + _SMALL, _MOST)

    def sums(self, columns: Sequence[str], groups: Sequence[Spans]) -> dict[str, list[Sums]]:
        """For each column and group of spans the sums by span and item."""
        if not self._compact:
            plain = [name for name in columns if name not in self._counted]
            wanted = [self._columns[name] for name in plain]
            found = dict(zip(plain, span_sums(self._days, self.items.of_rows, self.items.size, wanted, groups)))
            for name in columns:
                if name in self._counted:
                    days, items, amounts = self._counted[name]
                    (found[name],) = span_sums(days, items, self.items.size, [amounts], groups)
            return found
        runs = [tuple(np.clip(d - self._first, 0, self._n_days) for d in (s, e + 1)) for s, e in groups]
        return {name: [self._by_day(name).runs(first, after) for first, after in runs] for name in columns}

    def _by_day(self, name: str) -> Cells:
        if name not in self._kept:
            days, items, amounts = self._days, self.items.of_rows, self._columns.get(name)
            if amounts is None:
                days, items, amounts = self._counted[name]
            keys = (days - self._first) * self.items.size + items
            self._kept[name] = Cells.of(keys, amounts, (self._n_days, self.items.size))
        return self._kept[name]

    def open_days(self, first: int, last: int) -> tuple[Days, Days]:
        """The first and last day with a row of each item, of those from `first` to `last`; none: first > last."""
        inside = (self._days >= first) & (self._days <= last)
        days, items = self._days[inside], self.items.of_rows[inside]
        opened = np.full(self.items.size, last + 1)
        closed = np.full(self.items.size, first - 1)
        np.minimum.at(opened, items, days)
        np.maximum.at(closed, items, days)
        return opened, closed
