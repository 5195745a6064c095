"""Wide tables, one column a period, laid out as one row a cell."""

from __future__ import annotations

import csv
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path
from typing import NamedTuple

import numpy as np

from logochron.core.book.intake import FEWER_FIELDS, MORE_FIELDS
from logochron.core.book.record_spans import Standing
from logochron.core.calendars.named_in import fiscal_years_said, ordinal_named
from logochron.core.calendars.written_names import label_of
from logochron.core.choices import PLURALS, Grain, values
from logochron.core.errors import IntakeError, QuestionError, no_such
from logochron.core.said import Said
from logochron.core.total_labels import is_total
from logochron.options import Reading
from logochron.sources.duckdb.connection import Engine, UnsoundRecords
from logochron.sources.duckdb.sql import is_empty, quoted
from logochron.sources.files.find_files import Source
from logochron.sources.files.headers import filled, fold, is_period
from logochron.sources.files.text_prepare import TextFile, fields_of_any_size, prepare
from logochron.sources.files.text_records import Parting, RecordCounts, count_records, has_odd_stretch, walk
from logochron.sources.files.text_scan import text_call
from logochron.sources.files.typed_files import DAY_NUMBER, RowTable, TableLines, TypedTable, as_label
from logochron.sources.rolled_source import PERIOD
from logochron.sources.values.amounts import is_amount, settled
from logochron.sources.values.date_parts import BETWEEN

#: From short to long.
_GRAINS = values(Grain)


class WideColumns(NamedTuple):
    """The columns of a wide table: for each period its first day, those of each measure in the order of the periods
    (-1 where there is none), those of totals, and the others.
    """

    days: list[int]
    measures: dict[str, list[int]]
    totals: list[int]
    others: list[int]


def carry_text(engine: Engine, source: Source, folder: Path, stated: Reading, names: Sequence[str]) -> TypedTable:
    """A text file carried into a table of texts: by the engine where it is plain, else row by row.

    Raises
    ------
    IntakeError
        Where a stray quote seems to swallow lines.
    """
    text = prepare(source, folder, stated, names)
    parting = Parting(text.delimiter, len(text.header), lambda fields: any(map(is_amount, fields)))
    seen = count_records(text.path, parting)
    mends = seen.mends(recode=True)
    if any(mends):
        text = prepare(source, folder, stated, names, mends)
    if seen.unsure:
        seen, _ = walk(text.path, parting, source.name)
    if seen.swallows:
        first = seen.swallows[0]
        raise IntakeError(
            "{0}, line {1:,}: {2!r} - {3}; mend it", source.name, first.line, first.text[:60], first.reason
        )
    if seen.longest == RecordCounts().longest and not has_odd_stretch(text.path, text.delimiter):
        table = _loaded(engine, source, text, seen.records - text.skip)
        if table is not None:
            return table
    rows_table = RowTable(engine, engine.fresh_name("wide"), "line", header=list(text.header))
    width = len(text.header)
    with text.path.open(encoding="utf-8-sig", newline="") as file, fields_of_any_size():
        reader, line = csv.reader(file, delimiter=text.delimiter), 1
        for number, row in enumerate(reader):
            if number >= text.skip:
                if not filled(row):
                    rows_table.blank += 1
                elif len(row) != width:
                    why = FEWER_FIELDS if len(row) < width else MORE_FIELDS
                    rows_table.refuse(line, text.delimiter.join(row), why)
                else:
                    rows_table.add(line, row)
            line = reader.line_num + 1
    return rows_table.table(text.guesses)


def _loaded(engine: Engine, source: Source, text: TextFile, records: int) -> TypedTable | None:
    """A text file of a record a line loaded by the engine; None where it does not give all its records."""
    name, width = engine.fresh_name("wide"), len(text.header)
    try:
        engine.run(f"CREATE TABLE {name} AS FROM {text_call(text, text.path)})", source.name)
    except UnsoundRecords:
        return None
    if engine.rows(f"SELECT count(*) FROM {name}", source.name) != [(records,)]:
        engine.run(f"DROP TABLE {name}", source.name)
        return None
    columns, placed = [f"c{i}" for i in range(width)], f"(SELECT rowid + {text.skip + 1} AS place, * FROM {name})"
    return TypedTable(
        name,
        text.header,
        columns,
        ["VARCHAR"] * width,
        placed=placed,
        lines=TableLines(engine, placed, (), "line"),
        guesses=text.guesses,
        plain=tuple(settled(text.column(i)) for i in range(width)),
    )


