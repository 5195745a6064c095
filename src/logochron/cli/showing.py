"""Where an answer goes: to the terminal, or to the file of --out."""

from __future__ import annotations

import os
import sys
from collections.abc import Callable, Sequence
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from logochron.cli.books import plan_files
from logochron.cli.options import names
from logochron.cli.speaking import can_show, check_trial, put, put_all, say
from logochron.core.errors import QuestionError, brief, visible
from logochron.core.rows.answer import Answer
from logochron.core.rows.question_types import question_type, question_types
from logochron.core.rows.result import Result
from logochron.core.said import Said
from logochron.views.figures.registry import FIGURES, figure_named
from logochron.views.formats import Formats
from logochron.views.palette import Palette
from logochron.views.tables.answer_tables import check_room
from logochron.views.tables.cells import ALL, Shown
from logochron.views.whole_file import ordinary
from logochron.views.write_file import (
    HANDOUTS,
    ONE_PAGE,
    PICTURE_ENDINGS,
    SLIDES,
    TABLE_ENDINGS,
    check_ending,
    texts_of,
    write,
)

if TYPE_CHECKING:
    from rich.console import Console

#: The figures that take each option of figures.
OF_FIGURE = {
    option: tuple(figure.name for figure in FIGURES if option in figure.options)
    for option in dict.fromkeys(option for figure in FIGURES for option in figure.options)
}


def target_of(options: dict[str, Any], sales: Sequence[str], answer: str = "compare") -> Path | None:
    """The file to write, refused before anything is read where it cannot be, or is one of those to be read.

    Raises
    ------
    QuestionError
        Where the options about it do not go together, or it is no place for an answer.
    """
    out, figure, of = options["out"], options.get("figure"), question_type(answer)
    _check_form(options, answer)
    given = [name for name in OF_FIGURE if options.get(name) is not None]
    for name in given:
        kinds = [kind for kind in OF_FIGURE[name] if kind in of.figures]
        if figure is not None and figure not in kinds:
            raise QuestionError("--{0} goes with --figure {1}", name, " or ".join(kinds))
    if figure is None and given and not any(set(given) <= set(figure_named(name).options) for name in of.figures):
        raise QuestionError("no figure takes {0} together", " and ".join(f"--{name}" for name in given))
    if options.get("across"):
        given_too = next((n for n in ("figure", "sparks", *OF_FIGURE) if options.get(n)), None)
        if given_too or options["form"] in ("words", "cards") or Path(out or "").suffix in PICTURE_ENDINGS:
            raise QuestionError("--across lays out a table: for a picture say --figure heat, without --across")
    if out is None:
        for name in ("figure", *OF_FIGURE):
            if options.get(name) is not None:
                endings, settled = ", ".join(PICTURE_ENDINGS), {"out": f"{figure or 'answer'}.png"}
                raise QuestionError("--{0} needs --out FILE with one of {1}", name, endings, remedies=[settled])
        return None
    if options["form"]:
        raise QuestionError("--out chooses the form by its ending: leave --as out")
    target = Path(out)
    ending = check_ending(target)
    drawn = (*PICTURE_ENDINGS, ".html", SLIDES)
    if figure and ending not in drawn:
        raise QuestionError("--figure {0} needs --out with one of {1}; got {2}", figure, ", ".join(drawn), brief(out))
    if ending in PICTURE_ENDINGS and ending != ONE_PAGE and "figure" not in options:
        raise QuestionError("{0}: no figure shows this answer; known are {1}", target, ", ".join(TABLE_ENDINGS))
    place = ordinary(target)
    check_apart(
        "--out",
        target,
        place,
        [*sales, *plan_files(options).values(), *(options.get(name) for name in ("calendar", "profile"))],
    )
    return target


