"""Where things stand in a figure: limits and ticks of axes, boxes of panels, labels kept apart."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from logochron.core.calendars.base import Calendar
from logochron.core.choices import Grain
from logochron.core.errors import QuestionError
from logochron.core.rows.figures import Floats
from logochron.views.figures.scene import Axis, Box, Canvas, Captions, Panel, Path, Role, Size, Text, TextWidth, Tick
from logochron.views.formats import Formats, shortened

#: Inches that a character of an axis label takes at most, and the frame's margins left and right.
CHARACTER = 0.081
LEFT, RIGHT = 0.95, 0.35
#: Inches from the upper edge to a panel, and from the lower edge.
ABOVE, BELOW = 1.32, 1.12
_STEPS = (1, 2, 2.5, 5, 10)
_MOST_TICKS = 6
#: Days of a month that bear a tick.
_MONTH_DAYS = (1, 8, 15, 22, 29)
#: Points from one line of type to the next, and for the heading of a panel with what parts it from the one above.
LINE, _HEADING = 13.0, 34.0
#: Points above what fills a picture without axes, below it and beside.
FREE_ABOVE, FREE_BELOW, FREE_BESIDE = 84.0, 34.0, 25.0


@dataclass(frozen=True)
class PanelRow:
    """How panels are laid out: rows and columns of a grid, and the inches one panel is wide."""

    rows: int
    columns: int
    panel_width: float
    apart: float
    MOST: ClassVar[int] = 12
    _BETWEEN: ClassVar[float] = 0.52

    @classmethod
    def fitting(cls, n: int, width: float, apart: float = 0.45) -> PanelRow:
        """A grid for `n` panels in a figure `width` inches wide, so many inches apart."""
        columns = 1 if n == 1 else 2 if n <= 4 else 3
        return cls(-(-n // columns), columns, (width - LEFT - RIGHT - apart * (columns - 1)) / columns, apart)

    def box(self, place: int, size: Size, above: float, lines: int) -> Box:
        """The box of a panel, row by row, with room for so many lines below it and the heading of the next."""
        row, column = divmod(place, self.columns)
        inside = size[1] - above - BELOW
        height = inside / (self.rows + self._BETWEEN * (self.rows - 1))
        between = max(height * self._BETWEEN, (lines * LINE + _HEADING) / 72)
        height = max((inside - between * (self.rows - 1)) / self.rows, 0.3)
        left = LEFT + column * (self.panel_width + self.apart)
        bottom = size[1] - above - height - row * (height + between)
        return Box(left, bottom, self.panel_width, height)


def amounts_axis(
    values: Sequence[Floats], formats: Formats, words: str, margin: float = 0.08, *, in_percent: bool = False
) -> Axis:
    """An axis of amounts from or through 0, with a margin where they end, compact ticks and hairlines."""
    known = np.concatenate([np.ravel(one) for one in values]) if values else np.zeros(0)
    known = known[np.isfinite(known)]
    low, high = float(known.min(initial=0.0)), float(known.max(initial=0.0))
    if low == high:
        low, high = 0.0, 1.0
    more = (high - low) * margin
    low, high = low - more * (low < 0), high + more * (high > 0)
    places = nice_ticks(low, high)
    decimals = max(-math.floor(math.log10(places[1] - places[0])) - 2, 0) if in_percent and len(places) > 1 else 0
    ticks = tuple(
        Tick(at, "0" if not at else formats.part(at, decimals) if in_percent else formats.compact(at)) for at in places
    )
    return Axis("number", low, high, ticks, words, gridlines=True)


def number_axis(values: Sequence[Floats], formats: Formats, words: str, margin: float = 0.08) -> Axis:
    """An axis of amounts from the least to the most, that need not start at 0."""
    known = np.concatenate([np.ravel(one) for one in values])
    known = known[np.isfinite(known)]
    low, high = float(known.min()), float(known.max())
    more = (high - low) * margin or abs(high) * margin or 1.0
    low, high = low - more, high + more
    places = nice_ticks(low, high)
    texts = [formats.compact(at) if at else "0" for at in places]
    if len(set(texts)) < len(texts):  # told apart by their last figures only
        places = places[:: 1 + len(places) // 4]
        decimals = max(-math.floor(math.log10(places[1] - places[0])), 0) if len(places) > 1 else 0
        texts = [formats.number(at, decimals) for at in places]
    return Axis("number", low, high, tuple(map(Tick, places, texts)), words, gridlines=True)


def nice_ticks(low: float, high: float) -> list[float]:
    """Round numbers between two limits: a step of 1, 2, 2.5 or 5 times a power of ten, at most six steps.

    >>> nice_ticks(0, 74_000)
    [0.0, 20000.0, 40000.0, 60000.0]
    """
    raw = (high - low) / _MOST_TICKS
    scale = 10.0 ** math.floor(math.log10(raw))
    step = next(nice for nice in _STEPS if nice * scale >= raw * (1 - 1e-10))
    first, last = math.ceil(low / (step * scale) - 1e-10), math.floor(high / (step * scale) + 1e-10)
    return [n * step * scale for n in range(first, last + 1)]


def apart(wanted: Floats, least: float, low: float, high: float) -> Floats:
    """Places as near to the wanted ones as they can be, at least so far from each other, between two limits.

    In their order; where there is no room for all, the distance gives way.

    >>> apart(np.array([10.0, 11.0, 50.0]), 8.0, 0.0, 100.0).tolist()
    [6.5, 14.5, 50.0]
    """
    n = len(wanted)
    if n < 2:
        return np.clip(wanted, low, high)
    least = min(least, (high - low) / (n - 1))
    order = np.argsort(wanted, kind="stable")
    # less its own share of the distances, each place may equal the one before: a fit that never falls
    shifted = wanted[order] - least * np.arange(n)
    blocks: list[tuple[float, int]] = []
    for value in shifted.tolist():
        mean, size = value, 1
        while blocks and blocks[-1][0] > mean:
            before, many = blocks.pop()
            mean, size = (before * many + mean * size) / (many + size), many + size
        blocks.append((mean, size))
    fitted = np.repeat([mean for mean, _ in blocks], [size for _, size in blocks])
    placed = np.empty(n)
    placed[order] = np.clip(fitted, low, high - least * (n - 1)) + least * np.arange(n)
    return placed


def panel_box(canvas: Canvas, lane: float, below: float = BELOW - 0.35) -> Box:
    """The box of a figure's one panel, with a lane beside it of so many points; that of axes of the user's if given."""
    if canvas.axes is not None:
        return Box(0.0, 0.0, *canvas.axes)
    width, height = canvas.room
    return Box(LEFT, below, width - LEFT - lane / 72 - 0.25, height - ABOVE - below)


def today_line(today: float, places: int, axis: Axis, text: str) -> tuple[Path, Text]:
    """The upright line at the report date, and its date beside it at the top, on the side where there is more room."""
    late = today > places / 2
    line = Path(np.full(2, today), np.array([axis.low, axis.high]), "level", "dotted", 0.9)
    side: Literal["left", "right"] = "right" if late else "left"
    beside = Text(
        today, 1.0, text, "level", dx=-4 if late else 4, dy=-2, across=side, upright="top", frame="y", halo=True
    )
    return line, beside


def last_known(values: Floats) -> float:
    """The last value that is known; 0 where none is."""
    known = values[np.isfinite(values)]
    return float(known[-1]) if len(known) else 0.0


def line_end(values: Floats, text: str, role: Role = "ink", *, bold: bool = False) -> Text:
    """A label in the lane, at the height where a line ends."""
    return Text(1.0, last_known(values), text, role, dx=7, across="left", frame="x", bold=bold)


def line_ends(labels: Sequence[Text], axis: Axis, box: Box, least: float = LINE) -> tuple[Text, ...]:
    """Labels in a lane beside the panel, each at the height of its line's end, moved so that none overlap."""
    points = box.height * 72 / (axis.high - axis.low)
    wanted = np.array([(label.y - axis.low) * points for label in labels], dtype=float)
    placed = apart(wanted, least, 4.0, max(box.height * 72 - 4, 5.0))
    return tuple(label._replace(dy=float(to - at)) for label, at, to in zip(labels, wanted, placed))


