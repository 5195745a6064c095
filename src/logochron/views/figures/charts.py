"""Figures as charts that office programs draw themselves, as plain data: kinds, categories, series, labels.

Their order, roles and number formats are those of the scenes; what a chart cannot show stays a picture.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from typing import Any, Literal

import numpy as np

from logochron.core.book.measures import Measure
from logochron.core.days import to_days
from logochron.core.questions.compare import Comparison
from logochron.core.questions.drivers import Drivers
from logochron.core.questions.landing.answer import Landing
from logochron.core.questions.pace import Pace
from logochron.core.rows.answer import AlignedAnswer
from logochron.core.rows.figures import Floats
from logochron.views.decimals import fitting_decimals, office_format
from logochron.views.figures.by_item import one_period
from logochron.views.figures.choose import Chosen
from logochron.views.figures.common import measure_of, role_of
from logochron.views.figures.scene import Canvas, Dash, Role
from logochron.views.formats import capital, words
from logochron.views.marks import marks_of
from logochron.views.tables.item_rows import Table, moved_texts, rows_of
from logochron.views.words.question_words import plan_heading
from logochron.views.words.titles import axis_words, base_heading, column_words, short_day

#: ``columns`` and ``bars`` side by side, ``stacked`` bars upon each other, ``lines``.
ChartKind = Literal["columns", "bars", "stacked", "lines"]
#: More items or lines than this are no chart.
_MOST_ITEMS, _MOST_LINES = 20, 8
_MOST_SLOPES = 12
#: From such amounts on an axis needs no decimals.
_WHOLE = 100


@dataclass(frozen=True, kw_only=True)
class Series:
    """One series: its values in the order of the categories, NaN where there is none, and how it looks.

    `labels` stand at its points, each in its role; `roles` are those of points that differ from the series.
    """

    name: str
    values: Floats
    role: Role
    pale: frozenset[int] = frozenset()
    dash: Dash = "solid"
    weight: float = 2.25
    labels: tuple[str, ...] = ()
    label_roles: tuple[Role, ...] = ()
    roles: tuple[Role, ...] = ()
    hidden: bool = False


@dataclass(frozen=True, kw_only=True)
class Chart:
    """One chart; `format` is that of its axis of amounts, `downwards` whether the first category stands on top."""

    kind: ChartKind
    categories: tuple[str, ...]
    series: tuple[Series, ...]
    format: str
    axis: str
    downwards: bool = False


def chart_of(answer: AlignedAnswer, chosen: Chosen, canvas: Canvas) -> Chart | None:
    """The chart that shows what a figure does; None where there is no such."""
    make = _CHARTS.get(chosen.figure.name)
    if make is None or chosen.options.get("panels") is not None or not answer.periods:
        return None
    chart = make(answer, canvas)
    if chart is None or not any(np.isfinite(series.values).any() for series in chart.series):
        return None
    return chart


def number_format(of: Measure, amounts: Floats) -> str:
    """How a workbook or a slide writes amounts of a measure."""
    if of.in_percent:
        return "0.0%"
    whole = float(np.abs(amounts[np.isfinite(amounts)]).max(initial=0.0)) >= _WHOLE
    return office_format(0 if whole else fitting_decimals(amounts, np.zeros(0), None))


def _of_periods(result: Comparison, canvas: Canvas) -> tuple[Measure, Table, tuple[str, ...], Series, Series | None]:
    """The measure, its rows, the periods, the values with mark and growth, and the bases."""
    formats, measure = canvas.formats, measure_of(result, None)
    table = rows_of(result, result.total_columns, measure)
    marks = marks_of(result.judgings[measure.name], formats, canvas.drawable)
    signs = [marks.sign(*one) for one in zip(table["direction"], table["verdict"], table["band"])]
    moved = moved_texts(measure, table, formats)
    value = Series(
        name=capital(words(measure.name)),
        values=table["value"],
        role="current",
        pale=frozenset(np.flatnonzero(table["status"] != "complete").tolist()),
        labels=tuple(marks.beside(sign, text) for sign, text in zip(signs, moved)),
        label_roles=tuple(role_of(str(verdict)) for verdict in table["verdict"]),
    )
    base = Series(name=base_heading(result, formats), values=table["base"], role="base")
    labels = [result.periods[int(code)] for code in table["period"]]
    for place in np.flatnonzero(table["status"] == "to-date").tolist():
        day = short_day(result, int(to_days(table["end"][place])), formats)
        labels[place] += "\n" + formats.say("to {day}", day=day)
    return measure, table, tuple(labels), value, base if np.isfinite(table["base"]).any() else None


def _columns(result: Comparison, canvas: Canvas) -> Chart:
    measure, table, labels, value, base = _of_periods(result, canvas)
    return Chart(
        kind="columns",
        categories=labels,
        series=(value,) if base is None else (value, base),
        format=number_format(measure, table["value"]),
        axis=axis_words(measure, canvas.formats),
    )


def _lines(result: Comparison, canvas: Canvas) -> Chart:
    chart = _columns(result, canvas)
    plain = tuple(replace(series, labels=(), label_roles=()) for series in chart.series)
    return replace(chart, kind="lines", series=plain)


def _trend(result: Comparison, canvas: Canvas) -> Chart:
    """A line whose stretches are colored by verdict."""
    chart = _lines(result, canvas)
    table = rows_of(result, result.total_columns, measure_of(result, None))
    roles = tuple(role_of(str(verdict)) for verdict in table["verdict"])
    return replace(chart, series=(replace(chart.series[0], roles=roles),))


def _bars(result: Comparison, canvas: Canvas) -> Chart | None:
    period = one_period(result, canvas, "bars", None, None, inches=canvas.room[1] / 40)
    if period.many > _MOST_ITEMS:
        period = period._replace(labels=period.labels[:_MOST_ITEMS])
    if not period.labels:
        return None
    (panel,), n = period.panels, len(period.labels)
    rows = panel.rows[:n]
    value = Series(
        name=capital(words(period.measure.name)),
        values=panel.values[:n],
        role="current",
        pale=frozenset(range(n)) if period.pale else frozenset(),
        labels=tuple(period.marks.beside(row.mark, row.growth) for row in rows),
        label_roles=tuple(role_of(row.verdict) for row in rows),
    )
    base = Series(name=base_heading(result, canvas.formats), values=panel.bases[:n], role="base")
    return Chart(
        kind="bars",
        categories=tuple(period.labels),
        series=(value, base) if np.isfinite(base.values).any() else (value,),
        format=number_format(period.measure, panel.values[:n]),
        axis=axis_words(period.measure, canvas.formats),
        downwards=True,
    )


def _slope(result: Comparison, canvas: Canvas) -> Chart | None:
    chart = _bars(result, canvas)
    if chart is None or len(chart.series) < 2 or len(chart.categories) > _MOST_SLOPES:
        return None
    value, base = chart.series
    lines = tuple(
        Series(name=name, values=np.array([base.values[n], value.values[n]]), role=value.label_roles[n],
               labels=("", f"{name} {value.labels[n]}"), label_roles=("ink", value.label_roles[n]))
        for n, name in enumerate(chart.categories)
    )  # fmt: skip
    return replace(chart, kind="lines", categories=(base.name, value.name), series=lines, downwards=False)


def _pace(result: Pace, canvas: Canvas) -> Chart:
    formats, measure = canvas.formats, measure_of(result, None)
    running, base = (result.lines(name, measure, ()) for name in ("running", "base"))
    last = len(result.periods) - 1
    shown = range(max(last + 1 - _MOST_LINES, 0), last + 1)
    lines = [
        Series(name=str(result.periods[place]), values=running[place], role="current" if place == last else "base",
               weight=2.75 if place == last else max(2.0 - 0.3 * (last - place), 0.75))
        for place in shown
    ]  # fmt: skip
    if result.plan is not None and np.isfinite(base[last]).any():
        named = base_heading(result, formats)
        lines.append(Series(name=named, values=base[last], role="level", dash="dashed", weight=1.5))
    return Chart(
        kind="lines",
        categories=tuple(formats.day(int(day), year=False) for day in result.days[last].tolist()),
        series=tuple(lines),
        format=number_format(measure, running[last]),
        axis=axis_words(measure, formats),
    )


def _landing(result: Landing, canvas: Canvas) -> Chart:
    formats, measure = canvas.formats, measure_of(result, None)
    path = result.path(measure, ())
    lines = [
        Series(name=formats.say("to date"), values=path.running, role="current", weight=2.75),
        Series(name=column_words("estimate", formats), values=path.expected, role="estimate", dash="dashed"),
        Series(name=column_words("low", formats), values=path.low, role="estimate", dash="dotted", weight=1.0),
        Series(name=column_words("high", formats), values=path.high, role="estimate", dash="dotted", weight=1.0),
        Series(name=base_heading(result.whole, formats), values=path.base, role="base", weight=1.75),
    ]
    if path.plan is not None and result.whole.plan is None:
        named = plan_heading(result.first_target, formats)
        lines.append(Series(name=named, values=path.plan, role="level", dash="dashed", weight=1.5))
    return Chart(
        kind="lines",
        categories=tuple(formats.day(int(day), year=False) for day in path.days.tolist()),
        series=tuple(line for line in lines if np.isfinite(line.values).any()),
        format=number_format(measure, path.running),
        axis=axis_words(measure, formats),
    )


def _bridge(result: Drivers, canvas: Canvas) -> Chart | None:
    """Base, contributions and value as bars upon an unseen one: only where none of them lies below 0."""
    from logochron.views.figures.bridge import steps_of

    measure = measure_of(result, None)
    total = rows_of(result, result.total_columns, measure)
    base, value = float(total["base"][0]), float(total["value"][0])
    if not (np.isfinite(base) and np.isfinite(value)):
        return None
    steps = steps_of(result, canvas, measure, base, value, _MOST_ITEMS)
    starts, ends = (np.array([base, *(getattr(s, side) for s in steps), value]) for side in ("start", "end"))
    starts[[0, -1]] = 0.0
    ends[0] = base
    if min(starts.min(), ends.min()) < 0:
        return None
    low, size = np.minimum(starts, ends), np.abs(ends - starts)
    roles: list[Role] = ["base", *(role_of(step.verdict) for step in steps), "current"]
    shown = Series(
        name=capital(words(measure.name)),
        values=size,
        role="current",
        roles=tuple(roles),
    )
    named = (f"{s.label}\n{' '.join(filter(None, (s.mark, s.said)))}" for s in steps)  # no label has room beside a bar
    return Chart(
        kind="stacked",
        categories=(base_heading(result, canvas.formats), *named, capital(words(measure.name))),
        series=(Series(name="", values=low, role="paper", hidden=True), shown),
        format=number_format(measure, np.array([base, value])),
        axis=axis_words(measure, canvas.formats),
        downwards=True,
    )


_CHARTS: Mapping[str, Callable[[Any, Canvas], Chart | None]] = {
    "columns": _columns,
    "overlay": _columns,
    "lines": _lines,
    "trend": _trend,
    "bars": _bars,
    "nested": _bars,
    "captioned": _bars,
    "slope": _slope,
    "pace": _pace,
    "landing": _landing,
    "bridge": _bridge,
}
