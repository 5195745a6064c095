"""From the options of a command to what it is asked of: the calendar, the sales, the plan."""

from __future__ import annotations

import datetime as dt
import re
from pathlib import Path
from typing import Any

from logochron.cli.options import conditions, dimensions, names, plan_reading_of, reading_of
from logochron.cli.settings_option import SettingsFile
from logochron.cli.speaking import reading_progress, say
from logochron.core.align.bases import names_plan
from logochron.core.book.daybook import Daybook
from logochron.core.book.measures import Measure
from logochron.core.book.selling_days import SellingDays, days_or_file
from logochron.core.calendars.base import Calendar
from logochron.core.calendars.civil import CivilCalendar
from logochron.core.choices import as_written, refuse_brought
from logochron.core.errors import CalendarError, IntakeError, QuestionError, brief, no_such, visible
from logochron.core.rows.plans import AnyPlan, Constant, OnePlan
from logochron.core.said import Said, either
from logochron.options import CALENDARS, READING_OPTIONS, Reading, calendar_options
from logochron.report import expressions

#: What the command line calls a calendar that is listed.
_FILE = "FILE"


def calendar_of(options: dict[str, Any]) -> Calendar:
    """The calendar; an option of another kind is refused.

    Raises
    ------
    QuestionError, CalendarError
        Where the options make none.
    """
    refuse_brought("calendar", options["calendar"])
    rows = {_FILE if kind == "listed" else kind: list(calendar_options(kind)) for kind in CALENDARS}
    kind = options["calendar"] if options["calendar"] in rows else _FILE
    own = {row.name for row in rows[kind]}
    for row in (row for kind_rows in rows.values() for row in kind_rows):
        if options[row.name] is not None and row.name not in own:
            goes = either(f"--calendar {other}" for other, of in rows.items() if row.name in {r.name for r in of})
            raise QuestionError("{0} goes with {1}; this is --calendar {2}", row.flags, goes, kind)
    given = {name: options[name] for name in own if options[name] is not None}
    if kind == "civil":
        return CivilCalendar(**given)
    if kind == "retail":
        from logochron.core.calendars.retail import RetailCalendar

        if "pattern" in given:
            given["pattern"] = _pattern(given["pattern"])
        return RetailCalendar(**given)
    from logochron.core.calendars.listed import ListedCalendar

    try:
        return ListedCalendar(options["calendar"], **given)
    except CalendarError as error:  # what a file holds, not what an option says
        raise IntakeError(error.said) from None
    except QuestionError as error:
        raise QuestionError("--calendar must be civil, retail or the file of a table of periods: {0}", error) from None


def _pattern(text: str) -> tuple[int, ...]:
    """``4-5-4`` as weeks; ``13x4`` as thirteen periods of four."""
    if text.strip().lower() == "13x4":
        return (4,) * 13
    if not re.fullmatch(r"\d+(-\d+)*", text.strip()):
        raise CalendarError(
            "--pattern must be the weeks in the periods of a quarter such as 4-5-4, or 13x4; got {0}", brief(text)
        )
    return tuple(int(weeks) for weeks in text.split("-"))


def this_year(calendar: Calendar) -> tuple[dt.date, dt.date]:
    """The year of a calendar that holds today; all that is listed where today is in none."""
    from logochron.core.days import as_date, day_number

    today = day_number(dt.date.today())
    year = calendar.touching("year", today, today)
    if not len(year):
        year = calendar.touching("year", -(2**31), 2**31)
    first, last = calendar.first_days("year", year[:1])[0], calendar.last_days("year", year[-1:])[0]
    return as_date(int(first)), as_date(int(last))


def sales_book(sales: tuple[str, ...], options: dict[str, Any], calendar: Calendar) -> Daybook:
    """The daybook that the reading options ask for."""
    columns = list(dict.fromkeys(names(options["values"])))
    lower = names(options["lower_is_better"])
    composed = composed_measures(options, lower)
    known = [*columns, *(measure.name for measure in composed)]
    for name in lower:
        if name not in known:
            where = "--value and --measure" if composed else "--value"
            raise QuestionError("--lower-is-better: {0}", no_such("amount", name, known, where=where))
    from logochron.sources.files.streams import lasting
    from logochron.sources.read import read

    quantity = options.get("quantity")
    with (
        reading_progress() as progress,
        lasting(list(sales), options["table"], options["query"], progress) as source,
    ):
        if quantity is not None and not known:
            columns = [_amount_beside(quantity, source, options)]
        if quantity is not None and quantity not in known:
            columns.append(quantity)
        reading = reading_of(options) | {
            **_read_by(options),
            "measures": [*(Measure(name, better=expressions.better_of(name, lower)) for name in columns), *composed],
        }
        return read(source, progress=progress, calendar=calendar, selling_days=selling_days_of(options), **reading)


