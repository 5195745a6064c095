"""The figures of a row: change, growth, ratio, shares, direction, verdict, band, and the notes on them."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.book.sums import at_one_scale, divided
from logochron.core.calendars.base import Bools
from logochron.core.choices import Better
from logochron.core.judge.judging import Judging, direction, placed, verdict
from logochron.core.notes import RowNotes

Floats = NDArray[np.float64]
_NO_ROW: Bools = np.zeros((1, 1), dtype=bool)


class Sides(NamedTuple):
    """The two sides of rows, of one shape: whole numbers at `scale`, or floats where that is None.

    What is known is of that shape, or of one that fits. `compared`: which rows are to be compared at all, all where
    None. `lacking`, `base_lacking`: rows unknown since what is named there is not above 0. `yet_to_start`,
    `has_ended`: rows of what was first recorded after the base, last before the value.
    """

    value: NDArray[Any]
    base: NDArray[Any]
    value_known: Bools
    base_known: Bools
    scale: int | None
    compared: Bools | None = None
    lacking: tuple[tuple[Bools, str], ...] = ()
    base_lacking: tuple[tuple[Bools, str], ...] = ()
    yet_to_start: Bools = _NO_ROW
    has_ended: Bools = _NO_ROW

    @property
    def unit(self) -> int:
        """How many parts the unit has."""
        return 10 ** (self.scale or 0)

    @property
    def known(self) -> Bools:
        """Which rows can be compared: both sides are known, and are to be held against each other."""
        known = self.value_known & self.base_known
        return known if self.compared is None else known & self.compared

    def shown(self) -> tuple[Floats, Floats]:
        """Value and base in whole units, NaN where they are unknown."""
        value = np.where(self.value_known, self.value / self.unit, np.nan)
        return value, np.where(self.base_known, self.base / self.unit, np.nan)


class Figures(NamedTuple):
    """The figures of rows; what is unknown is NaN.

    `direction` and `verdict` are places in `DIRECTIONS` and `VERDICTS`, `band` the place of a band in the judging, -1
    where it is empty.
    """

    value: Floats
    base: Floats
    change: Floats
    growth: Floats
    ratio: Floats
    share: Floats
    base_share: Floats
    direction: NDArray[np.int8]
    verdict: NDArray[np.int8]
    band: NDArray[np.int64]


def note_sides(sides: Sides, notes: RowNotes) -> None:
    """Adds what the two sides of rows say by themselves."""
    v, b, known = sides.value, sides.base, sides.known
    none, none_before = v == 0, known & (b == 0)
    appears, stops = none_before & ~none, known & none & (b > 0)
    notes.add(appears & sides.yet_to_start, "new")
    notes.add(appears & ~sides.yet_to_start, "none in base")
    notes.add(stops & sides.has_ended, "ended")
    notes.add(stops & ~sides.has_ended, "none now")
    notes.add(none_before & none, "none in both")
    notes.add(known & (b < 0), "negative base")
    if sides.compared is not None:
        notes.add(~sides.compared, "not comparable")
    for rows, name in sides.lacking:
        notes.add(rows, "no units", name)
    for rows, name in sides.base_lacking:
        notes.add(rows, "no base: units", name)


def figures_of(sides: Sides, better: Better, judging: Judging, whole: Sides | None, notes: RowNotes) -> Figures:
    """The figures of rows from their two sides.

    Parameters
    ----------
    sides
        Value and base of each row.
    better, judging
        What makes a direction favorable, how small a change is none, and the bands.
    whole
        The sides that shares are of, of a shape that fits; no shares where None.
    notes
        Is told what is to be said of the rows.

    Notes
    -----
    change = v - b; growth = (v - b) / b and ratio = v / b, only where b > 0; share = v / the v of all, only where
    that is > 0. Exact sides are subtracted as whole numbers, so that growth is one division.
    """
    v, b, known = sides.value, sides.base, sides.known
    with np.errstate(over="ignore"):  # what is not finite is empty
        change = v - b
    positive = known & (b > 0)
    directions = direction(change, v, b, known, judging, sides.scale is not None)
    note_sides(sides, notes)
    value, base = sides.shown()
    share, base_share = _shares(sides, value, base, whole)
    if whole is not None:
        notes.add((share < 0) | (share > 1) | (base_share < 0) | (base_share > 1), "negative items")
    places = np.full((1, 1), -1)
    if judging.bands:
        places = _places(sides, judging, known, positive, whole, np.isfinite(share))
    return Figures(
        value=value,
        base=base,
        change=np.where(known & np.isfinite(change), change / sides.unit, np.nan),
        growth=divided(change, b, positive),
        ratio=divided(v, b, positive),
        share=share,
        base_share=base_share,
        direction=directions,
        verdict=verdict(directions, better, judging, places if judging.bands else None),
        band=places,
    )


def _shares(sides: Sides, value: Floats, base: Floats, whole: Sides | None) -> tuple[Floats, Floats]:
    """The parts of the total on either side; none of an item that is not compared."""
    if whole is None:
        nothing = np.full((1, 1), np.nan)
        return nothing, nothing
    shares = []
    for part, of, known in ((value, whole.value, whole.value_known), (base, whole.base, whole.base_known)):
        total = of / whole.unit
        share = divided(part, total, known & (total > 0))  # an unknown part stays unknown
        shares.append(share if sides.compared is None else np.where(sides.compared, share, np.nan))
    return shares[0], shares[1]


def _places(
    sides: Sides, judging: Judging, known: Bools, positive: Bools, whole: Sides | None, shared: Bools
) -> NDArray[np.int64]:
    """The place of the band of each row, -1 where the figure it is of is empty."""
    v, exact = sides.value, sides.scale is not None
    if judging.on == "change":
        return placed(judging.bands, v - sides.base, np.full(v.shape, sides.unit), known, exact)
    if judging.on == "growth":
        return placed(judging.bands, v - sides.base, sides.base, positive, exact)
    if judging.on == "value" or whole is None:
        there = sides.value_known if judging.on == "value" else shared
        return placed(judging.bands, v, np.full(v.shape, sides.unit), there, exact)
    part, of, scale = at_one_scale(v, sides.scale, np.broadcast_to(whole.value, v.shape), whole.scale)
    return placed(judging.bands, part, of, shared, scale is not None)
