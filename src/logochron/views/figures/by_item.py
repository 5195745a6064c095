"""Figures of one period by item: the rows that are drawn, the lane beside them, what all of them say alike."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.book.measures import Measure
from logochron.core.choices import OTHERS, Marked, check
from logochron.core.errors import QuestionError, brief
from logochron.core.questions.compare import Comparison
from logochron.core.rows.figures import Floats
from logochron.views.catalog import message
from logochron.views.figures.common import STATUS_WORDS, THE_LARGEST, RowDetails, measure_of, role_of, sentence
from logochron.views.figures.layout import ABOVE, amounts_axis
from logochron.views.figures.scene import (
    Axis,
    Box,
    Canvas,
    Captions,
    Details,
    Entry,
    Layer,
    Panel,
    Path,
    Scene,
    Size,
    Text,
    Tick,
    Ticks,
)
from logochron.views.formats import Formats
from logochron.views.marks import Marks, marks_of
from logochron.views.tables.item_rows import Table, moved_figures, moved_texts, rows_of
from logochron.views.words.movement import names_apart
from logochron.views.words.titles import against_words, axis_words, figure_footnote, row_period, subject, unit

#: Inches for a bar at least, and for what stands above and below the bars.
_BAR, _AROUND = 0.2, 1.9
#: Inches above and below the bars as they are laid out, for a bar and for all of them besides.
_OUTSIDE, _EACH, _MORE = 1.32 + 0.85, 0.62, 0.3
#: Inches of the lane.
_LANE = 1.15
#: More panels side by side leave no room for bars.
MOST_PANELS = 6
_EMPTY = message("Nothing to draw: no item has records in this period or its base")

#: What parts the labels of an item of several dimensions, which none of them holds.
_APART = "\0"


_NOTHING: Floats = np.zeros(0)


class ItemRow(NamedTuple):
    """What stands beside one bar; empty where it is left out. `band` names its band, or nothing.

    `together`: its share and those of all larger items, where they are told.
    """

    mark: str
    growth: str
    verdict: str
    band: str
    together: str = ""


class ItemPanel(NamedTuple):
    """One panel: values and bases by item from the top, NaN where the panel has no such item.

    `together`: the cumulative shares, none where the answer is not ranked.
    """

    heading: str
    values: Floats
    bases: Floats
    rows: tuple[ItemRow, ...]
    details: tuple[Details, ...] = ()
    together: Floats = _NOTHING


class OnePeriod(NamedTuple):
    """One period of a comparison, by item: what figures of it draw and say."""

    result: Comparison
    measure: Measure
    marks: Marks
    labels: list[str]
    panels: tuple[ItemPanel, ...]
    status: str
    total: Table
    when: str | None
    many: int

    @property
    def pale(self) -> bool:
        """Whether the period is not a whole one."""
        return self.status != "complete"

    def scene(self, canvas: Canvas, size: Size, panels: tuple[Panel, ...], legend: tuple[Entry, ...]) -> Scene:
        """The whole figure: panels between title, answer and footnote."""
        formats, result, drawn = canvas.formats, self.result, len(self.labels)
        said = sentence(result, self.total, formats, unit(self.measure, formats), together=True) if drawn else ""
        remark = ""
        if self.many > drawn:
            remark = formats.say(THE_LARGEST, n=drawn, many=formats.number(self.many, 0))
        return Scene(
            title=subject(result, self.measure, formats, split=True, when=self.when),
            subtitle=formats.dot.join(filter(None, (said, remark))),
            remark=remark,
            footnote=figure_footnote(result, formats),
            size=size,
            panels=panels,
            legend=legend,
            empty="" if drawn else formats.say(_EMPTY),
        )

    def ticked(self, formats: Formats) -> tuple[Entry, ...]:
        """The legend of bars with the ticks of their bases."""
        against = against_words(self.result, formats)
        return self.bar_entry(formats), Entry("tick", against, "base", weight=2.6)

    def bar_entry(self, formats: Formats) -> Entry:
        """What the bars are."""
        return Entry("bar", formats.say(STATUS_WORDS[self.status]), "current", self.pale)

    def amounts(self, formats: Formats) -> Axis:
        """The axis of amounts of all panels."""
        sides = [side for one in self.panels for side in (one.values, one.bases)]
        return amounts_axis(sides, formats, axis_words(self.measure, formats), 0.05, in_percent=self.measure.in_percent)


def one_period(
    result: Comparison,
    canvas: Canvas,
    figure: str,
    measure: str | None,
    at: Any,
    panels: str | None = None,
    marked: Marked = "all",
    inches: float = _BAR,
) -> OnePeriod:
    """The rows of one period by item, the largest first: as many as have room, each of so many inches."""
    formats = canvas.formats
    check("marked", marked, Marked)
    if not result.by:
        raise QuestionError("`{0}` draws one row per item: compare with by= (--by)", figure)
    if panels is not None and (panels not in result.by or len(result.by) < 2):
        raise QuestionError(
            "`panels` must be one of two or more dimensions of the result ({0}); got {1}",
            ", ".join(result.by),
            brief(panels),
        )
    of_measure = measure_of(result, measure)
    marks = marks_of(result.judgings[of_measure.name], formats, canvas.drawable)
    period = result.place(at)
    table = _rows_of(rows_of(result, result.columns, of_measure), period)
    total = _rows_of(rows_of(result, result.total_columns, of_measure), period)
    inner = [name for name in result.by if name != panels]
    names = keys_of([table[name] for name in inner], len(table["value"]))
    groups = keys_of([table[panels]] if panels else [], len(names))
    labels = by_size(names, table["value"])
    in_panels = by_size(groups, table["value"]) if panels else [""]
    if len(in_panels) > MOST_PANELS:
        raise QuestionError(
            "`panels` has room for {0} panels; {1} has {2} items: choose some by where=",
            MOST_PANELS,
            panels,
            len(in_panels),
        )
    room = max(int((canvas.room[1] - _AROUND) / inches), 1)
    shown = labels[:room]
    drawn_panels = tuple(
        _panel(
            result,
            of_measure,
            canvas,
            heading,
            shown,
            _rows_where(table, groups == group),
            names[groups == group],
            marked,
        )
        for group, heading in zip(in_panels, names_of_keys(in_panels) if panels else [""])
    )
    status, when = "complete", None
    if len(total["value"]):
        status = str(total["status"][0])
        when = row_period(result, {name: total[name][0] for name in ("start", "end")}, formats, status).when
    return OnePeriod(result, of_measure, marks, names_of_keys(shown), drawn_panels, status, total, when, len(labels))


def keys_of(columns: list[NDArray[Any]], n: int) -> NDArray[Any]:
    """The labels of several dimensions as one text for each row, in full: what people read of two may be alike."""
    if not columns:
        return np.full(n, "", object)
    return np.array(list(map(_APART.join, zip(*columns))), dtype=object)


def names_of_keys(keys: list[str]) -> list[str]:
    """What the items of such texts are called, no two alike."""
    return names_apart([key.split(_APART) for key in keys])


class Lane(NamedTuple):
    """The lane beside the bars: how many points wide, the widest of its marks, whether marks stand behind; and how
    many of its points shares that are added up take.
    """

    width: float
    mark: float
    marks_after: bool
    together: float = 0.0

    @classmethod
    def of(cls, period: OnePeriod, canvas: Canvas) -> Lane:
        rows = [row for panel in period.panels for row in panel.rows]
        mark = max((canvas.measure(row.mark) for row in rows), default=0.0)
        growth = max((canvas.measure(row.growth) for row in rows), default=0.0)
        shares = [row.together for row in rows if row.together]
        together = max(map(canvas.measure, shares), default=0.0) + 14 * bool(shares)
        return cls(max(mark + growth + 22, _LANE * 72 - 11) + together, mark, period.marks.after, together)

    def texts(self, panel: ItemPanel) -> Captions:
        """Mark and growth of each bar, in two columns at fixed distances from the frame."""
        last = self.width - self.together - 4
        texts = []
        for place, row in enumerate(panel.rows):
            if row.together:
                texts.append(
                    Text(1.0, float(place), row.together, "level", dx=self.width - 4, across="right", frame="x")
                )
            sides = ((row.mark, 8.0, "left"), (row.growth, last, "right"))
            if self.marks_after:
                sides = ((row.growth, last - self.mark - 4, "right"), (row.mark, last, "right"))
            texts += [
                Text(1.0, float(place), text, role_of(row.verdict), dx=dx, across=side, frame="x")  # type: ignore[arg-type]
                for text, dx, side in sides
            ]
        return Captions(tuple(texts))


def own_size(canvas: Canvas, n: int, each: float = _EACH) -> Size:
    """Few items make a low figure of plain bars rather than a few huge ones."""
    width, height = canvas.usual
    return width, min(height, max(each * n + _MORE + _OUTSIDE, 4.0))


def item_boxes(
    canvas: Canvas, size: Size, n: int, labels: list[str], beside: float = 0.35, each: float = _EACH
) -> list[Box]:
    """The boxes of panels side by side, each with so many inches beside it."""
    width, height = size
    left = 0.5 + max((canvas.measure(label) for label in labels), default=0) / 72
    panel = max((width - left - beside * n - 0.1 * (n - 1)) / n, 0.5)
    bars = min(height - _OUTSIDE, each * len(labels) + _MORE)
    # what is between panels is kept where they cannot be as narrow as there is room for
    whole = width - left - beside
    panel = whole / (n + (n - 1) * (beside + 0.1) / panel)
    step = (whole - panel) / (n - 1) if n > 1 else 0.0
    return [Box(left + place * step, height - ABOVE - bars, panel, bars) for place in range(n)]


def item_axis(labels: list[str], *, named: bool = True) -> Axis:
    """The axis of items, the first on top."""
    ticks = tuple(Tick(float(place), label) for place, label in enumerate(labels))
    return Axis("names", len(labels) - 0.4, -0.6, ticks, labeled=named)


def upright_zero(axis: Axis) -> Path:
    """The line at 0 along an axis of items."""
    return Path(np.zeros(2), np.array([axis.low, axis.high]), role="level", weight=0.8)


def base_ticks(bases: Floats, half: float) -> Ticks:
    """The bases of items as ticks across their bars."""
    based = np.flatnonzero(np.isfinite(bases))
    return Ticks(based.astype(float), bases[based], half, halo=True, along="x")


def barred(
    period: OnePeriod,
    canvas: Canvas,
    draws: Callable[[ItemPanel], tuple[Layer, ...]],
    legend: tuple[Entry, ...],
    *,
    marked: Marked = "all",
) -> Scene:
    """Panels of bars side by side, each with its lane of marks and growth."""
    size = canvas.size or own_size(canvas, len(period.labels))
    lane = Lane.of(period, canvas) if marked != "none" else None
    beside = 0.35 if lane is None else (lane.width + 11) / 72
    boxes = item_boxes(canvas, size, len(period.panels), period.labels, beside)
    axis = period.amounts(canvas.formats)
    panels = []
    for place, one in enumerate(period.panels):
        names = item_axis(period.labels, named=place == 0)
        texts = (lane.texts(one),) if lane else ()
        layers = (*draws(one), upright_zero(names), *texts, *one.details)
        panels.append(Panel(axis, names, layers, boxes[place], one.heading))
    return period.scene(canvas, size, tuple(panels), legend)


def _rows_where(table: Table, rows: NDArray[Any]) -> Table:
    return {name: values[rows] for name, values in table.items()}


def _rows_of(table: Table, period: int) -> Table:
    return _rows_where(table, table["period"] == period)


def by_size(labels: NDArray[Any], values: NDArray[np.float64]) -> list[str]:
    """The distinct labels, largest sum first, ties by label; what gathers all others last."""
    known, codes = np.unique(labels.astype(str), return_inverse=True)
    sums = np.bincount(codes, np.nan_to_num(values), minlength=len(known))
    many = known[0].count(_APART) + 1 if len(known) else 1
    gathered = known == _APART.join([OTHERS] * many)
    return [str(known[i]) for i in np.lexsort((known, -sums, gathered))]


def _panel(
    result: Comparison,
    measure: Measure,
    canvas: Canvas,
    group: str,
    labels: list[str],
    rows: Table,
    names: NDArray[Any],
    marked: Marked,
) -> ItemPanel:
    formats = canvas.formats
    marks = marks_of(result.judgings[measure.name], formats, canvas.drawable)
    place = {name: i for i, name in enumerate(names)}
    at = [place.get(label) for label in labels]

    def pick(column: str) -> NDArray[np.float64]:
        return np.array([np.nan if i is None else rows[column][i] for i in at], dtype=float)

    entries, ranked = [], "cumulative_share" in rows
    for i in at:
        shown = i is not None and (marked == "all" or (marked == "adverse" and rows["verdict"][i] == "adverse"))
        entries.append(
            ItemRow(
                marks.sign(rows["direction"][i], rows["verdict"][i], rows["band"][i]),
                moved_words(measure, rows, i, formats),
                str(rows["verdict"][i]),
                str(rows["band"][i] or ""),
                formats.part(float(rows["cumulative_share"][i])) if ranked else "",
            )
            if shown and i is not None
            else ItemRow("", "", "unknown", "")
        )
    details: tuple[Details, ...] = ()
    places = [i for i in at if i is not None]
    if canvas.detailed and places:
        texts = RowDetails(result, measure, canvas).rows(_rows_where(rows, np.array(places)))
        shown = np.array([n for n, i in enumerate(at) if i is not None], dtype=float)
        details = (Details(shown - 0.5, shown + 0.5, texts, along="y"),)
    together = pick("cumulative_share") if ranked else _NOTHING
    return ItemPanel(group, pick("value"), pick("base"), tuple(entries), details, together)


_WHY = {"new": message("new"), "none in base": message("from 0"), "none in both": message("none")}


def moved_words(measure: Measure, rows: Table, i: int, formats: Formats) -> str:
    """How it moved; where that is not known, the note that says why in a word."""
    one = {name: rows[name][i : i + 1] for name in ("growth", "change")}
    if np.isfinite(moved_figures(measure, one)[0]):
        return moved_texts(measure, one, formats)[0]
    first = rows["notes"][i][0].code if rows["notes"][i] else ""
    return formats.say(_WHY[first]) if first in _WHY else formats.dash
