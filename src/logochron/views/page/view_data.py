"""Views of a page as plain data: what they share, scenes, tables, cards."""

from __future__ import annotations

import json
import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.choices import JOINED, OTHERS
from logochron.core.errors import LogochronError, visible
from logochron.core.questions.compare import Comparison
from logochron.core.rows.answer import AlignedAnswer
from logochron.core.rows.figures import Floats
from logochron.core.rows.question_types import loaded
from logochron.core.rows.result import Result
from logochron.core.said import for_readers
from logochron.views.figures.scene import (
    Axis,
    Bars,
    Captions,
    Details,
    Dots,
    Entry,
    Layer,
    Panel,
    Path,
    Ribbon,
    Scene,
    Seen,
    Text,
    Ticks,
    Tiles,
)
from logochron.views.formats import Formats, capital
from logochron.views.page.choices import Choices, Pick
from logochron.views.tables.answer_tables import tables_of
from logochron.views.tables.cards import Card, cards_of, whole_of
from logochron.views.tables.cells import ALL, OPENING, Cell, Row, Shown, TableColumn, TableSpec
from logochron.views.words.titles import coverage_line

_ENCODER = json.JSONEncoder(ensure_ascii=False, separators=(",", ":"), allow_nan=False)


class Pool:
    """Plain data by its place; the same data has the same place."""

    def __init__(self) -> None:
        self.held: list[str] = []
        self.refer: set[int] = set()  # those that name places themselves
        self._places: dict[str, int] = {}
        self._numbers: dict[bytes, int] = {}
        self._texts: dict[tuple[tuple[str, str], ...], int] = {}

    def add(self, data: Any, *, refers: bool = False) -> int:
        """The place of some data, taken in where it is new; `refers`: whether it names places of the pool."""
        place = self.written(written(data))
        if refers:
            self.refer.add(place)
        return place

    def texts(self, pairs: tuple[tuple[str, str], ...]) -> int:
        """The place of names and texts; the same ones are written once."""
        if pairs not in self._texts:
            self._texts[pairs] = self.add(pairs)
        return self._texts[pairs]

    def numbers(self, values: NDArray[np.float64], write: Callable[[NDArray[np.float64]], str]) -> int:
        """The place of a column of numbers; the same ones are written once."""
        key = values.tobytes()
        if key not in self._numbers:
            self._numbers[key] = self.written(write(values))
        return self._numbers[key]

    def written(self, text: str) -> int:
        """The place of data that is written already."""
        place = self._places.setdefault(text, len(self.held))
        if place == len(self.held):
            self.held.append(text)
        return place


def written(data: Any) -> str:
    """Data as JSON, as short as it gets."""
    return _ENCODER.encode(data)


#: So many digits of a position are drawn: a two-thousandth of a point in a figure.
_SHORT = "%.7g"


def scene_data(scene: Scene, pool: Pool) -> dict[str, Any]:
    """A scene: its size, words, legend and panels; what scenes share stands in the pool."""
    return {
        "size": [round(side * 72, 2) for side in scene.size],
        "title": scene.title,
        "said": scene.subtitle,
        "alt": scene.alt,
        "empty": scene.empty,
        **({"remark": capital(scene.remark)} if scene.remark else {}),
        "legend": pool.add([_entry(entry) for entry in scene.legend]),
        "panels": [_panel(panel, pool) for panel in scene.panels],
    }


def seen_data(seen: Seen, pool: Pool) -> list[Any]:
    """What is seen of a scene: from where to where, the axis of amounts, the legend; marks by panel, and own ticks."""
    entries = pool.add([_entry(entry) for entry in seen.legend])
    marks = [pool.add(_layer(layer, pool)) for layer in seen.marks]
    ticks = [[_number(tick.at), tick.text] for tick in seen.ticks]
    amounts = [pool.add(_axis(axis)) for axis in seen.amounts]
    return [seen.low, seen.high, amounts, entries, marks, ticks]


def _entry(entry: Entry) -> dict[str, Any]:
    return {
        "look": entry.look,
        "words": entry.words,
        "role": entry.role,
        "strength": entry.strength if entry.pale else 1,
        "dash": entry.dash,
        "weight": entry.weight,
    }


