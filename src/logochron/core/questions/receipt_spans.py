"""The spans behind a figure: of the items that its row holds, the days, the records and the sums of both sides."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, NamedTuple

import numpy as np

from logochron.core.book.daybook import Daybook
from logochron.core.book.formulas import RECORDS, Difference, Formula, Leaf, LeafSums, leaves, work_out
from logochron.core.book.items import places_of
from logochron.core.book.measures import Measure
from logochron.core.calendars.base import Bools
from logochron.core.days import weekday
from logochron.core.notes import note_of
from logochron.core.questions.calendar_effects import SideSpan
from logochron.core.questions.compare import Comparison
from logochron.core.rows.blocks import RowBlock
from logochron.core.rows.plan_side import selected_alike
from logochron.core.rows.tiers import Labels


class Taken(NamedTuple):
    """The items that a sum takes: by some dimensions, the labels of each; all where no dimension is named."""

    labels: Labels

    def of(self, known: Labels, size: int) -> Bools:
        """Which of the items of a book are taken."""
        if not self.labels:
            return np.ones(size, dtype=bool)
        return places_of(self.labels, known) >= 0


def spans_of(
    result: Comparison, measure: Measure, period: int, taken: Taken, figures: Mapping[str, Any]
) -> tuple[SideSpan, ...]:
    """Both sides with their records and sums; of the items that the row holds."""
    aligned = result.alignment
    sides = [("value", result.book, aligned.value_spans(), aligned.value_known[None])]
    base = result.book if result.plan is None else selected_alike(result.plan, result.book)[0]
    base_known = aligned.part_known & aligned.base_known & bool(np.isfinite(figures["base"]))
    sides.append(("base", base, aligned.base_spans(), base_known))
    made = []
    for side, book, (starts, ends), known in sides:
        for part in np.flatnonzero(known[:, period]):
            start, end = int(starts[part, period]), int(ends[part, period])
            parts, records = _summed(result.by, book, measure, start, end, taken)
            days = np.arange(start, end + 1)
            held = days[result.calendar.holds(days)]
            weekdays = tuple(np.bincount(weekday(held), minlength=7).tolist())
            made.append(SideSpan(side, start, end, len(held), weekdays, records, *_worked(book, measure, parts)))
    return tuple(made)


def _summed(
    dims: tuple[str, ...], book: Daybook, measure: Measure, start: int, end: int, taken: Taken
) -> tuple[dict[str, LeafSums], int]:
    """The sums by leaf and the number of records of one span, of the items that are taken."""
    keys = [leaf.key for leaf in leaves(book.formulas[measure.name])]  # a base unknown has no span
    by = dims[: len(taken.labels)]
    found = book.sums(by, [*dict.fromkeys([*keys, RECORDS])], (np.array([[start]]), np.array([[end]])))
    kept = taken.of(book.day_sums(by).items.labels, found[RECORDS][0].shape[1])
    parts = {key: LeafSums(found[key][0][:, kept].sum(axis=1), book.scale_of(key)) for key in keys}
    return parts, int(found[RECORDS][0][:, kept].sum())


def _worked(
    book: Daybook, measure: Measure, parts: Mapping[str, LeafSums]
) -> tuple[float, tuple[tuple[str, float], ...]]:
    """The figure of one span, and what it is made of."""
    formula = book.formulas[measure.name]
    if isinstance(formula, Leaf):
        return _one(formula, parts), ()
    other = formula.less if isinstance(formula, Difference) else formula.per
    named = ((str(measure.of), formula.of), (str(measure.less or measure.per), other))
    return _one(formula, parts), tuple((name, _one(part, parts)) for name, part in named)


def _one(formula: Formula, parts: Mapping[str, LeafSums]) -> float:
    return float(work_out(formula, parts).shown.item())


def compared_alone(result: Comparison, measure: Measure, period: int, under: Labels) -> tuple[Taken, list[str]]:
    """The items below a subtotal with an amount on either side: those compared, and the names of the others."""
    block = result.of_measure(result.ungathered.columns, measure).blocks[0]
    labels = tuple(block.columns[name][0] for name in result.by)
    rows = _with_amount(block, period)
    for known, wanted in zip(labels, under):
        rows &= known == wanted[0]
    kept = rows & ~_bears(result.ungathered, block, period, "not comparable")
    left_out = [" / ".join(named) for named in zip(*(label[rows & ~kept] for label in labels))]
    return Taken(tuple(label[kept] for label in labels)), left_out


def gathered_alone(result: Comparison, measure: Measure, period: int) -> Taken:
    """The items that `top` gathers, but for those that are not compared."""
    full = result.of_measure(result.ungathered.columns, measure).blocks[0]
    shown = result.of_measure(result.columns, measure).blocks[0]
    labels, others = (tuple(block.columns[name][0] for name in result.by) for block in (full, shown))
    rows = (places_of(others, labels) < 0) & ~_bears(result.ungathered, full, period, "not comparable")
    return Taken(tuple(label[rows] for label in labels))


def _with_amount(block: RowBlock, period: int) -> Bools:
    """Which items have an amount on either side."""
    value, base = (np.broadcast_to(block.columns[name], block.shape)[period] for name in ("value", "base"))
    return np.asarray((np.nan_to_num(value) != 0) | (np.nan_to_num(base) != 0))


def _bears(result: Comparison, block: RowBlock, period: int, code: str) -> Bools:
    """Which items bear a note in a period."""
    bearing = np.array([note_of(notes, code) is not None for notes in result.note_table])
    return np.asarray(bearing[block.columns["note"][period]])
