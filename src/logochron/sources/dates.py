"""Which day each distinct text of a date column names: one reading for the whole column."""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Callable, Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.days import Days
from logochron.core.errors import IntakeError

#: What follows a date in a timestamp. Python's and the engine's regular expressions both read it.
TIME = (
    r"[ T]+(?:[01]?[0-9]|2[0-3]):[0-5][0-9](?::[0-5][0-9](?:[.,][0-9]+)?)?"
    r"(?: ?[AaPp][Mm])?(?: ?Z| ?[+-][0-9]{2}:?[0-9]{2})? *$"
)
_TIME = re.compile(TIME)
_SHAPES = {
    "year first": re.compile(r"(?P<y>\d{4})([-/.])(?P<m>\d{1,2})\2(?P<d>\d{1,2})", re.ASCII),
    "eight digits": re.compile(r"(?P<y>\d{4})(?P<m>\d\d)(?P<d>\d\d)", re.ASCII),
    "day first": re.compile(r"(?P<d>\d{1,2})([-/.])(?P<m>\d{1,2})\2(?P<y>\d{4})", re.ASCII),
    "month first": re.compile(r"(?P<m>\d{1,2})([-/.])(?P<d>\d{1,2})\2(?P<y>\d{4})", re.ASCII),
}
_EPOCH = dt.date(1970, 1, 1).toordinal()
_NONE = np.iinfo(np.int64).min


class Reading(NamedTuple):
    """The day of each text (where `readable`), how the column was read, and whether that was a guess."""

    days: Days
    readable: NDArray[np.bool_]
    name: str
    guessed: bool


def has_time(text: str) -> bool:
    """Whether a date text goes on with a time."""
    return bool(_TIME.search(text))


def read_dates(
    texts: Sequence[str | None], counts: Days, *, column: str, day_first: bool | None, date_format: str | None
) -> Reading:
    """The days that the distinct texts of a column name.

    Parameters
    ----------
    texts, counts
        The distinct texts, and the number of rows with each.
    day_first, date_format
        What the user stated.

    Raises
    ------
    IntakeError
        Where no row is a date, or the rows read both day first and month first.
    """
    plain = [_TIME.sub("", text).strip() if text else "" for text in texts]
    if date_format is not None:
        days = _days((text or "" for text in texts), lambda text: _by_format(text.strip(), date_format))
        return Reading(days, days != _NONE, date_format, False)
    ways = {name: _days(plain, _by_shape(shape)) for name, shape in _SHAPES.items()}
    rows = {name: int(counts[days != _NONE].sum()) for name, days in ways.items()}
    best = max(rows, key=lambda name: rows[name])
    if not rows[best]:
        shown = next((text for text in texts if text and text.strip()), None)
        raise IntakeError(
            f"column {column!r} holds no usable date"
            + (f": {shown!r} for instance" if shown else ": all its fields are empty")
            + "; expected dates such as 2026-10-18, or their form by date_format= (--date-format '%d %b %y')"
        )
    guessed = False
    if best in ("day first", "month first"):
        if day_first is not None:
            best = "day first" if day_first else "month first"
        else:
            best, guessed = _day_or_month_first(plain, ways, column), True
    return Reading(ways[best], ways[best] != _NONE, best, guessed)


def _day_or_month_first(texts: Sequence[str], ways: dict[str, Days], column: str) -> str:
    by_day, by_month = ways["day first"] != _NONE, ways["month first"] != _NONE
    only_day, only_month = by_day & ~by_month, by_month & ~by_day
    if only_day.any() != only_month.any():
        return "day first" if only_day.any() else "month first"
    option = "state it by day_first=True or day_first=False (--day-first or --month-first)"
    if only_day.any():
        first, second = texts[int(only_day.argmax())], texts[int(only_month.argmax())]
        raise IntakeError(
            f"column {column!r} holds dates with the day first ({first}) and with the month first ({second}); {option}"
        )
    differing = by_day & by_month & (ways["day first"] != ways["month first"])
    if not differing.any():  # 01/01, 02/02: both ways are one
        return "day first"
    raise IntakeError(
        f"every date in column {column!r} reads both ways: {texts[int(differing.argmax())]} may be "
        f"day first or month first; {option}"
    )


def _days(texts: object, read: Callable[[str], int | None]) -> Days:
    days = (read(text) for text in texts)  # type: ignore[attr-defined]
    return np.array([_NONE if day is None else day for day in days], dtype=np.int64)


def _by_shape(shape: re.Pattern[str]) -> Callable[[str], int | None]:
    def read(text: str) -> int | None:
        match = shape.fullmatch(text)
        if not match:
            return None
        try:
            return dt.date(int(match["y"]), int(match["m"]), int(match["d"])).toordinal() - _EPOCH
        except ValueError:
            return None

    return read


def _by_format(text: str, form: str) -> int | None:
    try:
        return dt.datetime.strptime(text, form).date().toordinal() - _EPOCH
    except ValueError:
        return None
