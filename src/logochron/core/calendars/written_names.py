"""Names of periods as people write them: `May 2026`, `KW 5/25`, `24Q1`, `P03 FY25`, `FY25`."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable
from functools import cache
from typing import NamedTuple

from logochron.core import ports
from logochron.core.calendars.period_names import Name
from logochron.core.choices import Grain

_YEAR = r"(?P<y>(?:19|20|21)\d\d)"
_SHORT = r"'?(?P<y>(?:19|20|21)\d\d|\d\d)"
_FY = r"(?P<fy>FY|GJ|fiscal(?: year)?|Gesch(?:ä|ae)ftsjahr)"
_GAP = r"[ \-/._',]*"
_MONTH = r"(?P<n>0?[1-9]|1[0-2])"
_WEEK = r"(?:W|KW|CW|WK|week|Woche|Kalenderwoche)\.? ?(?P<n>0?[1-9]|[1-4]\d|5[0-3])"
_PERIOD = r"(?P<sign>P|period|periode)\.? ?(?P<n>0?0?[1-9]|0?1[0-3])"
_TH = r"(?:st|nd|rd|th|\.)?"
_COUNTED: tuple[tuple[Grain, str], ...] = (
    ("month", _PERIOD),
    ("quarter", r"Q ?(?P<n>[1-4])"),
    ("quarter", rf"(?P<n>[1-4]){_TH} ?(?:Q|qtr|quarter|Quartal)\.?"),
    ("quarter", r"(?:qtr|quarter|Quartal)\.? ?(?P<n>[1-4])"),
    ("half", r"HJ? ?(?P<n>[12])"),
    ("half", rf"(?P<n>[12]){_TH} ?(?:HJ?|half|Halbjahr)"),
    ("half", r"(?:half|Halbjahr) ?(?P<n>[12])"),
    ("week", _WEEK),
)
_FORMS: tuple[tuple[Grain, str], ...] = (
    ("month", rf"{_YEAR}[-/. ]?(?P<n>0[1-9]|1[0-2])"),
    ("month", rf"{_YEAR}[-/.](?P<n>[1-9])"),
    ("month", rf"{_MONTH}[-/.]{_YEAR}"),
    ("month", rf"{_MONTH}/(?P<y>\d\d)"),
    ("month", rf"{_YEAR}[- ]?M{_MONTH}"),
    ("month", rf"M{_MONTH}[-/. ]?{_YEAR}"),
    ("month", rf"(?P<name>[^\W\d_]{{3,}})\.?{_GAP}{_SHORT}"),
    ("month", rf"{_YEAR}{_GAP}(?P<name>[^\W\d_]{{3,}})\.?"),
    ("month", rf"(?P<sign>0)(?P<n>0[1-9]|1[0-6])\.{_YEAR}"),
    *(
        (grain, form.format(of=of))
        for grain, of in _COUNTED
        for form in (
            rf"(?:{_FY} ?)?{_YEAR}{_GAP}{{of}}",
            rf"{_FY} ?{_SHORT}{_GAP}{{of}}",
            rf"{{of}}{_GAP}(?:{_FY} ?)?{_SHORT}",
            r"(?P<y>\d\d)(?![0-9]){of}",
        )
    ),
    ("year", rf"(?:year |Jahr )?{_YEAR}(?P<n>)"),
    ("year", rf"{_FY} ?{_SHORT}(?P<n>)"),
)
_DAY = re.compile(r"\d{4}-\d\d-\d\d")
_FIRST = re.compile(rf"{_YEAR}-(?P<n>0[1-9]|1[0-2])-01(?: 00:00:00)?")
#: A year and two digits that may be a month or a week.
_SIX_DIGITS = re.compile(r"(?P<y>(?:19|20|21)\d\d)(?P<n>0[1-9]|[1-4]\d|5[0-3])")


class Label(NamedTuple):
    """What a name says: the grain, the year, the number in it.

    `numbered`: a period that is only counted in its year (P05), which is no civil month; `fiscal`: its year is called
    a fiscal one.
    """

    grain: Grain
    year: int
    number: int
    numbered: bool = False
    fiscal: bool = False

    @property
    def name(self) -> Name:
        """The same as calendars name it."""
        return Name(self.fiscal, self.year, "period" if self.numbered else self.grain, self.number)


def full_year(text: str) -> int:
    """A year of four digits, or of two: 69 to 99 are of the 1900s, as POSIX has it."""
    year = int(text)
    if len(text) > 2:
        return year
    return year + (1900 if year >= 69 else 2000)


@cache
def _forms() -> tuple[tuple[Grain, re.Pattern[str]], ...]:
    return tuple((grain, re.compile(form, re.IGNORECASE | re.ASCII * ("name" not in form))) for grain, form in _FORMS)


def read_label(text: str) -> Label | None:
    """What the name of a period says, None where it is none.

    >>> read_label("May 2026"), read_label("Q2 26"), read_label("Notes")
    (Label(grain='month', year=2026, number=5, numbered=False, fiscal=False),
     Label(grain='quarter', year=2026, number=2, numbered=False, fiscal=False), None)
    """
    plain = " ".join(text.split())
    if len(plain) > _LONGEST or not any(map(str.isdecimal, plain)):
        return None
    if _DAY.match(plain):
        first = _FIRST.fullmatch(plain)
        if first is None:
            return None  # a sheet keeps a month as its first day
        return Label("month", int(first["y"]), int(first["n"]))
    for grain, form in _forms():
        match = form.fullmatch(plain)
        if not match:
            continue
        parts = match.groupdict()
        number = ports.month_names().get(parts["name"].casefold()) if "name" in parts else int(parts["n"] or 0)
        if number is not None:
            return Label(grain, full_year(parts["y"]), number, "sign" in parts, bool(parts.get("fy")))
    return None


#: No name of a period is longer.
_LONGEST = 30
#: What the names of columns say of six digits.
_OF_WEEKS = re.compile(r"(?:^|[^a-z])(?:kw|cw|wk|weeks?|wochen?|kalenderwoche|semana|semaine)(?![a-z])", re.IGNORECASE)
_OF_MONTHS = re.compile(r"month|monat|mois|mes(?![a-z])|period|per(?:iode)?(?![a-z])", re.IGNORECASE)


def grains_of(texts: Iterable[str], column: str = "") -> tuple[Grain, ...]:
    """The grain of which all texts name periods; two, the likelier first, where they may be of either; else none.

    Parameters
    ----------
    column
        What they are called together, which may tell weeks of ``202501`` from months.

    Examples
    --------
    >>> grains_of(["Jan 25", "Feb 25"]), grains_of(["202501", "202502"]), grains_of(["202501", "202517"])
    (('month',), ('month', 'week'), ('week',))
    """
    met = {" ".join(text.split()) for text in texts}
    six = [_SIX_DIGITS.fullmatch(text) for text in met]
    if met and all(six):
        if any(int(match["n"]) > 12 for match in six if match) or _OF_WEEKS.search(column):
            return ("week",)
        return ("month",) if _OF_MONTHS.search(column) else ("month", "week")
    grains = {label.grain if label and not _FIRST.fullmatch(text) else None for text, label in _labels(met)}
    grain = grains.pop() if len(grains) == 1 else None
    return () if grain is None else (grain,)


def _labels(texts: Iterable[str]) -> Iterable[tuple[str, Label | None]]:
    return ((text, read_label(text)) for text in texts)


def usual_grain(texts: Iterable[str]) -> Grain | None:
    """The grain of most names of periods among some texts; None where there are none.

    >>> usual_grain(["Region", "Q1 2025", "Q2 2025", "2025"])
    'quarter'
    """
    grains = Counter(label.grain for _, label in _labels(texts) if label)
    return grains.most_common(1)[0][0] if grains else None


def label_of(text: str, each: Grain) -> Label | None:
    """What the name of a period says where one of a grain is looked for: ``202501`` may be a week."""
    six = _SIX_DIGITS.fullmatch(text.strip()) if each == "week" else None
    return Label("week", int(six["y"]), int(six["n"])) if six else read_label(text)
