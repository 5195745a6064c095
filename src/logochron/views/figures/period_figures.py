"""Figures with periods side by side: columns, an overlay of the base, plain lines, a trend."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from logochron.core.book.measures import Measure
from logochron.core.check_kinds import kinds_checked
from logochron.core.choices import VERDICTS, PanelScale
from logochron.core.errors import QuestionError
from logochron.core.questions.compare import Comparison
from logochron.core.rows.figures import Floats
from logochron.views.catalog import message
from logochron.views.figures.by_period import (
    PeriodLook,
    base_entry,
    by_period,
    column_legend,
    has_base,
    parts_of,
    zero_line,
)
from logochron.views.figures.common import STATUS_WORDS, Item, measure_of, role_of
from logochron.views.figures.layout import last_known
from logochron.views.figures.scene import (
    Axis,
    Bars,
    Box,
    Canvas,
    Captions,
    Dash,
    Dots,
    Entry,
    Layer,
    Panel,
    Path,
    Ribbon,
    Scene,
    Text,
    Ticks,
)
from logochron.views.formats import Formats, capital, words
from logochron.views.marks import Marks, marks_of
from logochron.views.tables.item_rows import Table, moved_texts
from logochron.views.words.titles import against_words

_COLUMNS_HALF = 0.31


@kinds_checked
def columns(
    result: Comparison, canvas: Canvas, *, measure: str | None = None, item: Item = None, panels: str | None = None
) -> Scene:
    """One column per period, the base as a short tick across it, mark and growth below.

    Parameters
    ----------
    result
        From `compare`.

    Raises
    ------
    QuestionError
        Where an item or dimension is not in the result, or the periods are too many for one picture.

    Examples
    --------
    >>> import logochron as lc
    >>> months = lc.compare(lc.demo.book(), each="month", last=13)
    >>> lc.draw.columns(months).axes[0].get_ylabel()
    'EUR'
    """
    return by_period(result, canvas, PeriodLook(_columns_layers, _columns_legend), measure, item, panels)


def column_bars(table: Table, half: float) -> tuple[Layer, ...]:
    """Columns, whole ones dark, others pale with a solid top."""
    values, pale = table["value"], table["status"] != "complete"
    places = np.arange(len(values), dtype=float)

    def bars(of: NDArray[np.bool_], *, pale: bool) -> Bars:
        at, high = places[of], values[of]
        return Bars(at - half, at + half, np.zeros(len(at)), high, pale=pale)

    drawn = np.isfinite(values)
    part = drawn & pale
    return (
        bars(drawn & ~pale, pale=False),
        bars(part, pale=True),
        Ticks(places[part], values[part], half, role="current", weight=2.2),
    )


def _columns_layers(table: Table) -> tuple[Layer, ...]:
    """Columns, the base's ticks across them, the line at 0."""
    bases = table["base"]
    based = np.flatnonzero(np.isfinite(bases))
    ticks = Ticks(based.astype(float), bases[based], 0.42, halo=True)
    return (*column_bars(table, _COLUMNS_HALF), ticks, zero_line(len(bases)))


def _columns_legend(result: Comparison, tables: Sequence[Table], formats: Formats) -> tuple[Entry, ...]:
    entries = column_legend(tables, formats)
    if has_base(tables):
        entries.append(base_entry(result, formats, look="tick", weight=2.6))
    return tuple(entries)


#: Half the width of a column, narrow enough for the silhouette to show on both sides.
_OVERLAY_HALF = 0.2
_STRENGTH = 0.45


@kinds_checked
def overlay(
    result: Comparison, canvas: Canvas, *, measure: str | None = None, item: Item = None, panels: str | None = None
) -> Scene:
    """Narrow columns of the periods before the pale stepped silhouette of their bases.

    Parameters
    ----------
    result
        From `compare`.

    Raises
    ------
    QuestionError
        Where an item or dimension is not in the result, or the periods are too many for one picture.

    Examples
    --------
    >>> import logochron as lc
    >>> months = lc.compare(lc.demo.book(), each="month", last=13)
    >>> lc.draw.overlay(months).axes[0].get_ylabel()
    'EUR'
    """
    return by_period(result, canvas, PeriodLook(_overlay_layers, _overlay_legend), measure, item, panels)


def stepped(values: Floats) -> tuple[Floats, Floats]:
    """A silhouette as a line: each value from one edge of its place to the other."""
    places = np.arange(len(values), dtype=float)
    return np.stack([places - 0.5, places + 0.5], axis=1).ravel(), np.repeat(values, 2)


def _overlay_layers(table: Table) -> tuple[Layer, ...]:
    """The silhouette, the columns before it, the line at 0."""
    x, base = stepped(table["base"])
    return (
        Ribbon(x, np.where(np.isfinite(base), 0.0, np.nan), base, role="base", strength=_STRENGTH),
        Path(x, base, role="base", weight=1.2),
        *column_bars(table, _OVERLAY_HALF),
        zero_line(len(table["value"])),
    )


