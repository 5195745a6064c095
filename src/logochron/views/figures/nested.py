"""Nested: the base as a wide pale bar, the value as a narrow dark one inside it."""

from __future__ import annotations

import numpy as np

from logochron.core.check_kinds import kinds_checked
from logochron.core.options import Marked
from logochron.core.questions.compare import Comparison
from logochron.views.figures.bars import value_bars
from logochron.views.figures.by_item import ItemPanel, barred, one_period
from logochron.views.figures.scene import Bars, Canvas, Entry, Layer, Scene
from logochron.views.words.titles import against_words

#: Half the height of the wide bar and of the narrow one, and how much of its tone the wide one keeps.
_WIDE, _NARROW, _STRENGTH = 0.4, 0.16, 0.55


@kinds_checked
def nested(
    result: Comparison,
    canvas: Canvas,
    *,
    measure: str | None = None,
    at: str | None = None,
    panels: str | None = None,
    marked: Marked = "all",
) -> Scene:
    """The base of each item as a wide pale bar, its value as a narrow dark one inside it, in one period.

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
    >>> lc.draw.nested(months, at="2026-09").axes[0].get_xlabel()
    'EUR'
    """
    period = one_period(result, canvas, "nested", measure, at, panels, marked)
    words = against_words(result, canvas.formats)
    legend = (period.bar_entry(canvas.formats), Entry("bar", words, "base", pale=True, strength=_STRENGTH))

    def draws(panel: ItemPanel) -> tuple[Layer, ...]:
        based = np.flatnonzero(np.isfinite(panel.bases)).astype(float)
        sums = panel.bases[np.isfinite(panel.bases)]
        wide = Bars(based - _WIDE, based + _WIDE, np.zeros(len(sums)), sums, "base", True, "x", _STRENGTH)
        return (wide, *value_bars(panel.values, _NARROW, pale=period.pale))

    return barred(period, canvas, draws, legend, marked=marked)
