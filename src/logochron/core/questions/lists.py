"""Plain lists: the periods of a calendar, to be held against a company's own sheet; totals of measures by period."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, ClassVar

import numpy as np

from logochron.core.align.align import MOST_PERIODS
from logochron.core.align.period_spec import calendar_asked
from logochron.core.book.daybook import Daybook
from logochron.core.book.measures import work_out
from logochron.core.calendars.base import Calendar
from logochron.core.choices import Grain
from logochron.core.days import to_dates, whole_span
from logochron.core.errors import QuestionError
from logochron.core.rows.answer import dimensions, one
from logochron.core.rows.groupings import value_grouping
from logochron.core.rows.question_types import question_type
from logochron.core.rows.result import Block, Blocks, Result

if TYPE_CHECKING:
    import pandas as pd


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
        raise QuestionError("`between` holds {0:,} periods; choose a shorter span", len(ordinals))
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


@dataclass(frozen=True, repr=False, eq=False)
class _Totals(Result):
    """The rows of `Daybook.totals`."""

    kind: ClassVar[str] = "totals"


def totals(book: Daybook, each: Grain, by: str | Sequence[str] | None, calendar: Calendar | None) -> pd.DataFrame:
    """What `Daybook.totals` gives."""
    calendar = calendar_asked(calendar)
    names = book.check_by(by)
    question_type("totals").check_dimensions(names)
    calendar.check_grain(each)
    first, last = book.coverage.first, book.coverage.last
    ordinals = calendar.touching(each, first, last)
    starts = np.maximum(calendar.first_days(each, ordinals), first)
    ends = np.minimum(calendar.last_days(each, ordinals), last)
    grouping = value_grouping(book.held_by(calendar), names, book.measures, (starts[None], ends[None]))
    blocks = []
    for measure in book.measures:
        columns = {
            "measure": one(measure.name),
            "period": calendar.labels(each, ordinals).astype(object)[:, None],
            "start": to_dates(starts)[:, None],
            "end": to_dates(ends)[:, None],
            **dimensions(names, grouping),
            "value": work_out(grouping.formulas[measure.name], grouping.value).shown,
        }
        blocks.append(Block((len(ordinals), grouping.size), columns))
    return _Totals(columns=Blocks(blocks), total_columns=Blocks([]), periods=(), notes=()).table