def crowd(n: int, width: float, label: int, line: int, growth: int) -> tuple[int, bool]:
    """Every how many columns a label fits, and whether its mark must stand on a line of its own.

    Parameters
    ----------
    n, width
        Columns, and inches for them.
    label, line, growth
        Characters of the longest period label, of mark and growth on one line, and of growth alone.

    Raises
    ------
    QuestionError
        Where not even every second label fits.
    """
    slot = width / max(n, 1)
    for step, stacked in ((1, False), (1, True), (2, True)):
        needed = max(label, growth if stacked else line) + 1
        if needed * CHARACTER <= slot * step:
            return step, stacked
    most = int(2 * width / ((max(label, growth) + 1) * CHARACTER))
    raise QuestionError("{0} periods are too many for one picture: name {1} at most by last={1} (--last {1})", n, most)


def thinned(labels: Sequence[str], places: float, width: float, canvas: Canvas) -> tuple[Tick, ...]:
    """Ticks with as many of the labels as fit side by side, counted from the last.

    `places`: how many places, 1 apart, the inches of `width` hold.
    """
    if not labels:
        return ()
    widest = max(map(canvas.measure, labels)) + 8
    step = max(math.ceil(widest / (width * 72 / places)), 1)
    n = len(labels)
    return tuple(Tick(float(place), labels[place]) for place in range((n - 1) % step, n, step))


