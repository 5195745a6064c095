"""A text file rolled up by the engine, and checked against the records that its bytes hold.

Records are told apart in three ways, each of which is there for what the others miss:

- by the engine, which reads and sums them. It does not count blank lines, takes lines that a stray quote swallows for
  one record, and may lose its way where threads begin within runs of blank lines or fields of very many lines.
- by the bytes (`count_records`), beside the engine on the same cores: every quote opens or closes a field, a line end
  outside of quotes ends a record. It counts what the engine cannot, and sees swallowed lines, mixed line ends,
  another encoding, NULs and lines too long. It takes a quote within a field (``5" pipe``) for one that opens it.
- by Python's reader (`walk`), a hundred times slower, only where those two do not agree, a record seems endless or
  lines look swallowed: it tells such quotes apart, and its count decides. Where the engine's differs from that,
  nothing is read.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from functools import cached_property, partial
from pathlib import Path
from threading import Event
from typing import NamedTuple

import numpy as np

from logochron.core.book.intake import FEWER_FIELDS, MORE_FIELDS
from logochron.core.days import Days
from logochron.core.errors import IntakeError
from logochron.core.said import Said
from logochron.options import Reading
from logochron.sources.duckdb.connection import Engine
from logochron.sources.duckdb.engine_source import EngineSource, Malformed, blank_rows, first_row
from logochron.sources.duckdb.judge_amounts import judged_roll_up
from logochron.sources.duckdb.rollup import RollUp
from logochron.sources.duckdb.sql import (
    MOST_DECIMALS,
    Amount,
    DateColumn,
    Query,
    Summing,
    asked_of,
    date_of_texts,
    day_of_parts,
    quoted,
)
from logochron.sources.files.find_files import Source, fresh
from logochron.sources.files.headers import Placed, may_be_grouped, place_columns
from logochron.sources.files.text_prepare import NONE_KNOWN, Mends, TextFile, fields_of_text, prepare
from logochron.sources.files.text_records import (
    LongLine,
    Parting,
    Places,
    RecordCounts,
    Swallow,
    count_records,
    has_odd_stretch,
    mask_swallows,
    runs_by_bytes,
    shorten_lines,
    walk,
)
from logochron.sources.files.watched_columns import watching
from logochron.sources.rolled_source import ReadingSpec
from logochron.sources.values.amounts import settled, written_plainly
from logochron.sources.values.date_parts import part_of
from logochron.sources.values.dates import names_a_day, seconds_in

#: The engine reads text in pieces of so many bytes; in one piece up to so many.
_BUFFER, _MOST_BUFFER = 1 << 25, 1 << 30
_DECIMALS = re.compile(r"\s*[+-]?\d*(?:\.(\d*?)0*)?\s*")


class _Ready(NamedTuple):
    """A file that the engine can scan: what it is by its start, the copy to read, and what was left out of that."""

    text: TextFile
    path: Path
    long_lines: tuple[LongLine, ...] = ()
    swallows: tuple[Swallow, ...] = ()
    whole: bool = False  # read by one thread in one piece, which stretches without records do not confuse


@dataclass(frozen=True)
class _Pass:
    """What the bytes say, and what the engine has found, if nothing kept it from that."""

    ready: _Ready
    parting: Parting
    counted: RecordCounts
    rolled: RollUp | None = None
    said: tuple[str, ...] = ()
    malformed: tuple[Malformed, ...] = ()
    failure: IntakeError | None = None

    @property
    def rows(self) -> int:
        """The records that the engine has met: the file's own, but for empty ones."""
        return (int(self.rolled.groups.rows.sum()) if self.rolled else 0) + len(self.malformed)

    @cached_property
    def places(self) -> Places:
        """Where the file's records lie by its bytes."""
        return Places(partial(runs_by_bytes, self.ready.path))

    @cached_property
    def filled(self) -> int:
        """The file's records by its bytes, but for empty ones; gone through only where they are not all of them."""
        below = self.counted.records - self.ready.text.skip
        return below if self.rows == below else self.places.filled_below(self.ready.text.skip)


