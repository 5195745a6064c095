"""A question lined up: what was asked of which items, the rows of every grouping with their two sides."""

from __future__ import annotations

import inspect
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import wraps
from typing import Any, NamedTuple, ParamSpec, TypeVar

import numpy as np

from logochron.core.align.align import Alignment, align, closing_options, edge_options
from logochron.core.align.period_spec import PeriodSpec
from logochron.core.book.coverage import Coverage
from logochron.core.book.daybook import Daybook
from logochron.core.book.items import places_of
from logochron.core.book.last_period import running_lines
from logochron.core.book.measures import Measure, adds_up, counts_ids
from logochron.core.book.sums import Spans
from logochron.core.calendars.base import Bools, Calendar
from logochron.core.choices import OTHERS, Kept, check, check_count, how_many
from logochron.core.days import Days, in_words
from logochron.core.errors import QuestionError
from logochron.core.judge.judging import Judging, JudgingLike, judgings_of
from logochron.core.notes import NoteTable
from logochron.core.rows.figures import Sides
from logochron.core.rows.groupings import (
    Grouping,
    Lengths,
    LifeOf,
    RowGrouping,
    comparable_items,
    lengths_of,
    sides_of,
    summed,
    summed_by_row,
)
from logochron.core.rows.plan_shapes import shaped
from logochron.core.rows.plans import AnyPlan, check_plan, with_missing
from logochron.core.rows.question_types import question_type
from logochron.core.said import Said

P = ParamSpec("P")
R = TypeVar("R")


@dataclass(frozen=True, eq=False)
class QuestionCall:
    """A question and the options it was put with."""

    question: Callable[..., Any]
    options: Mapping[str, Any]

    def with_options(self, **changed: Any) -> QuestionCall:
        """The same question with some options changed; those that it does not take are left out."""
        return replace(self, options={**self.options, **{n: v for n, v in changed.items() if n in self.options}})

    def again(self, **changed: Any) -> Any:
        """The answer to the same question with some options changed."""
        return self.question(**{**self.options, **changed})


def remembered(question: Callable[P, R]) -> Callable[P, R]:
    """A question whose answers keep how it was put."""
    signature = inspect.signature(question)

    @wraps(question)
    def answered(*args: P.args, **named: P.kwargs) -> R:
        answer: Any = question(*args, **named)
        bound = signature.bind(*args, **named)
        bound.apply_defaults()
        remembering: R = replace(answer, call=QuestionCall(answered, bound.arguments))
        return remembering

    return answered


@dataclass(frozen=True, kw_only=True, eq=False)
class Selection:
    """What is asked of which book; asked anew by `replace`.

    Attributes
    ----------
    book
        As it came.
    by, measures, judgings
        The dimensions, the measures and how each is judged.
    kept, top, sort
        Which items totals hold, how many are shown, and in which order.
    """

    book: Daybook
    by: tuple[str, ...]
    measures: tuple[Measure, ...]
    judgings: Mapping[str, Judging]
    kept: Kept = "all"
    top: int | None = None
    sort: str | None = None

    def about(self, book: Daybook, by: tuple[str, ...]) -> Selection:
        """The same asked of a book, split by some dimensions; by none, there are no items to choose among."""
        if by:
            return replace(self, book=book, by=by)
        return replace(self, book=book, by=(), kept="all", top=None, sort=None)

    @property
    def options(self) -> dict[str, Any]:
        """What is asked of items, as the options of a question."""
        return {"book": self.book, "by": self.by, "items": self.kept, "top": self.top, "sort": self.sort}


def check_book(book: object) -> None:
    """Refuses what is no daybook."""
    if not isinstance(book, Daybook):
        raise QuestionError("`book` must be a Daybook, as `read` gives it; got {0}", type(book).__name__)


def adding_up(book: Daybook, measures: str | Sequence[str] | None) -> tuple[list[str], list[str]]:
    """The measures asked for that add up, and those that divide."""
    names = [measure.name for measure in book.check_measures(measures)]
    divide = [name for name in names if not adds_up(book.formulas[name])]
    return [name for name in names if name not in divide], divide


