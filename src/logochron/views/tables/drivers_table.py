"""Drivers as a table for people: what moved the total, and the way down to it."""

from __future__ import annotations

import numpy as np

from logochron.core.book.measures import Measure
from logochron.core.choices import STATUSES
from logochron.core.questions.drivers import Drivers
from logochron.views.catalog import message
from logochron.views.decimals import fitting_decimals
from logochron.views.formats import Formats, capital, words
from logochron.views.marks import marks_of
from logochron.views.tables.cells import ALL, Cell, Shown, TableColumn, TableSpec
from logochron.views.tables.item_rows import FigureCells, Line, item_cells, item_columns, lines_of
from logochron.views.words.currency_words import currency_sentence
from logochron.views.words.life_words import LEGEND, group_name
from logochron.views.words.movement import decimals_of
from logochron.views.words.titles import (
    against_line,
    base_heading,
    column_words,
    coverage_line,
    cut_of,
    row_period,
    subject,
    unit,
    within_a_title,
)
from logochron.views.words.told import all_told, notes_told

_FIGURES, _EFFECTS = ("value", "base", "change", "contribution"), ("volume", "mix", "price")
#: What stands beside volume, mix and price in workbooks, as they are worked out from it.
_QUANTITIES = ("quantity", "base_quantity")
_PARTS = message(
    "Volume: more or less {quantity} in all; mix: more or less of the higher-priced items; "
    "price: the same {quantity} at other prices"
)


def drivers_tables(result: Drivers, formats: Formats, shown: Shown = ALL) -> list[TableSpec]:
    """A table for each measure."""
    return [_table(result, measure, formats, shown) for measure in result.measures]


def _table(result: Drivers, measure: Measure, formats: Formats, shown: Shown) -> TableSpec:
    """Contributions, and volume, mix and price where quantities are known."""
    decimals = decimals_of(result, measure, formats)
    marks = marks_of(result.judgings[measure.name], formats)
    figures, items = FigureCells(result, formats, decimals), item_columns(result, formats)
    effects = _EFFECTS if result.quantity else ()
    counted = _QUANTITIES if result.quantity else ()
    of_quantities = _quantity_decimals(result, measure) if counted else 0
    (lines,) = lines_of(result, measure, formats, shown)
    rows = [
        line.row(
            {
                **_item_cells(result, items, line, formats),
                **figures.cells(line, (*_FIGURES, *effects)),
                **{name: figures.cell(line, name, decimals=of_quantities) for name in counted},
                "growth": figures.judged(line, marks),
                "note": Cell("note", notes_told(line.of("notes"), figures.formats)),
            }
        )
        for line in lines
    ]
    effect = result.currency.get(measure.name)
    noted = [TableColumn("note", "", "note")] if any(row.text("note") for row in rows) else []
    number = TableColumn("items", column_words(result.type.column("items"), formats), "count")
    gathered = [number] if result.gather else []
    when, cut = drivers_period(result, formats)
    named = subject(result, measure, formats, split=True, when=when)
    moved = formats.say("What moved {subject}", subject=within_a_title(named, measure))
    return TableSpec(
        title=formats.dot.join([moved, against_line(result, formats)]),
        unit=unit(measure, formats),
        columns=(
            *items,
            *gathered,
            figures.column("value", capital(words(measure.name))),
            figures.column("base", base_heading(result, formats)),
            figures.column("change"),
            figures.column("growth", marked=True),
            figures.column("contribution"),
            *(figures.column(name, form="sheet")._replace(decimals=of_quantities) for name in counted),
            *(figures.column(name) for name in effects),
            *noted,
        ),
        rows=tuple(rows),
        marks_after=marks.after,
        marks_width=marks.width,
        lines=(
            *cut,
            *_way_down(result, measure, decimals, formats),
            *filter(None, [currency_sentence(effect, measure, result.book, formats, decimals)]),
            formats.say("Contribution: what each adds to the growth of all, in percentage points"),
            *([formats.say(LEGEND)] if result.gather else []),
            *([formats.say(_PARTS, quantity=words(result.quantity.name))] if result.quantity else []),
            *all_told(result.notes, formats),
            coverage_line(result, formats),
        ),
        empty=message("No item has a record in this period or its base."),
    )


def _item_cells(result: Drivers, items: list[TableColumn], line: Line, formats: Formats) -> dict[str, Cell]:
    """The items of a row; of groups what they are called, and how many items are in them."""
    cells = item_cells(items, line)
    if result.gather is None:
        return cells
    many = float(line.of("items"))
    named = {name: cell._replace(text=group_name(cell.text, formats)) for name, cell in cells.items()}
    return {**named, "items": Cell("count", formats.number(many, 0), many)}


def _quantity_decimals(result: Drivers, measure: Measure) -> int:
    """How many decimals quantities need."""
    parts = [result.of_measure(of, measure) for of in (result.columns, result.total_columns)]
    return fitting_decimals(np.concatenate([part[name] for part in parts for name in _QUANTITIES]), np.zeros(0), 6)


def drivers_period(result: Drivers, formats: Formats) -> tuple[str, tuple[str, ...]]:
    """When the one period was, in words, and how it is cut."""
    row, status = result.span_row(), STATUSES[result.alignment.status[0]]
    cut = status == "to-date" and result.alignment.base_known[0]
    columns = {name: np.array([day]) for name, day in row.items()}
    when = row_period(result, row, formats, status).when
    return when, (cut_of(result, columns, 0, formats),) if cut else ()


def _way_down(result: Drivers, measure: Measure, decimals: int, formats: Formats) -> tuple[str, ...]:
    """The way down to what moved most, told of the first measure."""
    path = result.path_columns
    if len(result.by) < 2 or measure != result.measures[0] or not len(path["item"]):
        return ()
    steps = [
        f"{item} {formats.number(change, decimals, signed=True)}"
        + (f" ({formats.say('{n} points', n=formats.points(points))})" if np.isfinite(points) else "")
        for item, change, points in zip(path["item"], path["change"], path["contribution"])
    ]
    return (formats.say("Where it comes from: {steps}", steps=formats.say(", of which ").join(steps)),)
