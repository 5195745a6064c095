"""What a pointer shows of a row: item, period, value, base with its days, change, growth, status; nothing else."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from logochron.core.book.measures import Measure
from logochron.core.days import Days, to_days
from logochron.core.questions.compare import Comparison
from logochron.core.rows.figures import Floats
from logochron.views.figures.common import STATUS_WORDS
from logochron.views.figures.scene import Canvas, Details
from logochron.views.formats import capital, shortened, words
from logochron.views.tables.item_rows import Table, growth_or_level
from logochron.views.words.apart import amounts_apart
from logochron.views.words.titles import base_heading, column_words, unit

_MOVED, _DAYS = ("value", "base", "change", "growth"), ("start", "end", "base_start", "base_end")
#: The details of one place: names and texts.
DetailRows = tuple[tuple[str, str], ...]


class RowDetails:
    """What a pointer shows of the rows of one measure; what is known on a canvas of a row is not written again."""

    def __init__(self, result: Comparison, measure: Measure, canvas: Canvas) -> None:
        self.result, self.formats, self.known = result, canvas.formats, canvas.known
        self.unit, planned = unit(measure, canvas.formats), result.plan is not None
        self.names = {
            "value": capital(words(measure.name)),
            "base": base_heading(result, canvas.formats),
            **{name: column_words(name, canvas.formats, planned=planned) for name in ("change", "growth")},
            **{name: column_words(name, canvas.formats) for name in ("status", "period")},
        }
        self.of = measure.name, result.by, self.names["base"], planned

    def rows(self, table: Table) -> tuple[DetailRows, ...]:
        """The details of each row: its item by dimension, none of the whole."""
        if not len(table["value"]):
            return ()
        figures = np.stack([np.asarray(table[name], dtype=np.float64) for name in _MOVED], axis=1)
        days = np.stack([to_days(table[name]) for name in _DAYS], axis=1)
        texts = [table[name].tolist() for name in ("direction", "status", *self.result.by)]
        periods = [self.result.periods[place] for place in table["period"].tolist()]
        made = []
        for figure, day, period, *text in zip(figures, days, periods, *texts):
            key = self.of, period, figure.tobytes(), day.tobytes(), *text
            if key not in self.known:
                self.known[key] = self._row(figure.tolist(), day.tolist(), period, *text)
            made.append(self.known[key])
        return tuple(made)

    def _row(
        self, figures: list[float], days: list[int], period: str, direction: str, status: str, *labels: str | None
    ) -> DetailRows:
        formats, names = self.formats, self.names
        value, base, change, growth = figures
        start, end, first, last = days
        rows = [(capital(words(n)), shortened(label)) for n, label in zip(self.result.by, labels) if label is not None]
        rows.append((names["period"], formats.dot.join([period, formats.span(start, end)])))
        now, before = amounts_apart([value, base], self.unit, formats)
        rows.append((names["value"], now))
        if math.isfinite(base):
            rows.append((names["base"], f"{before} ({formats.span(first, last)})"))
            rows.append((names["change"], formats.amount(change, self.unit, signed=True)))
            rows.append((names["growth"], growth_or_level(growth, direction, formats)))
        rows.append((names["status"], formats.say(STATUS_WORDS.get(status, status))))
        return tuple(rows)


class DayTexts(NamedTuple):
    """How the figures of a line by day are written: as amounts of a unit, signed or not; as growths where None."""

    unit: str | None
    signed: bool = False

    def written(self, values: Floats, canvas: Canvas) -> list[str]:
        """What stands for each figure; what is known on the canvas is not written again."""
        known: dict[float, str] = canvas.known.setdefault(self, {})
        new = np.array([value for value in values.tolist() if value not in known], dtype=np.float64)
        if self.unit is None:
            texts = canvas.formats.growths(new)
        else:
            texts = canvas.formats.amounts(new, self.unit, signed=self.signed)
        known.update(zip(new[np.isfinite(new)].tolist(), [t for t, there in zip(texts, np.isfinite(new)) if there]))
        return [known.get(value, canvas.formats.dash) for value in values.tolist()]


def day_details(
    days: Days, lines: Sequence[tuple[str, Floats, DayTexts]], canvas: Canvas, most: int = 62
) -> tuple[Details, ...]:
    """The details of a figure by day: of each day, or of as many as can be pointed at, what its lines say there."""
    if not canvas.detailed:
        return ()
    step = max(-(-len(days) // most), 1)
    places = np.arange(len(days) - 1, -1, -step)[::-1]
    middle = places.astype(np.float64)
    formats, named = canvas.formats, column_words("day", canvas.formats)
    texts = [[(name, text) for text in told.written(line[places], canvas)] for name, line, told in lines]
    nothing = ("", formats.dash)
    rows = tuple(
        ((named, formats.day(day)), *(pair for pair in pairs if pair[1] not in nothing))
        for day, *pairs in zip(days[places].tolist(), *texts)
    )
    return (Details(middle - step / 2, middle + step / 2, rows),)
