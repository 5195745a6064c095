"""The rank of each item in its period, its share together with the larger ones, and growth a year."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from logochron.core.book.sums import divided
from logochron.core.rows.figures import Figures, Floats, Sides
from logochron.core.rows.groupings import Grouping


def ranks_of(
    figures: Figures, sides: Sides, grouping: Grouping, others: bool, whole: Sides | None
) -> dict[str, NDArray[Any]]:
    """The columns `rank`, `base_rank` and `cumulative_share` of the items of a grouping.

    Parameters
    ----------
    others
        Whether the last item gathers others, which have no rank.
    whole
        The sides of all items together; no shares where None.
    """
    shape = figures.value.shape
    if not grouping.by:
        nothing = np.full(shape, np.nan)
        return {"rank": nothing, "base_rank": nothing, "cumulative_share": nothing}
    named = np.ones(shape, dtype=bool) if sides.compared is None else np.broadcast_to(sides.compared, shape).copy()
    value = np.where(named, figures.value, np.nan)
    if others:
        named[:, -1] = False
    share = np.full(shape, np.nan)
    if whole is not None:
        total, _ = whole.shown()
        share = cumulated(value, np.broadcast_to(total, (shape[0], 1)), others)
    ranks = (ranked(np.where(named, side, np.nan)) for side in (figures.value, figures.base))
    return dict(zip(("rank", "base_rank"), ranks)) | {"cumulative_share": share}


def ranked(values: Floats) -> Floats:
    """Ranks within each row, 1 for the largest; equal values share the smaller number, NaN has none.

    >>> ranked(np.array([[5.0, 9.0, 5.0, np.nan, 1.0]])).tolist()
    [[2.0, 1.0, 2.0, nan, 4.0]]
    """
    order = np.argsort(-values, axis=1, kind="stable")  # what is unknown comes last
    in_order = np.take_along_axis(values, order, axis=1)
    starts = np.ones(values.shape, dtype=bool)
    starts[:, 1:] = in_order[:, 1:] != in_order[:, :-1]
    firsts = np.maximum.accumulate(np.where(starts, np.arange(values.shape[1]), 0), axis=1) + 1.0
    ranks = np.empty(values.shape)
    np.put_along_axis(ranks, order, firsts, axis=1)
    return np.where(np.isnan(values), np.nan, ranks)


def cumulated(values: Floats, total: Floats, others: bool) -> Floats:
    """The part of a total that each value and the larger ones of its row make up; none where one is below 0.

    `others`: the last one is what gathers others, and comes last.
    """
    sizes = values.copy()
    if others:
        sizes[:, -1] = -np.inf
    order = np.argsort(-sizes, axis=1, kind="stable")
    in_order = np.take_along_axis(np.nan_to_num(values), order, axis=1)
    summed = np.empty(values.shape)
    np.put_along_axis(summed, order, np.cumsum(in_order, axis=1), axis=1)
    whole = (total > 0) & ~(values < 0).any(axis=1, keepdims=True)
    shares: Floats = divided(summed, np.broadcast_to(total, values.shape), np.broadcast_to(whole, values.shape))
    return np.where(np.isnan(values), np.nan, shares)


def growth_per_year(ratio: Floats, n: int) -> Floats:
    """The growth a year that n years of come to a ratio; only where that is above 0.

    >>> growth_per_year(np.array([1.21, 0.0]), 2).round(6).tolist()
    [0.1, nan]
    """
    known = ratio > 0  # what is not known is not
    return np.where(known, np.where(known, ratio, 1.0) ** (1 / n) - 1, np.nan)