def scan_text(
    engine: Engine, source: Source, spec: ReadingSpec, folder: Path, *, as_it_is: bool = True
) -> EngineSource | None:
    """Roll up a text file, every record of it accounted for.

    Looked at, scanned, and once more where the bytes showed that it needs mending; then its records are reconciled.

    Parameters
    ----------
    as_it_is
        Else None is given where labels may stand once above their rows, which this reading does not see.

    Raises
    ------
    IntakeError
        Where the engine's rows and the file's records do not agree, or the file cannot be read at all.
    """
    names, stated = [name for _, name in spec.names()], spec.stated
    ready = _inspected(source, folder, stated, names, NONE_KNOWN)
    if not as_it_is and may_be_grouped([ready.text.column(i) for i in range(len(ready.text.header))]):
        return None
    done = _passed(engine, ready, spec)
    mends = done.counted.mends(recode=stated.encoding is None)
    underscores = done.counted.underscores > "".join(done.ready.text.header).count("_")
    if any(mends):
        done = _passed(engine, _inspected(source, folder, stated, names, mends), spec, underscores=underscores)
    elif underscores and not (done.rolled and done.rolled.query.underscores):
        done = _passed(engine, done.ready, spec, underscores=True)
    if not done.ready.whole and not _agreed(done):  # the engine may have lost its way in runs of blank lines
        again = _passed(engine, done.ready._replace(whole=True), spec, underscores=underscores)
        done = again if again.failure is None else done
    counted, places = _reconciled(done)
    if counted.swallows:
        whole, path = done.ready, fresh(folder, ".csv")
        mask_swallows(whole.path, path, counted.swallows)
        masked = whole._replace(path=path, swallows=tuple(counted.swallows))
        done = _passed(engine, masked, spec, underscores=underscores)
        counted, places = _reconciled(done)
    return _accounted(engine, done, counted, places, spec)


def _inspected(source: Source, folder: Path, stated: Reading, names: Sequence[str], mends: Mends) -> _Ready:
    """The file, mended as is known, lines too long to be read without their middle."""
    text = prepare(source, folder, stated, names, mends)
    if not has_odd_stretch(text.path, text.delimiter):
        return _Ready(text, text.path)
    # only its lines are looked at: what they swallow shows once the columns are known
    seen = count_records(text.path, Parting(text.delimiter, len(text.header), lambda fields: False))
    mends_needed = seen.mends(recode=stated.encoding is None)
    if any(mends_needed) and mends_needed != mends:
        return _inspected(source, folder, stated, names, mends_needed)
    if not seen.long_lines:
        return _Ready(text, text.path, whole=True)
    path = fresh(folder, ".csv")
    shorten_lines(text.path, path, seen.long_lines, text.delimiter, len(text.header))
    return _Ready(text, path, tuple(seen.long_lines), whole=True)


def _passed(engine: Engine, ready: _Ready, spec: ReadingSpec, *, underscores: bool = False) -> _Pass:
    """The engine's pass, and beside it that over the bytes."""
    text, path = ready.text, ready.path
    name = text.source.name
    spec = watching(spec, fields_of_text(text))
    placed = place_columns(name, spec.names(), text.header, text.hint)
    query, of_dates = _text_query(ready, spec, placed, underscores)

    def find(query: Query, expression: str, sought: str) -> str:
        malformed = tuple(bad.position for bad in _rejects(engine, text.delimiter))
        return first_row(engine, query, _FileLines(path, text.skip, malformed, None), expression, sought)

    parting, stop = _parting(text, spec, placed), Event()
    with ThreadPoolExecutor(1) as beside:
        counting = beside.submit(count_records, path, parting, stop)
        try:
            shown = [text.column(placed.at[amount.column]) for amount in query.amounts if amount.column]
            plain = all(map(written_plainly, shown))
            plans = _text_plans(text, placed, query.amounts)
            rolled, said = judged_roll_up(engine, name, query, plans, spec, find, plain=plain)
            malformed = () if rolled.sound else tuple(_rejects(engine, text.delimiter))
        except IntakeError as error:
            return _Pass(ready, parting, counting.result(), failure=error)  # maybe only for want of mending
        except BaseException:
            stop.set()
            raise
        return _Pass(ready, parting, counting.result(), rolled, (*placed.guesses, *of_dates, *said), malformed)


