"""What compare, relate and drivers share: the question checked, both sides lined up, the rows of every kind."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.align.align import Alignment, Question, align
from logochron.core.align.bases import Basis, Plan, parse_basis
from logochron.core.align.closing_hints import closing_options
from logochron.core.align.windows import window_of
from logochron.core.book.daybook import Daybook
from logochron.core.book.formulas import counts_ids
from logochron.core.book.measures import Measure
from logochron.core.calendars.base import Bools, Calendar
from logochron.core.calendars.civil import CivilCalendar
from logochron.core.days import in_words
from logochron.core.errors import QuestionError
from logochron.core.judge.judging import Judging, JudgingLike, judgings_of
from logochron.core.options import Each, Kept, Partial, Per, Sort, Weeks, check, check_count
from logochron.core.rows.figures import Sides
from logochron.core.rows.plan_side import check_plan, with_missing
from logochron.core.rows.tiers import Lengths, Level, comparable, lengths_of, sides_of, summed

#: What the items are called that `top` leaves out.
OTHERS = "all others"


class Settings(NamedTuple):
    """The options that are about days."""

    each: Each
    against: str | Basis = "year-ago"
    calendar: Calendar | None = None
    running: Any = None
    partial: Partial = "to-date"
    weeks: Weeks = "same-number"
    skip_closed: bool = False
    at: Any = None
    last: int | None = None
    per: Per | None = None


class Lineup(NamedTuple):
    """A question settled and lined up. `book` has no days that the calendar does not hold; `asked` is as it came."""

    asked: Daybook
    book: Daybook
    question: Question
    per: Per | None
    kept: Kept
    by: tuple[str, ...]
    measures: tuple[Measure, ...]
    judgings: Mapping[str, Judging]
    plan: Daybook | None
    aligned: Alignment
    lengths: Lengths
    top: int | None
    sort: str | None

    def level(self, by: Sequence[str], also: Sequence[Measure] = ()) -> Level:
        """The rows by some dimensions, all items; with the sums of further measures."""
        return summed(self.book, self.plan, by, (*self.measures, *also), self.aligned)

    def sides(self, measure: Measure, level: Level, compared: Bools | None = None) -> Sides:
        """Both sides of a measure."""
        return sides_of(measure, level, self.aligned, self.lengths, compared)

    def counts_ids(self, measure: Measure) -> bool:
        """Whether the measure counts distinct ids, so that items do not add up."""
        return counts_ids(self.book.formulas[measure.name])

    @property
    def periods(self) -> tuple[str, ...]:
        """The labels of the periods."""
        return tuple(str(label) for label in self.aligned.labels)

    def notes(self) -> tuple[str, ...]:
        """What is to be known beside the figures."""
        coverage, recorded = self.asked.coverage, self.asked.recorded
        return (
            *_legend(self.question, self.aligned),
            *closing_options(self.question, self.aligned, coverage, recorded, int(self.asked.recorded_ends[-1])),
            *_outside(self.asked, self.book, self.question.calendar),
            *self.asked.intake.warnings,
        )


class Levels(NamedTuple):
    """The rows of an answer by kind. `compared`: which items are to be compared in each period, all where None.

    `chosen`: which of the `full` items `top` takes, all where None; the last of `items` then gathers the others.
    """

    items: Level
    subtotals: tuple[Level, ...]
    total: Level
    compared: Bools | None
    full: Level
    full_compared: Bools | None
    chosen: Bools | None = None

    @property
    def others(self) -> bool:
        """Whether the last item gathers others."""
        return self.chosen is not None


def check_book(book: object) -> None:
    """Refuses what is no daybook."""
    if not isinstance(book, Daybook):
        raise QuestionError(f"`book` must be a Daybook, as `read` gives it; got {type(book).__name__}")


def line_up(
    book: Daybook,
    settings: Settings,
    *,
    plan: Daybook | None,
    by: str | Sequence[str],
    measures: str | Sequence[str] | None,
    judging: JudgingLike,
    items: Kept,
    top: int | None,
    sort: str | None,
    sorts: Any = Sort,
) -> Lineup:
    """The options checked, value and base of every period lined up.

    Raises
    ------
    QuestionError
        Where an option names nothing or does not go with another.
    """
    check_book(book)
    question = _question(settings)
    per = settings.per
    if per is not None:
        check("per", per, Per)
        if per == "trading-day" and book.standing.rows != "day":
            raise QuestionError("`per` 'trading-day' needs records of days; these stand for longer periods")
    dims, asked = book.check_by(by), book.check_measures(measures)
    if check("items", items, Kept) == "comparable" and not dims:
        raise QuestionError("items='comparable' is about items: name a dimension in `by` (--by)")
    counting = [m.name for m in asked if counts_ids(book.formulas[m.name])]
    if items == "comparable" and counting:
        raise QuestionError(
            f"items='comparable' adds items up, and distinct ids do not add up: leave {', '.join(counting)} out"
        )
    if top is not None:
        check_count("top", top)
    if sort is not None:
        check("sort", sort, sorts)
    for option, given in (("top", top), ("sort", sort)):
        if given is not None and not dims:
            raise QuestionError(f"`{option}` is about items: name a dimension in `by` (--by)")
    planned = check_plan(plan, isinstance(question.basis, Plan))
    held = book.held_by(question.calendar)
    aligned = align(question, book.coverage, book.recorded, planned.coverage if planned else None)
    if planned:
        aligned = with_missing(planned, aligned)
    return Lineup(
        asked=book,
        book=held,
        question=question,
        per=per,
        kept=items,
        by=dims,
        measures=asked,
        judgings=judgings_of(judging, [m.name for m in asked], list(book.formulas)),
        plan=planned,
        aligned=aligned,
        lengths=lengths_of(book, question.calendar, aligned, per),
        top=top,
        sort=sort,
    )


def levels_of(lined: Lineup, also: Sequence[Measure] = ()) -> Levels:
    """The rows by item, by each prefix of the dimensions, and all together."""
    if not lined.by:
        total = lined.level((), also)
        return Levels(total, (), total, None, total, None)
    items = lined.level(lined.by, also)
    compared = comparable(lined.book, lined.aligned, items) if lined.kept == "comparable" else None
    prefixes = [lined.by[:n] for n in range(len(lined.by))]
    if compared is None:
        total, *subtotals = (lined.level(prefix, also) for prefix in prefixes)
    else:
        total, *subtotals = (items.gathered(prefix, compared) for prefix in prefixes)
    shown, shown_compared, chosen = items, compared, None
    if lined.top is not None and lined.top < items.size:
        if any((label == OTHERS).any() for label in items.labels):
            raise QuestionError(f"`top` gathers the rest as {OTHERS!r}, and an item is called so already")
        chosen = _largest(lined, items, lined.top)
        rest = items.at(~chosen).gathered((), None if compared is None else compared[:, ~chosen])
        named = tuple(np.array([OTHERS], dtype=object) for _ in lined.by)
        shown = items.at(chosen).beside(rest._replace(labels=named))
        if compared is not None:
            shown_compared = np.append(compared[:, chosen], np.ones((len(compared), 1), dtype=bool), axis=1)
    return Levels(shown, tuple(subtotals), total, shown_compared, items, compared, chosen)


def _largest(lined: Lineup, items: Level, n: int) -> Bools:
    """The n largest items by the first measure in the last period, ties by label."""
    chosen = np.zeros(items.size, dtype=bool)
    sides = lined.sides(lined.measures[0], items)
    if len(sides.value):
        size = np.where(sides.value_known[-1], sides.value[-1], -np.inf)
        chosen[np.argsort(-size, kind="stable")[:n]] = True
    else:
        chosen[:n] = True
    return chosen


def sorted_rows(sort: str | None, figures: Mapping[str, NDArray[Any]], others: bool) -> NDArray[np.int64] | None:
    """The order of the rows of one measure, period by period; None where they stay as they are.

    Parameters
    ----------
    figures
        By column, of shape (periods, items); the items are in text order.
    others
        Whether the last item gathers the rest, and so stays last.
    """
    if sort is None or sort == "label":
        return None
    name, down = sort.removeprefix("-"), sort.startswith("-")
    shape = figures["value"].shape
    size = np.broadcast_to(np.arange(shape[1], dtype=float), shape) if name == "label" else figures[name]
    size = -size if down else size.copy()
    order = np.argsort(size[:, : shape[1] - others], axis=1, kind="stable")  # what is unknown comes last
    if others:
        order = np.append(order, np.full((shape[0], 1), shape[1] - 1), axis=1)
    return (order + np.arange(shape[0])[:, None] * shape[1]).ravel()


def _question(settings: Settings) -> Question:
    """The settings that are about days, checked."""
    each, calendar = settings.each, settings.calendar
    check("each", each, Each)
    check("partial", settings.partial, Partial)
    check("weeks", settings.weeks, Weeks)
    if settings.last is not None:
        check_count("last", settings.last)
    if calendar is not None and not isinstance(calendar, Calendar):
        raise QuestionError(f"`calendar` must be a calendar such as CivilCalendar(); got {type(calendar).__name__}")
    calendar = calendar or CivilCalendar()
    question = Question(calendar, each, parse_basis(settings.against))
    if each != "span":
        calendar.check_grain(question.grain)
    elif settings.running is not None:
        raise QuestionError("`running` goes with periods, not with each='span'")
    return question._replace(
        window=window_of(calendar, question.grain, settings.running),
        partial=settings.partial,
        weeks=settings.weeks,
        skip_closed=bool(settings.skip_closed),
        at=settings.at,
        last=settings.last,
    )


def _legend(question: Question, aligned: Alignment) -> tuple[str, ...]:
    """What the named years of the periods on both sides are."""
    if question.each == "span":
        return ()
    ordinals = [aligned.ordinals]
    if aligned.parts.ordinals is not None:
        ordinals.append(aligned.parts.ordinals[aligned.parts.found])
    return question.calendar.legend(question.each, np.concatenate(ordinals))


def _outside(book: Daybook, held: Daybook, calendar: Calendar) -> tuple[str, ...]:
    """Records on days that no period of the calendar holds, counted."""
    outside = ~calendar.holds(book.days) & (book.days >= book.coverage.first) & (book.days <= book.coverage.last)
    if held is book or not outside.any():
        return ()
    days = book.days[outside]
    return (
        f"{int(book.records[outside].sum()):,} records from {in_words(int(days.min()))} to {in_words(int(days.max()))} "
        "lie in no period of the calendar and are left out",
    )
