"""The figures of a row: change, growth, ratio, shares, direction, verdict, band, and the notes on them."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.book.span_sums import at_one_scale, divided
from logochron.core.calendars.base import Bools
from logochron.core.judge.bands import placed
from logochron.core.judge.judging import DIRECTIONS, VERDICTS, Judging, direction, verdict
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
    """The two sides of a comparison, of one shape: whole numbers at `scale`, or floats where that is None.

    `compared`: which rows are to be compared at all, all where None. `lacking`, `base_lacking`: rows unknown since
    what is named there is not above 0.
    """

    value: NDArray[Any]
    base: NDArray[Any]
    value_known: Bools
    base_known: Bools
    scale: int | None
    compared: Bools | None = None
    lacking: tuple[tuple[Bools, str], ...] = ()
    base_lacking: tuple[tuple[Bools, str], ...] = ()

    @property
    def unit(self) -> int:
        """How many parts the unit has."""
        return 10 ** (self.scale or 0)


class Figures(NamedTuple):
    """The figures of rows; what is unknown is NaN, and a band None, as are all where there are no bands."""

    value: Floats
    base: Floats
    change: Floats
    growth: Floats
    ratio: Floats
    share: Floats
    base_share: Floats
    direction: NDArray[np.object_]
    verdict: NDArray[np.object_]
    band: NDArray[np.object_] | None
    notes: Notes


def reckon(sides: Sides, better: Better, judging: Judging, whole: Sides | None) -> Figures:
    """The figures of rows from their two sides.

    Parameters
    ----------
    sides
        Value and base of each row.
    better, judging
        What makes a direction favorable, how small a change is none, and the bands.
    whole
        The sides that shares are of, of a shape that fits; no shares where None.

    Notes
    -----
    change = v - b; growth = (v - b) / b and ratio = v / b, only where b > 0; share = v / the v of all, only where
    that is > 0. Exact sides are subtracted as whole numbers, so that growth is one division.
    """
    v, b = sides.value, sides.base
    known = sides.value_known & sides.base_known
    if sides.compared is not None:
        known = known & sides.compared
    change = v - b
    positive = known & (b > 0)
    exact = sides.scale is not None
    directions = direction(change, v, b, known, judging, exact)
    notes = Notes(v.shape)
    notes.add(known & (b == 0) & (v != 0), "new")
    notes.add(known & (b > 0) & (v == 0), "ended")
    notes.add(known & (b == 0) & (v == 0), "none in both")
    notes.add(known & (b < 0), "negative base")
    if sides.compared is not None:
        notes.add(~sides.compared, "not comparable")
    for rows, name in sides.lacking:
        notes.add(rows, f"no {name}")
    for rows, name in sides.base_lacking:
        notes.add(rows, f"no base: no {name}")
    value = np.where(sides.value_known, v / sides.unit, np.nan)
    base = np.where(sides.base_known, b / sides.unit, np.nan)
    share, base_share = _shares(sides, value, base, whole)
    notes.add((share < 0) | (share > 1) | (base_share < 0) | (base_share > 1), "negative items")
    places = _places(sides, judging, positive, whole, np.isfinite(share)) if judging.bands else None
    return Figures(
        value=value,
        base=base,
        change=np.where(known, change / sides.unit, np.nan),
        growth=divided(change, b, positive),
        ratio=divided(v, b, positive),
        share=share,
        base_share=base_share,
        direction=np.array(DIRECTIONS, dtype=object)[directions],
        verdict=np.array(VERDICTS, dtype=object)[verdict(directions, better, judging, places)],
        band=None if places is None else np.array([*(b.name for b in judging.bands), None], dtype=object)[places],
        notes=notes,
    )


def _shares(sides: Sides, value: Floats, base: Floats, whole: Sides | None) -> tuple[Floats, Floats]:
    """The parts of the total on either side; none of an item that is not compared."""
    if whole is None:
        nothing = np.full(value.shape, np.nan)
        return nothing, nothing
    made = []
    for part, of, known in ((value, whole.value, whole.value_known), (base, whole.base, whole.base_known)):
        total = of / whole.unit
        found = divided(part, total, np.isfinite(part) & known & (total > 0))
        made.append(found if sides.compared is None else np.where(sides.compared, found, np.nan))
    return made[0], made[1]


def _places(sides: Sides, judging: Judging, positive: Bools, whole: Sides | None, shared: Bools) -> NDArray[np.int64]:
    """The place of the band of each row, -1 where the figure it is of is empty."""
    v, exact = sides.value, sides.scale is not None
    if judging.on == "growth":
        return placed(judging.bands, v - sides.base, sides.base, positive, exact)
    if judging.on == "value" or whole is None:
        known = sides.value_known if judging.on == "value" else shared
        return placed(judging.bands, v, np.full(v.shape, sides.unit), known, exact)
    part, of, scale = at_one_scale(v, sides.scale, np.broadcast_to(whole.value, v.shape), whole.scale)
    return placed(judging.bands, part, of, shared, scale is not None)
