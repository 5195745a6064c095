"""The options that questions share, and what their texts mean."""

from __future__ import annotations

import csv
from collections.abc import Callable
from fractions import Fraction
from typing import Any, TypeVar

import click

from logochron.cli.option_types import Choice, Whole
from logochron.core.errors import QuestionError, brief
from logochron.core.options import (
    BandOn,
    Color,
    Each,
    Empty,
    Gaps,
    Grain,
    Kept,
    LevelAs,
    Marked,
    MarkPlace,
    MarkSet,
    MarksOf,
    OnRefused,
    Partial,
    Per,
    PlanSpread,
    Profile,
    Rest,
    Spread,
    Weekday,
    Weeks,
    Within,
    YearEnds,
    YearNamed,
    rational,
    values,
)
from logochron.core.rows.question_types import question_type
from logochron.views.figures.registry import FIGURES

F = TypeVar("F", bound=Callable[..., Any])


def _all(*options: Callable[[F], F]) -> Callable[[F], F]:
    def decorate(command: F) -> F:
        for option in reversed(options):
            command = option(command)
        return command

    return decorate


def _choice(literal: Any) -> click.Choice[str]:
    return Choice(values(literal))


def reading(command: F) -> F:
    """Options that say how files are read."""
    return _all(
        click.option("--date", metavar="COL", help="Column of dates; found where only one can be meant."),
        click.option(
            "--value",
            "value",
            multiple=True,
            metavar="COL",
            help="Column of amounts, found likewise; several by comma.",
        ),
        click.option(
            "--by", multiple=True, metavar="COL", help="Column to split by; several by comma; NAME=COL renames."
        ),
        click.option(
            "--where",
            multiple=True,
            metavar="COL=VALUE",
            help="Rows wanted, or COL!=VALUE. The same column again: or; another: and.",
        ),
        click.option("--until", metavar="DAY", help="Report date; the last day in the records if left out."),
        click.option(
            "--covering", metavar="FIRST..LAST", help="Days the records are complete for; either end alone too."
        ),
        click.option("--day-first/--month-first", default=None, help="How 03/04/2026 is to be read."),
        click.option("--date-format", metavar="FORM", help="Form of the dates, such as '%d %b %y'."),
        click.option("--decimal", metavar="MARK", help="Decimal mark of amounts: . or ,"),
        click.option("--thousands", metavar="MARK", help="What parts thousands: , . space apostrophe none"),
        click.option("--header-row", type=Whole(0), metavar="N", help="Line of the header; 0: there is none."),
        click.option("--sheet", metavar="NAME", help="Sheet of a workbook."),
        click.option("--table", metavar="NAME", help="Table of a database, whose address SALES is."),
        click.option("--query", metavar="SELECT", help="Of a database: a query of your own."),
        click.option(
            "--records-of",
            type=_choice(Grain),
            default="day",
            show_default=True,
            help="What each record stands for: a day, or the whole of a longer period (a monthly file).",
        ),
        click.option("--spread", type=_choice(Spread), help="Lay such records evenly on their days."),
        click.option("--periods-in-columns", type=_choice(Grain), help="A wide table: one column a period."),
        click.option("--delimiter", metavar="CHAR", help="What parts the fields ('tab' for a tab)."),
        click.option("--encoding", metavar="NAME", help="Encoding of the text, such as cp1252."),
        click.option("--tz", metavar="ZONE", help="Zone of the days of zoned timestamps."),
        click.option("--empty", type=_choice(Empty), default="refused", show_default=True, help="Empty amounts."),
    )(command)


def judging(command: F) -> F:
    """Options that say what refused rows and falling amounts mean to a question."""
    return _all(
        click.option(
            "--on-refused", type=_choice(OnRefused), default="stop", show_default=True, help="What refused rows do."
        ),
        click.option("--measure", "measures", multiple=True, metavar="NAME=...",
                     help="NAME=COL, =count, =distinct COL, =A-B or =A/B; maybe: where COL=VALUE."),
        click.option("--lower-is-better", multiple=True, metavar="COL",
                     help="Amount or measure of which less is favorable."),
    )(command)  # fmt: skip


