"""The rows of an answer in the order in which people read them: items, below their subtotals where there are any."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.book.measures import Measure
from logochron.core.rows.answer import Answer
from logochron.views.formats import Formats, capital, fitting_decimals, of_measure, plural, shortened, words

Columns = Mapping[str, NDArray[Any]]


class Line(NamedTuple):
    """A row to come: where its figures stand, what its item is called, how far it is indented."""

    columns: Columns
    i: int
    label: tuple[str, ...]
    depth: int = 0
    subtotal: bool = False
    total: bool = False


def is_tree(result: Answer) -> bool:
    """Whether items stand indented under their subtotals: not where `top` takes single ones out."""
    return len(result.by) > 1 and result.lined.top is None


def item_headings(result: Answer) -> dict[str, str]:
    """The headings of the columns that name items."""
    names = [capital(words(name)) for name in result.by]
    if is_tree(result):
        return {"dim:items": " / ".join(names)}
    return {f"dim:{name}": heading for name, heading in zip(result.by, names)}


def item_cells(result: Answer, line: Line) -> dict[str, str]:
    """The cells that name the item of a row."""
    texts = line.label if line.total else tuple(map(shortened, line.label))
    return dict(zip(item_headings(result), texts))


def decimals_of(result: Answer, measure: Measure, formats: Formats, base: str = "base", change: str = "change") -> int:
    """How many decimals the amounts of a measure need, in its rows and totals alike.

    Parameters
    ----------
    base, change
        The columns beside `value` whose figures are shown, and whose differences shall be seen.
    """
    if formats.decimals is not None:
        return formats.decimals
    table, total = of_measure(result.columns, measure.name), of_measure(result.total_columns, measure.name)
    shown = np.concatenate([total["value"], total[base], table["value"], table[base]])
    return fitting_decimals(shown, (table if change == "gap" else total)[change], result.book.decimals(measure.name))


def growth_of(line: Line, formats: Formats) -> str:
    """The growth of a row; level spelled out where it has none, as its base is not above 0."""
    growth = line.columns["growth"][line.i]
    level = line.columns["direction"][line.i] == "level" and not np.isfinite(growth)
    return "level" if level else formats.growth(growth)


def lines_of(result: Answer, measure: Measure) -> Iterator[list[Line]]:
    """The rows of each period; with items, each closes with its total."""
    table, subtotals, total = (
        of_measure(columns, measure.name)
        for columns in (result.columns, result.subtotal_columns or result.total_columns, result.total_columns)
    )
    if not result.by:
        yield from ([Line(table, i, ())] for i in range(len(table["measure"])))
        return
    everything = f"all {plural(words(result.by[0]))}"
    periods = len(total["measure"])
    parts = [_by_period(one, periods) for one in (table, subtotals)]
    for period in range(periods):
        items, sums = (part[period] for part in parts)
        if is_tree(result):
            found = list(_tree(result.by, table, items, subtotals, sums))
        else:
            found = [Line(table, i, tuple(str(table[name][i]) for name in result.by)) for i in items]
        yield [*found, Line(total, period, (everything, *("" for _ in result.by[1:])), total=True)]


def _by_period(columns: Columns, periods: int) -> list[range]:
    """The rows of each period; of an answer of one period all."""
    if "period" not in columns:
        return [range(len(columns["measure"]))] * periods
    edges = np.searchsorted(columns["period"], np.arange(periods + 1)).tolist()
    return [range(low, high) for low, high in zip(edges, edges[1:])]


def _tree(by: tuple[str, ...], table: Columns, items: range, subtotals: Columns, sums: range) -> Iterator[Line]:
    """Each subtotal with what it adds up indented below it, in the order of the subtotals and of the rows."""
    leaves, branches = _under(by, table, items), _under(by, subtotals, sums)

    def walk(above: tuple[Any, ...]) -> Iterator[Line]:
        for named, i in branches.get(above, ()):
            yield Line(subtotals, i, (str(named[-1]),), len(above), subtotal=True)
            yield from walk(named)
        for named, i in leaves.get(above, ()):
            yield Line(table, i, (str(named[-1]),), len(above))

    yield from walk(())


def _under(by: tuple[str, ...], columns: Columns, rows: range) -> dict[tuple[Any, ...], list[tuple[Any, int]]]:
    """Rows by the labels of the subtotal they belong to, each with its own labels."""
    found: dict[tuple[Any, ...], list[tuple[Any, int]]] = {}
    for i in rows:
        named = tuple(label for name in by if (label := columns[name][i]) is not None)
        found.setdefault(named[:-1], []).append((named, i))
    return found
