"""Charts of the workbook's own beside its tables: of their cells, so that they follow when a figure is changed."""

from __future__ import annotations

from decimal import Decimal
from typing import Any

import numpy as np

from logochron.core.book.measures import Measure
from logochron.core.choices import COMPLETE
from logochron.core.questions.compare import Comparison
from logochron.core.rows.answer import AlignedAnswer
from logochron.views.decimals import office_format
from logochron.views.figures.charts import Chart, chart_of
from logochron.views.figures.choose import figure_of
from logochron.views.figures.fonts import drawable, measure
from logochron.views.figures.scene import Canvas
from logochron.views.formats import Formats
from logochron.views.palette import Palette
from logochron.views.sections import Section
from logochron.views.tables.cells import Row
from logochron.views.tables.workbook import ChartPlace
from logochron.views.tables.workbook_formulas import is_item

#: Figures whose charts show the cells of a comparison's table, by kind; those that have figures of their own.
_OF_CELLS = {
    **{"columns": "column", "overlay": "column", "lines": "line", "trend": "line"},
    **{"bars": "bar", "nested": "bar", "captioned": "bar", "slope": "bar"},
}
_OF_FIGURES = ("pace", "landing")
#: More rows than this are no chart; pixels of one.
_MOST_ROWS = 120
_SIZE = {"width": 660, "height": 340}
#: Columns from the left of a chart to its own figures, where those do not stand in the table.
_WIDE = 14
_DASHES = {"dashed": "dash", "dotted": "round_dot", "solid": "solid"}


def add_chart(place: ChartPlace, section: Section, of: Measure, formats: Formats, palette: Palette) -> None:
    """The chart of a section beside its first table, where the workbook has one for its figure."""
    answer, chosen = section.told, figure_of(section)
    if chosen is None or not isinstance(answer, AlignedAnswer) or chosen.options.get("panels") is not None:
        return
    made, name = None, chosen.figure.name
    if name in _OF_CELLS and isinstance(answer, Comparison):
        made = _of_cells(place, _OF_CELLS[name], answer, of, palette)
    elif name in _OF_FIGURES:
        chart = chart_of(answer, chosen, Canvas(formats, measure, drawable))
        made = None if chart is None else _of_figures(place, chart, palette)
    if made is None:
        return
    made.set_title({"none": True})
    made.set_size(_SIZE)
    made.show_hidden_data()
    place.sheet.insert_chart(place.row, place.column, made, {"object_position": 3, "description": place.spec.title})


def _of_cells(place: ChartPlace, kind: str, answer: Comparison, of: Measure, palette: Palette) -> Any:
    """A chart of value and base of a table's rows; None where they are none: subtotals among them, or too many."""
    rows, held = place.spec.rows, place.held
    shown = [n for n, row in enumerate(rows) if is_item(row) or not answer.by]
    apart = bool(shown) and shown[-1] - shown[0] + 1 != len(shown)
    if not 1 < len(shown) <= _MOST_ROWS or apart or (answer.by and len(answer.periods) > 1):
        return None
    named = [held.columns[c.name] for c in place.spec.columns if c.kind == ("item" if answer.by else "period")]
    made, categories = place.book.add_chart({"type": kind}), place.range(named, shown)
    pale = [_is_pale(rows[n]) for n in shown]
    for name in ("value", "base"):
        if not any(np.isfinite(rows[n].value(name)) for n in shown):
            continue
        color = palette.current if name == "value" else palette.base
        series: dict[str, Any] = {
            "name": next(c.heading for c in place.spec.columns if c.name == name),
            "categories": categories,
            "values": place.range([held.columns[name]], shown),
        }
        if kind == "line":
            series["line"] = {"color": color, "width": 2.25}
        else:
            series |= {"fill": {"color": color}, "gap": 50}
            if name == "value" and any(pale):
                series["points"] = [{"fill": {"color": color, "transparency": 60}} if one else None for one in pale]
        made.add_series(series)
    _dress(made, "0.0%" if of.in_percent else office_format(0), palette, downwards=kind == "bar")
    return made


def _is_pale(row: Row) -> bool:
    """Whether a row is of a period that is not whole."""
    if row.source is None or "status" not in row.source.columns:
        return False
    status = row.source.columns["status"][row.source.i]
    return bool(status not in (COMPLETE, "complete"))


def _of_figures(place: ChartPlace, chart: Chart, palette: Palette) -> Any:
    """A chart of lines whose figures stand in folded columns of the sheet."""
    made, first = place.book.add_chart({"type": "line"}), place.column + _WIDE
    name, low, many = place.sheet.get_name(), place.row + 1, len(chart.categories)
    number = place.book.add_format({"num_format": chart.format})
    for n, label in enumerate(chart.categories):
        place.sheet.write_string(low + n, first, label)
    for column, series in enumerate(chart.series, start=first + 1):
        place.sheet.write_string(place.row, column, series.name)
        for n, value in enumerate(series.values.tolist()):
            if np.isfinite(value):
                place.sheet.write_number(low + n, column, Decimal(repr(value)), number)
        line = {"color": palette.role(series.role), "width": series.weight, "dash_type": _DASHES[series.dash]}
        made.add_series(
            {
                "name": [name, place.row, column],
                "categories": [name, low, first, low + many - 1, first],
                "values": [name, low, column, low + many - 1, column],
                "line": line,
            }
        )
    place.sheet.set_column(first, first + len(chart.series), None, None, {"level": 1, "hidden": True})
    _dress(made, chart.format, palette, every=max(many // 12, 1))
    return made


def _dress(made: Any, number: str, palette: Palette, *, downwards: bool = False, every: int = 1) -> None:
    """Axes and legend as our figures have them."""
    font = {"color": palette.ink, "size": 9}
    amounts = {"num_format": number, "num_font": font, "line": {"none": True}, "major_tick_mark": "none"}
    amounts["major_gridlines"] = {"visible": True, "line": {"color": palette.grid, "width": 0.75}}
    names = {"num_font": font, "line": {"color": palette.grid}, "major_tick_mark": "none", "label_position": "low"}
    names |= {"reverse": downwards, "interval_unit": every, "text_axis": True}
    if downwards:  # amounts stay below
        amounts["label_position"] = "high"
    made.set_x_axis(amounts if downwards else names)  # of bars the axes of the package lie as they are seen
    made.set_y_axis(names if downwards else amounts)
    made.set_legend({"position": "top", "font": font})
    made.set_chartarea({"border": {"none": True}})
