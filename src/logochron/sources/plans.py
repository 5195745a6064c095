"""`read_plan`: a plan by period as a daybook of its own."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from logochron.core.calendars.base import Calendar
from logochron.core.daybook import Daybook
from logochron.core.measures import Measure
from logochron.core.options import Grain, Spread
from logochron.sources.reading import read


def read_plan(
    source: Any,
    *,
    date: str | None,
    value: str,
    measure: str,
    by: str | Sequence[str] | Mapping[str, str] = (),
    each: Grain = "month",
    spread: Spread | None = "even",
    calendar: Calendar | None = None,
    **options: Any,
) -> Daybook:
    """Read a plan: amounts by period, laid evenly on the days of each.

    Parameters
    ----------
    source
        Anything that `read` takes.
    date
        The column of periods or of days in them; None with ``periods_in_columns=``.
    value
        The column of planned amounts.
    measure
        The name of the measure that is planned.
    by
        Columns to split by, or ``{new_name: column}``.
    each
        What each record stands for.
    spread
        ``"even"`` lays each amount on all days of its period, exact over any whole period; None leaves it on
        the first.
    calendar
        Of the periods; civil where None.
    options
        Reading options, as `read` has them.

    Returns
    -------
    Daybook
        With a coverage and exactness of its own.

    Raises
    ------
    QuestionError, IntakeError
        As `read` does.

    Examples
    --------
    >>> import logochron as lc
    >>> plan = lc.read_plan("plan.csv", date="month", value="revenue", measure="revenue")  # doctest: +SKIP
    """
    wide = options.get("periods_in_columns") is not None
    return read(
        source,
        date=None if wide else date,
        measures=[Measure(measure, column=value)],
        by=by,
        rows="day" if wide else each,
        spread=spread if wide or each != "day" else None,
        calendar=calendar,
        **options,
    )
