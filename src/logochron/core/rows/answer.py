"""Answers that line periods up: what they have in common, and the columns they write alike."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from logochron.core.align.align import Alignment, Question, named_periods
from logochron.core.align.bases import Basis
from logochron.core.book.daybook import Daybook
from logochron.core.book.measures import Measure
from logochron.core.calendars.base import Bools, Calendar
from logochron.core.days import to_dates
from logochron.core.errors import QuestionError
from logochron.core.judge.judging import Judging
from logochron.core.options import Each, Grain, Kept, Partial, Per
from logochron.core.rows.figures import Notes
from logochron.core.rows.prepare import Levels, Lineup, sorted_rows
from logochron.core.rows.result import Result
from logochron.core.rows.tiers import Level

Columns = dict[str, NDArray[Any]]


@dataclass(frozen=True, repr=False)
class Answer(Result):
    """An answer of compare, relate or drivers: tables, and the question as it was lined up."""

    lined: Lineup = field(repr=False)

    @property
    def book(self) -> Daybook:
        """The book the question was put to."""
        return self.lined.book

    @property
    def question(self) -> Question:
        """What was lined up."""
        return self.lined.question

    @property
    def each(self) -> Each:
        """The grain of the rows."""
        return self.question.each

    @property
    def basis(self) -> Basis:
        """What each period is held against."""
        return self.question.basis

    @property
    def running(self) -> Grain | int | None:
        """What each row adds up: the periods of a longer grain to date, so many periods, or the period itself."""
        window = self.question.window
        return window.parent or (window.n if window.n > 1 else None)

    @property
    def partial(self) -> Partial:
        """What is done with running periods."""
        return self.question.partial

    @property
    def calendar(self) -> Calendar:
        """What numbers the periods."""
        return self.question.calendar

    @property
    def per(self) -> Per | None:
        """What kind of days value and base are divided by."""
        return self.lined.per

    @property
    def kept(self) -> Kept:
        """Which items totals hold."""
        return self.lined.kept

    @property
    def by(self) -> tuple[str, ...]:
        """The dimensions it is split by."""
        return self.lined.by

    @property
    def measures(self) -> tuple[Measure, ...]:
        """The measures it is of."""
        return self.lined.measures

    @property
    def judgings(self) -> Mapping[str, Judging]:
        """How each measure is judged."""
        return self.lined.judgings

    @property
    def plan(self) -> Daybook | None:
        """The plan, where it is held against one."""
        return self.lined.plan

    @property
    def alignment(self) -> Alignment:
        """The days of both sides."""
        return self.lined.aligned

    def place(self, at: Any = None) -> int:
        """The place among `periods` of the one that a label or a day names; of the last one where None.

        Raises
        ------
        QuestionError
            Where there is none, or several.
        """
        if not self.periods:
            raise QuestionError("there is no period to show: the answer is empty")
        if at is None:
            return len(self.periods) - 1
        found = np.flatnonzero(self.alignment.labels == at)
        if not len(found) and self.question.each != "span":
            low, high = named_periods(self.calendar, self.question.grain, at)
            ordinals = self.alignment.ordinals
            found = np.flatnonzero((ordinals >= low) & (ordinals <= high))
        if len(found) != 1:
            raise QuestionError(
                f"`at` must name one period of the answer, {self.periods[0]} to {self.periods[-1]}; got {at!r}"
            )
        return int(found[0])


def per_period(values: NDArray[Any], level: Level) -> NDArray[Any]:
    """A value of each period as a column."""
    return np.repeat(values, level.size)


def opening(lined: Lineup, name: str, level: Level) -> Columns:
    """The columns before the figures: measure, period, its days, the labels of the item."""
    aligned = lined.aligned
    columns: Columns = {
        "measure": alike(name, aligned.size * level.size),
        "period": per_period(np.arange(aligned.size), level),
        "start": per_period(to_dates(aligned.starts), level),
        "end": per_period(to_dates(aligned.ends), level),
        "days": per_period(lined.lengths.days.astype(float), level),
    }
    return columns | dimensions(lined.by, level, aligned.size)


def dimensions(by: tuple[str, ...], level: Level, periods: int = 1) -> Columns:
    """The labels of the items, None for the dimensions that are added up."""
    columns: Columns = {}
    for place, name in enumerate(by):
        if place < len(level.labels):
            columns[name] = np.tile(level.labels[place], periods)
        else:
            columns[name] = alike(None, periods * level.size)
    return columns


def noted(lined: Lineup, notes: Notes, why: str) -> None:
    """Adds what is to be said of whole periods."""
    aligned, lengths = lined.aligned, lined.lengths
    if why:
        notes.add(aligned.base_known[:, None], why)
    for rows, text in aligned.notes:
        notes.add(rows[:, None], text if isinstance(text, str) else text[:, None])
    if lengths.per is not None:
        idle = (lengths.days == 0) & aligned.value_known | (lengths.base_days == 0) & aligned.base_known
        notes.add(idle[:, None], "no trading days")


def alike(value: object, size: int) -> NDArray[np.object_]:
    """A column of one value, which takes no room."""
    return np.broadcast_to(np.array([value], dtype=object), (size,))


def in_rows(columns: Columns, rows: NDArray[np.int64] | None) -> Columns:
    """The columns with their rows chosen or put in order."""
    if rows is None:
        return columns
    return {
        name: alike(values[0], len(rows)) if values.strides == (0,) and len(values) else values[rows]
        for name, values in columns.items()
    }


def arranged(
    lined: Lineup, measure: Measure, columns: Columns, figures: Mapping[str, NDArray[Any]], others: bool
) -> Columns:
    """The columns with their rows in the order asked for.

    Parameters
    ----------
    figures
        By column, of shape (periods, items); the last item gathers `others`, or not.
    """
    order = sorted_rows(lined.sort, figures, others)
    if others and lined.counts_ids(measure):  # an id that lies in two items would count twice
        order = np.arange(figures["value"].size) if order is None else order
        order = order[(order + 1) % figures["value"].shape[1] != 0]
    return in_rows(columns, order)


#: The columns of one measure and one kind of rows, of which some are to be compared and the last gathers others.
Rows = Callable[[Measure, Level, Bools | None, bool], Columns]


def laid_out(lined: Lineup, levels: Levels, rows: Rows) -> dict[str, Any]:
    """What every answer is made of: the columns by item, by each prefix of the dimensions, of all together."""
    total = _stacked([rows(measure, levels.total, None, False) for measure in lined.measures])
    items = total
    if lined.by:
        items = _stacked([rows(measure, levels.items, levels.compared, levels.others) for measure in lined.measures])
    subtotals = [rows(measure, level, None, False) for measure in lined.measures for level in levels.subtotals]
    return {
        "columns": items,
        "subtotal_columns": _stacked(subtotals) if subtotals else {},
        "total_columns": total,
        "periods": lined.periods,
        "notes": lined.notes(),
        "lined": lined,
    }


def _stacked(parts: list[Columns]) -> Mapping[str, NDArray[Any]]:
    """Columns of several measures or kinds below each other, read-only."""
    one = parts[0]
    if len(parts) > 1:
        one = {name: np.concatenate([part[name] for part in parts]) for name in parts[0]}
    for values in one.values():
        values.setflags(write=False)
    return one
