"""Tables as pictures: that of a comparison, and an overview with its windows side by side."""

from __future__ import annotations

from collections.abc import Mapping
from typing import NamedTuple

import numpy as np

from logochron.core.book.measures import Measure
from logochron.core.check_kinds import kinds_checked
from logochron.core.choices import Color, check
from logochron.core.errors import QuestionError
from logochron.core.questions.compare import Comparison
from logochron.core.questions.overview import Overview
from logochron.core.rows.answer import AlignedAnswer
from logochron.views.figures.common import measure_of, role_of
from logochron.views.figures.layout import FREE_ABOVE, FREE_BELOW, FREE_BESIDE, within
from logochron.views.figures.scene import (
    DEFAULT_SIZE,
    Axis,
    Box,
    Canvas,
    Captions,
    Panel,
    Path,
    Role,
    Scene,
    Text,
    Tile,
    Tiles,
)
from logochron.views.marks import marks_of
from logochron.views.tables.cells import Cell, Row, Shown, TableColumn, TableSpec
from logochron.views.tables.comparison_table import comparison_table
from logochron.views.tables.overview_table import overview_table
from logochron.views.words.question_words import compare_headline
from logochron.views.words.titles import coverage_line, figure_footnote

#: Points of a row, of the gap between columns, of a small line and of a share's bar.
_LINE, _GAP, _SPARK, _BAR = 18.0, 16.0, 70.0, 64.0
_SIZE = 9.0
#: Points more between groups of columns, and between a mark and its figure.
_BETWEEN, _MARK = 12.0, 4.0
#: Points that a column of words takes at most.
_WORDS = 190.0


class _Texts(NamedTuple):
    """What stands above a table and below it, and how many rows there are in all."""

    said: str
    footnote: str
    every: int


@kinds_checked
def table(
    result: Comparison, canvas: Canvas, *, measure: str | None = None, color: Color = "text", sparks: bool = True
) -> Scene:
    """The table of a comparison as a picture: as many of its last rows as there is room for.

    Parameters
    ----------
    result
        From `compare`.
    color
        ``"text"``: verdicts as the color of the growth; ``"fill"``: as the ground behind it.
    sparks
        Whether each row has a small line of its last periods.

    Raises
    ------
    QuestionError
        Where the measure is not in the result, or the columns do not fit into the picture.

    Examples
    --------
    >>> import logochron as lc
    >>> months = lc.compare(lc.demo.book(), each="month", last=13, measures="revenue")
    >>> len(lc.draw.table(months).axes[0].texts) > 13 * 4
    True
    """
    formats = canvas.formats
    check("color", color, Color)
    of_measure = measure_of(result, measure)
    room = _rows_of_room(canvas, 1)
    signs = marks_of(result.judgings[of_measure.name], formats, canvas.drawable)
    spec = comparison_table(result, of_measure, formats, Shown(rows=room, sparks=sparks), signs)
    said = compare_headline(result, of_measure, result.place(), formats) if spec.rows else ""
    texts = _Texts(said, figure_footnote(result, formats), _all_rows(result, of_measure))
    return _drawn(spec, spec.rows[-room:], texts, canvas, color)


@kinds_checked
def overview(
    result: Overview, canvas: Canvas, *, measure: str | None = None, color: Color = "text", sparks: bool = True
) -> Scene:
    """An overview as a picture: items down, windows across, each with its value and how it stands beside every basis.

    Windows go below each other where more than three, or more than two bases, would stand side by side.

    Parameters
    ----------
    result
        From `overview`.
    color
        ``"text"``: verdicts as the color of the growth; ``"fill"``: as the ground behind it.
    sparks
        Whether each row has a small line of its last whole periods.

    Raises
    ------
    QuestionError
        Where the measure is not in the result, or the columns do not fit into the picture.

    Examples
    --------
    >>> import logochron as lc
    >>> now = lc.overview(lc.demo.book(), by="harbor", measures="revenue")
    >>> lc.draw.overview(now).axes[0].texts[0].get_text()
    'Month to 18 Oct'
    """
    formats = canvas.formats
    check("color", color, Color)
    of_measure = measure_of(result, measure)
    room = _rows_of_room(canvas, 2)
    signs = marks_of(result.judgings[of_measure.name], formats, canvas.drawable)
    spec = overview_table(result, of_measure, formats, Shown(rows=room, sparks=sparks), signs).setting_off()
    if spec.too_wide or _width(_widths(spec, spec.rows, canvas)) > _wide(canvas):
        room //= len(result.windows)
        spec = overview_table(result, of_measure, formats, Shown(rows=max(room, 2), sparks=sparks), signs)
        spec = spec.setting_off().below()
    said = compare_headline(result.comparison(), of_measure, 0, formats) if spec.rows else ""
    every = _all_rows(result, of_measure) // (1 if not spec.groups else len(result.windows)) // len(result.bases)
    texts = _Texts(said, coverage_line(result, formats), every)
    return _drawn(spec, spec.rows, texts, canvas, color)