def _parting(text: TextFile, spec: ReadingSpec, placed: Placed) -> Parting:
    """A line is taken for a record where it has a date in the column of dates."""
    places = [placed.at[column] for column in spec.parts or (spec.date,)]

    def is_dated(fields: Sequence[str]) -> bool:
        shown = [fields[at] for at in places]
        if spec.parts:
            return all(part_of(column, [field]) for column, field in zip(spec.parts, shown))
        return bool(seconds_in(shown)) if spec.seconds else names_a_day(shown[0], spec.stated.date_format)

    return Parting(text.delimiter, len(text.header), is_dated)


def _agreed(done: _Pass) -> bool:
    """Whether the engine has met as many records as stand in the file, as far as its bytes tell."""
    unclear = done.failure is not None or done.counted.unsure or done.counted.swallows
    return bool(unclear) or done.rows == done.filled


def _reconciled(done: _Pass) -> tuple[RecordCounts, Places]:
    """The records by the bytes, where need be by Python's own reader; refused where the engine's are not as many.

    A pass that met swallowed lines is to be made again, and is not held against them.
    """
    if done.failure is not None:
        raise done.failure
    text, counted, places = done.ready.text, done.counted, done.places
    filled = None
    if counted.unsure or counted.swallows or done.rows != done.filled:
        counted, places = walk(done.ready.path, done.parting, text.source.name)
        filled = places.filled_below(text.skip)
    again = counted.swallows and not done.ready.swallows
    if not again and filled not in (None, done.rows):
        raise IntakeError(
            "{0}: its records cannot be told apart for certain: {1:,} stand below the header, "
            "the engine finds {2:,}{3}",
            text.source.name,
            filled,
            done.rows,
            _stray(counted),
        )
    if not again:
        counted = replace(counted, swallows=[])
    return counted, places


def _accounted(engine: Engine, done: _Pass, counted: RecordCounts, places: Places, spec: ReadingSpec) -> EngineSource:
    """The file with all its records."""
    assert done.rolled is not None
    ready, text = done.ready, done.ready.text
    lines = _FileLines(ready.path, text.skip, tuple(bad.position for bad in done.malformed), places)
    name = text.source.name
    return EngineSource(
        engine=engine,
        name=name,
        rolled=done.rolled,
        records=counted.records - text.skip,
        empty=counted.records - text.skip - done.rows,
        blank_rows=blank_rows(engine, done.rolled.query, done.rolled.groups),
        malformed=_with_swallows(done.malformed, lines, ready.swallows),
        guesses=(*text.guesses, *done.said),
        warnings=(*(f"{name}, {_too_long(line)}" for line in ready.long_lines),),
        lines=lines,
        columns=text.header,
        likely_labels=text.header,
        label_columns={name: column for name, column in spec.labels.items() if column in text.header},
        maybe_totals=text.maybe_totals,
    )


def _stray(counted: RecordCounts) -> str:
    lines, first, text = counted.longest
    return (
        Said("; look for a stray quote in line {0:,}: {1!r}, which runs on for {2:,} lines", first, text[:60], lines)
        if first
        else ""
    )


def _too_long(line: LongLine) -> str:
    return Said("line {0:,} has {1:,} bytes: read without its middle", line.line, line.end - line.start)


def text_call(text: TextFile, path: Path) -> str:
    """The engine's call, not closed, that scans a text file as columns of texts c0, c1, ..., failing on odd records."""
    columns = ", ".join(f"'c{i}': 'VARCHAR'" for i in range(len(text.header)))
    return (
        f"read_csv({quoted(str(path))}, columns={{{columns}}}, auto_detect=false, header=false, "
        f"skip={text.skip}, delim={quoted(text.delimiter)}, quote='\"', escape='\"', strict_mode=true, "
        "hive_partitioning=false"
    )


def _text_query(ready: _Ready, spec: ReadingSpec, placed: Placed, underscores: bool) -> tuple[Query, tuple[str, ...]]:
    text, path = ready.text, ready.path
    place = {name: f"c{i}" for name, i in placed.at.items()}
    strict = text_call(text, path)
    if ready.whole:
        strict += f", parallel=false, buffer_size={min(max(path.stat().st_size, _BUFFER), _MOST_BUFFER) + _BUFFER}"
    date = _text_date(text, spec, placed)

    def amount_of(column: str) -> Amount:
        at = place[column]
        return Amount("", column, at, at, True, maybe_grouped=not settled(text.column(placed.at[column])))

    query = Query(
        relation=f"{strict}, ignore_errors=true, store_rejects=true)",
        strict=f"{strict})",
        date_column=spec.date,
        date_text=date.as_it_stands,
        date=date.judged,
        all_fields=[f"c{i}" for i in range(len(text.header))],
        # looked for in the amounts only where the file holds any
        underscores=underscores or any("_" in field for row in text.sample for field in row),
        **asked_of(spec, place, amount_of),
    )
    return query, tuple(f"{text.source.name}: {said}" for said in date.said)