def within(text: str, size: float, room: float, measure: TextWidth, *, bold: bool = False) -> str:
    """A text cut with an ellipsis where it is wider than so many points."""
    kept = text
    while kept and measure(kept + ("" if kept == text else "…"), size, bold) > room:
        kept = kept[:-1].rstrip()
    return kept if kept == text else kept + "…"


def wrapped(text: str, size: float, room: float, measure: TextWidth, most: int) -> list[str]:
    """A text in at most so many lines of so many points, the last one cut where it does not end there.

    >>> wrapped("ring the harbor office at once", 9.0, 15, lambda text, size=9.0, bold=False: len(text), 2)
    ['ring the harbor', 'office at once']
    """
    words = text.split()
    lines: list[str] = []
    while words and len(lines) < most - 1:
        fitting = [n for n in range(1, len(words) + 1) if measure(" ".join(words[:n]), size) <= room]
        taken = max(fitting, default=1)
        lines.append(within(" ".join(words[:taken]), size, room, measure))
        words = words[taken:]
    return [*lines, within(" ".join(words), size, room, measure)] if words else lines


def uncrowded(panel: Panel, canvas: Canvas) -> Panel:
    """A panel with those of its captions that overlap none of the ones after them, each on a side of its point."""
    width, height = panel.box.width * 72, panel.box.height * 72

    def place(text: Text) -> tuple[float, float, float, float]:
        x = (text.x - panel.x.low) / (panel.x.high - panel.x.low)
        y = (text.y - panel.y.low) / (panel.y.high - panel.y.low)
        wide, high = canvas.measure(text.text, text.size, text.bold), text.size * 1.25
        left = x * width + text.dx - wide * {"left": 0.0, "center": 0.5, "right": 1.0}[text.across]
        low = y * height + text.dy - high * {"bottom": 0.0, "center": 0.5, "top": 1.0}[text.upright]
        return left, low, left + wide, low + high

    taken: list[tuple[float, float, float, float]] = []

    def fits(text: Text) -> Text | None:
        box = place(text)
        if box[1] < 0 or box[3] > height:  # to the other side of its point
            text = text._replace(dy=-text.dy, upright="bottom" if text.upright == "top" else "top")
            box = place(text)
        free = not any(box[0] < b[2] and b[0] < box[2] and box[1] < b[3] and b[1] < box[3] for b in taken)
        if free:
            taken.append(box)
        return text if free else None

    layers = tuple(
        Captions(tuple(reversed([kept for text in reversed(layer.texts) if (kept := fits(text))])))
        if isinstance(layer, Captions) and not any(text.frame for text in layer.texts)
        else layer
        for layer in panel.layers
    )
    return replace(panel, layers=layers)


def day_ticks(calendar: Calendar, within: Grain, days: NDArray[np.int64], formats: Formats) -> tuple[Tick, ...]:
    """Ticks of days one after another, as people call them: weekdays, days of the month, months."""
    if within == "week":
        return tuple(Tick(float(place), formats.weekday(int(day))) for place, day in enumerate(days))
    civil = calendar.word("month") == "month"
    if within == "month" and civil:
        numbers = days - calendar.first_days("month", calendar.ordinals("month", days)) + 1
        return tuple(Tick(float(place), str(number)) for place, number in enumerate(numbers) if number in _MONTH_DAYS)
    if within == "month":
        return tuple(Tick(float(place), formats.day(int(days[place]), year=False)) for place in range(0, len(days), 7))
    ordinals = calendar.ordinals("month", days)
    firsts = np.flatnonzero(np.diff(ordinals, prepend=ordinals[0] - 1))
    lasts = np.append(firsts[1:], len(days)) - 1
    if civil:
        texts = [formats.month(int(days[place])) for place in firsts]
    else:
        labels = calendar.labels("month", ordinals[firsts])
        texts = [shortened(str(label).rpartition("-")[2] or str(label), 12) for label in labels]
    return tuple(Tick((first + last) / 2, text) for first, last, text in zip(firsts.tolist(), lasts.tolist(), texts))
