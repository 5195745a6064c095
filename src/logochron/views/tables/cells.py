"""Tables for people: rows of typed cells. Whoever draws one lays it out, and asks nothing of its texts or names."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from itertools import groupby
from typing import Any, Literal, NamedTuple

from numpy.typing import NDArray
from rich.cells import cell_len

from logochron.core.rows.question_types import SheetFormulas
from logochron.views.catalog import message
from logochron.views.formats import Formats

#: What a cell holds. Texts: ``period`` and what stands beside it (``when``), ``item``, ``text``, ``note``; ``day``;
#: figures, as columns of answers have them; ``bar``, a part drawn; ``spark``, a small line.
CellKind = Literal[
    "period", "when", "item", "text", "note", "day",
    "amount", "difference", "count", "part", "change", "points",
    "bar", "spark",
]  # fmt: skip
FIGURES: frozenset[CellKind] = frozenset({"amount", "difference", "count", "part", "change", "points"})
#: Those that stand in the first row of each period only.
OPENING: tuple[CellKind, ...] = ("period", "when")


_PALE: frozenset[CellKind] = frozenset({"note", "when", "spark"})


class Cell(NamedTuple):
    """One cell.

    Attributes
    ----------
    kind
        What it holds.
    text
        What people read, without its mark; of a small line signs that look like one.
    value
        The figure unrounded, NaN where it is unknown; a day by its number; None where it holds none.
    mark, verdict
        The sign beside the figure, and whose color both have; empty where there is none.
    bar
        The part that is drawn, NaN where nothing is.
    spark
        The values of a small line.
    depth
        How far an item is indented below its subtotals.
    """

    kind: CellKind
    text: str = ""
    value: float | None = None
    mark: str = ""
    verdict: str = ""
    bar: float = float("nan")
    spark: tuple[float, ...] = ()
    depth: int = 0

    @property
    def is_figure(self) -> bool:
        """Whether it stands right-aligned below its like."""
        return self.kind in FIGURES


class TableColumn(NamedTuple):
    """A column of a table.

    Attributes
    ----------
    name
        That of the answer's column where it shows one.
    heading, kind
        What stands above it, and what its cells hold unless they say otherwise.
    firm
        Whether its texts are never cut.
    marked
        Whether its figures have marks.
    decimals
        Those of its amounts.
    form
        ``people`` leaves it out of workbooks, ``sheet`` shows it there alone.
    least, aside
        So many signs its figures take at least; whether they stand beside others, and are written pale.
    group
        What stands above it and those beside it that have the same one; empty where nothing does. All groups of a
        table have the same columns, in the same order.
    figure, of
        Where several columns show one column of the answer: which, and of what, such as ``("window", "year")``.
    """

    name: str
    heading: str
    kind: CellKind
    firm: bool = False
    marked: bool = False
    decimals: int = 0
    form: Literal["all", "people", "sheet"] = "all"
    least: int = 0
    aside: bool = False
    group: str = ""
    figure: str = ""
    of: tuple[tuple[str, str], ...] = ()

    @property
    def is_figure(self) -> bool:
        """Whether it is aligned right."""
        return self.kind in FIGURES

    @property
    def pale(self) -> bool:
        """Whether it stands beside others, and is written pale."""
        return self.aside or self.kind in _PALE


class RowSource(NamedTuple):
    """Where a row comes from: the columns of an answer, and its place in them."""

    columns: Mapping[str, NDArray[Any]]
    i: int


@dataclass(frozen=True)
class Row:
    """One row: its cells by column, and whether it is a total, adds up the rows that follow it, or starts a group.

    `set_off`: a line stands above it.
    """

    cells: Mapping[str, Cell]
    total: bool = False
    subtotal: bool = False
    starts: bool = False
    set_off: bool = False
    source: RowSource | None = None

    @property
    def strong(self) -> bool:
        """Whether it adds others up."""
        return self.total or self.subtotal

    @cached_property
    def depth(self) -> int:
        """How far its item is indented."""
        return max((cell.depth for cell in self.cells.values()), default=0)

    def text(self, column: str) -> str:
        """What stands in a cell, nothing where there is none."""
        return self.cells[column].text if column in self.cells else ""

    def value(self, column: str) -> float:
        """The figure of a cell, NaN where there is none."""
        value = self.cells[column].value if column in self.cells else None
        return float("nan") if value is None else value


class Shown(NamedTuple):
    """How much of an answer a table shows, the latest: so many rows at most, of so many periods; all where None.

    `sparks`: a small line of the last periods in each row; `excerpts`: tables that only stand in texts, too; `once`:
    what holds for most rows is left to the lines below.
    """

    rows: int | None = None
    periods: int | None = None
    sparks: bool = False
    excerpts: bool = True
    once: bool = False


ALL = Shown()
#: So many heads that span columns stand side by side where width is bounded, over so many columns each.
_MOST_GROUPS, _MOST_OF_GROUP = 3, 3
#: Cells between two columns of signs.
GAP = 2
#: What a narrow place goes without, group by group; never growth.
DROPPED: tuple[tuple[str, ...], ...] = (
    *(("when",), ("note",), ("bar",), ("spark",), ("share",), ("advice",), ("volume", "mix", "price")),
    *(
        ("change", "gap"),
        ("base", "reference"),
        ("reference_item",),
        ("ratio_before",),
        ("band",),
        ("count",),
        ("days",),
    ),
)


@dataclass(frozen=True)
class TableSpec:
    """A table: title, unit, columns in order, rows, lines below.

    Attributes
    ----------
    columns
        All of them; those for workbooks alone too.
    dropped
        What a narrow place goes without, group by group.
    empty
        What is said where there is no row.
    marks_after, marks_width
        Whether marks stand behind their figures, and how many signs the widest takes.
    dropped_said
        What is said where columns are left out, with their number ``{n}``; nothing where empty.
    of_groups
        What the groups of its columns are, as a heading.
    in_percent
        Whether its amounts are parts, read in percent.
    formulas
        How its figures follow from others in a workbook; those of its question where None.
    excerpt
        Whether it shows a part of the answer, for where its figure does not stand beside it.
    """

    title: str
    unit: str
    columns: tuple[TableColumn, ...]
    rows: tuple[Row, ...]
    lines: tuple[str, ...]
    dropped: tuple[tuple[str, ...], ...] = DROPPED
    empty: str = message("No period to show: none is held whole by the records.")
    marks_after: bool = False
    marks_width: int = 0
    dropped_said: str = ""
    of_groups: str = ""
    in_percent: bool = False
    formulas: SheetFormulas | None = None
    excerpt: bool = field(default=False)

    @cached_property
    def shown(self) -> tuple[TableColumn, ...]:
        """The columns that people see."""
        return tuple(column for column in self.columns if column.form != "sheet")

    @cached_property
    def groups(self) -> dict[str, list[TableColumn]]:
        """The columns that people see under each head that spans some; empty where none does."""
        groups: dict[str, list[TableColumn]] = {}
        for column in self.shown:
            if column.group:
                groups.setdefault(column.group, []).append(column)
        return groups

    @property
    def too_wide(self) -> bool:
        """Whether more stands side by side than one picture or page shows well: three windows of two bases."""
        widest = max(map(len, self.groups.values()), default=0)
        return bool(self.groups) and (len(self.groups) > _MOST_GROUPS or widest > _MOST_OF_GROUP)

    def spans(self) -> list[tuple[str, int]]:
        """The heads that span columns, each with how many; an empty one over those without. Empty where none has."""
        runs = [(group, len(list(of))) for group, of in groupby(self.shown, key=lambda column: column.group)]
        return runs if self.groups else []

    def below(self) -> TableSpec:
        """The same table with its groups below each other, a row for each in every row: for where width lacks."""
        first, *_ = self.groups.values()
        named = TableColumn("group", self.of_groups, "text", firm=True)
        columns = [column for column in self.shown if not column.group]
        place = next((n for n, column in enumerate(columns) if column.kind not in ("item", "period")), len(columns))
        columns[place:place] = [named, *(column._replace(group="") for column in first)]
        rows = []
        for row in self.rows:
            beside = {name: cell for name, cell in row.cells.items() if cell.kind in ("item", "period")}
            others = {c.name: row.cells[c.name] for c in columns if c.name in row.cells and c not in first}
            for n, (group, of_group) in enumerate(self.groups.items()):
                figures = {to.name: row.cells[of.name] for to, of in zip(first, of_group) if of.name in row.cells}
                opening = others if not n else {name: cell._replace(text="") for name, cell in beside.items()}
                cells = {**opening, "group": Cell("text", group), **figures}
                last = n == len(self.groups) - 1
                one = replace(row, cells=cells, starts=not n, set_off=row.set_off and not n)
                rows.append(replace(one, total=row.total and last, subtotal=row.strong))
        return replace(self, columns=tuple(columns), rows=tuple(rows))

    @property
    def has_periods(self) -> bool:
        """Whether its rows are of periods."""
        return any(column.kind == "period" for column in self.columns)

    def setting_off(self) -> TableSpec:
        """The same table with a line above its total, where it has one that closes it."""
        totals = [row for row in self.rows if row.total]
        if len(totals) != 1 or len(self.rows) < 2 or not self.rows[-1].total:
            return self
        return replace(self, rows=(*self.rows[:-1], replace(self.rows[-1], set_off=True)))

    def cut(self, most: int | None, formats: Formats, of: int = 0) -> TableSpec:
        """At most so many rows, said below; `of`: how many rows there are in all, where not all came here."""
        if most is None or max(len(self.rows), of) <= most:
            return self
        rows = self.rows[:most]
        counts = (formats.number(n, 0) for n in (len(rows), max(len(self.rows), of)))
        said = formats.say("{n} of {many} rows shown", **dict(zip(("n", "many"), counts)))
        return replace(self, rows=rows, lines=(said, *self.lines))

    def mapped(self, way: Callable[[str], str]) -> TableSpec:
        """The same table with each of its texts put in another way."""

        def cells(of: Mapping[str, Cell]) -> dict[str, Cell]:
            return {name: cell._replace(text=way(cell.text), mark=way(cell.mark)) for name, cell in of.items()}

        return replace(
            self,
            title=way(self.title),
            unit=way(self.unit),
            columns=tuple(c._replace(heading=way(c.heading), group=way(c.group)) for c in self.columns),
            rows=tuple(replace(row, cells=cells(row.cells)) for row in self.rows),
            lines=tuple(map(way, self.lines)),
            empty=way(self.empty),
        )

    def beside(self, cell: Cell) -> str:
        """What people read of a cell: figure and mark in their order."""
        return " ".join(filter(None, (cell.text, cell.mark) if self.marks_after else (cell.mark, cell.text)))

    def laid(self, row: Row, column: TableColumn) -> str:
        """A cell as it stands in a column of signs: items indented, marks below marks, figures below figures."""
        cell = row.cells.get(column.name)
        if cell is None:
            return ""
        if not column.marked or not cell.text:
            return "  " * cell.depth + cell.text
        mark = cell.mark + " " * (self.marks_width - cell_len(cell.mark))
        figure = f"{cell.text:>{self._widths[column.name]}}"
        return " ".join((figure, mark) if self.marks_after else (mark, figure)).rstrip()

    @cached_property
    def _widths(self) -> dict[str, int]:
        """How many signs the longest figure of each marked column takes."""
        return {
            column.name: max([column.least, *(len(row.text(column.name)) for row in self.rows)])
            for column in self.columns
            if column.marked
        }

    def width(self, column: TableColumn) -> int:
        """The widest cell of a column; the first one of a group makes room for the head above all of them."""
        if column.name not in self._widest:
            texts = (self.laid(row, column) for row in self.rows)
            widest = max([cell_len(column.heading), *map(cell_len, texts)])
            of_group = self.groups.get(column.group, [])
            if of_group and column.name == of_group[0].name:
                others = sum(GAP + self.width(other) for other in of_group[1:])
                widest = max(widest, cell_len(column.group) - others)
            self._widest[column.name] = widest
        return self._widest[column.name]

    @cached_property
    def _widest(self) -> dict[str, int]:
        return {}

    def heads(self, widths: Mapping[str, int], columns: Sequence[TableColumn], rule: str) -> str:
        """The line of the heads that span columns, each drawn out to its last one; empty where there are none."""
        if not any(column.group for column in columns):
            return ""
        line, place = "", 0
        for n, column in enumerate(columns):
            if column.group and (not n or columns[n - 1].group != column.group):
                of_group = [other for other in columns if other.group == column.group]
                span = sum(widths[other.name] for other in of_group) + GAP * (len(of_group) - 1)
                line += " " * (place - cell_len(line)) + column.group
                line += (" " + rule * (span - cell_len(column.group) - 1)) if span > cell_len(column.group) + 1 else ""
            place += widths[column.name] + GAP
        return line
