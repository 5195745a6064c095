"""One source scanned: rolled up by the engine and, for text, checked against the records its bytes hold."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from logochron.core.days import Days
from logochron.core.errors import IntakeError, QuestionError, no_such
from logochron.core.intake import LISTED, Refusal
from logochron.core.selection import Where
from logochron.sources.dates import TIME, has_time
from logochron.sources.engine import (
    Amount,
    Engine,
    Groups,
    Plan,
    Query,
    inner,
    is_empty,
    named,
    quoted,
    roll_up,
)
from logochron.sources.locate import Source
from logochron.sources.records import Places, Swallow, mask_swallows, record_places, scan, walk
from logochron.sources.textfile import TextFile, prepare

_NAN = re.compile(r"\s*[+-]?nan\s*", re.IGNORECASE)
_DECIMALS = re.compile(r"\s*[+-]?\d*(?:\.(\d*?)0*)?\s*")


@dataclass(frozen=True)
class Wanted:
    """What is wanted of every source: columns by the names of the user's call."""

    date: str
    dimensions: Mapping[str, str]  # name -> column
    columns: tuple[str, ...]
    where: Where
    empty_is_zero: bool
    tz: str | None = None


@dataclass(frozen=True)
class Malformed:
    """A record the engine could not split into its columns."""

    position: int  # a byte within the record
    text: str
    reason: str
    blank: bool


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
    swallows: tuple[Swallow, ...] = ()
    guesses: tuple[str, ...] = ()
    lines: _Lines | None = None  # None: rows are told by their number

    @property
    def torn(self) -> int:
        """The malformed records but for those of spaces and delimiters only."""
        return sum(not bad.blank for bad in self.malformed)

    @property
    def blank(self) -> int:
        """All blank records."""
        return self.empty + self.blank_rows + len(self.malformed) - self.torn


def check_columns(source: Source, wanted: Wanted, header: Sequence[str]) -> None:
    """Refuse a column that the source does not have, with the nearest one offered."""
    for option, names in (
        ("date", [wanted.date]),
        ("values", wanted.columns),
        ("by", wanted.dimensions.values()),
        ("where", wanted.where),
    ):
        for name in names:
            if name not in header:
                raise QuestionError(f"`{option}`: {no_such('column', name, header, where=source.name)}")


def scan_text(
    engine: Engine,
    source: Source,
    wanted: Wanted,
    folder: Path,
    *,
    delimiter: str | None,
    encoding: str | None,
) -> Scanned:
    """Roll up a text file, every record of it accounted for.

    Raises
    ------
    IntakeError
        Where the engine's rows and the file's records do not agree, or the file cannot be read at all.
    """
    mend = not_utf8 = underscores = False
    swallows: list[Swallow] = []
    while True:
        text = prepare(source, folder, delimiter, encoding, mend=mend, not_utf8=not_utf8)
        check_columns(source, wanted, text.header)
        path, columns = text.path, len(text.header)
        if swallows:
            path = folder / f"masked-{len(list(folder.iterdir()))}.csv"
            mask_swallows(text.path, path, swallows)
        query = _text_query(text, path, wanted, underscores)
        with ThreadPoolExecutor(1) as pool:
            counting = pool.submit(scan, path, text.delimiter, columns)
            failure: IntakeError | None = None
            try:
                groups = roll_up(engine, query, _text_plans(text, query.amounts), source.name)
                malformed = _rejects(engine, text.delimiter)
            except IntakeError as error:
                failure = error
            counted = counting.result()
        if counted.not_utf8 and encoding is None and not not_utf8:
            not_utf8 = True
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
        rows, places, empty = int(groups.rows.sum()) + len(malformed), None, 0
        if counted.swallows or rows != counted.records - text.skip:
            places = record_places(path)
            empty = int(places.empties.sum())
        if counted.swallows or rows != counted.records - empty - 1:
            counted, places = walk(path, text.delimiter, columns)
            empty = int(places.empties.sum())
        if counted.swallows and not swallows:
            swallows = counted.swallows
            continue
        if rows != counted.records - empty - 1:
            raise IntakeError(
                f"{source.name}: its records cannot be told apart for certain: "
                f"{counted.records - empty - 1:,} stand below the header, the engine finds {rows:,}; "
                "look for a stray quote" + (f" near {malformed[0].text[:60]!r}" if malformed else "")
            )
        empty -= min(empty, text.skip - 1)  # those before the header are no records of the table
        return Scanned(
            source=source,
            query=query,
            groups=groups,
            records=counted.records - text.skip,
            empty=empty,
            blank_rows=_blank_rows(engine, query, groups),
            malformed=tuple(malformed),
            swallows=tuple(swallows),
            guesses=text.guesses,
            lines=_Lines(path, text.skip, tuple(bad.position for bad in malformed), places),
        )


