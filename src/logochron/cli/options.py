"""Rows of the table of options as options of the command line, and what their texts mean."""

from __future__ import annotations

import csv
import re
from collections.abc import Callable, Iterable, Iterator
from dataclasses import replace
from fractions import Fraction
from types import NoneType, UnionType
from typing import Any, Literal, TypeVar, Union, get_args, get_origin

import click

from logochron.core.choices import MOST_DIGITS, as_written, rational, refuse_brought, values
from logochron.core.errors import QuestionError, brief
from logochron.options import (
    CALENDARS,
    COMMAND_OPTIONS,
    GROUPS,
    JUDGING,
    PLAN_READING,
    READING_OPTIONS,
    Option,
    Reading,
    calendar_options,
    options_of,
    with_rates,
)


class Whole(click.IntRange):
    """A whole number in a range; one of thousands of digits is not shown whole."""

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> Any:
        if isinstance(value, str) and len(value) > MOST_DIGITS:
            self.fail(f"{brief(value)} is no whole number of at most {MOST_DIGITS} digits.", param, ctx)
        return super().convert(value, param, ctx)


class Choice(click.Choice[str]):
    """One of some words; one that people bring along is answered with ours."""

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> str:
        if value not in self.choices and param is not None:
            refuse_brought(param.opts[0], value, option=param.name, known=self.choices)
        return super().convert(value, param, ctx)


F = TypeVar("F", bound=Callable[..., Any])

#: Parameters of questions that are made of other options.
_MADE = ("book", "calendar", "judging", "plan", "selling_days")
#: What shows or draws many rows.
_OF_MANY_ROWS = ("last", "top", "sort", "color", "figure")
#: On which days something can be sold.
_SELLING = ("selling_days", "closed", "open", "holidays")
#: How a plan is read.
_PLAN = ("plan", "plan_value", "plan_records_of", "plan_spread", *(row.name for row in PLAN_READING.values()))


class OptionInGroup(click.Option):
    """An option that stands under a heading of ``--help``."""

    def __init__(self, *args: Any, group: str, **more: Any) -> None:
        super().__init__(*args, **more)
        self.group = group


def shell_option(option: Option, **also: Any) -> Callable[[F], F]:
    """A row as an option of the command line."""
    default = None if option.usual or option.needed else option.default
    words = _words(option.kind)
    more: dict[str, Any] = {"type": str}
    if option.many:
        more, default = {"type": click.UNPROCESSED if option.name == "bands" else str, "multiple": True}, None
    elif bool in _kinds(option.kind):
        more = {"type": bool} if "/" in option.flags else {"is_flag": True}
    elif words and option.metavar is None:
        more = {"type": Choice(words)}
    elif set(_kinds(option.kind)) <= {int, NoneType}:
        more = {"type": Whole(*option.between)}
    elif default is not None:
        default = str(default)
    if option.alone:
        more = {"type": Choice(words), "is_flag": False, "flag_value": option.alone}
    said = option.says + (f"  [default: {option.usual}]" if option.usual else "")
    return click.option(
        option.flags, option.name, cls=OptionInGroup, group=option.group, metavar=option.metavar, help=said,
        default=default, show_default=default is not None and "is_flag" not in more, **more, **also,
    )  # fmt: skip


def _kinds(hint: Any) -> tuple[Any, ...]:
    """The kinds that a hint allows."""
    return get_args(hint) if get_origin(hint) in (Union, UnionType) else (hint,)


def _words(hint: Any) -> tuple[str, ...]:
    """The words that a hint allows, where it allows nothing else."""
    parts = [part for part in _kinds(hint) if part is not NoneType]
    literal = parts and all(get_origin(part) is Literal for part in parts)
    return tuple(word for part in parts for word in values(part)) if literal else ()


def _with(command: F, options: Iterable[Option]) -> F:
    """A command with some options, heading by heading."""
    for row in sorted(options, key=lambda row: GROUPS.index(row.group))[::-1]:
        command = shell_option(row)(command)
    return command


