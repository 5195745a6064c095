"""One source after its pass, whatever its kind: its groups, its blank and its refused rows."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any, NamedTuple, Protocol

import numpy as np
from numpy.typing import NDArray

from logochron.core.book.filters import Condition
from logochron.core.book.formulas import RECORDS, Leaf
from logochron.core.book.intake import LISTED, Refusal
from logochron.core.days import Days
from logochron.core.total_labels import is_total
from logochron.sources.engine.connection import Engine
from logochron.sources.engine.rollup import roll_up
from logochron.sources.engine.sql import Amount, Groups, Plan, Query, condition, inner, is_empty, quoted
from logochron.sources.kinds.find_files import Source
from logochron.sources.values.amounts import Stated, is_amount, judge

_NAN = re.compile(r"\s*[+-]?nan\s*", re.IGNORECASE)


#: What the column of periods is called in the table that a wide one is laid out as.
PERIOD = "the period's column"


class Wanted(NamedTuple):
    """What is wanted of every source: columns by the names of the user's call."""

    date: str
    dimensions: Mapping[str, str]  # name -> column
    leaves: tuple[Leaf, ...]  # all that the measures sum and count
    where: tuple[Condition, ...]
    empty_is_zero: bool
    tz: str | None = None
    times_cut: bool = True  # dates lose their time in the engine, where no form of the user's reads it
    writing: Stated = Stated()
    apart: bool = False  # one group an amount, not only one a day and item

    @property
    def summed(self) -> tuple[Leaf, ...]:
        """What single records are looked at for: amounts, and records of some rows only."""
        return tuple(leaf for leaf in self.leaves if leaf.counts != "ids" and leaf.key != RECORDS)

    @property
    def ids(self) -> tuple[Leaf, ...]:
        """What distinct ids are counted for."""
        return tuple(leaf for leaf in self.leaves if leaf.counts == "ids")

    @property
    def conditions(self) -> tuple[Condition, ...]:
        """All conditions on rows, those of single measures too, by the columns of the source."""
        return tuple(dict.fromkeys((*self.where, *(c for leaf in self.leaves for c in self.conditions_of(leaf)))))

    def conditions_of(self, leaf: Leaf) -> tuple[Condition, ...]:
        """The conditions of a leaf, by the columns of the source: it may use the new name of a dimension."""
        return tuple(c._replace(column=self.dimensions.get(c.column, c.column)) for c in leaf.where)

    def names(self) -> list[tuple[str, str]]:
        """The wanted columns, each with the option that names it."""
        named = [("date", self.date), *(("values", leaf.column) for leaf in self.summed if leaf.column)]
        named += [("by", column) for column in self.dimensions.values()]
        named += [("where", condition.column) for condition in self.where]
        named += [("measures", leaf.column) for leaf in self.ids]
        named += [("measures", c.column) for leaf in self.leaves for c in self.conditions_of(leaf)]
        return list(dict.fromkeys(named))

    def asked(self, texts: Mapping[str, str], made: Callable[[str], Amount]) -> dict[str, Any]:
        """What of a `Query` is the same for every kind of source.

        Parameters
        ----------
        texts
            The engine's expression for each wanted column as text.
        made
            The amount of a column, without its key and the rows it takes.
        """
        conditions = {c.column: f"coalesce({texts[c.column]}, '')" for c in self.conditions}

        def taken(leaf: Leaf) -> str:
            return condition(self.conditions_of(leaf), conditions)

        amounts = []
        for leaf in self.summed:
            amount = made(leaf.column) if leaf.column else Amount("", "", "1", "1", False)
            amounts.append(amount._replace(key=leaf.key, taken=taken(leaf) if leaf.where else ""))
        return {
            "labels": {name: texts[column] for name, column in self.dimensions.items()},
            "conditions": conditions,
            "amounts": amounts,
            "where": self.where,
            "named": self.conditions,
            "ids": {leaf.key: (texts[leaf.column], taken(leaf)) for leaf in self.ids},
            "empty_is_zero": self.empty_is_zero,
            "apart": self.apart,
        }


