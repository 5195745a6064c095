"""What the columns of a source may hold, by their first rows and names: dates, parts of dates, amounts, labels."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from logochron.core.calendars.written_names import grains_of
from logochron.core.errors import IntakeError
from logochron.sources.files.headers import SampleColumn
from logochron.sources.values.amounts import as_number, is_amount
from logochron.sources.values.column_names import DATED, MONEY, NUMBERED, PLACE, PLANNED, PRICED, TOGETHER
from logochron.sources.values.date_parts import part_of
from logochron.sources.values.dates import AmbiguousDates, read_dates, seconds_in

#: The part of its fields from which a column with some flaws is offered, or reviewed.
NEARLY = 0.8
_MOST_ITEMS, _FEW = 200, 40
#: Numbers that no form of dates reads, and no name of a period shorter than a year.
_NO_DATE = re.compile(r"\s*[+-]?\d{0,4}(?:\.\d*)?\s*", re.ASCII)
_INTEGER = re.compile(r"[+-]?\d+")


def may_be_date(column: SampleColumn, least: float) -> bool:
    """Whether at least a part of its filled fields are dates, or names of periods shorter than a year."""
    if column.kind == "date":
        return True
    if seconds_in(column.texts):
        return bool(DATED.search(column.name))
    counts = Counter(column.texts)
    distinct = list(counts)
    plain = sum(counts[text] for text in distinct if _NO_DATE.fullmatch(text))
    if not distinct or plain > (1 - least) * len(column.texts):
        return False
    if column.kind != "number" and names_periods(column, least):
        return True
    try:
        rows = np.array([counts[text] for text in distinct])
        reading = read_dates(distinct, rows, column=column.name)
    except AmbiguousDates:  # dates that read two ways are dates
        return True
    except IntakeError:
        return names_periods(column, least) and bool(DATED.search(column.name) or part_of(column.name, distinct))
    # numbers are dates only where their column says so
    bare = reading.name == "a serial day" or column.kind == "number"
    return bool(rows[reading.readable].sum() >= least * rows.sum()) and (not bare or bool(DATED.search(column.name)))


def names_periods(column: SampleColumn, least: float = 1.0) -> bool:
    """Whether at least a part of the fields name periods of one grain, shorter than a year."""
    if not column.texts:
        return False
    named = [text for text in column.texts if grains_of([text])]
    grains = grains_of(named, column.name)
    if len(named) < least * len(column.texts) or not grains or grains == ("year",):
        return False
    # six digits are amounts as well
    return not all(map(_INTEGER.fullmatch, named)) or len(grains) == 1 or bool(DATED.search(column.name))


def date_parts(columns: Sequence[SampleColumn]) -> tuple[str, ...]:
    """The columns that make up a date together: a year, and the month, the week or the quarter in it; none else.

    Of several that hold a part the first is meant.
    """
    named: dict[str, str] = {}
    for column in columns:
        part = part_of(column.name, column.texts) if column.kind != "date" else ""
        # small numbers are parts of dates only where they are called so
        if part and (part == "year" or not all(map(_INTEGER.fullmatch, column.texts)) or NUMBERED.search(column.name)):
            named.setdefault(part, column.name)
    if "year" not in named:
        return ()
    for parts in (("year", "month", "day"), ("year", "month"), ("year", "week"), ("year", "quarter")):
        if all(part in named for part in parts):
            return tuple(named[part] for part in parts)
    return ()


def amounts_in(columns: Sequence[SampleColumn], least: float = 1.0) -> list[SampleColumn]:
    """The columns that may hold amounts to add up, the likeliest first.

    No numbers of things, no prices of one, no rates, no stamps, no parts of dates, unless no other column has numbers.
    """
    numeric = [column for column in columns if _is_numeric(column, least) and not seconds_in(column.texts)]
    amounts = [column for column in numeric if _may_be_amount(column) and not not_added_up(column)]
    if not amounts:  # the only column that can hold amounts does, whatever its figures look like
        others = [column for column in numeric if not NUMBERED.search(column.name)]
        amounts = others if len(others) == 1 else []
    products = {name for name, *_ in products_among(columns)}
    return sorted(amounts, key=lambda column: (column.name not in products, *_likelihood(column)))


def not_added_up(column: SampleColumn) -> bool:
    """Whether a column is called like numbers that nobody adds up."""
    return bool(NUMBERED.search(column.name) or (PRICED.search(column.name) and not TOGETHER.search(column.name)))


def _likelihood(column: SampleColumn) -> tuple[bool, int, bool]:
    """What columns of amounts are ordered by."""
    called = next((i for i, name in enumerate(MONEY) if name.search(column.name)), len(MONEY))
    return bool(PLANNED.search(column.name)), called, not has_decimals(column)


def products_among(columns: Sequence[SampleColumn]) -> list[tuple[str, str, str]]:
    """Columns that are the product of two others in nearly every row, with those: quantity and price."""
    numbers = {column.name: values for column in columns if (values := _numbers(column)) is not None}
    names = list(numbers)[:_MOST_LOOKED_AT]
    found = []
    for name in names:
        for i, one in enumerate(names):
            for other in names[i + 1 :]:
                if name not in (one, other) and len({len(numbers[n]) for n in (name, one, other)}) == 1:
                    a, b, product = numbers[one], numbers[other], numbers[name]
                    telling = (abs(a) != 1) & (abs(b) != 1) & (product != 0)
                    near = np.isclose(a * b, product, rtol=1e-4, atol=0.011)
                    if telling.sum() >= _TELLING and near[telling].mean() >= _NEARLY_ALL:
                        found.append((name, one, other))
    return found


#: So many columns of numbers are held against each other; so many rows tell a product; nearly all must.
_MOST_LOOKED_AT, _TELLING, _NEARLY_ALL = 12, 3, 0.95


def copies_among(columns: Sequence[SampleColumn]) -> list[tuple[str, str]]:
    """Pairs of columns of amounts that hold the same in every row."""
    amounts = [column for column in amounts_in(columns) if len(set(column.texts)) > 1]
    return [
        (one.name, other.name)
        for i, one in enumerate(amounts)
        for other in amounts[i + 1 :]
        if one.texts == other.texts
    ]


def _numbers(column: SampleColumn) -> NDArray[np.float64] | None:
    """The fields as numbers, where all are written plainly."""
    if column.kind == "date" or not column.texts:
        return None
    numbers = [as_number(text) for text in column.texts]
    return None if None in numbers else np.array(numbers, dtype=float)


def labels_of(columns: Sequence[SampleColumn], taken: Sequence[str]) -> list[str]:
    """The columns that seem to name items: texts that occur again and again."""
    names = []
    amounts = {column.name for column in amounts_in(columns, NEARLY)}
    for column in columns:
        distinct = len(set(column.texts))
        again = distinct <= _MOST_ITEMS and (2 * distinct <= len(column.texts) or len(column.texts) <= _FEW)
        called = PRICED.search(column.name) or PLACE.search(column.name)
        if column.name in amounts or (is_numeric(column) and (called or has_decimals(column))):
            continue  # a price of one, a line of a document, an amount
        if column.name and column.name not in taken and column.kind == "text" and again and distinct:
            names.append(column.name)
    return names


def has_decimals(column: SampleColumn) -> bool:
    """Whether any field is no whole number."""
    return not all(map(_INTEGER.fullmatch, (text.strip() for text in column.texts)))


def _amount_texts(column: SampleColumn) -> list[str]:
    """The fields that are amounts; none of a column of days or of codes."""
    if column.kind == "date":
        return []
    numeric = {text for text in set(column.texts) if is_amount(text)}
    texts = [text for text in column.texts if text in numeric]
    return [] if any(re.match(r"0\d", text.strip()) for text in texts) else texts


def is_numeric(column: SampleColumn) -> bool:
    """Whether nearly all its fields are numbers."""
    return _is_numeric(column, NEARLY)


def _is_numeric(column: SampleColumn, least: float) -> bool:
    texts = _amount_texts(column)
    return bool(texts) and len(texts) >= least * len(column.texts)


def _may_be_amount(column: SampleColumn) -> bool:
    plain = [text.strip() for text in _amount_texts(column)]
    if all(map(_INTEGER.fullmatch, plain)):
        years = all(1900 <= int(text) <= 2100 for text in plain)
        upward = sorted(map(int, plain))
        numbered = len(plain) > 1 and len(set(plain)) == len(plain) and [int(text) for text in plain] == upward
        called = any(name.search(column.name) for name in MONEY)
        return not years and (called or not numbered)
    return True
