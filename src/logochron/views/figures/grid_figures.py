"""Figures laid out in rows and columns: the table of an answer as a picture, cards, a heat map."""

from __future__ import annotations

import numpy as np

from logochron.core.check_kinds import kinds_checked
from logochron.core.days import to_days
from logochron.core.errors import QuestionError
from logochron.core.questions.compare import Comparison
from logochron.views.catalog import message
from logochron.views.figures.by_item import by_size, keys_of, names_of_keys
from logochron.views.figures.common import THE_LARGEST, VERDICT_WORDS, RowDetails, measure_of, role_of, sentence
from logochron.views.figures.layout import ABOVE, BELOW, FREE_ABOVE, FREE_BELOW, FREE_BESIDE, within
from logochron.views.figures.scene import (
    DEFAULT_SIZE,
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
from logochron.views.formats import Formats, isolated
from logochron.views.tables.cards import Card, cards_of
from logochron.views.tables.item_rows import Table, moved_figures, moved_texts, rows_of
from logochron.views.words.titles import against_line, figure_footnote, short_day, subject, unit

#: Points of a card: how wide at least, how high, and what parts it from the next one.
_LEAST, _HIGH, _APART = 172.0, 112.0, 20.0
#: Points for the upper half of the topmost line.
_RIM = 4.0
_LINES = (("name", 96.0, 9.0), ("figure", 72.0, 21.0), ("moved", 44.0, 11.0), ("earlier", 24.0, 8.0))


@kinds_checked
def cards(result: Comparison, canvas: Canvas, *, measure: str | None = None, at: str | None = None) -> Scene:
    """A row of cards of one period: value, mark, growth and change, and the earlier value with its period.

    Parameters
    ----------
    result
        From `compare`: a card of the whole, and one of each item.
    measure
        The measure they are of; all where None.

    Raises
    ------
    QuestionError
        Where a measure or period is not in the result.

    Examples
    --------
    >>> import logochron as lc
    >>> months = lc.compare(lc.demo.book(), each="month", by="harbor", last=13, measures="revenue")
    >>> len(lc.draw.cards(months, at="2026-09").axes[0].texts) // 4
    5
    """
    formats = canvas.formats
    all_cards = cards_of(result, formats, measure=measure, at=at, drawable=canvas.drawable)
    width, height = canvas.axes or canvas.size or (DEFAULT_SIZE[0], 0.0)
    room = width * 72 - (0 if canvas.axes else 2 * FREE_BESIDE)
    columns = max(min(int((room + _APART) / (_LEAST + _APART)), max(len(all_cards), 1)), 1)
    wide = (room - _APART * (columns - 1)) / columns
    rows = -(-len(all_cards) // columns)
    high = rows * _HIGH + max(rows - 1, 0) * _APART
    if height:  # as many rows as the size asked for has room for
        inside = height * 72 - (0 if canvas.axes else FREE_ABOVE + FREE_BELOW)
        rows = max(min(rows, int((inside + _APART) / (_HIGH + _APART))), 1)
        high = inside
    shown = all_cards[: rows * columns]
    size = (width, height or (high + FREE_ABOVE + FREE_BELOW) / 72)
    box = (
        Box(0, 0, *canvas.axes)
        if canvas.axes
        else Box(FREE_BESIDE / 72, FREE_BELOW / 72, room / 72, (high + _RIM) / 72)
    )
    layers: list[Path | Captions] = []
    texts: list[Text] = []
    for place, card in enumerate(shown):
        row, column = divmod(place, columns)
        left, top = column * (wide + _APART), high - row * (_HIGH + _APART)
        layers.append(Path(np.array([left, left + wide]), np.full(2, top), "grid", weight=1.2))
        layers.append(Path(np.array([left, left + 28.0]), np.full(2, top), role_of(card.verdict), weight=2.6))
        texts += _card(card, left, top, wide, canvas)
    axis = Axis("number", 0.0, room, line=False), Axis("number", 0.0, high + _RIM, line=False)
    said = against_line(result, formats) if all_cards else ""
    if len(all_cards) > len(shown):
        said += formats.dot + formats.say(THE_LARGEST, n=len(shown), many=len(all_cards))
    return Scene(
        title=all_cards[0].period if all_cards else formats.say("No period to tell of."),
        subtitle=said,
        footnote=figure_footnote(result, formats),
        size=size if all_cards else DEFAULT_SIZE,
        panels=(Panel(*axis, (*layers, Captions(tuple(texts))), box),),
        empty="" if all_cards else formats.say("No period to tell of."),
    )


def _card(card: Card, left: float, top: float, wide: float, canvas: Canvas) -> list[Text]:
    """The lines of one card."""
    named = {
        "name": canvas.formats.dot.join(filter(None, (card.name, isolated(card.item)))),
        "figure": card.figure,
        "moved": "  ".join(filter(None, (card.moved, card.change))),
        "earlier": card.earlier,
    }
    roles = {"name": "level", "figure": "ink", "moved": role_of(card.verdict), "earlier": "level"}
    return [
        Text(
            left,
            top - _HIGH + up,
            within(named[line], size, wide, canvas.measure, bold=line == "figure"),
            roles[line],  # type: ignore[arg-type]
            across="left",
            size=size,
            bold=line == "figure",
        )
        for line, up, size in _LINES
    ]


#: Sizes of the figures in the cells, the largest that fits; inches of a row at least and at most.
_SIZES = (9.5, 8.5, 7.5, 6.5)
_ROW, _MOST_ROW = 0.2, 0.55
#: How strong the palest and the strongest cell are, and from which strength on figures are written in paper.
_PALEST, _STRONGEST, _ON_PAPER = 0.08, 0.88, 0.55
_JUDGED: tuple[Role, ...] = ("favorable", "adverse")
_GROWTH = message("{measure} growth")
_POINTS = message("{measure} change in points")
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
    ['Alderquay', 'Dunmarrow', 'Brackenmouth', 'Cold Pier', 'Total']
    """
    formats = canvas.formats
    of_measure = measure_of(result, measure)
    total = rows_of(result, result.total_columns, of_measure)
    labels, tables, many = _rows(result, rows_of(result, result.columns, of_measure), total, canvas)
    periods = len(total["value"])
    left = max(map(canvas.measure, labels), default=0.0) / 72 + 0.5
    box = Box(0, 0, *canvas.axes) if canvas.axes else _box(canvas, left, len(labels))
    drawn = bool(periods) and any(np.isfinite(table["value"]).any() for table in tables)
    growths = [moved_figures(of_measure, table) for table in tables]
    texts = [moved_texts(of_measure, table, formats) for table in tables]
    size = _fitting(texts, box.width * 72 / max(periods, 1), canvas)
    known = np.abs(np.concatenate(growths)) if growths else np.zeros(0)
    known = known[np.isfinite(known)]
    most = float(np.quantile(known, 0.9)) if len(known) else 1.0
    cells, captions, pointed_at = [], [], []
    details = RowDetails(result, of_measure, canvas)
    for y, (table, row, moved) in enumerate(zip(tables, texts, growths)):
        if canvas.detailed:
            rows = details.rows(table)
            x, ends = table["period"].astype(float), np.full(len(rows), float(y))
            pointed_at.append(Details(x - 0.5, x + 0.5, rows, cross=(ends - 0.5, ends + 0.5)))
        for x, text, growth, verdict in zip(table["period"].tolist(), row, moved.tolist(), table["verdict"]):
            strength = min(abs(growth) / (most or 1.0), 1.0) * (_STRONGEST - _PALEST) + _PALEST
            role = role_of(str(verdict))
            if np.isfinite(growth):
                cells.append(Tile(x - 0.5, y - 0.5, x + 0.5, y + 0.5, role, strength))
            ink = "paper" if np.isfinite(growth) and strength > _ON_PAPER else "ink"
            captions.append(Text(float(x), float(y), text, ink, size=size))  # type: ignore[arg-type]
    columns = _heat_columns(result, total, formats, box.width * 72 / max(periods, 1), canvas)
    panel = Panel(
        Axis("position", -0.5, periods - 0.5, columns, line=False),
        Axis(
            "names", len(labels) - 0.5, -0.5, tuple(Tick(float(y), name) for y, name in enumerate(labels)), line=False
        ),
        (Tiles(tuple(cells)), *_apart(result, len(labels), periods), Captions(tuple(captions)), *pointed_at),
        box,
    )
    said = sentence(result, total, formats, unit(of_measure, formats), together=bool(result.by)) if drawn else ""
    left_out = len(labels) - bool(result.by)
    remark = ""
    if many > left_out:
        remark = formats.say(THE_LARGEST, n=left_out, many=formats.number(many, 0))
    return Scene(
        title=subject(result, of_measure, formats, split=True, pattern=_POINTS if of_measure.in_percent else _GROWTH),
        subtitle=formats.dot.join(filter(None, (said, remark))),
        remark=remark,
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
        [*names_of_keys(shown), canvas.formats.say("Total")],
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
        "{0} periods are too many for one picture: name {1} at most by last={1} (--last {1})", len(texts[0]), most
    )


def _heat_columns(result: Comparison, total: Table, formats: Formats, room: float, canvas: Canvas) -> tuple[Tick, ...]:
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