def plain_table(spec: TableSpec, canvas: Canvas) -> Scene:
    """Any table as a picture: as many rows as there is room for, the latest of periods, the first of items."""
    room = _rows_of_room(canvas, 2 if spec.groups else 1)
    rows = spec.rows[-room:] if spec.has_periods else spec.rows[:room]
    if not spec.has_periods and len(spec.rows) > room > 1 and spec.rows[-1].total:
        rows = (*rows[:-1], spec.rows[-1])
    return _drawn(spec, rows, _Texts("", "", len(spec.rows)), canvas, "text")


def fits_across(result: Overview, canvas: Canvas, sparks: bool) -> bool:
    """Whether the windows of an overview stand side by side in a picture."""
    measure = result.measures[0]
    signs = marks_of(result.judgings[measure.name], canvas.formats, canvas.drawable)
    shown = Shown(rows=_rows_of_room(canvas, 2), sparks=sparks)
    spec = overview_table(result, measure, canvas.formats, shown, signs)
    return not spec.too_wide and _width(_widths(spec, spec.rows, canvas)) <= _wide(canvas)


def _rows_of_room(canvas: Canvas, heads: int) -> int:
    """How many rows a canvas has room for below so many lines of heads."""
    _, height = canvas.axes or canvas.room
    inside = height * 72 - (0 if canvas.axes else FREE_ABOVE + FREE_BELOW)
    return max(int(inside / _LINE) - heads, 1)


def _wide(canvas: Canvas) -> float:
    """The points across that a table may take."""
    width, _ = canvas.axes or canvas.room
    return width * 72 - (0 if canvas.axes else 2 * FREE_BESIDE)


def _drawn(spec: TableSpec, rows: tuple[Row, ...], said: _Texts, canvas: Canvas, color: Color) -> Scene:
    """The scene of some rows of a table."""
    formats, wide, heads = canvas.formats, _wide(canvas), 2 if spec.groups else 1
    columns = _table_columns(spec, rows, wide, canvas)
    lefts = dict(zip(columns, np.concatenate([[0.0], np.cumsum([w + _GAP for w in columns.values()])]).tolist()))
    used = _width(columns)
    high = _LINE * (len(rows) + heads)
    cells: list[Tile] = []
    layers: list[Path] = [_line(0.0, used, high - _LINE * heads + 3, 1.0)]
    texts: list[Text] = []
    for group, of_group in spec.groups.items():
        left, right = lefts[of_group[0]] + _BETWEEN, lefts[of_group[-1]] + columns[of_group[-1]]
        texts.append(Text(left, high - _LINE / 2 + 2, group, "ink", across="left", size=_SIZE))
        layers.append(_line(left, right, high - _LINE + 3, 0.6))
    texts += [_text(c.heading, c, lefts[c], columns[c], high - _LINE * (heads - 0.5) + 2, "level") for c in columns]
    for place, row in enumerate(rows):
        y = high - _LINE * (place + heads + 0.5)
        if (row.starts and place) or row.set_off:
            layers.append(_line(0.0, used, y + _LINE / 2, 1.0 if row.set_off else 0.6))
        for column, across in columns.items():
            cell, left = row.cells.get(column.name, Cell(column.kind)), lefts[column]
            if cell.kind == "spark":
                layers += _spark(cell, left, y, across)
            elif cell.kind == "bar":
                cells += _share(cell, left, y, across)
            elif cell.mark:
                role = role_of(cell.verdict)
                if color == "fill" and role != "level":
                    cells.append(Tile(left - 5, y - _LINE / 2 + 1, left + across + 5, y + _LINE / 2 - 1, role, 1.0))
                    role = "paper"
                texts += _marked(cell, spec, left, across, y, role, bold=row.strong)
            else:
                cut = within(spec.laid(row, column), _SIZE, across + 1, canvas.measure, bold=row.strong)
                role = "level" if column.kind in ("note", "when") else "ink"
                texts.append(_text(cut, column, left, across, y, role, bold=row.strong))
    remark = ""
    if len(rows) < said.every:
        remark = formats.say("{n} of {many} rows shown", n=len(rows), many=formats.number(said.every, 0))
    axis = Axis("number", 0.0, wide, line=False), Axis("number", 0.0, high, line=False)
    size = canvas.size or (DEFAULT_SIZE[0], (high + FREE_ABOVE + FREE_BELOW) / 72)
    box = (
        Box(0, 0, *canvas.axes)
        if canvas.axes
        else Box(FREE_BESIDE / 72, size[1] - (FREE_ABOVE + high) / 72, wide / 72, high / 72)
    )
    return Scene(
        title=spec.title + (f" ({spec.unit})" if spec.unit else ""),
        subtitle=formats.dot.join(filter(None, (said.said, remark))),
        remark=remark,
        footnote=said.footnote,
        size=size if rows else DEFAULT_SIZE,
        panels=(Panel(*axis, (Tiles(tuple(cells)), *layers, Captions(tuple(t for t in texts if t.text))), box),),
        empty="" if rows else spec.empty,
    )