class Malformed(NamedTuple):
    """A record the engine could not split into its columns."""

    position: int  # a byte within the record
    text: str
    reason: str
    blank: bool


class Lines(Protocol):
    """Finds the physical lines of rows and of malformed records.

    `unit` is how a place is called: line, row.
    """

    unit: str

    def of_rows(self, rows: Days) -> Days:
        """The lines of the engine's rows, numbered from 1."""

    def of_malformed(self) -> Days:
        """The lines of the malformed records."""


@dataclass(frozen=True)
class Scanned:
    """One source after its pass: its groups, its records, and how to find the lines of refused rows."""

    source: Source
    query: Query
    groups: Groups
    records: int
    empty: int  # records the engine passes over
    blank_rows: int  # rows it gives in which every field is empty
    malformed: tuple[Malformed, ...] = ()
    guesses: tuple[str, ...] = ()
    warnings: tuple[str, ...] = ()
    set_aside: int = 0  # records set aside before the pass
    cells: bool = False  # whether each row is a cell of a wide table, whose column the date names
    lines: Lines | None = None  # None: rows are told by their number

    @property
    def unit(self) -> str:
        """How a record's place is called."""
        return "row" if self.lines is None else self.lines.unit

    @property
    def torn(self) -> int:
        """The malformed records but for those of spaces and delimiters only."""
        return sum(not bad.blank for bad in self.malformed)

    @property
    def blank(self) -> int:
        """All blank records."""
        return self.empty + self.blank_rows + len(self.malformed) - self.torn


def blank_rows(engine: Engine, query: Query, groups: Groups) -> int:
    """Rows in which every field is empty or spaces; only a row without a date can be one."""
    if not any(text is None or (isinstance(text, str) and not text.strip()) for text in groups.dates):
        return 0
    blank = " AND ".join(is_empty(sql) for sql in query.all_fields)
    ((found,),) = engine.connection.execute(f"SELECT count(*) FROM {query.relation} WHERE {blank}").fetchall()
    return int(found)


def first_row(engine: Engine, query: Query, lines: Lines | None, expression: str, text: str) -> str:
    """Where the first row stands whose expression is a text: "line 5", or "row 3" of what has no lines."""
    numbered = f"SELECT row_number() OVER () AS rn, {expression} AS v FROM {query.relation}"
    sql = f"SELECT min(rn) FROM ({numbered}) WHERE coalesce(v::VARCHAR, '') = {quoted(text)}"
    ((number,),) = engine.connection.execute(sql).fetchall()
    if number is None:
        return ""
    if lines is None:
        return f"row {number:,}"
    return f"{lines.unit} {int(lines.of_rows(np.array([number]))[0]):,}"


def judged_roll_up(
    engine: Engine,
    source: Source,
    query: Query,
    plans: Mapping[str, Plan],
    wanted: Wanted,
    lines: Callable[[Query], Lines | None],
    *,
    plain: bool,
) -> tuple[Query, Groups, tuple[str, ...]]:
    """The roll-up, with the writing of text amounts judged where it must be, and what was recognised of it.

    Parameters
    ----------
    lines
        Finds the places of rows, should a message need them.
    plain
        Whether the amounts seem to need no reading; else they are judged before the first pass.
    """
    said: list[str] = []

    def judged(query: Query, plans: Mapping[str, Plan]) -> tuple[Query, Mapping[str, Plan]]:
        def find(expression: str, sought: str) -> str:
            return first_row(engine, query, lines(query), expression, sought)

        asked, bettered, guesses = judge(engine, query, plans, wanted.writing, source.name, find)
        said.extend(guesses)
        return asked, bettered

    if plain and wanted.writing == Stated():
        query, groups = roll_up(engine, query, plans, source.name, judged)
    else:
        query, groups = roll_up(engine, *judged(query, plans), source.name)
    return query, groups, tuple(said)


