"""What many views of a page share, held once: each is named by its place."""

from __future__ import annotations

import json
from typing import Any


class Pool:
    """Plain data by its place; the same data has the same place."""

    def __init__(self) -> None:
        self.held: list[str] = []
        self.refer: set[int] = set()  # those that name places themselves
        self._places: dict[str, int] = {}

    def add(self, data: Any, *, refers: bool = False) -> int:
        """The place of some data, taken in where it is new; `refers`: whether it names places of the pool."""
        place = self.written(written(data))
        if refers:
            self.refer.add(place)
        return place

    def written(self, text: str) -> int:
        """The place of data that is written already."""
        place = self._places.setdefault(text, len(self.held))
        if place == len(self.held):
            self.held.append(text)
        return place


def written(data: Any) -> str:
    """Data as JSON, as short as it gets."""
    return json.dumps(data, ensure_ascii=False, separators=(",", ":"), allow_nan=False)
