"""The two sides of every row of an answer: sums over its spans, by item and for all together."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.align.align import Alignment
from logochron.core.book.day_sums import Items
from logochron.core.book.daybook import Daybook
from logochron.core.book.formulas import ROWS, Formula, Part, Worked, all_leaves, work_out
from logochron.core.book.measures import Measure
from logochron.core.book.span_sums import at_one_scale
from logochron.core.calendars.base import Bools, Calendar
from logochron.core.days import Days
from logochron.core.options import Per
from logochron.core.rows.figures import Sides
from logochron.core.rows.plan_side import at_places, plan_side

Labels = tuple[NDArray[np.object_], ...]
#: A first or last record this near to an edge of the coverage counts as lying on it.
EDGE_DAYS = 28


class Lengths(NamedTuple):
    """The days of each row and of its base, all parts together: those that `per` divides by."""

    days: Days
    base_days: Days
    per: Per | None


class Level(NamedTuple):
    """Rows of one kind: the tuples of items of some dimensions that have a record in any span, with their sums.

    `value` and `base` are by leaf, of shape (periods, items), before anything is divided. `formulas` and
    `base_formulas` are by measure; `why` says of a measure why nothing of it has a base. `places` is the place of
    each item among the book's own, -1 where only the plan has it.
    """

    by: tuple[str, ...]
    labels: Labels
    places: Days
    value: Mapping[str, Part]
    base: Mapping[str, Part]
    formulas: Mapping[str, Formula]
    base_formulas: Mapping[str, Formula]
    why: Mapping[str, str]

    @property
    def size(self) -> int:
        """How many items there are."""
        return len(self.places)

    def at(self, items: NDArray[np.int64] | Bools) -> Level:
        """Some of the items."""
        return self._replace(
            labels=tuple(label[items] for label in self.labels),
            places=self.places[items],
            value={key: Part(part.values[:, items], part.scale) for key, part in self.value.items()},
            base={key: Part(part.values[:, items], part.scale) for key, part in self.base.items()},
        )

    def under(self, by: Sequence[str]) -> Items:
        """The groups that the items make by some of their dimensions; one of all where none is named."""
        return Items.named([self.labels[self.by.index(name)] for name in by], self.size)

    def gathered(self, by: tuple[str, ...], kept: Bools | None = None) -> Level:
        """The items added up by some of their dimensions.

        Parameters
        ----------
        kept
            Which items are taken in each period, shape (periods, items); all where None.
        """
        groups = self.under(by)
        n = groups.size
        order = np.argsort(groups.of_rows, kind="stable")
        firsts = np.searchsorted(groups.of_rows[order], np.arange(n))

        def added(parts: Mapping[str, Part]) -> dict[str, Part]:
            made = {}
            for key, (values, scale) in parts.items():
                taken = values if kept is None else np.where(kept, values, np.zeros(1, dtype=values.dtype))
                if len(order):
                    sums = np.add.reduceat(taken[:, order], firsts, axis=1)
                else:
                    sums = np.zeros((values.shape[0], n), dtype=values.dtype)
                made[key] = Part(sums, scale)
            return made

        return self._replace(
            by=by, labels=groups.labels, places=np.full(n, -1), value=added(self.value), base=added(self.base)
        )

    def beside(self, other: Level) -> Level:
        """These items, then those of another level of the same kind."""

        def joined(mine: Mapping[str, Part], theirs: Mapping[str, Part]) -> dict[str, Part]:
            return {k: Part(np.concatenate([p.values, theirs[k].values], axis=1), p.scale) for k, p in mine.items()}

        return self._replace(
            labels=tuple(np.concatenate(pair) for pair in zip(self.labels, other.labels)),
            places=np.append(self.places, other.places),
            value=joined(self.value, other.value),
            base=joined(self.base, other.base),
        )


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
) -> Level:
    """The sums of each measure over the spans of every row, for the items that occur in any of them."""
    values, bases = aligned.value_spans(), aligned.base_spans()
    keys = [leaf.key for leaf in all_leaves(book.formulas, [m.name for m in measures])]
    sums = book.sums(by, [*keys, ROWS], *((values,) if plan else (values, bases)))
    present = np.any([(side > 0).any(axis=0) for side in sums[ROWS]], axis=0)
    items = book.ledger(by).items
    places = np.arange(items.size)
    level = Level(
        by=tuple(by),
        labels=items.labels,
        places=places,
        value={key: Part(sums[key][0], book.scale_of(key)) for key in keys},
        base={} if plan else {key: Part(sums[key][1], book.scale_of(key)) for key in keys},
        formulas=book.formulas,
        base_formulas=book.formulas,
        why={m.name: "" for m in measures},
    )
    if plan is not None:
        theirs = plan_side(plan, book, by, measures, bases)
        places = theirs.places
        present = at_places(present[None], places)[0] | theirs.present
        level = level._replace(
            labels=theirs.labels,
            places=places,
            value={key: Part(at_places(part.values, places), part.scale) for key, part in level.value.items()},
            base=theirs.parts,
            base_formulas=plan.formulas,
            why=theirs.why,
        )
    return level.at(present) if by else level


def _open(book: Daybook, by: Sequence[str]) -> tuple[Days, Days]:
    """The first and last day on which each item is open; a last entry for an item that never is."""
    coverage = book.coverage
    opened, closed = book.ledger(by).open_days(coverage.first, coverage.last)
    seen = closed >= opened
    closed = np.where(seen, book.standing.spans(np.maximum(closed, coverage.first))[1], closed)
    opened = np.where(seen & (opened - coverage.first <= EDGE_DAYS), coverage.first, opened)
    closed = np.where(seen & (coverage.last - closed <= EDGE_DAYS), coverage.last, closed)
    return np.append(opened, coverage.last + 1), np.append(closed, coverage.first - 1)


def comparable(book: Daybook, aligned: Alignment, items: Level) -> Bools:
    """Which items are open on both sides of each row, shape (periods, items); all where there is no base.

    Open on the first day with records in the base span, and on the last such day of the value span.
    """
    opened, closed = (side[items.places] for side in _open(book, items.by))
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


def sides_of(
    measure: Measure, level: Level, aligned: Alignment, lengths: Lengths, compared: Bools | None = None
) -> Sides:
    """Both sides of one measure, sums divided where the base is a mean or `per` asks for it."""
    shape = (aligned.size, level.size)
    parts = aligned.part_known.sum(axis=0)
    days = base_days = None
    if lengths.per is not None:
        days, base_days = lengths.days[:, None], lengths.base_days[:, None]
    elif len(aligned.part_known) > 1:
        base_days = parts[:, None]
    value_known = np.broadcast_to(aligned.value_known[:, None], shape)
    base_known = np.broadcast_to(aligned.base_known[:, None], shape)
    if days is not None:
        value_known = value_known & (days > 0)
    if base_days is not None:
        base_known = base_known & (base_days > 0)
    value = work_out(level.formulas[measure.name], level.value, days)
    if level.why[measure.name]:
        base = Worked(np.zeros(shape), None)
        base_known = np.zeros(shape, dtype=bool)
    else:
        base = work_out(level.base_formulas[measure.name], level.base, base_days)
    values, bases, scale = at_one_scale(value.values, value.scale, base.values, base.scale)
    return Sides(
        value=values,
        base=bases,
        value_known=value_known & value.known,
        base_known=base_known & base.known,
        scale=scale,
        compared=compared,
        lacking=tuple((rows & value_known, name) for rows, name in value.lacking),
        base_lacking=tuple((rows & base_known, name) for rows, name in base.lacking),
    )
