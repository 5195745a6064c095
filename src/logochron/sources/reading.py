"""A reading checked and settled, and carried out: from a source and its options to a daybook."""

from __future__ import annotations

import logging
from collections.abc import Callable, Iterable, Mapping, Sequence
from contextlib import nullcontext
from dataclasses import replace
from fractions import Fraction
from inspect import signature
from typing import TYPE_CHECKING, Any

from logochron.core import ports
from logochron.core.book.filters import check_where, conditions, in_words
from logochron.core.book.measures import (
    Aggregate,
    Measure,
    adds_up,
    aggregates,
    all_aggregates,
    formulas,
    in_currency,
    with_units,
)
from logochron.core.book.record_spans import Standing
from logochron.core.book.selling_days import SellingDays
from logochron.core.calendars.base import Calendar
from logochron.core.calendars.civil import CivilCalendar
from logochron.core.calendars.named_in import day_named
from logochron.core.choices import Empty, Grain, OnRefused, Spread, as_written, check
from logochron.core.days import span_ends
from logochron.core.errors import QuestionError, brief, did_you_mean, instead, nearest, no_such
from logochron.core.said import Said
from logochron.options import READING_OPTIONS, Reading, taken_by_sources
from logochron.sources.duckdb.connection import Engine
from logochron.sources.files.find_files import Source, locate, steady
from logochron.sources.files.headers import SampleColumn, fold
from logochron.sources.files.source_reader import SourceReader, sampled
from logochron.sources.files.streams import lasting
from logochron.sources.rolled_source import PERIOD, ReadingSpec, RolledSource
from logochron.sources.values.amounts import check_stated
from logochron.sources.values.date_parts import BETWEEN, called
from logochron.sources.values.dates import COUNTED

if TYPE_CHECKING:
    from logochron.core.book.daybook import Daybook


