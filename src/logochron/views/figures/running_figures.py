"""Running totals as figures: pace, landing, and how far past estimates were off."""

from __future__ import annotations

import numpy as np

from logochron.core.book.measures import Measure
from logochron.core.check_kinds import kinds_checked
from logochron.core.choices import VERDICTS
from logochron.core.questions.landing.answer import Landing
from logochron.core.questions.landing.backtest import Backtest
from logochron.core.questions.pace import Pace
from logochron.core.rows.figures import Floats
from logochron.views.catalog import message, ordinal
from logochron.views.figures.common import DayTexts, Item, day_details, item_labels, item_words, measure_of, role_of
from logochron.views.figures.layout import (
    BELOW,
    amounts_axis,
    day_ticks,
    last_known,
    line_end,
    line_ends,
    nice_ticks,
    panel_box,
    today_line,
)
from logochron.views.figures.scene import (
    Axis,
    Canvas,
    Captions,
    Dash,
    Entry,
    Layer,
    Panel,
    Path,
    Ribbon,
    Role,
    Scene,
    Text,
    Tick,
    Ticks,
)
from logochron.views.formats import Formats, shortened
from logochron.views.words.question_words import (
    RUNNING_TOTAL,
    backtest_sentence,
    backtest_subject,
    landing_sentence,
    landing_subject,
    plan_heading,
    ranks_of,
    standing_sentence,
)
from logochron.views.words.titles import (
    against_words,
    axis_words,
    base_heading,
    column_words,
    figure_footnote,
    period_word,
    subject,
    unit,
)

_SHOWN = ("running", "base", "gap", "growth")
#: More lines than this cannot be told apart.
_MOST_LINES = 8
_ONE_POSITION = message("Nothing to draw: only the position of today was asked for")
_GAPS: dict[Role, str] = {
    "favorable": message("ahead of {base}"),
    "adverse": message("behind {base}"),
    "level": message("gap to {base}"),
}
_LOWER_GAPS: dict[Role, str] = {"favorable": message("below {base}"), "adverse": message("above {base}")}
#: How thick the last line is, and the ones before it, thinner with age.
_CURRENT, _EARLIER = 2.6, (1.9, 1.6, 1.3, 1.1, 0.95, 0.85, 0.8)


@kinds_checked
def pace(result: Pace, canvas: Canvas, *, measure: str | None = None, item: Item = None) -> Scene:
    """A line of running totals per period, lined up by position, and how far the last one is ahead or behind.

    Parameters
    ----------
    result
        From `pace`.

    Raises
    ------
    QuestionError
        Where the item is not in the result.

    Examples
    --------
    >>> import logochron as lc
    >>> years = lc.pace(lc.demo.book(), "year", measures="revenue")
    >>> lc.draw.pace(years).axes[0].get_ylabel()
    'EUR'
    """
    formats = canvas.formats
    of_measure, labels = measure_of(result, measure), item_labels(result, item)
    running, base = (result.lines(name, of_measure, labels) for name in ("running", "base"))
    shown = range(max(len(result.periods) - _MOST_LINES, 0), len(result.periods))
    positions = np.arange(len(result.positions.numbers), dtype=float)
    last = len(result.periods) - 1
    reference = _is_reference(result)
    bases = base[last] if reference else np.full(len(positions), np.nan)
    axis = amounts_axis([running[list(shown)], bases], formats, axis_words(of_measure, formats))
    ranks = ranks_of(result, of_measure, labels)
    ends = [line_end(running[place], _named(result, ranks, place, formats), bold=place == last) for place in shown]
    if np.isfinite(bases).any():
        ends.append(line_end(bases, base_heading(result, formats)))
    to_date = np.isnan(running[last, -1])
    if to_date:
        own = ends.pop(len(shown) - 1)
    lane = max((canvas.measure(end.text, end.size, end.bold) for end in ends), default=0.0)
    box = panel_box(canvas, lane + 7)
    layers: list[Layer] = list(_gap(result, running[last], base[last], of_measure, positions))
    for place in shown:
        age = last - place
        role, weight = ("current", _CURRENT) if not age else ("base", _EARLIER[age - 1])
        layers.append(Path(positions, running[place], role=role, weight=weight))  # type: ignore[arg-type]
    if np.isfinite(bases).any():
        layers.append(Path(positions, bases, role="level", dash="dashed"))
    texts = list(line_ends(ends, axis, box))
    if to_date:
        today = result.positions.today
        highest = running[list(shown), today].max() <= running[last, today]
        texts.append(_beside(own, today, highest=bool(highest)))
        day = formats.day(int(result.days[last, today]), year=False)
        line, date = today_line(float(today), len(positions), axis, day)
        layers.append(line)
        texts.append(date)
    layers.append(Captions(tuple(texts)))
    layers += day_details(result.days[last], _pointed_at(result, of_measure, labels, canvas), canvas)
    one = len(positions) == 1 < result.positions.many
    drawn = bool(np.isfinite(running[list(shown)]).any()) and not one
    left_out = (
        [formats.say("the latest {n} of {many} drawn", n=_MOST_LINES, many=formats.number(len(result.periods), 0))]
        if len(shown) < len(result.periods)
        else []
    )
    return Scene(
        title=subject(result, of_measure, formats, split=False, item=item_words(item), pattern=RUNNING_TOTAL),
        subtitle=standing_sentence(result, of_measure, labels, formats) if drawn else "",
        footnote=formats.dot.join([figure_footnote(result, formats), *left_out]),
        size=canvas.room,
        panels=(Panel(_axis(result, positions, formats), axis, tuple(layers), box),),
        legend=_pace_legend(result, layers, formats, lower=of_measure.better == "lower"),
        empty="" if drawn else formats.say(_ONE_POSITION if one else "Nothing to draw: no period has a running total"),
    )


