"""Bridge: from the base over what each item contributed to the value."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from logochron.core.book.measures import Measure
from logochron.core.check_kinds import kinds_checked
from logochron.core.choices import DIRECTIONS, FALLING, LEVEL, OTHERS, RISING, VERDICTS
from logochron.core.judge.judging import verdict
from logochron.core.questions.drivers import Drivers
from logochron.core.rows.currency_effect import CurrencyEffect
from logochron.core.rows.figures import Floats
from logochron.views.figures.by_item import item_axis, item_boxes, own_size, upright_zero
from logochron.views.figures.common import VERDICT_WORDS, DetailRows, measure_of, role_of
from logochron.views.figures.layout import amounts_axis, number_axis
from logochron.views.figures.scene import Bars, Canvas, Captions, Details, Entry, Panel, Path, Scene, Text, Ticks
from logochron.views.formats import Formats, capital, noun, shortened, words
from logochron.views.marks import marks_of
from logochron.views.tables.item_rows import rows_of
from logochron.views.words.currency_words import rates_words
from logochron.views.words.life_words import group_name, life_sentence
from logochron.views.words.movement import names_apart
from logochron.views.words.question_words import compare_headline, contributions_sentence, drivers_when
from logochron.views.words.titles import (
    axis_words,
    base_heading,
    column_words,
    figure_footnote,
    subject,
    within_a_title,
)

#: Inches of a row at least and at most; half the height of a bar.
_ROW, _EACH, _HALF = 0.27, 0.52, 0.3
#: Where all running totals lie within so small a part of the largest, the axis does not start at 0.
_FLAT = 0.25


class _Step(NamedTuple):
    """One contribution: its item and what that is called, where its bar starts and ends, verdict and how it is written.

    `labels` are by dimension, none where it gathers those that have no room.
    """

    label: str
    labels: tuple[str, ...]
    start: float
    end: float
    verdict: str
    mark: str
    points: float
    said: str = ""


@kinds_checked
def bridge(result: Drivers, canvas: Canvas, *, measure: str | None = None) -> Scene:
    """From the base of all items over what each contributed to their value, the largest first.

    Parameters
    ----------
    result
        From `drivers`.

    Raises
    ------
    QuestionError
        Where the measure is not in the result.

    Examples
    --------
    >>> import logochron as lc
    >>> moved = lc.drivers(lc.demo.book(), each="month", by="harbor", at="2026-09", measures="revenue")
    >>> [text.get_text() for text in lc.draw.bridge(moved).axes[0].get_yticklabels()][::5]
    ['Year ago', 'Revenue']
    """
    formats = canvas.formats
    of_measure = measure_of(result, measure)
    total = rows_of(result, result.total_columns, of_measure)
    base, value = float(total["base"][0]), float(total["value"][0])
    room = max(int((canvas.room[1] - 2.5) / _ROW) - 2, 1)
    steps = steps_of(result, canvas, of_measure, base, value, room) if np.isfinite(base) and np.isfinite(value) else []
    labels = [base_heading(result, formats), *(step.label for step in steps), capital(words(of_measure.name))]
    size = canvas.size or own_size(canvas, len(labels), _EACH)
    rows = np.arange(1, len(steps) + 1, dtype=float)
    starts, ends = (np.array([getattr(step, side) for step in steps]) for side in ("start", "end"))
    reached = np.concatenate([[base, value], starts, ends])
    flat = float(np.ptp(reached)) < _FLAT * float(np.abs(reached).max(initial=0.0)) if len(steps) else False
    axis = (number_axis if flat else amounts_axis)([reached], formats, axis_words(of_measure, formats), 0.05)
    names = item_axis(labels)
    told = formats.compacts([base, value])
    texts = [(0.0, told[0], "ink"), (len(labels) - 1.0, told[1], "ink")]
    marks = [(row, step.mark, role_of(step.verdict)) for row, step in zip(rows.tolist(), steps)]
    texts += [(row, step.said, role_of(step.verdict)) for row, step in zip(rows.tolist(), steps)]
    widest = max((canvas.measure(text) for _, text, _ in texts), default=0.0) + 34
    (box,) = item_boxes(canvas, size, 1, labels, widest / 72 + 0.15, _EACH)
    lane = [Text(1.0, row, text, role, dx=widest, across="right", frame="x") for row, text, role in texts]  # type: ignore[arg-type]
    lane += [Text(1.0, row, text, role, dx=10, across="left", frame="x") for row, text, role in marks]
    layers = (
        *_ends(base, value, len(labels), flat=flat),
        *(_bars(rows, starts, ends, [step.verdict for step in steps])),
        _joints(base, ends),
        *([] if flat else [upright_zero(names)]),
        Captions(tuple(lane)),
        *_details(result, labels, [said for _, said, _ in texts[:2]], steps, canvas),
    )
    drawn = {role_of(step.verdict) for step in steps}
    legend = [Entry("bar", formats.say(text), role) for role, text in VERDICT_WORDS.items() if role in drawn]
    named = subject(result, of_measure, formats, split=True, when=drivers_when(result, formats))
    remark = formats.say("the axis does not start at 0") if flat else ""
    if steps and (effect := currency_of(result, of_measure)) is not None:
        at_rates = formats.say("items at {rates}", rates=rates_words(result.book, effect.steady, formats))
        remark = formats.dot.join(filter(None, [at_rates, remark]))
    return Scene(
        title=formats.say("What moved {subject}", subject=within_a_title(named, of_measure)),
        subtitle=_answer(result, of_measure, formats) if steps else "",
        footnote=formats.dot.join(filter(None, [figure_footnote(result, formats), remark])),
        size=size,
        panels=(Panel(axis, names, layers, box),),
        legend=tuple(legend),
        remark=remark,
        empty="" if steps else formats.say("Nothing to draw: value or base of this period is not known"),
    )


def _details(
    result: Drivers, labels: list[str], ends: list[str], steps: list[_Step], canvas: Canvas
) -> tuple[Details, ...]:
    """What a pointer shows of each row: base and value, between them the contributions."""
    if not canvas.detailed or not steps:
        return ()
    moved = column_words("contribution", canvas.formats)
    headings = [capital(noun(name, canvas.formats.language)) for name in result.by]
    rows: list[DetailRows] = [((labels[0], ends[0]),)]
    for step in steps:
        items = list(zip(headings, map(shortened, step.labels))) or [(headings[0], step.label)]
        rows.append((*items, (moved, " ".join(filter(None, (step.mark, step.said))))))
    rows.append(((labels[-1], ends[1]),))
    places = np.arange(len(rows), dtype=float)
    return (Details(places - 0.5, places + 0.5, tuple(rows), along="y"),)


def steps_of(result: Drivers, canvas: Canvas, measure: Measure, base: float, value: float, room: int) -> list[_Step]:
    """The contributions, the largest change first; what has no room is gathered as all others."""
    formats = canvas.formats
    table = rows_of(result, result.columns, measure)
    marks = marks_of(result.judgings[measure.name], formats, canvas.drawable)
    effect = currency_of(result, measure)
    changes, points = table["change"], table["contribution"]
    judged = list(zip(table["direction"].tolist(), table["verdict"].tolist()))
    if effect is not None:  # items as they moved by themselves, and what rates did as a step of its own
        changes = result.of_measure(result.columns, measure).blocks[0].flat(effect.items[None])
        points = changes / base if base > 0 else np.full(len(changes), np.nan)
        judged = [_judged(result, measure, change) for change in changes.tolist()]
    gathered = table[result.by[0]] == OTHERS
    order = np.lexsort((-np.abs(np.nan_to_num(changes)), gathered))  # all others last, whatever their size
    if result.gather is not None:  # from those that came to those that left
        order = np.flatnonzero(np.nan_to_num(changes) != 0)
    order = order if len(order) <= room else order[: room - 1]
    shown = [tuple(str(table[name][i]) for name in result.by) for i in order.tolist()]
    if result.gather is not None:
        many = [formats.number(float(table["items"][i]), 0) for i in order.tolist()]
        shown = [(f"{capital(group_name(group, formats))} ({n})",) for (group,), n in zip(shown, many)]
    steps: list[_Step] = []
    at = base
    for i, labels, label in zip(order.tolist(), shown, names_apart(shown)):
        change = float(np.nan_to_num(changes[i]))
        way, good = judged[i]
        steps.append(_Step(label, labels, at, at + change, str(good), marks.sign(way, good), float(points[i])))
        at += change
    rates, of_rates = (0.0, 0.0) if effect is None else (effect.change, effect.points)
    if (rest := len(changes) - len(order)) and result.gather is None:
        way, good = _judged(result, measure, value - rates - at)
        whole = float(rows_of(result, result.total_columns, measure)["contribution"][0]) - of_rates
        of_rest = whole - float(np.nansum(points[order]))  # unknown where that of all is
        label = OTHERS if gathered.any() else formats.say("{n} others", n=formats.number(rest, 0))
        steps.append(_Step(label, (), at, value - rates, good, marks.sign(way, good), of_rest))
    if effect is not None:
        way, good = _judged(result, measure, rates)
        label = formats.say("Currency effect")
        steps.append(_Step(label, (), value - rates, value, good, marks.sign(way, good), of_rates))
    texts = formats.compacts([step.end - step.start for step in steps], signed=True)
    return [step._replace(said=_said(step, text, formats)) for step, text in zip(steps, texts)]


def currency_of(result: Drivers, measure: Measure) -> CurrencyEffect | None:
    """The currency effect in the change of a measure, where it is known."""
    effect = result.currency.get(measure.name)
    return effect if effect is not None and np.isfinite(effect.change) else None


def _judged(result: Drivers, measure: Measure, change: float) -> tuple[str, str]:
    """Direction and verdict of a change."""
    direction = np.array([RISING if change > 0 else FALLING if change < 0 else LEVEL], dtype=np.int8)
    judged = verdict(direction, measure.better, result.judgings[measure.name])
    return DIRECTIONS[direction[0]], VERDICTS[judged[0]]


def _answer(result: Drivers, measure: Measure, formats: Formats) -> str:
    """The answer in one line: how the total moved, and what moved it most."""
    said = compare_headline(result, measure, 0, formats)
    if result.gather is not None:
        moved = life_sentence(result, measure, formats, 2)
    else:
        moved = contributions_sentence(result, measure, formats, 1)
    return formats.dot.join(filter(None, (said, moved)))


def _said(step: _Step, change: str, formats: Formats) -> str:
    """A contribution: the change, and its points of growth."""
    if step.end == step.start:
        return formats.say("level")
    points = formats.say("{n} points", n=formats.points(step.points))
    return f"{change}  ({points})" if np.isfinite(step.points) else change


def _ends(base: float, value: float, n: int, *, flat: bool) -> tuple[Bars | Ticks, ...]:
    """Base and value: bars from 0; strokes where the axis does not start there, for a length would lie."""
    layers: list[Bars | Ticks] = []
    for row, amount, role in ((0.0, base, "base"), (n - 1.0, value, "current")):
        at, amounts = np.array([row]), np.array([amount])
        if flat:
            layers.append(Ticks(at, amounts, _HALF, role, along="x", weight=4.0))  # type: ignore[arg-type]
        else:
            layers.append(Bars(at - _HALF, at + _HALF, np.zeros(1), amounts, role, along="x"))  # type: ignore[arg-type]
    return tuple(layers)


def _bars(rows: Floats, starts: Floats, ends: Floats, verdicts: list[str]) -> list[Bars]:
    """The contributions, in the color of their verdict."""
    roles = np.array([role_of(verdict) for verdict in verdicts], dtype=object)
    return [
        Bars(rows[of] - _HALF, rows[of] + _HALF, starts[of], ends[of], role, along="x")
        for role in dict.fromkeys(roles.tolist())
        if (of := roles == role).any()
    ]


def _joints(base: float, ends: Floats) -> Path:
    """Thin lines from where one bar ends to where the next one starts."""
    at = np.append(base, ends)
    rows = np.arange(len(at), dtype=float)
    points = np.full((len(at), 3, 2), np.nan)
    points[:, 0], points[:, 1] = np.stack([at, rows - _HALF], axis=1), np.stack([at, rows + 1 + _HALF], axis=1)
    return Path(points[..., 0].ravel(), points[..., 1].ravel(), "level", weight=0.7)
