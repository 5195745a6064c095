"""Bars: one bar per item in one period, the base's tick, a lane of marks and growth. Result -> plain data."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from logochron.core.days import to_days
from logochron.core.errors import QuestionError
from logochron.core.options import Marked, check
from logochron.core.questions.compare import Comparison
from logochron.views.figures.common import measure_of, sentence
from logochron.views.formats import Formats, shortened
from logochron.views.marks import Marks, marks_of
from logochron.views.tables.item_rows import rows_of
from logochron.views.words.titles import against_words, axis_words, figure_footnote, period_label, subject, unit

#: Inches for a bar at least, and for what stands above and below the bars.
_BAR, _AROUND = 0.2, 1.9
#: More panels side by side leave no room for bars.
MOST_PANELS = 6


@dataclass(frozen=True)
class LaneEntry:
    """What stands in the lane beside one bar; empty where the lane leaves it out."""

    mark: str
    growth: str
    verdict: str


@dataclass(frozen=True)
class BarsPanel:
    """One panel: lengths and base ticks by item from the top, NaN where the panel has no such item."""

    heading: str
    values: NDArray[np.float64]
    bases: NDArray[np.float64]
    lane: tuple[LaneEntry, ...]


@dataclass(frozen=True)
class BarsSpec:
    """The whole figure as plain data; all panels share `labels`."""

    title: str
    subtitle: str
    axis: str
    value_name: str
    base_name: str
    pale: bool
    labels: tuple[str, ...]
    panels: tuple[BarsPanel, ...]
    has_lane: bool
    marks_after: bool
    footnote: str
    empty: str = ""


def bars_spec(
    result: Comparison,
    *,
    measure: str | None = None,
    at: str | None = None,
    panels: str | None = None,
    marked: Marked = "all",
    height: float = 8.0,
    formats: Formats | None = None,
    drawable: Callable[[str], bool] | None = None,
) -> BarsSpec:
    """What `bars` draws of one period: the last, or the one that `at` names.

    Raises
    ------
    QuestionError
        Where the result is not split by items, or `at`, `panels` or `marked` names nothing in it.
    """
    formats = formats or Formats()
    check("marked", marked, Marked)
    if not result.by:
        raise QuestionError("`bars` draws one bar per item: compare with by= (--by)")
    if panels is not None and (panels not in result.by or len(result.by) < 2):
        raise QuestionError(
            f"`panels` must be one of two or more dimensions of the result ({', '.join(result.by)}); got {panels!r}"
        )
    asked = measure_of(result, measure)
    marks = marks_of(result.judgings[asked.name], formats, drawable)
    period = result.place(at)
    table = _rows_of(rows_of(result, result.columns, asked), period)
    total = _rows_of(rows_of(result, result.total_columns, asked), period)
    inner = [name for name in result.by if name != panels]
    names = np.array(
        [" / ".join(shortened(str(table[d][i])) for d in inner) for i in range(len(table["value"]))], dtype=object
    )
    groups = (
        np.array([str(label) for label in table[panels]], dtype=object) if panels else np.full(len(names), "", object)
    )
    labels = _by_size(names, table["value"])
    in_panels = _by_size(groups, table["value"]) if panels else [""]
    if len(in_panels) > MOST_PANELS:
        raise QuestionError(
            f"`panels` has room for {MOST_PANELS} panels; {panels} has {len(in_panels)} items: choose some by where="
        )
    room = max(int((height - _AROUND) / _BAR), 1)
    shown = labels[:room]
    made = tuple(
        _panel(
            shortened(group) if panels else "",
            shown,
            _rows_where(table, groups == group),
            names[groups == group],
            marked,
            formats,
            marks,
        )
        for group in in_panels
    )
    status = str(total["status"][0]) if len(total["status"]) else "complete"
    left_out = f"{formats.dot}the {len(shown)} largest of {len(labels):,}" if len(labels) > len(shown) else ""
    heading = None
    if len(total["value"]):
        start, end = (int(to_days(total[name][0])) for name in ("start", "end"))
        heading = period_label(result, result.periods[period], status, start, end, formats)
    return BarsSpec(
        title=subject(result, asked, split=True, period=heading),
        subtitle=(sentence(result, total, formats, unit(asked, formats), together=True) if len(labels) else "")
        + left_out,
        axis=axis_words(asked, formats),
        value_name={"to-date": "to date", "partial": "partly covered"}.get(status, "whole period"),
        base_name=against_words(result),
        pale=status != "complete",
        labels=tuple(shown),
        panels=made,
        has_lane=marked != "none",
        marks_after=marks.after,
        footnote=figure_footnote(result, formats),
        empty="" if len(labels) else "Nothing to draw: no item has records in this period or its base",
    )


def _rows_where(table: dict[str, NDArray[Any]], rows: NDArray[np.bool_]) -> dict[str, NDArray[Any]]:
    return {name: values[rows] for name, values in table.items()}


def _rows_of(table: dict[str, NDArray[Any]], period: int) -> dict[str, NDArray[Any]]:
    return _rows_where(table, table["period"] == period)


def _by_size(labels: NDArray[Any], values: NDArray[np.float64]) -> list[str]:
    """The distinct labels, largest sum first, ties by label."""
    known, codes = np.unique(labels.astype(str), return_inverse=True)
    sums = np.bincount(codes, np.nan_to_num(values), minlength=len(known))
    return [str(known[i]) for i in np.lexsort((known, -sums))]


def _panel(
    heading: str,
    labels: list[str],
    rows: dict[str, NDArray[Any]],
    names: NDArray[Any],
    marked: Marked,
    formats: Formats,
    marks: Marks,
) -> BarsPanel:
    place = {name: i for i, name in enumerate(names)}
    at = [place.get(label) for label in labels]

    def pick(column: str) -> NDArray[np.float64]:
        return np.array([np.nan if i is None else rows[column][i] for i in at], dtype=float)

    entries = []
    for i in at:
        shown = i is not None and (marked == "all" or (marked == "adverse" and rows["verdict"][i] == "adverse"))
        entries.append(
            LaneEntry(
                marks.sign(rows["direction"][i], rows["verdict"][i], rows["band"][i]),
                _moved(rows, i, formats),
                str(rows["verdict"][i]),
            )
            if shown and i is not None
            else LaneEntry("", "", "unknown")
        )
    return BarsPanel(heading, pick("value"), pick("base"), tuple(entries))


def _moved(rows: dict[str, NDArray[Any]], i: int, formats: Formats) -> str:
    """The growth; where there is none, the note that says why in a word."""
    if np.isfinite(rows["growth"][i]):
        return formats.growth(rows["growth"][i])
    first = rows["notes"][i][0].code if rows["notes"][i] else ""
    return {"new": "new", "none in base": "from 0", "none in both": "none"}.get(first, formats.dash)
