"""A text file rolled up by the engine, and checked against the records that its bytes hold."""

from __future__ import annotations

import re
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from pathlib import Path
from typing import NamedTuple

import numpy as np

from logochron.core.days import Days
from logochron.core.errors import IntakeError
from logochron.sources.engine.connection import Engine
from logochron.sources.engine.engine_scan import EngineScan, Malformed, blank_rows, first_row, total_warning
from logochron.sources.engine.judge_amounts import judged_roll_up
from logochron.sources.engine.rollup import Rolled
from logochron.sources.engine.sql import MOST_DECIMALS, Amount, Query, Summing, asked_of, day_text, quoted
from logochron.sources.kinds.find_files import Dialect, Source, fresh
from logochron.sources.kinds.headers import Placed, place_columns
from logochron.sources.kinds.text_bytes import (
    LongLine,
    Places,
    Scan,
    Swallow,
    has_long_line,
    mask_swallows,
    record_places,
    scan,
    shorten_lines,
    walk,
)
from logochron.sources.kinds.text_prepare import NONE_KNOWN, Mends, TextFile, prepare
from logochron.sources.scanned import Wanted
from logochron.sources.values.amounts import settled, written_plainly
from logochron.sources.values.dates import has_time

_DECIMALS = re.compile(r"\s*[+-]?\d*(?:\.(\d*?)0*)?\s*")


class _Ready(NamedTuple):
    """A file that the engine can scan: what it is by its start, the copy to read, and what was left out of that."""

    text: TextFile
    path: Path
    long_lines: tuple[LongLine, ...] = ()
    swallows: tuple[Swallow, ...] = ()


class _Pass(NamedTuple):
    """What the bytes say, and what the engine has found, if nothing kept it from that."""

    ready: _Ready
    counted: Scan
    rolled: Rolled | None = None
    said: tuple[str, ...] = ()
    malformed: tuple[Malformed, ...] = ()
    failure: IntakeError | None = None

    @property
    def rows(self) -> int:
        """The records that the engine has met: the file's own, but for empty ones."""
        return (int(self.rolled.groups.rows.sum()) if self.rolled else 0) + len(self.malformed)


def scan_text(engine: Engine, source: Source, wanted: Wanted, folder: Path, dialect: Dialect) -> EngineScan:
    """Roll up a text file, every record of it accounted for.

    Looked at, scanned, and once more where the bytes showed that it needs mending; then its records are reconciled.

    Raises
    ------
    IntakeError
        Where the engine's rows and the file's records do not agree, or the file cannot be read at all.
    """
    names = [name for _, name in wanted.names()]
    done = _passed(engine, _inspected(source, folder, dialect, names, NONE_KNOWN), wanted)
    mends = done.counted.mends(recode=dialect.encoding is None)
    underscores = done.counted.underscores > "".join(done.ready.text.header).count("_")
    if any(mends):
        done = _passed(engine, _inspected(source, folder, dialect, names, mends), wanted, underscores=underscores)
    elif underscores and not (done.rolled and done.rolled.query.underscores):
        done = _passed(engine, done.ready, wanted, underscores=True)
    counted, places = _reconciled(done)
    if counted.swallows:
        whole, path = done.ready, fresh(folder, ".csv")
        mask_swallows(whole.path, path, counted.swallows)
        masked = whole._replace(path=path, swallows=tuple(counted.swallows))
        done = _passed(engine, masked, wanted, underscores=underscores)
        counted, places = _reconciled(done)
    return _accounted(engine, done, counted, places, wanted)


def _inspected(source: Source, folder: Path, dialect: Dialect, names: Sequence[str], mends: Mends) -> _Ready:
    """The file, mended as is known, lines too long to be read without their middle."""
    text = prepare(source, folder, dialect, names, mends)
    if not has_long_line(text.path):
        return _Ready(text, text.path)
    seen = scan(text.path, text.delimiter, len(text.header))
    found = seen.mends(recode=dialect.encoding is None)
    if any(found) and found != mends:
        return _inspected(source, folder, dialect, names, found)
    path = fresh(folder, ".csv")
    shorten_lines(text.path, path, seen.long_lines, text.delimiter, len(text.header))
    return _Ready(text, path, tuple(seen.long_lines))


