"""Items that look like the total of all others, although nothing calls them so."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from logochron.core.book.sums import Amounts
from logochron.core.days import Days

#: So many days, and so many items, tell such an item; larger tables of both are not looked at.
_DAYS, _ITEMS, _MOST = 3, 3, 20_000_000
_SLACK = 1e-9


def like_totals(
    days: Days, codes: Mapping[str, Days], labels: Mapping[str, NDArray[np.object_]], amounts: Amounts
) -> list[tuple[str, str]]:
    """The items whose amounts equal the sum of all others of their dimension on every day, by dimension and label.

    Parameters
    ----------
    days, codes, amounts
        Of the rows of a book.

    Notes
    -----
    An item of half the total on each day is one; three days and three items at least.
    """
    known, at = np.unique(days, return_inverse=True)
    found = []
    for name, of in codes.items():
        size = len(labels[name])
        if len(known) < _DAYS or size < _ITEMS or len(known) * size > _MOST:
            continue
        sums = np.zeros((len(known), size), dtype=amounts.values.dtype)
        np.add.at(sums, (at, of), amounts.values)
        total = sums.sum(axis=1)
        half = 2 * sums
        near = half == total[:, None]
        if amounts.scale is None:
            near = np.abs(half - total[:, None]) <= _SLACK * np.maximum(np.abs(total[:, None]), 1)
        alike = near.all(axis=0) & (total != 0).any()
        found += [(name, str(labels[name][i])) for i in np.flatnonzero(alike)]
    return found
