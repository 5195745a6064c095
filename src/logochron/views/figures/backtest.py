"""Back-test: how far past estimates were off at each tenth of the period, per profile."""

from __future__ import annotations

import numpy as np

from logochron.core.check_kinds import kinds_checked
from logochron.core.questions.landing.answer import Landing
from logochron.core.questions.landing.backtest import Backtest
from logochron.views.figures.layout import BELOW, nice_ticks, panel_box
from logochron.views.figures.scene import Axis, Canvas, Dash, Entry, Panel, Path, Role, Scene, Tick
from logochron.views.words.basis_words import period_word
from logochron.views.words.standing import backtest_sentence, backtest_subject
from logochron.views.words.titles import column_words, figure_footnote

#: How each profile is drawn: the one chosen anew each time in the foreground.
_LOOKS: dict[str, tuple[Role, Dash, float]] = {
    "best": ("current", "solid", 2.8),
    "as-was": ("current", "solid", 2.8),
    "listed": ("estimate", "solid", 1.8),
    "year-ago": ("level", "solid", 1.6),
    "history": ("level", "dashed", 1.6),
    "weekday": ("level", "dotted", 1.8),
    "even": ("base", "solid", 1.6),
}


@kinds_checked
def backtest(result: Landing | Backtest, canvas: Canvas) -> Scene:
    """How far estimates of past periods were off at each tenth of their days, a line per profile.

    Parameters
    ----------
    result
        From `land`: the back-test of its first measure, all items together.

    Raises
    ------
    QuestionError
        Where the result is none of `land`.

    Examples
    --------
    >>> import logochron as lc
    >>> month = lc.land(lc.demo.book(), "month", measures="revenue")
    >>> lc.draw.backtest(month).axes[0].get_ylabel()
    'Typical error'
    """
    formats = canvas.formats
    tested = result.backtested if isinstance(result, Landing) else result
    errors = tested.typical_errors
    drawn = bool(np.isfinite(errors).any())
    highest = float(errors[np.isfinite(errors)].max(initial=0.0)) * 1.08 or 0.1
    share = [Tick(at, formats.part(at, 0)) for at in nice_ticks(0.0, highest)]
    layers: list[Path] = []
    legend: list[Entry] = []
    for place, name in reversed(list(enumerate(tested.profiles))):
        if np.isfinite(errors[:, place]).any():
            role, dash, weight = _LOOKS[name]
            layers.append(Path(tested.elapsed, errors[:, place], role=role, dash=dash, weight=weight))
            legend.insert(0, Entry("line", name, role, dash=dash, weight=weight))
    ticks = tuple(Tick(float(at), formats.part(float(at), 0)) for at in tested.elapsed)
    x = Axis(
        "position",
        0.07,
        1.03,
        ticks,
        words=formats.say(
            "Part of the {period} elapsed",
            period=period_word(tested.landing.calendar.word(tested.landing.within), formats),
        ),
    )
    y = Axis("number", 0.0, highest, tuple(share), words=column_words("typical_error", formats), gridlines=True)
    box = panel_box(canvas, 7.0, BELOW - 0.2)
    return Scene(
        title=backtest_subject(tested, formats),
        subtitle=backtest_sentence(tested, formats) if drawn else "",
        footnote=figure_footnote(tested.landing, formats),
        size=canvas.room,
        panels=(Panel(x, y, tuple(layers), box),),
        legend=tuple(legend),
        empty="" if drawn else formats.say("Nothing to draw: no complete period before this one is held"),
    )
