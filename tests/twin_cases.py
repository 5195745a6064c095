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
from logochron.core.align.period_spec import period_spec
from logochron.core.book.coverage import Coverage
from logochron.core.choices import STATUSES

PARTIALS = ("to-date", "as-is", "drop")
#: Notes that say in one calendar or another that the base has no such place.
_CODES = dict.fromkeys(("no week 53", "no base: no such place", "no base: other place"), "no such place")
_CODES |= {"no base: not listed": "no base: records start", "no base: cut by the list": "no base: plan starts"}
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
        lambda: lc.RetailCalendar(
            pattern=(4, 4, 5), year_ends_on="friday", year_ends_in=6, year_ends="last", long_period=2
        ),
        lambda: twin.retail((4, 4, 5), 4, 6, "last", 2),
    ),
    "5-4-4, ISO years": (
        lambda: lc.RetailCalendar(pattern=(5, 4, 4), year_ends_on="sunday", year_ends_in=12),
        lambda: twin.retail((5, 4, 4), 6, 12, "nearest"),
    ),
    "thirteen fours": (
        lambda: lc.RetailCalendar(pattern=(4,) * 13, year_ends_on="saturday", year_ends_in=9, long_period=7),
        lambda: twin.retail((4,) * 13, 5, 9, "nearest", 7),
    ),
    "listed": (_listed_calendar, lambda: twin.listed(_listed())),
}
BASES = ("prior", "prior:2", "year-ago", "year-ago:2", "mean:3", "year-ago-mean:2", "fixed", "plan")
#: The day whose period `fixed` names.
FIXED_DAY = dt.date(2019, 8, 20)


class Selection(NamedTuple):
    each: str
    basis: str
    running: str | int | None
    weeks: str


@cache
def made(name: str) -> tuple[Any, twin.Walked]:
    ours, theirs = CALENDARS[name]
    return ours(), theirs()


def questions(name: str) -> Iterator[Selection]:
    """Every grain, basis and window that goes together."""
    calendar, walked = made(name)
    for each in calendar.grains:
        parents = [g for g in calendar.grains if g not in ("day", each) and calendar.nests(each, g)]
        for running in (None, *parents, 3, 12):
            for basis in BASES:
                yield Selection(each, basis, running, "same-number")
            if walked.kind == "retail" or (walked.kind == "civil" and each in ("day", "week")):
                for basis in ("year-ago", "year-ago:2"):
                    yield Selection(each, basis, running, "364-days")


def number(day: dt.date) -> int:
    return day.toordinal() - _EPOCH


def hold(name: str, asked: Selection, every: int = 1, start: int = 0) -> int:
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
    held = 0
    none = np.zeros(0, dtype=np.int64)
    for place, report in enumerate(REPORTS[start::every]):
        # one after the other: every question meets each way to treat a period that is not whole
        partial = PARTIALS[(place + start) % len(PARTIALS)]
        question = period_spec(
            each=asked.each, against=basis, calendar=calendar, running=asked.running, weeks=asked.weeks, last=3,
            partial=partial,
        )  # fmt: skip
        cover = Coverage(number(FIRST_DAY), number(report), number(report), False)
        got = align(question, cover, none, cover if asked.basis == "plan" else None)
        at = walked.holding[asked.each][report]
        if partial == "drop" and walked.periods[asked.each][at].last > report:
            at -= 1
        for row in range(got.size):
            i = at - (got.size - 1 - row)
            told = twin.spans(
                walked, asked.each, basis, asked.running, asked.weeks, i, report, FIRST_DAY, fixed, partial == "as-is"
            )  # fmt: skip
            value = (int(got.starts[row]), int(got.ends[row])) if got.value_known[row] else None
            base = None
            if got.base_known[row]:
                spans = zip(got.base_starts[:, row], got.base_ends[:, row], got.part_known[:, row])
                base = [(int(a), int(b)) for a, b, known in spans if known]
            whole = walked.periods[asked.each][i].last <= report
            fragment = got.rows.starts[row] < number(FIRST_DAY)
            status = "partial" if fragment else "complete" if whole else "to-date"
            wanted = (
                None if told[0] is None else tuple(map(number, told[0])),
                None if told[1] is None else [tuple(map(number, span)) for span in told[1]],
                twin.label(walked, asked.each, i),
                status,
            )
            found = value, base, got.labels[row], STATUSES[got.status[row]]
            assert found == wanted, (name, asked, partial, report, row, found, wanted)
            codes = {_CODES.get(note.code, note.code) for note in got.notes if note.rows[row]}
            assert codes == told[2], (name, asked, partial, report, row, found, codes, told[2])
            assert value is None or value[1] <= number(report)
            held += 1
    return held
