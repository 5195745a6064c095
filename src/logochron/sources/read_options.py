"""What a reading is asked for, checked and settled before anything is scanned."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any, NamedTuple

from logochron.core.book.coverage import Ends
from logochron.core.book.filters import Where, check_where, conditions, in_words
from logochron.core.book.measures import Aggregate, Measure, all_aggregates, formulas
from logochron.core.book.record_spans import Standing
from logochron.core.calendars.base import Calendar
from logochron.core.calendars.civil import CivilCalendar
from logochron.core.check_kinds import check_kinds
from logochron.core.days import DayLike, day_number, span_ends
from logochron.core.errors import QuestionError, brief, nearest
from logochron.core.options import Empty, Grain, OnRefused, Spread, check
from logochron.sources.engine.connection import Engine
from logochron.sources.kinds.find_files import Dialect, Source, locate
from logochron.sources.kinds.headers import fold
from logochron.sources.kinds.samples import SampleColumn
from logochron.sources.kinds.scan import sampled
from logochron.sources.scanned import PERIOD, StatedDates, Wanted
from logochron.sources.values.amounts import check_stated


class Options(NamedTuple):
    """The options of `read`, by their names."""

    date: str | None = None
    values: str | Sequence[str] | None = ()
    by: str | Sequence[str] | Mapping[str, str] | None = ()
    where: Where | None = None
    covering: Any = None
    until: DayLike | None = None
    tz: str | None = None
    records_of: Grain = "day"
    spread: Spread | None = None
    periods_in_columns: Grain | None = None
    calendar: Calendar | None = None
    measures: Sequence[Measure] | None = ()
    day_first: bool | None = None
    date_format: str | None = None
    decimal: str | None = None
    thousands: str | None = None
    delimiter: str | None = None
    encoding: str | None = None
    header_row: int | None = None
    sheet: str | None = None
    table: str | None = None
    query: str | None = None
    empty: Empty = "refused"
    on_refused: OnRefused = "stop"
    progress: Callable[[float], None] | None = None

    @property
    def dialect(self) -> Dialect:
        """What is stated about the form of the source."""
        return Dialect(self.delimiter, self.encoding, self.header_row, self.sheet)


class Request(NamedTuple):
    """What is to be read, settled. `covering` and `until` are what the user said, as day numbers."""

    sources: list[Source]
    wanted: Wanted
    stated: StatedDates
    dialect: Dialect
    wide: Standing | None
    measures: tuple[Measure, ...]
    covering: Ends
    until: int | None
    selected: tuple[str, ...]
    filters: Where  # the same, by the names of dimensions where there is one
    guesses: tuple[str, ...]


def request(engine: Engine, source: Any, options: Options) -> Request:
    """The options checked, the columns that are not named guessed.

    Raises
    ------
    QuestionError
        Where an option cannot be, or a column has to be named.
    """
    if options.date is not None and not isinstance(options.date, str):
        raise QuestionError(f"`date` must be the name of a column; got {brief(options.date)}")
    check_kinds(Options, options._asdict())
    check("empty", options.empty, Empty)
    check("on_refused", options.on_refused, OnRefused)
    date, measures = options.date, _measures(options.values, options.measures)
    dimensions, where = dimensions_of(options.by), dict(options.where or {})
    check_where(where)
    sources = locate(source)
    if options.sheet is not None and not any(one.kind == "workbook" for one in sources):
        raise QuestionError(f"`sheet` names a sheet of a workbook (.xlsx); {sources[0].name} is none")
    sample: list[SampleColumn] = []
    if options.periods_in_columns is None and (date is None or not measures):
        sample = sampled(engine, sources[0], options.dialect)
    named = [(aggregate.column, *(c.column for c in aggregate.where)) for aggregate in _aggregates(measures)]
    known = [*dimensions.values(), *where, *(name for names in named for name in names if name)]
    options, guesses = wide_found(options, sample, known, sources[0].name)
    records_of = options.records_of
    if options.periods_in_columns is not None:
        check("periods_in_columns", options.periods_in_columns, Grain)
        measures = measures or (Measure("amount"),)
        if (
            date is not None
            or len({aggregate.column for aggregate in _aggregates(measures) if not aggregate.counts}) > 1
        ):
            raise QuestionError(
                "with `periods_in_columns` the headers are the dates and the cells one measure: leave `date` out, and "
                "let `values` be the one name the amounts shall have"
            )
        date, records_of = PERIOD, options.periods_in_columns
    standing = _standing(records_of, options.spread, options.calendar)
    covered = (None, None) if options.covering is None else span_ends(options.covering, "covering")
    report = None if options.until is None else day_number(options.until, "until")
    if options.tz is not None:
        _check_zone(engine, options.tz)
    ends = [end for end in (covered[1], report) if end is not None]
    in_dimension = {column: name for name, column in dimensions.items()}
    if date is None or not measures:
        from logochron.sources.guess_columns import guess

        date, column, guesses = guess(sources[0], sample, date, measures, known)
        measures = measures or (Measure(column),)
    columns_wanted = {dimensions.get(name, name): items for name, items in where.items()}
    wanted = Wanted(
        date=date,
        dimensions=dimensions,
        aggregates=_aggregates(measures),
        # a filter may use the new name of a dimension, or the name of any column
        where=conditions(columns_wanted),
        empty_is_zero=options.empty == "zero",
        tz=options.tz,
        date_format=options.date_format,
        writing=check_stated(options.decimal, options.thousands),
        apart=standing.spread is not None,
    )
    return Request(
        sources=sources,
        wanted=wanted,
        stated=StatedDates(options.day_first, options.date_format, (covered[0], min(ends) if ends else None), standing),
        dialect=options.dialect,
        wide=standing if options.periods_in_columns else None,
        measures=measures,
        covering=covered,
        until=report,
        selected=in_words(columns_wanted),
        filters={in_dimension.get(name, name): items for name, items in where.items()},
        guesses=guesses,
    )


def wide_found(
    options: Options, sample: Sequence[SampleColumn], known: Sequence[str], name: str
) -> tuple[Options, tuple[str, ...]]:
    """The options of a wide table, and what was taken, where the columns of a source without dates are periods."""
    if not sample or options.date is not None or options.periods_in_columns is not None:
        return options, ()
    from logochron.sources.guess_columns import wide_grain

    grain = wide_grain(sample, known, options.calendar or CivilCalendar())
    aggregates = _aggregates(_measures(options.values, options.measures))
    # an amount that the table has as a column is no name for its cells
    has = {fold(column.name) for column in sample} & {
        fold(aggregate.column) for aggregate in aggregates if aggregate.column
    }
    if grain is None or has or options.records_of not in ("day", grain):
        return options, ()
    said = f"{name}: a wide table, one column a {grain} (periods_in_columns={grain!r}, --periods-in-columns {grain})"
    said += "" if aggregates else ", amounts called 'amount' (values=, --value)"
    return options._replace(periods_in_columns=grain), (said,)


def _check_zone(engine: Engine, tz: str) -> None:
    if tz not in engine.zones:
        hint = nearest(tz, engine.zones)
        did = f" Did you mean {hint!r}?" if hint else ""
        raise QuestionError(f"`tz` must be the name of a zone such as 'Europe/Lisbon'; got {brief(tz)}.{did}")


def _standing(records_of: Grain, spread: Spread | None, calendar: Calendar | None) -> Standing:
    check("records_of", records_of, Grain)
    if spread is not None:
        check("spread", spread, Spread)
        if records_of == "day":
            raise QuestionError(
                "`spread` lays records of whole periods on days: say `records_of` too (--records-of month)"
            )
    if calendar is not None and not isinstance(calendar, Calendar):
        raise QuestionError(f"`calendar` must be a calendar such as CivilCalendar(); got {type(calendar).__name__}")
    return Standing(records_of, calendar or CivilCalendar(), spread)


def _measures(values: str | Sequence[str] | None, measures: Sequence[Measure] | None) -> tuple[Measure, ...]:
    given = () if measures is None else tuple(measures)
    for one in given:
        if not isinstance(one, Measure):
            raise QuestionError(f"`measures` must be Measure objects; got {brief(one)}")
    asked = (*(Measure(name) for name in names_of("values", values)), *given)
    names: set[str] = set()
    for measure in asked:
        if measure.name in names:
            raise QuestionError(f"`values` and `measures` name {measure.name!r} twice")
        names.add(measure.name)
    return asked


def _aggregates(measures: Sequence[Measure]) -> tuple[Aggregate, ...]:
    """All that the measures sum and count."""
    return all_aggregates(formulas(measures))


def names_of(option: str, given: Any) -> list[str]:
    """One name, several, or none."""
    names = [given] if isinstance(given, str) else [] if given is None else list(given)
    for name in names:
        if not isinstance(name, str):
            raise QuestionError(f"`{option}` must name columns by text; got {brief(name)}")
    return names


def dimensions_of(by: str | Sequence[str] | Mapping[str, str] | None) -> dict[str, str]:
    """The dimensions that `by` names: new name -> column."""
    named = list(by.items()) if isinstance(by, Mapping) else [(name, name) for name in names_of("by", by)]
    if len(dict(named)) < len(named):
        raise QuestionError(f"`by` names a dimension twice: {', '.join(name for name, _ in named)}")
    return dict(named)