def _text_query(text: TextFile, path: Path, wanted: Wanted, underscores: bool) -> Query:
    place = {name: f"c{i}" for i, name in enumerate(text.header)}
    columns = ", ".join(f"'c{i}': 'VARCHAR'" for i in range(len(text.header)))
    strict = (
        f"read_csv({quoted(str(path))}, columns={{{columns}}}, auto_detect=false, header=false, "
        f"skip={text.skip}, delim={quoted(text.delimiter)}, quote='\"', escape='\"', strict_mode=true"
    )
    date = place[wanted.date]
    at = text.header.index(wanted.date)
    if any(has_time(row[at]) for row in text.sample):
        date = f"regexp_replace({date}, {quoted(TIME)}, '')"  # one text a day, not one a second
    return Query(
        relation=f"{strict}, ignore_errors=true, store_rejects=true)",
        strict=f"{strict})",
        date_column=wanted.date,
        date=date,
        labels={name: place[column] for name, column in wanted.dimensions.items()},
        conditions={column: f"coalesce({place[column]}, '')" for column in wanted.where},
        amounts=[Amount(column, place[column], True) for column in wanted.columns],
        all_fields=list(place.values()),
        where=wanted.where,
        empty_is_zero=wanted.empty_is_zero,
        # looked for in the amounts only where the file holds any
        underscores=underscores or any("_" in field for row in text.sample for field in row),
    )


def _text_plans(text: TextFile, amounts: Sequence[Amount]) -> dict[str, Plan]:
    """Sum at the scale that the first rows need."""
    plans = {}
    for amount in amounts:
        at = text.header.index(amount.column)
        matches = (_DECIMALS.fullmatch(row[at]) for row in text.sample)
        plans[amount.column] = Plan("whole", min(max((len(m[1] or "") for m in matches if m), default=0), 6))
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
            int(position), line or "", reasons.get(kind, kind.lower()), not (line or "").strip(" \t\r\n" + delimiter)
        )
        for _, position, kind, line in found
    ]


def _blank_rows(engine: Engine, query: Query, groups: Groups) -> int:
    """Rows in which every field is empty or spaces; only a row without a date can be one."""
    if not any(text is None or (isinstance(text, str) and not text.strip()) for text in groups.dates):
        return 0
    blank = " AND ".join(is_empty(sql) for sql in query.all_fields)
    ((found,),) = engine.connection.execute(f"SELECT count(*) FROM {query.relation} WHERE {blank}").fetchall()
    return int(found)


@dataclass
class _Lines:
    """Finds the physical lines of rows and malformed records; looks at the file only when asked."""

    path: Path
    skip: int
    malformed: tuple[int, ...]
    places: Places | None

    def _found(self) -> tuple[Places, Days]:
        if self.places is None:
            self.places = record_places(self.path)
        positions = np.array(self.malformed, dtype=np.int64)
        return self.places, np.searchsorted(self.places.starts, positions, side="right") - 1

    def of_rows(self, rows: Days) -> Days:
        """The lines of the engine's rows, which are the records but for empty and malformed ones."""
        places, malformed = self._found()
        is_row = ~places.empties
        is_row[: self.skip] = False
        is_row[malformed] = False
        return places.lines[is_row][rows - 1]

    def of_malformed(self) -> tuple[Days, Days]:
        """The first bytes and the lines of the malformed records."""
        places, malformed = self._found()
        return places.starts[malformed], places.lines[malformed]


def malformed_rows(scanned: Scanned) -> list[Refusal]:
    """The malformed records with their physical lines, swallowed ones told as such."""
    if not scanned.torn or scanned.lines is None:
        return []
    swallowed = {swallow.start: swallow for swallow in scanned.swallows}
    refusals = []
    for bad, start, line in zip(scanned.malformed, *scanned.lines.of_malformed()):
        swallow = swallowed.get(int(start))
        if swallow:
            why = "a stray quote seems to swallow the lines from here on"
            refusals.append(Refusal(int(line), "", swallow.text, why, scanned.source.name))
        elif not bad.blank:
            refusals.append(Refusal(int(line), "", bad.text.strip("\r\n"), bad.reason, scanned.source.name))
        if len(refusals) == LISTED:
            break
    return refusals


def parquet_types(engine: Engine, source: Source) -> dict[str, str]:
    """The columns of a Parquet file with the engine's types."""
    relation = f"read_parquet({quoted(str(source.path))})"
    engine.run(f"CREATE OR REPLACE TEMP TABLE described AS DESCRIBE SELECT * FROM {relation}", source.name)
    return dict(engine.connection.execute("SELECT column_name, column_type FROM described").fetchall())


