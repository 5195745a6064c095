"""Landing: the running total to the report date, its way to the estimate inside the range, the base beside it."""

from __future__ import annotations

import numpy as np

from logochron.core.check_kinds import kinds_checked
from logochron.core.questions.landing.answer import Landing
from logochron.views.figures.common import Item, item_labels, item_words, measure_of
from logochron.views.figures.details import DayTexts, day_details
from logochron.views.figures.layout import (
    amounts_axis,
    day_ticks,
    last_known,
    line_end,
    line_ends,
    panel_box,
    today_line,
)
from logochron.views.figures.scene import (
    Axis,
    Canvas,
    Captions,
    Entry,
    Layer,
    Panel,
    Path,
    Ribbon,
    Scene,
    Ticks,
)
from logochron.views.formats import Formats
from logochron.views.words.standing import landing_sentence, landing_subject
from logochron.views.words.titles import axis_words, base_heading, column_words, figure_footnote, unit

#: Part of the panel's width that the range bar's crossbar takes to either side.
_CROSSBAR = 0.012


@kinds_checked
def landing(result: Landing, canvas: Canvas, *, measure: str | None = None, item: Item = None) -> Scene:
    """The running total to the report date, and its way to the estimate inside the range that 80 % of outcomes kept to.

    Parameters
    ----------
    result
        From `land`.

    Raises
    ------
    QuestionError
        Where the item is not in the result.

    Examples
    --------
    >>> import logochron as lc
    >>> month = lc.land(lc.demo.book(), "month", measures="revenue")
    >>> lc.draw.landing(month).axes[0].get_ylabel()
    'EUR'
    """
    formats = canvas.formats
    asked, labels = measure_of(result, measure), item_labels(result, item)
    whole = result.whole
    block, place = whole.block_of(asked, labels)
    row = block.row(0, place)
    path = result.path(asked, labels)
    n = len(path.days)
    x = np.arange(n, dtype=float)
    last, today = float(n - 1), float(np.searchsorted(path.days, result.now.cuts[0]))
    over = bool(result.now.over[0])
    estimate, low, high = (float(row[name]) for name in ("estimate", "low", "high"))
    known, ranged = np.isfinite(estimate) and not over, np.isfinite(low) and not over
    references = [(path.base, base_heading(whole, formats), "solid")]
    if path.plan is not None and whole.plan is None:
        references.append((path.plan, column_words("plan", formats), "dashed"))
    axis = amounts_axis(
        [path.running, path.expected, path.low, path.high, *(side for side, _, _ in references)],
        formats,
        axis_words(asked, formats),
    )
    layers: list[Layer] = []
    if ranged:
        layers.append(Ribbon(x, path.low, path.high))
    ends = []
    for side, words, dash in references:
        if np.isfinite(side).any():
            role = "base" if dash == "solid" else "level"
            layers.append(Path(x, side, role=role, dash=dash, weight=1.8))  # type: ignore[arg-type]
            ends.append(line_end(side, f"{words} {formats.compact(last_known(side))}"))
    layers.append(Path(x, path.running, weight=2.6))
    own = path.running if over else path.expected
    if known:
        layers.append(Path(x, path.expected, role="estimate", dash="dashed", weight=2.0))
        if ranged:
            layers.append(Path(np.full(2, last), np.array([low, high]), "estimate", weight=2.2))
        layers.append(Ticks(np.array([last]), np.array([estimate]), _CROSSBAR * n, "estimate", halo=True, weight=2.6))
    if np.isfinite(own).any():
        named = formats.say("Total") if over else column_words("estimate", formats)
        text = f"{named} {formats.compact(estimate)}"
        ends.append(line_end(own, text, role="current" if over else "estimate", bold=True))
    if ranged:
        ends += [
            line_end(side, f"{column_words(name, formats)} {formats.compact(value)}", role="estimate")
            for name, side, value in (("low", path.low, low), ("high", path.high, high))
        ]
    lane = max((canvas.measure(end.text, end.size, end.bold) for end in ends), default=0.0)
    box = panel_box(canvas, lane + 12)
    texts = list(line_ends(ends, axis, box))
    if not over:
        line, date = today_line(today, n, axis, formats.day(int(result.now.cuts[0]), year=False))
        layers.append(line)
        texts.append(date)
    layers.append(Captions(tuple(texts)))
    of = unit(asked, formats)
    sides = [(formats.say("to date"), path.running), (column_words("estimate", formats), path.expected)]
    sides += [(words, side) for side, words, _ in references]
    layers += day_details(path.days, [(words, side, DayTexts(of)) for words, side in sides], canvas)
    ticks = day_ticks(result.calendar, result.within, path.days, formats)
    return Scene(
        title=landing_subject(result, asked, formats, item_words(item)),
        subtitle=landing_sentence(result, asked, labels, formats),
        footnote=figure_footnote(whole, formats),
        size=canvas.room,
        panels=(Panel(Axis("position", -0.01 * n, last + 1.4 * _CROSSBAR * n, ticks), axis, tuple(layers), box),),
        legend=_legend(formats, known=known, ranged=ranged),
    )


def _legend(formats: Formats, *, known: bool, ranged: bool) -> tuple[Entry, ...]:
    entries = [Entry("line", formats.say("to date"), "current", weight=2.6)]
    if known:
        entries.append(Entry("line", formats.say("estimated"), "estimate", dash="dashed", weight=2.0))
    if ranged:
        entries.append(Entry("band", formats.say("80 % of past outcomes"), "estimate", pale=True))
    return tuple(entries)
