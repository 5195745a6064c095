"""Whether amounts that lie in memory are whole numbers of a unit, so that their plain sums can be trusted."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

#: Amounts looked at together: what is worked out of them stays near the processor.
_BLOCK = 1 << 15


class Reach(NamedTuple):
    """The largest size of amounts in units, 0.0 of none; and whether any is negative."""

    largest: float
    falls: bool


def reach_of(amounts: Iterable[NDArray[Any]], per_unit: int) -> Reach | None:
    """How far amounts reach in units; None where one is no whole number of them.

    An amount counts as one that is the double next to a whole number divided by `per_unit` (cents: 100).
    """
    least, most, divisor = 0.0, 0.0, float(per_unit)
    with np.errstate(over="ignore", invalid="ignore"):
        for part in amounts:
            for start in range(0, len(part), _BLOCK):
                block = part[start : start + _BLOCK]
                units = block * divisor
                np.rint(units, out=units)
                least, most = min(least, units.min()), max(most, units.max())
                np.divide(units, divisor, out=units)
                if not (units == block).all():
                    return None
    largest = float(max(most, -least))
    return Reach(largest, bool(least < 0)) if np.isfinite(largest) else None


def sums_are_exact(most: int, largest: float) -> bool:
    """Whether any sum of so many amounts, added up as doubles in any order, rounds to their true sum in units.

    Each amount is off by half a place in the last at most, and each addition and the scaling add as much: with
    u = 2**-53 a sum is off by less than most * (most + 2) * u * largest units, which half a unit has to exceed
    (Higham, Accuracy and Stability of Numerical Algorithms, 2nd ed., section 4.2). Half of that is allowed.
    """
    return most * (most + 2.0) * largest < 2.0**51
