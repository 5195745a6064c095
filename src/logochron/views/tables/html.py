"""A result as a notebook shows it."""

from __future__ import annotations

import math
from dataclasses import fields
from functools import cache
from importlib.resources import files
from typing import Any, NamedTuple

from jinja2 import Environment, Template

from logochron.core.errors import visible
from logochron.core.questions.compare import Comparison
from logochron.core.rows.result import Result
from logochron.views.formats import Formats
from logochron.views.palette import Palette, mixed
from logochron.views.tables.cards import Card, cards_of, shown_cards
from logochron.views.tables.registry import specs
from logochron.views.tables.spec import Row, Shown, TableSpec

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
    tables = [_table(spec.told(visible)) for spec in specs(result, formats, Shown(rows=most))]
    cards: list[Card] = []
    if isinstance(result, Comparison) and not result.by and len(result.periods) == 1:
        cards = cards_of(result, formats)
    return _template("table.html.j2").render(tables=tables, cards=cards, css=style(palette or Palette()))


def cards_html(
    result: Comparison,
    formats: Formats | None = None,
    palette: Palette | None = None,
    *,
    measure: str | None = None,
    at: str | None = None,
) -> str:
    """The cards of one period as HTML, the last unless `at`: of each measure the whole, then its items."""
    formats = formats or Formats()
    cards, lines = shown_cards(cards_of(result, formats, measure=measure, at=at), formats)
    css = style(palette or Palette())
    return _template("table.html.j2").render(tables=[], cards=cards, lines=lines, css=css)


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
        "head": [_Cell(text, "figure" if name in spec.numeric else "") for name, text in spec.headings.items()],
        "rows": [
            {
                "looks": " ".join(
                    name
                    for name, holds in (("strong", row.total or row.subtotal), ("starts", row.starts and place))
                    if holds
                ),
                "cells": [_cell(spec, row, name) for name in spec.headings],
            }
            for place, row in enumerate(spec.rows)
        ],
        "lines": spec.lines,
        "empty": spec.empty,
    }


def _cell(spec: TableSpec, row: Row, column: str) -> _Cell:
    """A cell with what it looks like."""
    text = row.cells.get(column, "")
    if column == spec.judged and row.verdict:
        return _Cell(text, f"figure judged {row.verdict}", mark=spec.marked(text))
    if column == "bar":
        if not math.isfinite(row.part):
            return _Cell("")
        return _Cell("", share=f"{min(max(row.part, 0.0), 1.0) * 100:.1f}%")
    if column.startswith("dim:"):
        return _Cell(text, style=f"padding-left:{8 + 14 * row.depth}px" if row.depth else "")
    return _Cell(text, "figure" if column in spec.numeric else column if column.isalpha() else "")
