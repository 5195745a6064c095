"""What is wanted of a source of records, and what every kind of source gives: the one protocol of all of them."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from fractions import Fraction
from typing import Any, NamedTuple, Protocol

import numpy as np
from numpy.typing import NDArray

from logochron.core.book.coverage import Ends
from logochron.core.book.filters import Condition, Where
from logochron.core.book.intake import Fact, Refusal
from logochron.core.book.measures import Aggregate, Measure
from logochron.core.book.rates import Conversion
from logochron.core.book.record_spans import Standing
from logochron.core.book.sums import RECORDS
from logochron.core.days import Days
from logochron.core.errors import IntakeError
from logochron.core.said import Said, both
from logochron.core.total_labels import is_total
from logochron.options import Reading
from logochron.sources.values.amounts import StatedWriting

#: Places in a list of distinct values, int32.
Codes = NDArray[np.int32]
#: So many first rows show what the columns of a source hold.
FIRST_ROWS = 1000
#: Stands for no day among day numbers.
NO_DAY = np.iinfo(np.int64).min
#: Stands before the name of a column that rows are grouped by although nobody asked for it.
WATCHED = "\0"
#: Stands before the name of a column of amounts whose signs of currencies rows are grouped by.
SIGNED = WATCHED + "sign of "
#: Stands before the name of a column of ids that stay in the engine.
KEPT = WATCHED + "kept "
#: What the column of periods is called in the table that a wide one is laid out as.
PERIOD = "the period's column"


@dataclass(frozen=True, kw_only=True)
class ReadingSpec:
    """A reading settled: what is wanted of every source, columns by the names of the user's call.

    Attributes
    ----------
    stated
        What the user stated.
    date, parts, dimensions, aggregates, where
        The column of dates (where several make them up together, their names), those columns, those of the dimensions
        by their names, all that the measures sum and count, and the filter.
    kept
        The columns of ids that stay in the engine, by their names.
    currency, conversion
        The column of currencies (empty: the signs beside amounts), and how amounts are brought to one.
    aside, undated
        What leaves out rows that are totals of others, and how many of those have no date, by the source's name.
    watched
        Columns that nobody asked for by what they hold: "currencies", "states".
    seconds
        Whether dates are seconds since 1970 (1), milliseconds (1000), or not such (0).
    writing, scales
        How amounts are written, as far as it is stated, and what those of a column are multiplied by.
    keep, standing, wide
        The days wanted (rows outside are left out), what each record stands for, and whether the columns are periods.
    reviewed
        Whether the records are only looked at: what a comparison stops at is told then.
    measures, covering, until, selected, filters, guesses
        What the book makes of it; the ends that the user said, as day numbers; the filter in words, and by
        the names of dimensions where there is one; what was taken for what.
    """

    stated: Reading = Reading()
    date: str = ""
    parts: tuple[str, ...] = ()
    seconds: int = 0
    dimensions: Mapping[str, str] = field(default_factory=dict)
    kept: Mapping[str, str] = field(default_factory=dict)
    watched: Mapping[str, str] = field(default_factory=dict)
    aggregates: tuple[Aggregate, ...] = ()
    where: tuple[Condition, ...] = ()
    aside: tuple[Condition, ...] = ()
    undated: Mapping[str, int] = field(default_factory=dict)
    writing: StatedWriting = StatedWriting()
    scales: Mapping[str, Fraction] = field(default_factory=dict)
    keep: Ends = (None, None)
    standing: Standing = Standing()
    wide: bool = False
    measures: tuple[Measure, ...] = ()
    covering: Ends = (None, None)
    until: int | None = None
    reviewed: bool = False
    selected: tuple[str, ...] = ()
    filters: Where = field(default_factory=dict)
    guesses: tuple[str, ...] = ()
    currency: str = ""
    conversion: Conversion | None = None

    @property
    def empty_is_zero(self) -> bool:
        """Whether an empty amount is 0."""
        return self.stated.empty == "zero"

    @property
    def apart(self) -> bool:
        """Whether records make one group an amount, not only one a day and item."""
        return self.standing.spread is not None

    @property
    def times_cut(self) -> bool:
        """Whether dates lose their time in the source, where no form of the user's reads it."""
        return self.stated.date_format is None

    @property
    def summed(self) -> tuple[Aggregate, ...]:
        """What single records are looked at for: amounts as they stand, and records of some rows only."""
        return tuple(dict.fromkeys(aggregate._replace(rates_at="") for aggregate in self.booked))

    @property
    def booked(self) -> tuple[Aggregate, ...]:
        """What the book keeps sums of: the same, by the rates they are converted at."""
        return tuple(
            aggregate for aggregate in self.aggregates if aggregate.counts != "ids" and aggregate.key != RECORDS
        )

    def converts(self, aggregate: Aggregate) -> bool:
        """Whether the amounts of an aggregate are brought to another currency."""
        return self.conversion is not None and not aggregate.counts and aggregate.column in self.conversion.columns

    @property
    def signed(self) -> tuple[str, ...]:
        """The columns of amounts whose currencies their signs tell."""
        return tuple(sorted(self.conversion.columns)) if self.conversion and not self.currency else ()

    @property
    def ids(self) -> tuple[Aggregate, ...]:
        """What distinct ids are counted for."""
        return tuple(aggregate for aggregate in self.aggregates if aggregate.counts == "ids")

    @property
    def conditions(self) -> tuple[Condition, ...]:
        """All conditions on rows, those of single measures too, by the columns of the source."""
        return tuple(
            dict.fromkeys(
                (*self.where, *self.aside, *(c for aggregate in self.aggregates for c in self.conditions_of(aggregate)))
            )
        )

    @property
    def named(self) -> list[tuple[str, str]]:
        """The columns and labels that conditions name, each pair once."""
        pairs = ((c.column, label) for c in self.conditions for labels in (c.taken, c.left_out) for label in labels)
        return list(dict.fromkeys(pairs))

    def conditions_of(self, aggregate: Aggregate) -> tuple[Condition, ...]:
        """The conditions of an aggregate, by the columns of the source: it may use the new name of a dimension."""
        return tuple(c._replace(column=self.dimensions.get(c.column, c.column)) for c in aggregate.where)

    @property
    def labels(self) -> dict[str, str]:
        """The columns that rows are grouped by: those of the dimensions by their names, watched ones, currencies."""
        beside = [*self.watched, *([self.currency] if self.currency else [])]
        return {**self.dimensions, **{WATCHED + column: column for column in beside}}

    def names(self) -> list[tuple[str, str]]:
        """The wanted columns, each with the option that names it."""
        named = [
            *(("date", part) for part in self.parts or (self.date,)),
            *(("values", aggregate.column) for aggregate in self.summed if aggregate.column),
        ]
        named += [("by", column) for column in (*self.dimensions.values(), *self.watched)]
        named += [("ids", column) for column in self.kept.values()]
        named += [("currency", self.currency)] if self.currency else []
        named += [("where", condition.column) for condition in (*self.where, *self.aside)]
        named += [("measures", aggregate.column) for aggregate in self.ids]
        named += [("measures", c.column) for aggregate in self.aggregates for c in self.conditions_of(aggregate)]
        return list(dict.fromkeys(named))


