"""Direction, verdict and band: which way a figure moved, whether that is good, and what to do about it."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

import numpy as np
from numpy.typing import NDArray

from logochron.core.book.exact import products
from logochron.core.check_kinds import check_kinds
from logochron.core.errors import QuestionError, brief, no_such
from logochron.core.judge.bands import SLACK, Band, in_order
from logochron.core.options import (
    BOUNDS,
    DIRECTIONS,
    FALLING,
    LEVEL,
    RISING,
    UNKNOWN,
    VERDICTS,
    BandOn,
    Better,
    LevelAs,
    MarkPlace,
    MarkSet,
    MarksOf,
    as_written,
    check,
    values,
)


@dataclass(frozen=True)
class Judging:
    """How a change is judged.

    Parameters
    ----------
    level_within
        A change of at most this part of the base counts as level (0.02 is two percent); taken as the
        decimal number it is written as.
    level_as
        The verdict of a level figure.
    bands
        `Band` objects that leave no gap and do not overlap; the one a figure falls in is named, and its verdict,
        where it has one, stands instead of the direction's.
    on
        The figure that bands are of: ``"growth"``, ``"value"`` or ``"share"``.
    marks
        ``"triangles"``, ``"arrows"``, ``"thumbs"``, ``"words"``, ``"ascii"``, or four signs of your own: of rising,
        falling, level and unknown (a text of four characters, or four texts).
    marks_place
        ``"before"`` or ``"after"`` the figure.
    marks_of
        What four signs of your own tell: ``"direction"`` (where None), or ``"verdict"``: they are then of favorable,
        adverse, neutral and unknown. Thumbs always tell the verdict, the other sets the direction.

    Raises
    ------
    QuestionError
        Where `level_within` is no number from 0 to 1, `level_as` no verdict, bands have a gap or an overlap (the
        line is shown), or `on` and `marks` name nothing.

    Examples
    --------
    >>> Judging(level_within=0.02).tolerance
    Fraction(1, 50)
    >>> low, high = Band("quiet", below=12), Band("busy", from_=12, verdict="favorable")
    >>> [band.name for band in Judging(bands=[high, low], on="value").bands]
    ['quiet', 'busy']
    """

    level_within: Any = 0
    level_as: LevelAs = "neutral"
    bands: Sequence[Band] = ()
    on: BandOn = "growth"
    marks: MarkSet | Sequence[str] = "triangles"
    marks_place: MarkPlace = "before"
    marks_of: MarksOf | None = None

    def __post_init__(self) -> None:
        check_kinds(type(self), vars(self))
        check("level_as", self.level_as, LevelAs)
        check("on", self.on, BandOn)
        check("marks_place", self.marks_place, MarkPlace)
        _ = self.tolerance
        object.__setattr__(self, "bands", in_order(self.bands))
        if self.marks_of is not None:
            check("marks_of", self.marks_of, MarksOf)
        if isinstance(self.marks, str) and len(self.marks) != len(DIRECTIONS):
            check("marks", self.marks, MarkSet)
            if self.marks_of not in (None, self.marks_tell):
                raise QuestionError(
                    f"`marks_of` is for four signs of your own: {self.marks} tell the {self.marks_tell}"
                )
            return
        signs = tuple(self.marks) if isinstance(self.marks, Iterable) else ()
        if len(signs) != len(DIRECTIONS) or not all(isinstance(sign, str) and sign.strip() for sign in signs):
            raise QuestionError(
                f"`marks` must be one of {', '.join(values(MarkSet))}, or four signs: of rising, falling, level and "
                f"unknown; got {brief(self.marks)}"
            )
        object.__setattr__(self, "marks", signs)

    @property
    def marks_tell(self) -> MarksOf:
        """What the marks are signs of."""
        if isinstance(self.marks, str):
            return "verdict" if self.marks == "thumbs" else "direction"
        return self.marks_of or "direction"

    @property
    def tolerance(self) -> Fraction:
        """`level_within` as a fraction p/q."""
        fraction = as_written(self.level_within)
        if fraction is None or not 0 <= fraction <= 1:
            raise QuestionError(
                f"`level_within` must be a number from 0 to 1, {BOUNDS}; got {brief(self.level_within)}"
            )
        return fraction

    def band(self, name: str | None) -> Band | None:
        """The band of a name."""
        return next((band for band in self.bands if band.name == name), None)


#: One judging for all measures, or one for each by its name.
JudgingLike = Judging | Mapping[str, Judging] | None


def judgings_of(judging: JudgingLike, measures: Sequence[str], known: Sequence[str]) -> dict[str, Judging]:
    """The judging of each measure that is asked for.

    Raises
    ------
    QuestionError
        Where a mapping names a measure that is not known.
    """
    if judging is None:
        judging = Judging()
    if isinstance(judging, Judging):
        return dict.fromkeys(measures, judging)
    if not isinstance(judging, Mapping):
        raise QuestionError(
            f"`judging` must be a Judging, or one for each measure by its name; got {type(judging).__name__}"
        )
    for name, one in judging.items():
        if name not in known:
            raise QuestionError(f"`judging`: {no_such('measure', str(name), known, where='the book')}")
        if not isinstance(one, Judging):
            raise QuestionError(f"`judging` of {name!r} must be a Judging; got {type(one).__name__}")
    return {name: judging.get(name, Judging()) for name in measures}


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
    times_q, times_p = products(np.abs(change), q, np.abs(base), p)
    return np.asarray(times_q <= times_p).astype(bool)


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
    moved = np.where(change > 0, RISING, FALLING)
    return np.where(known, np.where(level, LEVEL, moved), UNKNOWN).astype(np.int8)


def verdict(
    directions: NDArray[np.int8], better: Better, judging: Judging, places: NDArray[np.int64] | None = None
) -> NDArray[np.int8]:
    """The verdict on each direction, or that of the band at its place, as an index into `VERDICTS`."""
    rising, falling = {"higher": (0, 1), "lower": (1, 0), "neither": (2, 2)}[better]
    found = np.array([rising, falling, VERDICTS.index(judging.level_as), 3], dtype=np.int8)[directions]
    if places is None:
        return found
    own = np.array([-1 if band.verdict is None else VERDICTS.index(band.verdict) for band in judging.bands], np.int8)
    of_band = np.where(places >= 0, own[places], -1)
    return np.where(of_band >= 0, of_band, found).astype(np.int8)
