"""One source after the engine's pass: what is asked of it afterwards, and what only its single records show."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from itertools import islice
from typing import Any, NamedTuple, Protocol

import numpy as np
from numpy.typing import NDArray

from logochron.core.book.intake import EMPTY_AMOUNT, LISTED, Fact, Refusal, row_of
from logochron.core.book.measures import Aggregate
from logochron.core.days import Days
from logochron.core.said import Said
from logochron.core.total_labels import item_totalled
from logochron.sources.duckdb.connection import Engine
from logochron.sources.duckdb.count_ids import collect_ids
from logochron.sources.duckdb.rollup import RollUp
from logochron.sources.duckdb.sql import Query, inner, is_empty, quoted, texts_of
from logochron.sources.rolled_source import Groups, IdTable, LabelRows, Priced, why_undated
from logochron.sources.values.amounts import is_amount

_MEMORY = "1200MB"
#: So many columns are looked at together.
_AT_ONCE = 500
#: How many decimals an amount in plain writing has.
_PLACES = r"length(regexp_extract(r, '\.([0-9]*?)0*$', 1))"
#: Zeros are remarked where they are fewer than one in so many, decimals where finer than all but one in so many.
_RARE_ZEROS, _RARE_DECIMALS = 20, 50


#: Of more different labels than this nobody is asked whether they are totals.
MOST_LABELS = 100_000


def calls_totals(labels: NDArray[np.object_]) -> bool:
    """Whether a label calls its row a total."""
    if len(labels) > MOST_LABELS:
        return False
    return any(isinstance(text, str) and item_totalled(text) is not None for text in labels.tolist())


class Met(NamedTuple):
    """An oddity, and the rows that show it: told by a message of where they stand, and of what else it takes."""

    kind: str
    column: str
    many: int
    rows: tuple[int, ...]
    message: str = "{0}"
    more: tuple[str, ...] = ()

    def fact(self, places: Iterable[str]) -> Fact:
        """The same, told."""
        return Fact(self.kind, self.column, self.many, Said(self.message, *places, *self.more))


def duplicate_rows(engine: Engine, query: Query, name: str) -> list[Met]:
    """Rows that are the same in every field, blank ones left out."""
    fields = query.all_fields
    blank = " AND ".join(f"coalesce(trim({field}), '') = ''" for field in fields)
    # compared by 128 bits: rows that only seem the same are out of the question
    keys = f"hash({', '.join(fields)}) AS k, hash(0, {', '.join(reversed(fields))}) AS other"
    rows = f"SELECT row_number() OVER () AS rn, {keys}, {blank} AS blank FROM {query.relation}"
    same = (
        f"SELECT count(*) - 1 AS more, min(rn) AS rn, max(rn) AS again FROM ({rows}) WHERE NOT blank "
        "GROUP BY k, other HAVING count(*) > 1"
    )
    engine.run(f"SET memory_limit = '{_MEMORY}'", name)  # what is more goes to disk
    ((more, first, again),) = engine.rows(f"SELECT sum(more), min(rn), arg_min(again, rn) FROM ({same})", name)
    if not more:
        return []
    return [Met("duplicate rows", "", int(more), (again, first), "{0} is the same as {1}")]


def odd_amounts(engine: Engine, rolled: RollUp, name: str) -> list[Met]:
    """Zeros, negatives, and decimals finer than nearly all."""
    query = rolled.query
    summed = [amount for amount in query.amounts if amount.column]  # the others are counts
    sound = "keep"
    if not rolled.sound:  # rows with a flaw in any amount are found once
        flawed = f"SELECT rn FROM ({inner(query._replace(all_fields=[]), numbered=True)}) WHERE NOT ok"
        engine.run(f"CREATE OR REPLACE TEMP TABLE flawed AS {flawed}", name)
        sound = "keep AND rn NOT IN (SELECT rn FROM flawed)"
    met: list[Met] = []
    for start in range(0, len(summed), _AT_ONCE):
        some = query._replace(amounts=summed[start : start + _AT_ONCE], all_fields=[])
        met += _odd_of(engine, some, sound, name)
    return met


def _odd_of(engine: Engine, query: Query, sound: str, name: str) -> list[Met]:
    """What is odd about some amounts: all of a row laid below each other, in one pass."""
    places = range(len(query.amounts))

    def one_below_another(*texts: str) -> str:
        return ", ".join(f"unnest([{', '.join(text.format(i) for i in places)}]) AS {text[0]}" for text in texts)

    columns = one_below_another("y{}", "t{}", "o{}::VARCHAR", "r{}::VARCHAR")
    rows = (
        f"SELECT unnest([{', '.join(map(str, places))}]) AS a, rn, {columns} "
        f"FROM ({inner(query, numbered=True)}) WHERE {sound}"
    )
    amounts = f"SELECT *, {_PLACES} AS places FROM ({rows}) WHERE t"
    found = engine.rows(
        "SELECT a, count(*), count(*) FILTER (y = 0), min(rn) FILTER (y = 0), count(*) FILTER (y < 0), "
        "min(rn) FILTER (y < 0), arg_min(o, rn) FILTER (y < 0), map_entries(histogram(places)) "
        f"FROM ({amounts}) GROUP BY a ORDER BY a",
        name,
    )
    usual = {a: _usual_decimals({one["key"]: one["value"] for one in decimals}) for a, *_, decimals in found}
    finer = ", ".join(f"({a}, {limit})" for a, (limit, many) in usual.items() if many)
    shown: dict[int, tuple[int, str]] = {}
    if finer:
        told = engine.rows(
            f"SELECT a, min(rn), arg_min(o, rn) FROM ({amounts}) JOIN (VALUES {finer}) AS usual(a, most) USING (a) "
            "WHERE places > most GROUP BY a",
            name,
        )
        shown = {a: (row, text) for a, row, text in told}
    met = []
    for a, count, zeros, zero, negatives, negative, text, _ in found:
        column = query.amounts[a].column
        if is_rare_zero(zeros, count):
            met.append(Met("zero amounts", column, zeros, (zero,)))
        if negatives:
            met.append(Met("negative amounts", column, negatives, (negative,), "{0}: {1}", (text,)))
        if a in shown:
            met.append(Met("decimals", column, usual[a][1], shown[a][:1], "{0}: {1}", (shown[a][1],)))
    return met


def is_rare_zero(zeros: int, count: int) -> bool:
    """Whether zeros are few enough among amounts to be remarked."""
    return 0 < zeros * _RARE_ZEROS < count or (zeros > 0 and count < _RARE_ZEROS)


def _usual_decimals(counts: Mapping[int, int]) -> tuple[int, int]:
    """The decimals that nearly all amounts make do with, and how many amounts have more."""
    total = sum(counts.values())
    for usual in sorted(counts):
        finer = sum(n for places, n in counts.items() if places > usual)
        if finer * _RARE_DECIMALS < total:
            return usual, finer
    return 0, 0


_NAN = re.compile(r"\s*[+-]?nan\s*", re.IGNORECASE)


class Malformed(NamedTuple):
    """A record the engine could not split into its columns."""

    position: int  # a byte within the record
    text: str
    reason: str
    blank: bool


class SeveralFiles(Protocol):
    """Tells which of several files that were scanned as one a line is of."""

    @property
    def names(self) -> tuple[str, ...]:
        """What messages call them."""

    def place(self, line: int) -> tuple[str, int]:
        """The file of a line among all, and its line there."""


class Lines(Protocol):
    """Finds the physical lines of rows and of malformed records.

    `unit` is how a place is called: line, row.
    """

    unit: str

    def of_rows(self, rows: Days) -> Days:
        """The lines of the engine's rows, numbered from 1."""

    def of_malformed(self) -> Days:
        """The lines of the malformed records."""

    def flaw(self, line: int, column: str) -> str:
        """What is wrong with a field that its text does not show; empty where nothing is."""


