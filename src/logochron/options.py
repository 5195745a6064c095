"""Every option once, a row each: what it is called, its type and default, what it says, where it belongs, who takes it.

Signatures and docstrings of `read`, `read_plan` and `review` and their stubs, the options and headings of the command
line, the keys of a report file and its docs are made from these rows. Where a function or a class has the option as a
parameter, its type and default are said there and nowhere else.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, fields, replace
from functools import cache
from inspect import Parameter, signature
from pkgutil import resolve_name
from typing import TYPE_CHECKING, Any, Literal

from logochron.core.check_kinds import hints_of
from logochron.core.choices import (
    AcrossFigure,
    Color,
    Empty,
    Form,
    Grain,
    Marked,
    MarkSet,
    OnRefused,
    PanelScale,
    PlanSpread,
    Profile,
    Spread,
    values,
)
from logochron.core.said import Joined, Said

if TYPE_CHECKING:
    from logochron.core.book.measures import Measure
    from logochron.core.book.selling_days import SellingDays
    from logochron.core.calendars.base import Calendar
    from logochron.core.days import DayLike

#: The headings of `--help`, in their order.
SALES, READING, PERIODS, CALENDAR = "Sales", "Reading", "Periods", "Calendar"
AGAINST, ITEMS, JUDGING, OUTPUT, PLAN = "Against what", "Items", "Judging", "Output", "Plan"
GROUPS = (SALES, READING, PERIODS, CALENDAR, AGAINST, PLAN, ITEMS, JUDGING, OUTPUT)

#: What a key of a report file may hold where Python takes more than TOML can write.
Names = str | list[str]
Dimensions = Names | dict[str, str]
Wanted = dict[str, str | int | list[str | int] | dict[Literal["not"], Names]]
Number = int | float
Day = dt.date | str


@dataclass(frozen=True, kw_only=True)
class Option:
    """An option.

    Attributes
    ----------
    name, hint, default
        In Python and in a report file; the hint as Python writes it. `needed` where it has no default.
    says, doc
        What it is in one line; and in Python's docstring, where that has more to say.
    group
        Its heading in ``--help``.
    flag, metavar, many, between, alone, usual
        On the command line: where it is not called ``--name``, what stands for its value, whether it may be given
        again, the bounds of a number, its value where nothing follows it, and in words what holds where it is left out
        and Python's default does not.
    key, key_says, key_default
        In a report file: the type, the line and the default where they are not those of Python. `key` is None
        where it is no key.
    of
        The kinds of sources, or the questions, that take it; all where empty.
    shell
        Whether the command line has it.
    """

    name: str = ""
    hint: str = ""
    default: Any = None
    needed: bool = False
    says: str = ""
    doc: str = ""
    group: str = PERIODS
    flag: str = ""
    metavar: str | None = None
    many: bool = False
    between: tuple[int | None, int | None] = (None, None)
    alone: str = ""
    usual: str = ""
    key: Any = ...
    key_says: str = ""
    key_default: Any = ...
    of: tuple[str, ...] = ()
    shell: bool = True
    kind: Any = Any

    @property
    def flags(self) -> str:
        """What it is called on the command line."""
        return self.flag or "--" + self.name.replace("_", "-")


#: What kinds of sources are called that take an option.
_SOURCES = {
    "text": "text files (.csv, .tsv, .txt)",
    "workbook": "workbooks (.xlsx)",
    "json": "JSON (.json, .jsonl)",
    "parquet": "Parquet",
    "frame": "data frames",
}
_LAID_OUT = tuple(_SOURCES)


def _row(default: Any, says: str, doc: str = "", **more: Any) -> Any:
    return field(default=default, metadata={"option": Option(says=says, doc=doc, **{"group": READING} | more)})


@dataclass(frozen=True, kw_only=True)
class Reading:
    """What a reading is asked for: a row each, which is all that a new one needs besides the place that acts on it."""

    date: str | Sequence[str] | None = _row(
        None, "Column of dates, or by comma those that make one up (year,month); found where only one can be meant.",
        "The column of dates, or the columns that together say one day or period (``[\"year\", \"month\"]``, year and "
        "week, date and time); found where None and only one can be meant. A timestamp counts on its day.",
        group=SALES, metavar="COL", key=Names | None,
    )  # fmt: skip
    values: str | Sequence[str] | None = _row(
        (), "Columns of amounts to sum, each a measure; found likewise.",
        "The columns of amounts to sum, each a measure; found likewise where neither `values` nor `measures` is given.",
        group=SALES, flag="--value", metavar="COL", many=True, key=Names,
        key_says="Columns of amounts, each a measure, where no [[measure]] is needed.",
    )  # fmt: skip
    by: str | Sequence[str] | Mapping[str, str] | None = _row(
        (), "Column to split by; several by comma; NAME=COL renames.",
        "The columns to split by, or ``{new_name: column}``.",
        group=SALES, metavar="COL", many=True, key=Dimensions, key_says="Columns to split by, or {name = column}.",
    )  # fmt: skip
    ids: str | Sequence[str] | Mapping[str, str] | None = _row(
        (), "",
        "Columns of ids too many to list (customers), or ``{new_name: column}``: no item of the book, but what "
        "``drivers(..., gather=\"life\")`` gathers. Those of files and frames stay in the engine.",
        shell=False, key=Dimensions,
        key_says="Columns of ids too many to list (customers), which drivers gathers by life.",
    )  # fmt: skip
    where: Mapping[str, Any] | None = _row(
        None, "Rows wanted, or COL!=VALUE. The same column again: or; another: and.",
        'Rows wanted: ``{"harbor": "Alderquay", "line": ["hire", "lessons"], "channel": Not("online")}``.',
        group=SALES, metavar="COL=VALUE", many=True, key=Wanted, key_default=dict,
        key_says='Rows wanted: {harbor = "Alderquay", channel = {not = "online"}}.',
    )  # fmt: skip
    covering: Any = _row(
        None, "Days the records are complete for; either end alone too.",
        "``(first, last)``, either None: the days for which the records are complete. Rows outside are left out.",
        group=SALES, metavar="FIRST..LAST", key=str | list[Day] | None,
        key_says='Days the records are complete for: "FIRST..LAST".',
    )  # fmt: skip
    until: DayLike | None = _row(
        None, "Report date; the last day in the records where left out.",
        "The report date. Rows past it are left out.",
        group=SALES, metavar="DAY", key=Day | None,
    )  # fmt: skip
    tz: str | None = _row(
        None, "Zone of the days of zoned timestamps.",
        "The zone in which zoned timestamps are turned into days. Where None: one written as text (.csv, .json, .xlsx, "
        "columns of text anywhere) counts on the day that it names; one of a pandas, Polars or PyArrow frame on its "
        "day in the zone of its column; one of a Parquet file in the zone that the file writes beside its column, "
        "which is said; one whose zone is written nowhere (other Parquet files, DuckDB relations, databases) on its "
        "day in UTC, which is said; one of Spark in the zone of its session. A timestamp without a zone always counts "
        "on the day it names.",
        metavar="ZONE",
    )  # fmt: skip
    records_of: Grain = _row(
        "day", "What each record stands for: a day, or the whole of a longer period (a monthly file).",
        "What each record stands for: a day, or the whole week, month, quarter or year (of `calendar`) that its date "
        "falls in or names (``2026-05``, ``Q2 2026``, ``KW 5/25``, ``P03 FY25``); where all of a column are names of "
        "periods of one grain, that grain is taken. Refused where the dates fall on four days or more of such a "
        "period, as records of days do.",
    )  # fmt: skip
    spread: Spread | None = _row(
        None, "Spread records of longer periods evenly over their days.",
        '``"even"`` lays the amount of such a record evenly on all its days, exact over any whole period; where None '
        "it sits on the first, and only what is made of such periods can be asked for.",
    )  # fmt: skip
    periods_in_columns: Grain | None = _row(
        None, "A wide table: one column a period of this grain.",
        "Of a wide table, one row an item and one column a period: the grain of its columns, whose headers name the "
        "periods (``2026-05``, ``May 2026``, ``Q2 2026``, ``2025``). `date` is then left out, and `values` is the name "
        "the amounts shall have. Columns and rows of totals are left out.",
        of=_LAID_OUT,
    )  # fmt: skip
    calendar: Calendar | None = _row(
        None, "", "Of the periods that `records_of` or `periods_in_columns` name; civil where None.",
        shell=False, key=None,
    )  # fmt: skip
    selling_days: SellingDays | None = _row(
        None, "", "On which days something can be sold; those of the questions that name none.",
        shell=False, key=None,
    )  # fmt: skip
    measures: Sequence[Measure] | None = _row(
        (), "NAME=COL, =count, =distinct COL, =A-B or =A/B; maybe: where COL=VALUE, rates PERIOD.",
        "`Measure` objects, beside or instead of `values`.",
        group=SALES, flag="--measure", metavar="NAME=...", many=True, key=None,
    )  # fmt: skip
    day_first: bool | None = _row(
        None, "Whether 03/04/2026 is 3 April.",
        "Whether 03/04/2026 is 3 April; asked for only where no row tells.",
        flag="--day-first/--month-first",
    )  # fmt: skip
    date_format: str | None = _row(
        None, "Form of the dates, such as '%d %b %y', unix or unix-ms.",
        'The form of the dates in the manner of `strptime` (``"%d %b %y"``); ``"unix"`` or ``"unix-ms"`` are seconds '
        "or milliseconds since 1970, which are recognised in a column that is named as the date.",
        metavar="FORM",
    )  # fmt: skip
    decimal: str | None = _row(
        None, "Decimal mark of amounts: . or ,",
        'The decimal mark of amounts written as text (``"."`` or ``","``); recognised where None, asked for where '
        "amounts read two ways.",
        metavar="MARK",
    )  # fmt: skip
    thousands: str | None = _row(
        None, "What separates thousands: , . space apostrophe none",
        'What separates the thousands of amounts written as text (``","``, ``"."``, ``" "``, ``"\'"``, ``""``); '
        "recognised where None.",
        metavar="MARK",
    )  # fmt: skip
    scale: float | Mapping[str, float] = _row(
        1, "What amounts are multiplied by: 1000 where they are in thousands; COL=N: those of a column.",
        "What amounts are multiplied by, exactly: 1000 where they are in thousands; or ``{column: number}``.",
        metavar="N", many=True, key=Number | dict[str, Number],
        key_says="What amounts are multiplied by: 1000 where they are in thousands; or {column = 1000}.",
    )  # fmt: skip
    currency: str | None = _row(
        None, "Column of currencies, with --rates; found where only one can be meant, or the signs beside amounts.",
        "The column that says in which currency each amount is, by code or sign; with `rates`. Where None: found where "
        "only one can be meant, else the signs beside the amounts.",
        metavar="COL", key_says="Column of currencies, with rates.",
    )  # fmt: skip
    to: str | None = _row(
        None, "The currency that amounts are brought to by --rates, such as EUR.",
        "The currency that amounts of money are brought to by `rates`. Quantities are never converted.",
        metavar="XXX", key_says="The currency that amounts are brought to by rates, such as EUR.",
    )  # fmt: skip
    rates: Any = _row(
        None, "Table of rates: currency, rate (units of --to for 1 of it), maybe date (a day or a period).",
        "A table of rates (a path, a frame, a mapping of columns): `currency`, `rate`, which is units of `to` for 1 of "
        "it, and maybe `date`, a day or the name of a period, for whose days it holds; the shorter goes before the "
        "longer. Each record is converted at the rate of its day; one without a rate is refused.",
        metavar="FILE", key=str | None,
        key_says="Table of rates (currency, rate, maybe date), relative to the report file.",
    )  # fmt: skip
    rates_at: DayLike | None = _row(
        None, "Constant rates: those of a day, or the mean ones of a period such as 2025.",
        "Converts all records at one rate each, that of a day or the mean one of a period (``\"2025\"``), so that "
        "growth is of sales alone; `Measure.rates_at` does so for one measure.",
        metavar="PERIOD", key=Day | None,
    )  # fmt: skip
    delimiter: str | None = _row(
        None, "What separates the fields of text files ('tab' for a tab).",
        "What separates the fields of text files; recognised where None.",
        metavar="CHAR", of=("text",),
    )  # fmt: skip
    encoding: str | None = _row(
        None, "Encoding of text files, such as cp1252.",
        "Of text files; recognised where None.",
        metavar="NAME", of=("text",),
    )  # fmt: skip
    header_row: int | Sequence[int] | None = _row(
        None, "Line of the header, two by comma; 0: there is none.",
        "The line of the header where it is not to be recognised; 0 for none: the columns are then called "
        "``column_1``, ``column_2``, ...; two lines that follow each other, ``(1, 2)``, for headers in two rows (years "
        "above months, periods above measures).",
        metavar="N", of=("text", "workbook"), key=int | list[int] | None,
    )  # fmt: skip
    fill_down: str | Sequence[str] | Literal[False] | None = _row(
        None, "Column whose labels stand once above their rows; no: none.",
        "The columns whose labels stand once above their rows, as in grouped exports; recognised where None, none "
        "where False.",
        metavar="COL|no", of=("text", "workbook", "frame"), key=Names | Literal[False] | None,
    )  # fmt: skip
    sheet: str | None = _row(
        None, "Sheet of a workbook.", "The name of the sheet of a workbook, where several may be meant.",
        metavar="NAME", of=("workbook",),
    )  # fmt: skip
    table: str | None = _row(
        None, "Table of a database, whose address is named.",
        "Of a database: the table or view to read (maybe SCHEMA.TABLE).",
        metavar="NAME",
    )  # fmt: skip
    query: str | None = _row(
        None, "Of a database: a query of your own.", "Of a database: a SELECT of your own.",
        metavar="SELECT",
    )  # fmt: skip
    empty: Empty = _row(
        "refused", "Whether an empty amount refuses its row.",
        'Whether an empty amount refuses its row or counts as ``"zero"``.',
    )  # fmt: skip
    keep_totals: bool = _row(
        False, "Count rows that call themselves totals as any others.",
        "Whether rows that call themselves totals (``Total``, ``North Total``, ``Zwischensumme``) count as any others. "
        "Else those whose amounts are the sum of the rows they name are left out, which is said, and those whose are "
        "not are asked for.",
    )  # fmt: skip
    on_refused: OnRefused = _row(
        "stop", "What refused rows do.",
        '``"stop"`` raises an IntakeError that shows the first ten refused rows; ``"skip"`` leaves them out, counted '
        "and listed in ``book.intake``.",
    )  # fmt: skip
    progress: Callable[[float], None] | None = _row(
        None, "",
        "Called with the part that is done (0 to 1) while a long reading runs; again and again with 0 while a database "
        "or a cluster is at work. In a notebook a bar is shown where None.",
        shell=False, key=None,
    )  # fmt: skip


def _reading_rows() -> Iterator[Option]:
    kinds = hints_of(Reading)
    for one in fields(Reading):
        yield replace(one.metadata["option"], name=one.name, hint=str(one.type), default=one.default,
                      kind=kinds[one.name])  # fmt: skip


#: The options of a reading, in Python's order.
READING_OPTIONS: Mapping[str, Option] = {option.name: option for option in _reading_rows()}


def with_rates(plan: Reading, rates: Any, to: str | None) -> Reading:
    """The reading of a plan whose currencies are told, by the rates of the sales where it names none."""
    if plan.currency is None and plan.rates is None:
        return plan
    return replace(plan, rates=rates if plan.rates is None else plan.rates, to=to if plan.to is None else plan.to)


def taken_by_sources(names: Sequence[str]) -> str:
    """The kinds of sources that take an option, in words."""
    words = [Said(_SOURCES[name]) for name in names]
    return words[0] if len(words) == 1 else Said("{0} and {1}", Joined(words[:-1]), words[-1])


_BASES = "year-ago[:N], prior[:N], mean:N, year-ago-mean:N, fixed:PERIOD, plan[:NAME], span:FIRST..LAST."

#: The options of questions. Types and defaults are those of their parameters.
_QUESTION_ROWS = (
    Option(name="each", says="A row for each part, done or estimated.", of=("land",)),
    Option(name="each", says="The parts: a row for each.", of=("season",), key_default="month"),
    Option(name="within", says="The longer period that they make up.", of=("season",)),
    Option(name="last", says="Only the last N whole periods.", metavar="N", between=(1, None), of=("season",)),
    Option(name="exclude", says="A period that tells nothing usual.", metavar="PERIOD", many=True, key=Names,
           of=("season",)),
    Option(name="each", says="One row per.", usual="what each record stands for, of days a month", key_default="month"),
    Option(name="within", says="Hold each item beside those of the same item of a dimension.", group=ITEMS,
           metavar="COL", of=("relate",)),
    Option(name="within", says="The period that is run through."),
    Option(name="at", metavar="PERIOD", key=Day | None, of=("land",),
           says="The period, or a day in it; the running one where left out."),
    Option(name="at", says="A period, a day in it, a longer period or FIRST..LAST.", metavar="PERIOD", key=Day | None),
    Option(name="last", says="Only the last N periods.", metavar="N", between=(1, None)),
    Option(name="exclude", says="A period that gets no line and no rank.", metavar="PERIOD", many=True, key=Names),
    Option(name="positions", says="today: only where the report date stands, of very many items."),
    Option(name="running", says="Add up from the start of a longer period, or N periods.", metavar="GRAIN|N",
           key=str | int | None),
    Option(name="partial", says="Unfinished periods: cut alike, left out, or as they are."),
    Option(name="per", says="Divide both sides by their days."),
    Option(name="against", group=AGAINST, metavar="BASIS", usual="year-ago", key=str, of=("relate",),
           says="The earlier period: as of compare, but for a plan."),
    Option(name="against", group=AGAINST, metavar="BASIS", usual="year-ago", key=str, of=("land",),
           says="The earlier whole period, as of compare, or plan."),
    Option(name="against", group=AGAINST, metavar="BASIS", usual="year-ago, and the plan that is given", key=Names,
           many=True, says=_BASES, key_says="What windows are held against.", of=("overview",)),
    Option(name="at", metavar="PERIOD", key=Day | None, of=("overview",),
           says="The moment: a day, or a period whose last day is meant; the report date where left out."),
    Option(name="windows", metavar="WINDOW", many=True, usual="month, quarter, year", key=Names,
           says="day to year: so far; last-week to last-year: whole; 12-month: so many to now."),
    Option(name="lead", group=ITEMS, metavar="WINDOW", usual="the last window",
           says="The window by which items are ordered and chosen."),
    Option(name="against", group=AGAINST, metavar="BASIS", usual="year-ago, or the plan that is given", key=str,
           says=_BASES, key_says="What periods are held against."),
    Option(name="weeks", group=AGAINST, says="year-ago: the same week number, or 364 days earlier."),
    Option(name="selling_days", shell=False, key=None,
           says="On which days something can be sold; those of the book where left out."),
    Option(name="skip_closed", group=AGAINST, says="prior days: the last ones that have records."),
    Option(name="beside", group=AGAINST, metavar="WHAT",
           says="What items are held beside: total, largest, mean or item:NAME."),
    Option(name="profile", group=AGAINST, metavar="NAME|FILE", key=str,
           says=f"The usual share by now: {', '.join(values(Profile))}, or a table of shares."),
    Option(name="rest", group=AGAINST,
           says="The rest of the period: scaled by what is done, or as in the base."),
    Option(name="history", group=AGAINST, metavar="N", between=(1, None),
           says="Over how many complete periods before the profile history is averaged."),
    Option(name="gather", group=ITEMS,
           says="life: items gathered as new, back, up, same, down, paused, ended; of one dimension."),
    Option(name="quantity", group=SALES, metavar="COL",
           says="Quantities: takes changes apart by volume, mix and price."),
    Option(name="by", group=ITEMS, says="Dimensions to split by.", shell=False, key=Names),
    Option(name="measures", group=ITEMS, says="The measures; all where left out.", shell=False, key=Names | None),
    Option(name="items", group=ITEMS, says="comparable: totals of items open on both sides."),
    Option(name="top", group=ITEMS, says="The N largest items, the largest first; the rest as all others.", metavar="N",
           between=(1, None)),
    Option(name="sort", group=ITEMS, metavar="FIGURE",
           says="Order of items: {sorts} or a heading; a leading - from the largest down.", key_says="Order of items."),
    Option(name="ranked", group=ITEMS, says="Add each item's rank, its rank before, and the cumulative share."),
    Option(name="per_year", group=AGAINST, says="Against year-ago:N: add the growth a year."),
    Option(name="unusual", group=JUDGING, says="Note growths outside the limits of ordinary variation."),
)  # fmt: skip

#: Options of `Judging`, of calendars and of `Formats`: parameters of those classes.
_CLASS_ROWS = (
    Option(name="level_within", group=JUDGING, metavar="PART", key=Number | str,
           says="A change this small is level: 0.02 or 2%.", key_says='A change this small is level: 0.02, or "2%".'),
    Option(name="level_as", group=JUDGING, says="Verdict of level."),
    Option(name="bands", group=JUDGING, flag="--band", metavar="NAME...", many=True, key=None, of=("compare",),
           says="NAME [from LIMIT] [below LIMIT] [VERDICT] [: ADVICE]; together they leave no gap."),
    Option(name="on", group=JUDGING, flag="--bands-on", says="The figure bands are of.", of=("compare",)),
    Option(name="marks", group=JUDGING, metavar="NAME", key=MarkSet | list[str],
           key_says="A set of marks, or four signs of your own.",
           says=f"{', '.join(values(MarkSet))}, or four signs by comma: rising, falling, level, unknown."),
    Option(name="marks_place", group=JUDGING, says="Where marks stand beside their figures."),
    Option(name="marks_of", group=JUDGING, says="What four signs of your own tell.",
           usual="direction; thumbs: verdict"),
    Option(name="year_start", group=CALENDAR, between=(1, 12), says="civil: first month of the year.", usual="1"),
    Option(name="week_start", group=CALENDAR, says="civil: first weekday.", usual="monday"),
    Option(name="year_named", group=CALENDAR, says="Which civil year names a year.",
           usual="civil ending, retail starting"),
    Option(name="pattern", group=CALENDAR, metavar="4-5-4", key=list[int], usual="4-5-4",
           says="retail: weeks in the periods of a quarter, or 13x4."),
    Option(name="year_ends_on", group=CALENDAR, says="retail: day a year ends on.", usual="saturday"),
    Option(name="year_ends_in", group=CALENDAR, between=(1, 12), says="retail: month a year ends in.", usual="1"),
    Option(name="year_ends", group=CALENDAR, says="retail: on that day nearest to its end, or last.",
           usual="nearest"),
    Option(name="long_period", group=CALENDAR, metavar="N", between=(1, None), says="retail: period of week 53."),
    Option(name="gaps", group=CALENDAR, flag="--calendar-gaps", says="A table of periods: days between them.",
           usual="refused"),
    Option(name="locale", group=OUTPUT, metavar="xx_YY", says="How numbers, days and words are written."),
    Option(name="currency", group=OUTPUT, metavar="XXX",
           says="Unit of the amounts of money; with --rates: the column of their currencies.",
           key_says="Unit of the amounts of money."),
    Option(name="decimals", group=OUTPUT, metavar="N", between=(0, 9), says="Decimals of the amounts."),
    Option(name="plain", group=OUTPUT, says="ASCII marks and lines, no color.", key=None),
    Option(name="spreadsheet_safe", group=OUTPUT,
           says="csv: an apostrophe before texts that a spreadsheet takes for formulas."),
)  # fmt: skip

#: What the command line has beside parameters, or in a form of its own; `of`: the commands that have it.
_COMMAND_ROWS = (
    Option(name="settings", group=SALES, metavar="REPORT.toml",
           says="A report file: its sales, measures, calendar, judging and plan hold here."),
    Option(name="lower_is_better", group=SALES, metavar="COL", many=True,
           says="Amount or measure of which less is favorable."),
    Option(name="calendar", group=CALENDAR, metavar="civil|retail|FILE", default="civil",
           says="Months; whole weeks; or a table of periods: start, end, label, year."),
    Option(name="each", group=PERIODS, kind=Grain, default="month", says="One row per."),
    Option(name="between", group=PERIODS, metavar="FIRST..LAST",
           says="The days to list; the year that holds today where left out."),
    Option(name="plan", group=PLAN, metavar="FILE|NUMBER", many=True,
           says="The plan; a number: so much each period. NAME=FILE: one of several."),
    Option(name="plan_value", group=PLAN, metavar="COL",
           says="Its column of amounts; found where only one can be meant."),
    Option(name="plan_records_of", group=PLAN, kind=Grain | None, default=None,
           says="What each row of the plan stands for.", usual="what its dates tell"),
    Option(name="plan_spread", group=PLAN, kind=PlanSpread, default="even",
           says="How it is spread over its days: evenly, on selling days, by season, or like a year earlier."),
    Option(name="selling_days", group=PERIODS, metavar="mon-sat",
           says="Weekdays on which something can be sold.", usual="those that have records"),
    Option(name="closed", group=PERIODS, metavar="DAYS|FILE", many=True,
           says="Days on which nothing is sold: a day, a period, FIRST..LAST; or a table with a column date."),
    Option(name="open", group=PERIODS, metavar="DAYS|FILE", many=True,
           says="Days on which something is sold for all that."),
    Option(name="alerts", group=JUDGING, flag="--alert", metavar="COND", many=True,
           says="Exit with 1 where it holds in the last period: 'growth < -5%', 'verdict = adverse'."),
    Option(name="holidays", group=PERIODS, metavar="XX",
           says="Public holidays of a country (PT) or region (DE-BY) are no selling days; explain names them."),
    Option(name="receipt", group=OUTPUT, kind=bool, default=False,
           says="How the figure came about: days, sums, arithmetic."),
    Option(name="backtest", group=OUTPUT, kind=bool, default=False,
           says="How far past estimates were off at each tenth of the period."),
    Option(name="form", group=OUTPUT, flag="--as", kind=Form, says="Form on the terminal; words are sentences."),
    Option(name="out", group=OUTPUT, metavar="FILE",
           says="Write to .csv .json .jsonl .parquet .md .xlsx .html .pptx .pdf (or .png .svg; --figure: .pdf too)."),
    Option(name="figure", group=OUTPUT, says="The drawing, with --out.", usual="what suits the answer"),
    Option(name="item", group=OUTPUT, metavar="NAME", says="A figure of one item (several dimensions by comma)."),
    Option(name="panels", group=OUTPUT, metavar="COL", kind=str | None,
           says="A panel for each item; of bars, of a second dimension."),
    Option(name="marked", group=OUTPUT, kind=Marked, usual="all", says="bars: which of them show their mark."),
    Option(name="panel_scale", group=OUTPUT, kind=PanelScale, usual="shared",
           says="lines, trend: whether panels share a scale, or each has its own."),
    Option(name="small", group=OUTPUT, kind=bool, says="trend: the line alone, as small as a word."),
    Option(name="color", group=OUTPUT, kind=Color, default="text",
           says="Verdicts as color of the text, or as fill behind it."),
    Option(name="across", group=OUTPUT, kind=AcrossFigure | None, alone="value", metavar="[FIGURE]",
           says="Items down, periods across: value, growth, change or share."),
    Option(name="sparks", group=OUTPUT, kind=bool, default=False,
           says="A small line of the last periods in each row."),
    Option(name="template", group=OUTPUT, metavar="TEXT",
           says="--as words: a sentence of your own: '{item} {growth}'."),
    Option(name="then", group=OUTPUT, metavar="COL",
           says="--as words: what led the first item, by another --by."),
    Option(name="until", group=SALES, metavar="DAY", says="Report date, instead of the file's own."),
    Option(name="only", group=OUTPUT, metavar="FILES", many=True,
           says="Of page, workbook, summary, slides, pictures, tables only these."),
    Option(name="log_file", group=OUTPUT, metavar="FILE", says="Add a line for each event to a file."),
    Option(name="draft", group=OUTPUT, metavar="REPORT.toml", says="Write a first report file for these sales."),
)  # fmt: skip
#: The options of a reading that a plan has as well, by their names there.
PLAN_READING: Mapping[str, Option] = {
    name: replace(
        option,
        name=f"plan_{name}",
        flag="/".join(f"--plan-{flag.removeprefix('--')}" for flag in option.flags.split("/")),
        group=PLAN,
        says=f"As {option.flags.split('/')[0]}, of the plan.",
        default=None if option.many else option.default,
    )
    for name, option in READING_OPTIONS.items()
    if option.shell and (option.group == READING or name in ("date", "where")) and name not in ("records_of", "spread")
}
COMMAND_OPTIONS: Mapping[str, Option] = {option.name: option for option in (*_COMMAND_ROWS, *PLAN_READING.values())}

#: Calendars by what a report file calls them, a class each.
CALENDARS = {
    "civil": "logochron.core.calendars.civil:CivilCalendar",
    "retail": "logochron.core.calendars.retail:RetailCalendar",
    "listed": "logochron.core.calendars.listed:ListedCalendar",
}


@cache
def options_of(owner: Any, question: str = "") -> tuple[Option, ...]:
    """The options that a function or a class has as parameters, with their types and defaults there.

    Parameters
    ----------
    question
        The question that the function answers: some options say something else there. A parameter without a row is an
        option without words.
    """
    call = owner if "__annotations__" in vars(owner) or not isinstance(owner, type) else vars(owner)["__init__"]
    kinds, rows = hints_of(call), _QUESTION_ROWS if question else _CLASS_ROWS
    unnamed = (Parameter.POSITIONAL_ONLY, Parameter.VAR_KEYWORD, Parameter.VAR_POSITIONAL)
    return tuple(
        replace(
            _row_of(parameter.name, question, rows),
            name=parameter.name,
            hint=str(parameter.annotation),
            default=None if parameter.default is Parameter.empty else parameter.default,
            needed=parameter.default is Parameter.empty,
            kind=kinds.get(parameter.name, Any),
        )
        for parameter in signature(owner).parameters.values()
        if parameter.kind not in unnamed
    )


def calendar_options(kind: str) -> tuple[Option, ...]:
    """The options of a kind of calendar."""
    return tuple(option for option in options_of(resolve_name(CALENDARS[kind])) if option.says)


def _row_of(name: str, question: str, rows: Iterable[Option]) -> Option:
    meant = (row for row in rows if row.name == name and (not (row.of and question) or question in row.of))
    return next(meant, Option(name=name))
