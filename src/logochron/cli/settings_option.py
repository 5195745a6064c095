"""`--settings REPORT.toml`: what a report file says of sales, measures, calendar, judging and plan, as defaults."""

from __future__ import annotations

import csv
import io
from collections.abc import Callable, Mapping, Sequence
from decimal import Decimal
from pathlib import Path
from typing import TYPE_CHECKING, Any, NamedTuple

import click

from logochron.cli.options import shell_option
from logochron.cli.speaking import voiced
from logochron.core.said import Said
from logochron.options import COMMAND_OPTIONS, READING_OPTIONS, options_of

if TYPE_CHECKING:
    from logochron.core.book.daybook import Daybook
    from logochron.core.book.measures import Measure
    from logochron.core.calendars.base import Calendar
    from logochron.core.rows.plans import AnyPlan
    from logochron.report.settings import Settings


class SettingsFile(NamedTuple):
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

    def plan(self, calendar: Calendar, book: Daybook) -> AnyPlan | None:
        """The plan that it names, or several by their names."""
        from logochron.report import build

        return build.plan(self.settings, self.path, calendar, book)


def _taken(ctx: click.Context, param: click.Parameter, value: str | None) -> SettingsFile | None:
    """Read before the other options: what they do not say is as the file says."""
    if value is None:
        return None
    from logochron.report.load import settings_of

    path = Path(value)
    file = SettingsFile(path, settings_of(path))
    known = {one.name for one in ctx.command.params}
    defaults = {name: value for name, value in _defaults(file).items() if name in known}
    ctx.default_map = {**(ctx.default_map or {}), **defaults}
    return file


def option(command: Callable[..., Any]) -> Callable[..., Any]:
    """The option, and the sales, which may come from it."""
    command = click.argument("sales", nargs=-1, metavar="SALES...", callback=_named)(command)
    return shell_option(COMMAND_OPTIONS["settings"], is_eager=True, callback=_taken)(command)


def _named(ctx: click.Context, param: click.Parameter, value: Sequence[str]) -> tuple[str, ...]:
    """The sales, refused where neither they nor a report file are named."""
    if not value:
        said = Said("Missing argument 'SALES...': name files of sales, or --settings REPORT.toml")
        raise click.UsageError(voiced(said), ctx)
    return tuple(value)


def _defaults(file: SettingsFile) -> dict[str, Any]:
    """What the file says, as the options would."""
    from logochron.core.judge.judging import Judging
    from logochron.report import build
    from logochron.views.formats import Formats

    settings = file.settings
    sales, judging, page = settings.sales, settings.judging, settings.page
    defaults: dict[str, Any] = build.said(sales, READING_OPTIONS) | {"sales": build.source(sales, file.path)}
    defaults |= {"values": [] if settings.measure else [_quoted(name) for name in build.listed(sales.values)]}
    defaults["by"] = None  # it is what can be asked for, not what is
    defaults["where"] = [text for name, wanted in sales.where.items() for text in _conditions(name, wanted)]
    if isinstance(sales.covering, list):
        defaults["covering"] = "..".join(map(str, sales.covering))
    if isinstance(sales.scale, Mapping):
        defaults["scale"] = [f"{column}={_number(number)}" for column, number in sales.scale.items()]
    else:
        defaults["scale"] = [_number(sales.scale)]
    until = page.until or sales.until
    defaults["until"] = None if until is None else str(until)
    defaults |= _calendar(file)
    defaults |= {option.name: getattr(judging, option.name) for option in options_of(Judging) if option.key is not None}
    defaults |= {
        "level_within": _number(judging.level_within),
        "bands": list(build.judging(judging).bands),
        "marks": judging.marks if isinstance(judging.marks, str) else ",".join(judging.marks),
    }
    defaults |= {
        option.name: getattr(page, option.name) or None for option in options_of(Formats) if option.key is not None
    }
    from logochron.core.book.selling_days import days_or_file

    selling = settings.selling_days
    if selling.weekdays is not None:
        defaults["selling_days"] = ",".join(build.listed(selling.weekdays))
    for name in ("closed", "open"):
        defaults[name] = [str(days_or_file(text, file.path.parent)) for text in build.listed(getattr(selling, name))]
    defaults["holidays"] = selling.holidays
    if sales.rates is not None:  # the unit is then the one that amounts are brought to
        defaults |= {"rates": str(file.path.parent / sales.rates), "currency": sales.currency, "to": sales.to}
        defaults["rates_at"] = None if sales.rates_at is None else str(sales.rates_at)
    return {name: value for name, value in defaults.items() if value not in (None, [], ())}


def _calendar(file: SettingsFile) -> dict[str, Any]:
    from logochron.report import build
    from logochron.report.settings import CALENDAR_KEYS

    table = file.settings.calendar
    stated = build.said(table, CALENDAR_KEYS[table.kind])
    if table.pattern is not None:
        stated["pattern"] = "-".join(map(str, table.pattern))
    if table.kind == "listed":
        return {"calendar": str(file.path.parent / str(stated.pop("file"))), **stated}
    return {"calendar": table.kind, **stated}


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
