"""The rows of an answer as blocks, a measure and a tier each: a column is laid out when it is asked for."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

Array = NDArray[Any]


@dataclass(frozen=True, eq=False)
class Block:
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
    """

    shape: tuple[int, int]
    columns: Mapping[str, Array]
    order: NDArray[np.int64] | None = None
    measure: int = 0

    @property
    def size(self) -> int:
        """How many rows there are."""
        return self.shape[0] * self.shape[1] if self.order is None else len(self.order)

    def flat(self, values: Array) -> Array:
        """A column by row."""
        laid_out = np.broadcast_to(values, self.shape).reshape(-1)
        return laid_out if self.order is None else laid_out[self.order]

    def between(self, low: int, high: int) -> Block:
        """The rows of some periods, from `low` to before `high`."""
        periods, items = self.shape
        columns = {name: v[low:high] if len(v) == periods and periods > 1 else v for name, v in self.columns.items()}
        order = None
        if self.order is not None:
            order = self.order[(self.order >= low * items) & (self.order < high * items)] - low * items
        return Block((len(range(periods)[low:high]), items), columns, order, self.measure)

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


class Blocks(Mapping[str, Array]):
    """The columns of blocks that stand below each other, read-only."""

    def __init__(self, blocks: Sequence[Block]) -> None:
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
