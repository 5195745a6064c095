"""The command line: parse, call, show."""

from __future__ import annotations

import logging
import os
import sys
from typing import Any

import click

from logochron.cli import options, settings_option
from logochron.cli.leaving import ALERTED, run_and_leave
from logochron.cli.speaking import say
from logochron.core.rows.question_types import question_type


class _Questions(click.Group):
    """Answers options that people bring along with ours."""

    def invoke(self, ctx: click.Context) -> Any:
        from logochron.core.synonyms import synonym

        _say_on_standard_error()
        try:
            return super().invoke(ctx)
        except click.NoSuchOption as error:
            if told := synonym(error.option_name):
                raise click.UsageError(f"no option {error.option_name}: here it is {told}", error.ctx) from None
            raise


def _versions(ctx: click.Context, param: click.Parameter, asked: bool) -> None:
    if asked:
        from logochron.cli.completion import show_versions

        show_versions(ctx, param, asked)


@click.group(cls=_Questions, context_settings={"help_option_names": ["-h", "--help"], "max_content_width": 110})
@click.option(
    "--version", is_flag=True, expose_value=False, is_eager=True, callback=_versions,
    help="Show the versions of this and of what matters to it, and exit.",
)  # fmt: skip
def cli() -> None:
    """Aligns sales by calendar period and compares each period with earlier ones.

    \b
    Try it:  logochron demo
    Then:    logochron compare sales.csv --date sold_on --value revenue --each month --against year-ago
    """


@cli.command()
@settings_option.option
@options.reading
@options.judging
@options.spans
@options.basis
@options.divided
@options.last
@options.items(question_type("compare").sort_values)
@options.verdicts
@options.bands
@options.calendar
@options.output
@options.amounts
@options.sparks
@options.telling
@options.drawing("compare")
def compare(sales: tuple[str, ...], **asked: Any) -> None:
    """How does each period stand against an earlier one?

    SALES are files (.csv .tsv .txt .json .jsonl, also .gz; .xlsx .parquet), globs, folders of Parquet files, addresses
    (s3://..., https://...), or the address of a database with --table or --query.

    \b
    logochron compare sales.csv --date sold_on --value revenue --by harbor --each month --last 13
    logochron compare sales.csv --date sold_on --value revenue --each week --against prior --out weeks.png
    """
    from logochron.cli.asking import answer_compare

    _leave(answer_compare(sales, asked))


@cli.command()
@settings_option.option
@options.reading
@options.judging
@options.related
@options.spans
@options.last
@options.items(question_type("relate").sort_values)
@options.verdicts
@options.calendar
@options.output
@options.amounts
def relate(sales: tuple[str, ...], **asked: Any) -> None:
    """How does each item stand beside the total, the largest, the mean or a named item?

    Now, and in an earlier period: does its part grow or shrink?

    \b
    logochron relate sales.csv --date sold_on --value revenue --by harbor --last 3
    logochron relate sales.csv --date sold_on --value revenue --by harbor,line --within harbor --beside largest
    logochron relate sales.csv --date sold_on --value revenue --by harbor --beside "item:Cold Pier" --at 2026-09
    """
    from logochron.cli.asking import answer_relate

    _leave(answer_relate(sales, asked))


@cli.command()
@settings_option.option
@options.reading
@options.judging
@click.option("--quantity", metavar="COL", help="Quantities: takes changes apart by volume, mix and price.")
@options.spans
@options.basis
@options.items(question_type("drivers").sort_values, "-change")
@options.verdicts
@options.calendar
@options.output
@options.amounts
@options.drawing("drivers")
def drivers(sales: tuple[str, ...], **asked: Any) -> None:
    """Which items moved the total, and by volume, mix or price?

    Of one period: --at, the last one if left out. Several --by walk down to what moved most.

    \b
    logochron drivers sales.csv --date sold_on --value revenue --by line --at 2026-09 --quantity units
    logochron drivers sales.csv --date sold_on --value revenue --by harbor,line --each quarter --against prior
    """
    from logochron.cli.asking import answer_drivers

    _leave(answer_drivers(sales, asked))


@cli.command()
@settings_option.option
@options.reading
@options.judging
@options.within("year")
@options.basis
@options.last
@click.option("--exclude", multiple=True, metavar="PERIOD", help="A period that gets no line and no rank.")
@options.items(question_type("pace").sort_values)
@options.receipt
@options.verdicts
@options.calendar
@options.output
@options.amounts
@options.drawing("pace")
def pace(sales: tuple[str, ...], **asked: Any) -> None:
    """How does the running total stand at this place, against other years or a plan?

    Years (or shorter periods) are lined up by month and day; leap days and 53rd weeks line up too.

    \b
    logochron pace sales.csv --date sold_on --value revenue --within year
    logochron pace sales.csv --date sold_on --value revenue --plan plan.csv --out pace.png
    logochron pace sales.csv --date sold_on --value revenue --within month --against mean:3 --last 6
    """
    from logochron.cli.looking_ahead import answer_pace

    _leave(answer_pace(sales, asked))


