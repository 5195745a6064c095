"""Selling days: on which days something can be sold, and how many of them lie in spans."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path
from typing import Any

import numpy as np

from logochron.core import ports
from logochron.core.calendars.base import Bools
from logochron.core.calendars.civil import CivilCalendar
from logochron.core.calendars.named_in import day_named
from logochron.core.choices import WEEKDAYS, Weekday, values
from logochron.core.days import Days, distinct, weekday, whole_span
from logochron.core.errors import QuestionError, brief, did_you_mean, nearest
from logochron.core.said import Joined, Said

#: The short names of the weekdays, from Monday.
_SHORT = tuple(name[:3].casefold() for name in WEEKDAYS)
#: From so many recorded days on a weekday without any is closed, and not missing by chance.
_ENOUGH = 28


@dataclass(frozen=True, eq=False)
class SellingDays:
    """On which days something can be sold.

    Parameters
    ----------
    weekdays
        ``"mon-sat"``, ``"mon,wed,fri"`` or a list of names; where None those on which the source has any record (all,
        where it has records on fewer than 28 days, or they stand for longer periods).
    closed
        Days on which nothing is sold for all that: a day, a period (``"2026-08"``), ``"FIRST..LAST"``, a list of them,
        or a table with a column `date` (a path, a frame, a mapping of columns).
    open
        Days on which it is, likewise: they go before all others.
    holidays
        A country, such as ``"PT"``, or a region of one, ``"DE-BY"``, whose public holidays are closed. Needs the extra
        `holidays`.

    Raises
    ------
    QuestionError
        Where a weekday or a day is none.

    Examples
    --------
    >>> days = SellingDays(weekdays="mon-sat", closed=["2026-12-24..2026-12-26"])
    >>> days.weekdays_open
    (True, True, True, True, True, True, False)
    """

    weekdays: str | Sequence[str] | None = None
    closed: Any = ()
    open: Any = ()
    holidays: str | None = None

    def __post_init__(self) -> None:
        if self.weekdays_open is not None and not any(self.weekdays_open) and not len(self.open_days):
            raise QuestionError("`weekdays` names no day on which anything is sold")
        if self.holidays is not None and (not isinstance(self.holidays, str) or not self.holidays.strip()):
            raise QuestionError("`holidays` must be a country such as PT; got {0}", brief(self.holidays))
        _ = self.closed_days, self.open_days  # refused now, not at the first question

    @cached_property
    def weekdays_open(self) -> tuple[bool, ...] | None:
        """Whether each weekday from Monday is one; None where the records tell it."""
        if self.weekdays is None:
            return None
        parts = self.weekdays.split(",") if isinstance(self.weekdays, str) else list(self.weekdays)
        taken: set[int] = set()
        for part in parts:
            first, dash, last = str(part).partition("-")
            low = _weekday(first)
            high = _weekday(last) if dash else low
            taken |= {day % 7 for day in range(low, high + 1 if high >= low else high + 8)}
        return tuple(day in taken for day in range(7))

    @cached_property
    def closed_days(self) -> Days:
        """The days that are listed as closed."""
        return listed_days(self.closed, "closed")

    @cached_property
    def open_days(self) -> Days:
        """The days that are listed as open."""
        return listed_days(self.open, "open")

    def of(self, recorded: Days, *, daily: bool) -> SellingTable:
        """The same beside the days on which a source has records; `daily`: these stand for days."""
        told = self.weekdays_open
        if told is not None:
            return SellingTable(self, np.array(told))
        met = np.ones(7, dtype=bool)
        if daily and len(recorded) >= _ENOUGH:
            met = np.bincount(weekday(recorded), minlength=7) > 0
        return SellingTable(self, met, by_records=not bool(met.all()))


def _weekday(text: str) -> int:
    """The place of a weekday from Monday, by its name or the first letters of it."""
    plain = text.strip().casefold()
    names = [name.casefold() for name in values(Weekday)]
    for known in (names, _SHORT):
        if plain in known:
            return known.index(plain)
    raise QuestionError(
        "`weekdays` must be weekdays such as mon-sat or mon,wed,fri; got {0}.{1}",
        brief(text),
        did_you_mean(nearest(plain, [*_SHORT, *names])),
    )


def listed_days(given: Any, option: str) -> Days:
    """Days that are listed one by one, as periods, as spans, or in a table; sorted.

    Raises
    ------
    QuestionError, IntakeError
        Where one is none, or the table cannot be read.
    """
    if given is None:
        return np.zeros(0, dtype=np.int64)
    one = _is_table(given) or isinstance(given, str) or not isinstance(given, Iterable)
    days = [np.arange(low, high + 1) for each in ([given] if one else given) for low, high in _spans(each, option)]
    return distinct(np.concatenate(days)) if days else np.zeros(0, dtype=np.int64)


def _is_table(given: Any) -> bool:
    """Whether it is a table of days, or the file of one."""
    return isinstance(given, (Path, Mapping)) or hasattr(given, "columns")


def _spans(given: Any, option: str) -> list[tuple[int, int]]:
    if _is_table(given):
        first, last = ports.listed_days(given)
        return list(zip(first.tolist(), last.tolist()))
    return [_span(given, option)]


def _span(given: Any, option: str) -> tuple[int, int]:
    if isinstance(given, tuple) or (isinstance(given, str) and ".." in given):
        return whole_span(given, option)
    calendar = CivilCalendar()
    return day_named(given, option, calendar, last=False), day_named(given, option, calendar, last=True)


def days_or_file(text: str, folder: Path = Path()) -> str | Path:
    """Days as they are listed, or the file of a table of them."""
    return folder / text if Path(text).suffix.lower() in _TABLES else text


#: The endings of files of tables.
_TABLES = (".csv", ".tsv", ".txt", ".xlsx", ".parquet", ".json", ".jsonl")


@dataclass(frozen=True, eq=False)
class SellingTable:
    """Selling days settled beside a source: which days they are, and how many lie in spans.

    `by_records`: weekdays are closed as the source has no record on them.
    """

    stated: SellingDays
    weekdays: Bools
    by_records: bool = False

    def open_on(self, days: Days) -> Bools:
        """Whether something can be sold on each day."""
        taken = self.weekdays[weekday(days)] & ~np.isin(days, self.stated.closed_days)
        if self.stated.holidays is not None and len(days):
            taken &= ~np.isin(days, self._holidays(int(days.min()), int(days.max())))
        return np.asarray(taken | np.isin(days, self.stated.open_days))

    def _holidays(self, low: int, high: int) -> Days:
        assert self.stated.holidays is not None
        return np.array(sorted(ports.holidays(self.stated.holidays, low, high)), dtype=np.int64)

    @property
    def always(self) -> bool:
        """Whether every day is one."""
        stated = self.stated
        return bool(self.weekdays.all()) and not len(stated.closed_days) and stated.holidays is None

    def count(self, starts: Days, ends: Days) -> Days:
        """How many selling days lie in each span, of any shape; none in one that ends before it starts."""
        there = ends >= starts
        if not there.any():
            return np.zeros(np.shape(starts), dtype=np.int64)
        low, high = int(starts[there].min()), int(ends[there].max())
        before = np.concatenate([[0], np.cumsum(self.open_on(np.arange(low, high + 1)))])
        first, after = (np.clip(side - low, 0, len(before) - 1) for side in (starts, ends + 1))
        return np.asarray(np.where(there, before[after] - before[first], 0))

    @property
    def said(self) -> tuple[str, ...]:
        """Which weekdays are taken as closed although nobody said so."""
        if not self.by_records:
            return ()
        closed = Joined(Said(name) for name, taken in zip(WEEKDAYS, self.weekdays.tolist()) if not taken)
        return (Said("no record lies on any {0}: taken as no selling day", closed),)
