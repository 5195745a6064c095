"""Amounts in several currencies brought to one: the table of rates, what is stated of it, what groups come to."""

from __future__ import annotations

import re
from collections.abc import Sequence
from decimal import Decimal, InvalidOperation
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.book.intake import Refusal
from logochron.core.book.measures import Aggregate, Measure, all_aggregates, formulas, is_currency_code, is_quantity
from logochron.core.book.rates import Conversion, CurrencyPart, Factors, RateTable
from logochron.core.book.sums import Amounts
from logochron.core.calendars.base import Bools, Calendar
from logochron.core.calendars.named_in import day_named, ordinal_named
from logochron.core.calendars.written_names import grains_of
from logochron.core.choices import how_many
from logochron.core.days import FIRST_DAY, LAST_DAY, Days, iso
from logochron.core.errors import IntakeError, QuestionError, brief
from logochron.core.said import Said
from logochron.options import Reading
from logochron.sources.files.headers import SampleColumn
from logochron.sources.files.watched_columns import is_currencies
from logochron.sources.rolled_source import SIGNED, WATCHED, LeafGroups, ReadingSpec, RolledSource
from logochron.sources.values.amounts import currency_of, currency_signs, part_unit

if TYPE_CHECKING:
    from logochron.sources.small_tables import SmallTable

#: A table of rates has so many rows at most: thirty currencies over ninety years of days.
_MOST_ROWS = 1_000_000
_CODE = re.compile(r"[A-Za-z]{3}")
#: Of more days without a rate than this only the first and the last are named.
_DAYS_NAMED = 5


class Stated(NamedTuple):
    """What is said of currencies: the column of them (empty: the signs beside amounts), and how they are converted."""

    column: str
    conversion: Conversion


def code_of(text: str) -> str:
    """The currency that a field names, by its code or its sign; empty where it names none.

    >>> code_of(" eur"), code_of("€"), code_of("$"), code_of("")
    ('EUR', 'EUR', '$', '')
    """
    bare = text.strip()
    return bare.upper() if _CODE.fullmatch(bare) else currency_of(bare)


def sign_in(rest: str) -> str:
    """The currency by what stands beside the digits of an amount; empty where nothing does.

    >>> sign_in("€"), sign_in("Mio€"), sign_in("USD"), sign_in("")
    ('EUR', 'EUR', 'USD', '')
    """
    shape = part_unit(f"9{rest}")[0]
    return next((code_of(sign) for sign in currency_signs([shape])), code_of(shape.removeprefix("9")))


def _check_alone(reading: Reading, measures: Sequence[Measure]) -> None:
    """Refuse what is said of rates where none are given."""
    options = {"currency": reading.currency, "to": reading.to, "rates_at": reading.rates_at}
    given = next((name for name, value in options.items() if value is not None), "")
    if given == "to" and not _CODE.fullmatch(str(reading.to).strip()):
        raise QuestionError(
            "`to` is the currency that amounts are brought to by `rates`; for days say at='FIRST..LAST' (--at "
            "FIRST..LAST) or until= (--until DAY); got {0}",
            brief(reading.to),
        )
    if given:
        raise QuestionError(
            "`{0}` goes with `rates`, a table of currencies and rates (--{1} with --rates FILE)",
            given,
            given.replace("_", "-"),
        )
    if named := next((measure.name for measure in measures if measure.rates_at is not None), ""):
        raise QuestionError("measure {0!r}: `rates_at` needs `rates`, a table of currencies and rates", named)


def stated(reading: Reading, measures: Sequence[Measure], sample: Sequence[SampleColumn], calendar: Calendar) -> Stated:
    """How the amounts of a reading are brought to one currency.

    Parameters
    ----------
    sample
        The columns of the source with their first fields, where no column of currencies is named.

    Raises
    ------
    QuestionError, IntakeError
        Where an option is missing or cannot be, or the table cannot be read.
    """
    if reading.rates is None:
        _check_alone(reading, measures)
    if reading.to is None:
        raise QuestionError("`rates` needs `to`, the currency that amounts are brought to: to='EUR' (--to EUR)")
    if not _CODE.fullmatch(reading.to.strip()):
        raise QuestionError("`to` must be a currency code such as EUR; got {0}", brief(reading.to))
    columns = frozenset(_money(measures))
    if not columns:
        raise QuestionError("`rates` (--rates) convert amounts of money, and no measure is one: leave them out")
    ways = {one.rates_at for one in all_aggregates(formulas(measures)) if one.column in columns}
    wanted = {at or reading.rates_at for at in ways} - {None, ""}
    at = {str(name): _span(name, calendar) for name in wanted}
    if reading.rates_at is not None:  # holds where a measure says nothing of its own
        at[""] = at[str(reading.rates_at)]
    table = rate_table(reading.rates, code_of(reading.to), calendar)
    column = _column(reading.currency, sample, columns)
    return Stated(column, Conversion(table, columns, at))


