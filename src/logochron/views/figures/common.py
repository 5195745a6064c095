"""What several figures work out alike: room for labels and panels, the sentence under the title."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from logochron.core.book.measures import Measure
from logochron.core.days import to_days
from logochron.core.errors import QuestionError
from logochron.core.notes import Note, note_of
from logochron.core.questions.compare import Comparison
from logochron.views.formats import Formats
from logochron.views.words.titles import cut_of, period_label

#: Inches that a character of an axis label takes at most, and the frame's margins left and right.
CHARACTER = 0.081
LEFT, RIGHT = 0.95, 0.35


@dataclass(frozen=True)
class PanelRow:
    """How panels are laid out: rows and columns of a grid, and the inches one panel is wide."""

    rows: int
    columns: int
    panel_width: float
    MOST: ClassVar[int] = 12

    @classmethod
    def fitting(cls, n: int, width: float) -> PanelRow:
        """A grid for `n` panels in a figure `width` inches wide."""
        columns = 1 if n == 1 else 2 if n <= 4 else 3
        gaps = 0.45 * (columns - 1)
        return cls(-(-n // columns), columns, (width - LEFT - RIGHT - gaps) / columns)


def measure_of(result: Comparison, name: str | None) -> Measure:
    """The measure a figure is of: the one named, or the first."""
    if name is None:
        return result.measures[0]
    for measure in result.measures:
        if measure.name == name:
            return measure
    raise QuestionError(f"`measure` must be one of {', '.join(m.name for m in result.measures)}; got {name!r}")


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
    raise QuestionError(f"{n} periods are too many for one picture: name {most} at most by last={most} (--last {most})")


def unlike_weeks(notes: tuple[Note, ...]) -> tuple[int, int] | None:
    """The weeks of a row and of its base, where they differ."""
    note = note_of(notes, "weeks")
    return (note.args[0], note.args[1]) if note else None


def sentence(
    result: Comparison,
    columns: dict[str, NDArray[Any]],
    formats: Formats,
    unit: str,
    *,
    together: bool = False,
) -> str:
    """The answer in one sentence: the last whole period, and the running one with its cut.

    `together`: said of all items, beside a picture of each.
    """
    said = []
    for status in ("complete", "to-date"):
        rows = np.flatnonzero((columns["status"] == status) & np.isfinite(columns["value"]))
        if len(rows):
            said.append(_one(result, columns, int(rows[-1]), formats, unit))
    if not said and len(columns["value"]):
        said.append(_one(result, columns, len(columns["value"]) - 1, formats, unit))
    return ("All together, " if together and said else "") + formats.dot.join(said)


def _one(result: Comparison, columns: dict[str, NDArray[Any]], i: int, formats: Formats, unit: str) -> str:
    start, end = (int(to_days(columns[name][i])) for name in ("start", "end"))
    status = str(columns["status"][i])
    label = period_label(result, result.periods[int(columns["period"][i])], status, start, end, formats)
    amount = formats.compact(columns["value"][i]) + (f" {unit}" if unit else "")
    growth, direction = columns["growth"][i], columns["direction"][i]
    if not np.isfinite(columns["base"][i]) or not np.isfinite(columns["value"][i]):
        return f"{label}: {amount}, nothing to compare with"
    against = cut_of(result, columns, i, formats) if status == "to-date" else f"against {columns['base_period'][i]}"
    unlike = unlike_weeks(columns["notes"][i])
    if unlike:
        against += f", {unlike[0]} weeks against {unlike[1]}"
    if direction == "level":
        return f"{label}: {amount}, level ({against})"
    moved = formats.growth(growth) if np.isfinite(growth) else formats.compact(columns["change"][i], signed=True)
    return f"{label}: {amount}, {moved} ({against})"