def settled(engine: Engine, source: Any, reading: Reading) -> tuple[list[Source], ReadingSpec]:
    """What is read, and the options of its reading checked, the columns that are not named guessed.

    Raises
    ------
    QuestionError
        Where an option cannot be, is none of the source's, or a column has to be named.
    """
    check("empty", reading.empty, Empty)
    check("on_refused", reading.on_refused, OnRefused)
    check("records_of", reading.records_of, Grain)
    parts, measures = tuple(names_of("date", reading.date)), _measures(reading.values, reading.measures)
    if len(set(parts)) < len(parts):
        raise QuestionError("`date` names a column twice: {0}", ", ".join(parts))
    date, parts = BETWEEN.join(parts) or None, parts if len(parts) > 1 else ()
    seconds = COUNTED.get(reading.date_format, 0) if isinstance(reading.date_format, str) else 0
    reading = replace(reading, date=date, date_format=None if seconds else reading.date_format)
    dimensions, where = dimensions_of(reading.by), dict(reading.where or {})
    check_where(where)
    sources = locate(source)
    kept = dimensions_of(reading.ids, "ids")
    if both := [name for name in kept if name in dimensions]:
        raise QuestionError("`by` and `ids` both name {0!r}: leave it out of one", both[0])
    rated = (reading.rates, reading.currency, reading.to, reading.rates_at, *(m.rates_at for m in measures))
    converted = any(given is not None for given in rated)
    if converted or reading.spread is not None or any(one.kind == "pushdown" for one in sources):
        dimensions, kept = dimensions | kept, {}  # there they are items like others
    _check_sources(sources, reading)
    sample: list[SampleColumn] = []
    _check_lines(reading.header_row)
    names_of("fill_down", None if reading.fill_down is False else reading.fill_down)
    if reading.periods_in_columns is not None or date is None or not measures:
        sample = sampled(engine, sources[0], reading)
    if date is not None and not parts and reading.records_of == "day" and called(date) == "year":
        from logochron.sources.guess_columns import check_year_alone

        sample = sample or sampled(engine, sources[0], reading)
        check_year_alone(sources[0], sample, date)
    named = [(aggregate.column, *(c.column for c in aggregate.where)) for aggregate in _aggregates(measures)]
    known = [*dimensions.values(), *kept.values(), *where, *(name for names in named for name in names if name), *parts]
    reading, guesses = wide_found(reading, sample, known, sources[0].name)
    records_of = reading.records_of
    if reading.periods_in_columns is not None:
        check("periods_in_columns", reading.periods_in_columns, Grain)
        from logochron.sources.files.wide_tables import measures_below
        from logochron.sources.guess_columns import wide_measure

        several = bool(measures_below([column.name for column in sample]))
        measures = measures or (Measure(wide_measure(sources[0], sample) or "amount"),)
        summed = {aggregate.column for aggregate in _aggregates(measures) if not aggregate.counts}
        if date is not None or (len(summed) > 1 and not several):
            raise QuestionError(
                "with `periods_in_columns` the headers are the dates and the cells one measure: leave `date` out, and "
                "let `values` be the one name the amounts shall have"
            )
        date, records_of = PERIOD, reading.periods_in_columns
    if reading.selling_days is not None and not isinstance(reading.selling_days, SellingDays):
        raise QuestionError("`selling_days` must be SellingDays(...); got {0}", brief(reading.selling_days))
    standing = _standing(records_of, reading.spread, reading.calendar)
    covering = (None, None) if reading.covering is None else span_ends(reading.covering, "covering")
    until = None if reading.until is None else day_named(reading.until, "until", standing.calendar, last=True)
    if reading.tz is not None:
        _check_zone(engine, reading.tz)
    ends = [end for end in (covering[1], until) if end is not None]
    in_dimension = {column: name for name, column in dimensions.items()}
    if date is None or not measures:
        from logochron.sources.guess_columns import guess

        named_parts, column, guesses = guess(sources[0], sample, date, measures, known)
        date, parts = BETWEEN.join(named_parts), named_parts if len(named_parts) > 1 else ()
        measures = measures or (Measure(column),)
    columns_wanted = {dimensions.get(name, name): items for name, items in where.items()}
    currency, conversion = "", None
    if converted:
        from logochron.sources.currencies import stated

        if reading.currency is None:
            sample = sample or sampled(engine, sources[0], reading)
        currency, conversion = stated(reading, measures, sample, standing.calendar)
        measures = in_currency(measures, conversion.to, conversion.columns)
    return sources, ReadingSpec(
        stated=reading,
        date=date,
        parts=parts,
        seconds=seconds,
        dimensions=dimensions,
        kept=kept,
        aggregates=_aggregates(measures),
        # a filter may use the new name of a dimension, or the name of any column
        where=conditions(columns_wanted),
        writing=check_stated(reading.decimal, reading.thousands),
        scales=_scales(reading.scale, measures),
        keep=(covering[0], min(ends) if ends else None),
        standing=standing,
        wide=reading.periods_in_columns is not None,
        measures=measures,
        covering=covering,
        until=until,
        selected=in_words(columns_wanted),
        filters={in_dimension.get(name, name): items for name, items in where.items()},
        guesses=guesses,
        currency=currency,
        conversion=conversion,
    )


def _check_progress(progress: Callable[[float], None] | None) -> None:
    """Refuse a function that cannot be told the part done: it is called while nobody looks."""
    if progress is None:
        return
    try:
        signature(progress).bind(0.0)
    except TypeError:
        raise QuestionError(
            "`progress` must be a function of the part done, a number; got {0}", brief(progress)
        ) from None
    except ValueError:  # one of a library in another language, which tells no signature
        pass


def _check_sources(sources: Sequence[Source], reading: Reading) -> None:
    """Refuse an option that no source takes."""
    for option in READING_OPTIONS.values():
        if not option.of or getattr(reading, option.name) is option.default:
            continue
        if not any(one.kind in option.of for one in sources):
            raise QuestionError(
                "`{0}` ({1}) is of {2}; {3} is none: leave it out",
                option.name,
                option.flags,
                taken_by_sources(option.of),
                sources[0].name,
            )


def _scales(scale: float | Mapping[str, float], measures: Sequence[Measure]) -> dict[str, Fraction]:
    """What the amounts of each column are multiplied by, where it is not 1."""
    summed = [one.column for one in _aggregates(measures) if one.column and not one.counts]
    by_column = dict(scale) if isinstance(scale, Mapping) else dict.fromkeys(summed, scale)
    scales: dict[str, Fraction] = {}
    for column, number in by_column.items():
        if column not in summed:
            raise QuestionError("`scale`: {0}", no_such("column of amounts", column, summed, where="`values`"))
        exactly = as_written(number)
        if exactly is None or exactly <= 0:
            raise QuestionError("`scale` must be a number above 0, such as 1000; got {0}", brief(number))
        if exactly != 1:
            scales[column] = exactly
    return scales


