"""The rows of an answer in the order in which people read them: items, below their subtotals where there are any."""

from __future__ import annotations

import math
from collections.abc import Collection, Iterator, Mapping, Sequence
from itertools import islice
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.book.measures import Measure
from logochron.core.choices import OTHERS
from logochron.core.days import as_date, to_days
from logochron.core.rows.answer import AlignedAnswer
from logochron.core.rows.figures import Floats
from logochron.core.rows.question_types import Column, ColumnKind
from logochron.core.rows.result import Blocks
from logochron.views.formats import Formats, capital, noun, shortened
from logochron.views.marks import Marks
from logochron.views.tables.cells import ALL, Cell, CellKind, Row, RowSource, Shown, TableColumn
from logochron.views.words.titles import beside_label, column_words, period_label

Table = Mapping[str, NDArray[Any]]
#: What a cell holds, by what the column of an answer does.
_KINDS: Mapping[ColumnKind, CellKind] = {
    **{"label": "text", "word": "text", "truth": "text", "text": "text", "period": "period", "day": "day"},
    **{"days": "count", "count": "count", "amount": "amount", "difference": "difference"},
    **{"part": "part", "change": "change", "points": "points"},
}


def rows_of(result: AlignedAnswer, columns: Blocks, measure: Measure | None = None) -> dict[str, NDArray[Any]]:
    """Rows by column, those of one measure or all: words and labels as texts, and `notes` as codes."""
    if measure is not None:
        columns = result.of_measure(columns, measure)
    rows = {
        name: result.texts(columns, name) if result.type.holds(name) in ("word", "label", "text") else columns[name]
        for name in columns
    }
    if "note" not in columns:
        return rows
    known, places = result.note_table, columns["note"]
    notes = np.fromiter((known[place] for place in places.tolist()), dtype=object, count=len(places))
    return rows | {"notes": notes}


class Line(NamedTuple):
    """A row to come: where its figures stand, what its item is called, how far it is indented."""

    columns: Table
    i: int
    label: tuple[str, ...]
    depth: int = 0
    subtotal: bool = False
    total: bool = False

    def of(self, name: str) -> Any:
        """What a column of the answer holds of it."""
        return self.columns[name][self.i]

    def row(self, cells: Mapping[str, Cell], *, starts: bool = False) -> Row:
        """The row of a table, with these cells."""
        return Row(cells, self.total, self.subtotal, starts, source=RowSource(self.columns, self.i))


def is_tree(result: AlignedAnswer) -> bool:
    """Whether items stand indented under their subtotals: not where `top` takes single ones out."""
    return len(result.by) > 1 and result.top is None


#: What parts the name of a dimension's column from those of the answer's own.
_ITEM = "dim:"


def item_columns(result: AlignedAnswer, formats: Formats) -> list[TableColumn]:
    """The columns that name items: one of all dimensions where they stand below each other."""
    names = [capital(noun(name, formats.language)) for name in result.by]
    if is_tree(result):
        return [TableColumn(_ITEM + "items", " / ".join(names), "item")]
    return [TableColumn(_ITEM + name, heading, "item") for name, heading in zip(result.by, names)]


def item_cells(columns: Sequence[TableColumn], line: Line) -> dict[str, Cell]:
    """The cells that name the item of a row."""
    texts = line.label if line.total else tuple(map(shortened, line.label))
    return {
        column.name: Cell("item", text, depth=line.depth)
        for column, text in zip(columns, texts)
        if column.kind == "item"
    }


def opening_columns(formats: Formats, filled: Collection[str]) -> list[TableColumn]:
    """The columns that name the period of a row: its first and last day stand in workbooks."""
    days = (TableColumn(name, column_words(name, formats), "day", form="sheet") for name in ("start", "end"))
    beside = [TableColumn("when", "", "when", form="people")] if "when" in filled else []
    return [TableColumn("period", column_words("period", formats), "period", firm=True), *days, *beside]


def opening_cells(result: AlignedAnswer, line: Line, formats: Formats, *, starts: bool) -> dict[str, Cell]:
    """The days of a row's period; its name too where the row starts one."""
    start, end = (int(to_days(line.of(name))) for name in ("start", "end"))
    cells = {name: Cell("day", str(as_date(day)), day) for name, day in (("start", start), ("end", end))}
    if not starts:
        return cells
    label, status = result.periods[int(line.of("period"))], str(line.of("status"))
    return cells | {
        "period": Cell("period", period_label(result, label, status, start, end, formats)),
        "when": Cell("when", beside_label(result, start, end, status, formats)),
    }


#: Of a measure in percent: its figures are parts, their differences points.
_IN_PERCENT: Mapping[CellKind, CellKind] = {"amount": "part", "difference": "points"}


