"""A table for people: plain cells and what they mean, whoever draws them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass


@dataclass(frozen=True)
class Row:
    """One row: its cells by column, the verdict its growth bears, and whether it is a total or starts a group."""

    cells: Mapping[str, str]
    verdict: str
    total: bool = False
    starts: bool = False


@dataclass(frozen=True)
class TableSpec:
    """A table: title, unit, headings by column (in order), rows, lines below. `numeric` are aligned right.

    `firm` columns of text are never cut; `dropped` are what a narrow terminal goes without, group by group.
    """

    title: str
    unit: str
    headings: Mapping[str, str]
    numeric: frozenset[str]
    rows: tuple[Row, ...]
    lines: tuple[str, ...]
    firm: frozenset[str] = frozenset({"period"})
    dropped: tuple[tuple[str, ...], ...] = (("note",), ("share",), ("change",), ("base",), ("count",), ("days",))
    empty: str = "No period to show: none is held whole by the records."

    def width(self, column: str) -> int:
        """The widest cell of a column."""
        return max([len(self.headings[column]), *(len(row.cells.get(column, "")) for row in self.rows)])
