"""Dates whose parts stand in several columns: year and month, year and week, date and time."""

from __future__ import annotations

import re
from collections.abc import Sequence

from logochron.core.calendars.written_names import full_year
from logochron.core.errors import QuestionError
from logochron.sources.values.dates import names_a_day
from logochron.sources.values.month_names import month_names

#: What stands between the parts in the text that is read.
BETWEEN = " / "
_SIGN = r"(?:[^\W\d_]+\.? ?)?"
_WHOLE = re.compile(rf"{_SIGN}(\d{{1,4}})(?:\.0)?\.?", re.ASCII)
_NAMED = re.compile(r"(?:\d{1,2}[ .\-]+)?([^\W\d_]{3,})\.?")
_TIME = re.compile(r"\d{1,2}:\d\d(:\d\d)?(?:[.,]\d+)? ?(?:[ap]m)?", re.IGNORECASE)
#: What columns of parts are called, the longer periods first.
_CALLED = {
    "year": re.compile(r"year|jahr|ann[ée]e|a[ñn]o|\bfy\b|\bgj\b", re.IGNORECASE),
    "quarter": re.compile(r"quarter|quartal|qtr|trimes", re.IGNORECASE),
    "month": re.compile(r"month|monat|mois|\bmes\b|period", re.IGNORECASE),
    "week": re.compile(r"week|woche|\bkw\b|\bcw\b|\bwk\b|semana|semaine", re.IGNORECASE),
    "day": re.compile(r"day|tag|jour|d[ií]a", re.IGNORECASE),
}
#: The part of the texts that must be such: others are refused row by row.
_NEARLY = 0.8
_MOST = {"quarter": 4, "month": 12, "day": 31, "week": 53}
_FORMS = {"quarter": "{year}-Q{n}", "month": "{year}-{n:02d}", "week": "{year}-W{n:02d}"}


def part_of(column: str, texts: Sequence[str]) -> str:
    """Which part of a date a column holds: year, quarter, month, week, day, date or time; empty where none.

    >>> part_of("Jahr", ["2025", "2026"]), part_of("KW", ["1", "17"]), part_of("Monat", ["Jan", "Mrz"])
    ('year', 'week', 'month')
    """
    filled = [text.strip() for text in texts if text.strip()]
    if not filled:
        return ""
    least = _NEARLY * len(filled)
    for part, is_one in (("time", _TIME.fullmatch), ("month", _month_number)):
        if sum(map(bool, map(is_one, filled))) >= least:
            return part
    known = [number for text in filled if (number := _number(text)) is not None]
    if len(known) < least:
        return "date" if sum(map(names_a_day, filled)) >= least else ""
    named = called(column)
    years = sum(1900 <= number <= 2100 for number in known)
    if years >= least or (named == "year" and sum(number < 100 for number in known) >= least):
        return "year"
    fitting = sum(1 <= number <= _MOST.get(named, 0) for number in known)
    return named if fitting >= least else ""


def called(column: str) -> str:
    """The part of a date that a column is called; empty where it is called like none.

    >>> called("Jahr"), called("KW"), called("Region")
    ('year', 'week', '')
    """
    return next((part for part, name in _CALLED.items() if name.search(column)), "")


def joined(texts: Sequence[str | None], columns: Sequence[str]) -> list[str | None]:
    """Texts of parts as texts of days or names of periods: a part that cannot be read leaves its text as it is.

    Parameters
    ----------
    texts
        The parts of each, with `BETWEEN` between them.

    Raises
    ------
    QuestionError
        Where the columns make no date together.
    """
    if not any(BETWEEN in text for text in texts if text):  # dates beside times, which were left out already
        return list(texts)
    rows = [(text or "").split(BETWEEN) for text in texts]
    of = {part_of(column, [row[i] for row in rows if len(row) == len(columns)]): i for i, column in enumerate(columns)}
    parts = set(of)
    if parts in ({"date", "time"}, {"date"}):
        return [row[of["date"]] if len(row) == len(columns) else text for row, text in zip(rows, texts)]
    wanted = ({"year", "month"}, {"year", "week"}, {"year", "quarter"}, {"year", "month", "day"})
    if parts not in wanted or len(parts) < len(columns):
        named = ", ".join(f"{column!r}" for column in columns)
        raise QuestionError(
            "`date`: the columns {0} make no date together: expected a year and a month, a week "
            "or a quarter; a year, a month and a day; or a date and a time",
            named,
        )
    return [_one(row, of) if len(row) == len(columns) else text for row, text in zip(rows, texts)]


def _one(row: Sequence[str], of: dict[str, int]) -> str:
    """The name of the period, or the day, that some parts make."""
    found = {part: _month_number(row[i].strip()) or _number(row[i].strip()) for part, i in of.items()}
    if None in found.values():
        return BETWEEN.join(row)
    numbers = {part: number for part, number in found.items() if number is not None}
    year = full_year(f"{numbers['year']:02d}")
    if "day" in of:
        return f"{year}-{numbers['month']:02d}-{numbers['day']:02d}"
    (part,) = set(of) - {"year"}
    return _FORMS[part].format(year=year, n=numbers[part])


def _number(text: str) -> int | None:
    match = _WHOLE.fullmatch(text)
    return int(match[1]) if match else None


def _month_number(text: str) -> int | None:
    """The month that a name says, maybe behind its number: ``Mrz``, ``03 - March``."""
    match = _NAMED.fullmatch(text)
    return month_names().get(match[1].casefold()) if match else None