class LeafGroups(NamedTuple):
    """The sums of one aggregate by group, and of the sizes of its amounts: at a scale, or floats where that is None.

    `falls`: which groups hold a negative amount; None where none does.
    """

    sums: NDArray[Any]
    size: float
    scale: int | None
    empties: int = 0
    falls: NDArray[np.bool_] | None = None


class Groups(NamedTuple):
    """The records of a source rolled up: a row for each date, whether `where` keeps it, and items.

    `dates` are the distinct date texts (or day numbers), `date_codes` the index of each row into them;
    `label_codes` likewise. `leaves` are by key. `named_rows`: in how many records each label of a condition occurs.
    """

    dates: NDArray[Any]
    date_codes: Codes
    keep: NDArray[np.bool_]
    labels: Mapping[str, NDArray[np.object_]]
    label_codes: Mapping[str, Codes]
    rows: Days
    bad: Days
    aggregates: Mapping[str, LeafGroups]
    named_rows: Mapping[tuple[str, str], int]


def nan_is_missing(name: str, column: str) -> str:
    """What to say where a frame has one sign for what is missing and for what is no number."""
    return Said("{0}, column {1!r}: NaN and a missing amount are one there, and both taken as 0", name, column)


def why_undated(text: str, no_date: str) -> str:
    """Why a row is refused whose date is none; `no_date`: what a filled field is."""
    if is_total(text):
        return Said("a total, it seems, and no date")
    return no_date if text.strip() else Said("no date")


