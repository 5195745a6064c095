"""Which column holds the dates and which the amounts, where only one can be meant; else what to ask."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from logochron.core.book.measures import Measure
from logochron.core.calendars.base import Calendar
from logochron.core.calendars.named_in import ordinal_named
from logochron.core.calendars.written_names import grains_of, label_of, read_label
from logochron.core.choices import Grain, values
from logochron.core.errors import QuestionError, Remedy
from logochron.core.said import Joined, Said, both, either
from logochron.core.total_labels import is_total
from logochron.options import Reading
from logochron.sources.column_kinds import (
    NEARLY,
    amounts_in,
    date_parts,
    has_decimals,
    is_numeric,
    may_be_date,
)
from logochron.sources.duckdb.connection import Engine
from logochron.sources.files.find_files import Source, locate
from logochron.sources.files.headers import SampleColumn
from logochron.sources.files.source_reader import sampled
from logochron.sources.files.text_prepare import looks_headless
from logochron.sources.files.wide_tables import measures_below
from logochron.sources.values.date_parts import BETWEEN, part_of
from logochron.sources.values.dates import seconds_in

#: From short to long.
_GRAINS = values(Grain)
#: So many candidates of a kind make commands.
_OFFERED = 2


def guess(
    source: Source, columns: Sequence[SampleColumn], date: str | None, measures: Sequence[Measure], known: Sequence[str]
) -> tuple[tuple[str, ...], str, tuple[str, ...]]:
    """The column of dates, or those that make one up together, the column of amounts, and what was taken.

    Parameters
    ----------
    date, measures
        What the user named; None or empty where it is to be guessed.
    known
        Columns that are named for something else.

    Raises
    ------
    QuestionError
        Where none or several may be meant: with the candidates.
    """
    dates, candidates = candidates_of(columns, date, known)
    if not dates or not (candidates or measures):
        # the only column that comes near is meant, whatever flaws its rows are refused for
        nearly, nearly_amounts = candidates_of(columns, date, known, NEARLY)
        dates = dates or nearly[:1] * (len(nearly) == 1)
        candidates = [column for column in candidates or nearly_amounts if (column.name,) not in dates]
    amounts = [m.name for m in measures] or [column.name for column in candidates]
    if (
        not measures
        and [has_decimals(column) for column in candidates].count(True) == 1
        and has_decimals(candidates[0])
    ):
        amounts = amounts[:1]
    if len(dates) == 1 and (measures or len(amounts) == 1):
        headless = looks_headless([*dates[0], *amounts])
        if headless:
            raise QuestionError(
                "{0}: it has the columns {1}{2}",
                source.name,
                ", ".join(c.name for c in columns),
                headless,
                remedies=[{"header_row": 0}],
            )
        named = both(map(repr, dates[0]))
        of_one = len(dates[0]) == 1
        of_dates = "dates from column {0} (date=, --date)" if of_one else "dates from columns {0} (date=, --date)"
        taken = [Said(of_dates, named)] if date is None else []
        taken += [] if measures else [Said("amounts from column {0!r} (values=, --value)", amounts[0])]
        return dates[0], amounts[0], (Said("{0}: {1}", source.name, Joined(taken)),)
    raise _asked(source, columns, dates, [] if measures else amounts, bool(measures), date is not None)


def wide_grain(columns: Sequence[SampleColumn], known: Sequence[str], calendar: Calendar) -> Grain | None:
    """The grain of a wide table: two columns or more are named for periods of it, and no column holds dates.

    Columns of longer periods beside them are totals.

    Parameters
    ----------
    known
        What the user named: columns that are no periods, and amounts; a table that has a column of these is not wide.
    """
    open_to = [column for column in columns if column.name and column.name not in known]
    labels = {column.name: label for column in open_to if (label := read_label(_period_of(column.name)))}
    if len(labels) < 2:
        return None
    grain = min((label.grain for label in labels.values()), key=_GRAINS.index)
    if of_digits := grains_of([_period_of(name) for name, label in labels.items() if label.grain == grain]):
        if len(of_digits) > 1:
            ways = either(f"periods_in_columns={one!r} (--periods-in-columns {one})" for one in of_digits)
            raise QuestionError(
                "the headers hold six digits such as {0!r}, which may name a {1}: say {2}",
                next(iter(labels)),
                Joined(of_digits, Said(" or a ")),
                ways,
                remedies=[{"periods_in_columns": one} for one in of_digits],
            )
        grain = of_digits[0]
    periods = [name for name in labels if _names(name, grain, calendar)]
    if len(periods) < 2:
        return None
    for column in open_to:
        label = labels.get(column.name)
        if label is None:
            if may_be_date(column, NEARLY) and not is_total(column.name):
                return None
            continue
        if column.texts and not is_numeric(column):  # a period to come is empty
            return None
        if column.name not in periods and _GRAINS.index(label.grain) <= _GRAINS.index(grain):
            return None
    return grain if any(column.texts for column in open_to if column.name in periods) else None


def _period_of(name: str) -> str:
    """The period that a header names, without the measure."""
    return name.partition(BETWEEN)[0]


def _names(name: str, grain: Grain, calendar: Calendar) -> bool:
    label = label_of(_period_of(name), grain)
    return label is not None and label.grain == grain and ordinal_named(_period_of(name), grain, calendar) is not None


def wide_measure(source: Source, columns: Sequence[SampleColumn]) -> str:
    """The measure of a wide table whose periods stand above measures; empty where its headers name none.

    Raises
    ------
    QuestionError
        Where several may be meant.
    """
    names = measures_below([column.name for column in columns])
    below = {name: [c for c in columns if c.name.partition(BETWEEN)[2] == name] for name in names}
    together = [SampleColumn(name, tuple(text for c in of for text in c.texts)) for name, of in below.items()]
    amounts = [column.name for column in amounts_in(together, NEARLY)] or names
    if len(amounts) > 1:
        raise QuestionError(
            "{0}: a wide table with several measures below each period: {1}; name those that are "
            "meant by values= (--value)",
            source.name,
            ", ".join(amounts),
            remedies=[{"values": [name]} for name in amounts],
        )
    return amounts[0] if amounts else ""


def candidates_of(
    columns: Sequence[SampleColumn], date: str | None, known: Sequence[str], least: float = 1.0
) -> tuple[list[tuple[str, ...]], list[SampleColumn]]:
    """The columns that may hold dates (those that make one up go together), and those that may hold amounts.

    `least` is the part of its filled fields that must be such.
    """
    open_to = [column for column in columns if column.name and column.name not in known]
    if date is not None:
        dates = [tuple(date.split(BETWEEN))]
    else:
        dated = [column for column in open_to if may_be_date(column, least)]
        written = [column for column in dated if not seconds_in(column.texts)]  # a stamp beside a date is of a system
        dates = [(column.name,) for column in written or dated]
        if not dates and (parts := date_parts(open_to)):
            dates = [parts]
    taken = {name for names in dates for name in names}
    return dates, amounts_in([column for column in open_to if column.name not in taken], least)


def _asked(
    source: Source,
    columns: Sequence[SampleColumn],
    dates: list[tuple[str, ...]],
    amounts: list[str],
    measured: bool,
    dated: bool,
) -> QuestionError:
    names = [column.name for column in columns if column.name]
    nearly, nearly_amounts = candidates_of(columns, None, [], NEARLY)
    dates = dates or nearly
    amounts = amounts or [column.name for column in nearly_amounts]
    no_dates, no_amounts = Said("no column looks like dates"), Said("no column looks like amounts")
    lines = [Said("dates: {0}", Joined(map(both, dates))) if dates else no_dates]
    if not measured:
        lines.append(Said("amounts: {0}", ", ".join(amounts)) if amounts else no_amounts)
    remedies: list[Remedy] = []
    for one in dates[:_OFFERED] if not dated else [()]:
        for amount in amounts[:_OFFERED] if not measured else [""]:
            remedies.append(({"date": list(one)} if one else {}) | ({"values": [amount]} if amount else {}))
    if not dates or not (measured or amounts):
        remedies = [{"header_row": 0}] if looks_headless(names) else []
    example = ""
    if remedies and "header_row" not in remedies[0]:
        said = {name: value[0] if len(value) == 1 else value for name, value in remedies[0].items()}
        example = Said(". For instance {0}", ", ".join(f"{name}={value!r}" for name, value in said.items()))
    return QuestionError(
        "{0}: name the columns that are meant. Candidates: {1}. It has the columns {2}{3}{4}",
        source.name,
        Joined(lines, "; "),
        ", ".join(names),
        looks_headless(names),
        example,
        remedies=remedies,
    )


def amount_beside(source: Any, date: str | None, known: Sequence[str], stated: Reading) -> str:
    """The column of amounts beside columns that are known: the only one, or the likeliest where it alone has decimals.

    Raises
    ------
    QuestionError
        Where none or several may be meant.
    """
    first = locate(source)[0]
    columns = sampled(Engine(), first, stated)
    return guess(first, columns, date, (), known)[1]


def check_year_alone(source: Source, columns: Sequence[SampleColumn], date: str) -> None:
    """Refuse a column of years as the date where another one holds the months, weeks or quarters in them.

    Raises
    ------
    QuestionError
        With the columns that make a date together.
    """
    parts = date_parts([column for column in columns if not may_be_date(column, NEARLY)])
    texts = next((column.texts for column in columns if column.name == date), ())
    if len(parts) > 1 and date in parts and part_of(date, texts) == "year":
        (other,) = set(parts[:2]) - {date}
        raise QuestionError(
            "{0}: column {1!r} holds years alone, and {2!r} what of them: say date={3!r} (--date {4})",
            source.name,
            date,
            other,
            list(parts),
            ",".join(parts),
            remedies=[{"date": list(parts)}],
        )
