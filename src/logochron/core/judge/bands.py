"""Bands: named intervals of a figure, with a verdict, advice and a mark of their own."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import KW_ONLY, dataclass
from fractions import Fraction
from typing import Any

import numpy as np
from numpy.typing import NDArray

from logochron.core.book.exact import products
from logochron.core.check_kinds import check_kinds
from logochron.core.errors import QuestionError, brief
from logochron.core.options import BOUNDS, LevelAs, as_written, check

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
            raise QuestionError(f"a band needs a name; got {brief(self.name)}")
        check_kinds(type(self), vars(self))
        if self.verdict is not None:
            check("verdict", self.verdict, LevelAs)
        if self.low is not None and self.high is not None and self.low >= self.high:
            raise QuestionError(
                f"band {self.name!r}: nothing is from {decimal(self.low)} and below {decimal(self.high)}"
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
                f"band {self.name!r}: `{option}` must be a number such as 0.08, {BOUNDS}; got {brief(given)}"
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
            raise QuestionError(f"`bands` must be Band objects; got {type(band).__name__}")
    names = [band.name for band in bands]
    if len(set(names)) < len(names):
        raise QuestionError(f"`bands` names a band twice: {', '.join(names)}")
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


def _drawn(edges: Sequence[Fraction | None], holders: Sequence[Sequence[Band]], wrong: Sequence[int]) -> str:
    """What is wrong, and the line with all bands on it, the wrong places marked."""
    said = []
    for place in wrong:
        low, high = edges[place], edges[place + 1]
        where = " to below ".join(decimal(edge) for edge in (low, high) if edge is not None)
        where = f"below {where}" if low is None else f"{where} and above" if high is None else where
        names = " and ".join(band.name for band in holders[place])
        said.append(f"{where}: {names} overlap" if names else f"{where}: a gap, no band")
    line = under = ""
    for place, held in enumerate(holders):
        text = f"  {' + '.join(band.name for band in held) or '?'}  "
        line += text
        under += ("^" if place in wrong else " ") * len(text)
        edge = edges[place + 1]
        if edge is not None:
            line += f"|{decimal(edge)}|"
            under += " " * (len(decimal(edge)) + 2)
    return f"`bands` must leave no gap and not overlap: {'; '.join(said)}\n  {line.rstrip()}\n  {under.rstrip()}"


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
