"""The command line: parse, call, show."""

from __future__ import annotations

import logging
import os
import sys
from collections.abc import Callable
from typing import Any

import click

from logochron.cli import settings_option
from logochron.cli.leaving import ALERTED, run_and_leave
from logochron.cli.options import names, of_calendar, of_explain, of_output, of_question, of_reading, only, reading_of
from logochron.cli.speaking import say, speak_as_asked, voiced
from logochron.core.said import Said
from logochron.options import GROUPS


class _Command(click.Command):
    """A command whose help begins with what is usual, and has its options under headings."""

    def __init__(self, *args: Any, usual: str, **more: Any) -> None:
        super().__init__(*args, **more)
        self.usual = usual

    def parse_args(self, ctx: click.Context, args: list[str]) -> list[str]:
        if not ctx.resilient_parsing:
            self._check_once(ctx, args)
        return super().parse_args(ctx, args)

    def _check_once(self, ctx: click.Context, args: list[str]) -> None:
        """Refuse an option of one value that is said twice: one of them would be passed over."""
        _, _, order = self.make_parser(ctx).parse_args(args=list(args))
        options = [one for one in order if isinstance(one, click.Option)]
        of_one = [one for one in options if not one.multiple and (one.secondary_opts or not one.is_flag)]
        twice = next((one for n, one in enumerate(of_one) if one in of_one[:n]), None)
        if twice is not None:
            flag = "/".join((*twice.opts, *twice.secondary_opts))
            said = Said("{0} is said twice and holds one value: leave one of them out.", flag)
            raise click.UsageError(voiced(said), ctx)

    def format_usage(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        formatter.write_usage("logochron", self.usual, prefix=voiced(Said("Usually: ")))
        super().format_usage(ctx, formatter)

    def format_options(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        rows: dict[str, list[tuple[str, str]]] = {group: [] for group in (*GROUPS, "Other options")}
        for option in self.get_params(ctx):
            if (row := option.get_help_record(ctx)) is not None:
                rows[getattr(option, "group", "Other options")].append(row)
        for group, own in rows.items():
            if own:
                with formatter.section(group):
                    formatter.write_dl(own)


#: What makes each command, by its name: its options are looked up in what it calls, which is loaded when it is named.
_COMMANDS: dict[str, Callable[[], click.Command]] = {}


def _command(usual: str, *taken: Callable[[Any], Any]) -> Callable[[Callable[..., None]], Callable[..., None]]:
    """A command: what is usual after its name, and what gives it its options."""

    def register(function: Callable[..., None]) -> Callable[..., None]:
        def build() -> click.Command:
            decorated = function
            for one in reversed(taken):
                decorated = one(decorated)
            return click.command(cls=_Command, usual=usual)(decorated)

        _COMMANDS[function.__name__] = build
        return function

    return register


class _Questions(click.Group):
    """Makes a command when it is named, and answers options that people bring along with ours."""

    def list_commands(self, ctx: click.Context) -> list[str]:
        return list(_COMMANDS)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        if cmd_name not in self.commands and cmd_name in _COMMANDS:
            self.commands[cmd_name] = _COMMANDS[cmd_name]()
        return self.commands.get(cmd_name)

    def resolve_command(self, ctx: click.Context, args: list[str]) -> Any:
        if args and args[0] not in _COMMANDS and not args[0].startswith("-"):
            from logochron.cli.brought import refuse_command

            refuse_command(args[0], args[1:], self)
        return super().resolve_command(ctx, args)

    def invoke(self, ctx: click.Context) -> Any:
        _say_on_standard_error()
        try:
            return super().invoke(ctx)
        except click.NoSuchOption as error:
            from logochron.cli.brought import refuse_option

            refuse_option(error, sys.argv[1:])
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
    Then:    logochron overview sales.csv --value revenue --by harbor
    Or:      logochron compare sales.csv --date sold_on --value revenue --each month --against year-ago
    """


@_command(
    "overview FILE --by COL",
    settings_option.option,
    of_question("overview", "sparks", "template"),
)
def overview(sales: tuple[str, ...], **options: Any) -> None:
    """How does each item stand this month, quarter and year to date, beside a year ago and a plan?

    A row an item; windows side by side, each with its value and how it stands beside every basis.

    \b
    logochron overview sales.csv --date sold_on --value revenue --by harbor --plan plan.csv
    logochron overview sales.csv --date sold_on --value revenue --by harbor --windows last-week,month,12-month
    logochron overview sales.csv --date sold_on --value revenue --against year-ago,prior --alert "year growth < -5%"
    """
    from logochron.cli.asking import answer_question

    _leave(answer_question("overview", sales, options))


@_command(
    "compare FILE --by COL",
    settings_option.option,
    of_question("compare", "sparks", "across", "template", "then"),
)
def compare(sales: tuple[str, ...], **options: Any) -> None:
    """How does each period stand against an earlier one?

    SALES are files (.csv .tsv .txt .json .jsonl, also .gz; .xlsx .parquet), globs, folders of Parquet files, addresses
    (s3://..., https://...), or the address of a database with --table or --query.

    \b
    logochron compare sales.csv --date sold_on --value revenue --by harbor --each month --last 13
    logochron compare sales.csv --date sold_on --value revenue --each week --against prior --out weeks.png
    """
    from logochron.cli.asking import answer_question

    _leave(answer_question("compare", sales, options))


@_command(
    "relate FILE --by COL",
    settings_option.option,
    of_question("relate"),
)
def relate(sales: tuple[str, ...], **options: Any) -> None:
    """How does each item stand beside the total, the largest, the mean or a named item?

    Now, and in an earlier period: does its part grow or shrink?

    \b
    logochron relate sales.csv --date sold_on --value revenue --by harbor --last 3
    logochron relate sales.csv --date sold_on --value revenue --by harbor,line --within harbor --beside largest
    logochron relate sales.csv --date sold_on --value revenue --by harbor --beside "item:Cold Pier" --at 2026-09
    """
    from logochron.cli.asking import answer_question

    _leave(answer_question("relate", sales, options))


@_command(
    "drivers FILE --by COL",
    settings_option.option,
    of_question("drivers", sort="-change"),
)
def drivers(sales: tuple[str, ...], **options: Any) -> None:
    """Which items moved the total, and by volume, mix or price?

    Of one period: --at, the last one if left out. Several --by walk down to what moved most.

    \b
    logochron drivers sales.csv --date sold_on --value revenue --by line --at 2026-09 --quantity units
    logochron drivers sales.csv --date sold_on --value revenue --by harbor,line --each quarter --against prior
    """
    from logochron.cli.asking import answer_question

    _leave(answer_question("drivers", sales, options))


@_command(
    "season FILE",
    settings_option.option,
    of_question("season"),
)
def season(sales: tuple[str, ...], **options: Any) -> None:
    """Which part of a year does each month usually bring?

    Over the whole years that are held; months, weeks or days in the year, or in a shorter period.

    \b
    logochron season sales.csv --date sold_on --value revenue
    logochron season sales.csv --date sold_on --value revenue --each day --within week --by harbor
    logochron season sales.csv --date sold_on --value revenue --each week --out season.png
    """
    from logochron.cli.asking import answer_question

    _leave(answer_question("season", sales, options))


@_command(
    "pace FILE",
    settings_option.option,
    of_question("pace", "receipt"),
)
def pace(sales: tuple[str, ...], **options: Any) -> None:
    """How does the running total stand at this place, against other years or a plan?

    Years (or shorter periods) are lined up by month and day; leap days and 53rd weeks line up too.

    \b
    logochron pace sales.csv --date sold_on --value revenue --within year
    logochron pace sales.csv --date sold_on --value revenue --plan plan.csv --out pace.png
    logochron pace sales.csv --date sold_on --value revenue --within month --against mean:3 --last 6
    """
    from logochron.cli.asking import answer_question

    _leave(answer_question("pace", sales, options))


@_command(
    "land FILE --plan PLAN",
    settings_option.option,
    of_question("land", "receipt", "backtest"),
)
def land(sales: tuple[str, ...], **options: Any) -> None:
    """Where will the running period end, how sure is that, and what must still be sold a day?

    \b
    logochron land sales.csv --date sold_on --value revenue --within month --plan plan.csv
    logochron land sales.csv --date sold_on --value revenue --within year --each month --rest as-was
    logochron land sales.csv --date sold_on --value revenue --backtest --out backtest.png
    """
    from logochron.cli.asking import answer_question

    _leave(answer_question("land", sales, options))


@_command(
    "explain FILE --at PERIOD",
    settings_option.option,
    of_explain,
)
def explain(sales: tuple[str, ...], **options: Any) -> None:
    """How did a figure come about? Both spans, their days, records and sums; the cut; what the calendar did.

    Takes the options of compare. --at names the period, the last one if left out; --where the item.

    \b
    logochron explain sales.csv --date sold_on --value revenue --at 2026-05 --where harbor=Alderquay
    logochron explain sales.csv --date sold_on --value revenue --each week --against mean:4 --holidays PT
    """
    from logochron.cli.asking import answer_explain

    answer_explain(sales, options)


@_command(
    "calendar --calendar FILE",
    only("each", "between"),
    of_calendar,
    of_output,
)
def calendar(**options: Any) -> None:
    """Which days make up the periods of a calendar?

    To be held against a finance department's own sheet before any figure is trusted.

    \b
    logochron calendar --calendar retail --each month --between 2023-01-29..2025-02-01
    logochron calendar --year-start 4 --each quarter --out quarters.csv
    logochron calendar --calendar periods.xlsx
    """
    from logochron.cli.asking import answer_calendar

    answer_calendar(options)


@_command(
    "review FILE",
    settings_option.option,
    of_reading,
    only("draft"),
    of_output,
)
def review(sales: tuple[str, ...], **options: Any) -> None:
    """What is in the records, and what would mislead a comparison?

    Gaps, partial periods, jumps, items that start, stop or nearly share a name, duplicates, odd amounts, refused
    rows. Columns that are not named are found.

    \b
    logochron review sales.csv
    logochron review sales.csv --date sold_on --value revenue --by harbor,line --as json
    logochron review sales.csv --draft report.toml
    """
    from logochron.cli.asking import answer_review

    draft = options.pop("draft")
    if draft is None:
        answer_review(sales, options)
    else:
        from logochron.cli.reporting import draft_report

        draft_report(sales, draft, reading_of(options) | {"values": names(options["values"])})


@_command(
    "report REPORT.toml",
    click.argument("file", metavar="REPORT.toml"),
    only("until"),
    only("out", metavar="FOLDER", says="Where to write (or a file .pdf, .pptx); a folder called like the report file."),
    only("only"),
    only("log_file"),
)
def report(file: str, out: str | None, until: str | None, only: tuple[str, ...], log_file: str | None) -> None:
    """Ask all questions of a report file at once: a page, a workbook, one sheet of paper, pictures and tables.

    Ends with 1 where an alert of the file fires, with 2 where a section is refused (the others are written). The next
    run into the same folder names the figures of complete periods that changed.

    \b
    logochron report brinefold.toml
    logochron report brinefold.toml --only summary,slides
    logochron report brinefold.toml --out monday --until 2026-10-12 --log-file report.log
    """
    from logochron.cli.reporting import run_report

    if code := run_report(file, out, until, only, log_file):
        click.get_current_context().exit(code)


@_command(
    "demo",
    click.argument("folder", default="brinefold"),
    only("plain"),
)
def demo(folder: str, plain: bool) -> None:
    """Write made-up records and a report file into FOLDER, and run it.

    The records are those of Brinefold Boats, four harbors that hire out and sell small craft.
    """
    from logochron.cli.reporting import demonstrate

    demonstrate(folder, plain=plain)


@_command(
    "completion bash",
    click.argument("shell", type=click.Choice(["bash", "zsh", "fish"])),
)
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
        say(record.msg if isinstance(record.msg, Said) else record.getMessage())


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
    speak_as_asked(sys.argv[1:])
    run_and_leave(cli)
