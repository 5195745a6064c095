"""The figures of a row: change, growth, ratio, shares, direction, verdict, and the notes on them."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.calendars.base import Bools
from logochron.core.judging import DIRECTIONS, VERDICTS, Judging, direction, verdict
from logochron.core.options import Better

Floats = NDArray[np.float64]


class Notes:
    """Notes gathered for rows, several joined by ``; `` in the order they were added."""

    def __init__(self, shape: tuple[int, ...]) -> None:
        self.texts: NDArray[np.object_] = np.full(shape, "", dtype=object)

    def add(self, rows: Bools, text: Any) -> None:
        """Adds a note (one text, or one for each row) to the rows given."""
        rows = np.broadcast_to(rows, self.texts.shape)
        if not rows.any():
            return
        new = np.broadcast_to(np.asarray(text, dtype=object), self.texts.shape)[rows]
        old = self.texts[rows]
        self.texts[rows] = np.where(old == "", new, old + "; " + new)


class Sides(NamedTuple):
    """The two sides of a comparison, of one shape: whole numbers at `scale`, or floats where that is None."""

    value: NDArray[Any]
    base: NDArray[Any]
    value_known: Bools
    base_known: Bools
    scale: int | None
    compared: Bools | None = None  # which rows are to be compared at all; all where None


class Figures(NamedTuple):
    """The figures of rows; what is unknown is NaN."""

    value: Floats
    base: Floats
    change: Floats
    growth: Floats
    ratio: Floats
    direction: NDArray[np.object_]
    verdict: NDArray[np.object_]
    notes: Notes


def reckon(sides: Sides, better: Better, judging: Judging) -> Figures:
    """The figures of rows from their two sides.

    Parameters
    ----------
    sides
        Value and base of each row.
    better, judging
        What makes a direction favorable, and how small a change is none.

    Notes
    -----
    change = v - b; growth = (v - b) / b and ratio = v / b, only where b > 0. Exact sides are subtracted as
    whole numbers, so that growth is one division.
    """
    v, b = sides.value, sides.base
    known = sides.value_known & sides.base_known
    if sides.compared is not None:
        known = known & sides.compared
    change = v - b
    positive = known & (b > 0)
    divisor = np.where(positive, b, 1)
    exact = sides.scale is not None
    directions = direction(change, v, b, known, judging, exact)
    notes = Notes(v.shape)
    notes.add(known & (b == 0) & (v != 0), "new")
    notes.add(known & (b > 0) & (v == 0), "ended")
    notes.add(known & (b == 0) & (v == 0), "none in both")
    notes.add(known & (b < 0), "negative base")
    if sides.compared is not None:
        notes.add(~sides.compared, "not comparable")
    unit = 10 ** (sides.scale or 0)
    return Figures(
        value=np.where(sides.value_known, v / unit, np.nan),
        base=np.where(sides.base_known, b / unit, np.nan),
        change=np.where(known, change / unit, np.nan),
        growth=np.where(positive, change / divisor, np.nan),
        ratio=np.where(positive, v / divisor, np.nan),
        direction=np.array(DIRECTIONS, dtype=object)[directions],
        verdict=np.array(VERDICTS, dtype=object)[verdict(directions, better, judging)],
        notes=notes,
    )


def share(part: Floats, whole: Floats) -> Floats:
    """part / whole, only where both are known and the whole is > 0."""
    defined = np.isfinite(part) & (whole > 0)
    return np.where(defined, part / np.where(defined, whole, 1), np.nan)
