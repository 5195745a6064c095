"""One source scanned: rolled up by the engine and, for text, checked against the records its bytes hold."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from logochron.core.days import Days
from logochron.core.errors import IntakeError, QuestionError, no_such
from logochron.core.intake import LISTED, Refusal
from logochron.core.selection import Where
from logochron.sources.dates import TIME, has_time
from logochron.sources.engine import Amount, Engine, Groups, Plan, Query, inner, is_empty, named, quoted, roll_up
from logochron.sources.locate import Source
from logochron.sources.records import Scan, Swallow, mask_swallows, record_places, scan, walk
from logochron.sources.textfile import TextFile, prepare

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


@dataclass(frozen=True)
class Scanned:
    """One source after its pass: its groups, its records, and how to find the lines of refused rows."""

    source: Source
    query: Query
    groups: Groups
    records: int
    blank: int
    malformed: tuple[Malformed, ...] = ()
    path: Path | None = None
    swallows: tuple[Swallow, ...] = ()
    guesses: tuple[str, ...] = ()
    find_places: Callable[[Days], Days] | None = field(default=None, repr=False)


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
    mend, swallows = False, []
    while True:
        text = prepare(source, folder, delimiter, encoding, mend=mend)
        check_columns(source, wanted, text.header)
        path = text.path
        if swallows:
            path = folder / f"masked-{len(list(folder.iterdir()))}.csv"
            mask_swallows(text.path, path, swallows)
        query = _text_query(text, path, wanted)
        plans = _text_plans(text, query.amounts)
        with ThreadPoolExecutor(1) as pool:
            counting = pool.submit(scan, text.path, text.delimiter, len(text.header))
            failure: IntakeError | None = None
            try:
                groups = roll_up(engine, query, plans, source.name)
                malformed = _rejects(engine)
            except IntakeError as error:
                failure = error
            counted = counting.result()
        if counted.mixed and not mend:
            mend = True
            continue
        if failure is not None:
            raise failure
        if counted.swallows and not swallows:
            swallows = counted.swallows
            continue
        return _reconciled(engine, source, text, path, query, groups, malformed, counted)


def _text_query(text: TextFile, path: Path, wanted: Wanted) -> Query:
    place = {name: f"c{i}" for i, name in enumerate(text.header)}
    columns = ", ".join(f"'c{i}': 'VARCHAR'" for i in range(len(text.header)))
    relation = (
        f"read_csv({quoted(str(path))}, columns={{{columns}}}, auto_detect=false, header=false, "
        f"skip={text.skip}, delim={quoted(text.delimiter)}, quote='\"', escape='\"', strict_mode=true, "
        "ignore_errors=true, store_rejects=true)"
    )
    date = place[wanted.date]
    at = text.header.index(wanted.date)
    if any(has_time(row[at]) for row in text.sample):
        date = f"regexp_replace({date}, {quoted(TIME)}, '')"  # one text a day, not one a second
    return Query(
        relation=relation,
        date_column=wanted.date,
        date=date,
        labels={name: f"coalesce({place[column]}, '')" for name, column in wanted.dimensions.items()},
        conditions={column: f"coalesce({place[column]}, '')" for column in wanted.where},
        amounts=[Amount(column, place[column], True) for column in wanted.columns],
        all_fields=list(place.values()),
        where=wanted.where,
        empty_is_zero=wanted.empty_is_zero,
    )


def _text_plans(text: TextFile, amounts: Sequence[Amount]) -> dict[str, Plan]:
    """Sum at the scale that the first rows need."""
    plans = {}
    for amount in amounts:
        at = text.header.index(amount.column)
        matches = (_DECIMALS.fullmatch(row[at]) for row in text.sample)
        plans[amount.column] = Plan("whole", min(max((len(m[1] or "") for m in matches if m), default=0), 6))
    return plans


def _rejects(engine: Engine) -> list[Malformed]:
    """The records that the engine refused in its last pass, once each."""
    reasons = {
        "MISSING COLUMNS": "fewer fields than the header",
        "TOO MANY COLUMNS": "more fields than the header",
        "UNQUOTED VALUE": "a quote where none may stand",
        "LINE SIZE OVER MAXIMUM": "a longer line than can be read",
    }
    found = engine.connection.execute(
        "SELECT scan_id, line_byte_position, any_value(error_type::VARCHAR), any_value(csv_line) FROM reject_errors "
        "WHERE scan_id = (SELECT max(scan_id) FROM reject_errors) GROUP BY ALL ORDER BY 2"
    ).fetchall()
    return [
        # the engine counts bytes from 1, from the line feed before where lines end in two bytes
        Malformed(int(position), line or "", reasons.get(kind, kind.lower()))
        for _, position, kind, line in found
    ]


def _reconciled(
    engine: Engine,
    source: Source,
    text: TextFile,
    path: Path,
    query: Query,
    groups: Groups,
    malformed: list[Malformed],
    counted: Scan,
) -> Scanned:
    rows = int(groups.rows.sum())
    records = counted.records - text.skip
    # the skipped records are the header and the empty ones before it
    empty = counted.empty - (text.skip - 1)
    if rows + len(malformed) != records - empty:
        walked, walked_empty = walk(path, text.delimiter)
        if rows + len(malformed) != walked - walked_empty - 1:
            raise IntakeError(
                f"{source.name}: its {walked - walked_empty - 1:,} records cannot be told apart for certain: the "
                f"engine finds {rows:,} rows and {len(malformed):,} malformed records; "
                "look for a stray quote"
                + (f" near {malformed[0].text[:60]!r}" if malformed else "")
            )
        records, empty = walked - text.skip, walked_empty - (text.skip - 1)
    spaces = [bad for bad in malformed if not bad.text.strip(" \t\r\n" + text.delimiter)]
    blank = empty + len(spaces) + _blank_rows(engine, query, groups)
    swallowed = tuple(counted.swallows)
    return Scanned(
        source=source,
        query=query,
        groups=groups,
        records=records,
        blank=blank,
        malformed=tuple(bad for bad in malformed if bad not in spaces),
        path=path,
        swallows=swallowed,
        guesses=text.guesses,
        find_places=lambda rows: _lines_of_rows(path, text.skip, malformed, rows),
    )


def _blank_rows(engine: Engine, query: Query, groups: Groups) -> int:
    """Rows in which every field is empty or spaces; only a row without a date can be one."""
    if not any(text is None or (isinstance(text, str) and not text.strip()) for text in groups.dates):
        return 0
    blank = " AND ".join(is_empty(sql) for sql in query.all_fields)
    found = engine.connection.execute(f"SELECT count(*) FROM {query.relation} WHERE {blank}").fetchone()
    return int(found[0]) if found else 0


def _lines_of_rows(path: Path, skip: int, malformed: Sequence[Malformed], rows: Days) -> Days:
    """The physical lines of the engine's rows, which are the records but for empty and malformed ones."""
    starts, lines, empties = record_places(path)
    is_row = ~empties
    is_row[:skip] = False
    positions = np.array([bad.position for bad in malformed], dtype=np.int64)
    is_row[np.searchsorted(starts, positions, side="right") - 1] = False
    return lines[is_row][rows - 1]


