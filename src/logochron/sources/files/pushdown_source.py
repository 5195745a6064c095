"""A table rolled up where it lies: asked, its groups brought here, and what is asked of it afterwards."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import islice
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.book.filters import Condition
from logochron.core.book.intake import EMPTY_AMOUNT, LISTED, Fact, Refusal, row_of
from logochron.core.book.measures import Aggregate
from logochron.core.days import Days
from logochron.core.errors import IntakeError
from logochron.core.said import Said
from logochron.core.total_labels import item_totalled
from logochron.sources.duckdb.connection import Engine
from logochron.sources.duckdb.engine_source import is_rare_zero
from logochron.sources.duckdb.groups import groups_of
from logochron.sources.duckdb.rollup import LIMITS, MOST_SUM, RollUp
from logochron.sources.duckdb.sql import MOST_DECIMALS, Amount, Plans, Query, Summing, day_text, texts_of
from logochron.sources.files.find_files import Source
from logochron.sources.files.headers import SampleColumn, place_columns
from logochron.sources.files.typed_files import DAY_NUMBER, TypedTable, scan_typed
from logochron.sources.files.watched_columns import watching
from logochron.sources.pushdown.table import (
    SUMMED,
    Addend,
    FlawedRow,
    GroupSpec,
    PushdownTable,
    SourceColumn,
    by_place,
)
from logochron.sources.rolled_source import (
    FIRST_ROWS,
    NO_DAY,
    WATCHED,
    Groups,
    IdTable,
    LabelRows,
    Priced,
    ReadingSpec,
    RolledSource,
    nan_is_missing,
    why_undated,
)
from logochron.sources.values.dates import is_utc

#: What is said of what was recognised.
Remarks = tuple[str, ...]
_DATED = ("text", "day", "moment", "zoned", "loose", "whole")
#: Columns of more different texts among the first rows are no labels.
_MOST_LABELS = 400
#: The decimals that are tried one after the other where those of the first rows do not do.
_SCALES = (2, 4, MOST_DECIMALS)


def sample_pushdown(table: PushdownTable) -> list[SampleColumn]:
    """The columns of a table with the filled texts of its first rows."""
    rows = table.sample(FIRST_ROWS)
    kinds = dict.fromkeys(("day", "moment", "zoned"), "date") | dict.fromkeys(("whole", "decimal", "float"), "number")
    fields = list(zip(*rows)) if rows else [()] * len(table.columns)
    return [
        SampleColumn(
            column.name, tuple(f for f in texts if f is not None and f.strip()), kinds.get(column.kind, "text")
        )
        for column, texts in zip(table.columns, fields)
    ]


def scan_pushdown(engine: Engine, table: PushdownTable, spec: ReadingSpec) -> RolledSource:
    """Roll up a table where it lies; its records are brought here only where amounts are texts.

    Raises
    ------
    IntakeError
        Where a column holds what is no amount or no date, or the table cannot be read.
    """
    table.progress = engine.progress
    spec = watching(spec, sample_pushdown(table))
    columns = table.columns
    placed = place_columns(table.name, spec.names(), [column.name for column in columns])
    at_date = placed.at[(*spec.parts, spec.date)[0]]
    date = columns[at_date]
    if date.kind not in _DATED:
        raise IntakeError("{0}, column {1!r}: expected dates, found the type {2}", table.name, date.name, date.written)
    amounts = {aggregate.column: columns[placed.at[aggregate.column]] for aggregate in spec.summed if aggregate.column}
    for column in amounts.values():
        if column.kind not in (*SUMMED, "text"):
            raise IntakeError(
                "{0}, column {1!r}: expected amounts, found the type {2}", table.name, column.name, column.written
            )
    zone, of_zone = _zone(table, date, spec)
    groups = GroupSpec(
        date=at_date,
        labels=tuple(placed.at[column] for column in spec.labels.values()),
        where=by_place((*spec.where, *spec.aside), placed.at),
        numbers=(),
        named=tuple(dict.fromkeys((placed.at[column], label) for column, label in spec.named)),
        empty_is_zero=spec.empty_is_zero,
        cut=spec.times_cut,
        zone=zone,
        apart=spec.apart,
    )
    said = (*placed.guesses, *of_zone)
    stated = spec.writing.decimal is not None or spec.writing.thousands is not None
    put_together = spec.parts or spec.seconds  # what only the engine here does
    if not put_together and not any(
        column.kind == "text" or (stated and column.kind == "loose") for column in amounts.values()
    ):
        scales: dict[str, int | None] = {name: _first_scale(table, column) for name, column in amounts.items()}
        if (summed := _summed(table, spec, groups, scales, placed.at)) is not None:
            return _rolled(engine, table, spec, summed, placed.at, said)
    return _carried(engine, table, spec, groups, placed.at, said)


def _zone(table: PushdownTable, date: SourceColumn, spec: ReadingSpec) -> tuple[str, Remarks]:
    """The zone in which instants are turned into days, and what to say where nobody has stated it."""
    if date.kind != "zoned" or spec.stated.tz or date.zone:
        in_utc = date.kind == "zoned" and not spec.stated.tz and is_utc(date.zone)
        said = Said("{0}: the instants of column {1!r} count on their days in UTC (tz=, --tz)", table.name, date.name)
        return spec.stated.tz or date.zone or "UTC", (said,) if in_utc else ()
    line = Said(
        "{0}: the instants of column {1!r} have no zone written: taken in UTC (tz=, --tz)", table.name, date.name
    )
    return "UTC", (line,)


def _first_scale(table: PushdownTable, column: SourceColumn) -> int:
    """The decimals of a column by its type, or as it seems."""
    if column.kind == "whole":
        return 0
    if column.scale is not None:
        return min(column.scale, MOST_DECIMALS)
    return min(table.decimals(list(table.columns).index(column)), MOST_DECIMALS)


class _Summed(NamedTuple):
    """The groups as the table gave them, what it was asked for, and the sizes of all amounts of each number."""

    groups: GroupSpec
    columns: Mapping[str, NDArray[Any]]
    sizes: list[float]


def _summed(
    table: PushdownTable, spec: ReadingSpec, groups: GroupSpec, scales: Mapping[str, int | None], at: Mapping[str, int]
) -> _Summed | None:
    """The groups of a table, summed at scales that lose nothing; None where an amount is a text.

    Asked again where amounts turn out to be finer than their scale, or sums larger than can be held exactly.
    """
    numbers = tuple(
        Addend(
            at[aggregate.column] if aggregate.column else None,
            scales[aggregate.column] if aggregate.column else 0,
            by_place(spec.conditions_of(aggregate), at),
        )
        for aggregate in spec.summed
    )
    groups = groups._replace(numbers=numbers)
    columns = table.roll_up(groups)
    if any(columns[f"odd{i}"].any() for i in range(len(numbers))):
        return None
    of_groups = [columns[f"size{i}"].astype(np.float64) for i in range(len(numbers))]
    with np.errstate(over="ignore"):  # what is no finite number is told as such
        sizes = [float(size.sum()) for size in of_groups]
    serving = dict(scales)
    for i, (aggregate, number) in enumerate(zip(spec.summed, numbers)):
        if aggregate.column and number.scale is not None:
            finer, most = bool(columns[f"finer{i}"].any()), float(of_groups[i].max(initial=0.0))
            scale = _served(table, number, finer, sizes[i], most)
            so_far = serving[aggregate.column]  # of another measure of the column
            serving[aggregate.column] = None if scale is None or so_far is None else max(scale, so_far)
    return _Summed(groups, columns, sizes) if serving == scales else _summed(table, spec, groups, serving, at)


def _rolled(
    engine: Engine, table: PushdownTable, spec: ReadingSpec, summed: _Summed, at: Mapping[str, int], said: Remarks
) -> PushdownSource:
    """The groups of a table as those of any source."""
    groups, columns, sizes = summed
    query = _query(spec, groups)
    plans: Plans = {
        aggregate.key: Summing("float") if number.scale is None else Summing("whole", number.scale)
        for aggregate, number in zip(spec.summed, groups.numbers)
    }
    raw, judged = _summed_again(engine, table.name, columns, groups, query, spec)
    stats: dict[str, Any] = {f"size{i}": size for i, size in enumerate(sizes)}
    stats |= {f"empty{i}": int(columns[f"empty{i}"].sum()) for i in range(len(sizes))}
    place_of = {pair: f"q{i}" for i, pair in enumerate(groups.named)}
    stats["named"] = {(column, label): int(columns[place_of[at[column], label]].sum()) for column, label in spec.named}
    rolled = groups_of(engine, query, plans, stats)
    if table.nan_is_missing:
        said = *said, *(
            nan_is_missing(table.name, aggregate.column)
            for i, aggregate in enumerate(spec.summed)
            if aggregate.column and table.columns[at[aggregate.column]].kind == "float" and stats[f"empty{i}"]
        )  # fmt: skip
    undated = any(date is None or (isinstance(date, str) and not date.strip()) for date in rolled.dates)
    return PushdownSource(
        engine=engine,
        table=table,
        group_spec=groups,
        rolled=RollUp(query, rolled, sound=False),
        records=int(rolled.rows.sum()),
        blank_rows=table.blank_rows() if undated else 0,
        guesses=said,
        spec=spec,
        at=at,
        raw=raw,
        judged=judged,
    )


def _served(table: PushdownTable, number: Addend, finer: bool, size: float, most: float) -> int | None:
    """The scale to sum at: the one there is where it loses nothing, else the next, else none.

    `size` is that of all amounts together, `most` that of the largest group: doubles add up exactly within one.
    """
    assert number.place is not None and number.scale is not None
    exact = table.columns[number.place].kind in table.exact_kinds
    if not size < MOST_SUM or not (exact or most < LIMITS["whole"]):
        return None
    return next((scale for scale in _SCALES if scale > number.scale), None) if finer else number.scale


def _query(spec: ReadingSpec, groups: GroupSpec) -> Query:
    """What the groups are called in the engine."""
    return Query(
        relation="g",
        strict="g",
        date_column=spec.date,
        date_text="d",
        date="d",
        labels={name: f"h{i}" for i, name in enumerate(spec.labels)},
        conditions={},
        amounts=[Amount(aggregate.key, aggregate.column, "", "", False) for aggregate in spec.summed],
        all_fields=(),
        where=(*spec.where, *spec.aside),
        empty_is_zero=groups.empty_is_zero,
    )


def _summed_again(
    engine: Engine, name: str, columns: Mapping[str, NDArray[Any]], groups: GroupSpec, query: Query, spec: ReadingSpec
) -> tuple[NDArray[Any], NDArray[Any]]:
    """Lay the groups down as the table `g`, their dates judged as texts are elsewhere; each raw date, and that."""
    is_number = columns["d"].dtype.kind == "i"
    date = f"nullif(d, {NO_DAY})" if is_number else day_text("d", spec.stated.tz) if spec.times_cut else "d"
    keys = [*query.labels.values(), *(f"a{i}" for i in range(len(groups.numbers)) if groups.apart)]
    sums = ["sum(n)::BIGINT AS n", "sum(bad)::BIGINT AS bad"]
    given = {key: columns[key] for key in ("d", "keep", "n", "bad", *keys)}
    for i, number in enumerate(groups.numbers):
        whole = number.scale is not None
        given[f"below{i}"] = columns[f"below{i}"] > 0
        sums.append(f"bool_or(below{i}) AS below{i}")
        given[f"s{i}"] = _integers(columns[f"s{i}"]) if whole else columns[f"s{i}"].astype(np.float64)
        sums.append(f"sum(s{i})::HUGEINT AS s{i}" if whole else f"fsum(s{i}) AS f{i}")
    with engine.given({"came": given}):
        shown = ", ".join([f"{date} AS d", "keep", *keys, *sums])
        engine.run(f"CREATE OR REPLACE TEMP TABLE g AS SELECT {shown} FROM came GROUP BY ALL", name)
        pairs = engine.arrays(f"SELECT DISTINCT d AS raw, {date} AS judged FROM came")
    return pairs["raw"], pairs["judged"]


def _integers(values: NDArray[Any]) -> Days:
    """Whole numbers, of doubles or of the objects that a database gives."""
    if values.dtype == object:
        return np.fromiter((int(value) for value in values), np.int64, len(values))
    return values.astype(np.int64)


def _carried(
    engine: Engine,
    table: PushdownTable,
    spec: ReadingSpec,
    groups: GroupSpec,
    at: Mapping[str, int],
    said: Remarks,
) -> RolledSource:
    """The records of the wanted columns brought here, and rolled up by the engine as those of any file."""
    places = list(dict.fromkeys(at.values()))
    types = ["VARCHAR"] * len(places)
    carried, keys = engine.fresh_name("carried"), []
    for i, part in enumerate(table.bring(places, groups)):
        fields = part[: len(places)]
        if i == 0:
            types = [DAY_NUMBER if field.dtype.kind == "i" else "VARCHAR" for field in fields]
            definition = ", ".join(f"c{j} {'BIGINT' if kind == DAY_NUMBER else kind}" for j, kind in enumerate(types))
            engine.run(f"CREATE TEMP TABLE {carried} ({definition})", table.name)
        keys += part[len(places) :]
        shown = ", ".join(f"nullif(c{j}, {NO_DAY})" if t == DAY_NUMBER else f"c{j}" for j, t in enumerate(types))
        with engine.given({"part": {f"c{j}": field for j, field in enumerate(fields)}}):
            engine.run(f"INSERT INTO {carried} SELECT {shown} FROM part", table.name)
    if not engine.has_table(carried):
        definition = ", ".join(f"c{j} VARCHAR" for j in range(len(places)))
        engine.run(f"CREATE TEMP TABLE {carried} ({definition})", table.name)
    laid = TypedTable(
        relation=carried,
        header=[table.columns[place].name for place in places],
        columns=[f"c{j}" for j in range(len(places))],
        types=types,
        lines=KeyedRows(table.key or "row", np.concatenate(keys) if keys else None),
        numbered=bool(table.key),
        guesses=(*said, Said("{0}: amounts are texts there, so its records were brought here to be read", table.name)),
    )
    return scan_typed(engine, Source(Path(), "frame", table.name), laid, spec)


def _kept(labels: Mapping[str, NDArray[np.object_]], where: Sequence[Condition], many: int) -> NDArray[np.bool_]:
    """Which rows a filter takes, as far as its columns are among the labels."""
    kept = np.ones(many, dtype=bool)
    for column, taken, left_out in where:
        if column in labels:
            texts = np.array([text or "" for text in labels[column].tolist()], dtype=object)
            kept &= (np.isin(texts, taken) | (not taken)) & ~np.isin(texts, left_out)
    return kept


@dataclass
class KeyedRows:
    """Tells rows by their key in the table they came from."""

    unit: str
    keys: Days | None

    def of_rows(self, rows: Days) -> Days:
        """The keys of rows, numbered from 1."""
        return rows if self.keys is None else self.keys[rows - 1]

    def of_malformed(self) -> Days:
        """No row of a table is malformed."""
        return np.zeros(0, dtype=np.int64)

    def flaw(self, line: int, column: str) -> str:
        """Nothing that a field does not show."""
        return ""


@dataclass(frozen=True)
class PushdownSource:
    """A table after its roll-up where it lies."""

    engine: Engine
    table: PushdownTable
    group_spec: GroupSpec
    rolled: RollUp
    records: int
    blank_rows: int
    guesses: tuple[str, ...]
    spec: ReadingSpec
    at: Mapping[str, int]  # the places of the wanted columns
    raw: NDArray[Any]  # each different date as it came
    judged: NDArray[Any]  # and as it is judged
    torn = set_aside = 0
    unlined = True
    warnings: tuple[str, ...] = ()
    priced: tuple[Priced, ...] = ()

    @property
    def name(self) -> str:
        """What messages call it."""
        return self.table.name

    @property
    def names(self) -> tuple[str, ...]:
        """The same."""
        return (self.table.name,)

    @property
    def groups(self) -> Groups:
        """Its records rolled up."""
        return self.rolled.groups

    @property
    def blank(self) -> int:
        """Its blank rows."""
        return self.blank_rows

    @property
    def unit(self) -> str:
        """How the place of a row is called: the column of its key, or its place among those that cannot be read."""
        return self.table.key or "unreadable row"

    def find(self, date: str) -> str:
        """Where a record of a date stands."""
        raw = self.raw[[str(judged) == date for judged in self.judged]]
        row = next(self.table.flawed(self.group_spec._replace(numbers=()), raw), None) if len(raw) else None
        if row is None:
            return ""
        return f"{self.unit} {row.key:,}" if self.table.key else self._row(row, self.rolled.query.date_column)

    def located(self, refusal: Refusal, date: Any, key: str) -> Refusal:
        """As it is: single records are not looked for there."""
        return refusal

    def torn_records(self) -> list[Refusal]:
        """No row of a table is malformed."""
        return []

    def items(self, column: str) -> Iterable[str]:
        """The labels that occur in a column."""
        return self.table.labels(self.at[column])

    def ids(self, aggregate: Aggregate, starts: Days, inside: NDArray[np.bool_], table: IdTable) -> None:
        """Adds the ids of the records that count."""
        taken = by_place(self.spec.conditions_of(aggregate), self.at)
        came = self.table.ids(self.group_spec, self.at[aggregate.column], taken)
        labels = [sql for name, sql in self.rolled.query.labels.items() if not name.startswith(WATCHED)]
        ids = table.laid_down("came_ids", {name: came[name] for name in ("d", *labels, "id", "n")})
        dates = table.laid_down("came_dates", {"raw": self.raw, "judged": self.judged})
        shown = ", ".join(["judged AS d", *labels, "id", "n"])
        rows = f"SELECT {shown} FROM {ids} JOIN {dates} ON d IS NOT DISTINCT FROM raw"
        table.add(rows, labels, texts_of(self.groups.dates[inside]), starts[inside])

    def label_rows(self) -> LabelRows | None:
        """All rows by date and labels, where the first rows, or the labels asked for, call a row a total."""
        columns = sample_pushdown(self.table)
        met = {column.name: set(column.texts) for column in columns if column.kind == "text"}
        for name, texts in self.groups.labels.items():
            met.setdefault(self.spec.labels[name], set()).update(text for text in texts if text)
        if not any(item_totalled(text) is not None for texts in met.values() for text in texts):
            return None
        taken = {self.spec.date, *self.spec.parts, *(aggregate.column for aggregate in self.spec.summed)}
        places = {
            column.name: place
            for place, column in enumerate(columns)
            if column.name in met and column.name not in taken and len(met[column.name]) <= _MOST_LABELS
        }
        asked = self.group_spec._replace(labels=tuple(places.values()), where=(), named=())
        came = self.table.roll_up(asked)
        dates = came["d"]
        days = dates.dtype.kind == "i"
        labels = {name: came[f"h{i}"].astype(object) for i, name in enumerate(places)}
        return LabelRows(
            dates=np.array(
                ["" if d is None or (days and d == NO_DAY) else str(d) for d in dates.tolist()], dtype=object
            ),
            labels={name: np.array([text or "" for text in of.tolist()], dtype=object) for name, of in labels.items()},
            keep=_kept(labels, self.spec.where, len(dates)),
            rows=came["n"].astype(np.int64),
            sums=[came[f"s{i}"].astype(np.float64) for i, a in enumerate(self.spec.summed) if a.column],
        )

    def facts(self) -> list[Fact]:
        """What only the single records show, as far as it is cheap to ask."""
        facts = []
        if same := self.records - self.table.different_rows():
            facts.append(Fact("duplicate rows", "", same, ""))
        amounts = [amount for amount in self.rolled.query.amounts if amount.column]
        counted = int((self.groups.rows - self.groups.bad)[self.groups.keep].sum())
        for amount, (zeros, negatives, lowest) in zip(amounts, self.table.signs(self.group_spec)):
            if is_rare_zero(zeros, counted):
                facts.append(Fact("zero amounts", amount.column, zeros, ""))
            if negatives:
                facts.append(Fact("negative amounts", amount.column, negatives, Said("the lowest: {0:g}", lowest)))
        return facts

    def refused(self, in_question: NDArray[Any], undated: NDArray[Any], no_date: str) -> list[Refusal]:
        """The first refused records."""
        wrong, right = set(undated.tolist()), set(in_question.tolist())
        judged = dict(zip(self.raw.tolist(), self.judged.tolist()))
        none = np.array([raw for raw, date in judged.items() if date in wrong], dtype=self.raw.dtype)
        refusals = (self._refusal(row, judged.get(row.date, row.date), wrong, right, no_date) for row in
                self.table.flawed(self.group_spec, none))  # fmt: skip
        listed = list(islice((one for one in refusals if one is not None), LISTED))
        if self.table.key:
            return sorted(listed, key=lambda refusal: refusal.line)
        return [replace(refusal, line=i + 1) for i, refusal in enumerate(listed)]

    def _refusal(self, row: FlawedRow, date: Any, wrong: set[Any], right: set[Any], no_date: str) -> Refusal | None:
        """What is said of a row; nothing where it is only left out."""
        if date in wrong:
            text, column = row.date_text, self.rolled.query.date_column
            reason = why_undated(text, no_date)
            return Refusal(row.key, column, text, reason, self.name, self.unit, self._row(row, column))
        if not row.keep or date not in right:
            return None
        for amount, text, flaw in zip(self.rolled.query.amounts, row.amounts, row.flaws):
            if flaw:
                reason = Said("not a finite number") if text.strip() else EMPTY_AMOUNT
                told = self._row(row, amount.column)
                return Refusal(row.key, amount.column, text, reason, self.name, self.unit, told)
        return None

    def _row(self, row: FlawedRow, column: str) -> str:
        """A row told by what it holds beside a column, where it has no key."""
        names = [one.name for one in self.table.columns]
        return row_of((name, text) for name, text in zip(names, row.fields) if name != column) if row.fields else ""