def wide_found(
    reading: Reading, sample: Sequence[SampleColumn], known: Sequence[str], name: str
) -> tuple[Reading, tuple[str, ...]]:
    """The reading of a wide table, and what was taken, where the columns of a source without dates are periods."""
    if not sample or reading.date is not None or reading.periods_in_columns is not None:
        return reading, ()
    from logochron.sources.guess_columns import wide_grain

    grain = wide_grain(sample, known, _checked(reading.calendar))
    aggregates = _aggregates(_measures(reading.values, reading.measures))
    # an amount that the table has as a column is no name for its cells
    has = {fold(column.name) for column in sample} & {
        fold(aggregate.column) for aggregate in aggregates if aggregate.column
    }
    if grain is None or has or reading.records_of not in ("day", grain):
        return reading, ()
    said = Said(
        "{0}: a wide table, one column a {1} (periods_in_columns={2!r}, --periods-in-columns {2}){3}",
        name, Said(grain), grain, "" if aggregates else Said(", amounts called 'amount' (values=, --value)"),
    )  # fmt: skip
    return replace(reading, periods_in_columns=grain), (said,)


def _check_lines(lines: int | Sequence[int] | None) -> None:
    """Refuse what is neither a line, nor two that follow each other."""
    one = isinstance(lines, int) and not isinstance(lines, bool) and lines >= 0
    pair = list(lines) if isinstance(lines, Sequence) else []
    both = len(pair) == 2 and all(isinstance(line, int) for line in pair) and 0 < pair[0] == pair[1] - 1
    if not (lines is None or one or both):
        raise QuestionError(
            "`header_row` must be a line from 0 up, or two that follow each other; got {0}", brief(lines)
        )


def _check_zone(engine: Engine, tz: str) -> None:
    if tz not in engine.zones:
        hint = nearest(tz, engine.zones)
        raise QuestionError(
            "`tz` must be the name of a zone such as 'Europe/Lisbon'; got {0}.{1}",
            brief(tz),
            did_you_mean(hint),
            remedies=instead(tz, engine.zones),
        )


def _standing(records_of: Grain, spread: Spread | None, calendar: Calendar | None) -> Standing:
    check("records_of", records_of, Grain)
    if spread is not None:
        check("spread", spread, Spread)
    return Standing(records_of, _checked(calendar), spread)


def _checked(calendar: Calendar | None) -> Calendar:
    """The calendar; civil where None."""
    if calendar is not None and not isinstance(calendar, Calendar):
        raise QuestionError("`calendar` must be a calendar such as CivilCalendar(); got {0}", type(calendar).__name__)
    return calendar or CivilCalendar()


def _measures(values: str | Sequence[str] | None, measures: Sequence[Measure] | None) -> tuple[Measure, ...]:
    given = () if measures is None else tuple(measures)
    for one in given:
        if not isinstance(one, Measure):
            raise QuestionError("`measures` must be Measure objects; got {0}", brief(one))
    together = (*(Measure(name) for name in names_of("values", values)), *given)
    names: set[str] = set()
    for measure in together:
        if measure.name in names:
            raise QuestionError("`values` and `measures` name {0!r} twice", measure.name)
        names.add(measure.name)
    return with_units(together)


def _aggregates(measures: Sequence[Measure]) -> tuple[Aggregate, ...]:
    """All that the measures sum and count."""
    return all_aggregates(formulas(measures))


def names_of(option: str, given: Any) -> list[str]:
    """One name, several, or none."""
    if given is not None and not isinstance(given, Iterable):
        raise QuestionError("`{0}` must name columns by text; got {1}", option, brief(given))
    names = [given] if isinstance(given, str) else [] if given is None else list(given)
    for name in names:
        if not isinstance(name, str):
            raise QuestionError("`{0}` must name columns by text; got {1}", option, brief(name))
    return names