def calendar(command: F) -> F:
    """Options that choose the calendar. What is left out is the calendar's own default."""
    return _all(
        click.option("--calendar", metavar="civil|retail|FILE", default="civil", show_default=True,
                     help="Months; whole weeks; or a table of periods: start, end, label, year."),
        click.option("--year-start", type=Whole(1, 12), help="civil: first month of the year.  [default: 1]"),
        click.option("--week-start", type=_choice(Weekday), help="civil: first weekday.  [default: monday]"),
        click.option("--year-named", type=_choice(YearNamed),
                     help="Which civil year names a year.  [default: civil ending, retail starting]"),
        click.option("--pattern", metavar="4-5-4", help="retail: weeks in the periods of a quarter, or 13x4."),
        click.option("--year-ends-on", type=_choice(Weekday), help="retail: day a year ends on.  [default: saturday]"),
        click.option("--year-ends-in", type=Whole(1, 12), help="retail: month a year ends in.  [default: 1]"),
        click.option("--year-ends", type=_choice(YearEnds), help="retail: on that day nearest to its end, or last."),
        click.option("--long-period", type=Whole(1), metavar="N", help="retail: period of week 53."),
        click.option("--calendar-gaps", type=_choice(Gaps), help="FILE: days between its periods."),
    )(command)  # fmt: skip


def each(command: F) -> F:
    """The grain of a list of periods."""
    return click.option("--each", type=_choice(Grain), default="month", show_default=True, help="One row per.")(command)


_BASES = "year-ago[:N], prior[:N], mean:N, year-ago-mean:N, fixed:PERIOD, plan, span:FIRST..LAST."


def spans(command: F) -> F:
    """Options that choose the periods, what they add up and which items totals hold."""
    return _all(
        click.option("--each", type=_choice(Each),
                     help="One row per.  [default: what each record stands for, of days a month]"),
        click.option("--at", metavar="PERIOD", help="A period, a day in it, a longer period or FIRST..LAST."),
        click.option("--running", metavar="GRAIN|N", help="Add up from the start of a longer period, or N periods."),
        click.option("--partial", type=_choice(Partial), default="to-date", show_default=True,
                     help="Unfinished periods: cut alike, left out, or as they are."),
        click.option("--weeks", type=_choice(Weeks), default="same-number", show_default=True,
                     help="year-ago: the same week number, or 364 days earlier."),
        click.option("--items", "kept", type=_choice(Kept), default="all", show_default=True,
                     help="comparable: totals of items open on both sides."),
    )(command)  # fmt: skip


def basis(command: F) -> F:
    """Options that choose what periods are held against."""
    return _all(
        click.option("--against", metavar="BASIS", help=f"{_BASES}  [default: year-ago, or the --plan given]"),
        planning,
    )(command)  # fmt: skip


def planning(command: F) -> F:
    """Options that say what a plan lists."""
    return _all(
        click.option("--plan", metavar="FILE", help="The plan."),
        click.option("--plan-records-of", type=_choice(Grain), default="month", show_default=True,
                     help="What each row of the plan stands for."),
        click.option("--plan-spread", type=_choice(PlanSpread), default="even", show_default=True,
                     help="How it is laid on days: evenly, or like the same days a year earlier."),
    )(command)  # fmt: skip


def within(default: Within) -> Callable[[F], F]:
    """The periods that running totals go through."""
    return click.option("--within", type=_choice(Within), default=default, show_default=True,
                        help="The period that is run through.")  # fmt: skip


def receipt(command: F) -> F:
    """The receipt instead of the answer."""
    return click.option("--receipt", is_flag=True, help="How the figure came about: days, sums, arithmetic.")(command)


