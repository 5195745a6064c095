"""Positions: the places in longer periods at which their running totals meet, by month and day or by day number."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

import numpy as np

from logochron.core.align.align import Alignment, base_names, named_periods
from logochron.core.align.base_spans import BaseSpans, ValueSpans, any_part, base_spans
from logochron.core.align.bases import Span
from logochron.core.align.period_spec import PeriodSpec, Window
from logochron.core.book.coverage import Coverage
from logochron.core.book.record_spans import Standing
from logochron.core.calendars.base import Bools
from logochron.core.choices import COMPLETE, TO_DATE, AtPositions, first_to_last
from logochron.core.days import Days, as_date, in_words, iso
from logochron.core.errors import QuestionError, brief
from logochron.core.notes import Noted
from logochron.core.said import Said

#: More rows than this are refused: parents times positions.
_MOST_ROWS = 1_000_000


class Positions(NamedTuple):
    """The running totals that are lined up: `parents` (ordinals) by `numbers`, the positions from 1 on.

    `aligned` has a row for each parent and position, parent by parent. `today` is the place among the positions at
    which the report date stands, `left_out` what is to be said of parents that have no line, `edges` the first and last
    days of all parents that the records touch, `many` the last position that a parent has, asked for or not.
    """

    parents: Days
    labels: tuple[str, ...]
    numbers: Days
    aligned: Alignment
    today: int
    left_out: tuple[str, ...]
    edges: tuple[Days, Days]
    many: int


def positions(
    spec: PeriodSpec,
    exclude: Sequence[Any],
    standing: Standing,
    coverage: Coverage,
    plan: Coverage | None,
    asked: AtPositions = "all",
) -> Positions:
    """Line up the running totals of the periods of `question.each` with those of their bases.

    Parameters
    ----------
    exclude
        What names parents that get no line.
    standing
        What records stand for: of whole periods only the positions at their ends are known.
    plan
        The coverage of the plan, where the basis is one.
    asked
        Which positions: all, or only that at which the report date stands.

    Raises
    ------
    QuestionError
        Where nothing is left to line up, or an option names nothing.
    """
    calendar, within = spec.calendar, spec.grain
    touched = calendar.touching(within, coverage.first, coverage.last)
    if not len(touched):
        raise QuestionError("the calendar lists no {0} in the days of the records", calendar.word(within))
    held = calendar.whole(within, touched) & (calendar.first_days(within, touched) >= coverage.first)
    excluded = _excluded(spec, exclude, touched)
    parents = touched[held & ~excluded]
    if spec.last:
        parents = parents[-spec.last :]
    if not len(parents):
        word = calendar.word(within)
        raise QuestionError(
            "no {0} has a running total: the records, {1} to {2}, hold none from its start{3}",
            word,
            iso(coverage.first),
            iso(coverage.last),
            (Said(" that is not excluded") if excluded.any() else ""),
        )
    if isinstance(spec.basis, Span):
        raise QuestionError("`against` {0!r} is no running total: name earlier periods or a plan", str(spec.basis))
    rows = ValueSpans.of_periods(calendar, within, parents)
    parts = base_spans(spec.basis, calendar, within, Window(), rows, "same-number", None)
    earlier = parents[None] if parts.ordinals is None else parts.ordinals
    found = parts.found
    compared = np.unique(np.concatenate([parents, touched[-1:], earlier[found]]))
    days = calendar.day_places(within, compared)
    numbers = np.arange(1, days.shape[1] + 1)
    if standing.whole:
        ends = (standing.spans(days.ravel())[1].reshape(days.shape) == days).all(axis=0)
        if not ends.any():
            one = standing.records_of
            raise QuestionError(
                "each record stands for a whole {0}: a {1} has no running total of those; ask within "
                "a longer period, or read with spread='even' (--spread even)",
                one,
                calendar.word(within),
            )
        days, numbers = days[:, ends], numbers[ends]
    many, last_days = int(numbers[-1]), days[np.searchsorted(compared, touched[-1])]
    today = max(int(np.searchsorted(last_days, coverage.last, side="right")) - 1, 0)
    if asked == "today":
        days, numbers, today = days[:, [today]], numbers[[today]], 0
    if len(parents) * len(numbers) > _MOST_ROWS:
        raise QuestionError(
            "{0:,} lines of {1} positions are too many: choose some by `last`", len(parents), len(numbers)
        )
    aligned = _aligned(spec, rows, earlier, found, compared, days, coverage, plan)
    size = len(numbers)
    aligned = aligned._replace(notes=tuple(_by_row(note, size) for note in parts.notes) + aligned.notes)
    return Positions(
        parents=parents,
        labels=tuple(str(label) for label in rows.labels),
        numbers=numbers,
        aligned=aligned,
        today=today,
        left_out=_left_out(spec, touched, held, coverage),
        edges=(calendar.first_days(within, touched), calendar.last_days(within, touched)),
        many=many,
    )


def _excluded(spec: PeriodSpec, exclude: Sequence[Any], touched: Days) -> Bools:
    """Which of the parents are named to have no line."""
    calendar, within = spec.calendar, spec.grain
    out = np.zeros(len(touched), dtype=bool)
    for named in exclude:
        low, high = named_periods(calendar, within, named, "exclude")
        taken = (touched >= low) & (touched <= high)
        if not taken.any():
            first, last = calendar.labels(within, touched[[0, -1]])
            raise QuestionError(
                "`exclude` {0} names none of the {1} to {2} that are recorded", brief(named), first, last
            )
        out |= taken
    return out


def _aligned(
    spec: PeriodSpec,
    parents: ValueSpans,
    earlier: Days,
    found: Bools,
    compared: Days,
    days: Days,
    coverage: Coverage,
    plan: Coverage | None,
) -> Alignment:
    """A row for each parent and position: from the start of the parent to the day at the position, and the base's."""
    calendar, within = spec.calendar, spec.grain
    size = days.shape[1]
    ends = days[np.searchsorted(compared, parents.ordinals)].ravel()
    starts = np.repeat(parents.starts, size)
    base_ordinals = np.where(found, earlier, compared[0])  # what is not there is any that is
    base_ends = days[np.searchsorted(compared, base_ordinals)].reshape(len(found), -1)
    base_starts = np.repeat(calendar.first_days(within, base_ordinals), size, axis=1)
    labels = calendar.labels(within, base_ordinals).astype(object)
    labels[~found] = None
    held_by = plan or coverage
    part_known = np.repeat(found, size, axis=1) & (base_starts >= held_by.first) & (base_ends <= held_by.last)
    value_known = ends <= coverage.last
    status = np.where(parents.ends <= coverage.last, COMPLETE, TO_DATE).astype(np.int8)
    rows = ValueSpans(
        np.repeat(parents.ordinals, size),
        np.repeat(parents.labels, size),
        starts,
        starts,
        ends,
        np.ones(len(ends), dtype=bool),
    )
    spans = BaseSpans(
        base_starts, base_starts, base_ends, np.repeat(found, size, axis=1), np.zeros(base_ends.shape, dtype=bool),
        np.repeat(labels, size, axis=1), (), np.repeat(earlier, size, axis=1),
    )  # fmt: skip
    base_known = np.asarray(part_known.all(axis=0))
    unheld = spans.found.all(axis=0) & ~base_known
    before = unheld & any_part(base_starts < held_by.first)
    whose = ("records", "start", "end") if plan is None else ("plan", "starts", "ends")
    return Alignment(
        rows=rows,
        parts=spans,
        starts=starts,
        ends=ends,
        status=np.repeat(status, size),
        value_known=value_known,
        base_labels=base_names(spans, part_known),
        base_starts=base_starts,
        base_ends=base_ends,
        part_known=part_known,
        base_known=base_known,
        notes=(
            Noted(before, f"no base: {whose[0]} {whose[1]}", (as_date(held_by.first),)),
            Noted(unheld & ~before, f"no base: {whose[0]} {whose[2]}", (as_date(held_by.last),)),
        ),
    )


def _by_row(note: Noted, size: int) -> Noted:
    """A note on parents as one on their rows."""
    args = tuple(np.repeat(arg, size) if isinstance(arg, np.ndarray) else arg for arg in note.args)
    return Noted(np.repeat(note.rows, size), note.code, args)


def _left_out(spec: PeriodSpec, touched: Days, held: Bools, coverage: Coverage) -> tuple[str, ...]:
    """Which parents have no line, as their start is not held."""
    labels = [str(label) for label in spec.calendar.labels(spec.grain, touched[~held])]
    if not labels:
        return ()
    said = "{0} have no line: the records start on {1}, within it"
    if len(labels) == 1:
        said = "{0} has no line: the records start on {1}, within it"
    return (Said(said, first_to_last(labels), in_words(coverage.first)),)
