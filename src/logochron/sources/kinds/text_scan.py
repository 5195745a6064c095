"""A text file rolled up by the engine, and checked against the records that its bytes hold."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from threading import Thread

import numpy as np

from logochron.core.days import Days
from logochron.core.errors import IntakeError
from logochron.sources.engine.connection import Engine
from logochron.sources.engine.sql import Amount, Plan, Query, day_text, quoted
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
from logochron.sources.kinds.text_prepare import TextFile, prepare
from logochron.sources.scanned import Malformed, Scanned, Wanted, blank_rows, judged_roll_up, total_warning
from logochron.sources.values.amounts import settled, written_plainly
from logochron.sources.values.dates import has_time

_DECIMALS = re.compile(r"\s*[+-]?\d*(?:\.(\d*?)0*)?\s*")


def scan_text(
    engine: Engine,
    source: Source,
    wanted: Wanted,
    folder: Path,
    dialect: Dialect,
) -> Scanned:
    """Roll up a text file, every record of it accounted for.

    Raises
    ------
    IntakeError
        Where the engine's rows and the file's records do not agree, or the file cannot be read at all.
    """
    mend = not_utf8 = underscores = False
    nuls = 0
    names = [name for _, name in wanted.names()]
    swallows: list[Swallow] = []
    while True:
        text = prepare(source, folder, dialect, names, mend=mend, not_utf8=not_utf8, nuls=nuls)
        placed = place_columns(source.name, wanted.names(), text.header, text.hint)
        path, columns = text.path, len(text.header)
        long_lines: list[LongLine] = []
        if has_long_line(path):
            seen = scan(path, text.delimiter, columns)
            if seen.mixed and not mend:
                mend = True
                continue
            long_lines = seen.long_lines
            path = fresh(folder, ".csv")
            shorten_lines(text.path, path, long_lines, text.delimiter, columns)
        if swallows:
            whole, path = path, fresh(folder, ".csv")
            mask_swallows(whole, path, swallows)
        query = _text_query(text, path, wanted, placed, underscores)
        counts: list[Scan] = []
        counting = Thread(target=lambda: counts.append(scan(path, text.delimiter, columns)))  # noqa: B023  joined below
        counting.start()
        failure: IntakeError | None = None
        try:
            shown = [text.column(placed.at[amount.column]) for amount in query.amounts if amount.column]
            plain = all(map(written_plainly, shown))
            plans = _text_plans(text, placed, query.amounts)
            query, groups, said = judged_roll_up(
                engine, source, query, plans, wanted, partial(_lines_so_far, engine, text, path), plain=plain
            )
            malformed = _rejects(engine, text.delimiter)
        except IntakeError as error:
            failure = error
        finally:
            counting.join()
        counted = counts[0]
        if counted.not_utf8 and dialect.encoding is None and not not_utf8:
            not_utf8 = True
            continue
        if counted.nuls and not nuls:
            nuls = counted.nuls
            continue
        if counted.mixed and not mend:
            mend = True
            continue
        if not query.underscores and counted.underscores > "".join(text.header).count("_"):
            underscores = True
            continue
        if failure is not None:
            raise failure
        # the file's own records are those below the header that are not empty
        rows, places = int(groups.rows.sum()) + len(malformed), None
        if not counted.unsure and (counted.swallows or rows != counted.records - text.skip):
            places = record_places(path)
        if counted.unsure or (places and (counted.swallows or rows != places.filled_below(text.skip))):
            counted, places = walk(path, text.delimiter, columns, source.name)
        if counted.swallows and not swallows:
            swallows = counted.swallows
            continue
        if places and rows != places.filled_below(text.skip):
            raise IntakeError(
                f"{source.name}: its records cannot be told apart for certain: "
                f"{places.filled_below(text.skip):,} stand below the header, the engine finds {rows:,}"
                + _stray(counted)
            )
        lines = _FileLines(path, text.skip, tuple(bad.position for bad in malformed), places)
        return Scanned(
            source=source,
            query=query,
            groups=groups,
            records=counted.records - text.skip,
            empty=counted.records - text.skip - rows,
            blank_rows=blank_rows(engine, query, groups),
            malformed=_told(malformed, lines, swallows),
            guesses=(*text.guesses, *placed.guesses, *said),
            warnings=(
                *total_warning(source, text.total, wanted),
                *(f"{source.name}, {_too_long(line)}" for line in long_lines),
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


def _lines_so_far(engine: Engine, text: TextFile, path: Path, _: Query) -> _FileLines:
    """Finds the lines of rows while the file is being judged."""
    return _FileLines(path, text.skip, tuple(bad.position for bad in _rejects(engine, text.delimiter)), None)


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
        **wanted.asked(place, made),
    )


def _text_plans(text: TextFile, placed: Placed, amounts: Sequence[Amount]) -> dict[str, Plan]:
    """Sum at the scale that the first rows need."""
    plans = {}
    for amount in amounts:
        texts = text.column(placed.at[amount.column]) if amount.column else ()
        matches = map(_DECIMALS.fullmatch, texts)
        plans[amount.key] = Plan("whole", min(max((len(m[1] or "") for m in matches if m), default=0), 6))
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
