"""Bars: one bar per item in one period, the base's tick, a lane of marks and growth."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.check_kinds import kinds_checked
from logochron.core.days import to_days
from logochron.core.errors import QuestionError
from logochron.core.options import Marked, check
from logochron.core.questions.compare import Comparison
from logochron.core.rows.figures import Floats
from logochron.views.figures.common import measure_of, role_of, sentence
from logochron.views.figures.layout import ABOVE, amounts_axis
from logochron.views.figures.scene import (
    DEFAULT_SIZE,
    Axis,
    Bars,
    Box,
    Canvas,
    Captions,
    Entry,
    Panel,
    Path,
    Scene,
    Size,
    Text,
    Tick,
    Ticks,
)
from logochron.views.formats import Formats, shortened
from logochron.views.marks import Marks, marks_of
from logochron.views.tables.item_rows import Table, rows_of
from logochron.views.words.titles import against_words, axis_words, figure_footnote, period_label, subject, unit

#: Inches for a bar at least, and for what stands above and below the bars.
_BAR, _AROUND = 0.2, 1.9
#: Inches above and below the bars as they are laid out, for a bar and for all of them besides.
_OUTSIDE, _EACH, _MORE = 1.32 + 0.85, 0.62, 0.3
#: Inches of the lane, and of a character of an item's label.
_LANE, _CHARACTER = 1.15, 0.085
#: More panels side by side leave no room for bars.
MOST_PANELS = 6


class LaneEntry(NamedTuple):
    """What stands in the lane beside one bar; empty where the lane leaves it out."""

    mark: str
    growth: str
    verdict: str


class _Panel(NamedTuple):
    """One panel: lengths and base ticks by item from the top, NaN where the panel has no such item."""

    heading: str
    values: Floats
    bases: Floats
    lane: tuple[LaneEntry, ...]


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

    Parameters
    ----------
    result
        From `compare` with `by=`.
    at
        The period drawn; the last where None.
    panels
        One of two or more dimensions, drawn in panels.
    marked
        Whose marks stand in the lane: ``"all"``, ``"adverse"`` or ``"none"``.

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
    formats = canvas.formats
    check("marked", marked, Marked)
    if not result.by:
        raise QuestionError("`bars` draws one bar per item: compare with by= (--by)")
    if panels is not None and (panels not in result.by or len(result.by) < 2):
        raise QuestionError(
            f"`panels` must be one of two or more dimensions of the result ({', '.join(result.by)}); got {panels!r}"
        )
    asked = measure_of(result, measure)
    marks = marks_of(result.judgings[asked.name], formats, canvas.drawable)
    period = result.place(at)
    table = _rows_of(rows_of(result, result.columns, asked), period)
    total = _rows_of(rows_of(result, result.total_columns, asked), period)
    inner = [name for name in result.by if name != panels]
    names = np.array(
        [" / ".join(shortened(str(table[d][i])) for d in inner) for i in range(len(table["value"]))], dtype=object
    )
    groups = (
        np.array([str(label) for label in table[panels]], dtype=object) if panels else np.full(len(names), "", object)
    )
    labels = _by_size(names, table["value"])
    in_panels = _by_size(groups, table["value"]) if panels else [""]
    if len(in_panels) > MOST_PANELS:
        raise QuestionError(
            f"`panels` has room for {MOST_PANELS} panels; {panels} has {len(in_panels)} items: choose some by where="
        )
    room = max(int((canvas.room[1] - _AROUND) / _BAR), 1)
    shown = labels[:room]
    made = tuple(
        _panel(
            shortened(group) if panels else "",
            shown,
            _rows_where(table, groups == group),
            names[groups == group],
            marked,
            formats,
            marks,
        )
        for group in in_panels
    )
    status = str(total["status"][0]) if len(total["status"]) else "complete"
    left_out = f"{formats.dot}the {len(shown)} largest of {len(labels):,}" if len(labels) > len(shown) else ""
    heading = None
    if len(total["value"]):
        start, end = (int(to_days(total[name][0])) for name in ("start", "end"))
        heading = period_label(result, result.periods[period], status, start, end, formats)
    pale = status != "complete"
    lane = _Lane.of(made, marks.after) if marked != "none" else None
    size = canvas.size or _own_size(len(shown))
    axis = amounts_axis(
        [side for one in made for side in (one.values, one.bases)], formats, axis_words(asked, formats), 0.05
    )
    boxes = _boxes(size, len(made), shown, lane)
    return Scene(
        title=subject(result, asked, split=True, period=heading),
        subtitle=(sentence(result, total, formats, unit(asked, formats), together=True) if len(labels) else "")
        + left_out,
        footnote=figure_footnote(result, formats),
        size=size,
        panels=tuple(
            _drawn(one, axis, shown, boxes[place], lane, pale=pale, named=place == 0) for place, one in enumerate(made)
        ),
        legend=(
            Entry(
                "bar", {"to-date": "to date", "partial": "partly covered"}.get(status, "whole period"), "current", pale
            ),
            Entry("tick", against_words(result), "base", weight=2.6),
        ),
        empty="" if len(labels) else "Nothing to draw: no item has records in this period or its base",
    )


class _Lane(NamedTuple):
    """The lane beside the bars: how wide, in points, and how wide its longest mark is in characters."""

    longest: int
    marks_after: bool

    @classmethod
    def of(cls, panels: tuple[_Panel, ...], marks_after: bool) -> _Lane:
        return cls(max((len(entry.mark) for panel in panels for entry in panel.lane), default=1), marks_after)

    @property
    def wider(self) -> float:
        """The points by which marks of several letters make the lane wider."""
        return 6.0 * max(self.longest - 1, 0)

    def texts(self, panel: _Panel) -> Captions:
        """Mark and growth of each bar, in two columns at fixed distances from the frame."""
        first, last = 8.0, 72.0 + self.wider
        found = []
        for place, entry in enumerate(panel.lane):
            sides = ((entry.mark, first, "left"), (entry.growth, last, "right"))
            if self.marks_after:
                sides = ((entry.growth, last - 6 * self.longest - 2, "right"), (entry.mark, last, "right"))
            found += [
                Text(1.0, float(place), text, role_of(entry.verdict), dx=dx, across=side, frame="x")  # type: ignore[arg-type]
                for text, dx, side in sides
            ]
        return Captions(tuple(found))


def _own_size(n: int) -> Size:
    """Few items make a low figure of plain bars rather than a few huge ones."""
    return DEFAULT_SIZE[0], min(DEFAULT_SIZE[1], max(_EACH * n + _MORE + _OUTSIDE, 4.0))


def _boxes(size: Size, n: int, labels: list[str], lane: _Lane | None) -> list[Box]:
    """The boxes of the panels side by side, each with its lane."""
    width, height = size
    left = 0.5 + _CHARACTER * max((len(label) for label in labels), default=0)
    beside = 0.35 if lane is None else _LANE + lane.wider / 72
    panel = max((width - left - beside * n - 0.1 * (n - 1)) / n, 0.5)
    bars = min(height - _OUTSIDE, _EACH * len(labels) + _MORE)
    # what is between panels is kept where they cannot be as narrow as there is room for
    whole = width - left - beside
    panel = whole / (n + (n - 1) * (beside + 0.1) / panel)
    step = (whole - panel) / (n - 1) if n > 1 else 0.0
    return [Box(left + place * step, height - ABOVE - bars, panel, bars) for place in range(n)]


def _drawn(
    panel: _Panel, axis: Axis, labels: list[str], box: Box, lane: _Lane | None, *, pale: bool, named: bool
) -> Panel:
    """One panel: bars, pale ones with a solid end, the base's ticks, the line at 0, the lane."""
    places = np.arange(len(labels), dtype=float)
    drawn, based = np.isfinite(panel.values), np.isfinite(panel.bases)
    at, ends = places[drawn], panel.values[drawn]
    low, high = len(labels) - 0.4, -0.6
    return Panel(
        x=axis,
        y=Axis(
            "names", low, high, tuple(Tick(float(place), label) for place, label in enumerate(labels)), labeled=named
        ),
        layers=(
            Bars(at - 0.29, at + 0.29, np.zeros(len(at)), ends, pale=pale, along="x"),
            *([Ticks(at, ends, 0.29, role="current", along="x", weight=2.2)] if pale else []),
            Ticks(places[based], panel.bases[based], 0.4, halo=True, along="x"),
            Path(np.zeros(2), np.array([low, high]), role="level", weight=0.8),
            *([lane.texts(panel)] if lane else []),
        ),
        box=box,
        heading=panel.heading,
    )