def of_reading(command: F) -> F:
    """The options of a reading; what refused rows do is asked of those who want figures."""
    left_out = ("measures", "on_refused")
    return _with(command, (row for row in READING_OPTIONS.values() if row.shell and row.name not in left_out))


def of_question(name: str, *also: str, **defaults: Any) -> Callable[[F], F]:
    """All options of a question: those of its reading, its own parameters, and of how its answer is judged and shown.

    Parameters
    ----------
    also
        Options of the command line alone.
    defaults
        What holds on the command line where it is not what holds in Python.
    """

    def decorate(command: F) -> F:
        rows = _question_rows(name, also)
        return _with(command, (replace(row, default=defaults.get(row.name, row.default)) for row in rows))

    return decorate


def _question_rows(name: str, also: Iterable[str], *, drawn: bool = True) -> Iterator[Option]:
    # what questions are made of is loaded when one is named
    from logochron.core.judge.judging import Judging
    from logochron.core.rows.question_types import loaded, question_type
    from logochron.views.figures.registry import FIGURES

    of = question_type(name)
    # one option says the column of currencies, or the unit that amounts are shown in
    yield from (row for row in READING_OPTIONS.values() if row.shell and row.name != "currency")
    yield COMMAND_OPTIONS["lower_is_better"]
    parameters = options_of(loaded(of.function), of.name)
    for row in parameters:
        if row.shell and row.name not in _MADE:
            yield replace(row, says=row.says.replace("{sorts}", ", ".join(of.sorts)))
    names = {row.name for row in parameters}
    if "plan" in names:
        yield from (COMMAND_OPTIONS[name] for name in _PLAN)
    if "judging" in names:
        yield from (row for row in options_of(Judging) if not row.of or of.name in row.of)
        yield COMMAND_OPTIONS["alerts"]
        yield COMMAND_OPTIONS["color"]
    yield from _calendar_rows()
    yield from (COMMAND_OPTIONS[name] for name in (*_SELLING, *also))
    yield from _output_rows()
    if of.figures and drawn:
        taken = {option for figure in FIGURES if figure.name in of.figures for option in figure.options}
        yield replace(COMMAND_OPTIONS["figure"], kind=Literal.__getitem__(of.figures))
        yield from (row for name, row in COMMAND_OPTIONS.items() if name in taken)


def _calendar_rows() -> Iterator[Option]:
    yield COMMAND_OPTIONS["calendar"]
    rows = {row.name: row for kind in CALENDARS for row in calendar_options(kind)}
    yield from (replace(row, default=None) for row in rows.values())


def _output_rows(*, amounts: bool = True) -> Iterator[Option]:
    from logochron.views.formats import Formats

    yield from (COMMAND_OPTIONS[name] for name in ("form", "out"))
    yield from (row for row in options_of(Formats) if amounts or row.name not in ("currency", "decimals"))


def of_calendar(command: F) -> F:
    """The options that choose a calendar."""
    return _with(command, _calendar_rows())


def of_output(command: F) -> F:
    """The options of how an answer without amounts is shown."""
    return _with(command, _output_rows(amounts=False))


def of_explain(command: F) -> F:
    """The options of compare that choose a figure, and those of its receipt."""
    chosen = (row for row in _question_rows("compare", (), drawn=False) if row.group != JUDGING)
    return _with(command, (row for row in chosen if row.name not in _OF_MANY_ROWS))


def only(*names: str, **changes: Any) -> Callable[[F], F]:
    """Options by their names, such as the command line alone has."""

    def decorate(command: F) -> F:
        from logochron.views.formats import Formats

        known = {**{row.name: row for row in options_of(Formats)}, **COMMAND_OPTIONS}
        return _with(command, (replace(known[name], **changes) for name in names))

    return decorate


def reading_of(options: dict[str, Any]) -> dict[str, Any]:
    """What the options of a reading say, as `read` takes it; measures are made of more than one."""
    rows = (row for row in READING_OPTIONS.values() if row.shell and row.name not in ("values", "measures"))
    own = {row.name: options[row.name] for row in rows if row.name in options}
    if own.get("rates") is None:
        own["currency"] = None
    return _typed(own) | {"by": dimensions(options["by"])}


