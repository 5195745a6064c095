"""Which part of a year does each month usually bring?"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, ClassVar

import numpy as np

from logochron.core.align.align import named_periods
from logochron.core.align.period_spec import calendar_asked
from logochron.core.book.daybook import Daybook
from logochron.core.book.measures import Measure
from logochron.core.calendars.base import Calendar
from logochron.core.calendars.civil import CivilCalendar
from logochron.core.check_kinds import kinds_checked
from logochron.core.choices import PLURALS, WEEKDAYS, Grain, Within, check, check_count
from logochron.core.days import Days, weekday
from logochron.core.errors import QuestionError
from logochron.core.rows.answer import Answer, Columns, dimensions, in_order, one
from logochron.core.rows.figures import Floats
from logochron.core.rows.groupings import Grouping, value_grouping
from logochron.core.rows.prepare import adding_up, ask, check_book, remembered
from logochron.core.rows.result import Block, Blocks
from logochron.core.rows.season_shares import (
    ENOUGH,
    SeasonParts,
    Shares,
    check_places,
    shares_by_place,
    sums_by_place,
    whole_periods,
)
from logochron.core.said import Joined, Said

#: The months by their names, from January.
MONTHS = (
    *("January", "February", "March", "April", "May", "June"),
    *("July", "August", "September", "October", "November", "December"),
)


@dataclass(frozen=True, repr=False, eq=False)
class Season(Answer):
    """The answer of `season`.

    Attributes
    ----------
    table, total
        Tidy frames of one row per measure, place and item: `parents` is the number of whole longer periods that tell
        it, `usual` the mean of its share in them, `low` and `high` the smallest and the largest, `now` the running
        period's own share so far, of its own total to date.
    each, within, calendar, parents, running
        What was asked; the labels of the whole periods, and of the running one.
    first_days
        The first day of each place in the period that has most, day numbers.
    unfinished
        The number of the place that the report date falls in, where it is not over; 0 where there is none.
    """

    each: Grain
    within: Grain
    calendar: Calendar
    parents: tuple[str, ...]
    running: str
    first_days: Days
    unfinished: int
    kind: ClassVar[str] = "season"


@remembered
@kinds_checked
def season(
    book: Daybook,
    *,
    each: Grain = "month",
    within: Within = "year",
    last: int | None = None,
    exclude: Any = (),
    by: str | Sequence[str] | None = (),
    measures: str | Sequence[str] | None = None,
    calendar: Calendar | None = None,
) -> Season:
    """Which part of a longer period each place in it usually brings: month of the year, weekday of the week.

    Parameters
    ----------
    book
        The records, from `read`.
    each, within
        The places, and the longer period that they make up: months or weeks in the year, days in the week or month.
    last
        Only so many whole periods, the latest; all where None.
    exclude
        Labels of periods that tell nothing usual (a year of closures, say).
    by, measures, calendar
        As in `compare`; measures that divide are refused, and left out where none is named.

    Returns
    -------
    Season
        Frozen; `.table`, `.total` and `.notes`.

    Raises
    ------
    QuestionError
        Where the places do not make up the longer period, or an option names nothing.

    Notes
    -----
    share = the place's value / the total of its period; usual = their mean over the whole periods, at least two, whose
    total is above 0. now = the value so far / the total to date of the running period.

    Examples
    --------
    >>> import logochron as lc
    >>> year = lc.season(lc.demo.book(), measures="revenue")
    >>> year.total.loc[year.total.usual.idxmax(), "label"], year.parents
    ('July', ('2022', '2023', '2024', '2025'))
    """
    check_book(book)
    check("within", within, Within)
    calendar = calendar_asked(calendar)
    check_places(calendar, each, within)
    if last is not None:
        check_count("last", last)
    kept, left_out = adding_up(book, measures)
    if left_out and (measures is not None or not kept):
        raise QuestionError("`season` is of what adds up, and {0} divides", ", ".join(left_out))
    if book.standing.whole and not calendar.nests(book.standing.records_of, each):
        raise QuestionError("records of {0} have no share by {1}", PLURALS[book.standing.records_of], each)
    selection = ask("season", book, by=by, measures=kept, judging=None, items="all", top=None, sort=None)
    held = book.held_by(calendar)
    ordinals = _chosen(held, calendar, within, last, exclude)
    report = book.coverage.last
    now = calendar.touching(within, report, report)
    if int(calendar.first_days(within, now)[0]) < book.coverage.first:
        now = now[:0]
    spans = SeasonParts.within(calendar, each, within, np.append(ordinals, now))
    lasting = spans.starts[None], spans.ends[None]
    total = value_grouping(held, (), selection.measures, lasting)
    groupings = {"total": total}
    if selection.by:
        groupings["items"] = value_grouping(held, selection.by, selection.measures, lasting)
    labels = calendar.labels(within, ordinals)
    notes: list[str] = []
    blocks: dict[str, list[Block]] = {kind: [] for kind in groupings}
    names, first_days = _names(calendar, each, within, np.append(ordinals, now))
    for place, measure in enumerate(selection.measures):
        for kind, rows in groupings.items():
            shares = shares_by_place(held, rows.by, measure, calendar, each, within, ordinals)
            running = _running(held, rows, measure, calendar, each, within, now, report)
            columns = _columns(selection.by, rows, measure, shares, running, names)
            blocks[kind].append(Block((columns["usual"].shape[0], rows.size), columns, None, place))
            if rows is total:
                notes += _left_out(measure, shares, labels)
    if len(ordinals) < ENOUGH:
        notes.append(
            Said(
                "a season is told from {0} whole {1} on; the records hold {2}",
                ENOUGH,
                PLURALS[within],
                len(ordinals),
            )
        )
    return Season(
        columns=Blocks(blocks.get("items", blocks["total"])),
        total_columns=Blocks(blocks["total"]),
        periods=(),
        notes=(*notes, *book.intake.warnings),
        words={"note": _TEXTS},
        selection=selection,
        each=each,
        within=within,
        calendar=calendar,
        parents=tuple(str(label) for label in labels),
        running=str(calendar.labels(within, now)[0]) if len(now) else "",
        first_days=first_days,
        unfinished=_unfinished(calendar, each, within, now, report),
    )


#: What the notes say, by their places.
_TEXTS = ("", "told by fewer than two periods")


def _chosen(book: Daybook, calendar: Calendar, within: Grain, last: int | None, exclude: Any) -> Days:
    """The whole periods that tell the season."""
    ordinals = whole_periods(calendar, within, book.coverage)
    left_out = [exclude] if isinstance(exclude, str) else list(exclude or ())
    for label in left_out:
        low, high = named_periods(calendar, within, label)
        ordinals = ordinals[(ordinals < low) | (ordinals > high)]
    return ordinals if last is None else ordinals[-last:]


def _running(
    book: Daybook,
    rows: Grouping,
    measure: Measure,
    calendar: Calendar,
    each: Grain,
    within: Grain,
    now: Days,
    report: int,
) -> Floats:
    """The running period's own shares so far, shape (places, items); NaN for places that are yet to come."""
    if not len(now):
        return np.full((0, rows.size), np.nan)
    sums = sums_by_place(book, rows.by, measure, calendar, each, within, now, report)[0]
    total = np.nansum(sums, axis=0)
    return np.where(total > 0, sums / np.where(total > 0, total, 1.0), np.nan)


