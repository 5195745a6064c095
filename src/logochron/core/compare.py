"""How does each period stand against an earlier one?"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from logochron.core.alignment import Alignment, align, closing_options
from logochron.core.bases import Basis, parse_basis
from logochron.core.calendars.base import Calendar
from logochron.core.calendars.civil import CivilCalendar
from logochron.core.daybook import Daybook, Items
from logochron.core.days import to_dates
from logochron.core.errors import QuestionError
from logochron.core.judging import JudgingLike, judging_of
from logochron.core.measures import Measure
from logochron.core.options import Grain, Partial, check, check_count
from logochron.core.reckon import Figures, Sides, reckon, share
from logochron.core.results import Result

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
    each, against, partial, by, calendar, measures, book
        The settings, and the book the question was put to.
    """

    book: Daybook
    each: Grain
    against: Basis
    partial: Partial
    by: tuple[str, ...]
    calendar: Calendar
    measures: tuple[Measure, ...]
    alignment: Alignment = field(repr=False)
    kind: str = field(default="compare", init=False)


def compare(
    book: Daybook,
    each: Grain,
    against: str | Basis = "year-ago",
    *,
    partial: Partial = "to-date",
    at: Any = None,
    last: int | None = None,
    by: str | Sequence[str] = (),
    measures: str | Sequence[str] | None = None,
    calendar: Calendar | None = None,
    judging: JudgingLike = None,
) -> Comparison:
    """Hold each period against an earlier one.

    Parameters
    ----------
    book
        The records, from `read`. The report date is its `report_day`.
    each
        The grain of the rows: day, week, month, quarter, half or year.
    against
        ``"prior"`` or ``"prior:n"`` (n periods earlier), ``"year-ago"`` or ``"year-ago:n"`` (the same place
        in the year), or `Prior(n)`, `YearAgo(n)`.
    partial
        A running period and its base: ``"to-date"`` cuts the base at the same point, ``"drop"`` leaves out
        periods that are not whole, ``"as-is"`` cuts nothing.
    at
        The periods wanted: a label (``2026-05``), a day in the period, a longer label (``2025``) or a range
        (``2025-01..2025-12``). All that touch the coverage where None.
    last
        Only so many periods, those that end there.
    by
        Dimensions to split by: a row for each tuple of items that has records.
    measures
        The measures wanted; all of the book where None.
    calendar
        What numbers the periods; civil months and ISO weeks where None.
    judging
        A `Judging` for all measures, or one for each by name.

    Returns
    -------
    Comparison
        Frozen; `.table`, `.total` and `.notes`.

    Raises
    ------
    QuestionError
        Where an option names nothing, or mistyped days of the records are not settled.

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
    check("each", each, Grain)
    check("partial", partial, Partial)
    if last is not None:
        check_count("last", last)
    calendar = calendar or CivilCalendar()
    basis = parse_basis(against)
    dims = book.check_by(by)
    asked = book.check_measures(measures)
    aligned = align(book.coverage, calendar, each, basis, partial, at, last)
    items = _items_with_records(book, dims, aligned)
    everything = book.items_by(())
    columns = tuple(dict.fromkeys(measure.source_column for measure in asked))
    wholes = _sides(book, everything, columns, aligned)

    def answered(split: Items, sides: Mapping[str, Sides]) -> Mapping[str, NDArray[Any]]:
        parts = []
        for measure in asked:
            own, whole = sides[measure.source_column], wholes[measure.source_column]
            verdicts = judging_of(judging, measure.name, tuple(m.name for m in asked))
            figures = reckon(own, measure.better, verdicts)
            parts.append(_columns(measure, dims, split, aligned, figures, own, whole))
        return _stack(parts)

    total = answered(everything, wholes)
    return Comparison(
        columns=answered(items, _sides(book, items, columns, aligned)) if dims else total,
        total_columns=total,
        periods=tuple(str(label) for label in aligned.labels),
        notes=(
            *calendar.legend(each, np.concatenate([aligned.ordinals, aligned.base_ordinals[aligned.base_found]])),
            *closing_options(book.coverage, book.recorded, int(book.recorded_ends[-1]), calendar, each, aligned),
            *book.intake.warnings,
        ),
        book=book,
        each=each,
        against=basis,
        partial=partial,
        by=dims,
        calendar=calendar,
        measures=asked,
        alignment=aligned,
    )


def _items_with_records(book: Daybook, by: tuple[str, ...], aligned: Alignment) -> Items:
    """The items that have a record in a value or base span of any row."""
    items = book.items_by(by)
    if not by:
        return items
    present = np.atleast_1d((book.counts(items, *aligned.spans()) > 0).any(axis=0))
    recoded = np.cumsum(present) - 1
    labels = tuple(label[present] for label in items.labels)
    # rows of items that are left out lie in no span: any code will do
    of_rows = np.where(present[items.of_rows], recoded[items.of_rows], 0)
    return Items(of_rows, labels, int(present.sum()))


def _sides(book: Daybook, items: Items, columns: Sequence[str], aligned: Alignment) -> dict[str, Sides]:
    """Both sides of each column, all summed in one pass."""
    n = len(aligned.ordinals)
    shape = (n, items.size)
    return {
        column: Sides(
            value=sums[:n],
            base=sums[n:],
            value_known=np.broadcast_to(aligned.value_known[:, None], shape),
            base_known=np.broadcast_to(aligned.base_known[:, None], shape),
            scale=book.amounts[column].scale,
        )
        for column, sums in book.sums(items, columns, *aligned.spans()).items()
    }


def _columns(
    measure: Measure,
    by: tuple[str, ...],
    items: Items,
    aligned: Alignment,
    figures: Figures,
    sides: Sides,
    whole: Sides,
) -> dict[str, NDArray[Any]]:
    shape = figures.value.shape
    shares = share(sides.value, whole.value, sides.value_known)
    base_shares = share(sides.base, whole.base, sides.base_known)
    notes = figures.notes
    outside = np.asarray((shares < 0) | (shares > 1) | (base_shares < 0) | (base_shares > 1))
    notes.add(outside, "negative items")
    for rows, text in aligned.notes:
        notes.add(rows[:, None], text if isinstance(text, str) else text[:, None])

    def per_period(values: NDArray[Any]) -> NDArray[Any]:
        return np.repeat(values, shape[1])

    columns: dict[str, NDArray[Any]] = {
        "measure": np.full(figures.value.size, measure.name, dtype=object),
        "period": per_period(np.arange(shape[0])),
        "start": per_period(to_dates(aligned.starts)),
        "end": per_period(to_dates(aligned.ends)),
        "days": per_period((aligned.ends - aligned.starts + 1).astype(float)),
    }
    for place, name in enumerate(by):
        labels = items.labels[place] if items.labels else np.full(1, None, dtype=object)
        columns[name] = np.tile(labels, shape[0])
    unknown = ~aligned.base_known
    base_dates = [to_dates(days) for days in (aligned.base_starts, aligned.base_ends)]
    for dates in base_dates:
        dates[unknown] = np.datetime64("NaT")
    base_days = np.where(unknown, np.nan, aligned.base_ends - aligned.base_starts + 1)
    columns |= {
        "value": figures.value.ravel(),
        "base_period": per_period(aligned.base_labels),
        "base_start": per_period(base_dates[0]),
        "base_end": per_period(base_dates[1]),
        "base_days": per_period(base_days),
        "base": figures.base.ravel(),
        "change": figures.change.ravel(),
        "growth": figures.growth.ravel(),
        "ratio": figures.ratio.ravel(),
        "share": shares.ravel(),
        "base_share": base_shares.ravel(),
        "direction": figures.direction.ravel(),
        "verdict": figures.verdict.ravel(),
        "band": np.full(figures.value.size, None, dtype=object),
        "status": per_period(aligned.status),
        "note": notes.texts.ravel(),
    }
    return columns


def _stack(parts: list[dict[str, NDArray[Any]]]) -> Mapping[str, NDArray[Any]]:
    stacked = {name: np.concatenate([part[name] for part in parts]) for name in parts[0]}
    for values in stacked.values():
        values.setflags(write=False)
    return stacked
