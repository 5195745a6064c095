"""What the records of a source hold."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from typing import Any

from logochron.core.book.daybook import Daybook
from logochron.core.book.intake import Fact
from logochron.core.book.measures import all_aggregates, formulas
from logochron.core.calendars.written_names import read_label
from logochron.core.errors import QuestionError
from logochron.core.questions.review import Review, review_book
from logochron.core.said import Said, both
from logochron.options import READING_OPTIONS, Reading
from logochron.sources.column_kinds import NEARLY, amounts_in, copies_among, labels_of, products_among
from logochron.sources.duckdb.connection import Engine
from logochron.sources.files.find_files import locate
from logochron.sources.files.headers import SampleColumn
from logochron.sources.files.source_reader import sampled
from logochron.sources.files.streams import lasting
from logochron.sources.guess_columns import candidates_of, guess
from logochron.sources.reading import carry_out, dimensions_of, names_of, wide_found
from logochron.sources.rolled_source import ReadingSpec, RolledSource
from logochron.sources.values.amounts import POWERS, part_unit, unit_in_header
from logochron.sources.values.date_parts import BETWEEN
from logochron.sources.values.dates import instants_said


def reviewed(source_or_book: Any, reading: Reading, by: str | Sequence[str] | Mapping[str, str] | None) -> Review:
    """See `review`; the columns of items are found where `by` is None."""
    if isinstance(source_or_book, Daybook):
        if by is not None or any(value is not READING_OPTIONS[name].default for name, value in vars(reading).items()):
            raise QuestionError("a daybook is read already: give `review` no reading options with it")
        return review_book(source_or_book)
    reading = asked = replace(reading, by=() if by is None else by, on_refused="skip")
    facts: list[Fact] = []
    specs: list[ReadingSpec] = []

    def look(scans: Sequence[RolledSource], spec: ReadingSpec) -> None:
        facts.extend(_facts(scans))
        specs.append(spec)

    with lasting(source_or_book, reading.table, reading.query, reading.progress) as source:
        sample: Sequence[SampleColumn] = ()
        if reading.periods_in_columns is None:
            reading, sample = columns_found(source, reading, by is None)
        book = carry_out(source, reading, look)
    named = bool(names_of("values", asked.values) or asked.measures)
    return review_book(book, date=specs[0].date, facts=[*_of_columns(sample, specs[0], named=named), *facts])


def columns_found(source: Any, reading: Reading, with_items: bool) -> tuple[Reading, Sequence[SampleColumn]]:
    """The reading with the columns that were not named, and all columns with their first fields.

    `with_items`: the columns of labels among them.
    """
    known = [*dimensions_of(reading.by).values(), *(reading.where or {})]
    first = locate(source)[0]
    sample = sampled(Engine(), first, reading)
    reading, _ = wide_found(reading, sample, known, first.name)
    if reading.periods_in_columns is not None:
        periods = [column.name for column in sample if read_label(column.name)]
        return replace(reading, by=labels_of(sample, periods)) if with_items else reading, sample
    date = BETWEEN.join(names_of("date", reading.date)) or None
    dates, amounts = candidates_of(sample, date, known)
    if len(dates) != 1 or not amounts:  # the columns of a file with flaws
        dates, amounts = candidates_of(sample, date, known, NEARLY)
    named = names_of("values", reading.values)
    if not named and not reading.measures:
        named = [column.name for column in amounts]
    if len(dates) != 1 or not (named or reading.measures):
        guess(first, sample, date, (), known)  # says what is to be named
    completed = replace(reading, date=list(dates[0]) if len(dates[0]) > 1 else dates[0][0], values=named)
    if with_items:
        taken = [
            *dates[0],
            *named,
            *(aggregate.column for aggregate in all_aggregates(formulas(reading.measures or ()))),
        ]
        names = labels_of(sample, taken)
        completed = replace(completed, by=names)
    return completed, sample


def _of_columns(sample: Sequence[SampleColumn], spec: ReadingSpec, *, named: bool) -> Iterator[Fact]:
    """What the columns of a source show by their first fields: instants, units, amounts that may be meant as well.

    `named`: the amounts are named, and nobody has to choose.
    """
    if spec.wide:
        return
    texts = {column.name: column.texts for column in sample}
    if said := instants_said(texts.get(spec.date, ()), spec.date):
        yield Fact("instants", spec.date, 1, said[0], Said("days of another zone are others: tz= (--tz Europe/Lisbon)"))
    summed = list(dict.fromkeys(aggregate.column for aggregate in spec.summed if aggregate.column))
    for name in summed:
        behind = next((text for text in texts.get(name, ()) if part_unit(text)[1]), "")
        if behind:
            power = POWERS[part_unit(behind)[1]]
            yield Fact("amounts in units", name, 1, behind, Said("read as {0}, which no option needs to say", power))
        elif (power_of := unit_in_header(name)) and name not in spec.scales:
            effect = Said(
                "summed as they stand; scale={0} (--scale {0}) makes {1} of them", 10**power_of, POWERS[power_of]
            )
            yield Fact("amounts in units", name, 1, name, effect)
    products = products_among(sample)
    for name, one, other in products:
        effect = Said("the amount is {0!r}: a price of one is not added up (values=, --value {0})", name)
        yield Fact("product of columns", name, 1, f"{name} = {one} x {other}", effect)
    for one, other in copies_among(sample):
        effect = Said("one of them is enough (values=, --value {0}): both together count everything twice", one)
        yield Fact("columns alike", one, 2, both((one, other)), effect)
    likely = [
        column.name for column in amounts_in([c for c in sample if c.name not in spec.date.split(BETWEEN)], NEARLY)
    ]
    if len(likely) > 1 and not named:
        yield Fact("amounts to choose from", likely[0], len(likely), ", ".join(likely),
                   Said("a comparison asks which is meant: values= (--value {0})", likely[0]))  # fmt: skip


def _facts(scans: Sequence[RolledSource]) -> list[Fact]:
    """What only the single records show, of all sources together."""
    joined: dict[tuple[str, str], Fact] = {}
    for fact in (fact for scanned in scans for fact in scanned.facts()):
        key = fact.kind, fact.column
        before = joined.get(key)
        joined[key] = fact if before is None else Fact(*key, before.count + fact.count, before.example)
    return list(joined.values())
