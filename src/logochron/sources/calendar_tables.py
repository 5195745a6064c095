"""A table of periods, from a file or a frame, for `ListedCalendar`."""

from __future__ import annotations

from typing import Any

import numpy as np

from logochron.core.calendars.listed import Listing
from logochron.core.days import Days
from logochron.core.errors import CalendarError
from logochron.sources.small_tables import SmallTable, small_table
from logochron.sources.values.period_names import read_label

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
    table = small_table(source, _NEEDED, _NUMBERS, what="calendar", error=CalendarError)
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
            raise CalendarError(f"{table.where(row)}, column {column!r}: {text!r} is no whole number")
        numbers.append(int(plain.removesuffix(".0")))
    return np.array(numbers, dtype=np.int64)
