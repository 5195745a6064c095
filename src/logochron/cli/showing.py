"""An answer shown on the terminal, or written to a file."""

from __future__ import annotations

import os
import sys
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from logochron.cli.options import names
from logochron.cli.speaking import can_show, put, put_all, say
from logochron.cli.targets import OF_FIGURE
from logochron.core.errors import visible
from logochron.core.rows.answer import AlignedAnswer
from logochron.core.rows.result import Result
from logochron.views.figures.choose import named_figure, suited
from logochron.views.figures.drawing import drawing
from logochron.views.formats import Formats
from logochron.views.palette import Palette
from logochron.views.tables.answer_tables import check_room
from logochron.views.tables.cells import ALL, Shown
from logochron.views.write_file import texts_of, write

if TYPE_CHECKING:
    from rich.console import Console

#: So many periods the terminal shows where nobody says how many.
_LATEST = 13


def hand_over(
    result: Result,
    target: Path | None,
    options: dict[str, Any],
    formats: Formats,
    figure: Callable[[], Any] | None = None,
) -> None:
    """Show the answer, or write it."""
    if target is None:
        chosen = options.get("at") or options.get("last")
        shown = Shown(periods=None if chosen else _LATEST, sparks=bool(options.get("sparks")))
        if options["form"] == "words":
            show_words(result, options, formats)
            return
        show(result, options["form"] or "table", formats, fill=options.get("color") == "fill", shown=shown)
        return
    write(result, target, formats=formats, figure=figure, named=options.get("figure"))
    say(f"wrote {target}")


def figure_drawn(result: AlignedAnswer, options: dict[str, Any], formats: Formats) -> Callable[[], Any]:
    def drawn() -> Any:
        given = {name for name in OF_FIGURE if options.get(name) is not None}
        shown = suited(result, frozenset(given)) if options["figure"] is None else named_figure(options["figure"])
        if options["figure"] is None:
            say(f"{shown.in_words} (--figure {shown.figure.name})")
        taken = (*shown.figure.options, *shown.figure.shared)
        chosen = shown.options | {name: options[name] for name in taken if options.get(name) is not None}
        if chosen.get("item") is not None and len(result.by) > 1:
            # one label may hold a comma, several are parted by it
            chosen["item"] = tuple(names((chosen["item"],)))
        return drawing(shown.figure)(result, **chosen, formats=formats)

    return drawn


def show_words(result: Result, options: dict[str, Any], formats: Formats) -> None:
    """The answer in sentences on standard output, one a line; notes on standard error."""
    from logochron.views.words.sentences import sentences

    said = sentences(result, options.get("template"), then=options.get("then"), formats=_as_can_be_shown(formats))
    put("\n".join(visible(sentence) for sentence in said) + "\n")
    for note in result.notes:
        say(note)


def _as_can_be_shown(formats: Formats) -> Formats:
    """The formats, with ASCII signs where standard output can bear no others."""
    return formats if can_show("▲−–·─…") else replace(formats, plain=True)


def show(result: Result, form: str, formats: Formats, *, fill: bool = False, shown: Shown = ALL) -> None:
    """The answer on standard output, and nothing else there; `shown`: how much of it a table for people has."""
    formats = _as_can_be_shown(formats)
    if form not in ("table", "cards"):
        put_all(texts_of(result, form, formats), form="" if form == "md" else form)
        if form != "md":
            for note in result.notes:
                say(note)
        return
    if form == "table":
        check_room(result, "a table of text", shown.periods)
    from io import StringIO

    from rich.console import Console

    on_terminal = sys.stdout is not None and sys.stdout.isatty()
    # where no terminal limits it, a table is as wide as it needs
    width = Console(file=sys.stdout).width if on_terminal else 10_000
    drawn = StringIO()
    console = Console(
        file=drawn, force_terminal=on_terminal, highlight=False, no_color=True if formats.plain else None, width=width
    )
    if form == "cards" and result.type.cards and result.periods:
        _print_cards(console, result, formats)
    else:
        _print_tables(console, result, formats, fill=fill, shown=shown)
    put(drawn.getvalue())


def _print_tables(console: Console, result: Result, formats: Formats, *, fill: bool, shown: Shown) -> None:
    from logochron.views.tables.answer_tables import tables_of
    from logochron.views.tables.terminal import print_table

    for place, spec in enumerate(tables_of(result, formats, shown)):
        if place:
            console.print()
        print_table(console, spec, plain=formats.plain, fill=fill, palette=_palette())


def _palette() -> Palette:
    return Palette().on_terminal(os.environ.get("COLORFGBG"))


def _print_cards(console: Console, result: Any, formats: Formats) -> None:
    from logochron.views.tables.cards import cards_of, shown_cards
    from logochron.views.tables.terminal import print_cards
    from logochron.views.words.titles import coverage_line

    cards, cut = shown_cards(cards_of(result, formats), formats)
    lines = (*cut, *result.notes, coverage_line(result, formats))
    print_cards(console, cards, lines, plain=formats.plain, palette=_palette())
