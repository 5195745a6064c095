"""Bars: one bar per item in one period, the base's tick, a lane of marks and growth."""

from __future__ import annotations

import numpy as np

from logochron.core.check_kinds import kinds_checked
from logochron.core.options import Marked
from logochron.core.questions.compare import Comparison
from logochron.core.rows.figures import Floats
from logochron.views.figures.by_item import ItemPanel, barred, base_ticks, one_period
from logochron.views.figures.scene import Bars, Canvas, Layer, Scene, Ticks

_HALF = 0.29


@kinds_checked
def bars(
    result: Comparison,
    canvas: Canvas,
    *,
    measure: str | None = None,
    at: str | None = None,
    panels: str | None = None,
    marked: Marked = "all",
) -> Scene:
    """One bar per item in one period, the base's tick, and a lane with mark and growth of each.

    Parameters
    ----------
    result
        From `compare` with `by=`.
    panels
        One of two or more dimensions, drawn in panels.
    marked
        Whose marks stand in the lane: ``"all"``, ``"adverse"`` or ``"none"``.

    Raises
    ------
    QuestionError
        Where the result is not split by items, or an option names nothing in it.

    Examples
    --------
    >>> import logochron as lc
    >>> months = lc.compare(lc.demo.book(), each="month", by="harbor", last=13)
    >>> [text.get_text() for text in lc.draw.bars(months, at="2026-09").axes[0].get_yticklabels()]
    ['Alderquay', 'Dunmarrow', 'Brackenmouth', 'Cold Pier']
    """
    period = one_period(result, canvas, "bars", measure, at, panels, marked)

    def draws(panel: ItemPanel) -> tuple[Layer, ...]:
        return (*value_bars(panel.values, _HALF, pale=period.pale), base_ticks(panel.bases, 0.4))

    return barred(period, canvas, draws, period.ticked(canvas.formats), marked=marked)


def value_bars(values: Floats, half: float, *, pale: bool) -> tuple[Layer, ...]:
    """Bars of the values by item, pale ones with a solid end."""
    drawn = np.isfinite(values)
    at, ends = np.flatnonzero(drawn).astype(float), values[drawn]
    made = Bars(at - half, at + half, np.zeros(len(at)), ends, pale=pale, along="x")
    return (made, Ticks(at, ends, half, role="current", along="x", weight=2.2)) if pale else (made,)
