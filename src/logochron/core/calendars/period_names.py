"""How years, quarters and months are called."""

from __future__ import annotations

import re
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.days import Days, to_dates, to_days

_ZERO = 1970 * 12  # from year 0 to NumPy's month 0


def months_of(days: Any) -> Days:
    """The month that holds each day.

    >>> divmod(int(months_of(0)), 12)
    (1970, 0)
    """
    return to_dates(days).astype("datetime64[M]").astype(np.int64) + _ZERO


def month_starts(months: Any) -> Days:
    """The first day of each month."""
    return to_days(month_names(months))


def month_names(months: Any) -> Any:
    """`datetime64[M]` of each month."""
    return (np.asarray(months) - _ZERO).astype("datetime64[M]")


def is_leap_day(days: Days) -> NDArray[np.bool_]:
    """Whether each day is a 29 February.

    >>> is_leap_day(np.array([19_782, 19_783])).tolist()
    [True, False]
    """
    months = months_of(days)
    return np.asarray((months % 12 == 1) & (days - month_starts(months) == 28))


Texts = NDArray[np.str_]
_NAME = re.compile(
    r"(FY)?(\d{4})(?:-(?:H(?P<half>\d)|Q(?P<quarter>\d)|P(?P<period>\d\d)|W(?P<week>\d\d)"
    r"|(?P<month>\d\d)(?P<day>-\d\d)?))?",
    re.IGNORECASE,
)
_FORMS = {"year": "", "half": "-H%d", "quarter": "-Q%d", "period": "-P%02d", "week": "-W%02d"}


class Name(NamedTuple):
    """What a name says: whether FY stands before it, the year, the kind of period and its number there.

    `kind` is year, half, quarter, period (of a retail year), week, month (civil) or day.
    """

    fiscal: bool
    year: int
    kind: str
    number: int

    @property
    def text(self) -> str:
        """The name itself, of a period longer than a day."""
        number = _FORMS.get(self.kind, "-%02d")
        return f"{'FY' if self.fiscal else ''}{self.year:04d}{number % self.number if number else ''}"


def read_name(text: str) -> Name | None:
    """What a name says, None where it is of no known form.

    >>> read_name("FY2026-Q2")
    Name(fiscal=True, year=2026, kind='quarter', number=2)
    """
    match = _NAME.fullmatch(text)
    if not match:
        return None
    kind = "day" if match["day"] else next((k for k in _KINDS if match[k]), "year")
    return Name(bool(match[1]), int(match[2]), kind, 0 if kind in ("year", "day") else int(match[kind]))


_KINDS = ("half", "quarter", "period", "week", "month")


def write_names(prefix: str, years: Days, kind: str, numbers: Days) -> Texts:
    """The names of periods.

    >>> write_names("FY", np.array([2026]), "quarter", np.array([2])).tolist()
    ['FY2026-Q2']
    """
    text: Texts = np.char.mod(f"{prefix}%04d", years)
    if not _FORMS[kind]:
        return text
    named: Texts = np.char.add(text, np.char.mod(_FORMS[kind], numbers))
    return named


def as_text(dates: Any) -> Texts:
    """Dates or months as ISO text."""
    return np.asarray(np.datetime_as_string(dates))
