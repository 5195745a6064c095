"""Names of periods as people write them: `2026-05`, `May 2026`, `Q2 2026`, `2025`."""

from __future__ import annotations

import re
from functools import cache
from typing import NamedTuple

import numpy as np

from logochron.core.calendars.base import Calendar
from logochron.core.choices import Grain
from logochron.core.errors import LogochronError

_LOCALES = ("en", "de", "fr", "es", "it", "pt", "nl", "sv", "da", "nb", "fi", "pl", "cs")
_YEAR = r"(?P<y>(?:19|20|21)\d\d)"
_SHORT = r"(?P<y>(?:19|20|21)\d\d|\d\d)"
_GAP = r"[ \-/._']*"
_FORMS: tuple[tuple[Grain, str], ...] = (
    ("month", rf"{_YEAR}[-/. ]?(?P<n>0[1-9]|1[0-2])"),
    ("month", rf"{_YEAR}[-/.](?P<n>[1-9])"),
    ("month", rf"(?P<n>0?[1-9]|1[0-2])[-/.]{_YEAR}"),
    ("month", rf"(?P<name>[^\W\d_]{{3,}})\.?{_GAP}{_SHORT}"),
    ("month", rf"{_YEAR}{_GAP}(?P<name>[^\W\d_]{{3,}})\.?"),
    ("month", rf"(?:FY ?)?{_YEAR}{_GAP}(?P<sign>P) ?(?P<n>0?[1-9]|1[0-3])"),
    ("quarter", rf"(?:FY ?)?{_YEAR}{_GAP}Q(?P<n>[1-4])"),
    ("quarter", rf"Q(?P<n>[1-4]){_GAP}(?:FY ?)?{_SHORT}"),
    ("quarter", rf"(?P<n>[1-4])Q{_GAP}{_SHORT}"),
    ("half", rf"(?:FY ?)?{_YEAR}{_GAP}H(?P<n>[12])"),
    ("half", rf"H(?P<n>[12]){_GAP}(?:FY ?)?{_SHORT}"),
    ("week", rf"(?:FY ?)?{_YEAR}{_GAP}(?:W|KW|CW|week) ?(?P<n>\d{{1,2}})"),
    ("week", rf"(?:W|KW|CW|week) ?(?P<n>\d{{1,2}}){_GAP}{_YEAR}"),
    ("year", rf"(?:FY ?|year )?{_YEAR}(?P<n>)"),
)
_FIRST = rf"{_YEAR}-(?P<n>0[1-9]|1[0-2])-01(?: 00:00:00)?"
_LABELS = {"year": "{y}", "half": "{y}-H{n}", "quarter": "{y}-Q{n}", "month": "{y}-{n:02d}", "week": "{y}-W{n:02d}"}


class Label(NamedTuple):
    """What a name says: the grain, the year, the number in it; a numbered period (P05) is no civil month."""

    grain: Grain
    year: int
    number: int
    numbered: bool = False


@cache
def month_names() -> dict[str, int]:
    """The months by their names and short names in the languages we know, where only one is meant."""
    from babel.dates import get_month_names

    names: dict[str, set[int]] = {}
    for locale in _LOCALES:
        for width in ("wide", "abbreviated"):
            for context in ("format", "stand-alone"):
                for number, name in get_month_names(width, context, locale).items():
                    names.setdefault(name.strip(".").casefold(), set()).add(number)
    names |= {"sept": {9}}
    return {name: next(iter(months)) for name, months in names.items() if len(months) == 1 and not name.isdigit()}


def full_year(text: str) -> int:
    """A year of four digits, or of two: 69 to 99 are of the 1900s, as POSIX has it."""
    year = int(text)
    if len(text) > 2:
        return year
    return year + (1900 if year >= 69 else 2000)


def read_label(text: str) -> Label | None:
    """What the name of a period says, None where it is none.

    >>> read_label("May 2026"), read_label("Q2 26"), read_label("Notes")
    (Label(grain='month', year=2026, number=5, numbered=False),
     Label(grain='quarter', year=2026, number=2, numbered=False), None)
    """
    plain = " ".join(text.split())
    first = re.fullmatch(_FIRST, plain)
    if first:  # a sheet keeps a month as its first day
        return Label("month", int(first["y"]), int(first["n"]))
    for grain, form in _FORMS:
        match = re.fullmatch(form, plain, re.IGNORECASE)
        if not match:
            continue
        parts = match.groupdict()
        number = month_names().get(parts["name"].casefold()) if "name" in parts else int(parts["n"] or 0)
        if number is not None:
            return Label(grain, full_year(parts["y"]), number, "sign" in parts)
    return None


def ordinal_named(text: str, label: Label | None, each: Grain, calendar: Calendar) -> int | None:
    """The ordinal of the period of grain `each` that a text names, None where the calendar has no such period.

    Parameters
    ----------
    label
        What `read_label` makes of the text; where that is nothing of the grain, the calendar's own names are tried.
    """
    if label is None or label.grain != each:
        return None if re.fullmatch(r"[\d./ -]+", text) else _ordinal_of(each, text, calendar)
    form = "{y}-P{n:02d}" if label.numbered else _LABELS[label.grain]
    canonical = form.format(y=label.year, n=label.number)
    ordinal = _ordinal_of(label.grain, canonical, calendar)
    return _ordinal_of(label.grain, f"FY{canonical}", calendar) if ordinal is None else ordinal


def _ordinal_of(each: Grain, name: str, calendar: Calendar) -> int | None:
    """The one period that a name stands for."""
    try:
        low, high = calendar.find(each, name)
    except LogochronError:
        return None
    return low if low == high else None


def first_day_of(text: str, each: Grain, calendar: Calendar) -> int | None:
    """The first day of the period of grain `each` that a text names, None where it names none."""
    ordinal = ordinal_named(text, read_label(text), each, calendar)
    return None if ordinal is None else int(calendar.first_days(each, np.array([ordinal]))[0])