class FigureCells:
    """The figures of rows as cells, each column of a table of rows written once as a whole."""

    def __init__(self, result: AlignedAnswer, formats: Formats, decimals: int, measure: Measure | None = None) -> None:
        self.result, self.formats, self.decimals = result, formats, decimals
        self.in_percent = measure is not None and measure.in_percent
        self._texts: dict[tuple[int, str], list[str]] = {}
        self._tables: list[Table] = []  # held, so that no other one gets the name of one of them

    def column(self, name: str, heading: str | None = None, **more: Any) -> TableColumn:
        """The column of the table that shows one of the answer."""
        of = self.result.type.column(name)
        planned = getattr(self.result, "plan", None) is not None
        heading = column_words(of, self.formats, planned=planned) if heading is None else heading
        return TableColumn(name, heading, self.kind(name), decimals=self.decimals, **more)

    def kind(self, name: str) -> CellKind:
        """What the cells of a column of the answer hold."""
        kind = _KINDS[self.result.type.holds(name)]
        return _IN_PERCENT.get(kind, kind) if self.in_percent else kind

    @property
    def judged_column(self) -> str:
        """The column whose figures are told by marks: the growth, or of percent the change in points."""
        return "change" if self.in_percent else "growth"

    def cell(self, line: Line, name: str, *, decimals: int | None = None) -> Cell:
        """A cell of a row; a column of other `decimals` than the table has the same ones in all its cells."""
        kind = self.kind(name)
        key = id(line.columns), name
        if key not in self._texts:
            self._tables.append(line.columns)
            decimals = self.decimals if decimals is None else decimals
            of_percent = decimals if kind != _KINDS[self.result.type.holds(name)] else 1
            self._texts[key] = figure_texts(kind, line.columns[name], self.formats, decimals, of_percent)
        return Cell(kind, self._texts[key][line.i], float(line.of(name)))

    def cells(self, line: Line, names: Sequence[str]) -> dict[str, Cell]:
        """Several cells of a row."""
        return {name: self.cell(line, name) for name in names}

    def judged(self, line: Line, marks: Marks) -> Cell:
        """The growth of a row (of percent its change) with its mark and verdict; level spelled out where it is so."""
        cell, direction, verdict = (
            self.cell(line, self.judged_column),
            str(line.of("direction")),
            str(line.of("verdict")),
        )
        band = line.of("band") if "band" in line.columns else None
        if cell.value == 0 or _is_plain_level(float(line.of(self.judged_column)), direction):
            cell = cell._replace(text=self.formats.say("level"))
        return cell._replace(mark=marks.sign(direction, verdict, band), verdict=verdict)


def cell_kind(column: Column) -> CellKind:
    """What the cells of a column of an answer hold."""
    return _KINDS[column.kind]


def figure_text(column: Column, value: float, formats: Formats, decimals: int) -> str:
    """One figure of a column of an answer as people read it."""
    return figure_texts(_KINDS[column.kind], np.array([value]), formats, decimals)[0]


def figure_texts(
    kind: CellKind, values: NDArray[Any], formats: Formats, decimals: int, of_percent: int = 1
) -> list[str]:
    """A column of figures as people read them: amounts with so many decimals, what is in percent with others."""
    values = np.asarray(values, dtype=np.float64)
    if kind == "part":
        return formats.parts(values, of_percent)
    if kind == "change":
        return formats.growths(values)
    if kind == "points":
        return formats.numbers(values * 100, of_percent, signed=True)
    return formats.numbers(values, 0 if kind == "count" else decimals, signed=kind == "difference")


def growth_or_level(growth: float, direction: str, formats: Formats) -> str:
    """A growth; level spelled out where it has none, as its base is not above 0."""
    return formats.say("level") if _is_plain_level(growth, direction) else formats.growth(growth)


def moved_text(measure: Measure, growth: float, change: float, direction: str, formats: Formats) -> str:
    """How a figure moved: its growth, or of percent the points; level spelled out."""
    if not measure.in_percent:
        return growth_or_level(growth, direction, formats)
    return formats.say("level") if change == 0 else formats.points_told(change, signed=True)


def moved_figures(measure: Measure, rows: Table) -> Floats:
    """What tells how the figures of rows moved: their growth, or of percent their change."""
    figures: Floats = rows["change" if measure.in_percent else "growth"]
    return figures


def moved_texts(measure: Measure, rows: Table, formats: Formats) -> list[str]:
    """How the figures of rows moved, as figures show it: growths, or points with their unit short."""
    moved = moved_figures(measure, rows)
    if not measure.in_percent:
        return formats.growths(moved)
    texts = formats.numbers(moved * 100, 1, signed=True)
    pairs = zip(moved.tolist(), texts)
    level, short = formats.say("level"), formats.say("{n} pts", n="{}")
    return [level if not one else short.format(text) if math.isfinite(one) else text for one, text in pairs]


def _is_plain_level(growth: float, direction: str) -> bool:
    return direction == "level" and not math.isfinite(growth)


