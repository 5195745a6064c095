"""What the answers of compare, relate, drivers, pace and land have in common, and the columns they write alike.

`Answer` is the base of what is about items and measures of a book, `AlignedAnswer` of what lined its periods up too.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any, Self

import numpy as np
from numpy.typing import NDArray

from logochron.core.align.align import Alignment, named_periods
from logochron.core.align.bases import Basis
from logochron.core.align.period_spec import PeriodSpec
from logochron.core.book.daybook import Daybook
from logochron.core.book.measures import Measure
from logochron.core.calendars.base import Calendar
from logochron.core.choices import DIRECTIONS, PROFILES, STATUSES, VERDICTS, Each, Grain, Kept, Partial, Per
from logochron.core.days import Days, as_date, to_dates
from logochron.core.errors import QuestionError, brief
from logochron.core.judge.judging import Judging
from logochron.core.notes import Note, NoteTexts, RowNotes
from logochron.core.rows.groupings import Grouping
from logochron.core.rows.prepare import Groupings, Prepared, Selection
from logochron.core.rows.question_types import question_type
from logochron.core.rows.result import Block, Blocks, PiecedBlock, Result, RowBlock

Columns = dict[str, NDArray[Any]]


@dataclass(frozen=True, repr=False, eq=False)
class Answer(Result):
    """An answer about items and measures: what was asked, and of which book."""

    selection: Selection = field(repr=False)

    @property
    def book(self) -> Daybook:
        """The book the question was put to."""
        return self.selection.book

    @property
    def kept(self) -> Kept:
        """Which items totals hold."""
        return self.selection.kept

    @property
    def by(self) -> tuple[str, ...]:
        """The dimensions it is split by."""
        return self.selection.by

    @property
    def top(self) -> int | None:
        """How many items are shown by themselves; all where None."""
        return self.selection.top

    @property
    def measures(self) -> tuple[Measure, ...]:
        """The measures it is of."""
        return self.selection.measures

    @property
    def judgings(self) -> Mapping[str, Judging]:
        """How each measure is judged."""
        return self.selection.judgings

    @property
    def in_own_order(self) -> bool:
        """Whether its rows stand in an order of their own, whatever their size."""
        return False

    def block_of(self, measure: Measure, labels: Sequence[str] = ()) -> tuple[RowBlock, int]:
        """The rows of a measure, and the place of an item among them; all together where no label is named.

        The answer has the item.
        """
        block = self.of_measure(self.columns if labels else self.total_columns, measure).blocks[0]
        fits = np.ones(block.shape[1], dtype=bool)
        for name, label in zip(self.by, labels):
            fits &= block.columns[name][0] == label
        return block, int(fits.argmax())

    def of_measure(self, columns: Blocks, measure: Measure) -> Blocks:
        """The rows of one measure."""
        return columns.of(self.measures.index(measure))


@dataclass(frozen=True, repr=False, eq=False)
class AlignedAnswer(Answer):
    """The answer of compare, relate, drivers, pace, land, or a question of one's own that lines periods up."""

    prepared: Prepared = field(repr=False)

    @cached_property
    def ungathered(self) -> Self:
        """The same answer with the items that `top` left out."""
        if self.top is None:
            return self
        return self.ask_anew(replace(self.prepared, selection=replace(self.selection, top=None)))

    def ask_anew(self, prepared: Prepared) -> Self:
        """The same question about what is lined up otherwise."""
        raise NotImplementedError

    def about(self, prepared: Prepared) -> Self:
        """The answer to the same question about other items or periods, which can be asked again as it stands."""
        options = {**prepared.selection.options, "at": prepared.spec.at, "last": prepared.spec.last}
        return replace(self.ask_anew(prepared), call=self.call and self.call.with_options(**options))

    def between(self, low: int, high: int) -> Self:
        """The answer for some of its periods, from `low` to before `high`, as if they alone had been asked of."""
        prepared = self.prepared.between(low, high)
        if not self.rows_stand_alone:
            return self.about(prepared)
        kept = [self.prepared.kept_items(self.by[:n], low, high) for n in range(1, len(self.by) + 1)]
        total = self.total_columns.alone(low, high)
        return replace(
            self,
            columns=self.columns.alone(low, high, kept[-1:]) if kept else total,
            subtotal_columns=self.subtotal_columns.alone(low, high, kept[:-1]),
            total_columns=total,
            periods=self.periods[low:high],
            notes=prepared.notes(),
            prepared=prepared,
            call=self.call and self.call.with_options(at=prepared.spec.at, last=None),
        )

    @property
    def rows_stand_alone(self) -> bool:
        """Whether no row rests on those of other periods, so that those of some need no working out."""
        return False

    def of_items(self, picked: Mapping[str, str], book: Daybook, by: tuple[str, ...]) -> Self:
        """The answer for some items alone, whose records are those of a book; split by some dimensions.

        Where it is of comparable items or of the largest it is asked anew: those among others are not those among some.
        """
        selection = self.selection.about(book, by)
        if selection.kept != "all" or selection.top is not None:
            answer: Self = self.again(book=book, by=by)
            return answer
        return self.about(self.prepared.of_items(picked, selection))

    def alone(self, picked: Mapping[str, str], book: Daybook) -> Self:
        """The answer for some items alone, split by the dimensions in which none is picked."""
        return self.of_items(picked, book, tuple(name for name in self.by if name not in picked))

    def on_days(self, book: Daybook, by: tuple[str, ...]) -> Callable[[int], AlignedAnswer]:
        """Answers for a book as it was known on days, by the number of the day; split by some dimensions."""
        selection = self.selection.about(book, by)

        def as_of(last: int) -> AlignedAnswer:
            assert self.call is not None
            known = replace(selection, book=known_on(book, last))
            answer: AlignedAnswer = self.call.with_options(**known.options, at=None).again()
            return answer

        return as_of

    def part_of(self, whole: Self) -> Self:
        """The same rows as parts of a whole, where it matters of which."""
        return self

    @property
    def opens_at(self) -> str | None:
        """The label of the period that a page opens with, where it is one of those that it offers."""
        return self.periods[-1] if self.periods else None

    @property
    def book(self) -> Daybook:
        """The book the question was put to, without the days that its calendar does not hold."""
        return self.prepared.book

    @property
    def spec(self) -> PeriodSpec:
        """What was lined up."""
        return self.prepared.spec

    @property
    def each(self) -> Each:
        """The grain of the rows."""
        return self.spec.each

    @property
    def against(self) -> Basis:
        """What each period is held against."""
        return self.spec.basis

    @property
    def running(self) -> Grain | int | None:
        """What each row adds up: the periods of a longer grain to date, so many periods, or the period itself."""
        return self.spec.running

    @property
    def partial(self) -> Partial:
        """What is done with unfinished periods."""
        return self.spec.partial

    @property
    def calendar(self) -> Calendar:
        """What numbers the periods."""
        return self.spec.calendar

    @property
    def per(self) -> Per | None:
        """What kind of days value and base are divided by."""
        return self.spec.per

    @property
    def plan(self) -> Daybook | None:
        """The plan, where it is held against one."""
        return self.prepared.plan

    @property
    def alignment(self) -> Alignment:
        """The days of both sides."""
        return self.prepared.aligned

    def span_row(self, place: int = 0) -> dict[str, Any]:
        """The days of a period and of its base, as the columns of that name; NaT where the base is unknown."""
        aligned = self.alignment
        sides = {"start": aligned.starts, "end": aligned.ends}
        bases = {"base_start": aligned.base_first(), "base_end": aligned.base_last()}
        known = bool(aligned.base_known[place])
        row = {name: to_dates(days[[place]])[0] for name, days in sides.items()}
        return row | {
            name: to_dates(days[[place]])[0] if known else np.datetime64("NaT", "D") for name, days in bases.items()
        }

    def rows_alerted(self, column: str, of: Mapping[str, str]) -> list[int]:
        """The places of the rows of an item that an alert on a column is about, those of some words (`of`)."""
        return [self.place()]

    @property
    def note_table(self) -> list[tuple[Note, ...]]:
        """The notes of a row, by its place in the column `note`."""
        return self.prepared.noted.known

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
        places = np.flatnonzero(self.alignment.labels == at) if isinstance(at, str) else np.zeros(0, dtype=np.intp)
        if not len(places) and self.spec.each != "span":
            low, high = named_periods(self.calendar, self.spec.grain, at)
            ordinals = self.alignment.ordinals
            places = np.flatnonzero((ordinals >= low) & (ordinals <= high))
        if len(places) != 1:
            raise QuestionError(
                "`at` must name one period of the answer, {0} to {1}; got {2}",
                self.periods[0],
                self.periods[-1],
                brief(at),
            )
        return int(places[0])