@dataclass(frozen=True)
class EngineSource:
    """One source after its pass: its groups, its records, and how to find the lines of refused rows."""

    engine: Engine
    name: str
    rolled: RollUp
    records: int
    empty: int  # records the engine passes over
    blank_rows: int  # rows it gives in which every field is empty
    malformed: tuple[Malformed, ...] = ()
    guesses: tuple[str, ...] = ()
    warnings: tuple[str, ...] = ()
    set_aside: int = 0  # records left out before the pass
    cells: bool = False  # whether each row is a cell of a wide table, whose column the date names
    lines: Lines | None = None  # None: rows are told by their number
    files: SeveralFiles | None = None  # where several were scanned as one
    told_by: tuple[str, ...] = ()  # all columns, where no number tells a row
    columns: tuple[str, ...] = ()  # all columns
    likely_labels: tuple[str, ...] = ()  # those that seem to hold labels
    label_columns: Mapping[str, str] = field(default_factory=dict)  # those that rows are grouped by, by their names
    maybe_totals: bool = True  # whether a label may call its row a total

    @property
    def names(self) -> tuple[str, ...]:
        """What messages call its files."""
        return (self.name,) if self.files is None else self.files.names

    @property
    def unlined(self) -> bool:
        """Whether it is a frame, or a file of rows."""
        return self.lines is None

    @property
    def query(self) -> Query:
        """By what it was rolled up."""
        return self.rolled.query

    @property
    def groups(self) -> Groups:
        """Its records rolled up."""
        return self.rolled.groups

    @property
    def priced(self) -> tuple[Priced, ...]:
        """The currencies its amounts bear signs of."""
        return self.rolled.priced

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

    def find(self, date: str) -> str:
        """Where the first record of a date stands."""
        return first_row(self.engine, self.query, self.lines, self.query.date, date, self.files)

    def located(self, refusal: Refusal, date: Any, key: str) -> Refusal:
        """A refusal with the line of the first record of a date whose label, kept under a key, is its text."""
        label = f"coalesce({self.query.labels[key]}::VARCHAR, '')"
        of_label = f"CASE WHEN {label} = {quoted(refusal.text)} THEN {self.query.date} END"
        row = first_number(self.engine, self.query, of_label, str(date))
        if row is None:
            return refusal
        numbers = np.array([row], dtype=np.int64)
        line = int((numbers if self.lines is None else self.lines.of_rows(numbers))[0])
        found = replace(refusal, line=line, unit=self.unit)
        return found if self.files is None else _in_file(found, self.files)

    def items(self, column: str) -> Iterable[str]:
        """The labels that occur in a column of conditions."""
        sql = f"SELECT DISTINCT {self.query.conditions[column]} AS v FROM {self.query.relation} LIMIT 10000"
        return [str(label) for label in self.engine.arrays(sql)["v"]]

    def ids(self, aggregate: Aggregate, starts: Days, inside: NDArray[np.bool_], table: IdTable) -> None:
        """Adds the ids of the records that count."""
        collect_ids(self.rolled, aggregate, starts, inside, table)

    def label_rows(self) -> LabelRows | None:
        """All its rows by date and labels, where a label calls its row a total."""
        groups, spec_of = self.groups, self.label_columns
        known = {spec_of[name]: calls_totals(texts) for name, texts in groups.labels.items() if name in spec_of}
        dates = groups.dates.dtype == object and calls_totals(groups.dates)
        if not self.maybe_totals and not dates and not any(known.values()):
            return None
        from logochron.sources.duckdb.label_rows import Labelled, label_rows

        labelled = Labelled(self.columns, self.likely_labels, known, dates)
        return label_rows(self.engine, self.query, labelled, int(groups.rows.sum()), self.name)

    def facts(self) -> list[Fact]:
        """What only the single records show."""
        from logochron.sources.duckdb.engine_source import duplicate_rows, odd_amounts

        met = [*duplicate_rows(self.engine, self.query, self.name), *odd_amounts(self.engine, self.rolled, self.name)]
        # looked up together: each look goes through the file
        places = iter(_places(self.lines, [row for one in met for row in one.rows], self.files))
        return [one.fact(islice(places, len(one.rows))) for one in met]

    def torn_records(self) -> list[Refusal]:
        """The first malformed records with their physical lines."""
        if not self.torn or self.lines is None:
            return []
        torn = [
            Refusal(int(line), "", bad.text, bad.reason, self.name, self.unit)
            for bad, line in zip(self.malformed, self.lines.of_malformed())
            if not bad.blank
        ]
        return torn[:LISTED]

    def refused(self, in_question: NDArray[Any], undated: NDArray[Any], no_date: str) -> list[Refusal]:
        """The first refused records, in their order."""
        refusals = [*self._refused_rows(in_question, undated, no_date), *self.torn_records()]
        refusals.sort(key=lambda refusal: refusal.line)
        return refusals if self.files is None else [_in_file(refusal, self.files) for refusal in refusals]

    def _refused_rows(self, in_question: NDArray[Any], undated: NDArray[Any], no_date: str) -> list[Refusal]:
        query = self.query
        fields = ["rn", "dt", "date_text", *(f"o{i}::VARCHAR AS o{i}" for i in range(len(query.amounts)))]
        fields += [f"y{i}, k{i}" for i in range(len(query.amounts))]
        fields += [f"coalesce(f{i}, '') AS f{i}" for i in range(len(self.told_by))]
        tables = {"in_question": {"v": texts_of(in_question)}}
        wrong = ["dt IN (SELECT v FROM in_question) AND keep AND NOT ok"]
        suspected = "keep AND NOT ok"
        bad_dates = set(texts_of(undated))
        if bad_dates:
            tables["undated"] = {"v": texts_of(undated)}
            blank = " AND ".join(f"e{i}" for i in range(len(query.all_fields)))
            wrong.append(f"dt IN (SELECT v FROM undated) AND own AND NOT ({blank})")
            of_days = "d IS NULL" if all(date is None for date in undated) else "dt IN (SELECT v FROM undated)"
            suspected = f"({suspected}) OR {of_days}"
        rows = f"SELECT *, coalesce(d::VARCHAR, '') AS dt FROM ({inner(query, numbered=True)})"
        # what is dear, as are the texts of every field, is looked at of the rows that are left by what is cheap
        columns = self.engine.arrays(
            f"SELECT {', '.join(fields)} FROM (FROM ({rows}) WHERE {suspected}) "
            f"WHERE {' OR '.join(f'({one})' for one in wrong)} ORDER BY rn LIMIT {LISTED}",
            tables,
        )
        if not len(columns["rn"]):
            return []
        numbers = columns["rn"].astype(np.int64)
        lines = numbers if self.lines is None else self.lines.of_rows(numbers)
        refusals = []
        for i, line in enumerate(lines.tolist()):
            if columns["dt"][i] in bad_dates:
                text = columns["date_text"][i] or ""
                refusals.append(self._refusal(line, query.date_column, text, why_undated(text, no_date), columns, i))
                continue
            for j, amount in enumerate(query.amounts):
                text = columns[f"o{j}"][i] or ""
                if columns[f"k{j}"][i]:
                    continue
                column = columns["date_text"][i] if self.cells else amount.column
                flaw = "" if self.lines is None else self.lines.flaw(line, column)
                if reason := flaw or _why(text, columns[f"y{j}"][i], amount.form, query.empty_is_zero):
                    refusals.append(self._refusal(line, column, text, reason, columns, i))
                    break
        return refusals

    def _refusal(self, line: int, column: str, text: str, reason: str, rows: Mapping[str, Any], i: int) -> Refusal:
        """One of some rows, told by its other fields where no number tells it."""
        others = [(name, rows[f"f{n}"][i]) for n, name in enumerate(self.told_by) if name != column]
        return Refusal(line, column, text, reason, self.name, self.unit, row_of(others) if self.told_by else "")