def selling_days_of(options: dict[str, Any]) -> SellingDays | None:
    """The selling days that the options say; None where they say none."""
    days = {name: [days_or_file(text) for text in options[name]] for name in ("closed", "open")}
    stated = options["selling_days"] is not None or options.get("per") == "selling-day" or any(days.values())
    # of a receipt the holidays are named, and are no selling days only where it is about such
    if not stated and (options["holidays"] is None or "receipt" not in options):
        return None
    return SellingDays(weekdays=options["selling_days"], holidays=options["holidays"], **days)


def composed_measures(options: dict[str, Any], lower: list[str]) -> list[Measure]:
    """The measures made by options; those of --settings where no amounts are named."""
    settings: SettingsFile | None = options.get("settings")
    if settings is not None and not options["measures"] and not options["values"]:
        return settings.measures
    return [expressions.measure(text, lower) for text in options["measures"]]


def _read_by(options: dict[str, Any]) -> dict[str, dict[str, str]]:
    """The dimensions that are read: those to split by, and the one that tells what led an item.

    What is gathered by life is none of them: it may have too many items to list.
    """
    by, then = dimensions(options["by"]), options.get("then")
    if options.get("settings") is not None:
        by = {name: options["settings"].columns.get(column, column) for name, column in by.items()}
    if options.get("gather") and options.get("quantity") is None and len(by) == 1 and list(by) == list(by.values()):
        return {"by": {}, "ids": by}
    return {"by": by if then is None or then in by else by | {then: then}}


def _amount_beside(quantity: str, source: Any, options: dict[str, Any]) -> str:
    """The column of amounts that goes with one of quantities, where it is not named."""
    from logochron.sources.guess_columns import amount_beside

    known = [quantity, *dimensions(options["by"]).values(), *conditions(options["where"])]
    form = Reading(**{name: options[name] for name, option in READING_OPTIONS.items() if option.of and option.shell})
    column = amount_beside(source, options["date"], known, form)
    say(Said("amounts from column {0!r} (--value)", column))
    return column


def has_settings_plan(options: dict[str, Any]) -> bool:
    """Whether the report file of --settings names a plan."""
    settings: SettingsFile | None = options.get("settings")
    return settings is not None and bool(settings.settings.plan)


def books_of(
    sales: tuple[str, ...], options: dict[str, Any], calendar: Calendar, *, target: bool = False
) -> tuple[Daybook, AnyPlan | None]:
    """The sales, and the plan where one is given; `target`: that of --settings too, where it is no base."""
    from logochron.sources.files.streams import is_standard_input

    files = plan_files(options)
    if any(map(is_standard_input, files.values())) and any(map(is_standard_input, sales)):
        raise QuestionError("standard input cannot be both the sales and the plan: write one of them to a file")
    book = sales_book(sales, options, calendar)
    if files:
        plans = {name: _plan_book(file, book, options, calendar) for name, file in files.items()}
        return book, plans.get("", plans)
    against = options["against"]
    if has_settings_plan(options) and (
        target or any(map(names_plan, names(against) if isinstance(against, tuple) else [against or ""]))
    ):
        return book, options["settings"].plan(calendar, book)
    return book, None


def plan_files(options: dict[str, Any]) -> dict[str, str]:
    """The files or numbers of --plan by the names of the plans; a single one needs none.

    Raises
    ------
    QuestionError
        Where one of several has no name, or two have the same.
    """
    files: dict[str, str] = {}
    given = options.get("plan") or ()
    for text in given:
        name, equals, file = text.partition("=")
        name = name.strip() if equals and re.fullmatch(r"\s*[\w -]+\s*", name) and not Path(text).exists() else ""
        if len(given) > 1 and not name:
            raise QuestionError("--plan {0}: each of several plans has a name, such as budget={0}", visible(text))
        if name in files:
            raise QuestionError("--plan names {0!r} twice", name)
        files[name] = file.strip() if name else text
    return files


def _plan_book(file: str, book: Daybook, options: dict[str, Any], calendar: Calendar) -> OnePlan:
    """A plan of a file, or of so much each period."""
    from logochron.sources.plans import plan_of, shared_dimensions

    number = as_written(file.replace(",", "")) if re.fullmatch(r"[\d.,]+(e\d+)?", file) else None
    if number is not None and not Path(file).exists():
        each: Any = options.get("within") or options.get("each") or ("month" if not book.standing.whole else None)
        return Constant(number, each or book.standing.records_of)
    # a filter too is of the plan, where it has the column
    return plan_of(
        file,
        book,
        shared_dimensions(book, dimensions(options["by"])),
        value=options["plan_value"],
        records_of=options["plan_records_of"],
        calendar=calendar,
        spread=options["plan_spread"],
        reading=plan_reading_of(options),
    )
