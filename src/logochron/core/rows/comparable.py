"""Which items are open on both sides of a row, so that totals of them compare."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from logochron.core.align.align import Alignment
from logochron.core.book.daybook import Daybook
from logochron.core.book.record_life import NEVER
from logochron.core.calendars.base import Bools
from logochron.core.days import Days

#: A first or last record this near to an edge of the coverage counts as lying on it.
EDGE_DAYS = 28


def _open(book: Daybook, by: Sequence[str]) -> tuple[Days, Days]:
    """The first and last day on which each item is open; a last entry for an item that never is."""
    coverage = book.coverage
    opened, closed = book.day_sums(by).life_within(coverage.first, coverage.last)
    seen = opened != NEVER
    closed = np.where(seen, book.standing.spans(np.where(seen, closed, coverage.first))[1], coverage.first - 1)
    opened = np.where(seen & (opened - coverage.first <= EDGE_DAYS), coverage.first, opened)
    closed = np.where(seen & (coverage.last - closed <= EDGE_DAYS), coverage.last, closed)
    return np.append(opened, coverage.last + 1), np.append(closed, coverage.first - 1)


def comparable(book: Daybook, aligned: Alignment, by: Sequence[str], places: Days) -> Bools:
    """Which items are open on both sides of each row, shape (periods, items); all where there is no base.

    Open on the first day with records in the base span, and on the last such day of the value span.

    Parameters
    ----------
    places
        The place of each item among the book's own, -1 where it has none.
    """
    opened, closed = (side[places] for side in _open(book, by))
    recorded = book.recorded
    place = np.searchsorted(recorded, aligned.base_first())
    first_days = np.append(recorded, 0)[place]
    held = (place < len(recorded)) & (first_days <= aligned.base_last())
    first_days = np.where(held, first_days, aligned.base_first())
    place = np.searchsorted(recorded, aligned.ends, side="right") - 1
    last_days = np.append(recorded, 0)[place]
    last_days = np.where((place >= 0) & (last_days >= aligned.starts), last_days, aligned.ends)
    judged = aligned.base_known & aligned.value_known
    is_open = [(opened <= day[:, None]) & (closed >= day[:, None]) for day in (first_days, last_days)]
    return np.asarray((is_open[0] & is_open[1]) | ~judged[:, None])
