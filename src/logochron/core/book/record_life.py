"""When each item was first and last recorded: of all records of the source, whatever days are asked for."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.book.items import Items
from logochron.core.days import Days

#: The first and the last day of what was never recorded: it neither starts nor ends.
NEVER = np.iinfo(np.int64).max


class RecordLife(NamedTuple):
    """The first and last day that the records of each item stand for, `NEVER` where it has none."""

    first: Days
    last: Days

    @classmethod
    def of(cls, items: Days, first: Days, last: Days, size: int) -> RecordLife:
        """That of `size` items, from rows that tell their item, their first and their last day.

        >>> RecordLife.of(np.array([0, 2, 0]), np.array([5, 6, 3]), np.array([5, 6, 3]), 3).first.tolist()[::2]
        [3, 6]
        """
        opened, closed = np.full(size, NEVER), np.full(size, -NEVER)
        np.minimum.at(opened, items, first)
        np.maximum.at(closed, items, last)
        return cls(opened, np.where(opened == NEVER, NEVER, closed))

    def at(self, places: NDArray[np.intp]) -> RecordLife:
        """That of the items at some places; at -1 stands one that was never recorded."""
        return RecordLife(*(np.append(side, NEVER)[places] for side in self))

    def gathered(self, groups: Days, size: int) -> RecordLife:
        """That of items taken together in groups."""
        seen = self.first != NEVER
        return RecordLife.of(groups[seen], self.first[seen], self.last[seen], size)

    def beside(self, other: RecordLife) -> RecordLife:
        """These items, then others."""
        return RecordLife(*(np.append(mine, theirs) for mine, theirs in zip(self, other)))


class Beyond(NamedTuple):
    """The tuples of items of records on days that were not wanted: their codes by dimension, and their life."""

    codes: Mapping[str, Days]
    life: RecordLife

    @classmethod
    def of(
        cls, codes: Mapping[str, Days], labels: Mapping[str, NDArray[np.object_]], first: Days, last: Days
    ) -> Beyond:
        """From records that tell their items, their first and their last day: each tuple once."""
        names = list(codes)
        items = Items.of([codes[name] for name in names], [labels[name] for name in names], len(first))
        place = np.zeros(items.size, dtype=np.int64)
        place[items.of_rows] = np.arange(len(first))  # any record of a tuple tells its codes
        return cls({name: codes[name][place] for name in names}, RecordLife.of(items.of_rows, first, last, items.size))

    def beside(self, other: Beyond | None, labels: Mapping[str, NDArray[np.object_]]) -> Beyond:
        """These and others, each tuple once."""
        if other is None:
            return self
        codes = {name: np.append(mine, other.codes[name]) for name, mine in self.codes.items()}
        return Beyond.of(codes, labels, *self.life.beside(other.life))

    def taking(self, taken: Mapping[str, NDArray[np.bool_]]) -> Beyond:
        """Those of the labels of dimensions that are taken."""
        kept = np.ones(len(self.life.first), dtype=bool)
        for name, of in taken.items():
            kept &= of[self.codes[name]]
        return Beyond({name: codes[kept] for name, codes in self.codes.items()}, self.life.at(np.flatnonzero(kept)))

    def by(self, names: Sequence[str], items: Items) -> RecordLife:
        """The life of those of the items given that have such records."""
        places = items.places([self.codes[name] for name in names], len(self.life.first))
        known = np.flatnonzero(places >= 0)
        return self.life.at(known).gathered(places[known], items.size)