def _money(measures: Sequence[Measure]) -> set[str]:
    """The columns of amounts of money: neither called like a quantity, nor of a unit that is no currency."""
    units = {measure.column or measure.name: measure.unit for measure in measures if measure.kind == "sum"}
    summed = (one.column for one in all_aggregates(formulas(measures)) if one.column and not one.counts)
    return {
        column
        for column in summed
        if (is_currency_code(unit) if (unit := units.get(column)) is not None else not is_quantity(column))
    }


def _span(at: Any, calendar: Calendar) -> tuple[int, int]:
    """The first and the last day of a period, or a day twice."""
    return day_named(at, "rates_at", calendar, last=False), day_named(at, "rates_at", calendar, last=True)


def _column(named: str | None, sample: Sequence[SampleColumn], amounts: frozenset[str]) -> str:
    """The column of currencies; empty where amounts bear their signs.

    Raises
    ------
    QuestionError
        Where it is not named, and several or none can be meant.
    """
    if named is not None:
        return named
    codes = {column.name: {code_of(text) for text in column.texts} for column in sample}
    likely = [name for name, met in codes.items() if met and is_currencies(met, name)]
    if len(likely) == 1:
        return likely[0]
    if not likely and any(currency_signs(column.texts) for column in sample if column.name in amounts):
        return ""
    raise QuestionError(
        "`rates` needs `currency`, the column that says in which currency each amount is (--currency COL): {0}",
        Said("{0} may be meant", ", ".join(likely)) if likely else Said("no column holds codes such as EUR, USD"),
        remedies=[{"currency": name} for name in likely],
    )


def rate_table(source: Any, to: str, calendar: Calendar) -> RateTable:
    """A table of rates: `currency, rate` (units of `to` for 1 of it), and maybe `date`, a day or the name of a period.

    Raises
    ------
    IntakeError
        Naming the row of what is no currency, rate or date, or of a second rate for the same days.
    """
    from logochron.sources.small_tables import small_table

    table = small_table(
        source, ["currency", "rate"], ["date"], what="table of rates", error=IntakeError, most=_MOST_ROWS
    )
    if not len(table.lines):
        raise IntakeError("{0} lists no rates", table.name)
    codes = [code_of(text) for text in table.texts["currency"]]
    if "" in codes:
        raise IntakeError("{0}, column 'currency': a currency is missing", table.where(codes.index("")))
    rates = [_rate(table, row) for row in range(len(codes))]
    starts, ends = _days(table, calendar)
    rows = RateTable.listed(table.name, to, codes, starts, ends, rates)
    _check_once(table, rows, codes, starts, ends, rates)
    return rows


def _rate(table: SmallTable, row: int) -> Decimal:
    """A rate as it is written; a comma may be its decimal mark."""
    text = table.texts["rate"][row]
    try:
        rate = Decimal(text.replace(",", ".") if "." not in text else text)
    except InvalidOperation:
        rate = Decimal("NaN")
    if not rate.is_finite() or rate <= 0:
        raise IntakeError(
            "{0}, column 'rate': {1!r} is no rate; expected a number above 0 such as 0.9231", table.where(row), text
        )
    return rate


def _days(table: SmallTable, calendar: Calendar) -> tuple[Days, Days]:
    """The days that each rate holds for: one, those of a period, or all where no date is given."""
    texts = table.texts.get("date")
    if texts is None or not any(texts):
        many = len(table.lines)
        return np.full(many, FIRST_DAY), np.full(many, LAST_DAY)
    starts, ends = np.empty((2, len(texts)), dtype=np.int64)
    periods = {text: bool(grains_of([text], "date")) for text in dict.fromkeys(texts)}
    if not periods.get("", True):
        raise IntakeError("{0}, column 'date': a date is missing", table.where(texts.index("")))
    rows = np.array([periods[text] for text in texts])
    if not rows.all():
        of_days = table._replace(lines=table.lines[~rows], texts={"date": [t for t in texts if not periods[t]]})
        starts[~rows] = ends[~rows] = of_days.dates("date")
    known: dict[str, tuple[int, int]] = {}
    for row in np.flatnonzero(rows).tolist():
        text = texts[row]
        if text not in known:
            known[text] = _period(table, row, text, calendar)
        starts[row], ends[row] = known[text]
    return starts, ends


