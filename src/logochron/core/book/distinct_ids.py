"""Numbers of distinct ids by day: counted for every subset of the dimensions, as one id may lie in two items."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.book.day_sums import Counted
from logochron.core.book.items import Items
from logochron.core.book.span_sums import Amounts
from logochron.core.days import Days
from logochron.core.errors import QuestionError


class IdRows(NamedTuple):
    """For one subset of the dimensions: days, the code of each of its dimensions, and how many ids there are."""

    days: Days
    codes: Mapping[str, Days]
    counts: Days

    def at(self, rows: NDArray[np.bool_]) -> IdRows:
        """Some of the rows."""
        return IdRows(self.days[rows], {name: code[rows] for name, code in self.codes.items()}, self.counts[rows])


class IdCounts(NamedTuple):
    """The numbers of distinct ids by subset of the dimensions; `fixed` are those of which one item was chosen.

    `empty` is how many records have no id, and so are not counted.
    """

    column: str
    rows: Mapping[frozenset[str], IdRows]
    empty: int = 0
    fixed: frozenset[str] = frozenset()

    def of(self, by: Sequence[str], items: Items) -> Counted:
        """The counts for the tuples of items of some dimensions."""
        days, codes, counts = self.rows[frozenset(by) | self.fixed]
        places = items.places([codes[name] for name in by], len(days))
        return Counted(days, places, Amounts(counts, 0, float(counts.sum())))

    def on(self, held: Callable[[Days], NDArray[Any]]) -> IdCounts:
        """The counts of some days."""
        return self._replace(rows={subset: rows.at(held(rows.days)) for subset, rows in self.rows.items()})

    def taking(self, dimension: str, taken: NDArray[np.bool_], labels: NDArray[np.object_]) -> IdCounts:
        """The counts of one item of a dimension.

        Raises
        ------
        QuestionError
            Where several are taken: an id that lies in two of them would count twice.
        """
        if taken.sum() > 1:
            named = ", ".join(map(str, labels[taken][:3]))
            raise QuestionError(
                f"distinct ids of {self.column!r} are counted, and one may lie in several items of {dimension!r} "
                f"({named}): name one item, or filter in `read` (where=)"
            )
        fixed = self.fixed | {dimension}
        rows = {s: r.at(taken[r.codes[dimension]]) for s, r in self.rows.items() if dimension in s}
        return self._replace(rows=rows, fixed=fixed)
