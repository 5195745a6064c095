"""A report file read and checked: by its models first, then what only the whole of it can tell."""

from __future__ import annotations

import tomllib
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from logochron.core.errors import LogochronError, ReportError, nearest, no_such, shown_path
from logochron.core.judge.judging import Judging
from logochron.core.rows.columns import headings_of
from logochron.report import made_of
from logochron.report.alerting import alerts_of
from logochron.report.faults import Fault, faults_of, refusal
from logochron.report.key_lines import Place, key_lines
from logochron.report.settings import CalendarTable, SectionTable, Settings, options_of
from logochron.views.figures.registry import names_of

#: The largest report file, in bytes.
_MOST = 2_000_000


def settings_of(path: Path) -> Settings:
    """The settings of a report file.

    Raises
    ------
    ReportError
        Where it cannot be read, is no TOML, or says what cannot be: all faults at once.
    """
    text = _text(path)
    try:
        data = tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        raise ReportError(f"{shown_path(path)} is no TOML: {error}") from None
    lines = key_lines(text)
    try:
        settings = Settings.model_validate(data)
    except ValidationError as error:
        raise refusal(path, faults_of(error, data), lines) from None
    faults = list(_faults(settings, path))
    if faults:
        raise refusal(path, faults, lines)
    return settings


def _text(path: Path) -> str:
    try:
        if path.stat().st_size > _MOST:
            raise ReportError(f"{shown_path(path)} is larger than any report file: {_MOST:,} bytes at most")
        return path.read_text(encoding="utf-8-sig")
    except UnicodeDecodeError as error:
        raise ReportError(f"{shown_path(path)} is not in UTF-8, as TOML is: byte {error.start}") from None
    except OSError as error:
        raise ReportError(f"{shown_path(path)} cannot be read: {error.strerror or error}") from None
    except ValueError:
        raise ReportError(f"no file can be called {shown_path(path)!r}") from None


def _faults(settings: Settings, path: Path) -> Iterator[Fault]:
    """What the models cannot tell."""
    sales = settings.sales
    yield from _made(("sales", "where"), lambda: made_of.where(sales.where))
    for n, table in enumerate(settings.measure):
        yield from _made(("measure", n), lambda table=table: made_of.measure(table))  # type: ignore[misc]
    if settings.calendar.kind != "listed":
        yield from _made(("calendar",), lambda: made_of.calendar(settings.calendar, path))
    judging = Judging()
    try:
        judging = made_of.judging(settings.judging)
    except LogochronError as error:
        yield Fault(("judging",), str(error))
    yield from _made(("page",), lambda: made_of.formats(settings.page))
    yield from _made(("page", "palette"), lambda: made_of.palette(settings.page))
    yield from _no_files(settings, path)
    dimensions = list(made_of.dimensions(sales.by))
    for name in settings.page.choices or ():
        if name not in dimensions:
            yield Fault(("page", "choices"), no_such("dimension", name, dimensions, where="`by` of [sales]"))
    seen: dict[str, int] = {}
    for n, section in enumerate(settings.section):
        place: Place = ("section", n)
        if section.heading in seen:
            yield Fault(
                (*place, "heading"), f"{section.heading!r} is the heading of section {seen[section.heading] + 1} too"
            )
        seen.setdefault(section.heading, n)
        if not section.heading.strip():
            yield Fault((*place, "heading"), "a heading must say something")
        yield from _of_section(section, place, settings, dimensions, judging)
    if not settings.section:
        yield Fault(("section",), "there is no [[section]]: name at least one, with its heading and question")


def _of_section(
    section: SectionTable, place: Place, settings: Settings, dimensions: list[str], judging: Judging
) -> Iterator[Fault]:
    if isinstance(section.figure, str) and section.figure not in names_of(section.question):
        known = names_of(section.question)
        hint = nearest(section.figure, known)
        told = f"; a figure of {section.question} is one of {', '.join(known)}" if known else "; this question has none"
        yield Fault((*place, "figure"), f"there is no figure {section.figure!r} of it{told}"
                    + (f". Did you mean {hint!r}?" if hint else ""))  # fmt: skip
    options = options_of(section)
    by = made_of.listed(options.get("by", ()))
    for name in by:
        if name not in dimensions:
            yield Fault((*place, "by"), no_such("dimension", name, dimensions, where="`by` of [sales]"))
    measures = [table.name for table in settings.measure] or made_of.listed(settings.sales.values)
    for option in ("measures", "quantity"):
        for name in made_of.listed(options.get(option) or ()):
            if measures and name not in measures:
                yield Fault((*place, option), no_such("measure", name, measures, where="[[measure]]"))
    if options.get("against") == "plan" and settings.plan is None:
        yield Fault((*place, "against"), "there is no plan: add [plan] with its file")
    if section.alerts and section.question == "review":
        yield Fault((*place, "alerts"), "a review has no periods to alert of: name alerts in other sections")
    elif section.alerts:
        headings = headings_of(section.question, by, measures)
        for text in section.alerts:
            yield from _made(
                (*place, "alerts"),
                lambda text=text: alerts_of([text], section.question, by, judging, headings, "alerts"),  # type: ignore[misc]
            )


def _no_files(settings: Settings, path: Path) -> Iterator[Fault]:
    """Files that are named and not there."""
    named: list[tuple[Place, str | None]] = [(("sales", "file"), settings.sales.file)]
    named += [(("sales", "files"), name) for name in settings.sales.files or ()]
    named.append((("plan", "file"), settings.plan.file if settings.plan else None))
    named.append((("calendar", "file"), _listed(settings.calendar)))
    for place, name in named:
        if name is None or any(sign in name for sign in "*?["):
            continue
        try:
            there = (path.parent / name).exists()
        except (OSError, ValueError):
            there = False
        if not there:
            yield Fault(place, f"there is no file {name!r} in {shown_path(path.parent)}")


def _listed(calendar: CalendarTable) -> str | None:
    return calendar.file if calendar.kind == "listed" else None


def _made(place: Place, make: Callable[[], Any]) -> Iterator[Fault]:
    """The fault of what cannot be made."""
    try:
        make()
    except LogochronError as error:
        yield Fault(place, str(error))