def ask(
    answer: str,
    book: Daybook,
    *,
    by: str | Sequence[str] | None,
    measures: str | Sequence[str] | None,
    judging: JudgingLike,
    items: Kept,
    top: int | None,
    sort: str | None,
    kept: bool = False,
) -> Selection:
    """The options about items, measures and judging, checked.

    Parameters
    ----------
    answer
        What the answer is called whose columns the dimensions stand beside, and whose orders it has.
    kept
        Whether ids that are too many to be items may be named as well.

    Raises
    ------
    QuestionError
        Where one names nothing or does not go with another.
    """
    check_book(book)
    dims, chosen, of_answer = book.check_by(by, kept=kept), book.check_measures(measures), question_type(answer)
    of_answer.check_dimensions(dims)
    if check("items", items, Kept) == "comparable" and not dims:
        raise QuestionError("items='comparable' is about items: name a dimension in `by` (--by)")
    counting = [m.name for m in chosen if counts_ids(book.formulas[m.name])]
    if items == "comparable" and counting:
        raise QuestionError(
            "items='comparable' adds items up, and distinct ids do not add up: leave {0} out", ", ".join(counting)
        )
    if top is not None:
        check_count("top", top)
    if sort is not None:
        sort = of_answer.sort_named(sort, of_answer.headings_of(dims, [m.name for m in chosen]))
    for option, given in (("top", top), ("sort", sort)):
        if given is not None and not dims:
            raise QuestionError("`{0}` is about items: name a dimension in `by` (--by)", option)
    if top is not None and of_answer.largest_first:  # the largest, from the largest down
        sort = f"-{of_answer.value}"
    judgings = judgings_of(judging, [m.name for m in chosen], list(book.formulas))
    return Selection(book=book, by=dims, measures=chosen, judgings=judgings, kept=items, top=top, sort=sort)


@dataclass(frozen=True, kw_only=True, eq=False)
class Prepared:
    """A question lined up: what was asked, the days of both sides, how many there are.

    `book` has no days that the calendar does not hold; `asked.book` is as it came.
    """

    selection: Selection
    spec: PeriodSpec
    book: Daybook
    plan: Daybook | None
    aligned: Alignment
    lengths: Lengths
    noted: NoteTable = field(default_factory=NoteTable)
    said: tuple[str, ...] = ()
    part: Part | None = None
    kept: dict[tuple[tuple[str, ...], tuple[str, ...]], RowGrouping] = field(default_factory=dict)

    @property
    def planned(self) -> bool:
        """Whether rows are there for what a plan has."""
        return self.plan is not None

    def grouping(self, by: Sequence[str], also: Sequence[Measure] = ()) -> Grouping:
        """The rows by some dimensions, all items; with the sums of further measures."""
        measures = (*self.selection.measures, *also)
        if self.part is None:
            return summed(self.book, self.plan, by, measures, self.aligned)
        whole, low, high, picked = self.part
        return whole.all_rows((*picked, *by), measures).part(low, high, list(picked.values()))

    def all_rows(self, by: tuple[str, ...], measures: Sequence[Measure]) -> RowGrouping:
        """All items by some dimensions with their sums in every period: those that parts of it are cut from."""
        key = by, tuple(measure.name for measure in measures)
        if key not in self.kept:
            self.kept[key] = summed_by_row(self.book, self.plan, by, measures, self.aligned)
        return self.kept[key]

    def kept_items(self, by: tuple[str, ...], low: int, high: int) -> Bools:
        """Which of the items that have rows have some in the periods from `low` to before `high`."""
        whole, first, last, picked = self.part or Part(self, 0, self.aligned.size, {})
        rows, labels = whole.all_rows((*picked, *by), self.selection.measures), list(picked.values())
        return rows.kept(first + low, first + high, labels)[rows.kept(first, last, labels)]

    def every_period(self) -> Prepared:
        """The same question about all periods that the records touch."""
        spec = replace(self.spec, at=None, last=None)
        return replace(prepare(self.selection, spec, self.plan), said=self.said)

    def between(self, low: int, high: int) -> Prepared:
        """The question about some of the periods, from `low` to before `high`; no record is gone through again."""
        whole, first, _, picked = self.part or Part(self, 0, self.aligned.size, {})
        labels = self.aligned.labels[[low, high - 1]]
        spec = replace(self.spec, at=f"{labels[0]}..{labels[1]}", last=None)
        part = self.at(np.arange(low, high))
        return replace(part, spec=spec, part=Part(whole, first + low, first + high, picked), kept={})

    def of_items(self, picked: Mapping[str, str], selection: Selection) -> Prepared:
        """The question about some items, whose book is asked of; no record is gone through again.

        Not of comparable items, nor of the largest: those among others are not those among some.
        """
        whole, low, high, _ = self.part or Part(self, 0, self.aligned.size, {})
        part = Part(whole, low, high, picked)
        book = selection.book.held_by(self.spec.calendar)
        return replace(self, selection=selection, book=book, part=part, kept={})

    def at(self, taken: Days) -> Prepared:
        """Some of the rows."""
        days, base_days, per = self.lengths
        return replace(self, aligned=self.aligned.at(taken), lengths=Lengths(days[taken], base_days[taken], per))

    def counts_ids(self, measure: Measure) -> bool:
        """Whether the measure counts distinct ids, so that items do not add up."""
        return counts_ids(self.book.formulas[measure.name])

    @property
    def periods(self) -> tuple[str, ...]:
        """The labels of the periods."""
        return tuple(str(label) for label in self.aligned.labels)

    def notes(self, parents: Spans | None = None) -> tuple[str, ...]:
        """What is to be known beside the figures.

        Parameters
        ----------
        parents
            The whole periods that the rows are parts of, where an edge of the records may cut those.
        """
        book = self.selection.book
        recorded_last = int(book.recorded_ends[-1])
        if parents is None:
            closing = closing_options(self.spec, self.aligned, book.coverage, book.recorded, recorded_last)
        else:
            lines = edge_options(self.spec, None, *parents, book.coverage, book.recorded, recorded_last)
            closing = tuple(lines)
        return (
            *_legend(self.spec, self.aligned),
            *closing,
            *_outside(book, self.book, self.spec.calendar),
            *running_lines(book),
            *self.said,
            *book.intake.warnings,
        )


