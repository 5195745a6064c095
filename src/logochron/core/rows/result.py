"""The rows of an answer as blocks, a measure and a grouping each: a column is laid out when it is asked for."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from itertools import cycle, repeat
from pathlib import Path
from typing import TYPE_CHECKING, Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from logochron.core import ports
from logochron.core.check_kinds import kinds_checked
from logochron.core.errors import QuestionError
from logochron.core.rows.prepare import QuestionCall
from logochron.core.rows.question_types import QuestionType, question_type

if TYPE_CHECKING:
    import pandas as pd

Array = NDArray[Any]


class RowBlock:
    """The rows of one measure and one grouping, period by period.

    Attributes
    ----------
    shape
        How many periods and items there are.
    columns
        Each of that shape, or of one that fits: a value of each period (periods, 1) or of each item (1, items).
    order
        The places of the rows, period x items + item, in the order in which they are shown; all where None.
    measure
        The place of the measure among those of the answer.
    size
        How many rows there are.
    """

    shape: tuple[int, int]
    columns: Mapping[str, Array]
    order: NDArray[np.int64] | None
    measure: int
    size: int

    def flat(self, values: Array) -> Array:
        """A column by row."""
        laid_out = (values if values.shape == self.shape else np.broadcast_to(values, self.shape)).reshape(-1)
        return laid_out if self.order is None else laid_out[self.order]

    def between(self, low: int, high: int) -> Block:
        """The rows of some periods, from `low` to before `high`."""
        raise NotImplementedError

    def alone(self, low: int, high: int, kept: NDArray[np.bool_] | None = None) -> Block:
        """The rows of some periods as those of an answer of its own; of the items that are kept, all where None."""
        part = self.between(low, high)
        part = replace(part, columns={**part.columns, "period": part.columns["period"] - low})
        return part if kept is None else part.of_items(kept)

    def period(self, period: int) -> dict[str, Array]:
        """The columns of one period, by item, whatever the order."""
        return {name: np.broadcast_to(values, self.shape)[period] for name, values in self.columns.items()}

    def shown(self, period: int) -> NDArray[np.int64]:
        """The places of the items of one period in the order in which they are shown."""
        if self.order is None:
            return np.arange(self.shape[1])
        return self.order[self.order // self.shape[1] == period] % self.shape[1]

    def row(self, period: int, item: int) -> dict[str, Any]:
        """One row by its period and item, whatever the order."""
        return {
            name: values[period if len(values) > 1 else 0, item if values.shape[1] > 1 else 0]
            for name, values in self.columns.items()
        }


@dataclass(frozen=True, eq=False)
class Block(RowBlock):
    """Rows that are worked out."""

    shape: tuple[int, int]
    columns: Mapping[str, Array]
    order: NDArray[np.int64] | None = None
    measure: int = 0

    @property
    def size(self) -> int:  # type: ignore[override]
        """How many rows there are."""
        return self.shape[0] * self.shape[1] if self.order is None else len(self.order)

    def between(self, low: int, high: int) -> Block:
        """The rows of some periods, from `low` to before `high`."""
        periods, items = self.shape
        columns = {name: v[low:high] if len(v) == periods and periods > 1 else v for name, v in self.columns.items()}
        order = None
        if self.order is not None:
            order = self.order[(self.order >= low * items) & (self.order < high * items)] - low * items
        return Block((len(range(periods)[low:high]), items), columns, order, self.measure)

    def of_items(self, kept: NDArray[np.bool_]) -> Block:
        """The rows of some items."""
        if kept.all():
            return self
        items, n = self.shape[1], int(kept.sum())
        columns = {name: v[:, kept] if v.shape[1] == items else v for name, v in self.columns.items()}
        order = None
        if self.order is not None:
            order = self.order[kept[self.order % items]]
            order = order // items * n + (np.cumsum(kept) - 1)[order % items]
        return Block((self.shape[0], n), columns, order, self.measure)


@dataclass(frozen=True, eq=False)
class PiecedBlock(RowBlock):
    """Rows too many to be worked out at once: those of some periods when they are asked for, all where they must be.

    Attributes
    ----------
    make
        Works out the rows of some periods, from the first number to before the second.
    dropped
        How many items have no row.
    """

    shape: tuple[int, int]
    make: Callable[[int, int], Block]
    measure: int = 0
    dropped: int = 0

    @property
    def size(self) -> int:  # type: ignore[override]
        """How many rows there are."""
        return self.shape[0] * (self.shape[1] - self.dropped)

    def between(self, low: int, high: int) -> Block:
        """The rows of some periods, from `low` to before `high`."""
        piece = self.make(low, high)
        return replace(piece, columns={**piece.columns, "period": piece.columns["period"] + low})

    def period(self, period: int) -> dict[str, Array]:
        """The columns of one period, by item, whatever the order."""
        return self.between(period, period + 1).period(0)

    def shown(self, period: int) -> NDArray[np.int64]:
        """The places of the items of one period in the order in which they are shown."""
        return self.between(period, period + 1).shown(0)

    def row(self, period: int, item: int) -> dict[str, Any]:
        """One row by its period and item, whatever the order."""
        return self.between(period, period + 1).row(0, item)

    @cached_property
    def _whole(self) -> Block:
        return self.between(0, self.shape[0])

    @property
    def columns(self) -> Mapping[str, Array]:  # type: ignore[override]
        """All of each, worked out at once."""
        return self._whole.columns

    @property
    def order(self) -> NDArray[np.int64] | None:  # type: ignore[override]
        """The places of all rows in the order in which they are shown."""
        return self._whole.order


class Blocks(Mapping[str, Array]):
    """The columns of blocks that stand below each other, read-only."""

    def __init__(self, blocks: Sequence[RowBlock]) -> None:
        self.blocks = tuple(blocks)

    @classmethod
    def plain(cls, columns: Mapping[str, Array]) -> Blocks:
        """Columns as they are, a value for each row."""
        rows = len(next(iter(columns.values()), ()))
        return cls([Block((1, rows), {name: values[None] for name, values in columns.items()})])

    @property
    def rows(self) -> int:
        """How many rows there are."""
        return sum(block.size for block in self.blocks)

    def of(self, measure: int) -> Blocks:
        """The rows of one measure."""
        return Blocks([block for block in self.blocks if block.measure == measure])

    def between(self, low: int, high: int) -> Blocks:
        """The rows of some periods, from `low` to before `high`."""
        return Blocks([block.between(low, high) for block in self.blocks])

    def alone(self, low: int, high: int, kept: Sequence[NDArray[np.bool_]] = ()) -> Blocks:
        """The rows of some periods as those of an answer of its own.

        `kept`: the items that each block keeps, block by block and again from the first; all where none are said.
        """
        masks = cycle(kept) if kept else repeat(None)
        return Blocks([block.alone(low, high, mask) for block, mask in zip(self.blocks, masks)])

    def pieces(self, periods: int, most: int) -> Iterator[Blocks]:
        """The rows block by block, so many periods of one at a time that they are `most` rows, or one period.

        `periods`: how many there are in all; blocks that have other rows than those of periods are not parted.
        """
        for block in self.blocks:
            rows, step = block.shape[0], max(most // max(block.shape[1], 1), 1)
            if block.size <= most or rows != periods:
                yield Blocks([block])
                continue
            for low in range(0, rows, step):
                yield Blocks([block.between(low, min(low + step, rows))])

    def __getitem__(self, name: str) -> Array:
        if name not in self:
            raise KeyError(name)
        parts = [block.flat(block.columns[name]) for block in self.blocks]
        values = parts[0] if len(parts) == 1 else np.concatenate(parts)
        values = values.view()
        values.setflags(write=False)
        return values

    def holds_texts(self, name: str) -> bool:
        """Whether a column holds texts."""
        return any(block.columns[name].dtype == object for block in self.blocks)

    def coded(self, name: str) -> tuple[Array, NDArray[np.int64]]:
        """A column of texts as the texts and the code of each row: one that stands for many rows is held once."""
        texts: list[Array] = []
        codes = []
        offset = 0
        for block in self.blocks:
            values = block.columns[name]
            codes.append(block.flat(np.arange(values.size).reshape(values.shape)) + offset)
            texts.append(values.ravel())
            offset += values.size
        return np.concatenate(texts), np.concatenate(codes)

    def __iter__(self) -> Iterator[str]:
        return iter(self.blocks[0].columns if self.blocks else ())

    def __len__(self) -> int:
        return len(self.blocks[0].columns) if self.blocks else 0

    def __contains__(self, name: object) -> bool:
        return bool(self.blocks) and name in self.blocks[0].columns


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
    call: QuestionCall | None = field(default=None, repr=False, kw_only=True)
    kind: ClassVar[str] = ""

    @property
    def type(self) -> QuestionType:
        """The row of its question: what is done with its answers."""
        return question_type(self.kind)

    @property
    def told(self) -> Result:
        """The answer whose sentences and figures are this one's."""
        return self

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
        if self.call is None:
            raise QuestionError("this answer of {0} cannot be asked again: ask anew", self.kind)
        return self.call.again(**changed)

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

    def __str__(self) -> str:
        """Its tables as the terminal shows them: the latest 13 periods."""
        return ports.text(self)

    def __repr__(self) -> str:
        span = f"{self.periods[0]} to {self.periods[-1]}" if self.periods else "no periods"
        return f"<{type(self).__name__}: {self.columns.rows:,} rows, {span}>"

    def _frame(self, columns: Blocks, kind: str | None = None) -> pd.DataFrame:
        import pandas as pd

        data: dict[str, Any] = {}
        of_columns = self.type if kind is None else question_type(kind)
        for name in columns:
            holds = of_columns.holds(name)
            if holds == "period" and columns.holds_texts(name):
                holds = "label"
            if name in self.words:
                places = columns[name]
                data[name] = _text_column(taken(self.words[name]), places)
            elif holds == "period":
                of = pd.CategoricalDtype(list(self.periods), ordered=True)
                data[name] = pd.Categorical.from_codes(columns[name].astype(np.int32).copy(), dtype=of)
            elif holds in ("label", "text"):
                data[name] = _text_column(*columns.coded(name))
            else:
                values: Any = columns[name]
                if holds == "days":
                    unknown = np.isnan(values)
                    values = pd.arrays.IntegerArray(np.where(unknown, 0, values).astype(np.int64), unknown)
                elif holds == "truth":
                    values = pd.arrays.BooleanArray(values == 1, values < 0)
                elif holds == "day":
                    values = values.astype("datetime64[s]")
                data[name] = values
        return pd.DataFrame(data)


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