def known_on(book: Daybook, last: int) -> Daybook:
    """The book as it was known on a day, by the number of the day."""
    return book.until(as_date(last)) if last < book.coverage.last else book


def one(value: object) -> NDArray[Any]:
    """A value of all rows, as a column."""
    return np.array([[value]], dtype=object if value is None or isinstance(value, str) else None)


def opening(prepared: Prepared, measure: Measure, grouping: Grouping) -> Columns:
    """The columns before the figures: measure, period, its days, the labels of the item."""
    aligned = prepared.aligned
    return {
        "measure": one(measure.name),
        "period": np.arange(aligned.size)[:, None],
        "start": to_dates(aligned.starts)[:, None],
        "end": to_dates(aligned.ends)[:, None],
        "days": prepared.lengths.days.astype(float)[:, None],
        **dimensions(prepared.selection.by, grouping),
    }


def dimensions(by: tuple[str, ...], grouping: Grouping) -> Columns:
    """The labels of the items, None for the dimensions that are added up."""
    return {name: grouping.labels[n][None] if n < len(grouping.labels) else one(None) for n, name in enumerate(by)}


def row_notes(prepared: Prepared, grouping: Grouping) -> RowNotes:
    """Takes the notes on the rows of a grouping."""
    return RowNotes(prepared.noted, (prepared.aligned.size, grouping.size))


