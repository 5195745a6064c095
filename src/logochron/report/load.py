"""A report file read and checked: by its models first, then what only the whole of it can tell."""

from __future__ import annotations

import os
import re
import stat
import tomllib
from collections.abc import Callable, Iterable, Iterator
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from logochron.core.align.bases import names_plan
from logochron.core.choices import BOUNDS
from logochron.core.errors import (
    LogochronError,
    ReportError,
    brief,
    did_you_mean,
    nearest,
    no_such,
    shown_path,
    visible,
)
from logochron.core.judge.judging import Judging
from logochron.core.rows.question_types import question_type
from logochron.core.said import Said
from logochron.report import build
from logochron.report.expressions import alerts_of
from logochron.report.faults import Fault, Place, faults_of, key_lines, refusal
from logochron.report.settings import (
    CalendarTable,
    ChoicesTable,
    SectionTable,
    Settings,
    section_options,
    settings_model,
)

#: The largest report file, in bytes; so many parts has the name of a key at most; so many keys and tables are there.
_MOST, _MOST_PARTS, _MOST_KEYS = 1_000_000, 50, 10_000
#: A dotted key of more parts: it takes the longer to read the more it has, for each of them.
_DOTTED = re.compile(rf"""(?<![\w-])(?:(?:[\w-]+|"[^"\n]*"|'[^'\n]*')[ \t]*\.[ \t]*){{{_MOST_PARTS}}}""")


def settings_of(path: Path) -> Settings:
    """The settings of a report file.

    Raises
    ------
    ReportError
        Where it cannot be read, is no TOML, or says what cannot be: all faults at once.
    """
    text = _text(path)
    if deep := _DOTTED.search(text):
        line = text.count("\n", 0, deep.start()) + 1
        raise ReportError(
            "{0}, line {1}: a key of over {2} parts is none of a report", shown_path(path), line, _MOST_PARTS
        )
    if max(text.count("\n"), text.count("=")) > _MOST_KEYS:
        raise ReportError("{0} has over {1:,} lines or keys: no report needs so many", shown_path(path), _MOST_KEYS)
    try:
        data = tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        raise ReportError("{0} is no TOML: {1}", shown_path(path), visible(str(error))) from None
    except RecursionError:
        raise ReportError("{0} nests lists or tables deeper than any report does", shown_path(path)) from None
    except ValueError:  # Python reads no whole number of over 4,300 digits
        raise _too_long(path, text) from None
    lines = key_lines(text)
    try:
        settings = settings_model().model_validate(data)
    except ValidationError as error:
        raise refusal(path, faults_of(error, data), lines) from None
    faults = list(_faults(settings, path))
    if faults:
        raise refusal(path, faults, lines)
    return settings


def _too_long(path: Path, text: str) -> ReportError:
    """What is said of a number that is too long."""
    number = re.search(r"\d[\d_]{4300,}", text)
    line, digits = (text.count("\n", 0, number.start()) + 1, number[0]) if number else (1, "")
    return ReportError("{0}, line {1}: a number must be {2}; got {3}", shown_path(path), line, BOUNDS, brief(digits))


def _text(path: Path) -> str:
    """What the file holds, read with a bound also where its size is not told."""
    try:
        # a pipe that nobody writes to is not waited for
        with os.fdopen(os.open(path, os.O_RDONLY | os.O_NONBLOCK), "rb") as file:
            if not stat.S_ISREG(os.fstat(file.fileno()).st_mode):
                raise ReportError("{0} is no ordinary file: a report file is read from a disk", shown_path(path))
            data = file.read(_MOST + 1)
        if len(data) > _MOST:
            raise ReportError("{0} is larger than any report file: {1:,} bytes at most", shown_path(path), _MOST)
        return data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise ReportError("{0} is not in UTF-8, as TOML is: byte {1}", shown_path(path), error.start) from None
    except OSError as error:
        raise ReportError("{0} cannot be read: {1}", shown_path(path), error.strerror or error) from None
    except ValueError:
        raise ReportError("no file can be called {0!r}", shown_path(path)) from None


def _faults(settings: Settings, path: Path) -> Iterator[Fault]:
    """What the models cannot tell."""
    sales = settings.sales
    yield from _faults_of_making(("sales", "where"), lambda: build.where(sales.where))
    for n, table in enumerate(settings.measure):
        yield from _faults_of_making(("measure", n), lambda table=table: build.measure(table))  # type: ignore[misc]
    if settings.calendar.kind != "listed":
        yield from _faults_of_making(("calendar",), lambda: build.calendar(settings.calendar, path))
    judging = Judging()
    try:
        judging = build.judging(settings.judging)
    except LogochronError as error:
        yield Fault(("judging",), error.said)
    yield from _faults_of_making(("page",), lambda: build.formats(settings.page))
    yield from _faults_of_making(("page", "palette"), lambda: build.palette(settings.page))
    yield from _no_files(settings, path)
    dimensions = list(build.dimensions(sales.by))
    yield from _of_choices(settings, dimensions)
    seen: dict[str, int] = {}
    for n, section in enumerate(settings.section):
        place: Place = ("section", n)
        if section.heading in seen:
            yield Fault(
                (*place, "heading"),
                Said("{0!r} is the heading of section {1} too", section.heading, seen[section.heading] + 1),
            )
        seen.setdefault(section.heading, n)
        if not section.heading.strip():
            yield Fault((*place, "heading"), Said("a heading must say something"))
        yield from _of_section(section, place, settings, dimensions, judging)
    if not settings.section:
        yield Fault(("section",), Said("there is no [[section]]: name at least one, with its heading and question"))