class Part(NamedTuple):
    """Of which question another one is a part: its periods from `low` to before `high`, the items picked in it."""

    whole: Prepared
    low: int
    high: int
    picked: Mapping[str, str]


@dataclass(frozen=True, kw_only=True, eq=False)
class Groupings:
    """The rows of an answer by grouping, each side worked out once.

    `compared`: which items are to be compared in each period, all where None. `chosen`: which of the `full` items `top`
    takes, all where None; the last of `items` then gathers the others.
    """

    prepared: Prepared
    items: Grouping
    subtotals: tuple[Grouping, ...]
    total: Grouping
    full: Grouping
    compared: Bools | None = None
    full_compared: Bools | None = None
    chosen: Bools | None = None
    worked: dict[tuple[str, int], Sides] = field(default_factory=dict)

    @property
    def others(self) -> bool:
        """Whether the last item gathers others."""
        return self.chosen is not None

    def between(self, low: int, high: int, grouping: Grouping) -> tuple[Groupings, Grouping]:
        """The rows of some periods, from `low` to before `high`; and one of the groupings among them."""
        every = {id(one): one for one in (self.items, *self.subtotals, self.total, self.full)}
        parts = {place: one.between(low, high) for place, one in every.items()}
        groupings = replace(
            self,
            prepared=self.prepared.at(np.arange(low, high)),
            items=parts[id(self.items)],
            subtotals=tuple(parts[id(one)] for one in self.subtotals),
            total=parts[id(self.total)],
            full=parts[id(self.full)],
            compared=None if self.compared is None else self.compared[low:high],
            full_compared=None if self.full_compared is None else self.full_compared[low:high],
            worked={},
        )
        return groupings, parts[id(grouping)]

    def sides(self, measure: Measure, grouping: Grouping) -> Sides:
        """Both sides of a measure in one of the groupings."""
        key = measure.name, id(grouping)
        if key not in self.worked:
            compared = (
                self.full_compared if grouping is self.full else self.compared if grouping is self.items else None
            )
            aligned, lengths, cover = (
                self.prepared.aligned,
                self.prepared.lengths,
                self.prepared.selection.book.coverage,
            )
            self.worked[key] = sides_of(measure, grouping, aligned, lengths, cover.last, compared)
        return self.worked[key]


#: Lines the rows of a question up with the coverage, the recorded days, and the coverage of the plan.
LineUp = Callable[[PeriodSpec, Coverage, Days, Coverage | None], Alignment]


def prepare(selection: Selection, spec: PeriodSpec, plan: AnyPlan | None, line_up: LineUp = align) -> Prepared:
    """Value and base of every row lined up.

    Raises
    ------
    QuestionError
        Where an option names nothing or does not go with another.
    """
    book = selection.book
    undivided = {"selling-day": book.standing.whole, "trading-day": book.standing.records_of != "day"}
    if undivided.get(spec.per or "", False):
        raise QuestionError("`per` {0!r} needs records of days; these stand for longer periods", spec.per)
    planned = check_plan(plan, spec.basis, book, selection.measures, spec.calendar)
    said: tuple[str, ...] = book.selling.said if spec.per == "selling-day" else ()
    if planned:
        planned, more = shaped(planned, book)
        said = (*said, *more)
    held = book.held_by(spec.calendar)
    aligned = line_up(spec, book.coverage, book.recorded, planned.coverage if planned else None)
    if planned:
        aligned = with_missing(planned, aligned)
    lengths = lengths_of(book, spec.calendar, aligned, spec.per)
    return Prepared(
        selection=selection, spec=spec, book=held, plan=planned, aligned=aligned, lengths=lengths, said=said
    )