def note_periods(prepared: Prepared, notes: RowNotes, why: Note | None, *, whole: bool = False) -> None:
    """Adds what is to be said of whole periods; `whole`: a running one stands beside its base as if it were over."""
    aligned, lengths = prepared.aligned, prepared.lengths
    if why is not None:
        notes.add(aligned.base_known[:, None], why.code, *why.args)
    notes.add_all(aligned.notes)
    if lengths.per is not None:
        idle = (lengths.days == 0) & aligned.value_known | (lengths.base_days == 0) & aligned.base_known
        notes.add(idle[:, None], "no selling days" if lengths.per == "selling-day" else "no trading days")
    _note_selling_days(prepared, notes, aligned.rows.ends if whole else aligned.ends)


def _note_selling_days(prepared: Prepared, notes: RowNotes, ends: Days) -> None:
    """Where a period, up to its end, and its base differ in selling days, as far as these are said."""
    book, aligned = prepared.selection.book, prepared.aligned
    known = aligned.value_known & aligned.base_known
    if len(aligned.base_starts) != 1 or not known.any():
        return
    if book.selling_days is None and prepared.lengths.per != "selling-day":
        return
    spans = ((aligned.starts, ends), (aligned.base_starts[0], aligned.base_ends[0]))
    own, base = (book.selling.count(first, np.where(known, last, first - 1)) for first, last in spans)
    notes.add((known & (own != base))[:, None], "selling days", own[:, None], base[:, None])


