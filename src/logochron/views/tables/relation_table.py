"""A relation as a table for people: each item beside its reference, now and before."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from logochron.core.book.measures import Measure
from logochron.core.choices import DIRECTIONS, VERDICTS
from logochron.core.judge.judging import verdict
from logochron.core.questions.relate import Relation
from logochron.views.catalog import message
from logochron.views.formats import Formats, capital, shortened, words
from logochron.views.marks import marks_of
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
from logochron.views.words.titles import against_words, beside_words, coverage_line, subject, unit
from logochron.views.words.told import all_told, notes_told

_RATIO = message("Ratio: {measure} divided by {reference}; before: {base}; change in percentage points")
_FIGURES = ("reference", "gap", "ratio", "ratio_before")


def relation_tables(result: Relation, formats: Formats, shown: Shown = ALL) -> list[TableSpec]:
    """A table for each measure."""
    return [_table(result, measure, formats, shown) for measure in result.measures]


def _table(result: Relation, measure: Measure, formats: Formats, shown: Shown) -> TableSpec:
    decimals = decimals_of(result, measure, formats, ("value", "reference"), "gap", of_total=False)
    figures, items = FigureCells(result, formats, decimals, measure), item_columns(result, formats)
    judging = result.judgings[measure.name]
    marks = marks_of(judging, formats)
    verdicts = verdict(np.arange(len(DIRECTIONS), dtype=np.int8), measure.better, judging)
    # a relation has no verdict of its own: its marks are those of each direction's
    signs = {one: marks.sign(one, VERDICTS[of]) for one, of in zip(DIRECTIONS, verdicts.tolist())}
    rows = [
        _row(result, line, figures, signs, items, starts=n == 0)
        for period in lines_of(result, measure, formats, shown)
        for n, line in enumerate(period)
    ]
    filled = {name for row in rows for name, cell in row.cells.items() if cell.text}
    beside = beside_words(result, formats)
    named = figures.column("reference_item") if result.beside == "largest" else None
    return TableSpec(
        title=formats.dot.join(
            [subject(result, measure, formats, split=True), formats.say("beside {reference}", reference=beside)]
        ),
        unit=unit(measure, formats),
        columns=(
            *opening_columns(formats, filled),
            *items,
            figures.column("value", capital(words(measure.name))),
            *([named] if named else []),
            figures.column("reference"),
            *([figures.column("gap")] if result.beside != "total" else []),
            figures.column("ratio"),
            TableColumn("bar", "", "bar", form="people"),
            figures.column("ratio_before"),
            figures.column("ratio_change", marked=True, least=5),
            *([TableColumn("note", "", "note")] if "note" in filled else []),
        ),
        rows=tuple(rows),
        marks_after=marks.after,
        marks_width=marks.width,
        lines=(
            formats.say(_RATIO, measure=words(measure.name), reference=beside, base=against_words(result, formats)),
            *all_told(result.notes, formats),
            coverage_line(result, formats),
        ),
    )


def _row(
    result: Relation,
    line: Line,
    figures: FigureCells,
    signs: Mapping[str, str],
    items: list[TableColumn],
    *,
    starts: bool,
) -> Row:
    formats, ratio = figures.formats, float(line.of("ratio"))
    cells = {
        **opening_cells(result, line, formats, starts=starts),
        **item_cells(items, line),
        "value": figures.cell(line, "value"),
    }
    held = result.beside == "total" and not np.isnan(ratio)
    if (line.subtotal or line.total) and not held:  # a sum of items is no item
        return line.row(cells)
    moved, direction = figures.cell(line, "ratio_change"), line.of("direction")
    text = formats.say("level") if direction == "level" else moved.text
    cells |= figures.cells(line, _FIGURES) | {
        "reference_item": Cell("text", shortened(line.of("reference_item") or "")),
        "bar": Cell("bar", formats.bar(ratio), bar=ratio),
        "ratio_change": moved._replace(text=text, mark=signs[direction]),
        "note": Cell("note", notes_told(line.of("notes"), formats)),
    }
    return line.row(cells, starts=starts)
