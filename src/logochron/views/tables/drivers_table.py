"""Drivers as a table for people: what moved the total, and the way down to it."""

from __future__ import annotations

import numpy as np

from logochron.core.book.measures import Measure
from logochron.core.options import STATUSES
from logochron.core.questions.drivers import Drivers
from logochron.views.catalog import message
from logochron.views.formats import Formats, capital, words
from logochron.views.marks import Marks, marks_of
from logochron.views.tables.item_rows import Line, decimals_of, growth_of, item_cells, item_headings, lines_of
from logochron.views.tables.spec import ALL, Row, Shown, TableSpec
from logochron.views.words.periods import row_period
from logochron.views.words.titles import (
    against_line,
    base_heading,
    column_words,
    coverage_line,
    cut_of,
    subject,
    unit,
    within_a_title,
)

_EFFECTS = ("volume", "mix", "price")
_PARTS = message(
    "Volume: more or less {quantity} in all; mix: more or less of the higher-priced items; "
    "price: the same {quantity} at other prices"
)


def drivers_spec(result: Drivers, measure: Measure, formats: Formats, shown: Shown = ALL) -> TableSpec:
    """The table of one measure: contributions, and volume, mix and price where quantities are known."""
    decimals = decimals_of(result, measure, formats)
    marks = marks_of(result.judgings[measure.name], formats)
    (period,) = lines_of(result, measure, formats, shown)
    width = max(len(growth_of(line, formats)) for line in period)
    rows = [_row(result, line, decimals, formats, marks, width) for line in period]
    noted = any(row.cells.get("note") for row in rows)
    when, cut = drivers_period(result, formats)
    named = subject(result, measure, formats, split=True, when=when)
    moved = formats.say("What moved {subject}", subject=within_a_title(named, measure))
    return TableSpec(
        title=formats.dot.join([moved, against_line(result, formats)]),
        unit=unit(measure, formats),
        headings={
            **item_headings(result),
            "value": capital(words(measure.name)),
            "base": base_heading(result, formats),
            "change": column_words("change", formats, planned=result.plan is not None),
            "growth": column_words("growth", formats, planned=result.plan is not None),
            "points": column_words("contribution", formats),
            **({name: column_words(name, formats) for name in _EFFECTS} if result.quantity else {}),
            **({"note": ""} if noted else {}),
        },
        numeric=frozenset({"value", "base", "change", "growth", "points", *_EFFECTS}),
        rows=tuple(rows),
        marks_after=marks.after,
        firm=frozenset(),
        lines=(
            *cut,
            *_way_down(result, measure, decimals, formats),
            formats.say("Contribution: what each adds to the growth of all, in percentage points"),
            *(_effects_words(result, formats) if result.quantity else ()),
            *result.notes,
            coverage_line(result, formats),
        ),
        empty=message("No item has a record in this period or its base."),
    )


def _effects_words(result: Drivers, formats: Formats) -> tuple[str, ...]:
    assert result.quantity is not None
    return (formats.say(_PARTS, quantity=words(result.quantity.name)),)


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


def _row(result: Drivers, line: Line, decimals: int, formats: Formats, marks: Marks, width: int) -> Row:
    table, i = line.columns, line.i
    sign = marks.sign(table["direction"][i], table["verdict"][i])
    cells = {
        **item_cells(result, line),
        "value": formats.number(table["value"][i], decimals),
        "base": formats.number(table["base"][i], decimals),
        "growth": marks.cell(sign, growth_of(line, formats), width),
        "points": formats.points(table["contribution"][i]),
        **{name: formats.number(table[name][i], decimals, signed=True) for name in ("change", *_EFFECTS)},
        "note": table["note"][i],
    }
    figures = line.figures("value", "base", "change", "growth", points="contribution")
    if result.quantity is not None:
        figures |= line.figures(*_EFFECTS, "quantity", "base_quantity")
    return Row(
        cells, table["verdict"][i], line.total, False, line.depth, line.subtotal, figures=figures, source=line.source
    )