def _panel(panel: Panel, pool: Pool) -> dict[str, Any]:
    return {
        "heading": panel.heading,
        "box": [round(side * 72, 2) for side in panel.box],
        "x": pool.add(_axis(panel.x)),
        "y": pool.add(_axis(panel.y)),
        "layers": [pool.add(_layer(layer, pool), refers=True) for layer in panel.layers],
    }


def _axis(axis: Axis) -> dict[str, Any]:
    return {
        "kind": axis.kind,
        "low": _number(axis.low),
        "high": _number(axis.high),
        "ticks": [[_number(tick.at), tick.text] for tick in axis.ticks],
        "words": axis.words,
        "grid": axis.gridlines,
        "labeled": axis.labeled,
        "line": axis.line,
    }


def _layer(layer: Layer, pool: Pool) -> dict[str, Any]:
    data = {"kind": type(layer).__name__.lower()}
    if isinstance(layer, Captions):
        return data | {"texts": list(map(_text, layer.texts))}
    if isinstance(layer, Tiles):
        return data | {"cells": [[*map(_number, cell[:4]), cell.role, round(cell.strength, 3)] for cell in layer.cells]}
    if isinstance(layer, Details):
        cross = None if layer.cross is None else [_numbers(side, pool) for side in layer.cross]
        places = {"low": _numbers(layer.low, pool), "high": _numbers(layer.high, pool)}
        return data | places | {"rows": [pool.texts(row) for row in layer.rows], "along": layer.along, "cross": cross}
    data |= {"role": layer.role}
    if isinstance(layer, Bars):
        sides = {name: _numbers(getattr(layer, name), pool) for name in ("start", "end", "low", "high")}
        return data | sides | {"strength": layer.strength if layer.pale else 1, "along": layer.along}
    if isinstance(layer, Ticks):
        sides = {name: _numbers(getattr(layer, name), pool) for name in ("position", "at")}
        return data | sides | {"half": layer.half, "halo": layer.halo, "along": layer.along, "weight": layer.weight}
    if isinstance(layer, Ribbon):
        sides = {name: _numbers(getattr(layer, name), pool) for name in ("x", "low", "high")}
        return data | sides | {"strength": layer.strength}
    sides = {name: _numbers(getattr(layer, name), pool) for name in ("x", "y")}
    if isinstance(layer, Dots):
        return data | sides | {"size": layer.size}
    assert isinstance(layer, Path)
    return data | sides | {"dash": layer.dash, "weight": layer.weight}


def _text(text: Text) -> list[Any]:
    """What is usual is left out at the end."""
    x, y = _number(text.x), _number(text.y)
    looks = [round(text.dx, 2), round(text.dy, 2), text.across[0], text.upright[0], text.size]
    parts = [x, y, text.text, text.role, *looks, int(text.bold), text.frame, int(text.halo)]
    usual = [None, None, None, "ink", 0.0, 0.0, "c", "c", 9.0, 0, "", 0]
    while len(parts) > 3 and parts[-1] == usual[len(parts) - 1]:
        parts.pop()
    return parts


def _numbers(values: Floats, pool: Pool) -> int:
    return pool.numbers(np.asarray(values, dtype=np.float64), _short_list)


def _short_list(values: Floats) -> str:
    """Positions as short as they are drawn, null where there is none."""
    text = ",".join(map(_SHORT.__mod__, values.tolist()))
    known = np.isfinite(values)
    if not known.all():
        text = ",".join(one if there else "null" for one, there in zip(text.split(","), known.tolist()))
    return f"[{text}]"


