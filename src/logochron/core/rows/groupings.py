"""Rows by item, by subtotal and in all: their sums on both sides, and which items are comparable."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.align.align import Alignment
from logochron.core.book.daybook import Daybook
from logochron.core.book.items import NEVER, Items, RecordLife
from logochron.core.book.measures import AggregateSums, Formula, Measure, Worked, all_aggregates, work_out
from logochron.core.book.sums import Spans, at_one_scale
from logochron.core.calendars.base import Bools, Calendar
from logochron.core.choices import Per
from logochron.core.days import Days
from logochron.core.notes import Note
from logochron.core.rows.figures import Sides
from logochron.core.rows.plans import PlanSide, at_places, plan_side

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


def comparable_items(book: Daybook, aligned: Alignment, by: Sequence[str], places: Days) -> Bools:
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


Labels = tuple[NDArray[np.object_], ...]
#: Tells of the tuples of some labels when they were recorded.
LifeOf = Callable[[Labels], RecordLife]


class Lengths(NamedTuple):
    """The days of each row and of its base, all parts together: those that `per` divides by."""

    days: Days
    base_days: Days
    per: Per | None


class Grouping(NamedTuple):
    """Rows of one kind: the tuples of items of some dimensions that have a record in any span, with their sums.

    `value` and `base` are by aggregate, of shape (periods, items), before anything is divided. `formulas` and
    `base_formulas` are by measure; `why` says of a measure why nothing of it has a base, if it is so. `places` is the
    place of each item among the book's own, -1 where only the plan has it. `life`: when each was recorded at all.
    """

    by: tuple[str, ...]
    labels: Labels
    places: Days
    value: Mapping[str, AggregateSums]
    base: Mapping[str, AggregateSums]
    formulas: Mapping[str, Formula]
    base_formulas: Mapping[str, Formula]
    why: Mapping[str, Note | None]
    life: RecordLife

    @property
    def size(self) -> int:
        """How many items there are."""
        return len(self.places)

    def at(self, items: Bools) -> Grouping:
        """Some of the items."""
        if items.all():
            return self
        places = np.flatnonzero(items)  # `take` keeps rows together, a mask would not
        return self._replace(
            labels=tuple(label[items] for label in self.labels),
            places=self.places[items],
            life=self.life.at(places),
            value={
                key: AggregateSums(part.values.take(places, axis=1), part.scale) for key, part in self.value.items()
            },
            base={key: AggregateSums(part.values.take(places, axis=1), part.scale) for key, part in self.base.items()},
        )

    def between(self, low: int, high: int) -> Grouping:
        """The rows of some periods, from `low` to before `high`."""
        return self.of_rows(slice(low, high))

    def of_rows(self, rows: slice | Days) -> Grouping:
        """Some of the rows."""

        def cut(parts: Mapping[str, AggregateSums]) -> dict[str, AggregateSums]:
            return {key: AggregateSums(values[rows], scale) for key, (values, scale) in parts.items()}

        return self._replace(value=cut(self.value), base=cut(self.base))

    def on(self, labels: Labels, places: Days) -> Grouping:
        """The sums for other items, each the one at its place here; 0 where it has none."""

        def laid(parts: Mapping[str, AggregateSums]) -> dict[str, AggregateSums]:
            return {key: AggregateSums(at_places(part.values, places), part.scale) for key, part in parts.items()}

        own = np.append(self.places, -1)[places]  # -1: the last, which is none
        return self._replace(
            labels=labels, places=own, value=laid(self.value), base=laid(self.base), life=self.life.at(places)
        )

    def under(self, by: Sequence[str]) -> Items:
        """The groups that the items make by some of their dimensions; one of all where none is named."""
        return Items.named([self.labels[self.by.index(name)] for name in by], self.size)

    def gathered(self, by: tuple[str, ...], life: LifeOf, kept: Bools | None = None) -> Grouping:
        """The items added up by some of their dimensions.

        Parameters
        ----------
        life
            Tells when the groups of some labels were recorded, whether or not each of their items has a row.
        kept
            Which items are taken in each period, shape (periods, items); all where None.
        """
        if not by and kept is None:
            value, base = _all(self.value), _all(self.base)
            return self._replace(by=(), labels=(), places=np.full(1, -1), life=life(()), value=value, base=base)
        groups = self.under(by)
        return self.added_up(groups.of_rows, groups.size, kept)._replace(
            by=by, labels=groups.labels, life=life(groups.labels)
        )

    def added_up(self, groups: Days, n: int, kept: Bools | None = None) -> Grouping:
        """The sums of `n` groups, each of which has items; labels and life stay those of the items.

        Parameters
        ----------
        groups
            The group of each item.
        kept
            As in `gathered`.
        """
        order = np.argsort(groups, kind="stable")
        firsts = np.searchsorted(groups[order], np.arange(n))

        def added(parts: Mapping[str, AggregateSums]) -> dict[str, AggregateSums]:
            totals = {}
            for key, (values, scale) in parts.items():
                taken = values if kept is None else np.where(kept, values, np.zeros(1, dtype=values.dtype))
                if len(order):
                    sums = np.add.reduceat(taken.take(order, axis=1), firsts, axis=1)
                else:
                    sums = np.zeros((values.shape[0], n), dtype=values.dtype)
                totals[key] = AggregateSums(sums, scale)
            return totals

        return self._replace(places=np.full(n, -1), value=added(self.value), base=added(self.base))

    def beside(self, other: Grouping) -> Grouping:
        """These items, then those of another grouping of the same kind."""

        def joined(mine: Mapping[str, AggregateSums], theirs: Mapping[str, AggregateSums]) -> dict[str, AggregateSums]:
            return {
                k: AggregateSums(np.concatenate([p.values, theirs[k].values], axis=1), p.scale) for k, p in mine.items()
            }

        return self._replace(
            labels=tuple(np.concatenate(pair) for pair in zip(self.labels, other.labels)),
            places=np.append(self.places, other.places),
            value=joined(self.value, other.value),
            base=joined(self.base, other.base),
            life=self.life.beside(other.life),
        )


def _all(parts: Mapping[str, AggregateSums]) -> dict[str, AggregateSums]:
    """All items added up."""
    return {key: AggregateSums(part.values.sum(axis=1, keepdims=True), part.scale) for key, part in parts.items()}


def lengths_of(book: Daybook, calendar: Calendar, aligned: Alignment, per: Per | None) -> Lengths:
    """How many days each row and its base have."""

    recorded = book.recorded[calendar.holds(book.recorded)]

    def count(starts: Days, ends: Days, known: Bools) -> Days:
        if per == "selling-day":
            return book.selling.count(starts, np.where(known, ends, starts - 1))
        if per == "trading-day":
            return np.searchsorted(recorded, ends, side="right") - np.searchsorted(recorded, starts)
        return calendar.lengths(starts, ends)

    base = count(aligned.base_starts, aligned.base_ends, aligned.part_known)
    value = count(aligned.starts, aligned.ends, aligned.value_known)
    return Lengths(value, np.where(aligned.part_known, base, 0).sum(axis=0), per)


def value_grouping(book: Daybook, by: Sequence[str], measures: Sequence[Measure], *groups: Spans) -> Grouping:
    """The sums of each measure over the spans of every row, for the items that occur in any of them.

    Parameters
    ----------
    groups
        The spans of the values, and those of the bases where they are of the same book.
    """
    grouping, present = _summed(book, by, measures, groups)
    return grouping.at(present) if by else grouping


def _summed(
    book: Daybook, by: Sequence[str], measures: Sequence[Measure], groups: Sequence[Spans]
) -> tuple[Grouping, Bools]:
    """All items of a book with their sums over the spans of the values and of the bases, and which occur in them."""
    grouping, (value, *base), present = _all_items(book, by, measures, groups)
    return grouping._replace(value=value, base=base[0] if base else {}), present


def _all_items(
    book: Daybook, by: Sequence[str], measures: Sequence[Measure], groups: Sequence[Spans]
) -> tuple[Grouping, list[dict[str, AggregateSums]], Bools]:
    """All items of a book yet without sums, their sums over each group of spans, and which of them occur in any."""
    keys = [aggregate.key for aggregate in all_aggregates(book.formulas, [m.name for m in measures])]
    sums = book.sums(by, keys, *groups)
    present = book.day_sums(by).present(groups)
    items = book.day_sums(by).items
    by_group = [
        {key: AggregateSums(sums[key][group], book.scale_of(key)) for key in keys} for group in range(len(groups))
    ]
    grouping = Grouping(
        by=tuple(by),
        labels=items.labels,
        places=np.arange(items.size),
        value={},
        base={},
        formulas=book.formulas,
        base_formulas=book.formulas,
        why=dict.fromkeys((m.name for m in measures), None),
        life=book.life(by),
    )
    return grouping, by_group, present


def summed(
    book: Daybook, plan: Daybook | None, by: Sequence[str], measures: Sequence[Measure], aligned: Alignment
) -> Grouping:
    """The sums of each measure over both spans of every row, for the items that occur in any of them."""
    values, bases = aligned.value_spans(), aligned.base_spans()
    if plan is None:
        return value_grouping(book, by, measures, values, bases)
    grouping, present = _summed(book, by, measures, [values])
    theirs = plan_side(plan, book, by, measures, bases)
    present = at_places(present[None], theirs.places)[0] | theirs.present
    grouping = _beside_plan(grouping, plan, theirs)
    return grouping.at(present) if by else grouping


def _beside_plan(grouping: Grouping, plan: Daybook, theirs: PlanSide) -> Grouping:
    """The items of a book and of a plan, with the sums of both."""
    laid = grouping.on(theirs.labels, theirs.places)
    return laid._replace(base=theirs.parts, base_formulas=plan.formulas, why=theirs.why)


#: A plan where the bases are of one, and how a question lined its periods up.
Side = tuple[Daybook | None, Alignment]


def summed_together(
    book: Daybook, by: Sequence[str], measures: Sequence[Measure], sides: Sequence[Side]
) -> list[Grouping]:
    """The sums of several questions about one book, in one pass of its records: for the items that occur in any."""
    groups = [
        spans
        for plan, aligned in sides
        for spans in ((aligned.value_spans(),) if plan else (aligned.value_spans(), aligned.base_spans()))
    ]
    known, sums, present = _all_items(book, by, measures, groups)
    of_groups = iter(sums)
    groupings, whose = [], [(known.labels, present)]
    for plan, aligned in sides:
        grouping = known._replace(value=next(of_groups))
        if plan is None:
            groupings.append(grouping._replace(base=next(of_groups)))
            continue
        theirs = plan_side(plan, book, by, measures, aligned.base_spans())
        groupings.append(_beside_plan(grouping, plan, theirs))
        whose.append((theirs.labels, theirs.present))
    if not by:
        return groupings
    if len(whose) == 1:
        return [grouping.at(present) for grouping in groupings]
    joined = [np.concatenate(columns) for columns in zip(*(labels for labels, _ in whose))]
    items = Items.named(joined, len(joined[0]))
    has_row = np.zeros(items.size, dtype=bool)
    has_row[items.of_rows[np.concatenate([there for _, there in whose])]] = True
    at_sides: dict[int, Days] = {}
    low = 0
    for labels, there in whose:  # the place of each item among those of one side, -1 where it has none
        places = np.full(items.size, -1, dtype=np.int64)
        places[items.of_rows[low : low + len(there)]] = np.arange(len(there))
        at_sides[id(labels)] = places
        low += len(there)
    return [one.on(items.labels, at_sides[id(one.labels)]).at(has_row) for one in groupings]


class RowGrouping(NamedTuple):
    """All items of a book with their sums, and which of them have a row in each period, shape (periods, items)."""

    grouping: Grouping
    present: Bools

    def kept(self, low: int, high: int, picked: Sequence[str]) -> Bools:
        """Which items have a row in some periods, of those whose first labels are picked."""
        kept: Bools = np.asarray(self.present[low:high].any(axis=0))
        if len(picked) == len(self.grouping.by):  # all together
            kept = np.ones_like(kept)
        for known, label in zip(self.grouping.labels, picked):
            kept &= np.asarray(known == label)
        return kept

    def part(self, low: int, high: int, picked: Sequence[str]) -> Grouping:
        """The rows of some periods, of the items whose first labels are those picked; these labels go."""
        part = self.grouping.between(low, high).at(self.kept(low, high, picked))
        return part._replace(by=part.by[len(picked) :], labels=part.labels[len(picked) :])


def summed_by_row(
    book: Daybook, plan: Daybook | None, by: Sequence[str], measures: Sequence[Measure], aligned: Alignment
) -> RowGrouping:
    """The sums of each measure over both spans of every row, for all items."""
    values, bases = aligned.value_spans(), aligned.base_spans()
    groups = [values, bases] if plan is None else [values]
    grouping, _ = _summed(book, by, measures, groups)
    present = book.day_sums(by).present_by_span(groups)
    if plan is not None:
        theirs = plan_side(plan, book, by, measures, bases)
        grouping = _beside_plan(grouping, plan, theirs)
        present = at_places(present, theirs.places)
        for part in theirs.parts.values():
            present = present | (part.values != 0)
    return RowGrouping(grouping, present)


def sides_of(
    measure: Measure,
    grouping: Grouping,
    aligned: Alignment,
    lengths: Lengths,
    report: int,
    compared: Bools | None = None,
) -> Sides:
    """Both sides of one measure, sums divided where the base is a mean or `per` asks for it.

    `report` is the report date, to which an item is silent.
    """
    days = base_days = None
    if lengths.per is not None:
        days, base_days = lengths.days[:, None], lengths.base_days[:, None]
    elif len(aligned.part_known) > 1:
        base_days = aligned.part_known.sum(axis=0)[:, None]
    # of whole periods, where nothing of an item says otherwise
    value_known, base_known = aligned.value_known[:, None], aligned.base_known[:, None]
    if days is not None:
        value_known = value_known & (days > 0)
    if base_days is not None:
        base_known = base_known & (base_days > 0)
    value = work_out(grouping.formulas[measure.name], grouping.value, days)
    if grouping.why[measure.name]:
        base = Worked(np.zeros((aligned.size, grouping.size)), None)
        base_known = np.zeros_like(base_known)
    else:
        base = work_out(grouping.base_formulas[measure.name], grouping.base, base_days)
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
        yet_to_start=grouping.life.first > aligned.base_last()[:, None],
        has_ended=grouping.life.has_ended(aligned.starts, report),
    )
