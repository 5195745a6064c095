"""Heat: growth by period and item, diverging around zero, the signed figure in each cell."""

from __future__ import annotations

import numpy as np

from logochron.core.check_kinds import kinds_checked
from logochron.core.days import to_days
from logochron.core.errors import QuestionError
from logochron.core.questions.compare import Comparison
from logochron.views.catalog import everything, message
from logochron.views.figures.by_item import by_size, keys_of, names_of_keys
from logochron.views.figures.common import THE_LARGEST, VERDICT_WORDS, RowDetails, measure_of, role_of, sentence
from logochron.views.figures.layout import ABOVE, BELOW
from logochron.views.figures.scene import (
    Axis,
    Box,
    Canvas,
    Captions,
    Details,
    Entry,
    Panel,
    Path,
    Role,
    Scene,
    Text,
    Tick,
    Tile,
    Tiles,
)
from logochron.views.formats import Formats, words
from logochron.views.tables.item_rows import Table, rows_of
from logochron.views.words.titles import figure_footnote, short_day, subject, unit

#: Sizes of the figures in the cells, the largest that fits; inches of a row at least and at most.
_SIZES = (9.5, 8.5, 7.5, 6.5)
_ROW, _MOST_ROW = 0.2, 0.55
#: How strong the palest and the strongest cell are, and from which strength on figures are written in paper.
_PALEST, _STRONGEST, _ON_PAPER = 0.08, 0.88, 0.55
_JUDGED: tuple[Role, ...] = ("favorable", "adverse")
_GROWTH = message("{measure} growth")
_EMPTY = message("Nothing to draw: no row holds recorded days")


@kinds_checked
def heat(result: Comparison, canvas: Canvas, *, measure: str | None = None) -> Scene:
    """Growth by period and item: the stronger the color, the larger the growth; unknown cells hold a dash.

    Parameters
    ----------
    result
        From `compare`, best with `by=`.

    Raises
    ------
    QuestionError
        Where the periods are too many for their figures to be read.

    Examples
    --------
    >>> import logochron as lc
    >>> months = lc.compare(lc.demo.book(), each="month", by="harbor", last=13)
    >>> [text.get_text() for text in lc.draw.heat(months).axes[0].get_yticklabels()]
    ['Alderquay', 'Dunmarrow', 'Brackenmouth', 'Cold Pier', 'all harbors']
    """
    formats = canvas.formats
    asked = measure_of(result, measure)
    total = rows_of(result, result.total_columns, asked)
    labels, tables, many = _rows(result, rows_of(result, result.columns, asked), total, canvas)
    periods = len(total["value"])
    left = max(map(canvas.measure, labels), default=0.0) / 72 + 0.5
    box = Box(0, 0, *canvas.axes) if canvas.axes else _box(canvas, left, len(labels))
    drawn = bool(periods) and any(np.isfinite(table["value"]).any() for table in tables)
    growths = [table["growth"] for table in tables]
    texts = [formats.growths(growth) for growth in growths]
    size = _fitting(texts, box.width * 72 / max(periods, 1), canvas)
    known = np.abs(np.concatenate(growths)) if growths else np.zeros(0)
    known = known[np.isfinite(known)]
    most = float(np.quantile(known, 0.9)) if len(known) else 1.0
    cells, captions, told = [], [], []
    details = RowDetails(result, asked, canvas)
    for y, (table, row) in enumerate(zip(tables, texts)):
        if canvas.detailed:
            rows = details.rows(table)
            x, ends = table["period"].astype(float), np.full(len(rows), float(y))
            told.append(Details(x - 0.5, x + 0.5, rows, cross=(ends - 0.5, ends + 0.5)))
        for x, text, growth, verdict in zip(table["period"].tolist(), row, table["growth"].tolist(), table["verdict"]):
            strength = min(abs(growth) / (most or 1.0), 1.0) * (_STRONGEST - _PALEST) + _PALEST
            role = role_of(str(verdict))
            if np.isfinite(growth):
                cells.append(Tile(x - 0.5, y - 0.5, x + 0.5, y + 0.5, role, strength))
            ink = "paper" if np.isfinite(growth) and strength > _ON_PAPER else "ink"
            captions.append(Text(float(x), float(y), text, ink, size=size))  # type: ignore[arg-type]
    columns = _columns(result, total, formats, box.width * 72 / max(periods, 1), canvas)
    panel = Panel(
        Axis("position", -0.5, periods - 0.5, columns, line=False),
        Axis(
            "names", len(labels) - 0.5, -0.5, tuple(Tick(float(y), name) for y, name in enumerate(labels)), line=False
        ),
        (Tiles(tuple(cells)), *_apart(result, len(labels), periods), Captions(tuple(captions)), *told),
        box,
    )
    said = sentence(result, total, formats, unit(asked, formats), together=bool(result.by)) if drawn else ""
    left_out = len(labels) - bool(result.by)
    if many > left_out:
        said += formats.dot + formats.say(THE_LARGEST, n=left_out, many=formats.number(many, 0))
    return Scene(
        title=subject(result, asked, formats, split=True, told=_GROWTH),
        subtitle=said,
        footnote=figure_footnote(result, formats),
        size=canvas.room if canvas.size else (canvas.room[0], box.height + ABOVE + BELOW),
        panels=(panel,),
        legend=tuple(Entry("band", formats.say(VERDICT_WORDS[role]), role, True, strength=0.6) for role in _JUDGED),
        empty="" if drawn else formats.say(_EMPTY),
    )


