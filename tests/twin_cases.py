"""What the twin is held against: calendars in both makings, and every question that can be put to them."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator
from functools import cache
from typing import Any, NamedTuple

import numpy as np
import twin

import logochron as lc
from logochron.core.align.align import align
from logochron.core.align.question import question_of
from logochron.core.book.coverage import Coverage

FIRST_DAY = dt.date(2014, 7, 1)
REPORTS = [dt.date(2021, 1, 1) + k * twin.DAY for k in range(1461)]
_EPOCH = dt.date(1970, 1, 1).toordinal()


def _listed() -> list[tuple[dt.date, dt.date, int, int]]:
    """Five uneven periods a year from 11 January on, two quarters; every third year has a sixth."""
    rows, day = [], dt.date(2011, 1, 11)
    for year in range(2011, 2028):
        lengths = [40, 91, 77, 60, 90] + ([27] if year % 3 == 0 else [])
        for i, n in enumerate(lengths):
            rows.append((day, day + (n - 1) * twin.DAY, year, 1 if i < 2 else 2))
            day += n * twin.DAY
    return rows


def _listed_calendar() -> lc.ListedCalendar:
    starts, ends, years, quarters = zip(*_listed())
    labels = [f"run {i}" for i in range(len(starts))]
    return lc.ListedCalendar({"start": starts, "end": ends, "label": labels, "year": years, "quarter": quarters})


#: Ours, and the twin's; the twin numbers years by the civil year they start (civil) or end in (retail).
CALENDARS: dict[str, tuple[Any, Any]] = {
    "civil": (lambda: lc.CivilCalendar(), lambda: twin.civil()),
    "April, Sunday": (lambda: lc.CivilCalendar(year_start=4, week_start="sunday"), lambda: twin.civil(4, 6)),
    "August, Wednesday": (lambda: lc.CivilCalendar(year_start=8, week_start="wednesday"), lambda: twin.civil(8, 2)),
    "4-5-4": (lambda: lc.RetailCalendar(), lambda: twin.retail((4, 5, 4), 5, 1, "nearest")),
    "4-4-5, last Friday of June": (
        lambda: lc.RetailCalendar(pattern=(4, 4, 5), last_weekday="friday", ends_in=6, ends="last", long_period=2),
        lambda: twin.retail((4, 4, 5), 4, 6, "last", 2),
    ),
    "5-4-4, ISO years": (
        lambda: lc.RetailCalendar(pattern=(5, 4, 4), last_weekday="sunday", ends_in=12),
        lambda: twin.retail((5, 4, 4), 6, 12, "nearest"),
    ),
    "thirteen fours": (
        lambda: lc.RetailCalendar(pattern=(4,) * 13, last_weekday="saturday", ends_in=9, long_period=7),
        lambda: twin.retail((4,) * 13, 5, 9, "nearest", 7),
    ),
    "listed": (_listed_calendar, lambda: twin.listed(_listed())),
}
BASES = ("prior", "prior:2", "year-ago", "year-ago:2", "mean:3", "year-ago-mean:2", "fixed", "plan")
#: The day whose period `fixed` names.
FIXED_DAY = dt.date(2019, 8, 20)


class Asked(NamedTuple):
    each: str
    basis: str
    running: str | int | None
    weeks: str


@cache
def made(name: str) -> tuple[Any, twin.Walked]:
    ours, theirs = CALENDARS[name]
    return ours(), theirs()


def questions(name: str) -> Iterator[Asked]:
    """Every grain, basis and window that goes together."""
    calendar, walked = made(name)
    for each in calendar.grains:
        parents = [g for g in calendar.grains if g not in ("day", each) and calendar.nests(each, g)]
        for running in (None, *parents, 3, 12):
            for basis in BASES:
                yield Asked(each, basis, running, "same-number")
            if walked.kind == "retail" or (walked.kind == "civil" and each in ("day", "week")):
                for basis in ("year-ago", "year-ago:2"):
                    yield Asked(each, basis, running, "364-days")


def number(day: dt.date) -> int:
    return day.toordinal() - _EPOCH


def hold(name: str, asked: Asked, every: int = 1, start: int = 0) -> int:
    """Holds the last three rows at report dates against the twin; how many rows there were.

    Raises
    ------
    AssertionError
        At the first that differs.
    """
    calendar, walked = made(name)
    fixed = walked.holding[asked.each][FIXED_DAY]
    basis = asked.basis
    if basis == "fixed":
        label = calendar.labels(asked.each, calendar.ordinals(asked.each, [FIXED_DAY.isoformat()]))[0]
        basis = f"fixed:{label}"
    question = question_of(
        each=asked.each, against=basis, calendar=calendar, running=asked.running, weeks=asked.weeks, last=3
    )
    held = 0
    none = np.zeros(0, dtype=np.int64)
    for report in REPORTS[start::every]:
        cover = Coverage(number(FIRST_DAY), number(report), number(report), False)
        got = align(question, cover, none, cover if asked.basis == "plan" else None)
        at = walked.holding[asked.each][report]
        for row in range(got.size):
            expected = twin.spans(
                walked,
                asked.each,
                basis,
                asked.running,
                asked.weeks,
                at - (got.size - 1 - row),
                report,
                FIRST_DAY,
                fixed,
            )
            value = (int(got.starts[row]), int(got.ends[row])) if got.value_known[row] else None
            base = None
            if got.base_known[row]:
                base = [(int(a), int(b)) for a, b in zip(got.base_starts[:, row], got.base_ends[:, row])]
            wanted = (
                None if expected[0] is None else tuple(map(number, expected[0])),
                None if expected[1] is None else [tuple(map(number, span)) for span in expected[1]],
            )
            assert (value, base) == wanted, (name, asked, report, row, got.labels[row], value, base, wanted)
            assert value is None or value[1] <= number(report)
            held += 1
    return held
