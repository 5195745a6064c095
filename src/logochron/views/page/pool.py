"""What many views of a page share, held once: each is named by its place."""

from __future__ import annotations

import json
from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray

_ENCODER = json.JSONEncoder(ensure_ascii=False, separators=(",", ":"), allow_nan=False)


class Pool:
    """Plain data by its place; the same data has the same place."""

    def __init__(self) -> None:
        self.held: list[str] = []
        self.refer: set[int] = set()  # those that name places themselves
        self._places: dict[str, int] = {}
        self._numbers: dict[bytes, int] = {}
        self._texts: dict[tuple[tuple[str, str], ...], int] = {}

    def add(self, data: Any, *, refers: bool = False) -> int:
        """The place of some data, taken in where it is new; `refers`: whether it names places of the pool."""
        place = self.written(written(data))
        if refers:
            self.refer.add(place)
        return place

    def texts(self, pairs: tuple[tuple[str, str], ...]) -> int:
        """The place of names and texts; the same ones are written once."""
        if pairs not in self._texts:
            self._texts[pairs] = self.add(pairs)
        return self._texts[pairs]

    def numbers(self, values: NDArray[np.float64], write: Callable[[NDArray[np.float64]], str]) -> int:
        """The place of a column of numbers; the same ones are written once."""
        key = values.tobytes()
        if key not in self._numbers:
            self._numbers[key] = self.written(write(values))
        return self._numbers[key]

    def written(self, text: str) -> int:
        """The place of data that is written already."""
        place = self._places.setdefault(text, len(self.held))
        if place == len(self.held):
            self.held.append(text)
        return place


def written(data: Any) -> str:
    """Data as JSON, as short as it gets."""
    return _ENCODER.encode(data)
