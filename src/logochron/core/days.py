"""Days as whole numbers (days since 1 January 1970), and the ways to write one down."""

from __future__ import annotations

import datetime as dt
import re
from typing import Any

import numpy as np
from numpy.typing import NDArray

from logochron.core.errors import CalendarError, QuestionError, brief
from logochron.core.said import DayInWords, Said

Days = NDArray[np.int64]
#: What stands for a day in a call: a date, a timestamp, a NumPy day or ISO text.
DayLike = Any

_ISO = re.compile(r"\d{4}-\d{2}-\d{2}")


def day_number(value: DayLike, name: str = "day") -> int:
    """The number of a day.

    Parameters
    ----------
    value
        `datetime.date` or `datetime.datetime`, `numpy.datetime64`, or text such as ``2026-10-18``.
    name
        How the message calls it.

    Raises
    ------
    QuestionError
        Where it is no day.

    >>> day_number("1970-01-02")
    1
    """
    if isinstance(value, np.datetime64) and not np.isnat(value):
        return int(value.astype("datetime64[D]").astype(np.int64))
    if isinstance(value, dt.datetime):
        value = value.date()
    try:
        if isinstance(value, dt.date):
            return value.toordinal() - _EPOCH
        if isinstance(value, str) and _ISO.fullmatch(value.strip()):
            return dt.date.fromisoformat(value.strip()).toordinal() - _EPOCH
    except (ValueError, TypeError):
        pass
    raise QuestionError("`{0}` must be a day such as 2026-10-18; got {1}", name, brief(value))


_EPOCH = dt.date(1970, 1, 1).toordinal()
#: The days that can be written down: from year 1 to 9999.
FIRST_DAY, LAST_DAY = dt.date.min.toordinal() - _EPOCH, dt.date.max.toordinal() - _EPOCH


def to_days(days: Any) -> Days:
    """An array of day numbers from anything NumPy reads as days, or from day numbers themselves."""
    array = np.asarray(days)
    if array.dtype.kind in "iu":
        return array.astype(np.int64, copy=False)
    try:
        dates = array.astype("datetime64[D]")
    except (ValueError, TypeError, OverflowError):
        raise QuestionError("days must be such as 2026-10-18, or day numbers; got {0}", brief(days)) from None
    return dates.astype(np.int64)


def distinct(days: Days) -> Days:
    """The distinct ones in order."""
    return np.unique(days, return_index=True)[0]  # the plain way loads numpy.ma first


def to_dates(days: Any) -> NDArray[np.datetime64]:
    """`datetime64[D]` from day numbers."""
    return np.asarray(days, dtype=np.int64).astype("datetime64[D]")


def as_date(day: int) -> dt.date:
    """A `datetime.date` from a day number.

    Raises
    ------
    CalendarError
        Where it lies outside the years 1 to 9999.
    """
    if not FIRST_DAY <= day <= LAST_DAY:
        beyond = Said("after year 9999") if day > LAST_DAY else Said("before year 1")
        raise CalendarError("a day {0} is needed, and none can be named there: ask for periods further in", beyond)
    return dt.date.fromordinal(day + _EPOCH)


def iso(day: int) -> str:
    """A day number as ISO text.

    >>> iso(1)
    '1970-01-02'
    """
    return as_date(day).isoformat()


def in_words(day: int) -> str:
    """A day number in words.

    >>> in_words(1)
    '2 Jan 1970'
    """
    date = as_date(day)
    return DayInWords(f"{date.day} {_MONTHS[date.month - 1]} {date.year}", day)


_MONTHS = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")


def weekday(days: Any) -> Any:
    """0 for Monday to 6 for Sunday; 1 January 1970 was a Thursday."""
    return (days + 3) % 7


def span_ends(value: Any, name: str) -> tuple[int | None, int | None]:
    """The two ends of ``FIRST..LAST`` or of a pair; either may be left out.

    >>> span_ends("2026-01-01..", "covering")
    (20454, None)
    """
    return _ends(value, name, Said("either end may be left out"))


def whole_span(value: Any, name: str) -> tuple[int, int]:
    """The two ends of ``FIRST..LAST`` or of a pair, neither left out.

    Raises
    ------
    QuestionError
        Where one is missing or none is a day.
    """
    form = Said("such as 2026-03-30..2026-04-12")
    first, last = _ends(value, name, form)
    if first is None or last is None:
        raise QuestionError("`{0}` must be FIRST..LAST, {1}; got {2}", name, form, brief(value))
    return first, last


def _ends(value: Any, name: str, form: str) -> tuple[int | None, int | None]:
    if isinstance(value, str):
        if value.count("..") != 1:
            raise QuestionError("`{0}` must be FIRST..LAST, {1}; got {2}", name, form, brief(value))
        value = tuple(part.strip() or None for part in value.split(".."))
    if not isinstance(value, (tuple, list)) or len(value) != 2:
        raise QuestionError("`{0}` must be a pair of days (first, last); got {1}", name, brief(value))
    first, last = (None if end is None else day_number(end, name) for end in value)
    if first is not None and last is not None and first > last:
        raise QuestionError("`{0}` ends before it starts: {1} to {2}", name, iso(first), iso(last))
    return first, last
