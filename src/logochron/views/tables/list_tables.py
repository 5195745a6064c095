"""Findings and periods as tables for people."""

from __future__ import annotations

from logochron.core.days import to_days
from logochron.core.questions.period_list import PeriodList
from logochron.core.questions.review import Review
from logochron.views.formats import Formats, capital, plural
from logochron.views.tables.spec import Row, TableSpec


def review_spec(result: Review, formats: Formats) -> TableSpec:
    """The findings of a review, each with what it would do to a comparison."""
    rows = []
    for finding in result.findings:
        days = ""
        if finding.first is not None and finding.last is not None:
            days = formats.span(finding.first, finding.last)
        rows.append(
            Row(
                {
                    "period": finding.finding,
                    "column": finding.column,
                    "days": days,
                    "count": formats.number(finding.count, 0),
                    "example": finding.example,
                    "note": finding.effect,
                },
                "",
            )
        )
    n = len(rows)
    return TableSpec(
        title=f"Review of {result.name}{formats.dot}{formats.number(n, 0)} {'finding' if n == 1 else 'findings'}",
        unit="",
        headings={
            "period": "Finding",
            "column": "Column",
            "days": "Days",
            "count": "Count",
            "example": "Example",
            "note": "What it does",
        },
        numeric=frozenset({"count"}),
        rows=tuple(rows),
        lines=result.notes,
        empty="Nothing that would mislead a comparison was found.",
    )


def periods_spec(result: PeriodList, formats: Formats) -> TableSpec:
    """The periods of a calendar, each with its days; what names the years below."""
    columns, rows = result.columns, []
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
    word = capital(plural(result.calendar.word(result.each)))
    return TableSpec(
        title=f"{word} of the calendar{formats.dot}{formats.number(len(rows), 0)}",
        unit="",
        headings={
            "period": capital(result.calendar.word(result.each)),
            "start": "First day",
            "end": "Last day",
            "year": "Year",
            "number": "Number",
            "days": "Days",
            **({"weeks": "Weeks"} if weekly else {}),
        },
        numeric=frozenset({"year", "number", "days", "weeks"}),
        rows=tuple(rows),
        lines=result.notes,
        firm=frozenset({"period", "start", "end"}),
        dropped=(("weeks",), ("number",), ("year",), ("days",)),
        empty="The calendar has no period in these days.",
    )