def total_warning(source: Source, label: str, wanted: Wanted) -> tuple[str, ...]:
    """What to say of a row that calls itself a total, where nothing leaves it out or takes it on purpose."""
    named = {name for one in wanted.conditions for name in (*one.taken, *one.left_out)}
    if not label or label in named:
        return ()
    return (f"{source.name}: a row calls itself {label!r}: if it adds up others they count twice",)


def malformed_rows(scanned: Scanned) -> list[Refusal]:
    """The first malformed records with their physical lines."""
    if not scanned.torn or scanned.lines is None:
        return []
    torn = [
        Refusal(int(line), "", bad.text, bad.reason, scanned.source.name, scanned.unit)
        for bad, line in zip(scanned.malformed, scanned.lines.of_malformed())
        if not bad.blank
    ]
    return torn[:LISTED]


def refused_rows(
    engine: Engine, scanned: Scanned, in_question: NDArray[Any], undated: NDArray[Any], no_date: str
) -> list[Refusal]:
    """The first refused rows of a source, with their lines.

    Parameters
    ----------
    in_question
        The dates (as the engine gives them) whose rows count, so that an unreadable amount refuses them.
    undated
        The dates that are none.
    no_date
        Why they are none.
    """
    query = scanned.query
    fields = ["rn", "dt", "date_text", *(f"o{i}::VARCHAR AS o{i}" for i in range(len(query.amounts)))]
    fields += [f"y{i}, k{i}" for i in range(len(query.amounts))]
    blank = " AND ".join(f"e{i}" for i in range(len(query.all_fields)))
    tables = {"in_question": {"v": texts_of(in_question)}, "undated": {"v": texts_of(undated)}}
    rows = f"SELECT *, coalesce(d::VARCHAR, '') AS dt FROM ({inner(query, numbered=True)})"
    no_day = f"dt IN (SELECT v FROM undated) AND NOT ({blank})"
    no_amount = "dt IN (SELECT v FROM in_question) AND keep AND NOT ok"
    found = engine.arrays(
        f"SELECT {', '.join(fields)} FROM ({rows}) WHERE ({no_day}) OR ({no_amount}) ORDER BY rn LIMIT {LISTED}", tables
    )
    if not len(found["rn"]):
        return []
    numbers = found["rn"].astype(np.int64)
    lines = numbers if scanned.lines is None else scanned.lines.of_rows(numbers)
    bad_dates = set(texts_of(undated))
    refusals = []
    for i, line in enumerate(lines):
        if found["dt"][i] in bad_dates:
            text = found["date_text"][i] or ""
            reason = no_date if text.strip() else "no date"
            if is_total(text):
                reason = "a total, it seems, and no date"
            refusals.append(Refusal(int(line), query.date_column, text, reason, scanned.source.name, scanned.unit))
            continue
        for j, amount in enumerate(query.amounts):
            text = found[f"o{j}"][i] or ""
            reason = "" if found[f"k{j}"][i] else _why(text, found[f"y{j}"][i], amount.form, query.empty_is_zero)
            if reason:
                column = found["date_text"][i] if scanned.cells else amount.column
                refusals.append(Refusal(int(line), column, text, reason, scanned.source.name, scanned.unit))
                break
    return refusals


def texts_of(dates: NDArray[Any]) -> NDArray[np.object_]:
    """Dates as the engine's texts of them."""
    return np.array(["" if date is None else str(date) for date in dates], dtype=object)


def _why(text: str, number: Any, form: str, empty_is_zero: bool) -> str:
    if not text.strip():
        return "" if empty_is_zero else "an empty amount (empty='zero' takes it as 0)"
    if text.startswith("=") and "(cell " in text:
        return "a formula whose value is not kept: open the workbook, calculate and save it"
    if "_" in text or (np.isnan(number) and not _NAN.fullmatch(text)):
        if "%" in text:
            return "a percentage, which cannot be summed"
        return f"not a number {form} (decimal= and thousands= state it)" if form and is_amount(text) else "not a number"
    return "" if np.isfinite(number) else "not a finite number"
