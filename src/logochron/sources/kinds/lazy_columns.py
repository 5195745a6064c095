"""Columns of lazy frames: what they hold by their types, and their values once they are here."""

from __future__ import annotations

import datetime as dt
import decimal
import warnings
from typing import Any

import narwhals as nw
import numpy as np
from numpy.typing import NDArray

from logochron.sources.kinds.elsewhere import Kind, SourceColumn
from logochron.sources.values.python_decimals import first_value

#: An expression of Narwhals.
Expr = Any


def from_native(frame: Any) -> Any:
    """A frame under Narwhals' names; of what it will ask for in times to come nobody needs to hear."""
    with warnings.catch_warnings():
        warnings.filterwarnings("ignore", "Dask support is moving", FutureWarning)
        return nw.from_native(frame)


def both(one: Expr, other: Expr) -> Expr:
    """Two conditions together; none of which there may be."""
    return other if one is None else one if other is None else one & other


def listed(series: Any) -> list[Any]:
    """The values of a column, None where one is unknown."""
    unknown = series.is_null().to_numpy()
    return [None if none else value for value, none in zip(series.to_list(), unknown)]


def texts_of(series: Any, unknown: str | None = None) -> NDArray[Any]:
    return np.array([unknown if value is None else value for value in listed(series)], dtype=object)


def plain_day(value: Any) -> dt.date:
    return value.date() if isinstance(value, dt.datetime) else value


def column_of(name: str, kind: Any, values: Any, place: int) -> SourceColumn:
    """A column by its type; where that says nothing, by its first values."""
    written = str(kind).split("(", 1)[0]
    if kind.is_integer():
        return SourceColumn(name, "whole", written)
    if kind.is_float():
        return SourceColumn(name, "float", written)
    if isinstance(kind, nw.Decimal):
        return SourceColumn(name, "decimal", written, getattr(kind, "scale", None))
    if kind == nw.Date:
        return SourceColumn(name, "day", written)
    if isinstance(kind, nw.Datetime):
        return SourceColumn(name, "zoned" if kind.time_zone else "moment", written, zone=kind.time_zone or "")
    if kind in (nw.String, nw.Categorical) or isinstance(kind, nw.Enum):
        return SourceColumn(name, "text", written)
    if kind == nw.Object:
        met = {type(value) for value in values(place)}
        kinds: dict[type, Kind] = {decimal.Decimal: "decimal", dt.date: "day", str: "text"}
        return SourceColumn(name, kinds.get(met.pop(), "other") if len(met) == 1 else "other", written)
    return SourceColumn(name, "other", written)


def decimals_of_dask(frame: Any) -> set[str]:
    """The columns of Python's decimals of the pandas frames that a Dask frame is made of: it takes them for texts."""
    found: set[str] = set()
    for step in getattr(getattr(frame, "expr", None), "walk", list)():
        given: Any = getattr(step.operand("frame"), "_data", None) if "frame" in step._parameters else None
        if hasattr(given, "dtypes"):
            objects = [name for name, kind in given.dtypes.items() if kind.kind == "O"]
            found |= {str(name) for name in objects if isinstance(first_value(given[name]), decimal.Decimal)}
    return found
