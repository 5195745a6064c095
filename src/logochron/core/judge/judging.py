"""How figures are judged: direction and verdict, bands, what is unusual."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import KW_ONLY, dataclass
from fractions import Fraction
from typing import Any

import numpy as np
from numpy.typing import NDArray

from logochron.core.book.sums import products
from logochron.core.calendars.base import Bools
from logochron.core.check_kinds import check_kinds
from logochron.core.choices import (
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
from logochron.core.errors import QuestionError, brief, no_such
from logochron.core.said import Joined, Said, both

#: A figure that is not exact reaches a limit within this part of the limit, or of 1 where that is larger.
SLACK = 1e-12


@dataclass(frozen=True)
class Band:
    """A named interval, its lower limit held, its upper one not.

    Parameters
    ----------
    name
        What it is called in the column `band`.
    from_, below
        Its limits: a growth of 0.08 is 8 percent. Without any to that side where None. Taken as the decimal numbers
        they are written as.
    verdict
        The verdict of what falls in it, instead of the direction's; None leaves that.
    advice
        What to do about it, in words.
    mark
        A sign instead of the direction's.

    Raises
    ------
    QuestionError
        Where the name is empty, a limit no number, or nothing can lie between them.

    Examples
    --------
    >>> Band("behind", below=-0.03, verdict="adverse", advice="ring the harbor office").high
    Fraction(-3, 100)
    """

    name: str
    _: KW_ONLY
    from_: Any = None
    below: Any = None
    verdict: LevelAs | None = None
    advice: str = ""
    mark: str | None = None

    def __post_init__(self) -> None:
        if not isinstance(self.name, str) or not self.name.strip():
            raise QuestionError("a band needs a name; got {0}", brief(self.name))
        check_kinds(type(self), vars(self))
        if self.verdict is not None:
            check("verdict", self.verdict, LevelAs)
        if self.low is not None and self.high is not None and self.low >= self.high:
            raise QuestionError(
                "band {0!r}: nothing is from {1} and below {2}", self.name, decimal(self.low), decimal(self.high)
            )

    @property
    def low(self) -> Fraction | None:
        """Its lower limit; None where there is none."""
        return self._limit("from_", self.from_)

    @property
    def high(self) -> Fraction | None:
        """Its upper limit; None where there is none."""
        return self._limit("below", self.below)

    def _limit(self, option: str, given: Any) -> Fraction | None:
        if given is None:
            return None
        limit = as_written(given)
        if limit is None:
            raise QuestionError(
                "band {0!r}: `{1}` must be a number such as 0.08, {2}; got {3}", self.name, option, BOUNDS, brief(given)
            )
        return limit


def in_order(bands: Sequence[Band]) -> tuple[Band, ...]:
    """The bands from the lowest up.

    Raises
    ------
    QuestionError
        Where they leave a gap or overlap: with the line drawn.
    """
    bands = tuple(bands)
    for band in bands:
        if not isinstance(band, Band):
            raise QuestionError("`bands` must be Band objects; got {0}", type(band).__name__)
    names = [band.name for band in bands]
    if len(set(names)) < len(names):
        raise QuestionError("`bands` names a band twice: {0}", ", ".join(names))
    if not bands:
        return ()
    limits = sorted({limit for band in bands for limit in (band.low, band.high) if limit is not None})
    edges: list[Fraction | None] = [None, *limits, None]
    holders = [[band for band in bands if _holds(band, low, high)] for low, high in zip(edges, edges[1:])]
    wrong = [place for place, held in enumerate(holders) if len(held) != 1]
    if wrong:
        raise QuestionError(_drawn(edges, holders, wrong))
    return tuple(held[0] for held in holders)


def _holds(band: Band, low: Fraction | None, high: Fraction | None) -> bool:
    """Whether a band holds all between two neighboring limits."""
    above = band.low is None or (low is not None and band.low <= low)
    return above and (band.high is None or (high is not None and band.high >= high))


def _between(low: Fraction | None, high: Fraction | None) -> Said:
    if low is None or high is None:
        return Said(
            "below {0}" if low is None else "{0} and above",
            *(decimal(edge) for edge in (low, high) if edge is not None),
        )
    return Said("{0} to below {1}", decimal(low), decimal(high))


def _drawn(edges: Sequence[Fraction | None], holders: Sequence[Sequence[Band]], wrong: Sequence[int]) -> str:
    """What is wrong, and the line with all bands on it, the wrong places marked."""
    said = []
    for place in wrong:
        low, high = edges[place], edges[place + 1]
        where = _between(low, high)
        names = both(band.name for band in holders[place])
        said.append(Said("{0}: {1} overlap", where, names) if names else Said("{0}: a gap, no band", where))
    line = under = ""
    for place, held in enumerate(holders):
        text = f"  {' + '.join(band.name for band in held) or '?'}  "
        line += text
        under += ("^" if place in wrong else " ") * len(text)
        edge = edges[place + 1]
        if edge is not None:
            line += f"|{decimal(edge)}|"
            under += " " * (len(decimal(edge)) + 2)
    return Said(
        "`bands` must leave no gap and not overlap: {0}\n  {1}\n  {2}",
        Joined(said, "; "),
        line.rstrip(),
        under.rstrip(),
    )


def decimal(limit: Fraction) -> str:
    """A limit as people write it.

    >>> decimal(Fraction(2, 25)), decimal(Fraction(12))
    ('0.08', '12')
    """
    return f"{float(limit):g}"


def placed(
    bands: Sequence[Band], part: NDArray[Any], whole: NDArray[Any], known: NDArray[np.bool_], exact: bool
) -> NDArray[np.int64]:
    """The place of the band that part / whole falls in, -1 where it is not known.

    Parameters
    ----------
    bands
        In order, covering the line.
    part, whole
        Of one shape, whole > 0 where `known`: whole numbers at one scale where `exact`, compared as such.
    """
    reached = np.zeros(part.shape, dtype=np.int64)
    for band in bands[1:]:
        assert band.low is not None
        p, q = band.low.numerator, band.low.denominator
        if exact:
            times_q, times_p = products(part, q, whole, p)
            reached += (times_q >= times_p).astype(bool)
        else:
            limit = float(band.low)
            slack = SLACK * max(1.0, abs(limit))
            reached += part / np.where(known, whole, 1) >= limit - slack
    return np.where(known, reached, -1)


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
        The figure that bands are of: ``"growth"``, ``"value"``, ``"share"`` or ``"change"`` (of a measure in percent,
        0.005 is half a point).
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
                    "`marks_of` is for four signs of your own: {0} tell the {1}", self.marks, self.marks_tell
                )
            return
        signs = tuple(self.marks) if isinstance(self.marks, Iterable) else ()
        if len(signs) != len(DIRECTIONS) or not all(isinstance(sign, str) and sign.strip() for sign in signs):
            raise QuestionError(
                "`marks` must be one of {0}, or four signs: of rising, falling, level and unknown; got {1}",
                ", ".join(values(MarkSet)),
                brief(self.marks),
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
                "`level_within` must be a number from 0 to 1, {0}; got {1}", BOUNDS, brief(self.level_within)
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
            "`judging` must be a Judging, or one for each measure by its name; got {0}", type(judging).__name__
        )
    for name, one in judging.items():
        if name not in known:
            raise QuestionError("`judging`: {0}", no_such("measure", str(name), known, where="the book"))
        if not isinstance(one, Judging):
            raise QuestionError("`judging` of {0!r} must be a Judging; got {1}", name, type(one).__name__)
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
    verdicts = np.array([rising, falling, VERDICTS.index(judging.level_as), 3], dtype=np.int8)[directions]
    if places is None:
        return verdicts
    own = np.array([-1 if band.verdict is None else VERDICTS.index(band.verdict) for band in judging.bands], np.int8)
    of_band = np.where(places >= 0, own[places], -1)
    return np.where(of_band >= 0, of_band, verdicts).astype(np.int8)


#: 3 standard deviations by the mean moving range of two: 3 / 1.128.
WIDTH = 2.66
#: Fewer growths than this say nothing of what is ordinary.
LEAST = 8
_SLACK = 1e-12


def unusual_growth(
    growth: NDArray[np.float64], complete: Bools
) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.int8]]:
    """The limits of each growth, and whether it lies outside.

    Parameters
    ----------
    growth
        By period and item, NaN where there is none.
    complete
        Which periods are complete, of a shape that fits; limits are made of those only.

    Returns
    -------
    tuple of numpy.ndarray
        The lower and the upper limit (NaN where fewer than 8 growths tell), and 1 where it lies outside,
        0 where not, -1 where that is not known.

    Notes
    -----
    mean +- 2.66 x mean moving range over the other complete rows of the item; a moving range is the step between
    two neighbors, both of them among those rows. Source: the chart of individuals of statistical process control
    (Shewhart; ISO 7870-2).
    """
    known = np.isfinite(growth) & complete
    x = np.where(known, growth, 0.0)
    n = known.sum(axis=0) - known
    mean = (x.sum(axis=0) - x) / np.maximum(n, 1)
    pairs = known[1:] & known[:-1]
    steps = np.where(pairs, np.abs(x[1:] - x[:-1]), 0.0)
    # what the row itself takes part in: the step to it, and the step from it
    none = np.zeros((1, *growth.shape[1:]))
    own = np.concatenate([none, steps]) + np.concatenate([steps, none])
    own_pairs = np.concatenate([none, pairs]) + np.concatenate([pairs, none])
    count = pairs.sum(axis=0) - own_pairs
    enough = (n >= LEAST) & (count > 0)
    spread = WIDTH * np.maximum(steps.sum(axis=0) - own, 0.0) / np.maximum(count, 1)
    low, high = (np.where(enough, edge, np.nan) for edge in (mean - spread, mean + spread))
    slack = _SLACK * np.maximum(1.0, np.abs(mean))
    outside = (growth < low - slack) | (growth > high + slack)
    judged = enough & np.isfinite(growth)
    return low, high, np.where(judged, outside, -1).astype(np.int8)