def _text_date(text: TextFile, spec: ReadingSpec, placed: Placed) -> DateColumn:
    """The date of a text file."""
    if spec.parts:
        columns = {column: f"c{placed.at[column]}" for column in spec.parts}
        date = day_of_parts(spec, columns, {column: text.column(placed.at[column]) for column in spec.parts})
        return DateColumn(date, date)
    at = placed.at[spec.date]
    return date_of_texts(f"c{at}", text.column(at), spec)


def _text_plans(text: TextFile, placed: Placed, amounts: Sequence[Amount]) -> dict[str, Summing]:
    """Sum at the scale that the first rows need."""
    plans = {}
    for amount in amounts:
        texts = text.column(placed.at[amount.column]) if amount.column else ()
        matches = map(_DECIMALS.fullmatch, texts)
        decimals = max((len(m[1] or "") for m in matches if m), default=0)
        plans[amount.key] = Summing("whole", min(decimals, MOST_DECIMALS))
    return plans


def _rejects(engine: Engine, delimiter: str) -> list[Malformed]:
    """The records that the engine refused in its last pass, once each."""
    reasons = {
        "MISSING COLUMNS": FEWER_FIELDS,
        "TOO MANY COLUMNS": MORE_FIELDS,
        "UNQUOTED VALUE": Said("a quote where none may stand"),
        "LINE SIZE OVER MAXIMUM": Said("a longer line than can be read"),
    }
    if not engine.has_table("reject_errors"):
        return []
    rows = engine.rows(
        "SELECT scan_id, line_byte_position, any_value(error_type::VARCHAR), any_value(csv_line) FROM reject_errors "
        "WHERE scan_id = (SELECT max(scan_id) FROM reject_errors) GROUP BY ALL ORDER BY 2",
        "the file",
    )
    return [
        # the engine counts bytes from 1, from the line feed before where lines end in two bytes
        Malformed(
            int(position),
            (line or "").strip("\r\n"),
            reasons.get(kind, kind.lower()),
            not (line or "").strip(" \t\r\n" + delimiter),
        )
        for _, position, kind, line in rows
    ]


@dataclass
class _FileLines:
    """Finds the physical lines of rows and malformed records; looks at the file only when asked."""

    path: Path
    skip: int
    malformed: tuple[int, ...]
    places: Places | None
    unit: str = "line"

    @cached_property
    def _places(self) -> Places:
        return self.places or Places(partial(runs_by_bytes, self.path))

    @cached_property
    def _malformed(self) -> tuple[Days, Days]:
        """The first bytes and the lines of the malformed records."""
        return self._places.holding(np.array(self.malformed, dtype=np.int64))

    def of_rows(self, rows: Days) -> Days:
        """The lines of the engine's rows, which are the records but for empty and malformed ones."""
        return self._places.lines_of_rows(rows, self.skip, self._malformed[0])

    def of_malformed(self) -> Days:
        """The lines of the malformed records."""
        return self._malformed[1]

    def flaw(self, line: int, column: str) -> str:
        """Nothing that a field of text does not show."""
        return ""

    def starts_of_malformed(self) -> Days:
        """The first bytes of the malformed records."""
        return self._malformed[0]


def _with_swallows(
    malformed: Sequence[Malformed], lines: _FileLines, swallows: Sequence[Swallow]
) -> tuple[Malformed, ...]:
    """The malformed records, swallowed ones told as such: the engine met them masked."""
    if not swallows:
        return tuple(malformed)
    swallowed = {swallow.start: swallow for swallow in swallows}
    swallows_met = (swallowed.get(int(start)) for start in lines.starts_of_malformed())
    return tuple(
        bad._replace(text=swallow.text, reason=swallow.reason, blank=False) if swallow else bad
        for bad, swallow in zip(malformed, swallows_met)
    )
