"""Ids too many to list: what is asked of whoever keeps them, and what comes back."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from fractions import Fraction
from typing import NamedTuple, Protocol

import numpy as np
from numpy.typing import NDArray

from logochron.core.book.measures import AggregateSums, Formula
from logochron.core.days import Days

#: What becomes of ids between the two sides of a period, in the order in which the groups stand.
LIFE_GROUPS = ("new", "back", "up", "same", "down", "paused", "ended")
#: A first and a last day.
DaySpan = tuple[int, int]


class LifeSpans(NamedTuple):
    """Two sides of one period, by which ids are gathered as new, back, up, same, down, paused or ended.

    Attributes
    ----------
    value, base
        The spans of either side; those of a mean are several.
    divisor
        What sums of the base are divided by, where it is a mean.
    base_last, start, report
        The last day of the base, the first of the value, the report date.
    formula, tolerance
        The measure whose change says up, same or down, and the part of the base within which it is level.
    keys
        The aggregates whose sums are wanted.
    """

    value: tuple[DaySpan, ...]
    base: tuple[DaySpan, ...]
    divisor: int | None
    base_last: int
    start: int
    report: int
    formula: Formula
    tolerance: Fraction
    keys: tuple[str, ...]


class LifeSums(NamedTuple):
    """The groups that have ids, in the order in which they stand: how many ids, and their sums on both sides.

    `groups` are places in `LIFE_GROUPS`; sums are by aggregate, of shape (1, groups).
    """

    groups: Days
    items: Days
    value: Mapping[str, AggregateSums]
    base: Mapping[str, AggregateSums]


class KeptIds(Protocol):
    """The ids of one column by day and items, kept where they were read."""

    def taking(self, dimension: str, taken: NDArray[np.bool_]) -> KeptIds:
        """Those of some items of a dimension."""

    def on(self, held: Callable[[Days], NDArray[np.bool_]]) -> KeptIds:
        """The same with the sums of some days only; all tell when an id was recorded."""

    def lives(self, spans: LifeSpans) -> LifeSums:
        """The ids gathered by what became of them."""
