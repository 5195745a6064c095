"""Figures with periods side by side: the rows of each panel, the labels below, what all of them say alike."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import NamedTuple

import numpy as np

from logochron.core.book.measures import Measure
from logochron.core.choices import OTHERS, PanelScale, check
from logochron.core.days import to_days
from logochron.core.errors import QuestionError, brief
from logochron.core.questions.compare import Comparison
from logochron.views.catalog import message
from logochron.views.figures.common import (
    STATUS_WORDS,
    Item,
    RowDetails,
    item_labels,
    item_words,
    measure_of,
    role_of,
    sentence,
    unlike_weeks,
)
from logochron.views.figures.layout import ABOVE, LINE, PanelRow, amounts_axis, crowd, thinned, uncrowded
from logochron.views.figures.scene import (
    Axis,
    Box,
    Canvas,
    Captions,
    Details,
    Entry,
    Layer,
    Panel,
    Path,
    Scene,
    Seen,
    Text,
    Tick,
)
from logochron.views.formats import Formats
from logochron.views.marks import Marks, marks_of
from logochron.views.tables.item_rows import Table, moved_texts, rows_of
from logochron.views.words.movement import names_apart
from logochron.views.words.titles import against_words, axis_words, figure_footnote, short_day, subject, unit

#: Lines of an axis label, and the verdict of each (None: ink).
LabelLines = tuple[tuple[str, str | None], ...]
#: What a figure draws of the rows of one panel.
Drawing = Callable[[Table], tuple[Layer, ...]]
#: Inches between panels that have scales of their own.
_OWN_SCALES = 0.85
_EMPTY = message("Nothing to draw: no period holds recorded days")


class PeriodLook(NamedTuple):
    """How a figure by period looks: what it draws of each panel, its legend, and whether growth stands below.

    `bases` are the columns besides the value that its axis of amounts must reach. `marks` stand at places of the rows
    that are seen: which of them depends on the others.
    """

    draws: Drawing
    legend: Callable[[Comparison, Sequence[Table], Formats], tuple[Entry, ...]]
    judged: bool = True
    bases: tuple[str, ...] = ("base",)
    marks: Callable[[Table], tuple[Text, ...]] | None = None


def by_period(
    result: Comparison,
    canvas: Canvas,
    look: PeriodLook,
    measure: str | None,
    item: Item,
    panels: str | None,
    panel_scale: PanelScale = "shared",
) -> Scene:
    """The scene of a figure by period: all items together, one of them, or a panel for each."""
    formats = canvas.formats
    check("panel_scale", panel_scale, PanelScale)
    of_measure = measure_of(result, measure)
    marks = marks_of(result.judgings[of_measure.name], formats, canvas.drawable)
    parts = parts_of(result, of_measure, item, panels)
    own = panel_scale == "own" and len(parts) > 1
    grid = PanelRow.fitting(len(parts), canvas.width, *([_OWN_SCALES] if own else []))
    whole = rows_of(result, result.total_columns, of_measure) if panels else parts[0][1]
    drawn = any(np.isfinite(table["value"]).any() for _, table in parts)
    axes = _axes_of([table for _, table in parts], look, of_measure, own, formats)
    above = ABOVE if len(parts) == 1 else 1.5
    periods = max((len(table["value"]) for _, table in parts), default=0)
    seen = min(canvas.seen or periods, periods)
    wide = grid.panel_width * max(periods, 1) / max(seen, 1)
    if look.judged:
        below = [_judged_labels(result, of_measure, table, wide, formats, marks) for _, table in parts]
    else:
        below = [_plain_labels(result, table, formats) for _, table in parts]
    remark = formats.say("each panel has a scale of its own") if own else ""
    deepest = max((len(one) for lines in below for one in lines), default=1)
    drawn_panels = []
    for place, (name, table) in enumerate(parts):
        first, axis = place % grid.columns == 0, axes[place if own else 0]
        n = len(table["value"])
        ticks = () if look.judged else _period_ticks(result, table, wide, canvas)
        captions = (Captions(look.marks(table)),) if look.marks and canvas.seen is None else ()
        panel = Panel(
            x=Axis("position", -0.6, n - 0.4, ticks),
            y=axis if first or own else replace(axis, words="", labeled=False),
            layers=(*look.draws(table), *captions, _below(below[place]), *_details(result, table, of_measure, canvas)),
            box=Box(0, 0, *canvas.axes) if canvas.axes else grid.box(place, canvas.room, above, deepest),
            heading=name,
        )
        drawn_panels.append(uncrowded(panel, canvas) if captions else panel)
    return Scene(
        title=subject(result, of_measure, formats, split=bool(panels), item=item_words(item)),
        subtitle=sentence(result, whole, formats, unit(of_measure, formats), together=bool(panels))
        if drawn and canvas.seen is None
        else "",
        footnote=formats.dot.join(filter(None, [figure_footnote(result, formats), remark])),
        remark=remark,
        size=canvas.room,
        panels=tuple(drawn_panels),
        legend=look.legend(result, [table for _, table in parts], formats),
        empty="" if drawn else formats.say(_EMPTY),
        seen=tuple(
            _seen(result, [t for _, t in parts], drawn_panels, of_measure, look, end, seen, canvas, own=own)
            for end in canvas.ends
        ),
    )


def _period_ticks(result: Comparison, table: Table, wide: float, canvas: Canvas) -> tuple[Tick, ...]:
    """As many labels of periods as fit."""
    labels = [result.periods[int(code)] for code in table["period"]]
    return thinned(labels, len(labels) + 0.2, wide, canvas)


def _seen(
    result: Comparison,
    tables: Sequence[Table],
    panels: Sequence[Panel],
    measure: Measure,
    look: PeriodLook,
    end: int,
    seen: int,
    canvas: Canvas,
    *,
    own: bool,
) -> Seen:
    """What is seen of so many periods that end with one: their amounts are as large as the axis needs."""
    first, formats = max(end - seen + 1, 0), canvas.formats
    parts = [{name: values[first : end + 1] for name, values in table.items()} for table in tables]
    axes = _axes_of(parts, look, measure, own, formats)
    marks: tuple[Captions, ...] = ()
    if look.marks:
        along = Axis("position", first - 0.5, end + 0.5)
        for table, panel, axis in zip(parts, panels, axes if own else axes * len(parts)):
            texts = tuple(text._replace(x=text.x + first) for text in look.marks(table))
            fitting = uncrowded(replace(panel, x=along, y=axis, layers=(Captions(texts),)), canvas)
            marks += tuple(layer for layer in fitting.layers if isinstance(layer, Captions))
    ticks: tuple[Tick, ...] = ()
    if not look.judged:
        ticks = tuple(
            Tick(one.at + first, one.text) for one in _period_ticks(result, parts[0], panels[0].box.width, canvas)
        )
    return Seen(first - 0.5, end + 0.5, axes, look.legend(result, parts, formats), marks, ticks)


def _axes_of(
    tables: Sequence[Table], look: PeriodLook, measure: Measure, own: bool, formats: Formats
) -> tuple[Axis, ...]:
    """The axis of amounts of all panels together, or one for each."""
    groups = [[table] for table in tables] if own else [tables]
    return tuple(
        amounts_axis(
            [table[name] for table in group for name in ("value", *look.bases)],
            formats,
            axis_words(measure, formats),
            in_percent=measure.in_percent,
        )
        for group in groups
    )


def _details(result: Comparison, table: Table, measure: Measure, canvas: Canvas) -> tuple[Details, ...]:
    """What a pointer shows of each period."""
    if not canvas.detailed:
        return ()
    places = np.arange(len(table["value"]), dtype=float)
    rows = RowDetails(result, measure, canvas).rows(table)
    return (Details(places - 0.5, places + 0.5, rows),)


def zero_line(n: int) -> Path:
    """The line at 0 through so many places."""
    return Path(np.array([-0.6, n - 0.4]), np.zeros(2), role="level", weight=0.8)


def column_legend(tables: Sequence[Table], formats: Formats) -> list[Entry]:
    """What dark and pale columns are."""
    statuses = {str(status) for table in tables for status in table["status"]}
    entries = [Entry("bar", formats.say(STATUS_WORDS["complete"]), "current")]
    pale = [formats.say(STATUS_WORDS[status]) for status in ("partial", "to-date") if status in statuses]
    if pale:
        named = pale[0] if len(pale) == 1 else formats.say("{one} or {other}", one=pale[0], other=pale[1])
        entries.append(Entry("bar", named, "current", pale=True))
    return entries


def has_base(tables: Sequence[Table]) -> bool:
    """Whether any row has a base."""
    return any(np.isfinite(table["base"]).any() for table in tables)


def base_entry(result: Comparison, formats: Formats, **looks: object) -> Entry:
    """What the base is, as a legend says."""
    return Entry(words=against_words(result, formats), role="base", **looks)  # type: ignore[arg-type]


def parts_of(result: Comparison, measure: Measure, item: Item, panels: str | None) -> list[tuple[str, Table]]:
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
            "`panels` must be the dimension the result is split by, {0}; got {1}",
            ", ".join(result.by) or "none",
            brief(panels),
        )
    labels = sorted(set(table[panels].tolist()))
    latest = {label: np.nan_to_num(table["value"][table[panels] == label][-1:]).sum() for label in labels}
    labels.sort(key=lambda label: (label == OTHERS, -latest[label]))
    if len(labels) > PanelRow.MOST:
        raise QuestionError(
            "`panels` has room for {0} items; {1} has {2}: choose some by where=, or the largest by top={3} (--top)",
            PanelRow.MOST,
            panels,
            len(labels),
            PanelRow.MOST - 1,
        )
    named = names_apart([(label,) for label in labels])
    return [
        (head, {name: v[table[panels] == label] for name, v in table.items()}) for head, label in zip(named, labels)
    ]


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
            if text
        )
    )


def _plain_labels(result: Comparison, columns: Table, formats: Formats) -> list[LabelLines]:
    """Below the label of an unfinished last period, to which day it goes."""
    lines: list[LabelLines] = [()] * len(columns["status"])
    if lines and columns["status"][-1] == "to-date":
        until = formats.say("to {day}", day=short_day(result, int(to_days(columns["end"][-1])), formats))
        lines[-1] = (("", None), (until, None))
    return lines


def _judged_labels(
    result: Comparison, measure: Measure, columns: Table, width: float, formats: Formats, marks: Marks
) -> list[LabelLines]:
    """The lines below each place: period, mark and growth, and what else is to be known of it."""
    n = len(columns["period"])
    labels = [result.periods[int(code)] for code in columns["period"]]
    growths = moved_texts(measure, columns, formats)
    signs = [marks.sign(*judged) for judged in zip(columns["direction"], columns["verdict"], columns["band"])]
    unlike = [
        formats.say("{n} : {many} weeks", n=w[0], many=w[1]) if (w := unlike_weeks(note)) else ""
        for note in columns["notes"]
    ]
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
            extra = ((formats.say("to {day}", day=short_day(result, end, formats)), None),)
        elif status == "partial" and np.isfinite(columns["value"][i]):
            extra = ((formats.say("from {day}", day=short_day(result, start, formats)), None),)
        if unlike[i]:
            extra += ((unlike[i], None),)
        lines.append(((labels[i], None), *extra, *judged))
    return lines
