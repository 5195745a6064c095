"""Sums over spans of days: exact numbers, columns day by day, distinct ids."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.book.held_ids import HeldIds, stepped
from logochron.core.book.items import ROOM, SMALL, Beyond, Items, RecordLife, ends_of
from logochron.core.book.record_spans import Standing
from logochron.core.calendars.base import Bools
from logochron.core.days import Days, distinct

#: The column of the numbers of records: no column of a source is called like it.
RECORDS = "\0records"


def at_one_scale(a: Sums, a_scale: int | None, b: Sums, b_scale: int | None) -> tuple[Sums, Sums, int | None]:
    """Two sides brought to one scale; as floats where one is none of whole numbers, or they would not fit.

    >>> at_one_scale(np.array([150]), 2, np.array([15]), 1)[1].tolist()
    [150]
    """
    if a_scale == b_scale:
        return a, b, a_scale
    if a_scale is not None and b_scale is not None:
        scale = max(a_scale, b_scale)
        by_a, by_b = 10 ** (scale - a_scale), 10 ** (scale - b_scale)
        if max(_size(a) * by_a, _size(b) * by_b) < 2**62:
            return a * by_a, b * by_b, scale
    return a / 10 ** (a_scale or 0), b / 10 ** (b_scale or 0), None


def subtracted(a: Sums, a_scale: int | None, b: Sums, b_scale: int | None) -> tuple[Sums, int | None]:
    """a - b and its scale; as floats where whole numbers would not fit."""
    a, b, scale = at_one_scale(a, a_scale, b, b_scale)
    if scale is not None and _size(a) + _size(b) >= 2**62:
        a, b, scale = a / 10**scale, b / 10**scale, None
    return a - b, scale


def divided(part: NDArray[Any], whole: NDArray[Any], defined: NDArray[np.bool_]) -> NDArray[np.float64]:
    """part / whole where it is defined and finite, NaN elsewhere."""
    with np.errstate(over="ignore", divide="ignore", invalid="ignore"):
        ratios = np.asarray(np.true_divide(part, whole))
    if ratios.shape != (shape := np.broadcast_shapes(ratios.shape, np.shape(defined))):
        ratios = np.broadcast_to(ratios, shape).copy()
    np.copyto(ratios, np.nan, where=~(np.isfinite(ratios) & defined))
    return ratios


def products(a: NDArray[Any], p: int, b: NDArray[Any], q: int) -> tuple[NDArray[Any], NDArray[Any]]:
    """a x p and b x q of whole numbers, to be compared: exact whatever their size."""
    if max(max(_size(a), 1) * abs(p), max(_size(b), 1) * abs(q)) >= 2**63:
        a, b = a.astype(object), b.astype(object)  # Python's whole numbers have no limit
    return a * p, b * q


def _size(values: NDArray[Any]) -> int:
    return int(np.abs(values).max(initial=0))


#: Bins held at once; more items than fit go in blocks.
BINS_AT_ONCE = 1 << 24
_EXACT_FLOAT = float(2**53)
#: Starts and ends of spans, shape (parts, spans): each sum is that of all parts.
Spans = tuple[Days, Days]
Sums = NDArray[np.int64] | NDArray[np.float64]


class Amounts(NamedTuple):
    """The amounts of one column, a row of the book each.

    `values` is int64 at 10**`scale` parts of the unit, or float64 where `scale` is None; `size` is the sum
    of the absolute values.
    """

    values: NDArray[np.int64] | NDArray[np.float64]
    scale: int | None
    size: float

    def take(self, rows: NDArray[Any]) -> Amounts:
        """The amounts of some rows (a mask or indices)."""
        return Amounts(self.values[rows], self.scale, self.size)


class Cells(NamedTuple):
    """A column by cell and item, ready for runs of cells: one row more than there are cells.

    Whole numbers are summed up to each cell; floats are the cells themselves, and a last row of zeros.
    """

    by_cell: Sums
    exact: bool

    @classmethod
    def of(cls, keys: Days, column: Amounts, shape: tuple[int, int]) -> Cells:
        """The bins of a column; `keys` is cell x items + item of each row."""
        n_cells, n_items = shape
        if column.scale is None:
            padded = np.zeros((n_cells + 1, n_items))
            padded[:-1] = np.bincount(keys, column.values, minlength=n_cells * n_items).reshape(shape)
            return cls(padded, False)
        bins: NDArray[np.int64]
        if column.size < _EXACT_FLOAT:
            bins = np.rint(np.bincount(keys, column.values, minlength=n_cells * n_items)).astype(np.int64)
        else:
            bins = np.zeros(n_cells * n_items, dtype=np.int64)
            np.add.at(bins, keys, column.values)
        running = np.zeros((n_cells + 1, n_items), dtype=np.int64)
        np.cumsum(bins.reshape(shape), axis=0, out=running[1:])
        return cls(running, True)

    def runs(self, first: Days, after: Days) -> Sums:
        """Sums over runs of cells, shape (parts, spans) -> (spans, items)."""
        if self.exact:
            total = self.by_cell[after[0]] - self.by_cell[first[0]]
            for low, high in zip(first[1:], after[1:]):
                total += self.by_cell[high] - self.by_cell[low]
            return total
        total = np.zeros((first.shape[1], self.by_cell.shape[1]))
        for low, high in zip(first, after):
            # reduceat gives the cell itself, not 0, for an empty run: those are masked
            part = np.add.reduceat(self.by_cell, np.stack([low, high], axis=1).ravel(), axis=0)[::2]
            part[low >= high] = 0.0
            total += part
        return total


def span_sums(
    days: Days, items: Days, n_items: int, columns: Sequence[Amounts], groups: Sequence[Spans]
) -> list[list[Sums]]:
    """Sums of columns over groups of spans, for each item.

    Parameters
    ----------
    days, items
        Day number and item (0 to `n_items` - 1) of each row, int64, shape (rows,).
    columns
        What is summed, each with `values` of shape (rows,).
    groups
        First and last days of spans, int64, shape (parts, spans); one that ends the day before it starts is
        empty and sums to 0.

    Returns
    -------
    list of list of numpy.ndarray
        For each column and group the sums over all parts, shape (spans, n_items): int64 where the column is exact.
    """
    if not n_items:
        return [[np.zeros((starts.shape[1], 0)) for starts, _ in groups] for _ in columns]
    whole = [column.scale is not None and column.size < _EXACT_FLOAT for column in columns]
    steps = [_Steps.of(days, group) for group in groups] if any(whole) else []
    if all(whole) and all(steps):
        return [[one.sums(items, n_items, column.values) for one in steps if one] for column in columns]
    return _binned(days, items, n_items, columns, groups)


class _Steps(NamedTuple):
    """Rows that lie in spans, each with where in the order of those it comes in, and where it goes out.

    Attributes
    ----------
    order
        The spans so that neither their first days nor their last ever fall, in any part.
    rows, come, go
        The rows of all parts, and the places of the first span that holds each and of the one after the last.
    """

    order: Days
    rows: Days
    come: Days
    go: Days

    @classmethod
    def of(cls, days: Days, spans: Spans) -> _Steps | None:
        """Of spans that can be put in such an order; None of others."""
        starts, ends = spans
        order = np.lexsort((ends[0], starts[0]))
        starts, ends = starts[:, order], ends[:, order]
        if (np.diff(starts) < 0).any() or (np.diff(ends) < 0).any():
            return None
        first = int(days.min(initial=0))
        place, known = days - first, np.arange(first, int(days.max(initial=0)) + 1)
        rows, come, go = [], [], []
        for low, high in zip(starts, ends):
            opened, closed = np.searchsorted(high, known), np.searchsorted(low, known, side="right")
            inside = np.flatnonzero((opened < closed)[place])
            rows.append(inside)
            come.append(opened[place[inside]])
            go.append(closed[place[inside]])
        return cls(order, *map(np.concatenate, (rows, come, go)))

    def sums(self, items: Days, n_items: int, values: NDArray[Any]) -> NDArray[np.int64]:
        """The sums of whole numbers that doubles hold, shape (spans, n_items): what comes in less what goes out."""
        shape = len(self.order), n_items
        in_order = stepped(self.come, self.go, items[self.rows], shape, values[self.rows])
        sums = np.empty_like(in_order)
        sums[self.order] = in_order
        return sums


def _binned(
    days: Days, items: Days, n_items: int, columns: Sequence[Amounts], groups: Sequence[Spans]
) -> list[list[Sums]]:
    """The sums of any columns over any spans, by bins of the days between two bounds."""
    edges = [side.ravel() for starts, ends in groups for side in (starts, ends + 1)]
    bounds = distinct(np.concatenate(edges))
    n_cells = max(len(bounds) - 1, 1)
    runs = [(np.searchsorted(bounds, starts), np.searchsorted(bounds, ends + 1)) for starts, ends in groups]
    cells = np.searchsorted(bounds, days, side="right") - 1
    inside = (cells >= 0) & (cells < len(bounds) - 1)
    if not inside.all():
        cells, items = cells[inside], items[inside]
        columns = [column.take(inside) for column in columns]
    block = max(BINS_AT_ONCE // n_cells, 1)
    if n_items <= block:
        keys = cells * n_items + items
        binned = (Cells.of(keys, column, (n_cells, n_items)) for column in columns)
        return [[one.runs(first, after) for first, after in runs] for one in binned]
    order = np.argsort(items, kind="stable")
    cells, items = cells[order], items[order]
    sorted_columns = [column.take(order) for column in columns]
    sums: list[list[NDArray[Any]]] = [
        [
            np.empty((starts.shape[1], n_items), dtype=np.float64 if c.scale is None else np.int64)
            for starts, _ in groups
        ]
        for c in columns
    ]
    for low in range(0, n_items, block):
        high = min(low + block, n_items)
        rows = slice(*np.searchsorted(items, [low, high]))
        keys = cells[rows] * (high - low) + (items[rows] - low)
        for totals, column in zip(sums, sorted_columns):
            part = Cells.of(keys, Amounts(column.values[rows], column.scale, column.size), (n_cells, high - low))
            for total, (first, after) in zip(totals, runs):
                total[:, low:high] = part.runs(first, after)
    return sums


class IdRows(NamedTuple):
    """Rows of ids: the day, the code of each dimension, and how many ids there are, or which one."""

    days: Days
    codes: Mapping[str, Days]
    values: Days

    def at(self, rows: NDArray[np.bool_]) -> IdRows:
        """Some of the rows."""
        return IdRows(self.days[rows], {name: code[rows] for name, code in self.codes.items()}, self.values[rows])


class IdCounts(NamedTuple):
    """The distinct ids of a column.

    Attributes
    ----------
    alone
        How many ids lie on one day and in one tuple of items only, by both: their counts add up.
    held
        Each other id on each of its days, and in each of its tuples.
    empty
        How many records have no id, and so are not counted.
    """

    column: str
    alone: IdRows
    held: IdRows
    empty: int = 0

    def of(self, by: Sequence[str], items: Items) -> Counted:
        """The counts for the tuples of items of some dimensions."""
        alone, held = (items.places([rows.codes[name] for name in by], len(rows.days)) for rows in self[1:3])
        counts = self.alone.values
        returning = HeldIds.of(self.held.days, held, self.held.values) if len(held) else None
        return Counted(self.alone.days, alone, Amounts(counts, 0, float(counts.sum())), returning)

    def on(self, held: Callable[[Days], NDArray[Any]]) -> IdCounts:
        """The ids of some days."""
        return self._replace(alone=self.alone.at(held(self.alone.days)), held=self.held.at(held(self.held.days)))

    def taking(self, dimension: str, taken: NDArray[np.bool_]) -> IdCounts:
        """The ids of some items of a dimension."""
        alone, held = (rows.at(taken[rows.codes[dimension]]) for rows in (self.alone, self.held))
        return self._replace(alone=alone, held=held)


#: The column of the numbers of rows of a book: a record spread over several days has a row on each.
ROWS = "\0rows"
#: Sums by day are kept where they are not many more than the rows themselves, and not more than this.
_MOST = 1 << 23


class Counted(NamedTuple):
    """Counts by day and item that are no sums of the book's rows, and ids that each count once a span besides."""

    days: Days
    items: Days
    amounts: Amounts
    held: HeldIds | None = None

    def beside(self, sums: Sequence[Sums], groups: Sequence[Spans], n_items: int) -> list[Sums]:
        """Sums over groups of spans with those ids."""
        if self.held is None:
            return list(sums)
        return [side + self.held.counts(first, last, n_items) for side, (first, last) in zip(sums, groups)]


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
            by_key = dict(zip(plain, span_sums(self._days, self.items.of_rows, self.items.size, wanted, groups)))
            for name in columns:
                if counted := self._counted.get(name):
                    (sums,) = span_sums(counted.days, counted.items, self.items.size, [counted.amounts], groups)
                    by_key[name] = counted.beside(sums, groups, self.items.size)
            return by_key
        runs = [tuple(np.clip(d - self._first, 0, self._n_days) for d in (s, e + 1)) for s, e in groups]
        by_key = {name: [self._by_day(name).runs(first, after) for first, after in runs] for name in columns}
        counting = {name: counted for name in columns if (counted := self._counted.get(name))}
        return by_key | {n: c.beside(by_key[n], groups, self.items.size) for n, c in counting.items()}

    def present(self, groups: Sequence[Spans]) -> Bools:
        """Which items have a row in any of the spans."""
        if self._compact:
            counts = self.sums([ROWS], groups)[ROWS]
            return np.any([(side > 0).any(axis=0) for side in counts], axis=0)
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
        counts = self.sums([ROWS], groups)[ROWS]
        return np.asarray(np.any([side > 0 for side in counts], axis=0))

    def _by_day(self, name: str) -> Cells:
        if name not in self._kept:
            days, items, amounts = self._days, self.items.of_rows, self._columns.get(name)
            if amounts is None:
                days, items, amounts = self._counted[name][:3]
            keys = (days - self._first) * self.items.size + items
            self._kept[name] = Cells.of(keys, amounts, (self._n_days, self.items.size))
        return self._kept[name]

    def life(
        self, names: Sequence[str], standing: Standing, beyond: Beyond | None, groups: Days | None = None
    ) -> RecordLife:
        """When each item was recorded, on days that were not wanted too.

        `groups`: when each of the groups that the items make was, -1 for items of none.
        """
        recorded = np.flatnonzero(self._columns[RECORDS].values > 0)  # a record spread over several days has one
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
