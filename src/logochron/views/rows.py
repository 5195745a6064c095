"""A comparison as a table for people: plain cells and what they mean, whoever draws them."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from logochron.core.compare import Comparison
from logochron.core.days import to_days
from logochron.core.measures import Measure
from logochron.views.formats import Formats, capital, fitting_decimals, of_measure, plural, shortened, words
from logochron.views.tables import Row, TableSpec
from logochron.views.titles import against_words, base_heading, coverage_line, cut_of, period_label, subject, unit


def table_spec(result: Comparison, measure: Measure, formats: Formats) -> TableSpec:
    """The table of one measure; with items, each period closes with its total."""
    table, total = of_measure(result.columns, measure.name), of_measure(result.total_columns, measure.name)
    scale = result.book.amounts[measure.source_column].scale
    decimals = formats.decimals
    if decimals is None:
        decimals = fitting_decimals(
            np.concatenate([total["value"], total["base"], table["value"]]), total["change"], scale
        )
    title = f"{subject(result, measure, split=True)}{formats.dot}against {against_words(result)}"
    dims = {f"dim:{name}": capital(words(name)) for name in result.by}
    headings = {
        "period": "Period",
        **dims,
        "value": capital(words(measure.name)),
        "base": base_heading(result),
        "change": "Change",
        "growth": "Growth",
        **({"share": "Share"} if result.by else {}),
        "note": "",
    }
    rows = (
        _split_rows(result, table, total, decimals, formats)
        if result.by
        else _plain_rows(result, table, decimals, formats)
    )
    if not any(row.cells["note"] for row in rows):
        headings.pop("note")
    return TableSpec(
        title=title,
        unit=unit(measure, formats),
        headings=headings,
        numeric=frozenset({"value", "base", "change", "growth", "share"}),
        rows=tuple(rows),
        lines=(*result.notes, coverage_line(result, formats)),
    )


def _plain_rows(result: Comparison, table: Mapping[str, NDArray[Any]], decimals: int, formats: Formats) -> list[Row]:
    width = _growth_width([table], formats)
    return [_row(result, table, i, decimals, formats, width) for i in range(len(table["period"]))]


def _split_rows(
    result: Comparison,
    table: Mapping[str, NDArray[Any]],
    total: Mapping[str, NDArray[Any]],
    decimals: int,
    formats: Formats,
) -> list[Row]:
    width = _growth_width([table, total], formats)
    rows: list[Row] = []
    at = np.searchsorted(table["period"], total["period"])
    after = np.searchsorted(table["period"], total["period"], side="right")
    for place in range(len(total["period"])):
        items = range(int(at[place]), int(after[place]))
        for i in items:
            rows.append(_row(result, table, i, decimals, formats, width, starts=i == at[place]))
        rows.append(_row(result, total, place, decimals, formats, width, total=True, starts=not len(items)))
    return rows


def _growth_width(tables: list[Mapping[str, NDArray[Any]]], formats: Formats) -> int:
    return max((len(formats.growth(g)) for table in tables for g in table["growth"]), default=1)


def _row(
    result: Comparison,
    table: Mapping[str, NDArray[Any]],
    i: int,
    decimals: int,
    formats: Formats,
    growth_width: int,
    *,
    total: bool = False,
    starts: bool = False,
) -> Row:
    start, end = (int(to_days(table[name][i])) for name in ("start", "end"))
    status, label = table["status"][i], result.periods[int(table["period"][i])]
    notes = [note for note in [table["note"][i]] if note]
    cut = not np.isnat(table["base_start"][i]) and status == "to-date" and result.each not in ("day",)
    # with items the days are said once, at the period's total
    if cut and (total or not result.by):
        notes.insert(0, cut_of(result, table, i, formats))
    elif status == "partial" and "not recorded" not in table["note"][i] and (total or not result.by):
        notes.insert(0, f"{formats.span(start, end, year=False)} only")
    dims = {
        f"dim:{name}": (f"all {plural(words(name))}" if total else shortened(str(table[name][i])))
        if not total or not place
        else ""
        for place, name in enumerate(result.by)
    }
    growth = formats.growth(table["growth"][i])
    if table["direction"][i] == "level" and not np.isfinite(table["growth"][i]):
        growth = "level"
    period = period_label(result, label, status, start, end, formats) if starts or not result.by else ""
    cells = {
        "period": period,
        **dims,
        "value": formats.number(table["value"][i], decimals),
        "base": formats.number(table["base"][i], decimals),
        "change": formats.number(table["change"][i], decimals, signed=True),
        "growth": f"{formats.mark(table['direction'][i])} {growth:>{growth_width}}",
        "share": formats.part(table["share"][i]),
        "note": "; ".join(notes),
    }
    return Row(cells, table["verdict"][i], total, starts)
