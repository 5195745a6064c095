"""A result as a notebook shows it."""

from __future__ import annotations

from functools import cache
from importlib.resources import files
from typing import Any, NamedTuple

from jinja2 import Environment, Template

from logochron.core.rows.result import Result
from logochron.views.formats import Formats
from logochron.views.palette import Palette
from logochron.views.tables.registry import specs
from logochron.views.tables.spec import Row, Shown, TableSpec

#: More rows than this are cut, and said so: a notebook is no place for thousands.
MOST_ROWS = 200


class _Cell(NamedTuple):
    text: str
    style: str


@cache
def _template() -> Template:
    text = (files("logochron.views.tables") / "table.html.j2").read_text(encoding="utf-8")
    return Environment(autoescape=True).from_string(text)  # labels are data: all text is escaped


def html(
    result: Result, formats: Formats | None = None, palette: Palette | None = None, most: int | None = MOST_ROWS
) -> str:
    """The tables of an answer as HTML, of at most so many rows each, the latest."""
    palette = palette or Palette()
    tables = [_table(spec, palette) for spec in specs(result, formats or Formats(), Shown(rows=most))]
    return _template().render(tables=tables)


def _table(spec: TableSpec, palette: Palette) -> dict[str, Any]:
    """What the template shows of a table."""

    def cell(column: str, text: str, more: str = "") -> _Cell:
        align = "right" if column in spec.numeric else "left"
        return _Cell(text, f"text-align:{align};{more}")

    return {
        "title": spec.title,
        "unit": spec.unit,
        "head": [cell(column, heading) for column, heading in spec.headings.items()],
        "rows": [
            {
                "strong": row.total or row.subtotal,
                "cells": [cell(n, row.cells.get(n, ""), _style(spec, row, n, palette)) for n in spec.headings],
            }
            for row in spec.rows
        ],
        "lines": spec.lines,
    }


def _style(spec: TableSpec, row: Row, column: str, palette: Palette) -> str:
    """What a cell looks like beside its alignment."""
    if column == spec.judged and row.verdict:
        return f"color:{palette.verdict(row.verdict)};white-space:pre"
    if column == "bar":
        return f"color:{palette.base};font-family:monospace"
    return f"padding-left:{row.depth + 0.5}em" if row.depth and column.startswith("dim:") else ""