def block(
    prepared: Prepared, measure: Measure, grouping: Grouping, columns: Columns, others: bool, size: int | None = None
) -> Block:
    """The rows of one measure and one grouping, in the order asked for; the last item gathers `others`, or not.

    `size`: of so many rows an item, those that are lined up where None.
    """
    shape = prepared.aligned.size if size is None else size, grouping.size
    order = _order(prepared.selection.sort, columns, shape, others)
    if others and prepared.counts_ids(measure):  # an id that lies in two items would count twice
        order = np.arange(shape[0] * shape[1]) if order is None else order
        order = order[(order + 1) % shape[1] != 0]
    return Block(shape, columns, order, prepared.selection.measures.index(measure))


def _order(sort: str | None, columns: Columns, shape: tuple[int, int], others: bool) -> NDArray[np.int64] | None:
    """The order of the rows of one measure, period by period; None where they stay as they are, by label."""
    if sort is None or sort == "label":
        return None
    name, down = sort.removeprefix("-"), sort.startswith("-")
    size = np.broadcast_to(np.arange(shape[1], dtype=float) if name == "label" else columns[name], shape)
    size = -size if down else size
    order = np.argsort(size[:, : shape[1] - others], axis=1, kind="stable")  # what is unknown comes last
    if others:
        order = np.append(order, np.full((shape[0], 1), shape[1] - 1), axis=1)
    return (order + np.arange(shape[0])[:, None] * shape[1]).ravel()


#: The rows of one measure and one grouping, of which the last gathers others, or not.
Rows = Callable[[Measure, Grouping, bool], Block]
#: The same of some periods, whose groupings are given.
PartRows = Callable[[Groupings, Measure, Grouping, bool], Block]
#: More rows of one measure and grouping are worked out a piece at a time.
_AT_ONCE = 3_000_000


def laid_out(
    answer: str,
    groupings: Groupings,
    rows: Rows,
    part_rows: PartRows | None = None,
    *,
    periods: tuple[str, ...] | None = None,
    notes: tuple[str, ...] | None = None,
) -> dict[str, Any]:
    """What every aligned answer is made of: its rows by item, by each prefix of the dimensions, of all together.

    Parameters
    ----------
    part_rows
        Works out the rows of some periods alone, so that many come in pieces.
    periods, notes
        The labels of its periods and what is to be said of it, where these are not those of what is lined up.
    """
    prepared = groupings.prepared
    selection = prepared.selection

    def rows_of(measure: Measure, grouping: Grouping, others: bool) -> RowBlock:
        shape = prepared.aligned.size, grouping.size
        if part_rows is None or shape[0] * shape[1] <= _AT_ONCE:
            return rows(measure, grouping, others)

        def some(low: int, high: int) -> Block:
            part, same = groupings.between(low, high, grouping)
            return part_rows(part, measure, same, others)

        dropped = int(others and prepared.counts_ids(measure))
        return PiecedBlock(shape, some, selection.measures.index(measure), dropped)

    total = Blocks([rows_of(measure, groupings.total, False) for measure in selection.measures])
    items = total
    if selection.by:
        items = Blocks([rows_of(measure, groupings.items, groupings.others) for measure in selection.measures])
    subtotals = [
        rows_of(measure, grouping, False) for measure in selection.measures for grouping in groupings.subtotals
    ]
    words = {
        "direction": DIRECTIONS,
        "verdict": VERDICTS,
        "status": STATUSES,
        "band": band_names(selection.judgings),
        "profile": PROFILES,
        "note": NoteTexts(prepared.noted),
    }
    return {
        "columns": items,
        "subtotal_columns": Blocks(subtotals),
        "total_columns": total,
        "periods": prepared.periods if periods is None else periods,
        "notes": prepared.notes() if notes is None else notes,
        "words": {name: texts for name, texts in words.items() if question_type(answer).has_column(name)},
        "selection": selection,
        "prepared": prepared,
    }


def band_names(judgings: Mapping[str, Judging]) -> tuple[str, ...]:
    """The names of all bands, each once."""
    return tuple(dict.fromkeys(band.name for judging in judgings.values() for band in judging.bands))


def in_order(answer: str, by: tuple[str, ...], columns: Columns) -> Columns:
    """The columns in the order in which the answer has them."""
    return {name: columns[name] for name in question_type(answer).in_order(by) if name in columns}
