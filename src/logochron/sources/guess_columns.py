"""Which column holds the dates and which the amounts, where only one can be meant."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Sequence
from shlex import quote
from typing import Any

import numpy as np

from logochron.core.book.measures import Measure
from logochron.core.calendars.base import Calendar
from logochron.core.choices import PLURALS, Grain
from logochron.core.errors import IntakeError, QuestionError
from logochron.options import Reading
from logochron.sources.duckdb.connection import Engine
from logochron.sources.files.find_files import Source, locate
from logochron.sources.files.headers import SampleColumn
from logochron.sources.files.source_reader import sampled
from logochron.sources.files.text_prepare import looks_headless
from logochron.sources.values.amounts import is_amount
from logochron.sources.values.dates import AmbiguousDates, read_dates
from logochron.sources.values.period_names import ordinal_named, read_label

_TAKINGS = re.compile(r"revenue|sales|turnover|takings|income|umsatz|erl[öo]s|ventas|chiffre", re.IGNORECASE)
#: What columns of numbers are called that are no amounts.
_CALLED_A_NUMBER = re.compile(
    r"(^|[^a-z])(ids?|nr|no|number|code|key|sku|ean|zip|plz|postcode|phone|index|row|line|year|month|week|day)$",
    re.IGNORECASE,
)
_MOST_ITEMS, _FEW = 200, 40
#: The part of its fields from which a column with some flaws is offered, or reviewed.
NEARLY = 0.8
#: Numbers that no form of dates reads, and no name of a period shorter than a year.
_NO_DATE = re.compile(r"\s*[+-]?\d{0,4}(?:\.\d*)?\s*", re.ASCII)
_INTEGER = re.compile(r"[+-]?\d+")


def guess(
    source: Source, columns: Sequence[SampleColumn], date: str | None, measures: Sequence[Measure], known: Sequence[str]
) -> tuple[str, str, tuple[str, ...]]:
    """The column of dates, the column of amounts, and what was taken.

    Parameters
    ----------
    date, measures
        What the user named; None or empty where it is to be guessed.
    known
        Columns that are named for something else.

    Raises
    ------
    QuestionError
        Where none or several may be meant: with the candidates and a command to copy.
    """
    dates, candidates = candidates_of(columns, date, known)
    if not dates or not (candidates or measures):
        # the only column that comes near is meant, whatever flaws its rows are refused for
        nearly, nearly_amounts = candidates_of(columns, date, known, NEARLY)
        dates = dates or nearly[:1] * (len(nearly) == 1)
        candidates = [column for column in candidates or nearly_amounts if column.name not in dates]
    # those with decimals first: a command to copy names the likeliest
    candidates.sort(key=lambda column: not _has_decimals(column))
    amounts = [m.name for m in measures] or [column.name for column in candidates]
    if not measures and [_has_decimals(column) for column in candidates].count(True) == 1:
        amounts = amounts[:1]
    if len(dates) == 1 and (measures or len(amounts) == 1):
        headless = looks_headless([*dates, *amounts])
        if headless:
            raise QuestionError(f"{source.name}: it has the columns {', '.join(c.name for c in columns)}{headless}")
        taken = [f"dates from column {dates[0]!r} (date=, --date)"] if date is None else []
        taken += [] if measures else [f"amounts from column {amounts[0]!r} (values=, --value)"]
        return dates[0], amounts[0], (f"{source.name}: {', '.join(taken)}",)
    raise QuestionError(_asked(source, columns, dates, [] if measures else amounts, bool(measures)))


def wide_grain(columns: Sequence[SampleColumn], known: Sequence[str], calendar: Calendar) -> Grain | None:
    """The grain of a wide table: two columns or more are named for periods of it, and no column holds dates.

    Parameters
    ----------
    known
        What the user named: columns that are no periods, and amounts; a table that has a column of these is not wide.
    """
    open_to = [column for column in columns if column.name and column.name not in known]
    labels = {column.name: label for column in open_to if (label := read_label(column.name))}
    grains = {label.grain for label in labels.values()}
    if len(labels) < 2 or len(grains) > 1:
        return None
    (grain,) = grains
    for column in open_to:
        label = labels.get(column.name)
        if label is None:
            if _may_be_date(column, NEARLY):
                return None
            continue
        amounts = not column.texts or _is_numeric(column, NEARLY)  # a period to come is empty
        if not amounts or ordinal_named(column.name, label, grain, calendar) is None:
            return None
    filled = any(column.texts for column in open_to if column.name in labels)
    return grain if filled else None


def candidates_of(
    columns: Sequence[SampleColumn], date: str | None, known: Sequence[str], least: float = 1.0
) -> tuple[list[str], list[SampleColumn]]:
    """The names of the columns that may hold dates, and the columns that may hold amounts.

    `least` is the part of its filled fields that must be such.
    """
    open_to = [column for column in columns if column.name and column.name not in known]
    dates = [date] if date is not None else [column.name for column in open_to if _may_be_date(column, least)]
    open_to = [column for column in open_to if column.name not in dates]
    amounts = [column for column in open_to if _may_be_amount(column, least)]
    if not amounts:  # the only column that can hold amounts does, whatever its figures look like
        numeric = [c for c in open_to if _is_numeric(c, least) and not _CALLED_A_NUMBER.search(c.name)]
        amounts = numeric if len(numeric) == 1 else []
    return dates, amounts


def labels_of(columns: Sequence[SampleColumn], taken: Sequence[str]) -> list[str]:
    """The columns that seem to name items: texts that occur again and again."""
    names = []
    for column in columns:
        distinct = len(set(column.texts))
        again = distinct <= _MOST_ITEMS and (2 * distinct <= len(column.texts) or len(column.texts) <= _FEW)
        if column.name and column.name not in taken and column.kind == "text" and again and distinct:
            names.append(column.name)
    return names


def _asked(
    source: Source, columns: Sequence[SampleColumn], dates: list[str], amounts: list[str], measured: bool
) -> str:
    names = [column.name for column in columns if column.name]
    lines = []
    nearly, nearly_amounts = candidates_of(columns, None, [], NEARLY)
    dates = dates or nearly
    amounts = amounts or [column.name for column in nearly_amounts]
    lines.append(f"dates: {', '.join(dates)}" if dates else "no column looks like dates")
    if not measured:
        lines.append(f"amounts: {', '.join(amounts)}" if amounts else "no column looks like amounts")
    labels = [read_label(name) for name in names]
    grains = [label.grain for label in labels if label]
    if not dates and len(grains) > 1:
        grain = max(set(grains), key=grains.count)
        return (
            f"{source.name}: its headers name {PLURALS[grain]}: where it has one column a {grain}, say "
            f"periods_in_columns={grain!r} (--periods-in-columns {grain})"
        )
    periods = [] if dates else _of_periods(columns)
    if len(periods) == 1:
        lines[0] = f"no dates, but {PLURALS[periods[0][1]]} in {periods[0][0]}, if each record stands for a whole one"
        dates = [periods[0][0]]
    of = periods[0][1] if len(periods) == 1 else None
    first_date = dates[0] if dates else "COLUMN"
    first_amount = amounts[0] if amounts else "COLUMN"
    if source.kind == "frame":
        command = f"read(frame, date={first_date!r}" + (f", records_of={of!r}" if of else "")
        command += ("" if measured else f", values={first_amount!r}") + ")"
    else:
        named = "ADDRESS --table TABLE" if source.kind == "pushdown" else quote(source.name)
        command = f"logochron compare {named} --date {quote(first_date)}"
        command += f" --records-of {of}" if of else ""
        command += "" if measured else f" --value {quote(first_amount)}"
    return (
        f"{source.name}: name the columns that are meant. Candidates: {'; '.join(lines)}. It has the columns "
        f"{', '.join(names)}{looks_headless(names)}. For instance:\n  {command}"
    )


def _of_periods(columns: Sequence[SampleColumn]) -> list[tuple[str, Grain]]:
    """The columns that hold names of periods of one grain, with that grain."""
    periods: list[tuple[str, Grain]] = []
    for column in columns:
        labels = [read_label(text) for text in set(column.texts)]
        grains = {label.grain if label else None for label in labels}
        if len(grains) == 1 and (grain := grains.pop()) is not None:
            periods.append((column.name, grain))
    return periods


def _may_be_date(column: SampleColumn, least: float) -> bool:
    if column.kind == "date":
        return True
    counts = Counter(column.texts)
    distinct = list(counts)
    plain = sum(counts[text] for text in distinct if _NO_DATE.fullmatch(text))
    if not distinct or plain > (1 - least) * len(column.texts):
        return False
    try:
        rows = np.array([counts[text] for text in distinct])
        reading = read_dates(distinct, rows, column=column.name)
    except AmbiguousDates:  # dates that read two ways are dates
        return True
    except IntakeError:  # and so are names of periods
        return all((label := read_label(text)) is not None and label.grain != "year" for text in distinct)
    # numbers are dates only where their column says so
    bare = reading.name == "a serial day" or column.kind == "number"
    return bool(rows[reading.readable].sum() >= least * rows.sum()) and (not bare or _named_date(column.name))


def _named_date(name: str) -> bool:
    return bool(re.search(r"date|day|datum|fecha|data|jour|tag|sold|when|time", name, re.IGNORECASE))


def _numbers(column: SampleColumn) -> list[str]:
    """The fields that are amounts; none of a column of days or of codes."""
    if column.kind == "date":
        return []
    numeric = {text for text in set(column.texts) if is_amount(text)}
    texts = [text for text in column.texts if text in numeric]
    return [] if any(re.match(r"0\d", text.strip()) for text in texts) else texts


def _is_numeric(column: SampleColumn, least: float) -> bool:
    texts = _numbers(column)
    return bool(texts) and len(texts) >= least * len(column.texts)


def _may_be_amount(column: SampleColumn, least: float) -> bool:
    if not _is_numeric(column, least):
        return False
    plain = [text.strip() for text in _numbers(column)]
    if all(map(_INTEGER.fullmatch, plain)):
        years = all(1900 <= int(text) <= 2100 for text in plain)
        numbered = len(plain) > 1 and len(set(plain)) == len(plain)
        return not years and not numbered
    return True


def _has_decimals(column: SampleColumn) -> bool:
    return not all(map(_INTEGER.fullmatch, (text.strip() for text in column.texts)))


def amount_beside(source: Any, date: str | None, known: Sequence[str], stated: Reading) -> str:
    """The column of amounts beside columns that are known: the only one, or the only one called like takings.

    Raises
    ------
    QuestionError
        Where none or several may be meant.
    """
    first = locate(source)[0]
    columns = sampled(Engine(), first, stated)
    _, candidates = candidates_of(columns, date, known)
    called = [column for column in candidates if _TAKINGS.search(column.name)]
    for group in (candidates, called):
        if len(group) == 1:
            return group[0].name
    return guess(first, columns, date, (), known)[1]
