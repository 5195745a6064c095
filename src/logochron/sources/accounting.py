"""All sources together: each row counted, refused, left out or blank, and the counted ones as arrays."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from functools import partial

import numpy as np

from logochron.core.book.coverage import touches
from logochron.core.book.intake import EMPTY_AMOUNT, LISTED, Intake, Refusal
from logochron.core.book.like_totals import like_totals
from logochron.core.book.record_spans import Standing, check_periods, hint
from logochron.core.calendars.named_in import first_day_of
from logochron.core.choices import how_many
from logochron.core.days import FIRST_DAY, LAST_DAY, Days, day_number, distinct, iso
from logochron.core.errors import IntakeError, QuestionError, Remedy, instead, no_such
from logochron.core.said import Hinted, Joined, Said
from logochron.core.total_labels import is_total
from logochron.sources.assemble import BookRows, assembled
from logochron.sources.duckdb.connection import Engine
from logochron.sources.duckdb.engine_source import MOST_LABELS
from logochron.sources.files.watched_columns import is_currencies
from logochron.sources.mixed_rows import mixed_facts, said_of
from logochron.sources.named_periods import standing_named
from logochron.sources.rolled_source import NO_DAY, ReadingSpec, RolledSource, check_currencies
from logochron.sources.values.amounts import POWERS, UNITS_READ, unit_in_header
from logochron.sources.values.date_parts import joined
from logochron.sources.values.dates import DateReading, read_dates

_SHOWN = 10
_READINGS = {
    "dates": Said("from year 1 to 9999"),
    "year first": "YYYY-MM-DD",
    "eight digits": "YYYYMMDD",
    "day first": Said("day first (31/12/2026)"),
    "month first": Said("month first (12/31/2026)"),
    "day first, short year": Said("day first (31/12/26)"),
    "month first, short year": Said("month first (12/31/26)"),
    "short year first": "YY-MM-DD",
    "a serial day": Said("as a day of a spreadsheet (46022)"),
    "month named": Said("with the month named (31 Dec 2026)"),
    "a period": Said("or a period"),
    "several forms": Said("such as 2026-12-31 or 31 Dec 2026"),
}
_ODD_DATES = (day_number("1900-01-01"), day_number("2100-12-31"))


def account(engine: Engine, scans: Sequence[RolledSource], spec: ReadingSpec) -> tuple[BookRows, Intake, Standing]:
    """Judge the dates, account for every row and gather what counts; and what each record stands for.

    Raises
    ------
    IntakeError
        Where rows are refused and `on_refused` is ``"stop"``, or no row is left to count.
    QuestionError
        Where `where` names an item that does not occur.
    """
    said = _check_items(scans, spec)
    if spec.conversion:
        from logochron.sources.currencies import currency_parts, lines_of, rated, unrated_rows
    check_currencies(one for scanned in scans for one in scanned.priced)
    texts, by_name = _date_texts(scans, spec), tuple[str, ...]()
    if texts is not None:
        standing, by_name = standing_named(texts, spec)
        spec = replace(spec, standing=standing)
    if spec.standing.spread is not None and spec.standing.records_of == "day":
        raise QuestionError(
            "`spread` spreads records of whole periods over days: say `records_of` too (--records-of month)"
        )
    reading = _dates(scans, spec, texts)
    dated_on = distinct(reading.days[reading.readable])
    starts, ends = reading.days.copy(), reading.days.copy()
    starts[reading.readable], ends[reading.readable] = spec.standing.spans(reading.days[reading.readable])
    inside = reading.readable & touches(starts, ends, spec.keep)
    refusals: list[Refusal] = []
    refused = set_aside = counted = no_rates = 0
    offset, taken, beyond = 0, [], []
    dated_groups: list[Days] = []
    for scanned in scans:
        groups, part = scanned.groups, slice(offset, offset + len(scanned.groups.dates))
        offset = part.stop
        dated, in_days = reading.readable[part][groups.date_codes], inside[part][groups.date_codes]
        question = in_days & groups.keep
        bad = int(groups.bad[question].sum())
        aside = spec.undated.get(scanned.name, 0)
        undated = int(groups.rows[~dated].sum()) - scanned.blank_rows - aside
        days = starts[part][groups.date_codes]
        unrated = question & (groups.rows > groups.bad)
        unrated &= ~rated(scanned, spec, days) if spec.conversion else False
        no_rate = int((groups.rows - groups.bad)[unrated].sum())
        no_rates += no_rate
        counted += int(groups.rows[question].sum()) - bad - no_rate
        refused += bad + undated + scanned.torn + no_rate
        set_aside += int(groups.rows[dated & ~question].sum()) + scanned.set_aside + aside
        if bad or undated or scanned.torn:
            shape = _READINGS.get(reading.name, reading.name)
            dates, readable = groups.dates, reading.readable[part]
            refusals += scanned.refused(
                dates[inside[part]], dates[~readable], Said("not a date {0}{1}", shape, reading.hint)
            )
        if no_rate:
            refusals += unrated_rows(scanned, spec, days, unrated)
        taken.append(question & (groups.rows > groups.bad) & ~unrated)
        dated_groups.append(days)
        beyond.append(dated & ~in_days & groups.keep & (groups.rows > groups.bad))
    intake = Intake(
        read=sum(scanned.records for scanned in scans),
        counted=counted,
        refused=refused,
        set_aside=set_aside,
        blank=sum(scanned.blank for scanned in scans),
        refused_rows=tuple(refusals[:LISTED]),
        guesses=(*by_name, *_guesses(scans, spec, reading)),
        warnings=(*said, *(warning for scanned in scans for warning in scanned.warnings)),
        sources=tuple(name for scanned in scans for name in scanned.names),
    )
    if intake.read != intake.counted + intake.refused + intake.set_aside + intake.blank:
        raise IntakeError("{0}: the account of its rows does not add up: {1}", ", ".join(intake.sources), intake)
    if refused and spec.stated.on_refused == "stop":
        raise IntakeError(_refusal_message(intake, unrated=bool(no_rates)), remedies=_remedies(intake))
    recorded = distinct(starts[reading.readable])  # of all rows, whichever are counted
    if not inside.any():
        low, high = spec.keep
        span = f"{iso(low) if low is not None else ''}..{iso(high) if high is not None else ''}"
        held = reading.days[reading.readable]
        raise QuestionError(
            "no record lies in the days wanted ({0}): the records run from {1} to {2}",
            span,
            iso(int(held.min())),
            iso(int(held.max())),
        )
    daily = spec.standing.records_of == "day"
    hinted = hint(distinct(starts[inside])) if daily else check_periods(dated_on, spec.standing)
    facts = mixed_facts(scans, taken, spec)
    mixed = () if spec.reviewed else tuple(map(said_of, facts))  # a review has findings of them
    rows = assembled(engine, scans, spec, starts, ends, inside, taken, beyond, recorded)
    if spec.conversion:
        conversion = replace(spec.conversion, parts=currency_parts(scans, spec, dated_groups, taken))
        rows = rows._replace(conversion=conversion)
        mixed = (*lines_of(conversion, spec.measures), *mixed)
    oddities = _oddities(rows, spec, dated_on, hinted)
    intake = replace(intake, warnings=(*intake.warnings, *mixed, *oddities), facts=tuple(facts))
    return rows, intake, spec.standing


def _oddities(rows: BookRows, spec: ReadingSpec, dated_on: Days, hinted: str) -> list[str]:
    """What may be wrong with the dates and the labels; what a review has findings of is left to them."""
    counted = [aggregate.key for aggregate in spec.summed if aggregate.column]
    filtered, reviewed = bool(spec.where), spec.reviewed
    said: list[str] = []
    odd = dated_on[(dated_on < _ODD_DATES[0]) | (dated_on > _ODD_DATES[1])]
    if len(odd):
        said.append(Said("dates before 1900 or after 2100: {0}", ", ".join(map(iso, odd[:3].tolist()))))
    if hinted:
        said.append(hinted)
    for counts in rows.ids.values():
        if counts.empty:
            some = Said("{0:,} records have", counts.empty) if counts.empty > 1 else Said("1 record has")
            said.append(Said("column {0!r}: {1} no id and cannot be counted by it", counts.column, some))
    summed = next((rows.amounts[key] for key in counted if key in rows.amounts), None)
    if summed is not None and not filtered and not reviewed:
        said += [
            Hinted(
                Said(
                    "column {0!r}: the amounts of {1!r} equal the sum of all others in every period: if it is their "
                    "total they count twice",
                    name,
                    label,
                ),
                Said(" (--where '{0}!={1}' leaves it out)", name, label),
            )
            for name, label in like_totals(rows.days, rows.codes, rows.labels, summed)
        ]
    for name, labels in rows.labels.items():
        if len(labels) > MOST_LABELS:  # ids: nobody is asked whether they are totals
            continue
        known = {str(label) for label in labels if label}
        if len(known) > 1 and is_currencies(known, name) and not reviewed and spec.conversion is None:
            said.append(
                Hinted(
                    Said(
                        "column {0!r} holds currencies: totals add up amounts in {1} as they stand",
                        name,
                        ", ".join(sorted(known)),
                    ),
                    Said("; read the rows of each"),
                )
            )
        for label in filter(is_total, labels if not filtered else ()):
            said.append(
                Hinted(
                    Said("column {0!r} has an item {1!r}: if it adds up others they count twice", name, label),
                    Said(" (--where '{0}!={1}' leaves it out)", name, label),
                )
            )
    return list(dict.fromkeys(said))


def _check_items(scans: Sequence[RolledSource], spec: ReadingSpec) -> list[str]:
    """Refuses filters of items that do not occur; says so where a measure takes others that do."""
    counts = [scanned.groups.named_rows for scanned in scans]
    missing = {pair for pair in counts[0] if not sum(named[pair] for named in counts)}
    said: list[str] = []
    for condition in spec.conditions:
        named = [label for labels in (condition.taken, condition.left_out) for label in labels]
        absent = [label for label in named if (condition.column, label) in missing]
        if not absent:
            continue
        known: set[str] = set()
        for scanned in scans:
            known |= set(scanned.items(condition.column))
        problem = no_such("item", absent[0], sorted(known), where=Said("column {0!r}", condition.column))
        if condition in spec.where or len(absent) == len(named):
            raise QuestionError("`where`: {0}", problem, remedies=instead(absent[0], sorted(known)))
        said.append(Said("asked for by a measure: {0}", problem))
    return said


def _date_texts(scans: Sequence[RolledSource], spec: ReadingSpec) -> list[str | None] | None:
    """The texts of all distinct dates, source after source; None where all are days already."""
    dates = [scanned.groups.dates for scanned in scans]
    if not sum(len(part) for part in dates):
        names = ", ".join(scanned.name for scanned in scans)
        torn = [refusal.said() for scanned in scans for refusal in scanned.torn_records()[:_SHOWN]]
        below = "" if any(scanned.unlined for scanned in scans) else Said(" below the header")
        raise IntakeError(
            "{0}: no rows{1}{2}", names, below, Said(" can be read:{0}", Joined(["", *torn], "\n  ")) if torn else ""
        )
    if all(part.dtype != object or not any(isinstance(text, str) for text in part) for part in dates):
        return None
    texts = [None if text is None else _text(text) for part in dates for text in part]
    return joined(texts, spec.parts) if spec.parts else texts


def _dates(scans: Sequence[RolledSource], spec: ReadingSpec, texts: list[str | None] | None) -> DateReading:
    """The days of all distinct dates, source after source."""
    dates = [scanned.groups.dates for scanned in scans]
    if texts is None:
        days = [np.array([NO_DAY if d is None else d for d in part], dtype=np.int64) for part in dates]
        together = np.concatenate(days)
        filled = together != NO_DAY
        readable = filled & (together >= FIRST_DAY) & (together <= LAST_DAY)
        if not readable.any():
            why = Said("none is from year 1 to 9999") if filled.any() else Said("all its fields are empty")
            raise IntakeError("column {0!r} holds no usable date: {1}", spec.date, why)
        return DateReading(together, readable, "dates")
    counts = np.concatenate(
        [np.bincount(s.groups.date_codes, s.groups.rows, minlength=len(s.groups.dates)) for s in scans]
    )
    as_they_stand = {text: came for text, came in zip(texts, (text for part in dates for text in part))}

    def find(text: str) -> str:
        for scanned in scans:
            if place := scanned.find(_text(as_they_stand.get(text, text))):
                return Said("{0}, {1}", scanned.name, place)
        return Said("a row")

    standing = spec.standing
    return read_dates(
        texts,
        counts,
        column=spec.date,
        day_first=spec.stated.day_first,
        date_format=spec.stated.date_format,
        find=find,
        label=partial(first_day_of, each=standing.records_of, calendar=standing.calendar)
        if standing.records_of != "day"
        else None,
    )


def _text(date: object) -> str:
    """A date of a source that holds days beside sources that hold texts."""
    return date if isinstance(date, str) else iso(int(date))  # type: ignore[call-overload]


def _guesses(scans: Sequence[RolledSource], spec: ReadingSpec, reading: DateReading) -> tuple[str, ...]:
    said: list[str] = [guess for scanned in scans for guess in scanned.guesses]
    said += reading.guesses
    for column in {aggregate.column for aggregate in spec.summed if aggregate.column} - set(spec.scales):
        read_so = any(_is_said_of(column, UNITS_READ, line) for line in said)
        if (unit := unit_in_header(column)) and not read_so:
            said.append(
                Said(
                    "column {0!r}: its header says that amounts are in {1}; they are summed as they "
                    "stand (scale={2}, --scale {2} multiplies them)",
                    column,
                    POWERS[unit],
                    10**unit,
                )
            )
    for aggregate in spec.summed:
        empties = sum(scanned.groups.aggregates[aggregate.key].empties for scanned in scans)
        if empties:
            said.append(Said("column {0!r}: {1} taken as 0", aggregate.column, how_many(empties, "empty amount")))
    return tuple(dict.fromkeys(said))


def _is_said_of(column: str, template: str, line: object) -> bool:
    """Whether a line, or a part of it, is made of a message on a column."""
    if not isinstance(line, Said):
        return False
    return (line.template, line.args[:1]) == (template, (column,)) or any(
        _is_said_of(column, template, part) for part in line.args
    )


def _remedies(intake: Intake) -> list[Remedy]:
    """What takes refused rows, or leaves them out."""
    empty = any(refusal.reason == EMPTY_AMOUNT for refusal in intake.refused_rows)
    return [*([{"empty": "zero"}] if empty else []), {"on_refused": "skip"}]


def _refusal_message(intake: Intake, *, unrated: bool) -> Said:
    """What is said of refused rows; `unrated`: the first of them lack a rate."""
    shown = [refusal.said() for refusal in intake.refused_rows[:_SHOWN]]
    rest = intake.refused - sum(refusal.many for refusal in intake.refused_rows[:_SHOWN])
    if rest > 0:
        shown.append(Said("and {0:,} more", rest))
    head = Said("{0:,} of {1:,} rows are refused:", intake.refused, intake.read)
    mend = Said("Mend them, or leave them out by on_refused='skip' (--on-refused skip)")
    add = Said(
        "Add their rates (that of a month or a year holds for all its days without one of their own), or leave them "
        "out by on_refused='skip' (--on-refused skip)"
    )
    end = add if unrated else mend
    return Joined([Joined([head, *shown], "\n  "), end], "\n")