def blank_rows(engine: Engine, query: Query, groups: Groups) -> int:
    """Rows in which every field is empty or spaces; only a row without a date can be one."""
    if not any(text is None or (isinstance(text, str) and not text.strip()) for text in groups.dates):
        return 0
    # the other fields are looked at only where there is no date
    others = " AND ".join(is_empty(sql) for sql in query.all_fields)
    blank = f"CASE WHEN {is_empty(f'{query.date_text}::VARCHAR')} THEN {others} ELSE false END"
    ((count,),) = engine.rows(f"SELECT count(*) FROM {query.relation} WHERE {blank}", "the source")
    return int(count)


def _in_file(refusal: Refusal, files: SeveralFiles) -> Refusal:
    """A refusal told by the file that its line is of."""
    name, line = files.place(refusal.line)
    return replace(refusal, file=name, line=line)


def first_row(
    engine: Engine, query: Query, lines: Lines | None, expression: str, text: str, files: SeveralFiles | None = None
) -> str:
    """Where the first row stands whose expression is a text: "line 5", or "row 3" of what has no lines."""
    number = first_number(engine, query, expression, text)
    return "" if number is None else _places(lines, [number], files)[0]


def first_number(engine: Engine, query: Query, expression: str, text: str) -> int | None:
    """The engine's number of the first row whose expression is a text; None where there is none."""
    numbered = f"SELECT row_number() OVER () AS rn, {expression} AS v FROM {query.relation}"
    sql = f"SELECT min(rn) FROM ({numbered}) WHERE coalesce(v::VARCHAR, '') = {quoted(text)}"
    ((number,),) = engine.rows(sql, "the source")
    return None if number is None else int(number)


def _places(lines: Lines | None, rows: Sequence[int], files: SeveralFiles | None) -> list[str]:
    """Where rows of the engine's stand."""
    numbers = np.array(rows, dtype=np.int64)
    places = (lines.of_rows(numbers) if lines is not None and rows else numbers).tolist()
    unit = "row" if lines is None else lines.unit
    if files is None:
        return [Said("{0} {1:,}", Said(unit), line) for line in places]
    return [Said("{0}, {1} {2:,}", name, Said(unit), line) for name, line in map(files.place, places)]


def _why(text: str, number: Any, form: str, empty_is_zero: bool) -> str:
    if not text.strip():
        return "" if empty_is_zero else EMPTY_AMOUNT
    if "_" in text or (np.isnan(number) and not _NAN.fullmatch(text)):
        if "%" in text:
            return Said("a percentage, which cannot be summed")
        return (
            Said("not a number {0} (decimal= and thousands= state it)", form)
            if form and is_amount(text)
            else Said("not a number")
        )
    return "" if np.isfinite(number) else Said("not a finite number")
