"""Values of the engine's as plain arrays."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray


def plain(values: Any) -> NDArray[Any] | None:
    """Values without a mask: unknown numbers as NaN, anything else unknown as None; none where they are no array."""
    if type(values) is np.ndarray:  # most are; numpy.ma is loaded for others only
        return values
    if not isinstance(values, np.ndarray):
        return None
    unknown = np.ma.getmaskarray(values)
    bare: NDArray[Any] = np.ma.getdata(values)
    if unknown.any():
        bare = bare.astype(np.float64 if bare.dtype.kind == "f" else object)
        bare[unknown] = np.nan if bare.dtype.kind == "f" else None
    return bare
