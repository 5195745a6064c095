"""Direction and verdict: which way a figure moved, and whether that is good."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

import numpy as np
from numpy.typing import NDArray

from logochron.core.errors import QuestionError, no_such
from logochron.core.options import Better, LevelAs, check

DIRECTIONS = ("rising", "falling", "level", "unknown")
VERDICTS = ("favorable", "adverse", "neutral", "unknown")
#: Sides that are not exact are level within this part of the larger one.
SLACK = 1e-12


@dataclass(frozen=True, kw_only=True)
class Judging:
    """How a change is judged.

    Parameters
    ----------
    level_within
        A change of at most this part of the base counts as level (0.02 is two percent); taken as the
        decimal number it is written as.
    level_as
        The verdict of a level figure.

    Raises
    ------
    QuestionError
        Where `level_within` is no number from 0 to 1, or `level_as` no verdict.

    Examples
    --------
    >>> Judging(level_within=0.02).tolerance
    Fraction(1, 50)
    """

    level_within: Any = 0
    level_as: LevelAs = "neutral"

    def __post_init__(self) -> None:
        check("level_as", self.level_as, LevelAs)
        _ = self.tolerance

    @property
    def tolerance(self) -> Fraction:
        """`level_within` as a fraction p/q."""
        try:
            fraction = Fraction(str(self.level_within))
        except (ValueError, ZeroDivisionError):
            fraction = Fraction(-1)
        if isinstance(self.level_within, bool) or not 0 <= fraction <= 1:
            raise QuestionError(f"`level_within` must be a number from 0 to 1; got {self.level_within!r}")
        return fraction


#: One judging for all measures, or one for each by its name.
JudgingLike = Judging | Mapping[str, Judging] | None


def judging_of(judging: JudgingLike, measure: str, known: tuple[str, ...]) -> Judging:
    """The judging of one measure."""
    if judging is None or isinstance(judging, Judging):
        return judging or Judging()
    for name in judging:
        if name not in known:
            raise QuestionError(f"`judging` {no_such('measure', str(name), known, where='the question')}")
    return judging.get(measure, Judging())


def is_level(
    change: NDArray[Any], value: NDArray[Any], base: NDArray[Any], tolerance: Fraction, exact: bool
) -> NDArray[np.bool_]:
    """Whether |change| <= tolerance x |base|: in whole numbers where both sides are exact."""
    p, q = tolerance.numerator, tolerance.denominator
    if not exact:
        slack = SLACK * np.maximum(np.abs(value), np.abs(base))
        return np.asarray(np.abs(change) <= float(tolerance) * np.abs(base) + slack)
    if not p:
        return np.asarray(change == 0)
    change, base = np.abs(change), np.abs(base)
    if max(int(change.max(initial=0)) * q, int(base.max(initial=0)) * p) >= 2**63:
        change, base = change.astype(object), base.astype(object)  # Python's whole numbers have no limit
    return np.asarray(change * q <= base * p).astype(bool)


def direction(
    change: NDArray[Any],
    value: NDArray[Any],
    base: NDArray[Any],
    known: NDArray[np.bool_],
    judging: Judging,
    exact: bool,
) -> NDArray[np.int8]:
    """The direction of each change, as an index into `DIRECTIONS`."""
    level = is_level(change, value, base, judging.tolerance, exact)
    moved = np.where(change > 0, 0, 1)
    return np.where(known, np.where(level, 2, moved), 3).astype(np.int8)


def verdict(directions: NDArray[np.int8], better: Better, judging: Judging) -> NDArray[np.int8]:
    """The verdict on each direction, as an index into `VERDICTS`."""
    rising, falling = {"higher": (0, 1), "lower": (1, 0), "neither": (2, 2)}[better]
    return np.array([rising, falling, VERDICTS.index(judging.level_as), 3], dtype=np.int8)[directions]