def _unfinished(calendar: Calendar, each: Grain, within: Grain, now: Days, report: int) -> int:
    """The number of the place of the running period that is not over on the report date; 0 where all are."""
    places = SeasonParts.within(calendar, each, within, now)
    inside = (places.starts <= report) & (places.ends > report)
    return int(places.place[inside][0]) + 1 if inside.any() else 0


def _columns(
    by: tuple[str, ...], rows: Grouping, measure: Measure, shares: Shares, running: Floats, names: Sequence[str]
) -> Columns:
    """The rows of one measure."""
    taken = rows.places if rows.by else np.zeros(1, dtype=np.int64)
    places = len(names)

    def laid(values: Floats, fill: float = np.nan) -> Floats:
        out = np.full((places, len(taken)), fill)
        out[: len(values)] = values[:, taken] if values.shape[1] else fill
        return out

    low, high = shares.ends()
    parents = laid(shares.parents.astype(np.float64), 0.0)
    columns: Columns = {
        "measure": one(measure.name),
        "place": np.arange(1, places + 1)[:, None],
        "label": np.array(names, dtype=object)[:, None],
        "parents": parents.astype(np.int64),
        "usual": laid(shares.usual()),
        "low": laid(low),
        "high": laid(high),
        "now": laid(running),
        "note": (parents < ENOUGH).astype(np.int64),
        **dimensions(by, rows),
    }
    return in_order("season", by, columns)


def _left_out(measure: Measure, shares: Shares, labels: Any) -> list[str]:
    """Which periods are left out as their total is not above 0, of all items together."""
    gone = [str(label) for label, usable in zip(labels, shares.usable[:, 0]) if not usable]
    if not gone:
        return []
    return [Said("{0}: left out, as the total is not above 0: {1}", measure.name, Joined(gone))]


def _names(calendar: Calendar, each: Grain, within: Grain, parents: Days) -> tuple[list[str], Days]:
    """What the places of a period are called, and the first day of each: of the period that has most."""
    if not len(parents):
        return [], np.zeros(0, dtype=np.int64)
    spans = SeasonParts.within(calendar, each, within, parents)
    starts = spans.starts[spans.of == np.bincount(spans.of).argmax()]
    if each == "month" and isinstance(calendar, CivilCalendar):
        months = starts.astype("datetime64[D]").astype("datetime64[M]").astype(np.int64) % 12
        return [MONTHS[month] for month in months.tolist()], starts
    if each == "day" and within == "week":
        return [WEEKDAYS[day] for day in weekday(starts).tolist()], starts
    if each == "day":
        return [str(n) for n in range(1, len(starts) + 1)], starts
    labels = calendar.labels(each, calendar.ordinals(each, starts))
    return [str(label).rpartition("-")[2] for label in labels], starts