def _passed(engine: Engine, ready: _Ready, wanted: Wanted, *, underscores: bool = False) -> _Pass:
    """The engine's pass, and beside it that over the bytes."""
    text, path = ready.text, ready.path
    name = text.source.name
    placed = place_columns(name, wanted.names(), text.header, text.hint)
    query = _text_query(text, path, wanted, placed, underscores)

    def find(query: Query, expression: str, sought: str) -> str:
        malformed = tuple(bad.position for bad in _rejects(engine, text.delimiter))
        return first_row(engine, query, _FileLines(path, text.skip, malformed, None), expression, sought)

    with ThreadPoolExecutor(1) as beside:
        counting = beside.submit(scan, path, text.delimiter, len(text.header))
        try:
            shown = [text.column(placed.at[amount.column]) for amount in query.amounts if amount.column]
            plain = all(map(written_plainly, shown))
            plans = _text_plans(text, placed, query.amounts)
            rolled, said = judged_roll_up(engine, name, query, plans, wanted, find, plain=plain)
            malformed = tuple(_rejects(engine, text.delimiter))
        except IntakeError as error:
            return _Pass(ready, counting.result(), failure=error)  # maybe only for want of mending
        return _Pass(ready, counting.result(), rolled, (*placed.guesses, *said), malformed)


def _reconciled(done: _Pass) -> tuple[Scan, Places | None]:
    """The records by the bytes, where need be by Python's own reader; refused where the engine's are not as many.

    A pass that met swallowed lines is to be made again, and is not held against them.
    """
    if done.failure is not None:
        raise done.failure
    text, path, counted = done.ready.text, done.ready.path, done.counted
    places = None
    # the file's own records are those below the header that are not empty
    if not counted.unsure and (counted.swallows or done.rows != counted.records - text.skip):
        places = record_places(path)
    if counted.unsure or (places and (counted.swallows or done.rows != places.filled_below(text.skip))):
        counted, places = walk(path, text.delimiter, len(text.header), text.source.name)
    again = counted.swallows and not done.ready.swallows
    if places and not again and done.rows != places.filled_below(text.skip):
        raise IntakeError(
            f"{text.source.name}: its records cannot be told apart for certain: "
            f"{places.filled_below(text.skip):,} stand below the header, the engine finds {done.rows:,}"
            + _stray(counted)
        )
    if not again:
        counted = replace(counted, swallows=[])
    return counted, places


def _accounted(engine: Engine, done: _Pass, counted: Scan, places: Places | None, wanted: Wanted) -> EngineScan:
    """The file with all its records."""
    assert done.rolled is not None
    ready, text = done.ready, done.ready.text
    lines = _FileLines(ready.path, text.skip, tuple(bad.position for bad in done.malformed), places)
    name = text.source.name
    return EngineScan(
        engine=engine,
        name=name,
        rolled=done.rolled,
        records=counted.records - text.skip,
        empty=counted.records - text.skip - done.rows,
        blank_rows=blank_rows(engine, done.rolled.query, done.rolled.groups),
        malformed=_told(done.malformed, lines, ready.swallows),
        guesses=(*text.guesses, *done.said),
        warnings=(
            *total_warning(name, text.total, wanted),
            *(f"{name}, {_too_long(line)}" for line in ready.long_lines),
        ),
        lines=lines,
    )


def _stray(counted: Scan) -> str:
    lines, first, text = counted.longest
    return (
        f"; look for a stray quote in line {first:,}: {text[:60]!r}, which runs on for {lines:,} lines" if first else ""
    )


def _too_long(line: LongLine) -> str:
    return f"line {line.line:,} has {line.end - line.start:,} bytes: read without its middle"


