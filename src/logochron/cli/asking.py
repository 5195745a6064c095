"""From the options of a question to an answer shown or written."""

from __future__ import annotations

import sys
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from logochron.cli import expressions, options
from logochron.cli.alerting import alerts_of, told
from logochron.cli.calendars import calendar_of, this_year
from logochron.cli.progress import reading_progress
from logochron.cli.speaking import can_show, put, say
from logochron.cli.targets import OF_FIGURE, target_of
from logochron.core.align.bases import Basis, Plan, parse_basis
from logochron.core.book.daybook import Daybook
from logochron.core.book.measures import Measure
from logochron.core.calendars.base import Calendar
from logochron.core.errors import QuestionError, no_such, visible
from logochron.core.judge.judging import Judging
from logochron.core.questions.alerts import Alert
from logochron.core.questions.compare import Comparison, compare
from logochron.core.questions.explain import explain
from logochron.core.questions.period_list import list_periods
from logochron.core.rows.answer import AlignedAnswer
from logochron.core.rows.columns import UNUSUAL, check_dimensions, headings_of, sort_named
from logochron.core.rows.result import Result
from logochron.views.figures.choose import named_figure, suited
from logochron.views.formats import Formats
from logochron.views.tables.spec import ALL, Shown
from logochron.views.words.basis_words import heading
from logochron.views.write_file import text_of, write

if TYPE_CHECKING:
    from rich.console import Console

#: So many periods the terminal shows where nobody says how many.
_LATEST = 13


def read_book(sales: tuple[str, ...], asked: dict[str, Any], calendar: Calendar) -> Daybook:
    """The daybook that the reading options ask for."""
    columns = list(dict.fromkeys(options.names(asked["value"])))
    lower = options.names(asked["lower_is_better"])
    made = [expressions.measure(text, lower) for text in asked["measures"]]
    known = [*columns, *(measure.name for measure in made)]
    for name in lower:
        if name not in known:
            where = "--value and --measure" if made else "--value"
            raise QuestionError(f"--lower-is-better: {no_such('amount', name, known, where=where)}")
    from logochron.sources.kinds.streams import copied
    from logochron.sources.read import read

    quantity = asked.get("quantity")
    with copied(list(sales)) as source, reading_progress() as progress:
        if quantity is not None and not known:
            columns = [_amount_beside(quantity, source, asked)]
        if quantity is not None and quantity not in known:
            columns.append(quantity)
        return read(
            source,
            date=asked["date"],
            measures=[*(Measure(name, better=expressions.better_of(name, lower)) for name in columns), *made],
            by=options.dimensions(asked["by"]),
            where=options.conditions(asked["where"]),
            progress=progress,
            calendar=calendar,
            **{name: asked[name] for name in options.READING},
        )


def _amount_beside(quantity: str, source: Any, asked: dict[str, Any]) -> str:
    """The column of amounts that goes with one of quantities, where it is not named."""
    from logochron.sources.guess_columns import amount_beside
    from logochron.sources.kinds.find_files import Dialect

    known = [quantity, *options.dimensions(asked["by"]).values(), *options.conditions(asked["where"])]
    dialect = Dialect(*(asked[name] for name in ("delimiter", "encoding", "header_row", "sheet")))
    column = amount_beside(source, asked["date"], known, dialect)
    say(f"amounts from column {column!r} (--value)")
    return column


def formats_of(asked: dict[str, Any]) -> Formats:
    return Formats(
        locale=asked["locale"],
        currency=asked.get("currency"),
        decimals=asked.get("decimals"),
        plain=asked["plain"],
    )


def _running(asked: dict[str, Any]) -> str | int | None:
    running = asked["running"]
    return int(running) if running is not None and running.isdecimal() else running


def _spans(asked: dict[str, Any], book: Daybook, calendar: Calendar) -> dict[str, Any]:
    """The options of every question about periods."""
    return {
        "book": book,
        "each": asked["each"] or _each(book),
        "running": _running(asked),
        "at": asked["at"],
        "partial": asked["partial"],
        "weeks": asked["weeks"],
        "items": asked["kept"],
        "by": list(options.dimensions(asked["by"])),
        "calendar": calendar,
    }


def _each(book: Daybook) -> str:
    """The grain of the rows where none is asked for: that of the records, a month where those are of days."""
    standing = book.standing
    return standing.records_of if standing.whole else "month"


def basis_of(asked: dict[str, Any]) -> Basis:
    """What periods are held against: where nothing is asked for the plan that is given, else a year ago."""
    return parse_basis(asked["against"] or ("plan" if asked.get("plan") else "year-ago"))


def basis_with_plan(asked: dict[str, Any]) -> Basis:
    """What periods are held against, refused where a plan is given for nothing, or asked for and not given."""
    basis = basis_of(asked)
    if (asked["plan"] is not None) != isinstance(basis, Plan):
        raise QuestionError("--plan FILE and --against plan go together")
    return basis


