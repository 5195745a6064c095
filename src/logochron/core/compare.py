"""How does each period stand against an earlier one?"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from logochron.core.alignment import Alignment, Question, align, named_periods
from logochron.core.bases import Basis, Plan, parse_basis
from logochron.core.calendars.base import Calendar
from logochron.core.calendars.civil import CivilCalendar
from logochron.core.daybook import Daybook
from logochron.core.days import in_words, to_dates
from logochron.core.edges import closing_options
from logochron.core.errors import QuestionError
from logochron.core.judging import JudgingLike, judging_of
from logochron.core.measures import Measure
from logochron.core.options import Each, Grain, Kept, Partial, Per, Weeks, check, check_count
from logochron.core.planned import check_plan, with_missing
from logochron.core.reckon import Figures, reckon, share
from logochron.core.results import Result
from logochron.core.sides import Labels, Lengths, comparable, lengths_of, sides_of, summed
from logochron.core.windows import window_of

#: The columns before and after the dimensions.
BEFORE = ("measure", "period", "start", "end", "days")
AFTER = (
    *("value", "base_period", "base_start", "base_end", "base_days", "base", "change", "growth", "ratio"),
    *("share", "base_share", "direction", "verdict", "band", "status", "note"),
)


@dataclass(frozen=True, repr=False)
class Comparison(Result):
    """The answer of `compare`.

    Attributes
    ----------
    table, total
        Tidy frames of one row per measure, period and item; for all items together in `total`. `start` to
        `base_end` are the days really summed.
    notes
        What is to be known beside the figures.
    question
        What was lined up: `calendar`, `each`, `basis`, `window`, `partial`, `weeks`, `skip_closed`, `at`, `last`.
    each, against, calendar, running, partial, per, kept, by, measures, book, plan
        The settings, and the books the question was put to.
    """

    book: Daybook
    question: Question
    per: Per | None
    kept: Kept
    by: tuple[str, ...]
    measures: tuple[Measure, ...]
    plan: Daybook | None
    alignment: Alignment = field(repr=False)
    kind: str = field(default="compare", init=False)

    @property
    def each(self) -> Each:
        """The grain of the rows."""
        return self.question.each

    @property
    def against(self) -> Basis:
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


def compare(
    book: Daybook,
    each: Each,
    against: str | Basis = "year-ago",
    *,
    running: Any = None,
    partial: Partial = "to-date",
    weeks: Weeks = "same-number",
    at: Any = None,
    last: int | None = None,
    per: Per | None = None,
    skip_closed: bool = False,
    plan: Daybook | None = None,
    by: str | Sequence[str] = (),
    measures: str | Sequence[str] | None = None,
    calendar: Calendar | None = None,
    judging: JudgingLike = None,
    items: Kept = "all",
) -> Comparison:
    """Hold each period against an earlier one, a mean, a named one, a plan or any span of days.

    Parameters
    ----------
    book
        The records, from `read`. The report date is its `report_day`.
    each
        The grain of the rows: day, week, month, quarter, half or year; or ``"span"``, the days that `at` names.
    against
        ``"prior"`` or ``"prior:n"`` (n periods earlier), ``"year-ago"`` or ``"year-ago:n"`` (the same place
        in the year), ``"mean:n"`` (the average of the n periods before), ``"year-ago-mean:n"``, ``"fixed:2024-05"``
        (one named period), ``"plan"``, ``"span:FIRST..LAST"``; or the objects `Prior(n)`, `YearAgo(n)`,
        `MeanOf(n)`, `YearAgoMean(n)`, `Fixed(label)`, `Plan()`, `Between(first, last)`.
    running
        What a row adds up: None, the period; ``"month"``, ``"year"`` and so on, all from the start of that longer
        period on, and bases step in those; a number, so many periods that end with this one.
    partial
        A running period and its base: ``"to-date"`` cuts the base at the same point, ``"drop"`` leaves out
        periods that are not whole, ``"as-is"`` cuts nothing.
    weeks
        ``"same-number"``, or ``"364-days"``: against `year-ago`, the span 364 days earlier (a RetailCalendar; days
        and weeks of a CivilCalendar).
    at
        The periods wanted: a label (``2026-05``), a day in the period, a longer label (``2025``) or a range
        (``2025-01..2025-12``). All that touch the coverage where None.
    last
        Only so many periods, those that end there.
    per
        ``"day"`` or ``"trading-day"`` (days with any record in the source): value and base divided by their days.
    skip_closed
        For days against ``"prior"`` or ``"mean:n"``: the last days that have records, not the last days.
    plan
        The plan, from `read_plan`, where `against` is one.
    by
        Dimensions to split by: a row for each tuple of items that has records.
    measures
        The measures wanted; all of the book where None.
    calendar
        What numbers the periods; civil months and ISO weeks where None.
    judging
        A `Judging` for all measures, or one for each by name.
    items
        ``"comparable"``: totals and shares hold only items that are open on both sides of a row.

    Returns
    -------
    Comparison
        Frozen; `.table`, `.total` and `.notes`.

    Raises
    ------
    QuestionError
        Where an option names nothing or does not go with another, or mistyped days of the records are not settled.

    Notes
    -----
    change = value - base; growth = change / base and ratio = value / base, only where the base is > 0; share
    = value / the value of all items. A base that the records hold only in part is unknown, never 0.

    Examples
    --------
    >>> import logochron as lc
    >>> book = lc.read("sales.csv", date="sold_on", values="revenue")  # doctest: +SKIP
    >>> lc.compare(book, each="month", against="year-ago", last=13).table  # doctest: +SKIP
    """
    if not isinstance(book, Daybook):
        raise QuestionError(f"`book` must be a Daybook, as `read` gives it; got {type(book).__name__}")
    question = _question(each, against, calendar, running, partial, weeks, skip_closed, at, last)
    if per is not None:
        check("per", per, Per)
        if per == "trading-day" and book.standing.rows != "day":
            raise QuestionError("`per` 'trading-day' needs records of days; these stand for longer periods")
    dims, asked = book.check_by(by), book.check_measures(measures)
    if check("items", items, Kept) == "comparable" and not dims:
        raise QuestionError("items='comparable' is about items: name a dimension in `by` (--by)")
    planned = check_plan(plan, isinstance(question.basis, Plan))
    held = book.held_by(question.calendar)
    aligned = align(question, book.coverage, book.recorded, planned.coverage if planned else None)
    if planned:
        aligned = with_missing(planned, aligned)
    lengths = lengths_of(book, question.calendar, aligned, per)
    split = summed(held, planned, dims, asked, aligned)
    compared = comparable(book, dims, aligned, split) if items == "comparable" else None
    if compared is None:
        wholes = (split if not dims else summed(held, planned, (), asked, aligned)).raw
    else:
        wholes = {name: raw.together(compared) for name, raw in split.raw.items()}
    names = tuple(m.name for m in asked)
    totals, tables = [], []
    for measure in asked:
        verdicts, raw, whole = judging_of(judging, measure.name, names), split.raw[measure.name], wholes[measure.name]
        of_all = reckon(sides_of(whole, aligned, lengths), measure.better, verdicts)
        shares = _shares(of_all, of_all, None)
        totals.append(_columns(measure, dims, (), aligned, lengths, of_all, shares, whole.why))
        if dims:
            figures = reckon(sides_of(raw, aligned, lengths, compared), measure.better, verdicts)
            shares = _shares(figures, of_all, compared)
            tables.append(_columns(measure, dims, split.labels, aligned, lengths, figures, shares, raw.why))
    total = _stack(totals)
    return Comparison(
        columns=_stack(tables) if dims else total,
        total_columns=total,
        periods=tuple(str(label) for label in aligned.labels),
        notes=(
            *_legend(question, aligned),
            *closing_options(question, aligned, book.coverage, book.recorded, int(book.recorded_ends[-1])),
            *_outside(book, held, question.calendar),
            *book.intake.warnings,
        ),
        book=held,
        question=question,
        per=per,
        kept=items,
        by=dims,
        measures=asked,
        plan=planned,
        alignment=aligned,
    )


def _question(
    each: Each,
    against: str | Basis,
    calendar: Calendar | None,
    running: Any,
    partial: Partial,
    weeks: Weeks,
    skip_closed: bool,
    at: Any,
    last: int | None,
) -> Question:
    """The settings that are about days, checked."""
    check("each", each, Each)
    check("partial", partial, Partial)
    check("weeks", weeks, Weeks)
    if last is not None:
        check_count("last", last)
    if calendar is not None and not isinstance(calendar, Calendar):
        raise QuestionError(f"`calendar` must be a calendar such as CivilCalendar(); got {type(calendar).__name__}")
    calendar = calendar or CivilCalendar()
    question = Question(calendar, each, parse_basis(against))
    if each != "span":
        calendar.check_grain(question.grain)
    elif running is not None:
        raise QuestionError("`running` goes with periods, not with each='span'")
    window = window_of(calendar, question.grain, running)
    return question._replace(
        window=window, partial=partial, weeks=weeks, skip_closed=bool(skip_closed), at=at, last=last
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


def _shares(figures: Figures, whole: Figures, compared: NDArray[np.bool_] | None) -> tuple[Any, Any]:
    """The parts of the total on either side; none of an item that is not compared."""
    shares = share(figures.value, whole.value), share(figures.base, whole.base)
    if compared is not None:
        shares = tuple(np.where(compared, side, np.nan) for side in shares)  # type: ignore[assignment]
    return shares


def _columns(
    measure: Measure,
    by: tuple[str, ...],
    labels: Labels,
    aligned: Alignment,
    lengths: Lengths,
    figures: Figures,
    shares: tuple[Any, Any],
    why: str,
) -> dict[str, NDArray[Any]]:
    n_items = figures.value.shape[1]
    notes = figures.notes
    outside = np.asarray((shares[0] < 0) | (shares[0] > 1) | (shares[1] < 0) | (shares[1] > 1))
    notes.add(outside, "negative items")
    if why:
        notes.add(aligned.base_known[:, None], why)
    for rows, text in aligned.notes:
        notes.add(rows[:, None], text if isinstance(text, str) else text[:, None])
    idle = (lengths.days == 0) & aligned.value_known | (lengths.base_days == 0) & aligned.base_known
    if lengths.per is not None:
        notes.add(idle[:, None], "no trading days")

    def per_period(values: NDArray[Any]) -> NDArray[Any]:
        return np.repeat(values, n_items)

    columns: dict[str, NDArray[Any]] = {
        "measure": _all_alike(measure.name, figures.value.size),
        "period": per_period(np.arange(aligned.size)),
        "start": per_period(to_dates(aligned.starts)),
        "end": per_period(to_dates(aligned.ends)),
        "days": per_period(lengths.days.astype(float)),
    }
    for place, name in enumerate(by):
        known = labels[place] if labels else np.full(1, None, dtype=object)
        columns[name] = np.tile(known, aligned.size)
    unknown = ~aligned.base_known if not why else np.ones(aligned.size, dtype=bool)
    base_dates = [to_dates(np.where(unknown, 0, days)) for days in (aligned.base_first(), aligned.base_last())]
    for dates in base_dates:
        dates[unknown] = np.datetime64("NaT")
    columns |= {
        "value": figures.value.ravel(),
        "base_period": per_period(aligned.base_labels),
        "base_start": per_period(base_dates[0]),
        "base_end": per_period(base_dates[1]),
        "base_days": per_period(np.where(unknown, np.nan, lengths.base_days)),
        "base": figures.base.ravel(),
        "change": figures.change.ravel(),
        "growth": figures.growth.ravel(),
        "ratio": figures.ratio.ravel(),
        "share": shares[0].ravel(),
        "base_share": shares[1].ravel(),
        "direction": figures.direction.ravel(),
        "verdict": figures.verdict.ravel(),
        "band": _all_alike(None, figures.value.size),
        "status": per_period(aligned.status),
        "note": notes.texts.ravel(),
    }
    return columns


def _all_alike(value: object, size: int) -> NDArray[np.object_]:
    """A column of one value, which takes no room."""
    return np.broadcast_to(np.array([value], dtype=object), (size,))


def _stack(parts: list[dict[str, NDArray[Any]]]) -> Mapping[str, NDArray[Any]]:
    stacked = parts[0]
    if len(parts) > 1:
        stacked = {name: np.concatenate([part[name] for part in parts]) for name in parts[0]}
    for values in stacked.values():
        values.setflags(write=False)
    return stacked
