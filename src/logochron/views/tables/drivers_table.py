"""Drivers as a table for people: what moved the total, and the way down to it."""

from __future__ import annotations

from typing import Any

import numpy as np

from logochron.core.book.measures import Measure
from logochron.core.days import to_dates
from logochron.core.options import STATUSES
from logochron.core.questions.drivers import Drivers
from logochron.core.rows.columns import COLUMNS, heading
from logochron.views.formats import Formats, capital, words
from logochron.views.marks import Marks, marks_of
from logochron.views.tables.item_rows import Line, decimals_of, growth_of, item_cells, item_headings, lines_of
from logochron.views.tables.spec import ALL, Row, Shown, TableSpec
from logochron.views.words.titles import (
    against_words,
    base_heading,
    coverage_line,
    cut_of,
    period_label,
    subject,
    unit,
    within_a_title,
)

_EFFECTS = ("volume", "mix", "price")


def drivers_spec(result: Drivers, measure: Measure, formats: Formats, shown: Shown = ALL) -> TableSpec:
    """The table of one measure: contributions, and volume, mix and price where quantities are known."""
    decimals = decimals_of(result, measure, formats)
    marks = marks_of(result.judgings[measure.name], formats)
    (period,) = lines_of(result, measure, shown)
    width = max(len(growth_of(line, formats)) for line in period)
    rows = [_row(result, line, decimals, formats, marks, width) for line in period]
    noted = any(row.cells.get("note") for row in rows)
    label, cut = _period(result, formats)
    named = subject(result, measure, split=True, period=label)
    return TableSpec(
        title=f"What moved {within_a_title(named, measure)}{formats.dot}against {against_words(result)}",
        unit=unit(measure, formats),
        headings={
            **item_headings(result),
            "value": capital(words(measure.name)),
            "base": base_heading(result),
            "change": heading("change", planned=result.plan is not None),
            "growth": heading("growth", planned=result.plan is not None),
            "points": COLUMNS["contribution"].heading,
            **({name: COLUMNS[name].heading for name in _EFFECTS} if result.quantity else {}),
            **({"note": ""} if noted else {}),
        },
        numeric=frozenset({"value", "base", "change", "growth", "points", *_EFFECTS}),
        rows=tuple(rows),
        firm=frozenset(),
        lines=(
            *cut,
            *_way_down(result, measure, decimals, formats),
            "Contribution: what each adds to the growth of all, in percentage points",
            *(_effects_words(result) if result.quantity else ()),
            *result.notes,
            coverage_line(result, formats),
        ),
        empty="No item has a record in this period or its base.",
    )


def _effects_words(result: Drivers) -> tuple[str, ...]:
    assert result.quantity is not None
    counted = words(result.quantity.name)
    return (
        f"Volume: more or less {counted} in all; mix: more or less of the higher-priced items; "
        f"price: the same {counted} at other prices",
    )


def _period(result: Drivers, formats: Formats) -> tuple[str, tuple[str, ...]]:
    """The one period in words, and how it is cut."""
    aligned = result.alignment
    columns: dict[str, Any] = {"start": to_dates(aligned.starts), "end": to_dates(aligned.ends)}
    known = bool(aligned.base_known[0])
    for name, days in (("base_start", aligned.base_first()), ("base_end", aligned.base_last())):
        columns[name] = to_dates(days if known else np.zeros(1, dtype=np.int64))
    start, end, status = int(aligned.starts[0]), int(aligned.ends[0]), STATUSES[aligned.status[0]]
    label = period_label(result, result.periods[0], status, start, end, formats)
    return label, (cut_of(result, columns, 0, formats),) if status == "to-date" and known else ()


def _way_down(result: Drivers, measure: Measure, decimals: int, formats: Formats) -> tuple[str, ...]:
    """The way down to what moved most, told of the first measure."""
    path = result.path_columns
    if len(result.by) < 2 or measure != result.measures[0] or not len(path["item"]):
        return ()
    steps = [
        f"{item} {formats.number(change, decimals, signed=True)}"
        + (f" ({formats.points(points)} points)" if np.isfinite(points) else "")
        for item, change, points in zip(path["item"], path["change"], path["contribution"])
    ]
    return (f"Where it comes from: {', of which '.join(steps)}",)


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
    return Row(cells, table["verdict"][i], line.total, False, line.depth, line.subtotal)