def _rows_where(table: Table, rows: NDArray[np.bool_]) -> Table:
    return {name: values[rows] for name, values in table.items()}


def _rows_of(table: Table, period: int) -> Table:
    return _rows_where(table, table["period"] == period)


def _by_size(labels: NDArray[Any], values: NDArray[np.float64]) -> list[str]:
    """The distinct labels, largest sum first, ties by label."""
    known, codes = np.unique(labels.astype(str), return_inverse=True)
    sums = np.bincount(codes, np.nan_to_num(values), minlength=len(known))
    return [str(known[i]) for i in np.lexsort((known, -sums))]


def _panel(
    heading: str,
    labels: list[str],
    rows: Table,
    names: NDArray[Any],
    marked: Marked,
    formats: Formats,
    marks: Marks,
) -> _Panel:
    place = {name: i for i, name in enumerate(names)}
    at = [place.get(label) for label in labels]

    def pick(column: str) -> NDArray[np.float64]:
        return np.array([np.nan if i is None else rows[column][i] for i in at], dtype=float)

    entries = []
    for i in at:
        shown = i is not None and (marked == "all" or (marked == "adverse" and rows["verdict"][i] == "adverse"))
        entries.append(
            LaneEntry(
                marks.sign(rows["direction"][i], rows["verdict"][i], rows["band"][i]),
                _moved(rows, i, formats),
                str(rows["verdict"][i]),
            )
            if shown and i is not None
            else LaneEntry("", "", "unknown")
        )
    return _Panel(heading, pick("value"), pick("base"), tuple(entries))


def _moved(rows: Table, i: int, formats: Formats) -> str:
    """The growth; where there is none, the note that says why in a word."""
    if np.isfinite(rows["growth"][i]):
        return formats.growth(rows["growth"][i])
    first = rows["notes"][i][0].code if rows["notes"][i] else ""
    return {"new": "new", "none in base": "from 0", "none in both": "none"}.get(first, formats.dash)