def _check_form(options: dict[str, Any], answer: str) -> None:
    """Refuse a form that an answer does not have, and options of forms that are not asked for."""
    form, of = options["form"], question_type(answer)
    if form == "words" and not of.sentences:
        said = ", ".join(one.name for one in question_types() if one.sentences)
        raise QuestionError("--as words: the answers of {0} can be said in sentences, not that of {1}", said, answer)
    if form == "cards" and not of.cards:
        shown = ", ".join(one.name for one in question_types() if one.cards)
        raise QuestionError("--as cards shows the answer of {0}, not that of {1}", shown, answer)
    for name in ("template", "then"):
        if options.get(name) is not None and form != "words":
            raise QuestionError("--{0} goes with --as words", name)


def check_apart(option: str, target: Path, place: Path, read: Sequence[str | None]) -> None:
    """Refuse to write over what is read, or into it, however either is spelled or linked.

    Raises
    ------
    QuestionError
        Naming the option and the file that is read.
    """
    from logochron.sources.files.find_files import files_of, is_same
    from logochron.sources.pushdown.database_address import local_file

    for named in filter(None, read):
        local = local_file(named)
        for path in [] if local is None else files_of(local):
            if is_same(place, path):
                one, other = visible(str(target)), visible(str(path))
                raise QuestionError(
                    "{0} {1} would write over {2}, which is read: name another file", option, one, other
                )


def hand_over(
    result: Result,
    target: Path | None,
    options: dict[str, Any],
    formats: Formats,
    figure: Callable[[], Any] | None = None,
) -> None:
    """Show the answer, or write it."""
    check_trial()
    if target is None:
        from logochron.views.tables.plain_text import LATEST

        chosen = options.get("at") or options.get("last")
        shown = Shown(periods=None if chosen else LATEST, sparks=bool(options.get("sparks")), once=True)
        if options["form"] == "words":
            show_words(result, options, formats)
            return
        show(result, options["form"] or "table", formats, fill=options.get("color") == "fill", shown=shown)
        return
    if target.suffix.lower() in HANDOUTS and not any(options.get(name) is not None for name in ("figure", *OF_FIGURE)):
        figure = None  # a sheet of paper or slides, no picture of a figure
    write(result, target, formats=formats, figure=figure, named=options.get("figure"))
    say(Said("wrote {0}", target))


def figure_drawn(result: Answer, options: dict[str, Any], formats: Formats) -> Callable[[], Any]:
    def drawn() -> Any:
        from logochron.views.figures.choose import named_figure, suited
        from logochron.views.figures.drawing import drawing, leave_out_pages

        leave_out_pages()
        given = {name for name in OF_FIGURE if options.get(name) is not None}
        shown = suited(result, frozenset(given)) if options["figure"] is None else named_figure(options["figure"])
        if options["figure"] is None:
            say(Said("{0} (--figure {1})", shown.in_words, shown.figure.name))
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
    on_terminal = sys.stdout is not None and sys.stdout.isatty()
    as_cards = form == "cards" and bool(result.type.cards) and bool(result.periods)
    if not (on_terminal or as_cards):
        from logochron.views.tables.answer_tables import tables_of
        from logochron.views.tables.plain_text import table_text

        put("\n".join(table_text(spec, plain=formats.plain) for spec in tables_of(result, formats, shown)))
        return
    from io import StringIO

    from rich.console import Console

    # where no terminal limits it, a table is as wide as it needs
    width = Console(file=sys.stdout).width if on_terminal else 10_000
    drawn = StringIO()
    console = Console(
        file=drawn, force_terminal=on_terminal, highlight=False, no_color=True if formats.plain else None, width=width
    )
    if as_cards:
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
    from logochron.core.rows.question_types import loaded
    from logochron.views.tables.cards import shown_cards
    from logochron.views.tables.terminal import print_cards
    from logochron.views.words.titles import coverage_line

    cards, cut = shown_cards(loaded(result.type.cards)(result, formats), formats)
    lines = (*cut, *result.notes, coverage_line(result, formats))
    print_cards(console, cards, lines, plain=formats.plain, palette=_palette())