def _number(value: float) -> float | int | None:
    """A position as short as it is drawn; None where there is none."""
    if not np.isfinite(value):
        return None
    short = float(_SHORT % value)
    return int(short) if short == int(short) else short


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

    `opened`: by the first row of a period the cells that stand in it, and that row as a file has it. `whole`: the table
    of all periods, where the rows are some of its own.
    """

    spec: TableSpec
    measure: str
    periods: Mapping[int, Sequence[KeptRow]]
    written: dict[tuple[int, int], int] = field(default_factory=dict)
    opened: dict[int, tuple[list[str], Sequence[str]]] = field(default_factory=dict)
    _saved: dict[int, list[tuple[str, ...]]] = field(default_factory=dict)
    _found: dict[tuple[bool, ...], dict[RowLabels, list[int]]] = field(default_factory=dict)
    whole: KeptTable | None = None
    _variants: dict[tuple[str, ...], dict[tuple[int, int], int]] = field(default_factory=dict)
    _openers: dict[int, KeptRow] = field(default_factory=dict)

    def between(self, part: AlignedAnswer, low: int, high: int, formats: Formats, decimals: int) -> KeptTable:
        """The table of some of the periods, from `low` to before `high`: `part` is the answer of these.

        Rows that lie in several parts are written once, unless other columns are shown there.
        """
        measure = next(one for one in part.measures if one.name == self.measure)
        labels = _labels_of(part)
        periods = {}
        for n in range(low, high):
            rows_kept = [kept for kept in self.periods.get(n, ()) if kept.labels in labels]
            periods[n] = [self._opener(rows_kept[0]), *rows_kept[1:]] if rows_kept else []
        rows = [kept.row for kept_rows in periods.values() for kept in kept_rows]
        spec: TableSpec = loaded(part.type.table_of_rows)(part, measure, formats, rows, decimals)
        spec = replace(spec, empty=formats.say(spec.empty))
        shown = tuple(column.name for column in spec.shown)
        return KeptTable(spec, self.measure, periods, self._variants.setdefault(shown, {}), whole=self)

    def _opener(self, kept: KeptRow) -> KeptRow:
        """A row as the first one of its period."""
        first = self.periods[kept.place][0]
        if kept is first:
            return kept
        if id(kept) not in self._openers:
            opening = {name: cell for name, cell in first.row.cells.items() if cell.kind in OPENING}
            row = replace(kept.row, cells={**kept.row.cells, **opening}, starts=True)
            self._openers[id(kept)] = kept._replace(row=row)
        return self._openers[id(kept)]

    @cached_property
    def side_by_side(self) -> bool:
        """Whether columns of several rows of a file stand side by side in one row here."""
        return any(column.of for column in self.spec.shown)

    @cached_property
    def judged_once(self) -> bool:
        """Whether one column alone is told by marks and colors."""
        return [column.marked for column in self.spec.shown].count(True) == 1

    @cached_property
    def rows(self) -> list[KeptRow]:
        """All rows, period by period."""
        return [row for rows in self.periods.values() for row in rows]

    @cached_property
    def _totals(self) -> list[int]:
        return [n for n, kept in enumerate(self.rows) if kept.row.total]

    def saved(self, answer: Result, kept: KeptRow) -> Sequence[str]:
        """A row as a file of the answer has it; nothing of a line that is no such row."""
        if self.whole is not None:
            return self.whole.saved(answer, kept)
        if kept.row.source is None or self.side_by_side:
            return ()
        columns, i = kept.row.source
        if id(columns) not in self._saved:
            self._saved[id(columns)] = saved_rows(answer, columns)
        rows = self._saved[id(columns)]
        return rows[i] if rows else ()

    def opening(self, answer: Result, place: int) -> tuple[list[str], Sequence[str]]:
        """What opens a period, by its first row: cells of the table, and that row as a file has it."""
        first = self.periods[place][0]
        opened = self.opened if self.whole is None else self.whole.opened
        if id(first) not in opened:
            cells = [next((c.text for c in first.row.cells.values() if c.kind == kind), "") for kind in OPENING]
            opened[id(first)] = cells, self.saved(answer, first)
        return opened[id(first)]

    def of(self, wanted: RowLabels) -> list[KeptRow]:
        """The rows of what is picked: its items, their subtotals, and the total of all."""
        if not any(label is not None for label in wanted):
            return self.rows
        named = tuple(label is not None for label in wanted)
        if named not in self._found:  # by the dimensions that are picked in, so that no pick goes through all rows
            places = self._found.setdefault(named, {})
            for n, kept in enumerate(self.rows):
                if not kept.row.total:
                    key = tuple(label if name else None for label, name in zip(kept.labels, named))
                    places.setdefault(key, []).append(n)
        return [self.rows[n] for n in sorted([*self._found[named].get(tuple(wanted), ()), *self._totals])]


def _labels_of(answer: AlignedAnswer) -> set[RowLabels]:
    """The labels of all rows of an answer, None where a dimension is added up."""
    found: set[RowLabels] = {(None,) * len(answer.by)}
    for columns in (answer.columns, answer.subtotal_columns):
        for block in columns.blocks:
            labels = (np.broadcast_to(block.columns[name], (1, block.shape[1]))[0] for name in answer.by)
            found |= set(zip(*labels)) if answer.by else set()
    return found


def kept_tables(
    answer: Result, formats: Formats, shown: Shown = ALL, specs: Sequence[TableSpec] | None = None
) -> list[KeptTable]:
    """The tables of an answer; those that are given, or its own."""
    if specs is None:
        specs = tables_of(answer, formats, shown._replace(excerpts=False))  # the figure has all of it
    specs = [spec.below() if spec.too_wide else spec for spec in specs]
    by: tuple[str, ...] = getattr(answer, "by", ())
    names = [measure.name for measure in getattr(answer, "measures", ())]
    per_measure = len(specs) // max(len(names), 1) or 1
    tables = []
    for n, spec in enumerate(specs):
        periods: dict[int, list[KeptRow]] = {}
        for row in spec.rows:
            place = len(answer.periods) - 1
            labels: RowLabels = (None,) * len(by)
            if row.source is not None:
                columns, i = row.source
                place = int(columns["period"][i]) if answer.type.has_column("period") else place
                labels = tuple(columns[name][i] if name in columns else None for name in by)
            periods.setdefault(place, []).append(KeptRow(row, labels, place))
        tables.append(KeptTable(spec, names[n // per_measure] if names else "", periods))
    return tables


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
    head = [
        [
            _ATTRIBUTES.get(c.name, c.name),
            visible(c.heading),
            _kind(c),
            *([{"column": c.figure, **dict(c.of)}] * bool(c.of)),
        ]
        for c in spec.shown
    ]
    places = []
    opens: dict[str, tuple[list[str], Sequence[str]]] = {}
    for kept in rows:
        opens[_period(answer, kept)] = opening = table.opening(answer, kept.place)
        key = id(kept.row), id(opening)
        if key not in table.written:
            table.written[key] = pool.add(_row(table, kept, opening[1], answer))
        places.append(table.written[key])
    saved = any(values for _, values in opens.values())
    frame = {
        "head": head,
        **({"groups": [[visible(group), span] for group, span in spec.spans()]} if spec.groups else {}),
        # those of a file of the answer, and which of them hold texts
        "columns": [[name, answer.type.holds(name) in _TEXTS] for name in answer.columns] if saved else [],
        "title": visible(title),
        "unit": spec.unit,
        "lines": [visible(line) for line in map(for_readers, lines) if line and line != coverage],
        "empty": spec.empty,
    }
    return {"frame": pool.add(frame), "rows": pool.add(places, refers=True), "opens": pool.add(list(opens.items()))}


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
    data: dict[str, Any] = {
        "period": _period(answer, kept),
        "item": JOINED.join(label for label in kept.labels if label is not None),
        "measure": table.measure,
        "cells": [_cell(spec, cell, opens=row.source is not None) for cell in cells],
        "figures": [full_figure(cell.value) if cell.is_figure else None for cell in cells],
    }
    values = table.saved(answer, kept)
    if not values:
        data["unsaved"] = True
    pairs = enumerate(zip(values, opening))
    if own := [one for place, (text, before) in pairs if text != before for one in (place, text)]:
        data["own"] = own
    others = OTHERS in kept.labels
    looks = [name for name, holds in (("total", row.total), ("sub", row.subtotal), ("others", others)) if holds]
    if looks:
        data["looks"] = looks
    verdicts = [cell.verdict for cell in cells]
    if any(verdicts):
        data |= {"verdict": next(filter(None, verdicts))} if table.judged_once else {"verdicts": verdicts}
    if row.depth:
        data["depth"] = row.depth
    return data


def _period(answer: Result, kept: KeptRow) -> str:
    return answer.periods[kept.place] if answer.periods else ""


def _kind(column: TableColumn) -> str:
    """What the script is to make of a column."""
    if column.marked:
        return "judged"
    if column.is_figure:
        return "figure"
    return column.kind if column.kind in ("bar", "item", "spark") else "text"


def _cell(spec: TableSpec, cell: Cell, *, opens: bool) -> Any:
    """A cell's text; mark and figure apart; the part of a bar; nothing where the first row of its period says it."""
    if cell.kind == "bar":
        return round(min(max(cell.bar, 0.0), 1.0), 4) if math.isfinite(cell.bar) else ""
    if cell.kind == "spark":
        return _heights(cell.spark)
    if cell.mark:
        return [visible(text) for text in ((cell.text, cell.mark) if spec.marks_after else (cell.mark, cell.text))]
    return "" if opens and cell.kind in OPENING else visible(cell.text)


