"""Tables and cards on the terminal."""

from __future__ import annotations

from rich.box import Box
from rich.cells import cell_len
from rich.console import Console, Group
from rich.rule import Rule
from rich.style import Style
from rich.table import Table
from rich.text import Text

from logochron.core.errors import visible
from logochron.views.palette import Palette
from logochron.views.tables.cards import Card
from logochron.views.tables.cells import GAP, Row, TableColumn, TableSpec

_HAIRLINES = "    \n    \n ── \n    \n ── \n    \n    \n    \n"
_LEAST_NOTE = 24
_LEAST_LABEL = 3
#: Cells of a card at least and at most, and between two.
_LEAST_CARD, _MOST_CARD, _CARDS_APART = 24, 36, 3


def print_table(
    console: Console, spec: TableSpec, *, plain: bool, palette: Palette | None = None, fill: bool = False
) -> None:
    """Print a table on a terminal: as wide as it needs, or as that allows.

    `fill`: verdicts as the ground behind a figure, not as its color.
    """
    palette, spec = palette or Palette().on_any_ground(), spec.mapped(visible)
    if not spec.rows:
        console.print(Text(spec.title, style="bold"))
        console.print(Text(spec.empty))
        _print_lines(console, spec.lines, palette)
        return
    if spec.groups and sum(map(spec.width, spec.shown)) + GAP * (len(spec.shown) - 1) > console.width:
        spec = spec.below()
    columns, notes_below, note_width = _fit(spec, console.width)
    narrowed = _narrowed(spec, columns, console.width)
    fixed = sum(narrowed.get(c.name, spec.width(c)) for c in columns if c.kind != "note") + GAP * (len(columns) - 1)
    if fixed > console.width:
        _print_stacked(console, spec, columns, palette, plain=plain, fill=fill)
        return
    hair = Box(_HAIRLINES.replace("─", "-") if plain else _HAIRLINES, ascii=plain)
    table = Table(box=hair, show_edge=False, pad_edge=False, padding=(0, 1, 0, 0), border_style=palette.base)
    for column in columns:
        table.add_column(
            Text(column.heading, style=palette.level),
            justify="right" if column.is_figure else "left",
            no_wrap=column.kind != "note",
            overflow="fold" if column.kind == "note" else "ellipsis",
            # labels give way where it is narrow, figures never do
            min_width=spec.width(column) if column.is_figure or column.firm else None,
            max_width=note_width if column.kind == "note" else narrowed.get(column.name),
        )
    by_items = any(row.total for row in spec.rows)
    for place, row in enumerate(spec.rows):
        cells = [Text(spec.laid(row, column), style=_style(row, column, palette, fill=fill)) for column in columns]
        last = place == len(spec.rows) - 1
        ruled = by_items and row.total or spec.rows[min(place + 1, len(spec.rows) - 1)].set_off
        table.add_row(*cells, end_section=ruled and not last)
    width = sum(_width(spec, column, note_width) for column in columns) + GAP * (len(columns) - 1)
    beside = width - sum(_width(spec, column, note_width) + GAP for column in columns if column.kind == "note")
    space = max(beside - cell_len(spec.title) - cell_len(spec.unit), 2)
    console.print(
        Text(spec.title, style="bold") + Text(" " * space + spec.unit if spec.unit else "", style=palette.level),
        soft_wrap=True,
    )
    widths = {column.name: narrowed.get(column.name, _width(spec, column, note_width)) for column in columns}
    if heads := spec.heads(widths, columns, "-" if plain else "─"):
        console.print(Text(heads, style=palette.level), soft_wrap=True)
    _print_stripped(console, table, width)
    console.print()
    left_out = len(spec.shown) - len(columns)
    said = (spec.dropped_said.format(n=left_out),) if left_out and spec.dropped_said else ()
    _print_lines(console, (*(_notes_below(spec) if notes_below else ()), *said, *spec.lines), palette)


def _notes_below(spec: TableSpec) -> list[str]:
    """The notes of the rows as lines below the table, each with its period, or with what its row begins with."""
    below = []
    first = next((c for c in spec.shown if c.kind == "period"), spec.shown[0])
    named = ""
    for row in spec.rows:
        named = row.text(first.name) or named
        notes = (cell.text for cell in row.cells.values() if cell.kind == "note" and cell.text)
        below += [": ".join(filter(None, (named, note))) for note in notes]
    return [*below, ""] if below and spec.lines else below


def _style(row: Row, column: TableColumn, palette: Palette, *, fill: bool) -> Style:
    """How a cell is written: totals bold, what is judged in its verdict's color, what is empty pale."""
    style, cell = Style(bold=row.strong), row.cells.get(column.name)
    if cell is not None and cell.verdict:
        color = palette.verdict(cell.verdict)
        filled = fill and cell.verdict in ("favorable", "adverse")
        return style + (Style(color=palette.paper, bgcolor=color) if filled else Style(color=color))
    if column.kind == "bar":
        return Style(color=palette.base)
    if column.pale or (cell is not None and cell.text in ("–", "-")):
        return style + Style(color=palette.level)
    return style


