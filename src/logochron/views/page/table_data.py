"""Tables as plain data for the page: heads, rows with their figures in full, what stands below."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.errors import visible
from logochron.core.options import OTHERS
from logochron.core.questions.relate import JOINED
from logochron.core.rows.answer import AlignedAnswer
from logochron.core.rows.result import Result
from logochron.views.formats import Formats
from logochron.views.page.pool import Pool
from logochron.views.tables.answer_tables import tables_of
from logochron.views.tables.cells import ALL, OPENING, Cell, Row, Shown, TableColumn, TableSpec
from logochron.views.words.titles import coverage_line

#: The kinds of columns that hold texts.
_TEXTS = frozenset({"label", "period", "word", "text"})
#: Names of columns in the page: what is told of every item and what it is held against have the same everywhere.
_ATTRIBUTES = {
    "running": "value",
    "reference": "base",
    "gap": "change",
    "contribution": "points",
    "ratio_before": "before",
    "ratio_change": "growth",
}

#: A label for each dimension, None where it is added up, or all are wanted.
RowLabels = tuple[str | None, ...]


class KeptRow(NamedTuple):
    """A row of a table with its labels by dimension (None: added up) and the place of its period."""

    row: Row
    labels: RowLabels
    place: int


@dataclass(frozen=True, eq=False)
class KeptTable:
    """The table of one measure of an answer: its head, its rows by period, and where those stand that are written.

    `opened`: by period the cells that stand in its first row, and that row as a file has it.
    """

    spec: TableSpec
    measure: str
    periods: Mapping[int, Sequence[KeptRow]]
    written: dict[int, int] = field(default_factory=dict)
    opened: dict[int, tuple[list[str], Sequence[str]]] = field(default_factory=dict)
    _saved: dict[int, list[tuple[str, ...]]] = field(default_factory=dict)
    _found: dict[tuple[bool, ...], dict[RowLabels, list[int]]] = field(default_factory=dict)

    @cached_property
    def rows(self) -> list[KeptRow]:
        """All rows, period by period."""
        return [row for rows in self.periods.values() for row in rows]

    @cached_property
    def _totals(self) -> list[int]:
        return [n for n, kept in enumerate(self.rows) if kept.row.total]

    def saved(self, answer: Result, kept: KeptRow) -> Sequence[str]:
        """A row as a file of the answer has it; nothing of a line that is no such row."""
        if kept.row.source is None:
            return ()
        columns, i = kept.row.source
        if id(columns) not in self._saved:
            self._saved[id(columns)] = saved_rows(answer, columns)
        rows = self._saved[id(columns)]
        return rows[i] if rows else ()

    def opening(self, answer: Result, place: int) -> tuple[list[str], Sequence[str]]:
        """What opens a period."""
        if place not in self.opened:
            first = self.periods[place][0]
            cells = [next((c.text for c in first.row.cells.values() if c.kind == kind), "") for kind in OPENING]
            self.opened[place] = cells, self.saved(answer, first)
        return self.opened[place]

    def of(self, wanted: RowLabels) -> list[KeptRow]:
        """The rows of what is picked: its items, their subtotals, and the total of all."""
        if not any(label is not None for label in wanted):
            return self.rows
        named = tuple(label is not None for label in wanted)
        if named not in self._found:  # by the dimensions that are picked in, so that no pick goes through all rows
            found = self._found.setdefault(named, {})
            for n, kept in enumerate(self.rows):
                if not kept.row.total:
                    key = tuple(label if name else None for label, name in zip(kept.labels, named))
                    found.setdefault(key, []).append(n)
        return [self.rows[n] for n in sorted([*self._found[named].get(tuple(wanted), ()), *self._totals])]


def kept_tables(answer: Result, formats: Formats, shown: Shown = ALL) -> list[KeptTable]:
    """The tables of an answer."""
    made = tables_of(answer, formats, shown._replace(excerpts=False))  # the figure has all of it
    by: tuple[str, ...] = getattr(answer, "by", ())
    names = [measure.name for measure in getattr(answer, "measures", ())]
    per_measure = len(made) // max(len(names), 1) or 1
    found = []
    for n, spec in enumerate(made):
        periods: dict[int, list[KeptRow]] = {}
        for row in spec.rows:
            place = len(answer.periods) - 1
            labels: RowLabels = (None,) * len(by)
            if row.source is not None:
                columns, i = row.source
                place = int(columns["period"][i]) if answer.type.has_column("period") else place
                labels = tuple(columns[name][i] if name in columns else None for name in by)
            periods.setdefault(place, []).append(KeptRow(row, labels, place))
        found.append(KeptTable(spec, names[n // per_measure] if names else "", periods))
    return found


def table_data(
    table: KeptTable,
    rows: Sequence[KeptRow],
    answer: Result,
    formats: Formats,
    pool: Pool,
    title: str,
    lines: Sequence[str],
) -> dict[str, Any]:
    """A table with some of its rows, under a title of its own, and lines below."""
    spec = table.spec
    coverage = coverage_line(answer, formats) if isinstance(answer, AlignedAnswer) else ""  # the page says it once
    head = [[_ATTRIBUTES.get(c.name, c.name), visible(c.heading), _kind(c)] for c in spec.shown]
    made = []
    opens: dict[str, tuple[list[str], Sequence[str]]] = {}
    for kept in rows:
        opens[_period(answer, kept)] = opening = table.opening(answer, kept.place)
        if id(kept.row) not in table.written:
            table.written[id(kept.row)] = pool.add(_row(table, kept, opening[1], answer))
        made.append(table.written[id(kept.row)])
    saved = any(values for _, values in opens.values())
    frame = {
        "head": head,
        # those of a file of the answer, and which of them hold texts
        "columns": [[name, answer.type.holds(name) in _TEXTS] for name in answer.columns] if saved else [],
        "title": visible(title),
        "unit": spec.unit,
        "lines": [visible(line) for line in lines if line != coverage],
        "empty": spec.empty,
    }
    return {"frame": pool.add(frame), "rows": pool.add(made, refers=True), "opens": pool.add(list(opens.items()))}


def saved_rows(answer: Result, columns: Mapping[str, NDArray[Any]]) -> list[tuple[str, ...]]:
    """Rows as a file of the answer has them, in the order of its columns; none of lines that are no such rows."""
    if not columns.keys() >= set(answer.columns):
        return []
    return list(zip(*(_saved_column(answer, name, columns[name]) for name in answer.columns)))


def _saved_column(answer: Result, name: str, values: NDArray[Any]) -> list[str]:
    kind = answer.type.holds(name)
    if kind == "period":
        return [answer.periods[place] for place in values.tolist()]
    if kind in _TEXTS and values.dtype.kind in "iu":  # the places of words
        words = [*answer.words[name], None]
        return ["" if (text := words[place]) is None else str(text) for place in values.tolist()]
    if kind in _TEXTS:
        return ["" if text is None else str(text) for text in values.tolist()]
    if kind == "day":
        days = np.datetime_as_string(values.astype("datetime64[D]")).tolist()
        return ["" if day == "NaT" else day for day in days]
    if kind in ("days", "count"):
        return [str(int(value)) if math.isfinite(value) else "" for value in values.tolist()]
    if kind == "truth":
        return ["" if value < 0 else str(bool(value)).lower() for value in values.tolist()]
    return [full_figure(value) or "" for value in values.tolist()]


def _row(table: KeptTable, kept: KeptRow, opening: Sequence[str], answer: Result) -> dict[str, Any]:
    """A row: whose, its cells in the order of the head (but for those of its period), and its figures in full.

    `own`: where it is saved in another way than the row that opens its period (`opening`), place by place.
    """
    row, spec = kept.row, table.spec
    cells = [row.cells.get(column.name, Cell(column.kind)) for column in spec.shown]
    made: dict[str, Any] = {
        "period": _period(answer, kept),
        "item": JOINED.join(label for label in kept.labels if label is not None),
        "measure": table.measure,
        "cells": [_cell(spec, cell, opens=row.source is not None) for cell in cells],
        "figures": [full_figure(cell.value) if cell.is_figure else None for cell in cells],
    }
    values = table.saved(answer, kept)
    if not values:
        made["unsaved"] = True
    pairs = enumerate(zip(values, opening))
    if own := [one for place, (text, before) in pairs if text != before for one in (place, text)]:
        made["own"] = own
    others = OTHERS in kept.labels
    looks = [name for name, holds in (("total", row.total), ("sub", row.subtotal), ("others", others)) if holds]
    if looks:
        made["looks"] = looks
    if verdict := next((cell.verdict for cell in cells if cell.verdict), ""):
        made["verdict"] = verdict
    if row.depth:
        made["depth"] = row.depth
    return made


def _period(answer: Result, kept: KeptRow) -> str:
    return answer.periods[kept.place] if answer.periods else ""


def _kind(column: TableColumn) -> str:
    """What the script is to make of a column."""
    if column.marked:
        return "judged"
    if column.is_figure:
        return "figure"
    return column.kind if column.kind in ("bar", "item") else "text"


def _cell(spec: TableSpec, cell: Cell, *, opens: bool) -> Any:
    """A cell's text; mark and figure apart; the part of a bar; nothing where the first row of its period says it."""
    if cell.kind == "bar":
        return round(min(max(cell.bar, 0.0), 1.0), 4) if math.isfinite(cell.bar) else ""
    if cell.mark:
        return [visible(text) for text in ((cell.text, cell.mark) if spec.marks_after else (cell.mark, cell.text))]
    return "" if opens and cell.kind in OPENING else visible(cell.text)


def full_figure(figure: float | None) -> str | None:
    """A figure in full, empty where it is unknown; None where a cell holds none."""
    if figure is None:
        return None
    return repr(float(figure)) if math.isfinite(figure) else ""


def items_of(answer: AlignedAnswer, picked: Mapping[str, str]) -> RowLabels:
    """What is picked of the dimensions that an answer is split by."""
    return tuple(picked.get(name) for name in answer.by)
