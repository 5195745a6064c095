"""Arithmetic on whole numbers at a scale: exact as long as they fit, floats beyond."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from logochron.core.book.span_sums import Sums


def at_one_scale(a: Sums, a_scale: int | None, b: Sums, b_scale: int | None) -> tuple[Sums, Sums, int | None]:
    """Two sides brought to one scale; as floats where one is none of whole numbers, or they would not fit.

    >>> at_one_scale(np.array([150]), 2, np.array([15]), 1)[1].tolist()
    [150]
    """
    if a_scale == b_scale:
        return a, b, a_scale
    if a_scale is not None and b_scale is not None:
        scale = max(a_scale, b_scale)
        by_a, by_b = 10 ** (scale - a_scale), 10 ** (scale - b_scale)
        if max(_size(a) * by_a, _size(b) * by_b) < 2**62:
            return a * by_a, b * by_b, scale
    return a / 10 ** (a_scale or 0), b / 10 ** (b_scale or 0), None


def subtracted(a: Sums, a_scale: int | None, b: Sums, b_scale: int | None) -> tuple[Sums, int | None]:
    """a - b and its scale; as floats where whole numbers would not fit."""
    a, b, scale = at_one_scale(a, a_scale, b, b_scale)
    if scale is not None and _size(a) + _size(b) >= 2**62:
        a, b, scale = a / 10**scale, b / 10**scale, None
    return a - b, scale


def divided(part: NDArray[Any], whole: NDArray[Any], defined: NDArray[np.bool_]) -> NDArray[np.float64]:
    """part / whole where it is defined and finite, NaN elsewhere."""
    found = np.full(np.broadcast_shapes(np.shape(part), np.shape(whole), np.shape(defined)), np.nan)
    with np.errstate(over="ignore", invalid="ignore"):
        np.divide(part, whole, out=found, where=defined)
    found[np.isinf(found)] = np.nan
    return found


def products(a: NDArray[Any], p: int, b: NDArray[Any], q: int) -> tuple[NDArray[Any], NDArray[Any]]:
    """a x p and b x q of whole numbers, to be compared: exact whatever their size."""
    if max(max(_size(a), 1) * abs(p), max(_size(b), 1) * abs(q)) >= 2**63:
        a, b = a.astype(object), b.astype(object)  # Python's whole numbers have no limit
    return a * p, b * q


def _size(values: NDArray[Any]) -> int:
    return int(np.abs(values).max(initial=0))
