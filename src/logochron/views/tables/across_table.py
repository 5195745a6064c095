"""One figure of a comparison as a table for people: items down, periods across."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from logochron.core.book.measures import Measure
from logochron.core.choices import STATUSES, VERDICTS
from logochron.core.questions.across import Across, AcrossRows
from logochron.core.rows.question_types import COLUMNS, SheetFormulas
from logochron.views.catalog import message
from logochron.views.formats import Formats, shortened
from logochron.views.tables.cells import ALL, Cell, CellKind, Row, RowSource, Shown, TableColumn, TableSpec
from logochron.views.tables.item_rows import cell_kind, figure_texts, is_tree, item_columns
from logochron.views.words.movement import decimals_of
from logochron.views.words.titles import against_line, coverage_line, earlier_words, period_label, subject, unit
from logochron.views.words.told import all_told

_TITLES = {
    "value": "{measure}",
    "growth": message("{measure} growth"),
    "change": message("{measure} change"),
    "share": message("{measure} share"),
}
_POINTS = message("{measure} change in points")
_LEFT_OUT = message("the {n} earlier periods that do not fit here stand in a file: --out FILE.csv")


def across_tables(result: Across, formats: Formats, shown: Shown = ALL) -> list[TableSpec]:
    """A table for each measure."""
    return [_table(result, measure, formats, shown) for measure in result.measures]


def _table(result: Across, measure: Measure, formats: Formats, shown: Shown) -> TableSpec:
    answer, rows = result.answer, result.rows_of[measure.name]
    name: str = result.figure
    if measure.in_percent and name == "growth":
        name = "change"  # in points
    kind = cell_kind(COLUMNS[name])
    if measure.in_percent:
        kind = {"amount": "part", "difference": "points"}.get(kind, kind)  # type: ignore[assignment]
    first = max(len(answer.periods) - (shown.periods or len(answer.periods)), 0)
    decimals = decimals_of(answer, measure, formats)
    columns = [
        TableColumn(label, _heading(result, place, formats), kind, decimals=decimals)
        for place, label in enumerate(answer.periods)
        if place >= first
    ]
    pattern = _POINTS if kind == "points" else _TITLES[result.figure]
    title = subject(answer, measure, formats, split=True, pattern=pattern)
    amounts = kind in ("amount", "difference") and not measure.in_percent
    laid = _rows(result, rows, name, kind, first, decimals, formats, decimals if measure.in_percent else 1)
    return TableSpec(
        title=title if name in ("value", "share") else formats.dot.join([title, against_line(answer, formats)]),
        unit=unit(measure, formats) if amounts else "",
        columns=(*item_columns(answer, formats), *columns),
        rows=tuple(laid if shown.rows is None or len(laid) <= shown.rows else [*laid[: shown.rows - 1], laid[-1]]),
        lines=(*_earlier(result, first, formats), *all_told(answer.notes, formats), coverage_line(answer, formats)),
        dropped=tuple((column.name,) for column in columns[:-1]),
        dropped_said=formats.say(_LEFT_OUT, n="{n}"),
        formulas=SheetFormulas({}, tuple(c.name for c in columns) if amounts else ()),
    )


def _earlier(result: Across, first: int, formats: Formats) -> list[str]:
    """How many periods before those shown there are."""
    return [earlier_words(result.answer, first, formats)] if first else []


def _heading(result: Across, place: int, formats: Formats) -> str:
    """The label of a period; a running one says to which day."""
    aligned = result.answer.alignment
    start, end = int(aligned.starts[place]), int(aligned.ends[place])
    status = STATUSES[aligned.status[place]]
    return period_label(result.answer, result.periods[place], status, start, end, formats)


def _rows(
    result: Across,
    rows: AcrossRows,
    name: str,
    kind: CellKind,
    first: int,
    decimals: int,
    formats: Formats,
    of_percent: int,
) -> list[Row]:
    """The rows with their cells: written column by column."""
    labels, periods = result.periods[first:], range(first, len(result.periods))
    figures = rows.figures[name].astype(np.float64)
    judged = name in ("growth", "change")
    texts: list[list[Any]] = []
    for place in periods:
        column = figures[:, place]
        written = figure_texts(kind, column, formats, decimals, of_percent)
        verdicts: Sequence[str] = [""] * len(column)
        if judged:  # the sign says which way, the color whether that is good
            verdicts = np.array(VERDICTS, dtype=object)[rows.figures["verdict"][:, place]].tolist()
        texts.append([Cell(kind, t, v, verdict=d) for t, v, d in zip(written, column.tolist(), verdicts)])
    named, of = _names(result, rows, formats), dict(zip(result.by, rows.labels))
    last = rows.size - 1
    return [
        Row(
            {**named[n], **dict(zip(labels, cells))},
            total=bool(of) and n == last,
            subtotal=bool(of) and n != last and rows.labels[-1][n] is None,
            source=RowSource(of, n),
        )
        for n, cells in enumerate(zip(*texts))
    ]


def _names(result: Across, rows: AcrossRows, formats: Formats) -> list[dict[str, Cell]]:
    """The cells that name the item of each row."""
    columns = item_columns(result.answer, formats)
    if not result.by:
        return [{}] * rows.size
    total = rows.size - 1
    listed = list(zip(*(labels.tolist() for labels in rows.labels)))
    named: list[dict[str, Cell]] = []
    for n, labels in enumerate(listed):
        if n == total:
            named.append({columns[0].name: Cell("item", formats.say("Total"))})
        elif is_tree(result.answer):
            known = [label for label in labels if label is not None]
            named.append({columns[0].name: Cell("item", shortened(known[-1]), depth=len(known) - 1)})
        else:
            cells = (Cell("item", shortened(label)) for label in labels)
            named.append({column.name: cell for column, cell in zip(columns, cells)})
    return named