def scan_parquet(engine: Engine, source: Source, wanted: Wanted) -> Scanned:
    """Roll up a Parquet file."""
    relation = f"read_parquet({quoted(str(source.path))})"
    types = parquet_types(engine, source)
    check_columns(source, wanted, list(types))
    amounts, plans = [], {}
    for column in wanted.columns:
        kind = types[column]
        amounts.append(Amount(column, named(column), kind == "VARCHAR"))
        if not re.match(r"VARCHAR|DOUBLE|FLOAT|DECIMAL|U?(TINY|SMALL|BIG|HUGE)?INT", kind):
            raise IntakeError(f"{source.name}, column {column!r}: expected amounts, found the type {kind}")
        decimal = re.match(r"DECIMAL\(\d+,(\d+)\)", kind)
        plans[column] = Plan("whole", min(int(decimal[1]), 6) if decimal else 0 if "INT" in kind else 2)
    query = Query(
        relation=relation,
        strict=relation,
        date_column=wanted.date,
        date=_parquet_date(source, wanted, types[wanted.date]),
        labels={name: f"{named(column)}::VARCHAR" for name, column in wanted.dimensions.items()},
        conditions={column: f"coalesce({named(column)}::VARCHAR, '')" for column in wanted.where},
        amounts=amounts,
        all_fields=[f"{named(column)}::VARCHAR" for column in types],
        where=wanted.where,
        empty_is_zero=wanted.empty_is_zero,
    )
    groups = roll_up(engine, query, plans, source.name)
    return Scanned(
        source=source,
        query=query,
        groups=groups,
        records=int(groups.rows.sum()),
        empty=0,
        blank_rows=_blank_rows(engine, query, groups),
    )


def _parquet_date(source: Source, wanted: Wanted, kind: str) -> str:
    name = named(wanted.date)
    if kind == "VARCHAR":
        return f"regexp_replace({name}, {quoted(TIME)}, '')"
    if kind.startswith("TIMESTAMP WITH TIME ZONE"):
        local = f"({name} AT TIME ZONE {quoted(wanted.tz or 'UTC')})"
        return f"CASE WHEN isfinite({name}) THEN {local}::DATE - DATE '1970-01-01' END"
    if kind.startswith(("TIMESTAMP", "DATE")):
        return f"CASE WHEN isfinite({name}) THEN {name}::DATE - DATE '1970-01-01' END"
    raise IntakeError(f"{source.name}, column {wanted.date!r}: expected dates, found the type {kind}")


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
    fields = ["rn", "dt", *(f"r{i}::VARCHAR AS r{i}" for i in range(len(query.amounts)))]
    fields += [f"y{i}" for i in range(len(query.amounts))]
    blank = " AND ".join(f"e{i}" for i in range(len(query.all_fields)))
    tables = {"in_question": {"v": _texts(in_question)}, "undated": {"v": _texts(undated)}}
    rows = f"SELECT *, coalesce(d::VARCHAR, '') AS dt FROM ({inner(query, numbered=True)})"
    no_day = f"dt IN (SELECT v FROM undated) AND NOT ({blank})"
    no_amount = "dt IN (SELECT v FROM in_question) AND keep AND NOT ok"
    found = engine.arrays(
        f"SELECT {', '.join(fields)} FROM ({rows}) WHERE ({no_day}) OR ({no_amount}) LIMIT {LISTED}", tables
    )
    if not len(found["rn"]):
        return []
    numbers = found["rn"].astype(np.int64)
    lines = numbers if scanned.lines is None else scanned.lines.of_rows(numbers)
    bad_dates = set(_texts(undated))
    refusals = []
    for i, line in enumerate(lines):
        if found["dt"][i] in bad_dates:
            text = found["dt"][i]
            reason = no_date if text.strip() else "no date"
            refusals.append(Refusal(int(line), query.date_column, text, reason, scanned.source.name))
            continue
        for j, amount in enumerate(query.amounts):
            text = found[f"r{j}"][i] or ""
            reason = _why(text, found[f"y{j}"][i], query.empty_is_zero)
            if reason:
                refusals.append(Refusal(int(line), amount.column, text, reason, scanned.source.name))
                break
    return refusals


def _texts(dates: NDArray[Any]) -> NDArray[np.object_]:
    return np.array(["" if date is None else str(date) for date in dates], dtype=object)


def _why(text: str, number: Any, empty_is_zero: bool) -> str:
    if not text.strip():
        return "" if empty_is_zero else "an empty amount (empty='zero' takes it as 0)"
    if "_" in text or (np.isnan(number) and not _NAN.fullmatch(text)):
        return "not a number"
    return "" if np.isfinite(number) else "not a finite number"
