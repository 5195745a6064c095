"""Small tables: of periods, of shares."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.book.record_spans import even_parts
from logochron.core.calendars.civil import CivilCalendar
from logochron.core.calendars.listed import Listing
from logochron.core.calendars.named_in import ordinal_named
from logochron.core.calendars.written_names import grains_of, read_label
from logochron.core.choices import Grain
from logochron.core.days import Days
from logochron.core.errors import CalendarError, IntakeError, LogochronError
from logochron.core.questions.landing.profiles import ListedShares
from logochron.core.said import Said
from logochron.options import Reading
from logochron.sources.duckdb.connection import Engine
from logochron.sources.files.find_files import locate, steady
from logochron.sources.files.headers import fold, place_columns
from logochron.sources.files.source_reader import SourceReader
from logochron.sources.files.streams import lasting
from logochron.sources.files.typed_files import DAY_NUMBER, TypedTable
from logochron.sources.rolled_source import ReadingSpec
from logochron.sources.values.dates import read_dates

#: No one lists more rows than this, nor in more bytes of a pipe.
_MOST, _MOST_BYTES = 100_000, 50_000_000


class SmallTable(NamedTuple):
    """The rows of a table that are not blank: texts by column, and the line or row of each."""

    name: str
    unit: str
    lines: Days
    texts: Mapping[str, list[str]]
    error: type[LogochronError]

    def where(self, row: int) -> str:
        """Where a row stands, for a message."""
        return Said("{0}, {1} {2:,}", self.name, Said(self.unit), self.lines[row])

    def dates(self, column: str) -> Days:
        """A column of days.

        Raises
        ------
        LogochronError
            Of the table's kind, naming the row of what is no day.
        """
        texts = self.texts[column]
        distinct = list(dict.fromkeys(texts))
        if not distinct:
            return np.zeros(0, dtype=np.int64)
        try:
            reading = read_dates(distinct, np.ones(len(distinct), dtype=np.int64), column=column)
        except IntakeError:
            raise self.error(
                Said(
                    "{0}, column {1!r}: {2!r} and those below are no days, or read in more than one way; "
                    "write them as 2026-05-18",
                    self.where(0),
                    column,
                    texts[0],
                )
            ) from None
        place = {text: i for i, text in enumerate(distinct)}
        rows = np.array([place[text] for text in texts])
        bad = ~reading.readable[rows]
        if bad.any():
            at = int(bad.argmax())
            raise self.error(
                Said(
                    "{0}, column {1!r}: {2!r} is no day; expected such as 2026-05-18", self.where(at), column, texts[at]
                )
            )
        return reading.days[rows]


def small_table(
    source: Any,
    needed: Sequence[str],
    optional: Sequence[str],
    *,
    what: str,
    error: type[LogochronError],
    most: int = _MOST,
) -> SmallTable:
    """The rows of a table with some columns.

    Parameters
    ----------
    source
        A path, a data frame, or a mapping of columns.
    what
        What it is, for messages.
    error
        The kind of error that is raised.
    most
        How many rows it may have.

    Raises
    ------
    LogochronError
        Of that kind, or as `read` raises it, where the table or one of its columns is not there, or it cannot be read.
    """
    if isinstance(source, Mapping):
        import pandas as pd

        try:
            source = pd.DataFrame(dict(source))
        except ValueError as fault:
            raise error(Said("the columns of the {0} make no table: {1}", what, fault)) from None
    with lasting(source, most=_MOST_BYTES) as given:
        return _read(given, needed, optional, what, error, most)


def _read(
    source: Any, needed: Sequence[str], optional: Sequence[str], what: str, error: type[LogochronError], most: int
) -> SmallTable:
    sources = locate(source)
    if len(sources) > 1:
        raise error(Said("a {0} is one file; got several", what))
    (one,) = sources
    if one.kind == "pushdown":
        raise error(Said("a {0} is a file or a frame; got {1}", what, one.name))
    name = one.name if one.kind != "frame" else Said("the {0}", what)
    engine = Engine()
    with steady(sources), SourceReader(engine, ReadingSpec(date=needed[0])) as scanner:
        if one.kind == "text":
            from logochron.sources.files.wide_tables import carry_text

            text = scanner.unpacked(one)
            try:
                table = carry_text(engine, text, scanner.folder, Reading(), list(needed))
            except IntakeError:  # one column has nothing to part it from others
                if len(needed) > 1:
                    raise
                table = carry_text(engine, text, scanner.folder, Reading(delimiter=","), list(needed))
            if len(needed) == len(table.header) == 1 and table.header[0][:1].isdigit():  # days alone, without a header
                bare = Reading(delimiter=",", header_row=0)
                table = carry_text(engine, text, scanner.folder, bare, list(needed))._replace(header=(needed[0],))
        else:
            table = scanner.typed(one)
        if table.malformed:
            first = table.malformed[0]
            line = Said(", line {0:,}", table.lines.of_malformed()[0]) if table.lines is not None else ""
            raise error("{0}{1}: {2!r} - {3}", name, line, first.text[:60], first.reason)
        given = {fold(column) for column in table.header}
        wanted = [*needed, *(column for column in optional if column in given)]
        at = place_columns(name, [(what, column) for column in wanted], table.header).at
        sql = ", ".join(f"{_text(table, at[column])} AS {column}" for column in wanted)
        columns = engine.arrays(f"SELECT {sql} FROM {table.relation} LIMIT {most + 1}")
        lines = np.arange(1, len(columns[wanted[0]]) + 1)
        if table.lines is not None:
            lines = table.lines.of_rows(lines)
    unit = "row" if table.lines is None else table.lines.unit
    if len(lines) > most:
        raise error(Said("{0} lists more than {1:,} rows", name, most))
    texts = {column: ["" if v is None else str(v).strip() for v in columns[column]] for column in wanted}
    blank = np.array([not any(row) for row in zip(*texts.values())], dtype=bool)
    texts = {column: [v for v, gone in zip(values, blank) if not gone] for column, values in texts.items()}
    return SmallTable(name, unit, lines[~blank], texts, error)


def _text(table: TypedTable, column: int) -> str:
    """The expression for a column as text."""
    name = table.columns[column]
    if table.types[column] == DAY_NUMBER:
        name = f"(DATE '1970-01-01' + CAST({name} AS INTEGER))"
    return f"CAST({name} AS VARCHAR)"


_NEEDED = ("start", "end", "label", "year")
_NUMBERS = ("quarter", "half", "number")


def listing(source: Any) -> Listing:
    """The rows of a table of periods.

    Parameters
    ----------
    source
        A path, a data frame, or a mapping of columns.

    Raises
    ------
    CalendarError
        Naming the row and column of what is no day or no whole number.
    QuestionError, IntakeError
        Where the table or one of its columns is not there, or it cannot be read.
    """
    table = small_table(source, _NEEDED, _NUMBERS, what="table of periods", error=CalendarError)
    numbers = {column: _whole(table, column) for column in ("year", *_NUMBERS) if column in table.texts}
    return Listing(
        name=table.name,
        unit=table.unit,
        lines=table.lines,
        starts=table.dates("start"),
        ends=table.dates("end"),
        labels=np.array(table.texts["label"], dtype=object),
        years=numbers["year"],
        quarters=numbers.get("quarter"),
        halves=numbers.get("half"),
        numbers=numbers.get("number"),
    )


def _whole(table: SmallTable, column: str) -> Days:
    """Whole numbers; a quarter or half may say Q2, a year FY2026."""
    numbers = []
    for row, text in enumerate(table.texts[column]):
        plain = text.upper().removeprefix({"quarter": "Q", "half": "H", "year": "FY"}.get(column, "")).strip()
        label = read_label(text) if column in ("quarter", "half") and not plain.isdigit() else None
        if label is not None and label.grain == column:
            plain = str(label.number)
        if not plain.removesuffix(".0").isdecimal():
            raise CalendarError("{0}, column {1!r}: {2!r} is no whole number", table.where(row), column, text)
        numbers.append(int(plain.removesuffix(".0")))
    return np.array(numbers, dtype=np.int64)


def listed_shares(source: Any) -> ListedShares:
    """The rows of a table of shares.

    Parameters
    ----------
    source
        A path, a data frame, or a mapping of columns: `date` and `share`; or `day` and `share`, and `days` where
        periods have several lengths.

    Raises
    ------
    IntakeError
        Naming the row and column of what is no day or no number, or the column that is missing.
    """
    table = small_table(source, ["share"], ["date", "day", "days"], what="table of shares", error=IntakeError)
    if ("date" in table.texts) == ("day" in table.texts):
        raise IntakeError("{0} must have a column `date` or a column `day` beside `share`", table.name)
    if not len(table.lines):
        raise IntakeError("{0} lists no shares", table.name)
    shares = np.array([_share(table, row) for row in range(len(table.lines))])
    if "date" in table.texts:
        if grains := grains_of(table.texts["date"], "date"):
            return _by_period(table, shares, grains[0])
        return ListedShares(table.name, shares, dates=table.dates("date"))
    lengths = _numbers(table, "days") if "days" in table.texts else None
    return ListedShares(table.name, shares, numbers=_numbers(table, "day"), lengths=lengths)


def listed_days(source: Any) -> tuple[Days, Days]:
    """The first and the last day of each row of a table of days: `date`, and maybe `until`; or names of periods.

    Raises
    ------
    IntakeError
        Naming the row of what is no day.
    """
    table = small_table(source, ["date"], ["until"], what="table of days", error=IntakeError)
    if grains := grains_of(table.texts["date"], "date"):
        return _periods_named(table, grains[0])
    first = table.dates("date")
    if "until" not in table.texts:
        return first, first
    filled = [until or date for until, date in zip(table.texts["until"], table.texts["date"])]
    last = table._replace(texts={"until": filled}).dates("until")
    if (last < first).any():
        row = int((last < first).argmax())
        raise IntakeError("{0}, column 'until': the last day lies before the first", table.where(row))
    return first, last


def _periods_named(table: SmallTable, grain: Grain) -> tuple[Days, Days]:
    """The first and the last days of periods of the civil calendar."""
    calendar = CivilCalendar()
    named = [ordinal_named(text, grain, calendar) for text in table.texts["date"]]
    if None in named:
        text = table.texts["date"][named.index(None)]
        raise IntakeError("{0}, column 'date': {1!r} names no {2}", table.where(named.index(None)), text, grain)
    ordinals = np.array(named, dtype=np.int64)
    return calendar.first_days(grain, ordinals), calendar.last_days(grain, ordinals)


def _by_period(table: SmallTable, shares: NDArray[np.float64], grain: Grain) -> ListedShares:
    """Shares of periods of the civil calendar, each laid evenly on its days."""
    starts, ends = _periods_named(table, grain)
    lengths = ends - starts + 1
    of, place, _ = even_parts(np.zeros_like(lengths), lengths)
    return ListedShares(table.name, (shares / lengths)[of], dates=starts[of] + place)


def _share(table: SmallTable, row: int) -> float:
    """A number, maybe with a percent sign; a comma may be its decimal mark."""
    text = table.texts["share"][row].removesuffix("%").strip()
    try:
        share = float(text.replace(",", ".") if "." not in text else text)
    except ValueError:
        share = float("nan")
    if not np.isfinite(share):
        raise IntakeError(
            "{0}, column 'share': {1!r} is no share; expected such as 0.032 or 3.2",
            table.where(row),
            table.texts["share"][row],
        )
    return share


def _numbers(table: SmallTable, column: str) -> Days:
    numbers: NDArray[np.int64] = np.zeros(len(table.lines), dtype=np.int64)
    for row, text in enumerate(table.texts[column]):
        plain = text.removesuffix(".0")
        if not plain.isdecimal() or not 1 <= int(plain) <= 400:
            raise IntakeError(
                "{0}, column {1!r}: {2!r} is no number of a day or of days", table.where(row), column, text
            )
        numbers[row] = int(plain)
    return numbers