def dimensions_of(by: str | Sequence[str] | Mapping[str, str] | None, option: str = "by") -> dict[str, str]:
    """The dimensions that an option names: new name -> column."""
    named = list(by.items()) if isinstance(by, Mapping) else [(name, name) for name in names_of(option, by)]
    if len(dict(named)) < len(named):
        raise QuestionError("`{0}` names a dimension twice: {1}", option, ", ".join(name for name, _ in named))
    return dict(named)


#: What most books are asked first, and what accounts for the records.
_SOON = ("logochron.core.questions.compare", "logochron.sources.accounting")
#: Tells what was guessed and what should be known; on standard error unless the user's logging says otherwise.
_LOG = logging.getLogger("logochron")
#: Looks at what was scanned while it is open.
RecordsSeen = Callable[[Sequence[RolledSource], ReadingSpec], None]


def read_aloud(source: Any, reading: Reading, engine: Engine | None = None) -> Daybook:
    """Read, and tell what was guessed and what should be known."""
    book = carry_out(source, reading, engine=engine)
    for said in book.intake.lines():
        _LOG.warning(said)
    return book


def carry_out(source: Any, reading: Reading, look: RecordsSeen | None = None, engine: Engine | None = None) -> Daybook:
    """Read as is asked; `look` is called before copies and connections are given up."""
    _check_progress(reading.progress)
    bar = ports.progress() if reading.progress is None else nullcontext(reading.progress)
    with bar as progress, lasting(source, reading.table, reading.query, progress) as given:
        engine = engine or Engine()
        engine.tells(progress)
        sources, spec = settled(engine, given, reading)
        book = _book(engine, sources, spec if look is None else replace(spec, reviewed=True), look)
        engine.tells(None)  # the bar ends here; ids that stay in the engine are asked for later
        return book


def _book(engine: Engine, sources: Sequence[Source], spec: ReadingSpec, look: RecordsSeen | None) -> Daybook:
    engine.meanwhile += _SOON
    from logochron.sources.totals_among_rows import totals_aside

    with steady(sources), SourceReader(engine, spec) as scanner:
        scans = scanner.roll_up_all(sources)
        totals = totals_aside(scans, spec)
        if totals.conditions:
            spec = replace(spec, aside=totals.conditions, undated=totals.undated, guesses=(*spec.guesses, *totals.said))
            scanner.spec = spec
            scans = scanner.roll_up_all(sources)
        from logochron.core.book.daybook import Daybook
        from logochron.sources.accounting import account

        rows, intake, standing = account(engine, scans, spec)
        intake = replace(intake, facts=(*totals.facts, *intake.facts))
        if look:
            look(scans, spec)
    summed = {aggregate.key: aggregate.column for aggregate in spec.booked}
    unlike = {key for key, amounts in rows.amounts.items() if amounts.scale is None}
    inexact = list(dict.fromkeys(summed[key] for key in unlike))
    if unlike and spec.conversion:  # one column at several rates
        known = formulas(spec.measures)
        inexact = [name for name, of in known.items() if adds_up(of) and unlike & {a.key for a in aggregates(of)}]
    if inexact:
        said = Said(
            "summed in floating point, as the amounts have more than six decimals or are too large: {0}"
            if spec.conversion is None
            else "summed in floating point, as the amounts or their rates have too many decimals or are too large: {0}",
            ", ".join(inexact),
        )
        intake = replace(intake, warnings=(*intake.warnings, said))
    book = Daybook(
        days=rows.days,
        records=rows.records,
        codes=rows.codes,
        labels=rows.labels,
        amounts=rows.amounts,
        measures=spec.measures,
        recorded=rows.recorded,
        intake=replace(intake, guesses=(*spec.guesses, *intake.guesses)),
        asked_covering=spec.covering,
        asked_until=spec.until,
        kept=spec.keep,
        selected=spec.selected,
        filters=(spec.filters,) if spec.filters else (),
        standing=standing,
        ids=rows.ids,
        beyond=rows.beyond,
        falls=rows.falls,
        conversion=rows.conversion,
        kept_ids=rows.kept_ids,
        selling_days=spec.stated.selling_days,
    )
    if spec.until is not None:
        book.check_until()
        return book.evenly() if standing.spread == "even" else book
    return book
