"""What every answer gives: tidy tables made on demand, notes, a way to a file."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from logochron.core import ports as hooks

if TYPE_CHECKING:
    import pandas as pd

#: Columns of whole numbers that may be unknown; they are floats in the arrays.
WHOLE = frozenset({"days", "base_days"})
#: Columns of True, False and unknown.
TRUTHS = frozenset({"unusual"})


@dataclass(frozen=True, repr=False)
class Result:
    """An answer: read-only arrays by column, from which the tables are made.

    `period` in the arrays is the index into `periods`.
    """

    columns: Mapping[str, NDArray[Any]] = field(repr=False)
    total_columns: Mapping[str, NDArray[Any]] = field(repr=False)
    periods: tuple[str, ...]
    notes: tuple[str, ...]
    subtotal_columns: Mapping[str, NDArray[Any]] = field(default_factory=dict, repr=False, kw_only=True)
    kind: str = field(default="", init=False)

    @cached_property
    def table(self) -> pd.DataFrame:
        """One row per measure, period and item."""
        return self._frame(self.columns)

    @cached_property
    def total(self) -> pd.DataFrame:
        """The same columns for all items together; the dimensions are NA."""
        return self._frame(self.total_columns)

    @cached_property
    def subtotals(self) -> pd.DataFrame:
        """The same columns for each tuple of the first dimensions, the others NA; no rows with fewer than two."""
        none = {name: values[:0] for name, values in self.total_columns.items()}
        return self._frame(self.subtotal_columns or none)

    def write(self, path: str | Path) -> Path:
        """Write the table (or a figure of it) to a file, by its ending.

        Returns
        -------
        pathlib.Path
            The file, written whole or not at all.

        Raises
        ------
        QuestionError
            Where the ending is unknown or the file cannot be written.
        """
        return hooks.write(self, path)

    def _repr_html_(self) -> str:
        return hooks.html(self)

    def __repr__(self) -> str:
        count = len(next(iter(self.columns.values()), ()))
        span = f"{self.periods[0]} to {self.periods[-1]}" if self.periods else "no periods"
        return f"<{type(self).__name__}: {count:,} rows, {span}>"

    def _frame(self, columns: Mapping[str, NDArray[Any]]) -> pd.DataFrame:
        import pandas as pd

        made: dict[str, Any] = {}
        for name, values in columns.items():
            if name == "period":
                kind = pd.CategoricalDtype(list(self.periods), ordered=True)
                made[name] = pd.Categorical.from_codes(values.astype(np.int64).tolist(), dtype=kind)
            elif name in WHOLE:
                made[name] = pd.array(values, dtype="Float64").astype("Int64")
            elif name in TRUTHS:
                made[name] = pd.array(values, dtype="boolean")
            elif values.dtype.kind == "M":
                made[name] = values.astype("datetime64[s]")
            else:
                made[name] = values
        return pd.DataFrame(made)
