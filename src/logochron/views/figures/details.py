"""What a pointer shows of a row: item, period, value, base with its days, change, growth, status; nothing else."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from logochron.core.book.measures import Measure
from logochron.core.days import Days, to_days
from logochron.core.questions.compare import Comparison
from logochron.views.figures.common import STATUS_WORDS
from logochron.views.figures.scene import Canvas, Details
from logochron.views.formats import Formats, capital, shortened, words
from logochron.views.tables.item_rows import Table, growth_or_level
from logochron.views.words.apart import amounts_apart
from logochron.views.words.titles import base_heading, column_words, unit

#: The details of one place: names and texts.
DetailRows = tuple[tuple[str, str], ...]


def row_details(result: Comparison, table: Table, measure: Measure, formats: Formats) -> tuple[DetailRows, ...]:
    """The details of each row: its item by dimension, none of the whole."""
    n = len(table["value"])
    of = unit(measure, formats)
    planned = result.plan is not None
    names = {
        "value": capital(words(measure.name)),
        "base": base_heading(result, formats),
        "change": column_words("change", formats, planned=planned),
        "growth": column_words("growth", formats, planned=planned),
        "status": column_words("status", formats),
    }
    period = column_words("period", formats)
    found = []
    for i in range(n):
        value, base, change, growth = (float(table[name][i]) for name in ("value", "base", "change", "growth"))
        labels = {name: table[name][i] for name in result.by}
        rows = [(capital(words(name)), shortened(label)) for name, label in labels.items() if label is not None]
        start, end = (int(to_days(table[name][i])) for name in ("start", "end"))
        rows.append((period, formats.dot.join([result.periods[int(table["period"][i])], formats.span(start, end)])))
        now, before = amounts_apart([value, base], of, formats)
        rows.append((names["value"], now))
        if np.isfinite(base):
            first, last = (int(to_days(table[name][i])) for name in ("base_start", "base_end"))
            rows.append((names["base"], f"{before} ({formats.span(first, last)})"))
            rows.append((names["change"], formats.amount(change, of, signed=True)))
            rows.append((names["growth"], growth_or_level(growth, str(table["direction"][i]), formats)))
        rows.append((names["status"], formats.say(STATUS_WORDS.get(str(table["status"][i]), str(table["status"][i])))))
        found.append(tuple(rows))
    return tuple(found)


def day_details(
    days: Days, lines: Sequence[tuple[str, Sequence[str]]], canvas: Canvas, most: int = 62
) -> tuple[Details, ...]:
    """The details of a figure by day: of each day, or of as many as can be pointed at, what its lines say there."""
    if not canvas.detailed:
        return ()
    step = max(-(-len(days) // most), 1)
    places = np.arange(len(days) - 1, -1, -step)[::-1]
    middle = places.astype(np.float64)
    named = column_words("day", canvas.formats)
    rows = tuple(
        (
            (named, canvas.formats.day(int(days[place]))),
            *((name, texts[place]) for name, texts in lines if texts[place] not in ("", canvas.formats.dash)),
        )
        for place in places.tolist()
    )
    return (Details(middle - step / 2, middle + step / 2, rows),)
