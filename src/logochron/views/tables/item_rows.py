"""The rows of an answer in the order in which people read them: items, below their subtotals where there are any."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from itertools import islice
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.book.measures import Measure
from logochron.core.rows.answer import AlignedAnswer
from logochron.core.rows.blocks import Blocks
from logochron.core.rows.columns import has_column, kind_of
from logochron.views.catalog import everything
from logochron.views.decimals import fitting_decimals
from logochron.views.formats import Formats, capital, shortened, words
from logochron.views.tables.spec import ALL, RowSource, Shown

Table = Mapping[str, NDArray[Any]]


def rows_of(result: AlignedAnswer, columns: Blocks, measure: Measure | None = None) -> dict[str, NDArray[Any]]:
    """Rows by column, those of one measure or all: words and labels as texts, and `notes` as codes."""
    if measure is not None:
        columns = result.of_measure(columns, measure)
    made = {
        name: result.texts(columns, name) if kind_of(result.kind, name) in ("word", "label", "text") else columns[name]
        for name in columns
    }
    notes = np.empty(len(result.note_table), dtype=object)
    notes[:] = result.note_table
    return made | {"notes": notes[columns["note"]]} if columns else made


class Line(NamedTuple):
    """A row to come: where its figures stand, what its item is called, how far it is indented."""

    columns: Table
    i: int
    label: tuple[str, ...]
    depth: int = 0
    subtotal: bool = False
    total: bool = False

    @property
    def source(self) -> RowSource:
        """The row of the answer."""
        return RowSource(self.columns, self.i)

    def figures(self, *names: str, **renamed: str) -> dict[str, float]:
        """Figures of the row by the column of the table that shows them: of the same name, or of another."""
        of = dict(zip(names, names)) | renamed
        return {shown: float(self.columns[name][self.i]) for shown, name in of.items()}


def is_tree(result: AlignedAnswer) -> bool:
    """Whether items stand indented under their subtotals: not where `top` takes single ones out."""
    return len(result.by) > 1 and result.top is None


def item_headings(result: AlignedAnswer) -> dict[str, str]:
    """The headings of the columns that name items."""
    names = [capital(words(name)) for name in result.by]
    if is_tree(result):
        return {"dim:items": " / ".join(names)}
    return {f"dim:{name}": heading for name, heading in zip(result.by, names)}


def item_cells(result: AlignedAnswer, line: Line) -> dict[str, str]:
    """The cells that name the item of a row."""
    texts = line.label if line.total else tuple(map(shortened, line.label))
    return dict(zip(item_headings(result), texts))


def decimals_of(
    result: AlignedAnswer,
    measure: Measure,
    formats: Formats,
    base: str = "base",
    change: str = "change",
    value: str = "value",
) -> int:
    """How many decimals the amounts of a measure need, in its rows and totals alike.

    Parameters
    ----------
    base, change, value
        The columns whose figures are shown: beside the value, whose differences shall be seen, and the value itself.
    """
    if formats.decimals is not None:
        return formats.decimals
    table, total = (result.of_measure(c, measure) for c in (result.columns, result.total_columns))
    shown = np.concatenate([total[value], total[base], table[value], table[base]])
    return fitting_decimals(shown, (table if change == "gap" else total)[change], result.book.decimals(measure.name))


def growth_of(line: Line, formats: Formats) -> str:
    """The growth of a row."""
    return growth_or_level(line.columns["growth"][line.i], line.columns["direction"][line.i], formats)


def growth_or_level(growth: float, direction: str, formats: Formats) -> str:
    """A growth; level spelled out where it has none, as its base is not above 0."""
    return formats.say("level") if direction == "level" and not np.isfinite(growth) else formats.growth(growth)


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
    named = everything(words(result.by[0]), formats.language)
    periods = len(total["measure"])
    items_of, sums_of = (_by_period(result, one, periods) for one in (table, subtotals))
    for period in range(periods):
        items, sums = items_of[period], sums_of[period]
        if is_tree(result):
            found = _tree(result.by, table, items, subtotals, sums)
        else:
            found = (Line(table, i, tuple(str(table[name][i]) for name in result.by)) for i in items)
        yield [
            *islice(found, None if most is None else most - 1),
            Line(total, period, (named, *("" for _ in result.by[1:])), total=True),
        ]


def _latest(result: AlignedAnswer, measure: Measure, most: int) -> int:
    """The first of the latest periods that have `most` rows together."""
    parts = {id(c): c for c in (result.columns, result.subtotal_columns, result.total_columns)}
    shapes = [block.shape for columns in parts.values() for block in result.of_measure(columns, measure).blocks]
    rows = sum(items for _, items in shapes)
    return max(0, len(result.periods) - max(1, most // max(rows, 1)))


def _by_period(result: AlignedAnswer, columns: Table, periods: int) -> list[range]:
    """The rows of each period; of an answer of one period all."""
    if not has_column(result.kind, "period"):
        return [range(len(columns["measure"]))] * periods
    first = int(columns["period"][0]) if len(columns["period"]) else 0
    edges = np.searchsorted(columns["period"], np.arange(first, first + periods + 1)).tolist()
    return [range(low, high) for low, high in zip(edges, edges[1:])]


def _tree(by: tuple[str, ...], table: Table, items: range, subtotals: Table, sums: range) -> Iterator[Line]:
    """Each subtotal with what it adds up indented below it, in the order of the subtotals and of the rows."""
    leaves, branches = _under(by, table, items), _under(by, subtotals, sums)

    def walk(above: tuple[Any, ...]) -> Iterator[Line]:
        for named, i in branches.get(above, ()):
            yield Line(subtotals, i, (str(named[-1]),), len(above), subtotal=True)
            yield from walk(named)
        for named, i in leaves.get(above, ()):
            yield Line(table, i, (str(named[-1]),), len(above))

    yield from walk(())


def _under(by: tuple[str, ...], columns: Table, rows: range) -> dict[tuple[Any, ...], list[tuple[Any, int]]]:
    """Rows by the labels of the subtotal they belong to, each with its own labels."""
    found: dict[tuple[Any, ...], list[tuple[Any, int]]] = {}
    for i in rows:
        named = tuple(label for name in by if (label := columns[name][i]) is not None)
        found.setdefault(named[:-1], []).append((named, i))
    return found