def _overlay_legend(result: Comparison, tables: Sequence[Table], formats: Formats) -> tuple[Entry, ...]:
    entries = column_legend(tables, formats)
    if has_base(tables):
        entries.append(base_entry(result, formats, look="band", pale=True, strength=_STRENGTH))
    return tuple(entries)


_DASHES: tuple[Dash, Dash] = ("solid", "dotted")
_LINES_WEIGHT, _BASE_WEIGHT = 2.2, 1.8
#: Up to so many places each value gets a point of its own.
_POINTS = 26


@kinds_checked
def lines(
    result: Comparison,
    canvas: Canvas,
    *,
    measure: str | None = None,
    item: Item = None,
    panels: str | None = None,
    panel_scale: PanelScale = "shared",
) -> Scene:
    """Value and base as two plain lines; the stretch to a period that is not whole is dotted.

    Parameters
    ----------
    result
        From `compare`.

    Raises
    ------
    QuestionError
        Where an item or dimension is not in the result.

    Examples
    --------
    >>> import logochron as lc
    >>> weeks = lc.compare(lc.demo.book(), each="week", last=60)
    >>> lc.draw.lines(weeks).axes[0].get_ylabel()
    'EUR'
    """
    name = capital(words(measure_of(result, measure).name))

    def legend(result: Comparison, tables: Sequence[Table], formats: Formats) -> tuple[Entry, ...]:
        entries = [Entry("line", name, "current", weight=_LINES_WEIGHT)]
        if any((table["status"] != "complete").any() for table in tables):
            entries.append(
                Entry("line", formats.say(STATUS_WORDS["to-date"]), "current", dash="dotted", weight=_LINES_WEIGHT)
            )
        if has_base(tables):
            entries.append(base_entry(result, formats, look="line", weight=_BASE_WEIGHT))
        return tuple(entries)

    look = PeriodLook(_lines_layers, legend, judged=False)
    return by_period(result, canvas, look, measure, item, panels, panel_scale)


def stretches(table: Table, side: str) -> tuple[Floats, Floats]:
    """The figures of whole periods, and those of stretches from or to one that is not whole."""
    values, partial = table[side], table["status"] != "complete"
    beside = partial | np.append(partial[1:], False) | np.append(False, partial[:-1])
    return np.where(partial, np.nan, values), np.where(beside, values, np.nan)


def _lines_layers(table: Table) -> tuple[Layer, ...]:
    n = len(table["value"])
    x = np.arange(n, dtype=float)
    points: tuple[Layer, ...] = ()
    if n <= _POINTS:
        known = np.isfinite(table["value"])
        points = (Dots(x[known], table["value"][known]),)
    return (
        zero_line(n),
        *(Path(x, side, "base", dash, _BASE_WEIGHT) for side, dash in zip(stretches(table, "base"), _DASHES)),
        *(Path(x, side, "current", dash, _LINES_WEIGHT) for side, dash in zip(stretches(table, "value"), _DASHES)),
        *points,
    )


_TREND_WEIGHT = 2.6
#: Inches of a line as small as a word, and how thick it is.
_SMALL = (2.4, 0.5)
_SMALL_WEIGHT = 1.6
_LEGEND = {
    "favorable": message("favorable against {base}"),
    "adverse": message("adverse against {base}"),
    "level": message("neither"),
}


@kinds_checked
def trend(
    result: Comparison,
    canvas: Canvas,
    *,
    measure: str | None = None,
    item: Item = None,
    panels: str | None = None,
    panel_scale: PanelScale = "shared",
    small: bool = False,
) -> Scene:
    """A line whose stretches are colored by verdict, with marks at turning points only, broken where unknown.

    Parameters
    ----------
    result
        From `compare`.
    small
        The line alone, as small as a word, with the mark of the last period.

    Raises
    ------
    QuestionError
        Where an item or dimension is not in the result.

    Examples
    --------
    >>> import logochron as lc
    >>> months = lc.compare(lc.demo.book(), each="month", last=13)
    >>> lc.draw.trend(months).axes[0].get_ylabel()
    'EUR'
    """
    of_measure = measure_of(result, measure)
    marks = marks_of(result.judgings[of_measure.name], canvas.formats, canvas.drawable)

    def turning(table: Table) -> tuple[Text, ...]:
        return _turning_marks(of_measure, table, marks, canvas.formats)

    look = PeriodLook(lambda table: _line(table, _TREND_WEIGHT), _trend_legend, judged=False, bases=(), marks=turning)
    whole = by_period(result, canvas, look, measure, item, panels, panel_scale)
    if small and panels is not None:
        raise QuestionError("`small` is one line alone: leave `panels` out, or name an `item`")
    if small and not whole.empty:
        return _as_small_as_a_word(whole, canvas, _last_mark(parts_of(result, of_measure, item, None)[0][1], marks))
    return whole


