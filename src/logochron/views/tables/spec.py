"""A table for people: plain cells and what they mean, whoever draws them."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from typing import Any, NamedTuple

from numpy.typing import NDArray
from rich.cells import cell_len

from logochron.views.catalog import message
from logochron.views.formats import Formats

#: What a narrow terminal goes without, group by group; never growth.
DROPPED = (
    *(
        ("when",),
        ("note",),
        ("bar",),
        ("spark",),
        ("share",),
        ("advice",),
        ("volume", "mix", "price"),
        ("change",),
        ("base",),
    ),
    *(("reference",), ("before",), ("band",), ("count",), ("days",)),
)


class Shown(NamedTuple):
    """How much of an answer a table shows, the latest: so many rows at most, of so many periods; all where None.

    `sparks`: a small line of the last periods in each row.
    """

    rows: int | None = None
    periods: int | None = None
    sparks: bool = False


ALL = Shown()


class RowSource(NamedTuple):
    """Where a row comes from: the columns of an answer, and its place in them."""

    columns: Mapping[str, NDArray[Any]]
    i: int


@dataclass(frozen=True)
class Row:
    """One row: its cells by column, the verdict its growth bears, and whether it is a total or starts a group.

    `depth` is how far its item is indented; a `subtotal` adds up the rows that follow it. `spark` are the values of its
    small line, `part` its share of the total, NaN where it has none. `figures` are the figures of its cells, unrounded;
    `source` the row of the answer that it shows.
    """

    cells: Mapping[str, str]
    verdict: str
    total: bool = False
    starts: bool = False
    depth: int = 0
    subtotal: bool = False
    spark: tuple[float, ...] = ()
    part: float = float("nan")
    figures: Mapping[str, float] = field(default_factory=dict)
    source: RowSource | None = None


@dataclass(frozen=True)
class TableSpec:
    """A table: title, unit, headings by column (in order), rows, lines below. `numeric` are aligned right.

    `firm` columns of text are never cut; `dropped` are what a narrow terminal goes without, group by group.
    `judged` is the column that bears the verdict's color, and holds a mark before its figure or after.
    """

    title: str
    unit: str
    headings: Mapping[str, str]
    numeric: frozenset[str]
    rows: tuple[Row, ...]
    lines: tuple[str, ...]
    firm: frozenset[str] = frozenset({"period"})
    dropped: tuple[tuple[str, ...], ...] = DROPPED
    empty: str = message("No period to show: none is held whole by the records.")
    judged: str = "growth"
    marks_after: bool = False

    def marked(self, text: str) -> tuple[str, str]:
        """Mark and figure of a cell that has both, in the order in which they stand."""
        first, _, last = text.strip().rpartition(" ") if self.marks_after else text.strip().partition(" ")
        return first.strip(), last.strip()

    def cut(self, most: int | None, formats: Formats, of: int = 0) -> TableSpec:
        """At most so many rows, said below; `of`: how many rows there are in all, where not all came here."""
        if most is None or max(len(self.rows), of) <= most:
            return self
        rows = self.rows[:most]
        counts = (formats.number(n, 0) for n in (len(rows), max(len(self.rows), of)))
        said = formats.say("{n} of {many} rows shown", **dict(zip(("n", "many"), counts)))
        return replace(self, rows=rows, lines=(said, *self.lines))

    def told(self, way: Callable[[str], str]) -> TableSpec:
        """The same table with each of its texts put in another way."""
        return replace(
            self,
            title=way(self.title),
            unit=way(self.unit),
            headings={column: way(text) for column, text in self.headings.items()},
            rows=tuple(
                replace(row, cells={column: way(text) for column, text in row.cells.items()}) for row in self.rows
            ),
            lines=tuple(map(way, self.lines)),
            empty=way(self.empty),
        )

    def width(self, column: str) -> int:
        """The widest cell of a column."""
        cells = (cell_len(self.cell(row, column)) for row in self.rows)
        return max([cell_len(self.headings[column]), *cells])

    def cell(self, row: Row, column: str) -> str:
        """What stands in a cell, an item indented."""
        text = row.cells.get(column, "")
        return "  " * row.depth + text if column.startswith("dim:") else text
