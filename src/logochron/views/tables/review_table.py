"""The findings of a review as a table for people."""

from __future__ import annotations

from logochron.core.questions.review import Review
from logochron.views.formats import Formats
from logochron.views.tables.spec import Row, TableSpec
from logochron.views.words.titles import column_words


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
    return TableSpec(
        title=f"Review of {result.name}{formats.dot}{formats.count(len(rows), '{n} finding', '{n} findings')}",
        unit="",
        headings={
            "period": column_words("finding", formats),
            "column": column_words("column", formats),
            "days": "Days",
            "count": column_words("count", formats),
            "example": column_words("example", formats),
            "note": column_words("effect", formats),
        },
        numeric=frozenset({"count"}),
        rows=tuple(rows),
        lines=result.notes,
        empty="Nothing that would mislead a comparison was found.",
    )
