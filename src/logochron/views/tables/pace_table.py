"""Running totals as tables for people: the standing today, then the last positions."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.book.measures import Measure
from logochron.core.options import DIRECTIONS, VERDICTS
from logochron.core.questions.pace import Pace
from logochron.views.catalog import everything, ordinal
from logochron.views.decimals import fitting_decimals
from logochron.views.formats import Formats, capital, shortened, words
from logochron.views.marks import marks_of
from logochron.views.tables.item_rows import growth_or_level
from logochron.views.tables.spec import ALL, Row, RowSource, Shown, TableSpec
from logochron.views.words.standing import RUNNING_TOTAL, pace_label, pace_when, ranks_of, standing_sentence
from logochron.views.words.titles import against_words, base_heading, column_words, coverage_line, subject, unit

#: So many positions up to today are shown.
_POSITIONS = 7


class _Line(NamedTuple):
    """A row to come: its labels, and its running total, base, gap and growth."""

    named: Mapping[str, str]
    figures: NDArray[np.float64]
    total: bool = False
    source: RowSource | None = None


def pace_specs(result: Pace, measure: Measure, formats: Formats, shown: Shown = ALL) -> list[TableSpec]:
    """The standing of each period at today's position, or of each item in the last one; and the last positions."""
    make = _by_item if result.by else _by_period
    return [make(result, measure, formats, shown), _positions(result, measure, formats)]


def _by_period(result: Pace, measure: Measure, formats: Formats, shown: Shown) -> TableSpec:
    """Each period at today's position, with its rank."""
    figures, ranks = _figures(result, measure)[:, result.positions.today], ranks_of(result, measure)
    first = max(len(result.periods) - (shown.periods or len(result.periods)), 0)
    lines = [
        _Line(
            {
                "period": pace_label(result, place, formats),
                "rank": ordinal(ranks[place], formats.language) if place in ranks else "",
            },
            figures[place],
            source=RowSource({"period": np.arange(len(result.periods))}, place),
        )
        for place in range(first, len(result.periods))
    ]
    spec = _spec(
        result,
        measure,
        formats,
        {"period": column_words("period", formats)},
        lines,
        {"rank": column_words("rank", formats)},
    )
    said = standing_sentence(result, measure, (), formats)
    return replace(spec, lines=(said, *result.notes, coverage_line(result, formats)))


def _by_item(result: Pace, measure: Measure, formats: Formats, shown: Shown) -> TableSpec:
    """Each item in the last period at today's position."""
    block = result.of_measure(result.columns, measure).blocks[0]
    row = result.place()
    order, columns = block.shown(row), block.period(row)
    figures = np.stack([columns[name] for name in ("running", "base", "gap", "growth")], axis=1)
    label = pace_when(result, len(result.periods) - 1, formats)
    headings = {f"dim:{name}": capital(words(name)) for name in result.by}
    lines = [
        _Line(
            {f"dim:{name}": shortened(str(block.columns[name][0][item])) for name in result.by},
            figures[item],
            source=RowSource(columns, item),
        )
        for item in order[: shown.rows].tolist()
    ]
    total = _figures(result, measure)[-1, result.positions.today]
    whole = RowSource(result.of_measure(result.total_columns, measure).blocks[0].period(row), 0)
    named = {f"dim:{result.by[0]}": everything(words(result.by[0]), formats.language)}
    lines.append(_Line(named, total, total=True, source=whole))
    spec = _spec(result, measure, formats, headings, lines, {}, period=label)
    said = standing_sentence(result, measure, (), formats)
    return replace(spec, lines=(said, *result.notes, coverage_line(result, formats)))


def _positions(result: Pace, measure: Measure, formats: Formats) -> TableSpec:
    """The last positions up to today, all items together."""
    figures = _figures(result, measure)[-1]
    last = result.positions.today
    first = max(last - _POSITIONS + 1, 0)
    days = result.days[-1]
    lines = [
        _Line({"position": formats.number(int(result.positions.numbers[place]), 0),
               "day": f"{formats.weekday(int(days[place]))} {formats.day(int(days[place]))}"}, figures[place])
        for place in range(first, last + 1)
    ]  # fmt: skip
    headings = {name: column_words(name, formats) for name in ("position", "day")}
    spec = _spec(result, measure, formats, headings, lines, {})
    many = formats.number(len(result.positions.numbers), 0)
    rest = formats.say("{n} positions in all: --out FILE.csv has them", n=many)
    title = formats.say("The last positions of {period}", period=result.periods[-1])
    together = ", " + formats.say("all together") if result.by else ""
    return replace(spec, title=title + together, unit="", lines=(rest,))


def _spec(
    result: Pace,
    measure: Measure,
    formats: Formats,
    first: Mapping[str, str],
    lines: list[_Line],
    last: Mapping[str, str],
    period: str | None = None,
) -> TableSpec:
    """A table of running totals, with what stands before and behind the figures."""
    marks, planned = marks_of(result.judgings[measure.name], formats), result.plan is not None
    figures = np.stack([line.figures for line in lines])
    decimals = formats.decimals
    if decimals is None:
        decimals = fitting_decimals(figures[:, :2].ravel(), figures[:, 2], result.book.decimals(measure.name))
    directions, verdicts = result.directions(measure, figures[:, 0], figures[:, 1])
    judged = [(DIRECTIONS[d], VERDICTS[v]) for d, v in zip(directions.tolist(), verdicts.tolist())]
    moved = [growth_or_level(line.figures[3], of, formats) for line, (of, _) in zip(lines, judged)]
    width = max(map(len, moved), default=1)
    rows = []
    for line, text, (of, verdict) in zip(lines, moved, judged):
        running, base, gap, _ = line.figures.tolist()
        cells = {
            **line.named,
            "value": formats.number(running, decimals),
            "base": formats.number(base, decimals),
            "change": formats.number(gap, decimals, signed=True),
            "growth": marks.cell(marks.sign(of, verdict), text, width),
        }
        named = dict(zip(("value", "base", "change", "growth"), line.figures.tolist()))
        rows.append(Row(cells, verdict, line.total, figures=named, source=line.source))
    title = subject(result, measure, formats, split=bool(result.by), told=RUNNING_TOTAL, when=period)
    return TableSpec(
        title=f"{title}{formats.dot}against {against_words(result, formats)}{formats.dot}{_at(result, formats)}",
        unit=unit(measure, formats),
        headings={
            **first,
            "value": capital(words(measure.name)),
            "base": base_heading(result, formats),
            "change": column_words("gap", formats, planned=planned),
            "growth": column_words("growth", formats, planned=planned),
            **last,
        },
        numeric=frozenset({"value", "base", "change", "growth", "rank", "position"}),
        rows=tuple(rows),
        marks_after=marks.after,
        lines=(),
        firm=frozenset({"period", "position", "day"}),
    )


def _at(result: Pace, formats: Formats) -> str:
    """At which position the report date stands."""
    numbers = (formats.number(n, 0) for n in (result.today, int(result.positions.numbers[-1])))
    return formats.say("position {n} of {many}", **dict(zip(("n", "many"), numbers)))


def _figures(result: Pace, measure: Measure) -> NDArray[np.float64]:
    """Running total, base, gap and growth of all items together, shape (periods, positions, 4)."""
    return np.stack([result.lines(name, measure) for name in ("running", "base", "gap", "growth")], axis=-1)
