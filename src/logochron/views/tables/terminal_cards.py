"""Cards on the terminal, as many side by side as there is room for."""

from __future__ import annotations

from rich.console import Console, Group
from rich.rule import Rule
from rich.style import Style
from rich.table import Table
from rich.text import Text

from logochron.core.errors import visible
from logochron.views.palette import Palette
from logochron.views.tables.cards import Card

#: Cells of a card at least and at most, and between two.
_LEAST, _MOST, _APART = 24, 36, 3


def print_cards(
    console: Console, cards: list[Card], lines: tuple[str, ...], *, plain: bool, palette: Palette | None = None
) -> None:
    """Print cards below the period they are of, and what is to be known beside them."""
    palette = palette or Palette().on_any_ground()
    console.print(Text(visible(cards[0].period), style="bold"))
    width = min(console.width, 120)
    wide = min(max(max(map(_width, cards)), _LEAST), _MOST, width)
    columns = max((width + _APART) // (wide + _APART), 1)
    for first in range(0, len(cards), columns):
        grid = Table.grid(padding=(0, _APART, 0, 0))
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
    for line in lines:
        console.print(Text(visible(line), style=palette.level), soft_wrap=not console.is_terminal)


def _lines(card: Card) -> tuple[str, ...]:
    named = ", ".join(filter(None, (card.name, card.item)))
    return named, card.figure, "  ".join(filter(None, (card.moved, card.change))), card.earlier


def _width(card: Card) -> int:
    return max(Text(line).cell_len for line in _lines(card))


def _card(card: Card, palette: Palette, *, plain: bool) -> Group:
    """One card: a line in the color of its verdict, then name, figure, how it moved, what came before."""
    color = palette.verdict(card.verdict)
    styles = (Style(color=palette.level), Style(bold=True), Style(color=color), Style(color=palette.level))
    texts = (Text(visible(line), style=style, overflow="ellipsis", no_wrap=True)
             for line, style in zip(_lines(card), styles))  # fmt: skip
    return Group(Rule(characters="-" if plain else "─", style=color), *texts)