def _line(table: Table, weight: float) -> tuple[Path, ...]:
    """The line in stretches of one verdict: each is colored by the period it leads to."""
    values, verdicts = table["value"], table["verdict"].astype(str)
    n = len(values)
    x = np.arange(n, dtype=float)
    partial = table["status"] != "complete"
    paths: list[Path] = []
    for verdict in VERDICTS:
        for dashed, dash in ((False, "solid"), (True, "dotted")):
            leads = (verdicts == verdict) & (partial == dashed)
            if leads.any():
                paths.append(_stretches(x, values, leads, role_of(verdict), dash, weight))
    return tuple(paths)


def _stretches(x: Floats, values: Floats, leads: NDArray[np.bool_], role: str, dash: str, weight: float) -> Path:
    """The stretches that lead to some of the places, as one path that is broken between them."""
    ends = np.flatnonzero(leads)
    points = np.full((len(ends), 3, 2), np.nan)
    starts = np.maximum(ends - 1, 0)
    points[:, 0], points[:, 1] = (np.stack([x[at], values[at]], axis=1) for at in (starts, ends))
    return Path(points[..., 0].ravel(), points[..., 1].ravel(), role, dash, weight)  # type: ignore[arg-type]


def turning_points(values: Floats) -> NDArray[np.int64]:
    """The places where a line turns from rising to falling or back.

    >>> turning_points(np.array([1.0, 3.0, 3.0, 2.0, 5.0])).tolist()
    [2, 3]
    """
    moves = np.sign(np.diff(values))
    known = np.flatnonzero(np.isfinite(moves) & (moves != 0))
    turns = known[1:][moves[known[1:]] * moves[known[:-1]] < 0]
    return turns[np.isfinite(values[turns])]


def _turning_marks(measure: Measure, table: Table, marks: Marks, formats: Formats) -> tuple[Text, ...]:
    """The mark of each turning point, above where the line comes from below; the last one with its growth."""
    values = table["value"]
    known = np.flatnonzero(np.isfinite(values))
    if not len(known):
        return ()
    last, moved = int(known[-1]), moved_texts(measure, table, formats)
    texts = []
    for place in [*turning_points(values).tolist(), last]:
        sign = marks.sign(table["direction"][place], table["verdict"][place], table["band"][place])
        text = marks.beside(sign, moved[place]) if place == last else sign
        before = values[place - 1] if place else np.nan
        above = not values[place] < before
        texts.append(
            Text(
                float(place),
                float(values[place]),
                text,
                role_of(str(table["verdict"][place])),
                dy=8 if above else -8,
                across="right" if place == last and len(values) > 1 else "center",
                upright="bottom" if above else "top",
                halo=True,
            )
        )
    return tuple(texts)


def _trend_legend(result: Comparison, tables: Sequence[Table], formats: Formats) -> tuple[Entry, ...]:
    roles = {role_of(str(verdict)) for table in tables for verdict in table["verdict"]}
    against = against_words(result, formats)
    entries = [
        Entry("line", formats.say(words, base=against), role, weight=_TREND_WEIGHT)
        for role, words in _LEGEND.items()
        if role in roles
    ]
    if any((table["status"] == "to-date").any() for table in tables):
        entries.append(
            Entry("line", formats.say(STATUS_WORDS["to-date"]), "level", dash="dotted", weight=_TREND_WEIGHT)
        )
    return tuple(entries)


def _last_mark(table: Table, marks: Marks) -> Text:
    """The mark of the last period that has a figure, beside the end of its line."""
    last = int(np.flatnonzero(np.isfinite(table["value"]))[-1])
    sign = marks.sign(table["direction"][last], table["verdict"][last], table["band"][last])
    role = role_of(str(table["verdict"][last]))
    return Text(1.0, float(table["value"][last]), sign, role, dx=6, across="left", frame="x")


def _as_small_as_a_word(scene: Scene, canvas: Canvas, mark: Text) -> Scene:
    """The line of the first panel alone, and the mark of its last period."""
    panel = scene.panels[0]
    size = canvas.size or _SMALL
    paths = tuple(
        Path(path.x, path.y, path.role, path.dash, _SMALL_WEIGHT) for path in panel.layers if isinstance(path, Path)
    )
    known = np.concatenate([path.y[np.isfinite(path.y)] for path in paths])
    low, high = float(known.min(initial=np.inf)), float(known.max(initial=-np.inf))
    low, high = (low, high) if low < high else (last_known(known) - 1, last_known(known) + 1)
    room = (high - low) * 0.15
    box = Box(0.04, 0.04, max(size[0] - 0.08 - (canvas.measure(mark.text) + 8) / 72, 0.1), size[1] - 0.08)
    return Scene(
        title=scene.title,
        subtitle=scene.subtitle,
        footnote=scene.footnote,
        size=size,
        panels=(
            Panel(
                Axis("position", panel.x.low, panel.x.high, line=False),
                Axis("number", low - room, high + room, line=False),
                (*paths, Captions((mark,))),
                box,
            ),
        ),
        bare=True,
    )
