"""A table of periods, from a file or a frame, for `ListedCalendar`."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from logochron.core.calendars.listed import Listing
from logochron.core.days import Days
from logochron.core.errors import CalendarError, IntakeError
from logochron.sources.engine.connection import Engine
from logochron.sources.kinds.find_files import Dialect, locate, steady
from logochron.sources.kinds.headers import fold, place_columns
from logochron.sources.kinds.scan import Scanner
from logochron.sources.kinds.streams import copied
from logochron.sources.kinds.typed_files import DAY_NUMBER, TypedTable
from logochron.sources.scanned import Wanted
from logochron.sources.values.dates import read_dates
from logochron.sources.values.period_names import read_label

_NEEDED = ("start", "end", "label", "year")
_NUMBERS = ("quarter", "half", "number")
#: No one lists more periods than this.
_MOST = 100_000


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
    if isinstance(source, Mapping):
        import pandas as pd

        try:
            source = pd.DataFrame(dict(source))
        except ValueError as error:
            raise CalendarError(f"the columns of the calendar make no table: {error}") from None
    with copied(source) as lasting:
        return _listing(lasting)


def _listing(source: Any) -> Listing:
    sources = locate(source)
    if len(sources) > 1:
        raise CalendarError("a calendar is one table; got several files")
    (one,) = sources
    name = one.name if one.kind != "frame" else "the calendar's table"
    engine = Engine()
    with steady(sources), Scanner(engine, Wanted("start", {}, (), (), False), Dialect()) as scanner:
        if one.kind == "text":
            from logochron.sources.kinds.wide_tables import carry_text

            table = carry_text(engine, scanner.unpacked(one), scanner.folder, Dialect(), list(_NEEDED))
        else:
            table = scanner.typed(one)
        if table.malformed:
            first = table.malformed[0]
            line = f", line {table.lines.of_malformed()[0]:,}" if table.lines is not None else ""
            raise CalendarError(f"{name}{line}: {first.text[:60]!r} - {first.reason}")
        given = {fold(column) for column in table.header}
        wanted = [*_NEEDED, *(column for column in _NUMBERS if column in given)]
        at = place_columns(name, [("calendar", column) for column in wanted], table.header).at
        sql = ", ".join(f"{_text(table, at[column])} AS {column}" for column in wanted)
        found = engine.arrays(f"SELECT {sql} FROM {table.relation} LIMIT {_MOST + 1}")
        lines = np.arange(1, len(found["start"]) + 1)
        if table.lines is not None:
            lines = table.lines.of_rows(lines)
    unit = "row" if table.lines is None else table.lines.unit
    if len(lines) > _MOST:
        raise CalendarError(f"{name} lists more than {_MOST:,} periods")
    texts = {column: ["" if v is None else str(v).strip() for v in found[column]] for column in wanted}
    blank = np.array([not any(row) for row in zip(*texts.values())], dtype=bool)
    texts = {column: [v for v, gone in zip(values, blank) if not gone] for column, values in texts.items()}
    lines = lines[~blank]

    def where(row: int) -> str:
        return f"{name}, {unit} {lines[row]:,}"

    numbers = {column: _whole(texts[column], column, where) for column in ("year", *_NUMBERS) if column in texts}
    return Listing(
        name=name,
        unit=unit,
        lines=lines,
        starts=_dates(texts["start"], "start", where),
        ends=_dates(texts["end"], "end", where),
        labels=np.array(texts["label"], dtype=object),
        years=numbers["year"],
        quarters=numbers.get("quarter"),
        halves=numbers.get("half"),
        numbers=numbers.get("number"),
    )


def _text(table: TypedTable, column: int) -> str:
    """The expression for a column as text."""
    name = table.columns[column]
    if table.types[column] == DAY_NUMBER:
        name = f"(DATE '1970-01-01' + CAST({name} AS INTEGER))"
    return f"CAST({name} AS VARCHAR)"


def _dates(texts: list[str], column: str, where: Any) -> Days:
    distinct = list(dict.fromkeys(texts))
    if not distinct:
        return np.zeros(0, dtype=np.int64)
    try:
        reading = read_dates(distinct, np.ones(len(distinct), dtype=np.int64), column=column)
    except IntakeError:
        raise CalendarError(
            f"{where(0)}, column {column!r}: {texts[0]!r} and those below are no days, or read in more than one way; "
            "write them as 2026-05-18"
        ) from None
    place = {text: i for i, text in enumerate(distinct)}
    rows = np.array([place[text] for text in texts])
    bad = ~reading.readable[rows]
    if bad.any():
        at = int(bad.argmax())
        raise CalendarError(f"{where(at)}, column {column!r}: {texts[at]!r} is no day; expected such as 2026-05-18")
    return reading.days[rows]


def _whole(texts: list[str], column: str, where: Any) -> Days:
    """Whole numbers; a quarter or half may say Q2, a year FY2026."""
    numbers = []
    for row, text in enumerate(texts):
        plain = text.upper().removeprefix({"quarter": "Q", "half": "H", "year": "FY"}.get(column, "")).strip()
        label = read_label(text) if column in ("quarter", "half") and not plain.isdigit() else None
        if label is not None and label.grain == column:
            plain = str(label.number)
        if not plain.removesuffix(".0").isdecimal():
            raise CalendarError(f"{where(row)}, column {column!r}: {text!r} is no whole number")
        numbers.append(int(plain.removesuffix(".0")))
    return np.array(numbers, dtype=np.int64)
