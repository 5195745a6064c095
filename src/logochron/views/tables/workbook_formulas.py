"""The formulas of a workbook's tables: each is kept only where it gives the figure that was reckoned."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import NamedTuple

import numpy as np
from xlsxwriter.utility import xl_col_to_name, xl_rowcol_to_cell

from logochron.core.choices import JOINED
from logochron.core.questions.drivers import effects_of
from logochron.core.questions.relate import Relation
from logochron.core.rows.question_types import SheetFormulas
from logochron.core.rows.result import Result
from logochron.views.tables.cells import Row

#: So far may a formula's figure lie from the one that was reckoned, as a part of its size.
_SAME = 1e-9
#: What marks the rows of single items in the column of groupings.
ITEM = "item"


class CellFormula(NamedTuple):
    """A formula as the workbook holds it, and the figure it gives; NaN where it leaves the cell empty."""

    text: str
    value: float


#: Of a question without formulas.
_NONE = SheetFormulas({})


class Sheet(NamedTuple):
    """Where a table stands: its first row, the place of each of its columns and of that of groupings; of what.

    `points`: the columns whose figures are points, a hundred times the difference of parts; `own`: how its figures
    follow from others, where that is not as in all tables of its question.
    """

    first: int
    columns: Mapping[str, int]
    groupings: int
    answer: Result
    points: frozenset[str] = frozenset()
    own: SheetFormulas | None = None

    @property
    def formulas(self) -> SheetFormulas:
        """How its figures follow from others."""
        return self.own or self.answer.type.formulas or _NONE

    def shown(self, column: str, figure: float) -> float:
        """A figure as the sheet holds it."""
        return figure * 100 if column in self.points else figure

    def cell(self, row: int, column: str, *, fixed: bool = False) -> str:
        """The name of a cell."""
        return str(xl_rowcol_to_cell(self.first + row, self.columns[column], row_abs=fixed))

    def range(self, low: int, high: int, place: int) -> str:
        """The name of some rows of a column, fixed."""
        name = xl_col_to_name(place, col_abs=True)
        return f"{name}${self.first + low + 1}:{name}${self.first + high + 1}"


class Beside(NamedTuple):
    """The row that others stand beside, the first and last row that it adds up, and how many of them are items."""

    place: int
    low: int
    high: int
    many: int


class Group(NamedTuple):
    """The rows of one period, from the first to the total that closes them (None where nothing adds up).

    `besides`: of a relation what each of them stands beside.
    """

    low: int
    high: int
    total: int | None
    besides: Sequence[Beside | None] = ()


def groups_of(rows: Sequence[Row], sheet: Sheet) -> list[Group]:
    """The rows of each period: a total closes them; those that follow the last total have none."""
    groups = []
    low = 0
    for n, row in enumerate(rows):
        if row.total:
            groups.append(Group(low, n, n))
            low = n + 1
    if low < len(rows):
        groups.append(Group(low, len(rows) - 1, None))
    if any(rule[0] == "reference" for rule in sheet.formulas.rules.values()):
        return [group._replace(besides=_besides(rows, group, sheet)) for group in groups]
    return groups


def formula(sheet: Sheet, rows: Sequence[Row], n: int, column: str, group: Group) -> CellFormula | None:
    """The formula of a cell, None where its figure is one that was recorded, or no formula gives it."""
    of_cell, figure = _formula_of(sheet, rows, n, column, group), rows[n].value(column)
    if of_cell is None or not of_cell.text or not _same(of_cell.value, figure):
        return None
    return CellFormula(of_cell.text, figure)


def is_stuck(sheet: Sheet, rows: Sequence[Row]) -> bool:
    """Whether a figure of a table is worked out from others that are to be locked, and no formula gives it."""
    for group in groups_of(rows, sheet) if sheet.formulas.locked else ():
        for n in range(group.low, group.high + 1):
            for column in sheet.columns:
                of_cell = _formula_of(sheet, rows, n, column, group) if column in rows[n].cells else None
                if of_cell is not None and not _same(of_cell.value, rows[n].value(column)):
                    return True
    return False


def _formula_of(sheet: Sheet, rows: Sequence[Row], n: int, column: str, group: Group) -> CellFormula | None:
    """The formula of a cell by its column's rule; its text is empty where the sheet lacks what it follows from."""
    row, rule = rows[n], sheet.formulas.rules.get(column, ("",))
    kind, of = rule[0], rule[1:]
    if kind == "reference":
        return _reference(sheet, rows, group.besides[n - group.low], of[0])
    if column in sheet.formulas.added and row.strong:
        return _added(sheet, rows, n, column, group)
    if kind == "effect":
        return None if group.total is None else _effect(sheet, rows, n, column, group.total)
    if not kind or not set(of) <= set(sheet.columns):
        return None
    if kind == "difference":
        return _difference(sheet, row, n, *of, in_points=column in sheet.points)
    cells, figures = [sheet.cell(n, name) for name in of], [row.value(name) for name in of]
    if kind == "growth":
        change, base = cells
        text = f'=IF(AND(N({base})>0,{change}<>""),{change}/{base},"")'
        return CellFormula(text, _divided(*figures))
    if kind == "part":
        return _part(cells[0], cells[1], figures[0], figures[1])
    if group.total is None:
        return None
    whole = of[-1]  # a share or contribution: of the total's
    total = sheet.cell(group.total, whole, fixed=True)
    return _part(cells[0], total, figures[0], rows[group.total].value(whole))