def lines_of(result: AlignedAnswer, measure: Measure, formats: Formats, shown: Shown = ALL) -> Iterator[list[Line]]:
    """The rows of each period; with items, each closes with its total.

    `shown`: only the latest periods, that have so many rows together; of the last one the first rows and the total.
    """
    parts = [result.columns, result.subtotal_columns or result.total_columns, result.total_columns]
    most = shown.rows
    low = 0 if most is None else _latest(result, measure, most)
    if shown.periods is not None:
        low = max(low, len(result.periods) - shown.periods)
    table, subtotals, total = (rows_of(result, columns.between(low, len(result.periods)), measure) for columns in parts)
    if not result.by:
        yield from ([Line(table, i, ())] for i in range(len(table["measure"])))
        return
    periods = len(total["measure"])
    items_of, sums_of = (_by_period(result, one, periods) for one in (table, subtotals))
    sorted_by_size = result.selection.sort is None and not result.in_own_order
    if len(result.periods) == 1 and sorted_by_size and not result.type.has_column("position"):
        # of one period the largest stand first
        items_of = [by_size(result, table, rows) for rows in items_of]
        sums_of = [by_size(result, subtotals, rows) for rows in sums_of]
    for period in range(periods):
        yield list(
            item_lines(result, table, items_of[period], subtotals, sums_of[period], total, period, formats, most)
        )


def by_size(result: AlignedAnswer, columns: Table, rows: Sequence[int]) -> list[int]:
    """Rows from the largest figure down, what gathers others last."""
    if result.type.value not in columns or not len(rows):
        return list(rows)
    places = np.asarray(rows)
    labels = columns[result.by[0]][places]
    gathered = np.array([label == OTHERS for label in labels.tolist()]) if result.top else np.zeros(len(places))
    sizes = np.nan_to_num(np.asarray(columns[result.type.value][places], dtype=np.float64), nan=-np.inf)
    order: list[int] = places[np.lexsort((-sizes, gathered))].tolist()
    return order


def item_lines(
    result: AlignedAnswer,
    table: Table,
    items: Sequence[int],
    subtotals: Table,
    sums: Sequence[int],
    total: Table,
    place: int,
    formats: Formats,
    most: int | None = None,
) -> Iterator[Line]:
    """Items, below their subtotals where there are such, and the total at a place.

    `items`, `sums`: where they stand in their tables; `most`: so many rows at most, the total among them.
    """
    if not result.by:
        yield Line(total, place, ())
        return
    if is_tree(result):
        lines = _tree(result.by, table, items, subtotals, sums)
    else:
        lines = (Line(table, i, tuple(str(table[name][i]) for name in result.by)) for i in items)
    yield from islice(lines, None if most is None else most - 1)
    yield Line(total, place, (formats.say("Total"), *("" for _ in result.by[1:])), total=True)


def _latest(result: AlignedAnswer, measure: Measure, most: int) -> int:
    """The first of the latest periods that have `most` rows together."""
    parts = {id(c): c for c in (result.columns, result.subtotal_columns, result.total_columns)}
    shapes = [block.shape for columns in parts.values() for block in result.of_measure(columns, measure).blocks]
    rows = sum(items for _, items in shapes)
    return max(0, len(result.periods) - max(1, most // max(rows, 1)))


def _by_period(result: AlignedAnswer, columns: Table, periods: int) -> Sequence[Sequence[int]]:
    """The rows of each period; of an answer of one period all."""
    if not result.type.has_column("period"):
        return [range(len(columns["measure"]))] * periods
    first = int(columns["period"][0]) if len(columns["period"]) else 0
    edges = np.searchsorted(columns["period"], np.arange(first, first + periods + 1)).tolist()
    return [range(low, high) for low, high in zip(edges, edges[1:])]


def _tree(
    by: tuple[str, ...], table: Table, items: Sequence[int], subtotals: Table, sums: Sequence[int]
) -> Iterator[Line]:
    """Each subtotal with what it adds up indented below it, in the order of the subtotals and of the rows."""
    leaves, branches = _under(by, table, items), _under(by, subtotals, sums)

    def walk(above: tuple[Any, ...]) -> Iterator[Line]:
        for named, i in branches.get(above, ()):
            yield Line(subtotals, i, (str(named[-1]),), len(above), subtotal=True)
            yield from walk(named)
        for named, i in leaves.get(above, ()):
            yield Line(table, i, (str(named[-1]),), len(above))

    yield from walk(())


def _under(by: tuple[str, ...], columns: Table, rows: Sequence[int]) -> dict[tuple[Any, ...], list[tuple[Any, int]]]:
    """Rows by the labels of the subtotal they belong to, each with its own labels."""
    by_parent: dict[tuple[Any, ...], list[tuple[Any, int]]] = {}
    for i in rows:
        named = tuple(label for name in by if (label := columns[name][i]) is not None)
        by_parent.setdefault(named[:-1], []).append((named, i))
    return by_parent
