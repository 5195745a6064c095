"""A comparison as a table for people: plain cells and what they mean, whoever draws them."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from logochron.core.book.measures import Measure
from logochron.core.days import to_days
from logochron.core.judge.judging import Judging
from logochron.core.notes import note_of
from logochron.core.questions.compare import Comparison
from logochron.core.rows.columns import COLUMNS, heading
from logochron.views.formats import Formats, capital, words
from logochron.views.marks import Marks, marks_of
from logochron.views.tables.item_rows import Line, decimals_of, growth_of, item_cells, item_headings, lines_of
from logochron.views.tables.spec import ALL, Row, Shown, TableSpec
from logochron.views.words.titles import against_words, base_heading, coverage_line, cut_of, period_label, subject, unit


class _Writing(NamedTuple):
    """How the figures of one measure are written."""

    result: Comparison
    formats: Formats
    decimals: int
    judging: Judging
    marks: Marks
    growth_width: int


def comparison_spec(result: Comparison, measure: Measure, formats: Formats, shown: Shown = ALL) -> TableSpec:
    """The table of one measure; with items, each period closes with its total."""
    decimals = decimals_of(result, measure, formats)
    judging = result.judgings[measure.name]
    marks = marks_of(judging, formats)
    periods = list(lines_of(result, measure, shown))
    width = max((len(growth_of(line, formats)) for period in periods for line in period), default=1)
    writing = _Writing(result, formats, decimals, judging, marks, width)
    rows = [_row(writing, line, starts=place == 0) for period in periods for place, line in enumerate(period)]
    filled = {name for row in rows for name, cell in row.cells.items() if cell}
    headings = {
        "period": COLUMNS["period"].heading,
        **item_headings(result),
        "value": capital(words(measure.name)),
        "base": base_heading(result),
        "change": heading("change", planned=result.plan is not None),
        "growth": heading("growth", planned=result.plan is not None),
        **({"share": COLUMNS["share"].heading, "bar": ""} if result.by and "bar" in filled else {}),
        **({"band": COLUMNS["band"].heading} if judging.bands else {}),
        **({"advice": "Advice"} if "advice" in filled else {}),
        **({"note": ""} if "note" in filled else {}),
    }
    return TableSpec(
        title=f"{subject(result, measure, split=True)}{formats.dot}against {against_words(result)}",
        unit=unit(measure, formats),
        headings=headings,
        numeric=frozenset({"value", "base", "change", "growth", "share"}),
        rows=tuple(rows),
        lines=(*result.notes, coverage_line(result, formats)),
    )


def _row(writing: _Writing, line: Line, *, starts: bool) -> Row:
    result, formats, decimals = writing.result, writing.formats, writing.decimals
    table, i = line.columns, line.i
    start, end = (int(to_days(table[name][i])) for name in ("start", "end"))
    status, label = table["status"][i], result.periods[int(table["period"][i])]
    band = writing.judging.band(table["band"][i])
    sign = writing.marks.sign(table["direction"][i], table["verdict"][i], table["band"][i])
    period = period_label(result, label, status, start, end, formats) if starts or not result.by else ""
    cells = {
        "period": period,
        **item_cells(result, line),
        "value": formats.number(table["value"][i], decimals),
        "base": formats.number(table["base"][i], decimals),
        "change": formats.number(table["change"][i], decimals, signed=True),
        "growth": writing.marks.cell(sign, growth_of(line, formats), writing.growth_width),
        "share": formats.part(table["share"][i]),
        "bar": "" if line.total else formats.bar(table["share"][i]),
        "band": band.name if band else formats.dash,
        "advice": band.advice if band else "",
        "note": "; ".join(_notes(writing, line, start, end)),
    }  # fmt: skip
    return Row(cells, table["verdict"][i], line.total, starts, line.depth, line.subtotal)


def _notes(writing: _Writing, line: Line, start: int, end: int) -> list[str]:
    result, formats, table, i = writing.result, writing.formats, line.columns, line.i
    status = table["status"][i]
    notes = [table["note"][i]] if table["note"][i] else []
    cut = not np.isnat(table["base_start"][i]) and status == "to-date" and result.each not in ("day",)
    # with items the days are said once, at the period's total
    if cut and (line.total or not result.by):
        notes.insert(0, cut_of(result, table, i, formats))
    elif status == "partial" and not note_of(table["notes"][i], "not recorded") and (line.total or not result.by):
        notes.insert(0, f"{formats.span(start, end, year=False)} only")
    if "unusual" in table and table["unusual"][i] == 1:
        low, high = (formats.growth(table[name][i]) for name in ("usual_low", "usual_high"))
        notes.append(f"unusual: {low} to {high} is ordinary")
    return notes