def _planned(sales: tuple[str, ...], asked: dict[str, Any]) -> dict[str, Any]:
    """The options of a question about spans that may be put against a plan, both books read."""
    basis = basis_with_plan(asked)
    calendar = calendar_of(asked)
    book, plan = books_of(sales, asked, calendar)
    return _spans(asked, book, calendar) | {"against": basis, "plan": plan}


def books_of(sales: tuple[str, ...], asked: dict[str, Any], calendar: Calendar) -> tuple[Daybook, Daybook | None]:
    """The sales, and the plan where one is given."""
    from logochron.sources.kinds.streams import is_standard_input

    if is_standard_input(asked["plan"]) and any(map(is_standard_input, sales)):
        raise QuestionError("standard input cannot be both the sales and the plan: write one of them to a file")
    book = read_book(sales, asked, calendar)
    dimensions = options.dimensions(asked["by"])
    plan = None
    if asked["plan"] is not None:
        from logochron.sources.read_plan import plan_of

        # a filter too is of the plan, where it has the column
        shared = dimensions | {name: name for selection in book.filters for name in selection if name not in dimensions}
        plan = plan_of(
            asked["plan"],
            book.measures,
            shared,
            records_of=asked["plan_records_of"],
            calendar=calendar,
            spread=asked["plan_spread"],
        )
    return book, plan


def check_dimensions_of(asked: dict[str, Any], answer: str) -> dict[str, str]:
    """The dimensions, refused before anything is read where the answer has columns called like them."""
    dimensions = options.dimensions(asked["by"])
    check_dimensions(answer, dimensions, list(dimensions.values()))
    return dimensions


def _headings(answer: str, asked: dict[str, Any]) -> dict[str, str]:
    """Headings that stand for columns, as far as the options tell them."""
    measures = [*options.names(asked["value"]), *(expressions.measure(text, []).name for text in asked["measures"])]
    return {heading(basis_of(asked)): "base", **headings_of(answer, options.dimensions(asked["by"]), measures)}


def alerts_and_items(asked: dict[str, Any], answer: str, judging: Judging) -> tuple[list[Alert], dict[str, Any]]:
    """The alerts, and the options that choose and order items: refused before anything is read where it can be told."""
    headings = _headings(answer, asked)
    alerts = alerts_of(asked["alerts"], answer, check_dimensions_of(asked, answer), judging, headings)
    sort = asked["sort"]
    if sort is not None and (asked["value"] or asked["measures"]):
        sort = sort_named(answer, sort, headings)
    return alerts, {"top": asked["top"], "sort": sort}


def judging_of(asked: dict[str, Any]) -> Judging:
    """How the options judge a change."""
    return Judging(
        level_within=options.part(asked["level_within"], "--level-within"),
        level_as=asked["level_as"],
        bands=[expressions.band(text) for text in asked.get("bands", ())],
        on=asked.get("bands_on", "growth"),
        marks=expressions.signs(asked["marks"]),
        marks_place=asked["marks_place"],
        marks_of=asked["marks_of"],
    )


def answer_compare(sales: tuple[str, ...], asked: dict[str, Any]) -> bool:
    """Ask, and show or write the answer; whether an alert fired."""
    formats = formats_of(asked)
    target = target_of(asked, sales)
    judging = judging_of(asked)
    alerts, items = alerts_and_items(asked, "compare", judging)
    result = compare(
        **_planned(sales, asked),
        per=asked["per"],
        skip_closed=asked["skip_closed"],
        **items,
        last=asked["last"],
        judging=judging,
        unusual=asked["unusual"] or any(alert.column in UNUSUAL for alert in alerts),
    )
    hand_over(result, target, asked, formats, figure=figure_drawn(result, asked, formats))
    return told(alerts, result, formats)


def answer_relate(sales: tuple[str, ...], asked: dict[str, Any]) -> bool:
    """Hold items beside each other, and show or write the answer; whether an alert fired."""
    from logochron.core.questions import relate

    formats, target, judging = formats_of(asked), target_of(asked, sales, "relate"), judging_of(asked)
    alerts, items = alerts_and_items(asked, "relate", judging)
    calendar = calendar_of(asked)
    result = relate.relate(
        **_spans(asked, read_book(sales, asked, calendar), calendar),
        beside=asked["beside"],
        within=asked["within"],
        against=basis_of(asked),
        **items,
        last=asked["last"],
        judging=judging,
    )
    hand_over(result, target, asked, formats)
    return told(alerts, result, formats)


def answer_drivers(sales: tuple[str, ...], asked: dict[str, Any]) -> bool:
    """Take a change apart, and show or write the answer; whether an alert fired."""
    from logochron.core.questions import drivers

    formats, target, judging = formats_of(asked), target_of(asked, sales, "drivers"), judging_of(asked)
    alerts, items = alerts_and_items(asked, "drivers", judging)
    result = drivers.drivers(
        **_planned(sales, asked),
        **items,
        quantity=asked["quantity"],
        judging=judging,
    )
    hand_over(result, target, asked, formats, figure=figure_drawn(result, asked, formats))
    return told(alerts, result, formats)