def _period(table: SmallTable, row: int, text: str, calendar: Calendar) -> tuple[int, int]:
    """The first and the last day of a period that a text names."""
    (grain, *_) = grains_of([text], "date")
    ordinal = ordinal_named(text, grain, calendar)
    if ordinal is None:
        raise IntakeError("{0}, column 'date': {1!r} names no {2} of the calendar", table.where(row), text, grain)
    at = np.array([ordinal])
    return int(calendar.first_days(grain, at)[0]), int(calendar.last_days(grain, at)[0])


def _check_once(
    table: SmallTable, rows: RateTable, codes: Sequence[str], starts: Days, ends: Days, rates: Sequence[Decimal]
) -> None:
    """Refuse two unlike rates of one currency for the same days."""
    seen: dict[tuple[str, int, int], int] = {}
    for row, key in enumerate(zip(codes, starts.tolist(), ends.tolist())):
        first = seen.setdefault(key, row)
        if rates[first] != rates[row]:
            raise IntakeError(
                "{0}: a second rate of {1!r} for the same days, {2} beside {3} ({4})",
                table.where(row),
                codes[row],
                rates[row],
                rates[first],
                table.where(first),
            )
    if rows.to in codes and any(rate != 1 for code, rate in zip(codes, rates) if code == rows.to):
        row = next(i for i, code in enumerate(codes) if code == rows.to and rates[i] != 1)
        raise IntakeError("{0}: 1 {1} is 1 {1}; got the rate {2}", table.where(row), rows.to, rates[row])


# what groups come to


def _keys(spec: ReadingSpec) -> list[str]:
    """What the labels of currencies are kept under: one for all amounts, or one for the signs of each column."""
    return [WATCHED + spec.currency] if spec.currency else [SIGNED + column for column in spec.signed]


def _key_of(spec: ReadingSpec, column: str) -> str:
    """The one of them that tells the currencies of a column."""
    return WATCHED + spec.currency if spec.currency else SIGNED + column


def _codes(scanned: RolledSource, key: str) -> list[str]:
    """The currency that each different label of a source names."""
    read = sign_in if key.startswith(SIGNED) else code_of
    return [read(label or "") for label in scanned.groups.labels[key]]


def _factors(scanned: RolledSource, spec: ReadingSpec, days: Days, aggregate: Aggregate) -> Factors:
    """What the amounts of an aggregate are multiplied by in each group of a source."""
    conversion = spec.conversion
    assert conversion is not None
    key = _key_of(spec, aggregate.column)
    places = np.array([conversion.rates.place(code) for code in _codes(scanned, key)], dtype=np.int64)
    currencies = places[scanned.groups.label_codes[key]]
    return conversion.rates.factors(conversion.span(aggregate.rates_at), currencies, days)


def brought(leaf: LeafGroups, scanned: RolledSource, spec: ReadingSpec, days: Days, aggregate: Aggregate) -> LeafGroups:
    """The sums of an aggregate that is converted, in the one currency.

    Parameters
    ----------
    days
        The day of each group.
    """
    made = _factors(scanned, spec, days, aggregate).times(Amounts(leaf.sums, leaf.scale, leaf.size))
    return leaf._replace(sums=made.values, scale=made.scale, size=made.size)


def rated(scanned: RolledSource, spec: ReadingSpec, days: Days) -> Bools:
    """Which groups of a source have all rates that are wanted of them."""
    known = np.ones(len(days), dtype=bool)
    ways = {(one.column if not spec.currency else "", one.rates_at): one for one in spec.booked if spec.converts(one)}
    for one in ways.values():
        known &= _factors(scanned, spec, days, one).known
    return known


def unrated_rows(scanned: RolledSource, spec: ReadingSpec, days: Days, missing: Bools) -> list[Refusal]:
    """The rows without a rate: of each currency by day, or by their number where those are many."""
    refusals: list[Refusal] = []
    conversion = spec.conversion
    assert conversion is not None
    groups = scanned.groups
    for key in _keys(spec):
        column = spec.currency or key.removeprefix(SIGNED)
        codes = np.array(_codes(scanned, key), dtype=object)
        labels = groups.label_codes[key]
        for place in np.unique(labels[missing]).tolist():
            of = missing & (labels == place)
            code = codes[place]
            if not spec.currency and _is_rated(spec, code, column, days[of]):
                continue  # another column of the rows has none
            rows = groups.rows - groups.bad
            met, inverse = np.unique(days[of], return_inverse=True)
            many = np.bincount(inverse, rows[of]).astype(np.int64)
            text = str(groups.labels[key][place] or "")
            constants = [span for at in _ways(spec, column) if (span := conversion.span(at))]
            for day, n, reason in _reasons(conversion, code, constants, met, many):
                date = groups.dates[groups.date_codes[of & (days == day)][0]]
                one = Refusal(0, column, text, reason, scanned.name, many=n)
                refusals.append(scanned.located(one, date, key))
    return refusals


