"""Running totals as tables for people: the standing today, then the last positions."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.book.measures import Measure
from logochron.core.choices import DIRECTIONS, VERDICTS
from logochron.core.questions.pace import Pace
from logochron.views.catalog import ordinal
from logochron.views.decimals import fitting_decimals
from logochron.views.formats import Formats, capital, noun, shortened, words
from logochron.views.marks import marks_of
from logochron.views.tables.cells import ALL, Cell, Row, RowSource, Shown, TableColumn, TableSpec
from logochron.views.tables.item_rows import figure_texts, growth_or_level
from logochron.views.words.question_words import RUNNING_TOTAL, pace_label, pace_when, ranks_of, standing_sentence
from logochron.views.words.titles import against_words, base_heading, column_words, coverage_line, subject, unit
from logochron.views.words.told import all_told

#: So many positions up to today are shown.
_POSITIONS = 7
_FIGURES = ("running", "base", "gap", "growth")


class _Line(NamedTuple):
    """A row to come: its labels, and its running total, base, gap and growth."""

    named: Mapping[str, Cell]
    figures: NDArray[np.float64]
    total: bool = False
    source: RowSource | None = None


def pace_tables(result: Pace, formats: Formats, shown: Shown = ALL) -> list[TableSpec]:
    """Of each measure the standing of each period at today's position, or of each item in the last; last positions."""
    make, tables = _by_item if result.by else _by_period, []
    for measure in result.measures:
        tables.append(make(result, measure, formats, shown))
        if shown.excerpts and len(result.positions.numbers) > 1:
            tables.append(_positions(result, measure, formats))
    return tables


def _by_period(result: Pace, measure: Measure, formats: Formats, shown: Shown) -> TableSpec:
    """Each period at today's position, with its rank."""
    figures, ranks = _figures(result, measure)[:, result.positions.today], ranks_of(result, measure)
    first = max(len(result.periods) - (shown.periods or len(result.periods)), 0)
    lines = [
        _Line(
            {
                "period": Cell("period", pace_label(result, place, formats)),
                "rank": Cell("count", ordinal(ranks[place], formats.language) if place in ranks else ""),
            },
            figures[place],
            source=RowSource({"period": np.arange(len(result.periods))}, place),
        )
        for place in range(first, len(result.periods))
    ]
    return _table(
        result,
        measure,
        formats,
        [TableColumn("period", column_words("period", formats), "period", firm=True)],
        lines,
        [TableColumn("rank", column_words("rank", formats), "count")],
    )


def _by_item(result: Pace, measure: Measure, formats: Formats, shown: Shown) -> TableSpec:
    """Each item in the last period at today's position."""
    block = result.of_measure(result.columns, measure).blocks[0]
    row = result.place()
    order, columns = block.shown(row), block.period(row)
    figures = np.stack([columns[name] for name in _FIGURES], axis=1)
    label = pace_when(result, len(result.periods) - 1, formats)
    items = [TableColumn(f"dim:{name}", capital(noun(name, formats.language)), "item") for name in result.by]
    lines = [
        _Line(
            {
                column.name: Cell("item", shortened(str(block.columns[name][0][item])))
                for column, name in zip(items, result.by)
            },
            figures[item],
            source=RowSource(columns, item),
        )
        for item in order[: shown.rows].tolist()
    ]
    total = _figures(result, measure)[-1, result.positions.today]
    whole = RowSource(result.of_measure(result.total_columns, measure).blocks[0].period(row), 0)
    named = {items[0].name: Cell("item", formats.say("Total"))}
    lines.append(_Line(named, total, total=True, source=whole))
    return _table(result, measure, formats, items, lines, [], period=label)


def _positions(result: Pace, measure: Measure, formats: Formats) -> TableSpec:
    """The last positions up to today, all items together."""
    figures = _figures(result, measure)[-1]
    last = result.positions.today
    days, numbers = result.days[-1].tolist(), result.positions.numbers.tolist()
    lines = [
        _Line(
            {
                "position": Cell("count", formats.number(numbers[place], 0)),
                "day": Cell("day", f"{formats.weekday(days[place])} {formats.day(days[place])}"),
            },
            figures[place],
        )
        for place in range(max(last - _POSITIONS + 1, 0), last + 1)
    ]
    first = [
        TableColumn("position", column_words("position", formats), "count"),
        TableColumn("day", column_words("day", formats), "day", firm=True),
    ]
    table = _table(result, measure, formats, first, lines, [])
    many = formats.number(len(numbers), 0)
    rest = formats.say("{n} positions in all: --out FILE.csv has them", n=many)
    title = formats.say("The last positions of {period}", period=result.periods[-1])
    together = ", " + formats.say("all together") if result.by else ""
    return replace(table, title=title + together, unit="", lines=(rest,), excerpt=True)


def _table(
    result: Pace,
    measure: Measure,
    formats: Formats,
    first: list[TableColumn],
    lines: list[_Line],
    last: list[TableColumn],
    period: str | None = None,
) -> TableSpec:
    """A table of running totals, with what stands before and behind the figures."""
    marks, planned = marks_of(result.judgings[measure.name], formats), result.plan is not None
    figures = np.stack([line.figures for line in lines])
    decimals = formats.decimals
    if decimals is None:
        decimals = fitting_decimals(figures[:, :2].ravel(), figures[:, 2], result.book.decimals(measure.name))
    directions, verdicts = result.directions(measure, figures[:, 0], figures[:, 1])
    columns = [
        TableColumn("running", capital(words(measure.name)), "amount", decimals=decimals),
        TableColumn("base", base_heading(result, formats), "amount", decimals=decimals),
        TableColumn("gap", column_words("gap", formats, planned=planned), "difference", decimals=decimals),
        TableColumn("growth", column_words("growth", formats, planned=planned), "change", marked=True),
    ]
    texts = [figure_texts(column.kind, figures[:, n], formats, decimals) for n, column in enumerate(columns)]
    rows = []
    for n, line in enumerate(lines):
        direction, verdict = DIRECTIONS[directions[n]], VERDICTS[verdicts[n]]
        columns_of_cells = {
            column.name: Cell(column.kind, text[n], float(figure))
            for column, text, figure in zip(columns, texts, line.figures)
        }
        growth = columns_of_cells["growth"]._replace(
            text=growth_or_level(float(line.figures[3]), direction, formats),
            mark=marks.sign(direction, verdict),
            verdict=verdict,
        )
        rows.append(Row({**line.named, **columns_of_cells, "growth": growth}, line.total, source=line.source))
    title = subject(result, measure, formats, split=bool(result.by), pattern=RUNNING_TOTAL, when=period)
    return TableSpec(
        title=f"{title}{formats.dot}against {against_words(result, formats)}{formats.dot}{_at(result, formats)}",
        unit=unit(measure, formats),
        columns=(*first, *columns, *last),
        rows=tuple(rows),
        lines=(
            standing_sentence(result, measure, (), formats),
            *all_told(result.notes, formats),
            coverage_line(result, formats),
        ),
        marks_after=marks.after,
        marks_width=marks.width,
    )


def _at(result: Pace, formats: Formats) -> str:
    """At which position the report date stands."""
    numbers = (formats.number(n, 0) for n in (result.today, result.positions.many))
    return formats.say("position {n} of {many}", **dict(zip(("n", "many"), numbers)))


def _figures(result: Pace, measure: Measure) -> NDArray[np.float64]:
    """Running total, base, gap and growth of all items together, shape (periods, positions, 4)."""
    return np.stack([result.lines(name, measure) for name in _FIGURES], axis=-1)
