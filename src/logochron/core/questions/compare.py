"""How does each period stand against an earlier one?"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from functools import partial
from typing import TYPE_CHECKING, Any, ClassVar, NamedTuple

import numpy as np

from logochron.core.align.bases import Basis, YearAgo
from logochron.core.align.period_spec import period_spec
from logochron.core.book.daybook import Daybook
from logochron.core.book.measures import Measure, adds_up
from logochron.core.book.selling_days import SellingDays
from logochron.core.calendars.base import Calendar
from logochron.core.check_kinds import kinds_checked
from logochron.core.choices import COMPLETE, AcrossFigure, Each, Kept, Partial, Per, Weeks
from logochron.core.days import to_dates
from logochron.core.errors import QuestionError
from logochron.core.judge.judging import JudgingLike, unusual_growth
from logochron.core.rows.answer import (
    AlignedAnswer,
    Columns,
    band_names,
    block,
    in_order,
    laid_out,
    note_periods,
    opening,
    row_notes,
)
from logochron.core.rows.figures import figures_of
from logochron.core.rows.groupings import Grouping
from logochron.core.rows.plans import AnyPlan
from logochron.core.rows.prepare import Groupings, Prepared, ask, check_book, groupings_of, prepare, remembered
from logochron.core.rows.ranks import growth_per_year, ranks_of
from logochron.core.rows.result import Block

if TYPE_CHECKING:
    from logochron.core.questions.across import Across


class More(NamedTuple):
    """What a comparison tells besides, where it is asked for."""

    unusual: bool = False
    ranked: bool = False
    per_year: bool = False


_NOTHING_MORE = More()


@dataclass(frozen=True, repr=False, eq=False)
class Comparison(AlignedAnswer):
    """The answer of `compare`.

    Attributes
    ----------
    table, subtotals, total
        Tidy frames of one row per measure, period and item; for each tuple of the first dimensions in `subtotals`;
        for all items together in `total`. `start` to `base_end` are the days really summed.
    notes
        What is to be known beside the figures.
    question
        What was lined up: `calendar`, `each`, `basis`, `window`, `partial`, `weeks`, `skip_closed`, `at`, `last`,
        `per`.
    each, against, calendar, running, partial, per, kept, top, by, measures, judgings, book, plan
        The settings, and the books the question was put to.
    """

    more: More = field(default=_NOTHING_MORE, kw_only=True)
    kind: ClassVar[str] = "compare"

    @property
    def unusual(self) -> bool:
        """Whether the limits of ordinary variation are told."""
        return self.more.unusual

    @property
    def ranked(self) -> bool:
        """Whether the rank of each item is told."""
        return self.more.ranked

    def ask_anew(self, prepared: Prepared) -> Comparison:
        """The same question about what is lined up otherwise."""
        return comparison_of(prepared, self.more)

    def across(self, figure: AcrossFigure = "value") -> Across:
        """One figure with periods across: a row an item, with its subtotals and the total, a column a period.

        Parameters
        ----------
        figure
            ``"value"``, ``"growth"``, ``"change"`` or ``"share"``.

        Returns
        -------
        Across
            `.table` has `measure`, the dimensions (NA where they are added up) and a column for each period; `write`
            and notebooks show it so.

        Raises
        ------
        QuestionError
            Where there is no such figure, or no period.

        Examples
        --------
        >>> import logochron as lc
        >>> months = lc.compare(lc.demo.book(), each="month", by="harbor", measures="revenue", last=2)
        >>> months.across("growth").table.iloc[-1, 2:].astype(float).round(3).tolist()
        [-0.018, 0.131]
        """
        from logochron.core.questions.across import across

        return across(self, figure)

    @property
    def rows_stand_alone(self) -> bool:
        """Whether no row rests on those of other periods: the largest items and what is unusual are told from them."""
        return self.top is None and not self.unusual

    def with_earlier(self, n: int) -> Comparison:
        """The same comparison with as many as `n` periods before its first one, as far as the records go."""
        ordinals, spec = self.alignment.ordinals, self.spec
        if spec.each == "span" or not len(ordinals):
            return self
        grain, calendar, coverage = spec.grain, spec.calendar, self.book.coverage
        first = max(int(ordinals[0]) - n, int(calendar.touching(grain, coverage.first, coverage.last)[0]))
        if first >= ordinals[0]:
            return self
        labels = calendar.labels(grain, np.array([first, ordinals[-1]]))
        basis = YearAgo() if self.plan is not None else spec.basis
        longer = replace(spec, at=f"{labels[0]}..{labels[1]}", last=None, basis=basis)
        return comparison_of(prepare(self.selection, longer, None))


@remembered
@kinds_checked
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
    plan: AnyPlan | None = None,
    selling_days: SellingDays | None = None,
    by: str | Sequence[str] | None = (),
    measures: str | Sequence[str] | None = None,
    calendar: Calendar | None = None,
    judging: JudgingLike = None,
    items: Kept = "all",
    top: int | None = None,
    sort: str | None = None,
    ranked: bool = False,
    per_year: bool = False,
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
        `MeanOf(n)`, `YearAgoMean(n)`, `Fixed(label)`, `Plan()`, `Span(first, last)`.
    running
        What a row adds up: None, the period; ``"month"``, ``"year"`` and so on, all from the start of that longer
        period on, and bases step in those; a number, so many periods that end with this one.
    partial
        An unfinished period and its base: ``"to-date"`` cuts the base at the same point, ``"drop"`` leaves out
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
        ``"day"``, ``"trading-day"`` (days with any record in the source) or ``"selling-day"`` (days on which something
        can be sold): value and base divided by their days.
    skip_closed
        For days against ``"prior"`` or ``"mean:n"``: the last days that have records, not the last days.
    plan
        The plan, from `read_plan`, where `against` is one; several by their names, of which ``"plan:NAME"`` is one.
    selling_days
        On which days something can be sold; where they are said rows note where both sides differ in them. Those of
        the book where None.
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
    ranked
        Adds `rank` and `base_rank`, 1 for the largest item of the period (ties share the smaller number), and
        `cumulative_share`, that of the items from the largest down to this one. Items stand from the largest down where
        `sort` is None.
    per_year
        Against ``"year-ago:n"``: adds `growth_per_year`.
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
    = value / the value of all items, none of a quotient. A base that the records cover only partly is unknown, never
    0. Subtotals and totals are reckoned from their own sums. growth_per_year = ratio ** (1 / n) - 1, only where the
    ratio is > 0; cumulative_share only where no item is negative.

    Examples
    --------
    >>> import logochron as lc
    >>> book = lc.read("sales.csv", date="sold_on", values="revenue")  # doctest: +SKIP
    >>> lc.compare(book, each="month", against="year-ago", last=13).table  # doctest: +SKIP
    """
    check_book(book)
    book = book.selling_on(selling_days)
    spec = period_spec(
        each=each,
        against=against,
        calendar=calendar,
        running=running,
        partial=partial,
        weeks=weeks,
        skip_closed=skip_closed,
        at=at,
        last=last,
        per=per,
    )
    if ranked and not by:
        raise QuestionError("`ranked` is about items: name a dimension in `by` (--by)")
    if per_year and not isinstance(spec.basis, YearAgo):
        raise QuestionError(
            "`per_year` is the growth a year since some years ago: it goes with "
            "against='year-ago:N' (--against year-ago:3); got {0}",
            spec.basis,
        )
    if ranked and sort is None:
        sort = "-value"
    selection = ask("compare", book, by=by, measures=measures, judging=judging, items=items, top=top, sort=sort)
    return comparison_of(prepare(selection, spec, plan), More(unusual, ranked, per_year))