def _text_query(text: TextFile, path: Path, wanted: Wanted, placed: Placed, underscores: bool) -> Query:
    place = {name: f"c{i}" for name, i in placed.at.items()}
    columns = ", ".join(f"'c{i}': 'VARCHAR'" for i in range(len(text.header)))
    strict = (
        f"read_csv({quoted(str(path))}, columns={{{columns}}}, auto_detect=false, header=false, "
        f"skip={text.skip}, delim={quoted(text.delimiter)}, quote='\"', escape='\"', strict_mode=true, "
        "hive_partitioning=false"
    )
    date = place[wanted.date]
    if wanted.times_cut and (wanted.tz or any(map(has_time, text.column(placed.at[wanted.date])))):
        date = day_text(date, wanted.tz)  # one text a day, not one a second

    def made(column: str) -> Amount:
        at = place[column]
        return Amount("", column, at, at, True, maybe_grouped=not settled(text.column(placed.at[column])))

    return Query(
        relation=f"{strict}, ignore_errors=true, store_rejects=true)",
        strict=f"{strict})",
        date_column=wanted.date,
        date_text=place[wanted.date],
        date=date,
        all_fields=[f"c{i}" for i in range(len(text.header))],
        # looked for in the amounts only where the file holds any
        underscores=underscores or any("_" in field for row in text.sample for field in row),
        **asked_of(wanted, place, made),
    )


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
        "MISSING COLUMNS": "fewer fields than the header",
        "TOO MANY COLUMNS": "more fields than the header",
        "UNQUOTED VALUE": "a quote where none may stand",
        "LINE SIZE OVER MAXIMUM": "a longer line than can be read",
    }
    if not engine.has_table("reject_errors"):
        return []  # the swift pass met none
    found = engine.connection.execute(
        "SELECT scan_id, line_byte_position, any_value(error_type::VARCHAR), any_value(csv_line) FROM reject_errors "
        "WHERE scan_id = (SELECT max(scan_id) FROM reject_errors) GROUP BY ALL ORDER BY 2"
    ).fetchall()
    return [
        # the engine counts bytes from 1, from the line feed before where lines end in two bytes
        Malformed(
            int(position),
            (line or "").strip("\r\n"),
            reasons.get(kind, kind.lower()),
            not (line or "").strip(" \t\r\n" + delimiter),
        )
        for _, position, kind, line in found
    ]


@dataclass
class _FileLines:
    """Finds the physical lines of rows and malformed records; looks at the file only when asked."""

    path: Path
    skip: int
    malformed: tuple[int, ...]
    places: Places | None
    unit: str = "line"

    def _found(self) -> tuple[Places, Days]:
        if self.places is None:
            self.places = record_places(self.path)
        positions = np.array(self.malformed, dtype=np.int64)
        records = np.searchsorted(self.places.starts, positions, side="right") - 1
        # after empty lines the engine's position lies within them: the record is the next that is not empty
        filled = np.flatnonzero(~self.places.empties)
        return self.places, filled[np.searchsorted(filled, records)]

    def of_rows(self, rows: Days) -> Days:
        """The lines of the engine's rows, which are the records but for empty and malformed ones."""
        places, malformed = self._found()
        is_row = ~places.empties
        is_row[: self.skip] = False
        is_row[malformed] = False
        return places.lines[is_row][rows - 1]

    def of_malformed(self) -> Days:
        """The lines of the malformed records."""
        places, malformed = self._found()
        return places.lines[malformed]

    def flaw(self, line: int, column: str) -> str:
        """Nothing that a field of text does not show."""
        return ""

    def starts_of_malformed(self) -> Days:
        """The first bytes of the malformed records."""
        places, malformed = self._found()
        return places.starts[malformed]


def _told(malformed: Sequence[Malformed], lines: _FileLines, swallows: Sequence[Swallow]) -> tuple[Malformed, ...]:
    """The malformed records, swallowed ones told as such: the engine met them masked."""
    if not swallows:
        return tuple(malformed)
    swallowed = {swallow.start: swallow for swallow in swallows}
    found = (swallowed.get(int(start)) for start in lines.starts_of_malformed())
    why = "a stray quote seems to swallow the lines from here on"
    return tuple(
        bad._replace(text=swallow.text, reason=why, blank=False) if swallow else bad
        for bad, swallow in zip(malformed, found)
    )
