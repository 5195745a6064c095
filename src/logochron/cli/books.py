"""From the options of a command to the books it is asked of: the sales, and the plan."""

from __future__ import annotations

from typing import Any

from logochron.cli.options import conditions, dimensions, names, reading_of
from logochron.cli.progress import reading_progress
from logochron.cli.settings_option import SettingsFile
from logochron.cli.speaking import say
from logochron.core.book.daybook import Daybook
from logochron.core.book.measures import Measure
from logochron.core.calendars.base import Calendar
from logochron.core.errors import QuestionError, no_such
from logochron.options import READING_OPTIONS, Reading
from logochron.report import expressions


def sales_book(sales: tuple[str, ...], options: dict[str, Any], calendar: Calendar) -> Daybook:
    """The daybook that the reading options ask for."""
    columns = list(dict.fromkeys(names(options["values"])))
    lower = names(options["lower_is_better"])
    composed = composed_measures(options, lower)
    known = [*columns, *(measure.name for measure in composed)]
    for name in lower:
        if name not in known:
            where = "--value and --measure" if composed else "--value"
            raise QuestionError(f"--lower-is-better: {no_such('amount', name, known, where=where)}")
    from logochron.sources.kinds.streams import lasting
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
            "by": _read_by(options),
            "measures": [*(Measure(name, better=expressions.better_of(name, lower)) for name in columns), *composed],
        }
        return read(source, progress=progress, calendar=calendar, **reading)


def composed_measures(options: dict[str, Any], lower: list[str]) -> list[Measure]:
    """The measures made by options; those of --settings where no amounts are named."""
    settings: SettingsFile | None = options.get("settings")
    if settings is not None and not options["measures"] and not options["values"]:
        return settings.measures
    return [expressions.measure(text, lower) for text in options["measures"]]


def _read_by(options: dict[str, Any]) -> dict[str, str]:
    """The dimensions that are read: those to split by, and the one that tells what led an item."""
    by, then = dimensions(options["by"]), options.get("then")
    if options.get("settings") is not None:
        by = {name: options["settings"].columns.get(column, column) for name, column in by.items()}
    return by if then is None or then in by else by | {then: then}


def _amount_beside(quantity: str, source: Any, options: dict[str, Any]) -> str:
    """The column of amounts that goes with one of quantities, where it is not named."""
    from logochron.sources.guess_columns import amount_beside

    known = [quantity, *dimensions(options["by"]).values(), *conditions(options["where"])]
    form = Reading(**{name: options[name] for name, option in READING_OPTIONS.items() if option.of and option.shell})
    column = amount_beside(source, options["date"], known, form)
    say(f"amounts from column {column!r} (--value)")
    return column


def has_settings_plan(options: dict[str, Any]) -> bool:
    """Whether the report file of --settings names a plan."""
    settings: SettingsFile | None = options.get("settings")
    return settings is not None and settings.settings.plan is not None


def books_of(
    sales: tuple[str, ...], options: dict[str, Any], calendar: Calendar, *, target: bool = False
) -> tuple[Daybook, Daybook | None]:
    """The sales, and the plan where one is given; `target`: that of --settings too, where it is no base."""
    from logochron.sources.kinds.streams import is_standard_input

    file = options.get("plan")
    if is_standard_input(file) and any(map(is_standard_input, sales)):
        raise QuestionError("standard input cannot be both the sales and the plan: write one of them to a file")
    book = sales_book(sales, options, calendar)
    if file is not None:
        from logochron.sources.plans import plan_of, shared_dimensions

        # a filter too is of the plan, where it has the column
        return book, plan_of(
            file,
            book.measures,
            shared_dimensions(book, dimensions(options["by"])),
            records_of=options["plan_records_of"],
            calendar=calendar,
            spread=options["plan_spread"],
        )
    if has_settings_plan(options) and (target or options["against"] == "plan"):
        return book, options["settings"].plan(calendar, book)
    return book, None
