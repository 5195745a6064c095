"""Tables on the terminal."""

from __future__ import annotations

from rich.box import Box
from rich.cells import cell_len
from rich.console import Console
from rich.style import Style
from rich.table import Table
from rich.text import Text

from logochron.views.palette import Palette
from logochron.views.tables.spec import TableSpec

_HAIRLINES = "    \n    \n ── \n    \n ── \n    \n    \n    \n"
_LEAST_NOTE = 24
_LEAST_LABEL = 3
_GAP = 2


def print_table(
    console: Console, spec: TableSpec, *, plain: bool, palette: Palette | None = None, fill: bool = False
) -> None:
    """Print a table as wide as it needs, or as the console allows.

    `fill`: verdicts as the ground behind a figure, not as its color.
    """
    palette = palette or Palette()
    if not spec.rows:
        console.print(Text(spec.title, style="bold"))
        console.print(Text(spec.empty))
        _print_lines(console, spec.lines, palette)
        return
    columns, notes_below, note_width = _fit(spec, console.width if console.is_terminal else None)
    narrowed = _narrowed(spec, columns, console.width) if console.is_terminal else {}
    hair = Box(_HAIRLINES.replace("─", "-") if plain else _HAIRLINES, ascii=plain)
    table = Table(box=hair, show_edge=False, pad_edge=False, padding=(0, 1, 0, 0), border_style=palette.base)
    for column in columns:
        table.add_column(
            Text(spec.headings[column], style=palette.level),
            justify="right" if column in spec.numeric else "left",
            no_wrap=column != "note",
            overflow="fold" if column == "note" else "ellipsis",
            # labels give way where it is narrow, figures never do
            min_width=spec.width(column) if column in spec.numeric | spec.firm else None,
            max_width=note_width if column == "note" else narrowed.get(column),
        )
    by_items = any(row.total for row in spec.rows)
    for place, row in enumerate(spec.rows):
        cells = []
        for column in columns:
            style = Style(bold=row.total or row.subtotal)
            if column == spec.judged and row.verdict:
                color = palette.verdict(row.verdict)
                filled = fill and row.verdict in ("favorable", "adverse")
                style += Style(color=palette.paper, bgcolor=color) if filled else Style(color=color)
            elif column == "bar":
                style = Style(color=palette.base)
            elif column in ("note", "share") or row.cells.get(column) in ("–", "-"):
                style += Style(color=palette.level)
            cells.append(Text(spec.cell(row, column), style=style))
        last = place == len(spec.rows) - 1
        table.add_row(*cells, end_section=by_items and row.total and not last)
    width = sum(_width(spec, column, note_width) for column in columns) + _GAP * (len(columns) - 1)
    beside = width - (_width(spec, "note", note_width) + _GAP if "note" in columns else 0)
    space = max(beside - cell_len(spec.title) - cell_len(spec.unit), 2)
    console.print(
        Text(spec.title, style="bold") + Text(" " * space + spec.unit if spec.unit else "", style=palette.level),
        soft_wrap=True,
    )
    _print_stripped(console, table, width)
    console.print()
    below = []
    if notes_below:
        period = ""
        for row in spec.rows:
            period = row.cells["period"] or period
            if row.cells["note"]:
                below.append(f"{period}: {row.cells['note']}")
    if below and spec.lines:
        below.append("")
    _print_lines(console, (*below, *spec.lines), palette)


def _print_stripped(console: Console, table: Table, width: int) -> None:
    """The table as wide as it is, without the spaces at the ends of its lines."""
    with console.capture() as drawn:
        console.print(table, width=min(max(width + 1, 20), console.width), crop=False, no_wrap=True)
    for line in drawn.get().splitlines():
        console.file.write(line.rstrip() + "\n")


def _print_lines(console: Console, lines: tuple[str, ...], palette: Palette) -> None:
    for line in lines:
        console.print(Text(line, style=palette.level), soft_wrap=not console.is_terminal)


def _width(spec: TableSpec, column: str, note_width: int | None) -> int:
    width = spec.width(column)
    return min(width, note_width) if column == "note" and note_width else width


def _narrowed(spec: TableSpec, columns: list[str], limit: int) -> dict[str, int]:
    """How wide the columns of labels may be, the widest cut first, so that all figures stay whole."""
    widths = {column: spec.width(column) for column in columns if column.startswith("dim:")}
    taken = sum(spec.width(c) for c in columns if c not in widths and c != "note") + _GAP * (len(columns) - 1)
    while widths and taken + sum(widths.values()) > limit and max(widths.values()) > _LEAST_LABEL:
        widest = max(widths, key=lambda column: widths[column])
        widths[widest] -= 1
    return widths


def _fit(spec: TableSpec, limit: int | None) -> tuple[list[str], bool, int | None]:
    """The columns that fit, whether the notes go below, and how wide they may be."""
    columns = list(spec.headings)
    if limit is None:
        return columns, False, None
    for dropped in ((), *spec.dropped):
        columns = [column for column in columns if column not in dropped]
        width = sum(spec.width(c) for c in columns) + _GAP * (len(columns) - 1)
        if width <= limit:
            return columns, bool(dropped) and "note" in spec.headings, None
        spare = limit - (width - spec.width("note")) if "note" in columns else 0
        if spare >= _LEAST_NOTE:
            return columns, False, spare
    return columns, "note" in spec.headings, None
