"""Columns: one column per period, the base as a short tick across it."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from logochron.core.book.measures import Measure
from logochron.core.check_kinds import kinds_checked
from logochron.core.days import to_days
from logochron.core.errors import QuestionError
from logochron.core.questions.compare import Comparison
from logochron.views.figures.common import (
    Item,
    item_labels,
    item_words,
    measure_of,
    role_of,
    sentence,
    unlike_weeks,
)
from logochron.views.figures.layout import ABOVE, LINE, PanelRow, amounts_axis, crowd
from logochron.views.figures.scene import (
    Axis,
    Bars,
    Canvas,
    Captions,
    Entry,
    Layer,
    Panel,
    Path,
    Scene,
    Text,
    Ticks,
)
from logochron.views.formats import Formats, shortened
from logochron.views.marks import Marks, marks_of
from logochron.views.tables.item_rows import Table, rows_of
from logochron.views.words.titles import against_words, axis_words, figure_footnote, short_day, subject, unit

#: Lines of an axis label, and the verdict of each (None: ink).
LabelLines = tuple[tuple[str, str | None], ...]
_HALF = 0.31


@kinds_checked
def columns(
    result: Comparison, canvas: Canvas, *, measure: str | None = None, item: Item = None, panels: str | None = None
) -> Scene:
    """One column per period, the base as a short tick across it, mark and growth below.

    Parameters
    ----------
    result
        From `compare`.
    panels
        The dimension whose items get a small panel each, on shared axes.

    Raises
    ------
    QuestionError
        Where an item or dimension is not in the result, or the periods are too many for one picture.

    Examples
    --------
    >>> import logochron as lc
    >>> months = lc.compare(lc.demo.book(), each="month", last=13)
    >>> lc.draw.columns(months).axes[0].get_ylabel()
    'EUR'
    """
    formats = canvas.formats
    asked = measure_of(result, measure)
    marks = marks_of(result.judgings[asked.name], formats, canvas.drawable)
    parts = _parts(result, asked, item, panels)
    grid = PanelRow.fitting(len(parts), canvas.width)
    labels = [_labels(result, table, grid.panel_width, formats, marks) for _, table in parts]
    whole = rows_of(result, result.total_columns, asked) if panels else parts[0][1]
    drawn = any(np.isfinite(table["value"]).any() for _, table in parts)
    amounts = [table[name] for _, table in parts for name in ("value", "base")]
    axis = amounts_axis(amounts, formats, axis_words(asked, formats))
    above = ABOVE if len(parts) == 1 else 1.5
    made = []
    for place, ((name, table), lines) in enumerate(zip(parts, labels)):
        first = place % grid.columns == 0
        n = len(table["value"])
        made.append(
            Panel(
                x=Axis("position", -0.6, n - 0.4),
                y=axis if first else Axis("number", axis.low, axis.high, axis.ticks, gridlines=True, labeled=False),
                layers=(*_layers(table), _below(lines)),
                box=grid.box(place, canvas.room, above),
                heading=name,
            )
        )
    return Scene(
        title=subject(result, asked, split=bool(panels), item=item_words(item)),
        subtitle=sentence(result, whole, formats, unit(asked, formats), together=bool(panels)) if drawn else "",
        footnote=figure_footnote(result, formats),
        size=canvas.room,
        panels=tuple(made),
        legend=_legend(result, [table for _, table in parts]),
        empty="" if drawn else "Nothing to draw: no period holds recorded days",
    )


def _layers(table: Table) -> tuple[Layer, ...]:
    """Columns, whole ones dark, others pale with a solid top; the base's ticks; the line at 0."""
    values, bases, pale = table["value"], table["base"], table["status"] != "complete"
    places = np.arange(len(values), dtype=float)

    def bars(of: NDArray[np.bool_], *, pale: bool) -> Bars:
        at, high = places[of], values[of]
        return Bars(at - _HALF, at + _HALF, np.zeros(len(at)), high, pale=pale)

    drawn, based = np.isfinite(values), np.isfinite(bases)
    part = drawn & pale
    return (
        bars(drawn & ~pale, pale=False),
        bars(part, pale=True),
        Ticks(places[part], values[part], _HALF, role="current", weight=2.2),
        Ticks(places[based], bases[based], 0.42, halo=True),
        Path(np.array([-0.6, len(values) - 0.4]), np.zeros(2), role="level", weight=0.8),
    )


