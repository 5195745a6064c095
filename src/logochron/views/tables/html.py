"""A result as a notebook shows it."""

from __future__ import annotations

import math
from dataclasses import fields
from functools import cache
from importlib.resources import files
from typing import Any, NamedTuple

from jinja2 import Environment, Template

from logochron.core.errors import visible
from logochron.core.rows.question_types import loaded
from logochron.core.rows.result import Result
from logochron.views.formats import Formats
from logochron.views.palette import Palette, mixed
from logochron.views.tables.answer_tables import tables_of
from logochron.views.tables.cards import Card
from logochron.views.tables.cells import Cell, Row, Shown, TableColumn, TableSpec

#: More rows than this are cut, and said so: a notebook is no place for thousands.
MOST_ROWS = 200
#: How notebooks say on which ground they stand: attributes and classes of theirs.
_LIGHT_HOSTS = ('[data-jp-theme-light="true"]', "body.vscode-light", 'html[theme="light"]')
_DARK_HOSTS = ('[data-jp-theme-light="false"]', "body.vscode-dark", 'html[theme="dark"]')


class _Cell(NamedTuple):
    """A cell: its text, classes and style; mark and figure apart; the part of a share's bar."""

    text: str
    looks: str = ""
    style: str = ""
    mark: tuple[str, ...] = ()
    share: str = ""


@cache
def _environment() -> Environment:
    return Environment(autoescape=True)  # labels are data: all text is escaped


@cache
def _template(name: str) -> Template:
    text = (files("logochron.views.tables") / name).read_text(encoding="utf-8")
    return _environment().from_string(text)


def html(
    result: Result, formats: Formats | None = None, palette: Palette | None = None, most: int | None = MOST_ROWS
) -> str:
    """The tables of an answer as HTML, of at most so many rows each, the latest; cards above a single row."""
    formats = formats or Formats()
    specs = (spec.below() if spec.too_wide else spec for spec in tables_of(result, formats, Shown(rows=most)))
    tables = [_table(spec.mapped(visible)) for spec in specs]
    cards: list[Card] = []
    if result.type.cards and len(result.periods) == 1 and not getattr(result, "by", ()):
        cards = loaded(result.type.cards)(result, formats)
    return _template("table.html.j2").render(tables=tables, cards=cards, css=style(palette or Palette()))


def color_rules(colors: Palette) -> str:
    """The colors of a palette as properties of a style."""
    roles = {one.name: colors.role(one.name) for one in fields(colors)}
    roles |= {"neutral": colors.level, "unknown": colors.level, "shade": mixed(colors.paper, colors.grid, 0.45)}
    return "".join(f"--{name}:{color};" for name, color in roles.items())


@cache
def style(palette: Palette) -> Any:
    """The style of what a notebook shows, for a palette: on light ground and on dark."""
    from markupsafe import Markup

    light, dark = color_rules(palette), color_rules(palette.on_dark())
    hosts = (",".join(f"{host} .logochron" for host in group) for group in (_LIGHT_HOSTS, _DARK_HOSTS))
    named = dict(zip(("light_hosts", "dark_hosts"), map(Markup, hosts)))
    return Markup(_template("notebook.css").render(light=Markup(light), dark=Markup(dark), **named))


def _table(spec: TableSpec) -> dict[str, Any]:
    """What the template shows of a table."""
    return {
        "title": spec.title,
        "unit": spec.unit,
        "groups": spec.spans(),
        "head": [
            _Cell(column.heading, _joined("figure" * column.is_figure, _opens(spec, column))) for column in spec.shown
        ],
        "rows": [
            {
                "looks": " ".join(
                    name
                    for name, holds in (("strong", row.strong), ("starts", row.starts and place or row.set_off))
                    if holds
                ),
                "cells": [_cell(spec, row, column) for column in spec.shown],
            }
            for place, row in enumerate(spec.rows)
        ],
        "lines": spec.lines,
        "empty": spec.empty,
    }


def _cell(spec: TableSpec, row: Row, column: TableColumn) -> _Cell:
    """A cell with what it looks like."""
    cell, opens = row.cells.get(column.name), _opens(spec, column)
    if cell is None:
        cell = Cell(column.kind)
    if cell.mark:
        sides = (cell.text, cell.mark) if spec.marks_after else (cell.mark, cell.text)
        return _Cell("", _joined("figure judged", cell.verdict, opens), mark=sides)
    if cell.kind == "bar":
        share = f"{min(max(cell.bar, 0.0), 1.0) * 100:.1f}%" if math.isfinite(cell.bar) else ""
        return _Cell("", share=share)
    if cell.kind == "item":
        return _Cell(cell.text, style=f"padding-left:{8 + 14 * cell.depth}px" if cell.depth else "")
    return _Cell(cell.text, _joined("figure" if column.is_figure else column.kind, opens, cell.verdict))


def _joined(*looks: str) -> str:
    return " ".join(filter(None, looks))


def _opens(spec: TableSpec, column: TableColumn) -> str:
    """The class of the first column below a head that spans several."""
    return "opens" if column.group and spec.groups[column.group][0].name == column.name else ""