def landing(command: F) -> F:
    """Options of how the end of a period is estimated."""
    return _all(
        click.option("--at", metavar="PERIOD", help="The period, or a day in it; the running one if left out."),
        click.option("--profile", metavar="NAME|FILE", default="best", show_default=True,
                     help=f"Which share is usually done by now: {', '.join(values(Profile))}, or a table of shares."),
        click.option("--rest", type=_choice(Rest), default="scaled", show_default=True,
                     help="The rest of the period: scaled by what is done, or as it was in the base."),
        click.option("--history", type=Whole(1), default=12, show_default=True, metavar="N",
                     help="Over how many complete periods before the profile history is averaged."),
        click.option("--each", type=_choice(Grain), help="A row for each part, done or estimated."),
        click.option("--backtest", is_flag=True, help="How far past estimates were off at each tenth of the period."),
    )(command)  # fmt: skip


def divided(command: F) -> F:
    """Options that divide both sides by days, or pass over closed ones."""
    return _all(
        click.option("--per", type=_choice(Per), help="Divide both sides by their days."),
        click.option("--skip-closed", is_flag=True, help="prior days: the last ones that have records."),
    )(command)


def related(command: F) -> F:
    """What items are held beside."""
    return _all(
        click.option("--beside", metavar="WHAT", default="total", show_default=True,
                     help="What items are held beside: total, largest, mean or item:NAME."),
        click.option("--within", metavar="COL", help="Hold each item beside those of the same item of COL."),
        click.option("--against", metavar="BASIS",
                     help="The earlier period: as of compare, but for a plan.  [default: year-ago]"),
    )(command)  # fmt: skip


def last(command: F) -> F:
    """How many periods."""
    return click.option("--last", type=Whole(1), metavar="N", help="The last N periods.")(command)


def items(sort: Any, default: str | None = None) -> Callable[[F], F]:
    """Options that choose and order items."""
    return _all(
        click.option("--top", type=Whole(1), metavar="N", help="The N largest items; the rest as all others."),
        click.option("--sort", metavar="FIGURE", default=default, show_default=default is not None,
                     help=f"Order of items: {', '.join(values(sort)[::2])} or a heading; a leading - from the largest "
                     "down."),
    )  # fmt: skip


def verdicts(command: F) -> F:
    """Options that say when a change is one, how it is marked and when to call for help."""
    return _all(
        click.option("--level-within", metavar="PART", default="0", help="A change this small is level: 0.02 or 2%."),
        click.option(
            "--level-as", type=_choice(LevelAs), default="neutral", show_default=True, help="Verdict of level."
        ),
        click.option("--marks", metavar="NAME", default="triangles", show_default=True,
                     help=f"{', '.join(values(MarkSet))}, or four signs by comma: rising, falling, level, unknown."),
        click.option("--marks-place", type=_choice(MarkPlace), default="before", show_default=True,
                     help="Where marks stand beside their figures."),
        click.option("--marks-of", type=_choice(MarksOf),
                     help="What four signs of your own tell.  [default: direction; thumbs: verdict]"),
        click.option("--color", type=_choice(Color), default="text", show_default=True,
                     help="Verdicts as color of the text, or as fill behind it."),
        click.option("--alert", "alerts", multiple=True, metavar="COND",
                     help="Exit with 1 where it holds in the last period: 'growth < -5%', 'verdict = adverse'."),
    )(command)  # fmt: skip


def bands(command: F) -> F:
    """Options of bands, and of what is unusual."""
    return _all(
        click.option("--band", "bands", multiple=True, type=click.UNPROCESSED, metavar="NAME...",
                     help="NAME [from LIMIT] [below LIMIT] [VERDICT] [: ADVICE]; together they leave no gap."),
        click.option("--bands-on", type=_choice(BandOn), default="growth", show_default=True,
                     help="The figure bands are of."),
        click.option("--unusual", is_flag=True, help="Note growths outside the limits of ordinary variation."),
    )(command)  # fmt: skip


