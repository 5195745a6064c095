"""Columns: one column per period, the base as a short tick across it."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from logochron.core.check_kinds import kinds_checked
from logochron.core.questions.compare import Comparison
from logochron.views.figures.by_period import PeriodLook, base_entry, by_period, column_legend, has_base, zero_line
from logochron.views.figures.common import Item
from logochron.views.figures.scene import Bars, Canvas, Entry, Layer, Scene, Ticks
from logochron.views.formats import Formats
from logochron.views.tables.item_rows import Table

_HALF = 0.31


@kinds_checked
def columns(
    result: Comparison, canvas: Canvas, *, measure: str | None = None, item: Item = None, panels: str | None = None
) -> Scene:
    """One column per period, the base as a short tick across it, mark and growth below.

    Parameters
    ----------
    result
        From `compare`.
    panels
        The dimension whose items get a small panel each, on shared axes.

    Raises
    ------
    QuestionError
        Where an item or dimension is not in the result, or the periods are too many for one picture.

    Examples
    --------
    >>> import logochron as lc
    >>> months = lc.compare(lc.demo.book(), each="month", last=13)
    >>> lc.draw.columns(months).axes[0].get_ylabel()
    'EUR'
    """
    return by_period(result, canvas, PeriodLook(_layers, _legend), measure, item, panels)


def column_bars(table: Table, half: float) -> tuple[Layer, ...]:
    """Columns, whole ones dark, others pale with a solid top."""
    values, pale = table["value"], table["status"] != "complete"
    places = np.arange(len(values), dtype=float)

    def bars(of: NDArray[np.bool_], *, pale: bool) -> Bars:
        at, high = places[of], values[of]
        return Bars(at - half, at + half, np.zeros(len(at)), high, pale=pale)

    drawn = np.isfinite(values)
    part = drawn & pale
    return (
        bars(drawn & ~pale, pale=False),
        bars(part, pale=True),
        Ticks(places[part], values[part], half, role="current", weight=2.2),
    )


def _layers(table: Table) -> tuple[Layer, ...]:
    """Columns, the base's ticks across them, the line at 0."""
    bases = table["base"]
    based = np.flatnonzero(np.isfinite(bases))
    ticks = Ticks(based.astype(float), bases[based], 0.42, halo=True)
    return (*column_bars(table, _HALF), ticks, zero_line(len(bases)))


def _legend(result: Comparison, tables: Sequence[Table], formats: Formats) -> tuple[Entry, ...]:
    entries = column_legend(tables, formats)
    if has_base(tables):
        entries.append(base_entry(result, formats, look="tick", weight=2.6))
    return tuple(entries)