def lay_out(
    engine: Engine,
    source: Source,
    table: TypedTable,
    measures: Sequence[str],
    named: Sequence[str],
    standing: Standing,
) -> TypedTable:
    """The cells of a wide table as rows: the named columns, the first day of the period, the amounts.

    Parameters
    ----------
    measures
        What the amounts are called; where periods stand above measures, which of those are wanted.
    named
        The columns that are no periods although they might look so.
    standing
        Of which grain the columns are, in which calendar.

    Raises
    ------
    IntakeError
        Where no column names a period, or two name the same.
    QuestionError
        Where no period has a measure that is wanted.
    """
    columns = _columns(source, table, (measures, named), standing)
    places = list(columns.measures.values())
    texts = {i: f"c{i}::VARCHAR" for i in range(len(table.header))}
    texts |= {i: as_label(f"c{i}", table.types[i]) for i in columns.others}
    renamed = ", ".join(f"{column} AS c{i}" for i, column in enumerate(table.columns))
    base = table.placed or f"(SELECT row_number() OVER () AS place, {renamed} FROM {table.relation})"
    kept = "".join(f", {texts[i]} AS c{i}" for i in columns.others)
    days = [*columns.days, *[0] * len(columns.totals)]
    amounts = [f"v{n}" for n in range(len(places))]

    def one_below_another(of: Sequence[int]) -> str:
        return ", ".join("NULL::VARCHAR" if i < 0 else texts[i] for i in (*of, *columns.totals))

    lists = "".join(f", unnest([{one_below_another(of)}]) AS {amount}" for amount, of in zip(amounts, places))
    # what is the same for a whole row is worked out once a row
    laid = (
        f"SELECT place{kept}, unnest(range({len(days)}))::SMALLINT AS p, "
        f"unnest([{', '.join(map(str, days))}]::INTEGER[]) AS day{lists} FROM {base}"
    )
    aside = f"p >= {len(columns.days)} OR ({' AND '.join(map(is_empty, amounts))})"
    ((many,),) = engine.rows(f"SELECT count(*) FILTER ({aside}) FROM ({laid})", source.name)
    counted = f"(SELECT * FROM ({laid}) WHERE NOT ({aside}))"
    shown = [*(next(of[p] for of in places if of[p] >= 0) for p in range(len(columns.days))), *columns.totals]
    labels, plain = ", ".join(quoted(table.header[i]) for i in shown), table.plain
    lines = table.lines if isinstance(table.lines, TableLines) else TableLines(engine, "", (), "row")
    return TypedTable(
        relation=counted,
        header=[*(table.header[i] for i in columns.others), PERIOD, *columns.measures],
        columns=[*(f"c{i}" for i in columns.others), "day", *amounts],
        types=[*["VARCHAR"] * len(columns.others), DAY_NUMBER, *["VARCHAR"] * len(amounts)],
        lines=replace(lines, table=counted),
        malformed=table.malformed,
        empty=table.empty,
        guesses=(*table.guesses, *_said(source, table, columns, shown[: len(columns.days)], standing)),
        set_aside=int(many),
        plain=(
            *[False] * (len(columns.others) + 1),
            *(any(plain[i] for i in of if i >= 0) if plain else False for of in places),
        ),
        date_text=f"[{labels}][p + 1]",  # made where it is shown: the cells take many times the room of their rows
    )


def _columns(
    source: Source, table: TypedTable, asked: tuple[Sequence[str], Sequence[str]], standing: Standing
) -> WideColumns:
    measures, named = asked
    each, calendar = standing.records_of, standing.calendar
    known = {fold(name) for name in named}
    met: dict[str, dict[int, int]] = {}  # by measure, empty where the header names none, the column of each period
    totals, others = [], []
    for i, name in enumerate(table.header):
        period, _, measure = name.partition(BETWEEN)
        label = None if fold(name) in known else label_of(period, each)
        ordinal = None if fold(name) in known else ordinal_named(period, each, calendar)
        if ordinal is not None:
            before = met.setdefault(measure, {}).setdefault(ordinal, i)
            if before != i:
                one = table.header[before]
                raise IntakeError("{0}: the columns {1!r} and {2!r} name the same {3}", source.name, one, name, each)
        elif is_total(name) or (label and _GRAINS.index(label.grain) > _GRAINS.index(each)):
            totals.append(i)
        else:
            others.append(i)
    if not met:
        raise QuestionError(
            "`periods_in_columns`: no column of {0} names a {1}; expected headers such as "
            "2026-05, May 2026, Q2 2026 or 2025; there are: {2}",
            source.name,
            Said(each),
            ", ".join(table.header[:12]),
        )
    ordinals = list(dict.fromkeys(ordinal for of in met.values() for ordinal in of))
    days = [int(day) for day in calendar.first_days(each, np.array(ordinals))]
    if list(met) == [""]:
        return WideColumns(days, {measures[0]: list(met[""].values())}, totals, others)
    folded = {fold(measure): measure for measure in met}
    wanted = {}
    for measure in measures:
        if fold(measure) not in folded:
            where = Said("{0}, below its periods,", source.name)
            raise QuestionError("`values`: {0}", no_such("measure", measure, filter(None, met), where=where))
        wanted[measure] = [met[folded[fold(measure)]].get(ordinal, -1) for ordinal in ordinals]
    held = [p for p in range(len(ordinals)) if any(of[p] >= 0 for of in wanted.values())]
    return WideColumns(
        [days[p] for p in held], {measure: [of[p] for p in held] for measure, of in wanted.items()}, totals, others
    )


def measures_below(names: Sequence[str]) -> list[str]:
    """The measures that headers of periods name, as in ``2025 / Revenue``; none where they name none."""
    return list(dict.fromkeys(name.partition(BETWEEN)[2] for name in names if BETWEEN in name and is_period(name)))


def _said(
    source: Source, table: TypedTable, columns: WideColumns, shown: Sequence[int], standing: Standing
) -> list[str]:
    names, periods = [table.header[i].partition(BETWEEN)[0] for i in shown], PLURALS[standing.records_of]
    said: list[str] = [
        Said("{0}: {1:,} columns taken for {2}, {3} to {4}", source.name, len(names), periods, names[0], names[-1])
    ]
    said += fiscal_years_said(names[0], standing.calendar)
    if columns.totals:
        totals = ", ".join(repr(table.header[i]) for i in columns.totals)
        said.append(Said("{0}: left out as totals: column {1}", source.name, totals))
    return said