def groupings_of(prepared: Prepared, also: Sequence[Measure] = (), chosen_by: int = -1) -> Groupings:
    """The rows by item, by each prefix of the dimensions, and all together.

    `chosen_by` is the row by which `top` takes the largest items.
    """
    selection = prepared.selection
    if not selection.by:
        total = prepared.grouping((), also)
        return Groupings(prepared=prepared, items=total, subtotals=(), total=total, full=total)
    items = prepared.grouping(selection.by, also)
    compared = None
    if selection.kept == "comparable":
        compared = comparable_items(prepared.book, prepared.aligned, items.by, items.places)
    prefixes = [selection.by[:n] for n in range(len(selection.by))]
    if compared is None and (not _adds_up(prepared, items) or (prepared.part and prepared.part.picked)):
        total, *subtotals = (prepared.grouping(prefix, also) for prefix in prefixes)
    else:
        total, *subtotals = (items.gathered(by, life_of(prepared.book, by), compared) for by in prefixes)
    groupings = Groupings(
        prepared=prepared,
        items=items,
        subtotals=tuple(subtotals),
        total=total,
        full=items,
        compared=compared,
        full_compared=compared,
    )
    return (
        groupings
        if selection.top is None or selection.top >= items.size
        else _topped(groupings, selection.top, chosen_by)
    )


def life_of(book: Daybook, by: tuple[str, ...]) -> LifeOf:
    """Tells when the tuples of labels of some dimensions were recorded."""
    return lambda labels: book.life(by).at(places_of(book.day_sums(by).items.labels, labels))


def _adds_up(prepared: Prepared, items: Grouping) -> bool:
    """Whether sums of items are those of their records: whole numbers, and no ids that lie in two items."""
    exact = all(part.scale is not None for side in (items.value, items.base) for part in side.values())
    # a plan may know sums of items that it does not know one by one
    return exact and not prepared.planned and not prepared.book.ids


def _topped(groupings: Groupings, top: int, row: int) -> Groupings:
    """The same with the largest items, and one that gathers the rest."""
    items, compared = groupings.full, groupings.full_compared
    if any((label == OTHERS).any() for label in items.labels):
        raise QuestionError("`top` gathers the rest as {0!r}, and an item is called so already", OTHERS)
    chosen = _largest(groupings, top, row)
    book = groupings.prepared.book
    known = book.day_sums(items.by).items
    others = np.zeros(known.size, dtype=np.int64)
    others[items.places[chosen & (items.places >= 0)]] = -1
    life = book.life_together(items.by, others)
    rest = items.at(~chosen).gathered((), lambda _: life, None if compared is None else compared[:, ~chosen])
    named = tuple(np.array([OTHERS], dtype=object) for _ in items.by)
    shown_compared = None
    if compared is not None:
        shown_compared = np.append(compared[:, chosen], np.ones((len(compared), 1), dtype=bool), axis=1)
    return Groupings(
        prepared=groupings.prepared,
        items=items.at(chosen).beside(rest._replace(labels=named)),
        subtotals=groupings.subtotals,
        total=groupings.total,
        full=items,
        compared=shown_compared,
        full_compared=compared,
        chosen=chosen,
        worked=groupings.worked,
    )


def _largest(groupings: Groupings, n: int, row: int) -> Bools:
    """The n largest items by the first measure in a row, ties by label."""
    chosen = np.zeros(groupings.full.size, dtype=bool)
    sides = groupings.sides(groupings.prepared.selection.measures[0], groupings.full)
    if len(sides.value):
        known = np.broadcast_to(sides.value_known, sides.value.shape)[row]
        size = np.where(known, sides.value[row], -np.inf)
        chosen[np.argsort(-size, kind="stable")[:n]] = True
    else:
        chosen[:n] = True
    return chosen


def _legend(spec: PeriodSpec, aligned: Alignment) -> tuple[str, ...]:
    """What the named years of the periods on both sides are."""
    if spec.each == "span":
        return ()
    ordinals = [aligned.ordinals]
    if aligned.parts.ordinals is not None:
        ordinals.append(aligned.parts.ordinals[aligned.parts.found])
    return spec.calendar.legend(spec.each, np.concatenate(ordinals))


def _outside(book: Daybook, held: Daybook, calendar: Calendar) -> tuple[str, ...]:
    """Records on days that no period of the calendar holds, counted."""
    outside = ~calendar.holds(book.days) & (book.days >= book.coverage.first) & (book.days <= book.coverage.last)
    if held is book or not outside.any():
        return ()
    days = book.days[outside]
    n = int(book.records[outside].sum())
    return (
        Said(
            "{0} from {1} to {2} left out: in no period of the calendar",
            how_many(n, "record"),
            in_words(int(days.min())),
            in_words(int(days.max())),
        ),
    )
