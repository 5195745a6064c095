"""Columns of Python's decimals: libraries that know no such type hold them as objects, or make texts of them."""

from __future__ import annotations

import re
import sys
from decimal import Decimal
from typing import Any

import numpy as np

_DECIMAL = re.compile(r"-?\d+(?:\.\d+)?(?:E[+-]?\d+)?")


def first_value(column: Any) -> Any:
    """The first value of a pandas column that is there."""
    return column.iloc[column.notna().to_numpy().argmax()] if len(column) else None


def is_plain_decimal(value: Any) -> bool:
    """Whether a value is one of Python's decimals, or its text."""
    return isinstance(value, Decimal) or (isinstance(value, str) and bool(_DECIMAL.fullmatch(value)))


def as_decimals(column: Any) -> Any:
    """A column of Python's decimals as one of the engine's; as it is where those do not hold them."""
    import pyarrow

    pd = sys.modules["pandas"]
    numbers = column.where(column.notna(), None)
    if pd.api.types.infer_dtype(numbers, skipna=True) != "decimal":
        numbers = numbers.map(lambda v: Decimal(repr(float(v))) if isinstance(v, (float, np.floating)) else v)
    try:
        lying = pyarrow.array(numbers.to_numpy())
    except (pyarrow.ArrowException, TypeError):  # an endless one, one of too many digits, or a text between them
        lying = None
    if lying is None or not pyarrow.types.is_decimal128(lying.type):  # the engine's own have 38 digits
        return numbers.map(lambda v: f"{v:E}" if isinstance(v, Decimal) else v)  # which reads in one way only
    return pd.Series(pd.arrays.ArrowExtensionArray(lying), index=column.index)