def _below(rows: Sequence[Row], n: int, group: Group) -> tuple[int, int]:
    """The rows that a total or subtotal adds up, from the first to the last."""
    row = rows[n]
    if not row.subtotal:
        return group.low, n - 1
    high = n
    while high + 1 <= group.high and not rows[high + 1].total and rows[high + 1].depth > row.depth:
        high += 1
    return n + 1, high


def _added(sheet: Sheet, rows: Sequence[Row], n: int, column: str, group: Group) -> CellFormula | None:
    """A total or subtotal: the items among its rows, added up; empty where one of them is unknown.

    None where nothing is known of any of them: what is known of all together is a figure of its own.
    """
    low, high = _below(rows, n, group)
    items = [one.value(column) for one in rows[low : high + 1] if is_item(one)]
    known = [figure for figure in items if math.isfinite(figure)]
    if items and not known and math.isfinite(rows[n].value(column)):
        return None
    cells, groupings = sheet.range(low, high, sheet.columns[column]), sheet.range(low, high, sheet.groupings)
    item = f'({groupings}="{ITEM}")*1'
    text = f'=IF(SUMPRODUCT({item},1-ISNUMBER({cells}))>0,"",SUMPRODUCT({item},{cells}))'
    return CellFormula(text, math.fsum(known) if len(known) == len(items) else math.nan)


def _reference(sheet: Sheet, rows: Sequence[Row], beside: Beside | None, column: str) -> CellFormula:
    """What an item stands beside: the cell of the total or of the item named, or the total by its items."""
    if beside is None:
        return CellFormula("", math.nan)
    answer: Relation = sheet.answer  # type: ignore[assignment]
    text, figure = sheet.cell(beside.place, column, fixed=True), rows[beside.place].value(column)
    if answer.beside != "mean":
        return CellFormula(f'=IF({text}="","",{text})', figure)
    count = f'COUNTIF({sheet.range(beside.low, beside.high, sheet.groupings)},"{ITEM}")'
    mean = figure / beside.many if beside.many else math.nan
    return CellFormula(f'=IF(OR({text}="",{count}=0),"",{text}/{count})', mean)


