"""Slope: a line from base to value for each item, labeled at both ends."""

from __future__ import annotations

import numpy as np

from logochron.core.check_kinds import kinds_checked
from logochron.core.questions.compare import Comparison
from logochron.core.rows.figures import Floats
from logochron.views.figures.by_item import one_period
from logochron.views.figures.common import VERDICT_WORDS, role_of
from logochron.views.figures.layout import ABOVE, BELOW, LINE, line_ends, number_axis
from logochron.views.figures.scene import Axis, Box, Canvas, Captions, Details, Entry, Panel, Path, Scene, Text, Tick
from logochron.views.formats import Formats, capital, isolated
from logochron.views.tables.item_rows import Table
from logochron.views.words.periods import base_period, row_period
from logochron.views.words.titles import against_words, unit

#: Points between a line's end and its label, and inches of the plot at least.
_BESIDE, _LEAST = 9.0, 1.0


@kinds_checked
def slope(result: Comparison, canvas: Canvas, *, measure: str | None = None, at: str | None = None) -> Scene:
    """A line from base to value for each item in one period, labeled at both ends.

    Parameters
    ----------
    result
        From `compare` with `by=`.

    Raises
    ------
    QuestionError
        Where the result is not split by items, or an option names nothing in it.

    Examples
    --------
    >>> import logochron as lc
    >>> months = lc.compare(lc.demo.book(), each="month", by="harbor", last=13)
    >>> [text.get_text() for text in lc.draw.slope(months, at="2026-09").axes[0].get_xticklabels()]
    ['September 2025', 'September 2026']
    """
    formats = canvas.formats
    period = one_period(result, canvas, "slope", measure, at, inches=LINE / 72)
    (panel,) = period.panels
    size = canvas.size or canvas.room
    named = unit(period.measure, formats)
    known = np.concatenate([panel.values, panel.bases])
    axis = number_axis([known if np.isfinite(known).any() else np.zeros(1)], formats, "", 0.04)
    axis = Axis("number", axis.low, axis.high, line=False)
    starts, ends, paths = [], [], []
    for label, value, base, row in zip(period.labels, panel.values.tolist(), panel.bases.tolist(), panel.rows):
        role = role_of(row.verdict)
        if np.isfinite(base):
            text = f"{isolated(label)}  {formats.compact(base)}"
            starts.append(Text(0.0, base, text, dx=-_BESIDE, across="right", frame="x"))
        if np.isfinite(value):
            text = f"{formats.compact(value)}  {isolated(label)}  {period.marks.beside(row.mark, row.growth)}"
            ends.append(
                Text(
                    1.0, value, text, role if row.verdict != "unknown" else "ink", dx=_BESIDE, across="left", frame="x"
                )
            )
        if np.isfinite(base) and np.isfinite(value):
            dash = "dotted" if period.pale else "solid"
            paths.append(Path(np.array([0.0, 1.0]), np.array([base, value]), role, dash, 2.2))  # type: ignore[arg-type]
    width, height = canvas.axes or size
    named_sides = _sides(result, period.total, formats)
    left, right = (
        max(canvas.measure(side) / 2 - _BESIDE, *(canvas.measure(text.text) for text in texts), 0.0) / 72 + 0.45
        for side, texts in zip(named_sides, (starts, ends))
    )
    plot = max(width - left - right, _LEAST)
    box = (
        Box(left, BELOW - 0.35, plot, height - ABOVE - BELOW + 0.35) if canvas.axes is None else Box(0, 0, *canvas.axes)
    )
    texts = (*line_ends(starts, axis, box), *line_ends(ends, axis, box))
    sides = tuple(Tick(float(place), text) for place, text in enumerate(named_sides))
    x = Axis("position", 0.0, 1.0, sides, line=False)
    uprights = (Path(np.full(2, at), np.array([axis.low, axis.high]), "grid", weight=1.0) for at in (0.0, 1.0))
    legend = tuple(
        Entry("line", formats.say(words), role, weight=2.2)
        for role, words in VERDICT_WORDS.items()
        if any(path.role == role for path in paths)
    )
    half = (axis.high - axis.low) * LINE / 2 / max(box.height * 72, 1.0)
    details = tuple(_at_ends(told, panel.values, half) for told in panel.details)
    made = Panel(x, axis, (*uprights, *paths, Captions(texts), *details), box, heading=named)
    return period.scene(canvas, size, (made,), legend)


def _at_ends(told: Details, values: Floats, half: float) -> Details:
    """The details of items, each around the end of its line."""
    shown = np.rint(told.low + 0.5).astype(np.int64)
    known = np.isfinite(values[shown])
    ends = values[shown][known]
    return Details(ends - half, ends + half, tuple(row for row, k in zip(told.rows, known) if k), along="y")


def _sides(result: Comparison, total: Table, formats: Formats) -> tuple[str, str]:
    """What stands at both sides, in words."""
    if not len(total["value"]):
        return "", ""
    row = {name: total[name][0] for name in ("start", "end", "base_start", "base_end")}
    base = base_period(result, row, formats)
    now = row_period(result, row, formats, str(total["status"][0])).name
    return capital(base.name if base else against_words(result, formats)), capital(now)
