"""Tables whose columns have types: their roll-up, and rows carried into one."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import partial
from pathlib import Path
from typing import NamedTuple

import numpy as np

from logochron.core.days import Days
from logochron.core.errors import IntakeError
from logochron.core.said import Said
from logochron.sources.duckdb.connection import Engine
from logochron.sources.duckdb.engine_source import EngineSource, Lines, Malformed, blank_rows, first_row
from logochron.sources.duckdb.judge_amounts import judged_roll_up
from logochron.sources.duckdb.rollup import seen_plans
from logochron.sources.duckdb.sql import (
    MOST_DECIMALS,
    USUAL_DECIMALS,
    Amount,
    Query,
    Summing,
    asked_of,
    date_of_texts,
    day_number,
    day_of_parts,
    named,
    quoted,
)
from logochron.sources.files.find_files import Source, folder_keys
from logochron.sources.files.headers import Placed, SampleColumn, place_columns
from logochron.sources.files.joined_files import JoinedFiles
from logochron.sources.files.watched_columns import watching
from logochron.sources.rolled_source import FIRST_ROWS, ReadingSpec, nan_is_missing
from logochron.sources.values.amounts import Reach
from logochron.sources.values.dates import is_utc, seconds_in
from logochron.sources.values.labels import WHOLE, check_apart

#: So many rows, and so many fields, are laid into the table together.
_AT_ONCE, _FIELDS_AT_ONCE = 50_000, 1_000_000
#: The part that carrying has in a reading; the rest is the roll-up.
_CARRIED = 0.9


@dataclass
class RowTable:
    """Takes rows one by one and lays them into a table in runs.

    `header` may grow while rows come in; a row may be shorter than it.
    """

    engine: Engine
    name: str
    unit: str
    total: int = 0  # how much there is to carry, and how much is done, in any measure
    done: int = 0
    header: list[str] = field(default_factory=list)
    blank: int = 0
    torn: list[Malformed] = field(default_factory=list)
    torn_lines: list[int] = field(default_factory=list)
    flaws: dict[tuple[int, int], str] = field(default_factory=dict)  # by place and column, what a text does not show
    _lines: list[int] = field(default_factory=list)
    _rows: list[Sequence[str | None]] = field(default_factory=list)
    _held: int = 0  # fields in the rows that wait
    _made: int = -1

    def add(self, line: int, row: Sequence[str | None]) -> None:
        """One row, and where it stands."""
        self._lines.append(line)
        self._rows.append(row)
        self._held += len(row)
        if len(self._rows) >= _AT_ONCE or self._held >= _FIELDS_AT_ONCE:
            self._flush()

    def refuse(self, line: int, text: str, reason: str) -> None:
        """A record that is no row."""
        self.torn.append(Malformed(0, text, reason, False))
        self.torn_lines.append(line)

    def table(self, guesses: Sequence[str] = ()) -> TypedTable:
        """The table, once all rows are in."""
        self._flush()
        width = len(self.header)
        return TypedTable(
            f"(SELECT * EXCLUDE (place) FROM {self.name})" if width else self.name,
            self.header,
            [f"c{i}" for i in range(width)],
            ["VARCHAR"] * width,
            placed=self.name,
            lines=TableLines(self.engine, self.name, tuple(self.torn_lines), self.unit, self._named_flaws()),
            malformed=tuple(self.torn),
            empty=self.blank,
            guesses=tuple(guesses),
        )

    def _named_flaws(self) -> dict[tuple[int, str], str]:
        return {(line, self.header[at]): flaw for (line, at), flaw in self.flaws.items() if at < len(self.header)}

    def _flush(self) -> None:
        run = partial(self.engine.run, small=True)  # the rows that are done are told below
        if self._made < 0:
            named = "".join(f", c{i} VARCHAR" for i in range(len(self.header)))
            run(f"CREATE TABLE {self.name} (place BIGINT{named})", self.name)
            self._made = len(self.header)
        for i in range(self._made, len(self.header)):
            run(f"ALTER TABLE {self.name} ADD COLUMN c{i} VARCHAR", self.name)
        self._made = width = len(self.header)
        if not self._rows:
            return
        padded = [(*row, *[None] * (width - len(row))) if len(row) < width else row for row in self._rows]
        columns = {"place": np.array(self._lines, dtype=np.int64)}
        columns |= {f"c{i}": np.array(column, dtype=object) for i, column in enumerate(zip(*padded))}
        with self.engine.given({"carried_run": columns}):
            run(f"INSERT INTO {self.name} SELECT {', '.join(columns)} FROM carried_run", self.name)
        self._lines, self._rows, self._held = [], [], 0
        if self.total:
            self.engine.tell(_CARRIED * min(self.done / self.total, 1.0))


@dataclass
class TableLines:
    """The places of the rows of a carried table."""

    engine: Engine
    table: str
    torn: tuple[int, ...]
    unit: str
    flaws: Mapping[tuple[int, str], str] = field(default_factory=dict)

    def flaw(self, line: int, column: str) -> str:
        """What is wrong with a field that its text does not show; empty where nothing is."""
        return self.flaws.get((line, column), "")

    def of_rows(self, rows: Days) -> Days:
        """The places of rows, numbered from 1."""
        numbered = f"SELECT place, row_number() OVER () AS rn FROM {self.table}"
        sought = {"sought": {"rn": np.unique(rows)}}
        columns = self.engine.arrays(
            f"SELECT rn, place FROM ({numbered}) SEMI JOIN sought USING (rn) ORDER BY rn", sought
        )
        return np.asarray(columns["place"][np.searchsorted(columns["rn"], rows)], dtype=np.int64)

    def of_malformed(self) -> Days:
        """The places of the records that are no rows."""
        return np.array(self.torn, dtype=np.int64)


NUMBER = re.compile(r"DOUBLE|FLOAT|DECIMAL\(\d+,\d+\)|U?(TINY|SMALL|BIG|HUGE)?INT(EGER)?|BIGNUM")
_INSTANT = "TIMESTAMP WITH TIME ZONE"
_TEXT = ("VARCHAR", "ENUM", "JSON", "UUID", '"NULL"')
#: Of a Parquet file of at most so many bytes the texts may unpack to so many, or so many times what they take up, or
#: so many letters each.
_SMALL_FILE, _MOST_UNPACKED, _MOST_TIMES, _LONG_TEXT = 1 << 26, 1 << 28, 200, 100
#: What the engine calls the place of a row in a Parquet file, from 0.
_ROW = "file_row_number"
#: The type of a column that holds numbers of days since 1 January 1970.
DAY_NUMBER = "DAY NUMBER"


class DayKey(NamedTuple):
    """A column that rows are grouped by in place of one of dates, and the day number of such a group, `d`."""

    sql: str
    day: str


class TypedTable(NamedTuple):
    """A table: the engine's relation, and for each column its name, the engine's name, its type and zone.

    `lines` finds the places of its rows where they are not simply numbered; `malformed` and `empty` are records
    that are no rows of it, `set_aside` how many were left out before. `placed` is the relation with the place of
    each row; `date_text` the expression for a date as it stands, where the column does not hold it. `days` are
    cheaper columns to group by than columns of dates; `plain` tells of which texts a point is known to be no mark of
    thousands, `nan` are columns in which a missing number cannot be told from one that is none; `numbered` tells
    whether somebody can find a row by its number; `reach` is of the numbers of a column, in so many units of one.
    `quick`, `row_number`: see `Query`.
    """

    relation: str
    header: Sequence[str]
    columns: Sequence[str]
    types: Sequence[str]
    zones: Mapping[str, str] = {}
    lines: Lines | None = None
    malformed: tuple[Malformed, ...] = ()
    empty: int = 0
    guesses: tuple[str, ...] = ()
    set_aside: int = 0
    placed: str = ""
    date_text: str = ""
    days: Mapping[int, DayKey] = {}
    reach: Callable[[int, int], Reach | None] | None = None
    quick: bool = True
    row_number: str = "row_number() OVER ()"
    plain: Sequence[bool] = ()
    nan: frozenset[int] = frozenset()
    numbered: bool = True


def parquet_table(engine: Engine, source: Source, paths: Sequence[Path] = ()) -> TypedTable:
    """The columns of a Parquet file, or of several alike, with the engine's types.

    Folders such as ``year=2026`` make columns of text, where no file has one that is called so.

    Raises
    ------
    IntakeError
        Where the texts of a small file would unpack to more than any labels come to.
    """
    named_here = ", ".join(quoted(str(path)) for path in paths or (source.path,))
    if sum(path.stat().st_size for path in paths or (source.path,)) <= _SMALL_FILE:
        _check_unpacked(engine, source, named_here)
    relation = f"read_parquet([{named_here}], hive_partitioning=false)"
    columns, types = described(engine, relation, source.name)
    keys = set(folder_keys(source.path))
    if keys and keys.isdisjoint(columns):
        relation = f"read_parquet([{named_here}], hive_partitioning=true, hive_types_autocast=false)"
        columns, types = described(engine, relation, source.name)
    header = columns
    if len({column.casefold().removesuffix("_1") for column in columns}) < len(columns):
        # the engine gives a name of its own to a column that differs from another in case only
        header = _written_names(engine, source) or columns
    zones: dict[str, str] = {}
    if any(kind.startswith(_INSTANT) for kind in types):
        from logochron.sources.files.zones_written import zones_written

        zones = zones_written(engine, str(source.path), source.name)
    table = TypedTable(relation, header, [named(column) for column in columns], types, zones)
    if len(paths) < 2 and _ROW not in map(str.casefold, columns):  # the engine itself knows where a row stands
        table = table._replace(row_number=f"{_ROW} + 1")
    return table


def _check_unpacked(engine: Engine, source: Source, named_here: str) -> None:
    """Refuse texts that a file says are long, many times its size, and more than memory should hold."""
    about = (
        "SELECT path_in_schema, sum(total_uncompressed_size)::BIGINT, sum(total_compressed_size)::BIGINT, "
        f"sum(num_values)::BIGINT FROM parquet_metadata([{named_here}]) WHERE type = 'BYTE_ARRAY' GROUP BY ALL"
    )
    for column, size, packed, values in engine.rows(about, source.name):
        if size > max(_MOST_UNPACKED, _MOST_TIMES * packed, _LONG_TEXT * values):
            raise IntakeError(
                "{0}, column {1!r} unpacks to {2:,} MB, over {3} times its size: hardly sales; leave "
                "the column out, or split the file",
                source.name,
                column,
                size >> 20,
                _MOST_TIMES,
            )


def _written_names(engine: Engine, source: Source) -> list[str]:
    """The columns of a Parquet file as it writes them, where none holds others."""
    sql = f"SELECT name, coalesce(num_children, 0) FROM parquet_schema({quoted(str(source.path))})"
    _, *columns = engine.rows(sql, source.name)
    return [] if any(children for _, children in columns) else [str(name) for name, _ in columns]


def described(engine: Engine, relation: str, name: str) -> tuple[list[str], list[str]]:
    """The columns of a relation and their types."""
    rows = engine.rows(f"DESCRIBE SELECT * FROM {relation}", name)
    return [str(column) for column, *_ in rows], [str(kind) for _, kind, *_ in rows]


def scan_typed(
    engine: Engine, source: Source, table: TypedTable, spec: ReadingSpec, files: JoinedFiles | None = None
) -> EngineSource:
    """Roll up a table whose columns have types.

    Raises
    ------
    IntakeError
        Where a column holds what is no amount or no date.
    """
    shown = _texts_shown(engine, source, table)
    spec = watching(spec, shown)
    placed = place_columns(source.name, spec.names(), table.header)
    as_text = {name: as_label(table.columns[i], table.types[i]) for name, i in placed.at.items()}
    plans: dict[str, Summing] = {}
    guessed: list[str] = []

    def amount_of(column: str) -> Amount:
        sql, kind = table.columns[placed.at[column]], table.types[placed.at[column]]
        is_text = kind.startswith(_TEXT)
        if not is_text and not NUMBER.fullmatch(kind):
            raise IntakeError("{0}, column {1!r}: expected amounts, found the type {2}", source.name, column, kind)
        raw = f"{sql}::VARCHAR" if is_text else sql
        # a short float means the decimals it shows, not those of the double next to it
        number = f"{sql}::VARCHAR::DOUBLE" if kind == "FLOAT" else raw
        grouped = is_text and not (table.plain and table.plain[placed.at[column]])
        reach = partial(table.reach, placed.at[column]) if table.reach and not is_text else None
        return Amount("", column, raw, number, is_text, maybe_grouped=grouped, reach=reach)

    fields = asked_of(spec, as_text, amount_of)
    for amount in fields["amounts"]:
        kind = table.types[placed.at[amount.column]] if amount.column else "INT"
        decimal = re.match(r"DECIMAL\(\d+,(\d+)\)", kind)
        plans[amount.key] = Summing(
            "whole", min(int(decimal[1]), MOST_DECIMALS) if decimal else 0 if "INT" in kind else USUAL_DECIMALS
        )
        cents = amount.reach is not None and amount.reach(10**USUAL_DECIMALS) is not None
        if table.quick and not cents and kind in ("DOUBLE", "FLOAT"):
            guessed.append(amount.key)
    # labels of a few kinds are grouped as they lie, not as texts
    places = {name: placed.at[column] for name, column in spec.labels.items()}
    kinds = frozenset(name for name, at in places.items() if table.types[at].startswith("ENUM"))
    fields["labels"] |= {name: table.columns[places[name]] for name in kinds}
    date = _date(engine, source, spec, table, placed)
    query = Query(
        relation=table.relation,
        strict=table.relation,
        date_column=spec.date,
        date_text=table.date_text or (date.sql if spec.parts else f"{table.columns[placed.at[spec.date]]}::VARCHAR"),
        date=date.sql,
        date_key=date.key.sql,
        date_ends=date.ends,
        key_day=date.key.day,
        row_number=table.row_number,
        kinds=kinds,
        quick=table.quick,
        # the engine joins no statistics of several files, and none are of some rows only
        known=source.kind == "parquet" and files is None and not (spec.where or spec.aside),
        all_fields=[
            f"(DATE '1970-01-01' + {column}::INTEGER)::VARCHAR" if kind == DAY_NUMBER else f"{column}::VARCHAR"
            for column, kind in zip(table.columns, table.types)
        ],
        **fields,
    )

    def find(query: Query, expression: str, sought: str) -> str:
        return first_row(engine, query, table.lines, expression, sought)

    split = [*spec.dimensions.values(), *(aggregate.column for aggregate in spec.ids)]
    _check_apart(engine, source.name, table, {name: placed.at[name] for name in split})
    seen = seen_plans(engine, query, plans, guessed, source.name)
    rolled, said = judged_roll_up(engine, source.name, query, seen, spec, find, plain=True)
    said += tuple(
        nan_is_missing(source.name, amount.column)
        for amount in rolled.query.amounts
        if amount.column and placed.at[amount.column] in table.nan and rolled.groups.aggregates[amount.key].empties
    )
    return EngineSource(
        engine=engine,
        name=source.name,
        rolled=rolled,
        records=int(rolled.groups.rows.sum()) + len(table.malformed) + table.empty + table.set_aside,
        empty=table.empty,
        blank_rows=blank_rows(engine, rolled.query, rolled.groups),
        set_aside=table.set_aside,
        cells=bool(table.date_text),
        malformed=table.malformed,
        guesses=(*table.guesses, *placed.guesses, *date.said, *said),
        columns=tuple(table.header),
        likely_labels=tuple(column.name for column in shown if occur_again(column.texts)),
        label_columns={name: table.header[placed.at[column]] for name, column in spec.labels.items()},
        lines=table.lines,
        files=files,
        told_by=() if table.numbered else tuple(table.header),
    )


def _texts_shown(engine: Engine, source: Source, table: TypedTable) -> list[SampleColumn]:
    """The first fields of the columns of text."""
    texts = {name: sql for name, sql, kind in zip(table.header, table.columns, table.types) if kind.startswith(_TEXT)}
    fields = first_fields(engine, table, texts.values(), source.name)
    return [SampleColumn(name, tuple(filter(str.strip, of))) for name, of in zip(texts, fields)]


def first_fields(engine: Engine, table: TypedTable, columns: Iterable[str], name: str) -> list[tuple[str, ...]]:
    """The fields of the first rows of a table, column by column, as texts: empty where there is none.

    Parameters
    ----------
    columns
        The expressions that are shown.
    """
    shown = [f"coalesce({sql}::VARCHAR, '')" for sql in columns]
    if not shown:
        return []
    rows = engine.rows(f"SELECT {', '.join(shown)} FROM {table.relation} LIMIT {FIRST_ROWS}", name)
    return list(zip(*rows)) if rows else [()] * len(shown)


def occur_again(texts: Sequence[str]) -> bool:
    """Whether texts seem to be labels: few different ones, or of a short table."""
    return len(texts) <= _SHORT or 2 * len(set(texts)) <= len(texts)


#: Of so few rows every text may be a label.
_SHORT = 200


def as_label(column: str, kind: str) -> str:
    """A column as labels: a whole number that lies as a double as a whole number, a time without a zone of its own."""
    text = f"{column}::TIME::VARCHAR" if kind == "TIME WITH TIME ZONE" else f"{column}::VARCHAR"
    return f"regexp_replace({text}, {quoted(WHOLE)}, '')" if kind in ("DOUBLE", "FLOAT") else text


def _check_apart(engine: Engine, name: str, table: TypedTable, places: Mapping[str, int]) -> None:
    """Refuse labels and ids that a table may have made the same."""
    for column, place in places.items():
        sql = table.columns[place]
        if table.types[place] == "DOUBLE":
            finite = f"FILTER (isfinite({sql}))"
            about = f"count(*) > count({sql}), bool_and({sql} = trunc({sql})) {finite}, max(abs({sql})) {finite}"
            ((missing, whole, largest),) = engine.rows(f"SELECT {about} FROM {table.relation}", name)
            check_apart(name, column, bool(missing), bool(whole), largest or 0.0)


class _Date(NamedTuple):
    """The engine's expression for a date, what rows are grouped by where that is cheaper, and what was recognised.

    `ends` has its least and greatest on the first and last day.
    """

    sql: str
    key: DayKey = DayKey("", "")
    said: tuple[str, ...] = ()
    ends: str = ""


def _date(engine: Engine, source: Source, spec: ReadingSpec, table: TypedTable, placed: Placed) -> _Date:
    """The day number of a date, or its text."""
    if spec.parts:
        texts = {part: as_label(table.columns[placed.at[part]], table.types[placed.at[part]]) for part in spec.parts}
        shown = first_fields(engine, table, texts.values(), source.name)
        return _Date(day_of_parts(spec, texts, dict(zip(texts, shown))))
    at = placed.at[spec.date]
    name, kind = table.columns[at], table.types[at]
    if kind == DAY_NUMBER:
        return _Date(name)
    is_text = kind.startswith(_TEXT)
    if is_text or NUMBER.fullmatch(kind):
        text = f"{name}::VARCHAR" if is_text else as_label(name, kind)
        (fields,) = first_fields(engine, table, [text], source.name)
        if is_text or spec.seconds or seconds_in(fields):
            date = date_of_texts(text, fields, spec, cut=is_text)
            return _Date(date.judged, said=tuple(f"{source.name}: {said}" for said in date.said))
    day, said, ends = f"{name}::DATE", "", name
    if kind.startswith(_INSTANT):
        zone, said = _zone(engine, source, spec, table, table.header[at])
        day, ends = f"{local_time(name, zone)}::DATE", ""
    if kind.startswith(("TIMESTAMP", "DATE")):
        key = table.days.get(at, DayKey(day, day_number("d")))
        return _Date(day_number(day), key, (said,) if said else (), ends)
    if NUMBER.fullmatch(kind):  # 20261018, or a day of a spreadsheet
        return _Date(
            f"CASE WHEN {name} = round({name}) THEN TRY_CAST({name} AS BIGINT)::VARCHAR ELSE {name}::VARCHAR END"
        )
    raise IntakeError("{0}, column {1!r}: expected dates, found the type {2}", source.name, spec.date, kind)


def _zone(engine: Engine, source: Source, spec: ReadingSpec, table: TypedTable, column: str) -> tuple[str, str]:
    """The zone in which instants are turned into days, and what to say where nobody has stated it."""
    if spec.stated.tz:
        return spec.stated.tz, ""
    written = table.zones.get(column, "")
    if written and source.kind == "frame" and not is_utc(written):
        return written, ""  # its column bears the zone
    line = Said("{0}: the instants of column {1!r}", source.name, column)
    if written and (_offset(written) or written in engine.zones):
        whose = "" if source.kind == "frame" else Said(", as the file has it")
        return written, Said("{0} counted on their days in {1}{2} (tz=, --tz)", line, written, whose)
    return "UTC", Said("{0} have no zone written: taken in UTC (tz=, --tz)", line)


def local_time(sql: str, zone: str) -> str:
    """A zoned timestamp in the time of a zone, which may be an offset such as ``UTC+02:00``."""
    offset = _offset(zone)
    if not offset:
        return f"({sql} AT TIME ZONE {quoted(zone)})"
    minutes = int(offset[1] + "1") * (int(offset[2]) * 60 + int(offset[3]))
    return f"(({sql} AT TIME ZONE 'UTC') + INTERVAL ({minutes}) MINUTE)"


def _offset(zone: str) -> re.Match[str] | None:
    return re.fullmatch(r"(?:UTC)?([+-])(\d\d):?(\d\d)", zone)


def sample_of_table(engine: Engine, source: Source, table: TypedTable) -> list[SampleColumn]:
    """The columns of a table with types."""
    columns = []
    for name, kind, fields in zip(table.header, table.types, first_fields(engine, table, table.columns, source.name)):
        simple = "date" if kind.startswith(("DATE", "TIMESTAMP")) else "number" if NUMBER.fullmatch(kind) else "text"
        columns.append(SampleColumn(name, tuple(filter(str.strip, fields)), simple))
    return columns
