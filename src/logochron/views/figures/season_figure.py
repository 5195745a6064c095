"""What each part of a period usually brings, its range, and the running period beside it."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from logochron.core.check_kinds import kinds_checked
from logochron.core.questions.season import Season
from logochron.core.rows.figures import Floats
from logochron.views.figures.common import measure_of
from logochron.views.figures.layout import BELOW, nice_ticks, panel_box
from logochron.views.figures.scene import (
    Axis,
    Bars,
    Canvas,
    Details,
    Dots,
    Entry,
    Layer,
    Panel,
    Path,
    Ribbon,
    Scene,
    Tick,
    Ticks,
)
from logochron.views.formats import capital
from logochron.views.words.season_words import part_names, season_sentences, season_subject, shares_at
from logochron.views.words.titles import column_words, coverage_line, period_word

#: Of more places than this a line tells more than bars do.
_BARS = 16
#: Half the width of a bar, and of the stroke across it.
_HALF, _STROKE = 0.36, 0.46
#: So many places bear a name at most.
_NAMED = 32


@kinds_checked
def season(result: Season, canvas: Canvas, *, measure: str | None = None) -> Scene:
    """The usual share of each part of a period with its range, and the running period's so far beside it.

    Parameters
    ----------
    result
        From `season`.

    Raises
    ------
    QuestionError
        Where the measure is not in the result.

    Examples
    --------
    >>> import logochron as lc
    >>> year = lc.season(lc.demo.book(), measures="revenue")
    >>> [text.get_text() for text in lc.draw.season(year).axes[0].get_xticklabels()][:3]
    ['Jan', 'Feb', 'Mar']
    """
    formats = canvas.formats
    of_measure = measure_of(result, measure)
    shares, names = shares_at(result, of_measure), part_names(result, formats, short=True)
    usual, low, high, now = (shares[name] for name in ("usual", "low", "high", "beside"))
    x = np.arange(len(usual), dtype=float)
    known = np.isfinite(usual)
    drawn = bool(known.any())
    reached = np.concatenate([high[known], now[np.isfinite(now)]])
    top = float(reached.max(initial=0.0)) * 1.08 or 0.1
    layers: list[Layer] = []
    bars = len(x) <= _BARS
    if bars:
        layers.append(Bars(x[known] - _HALF, x[known] + _HALF, np.zeros(int(known.sum())), usual[known], "base"))
        shown = np.isfinite(now)
        layers.append(Ticks(x[shown], now[shown], _STROKE, "current", halo=True, weight=3.0))
        upright = np.stack([low, high, np.full(len(x), np.nan)], axis=1).ravel()
        layers.append(Path(np.repeat(x, 3), upright, "level", weight=1.8))
    else:
        layers += [
            Ribbon(x, low, high, "level", 0.22),
            Path(x, usual, "base", weight=2.6),
            Path(x, now, "current", weight=2.2),
            Dots(x, now, "current"),
        ]
    layers += _details(result, names, shares, canvas)
    step = -(-len(x) // _NAMED)
    ticks = tuple(Tick(float(at), names[at] if at % step == 0 else "") for at in range(len(x)))
    parts = tuple(Tick(at, formats.part(at, 0)) for at in nice_ticks(0.0, top))
    period = period_word(result.calendar.word(result.within), formats)
    across = Axis("position", -0.6, len(x) - 0.4, ticks)
    upward = Axis("number", 0.0, top, parts, words=formats.say("Share of the {period}", period=period), gridlines=True)
    legend = [
        Entry("bar" if bars else "line", column_words(result.type.column("usual"), formats), "base", weight=2.6),
        Entry("line" if bars else "band", formats.say("smallest to largest"), "level", pale=not bars),
    ]
    if np.isfinite(now).any():
        words = formats.say("{period} so far, as a part of the same usual share", period=result.running)
        legend.append(Entry("tick" if bars else "line", words, "current", weight=2.6))
    said = season_sentences(result, of_measure, None, formats, 1, None)
    return Scene(
        title=season_subject(result, of_measure, formats),
        subtitle=said[0],
        footnote=coverage_line(result, formats),
        size=canvas.room,
        panels=(Panel(across, upward, tuple(layers), panel_box(canvas, 7.0, BELOW - 0.35)),),
        legend=tuple(legend) if drawn else (),
        empty="" if drawn else formats.say("Nothing to draw: too few whole periods are held"),
    )


def _details(result: Season, names: list[str], shares: Mapping[str, Floats], canvas: Canvas) -> tuple[Details, ...]:
    """What a pointer shows of each part."""
    if not canvas.detailed:
        return ()
    formats = canvas.formats
    part = capital(period_word(result.calendar.word(result.each), formats))
    rows = []
    for place, name in enumerate(names):
        figures = [
            (column_words(result.type.column(column), formats), formats.part(float(shares[column][place])))
            for column in ("usual", "low", "high", "now")
        ]
        rows.append(((part, name), *figures))
    at = np.arange(len(names), dtype=float)
    return (Details(at - 0.5, at + 0.5, tuple(rows)),)