def _pointed_at(
    result: Pace, measure: Measure, labels: tuple[str, ...], canvas: Canvas
) -> list[tuple[str, Floats, DayTexts]]:
    """What a pointer shows of the last line, day by day: running total, base, gap and growth."""
    formats, of, planned = canvas.formats, unit(measure, canvas.formats), result.plan is not None
    running, base, gap, growth = (result.lines(name, measure, labels)[-1] for name in _SHOWN)
    return [
        (shortened(result.periods[-1]), running, DayTexts(of)),
        (base_heading(result, formats), base, DayTexts(of)),
        (column_words("gap", formats, planned=planned), gap, DayTexts(of, signed=True)),
        (column_words("growth", formats, planned=planned), growth, DayTexts(None)),
    ]


def _is_reference(result: Pace) -> bool:
    """Whether the base is none of the lines, and gets one of its own."""
    aligned, place = result.alignment, result.place()
    return aligned.base_labels[place] not in result.periods[-_MOST_LINES:] or result.plan is not None


def _named(result: Pace, ranks: dict[int, int], place: int, formats: Formats) -> str:
    label = shortened(result.periods[place])
    return f"{label} · {ordinal(ranks[place], formats.language)}" if place in ranks and len(ranks) > 1 else label


def _beside(own: Text, today: int, *, highest: bool) -> Text:
    """The label of the running line beside its end: above where it leads, below where others do."""
    moved = own._replace(x=float(today), frame="", halo=True, role="current")
    if highest:
        return moved._replace(dx=-6, dy=5, across="right", upright="bottom")
    return moved._replace(dx=6, dy=-5, across="left", upright="top")


def _gap(result: Pace, running: Floats, base: Floats, measure: Measure, positions: Floats) -> list[Ribbon]:
    """The ground between the last line and its base, in stretches of one verdict."""
    _, verdicts = result.directions(measure, running, base)
    known = np.isfinite(running) & np.isfinite(base)
    places = np.flatnonzero(known)
    if not len(places):
        return []
    changes = np.flatnonzero(np.diff(verdicts[places])) + 1
    bands = []
    for stretch in np.split(places, changes):
        stretch = np.arange(max(stretch[0] - 1, places[0]), stretch[-1] + 1)  # joined to the one before
        role = role_of(VERDICTS[verdicts[stretch[-1]]])
        bands.append(Ribbon(positions[stretch], base[stretch], running[stretch], role=role))
    return bands


def _pace_legend(result: Pace, layers: list[Layer], formats: Formats, *, lower: bool) -> tuple[Entry, ...]:
    drawn = {layer.role for layer in layers if isinstance(layer, Ribbon)}
    against = against_words(result, formats)
    words = _GAPS | (_LOWER_GAPS if lower else {})
    return tuple(
        Entry("band", formats.say(words[role], base=against), role, pale=True) for role in words if role in drawn
    )


