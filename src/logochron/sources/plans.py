"""A plan by period as a daybook of its own."""

from __future__ import annotations

import logging
from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

from logochron.core.book.daybook import Daybook
from logochron.core.book.measures import Measure, all_aggregates
from logochron.core.book.record_spans import regular_grain
from logochron.core.calendars.base import Calendar
from logochron.core.choices import Grain, PlanSpread, Spread, check
from logochron.core.errors import INSTEAD, LogochronError, QuestionError, Remedy
from logochron.core.said import Said
from logochron.options import Reading
from logochron.sources.column_kinds import NEARLY
from logochron.sources.duckdb.connection import Engine
from logochron.sources.files.find_files import Source, locate
from logochron.sources.files.headers import SampleColumn, fold
from logochron.sources.files.source_reader import sampled
from logochron.sources.files.streams import lasting
from logochron.sources.guess_columns import candidates_of, wide_measure
from logochron.sources.reading import carry_out, read_aloud, wide_found
from logochron.sources.values.column_names import PLANNED


def plan_read(
    source: Any,
    reading: Reading,
    date: str | None,
    value: str | Sequence[str],
    measure: str | Sequence[str],
    *,
    records_of: Grain,
    spread: PlanSpread | None,
) -> Daybook:
    """A plan whose columns are named: see `read_plan`."""
    check("records_of", records_of, Grain)
    if spread is not None:
        check("spread", spread, PlanSpread)
    columns, measures = ([one] if isinstance(one, str) else list(one) for one in (value, measure))
    if len(columns) != len(measures):
        raise QuestionError(
            "`value` names {0} and `measure` {1}: one measure for each column", len(columns), len(measures)
        )
    wide = reading.periods_in_columns is not None
    planned = replace(
        reading,
        date=None if wide else date,
        measures=[Measure(name, column=column) for name, column in zip(measures, columns)],
        records_of="day" if wide else records_of,
        spread="even" if spread == "even" and (wide or records_of != "day") else None,
    )
    book = read_aloud(source, planned)
    return _to_be_shaped(book, spread)


def _to_be_shaped(book: Daybook, spread: PlanSpread | None) -> Daybook:
    """The plan, yet to be laid by the records it is held against; one that is listed by day stays as it is."""
    if book.standing.records_of == "day" or spread in (None, "even"):
        return book
    return replace(book, standing=book.standing._replace(spread=spread))


def plan_of(
    source: Any,
    sales: Daybook,
    dimensions: Mapping[str, str],
    *,
    value: str | None = None,
    records_of: Grain | None = None,
    calendar: Calendar | None,
    spread: PlanSpread = "even",
    reading: Reading | None = None,
) -> Daybook:
    """A plan read by what it shares with the sales: their columns of amounts, and those of their dimensions it has.

    Parameters
    ----------
    dimensions
        New name -> column, of the sales.
    value
        The column of planned amounts of the first measure; where None those called like the measures, else the only
        column of amounts.
    records_of
        What each of its records stands for; told by its dates where None.
    reading
        What is stated of its reading.

    Raises
    ------
    QuestionError, IntakeError
        As `read` does; what settles it is said of the plan.
    """
    reading = reading or Reading()
    try:
        with lasting(source, reading.table, reading.query) as given:
            return _plan(given, sales, dimensions, value, records_of, spread, replace(reading, calendar=calendar))
    except LogochronError as error:
        error.remedies = tuple(
            {_twin(name): one for name, one in remedy.items()} for remedy in sorted(error.remedies, key=_is_odd_sheet)
        )
        raise


def _twin(name: str) -> str:
    """The option of a plan that an option of sales is."""
    return name if name == INSTEAD else "plan_value" if name == "values" else f"plan_{name}"


def _is_odd_sheet(remedy: Remedy) -> bool:
    """Whether a remedy names a sheet that is not called like a plan."""
    return not PLANNED.search(str(remedy.get("sheet", "plan")))


def _plan(
    given: Any,
    sales: Daybook,
    dimensions: Mapping[str, str],
    value: str | None,
    records_of: Grain | None,
    spread: PlanSpread,
    reading: Reading,
) -> Daybook:
    first = locate(given)[0]
    columns = sampled(Engine(), first, reading)
    header = {fold(column.name): column.name for column in columns}
    by = {name: header[fold(column)] for name, column in dimensions.items() if fold(column) in header}
    reading, said = wide_found(reading, columns, [*by.values()], first.name)
    measures = _planned_measures(first, columns, sales, value, reading, list(by.values()))
    for line in said:
        _LOG.warning(line)
    reading = replace(reading, measures=measures, by=by)
    if reading.periods_in_columns is not None:
        reading = replace(reading, spread="even" if spread == "even" else None)
        return _to_be_shaped(read_aloud(given, reading), spread)
    grain = records_of or _grain(given, reading)
    evenly: Spread | None = "even" if spread == "even" and grain != "day" else None
    book = read_aloud(given, replace(reading, records_of=grain, spread=evenly))
    return _to_be_shaped(book, spread)


def _grain(given: Any, reading: Reading) -> Grain:
    """What each record of a plan stands for, by the names of its periods, else by the days that its dates fall on."""
    book = carry_out(given, reading)
    if book.standing.records_of != "day":
        return book.standing.records_of
    regular = regular_grain(book.recorded)
    return regular or ("month" if len(book.recorded) < _FEW_DAYS else "day")


#: A plan of fewer days than this is one of months.
_FEW_DAYS = 3


def _planned_measures(
    source: Source,
    columns: Sequence[SampleColumn],
    sales: Daybook,
    value: str | None,
    reading: Reading,
    taken: Sequence[str],
) -> list[Measure]:
    """The measures that a plan plans: of the column that is named, of those called alike, else of its only amounts."""
    first = next((measure for measure in sales.measures if measure.kind == "sum"), sales.measures[0])
    if value is not None:
        return [Measure(first.name, column=value)]
    if source.name in sales.intake.sources:  # beside the actuals: which are no plan of themselves
        taken = [*taken, *(aggregate.column for aggregate in all_aggregates(sales.formulas) if aggregate.column)]
        columns = [column for column in columns if column.name not in taken]
    header = {fold(column.name): column.name for column in columns}
    planned = [measure for m in sales.measures if (measure := _planned(m, header))]
    if planned:
        return planned
    if reading.periods_in_columns is not None:
        return [Measure(first.name, column=wide_measure(source, columns) or "amount")]
    date = reading.date if isinstance(reading.date, str) else None
    _, amounts = candidates_of(columns, date, taken)
    if not amounts:
        _, amounts = candidates_of(columns, date, taken, NEARLY)
    if len(amounts) == 1:
        _LOG.warning(Said("{0}: planned amounts from column {1!r} (--plan-value)", source.name, amounts[0].name))
        return [Measure(first.name, column=amounts[0].name)]
    names = ", ".join(column.name for column in amounts)
    raise QuestionError(
        "{0}: name the column of planned amounts of {1!r} (value=, --plan-value): {2}",
        source.name,
        first.name,
        (Said("{0} may be meant", names) if names else Said("no column looks like amounts")),
        remedies=[{"values": [column.name]} for column in amounts],
    )


_LOG = logging.getLogger("logochron")


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
