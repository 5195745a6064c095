"""A plan by period as a daybook of its own."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

from logochron.core.book.daybook import Daybook
from logochron.core.book.measures import Measure
from logochron.core.calendars.base import Calendar
from logochron.core.choices import Grain, PlanSpread, check
from logochron.options import Reading
from logochron.sources.duckdb.connection import Engine
from logochron.sources.files.find_files import locate
from logochron.sources.files.headers import fold
from logochron.sources.files.source_reader import sampled
from logochron.sources.files.streams import lasting
from logochron.sources.reading import read_aloud


def plan_read(
    source: Any,
    reading: Reading,
    date: str | None,
    value: str,
    measure: str,
    *,
    records_of: Grain,
    spread: PlanSpread | None,
) -> Daybook:
    """A plan whose columns are named: see `read_plan`."""
    check("records_of", records_of, Grain)
    if spread is not None:
        check("spread", spread, PlanSpread)
    wide = reading.periods_in_columns is not None
    planned = replace(
        reading,
        date=None if wide else date,
        measures=[Measure(measure, column=value)],
        records_of="day" if wide else records_of,
        spread="even" if spread == "even" and (wide or records_of != "day") else None,
    )
    book = read_aloud(source, planned)
    return _to_be_shaped(book) if spread == "year-ago" else book


def _to_be_shaped(book: Daybook) -> Daybook:
    """The plan, yet to be laid in the shape of a year earlier; one that is listed by day stays as it is."""
    if book.standing.records_of == "day":
        return book
    return replace(book, standing=book.standing._replace(spread="year-ago"))


def plan_of(
    source: Any,
    measures: Sequence[Measure],
    dimensions: Mapping[str, str],
    *,
    records_of: Grain,
    calendar: Calendar | None,
    spread: PlanSpread = "even",
) -> Daybook:
    """A plan read by what it shares with the sales: their columns of amounts, and those of their dimensions it has.

    Parameters
    ----------
    dimensions
        New name -> column, of the sales.
    """
    with lasting(source) as given:
        header = {fold(column.name): column.name for column in sampled(Engine(), locate(given)[0], Reading())}
        by = {name: header[fold(column)] for name, column in dimensions.items() if fold(column) in header}
        planned = [measure for m in measures if (measure := _planned(m, header))]
        if not planned:
            first = measures[0]
            planned = [Measure(first.name, column=first.column or first.name)]  # says what the plan has
        shaped = spread == "year-ago"
        reading = Reading(
            measures=planned,
            by=by,
            records_of=records_of,
            spread="even" if records_of != "day" and not shaped else None,
            calendar=calendar,
        )
        book = read_aloud(given, reading)
    return _to_be_shaped(book) if shaped else book


def shared_dimensions(sales: Daybook, dimensions: Mapping[str, str]) -> dict[str, str]:
    """The dimensions a plan may share with sales: those given, and the columns that were filtered, by their names."""
    filtered = (name for selection in sales.filters for name in selection if name not in dimensions)
    return {**dimensions, **{name: name for name in filtered}}


def _planned(measure: Measure, header: Mapping[str, str]) -> Measure | None:
    """The column of the plan that plans a measure: its own, of the same rows, or the one called like it."""
    where = measure.where or {}
    if measure.kind == "sum" and all(fold(name) in header for name in where):
        column = header.get(fold(measure.column or measure.name))
        if column is not None:
            taken = {header[fold(name)]: labels for name, labels in where.items()}
            return Measure(measure.name, column=column, where=taken or None)
    column = header.get(fold(measure.name))
    return None if column is None else Measure(measure.name, column=column)
