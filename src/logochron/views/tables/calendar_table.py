"""The periods of a calendar as a table for people."""

from __future__ import annotations

from logochron.core.days import to_days
from logochron.core.questions.period_list import PeriodList
from logochron.views.catalog import plural
from logochron.views.formats import Formats, capital
from logochron.views.tables.spec import Row, TableSpec
from logochron.views.words.titles import column_words


def calendar_spec(result: PeriodList, formats: Formats) -> TableSpec:
    """The periods of a calendar, each with its days; what names the years below."""
    columns, rows = dict(result.columns), []  # laid out once
    weekly = result.calendar.whole_weeks and result.each != "day"
    for i, label in enumerate(result.periods):
        start, end = (int(to_days(columns[name][i])) for name in ("start", "end"))
        days = int(columns["days"][i])
        cells = {
            "period": label,
            "start": f"{formats.weekday(start)} {formats.day(start)}",
            "end": f"{formats.weekday(end)} {formats.day(end)}",
            "year": str(columns["year"][i]),
            "number": str(columns["number"][i]),
            "days": formats.number(days, 0),
            "weeks": formats.number(days // 7, 0),
        }
        rows.append(Row(cells, ""))
    word = capital(plural(result.calendar.word(result.each)) or "periods")
    return TableSpec(
        title=f"{word} of the calendar{formats.dot}{formats.number(len(rows), 0)}",
        unit="",
        headings={
            "period": capital(result.calendar.word(result.each)),
            "start": column_words("start", formats),
            "end": column_words("end", formats),
            "year": column_words("year", formats),
            "number": column_words("number", formats),
            "days": column_words("days", formats),
            **({"weeks": "Weeks"} if weekly else {}),
        },
        numeric=frozenset({"year", "number", "days", "weeks"}),
        rows=tuple(rows),
        lines=result.notes,
        firm=frozenset({"period", "start", "end"}),
        dropped=(("weeks",), ("number",), ("year",), ("days",)),
        empty="The calendar has no period in these days.",
    )