def lines_of_malformed(scanned: Scanned) -> list[Refusal]:
    """The malformed records with their physical lines, swallowed ones told as such."""
    if not scanned.malformed or scanned.path is None:
        return []
    starts, lines, _ = record_places(scanned.path)
    shown = scanned.malformed[:LISTED]
    records = np.searchsorted(starts, [bad.position for bad in shown], side="right") - 1
    swallowed = {swallow.start: swallow for swallow in scanned.swallows}
    refusals = []
    for bad, record in zip(shown, records):
        swallow = swallowed.get(int(starts[record]))
        told = (
            (swallow.text, "a stray quote seems to swallow the lines from here on")
            if swallow
            else (bad.text.strip("\r\n"), bad.reason)
        )
        refusals.append(Refusal(int(lines[record]), "", *told, scanned.source.name))
    return refusals


def scan_parquet(engine: Engine, source: Source, wanted: Wanted) -> Scanned:
    """Roll up a Parquet file."""
    relation = f"read_parquet({quoted(str(source.path))})"
    engine.run(f"CREATE OR REPLACE TEMP TABLE described AS DESCRIBE SELECT * FROM {relation}", source.name)
    types = dict(engine.connection.execute("SELECT column_name, column_type FROM described").fetchall())
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
        date_column=wanted.date,
        date=_parquet_date(source, wanted, types[wanted.date]),
        labels={name: f"coalesce({named(c)}::VARCHAR, '')" for name, c in wanted.dimensions.items()},
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
        blank=_blank_rows(engine, query, groups),
        find_places=lambda rows: rows,
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
    found = engine.arrays(
        f"SELECT {', '.join(fields)} FROM (SELECT *, coalesce(d::VARCHAR, '') AS dt FROM ({inner(query, numbered=True)})) WHERE (dt IN (SELECT v FROM undated) AND NOT ({blank})) "
        f"OR (dt IN (SELECT v FROM in_question) AND keep AND NOT ok) LIMIT {LISTED}",
        tables,
    )
    if not len(found["rn"]):
        return []
    assert scanned.find_places is not None
    lines = scanned.find_places(found["rn"].astype(np.int64))
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
    if np.ma.is_masked(number) or "_" in text:
        return "not a number"
    return "" if np.isfinite(number) else "not a finite number"
