"""The rows of an answer as blocks, a measure and a tier each: a column is laid out when it is asked for."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

Array = NDArray[Any]


class RowBlock:
    """The rows of one measure and one tier, period by period.

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

    def between(self, low: int, high: int) -> RowBlock:
        """The rows of some periods, from `low` to before `high`."""
        raise NotImplementedError

    def from_period(self, first: int) -> Block:
        """The same rows, with periods counted from one of them."""
        columns = {**self.columns, "period": self.columns["period"] - first}
        return Block(self.shape, columns, self.order, self.measure)

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
        made = self.make(low, high)
        return replace(made, columns={**made.columns, "period": made.columns["period"] + low})

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

    def from_period(self, first: int) -> Blocks:
        """The same rows, with periods counted from one of them."""
        return Blocks([block.from_period(first) for block in self.blocks])

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