def _all_rows(result: AlignedAnswer, measure: Measure) -> int:
    """How many rows there are in all, totals among them."""
    groupings = (result.columns, *([result.subtotal_columns, result.total_columns] if result.by else []))
    return sum(result.of_measure(grouping, measure).rows for grouping in groupings if grouping)


def _widths(spec: TableSpec, rows: tuple[Row, ...], canvas: Canvas) -> dict[TableColumn, float]:
    """The columns, each with the points it takes; the first one of a group makes room for the head above all."""

    def wide(column: TableColumn) -> float:
        if column.kind in ("spark", "bar"):
            return {"spark": _SPARK, "bar": _BAR}[column.kind]
        cells = (canvas.measure(spec.laid(row, column), _SIZE, row.strong) for row in rows)
        widest = max([canvas.measure(column.heading, _SIZE), *cells]) + (_MARK if column.marked else 0.0)
        return widest if column.is_figure or column.firm else min(widest, _WORDS)

    columns = {column: wide(column) for column in spec.shown}
    for group, of_group in spec.groups.items():
        lacking = canvas.measure(group, _SIZE) - sum(columns[c] for c in of_group) - _GAP * (len(of_group) - 1)
        columns[of_group[0]] += max(lacking, 0.0) + _BETWEEN
    return columns


def _width(columns: Mapping[TableColumn, float]) -> float:
    return sum(columns.values()) + _GAP * (len(columns) - 1)


def _table_columns(spec: TableSpec, rows: tuple[Row, ...], room: float, canvas: Canvas) -> dict[TableColumn, float]:
    """The columns that fit, each with its points: what is dropped first on a narrow terminal is here too."""
    columns = _widths(spec, rows, canvas)
    for dropped in ((), *spec.dropped):
        columns = {c: width for c, width in columns.items() if c.name not in dropped or c.marked}
        if _width(columns) <= room:
            return columns
    raise QuestionError("the table is wider than the picture: make it wider by size=, or ask for fewer dimensions")


def _text(
    text: str, column: TableColumn, left: float, width: float, y: float, role: Role, *, bold: bool = False
) -> Text:
    """A cell's text, figures at the right of their column."""
    x, across = (left + width, "right") if column.is_figure else (left, "left")
    return Text(x, y, text, role, across=across, size=_SIZE, bold=bold)  # type: ignore[arg-type]


def _marked(
    cell: Cell, spec: TableSpec, left: float, width: float, y: float, role: Role, *, bold: bool
) -> tuple[Text, Text]:
    """Mark and figure at the two sides of their column."""
    sides = (cell.text, cell.mark) if spec.marks_after else (cell.mark, cell.text)
    return (
        Text(left, y, sides[0], role, across="left", size=_SIZE, bold=bold),
        Text(left + width, y, sides[1], role, across="right", size=_SIZE, bold=bold),
    )


def _line(left: float, right: float, y: float, weight: float) -> Path:
    return Path(np.array([left, right]), np.full(2, y), "grid", weight=weight)


def _spark(cell: Cell, left: float, y: float, width: float) -> list[Path]:
    """A small line, its last point at the right."""
    values = np.array(cell.spark, dtype=float)
    known = values[np.isfinite(values)]
    if len(known) < 2:
        return []
    low, high = min(float(known.min()), 0.0), float(known.max())
    x = left + width - np.arange(len(values))[::-1] * (width / 12)
    scaled = y - _LINE * 0.36 + (values - low) / ((high - low) or 1.0) * _LINE * 0.72
    return [Path(np.asarray(x, dtype=np.float64), np.asarray(scaled, dtype=np.float64), "current", weight=1.1)]


def _share(cell: Cell, left: float, y: float, width: float) -> list[Tile]:
    """A part as a bar, cut to that of 0 to 1 which can be shown."""
    if not np.isfinite(cell.bar):
        return []
    whole = Tile(left, y - 4, left + width, y + 4, "grid", 0.6)
    part = min(max(cell.bar, 0.0), 1.0)
    return [whole, Tile(left, y - 4, left + width * part, y + 4, "base", 1.0)]