def _below(labels: list[LabelLines]) -> Captions:
    """The lines of the axis labels, below the frame."""
    return Captions(
        tuple(
            Text(
                float(place),
                0.0,
                text,
                role="ink" if verdict is None else role_of(verdict),
                dy=-6 - i * LINE,
                upright="top",
                frame="y",
            )
            for place, lines in enumerate(labels)
            for i, (text, verdict) in enumerate(lines)
        )
    )


def _legend(result: Comparison, tables: list[Table]) -> tuple[Entry, ...]:
    statuses = {str(status) for table in tables for status in table["status"]}
    pale = " or ".join(
        name for status, name in (("partial", "partly covered"), ("to-date", "to date")) if status in statuses
    )
    entries = [Entry("bar", "whole period", "current")]
    if pale:
        entries.append(Entry("bar", pale, "current", pale=True))
    if any(np.isfinite(table["base"]).any() for table in tables):
        entries.append(Entry("tick", against_words(result), "base", weight=2.6))
    return tuple(entries)


def _parts(result: Comparison, measure: Measure, item: Item, panels: str | None) -> list[tuple[str, Table]]:
    """The rows of each panel, with its heading."""
    if item is not None and panels is not None:
        raise QuestionError("`item` and `panels` cannot go together: `panels` draws every item")
    if item is None and panels is None:
        return [("", rows_of(result, result.total_columns, measure))]
    table = rows_of(result, result.columns, measure)
    if item is not None:
        rows = np.ones(len(table["measure"]), dtype=bool)
        for name, label in zip(result.by, item_labels(result, item)):
            rows &= table[name] == label
        return [("", {name: values[rows] for name, values in table.items()})]
    if panels is None or result.by != (panels,):
        raise QuestionError(
            f"`panels` must be the dimension the result is split by, {', '.join(result.by) or 'none'}; got {panels!r}"
        )
    labels = sorted(set(table[panels].tolist()))
    latest = {label: np.nan_to_num(table["value"][table[panels] == label][-1:]).sum() for label in labels}
    labels.sort(key=lambda label: -latest[label])
    if len(labels) > PanelRow.MOST:
        raise QuestionError(
            f"`panels` has room for {PanelRow.MOST} items; {panels} has {len(labels)}: choose some by where="
        )
    return [(shortened(label), {name: v[table[panels] == label] for name, v in table.items()}) for label in labels]


def _labels(result: Comparison, columns: Table, width: float, formats: Formats, marks: Marks) -> list[LabelLines]:
    """The lines below each column: period, mark and growth, and what else is to be known of it."""
    n = len(columns["period"])
    labels = [result.periods[int(code)] for code in columns["period"]]
    growths = [formats.growth(growth) for growth in columns["growth"]]
    signs = [marks.sign(*judged) for judged in zip(columns["direction"], columns["verdict"], columns["band"])]
    unlike = [f"{w[0]} : {w[1]} weeks" if (w := unlike_weeks(note)) else "" for note in columns["notes"]]
    longest = max((len(text) for text in (*labels, *unlike)), default=1)
    longest_growth = max((len(g) for g in growths), default=1)
    step, stacked = crowd(n, width, longest, longest_growth + 1 + marks.width, max(longest_growth, marks.width))
    lines: list[LabelLines] = []
    for i in range(n):
        # counted from the last, so that the newest period keeps its label
        if (n - 1 - i) % step:
            lines.append(())
            continue
        verdict = str(columns["verdict"][i])
        judged: LabelLines = (
            ((signs[i], verdict), (growths[i], verdict))
            if stacked
            else ((marks.beside(signs[i], growths[i]), verdict),)
        )
        start, end = (int(to_days(columns[name][i])) for name in ("start", "end"))
        status = columns["status"][i]
        extra: LabelLines = ()
        if status == "to-date":
            extra = ((f"to {short_day(result, end, formats)}", None),)
        elif status == "partial" and np.isfinite(columns["value"][i]):
            extra = ((f"from {short_day(result, start, formats)}", None),)
        if unlike[i]:
            extra += ((unlike[i], None),)
        lines.append(((labels[i], None), *judged, *extra))
    return lines
