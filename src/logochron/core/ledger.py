"""The rows of a book laid out by day and item, kept: every further question is a lookup."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.days import Days
from logochron.core.sums import Amounts, Cells, Spans, Sums, span_sums

#: A ledger by day is kept where it is not much larger than the rows themselves.
_ROOM = 10
_SMALL, _MOST = 1 << 16, 1 << 23


class Items(NamedTuple):
    """The items of a question: `of_rows` codes each row of the book, `labels` names each item per dimension."""

    of_rows: Days
    labels: tuple[NDArray[np.object_], ...]
    size: int

    @classmethod
    def of(cls, codes: Sequence[Days], labels: Sequence[NDArray[np.object_]], rows: int) -> Items:
        """The tuples of items that occur, numbered in text order of their labels."""
        if not codes:
            return cls(np.zeros(rows, dtype=np.int64), (), 1)
        keys, size = codes[0], max(len(labels[0]), 1)
        for code, known in zip(codes[1:], labels[1:]):
            keys = keys * max(len(known), 1) + code
            size *= max(len(known), 1)
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
        return cls(of_rows.astype(np.int64), tuple(reversed(found)), len(present))


class Ledger:
    """Sums over spans for the items of some dimensions. Kept by the book, whose rows never change."""

    def __init__(self, days: Days, items: Items, columns: Mapping[str, Amounts]) -> None:
        self.items = items
        self._days, self._columns = days, columns
        self._kept: dict[str, Cells] = {}
        self._first = int(days.min()) if len(days) else 0
        self._n_days = int(days.max()) - self._first + 1 if len(days) else 0
        cells = self._n_days * items.size
        self._compact = 0 < cells <= min(_ROOM * len(days) + _SMALL, _MOST)

    def sums(self, columns: Sequence[str], groups: Sequence[Spans]) -> dict[str, list[Sums]]:
        """For each column and group of spans the sums by span and item."""
        if not self._compact:
            wanted = [self._columns[name] for name in columns]
            found = span_sums(self._days, self.items.of_rows, self.items.size, wanted, groups)
            return dict(zip(columns, found))
        runs = [tuple(np.clip(d - self._first, 0, self._n_days) for d in (s, e + 1)) for s, e in groups]
        return {name: [self._by_day(name).runs(first, after) for first, after in runs] for name in columns}

    def _by_day(self, name: str) -> Cells:
        if name not in self._kept:
            keys = (self._days - self._first) * self.items.size + self.items.of_rows
            self._kept[name] = Cells.of(keys, self._columns[name], (self._n_days, self.items.size))
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
