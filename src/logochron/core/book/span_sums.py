"""Spans to sums: the one algorithm behind every figure.

The starts of all spans and the days after their ends cut the time axis into cells. One pass adds each
record into its (cell, item) bin; a span is then a run of cells.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.days import Days, distinct

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
