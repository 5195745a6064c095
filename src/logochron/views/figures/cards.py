"""Cards: the figures of one period on plain paper, each with mark, growth, change and the earlier value."""

from __future__ import annotations

import numpy as np

from logochron.core.check_kinds import kinds_checked
from logochron.core.questions.compare import Comparison
from logochron.views.figures.common import THE_LARGEST, role_of
from logochron.views.figures.layout import within
from logochron.views.figures.scene import DEFAULT_SIZE, Axis, Box, Canvas, Captions, Panel, Path, Scene, Text
from logochron.views.formats import isolated
from logochron.views.tables.cards import Card, cards_of
from logochron.views.words.titles import against_line, figure_footnote

#: Points of a card: how wide at least, how high, and what parts it from the next one.
_LEAST, _HIGH, _APART = 172.0, 112.0, 20.0
#: Points above the cards and below them.
_ABOVE, _BELOW, _SIDE = 84.0, 34.0, 25.0
#: Points for the upper half of the topmost line.
_RIM = 4.0
_LINES = (("name", 96.0, 9.0), ("figure", 72.0, 21.0), ("moved", 44.0, 11.0), ("earlier", 24.0, 8.0))


@kinds_checked
def cards(result: Comparison, canvas: Canvas, *, measure: str | None = None, at: str | None = None) -> Scene:
    """A row of cards of one period: value, mark, growth and change, and the earlier value with its period.

    Parameters
    ----------
    result
        From `compare`: a card of the whole, and one of each item.
    measure
        The measure they are of; all where None.

    Raises
    ------
    QuestionError
        Where a measure or period is not in the result.

    Examples
    --------
    >>> import logochron as lc
    >>> months = lc.compare(lc.demo.book(), each="month", by="harbor", last=13, measures="revenue")
    >>> len(lc.draw.cards(months, at="2026-09").axes[0].texts) // 4
    5
    """
    formats = canvas.formats
    made = cards_of(result, formats, measure=measure, at=at, drawable=canvas.drawable)
    width, height = canvas.axes or canvas.size or (DEFAULT_SIZE[0], 0.0)
    room = width * 72 - (0 if canvas.axes else 2 * _SIDE)
    columns = max(min(int((room + _APART) / (_LEAST + _APART)), max(len(made), 1)), 1)
    wide = (room - _APART * (columns - 1)) / columns
    rows = -(-len(made) // columns)
    high = rows * _HIGH + max(rows - 1, 0) * _APART
    if height:  # as many rows as the size asked for has room for
        inside = height * 72 - (0 if canvas.axes else _ABOVE + _BELOW)
        rows = max(min(rows, int((inside + _APART) / (_HIGH + _APART))), 1)
        high = inside
    shown = made[: rows * columns]
    size = (width, height or (high + _ABOVE + _BELOW) / 72)
    box = Box(0, 0, *canvas.axes) if canvas.axes else Box(_SIDE / 72, _BELOW / 72, room / 72, (high + _RIM) / 72)
    layers: list[Path | Captions] = []
    texts: list[Text] = []
    for place, card in enumerate(shown):
        row, column = divmod(place, columns)
        left, top = column * (wide + _APART), high - row * (_HIGH + _APART)
        layers.append(Path(np.array([left, left + wide]), np.full(2, top), "grid", weight=1.2))
        layers.append(Path(np.array([left, left + 28.0]), np.full(2, top), role_of(card.verdict), weight=2.6))
        texts += _card(card, left, top, wide, canvas)
    axis = Axis("number", 0.0, room, line=False), Axis("number", 0.0, high + _RIM, line=False)
    said = against_line(result, formats) if made else ""
    if len(made) > len(shown):
        said += formats.dot + formats.say(THE_LARGEST, n=len(shown), many=len(made))
    return Scene(
        title=made[0].period if made else formats.say("No period to tell of."),
        subtitle=said,
        footnote=figure_footnote(result, formats),
        size=size if made else DEFAULT_SIZE,
        panels=(Panel(*axis, (*layers, Captions(tuple(texts))), box),),
        empty="" if made else formats.say("No period to tell of."),
    )


def _card(card: Card, left: float, top: float, wide: float, canvas: Canvas) -> list[Text]:
    """The lines of one card."""
    named = {
        "name": canvas.formats.dot.join(filter(None, (card.name, isolated(card.item)))),
        "figure": card.figure,
        "moved": "  ".join(filter(None, (card.moved, card.change))),
        "earlier": card.earlier,
    }
    roles = {"name": "level", "figure": "ink", "moved": role_of(card.verdict), "earlier": "level"}
    return [
        Text(
            left,
            top - _HIGH + up,
            within(named[line], size, wide, canvas.measure, bold=line == "figure"),
            roles[line],  # type: ignore[arg-type]
            across="left",
            size=size,
            bold=line == "figure",
        )
        for line, up, size in _LINES
    ]
