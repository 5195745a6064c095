"""A comparison as a table for people: plain cells and what they mean, whoever draws them."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cached_property
from typing import Any

import numpy as np

from logochron.core.book.measures import Measure
from logochron.core.days import to_days
from logochron.core.notes import note_of
from logochron.core.questions.compare import Comparison
from logochron.views.formats import Formats, capital, words
from logochron.views.marks import Marks, marks_of
from logochron.views.tables import sparks
from logochron.views.tables.item_rows import Line, Table, decimals_of, item_cells, item_headings, lines_of
from logochron.views.tables.spec import ALL, Row, Shown, TableSpec
from logochron.views.words.periods import beside_label
from logochron.views.words.titles import (
    base_heading,
    column_words,
    coverage_line,
    cut_of,
    period_label,
    table_title,
    unit,
)


def comparison_spec(
    result: Comparison, measure: Measure, formats: Formats, shown: Shown = ALL, marks: Marks | None = None
) -> TableSpec:
    """The table of one measure; with items, each period closes with its total. `marks`: others than it chooses."""
    writing = _Writing(result, measure, formats, shown, marks)
    rows = [writing.row(line, starts=n == 0) for period in writing.periods for n, line in enumerate(period)]
    filled = {name for row in rows for name, cell in row.cells.items() if cell}
    headings = {
        "period": column_words("period", formats),
        **({"when": ""} if "when" in filled else {}),
        **item_headings(result),
        "value": capital(words(measure.name)),
        "base": base_heading(result, formats),
        "change": column_words("change", formats, planned=result.plan is not None),
        "growth": column_words("growth", formats, planned=result.plan is not None),
        **({"spark": ""} if "spark" in filled else {}),
        **({"share": column_words("share", formats), "bar": ""} if result.by and "bar" in filled else {}),
        **({"band": column_words("band", formats)} if writing.judging.bands else {}),
        **({"advice": formats.say("Advice")} if "advice" in filled else {}),
        **({"note": ""} if "note" in filled else {}),
    }
    return TableSpec(
        title=table_title(result, measure, formats),
        unit=unit(measure, formats),
        headings=headings,
        numeric=frozenset({"value", "base", "change", "growth", "share"}),
        rows=tuple(rows),
        marks_after=writing.marks.after,
        lines=(*result.notes, coverage_line(result, formats)),
    )


class _Writing:
    """How the rows of one measure are written: the figures of each table as whole columns, once."""

    def __init__(
        self, result: Comparison, measure: Measure, formats: Formats, shown: Shown, marks: Marks | None
    ) -> None:
        self.result, self.measure, self.formats, self.shown = result, measure, formats, shown
        self.judging = result.judgings[measure.name]
        self.marks = marks or marks_of(self.judging, formats)
        self.decimals = decimals_of(result, measure, formats)
        self.periods = list(lines_of(result, measure, formats, shown))
        tables = {id(line.columns): line.columns for period in self.periods for line in period}
        self._written = {place: self._columns(table) for place, table in tables.items()}
        shown_growths = (self._written[id(line.columns)]["growth"][line.i] for p in self.periods for line in p)
        self._growth_width = max(map(len, shown_growths), default=1)

    def _columns(self, table: Table) -> Mapping[str, list[str]]:
        """The cells of a table's figures, column by column."""
        formats = self.formats
        growths = formats.growths(table["growth"])
        for place in np.flatnonzero((table["direction"] == "level") & np.isnan(table["growth"])).tolist():
            growths[place] = formats.say("level")
        judged = zip(table["direction"], table["verdict"], table["band"])
        return {
            "value": formats.numbers(table["value"], self.decimals),
            "base": formats.numbers(table["base"], self.decimals),
            "change": formats.numbers(table["change"], self.decimals, signed=True),
            "growth": growths,
            "sign": [self.marks.sign(*one) for one in judged],
            "share": formats.parts(table["share"]),
            "bar": list(map(formats.bar, table["share"].tolist())),
        }

    @cached_property
    def _sparks(self) -> sparks.SparkLines:
        return sparks.SparkLines(self.result, self.measure)

    def row(self, line: Line, *, starts: bool) -> Row:
        """One row."""
        result, formats, table, i = self.result, self.formats, line.columns, line.i
        written = self._written[id(table)]
        band = self.judging.band(table["band"][i])
        place = int(table["period"][i])
        named: dict[str, str] = {}
        if starts or not result.by:
            days = {name: table[name][i] for name in ("start", "end")}
            start, end = (int(to_days(day)) for day in days.values())
            status = str(table["status"][i])
            named["period"] = period_label(result, result.periods[place], status, start, end, formats)
            named["when"] = beside_label(result, start, end, status, formats)
        small: tuple[float, ...] = ()
        if self.shown.sparks:
            small = tuple(self._sparks.of(tuple(table[name][i] for name in result.by), place).tolist())
            named["spark"] = sparks.bars(np.array(small), plain=formats.plain)
        cells = {
            **named,
            **item_cells(result, line),
            **{name: written[name][i] for name in ("value", "base", "change", "share")},
            "growth": self.marks.cell(written["sign"][i], written["growth"][i], self._growth_width),
            "bar": "" if line.total else written["bar"][i],
            "band": band.name if band else formats.dash,
            "advice": band.advice if band else "",
            "note": "; ".join(self._notes(line)),
        }
        share = float(table["share"][i]) if result.by and not line.total else float("nan")
        return Row(
            cells,
            table["verdict"][i],
            line.total,
            starts,
            line.depth,
            line.subtotal,
            small,
            share,
            line.figures("value", "base", "change", "growth", "share"),
            line.source,
        )

    def _notes(self, line: Line) -> list[str]:
        result, formats, table, i = self.result, self.formats, line.columns, line.i
        status = table["status"][i]
        notes: list[Any] = [table["note"][i]] if table["note"][i] else []
        # with items the days are said once, at the period's total
        if line.total or not result.by:
            if status == "to-date" and not np.isnat(table["base_start"][i]) and result.each != "day":
                notes.insert(0, cut_of(result, table, i, formats))
            elif status == "partial" and not note_of(table["notes"][i], "not recorded"):
                start, end = (int(to_days(table[name][i])) for name in ("start", "end"))
                notes.insert(0, formats.say("{days} only", days=formats.span(start, end, year=False)))
        if "unusual" in table and table["unusual"][i] == 1:
            low, high = (formats.growth(table[name][i]) for name in ("usual_low", "usual_high"))
            notes.append(formats.say("unusual: {low} to {high} is ordinary", low=low, high=high))
        return notes
