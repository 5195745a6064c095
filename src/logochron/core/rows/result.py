"""What every answer gives: tidy tables made on demand, notes, a way to a file."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING, Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from logochron.core import ports
from logochron.core.check_kinds import kinds_checked
from logochron.core.errors import QuestionError
from logochron.core.rows.blocks import Blocks
from logochron.core.rows.put import Put
from logochron.core.rows.question_types import QuestionType, question_type

if TYPE_CHECKING:
    import pandas as pd


@dataclass(frozen=True, repr=False, eq=False)
class Result:
    """An answer: read-only arrays by column, from which the tables are made. Two results are equal if they are one.

    In the arrays `period` is the place in `periods`, and a word (direction, verdict, band, status, note) the place in
    `words`.
    """

    columns: Blocks = field(repr=False)
    total_columns: Blocks = field(repr=False)
    periods: tuple[str, ...]
    notes: tuple[str, ...]
    subtotal_columns: Blocks = field(default_factory=lambda: Blocks([]), repr=False, kw_only=True)
    words: Mapping[str, Sequence[str | None]] = field(default_factory=dict, repr=False, kw_only=True)
    put: Put | None = field(default=None, repr=False, kw_only=True)
    kind: ClassVar[str] = ""

    @property
    def type(self) -> QuestionType:
        """The row of its question: what is done with its answers."""
        return question_type(self.kind)

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
        if self.subtotal_columns:
            return self._frame(self.subtotal_columns)
        return self._frame(self.total_columns).iloc[:0]

    @kinds_checked
    def write(self, path: str | Path, *, spreadsheet_safe: bool = False) -> Path:
        """Write the table (or a figure of it) to a file, by its ending.

        Parameters
        ----------
        spreadsheet_safe
            Whether texts of a .csv that a spreadsheet would take for a formula (``=1+1``, ``@x``) get an apostrophe
            before them. Without it a .csv holds labels as they are, for programs.

        Returns
        -------
        pathlib.Path
            The file, written whole or not at all.

        Raises
        ------
        QuestionError
            Where the ending is unknown or the file cannot be written.
        """
        return ports.write(self, path, spreadsheet_safe)

    def again(self, **changed: Any) -> Any:
        """The answer to the same question with some options changed, those of the question by their names.

        Raises
        ------
        QuestionError
            As the question; where this is no answer of one.

        Examples
        --------
        >>> import logochron as lc
        >>> months = lc.compare(lc.demo.book(), each="month", last=13, measures="revenue")
        >>> months.again(by="harbor", last=1).columns.rows
        4
        """
        if self.put is None:
            raise QuestionError(f"this answer of {self.kind} cannot be asked again: ask anew")
        return self.put.again(**changed)

    @property
    def rows(self) -> int:
        """How many rows it has: of items, subtotals and totals."""
        parts = {id(one): one for one in (self.columns, self.subtotal_columns, self.total_columns)}
        return sum(part.rows for part in parts.values())

    def coded(self, columns: Blocks, name: str) -> tuple[NDArray[np.object_], NDArray[Any]]:
        """A column of words, labels or periods: its texts, and the place of each row's among them, -1 for none."""
        if name in self.words:
            places = columns[name]  # first: what is worked out now may bring notes of its own
            return np.array(self.words[name], dtype=object), places
        if self.type.holds(name) == "period" and self.periods and not columns.holds_texts(name):
            return np.array(self.periods, dtype=object), columns[name]
        return columns.coded(name)

    def texts(self, columns: Blocks, name: str) -> NDArray[np.object_]:
        """A column of words, labels or periods as texts, None where there is none."""
        texts, places = self.coded(columns, name)
        return taken(texts)[places]

    def _repr_html_(self) -> str:
        return ports.html(self)

    def _repr_markdown_(self) -> str:
        return ports.markdown(self)

    def __repr__(self) -> str:
        span = f"{self.periods[0]} to {self.periods[-1]}" if self.periods else "no periods"
        return f"<{type(self).__name__}: {self.columns.rows:,} rows, {span}>"

    def _frame(self, columns: Blocks, kind: str | None = None) -> pd.DataFrame:
        import pandas as pd

        made: dict[str, Any] = {}
        of_columns = question_type(kind or self.kind)
        for name in columns:
            holds = of_columns.holds(name)
            if holds == "period" and columns.holds_texts(name):
                holds = "label"
            if name in self.words:
                places = columns[name]
                made[name] = _text_column(taken(self.words[name]), places)
            elif holds == "period":
                of = pd.CategoricalDtype(list(self.periods), ordered=True)
                made[name] = pd.Categorical.from_codes(columns[name].astype(np.int32).copy(), dtype=of)
            elif holds in ("label", "text"):
                made[name] = _text_column(*columns.coded(name))
            else:
                values: Any = columns[name]
                if holds == "days":
                    unknown = np.isnan(values)
                    values = pd.arrays.IntegerArray(np.where(unknown, 0, values).astype(np.int64), unknown)
                elif holds == "truth":
                    values = pd.arrays.BooleanArray(values == 1, values < 0)
                elif holds == "day":
                    values = values.astype("datetime64[s]")
                made[name] = values
        return pd.DataFrame(made)


def taken(words: Iterable[str | None]) -> NDArray[np.object_]:
    """Words to be chosen by place: -1 is none."""
    return np.array([*words, None], dtype=object)


def _text_column(texts: NDArray[np.object_], codes: NDArray[np.integer[Any]]) -> Any:
    """A column of texts of which many are the same: each is made a text of the frame's once."""
    import pandas as pd

    used = np.zeros(len(texts), dtype=bool)
    used[codes] = True
    if all(text is None for text in texts[used]):
        return texts[codes]
    return pd.Series(texts).array.take(np.where(codes < 0, len(texts) - 1, codes))