def _print_stacked(
    console: Console, spec: TableSpec, columns: list[TableColumn], palette: Palette, *, plain: bool, fill: bool
) -> None:
    """A table that no narrowing fits into the console: each row its labels, then its figures, on lines of their own."""
    labels = [column for column in columns if not column.is_figure and column.kind not in ("note", "bar")]
    widths = {column: spec.width(column) for column in columns if column.is_figure}
    groups: list[list[TableColumn]] = [[]]
    for column, width in widths.items():  # as many figures on a line as fit
        taken = sum(widths[c] + GAP for c in groups[-1])
        if groups[-1] and taken + width > console.width:
            groups.append([])
        groups[-1].append(column)

    def stacked(texts: dict[TableColumn, Text]) -> None:
        filled = [texts[column] for column in labels if texts[column].plain.strip()]
        named = Text("  ").join(filled)
        for line in [named] if named.cell_len <= console.width else filled:  # no name gives way to another
            line.truncate(console.width, overflow="ellipsis")
            console.print(line, no_wrap=True, overflow="ellipsis")
        for group in groups:
            line = Text(" " * GAP).join(_right(texts[column], widths[column]) for column in group)
            console.print(_right(line, console.width), no_wrap=True, overflow="ellipsis")

    console.print(Text(spec.title, style="bold"))
    if spec.unit:
        console.print(Text(spec.unit, style=palette.level))
    stacked({column: Text(column.heading, style=palette.level) for column in columns})
    console.print(Text(("-" if plain else "─") * console.width, style=palette.base))
    for row in spec.rows:
        stacked({c: Text(spec.laid(row, c), style=_style(row, c, palette, fill=fill)) for c in columns})
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


def _width(spec: TableSpec, column: TableColumn, note_width: int | None) -> int:
    width = spec.width(column)
    return min(width, note_width) if column.kind == "note" and note_width else width


def _narrowed(spec: TableSpec, columns: list[TableColumn], limit: int) -> dict[str, int]:
    """How wide the columns of labels may be, the widest cut first, so that all figures stay whole."""
    widths = {column.name: spec.width(column) for column in columns if column.kind == "item"}
    others = [column for column in columns if column.kind not in ("item", "note")]
    taken = sum(map(spec.width, others)) + GAP * (len(columns) - 1)
    while widths and taken + sum(widths.values()) > limit and max(widths.values()) > _LEAST_LABEL:
        widest = max(widths, key=lambda column: widths[column])
        widths[widest] -= 1
    return widths


def _fit(spec: TableSpec, limit: int) -> tuple[list[TableColumn], bool, int | None]:
    """The columns that fit, whether the notes go below, and how wide they may be."""
    columns = list(spec.shown)
    note = next((column for column in columns if column.kind == "note"), None)
    for dropped in ((), *spec.dropped):
        columns = [column for column in columns if column.name not in dropped or column.marked]
        width = sum(map(spec.width, columns)) + GAP * (len(columns) - 1)
        if width <= limit:
            return columns, bool(dropped) and note is not None, None
        spare = limit - (width - spec.width(note)) if note in columns and note is not None else 0
        if spare >= _LEAST_NOTE:
            return columns, False, spare
    return columns, note is not None, None


def print_cards(
    console: Console, cards: list[Card], lines: tuple[str, ...], *, plain: bool, palette: Palette | None = None
) -> None:
    """Print cards below the period they are of, and what is to be known beside them."""
    palette = palette or Palette().on_any_ground()
    console.print(Text(visible(cards[0].period), style="bold"))
    width = min(console.width, 120)
    wide = min(max(max(map(_card_width, cards)), _LEAST_CARD), _MOST_CARD, width)
    columns = max((width + _CARDS_APART) // (wide + _CARDS_APART), 1)
    for first in range(0, len(cards), columns):
        grid = Table.grid(padding=(0, _CARDS_APART, 0, 0))
        shown = cards[first : first + columns]
        for _ in shown:
            grid.add_column(width=wide)
        grid.add_row(*(_card(card, palette, plain=plain) for card in shown))
        console.print()
        with console.capture() as drawn:
            console.print(grid)
        for line in drawn.get().splitlines():
            console.file.write(line.rstrip() + "\n")
    console.print()
    _print_lines(console, tuple(map(visible, lines)), palette)


def _card_lines(card: Card) -> tuple[str, ...]:
    named = ", ".join(filter(None, (card.name, card.item)))
    return named, card.figure, "  ".join(filter(None, (card.moved, card.change))), card.earlier


def _card_width(card: Card) -> int:
    return max(Text(line).cell_len for line in _card_lines(card))


def _card(card: Card, palette: Palette, *, plain: bool) -> Group:
    """One card: a line in the color of its verdict, then name, figure, how it moved, what came before."""
    color = palette.verdict(card.verdict)
    styles = (Style(color=palette.level), Style(bold=True), Style(color=color), Style(color=palette.level))
    texts = (Text(visible(line), style=style, overflow="ellipsis", no_wrap=True)
             for line, style in zip(_card_lines(card), styles))  # fmt: skip
    return Group(Rule(characters="-" if plain else "─", style=color), *texts)