def _of_choices(settings: Settings, dimensions: list[str]) -> Iterator[Fault]:
    """What is wrong with what can be chosen on the page."""
    place, given = ("page", "choices"), settings.page.choices
    try:
        offers = build.offers(settings.page)
    except LogochronError as error:
        yield Fault(place, error.said)
        return
    inside = (*place, "dimensions") if isinstance(given, ChoicesTable) else place
    for name in offers.dimensions or ():
        if name not in dimensions:
            yield Fault(inside, no_such("dimension", name, dimensions, where="`by` of [sales]"))
    measures = [table.name for table in settings.measure] or build.listed(settings.sales.values)
    for name in offers.measures:
        if measures and name not in measures:
            yield Fault((*place, "measures"), no_such("measure", name, measures, where="[[measure]]"))
    yield from _no_plans(offers.against, settings, (*place, "against"))


def _no_plans(against: Iterable[str], settings: Settings, place: Place) -> Iterator[Fault]:
    """Plans among bases that the file does not name."""
    named = [table.name for table in settings.plan]
    for text in against:
        if not names_plan(text):
            continue
        name = text.partition(":")[2]
        if not named:
            yield Fault(place, Said("there is no plan: add [plan] with its file"))
        elif name and name not in named:
            yield Fault(place, no_such("plan", name, [str(one) for one in named if one], where="[[plan]]"))
        elif not name and len(named) > 1:
            ours = ", ".join(f"plan:{one}" for one in named)
            yield Fault(place, Said("'plan' must name one of the {0} plans: {1}", len(named), ours))


def _of_section(
    section: SectionTable, place: Place, settings: Settings, dimensions: list[str], judging: Judging
) -> Iterator[Fault]:
    of = question_type(section.question)
    if isinstance(section.figure, str) and section.figure not in of.figures:
        known = of.figures
        hint = nearest(section.figure, known)
        choices = Said("; this question has none")
        if known:
            choices = Said("; a figure of {0} is one of {1}", section.question, ", ".join(known))
        near = did_you_mean(hint, ends=True)
        yield Fault((*place, "figure"), Said("there is no figure {0!r} of it{1}{2}", section.figure, choices, near))
    if section.layout == "across" and section.question != "compare":
        yield Fault((*place, "layout"), Said("periods are laid across of compare alone"))
    options = section_options(section)
    by = build.listed(options.get("by", ()))
    gathered = build.dimensions(settings.sales.ids) if options.get("gather") else {}
    for name in by:
        if name not in dimensions and name not in gathered:
            yield Fault((*place, "by"), no_such("dimension", name, dimensions, where="`by` of [sales]"))
    measures = [table.name for table in settings.measure] or build.listed(settings.sales.values)
    for option in ("measures", "quantity"):
        for name in build.listed(options.get(option) or ()):
            if measures and name not in measures:
                yield Fault((*place, option), no_such("measure", name, measures, where="[[measure]]"))
    yield from _no_plans(build.listed(options.get("against") or ()), settings, (*place, "against"))
    if section.alerts and of.restated is None:
        yield Fault((*place, "alerts"), Said("a review has no periods to alert of: name alerts in other sections"))
    elif section.alerts:
        headings = of.headings_of(by, measures)
        for text in section.alerts:
            yield from _faults_of_making(
                (*place, "alerts"),
                lambda text=text: alerts_of([text], section.question, by, judging, headings, "alerts"),  # type: ignore[misc]
            )


def _no_files(settings: Settings, path: Path) -> Iterator[Fault]:
    """Files that are named and not there."""
    named: list[tuple[Place, str | None]] = [(("sales", "file"), settings.sales.file)]
    named += [(("sales", "files"), name) for name in settings.sales.files or ()]
    for n, table in enumerate(settings.plan):
        named.append((("plan", *([n] if len(settings.plan) > 1 else []), "file"), table.file))
    named.append((("calendar", "file"), _listed(settings.calendar)))
    named.append((("report", "template"), settings.report.template))
    for place, name in named:
        if name is None or any(sign in name for sign in "*?["):
            continue
        try:
            there = (path.parent / name).exists()
        except (OSError, ValueError):
            there = False
        if not there:
            yield Fault(place, Said("there is no file {0!r} in {1}", name, shown_path(path.parent)))


def _listed(calendar: CalendarTable) -> str | None:
    return calendar.file if calendar.kind == "listed" else None


def _faults_of_making(place: Place, make: Callable[[], Any]) -> Iterator[Fault]:
    """The fault of what cannot be made."""
    try:
        make()
    except LogochronError as error:
        yield Fault(place, error.said)
