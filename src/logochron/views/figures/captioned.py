"""Captioned: bars with a column of text beside them: what each item's band advises, and why."""

from __future__ import annotations

from logochron.core.check_kinds import kinds_checked
from logochron.core.errors import QuestionError
from logochron.core.questions.compare import Comparison
from logochron.views.figures.bars import value_bars
from logochron.views.figures.by_item import (
    ItemRow,
    base_ticks,
    item_axis,
    item_boxes,
    one_period,
    own_size,
    upright_zero,
)
from logochron.views.figures.common import role_of
from logochron.views.figures.layout import LINE, within, wrapped
from logochron.views.figures.scene import Canvas, Captions, Panel, Role, Scene, Text

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
