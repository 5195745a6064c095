"""A comparison as a table for people, with small lines of earlier periods where they are asked for."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from logochron.core.align.align import few_have_base
from logochron.core.book.measures import Measure
from logochron.core.choices import COMPLETE
from logochron.core.days import to_days
from logochron.core.notes import note_of
from logochron.core.questions.compare import Comparison
from logochron.core.rows.figures import Floats
from logochron.views.formats import Formats, capital, words
from logochron.views.marks import Marks, marks_of
from logochron.views.tables.cells import ALL, Cell, Row, Shown, TableColumn, TableSpec
from logochron.views.tables.item_rows import (
    FigureCells,
    Line,
    item_cells,
    item_columns,
    lines_of,
    opening_cells,
    opening_columns,
)
from logochron.views.words.movement import decimals_of
from logochron.views.words.titles import base_heading, column_words, coverage_line, cut_of, table_title, unit
from logochron.views.words.told import all_told, notes_told

_FIGURES = ("value", "base", "change", "share")
#: What stands there only where it is asked for, as figures.
_AT_WILL = ("rank", "base_rank", "cumulative_share", "growth_per_year")
#: So many periods a small line shows at most.
SPARK_PERIODS = 13
_NOTHING: Floats = np.zeros(0)
_BARS, _ASCII = "▁▂▃▄▅▆▇█", "_.-=*#"


def comparison_tables(result: Comparison, formats: Formats, shown: Shown = ALL) -> list[TableSpec]:
    """A table for each measure."""
    once = shown.once and few_have_base(result.spec, result.alignment)  # the reason stands below then
    return [comparison_table(result, measure, formats, shown, once=once) for measure in result.measures]


def comparison_table(
    result: Comparison,
    measure: Measure,
    formats: Formats,
    shown: Shown = ALL,
    marks: Marks | None = None,
    *,
    once: bool = False,
) -> TableSpec:
    """The table of one measure; with items, each period closes with its total.

    Parameters
    ----------
    marks
        Others than it chooses.
    once
        Whether rows leave out that the records start too late for a base, which is told below.
    """
    marks = marks or marks_of(result.judgings[measure.name], formats)
    decimals = decimals_of(result, measure, formats)
    figures, items = FigureCells(result, formats, decimals, measure), item_columns(result, formats)
    sparks = SparkLines(result, measure) if shown.sparks and result.each != "span" else None
    rows = [
        _row(result, line, figures, marks, items, sparks, starts=n == 0, once=once)
        for period in lines_of(result, measure, formats, shown)
        for n, line in enumerate(period)
    ]
    return table_of_rows(result, measure, formats, rows, decimals, marks)


def table_of_rows(
    result: Comparison,
    measure: Measure,
    formats: Formats,
    rows: Sequence[Row],
    decimals: int,
    marks: Marks | None = None,
) -> TableSpec:
    """The table of one measure with rows that are made already, whose amounts have so many decimals."""
    judging = result.judgings[measure.name]
    marks = marks or marks_of(judging, formats)
    figures, items = FigureCells(result, formats, decimals, measure), item_columns(result, formats)
    judged, in_percent = figures.judged_column, measure.in_percent
    change = formats.say("Points") if in_percent else None
    filled = {name for row in rows for name, cell in row.cells.items() if cell.text}
    bar = [figures.column("share", aside=True), TableColumn("bar", "", "bar", form="people")]
    columns = [
        *opening_columns(formats, filled),
        *items,
        *(figures.column(name) for name in ("rank", "base_rank") if name in filled),
        figures.column("value", capital(words(measure.name))),
        figures.column("base", base_heading(result, formats)),
        *(() if in_percent else (figures.column("change"),)),
        figures.column(judged, change, marked=True),
        *(figures.column(name) for name in ("growth_per_year",) if name in filled),
        *(bar if result.by and "bar" in filled else []),
        *(figures.column(name) for name in ("cumulative_share",) if name in filled),
        *([TableColumn("band", column_words("band", formats), "text")] if judging.bands else []),
        *([TableColumn("advice", formats.say("Advice"), "text")] if "advice" in filled else []),
        *([TableColumn("note", "", "note")] if "note" in filled else []),
    ]
    if "spark" in filled:  # people see it beside the growth
        columns.insert(columns.index(next(c for c in columns if c.marked)) + 1, TableColumn("spark", "", "spark"))
    return TableSpec(
        title=table_title(result, measure, formats),
        unit="" if in_percent else unit(measure, formats),
        columns=tuple(columns),
        rows=tuple(rows),
        lines=(*all_told(result.notes, formats), coverage_line(result, formats)),
        marks_after=marks.after,
        marks_width=marks.width,
        in_percent=in_percent,
    )


def _row(
    result: Comparison,
    line: Line,
    figures: FigureCells,
    marks: Marks,
    items: list[TableColumn],
    sparks: SparkLines | None,
    *,
    starts: bool,
    once: bool,
) -> Row:
    formats, share = figures.formats, float(line.of("share"))
    judging = result.judgings[str(line.of("measure"))]
    band = judging.band(line.of("band"))
    cells = {
        **opening_cells(result, line, formats, starts=starts or not result.by),
        **item_cells(items, line),
        **figures.cells(line, _FIGURES),
        figures.judged_column: figures.judged(line, marks),
        "band": Cell("text", band.name if band else formats.dash),
        "advice": Cell("text", band.advice if band else ""),
        "note": Cell("note", "; ".join(_notes(result, line, formats, once=once))),
    }
    told = [name for name in _AT_WILL if name in line.columns]
    cells |= {name: figures.cell(line, name) for name in told if not line.total or name == "growth_per_year"}
    if result.by and not line.total:
        cells["bar"] = Cell("bar", formats.bar(share), bar=share)
    if sparks is not None:
        cells["spark"] = sparks.cell(line, plain=formats.plain)
    return line.row(cells, starts=starts)


def _notes(result: Comparison, line: Line, formats: Formats, *, once: bool) -> list[str]:
    table, i = line.columns, line.i
    status = line.of("status")
    told = line.of("notes")
    if once:
        told = tuple(note for note in told if note.code != "no base: records start")
    notes: list[Any] = [text] if (text := notes_told(told, formats)) else []
    # with items the days are said once, at the period's total
    if line.total or not result.by:
        if status == "to-date" and not np.isnat(line.of("base_start")) and result.each != "day":
            notes.insert(0, cut_of(result, table, i, formats))
        elif status == "partial" and not note_of(line.of("notes"), "not recorded"):
            start, end = (int(to_days(line.of(name))) for name in ("start", "end"))
            notes.insert(0, formats.say("{days} only", days=formats.span(start, end, year=False)))
    if "unusual" in table and line.of("unusual") == 1:
        low, high = (formats.growth(line.of(name)) for name in ("usual_low", "usual_high"))
        notes.append(formats.say("unusual: {low} to {high} is ordinary", low=low, high=high))
    return notes


class SparkLines:
    """The values of each item of a comparison by period, those before its first one too; looked up by its labels."""

    def __init__(self, result: Comparison, measure: Measure, longer: Comparison | None = None) -> None:
        self.by = result.by
        longer = longer or result.with_earlier(SPARK_PERIODS)
        self._unfinished = (result.alignment.status != COMPLETE).tolist()
        self._before = len(longer.periods) - len(result.periods)
        self._values: dict[tuple[str | None, ...], Floats] = {}
        for columns in (longer.columns, longer.subtotal_columns, longer.total_columns):
            for block in longer.of_measure(columns, measure).blocks:
                values = np.broadcast_to(block.columns["value"], block.shape)
                labels = [np.broadcast_to(block.columns[name], (1, block.shape[1]))[0] for name in longer.by]
                for place, named in enumerate(zip(*labels) if labels else [()]):
                    self._values[named] = values[:, place]

    def last(self, line: Line, *, plain: bool) -> Cell:
        """The last whole periods of a row's item, up to the last one."""
        return self.cell(line, plain=plain, period=len(self._unfinished) - 1)

    def cell(self, line: Line, *, plain: bool, period: int | None = None) -> Cell:
        """The last whole periods of a row's item, up to its own."""
        period = int(line.of("period")) if period is None else period
        return self.up_to(line, self._before + period + (not self._unfinished[period]), plain=plain)

    def up_to(self, line: Line, end: int, *, plain: bool) -> Cell:
        """The periods of a row's item before the one at a place."""
        values = self._values.get(tuple(line.of(name) for name in self.by), _NOTHING)  # the plan alone may have it
        values = values[max(end - SPARK_PERIODS, 0) : end]
        return Cell("spark", small_bars(values, plain=plain), spark=tuple(values.tolist()))


def small_bars(values: Floats, *, plain: bool = False) -> str:
    """A small line of bars as text, from the lowest (0 where none is below) to the highest; unknown ones are blank.

    >>> small_bars(np.array([1.0, 4.0, np.nan, 8.0])), small_bars(np.array([1.0, 8.0]), plain=True)
    ('▂▅ █', '.#')
    """
    signs = _ASCII if plain else _BARS
    known = values[np.isfinite(values)]
    if not len(known):
        return ""
    low, high = min(float(known.min()), 0.0), float(known.max())
    if low == high:
        return "".join(signs[0] if np.isfinite(value) else " " for value in values)
    heights = np.rint((np.nan_to_num(values, nan=low) - low) / (high - low) * (len(signs) - 1)).astype(int)
    return "".join(signs[height] if known else " " for height, known in zip(heights, np.isfinite(values)))
