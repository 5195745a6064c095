"""Whether a growth leaves the limits of ordinary variation: individuals and moving range."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from logochron.core.calendars.base import Bools

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
    told = np.isfinite(growth) & complete
    x = np.where(told, growth, 0.0)
    n = told.sum(axis=0) - told
    mean = (x.sum(axis=0) - x) / np.maximum(n, 1)
    pairs = told[1:] & told[:-1]
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