def comparison_of(prepared: Prepared, more: More = _NOTHING_MORE) -> Comparison:
    """The comparison of what is lined up; `more`: what it tells besides."""
    groupings = groupings_of(prepared)

    def part_rows(part: Groupings, measure: Measure, grouping: Grouping, others: bool) -> Block:
        return comparison_rows(part, measure, grouping, others, more)

    # what is ordinary is told from all periods
    fields = laid_out("compare", groupings, partial(part_rows, groupings), None if more.unusual else part_rows)
    return Comparison(**fields, more=more)


def comparison_rows(
    groupings: Groupings, measure: Measure, grouping: Grouping, others: bool, more: More = _NOTHING_MORE
) -> Block:
    """The rows of one measure and one grouping."""
    prepared = groupings.prepared
    aligned, lengths, judging = prepared.aligned, prepared.lengths, prepared.selection.judgings[measure.name]
    sides = groupings.sides(measure, grouping)
    divided = not adds_up(prepared.book.formulas[measure.name])
    notes = row_notes(prepared, grouping)
    whole = None if divided else groupings.sides(measure, groupings.total)
    figures = figures_of(sides, measure.better, judging, whole, notes)
    note_periods(prepared, notes, grouping.why[measure.name])
    # a base without trading days cannot be divided by them, and keeps its days
    idle = (lengths.base_days == 0) & aligned.base_known
    based = sides.base_known | (idle[:, None] & (grouping.why[measure.name] is None))
    base_dates = []
    for days in (aligned.base_first(), aligned.base_last()):
        dates = to_dates(np.where(aligned.base_known, days, 0))[:, None]
        base_dates.append(np.where(based, dates, np.datetime64("NaT", "D")))
    places = {name: place for place, name in enumerate(band_names(prepared.selection.judgings))}
    bands = np.array([*(places[band.name] for band in judging.bands), -1])
    columns: Columns = opening(prepared, measure, grouping) | {
        **figures._asdict(),
        "base_period": aligned.base_labels[:, None],
        "base_start": base_dates[0],
        "base_end": base_dates[1],
        "base_days": np.where(based, lengths.base_days[:, None], np.nan),
        "band": bands[figures.band],
        "status": aligned.status[:, None],
        "note": notes.places,
    }
    if more.unusual:
        remarkable = unusual_growth(figures.growth, (aligned.status == COMPLETE)[:, None])
        columns |= dict(zip(("usual_low", "usual_high", "unusual"), remarkable))
    if more.ranked:
        counted = prepared.counts_ids(measure) or divided
        columns |= ranks_of(figures, sides, grouping, others, None if counted or not grouping.by else whole)
    if more.per_year:
        assert isinstance(prepared.spec.basis, YearAgo)
        columns["growth_per_year"] = growth_per_year(figures.ratio, prepared.spec.basis.n)
    return block(prepared, measure, grouping, in_order("compare", prepared.selection.by, columns), others)
