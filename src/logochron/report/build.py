"""What the tables of a report file stand for: measures, calendars, judging, books, formats."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable, Mapping
from pathlib import Path
from typing import Any

from pydantic import BaseModel

from logochron.core.book.daybook import Daybook
from logochron.core.book.filters import Not
from logochron.core.book.measures import Measure
from logochron.core.book.selling_days import SellingDays, days_or_file
from logochron.core.calendars.base import Calendar
from logochron.core.calendars.civil import CivilCalendar
from logochron.core.choices import BOUNDS, rational
from logochron.core.errors import QuestionError, brief, no_such
from logochron.core.judge.judging import Band, Judging
from logochron.core.rows.plans import AnyPlan, Constant, OnePlan
from logochron.options import PLAN_READING, READING_OPTIONS, Reading, with_rates
from logochron.report.settings import (
    CALENDAR_KEYS,
    CalendarTable,
    ChoicesTable,
    JudgingTable,
    MeasureTable,
    PageTable,
    PlanTable,
    Sales,
    SellingDaysTable,
    Settings,
)
from logochron.views.formats import Formats
from logochron.views.page.offers import Offers
from logochron.views.palette import Palette


def listed(names: Any) -> list[str]:
    """One name or several, as a list."""
    return [names] if isinstance(names, str) else list(names)


def dimensions(by: Any) -> dict[str, str]:
    """Dimensions by their names, with the columns they are of."""
    return dict(by) if isinstance(by, Mapping) else {name: name for name in listed(by)}


def where(given: Mapping[str, Any] | None) -> dict[str, Any] | None:
    """Filters as `read` takes them."""
    if given is None:
        return None
    return {
        name: Not(*listed(wanted["not"])) if isinstance(wanted, Mapping) else wanted for name, wanted in given.items()
    }


def said(table: BaseModel, names: Iterable[str]) -> dict[str, Any]:
    """What a table says itself of these keys."""
    return {name: getattr(table, name) for name in names if name in table.model_fields_set}


def measure(table: MeasureTable) -> Measure:
    """A measure."""
    given = said(table, table.model_fields_set)
    if table.rates_at is not None:
        given["rates_at"] = str(table.rates_at)
    return Measure(**given | ({"where": where(table.where)} if table.where is not None else {}))


def measures(settings: Settings) -> list[Measure]:
    """The measures of a report; none where the columns of amounts are to be found."""
    return list(map(measure, settings.measure))


def calendar(table: CalendarTable, path: Path) -> Calendar:
    """The calendar; `path` is that of the report file."""
    given = said(table, CALENDAR_KEYS[table.kind])
    if table.kind == "civil":
        return CivilCalendar(**given)
    if table.kind == "retail":
        from logochron.core.calendars.retail import RetailCalendar

        return RetailCalendar(**given | ({"pattern": tuple(table.pattern)} if table.pattern is not None else {}))
    from logochron.core.calendars.listed import ListedCalendar

    del given["file"]
    return ListedCalendar(path.parent / str(table.file), **given)


def selling_days(table: SellingDaysTable, path: Path) -> SellingDays | None:
    """The selling days, where any are said; `path` is that of the report file."""
    if not table.model_fields_set:
        return None
    days = {name: [days_or_file(text, path.parent) for text in listed(getattr(table, name))] for name in _LISTS}
    return SellingDays(weekdays=table.weekdays, holidays=table.holidays, **days)


_LISTS = ("closed", "open")


def limit(given: Any) -> Any:
    """A limit as a number: 0.08, or the text "8%"."""
    if not isinstance(given, str):
        return given
    text = given.strip()
    try:
        return rational(text.removesuffix("%")) / (100 if text.endswith("%") else 1)
    except (ValueError, ZeroDivisionError):
        raise QuestionError('must be a number such as 0.08 or "8%", {0}; got {1}', BOUNDS, brief(given)) from None


def judging(table: JudgingTable) -> Judging:
    """How changes are judged."""
    bands = [
        Band(band.name, from_=limit(band.from_), below=limit(band.below), verdict=band.verdict, advice=band.advice,
             mark=band.mark)
        for band in table.band
    ]  # fmt: skip
    return Judging(
        level_within=limit(table.level_within), level_as=table.level_as, bands=bands, on=table.on,
        marks=table.marks, marks_place=table.marks_place, marks_of=table.marks_of,
    )  # fmt: skip


def formats(page: PageTable) -> Formats:
    """How numbers, days and words are written."""
    return Formats(locale=page.locale, currency=page.currency, decimals=page.decimals,
                   spreadsheet_safe=page.spreadsheet_safe)  # fmt: skip


def palette(page: PageTable) -> Palette:
    """The colors."""
    known = Palette.__dataclass_fields__
    for role, color in page.palette.items():
        if role not in known:
            raise QuestionError(no_such("role", role, known, where="a palette"))
        if len(color) != 7 or color[0] != "#" or any(sign not in "0123456789abcdefABCDEF" for sign in color[1:]):
            raise QuestionError("{0!r} must be a color such as #22365E; got {1}", role, brief(color))
    return Palette(**page.palette)


def offers(page: PageTable, plan: AnyPlan | None = None) -> Offers:
    """What can be chosen on the page."""
    given = page.choices.model_dump() if isinstance(page.choices, ChoicesTable) else page.choices
    return Offers.of(given, plan, page.open)


def source(sales: Sales, path: Path) -> list[str]:
    """The address of the sales, or their files, from the folder of the report file where they are no addresses.

    Raises
    ------
    QuestionError
        Where the address is in an environment variable that is not set.
    """
    if sales.address is not None:
        file = sales.address.removeprefix("sqlite:///")
        if file != sales.address and not sales.address.startswith("sqlite:////"):
            return [f"sqlite:///{path.parent / file}"]
        if not sales.address.startswith("$"):
            return [sales.address]
        name = sales.address.removeprefix("$").strip("{}")
        if not os.environ.get(name):
            raise QuestionError("`address`: the environment variable {0!r} is not set", name)
        return [os.environ[name]]
    named = [sales.file] if sales.file is not None else sales.files or ()
    return [name if "://" in name else str(path.parent / name) for name in named]


def files(settings: Settings, path: Path) -> tuple[str, ...]:
    """What a report reads besides its own file."""
    beside = [settings.calendar.file, settings.sales.rates]
    days = (text for name in _LISTS for text in listed(getattr(settings.selling_days, name)))
    beside += [text for text in days if isinstance(days_or_file(text), Path)]
    beside += [name for table in settings.plan for name in (table.file, table.rates)]
    named = [name for name in beside if name is not None]
    profiles = [name for section in settings.section if is_file_name(name := getattr(section, "profile", ""))]
    return (*source(settings.sales, path), *(str(path.parent / name) for name in named), *profiles)


def is_file_name(profile: str) -> bool:
    """Whether a profile is a file of shares: a name of one has an ending, or a folder before it."""
    return "." in profile or "/" in profile


def book(
    settings: Settings, path: Path, calendar: Calendar, until: Any, progress: Callable[[float], None] | None
) -> Daybook:
    """The sales, read once with all that any section needs."""
    from logochron.sources.read import read

    sales = settings.sales
    given = said(sales, READING_OPTIONS) | {"by": dimensions(sales.by), "where": where(sales.where)}
    if isinstance(given.get("covering"), list):
        given["covering"] = tuple(given["covering"])
    given |= _rates(sales, path)
    if (until := until or settings.page.until) is not None:
        given["until"] = until
    given["selling_days"] = selling_days(settings.selling_days, path)
    return read(source(sales, path), measures=measures(settings), calendar=calendar, progress=progress, **given)


def _rates(table: Sales | PlanTable, path: Path) -> dict[str, Any]:
    """The file of rates that a table names, from the folder of the report file."""
    return {} if table.rates is None else {"rates": str(path.parent / table.rates)}


def plan(settings: Settings, path: Path, calendar: Calendar, sales: Daybook) -> AnyPlan | None:
    """The plan, or several by their names, where there are any."""
    plans = {table.name or "": _plan(table, settings, path, calendar, sales) for table in settings.plan}
    return plans.get("", plans) if plans else None


def _plan(table: PlanTable, settings: Settings, path: Path, calendar: Calendar, sales: Daybook) -> OnePlan:
    from logochron.sources.plans import plan_of, shared_dimensions
    from logochron.sources.read import read_plan

    if table.file is None:
        return Constant(rational(repr(table.number)), table.records_of or "month", table.measure)
    file = str(path.parent / table.file)
    stated: dict[str, Any] = said(table, PLAN_READING) | ({"where": where(table.where)} if table.where else {})
    reading = with_rates(Reading(**stated | _rates(table, path)), _rates(settings.sales, path).get("rates"),
                         settings.sales.to)  # fmt: skip
    stated |= {name: getattr(reading, name) for name in ("rates", "to")}
    if table.value is not None and table.measure is not None:
        return read_plan(
            file, value=table.value, measure=table.measure, by=dimensions(table.by), spread=table.spread,
            records_of=table.records_of or "month", calendar=calendar, **({"date": None} | stated),
        )  # fmt: skip
    shared = dimensions(table.by) or shared_dimensions(sales, dimensions(settings.sales.by))
    return plan_of(
        file, sales, shared, value=table.value, records_of=table.records_of, calendar=calendar, spread=table.spread,
        reading=reading,
    )  # fmt: skip
