"""The findings of a review as a table for people."""

from __future__ import annotations

from logochron.core.questions.review import Review
from logochron.core.rows.columns import COLUMNS
from logochron.views.formats import Formats
from logochron.views.tables.spec import Row, TableSpec
from logochron.views.words.catalog import how_many


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
    n = formats.number(len(rows), 0)
    return TableSpec(
        title=f"Review of {result.name}{formats.dot}{how_many(len(rows), n, '{n} finding', '{n} findings')}",
        unit="",
        headings={
            "period": COLUMNS["finding"].heading,
            "column": COLUMNS["column"].heading,
            "days": "Days",
            "count": COLUMNS["count"].heading,
            "example": COLUMNS["example"].heading,
            "note": COLUMNS["effect"].heading,
        },
        numeric=frozenset({"count"}),
        rows=tuple(rows),
        lines=result.notes,
        empty="Nothing that would mislead a comparison was found.",
    )
