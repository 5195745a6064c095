"""The daybook: sums by day and item, the compact form every question is put to."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.calendars.base import Calendar
from logochron.core.calendars.civil import CivilCalendar
from logochron.core.coverage import Coverage, Ends, settle
from logochron.core.days import DayLike, Days, as_date, day_number, iso, span_ends, to_dates
from logochron.core.errors import QuestionError, no_such
from logochron.core.intake import Intake
from logochron.core.measures import Measure
from logochron.core.options import Grain
from logochron.core.selection import Where, holds, in_words, labels_named
from logochron.core.standing import Standing
from logochron.core.sums import Amounts, span_sums

if TYPE_CHECKING:
    import pandas as pd


class Items(NamedTuple):
    """The items of a question: `of_rows` codes each row of the book, `labels` names each item per dimension."""

    of_rows: Days
    labels: tuple[NDArray[np.object_], ...]
    size: int


@dataclass(frozen=True, repr=False)
class Daybook:
    """Sums by day and item, with what they stand for. Made by `logochron.read`.

    Attributes
    ----------
    days, records
        Day number and number of records of each row, int64.
    codes, labels
        For each dimension the code of each row, and the labels the codes stand for (in text order).
    amounts
        For each column what is summed.
    recorded
        The days on which the source has any record, whatever was filtered; sorted, int64.
    intake
        What became of each row of the source.
    """

    days: Days
    records: Days
    codes: Mapping[str, Days]
    labels: Mapping[str, NDArray[np.object_]]
    amounts: Mapping[str, Amounts]
    measures: tuple[Measure, ...]
    recorded: Days
    intake: Intake = field(default_factory=Intake)
    asked_covering: Ends = (None, None)
    asked_until: int | None = None
    kept: Ends = (None, None)  # rows outside these days were set aside in reading
    selected: tuple[str, ...] = ()  # what `where` took, in words
    standing: Standing = Standing()  # what each record stands for

    @cached_property
    def coverage(self) -> Coverage:
        """The days the records are complete for; refused where mistyped days are not settled."""
        settled = settle(self.recorded, self.recorded_ends, self.asked_covering, self.asked_until)
        self.standing.check_edges(settled.first, settled.last)
        return settled

    @cached_property
    def recorded_ends(self) -> Days:
        """The last day that the records of each recorded day stand for."""
        return self.standing.spans(self.recorded)[1]

    @property
    def first_day(self) -> dt.date:
        """The first day of the coverage."""
        return as_date(self.coverage.first)

    @property
    def last_day(self) -> dt.date:
        """The last day with records, up to the report date."""
        return as_date(self.coverage.recorded_last)

    @property
    def report_day(self) -> dt.date:
        """The report date: the last day of the coverage."""
        return as_date(self.coverage.last)

    @property
    def exact(self) -> dict[str, bool]:
        """For each measure whether its sums are exact."""
        return {m.name: self.amounts[m.source_column].scale is not None for m in self.measures}

    @property
    def dimensions(self) -> tuple[str, ...]:
        """The dimensions the book can be split by."""
        return tuple(self.labels)

    def items(self, dimension: str) -> list[str]:
        """The labels of a dimension that have records, in text order."""
        (name,) = self.check_by(dimension)
        return [str(label) for label in self.labels[name][np.unique(self.codes[name])]]

    def __len__(self) -> int:
        return len(self.days)

    def __repr__(self) -> str:
        ends = f"{iso(int(self.recorded[0]))} to {iso(int(self.recorded[-1]))}" if len(self.recorded) else "no days"
        by = f" by {', '.join(self.dimensions)}" if self.dimensions else ""
        return (
            f"<Daybook: {', '.join(m.name for m in self.measures)}{by}; records {ends}; "
            f"{self.intake.counted:,} counted, {self.intake.refused:,} refused>"
        )

    def where(self, selection: Where) -> Daybook:
        """The book of some items only. Coverage and intake stay those of the source.

        Parameters
        ----------
        selection
            ``{"harbor": "Alderquay", "line": ["hire", "lessons"], "channel": Not("online")}``.

        Raises
        ------
        QuestionError
            Where a dimension was not read, or an item does not occur (the nearest is offered).
        """
        rows = np.ones(len(self.days), dtype=bool)
        for name, wanted in selection.items():
            self.check_by(name)
            known = self.items(name)
            for label in labels_named(wanted):
                if label not in known:
                    raise QuestionError(no_such("item", label, known, where=f"dimension {name!r}"))
            rows &= holds(self.labels[name], wanted)[self.codes[name]]
        return replace(
            self,
            days=self.days[rows],
            records=self.records[rows],
            codes={name: codes[rows] for name, codes in self.codes.items()},
            amounts={name: column.take(rows) for name, column in self.amounts.items()},
            selected=self.selected + in_words(selection),
        )

    def until(self, day: DayLike) -> Daybook:
        """The same book with the report date on `day`.

        Raises
        ------
        QuestionError
            Where rows past it were set aside in reading, or the day is before the first or too far past the
            last record.
        """
        number = day_number(day, "until")
        last_kept = self.kept[1]
        if last_kept is not None and number > last_kept:
            raise QuestionError(
                f"`until` {iso(number)} lies past {iso(last_kept)}, where the reading stopped: read again"
            )
        book = replace(self, asked_until=number)
        book.coverage  # noqa: B018  refuses now, not at the first question
        return book

    def covering(self, first: DayLike | None = None, last: DayLike | None = None) -> Daybook:
        """The same book with its coverage stated; either end may be left as it is.

        Raises
        ------
        QuestionError
            Where the ends are no days, in the wrong order, or rows there were set aside in reading.
        """
        low, high = span_ends((first, last), "covering")
        for asked, kept, beyond in ((low, self.kept[0], -1), (high, self.kept[1], 1)):
            if asked is not None and kept is not None and (asked - kept) * beyond > 0:
                raise QuestionError(f"`covering` {iso(asked)} lies past {iso(kept)}, where the reading stopped")
        return replace(
            self,
            asked_covering=(
                self.asked_covering[0] if low is None else low,
                self.asked_covering[1] if high is None else high,
            ),
        )

    def check_by(self, by: str | Sequence[str]) -> tuple[str, ...]:
        """`by` as a tuple of dimensions of this book."""
        names = (by,) if isinstance(by, str) else tuple(by)
        for name in names:
            if name not in self.labels:
                raise QuestionError(
                    f"`by` must name dimensions that were read: {no_such('dimension', str(name), self.labels)}"
                )
        if len(set(names)) < len(names):
            raise QuestionError(f"`by` names a dimension twice: {', '.join(names)}")
        return names

    def check_measures(self, measures: str | Sequence[str] | None) -> tuple[Measure, ...]:
        """The measures of this book that are asked for; all where None."""
        if measures is None:
            return self.measures
        names = [measures] if isinstance(measures, str) else list(measures)
        known = {m.name: m for m in self.measures}
        for name in names:
            if name not in known:
                raise QuestionError(no_such("measure", str(name), known, where="the book"))
        return tuple(known[name] for name in names)

    def items_by(self, by: Sequence[str]) -> Items:
        """The tuples of items of some dimensions, numbered in text order of their labels."""
        keys = np.zeros(len(self.days), dtype=np.int64)
        size = 1
        for name in by:
            keys = keys * len(self.labels[name]) + self.codes[name]
            size *= max(len(self.labels[name]), 1)
        if not by:
            return Items(keys, (), 1)
        present, of_rows = np.unique(keys, return_inverse=True)
        labels = []
        for name in reversed(by):
            present, codes = np.divmod(present, max(len(self.labels[name]), 1))
            labels.append(self.labels[name][codes])
        return Items(of_rows.astype(np.int64), tuple(reversed(labels)), len(labels[0]))

    def sums(self, items: Items, columns: Sequence[str], starts: Days, ends: Days) -> dict[str, NDArray[Any]]:
        """Sums of columns over spans for each item, each of shape (spans, items)."""
        self.standing.check_spans(starts, ends)
        wanted = [self.amounts[name] for name in columns]
        return dict(zip(columns, span_sums(self.days, items.of_rows, items.size, wanted, starts, ends)))

    def counts(self, items: Items, starts: Days, ends: Days) -> NDArray[Any]:
        """Numbers of records in spans for each item, of shape (spans, items)."""
        records = Amounts(self.records, 0, float(self.records.sum()))
        (counted,) = span_sums(self.days, items.of_rows, items.size, [records], starts, ends)
        return counted

    def totals(self, each: Grain, by: str | Sequence[str] = (), calendar: Calendar | None = None) -> pd.DataFrame:
        """The sum of each measure in each period that touches the coverage.

        Returns
        -------
        pandas.DataFrame
            `measure, period, start, end` (the days really summed), the dimensions, `value` (float64).

        Raises
        ------
        QuestionError
            Where `each` is no grain or a dimension was not read.
        """
        import pandas as pd

        calendar = calendar or CivilCalendar()
        names = self.check_by(by)
        first, last = self.coverage.first, self.coverage.last
        low, high = calendar.ordinals(each, np.array([first, last]))
        ordinals = np.arange(low, high + 1)
        starts = np.maximum(calendar.starts(each, ordinals), first)
        ends = np.minimum(calendar.ends(each, ordinals), last)
        items = self.items_by(names)
        sums = self.sums(items, [m.source_column for m in self.measures], starts, ends)
        parts = []
        for measure in self.measures:
            scale = self.amounts[measure.source_column].scale
            columns: dict[str, Any] = {
                "measure": measure.name,
                "period": np.repeat(calendar.labels(each, ordinals).astype(object), items.size),
                "start": np.repeat(to_dates(starts).astype("datetime64[s]"), items.size),
                "end": np.repeat(to_dates(ends).astype("datetime64[s]"), items.size),
            }
            columns |= {name: np.tile(labels, len(ordinals)) for name, labels in zip(names, items.labels)}
            columns["value"] = sums[measure.source_column].ravel() / 10 ** (scale or 0)
            parts.append(pd.DataFrame(columns))
        return pd.concat(parts, ignore_index=True)