def answer_explain(sales: tuple[str, ...], asked: dict[str, Any]) -> None:
    """Explain one figure."""
    formats = formats_of(asked)
    check_dimensions_of(asked, "compare")
    target = target_of(asked, sales, "explain")
    result = compare(
        **_planned(sales, asked),
        per=asked["per"],
        skip_closed=asked["skip_closed"],
        last=None if asked["at"] else 1,
    )
    receipt = explain(result, None if len(result.periods) == 1 else asked["at"], holidays=asked["holidays"])
    hand_over(receipt, target, asked, formats)


def answer_calendar(asked: dict[str, Any]) -> None:
    """List the periods of a calendar."""
    formats = formats_of(asked)
    target = target_of(asked, (), "calendar")
    calendar = calendar_of(asked)
    result = list_periods(calendar, asked["each"], asked["between"] or this_year(calendar))
    hand_over(result, target, asked, formats)


def hand_over(
    result: Result,
    target: Path | None,
    asked: dict[str, Any],
    formats: Formats,
    figure: Callable[[], Any] | None = None,
) -> None:
    """Show the answer, or write it."""
    if target is None:
        chosen = asked.get("at") or asked.get("last")
        shown = Shown(periods=None if chosen else _LATEST, sparks=bool(asked.get("sparks")))
        if asked["form"] == "words":
            show_words(result, asked, formats)
            return
        show(result, asked["form"] or "table", formats, fill=asked.get("color") == "fill", shown=shown)
        return
    write(result, target, formats=formats, figure=figure)
    say(f"wrote {target}")


def figure_drawn(result: AlignedAnswer, asked: dict[str, Any], formats: Formats) -> Callable[[], Any]:
    def drawn() -> Any:
        given = {name for name in OF_FIGURE if asked.get(name) is not None}
        shown = suited(result, frozenset(given)) if asked["figure"] is None else named_figure(asked["figure"])
        if asked["figure"] is None:
            say(f"{shown.told} (--figure {shown.figure.name})")
        taken = (*shown.figure.options, *shown.figure.shared)
        chosen = shown.options | {name: asked[name] for name in taken if asked.get(name) is not None}
        if chosen.get("item") is not None and len(result.by) > 1:
            # one label may hold a comma, several are parted by it
            chosen["item"] = tuple(options.names((chosen["item"],)))
        return shown.figure.draw(result, **chosen, formats=formats)

    return drawn


def answer_review(sales: tuple[str, ...], asked: dict[str, Any]) -> None:
    """Review, and show or write the findings."""
    from logochron.sources.review_source import review

    target = target_of(asked, sales, "review")
    formats = formats_of(asked)
    by = options.dimensions(asked["by"])
    with reading_progress() as progress:
        result = review(
            list(sales),
            date=asked["date"],
            values=list(dict.fromkeys(options.names(asked["value"]))),
            by=by or None,
            where=options.conditions(asked["where"]),
            progress=progress,
            **{name: asked[name] for name in options.READING if name != "on_refused"},
        )
    hand_over(result, target, asked, formats)


def show_words(result: Result, asked: dict[str, Any], formats: Formats) -> None:
    """The answer in sentences on standard output, one a line; notes on standard error."""
    from logochron.views.words.sentences import sentences

    said = sentences(result, asked.get("template"), then=asked.get("then"), formats=formats)
    put("\n".join(visible(sentence) for sentence in said) + "\n")
    for note in result.notes:
        say(note)


def show(result: Result, form: str, formats: Formats, *, fill: bool = False, shown: Shown = ALL) -> None:
    """The answer on standard output, and nothing else there; `shown`: how much of it a table for people has."""
    if not can_show("▲−–·─…"):
        formats = replace(formats, plain=True)
    if form not in ("table", "cards"):
        put(text_of(result, form, formats), form="" if form == "md" else form)
        if form != "md":
            for note in result.notes:
                say(note)
        return
    from io import StringIO

    from rich.console import Console

    on_terminal = sys.stdout is not None and sys.stdout.isatty()
    # where no terminal limits it, a table is as wide as it needs
    width = Console(file=sys.stdout).width if on_terminal else 10_000
    drawn = StringIO()
    console = Console(
        file=drawn, force_terminal=on_terminal, highlight=False, no_color=True if formats.plain else None, width=width
    )
    if form == "cards" and isinstance(result, Comparison) and result.periods:
        _print_cards(console, result, formats)
    else:
        _print_tables(console, result, formats, fill=fill, shown=shown)
    put(drawn.getvalue())


def _print_tables(console: Console, result: Result, formats: Formats, *, fill: bool, shown: Shown) -> None:
    from logochron.views.tables.registry import specs
    from logochron.views.tables.terminal import print_table

    for place, spec in enumerate(specs(result, formats, shown)):
        if place:
            console.print()
        print_table(console, spec, plain=formats.plain, fill=fill)


def _print_cards(console: Console, result: Comparison, formats: Formats) -> None:
    from logochron.views.tables.cards import cards_of
    from logochron.views.tables.terminal_cards import print_cards
    from logochron.views.words.titles import coverage_line

    lines = (*result.notes, coverage_line(result, formats))
    print_cards(console, cards_of(result, formats), lines, plain=formats.plain)
