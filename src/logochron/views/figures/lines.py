"""Lines: value and base as two plain lines, or a small panel per item."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from logochron.core.check_kinds import kinds_checked
from logochron.core.questions.compare import Comparison
from logochron.core.rows.figures import Floats
from logochron.views.figures.by_period import PeriodLook, base_entry, by_period, has_base, zero_line
from logochron.views.figures.common import STATUS_WORDS, Item, measure_of
from logochron.views.figures.scene import Canvas, Dash, Dots, Entry, Layer, Path, Scene
from logochron.views.formats import Formats, capital, words
from logochron.views.tables.item_rows import Table

_DASHES: tuple[Dash, Dash] = ("solid", "dotted")
_WEIGHT, _BASE_WEIGHT = 2.2, 1.8
#: Up to so many places each value gets a point of its own.
_POINTS = 26


@kinds_checked
def lines(
    result: Comparison, canvas: Canvas, *, measure: str | None = None, item: Item = None, panels: str | None = None
) -> Scene:
    """Value and base as two plain lines; the stretch to a period that is not whole is dotted.

    Parameters
    ----------
    result
        From `compare`.
    panels
        The dimension whose items get a small panel each, on shared axes.

    Raises
    ------
    QuestionError
        Where an item or dimension is not in the result.

    Examples
    --------
    >>> import logochron as lc
    >>> weeks = lc.compare(lc.demo.book(), each="week", last=60)
    >>> lc.draw.lines(weeks).axes[0].get_ylabel()
    'EUR'
    """
    name = capital(words(measure_of(result, measure).name))

    def legend(result: Comparison, tables: Sequence[Table], formats: Formats) -> tuple[Entry, ...]:
        entries = [Entry("line", name, "current", weight=_WEIGHT)]
        if any((table["status"] != "complete").any() for table in tables):
            entries.append(
                Entry("line", formats.say(STATUS_WORDS["to-date"]), "current", dash="dotted", weight=_WEIGHT)
            )
        if has_base(tables):
            entries.append(base_entry(result, formats, look="line", weight=_BASE_WEIGHT))
        return tuple(entries)

    return by_period(result, canvas, PeriodLook(_layers, legend, judged=False), measure, item, panels)


def stretches(table: Table, side: str) -> tuple[Floats, Floats]:
    """The figures of whole periods, and those of stretches from or to one that is not whole."""
    values, partial = table[side], table["status"] != "complete"
    beside = partial | np.append(partial[1:], False) | np.append(False, partial[:-1])
    return np.where(partial, np.nan, values), np.where(beside, values, np.nan)


def _layers(table: Table) -> tuple[Layer, ...]:
    n = len(table["value"])
    x = np.arange(n, dtype=float)
    points: tuple[Layer, ...] = ()
    if n <= _POINTS:
        known = np.isfinite(table["value"])
        points = (Dots(x[known], table["value"][known]),)
    return (
        zero_line(n),
        *(Path(x, side, "base", dash, _BASE_WEIGHT) for side, dash in zip(stretches(table, "base"), _DASHES)),
        *(Path(x, side, "current", dash, _WEIGHT) for side, dash in zip(stretches(table, "value"), _DASHES)),
        *points,
    )