def output(command: F) -> F:
    """Options that choose the form of the answer."""
    return _all(
        click.option(
            "--as",
            "form",
            type=click.Choice(["table", "csv", "json", "jsonl", "md", "words", "cards"]),
            help="Form on the terminal; words are sentences.",
        ),
        click.option(
            "--out", metavar="FILE", help="Write to .csv .json .jsonl .parquet .md .xlsx .html (or .png .svg .pdf)."
        ),
        click.option(
            "--locale", metavar="xx_YY", default="en", show_default=True, help="How numbers and days are written."
        ),
        click.option("--plain", is_flag=True, help="ASCII marks and lines, no color."),
        click.option(
            "--spreadsheet-safe", is_flag=True, help="csv: an apostrophe before texts that look like formulas."
        ),
    )(command)


def telling(command: F) -> F:
    """Options of sentences."""
    return _all(
        click.option("--template", metavar="TEXT", help="--as words: a sentence of your own: '{item} {growth}'."),
        click.option("--then", metavar="COL", help="--as words: what led the first item, by another --by."),
    )(command)


def sparks(command: F) -> F:
    """Small lines in tables."""
    return click.option("--sparks", is_flag=True, help="A small line of the last periods in each row.")(command)


_DRAWING: dict[str, Callable[[F], F]] = {
    "item": click.option("--item", metavar="NAME", help="A figure of one item (several dimensions by comma)."),
    "panels": click.option("--panels", metavar="COL", help="A panel for each item; of bars, of a second dimension."),
    "marked": click.option(
        "--marked", type=_choice(Marked), help="bars: whose marks stand beside them.  [default: all]"
    ),
    "small": click.option("--small", is_flag=True, default=None, help="trend: the line alone, as small as a word."),
}


def drawing(answer: str) -> Callable[[F], F]:
    """Options of the figures of an answer."""
    taken = {option for figure in FIGURES if figure.name in question_type(answer).figures for option in figure.options}
    return _all(
        click.option(
            "--figure",
            type=click.Choice(question_type(answer).figures),
            help="The drawing, with --out.  [default: what suits the answer]",
        ),
        *(option for name, option in _DRAWING.items() if name in taken),
    )


def amounts(command: F) -> F:
    """Options of how amounts are written."""
    return _all(
        click.option("--currency", metavar="XXX", help="Unit of the amounts."),
        click.option("--decimals", type=Whole(0, 9), metavar="N", help="Decimals of the amounts."),
    )(command)


def names(texts: tuple[str, ...]) -> list[str]:
    """Names given one by one or by comma; one that holds a comma itself stands in double quotes."""
    found = (name for text in texts for row in csv.reader([text], skipinitialspace=True) for name in row)
    return [name.strip() for name in found if name.strip()]


def dimensions(texts: tuple[str, ...]) -> dict[str, str]:
    """``COL`` or ``NAME=COL`` as new name -> column."""
    found: dict[str, str] = {}
    for text in names(texts):
        new, equals, column = text.partition("=")
        if equals and not (new.strip() and column.strip()):
            raise QuestionError(f"--by must be COL or NAME=COL; got {brief(text)}")
        name = new.strip()
        if name in found:
            raise QuestionError(f"--by names {name!r} twice")
        found[name] = column.strip() if equals else name
    return found


def conditions(texts: tuple[str, ...]) -> dict[str, list[Any]]:
    """``COL=VALUE`` and ``COL!=VALUE`` as a filter."""
    from logochron.core.book.filters import Not

    found: dict[str, list[Any]] = {}
    for text in texts:
        column, equals, label = text.partition("=")
        negated = column.endswith("!")
        column = column.removesuffix("!").strip()
        if not equals or not column:
            raise QuestionError(f"--where must be COL=VALUE or COL!=VALUE; got {brief(text)}")
        found.setdefault(column, []).append(Not(label) if negated else label)
    return found


def part(text: str, option: str) -> Fraction:
    """A part such as ``0.02`` or ``2%``, exactly."""
    try:
        percent = text.strip().endswith("%")
        found = rational(text.strip().removesuffix("%")) / (100 if percent else 1)
    except (ValueError, ZeroDivisionError):
        found = Fraction(-1)
    if not 0 <= found <= 1:
        raise QuestionError(f"{option} must be a part from 0 to 1, such as 0.02 or 2%; got {brief(text)}")
    return found