def _rows(result: Comparison, table: Table, total: Table, canvas: Canvas) -> tuple[list[str], list[Table], int]:
    """The rows from the top, the largest item first and the total last: as many as have room; how many there are."""
    if not result.by:
        return [""], [total], 1
    labels = keys_of([table[name] for name in result.by], len(table["value"]))
    latest = np.where(table["period"] == max(len(result.periods) - 1, 0), np.nan_to_num(table["value"]), 0.0)
    ordered = by_size(labels, latest)
    room = max(int((canvas.room[1] - ABOVE - BELOW) / _ROW) - 1, 1)
    shown = ordered[:room]
    tables = [{name: values[labels == label] for name, values in table.items()} for label in shown]
    return (
        [*names_of_keys(shown), everything(words(result.by[0]), canvas.formats.language)],
        [*tables, total],
        len(ordered),
    )


def _apart(result: Comparison, rows: int, periods: int) -> tuple[Path, ...]:
    """What parts the total from its items."""
    if not result.by or rows < 2:
        return ()
    return (Path(np.array([-0.5, periods - 0.5]), np.full(2, rows - 1.5), "paper", weight=4.0),)


def _box(canvas: Canvas, left: float, n: int) -> Box:
    """The grid below the answer, its rows no higher than they need to be."""
    height = min(canvas.room[1] - ABOVE - BELOW, _MOST_ROW * n)
    below = (canvas.room[1] - ABOVE - height) if canvas.size else BELOW
    return Box(left, below, canvas.room[0] - left - 0.35, height)


def _fitting(texts: list[list[str]], room: float, canvas: Canvas) -> float:
    """The largest size in which all figures fit into their cells."""
    flat = {text for row in texts for text in row}
    for size in _SIZES:
        widest = max((canvas.measure(text, size) for text in flat), default=0.0)
        if widest + 3 <= room:
            return size
    most = max(int(room * len(texts[0]) / (widest + 3)), 1) if texts else 1
    raise QuestionError(
        f"{len(texts[0])} periods are too many for one picture: name {most} at most by last={most} (--last {most})"
    )


def _columns(result: Comparison, total: Table, formats: Formats, room: float, canvas: Canvas) -> tuple[Tick, ...]:
    """The labels of the periods, in two lines where an unfinished one is among them or the cells are narrow."""
    labels = [result.periods[int(code)] for code in total["period"]]
    ticks = []
    narrow = max(map(canvas.measure, labels), default=0.0) + 4 > room
    for place, label in enumerate(labels):
        shown = label.replace("-", "\n", 1) if narrow else label
        if total["status"][place] == "to-date":
            day = short_day(result, int(to_days(total["end"][place])), formats)
            shown += "\n" + formats.say("to {day}", day=day)
        ticks.append(Tick(float(place), shown))
    return tuple(ticks)
