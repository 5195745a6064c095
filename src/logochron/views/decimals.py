"""How many decimals figures need: to be seen, and to be told apart."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray


def told_apart(values: NDArray[np.float64], least: int, most: int) -> int:
    """So many decimals tell values apart that differ, `least` of them at least.

    >>> told_apart(np.array([31.64, 31.61]), 1, 15)
    2
    """
    many = len(set(values.tolist()))
    for decimals in range(least, most):
        if len({round(value, decimals) for value in values.tolist()}) >= many:
            return decimals
    return most


def fitting_decimals(values: NDArray[np.float64], changes: NDArray[np.float64], scale: int | None) -> int:
    """How many decimals the amounts of a table need: none where they are large, but never a change hidden."""
    finite = np.abs(values[np.isfinite(values)])
    largest = finite.max() if finite.size else 0.0
    most = divided_decimals(largest) if scale is None else min(scale, 6)
    if not finite.size or not (finite % 1).any():
        return 0
    start = 0 if largest >= 10_000 else min(2, most)
    moved = np.abs(changes[np.isfinite(changes) & (changes != 0)])
    for decimals in range(start, most):
        if not moved.size or moved.min() >= 0.5 * 10**-decimals or moved.size > 12 and decimals >= 2:
            return decimals
    return most if start < most else start


def office_format(decimals: int) -> str:
    """How office programs are told to write amounts: in the way of their reader's country.

    >>> office_format(2)
    '#,##0.00'
    """
    return "#,##0" + ("." + "0" * decimals if decimals else "")


def divided_decimals(largest: float) -> int:
    """How many decimals figures that are divided need, as they have none of their own: four digits or so.

    >>> divided_decimals(38.4), divided_decimals(0.49)
    (2, 4)
    """
    return 2 if largest >= 10 else 3 if largest >= 1 else 4


def decimals_that_show(changes: NDArray[np.float64], least: int = 2) -> int:
    """How many decimals figures need for each change among them to be seen, `least` of them and 12 at most.

    >>> decimals_that_show(np.array([0.01, 5.0])), decimals_that_show(np.array([0.004, np.nan]))
    (2, 3)
    """
    moved = np.abs(changes[np.isfinite(changes) & (changes != 0)])
    return least if not moved.size else int(np.clip(np.ceil(-np.log10(moved.min()) - 1e-9), least, 12))
