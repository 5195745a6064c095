"""The tuples of items that occur in a book, one number each."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

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
