"""The daybook: sums by day and item, the compact form every question is put to."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from types import MethodType
from typing import TYPE_CHECKING, Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from logochron.core import ports
from logochron.core.book.coverage import Coverage, Ends, settle
from logochron.core.book.evenly import laid_evenly
from logochron.core.book.filters import Where, check_where, holds, in_words, labels_named
from logochron.core.book.intake import Intake
from logochron.core.book.items import Beyond, Items, RecordLife
from logochron.core.book.kept_ids import KeptIds
from logochron.core.book.measures import Formula, Measure, adds_up, aggregates, all_aggregates, formulas
from logochron.core.book.rates import Conversion
from logochron.core.book.record_spans import Standing
from logochron.core.book.selling_days import SellingDays, SellingTable
from logochron.core.book.sums import RECORDS, ROWS, Amounts, DaySums, IdCounts, Spans, Sums
from logochron.core.calendars.base import Calendar
from logochron.core.calendars.named_in import day_named
from logochron.core.check_kinds import kinds_checked
from logochron.core.choices import Grain
from logochron.core.days import DayLike, Days, as_date, iso, span_ends
from logochron.core.errors import QuestionError, brief, no_such
from logochron.core.said import Said
from logochron.core.synonyms import synonym

if TYPE_CHECKING:
    import pandas as pd


@dataclass(frozen=True, repr=False, eq=False)
class Daybook:
    """Sums by day and item, with what they stand for. Made by `logochron.read`.

    Attributes
    ----------
    days, records
        Day number and number of records of each row, int64.
    codes, labels
        For each dimension the code of each row, and the labels the codes stand for (in text order).
    amounts
        By the key of each aggregate of the measures what is summed.
    ids
        By the key of each aggregate that counts distinct ids their numbers, by day and any of the dimensions.
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
    kept: Ends = (None, None)  # rows outside these days were left out in reading
    selected: tuple[str, ...] = ()  # what `where` took, in words
    filters: tuple[Where, ...] = ()  # and as it was asked, by the names of dimensions where they have one
    standing: Standing = Standing()  # what each record stands for
    beyond: Beyond | None = None  # the records on days that were left out
    falls: Mapping[str, Beyond] = field(default_factory=dict)  # by aggregate the items with negative amounts, and when
    ids: Mapping[str, IdCounts] = field(default_factory=dict)
    kept_ids: Mapping[str, KeptIds] = field(default_factory=dict)  # too many to be items: by name
    conversion: Conversion | None = None  # how its amounts were brought to one currency
    selling_days: SellingDays | None = None  # on which days something can be sold, where it is said
    # by dimensions; books of the same rows share them
    laid_out: dict[tuple[str, ...], DaySums] = field(default_factory=dict)
    lives: dict[tuple[str, ...], RecordLife] = field(default_factory=dict)

    if TYPE_CHECKING:  # the questions, as methods
        compare: ClassVar[Callable[..., Any]]
        overview: ClassVar[Callable[..., Any]]
        relate: ClassVar[Callable[..., Any]]
        drivers: ClassVar[Callable[..., Any]]
        pace: ClassVar[Callable[..., Any]]
        land: ClassVar[Callable[..., Any]]
        review: ClassVar[Callable[..., Any]]
        season: ClassVar[Callable[..., Any]]
    else:

        def __getattr__(self, name: str) -> Any:
            """A question as a method: ``book.compare(...)`` is ``compare(book, ...)``."""
            if not name.startswith("_"):
                questions = ports.asked_of_book()
                if name in questions:
                    return MethodType(questions[name](), self)
                if (ours := synonym(name, "name")) is not None and ours.ours in questions:
                    raise AttributeError(f"a Daybook has no {name!r}: here it is .{ours.ours}(...)")
            raise AttributeError(f"{type(self).__name__!r} object has no attribute {name!r}")

    def __dir__(self) -> list[str]:
        return sorted({*super().__dir__(), *ports.asked_of_book()})

    @cached_property
    def formulas(self) -> Mapping[str, Formula]:
        """The formula of each measure."""
        return formulas(self.measures)

    def decimals(self, measure: str) -> int | None:
        """How many decimals the figures of a measure have; None where they are not exact."""
        scales = [self.scale_of(aggregate.key) for aggregate in aggregates(self.formulas[measure])]
        return max(scale or 0 for scale in scales) if self.exact[measure] else None

    def scale_of(self, key: str) -> int | None:
        """The scale of the sums of an aggregate; None where they are floats."""
        return self.amounts[key].scale if key in self.amounts else 0

    @cached_property
    def coverage(self) -> Coverage:
        """The days the records are complete for; refused where mistyped days are not settled."""
        return self._settled(asked=True)

    @cached_property
    def settled(self) -> Coverage:
        """The coverage as far as it is settled: mistyped days may still keep questions from being asked."""
        return self._settled(asked=False)

    def check_until(self) -> None:
        """Refuse a report date that cannot be; what else keeps questions from being asked may be settled later."""
        self._settled(asked=False)

    def _settled(self, *, asked: bool) -> Coverage:
        settled = settle(self.recorded, self.recorded_ends, self.asked_covering, self.asked_until, asked=asked)
        if self.asked_until is not None and self.standing.is_cut(settled.last, self.recorded):
            self.standing.check_edges(settled.first, int(self.recorded_ends[-1]))
            return settled._replace(uncut=self.standing.records_of)
        self.standing.check_edges(settled.first, settled.last)
        return settled

    def evenly(self) -> Daybook:
        """The same book with the records of whole periods laid evenly on their days.

        The last one up to the report date. As it is where records stand for days.
        """
        if self.standing.records_of == "day" or not len(self.recorded):
            return self
        laid = laid_evenly(
            self.days,
            self.records,
            self.codes,
            self.amounts,
            counts={aggregate.key for aggregate in all_aggregates(self.formulas) if aggregate.counts},
            standing=self.standing,
            last=int(self.recorded[-1]),
            until=self.asked_until,
        )
        return replace(self, **laid, standing=self.standing._replace(spread="even"), laid_out={}, lives={})

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
        """The last day of the coverage, which is the report date, whether or not it has records."""
        return as_date(self.coverage.last)

    @property
    def report_day(self) -> dt.date:
        """The report date: the last day of the coverage, as `last_day`."""
        return self.last_day

    @cached_property
    def selling(self) -> SellingTable:
        """The days on which something can be sold: as is said, else by the days with records."""
        return (self.selling_days or SellingDays()).of(self.recorded, daily=self.standing.records_of == "day")

    def selling_on(self, days: SellingDays | None) -> Daybook:
        """The same book with other selling days; as it is where None."""
        if days is not None and not isinstance(days, SellingDays):
            raise QuestionError("`selling_days` must be SellingDays(...); got {0}", brief(days))
        return self if days is None else replace(self, selling_days=days)

    @property
    def exact(self) -> dict[str, bool]:
        """For each measure whether its sums are exact."""
        return {
            name: adds_up(formula)
            and all(self.scale_of(aggregate.key) is not None for aggregate in aggregates(formula))
            for name, formula in self.formulas.items()
        }

    @property
    def dimensions(self) -> tuple[str, ...]:
        """The dimensions the book can be split by."""
        return tuple(self.labels)

    @kinds_checked
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

    @kinds_checked
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
        check_where(selection)
        for name, wanted in selection.items():
            self.check_by(name)
            for label in labels_named(wanted):
                place = np.flatnonzero(self.labels[name] == label)
                if not len(place) or not (self.codes[name] == place[0]).any():
                    raise QuestionError(no_such("item", label, self.items(name), where=Said("dimension {0!r}", name)))
        words = in_words(selection)
        taken = {name: holds(self.labels[name], wanted) for name, wanted in selection.items()}
        return self.taking(taken, selected=self.selected + words, filters=(*self.filters, dict(selection)))

    def taking(self, taken: Mapping[str, NDArray[np.bool_]], **changes: Any) -> Daybook:
        """The book of those labels of dimensions that are taken."""
        rows = np.ones(len(self.days), dtype=bool)
        for name, of in taken.items():
            rows &= of[self.codes[name]]
        ids, kept = dict(self.ids), dict(self.kept_ids)
        for name, of in taken.items():
            ids = {key: counts.taking(name, of) for key, counts in ids.items()}
            kept = {key: one.taking(name, of) for key, one in kept.items()}
        beyond = self.beyond.taking(taken) if self.beyond else None
        falls = {key: items.taking(taken) for key, items in self.falls.items()}
        return self.only(rows, ids=ids, kept_ids=kept, beyond=beyond, falls=falls, **changes)

    def until(self, day: DayLike) -> Daybook:
        """The same book with the report date on `day`.

        Raises
        ------
        QuestionError
            Where rows past it were left out in reading, or the day is before the first or too far past the
            last record.
        """
        number = day_named(day, "until", self.standing.calendar, last=True)
        last_kept = self.kept[1]
        if last_kept is not None and number > last_kept:
            raise QuestionError(
                "`until` {0} lies past {1}, where the reading stopped: read again", iso(number), iso(last_kept)
            )
        book = replace(self, asked_until=number)
        book.check_until()  # now, not at the first question
        return book.evenly() if self.standing.spread == "even" else book

    def covering(self, first: DayLike | None = None, last: DayLike | None = None) -> Daybook:
        """The same book with its coverage stated; either end may be left as it is.

        Raises
        ------
        QuestionError
            Where the ends are no days, in the wrong order, or rows there were left out in reading.
        """
        low, high = span_ends((first, last), "covering")
        for asked, kept, beyond in ((low, self.kept[0], -1), (high, self.kept[1], 1)):
            if asked is not None and kept is not None and (asked - kept) * beyond > 0:
                raise QuestionError("`covering` {0} lies past {1}, where the reading stopped", iso(asked), iso(kept))
        return replace(
            self,
            asked_covering=(
                self.asked_covering[0] if low is None else low,
                self.asked_covering[1] if high is None else high,
            ),
        )

    def check_by(self, by: str | Sequence[str] | None, *, kept: bool = False) -> tuple[str, ...]:
        """`by` as a tuple of dimensions of this book; `kept`: or of the ids that are too many to be items."""
        names = (by,) if isinstance(by, str) else () if by is None else tuple(by)
        if kept and len(names) == 1 and names[0] in self.kept_ids:
            return names
        for name in names:
            if name in self.kept_ids:
                raise QuestionError(
                    "{0!r} was read by `ids`: drivers(..., gather='life') gathers it; for its items read it by `by`",
                    name,
                )
            if name not in self.labels:
                raise QuestionError(
                    "`by` must name dimensions that were read: {0}", no_such("dimension", str(name), self.labels)
                )
        if len(set(names)) < len(names):
            raise QuestionError("`{0}` names a dimension twice: {1}", "by", ", ".join(names))
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

    def day_sums(self, by: Sequence[str]) -> DaySums:
        """The rows by the tuples of items of some dimensions; laid out once."""
        names = tuple(by)
        if names not in self.laid_out:
            items = Items.of([self.codes[n] for n in names], [self.labels[n] for n in names], len(self.days))
            records = Amounts(self.records, 0, float(self.records.sum()))
            counted = {key: counts.of(names, items) for key, counts in self.ids.items()}
            rows = Amounts(np.ones_like(self.days), 0, float(len(self.days)))
            self.laid_out[names] = DaySums(self.days, items, {**self.amounts, RECORDS: records, ROWS: rows}, counted)
        return self.laid_out[names]

    def life(self, by: Sequence[str]) -> RecordLife:
        """When each tuple of items of some dimensions was recorded, whatever days were wanted."""
        names = tuple(by)
        if names not in self.lives:
            self.lives[names] = self.day_sums(names).life(names, self.standing, self.beyond)
        return self.lives[names]

    def life_together(self, by: Sequence[str], groups: Days) -> RecordLife:
        """The same of groups of those tuples, -1 for those of none."""
        return self.day_sums(by).life(tuple(by), self.standing, self.beyond, groups)

    def sums(self, by: Sequence[str], columns: Sequence[str], *groups: Spans) -> dict[str, list[Sums]]:
        """Sums of columns over groups of spans for each tuple of items, each of shape (spans, items).

        The column `RECORDS` is the number of records.
        """
        for starts, ends in groups:
            self.standing.check_spans(starts.ravel(), ends.ravel(), self.settled.last if self.settled.uncut else None)
        return self.day_sums(by).sums(columns, groups)

    def held_by(self, calendar: Calendar) -> Daybook:
        """The same book without the rows of days that no period of a calendar holds."""
        held = calendar.holds(self.days)
        if held.all():
            return self
        days = self.standing.spans(self.days[~held])
        beyond = Beyond({name: codes[~held] for name, codes in self.codes.items()}, *days)
        return self.only(
            held,
            ids={key: counts.on(calendar.holds) for key, counts in self.ids.items()},
            kept_ids={key: of.on(calendar.holds) for key, of in self.kept_ids.items()},
            beyond=beyond.beside(self.beyond),
        )

    def only(self, rows: NDArray[np.bool_], **changes: Any) -> Daybook:
        """The book of some rows."""
        return replace(
            self,
            days=self.days[rows],
            records=self.records[rows],
            codes={name: codes[rows] for name, codes in self.codes.items()},
            amounts={name: column.take(rows) for name, column in self.amounts.items()},
            **{"laid_out": {}, "lives": {}, **changes},
        )

    @kinds_checked
    def totals(
        self, each: Grain, by: str | Sequence[str] | None = (), calendar: Calendar | None = None
    ) -> pd.DataFrame:
        """The figure of each measure in each period that touches the coverage.

        Returns
        -------
        pandas.DataFrame
            `measure, period, start, end` (the days really summed), the dimensions, `value` (float64).

        Raises
        ------
        QuestionError
            Where `each` is no grain, or a dimension was not read or is called like a column of the table.
        """
        return ports.totals(self, each, by, calendar)