def _axis(result: Pace, positions: Floats, formats: Formats) -> Axis:
    """Positions as people call them: months, days of the month or weekdays."""
    size = len(positions)
    ticks = day_ticks(result.calendar, result.within, result.days[-1], formats)
    return Axis("position", -0.01 * size, (size - 1) + 0.004 * size, ticks)


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
    of_measure, labels = measure_of(result, measure), item_labels(result, item)
    whole = result.whole
    block, place = whole.block_of(of_measure, labels)
    row = block.row(0, place)
    path = result.path(of_measure, labels)
    n = len(path.days)
    x = np.arange(n, dtype=float)
    last, today = float(n - 1), float(np.searchsorted(path.days, result.now.cuts[0]))
    over = bool(result.now.over[0])
    estimate, low, high = (float(row[name]) for name in ("estimate", "low", "high"))
    known, ranged = np.isfinite(estimate) and not over, np.isfinite(low) and not over
    references = [(path.base, base_heading(whole, formats), "solid")]
    if path.plan is not None and whole.plan is None:
        # of several the first alone: their lines would lie over each other
        references.append((path.plan, plan_heading(result.first_target, formats), "dashed"))
    axis = amounts_axis(
        [path.running, path.expected, path.low, path.high, *(side for side, _, _ in references)],
        formats,
        axis_words(of_measure, formats),
    )
    layers: list[Layer] = []
    if ranged:
        layers.append(Ribbon(x, path.low, path.high))
    ends = []
    shown = [(side, words, dash) for side, words, dash in references if np.isfinite(side).any()]
    figures = [*(last_known(side) for side, _, _ in shown), estimate, low, high]
    told = formats.compacts(figures)  # all of one size
    for (side, words, dash), text in zip(shown, told):
        role = "base" if dash == "solid" else "level"
        layers.append(Path(x, side, role=role, dash=dash, weight=1.8))  # type: ignore[arg-type]
        ends.append(line_end(side, f"{words} {text}"))
    layers.append(Path(x, path.running, weight=2.6))
    own = path.running if over else path.expected
    if known:
        layers.append(Path(x, path.expected, role="estimate", dash="dashed", weight=2.0))
        if ranged:
            layers.append(Path(np.full(2, last), np.array([low, high]), "estimate", weight=2.2))
        layers.append(Ticks(np.array([last]), np.array([estimate]), _CROSSBAR * n, "estimate", halo=True, weight=2.6))
    if np.isfinite(own).any():
        named = formats.say("Total") if over else column_words("estimate", formats)
        text = f"{named} {told[-3]}"
        ends.append(line_end(own, text, role="current" if over else "estimate", bold=True))
    if ranged:
        ends += [
            line_end(side, f"{column_words(name, formats)} {text}", role="estimate")
            for name, side, text in (("low", path.low, told[-2]), ("high", path.high, told[-1]))
        ]
    lane = max((canvas.measure(end.text, end.size, end.bold) for end in ends), default=0.0)
    box = panel_box(canvas, lane + 12)
    texts = list(line_ends(ends, axis, box))
    if not over:
        line, date = today_line(today, n, axis, formats.day(int(result.now.cuts[0]), year=False))
        layers.append(line)
        texts.append(date)
    layers.append(Captions(tuple(texts)))
    of = unit(of_measure, formats)
    sides = [(formats.say("to date"), path.running), (column_words("estimate", formats), path.expected)]
    sides += [(words, side) for side, words, _ in references]
    layers += day_details(path.days, [(words, side, DayTexts(of)) for words, side in sides], canvas)
    ticks = day_ticks(result.calendar, result.within, path.days, formats)
    return Scene(
        title=landing_subject(result, of_measure, formats, item_words(item)),
        subtitle=landing_sentence(result, of_measure, labels, formats),
        footnote=figure_footnote(whole, formats),
        size=canvas.room,
        panels=(Panel(Axis("position", -0.01 * n, last + 1.4 * _CROSSBAR * n, ticks), axis, tuple(layers), box),),
        legend=_landing_legend(formats, known=known, ranged=ranged),
    )


def _landing_legend(formats: Formats, *, known: bool, ranged: bool) -> tuple[Entry, ...]:
    entries = [Entry("line", formats.say("to date"), "current", weight=2.6)]
    if known:
        entries.append(Entry("line", formats.say("estimated"), "estimate", dash="dashed", weight=2.0))
    if ranged:
        entries.append(Entry("band", formats.say("80 % of past outcomes"), "estimate", pale=True))
    return tuple(entries)


#: How each profile is drawn: the one chosen anew each time in the foreground.
_LOOKS: dict[str, tuple[Role, Dash, float]] = {
    "best": ("current", "solid", 2.8),
    "as-was": ("current", "solid", 2.8),
    **dict.fromkeys(("listed", "selling-days", "season"), ("estimate", "solid", 1.8)),
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
