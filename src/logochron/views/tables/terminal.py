"""Tables on the terminal."""

from __future__ import annotations

from rich.box import Box
from rich.cells import cell_len
from rich.console import Console
from rich.style import Style
from rich.table import Table
from rich.text import Text

from logochron.core.errors import visible
from logochron.views.palette import Palette
from logochron.views.tables.spec import Row, TableSpec

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
    palette, spec = palette or Palette().on_any_ground(), spec.told(visible)
    if not spec.rows:
        console.print(Text(spec.title, style="bold"))
        console.print(Text(spec.empty))
        _print_lines(console, spec.lines, palette)
        return
    columns, notes_below, note_width = _fit(spec, console.width if console.is_terminal else None)
    narrowed = _narrowed(spec, columns, console.width) if console.is_terminal else {}
    fixed = sum(narrowed.get(c, spec.width(c)) for c in columns if c != "note") + _GAP * (len(columns) - 1)
    if console.is_terminal and fixed > console.width:
        _print_stacked(console, spec, columns, palette, plain=plain, fill=fill)
        return
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
            cells.append(Text(spec.cell(row, column), style=_style(spec, row, column, palette, fill=fill)))
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
    _print_lines(console, (*(_notes_below(spec) if notes_below else ()), *spec.lines), palette)


def _notes_below(spec: TableSpec) -> list[str]:
    """The notes of the rows as lines below the table, with the period of each."""
    below = []
    period = ""
    for row in spec.rows:
        period = row.cells.get("period", "") or period
        if row.cells.get("note"):
            below.append(": ".join(filter(None, (period, row.cells["note"]))))
    return [*below, ""] if below and spec.lines else below


def _style(spec: TableSpec, row: Row, column: str, palette: Palette, *, fill: bool) -> Style:
    """How a cell is written: totals bold, what is judged in its verdict's color, what is empty pale."""
    style = Style(bold=row.total or row.subtotal)
    if column == spec.judged and row.verdict:
        color = palette.verdict(row.verdict)
        filled = fill and row.verdict in ("favorable", "adverse")
        return style + (Style(color=palette.paper, bgcolor=color) if filled else Style(color=color))
    if column == "bar":
        return Style(color=palette.base)
    if column in ("note", "share", "when", "spark") or row.cells.get(column) in ("–", "-"):
        return style + Style(color=palette.level)
    return style


def _print_stacked(
    console: Console, spec: TableSpec, columns: list[str], palette: Palette, *, plain: bool, fill: bool
) -> None:
    """A table that no narrowing fits into the console: each row its labels, then its figures, on lines of their own."""
    labels = [column for column in columns if column not in spec.numeric and column not in ("note", "bar")]
    widths = {column: spec.width(column) for column in columns if column in spec.numeric}
    groups: list[list[str]] = [[]]
    for column, width in widths.items():  # as many figures on a line as fit
        taken = sum(widths[c] + _GAP for c in groups[-1])
        if groups[-1] and taken + width > console.width:
            groups.append([])
        groups[-1].append(column)

    def stacked(texts: dict[str, Text]) -> None:
        filled = [texts[column] for column in labels if texts[column].plain.strip()]
        named = Text("  ").join(filled)
        for line in [named] if named.cell_len <= console.width else filled:  # no name gives way to another
            line.truncate(console.width, overflow="ellipsis")
            console.print(line, no_wrap=True, overflow="ellipsis")
        for group in groups:
            line = Text(" " * _GAP).join(_right(texts[column], widths[column]) for column in group)
            console.print(_right(line, console.width), no_wrap=True, overflow="ellipsis")

    console.print(Text(spec.title, style="bold"))
    if spec.unit:
        console.print(Text(spec.unit, style=palette.level))
    stacked({column: Text(spec.headings[column], style=palette.level) for column in columns})
    console.print(Text(("-" if plain else "─") * console.width, style=palette.base))
    for row in spec.rows:
        cells = {column: spec.cell(row, column) for column in columns}
        stacked({c: Text(text, style=_style(spec, row, c, palette, fill=fill)) for c, text in cells.items()})
    console.print()
    _print_lines(console, (*_notes_below(spec), *spec.lines), palette)


def _right(text: Text, width: int) -> Text:
    """A text at the right of so many cells."""
    return Text(" " * max(width - text.cell_len, 0)) + text


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