def plan_reading_of(options: dict[str, Any]) -> Reading:
    """What the options of a plan say of its reading."""
    own = {name: options[row.name] for name, row in PLAN_READING.items() if row.name in options}
    return with_rates(Reading(**_typed(own)), options.get("rates"), options.get("to"))


def _typed(own: dict[str, Any]) -> dict[str, Any]:
    """Options of a reading as `read` takes them, from their texts."""
    dates = names((own["date"],)) if isinstance(own.get("date"), str) else own.get("date") or []
    filled, lines = own.get("fill_down"), own.get("header_row")
    return own | {
        "fill_down": (False if filled in ("no", False) else names((filled,))) if filled is not None else None,
        "header_row": _lines(lines) if isinstance(lines, str) else lines,
        "date": dates if len(dates) > 1 else dates[0] if dates else None,
        "where": conditions(own.get("where") or ()),
        "scale": scales(own.get("scale") or ()),
    }


def _lines(text: str) -> int | tuple[int, ...]:
    """``3`` or ``1,2`` as lines."""
    if not re.fullmatch(r"\d{1,9}(,\d{1,9})?", text.replace(" ", "")):
        raise QuestionError("--header-row must be a line such as 3, 0, or two such as 1,2; got {0}", brief(text))
    lines = tuple(map(int, text.split(",")))
    return lines if len(lines) > 1 else lines[0]


def names(texts: tuple[str, ...]) -> list[str]:
    """Names given one by one or by comma; one that holds a comma itself stands in double quotes."""
    cells = (name for text in texts for row in csv.reader([text], skipinitialspace=True) for name in row)
    return [name.strip() for name in cells if name.strip()]


def dimensions(texts: tuple[str, ...]) -> dict[str, str]:
    """``COL`` or ``NAME=COL`` as new name -> column."""
    columns: dict[str, str] = {}
    for text in names(texts):
        new, equals, column = text.partition("=")
        if equals and not (new.strip() and column.strip()):
            raise QuestionError("--by must be COL or NAME=COL; got {0}", brief(text))
        name = new.strip()
        if name in columns:
            raise QuestionError("--by names {0!r} twice", name)
        columns[name] = column.strip() if equals else name
    return columns


def conditions(texts: tuple[str, ...]) -> dict[str, list[Any]]:
    """``COL=VALUE`` and ``COL!=VALUE`` as a filter."""
    from logochron.core.book.filters import Not

    filters: dict[str, list[Any]] = {}
    for text in texts:
        column, equals, label = text.partition("=")
        negated = column.endswith("!")
        column = column.removesuffix("!").strip()
        if not equals or not column:
            raise QuestionError("--where must be COL=VALUE or COL!=VALUE; got {0}", brief(text))
        filters.setdefault(column, []).append(Not(label) if negated else label)
    return filters


def scales(texts: tuple[str, ...]) -> Any:
    """``N``, or ``COL=N`` as column -> number; exactly as they are written."""
    numbers: dict[str, Any] = {}
    for text in texts:
        column, equals, number = text.rpartition("=")
        exactly = as_written(number)
        if exactly is None or bool(equals) != bool(column.strip()):
            raise QuestionError("--scale must be N or COL=N, such as 1000; got {0}", brief(text))
        numbers[column.strip()] = exactly
    if len(numbers) < len(texts) or ("" in numbers and len(numbers) > 1):
        raise QuestionError("--scale names one number for all columns, or one for each of some")
    return numbers.get("", numbers) if numbers else 1


def part(text: str, option: str) -> Fraction:
    """A part such as ``0.02`` or ``2%``, exactly."""
    try:
        percent = text.strip().endswith("%")
        number = rational(text.strip().removesuffix("%")) / (100 if percent else 1)
    except (ValueError, ZeroDivisionError):
        number = Fraction(-1)
    if not 0 <= number <= 1:
        raise QuestionError("{0} must be a part from 0 to 1, such as 0.02 or 2%; got {1}", option, brief(text))
    return number
