"""Figures with items one below the other: bars, nested bars, bars with captions, a slope."""

from __future__ import annotations

import numpy as np

from logochron.core.check_kinds import kinds_checked
from logochron.core.choices import Marked
from logochron.core.errors import QuestionError
from logochron.core.questions.compare import Comparison
from logochron.core.rows.figures import Floats
from logochron.views.catalog import message
from logochron.views.figures.by_item import (
    ItemPanel,
    ItemRow,
    barred,
    base_ticks,
    item_axis,
    item_boxes,
    one_period,
    own_size,
    upright_zero,
)
from logochron.views.figures.common import VERDICT_WORDS, role_of
from logochron.views.figures.layout import ABOVE, BELOW, LINE, line_ends, number_axis, within, wrapped
from logochron.views.figures.scene import (
    Axis,
    Bars,
    Box,
    Canvas,
    Captions,
    Details,
    Entry,
    Layer,
    Panel,
    Path,
    Role,
    Scene,
    Text,
    Tick,
    Ticks,
)
from logochron.views.formats import Formats, capital, isolated
from logochron.views.tables.item_rows import Table
from logochron.views.words.titles import against_words, base_period, row_period, unit

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

    Of a comparison that is `ranked` a line adds the shares up, to all at the right edge.

    Parameters
    ----------
    result
        From `compare` with `by=`.
    panels
        One of two or more dimensions, drawn in panels.

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

    whole, legend = period.amounts(canvas.formats).high, period.ticked(canvas.formats)
    together = [np.isfinite(panel.together).any() for panel in period.panels]
    if any(together):
        legend = (*legend, Entry("line", canvas.formats.say(_TOGETHER), "level", weight=1.4))

    def draws(panel: ItemPanel) -> tuple[Layer, ...]:
        layers = (*value_bars(panel.values, _HALF, pale=period.pale), base_ticks(panel.bases, 0.4))
        if not len(panel.together):
            return layers
        rows = np.arange(len(panel.together), dtype=float)
        return (*layers, Path(panel.together * whole, rows, "level", weight=1.4))

    return barred(period, canvas, draws, legend, marked=marked)


_TOGETHER = message("share with all larger ones (right edge: 100 %)")


def value_bars(values: Floats, half: float, *, pale: bool) -> tuple[Layer, ...]:
    """Bars of the values by item, pale ones with a solid end."""
    drawn = np.isfinite(values)
    at, ends = np.flatnonzero(drawn).astype(float), values[drawn]
    bars = Bars(at - half, at + half, np.zeros(len(at)), ends, pale=pale, along="x")
    return (bars, Ticks(at, ends, half, role="current", along="x", weight=2.2)) if pale else (bars,)


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


#: Inches of a row at least and at most, and the part of the width that the texts take.
_ROW, _EACH, _TEXTS = 0.42, 0.78, 0.42
_SMALL = 8.0


@kinds_checked
def captioned(result: Comparison, canvas: Canvas, *, measure: str | None = None, at: str | None = None) -> Scene:
    """Bars of one period with a column of text beside them: the advice of each item's band, its name and growth.

    Parameters
    ----------
    result
        From `compare` with `by=` and bands in its `judging`.

    Raises
    ------
    QuestionError
        Where the result is not split by items, or its judging has no bands.

    Examples
    --------
    >>> import logochron as lc
    >>> judging = lc.demo.judging()
    >>> months = lc.compare(lc.demo.book(), each="month", by="harbor", last=13, judging=judging, measures="revenue")
    >>> lc.draw.captioned(months, at="2026-09").axes[0].get_xlabel()
    'EUR'
    """
    formats = canvas.formats
    period = one_period(result, canvas, "captioned", measure, at, inches=_ROW)
    judging = result.judgings[period.measure.name]
    if not judging.bands:
        raise QuestionError("`captioned` tells what bands advise: compare with judging=Judging(bands=[...]) (--band)")
    size = canvas.size or own_size(canvas, len(period.labels), _EACH)
    beside = _TEXTS * size[0]
    (box,) = item_boxes(canvas, size, 1, period.labels, beside, _EACH)
    if canvas.axes is not None:
        beside = canvas.axes[0] * _TEXTS
    (panel,) = period.panels
    room = beside * 72 - 42
    most = 2 if box.height * 72 / max(len(period.labels), 1) > 3.5 * LINE else 1

    def caption(place: int, row: ItemRow) -> tuple[Text, ...]:
        band = judging.band(row.band)
        said = " ".join(filter(None, (band.name if band else "", period.marks.beside(row.mark, row.growth))))
        advice = wrapped(band.advice if band else "", 9.0, room, canvas.measure, most)
        lines: list[tuple[str, Role, float]] = [(line, "ink", 9.0) for line in advice]
        lines.append((within(said, _SMALL, room, canvas.measure), role_of(row.verdict), _SMALL))
        middle = (len(lines) - 1) / 2
        return tuple(
            Text(1.0, float(place), text, role, dx=14.0, dy=(middle - n) * LINE, across="left", size=points, frame="x")
            for n, (text, role, points) in enumerate(lines)
        )

    texts = tuple(text for place, row in enumerate(panel.rows) for text in caption(place, row))
    names = item_axis(period.labels)
    layers = (
        *value_bars(panel.values, 0.26, pale=period.pale),
        base_ticks(panel.bases, 0.36),
        upright_zero(names),
        Captions(texts),
        *panel.details,
    )
    panels = (Panel(period.amounts(formats), names, layers, box),)
    return period.scene(canvas, size, panels, period.ticked(formats))


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
    written = (formats.compacts(side.tolist(), named) for side in (panel.values, panel.bases))
    for label, value, base, row, shown, before in zip(
        period.labels, panel.values.tolist(), panel.bases.tolist(), panel.rows, *written
    ):
        role = role_of(row.verdict)
        if np.isfinite(base):
            text = f"{isolated(label)}  {before}"
            starts.append(Text(0.0, base, text, dx=-_BESIDE, across="right", frame="x"))
        if np.isfinite(value):
            text = f"{shown}  {isolated(label)}  {period.marks.beside(row.mark, row.growth)}"
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
    details = tuple(_at_ends(details_of_panel, panel.values, half) for details_of_panel in panel.details)
    panel_of = Panel(x, axis, (*uprights, *paths, Captions(texts), *details), box, heading=named)
    return period.scene(canvas, size, (panel_of,), legend)


def _at_ends(details_of_panel: Details, values: Floats, half: float) -> Details:
    """The details of items, each around the end of its line."""
    shown = np.rint(details_of_panel.low + 0.5).astype(np.int64)
    known = np.isfinite(values[shown])
    ends = values[shown][known]
    return Details(ends - half, ends + half, tuple(row for row, k in zip(details_of_panel.rows, known) if k), along="y")


def _sides(result: Comparison, total: Table, formats: Formats) -> tuple[str, str]:
    """What stands at both sides, in words."""
    if not len(total["value"]):
        return "", ""
    row = {name: total[name][0] for name in ("start", "end", "base_start", "base_end")}
    base = base_period(result, row, formats)
    now = row_period(result, row, formats, str(total["status"][0])).name
    return capital(base.name if base else against_words(result, formats)), capital(now)
