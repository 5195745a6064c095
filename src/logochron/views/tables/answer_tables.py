"""The tables of an answer, by the row of its question; the plain ones of those that have none of their own."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from logochron.core.book.measures import Measure
from logochron.core.errors import QuestionError
from logochron.core.rows.answer import AlignedAnswer
from logochron.core.rows.question_types import loaded
from logochron.core.rows.result import Blocks, Result
from logochron.core.said import Said
from logochron.views.formats import Formats, capital, words
from logochron.views.tables.cells import ALL, Cell, Row, Shown, TableColumn, TableSpec
from logochron.views.tables.item_rows import (
    FigureCells,
    cell_kind,
    figure_texts,
    item_cells,
    item_columns,
    lines_of,
)
from logochron.views.words.movement import decimals_of
from logochron.views.words.titles import column_words, coverage_line, earlier_words, subject, unit
from logochron.views.words.told import all_told

#: So many rows has a page at most.
MOST_OF_PAGE = 200_000
#: What people are shown at most, and what a workbook holds that is made in a memory of 1.5 GB.
_MOST = {"a page": MOST_OF_PAGE, "a table of text": 200_000, "a workbook": 500_000}
#: Columns that a plain table leaves out: its title says them.
_SAID = ("measure",)


def tables_of(answer: Result, formats: Formats, shown: Shown = ALL) -> list[TableSpec]:
    """The tables of an answer, or of the latest that is to be shown of it; what is left out is said below."""
    specs: list[TableSpec] = loaded(answer.type.tables)(answer, formats, shown)
    rows = 0
    if isinstance(answer, AlignedAnswer):
        earlier = len(answer.periods) - (shown.periods or len(answer.periods))
        if earlier > 0:
            said = earlier_words(answer, earlier, formats)
            specs = [replace(spec, lines=(said, *spec.lines)) if spec.has_periods else spec for spec in specs]
        rows = 0 if any(spec.excerpt for spec in specs) else answer.columns.rows
    specs = [replace(spec, empty=formats.say(spec.empty)).setting_off() for spec in specs]
    return [spec.cut(shown.rows, formats, rows) for spec in specs]


def plain_tables(answer: Result, formats: Formats, shown: Shown = ALL) -> list[TableSpec]:
    """All columns of an answer as they are: by measure with its items where it has such, else row by row."""
    if isinstance(answer, AlignedAnswer):
        return [_of_items(answer, measure, formats, shown) for measure in answer.measures]
    return [_of_rows(answer, formats)]


def _of_items(answer: AlignedAnswer, measure: Measure, formats: Formats, shown: Shown) -> TableSpec:
    of = answer.type
    amounts = [n for n in of.named_columns() if of.holds(n) in ("amount", "difference") and n in answer.columns]
    decimals = decimals_of(answer, measure, formats, amounts, amounts[-1]) if amounts else 0
    figures, items = FigureCells(answer, formats, decimals, measure), item_columns(answer, formats)
    names = [name for name in of.named_columns() if name in answer.columns and name not in _SAID]
    rows = []
    for period in lines_of(answer, measure, formats, shown):
        for n, line in enumerate(period):
            cells = item_cells(items, line)
            for name in names:
                kind = cell_kind(of.column(name))
                if kind == "period":
                    cells[name] = Cell(kind, answer.periods[int(line.of(name))] if not n or not answer.by else "")
                elif kind in ("text", "day"):
                    cells[name] = _plain_cell(kind, line.of(name), formats)
                else:
                    cells[name] = figures.cell(line, name)
            rows.append(line.row(cells, starts=not n))
    columns = [figures.column(name, firm=of.holds(name) == "period") for name in names]
    place = names.index("period") + 1 if "period" in names else 0
    return TableSpec(
        title=subject(answer, measure, formats, split=True),
        unit=unit(measure, formats) if amounts else "",
        columns=(*columns[:place], *items, *columns[place:]),
        rows=tuple(rows),
        lines=(*all_told(answer.notes, formats), coverage_line(answer, formats)),
    )


def _of_rows(answer: Result, formats: Formats) -> TableSpec:
    columns, of = answer.columns, answer.type
    decimals = formats.decimals or 0
    columns_of_cells: dict[str, Sequence[Cell]] = {
        name: _column(answer, columns, name, formats, decimals) for name in columns
    }
    rows = [Row(dict(zip(columns_of_cells, cells))) for cells in zip(*columns_of_cells.values())]
    return TableSpec(
        title=capital(words(of.name)),
        unit="",
        columns=tuple(
            TableColumn(name, column_words(of.column(name), formats), cell_kind(of.column(name)), decimals=decimals)
            for name in columns
        ),
        rows=tuple(rows),
        lines=all_told(answer.notes, formats),
        empty="There is no row to show.",
    )


def _column(answer: Result, columns: Blocks, name: str, formats: Formats, decimals: int) -> list[Cell]:
    """The cells of a column of an answer without items."""
    column = answer.type.column(name)
    kind = cell_kind(column)
    if column.kind in ("label", "word", "text", "period"):
        return [_plain_cell(kind, text, formats) for text in answer.texts(columns, name)]
    if kind in ("text", "day"):
        return [_plain_cell(kind, value, formats) for value in columns[name]]
    values = np.asarray(columns[name], dtype=np.float64)
    texts = figure_texts(kind, values, formats, decimals)
    return [Cell(kind, text, value) for text, value in zip(texts, values.tolist())]


def _plain_cell(kind: Any, value: Any, formats: Formats) -> Cell:
    """A text or a day as it is."""
    if isinstance(value, np.datetime64):
        if np.isnat(value):
            return Cell("day", formats.dash)
        day = int(value.astype("datetime64[D]").astype(np.int64))
        return Cell("day", formats.day(day), day)
    return Cell(kind, "" if value is None else str(value))


def check_room(result: Result, form: str, periods: int | None = None) -> None:
    """Refuse an answer of more rows than a form has room for.

    Parameters
    ----------
    periods
        Only so many are shown; all where None.

    Raises
    ------
    QuestionError
        With both numbers, and how to ask for fewer.
    """
    rows = result.rows
    if periods is not None and len(result.periods) > periods:
        rows = rows * periods // len(result.periods)
    if rows > _MOST[form]:
        raise QuestionError(
            "{0:,} rows are more than {1} has room for, {2:,}: ask for fewer items by `top` "
            "(--top), for fewer periods by `last` (--last), or write .csv or .parquet, which "
            "hold them all",
            rows,
            Said(form),
            _MOST[form],
        )
