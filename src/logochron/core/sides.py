"""The two sides of every row of an answer: sums over its spans, by item and for all together."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.alignment import Alignment
from logochron.core.calendars.base import Bools, Calendar
from logochron.core.daybook import RECORDS, Daybook
from logochron.core.days import Days
from logochron.core.measures import Measure
from logochron.core.options import Per
from logochron.core.planned import at_places, plan_side
from logochron.core.reckon import Sides
from logochron.core.sums import Sums, at_one_scale

Labels = tuple[NDArray[np.object_], ...]
#: A first or last record this near to an edge of the coverage counts as lying on it.
EDGE_DAYS = 28


class Lengths(NamedTuple):
    """The days of each row and of its base, all parts together: those that `per` divides by."""

    days: Days
    base_days: Days
    per: Per | None


class Raw(NamedTuple):
    """Sums of one measure by period and item before anything is divided, each side at its scale."""

    value: Sums
    base: Sums
    scale: int | None
    base_scale: int | None
    why: str = ""  # why nothing of it has a base

    def together(self, kept: Bools | None = None) -> Raw:
        """All items added up, or those that are kept in each period."""
        sides = (side if kept is None else np.where(kept, side, 0) for side in (self.value, self.base))
        value, base = (side.sum(axis=1, keepdims=True) for side in sides)
        return self._replace(value=value, base=base)


class Summed(NamedTuple):
    """The items that have a record in any span, and by measure their sums."""

    labels: Labels
    raw: Mapping[str, Raw]
    places: Days  # of each item among the book's own, -1 where only the plan has it


def lengths_of(book: Daybook, calendar: Calendar, aligned: Alignment, per: Per | None) -> Lengths:
    """How many days each row and its base have."""

    recorded = book.recorded[calendar.holds(book.recorded)]

    def count(starts: Days, ends: Days) -> Days:
        if per == "trading-day":
            return np.searchsorted(recorded, ends, side="right") - np.searchsorted(recorded, starts)
        return calendar.lengths(starts, ends)

    base_days = np.where(aligned.part_known, count(aligned.base_starts, aligned.base_ends), 0).sum(axis=0)
    return Lengths(count(aligned.starts, aligned.ends), base_days, per)


def summed(
    book: Daybook, plan: Daybook | None, by: Sequence[str], measures: Sequence[Measure], aligned: Alignment
) -> Summed:
    """The sums of each measure over the spans of every row, for the items that occur in any of them."""
    values, bases = aligned.value_spans(), aligned.base_spans()
    columns = [*dict.fromkeys(m.source_column for m in measures), RECORDS]
    sums = book.sums(by, columns, *((values,) if plan else (values, bases)))
    present = np.any([(side > 0).any(axis=0) for side in sums[RECORDS]], axis=0)
    items = book.ledger(by).items
    labels, places = items.labels, np.arange(items.size)
    scales = {m.name: book.amounts[m.source_column].scale for m in measures}
    if plan is None:
        raw = {
            m.name: Raw(sums[m.source_column][0], sums[m.source_column][1], scales[m.name], scales[m.name])
            for m in measures
        }
    else:
        theirs = plan_side(plan, book, by, measures, bases)
        labels, places = theirs.labels, theirs.places
        present = at_places(present[None], places)[0] | theirs.present
        raw = {
            m.name: Raw(
                at_places(sums[m.source_column][0], places),
                theirs.sums[m.name],
                scales[m.name],
                theirs.scales[m.name],
                theirs.why[m.name],
            )
            for m in measures
        }
    if not by:
        return Summed((), raw, places)
    return Summed(
        tuple(label[present] for label in labels),
        {name: one._replace(value=one.value[:, present], base=one.base[:, present]) for name, one in raw.items()},
        places[present],
    )


def _open(book: Daybook, by: Sequence[str]) -> tuple[Days, Days]:
    """The first and last day on which each item is open; a last entry for an item that never is."""
    coverage = book.coverage
    opened, closed = book.ledger(by).open_days(coverage.first, coverage.last)
    seen = closed >= opened
    closed = np.where(seen, book.standing.spans(np.maximum(closed, coverage.first))[1], closed)
    opened = np.where(seen & (opened - coverage.first <= EDGE_DAYS), coverage.first, opened)
    closed = np.where(seen & (coverage.last - closed <= EDGE_DAYS), coverage.last, closed)
    return np.append(opened, coverage.last + 1), np.append(closed, coverage.first - 1)


def comparable(book: Daybook, by: Sequence[str], aligned: Alignment, items: Summed) -> Bools:
    """Which items are open on both sides of each row, shape (periods, items); all where there is no base.

    Open on the first day with records in the base span, and on the last such day of the value span.
    """
    opened, closed = (side[items.places] for side in _open(book, by))
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


def sides_of(raw: Raw, aligned: Alignment, lengths: Lengths, compared: Bools | None = None) -> Sides:
    """Both sides of one measure, divided where the base is a mean or `per` asks for it."""
    shape = raw.value.shape
    value_known = np.broadcast_to(aligned.value_known[:, None], shape)
    base_known = np.broadcast_to(aligned.base_known[:, None] & (not raw.why), shape)
    parts = aligned.part_known.sum(axis=0)
    if lengths.per is None and len(aligned.part_known) == 1:
        value, base, scale = at_one_scale(raw.value, raw.scale, raw.base, raw.base_scale)
        return Sides(value, base, value_known, base_known, scale, compared)
    days = np.ones(shape[0]) if lengths.per is None else lengths.days
    base_days = parts if lengths.per is None else lengths.base_days
    value, base = (
        side / 10 ** (scale or 0) / np.where(n > 0, n, 1)[:, None]
        for side, scale, n in ((raw.value, raw.scale, days), (raw.base, raw.base_scale, base_days))
    )
    return Sides(value, base, value_known & (days > 0)[:, None], base_known & (base_days > 0)[:, None], None, compared)