@cli.command()
@settings_option.option
@options.reading
@options.judging
@options.within("month")
@click.option(
    "--against", metavar="BASIS", help="The earlier whole period, as of compare, or plan.  [default: year-ago]"
)
@options.planning
@options.landing
@options.items(question_type("land").sort_values)
@options.receipt
@options.verdicts
@options.calendar
@options.output
@options.amounts
@options.drawing("land")
def land(sales: tuple[str, ...], **asked: Any) -> None:
    """Where will the running period end, how sure is that, and what must still be sold a day?

    \b
    logochron land sales.csv --date sold_on --value revenue --within month --plan plan.csv
    logochron land sales.csv --date sold_on --value revenue --within year --each month --rest as-was
    logochron land sales.csv --date sold_on --value revenue --backtest --out backtest.png
    """
    from logochron.cli.looking_ahead import answer_land

    _leave(answer_land(sales, asked))


@cli.command()
@settings_option.option
@options.reading
@options.judging
@options.spans
@options.basis
@options.divided
@click.option("--holidays", metavar="XX", help="Name public holidays of a country (PT) or region (DE-BY).")
@options.calendar
@options.output
@options.amounts
def explain(sales: tuple[str, ...], **asked: Any) -> None:
    """How did a figure come about? Both spans, their days, records and sums; the cut; what the calendar did.

    Takes the options of compare. --at names the period, the last one if left out; --where the item.

    \b
    logochron explain sales.csv --date sold_on --value revenue --at 2026-05 --where harbor=Alderquay
    logochron explain sales.csv --date sold_on --value revenue --each week --against mean:4 --holidays PT
    """
    from logochron.cli.asking import answer_explain

    answer_explain(sales, asked)


@cli.command()
@options.each
@click.option("--between", metavar="FIRST..LAST", help="The days to list; the year that holds today if left out.")
@options.calendar
@options.output
def calendar(**asked: Any) -> None:
    """Which days make up the periods of a calendar?

    To be held against a finance department's own sheet before any figure is trusted.

    \b
    logochron calendar --calendar retail --each month --between 2023-01-29..2025-02-01
    logochron calendar --year-start 4 --each quarter --out quarters.csv
    logochron calendar --calendar periods.xlsx
    """
    from logochron.cli.asking import answer_calendar

    answer_calendar(asked)


@cli.command()
@settings_option.option
@options.reading
@click.option("--draft", metavar="REPORT.toml", help="Write a first report file for these sales.")
@options.output
def review(sales: tuple[str, ...], **asked: Any) -> None:
    """What is in the records, and what would mislead a comparison?

    Gaps, partial periods, jumps, items that start, stop or nearly share a name, duplicates, odd amounts, refused
    rows. Columns that are not named are found.

    \b
    logochron review sales.csv
    logochron review sales.csv --date sold_on --value revenue --by harbor,line --as json
    logochron review sales.csv --draft report.toml
    """
    from logochron.cli.asking import answer_review

    draft = asked.pop("draft")
    if draft is None:
        answer_review(sales, asked)
    else:
        from logochron.cli.reporting import draft_report

        draft_report(sales, draft, asked)


@cli.command()
@click.argument("file", metavar="REPORT.toml")
@click.option("--out", metavar="FOLDER", help="Where to write; a folder called like the file, beside it, if left out.")
@click.option("--until", metavar="DAY", help="Report date, instead of the file's own.")
@click.option("--log-file", metavar="FILE", help="Add a line for each event to a file.")
def report(file: str, out: str | None, until: str | None, log_file: str | None) -> None:
    """Ask all questions of a report file at once: a page, a workbook, a picture and a table for each section.

    Ends with 1 where an alert of the file fires, with 2 where a section is refused (the others are written). The next
    run into the same folder names the figures of complete periods that changed.

    \b
    logochron report brinefold.toml
    logochron report brinefold.toml --out monday --until 2026-10-12 --log-file report.log
    """
    from logochron.cli.reporting import run_report

    if code := run_report(file, out, until, log_file):
        click.get_current_context().exit(code)


@cli.command()
@click.argument("folder", default="brinefold")
@click.option("--plain", is_flag=True, help="ASCII marks and lines, no color.")
def demo(folder: str, plain: bool) -> None:
    """Write made-up records and a report file into FOLDER, and run it.

    The records are those of Brinefold Boats, four harbors that hire out and sell small craft.
    """
    from logochron.cli.demonstrate import demonstrate

    demonstrate(folder, plain=plain)


@cli.command()
@click.argument("shell", type=click.Choice(["bash", "zsh", "fish"]))
def completion(shell: str) -> None:
    """Print what makes a shell complete commands and options.

    \b
    logochron completion bash >> ~/.bashrc
    logochron completion zsh >> ~/.zshrc
    logochron completion fish > ~/.config/fish/completions/logochron.fish
    """
    from logochron.cli.completion import script
    from logochron.cli.speaking import put

    put(script(shell) + "\n")


class _Saying(logging.Handler):
    """What a reading has to say, as lines of ours on standard error."""

    def emit(self, record: logging.LogRecord) -> None:
        say(record.getMessage())


def _say_on_standard_error() -> None:
    log = logging.getLogger("logochron")
    log.propagate = False
    log.handlers = [_Saying(logging.WARNING)]


def _leave(fired: bool) -> None:
    """Ends with 1 where an alert fired: nothing else ends so."""
    if fired:
        click.get_current_context().exit(ALERTED)


def run() -> None:
    """The console script."""
    if "_LOGOCHRON_COMPLETE" in os.environ:
        from logochron.cli.completion import answer_shell

        sys.exit(answer_shell(cli) or 0)
    run_and_leave(cli)