class LabelRows(NamedTuple):
    """The rows of a source by date and labels: texts (empty where there is none), sums of each column of amounts.

    `keep`: whether the filter takes them; `rows`: how many there are of each.
    """

    dates: NDArray[np.object_]
    labels: Mapping[str, NDArray[np.object_]]
    keep: NDArray[np.bool_]
    rows: Days
    sums: Sequence[NDArray[np.float64]]


class Priced(NamedTuple):
    """A currency that amounts of a column bear a sign of: one of them, and where it stands."""

    column: str
    currency: str
    text: str
    place: str
    source: str


def check_currencies(priced: Iterable[Priced]) -> None:
    """Refuse several currencies in one column, in one source or in all of a reading together.

    Raises
    ------
    IntakeError
        Showing an amount of each of two.
    """
    met: dict[str, Priced] = {}
    for one in priced:
        first = met.setdefault(one.column, one)
        if first.currency == one.currency:
            continue
        apart = first.source != one.source
        shown = both(
            Said("{0!r} ({1})", p.text, Said("{0}, {1}", p.source, p.place) if apart else p.place) for p in (first, one)
        )
        raise IntakeError(
            "{0}column {1!r} holds amounts of several currencies: {2}; bring them to one by rates= (--rates FILE --to "
            "XXX), or choose rows of one by where= (--where)",
            ("" if apart else Said("{0}: ", one.source)),
            one.column,
            shown,
        )


class IdTable(Protocol):
    """Takes the ids of all sources together."""

    def laid_down(self, kind: str, arrays: Mapping[str, NDArray[Any]]) -> str:
        """A table of the engine's own, as long as ids are gathered; its name."""

    def add(self, rows: str, labels: Sequence[str], dates: NDArray[np.object_], days: Days) -> None:
        """Rows of the engine's: the date `d`, a label each, an `id` (unknown where there is none), records `n`.

        Parameters
        ----------
        dates, days
            The texts of the dates that count, and their days.
        """


class RolledSource(Protocol):
    """One source after its pass: what every kind gives, and all that is asked of it afterwards."""

    @property
    def name(self) -> str:
        """What messages call it."""

    @property
    def names(self) -> tuple[str, ...]:
        """What messages call its files, where several were scanned as one."""

    @property
    def unlined(self) -> bool:
        """Whether it is a table without lines and a header."""

    @property
    def groups(self) -> Groups:
        """Its records rolled up."""

    @property
    def priced(self) -> tuple[Priced, ...]:
        """The currencies its amounts bear signs of."""

    @property
    def records(self) -> int:
        """All its records: rows, blank ones and those that are no rows."""

    @property
    def blank(self) -> int:
        """Its blank records, those that the pass gave as rows among them."""

    @property
    def blank_rows(self) -> int:
        """The rows of `groups` in which every field is empty."""

    @property
    def torn(self) -> int:
        """Its records that are no rows, but for blank ones."""

    @property
    def set_aside(self) -> int:
        """Its records that were left out before the pass."""

    @property
    def guesses(self) -> tuple[str, ...]:
        """What was recognised rather than stated."""

    @property
    def warnings(self) -> tuple[str, ...]:
        """What the reader should know."""

    def find(self, date: str) -> str:
        """Where the first record of a date stands: "line 5"; empty where there is none."""

    def located(self, refusal: Refusal, date: Any, key: str) -> Refusal:
        """A refusal with the line of the first record of a date whose label, kept under a key, is its text."""

    def torn_records(self) -> list[Refusal]:
        """The first of its records that are no rows."""

    def refused(self, in_question: NDArray[Any], undated: NDArray[Any], no_date: str) -> list[Refusal]:
        """The first refused records, in their order.

        Parameters
        ----------
        in_question
            The dates whose records count, so that an unreadable amount refuses them.
        undated, no_date
            The dates that are none, and why.
        """

    def items(self, column: str) -> Iterable[str]:
        """The labels that occur in a column of conditions."""

    def ids(self, aggregate: Aggregate, starts: Days, inside: NDArray[np.bool_], table: IdTable) -> None:
        """Adds the ids of the records that count to those of other sources.

        Parameters
        ----------
        starts, inside
            The day of each distinct date, and whether its records count.
        """

    def label_rows(self) -> LabelRows | None:
        """All its rows by date and labels, where a label calls its row a total; None where none does."""

    def facts(self) -> list[Fact]:
        """What only the single records show: duplicates, zeros, signs, decimals."""