def _heights(values: Sequence[float]) -> list[float | None]:
    """The values of a small line between its lowest and highest one; none where it is no line."""
    known = [value for value in values if math.isfinite(value)]
    if len(known) < 2:
        return []
    low, size = min(known), max(known) - min(known)
    return [
        round((v - low) / size, 3) if size and math.isfinite(v) else 0.5 if math.isfinite(v) else None for v in values
    ]


def full_figure(figure: float | None) -> str | None:
    """A figure in full, empty where it is unknown; None where a cell holds none."""
    if figure is None:
        return None
    return repr(float(figure)) if math.isfinite(figure) else ""


def items_of(answer: AlignedAnswer, picked: Mapping[str, str]) -> RowLabels:
    """What is picked of the dimensions that an answer is split by."""
    return tuple(picked.get(name) for name in answer.by)


def lead_of_cards(answers: Sequence[AlignedAnswer], choices: Choices) -> Comparison | None:
    """The first answer that compares the periods of the page, of which cards tell; None where there is none."""
    for answer in answers:
        if not isinstance(answer, Comparison) or answer.running is not None:
            continue
        if answer.each == choices.grain and answer.calendar == choices.calendar:
            return answer
    return None


class Cards:
    """What cards show of each pick and period: the whole of what is picked."""

    def __init__(
        self, lead: AlignedAnswer, measures: Sequence[str], choices: Choices, formats: Formats, pool: Pool
    ) -> None:
        self.lead, self.measures, self.choices, self.formats, self.pool = lead, measures, choices, formats, pool
        self._asked: dict[Pick, Comparison] = {}

    def of_view(self, pick: Pick, period: int) -> int:
        """The place of the cards of a pick and a period."""
        try:
            return self.pool.add(self._cards(pick, period))
        except LogochronError:
            return self.pool.add([])

    def _cards(self, pick: Pick, period: int) -> list[list[str | None]]:
        answer = self._answer(pick)
        label = self.choices.labels[period]
        if label not in answer.periods:
            return []
        return [
            _card(card, measure, label)
            for card, measure in zip(cards_of(answer, self.formats, at=label), self.measures)
        ]

    def _answer(self, pick: Pick) -> Comparison:
        if pick not in self._asked:
            picked = {name: label for name, label in zip(self.choices.dimensions, pick) if label is not None}
            book = self.lead.selection.book
            assert isinstance(self.lead, Comparison)
            self._asked[pick] = whole_of(self.lead, self.measures, book.where(picked) if picked else book)
        return self._asked[pick]


def _card(card: Card, measure: str, period: str) -> list[str | None]:
    """A card as the script takes it apart."""
    texts = [measure, period, visible(card.name), card.period, card.figure, card.moved, card.change, card.earlier]
    return [*texts, card.verdict, full_figure(card.value), full_figure(card.growth)]
