"""Civil months numbered from the start of year 0."""

from __future__ import annotations

from typing import Any

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
