"""What only the single records of a source show."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Fact:
    """An oddity: found by the sources, worded by a review."""

    kind: str
    column: str
    count: int
    example: str
