"""What an estimate rests on, for its receipt."""

from __future__ import annotations

from collections.abc import Mapping
from typing import NamedTuple

from logochron.core.book.measures import Measure
from logochron.core.questions.land import Landing


class LandingFacts(NamedTuple):
    """What an estimate rests on: the base to the same point, the errors of the profiles tried and of how many periods.

    `ratios` are the 10 % and 90 % quantiles of estimate / outcome of past periods; `a_day_earlier`: how many of those
    were looked at a day before their last one, on which the same point falls.
    """

    rest: str
    base_to_date: float
    tried: Mapping[str, tuple[float, int]]
    ratios: tuple[float, float]
    past: int
    days_left: int
    over: bool
    a_day_earlier: int = 0

    @classmethod
    def of(cls, result: Landing, measure: Measure, by: tuple[str, ...], item: int) -> LandingFacts:
        """Those of one of the items by some dimensions."""
        lands = result.reckoned.lands[measure.name, by]
        past = int(lands.sure.past[item])
        return cls(
            result.method.rest,
            float(lands.told.base_cut[-1, item]),
            lands.tried(item),
            lands.quantiles(item),
            past,
            result.days_left,
            bool(result.now.over[0]),
            lands.a_day_earlier(item),
        )
