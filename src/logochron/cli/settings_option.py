"""`--settings REPORT.toml`: what a report file says of sales, measures, calendar, judging and plan, as defaults."""

from __future__ import annotations

import csv
import io
from collections.abc import Callable, Mapping, Sequence
from decimal import Decimal
from pathlib import Path
from typing import TYPE_CHECKING, Any, NamedTuple

import click

from logochron.core.options import READING

if TYPE_CHECKING:
    from logochron.core.book.daybook import Daybook
    from logochron.core.book.measures import Measure
    from logochron.core.calendars.base import Calendar
    from logochron.report.settings import Settings


class Given(NamedTuple):
    """A report file that settings are taken from."""

    path: Path
    settings: Settings

    @property
    def measures(self) -> list[Measure]:
        """The measures that it makes."""
        from logochron.report import build

        return build.measures(self.settings)

    @property
    def columns(self) -> Mapping[str, str]:
        """The columns of its dimensions, by their names."""
        from logochron.report import build

        return build.dimensions(self.settings.sales.by)

    def plan(self, calendar: Calendar, book: Daybook) -> Daybook | None:
        """The plan that it names."""
        from logochron.report import build

        return build.plan(self.settings, self.path, calendar, book)


def _taken(ctx: click.Context, param: click.Parameter, value: str | None) -> Given | None:
    """Read before the other options: what they do not say is as the file says."""
    if value is None:
        return None
    from logochron.report.load import settings_of

    path = Path(value)
    given = Given(path, settings_of(path))
    known = {one.name for one in ctx.command.params}
    defaults = {name: told for name, told in _defaults(given).items() if name in known}
    ctx.default_map = {**(ctx.default_map or {}), **defaults}
    return given


def option(command: Callable[..., Any]) -> Callable[..., Any]:
    """The option, and the sales, which may come from it."""
    command = click.argument("sales", nargs=-1, metavar="SALES...", callback=_named)(command)
    return click.option(
        "--settings",
        metavar="REPORT.toml",
        is_eager=True,
        callback=_taken,
        help="A report file: its sales, measures, calendar, judging and plan hold here.",
    )(command)


def _named(ctx: click.Context, param: click.Parameter, value: Sequence[str]) -> tuple[str, ...]:
    """The sales, refused where neither they nor a report file are named."""
    if not value:
        raise click.UsageError("Missing argument 'SALES...': name files of sales, or --settings REPORT.toml", ctx)
    return tuple(value)


def _defaults(given: Given) -> dict[str, Any]:
    """What the file says, as the options would."""
    from logochron.report import build

    settings = given.settings
    sales, judging, page = settings.sales, settings.judging, settings.page
    found: dict[str, Any] = {"sales": build.source(sales, given.path), "date": sales.date}
    if not settings.measure:
        found["value"] = [_quoted(name) for name in build.listed(sales.values)]
    found["where"] = [text for name, wanted in sales.where.items() for text in _conditions(name, wanted)]
    found |= build.said(sales, READING)
    if isinstance(sales.covering, list):
        found["covering"] = "..".join(map(str, sales.covering))
    until = page.until or sales.until
    found["until"] = None if until is None else str(until)
    found |= _calendar(given)
    found |= {
        "level_within": _number(judging.level_within),
        "level_as": judging.level_as,
        "bands": list(build.judging(judging).bands),
        "bands_on": judging.on,
        "marks": judging.marks if isinstance(judging.marks, str) else ",".join(judging.marks),
        "marks_place": judging.marks_place,
        "marks_of": judging.marks_of,
        "locale": page.locale,
        "currency": page.currency,
        "decimals": page.decimals,
        "spreadsheet_safe": page.spreadsheet_safe or None,
    }
    return {name: told for name, told in found.items() if told not in (None, [], ())}


def _calendar(given: Given) -> dict[str, Any]:
    from logochron.report import build
    from logochron.report.settings import CALENDAR_KEYS

    table = given.settings.calendar
    found = build.said(table, CALENDAR_KEYS[table.kind])
    if table.pattern is not None:
        found["pattern"] = "-".join(map(str, table.pattern))
    if table.kind == "listed":
        return {"calendar": str(given.path.parent / str(table.file)), "calendar_gaps": table.gaps}
    return {"calendar": table.kind, **found}


def _conditions(name: str, wanted: Any) -> list[str]:
    from logochron.report import build

    if isinstance(wanted, Mapping):
        return [f"{name}!={label}" for label in build.listed(wanted["not"])]
    return [f"{name}={label}" for label in (wanted if isinstance(wanted, list) else [wanted])]


def _number(given: Any) -> str:
    """A number without an exponent; a text such as ``8%`` as it is."""
    return given if isinstance(given, str) else format(Decimal(repr(given)), "f")


def _quoted(name: str) -> str:
    """A name as an option that takes several by comma reads it."""
    target = io.StringIO()
    csv.writer(target, lineterminator="").writerow([name])
    return target.getvalue()