def _besides(rows: Sequence[Row], group: Group, sheet: Sheet) -> list[Beside | None]:
    """What each row of a group stands beside, None where no row is it; gone through once."""
    answer: Relation = sheet.answer  # type: ignore[assignment]
    within, of = answer.within, rows[group.low : group.high + 1]
    places: list[int | None]
    if answer.beside == "largest":  # which one that is changes with the figures
        places = [None] * len(of)
    elif answer.beside.startswith("item:"):
        rows_by_item: dict[str | None, int] = {}  # by the item of `within`
        for k, row in enumerate(of, start=group.low):
            labels = _labels(row, answer) if is_item(row) else {}
            joined = JOINED.join(label for name, label in labels.items() if name != within)
            if labels and joined == answer.beside.removeprefix("item:"):
                rows_by_item.setdefault(labels.get(within or ""), k)
        places = [rows_by_item.get(_labels(row, answer).get(within or "")) for row in of]
    elif within is None:
        places = [group.total] * len(of)
    else:  # the subtotal above, where rows stand below those of the items of `within`
        places, above = [], None
        for k, row in enumerate(of, start=group.low):
            above = k if row.subtotal and row.depth == 0 else above
            places.append(above if within == answer.by[0] and not row.total else None)
    known = {place: _beside(rows, place, group) for place in set(places) - {None} if place is not None}
    return [None if place is None else known[place] for place in places]


def _beside(rows: Sequence[Row], place: int, group: Group) -> Beside:
    low, high = _below(rows, place, group)
    return Beside(place, low, high, sum(map(is_item, rows[low : high + 1])))


def _labels(row: Row, answer: Relation) -> Mapping[str, str]:
    """The labels of a row by dimension."""
    return {name: str(row.source.columns[name][row.source.i]) for name in answer.by} if row.source else {}


def _effect(sheet: Sheet, rows: Sequence[Row], n: int, column: str, total: int) -> CellFormula | None:
    """Volume, mix or price of an item, as `drivers` has them."""
    names = ("value", "base", "quantity", "base_quantity", "change")
    if not set(names) <= set(sheet.columns):
        return CellFormula("", math.nan)
    v, b, q1, q0, change = (sheet.cell(n, name) for name in names)
    many, before = (sheet.cell(total, name, fixed=True) for name in ("quantity", "base_quantity"))
    untold = f"OR(AND(N({q0})<=0,N({b})<>0),AND(N({q1})<=0,N({v})<>0),N({before})<=0)"
    is_new = f"OR({untold},N({q0})=0)"
    text = {
        "volume": f"IF({untold},0,({many}-{before})/{before}*{b})",
        "mix": f"IF({is_new},{change},({q1}-{many}*{q0}/{before})*{b}/{q0})",
        "price": f"IF({is_new},0,{v}-{b}/{q0}*{q1})",
    }[column]
    unknown = f'OR({change}="",{q1}="",{q0}="",{many}="",{before}="")'
    figures = [rows[n].value(name) for name in names]
    totals = [rows[total].value(name) for name in ("quantity", "base_quantity")]
    effects = effects_of(*map(np.array, (*figures, *totals)))
    known = all(map(math.isfinite, (*figures, *totals)))
    return CellFormula(f'=IF({unknown},"",{text})', float(getattr(effects, column)) if known else math.nan)


def is_item(row: Row) -> bool:
    """Whether a row is one of those that totals add up."""
    return not row.strong and row.source is not None


def _difference(sheet: Sheet, row: Row, n: int, of: str, less: str, *, in_points: bool) -> CellFormula:
    one, other = sheet.cell(n, of), sheet.cell(n, less)
    moved = f"({one}-{other})*100" if in_points else f"{one}-{other}"
    text = f'=IF(OR({one}="",{other}=""),"",{moved})'
    return CellFormula(text, row.value(of) - row.value(less))


def _part(part: str, whole: str, value: float, total: float) -> CellFormula:
    text = f'=IF(AND(N({whole})>0,{part}<>""),{part}/{whole},"")'
    return CellFormula(text, _divided(value, total))


def _divided(part: float, whole: float) -> float:
    return part / whole if whole > 0 else math.nan


def _same(one: float, other: float) -> bool:
    if not math.isfinite(one) or not math.isfinite(other):
        return math.isfinite(one) == math.isfinite(other)
    return math.isclose(one, other, rel_tol=_SAME, abs_tol=_SAME)
