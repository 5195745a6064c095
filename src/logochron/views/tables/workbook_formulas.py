"""The formulas of a workbook's tables: each is kept only where it gives the figure that was reckoned."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import NamedTuple

from xlsxwriter.utility import xl_col_to_name, xl_rowcol_to_cell

from logochron.views.tables.spec import Row

#: So far may a formula's figure lie from the one that was reckoned, as a part of its size.
_SAME = 1e-9
#: The columns whose totals are those of their items.
_ADDED = frozenset({"value", "base", "estimate", "to_date", "plan", "volume", "mix", "price"})
#: What marks the rows of single items in the column of tiers.
ITEM = "item"


class CellFormula(NamedTuple):
    """A formula as the workbook holds it, and the figure it gives; NaN where it leaves the cell empty."""

    text: str
    value: float


class Sheet(NamedTuple):
    """Where a table stands: its first row, the place of each of its columns, and of the column of tiers."""

    first: int
    columns: Mapping[str, int]
    tiers: int

    def cell(self, row: int, column: str, *, fixed: bool = False) -> str:
        """The name of a cell."""
        return str(xl_rowcol_to_cell(self.first + row, self.columns[column], row_abs=fixed))

    def range(self, low: int, high: int, place: int) -> str:
        """The name of some rows of a column, fixed."""
        name = xl_col_to_name(place, col_abs=True)
        return f"{name}${self.first + low + 1}:{name}${self.first + high + 1}"


class Group(NamedTuple):
    """The rows of one period, from the first to the total that closes them (None where nothing adds up)."""

    low: int
    high: int
    total: int | None


def groups_of(rows: Sequence[Row]) -> list[Group]:
    """The rows of each period: a total closes them; those that follow the last total have none."""
    found = []
    low = 0
    for n, row in enumerate(rows):
        if row.total:
            found.append(Group(low, n, n))
            low = n + 1
    if low < len(rows):
        found.append(Group(low, len(rows) - 1, None))
    return found


def formula(sheet: Sheet, rows: Sequence[Row], n: int, column: str, group: Group, kind: str) -> CellFormula | None:
    """The formula of a cell, None where its figure is one that was recorded, or no formula gives it."""
    row = rows[n]
    made = _made(sheet, rows, n, column, group, kind)
    figure = row.figures.get(column, math.nan)
    if made is None or not _same(made.value, figure):
        return None
    return CellFormula(made.text, figure)


def _made(sheet: Sheet, rows: Sequence[Row], n: int, column: str, group: Group, kind: str) -> CellFormula | None:
    row, held = rows[n], sheet.columns
    value = next((name for name in ("value", "estimate") if name in held), "")
    if column in _ADDED and (row.total or row.subtotal):
        return _added(sheet, rows, n, column, group)
    if not value or kind == "lines":
        return None
    if column == "change" and "base" in held:
        return _difference(sheet, row, n, value, "base")
    if column == "plan_gap" and "plan" in held:
        return _difference(sheet, row, n, value, "plan")
    if column == "growth" and kind == "relate" and {"ratio", "before"} <= set(held):
        return _difference(sheet, row, n, "ratio", "before")
    if column == "growth" and {"base", "change"} <= set(held):
        change, base = (sheet.cell(n, name) for name in ("change", "base"))
        text = f'=IF(AND(N({base})>0,{change}<>""),{change}/{base},"")'
        return CellFormula(text, _divided(_figure(row, "change"), _figure(row, "base")))
    if column == "ratio" and "base" in held:
        return _part(sheet.cell(n, value), sheet.cell(n, "base"), _figure(row, value), _figure(row, "base"))
    if group.total is None:
        return None
    whole = rows[group.total]
    if column == "share":
        total = sheet.cell(group.total, value, fixed=True)
        return _part(sheet.cell(n, value), total, _figure(row, value), _figure(whole, value))
    if column == "points" and {"base", "change"} <= set(held):
        total = sheet.cell(group.total, "base", fixed=True)
        return _part(sheet.cell(n, "change"), total, _figure(row, "change"), _figure(whole, "base"))
    return None


def _added(sheet: Sheet, rows: Sequence[Row], n: int, column: str, group: Group) -> CellFormula:
    """A total or subtotal: the items among its rows, added up."""
    row = rows[n]
    low, high = group.low, n - 1
    if row.subtotal:
        low, high = n + 1, n
        while high + 1 <= group.high and not rows[high + 1].total and rows[high + 1].depth > row.depth:
            high += 1
    items = [one.figures.get(column, math.nan) for one in rows[low : high + 1] if is_item(one)]
    known = [figure for figure in items if math.isfinite(figure)]
    cells, tiers = sheet.range(low, high, sheet.columns[column]), sheet.range(low, high, sheet.tiers)
    return CellFormula(f'=SUMPRODUCT(({tiers}="{ITEM}")*1,{cells})', math.fsum(known) if known else math.nan)


def is_item(row: Row) -> bool:
    """Whether a row is one of those that totals add up."""
    return not row.total and not row.subtotal and row.source is not None


def _difference(sheet: Sheet, row: Row, n: int, of: str, less: str) -> CellFormula:
    one, other = sheet.cell(n, of), sheet.cell(n, less)
    text = f'=IF(OR({one}="",{other}=""),"",{one}-{other})'
    return CellFormula(text, _figure(row, of) - _figure(row, less))


def _part(part: str, whole: str, value: float, total: float) -> CellFormula:
    text = f'=IF(AND(N({whole})>0,{part}<>""),{part}/{whole},"")'
    return CellFormula(text, _divided(value, total))


def _figure(row: Row, column: str) -> float:
    return row.figures.get(column, math.nan)


def _divided(part: float, whole: float) -> float:
    return part / whole if whole > 0 else math.nan


def _same(one: float, other: float) -> bool:
    if not math.isfinite(one) or not math.isfinite(other):
        return math.isfinite(one) == math.isfinite(other)
    return math.isclose(one, other, rel_tol=_SAME, abs_tol=_SAME)
