"""A comparison as a table for people: plain cells and what they mean, whoever draws them."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.compare import Comparison
from logochron.core.days import to_days
from logochron.core.judging import Judging
from logochron.core.measures import Measure
from logochron.views.formats import Formats, capital, fitting_decimals, of_measure, plural, shortened, words
from logochron.views.marks import Marks, marks_of, padded
from logochron.views.tables import Row, TableSpec
from logochron.views.titles import against_words, base_heading, coverage_line, cut_of, period_label, subject, unit

Columns = Mapping[str, NDArray[Any]]


class _Writing(NamedTuple):
    """How the figures of one measure are written."""

    result: Comparison
    formats: Formats
    decimals: int
    judging: Judging
    marks: Marks
    growth_width: int


class _Line(NamedTuple):
    """A row to come: where its figures stand, what its item is called, how far it is indented."""

    columns: Columns
    i: int
    label: tuple[str, ...]
    depth: int = 0
    subtotal: bool = False
    total: bool = False


def table_spec(result: Comparison, measure: Measure, formats: Formats) -> TableSpec:
    """The table of one measure; with items, each period closes with its total."""
    table, total = of_measure(result.columns, measure.name), of_measure(result.total_columns, measure.name)
    decimals = formats.decimals
    if decimals is None:
        decimals = fitting_decimals(
            np.concatenate([total["value"], total["base"], table["value"]]),
            total["change"],
            result.book.decimals(measure.name),
        )
    judging = result.judgings[measure.name]
    marks = marks_of(judging, formats)
    width = max((len(formats.growth(g)) for one in (table, total) for g in one["growth"]), default=1)
    writing = _Writing(result, formats, decimals, judging, marks, width)
    lines = _lines(result, measure, table, total)
    rows = []
    for period in lines:
        rows += [_row(writing, line, starts=place == 0) for place, line in enumerate(period)]
    shown = {name for row in rows for name, cell in row.cells.items() if cell}
    headings = {
        "period": "Period",
        **_item_headings(result),
        "value": capital(words(measure.name)),
        "base": base_heading(result),
        "change": "Change",
        "growth": "Growth",
        **({"share": "Share", "bar": ""} if result.by and "bar" in shown else {}),
        **({"band": "Band"} if judging.bands else {}),
        **({"advice": "Advice"} if "advice" in shown else {}),
        **({"note": ""} if "note" in shown else {}),
    }
    return TableSpec(
        title=f"{subject(result, measure, split=True)}{formats.dot}against {against_words(result)}",
        unit=unit(measure, formats),
        headings=headings,
        numeric=frozenset({"value", "base", "change", "growth", "share"}),
        rows=tuple(rows),
        lines=(*result.notes, coverage_line(result, formats)),
    )


def is_tree(result: Comparison) -> bool:
    """Whether items stand indented under their subtotals: not where `top` takes single ones out."""
    return len(result.by) > 1 and result.lined.top is None


def _item_headings(result: Comparison) -> dict[str, str]:
    names = [capital(words(name)) for name in result.by]
    if is_tree(result):
        return {"dim:items": " / ".join(names)}
    return {f"dim:{name}": heading for name, heading in zip(result.by, names)}


def _lines(result: Comparison, measure: Measure, table: Columns, total: Columns) -> Iterator[list[_Line]]:
    """The rows of each period, in the order in which they are read."""
    if not result.by:
        yield from ([_Line(table, i, ())] for i in range(len(table["period"])))
        return
    subtotals = of_measure(result.subtotal_columns, measure.name)
    everything = f"all {plural(words(result.by[0]))}"
    parts = [_by_period(one, len(total["period"])) for one in (table, subtotals)]
    for period in range(len(total["period"])):
        items, sums = (part[period] for part in parts)
        if is_tree(result):
            found = list(_tree(result.by, table, items, subtotals, sums))
        else:
            found = [_Line(table, i, tuple(str(table[name][i]) for name in result.by)) for i in items]
        yield [*found, _Line(total, period, (everything, *("" for _ in result.by[1:])), total=True)]


def _by_period(columns: Columns, periods: int) -> list[range]:
    """The rows of each period."""
    edges = np.searchsorted(columns["period"], np.arange(periods + 1)).tolist()
    return [range(low, high) for low, high in zip(edges, edges[1:])]


def _tree(by: tuple[str, ...], table: Columns, items: range, subtotals: Columns, sums: range) -> Iterator[_Line]:
    """Each subtotal with what it adds up indented below it, in the order of the subtotals and of the rows."""
    leaves, branches = _under(by, table, items), _under(by, subtotals, sums)

    def walk(above: tuple[Any, ...]) -> Iterator[_Line]:
        for named, i in branches.get(above, ()):
            yield _Line(subtotals, i, (str(named[-1]),), len(above), subtotal=True)
            yield from walk(named)
        for named, i in leaves.get(above, ()):
            yield _Line(table, i, (str(named[-1]),), len(above))

    yield from walk(())


def _under(by: tuple[str, ...], columns: Columns, rows: range) -> dict[tuple[Any, ...], list[tuple[Any, int]]]:
    """Rows by the labels of the subtotal they belong to, each with its own labels."""
    found: dict[tuple[Any, ...], list[tuple[Any, int]]] = {}
    for i in rows:
        named = tuple(label for name in by if (label := columns[name][i]) is not None)
        found.setdefault(named[:-1], []).append((named, i))
    return found


def _row(writing: _Writing, line: _Line, *, starts: bool) -> Row:
    result, formats, decimals = writing.result, writing.formats, writing.decimals
    table, i = line.columns, line.i
    start, end = (int(to_days(table[name][i])) for name in ("start", "end"))
    status, label = table["status"][i], result.periods[int(table["period"][i])]
    direction, growth = table["direction"][i], formats.growth(table["growth"][i])
    if direction == "level" and not np.isfinite(table["growth"][i]):
        growth = "level"
    band = writing.judging.band(table["band"][i])
    sign = padded(writing.marks.sign(direction, table["band"][i]), writing.marks.width)
    names = ["dim:items"] if is_tree(result) else [f"dim:{name}" for name in result.by]
    period = period_label(result, label, status, start, end, formats) if starts or not result.by else ""
    cells = {
        "period": period,
        **{name: text if line.total else shortened(text) for name, text in zip(names, line.label)},
        "value": formats.number(table["value"][i], decimals),
        "base": formats.number(table["base"][i], decimals),
        "change": formats.number(table["change"][i], decimals, signed=True),
        "growth": writing.marks.beside(sign, f"{growth:>{writing.growth_width}}").rstrip(),
        "share": formats.part(table["share"][i]),
        "bar": "" if line.total else formats.bar(table["share"][i]),
        "band": band.name if band else formats.dash,
        "advice": band.advice if band else "",
        "note": "; ".join(_notes(writing, line, start, end)),
    }  # fmt: skip
    return Row(cells, table["verdict"][i], line.total, starts, line.depth, line.subtotal)


def _notes(writing: _Writing, line: _Line, start: int, end: int) -> list[str]:
    result, formats, table, i = writing.result, writing.formats, line.columns, line.i
    status = table["status"][i]
    notes = [table["note"][i]] if table["note"][i] else []
    cut = not np.isnat(table["base_start"][i]) and status == "to-date" and result.each not in ("day",)
    # with items the days are said once, at the period's total
    if cut and (line.total or not result.by):
        notes.insert(0, cut_of(result, table, i, formats))
    elif status == "partial" and "not recorded" not in table["note"][i] and (line.total or not result.by):
        notes.insert(0, f"{formats.span(start, end, year=False)} only")
    if "unusual" in table and table["unusual"][i]:
        low, high = (formats.growth(table[name][i]) for name in ("usual_low", "usual_high"))
        notes.append(f"unusual: {low} to {high} is ordinary")
    return notes
