"""Distinct ids that return on other days, counted in any spans."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.days import Days

#: Before every day.
_NEVER = np.iinfo(np.int64).min


def stepped(
    come: Days, go: Days, items: Days, shape: tuple[int, int], values: NDArray[Any] | None = None
) -> NDArray[np.int64]:
    """Sums of rows that each lie in spans from one to another: what comes in less what goes out, span by span.

    Parameters
    ----------
    come, go, items
        Of each row the first span that holds it, the one after the last, and its item; int64, shape (rows,).
    shape
        How many spans and items there are.
    values
        Whole numbers, all of which together doubles hold; where None each row is one.

    Returns
    -------
    numpy.ndarray
        int64, of that shape.

    Examples
    --------
    >>> stepped(np.array([0, 1]), np.array([2, 3]), np.array([0, 0]), (3, 1), np.array([5, 7])).ravel().tolist()
    [5, 12, 7]
    """
    spans, n_items = shape
    stay = go < spans
    added = np.ones(len(come)) if values is None else values
    keys = np.concatenate([come * n_items + items, go[stay] * n_items + items[stay]])
    steps = np.bincount(keys, np.concatenate([added, -added[stay]]), minlength=spans * n_items).reshape(shape)
    return np.cumsum(steps, axis=0, out=steps).astype(np.int64)


class HeldIds(NamedTuple):
    """Rows of items and ids in the order of both and of days, each day of an id and item once.

    Attributes
    ----------
    days, items
        The day and the item of each row, int64, shape (rows,).
    before
        The last day before it on which the same id lies in the same item; before every day where there is none.
    """

    days: Days
    items: Days
    before: Days

    @classmethod
    def of(cls, days: Days, items: Days, ids: Days) -> HeldIds:
        """Of rows in any order, which may repeat each other.

        >>> HeldIds.of(np.array([5, 3, 5]), np.array([0, 0, 0]), np.array([7, 7, 7])).before[1].item()
        3
        """
        order = np.lexsort((days, ids, items))
        days, items, ids = days[order], items[order], ids[order]
        same = np.zeros(len(days), dtype=bool)
        same[1:] = (ids[1:] == ids[:-1]) & (items[1:] == items[:-1])
        new = ~same
        new[1:] |= days[1:] != days[:-1]
        days, items, same = days[new], items[new], same[new]
        before = np.full(len(days), _NEVER)
        before[1:][same[1:]] = days[:-1][same[1:]]
        return cls(days, items, before)

    def counts(self, starts: Days, ends: Days, n_items: int) -> NDArray[np.int64]:
        """How many different ids lie in spans, for each item.

        An id counts in a span on its first day there: where the day before it lies before the span.

        Parameters
        ----------
        starts, ends
            First and last days, int64, shape (parts, spans); a span is all of its parts together.

        Returns
        -------
        numpy.ndarray
            int64, shape (spans, n_items).
        """
        filled = ends >= starts
        several = filled.sum(axis=0) > 1
        first = np.where(filled, starts, np.iinfo(np.int64).max).min(axis=0)
        last = np.where(filled, ends, _NEVER).max(axis=0)
        found = np.zeros((starts.shape[1], n_items), dtype=np.int64)
        for chain in _chains(first, last, np.flatnonzero(filled.any(axis=0) & ~several)):
            found[chain] = self._in_a_chain(first[chain], last[chain], n_items)
        for span in np.flatnonzero(several):
            parts = filled[:, span]
            found[span] = self._in_parts(starts[parts, span], ends[parts, span], n_items)
        return found

    def _in_a_chain(self, first: Days, last: Days, n_items: int) -> NDArray[np.int64]:
        """The counts of spans of which each begins and ends no earlier than the one before it.

        A row counts in all spans from one to another: those that hold its day and begin after the day before it.
        """
        opened = np.maximum(np.searchsorted(last, self.days), np.searchsorted(first, self.before, side="right"))
        closed = np.searchsorted(first, self.days, side="right")
        counts = opened < closed
        return stepped(opened[counts], closed[counts], self.items[counts], (len(first), n_items))

    def _in_parts(self, starts: Days, ends: Days, n_items: int) -> NDArray[np.int64]:
        """The counts of one span of several parts: ids by their first row that lies in any."""
        inside = np.zeros(len(self.days), dtype=bool)
        for low, high in zip(starts, ends):
            inside |= (self.days >= low) & (self.days <= high)
        of_id = np.cumsum(self.before == _NEVER)[inside]
        met = np.ones(len(of_id), dtype=bool)
        met[1:] = of_id[1:] != of_id[:-1]
        return np.bincount(self.items[inside][met], minlength=n_items)


def _chains(first: Days, last: Days, spans: Days) -> list[Days]:
    """Spans in as few runs as need be, in each of which neither the first days nor the last ever fall."""
    ordered = spans[np.lexsort((last[spans], first[spans]))]
    chains: list[list[int]] = []
    for span in ordered.tolist():
        # the run that ends last of those it may follow: there are few, as spans of one question are alike
        fitting = [chain for chain in chains if last[chain[-1]] <= last[span]]
        if fitting:
            max(fitting, key=lambda chain: last[chain[-1]]).append(span)
        else:
            chains.append([span])
    return [np.array(chain, dtype=np.int64) for chain in chains]
