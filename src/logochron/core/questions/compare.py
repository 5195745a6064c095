"""How does each period stand against an earlier one?"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import numpy as np

from logochron.core.align.bases import Basis
from logochron.core.book.daybook import Daybook
from logochron.core.book.formulas import adds_up
from logochron.core.book.measures import Measure
from logochron.core.calendars.base import Bools, Calendar
from logochron.core.days import to_dates
from logochron.core.judge.judging import JudgingLike
from logochron.core.judge.unusual import unusual_growth
from logochron.core.options import Each, Kept, Partial, Per, Sort, Weeks
from logochron.core.rows.answer import Answer, Columns, alike, arranged, laid_out, noted, opening, per_period
from logochron.core.rows.figures import Sides, reckon
from logochron.core.rows.prepare import Lineup, Settings, levels_of, line_up
from logochron.core.rows.tiers import Level

#: The columns before and after the dimensions.
BEFORE = ("measure", "period", "start", "end", "days")
AFTER = (
    *("value", "base_period", "base_start", "base_end", "base_days", "base", "change", "growth", "ratio"),
    *("share", "base_share", "direction", "verdict", "band", "status", "note"),
)
#: The columns of `unusual=True`.
UNUSUAL = ("usual_low", "usual_high", "unusual")


@dataclass(frozen=True, repr=False)
class Comparison(Answer):
    """The answer of `compare`.

    Attributes
    ----------
    table, subtotals, total
        Tidy frames of one row per measure, period and item; for each tuple of the first dimensions in `subtotals`;
        for all items together in `total`. `start` to `base_end` are the days really summed.
    notes
        What is to be known beside the figures.
    question
        What was lined up: `calendar`, `each`, `basis`, `window`, `partial`, `weeks`, `skip_closed`, `at`, `last`.
    each, against, calendar, running, partial, per, kept, by, measures, judgings, book, plan
        The settings, and the books the question was put to.
    """

    kind: str = field(default="compare", init=False)

    @property
    def against(self) -> Basis:
        """What each period is held against."""
        return self.basis

    @cached_property
    def ungathered(self) -> Comparison:
        """The same answer with the items that `top` left out."""
        return self if self.lined.top is None else comparison_of(self)


def comparison_of(answer: Answer, top: int | None = None) -> Comparison:
    """The comparison of the sides that an answer is made of."""
    question = answer.question
    return compare(
        answer.book,
        answer.each,
        answer.basis,
        running=answer.running,
        partial=answer.partial,
        weeks=question.weeks,
        at=question.at,
        last=question.last,
        per=answer.per,
        skip_closed=question.skip_closed,
        plan=answer.plan,
        by=answer.by,
        measures=[measure.name for measure in answer.measures],
        calendar=answer.calendar,
        judging=answer.judgings,
        items=answer.kept,
        top=top,
    )


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
    top: int | None = None,
    sort: Sort | None = None,
    unusual: bool = False,
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
    top
        Only so many items, the largest by the first measure in the last period; the rest are gathered in
        ``"all others"`` (not where distinct ids are counted).
    sort
        The order of the items in each period: ``"value"``, ``"growth"``, ``"change"`` or ``"label"``, from the
        smallest up, with a leading ``-`` from the largest down. By label where None.
    unusual
        Adds `usual_low`, `usual_high` and `unusual`: whether a growth leaves the limits of ordinary variation.

    Returns
    -------
    Comparison
        Frozen; `.table`, `.subtotals`, `.total` and `.notes`.

    Raises
    ------
    QuestionError
        Where an option names nothing or does not go with another, or mistyped days of the records are not settled.

    Notes
    -----
    change = value - base; growth = change / base and ratio = value / base, only where the base is > 0; share
    = value / the value of all items, none of a quotient. A base that the records hold only in part is unknown, never
    0. Subtotals and totals are reckoned from their own sums.

    Examples
    --------
    >>> import logochron as lc
    >>> book = lc.read("sales.csv", date="sold_on", values="revenue")  # doctest: +SKIP
    >>> lc.compare(book, each="month", against="year-ago", last=13).table  # doctest: +SKIP
    """
    settings = Settings(each, against, calendar, running, partial, weeks, skip_closed, at, last, per)
    lined = line_up(
        book, settings, plan=plan, by=by, measures=measures, judging=judging, items=items, top=top, sort=sort
    )
    levels = levels_of(lined)
    wholes = {measure.name: lined.sides(measure, levels.total) for measure in lined.measures}

    def rows(measure: Measure, level: Level, compared: Bools | None, others: bool) -> Columns:
        sides = lined.sides(measure, level, compared)
        return _rows(lined, measure, level, sides, wholes[measure.name], unusual, others)

    return Comparison(**laid_out(lined, levels, rows))


def _rows(
    lined: Lineup,
    measure: Measure,
    level: Level,
    sides: Sides,
    whole: Sides,
    unusual: bool,
    others: bool,
) -> Columns:
    """The columns of one measure and one kind of rows, in their order."""
    aligned, lengths = lined.aligned, lined.lengths
    divided = not adds_up(lined.book.formulas[measure.name])
    figures = reckon(sides, measure.better, lined.judgings[measure.name], None if divided else whole)
    noted(lined, figures.notes, level.why[measure.name])
    # a base without trading days cannot be divided by them, and keeps its days
    idle = (lengths.base_days == 0) & aligned.base_known
    based = sides.base_known | (idle[:, None] & (not level.why[measure.name]))
    base_dates = []
    for days in (aligned.base_first(), aligned.base_last()):
        dates = to_dates(np.where(aligned.base_known, days, 0))[:, None]
        base_dates.append(np.where(based, dates, np.datetime64("NaT")))
    columns = opening(lined, measure.name, level) | {
        "value": figures.value.ravel(),
        "base_period": per_period(aligned.base_labels, level),
        "base_start": base_dates[0].ravel(),
        "base_end": base_dates[1].ravel(),
        "base_days": np.where(based, lengths.base_days[:, None], np.nan).ravel(),
        "base": figures.base.ravel(),
        "change": figures.change.ravel(),
        "growth": figures.growth.ravel(),
        "ratio": figures.ratio.ravel(),
        "share": figures.share.ravel(),
        "base_share": figures.base_share.ravel(),
        "direction": figures.direction.ravel(),
        "verdict": figures.verdict.ravel(),
        "band": alike(None, figures.value.size) if figures.band is None else figures.band.ravel(),
        "status": per_period(aligned.status, level),
        "note": figures.notes.texts.ravel(),
    }
    if unusual:
        complete = (aligned.status == "complete")[:, None]
        low, high, out = unusual_growth(figures.growth, complete)
        columns |= dict(zip(UNUSUAL, (low.ravel(), high.ravel(), out.ravel())))
    return arranged(lined, measure, columns, figures._asdict(), others)
