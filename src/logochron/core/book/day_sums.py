"""The rows of a book laid out by day and item, kept: every further question is a lookup."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import NamedTuple

import numpy as np

from logochron.core.book.formulas import RECORDS
from logochron.core.book.items import ROOM, SMALL, Items
from logochron.core.book.record_life import Beyond, RecordLife, ends_of
from logochron.core.book.record_spans import Standing
from logochron.core.book.span_sums import Amounts, Cells, Spans, Sums, span_sums
from logochron.core.calendars.base import Bools
from logochron.core.days import Days, distinct

#: The column of the numbers of rows of a book: a record laid on several days has a row on each.
ROWS = "\0rows"
#: Sums by day are kept where they are not many more than the rows themselves, and not more than this.
_MOST = 1 << 23


class Counted(NamedTuple):
    """Counts by day and item that are no sums of the book's rows, such as those of distinct ids."""

    days: Days
    items: Days
    amounts: Amounts


class DaySums:
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
        self._compact = 0 < cells <= min(ROOM * len(days) + SMALL, _MOST)

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

    def present(self, groups: Sequence[Spans]) -> Bools:
        """Which items have a row in any of the spans."""
        if self._compact:
            found = self.sums([ROWS], groups)[ROWS]
            return np.any([(side > 0).any(axis=0) for side in found], axis=0)
        starts = np.concatenate([first[last >= first] for first, last in groups])
        after = np.concatenate([last[last >= first] + 1 for first, last in groups])
        bounds = distinct(np.concatenate([starts, after]))
        opened = np.bincount(np.searchsorted(bounds, starts), minlength=len(bounds) + 1)
        closed = np.bincount(np.searchsorted(bounds, after), minlength=len(bounds) + 1)
        covered = np.append(False, np.cumsum(opened - closed) > 0)  # before the first bound lies nothing
        inside = covered[np.searchsorted(bounds, self._days, side="right")]
        return np.asarray(np.bincount(self.items.of_rows[inside], minlength=self.items.size) > 0)

    def present_by_span(self, groups: Sequence[Spans]) -> Bools:
        """Which items have a row in the spans of each place, shape (spans, items)."""
        found = self.sums([ROWS], groups)[ROWS]
        return np.asarray(np.any([side > 0 for side in found], axis=0))

    def _by_day(self, name: str) -> Cells:
        if name not in self._kept:
            days, items, amounts = self._days, self.items.of_rows, self._columns.get(name)
            if amounts is None:
                days, items, amounts = self._counted[name]
            keys = (days - self._first) * self.items.size + items
            self._kept[name] = Cells.of(keys, amounts, (self._n_days, self.items.size))
        return self._kept[name]

    def life(
        self, names: Sequence[str], standing: Standing, beyond: Beyond | None, groups: Days | None = None
    ) -> RecordLife:
        """When each item was recorded, on days that were not wanted too.

        `groups`: when each of the groups that the items make was, -1 for items of none.
        """
        recorded = np.flatnonzero(self._columns[RECORDS].values > 0)  # a record laid on several days has one
        of, (first, last) = self.items.of_rows[recorded], standing.spans(self._days[recorded])
        if beyond is not None:
            of, first, last = map(np.append, (of, first, last), beyond.rows_of(names, self.items))
        if groups is None:
            return RecordLife.of(of, first, last, self.items.size)
        of = groups[of]
        taken = of >= 0
        return RecordLife.of(of[taken], first[taken], last[taken], int(groups.max(initial=-1)) + 1)

    def life_within(self, first: int, last: int) -> tuple[Days, Days]:
        """When each item was first and last recorded of the days from `first` to `last`, by the dates of its rows."""
        inside = (self._days >= first) & (self._days <= last)
        days = self._days[inside]
        return ends_of(self.items.of_rows[inside], days, days, self.items.size)
