"""Spans to sums: the one algorithm behind every figure.

The starts of all spans and the days after their ends cut the time axis into cells. One pass adds each
record into its (cell, item) bin; a span is then a run of cells.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.days import Days

#: Bins held at once; more items than fit go in blocks.
BINS_AT_ONCE = 1 << 24
_EXACT_FLOAT = float(2**53)


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


def span_sums(
    days: Days, items: Days, n_items: int, columns: Sequence[Amounts], starts: Days, ends: Days
) -> list[NDArray[np.int64] | NDArray[np.float64]]:
    """Sums of columns over spans, for each item.

    Parameters
    ----------
    days, items
        Day number and item (0 to `n_items` - 1) of each row, int64, shape (rows,).
    columns
        What is summed, each with `values` of shape (rows,).
    starts, ends
        First and last day of each span, int64, shape (spans,); one that ends the day before it starts is
        empty and sums to 0.

    Returns
    -------
    list of numpy.ndarray
        A sum for each span and item, shape (spans, n_items): int64 where the column is exact.
    """
    if not n_items:
        return [np.zeros((len(starts), 0)) for _ in columns]
    bounds = np.unique(np.concatenate([starts, ends + 1]))
    n_cells = max(len(bounds) - 1, 1)
    first, after = np.searchsorted(bounds, starts), np.searchsorted(bounds, ends + 1)
    cells = np.searchsorted(bounds, days, side="right") - 1
    inside = (cells >= 0) & (cells < len(bounds) - 1)
    if not inside.all():
        cells, items = cells[inside], items[inside]
        columns = [column.take(inside) for column in columns]
    block = max(BINS_AT_ONCE // n_cells, 1)
    if n_items <= block:
        keys = cells * n_items + items
        return [_sum_cells(keys, column, (n_cells, n_items), first, after) for column in columns]
    order = np.argsort(items, kind="stable")
    cells, items = cells[order], items[order]
    sorted_columns = [column.take(order) for column in columns]
    sums: list[NDArray[Any]] = [
        np.empty((len(starts), n_items), dtype=np.float64 if c.scale is None else np.int64) for c in columns
    ]
    for low in range(0, n_items, block):
        high = min(low + block, n_items)
        rows = slice(*np.searchsorted(items, [low, high]))
        keys = cells[rows] * (high - low) + (items[rows] - low)
        for total, column in zip(sums, sorted_columns):
            part = Amounts(column.values[rows], column.scale, column.size)
            total[:, low:high] = _sum_cells(keys, part, (n_cells, high - low), first, after)
    return sums


def _sum_cells(
    keys: Days, column: Amounts, shape: tuple[int, int], first: Days, after: Days
) -> NDArray[np.int64] | NDArray[np.float64]:
    n_cells, n_items = shape
    if column.scale is None:
        padded = np.zeros((n_cells + 1, n_items))
        padded[:-1] = np.bincount(keys, column.values, minlength=n_cells * n_items).reshape(shape)
        # reduceat gives the cell itself, not 0, for an empty run: those are masked
        runs = np.add.reduceat(padded, np.stack([first, after], axis=1).ravel(), axis=0)[::2]
        runs[first >= after] = 0.0
        return runs
    bins: NDArray[np.int64]
    if column.size < _EXACT_FLOAT:
        bins = np.rint(np.bincount(keys, column.values, minlength=n_cells * n_items)).astype(np.int64)
    else:
        bins = np.zeros(n_cells * n_items, dtype=np.int64)
        np.add.at(bins, keys, column.values)
    running = np.zeros((n_cells + 1, n_items), dtype=np.int64)
    np.cumsum(bins.reshape(shape), axis=0, out=running[1:])
    return running[after] - running[first]
