"""Columns: one column per period, the base as a short tick across it. Result -> plain data."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from logochron.core.book.measures import Measure
from logochron.core.days import to_days
from logochron.core.errors import QuestionError, no_such
from logochron.core.questions.compare import Comparison
from logochron.views.figures.common import PanelRow, crowd, measure_of, sentence, unlike_weeks
from logochron.views.formats import Formats, shortened
from logochron.views.marks import Marks, marks_of
from logochron.views.tables.item_rows import rows_of
from logochron.views.words.titles import against_words, axis_words, figure_footnote, short_day, subject, unit

#: Lines of an axis label, and the verdict of each (None: ink).
LabelLines = tuple[tuple[str, str | None], ...]


@dataclass(frozen=True)
class ColumnsPanel:
    """One panel: positions 0..n-1, heights, base ticks, which columns are pale (not whole), label lines."""

    heading: str
    values: NDArray[np.float64]
    bases: NDArray[np.float64]
    pale: NDArray[np.bool_]
    labels: tuple[LabelLines, ...]


@dataclass(frozen=True)
class ColumnsSpec:
    """The whole figure as plain data. `empty` is said instead of panels where there is nothing to draw."""

    title: str
    subtitle: str
    axis: str
    value_name: str
    base_name: str
    pale_name: str
    panels: tuple[ColumnsPanel, ...]
    grid: PanelRow
    footnote: str
    empty: str = ""


def columns_spec(
    result: Comparison,
    *,
    measure: str | None = None,
    item: str | tuple[str, ...] | None = None,
    panels: str | None = None,
    width: float = 12.8,
    formats: Formats | None = None,
    drawable: Callable[[str], bool] | None = None,
) -> ColumnsSpec:
    """What `columns` draws: the total, one item, or a panel for each item of a dimension.

    Raises
    ------
    QuestionError
        Where the item or dimension is not in the result, or the periods are too many for one picture.
    """
    formats = formats or Formats()
    asked = measure_of(result, measure)
    marks = marks_of(result.judgings[asked.name], formats, drawable)
    parts = _parts(result, asked, item, panels)
    grid = PanelRow.fitting(len(parts), width)
    made = tuple(_panel(result, columns, name, grid.panel_width, formats, marks) for name, columns in parts)
    whole = rows_of(result, result.total_columns, asked) if panels else parts[0][1]
    empty = "" if any(np.isfinite(p.values).any() for p in made) else "Nothing to draw: no period holds recorded days"
    statuses = {str(s) for _, columns in parts for s in columns["status"]}
    return ColumnsSpec(
        title=subject(result, asked, split=bool(panels), item=_item_words(item)),
        subtitle="" if empty else sentence(result, whole, formats, unit(asked, formats), together=bool(panels)),
        axis=axis_words(asked, formats),
        value_name="whole period",
        base_name=against_words(result),
        pale_name=" or ".join(
            name for status, name in (("partial", "partly covered"), ("to-date", "to date")) if status in statuses
        ),
        panels=made,
        grid=grid,
        footnote=figure_footnote(result, formats),
        empty=empty,
    )


def _item_words(item: str | tuple[str, ...] | None) -> str | None:
    if item is None:
        return None
    return shortened(" / ".join((item,) if isinstance(item, str) else item))


def _parts(
    result: Comparison, measure: Measure, item: str | tuple[str, ...] | None, panels: str | None
) -> list[tuple[str, dict[str, NDArray[Any]]]]:
    """The rows of each panel, with its heading."""
    if item is not None and panels is not None:
        raise QuestionError("`item` and `panels` cannot go together: `panels` draws every item")
    if item is None and panels is None:
        return [("", rows_of(result, result.total_columns, measure))]
    table = rows_of(result, result.columns, measure)
    if item is not None:
        wanted = (item,) if isinstance(item, str) else tuple(item)
        if len(wanted) != len(result.by):
            raise QuestionError(f"`item` must name one label for each of by={list(result.by)}; got {item!r}")
        rows = np.ones(len(table["measure"]), dtype=bool)
        for name, label in zip(result.by, wanted):
            known = sorted(set(table[name].tolist()))
            if label not in known:
                raise QuestionError(f"`item`: {no_such('item', label, known, where=name)}")
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


def _panel(
    result: Comparison, columns: dict[str, NDArray[Any]], heading: str, width: float, formats: Formats, marks: Marks
) -> ColumnsPanel:
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
    return ColumnsPanel(heading, columns["value"], columns["base"], columns["status"] != "complete", tuple(lines))
