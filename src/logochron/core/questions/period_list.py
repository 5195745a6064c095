"""The periods of a calendar as an answer: to be checked against a company's own sheet."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar

import numpy as np

from logochron.core.align.align import MOST_PERIODS
from logochron.core.calendars.base import Calendar
from logochron.core.days import whole_span
from logochron.core.errors import QuestionError
from logochron.core.options import Grain
from logochron.core.rows.result import Blocks, Result


@dataclass(frozen=True, repr=False, eq=False)
class PeriodList(Result):
    """The periods of a calendar: `period`, `start`, `end`, `year`, `number`, `days`."""

    calendar: Calendar
    each: Grain
    kind: ClassVar[str] = "calendar"


def list_periods(calendar: Calendar, each: Grain, between: Any) -> PeriodList:
    """All periods of a grain that touch a span of days.

    Parameters
    ----------
    between
        ``FIRST..LAST`` or a pair of days.

    Raises
    ------
    QuestionError
        Where `each` is no grain of the calendar, or an end of the span is missing.
    """
    calendar.check_grain(each)
    first, last = whole_span(between, "between")
    ordinals = calendar.touching(each, first, last)
    if len(ordinals) > MOST_PERIODS:
        raise QuestionError(f"`between` holds {len(ordinals):,} periods; choose a shorter span")
    columns = calendar.period_columns(each, ordinals)
    labels = tuple(str(label) for label in columns["period"])
    columns["period"] = np.arange(len(ordinals))
    return PeriodList(
        columns=Blocks.plain(columns),
        total_columns=Blocks([]),
        periods=labels,
        notes=calendar.legend(each, ordinals),
        calendar=calendar,
        each=each,
    )