def _is_rated(spec: ReadingSpec, code: str, column: str, days: Days) -> bool:
    assert spec.conversion is not None
    place = np.full(len(days), spec.conversion.rates.place(code), dtype=np.int64)
    spans = map(spec.conversion.span, _ways(spec, column))
    return all(spec.conversion.rates.factors(span, place, days).known.all() for span in spans)


def _ways(spec: ReadingSpec, column: str) -> list[str]:
    """By which rates amounts are converted: those of a column, or of all where one column tells their currencies."""
    return list(
        dict.fromkeys(
            one.rates_at for one in spec.booked if spec.converts(one) and (spec.currency or one.column == column)
        )
    )


def _reasons(
    conversion: Conversion, code: str, constants: Sequence[tuple[int, int]], days: Days, many: Days
) -> list[tuple[int, int, str]]:
    """Why rows of a currency are refused, each reason with its first day and the number of its rows.

    `constants`: the spans whose mean rates are wanted.
    """
    all_rows = int(many.sum())
    rows = how_many(all_rows, "row")
    if not code:
        return [(int(days[0]), all_rows, Said("no currency ({0})", rows))]
    if conversion.rates.place(code) < 0:
        return [(int(days[0]), all_rows, Said("no rate of {0!r} to {1} on any day ({2})", code, conversion.to, rows))]
    if lacking := next((span for span in constants if conversion.rates.mean(code, *span) is None), None):
        first, last = map(iso, lacking)
        said = Said("no rate of {0!r} to {1} from {2} to {3} ({4})", code, conversion.to, first, last, rows)
        return [(int(days[0]), all_rows, said)]
    if len(days) <= _DAYS_NAMED:
        return [
            (day, n, Said("no rate of {0!r} to {1} on {2} ({3})", code, conversion.to, iso(day), how_many(n, "row")))
            for day, n in zip(days.tolist(), many.tolist())
        ]
    return [
        (
            int(days[0]),
            all_rows,
            Said(
                "no rate of {0!r} to {1} on {2} and {3:,} more days, the last {4} ({5})",
                code, conversion.to, iso(int(days[0])), len(days) - 1, iso(int(days[-1])), rows,
            ),
        )
    ]  # fmt: skip


def currency_parts(
    scans: Sequence[RolledSource], spec: ReadingSpec, days: Sequence[Days], taken: Sequence[NDArray[np.bool_]]
) -> tuple[CurrencyPart, ...]:
    """The currencies of the records that count, by their records and what their first amounts come to."""
    first = next(one for one in spec.booked if spec.converts(one))
    records: dict[str, int] = {}
    amounts: dict[str, float] = {}
    for scanned, of_days, of in zip(scans, days, taken):
        groups, key = scanned.groups, _key_of(spec, first.column)
        leaf = brought(groups.aggregates[first._replace(rates_at="").key], scanned, spec, of_days, first)
        labels, size = groups.label_codes[key][of], len(groups.labels[key])
        many = np.bincount(labels, (groups.rows - groups.bad)[of], minlength=size)
        come = np.bincount(labels, leaf.sums[of] / 10 ** (leaf.scale or 0), minlength=size)
        for code, n, amount in zip(_codes(scanned, key), many.tolist(), come.tolist()):
            if n:
                records[code] = records.get(code, 0) + int(n)
                amounts[code] = amounts.get(code, 0.0) + amount
    return tuple(
        CurrencyPart(code, records[code], amounts[code]) for code in sorted(records, key=lambda code: -records[code])
    )


def lines_of(conversion: Conversion, measures: Sequence[Measure]) -> list[str]:
    """What a reader is told of a conversion: by which rates, and which measures take others."""
    others = [part.currency for part in conversion.parts if part.currency != conversion.to]
    if not others:
        return []
    table, to = conversion.rates, conversion.to
    ways: dict[str, list[str]] = {}
    for measure in measures:
        if any(one.column in conversion.columns for one in all_aggregates(formulas(measures), [measure.name])):
            ways.setdefault(measure.rates_at or "", []).append(measure.name)
    lines: list[str] = []
    for at, names in ways.items():
        span = conversion.span(at)
        if table.undated:
            how = Said("at one rate each")
        elif span is None:
            how = Said("at the rate of each day")
        elif span[0] == span[1]:
            how = Said("at the rates of {0}", iso(span[0]))
        else:
            named = at or next(name for name, days in conversion.at.items() if name and days == span)
            how = Said("at the mean rates of {0}", named)
        lines.append(Said("{0} in {1}: {2} {3} ({4})", ", ".join(names), to, ", ".join(others), how, table.name))
    return lines
