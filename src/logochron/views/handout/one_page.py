"""One page, A4: title, cards, the overview, two figures with their sentences, notes; drawn from scenes, as vectors."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from io import BytesIO
from typing import NamedTuple

import numpy as np

from logochron.core.choices import Paper
from logochron.core.errors import QuestionError
from logochron.core.questions.overview import Overview
from logochron.views.figures.choose import fitted_scene
from logochron.views.figures.fonts import drawable, families, measure
from logochron.views.figures.layout import ABOVE, BELOW, within, wrapped
from logochron.views.figures.scene import Canvas, Panel, Role, Scene, scaled
from logochron.views.figures.table_figures import fits_across, plain_table
from logochron.views.figures.table_figures import overview as overview_scene
from logochron.views.figures.to_matplotlib import (
    DescribedFigure,
    draw_panels,
    handle,
    letters_of,
    literal,
    rule,
    style,
)
from logochron.views.formats import Formats
from logochron.views.handout.handout import Handout, HandoutPart
from logochron.views.palette import Palette
from logochron.views.tables.answer_tables import tables_of
from logochron.views.tables.cards import Card
from logochron.views.tables.cells import Shown

#: Inches of an A4 sheet, and of its margin: 12 mm.
_SHEETS: dict[Paper, tuple[float, float]] = {"across": (11.693, 8.268), "upright": (8.268, 11.693)}
_MARGIN = 12 / 25.4
#: Points of type: title, headings, text, small text; nothing is smaller than the last.
_TITLE, _HEADING, _TEXT, _SMALL = 16.0, 10.0, 8.5, 7.0
#: Inches between blocks and between columns, of a line of text, of the cards, of a figure at least.
_GAP, _COLUMNS, _LEADING, _CARDS, _FIGURE = 0.16, 0.3, 1.38, 0.82, 2.1
#: How large figures and the overview are drawn beside pictures of their own; inches of a figure that its title and
#: answer take elsewhere, and of those below its labels.
_SCALE, _OF_TABLE = 0.78, 0.85
_TRIMMED_ABOVE, _TRIMMED_BELOW = ABOVE - 0.42, BELOW - 0.8
#: So many cards stand in a row, so many lines of notes at the foot.
_MOST_CARDS, _MOST_NOTES = 6, 5
#: The part of the height that the table of a section takes that stands alone; so many of its rows at most.
_OF_ONE, _MOST_ROWS = 0.42, 60


class _Place(NamedTuple):
    """A box on the sheet: inches from its left and lower edge, and how wide and high it is."""

    left: float
    bottom: float
    width: float
    height: float


@dataclass(frozen=True)
class _Sheet:
    """The sheet while it is drawn: texts and lines at inches."""

    figure: DescribedFigure
    palette: Palette
    formats: Formats

    @property
    def size(self) -> tuple[float, float]:
        width, height = self.figure.get_size_inches()
        return float(width), float(height)

    def text(self, left: float, top: float, text: str, size: float, role: Role = "ink", *, bold: bool = False) -> None:
        """A line of text below so many inches from the lower edge."""
        width, height = self.size
        self.figure.text(
            left / width, top / height, literal(text), size=size, color=self.palette.role(role),
            weight="bold" if bold else "normal", va="top",
        )  # fmt: skip

    def lines(self, left: float, top: float, lines: Sequence[str], size: float, role: Role = "ink") -> float:
        """Lines of text; how high they are."""
        for place, line in enumerate(lines):
            self.text(left, top - place * size * _LEADING / 72, line, size, role)
        return len(lines) * size * _LEADING / 72

    def rule(self, left: float, right: float, at: float, color: str, weight: float) -> None:
        """A line across."""
        width, height = self.size
        rule(self.figure, left / width, right / width, at / height, color, weight)


def one_page(handout: Handout, *, formats: Formats, palette: Palette, paper: Paper = "across") -> bytes:
    """The page as a PDF of vectors, its fonts embedded: the same data gives the same bytes."""
    file = BytesIO()
    with style(more={"pdf.fonttype": 42}):
        figure = drawn_page(handout, formats=formats, palette=palette, paper=paper)
        figure.savefig(file, format="pdf", metadata={"CreationDate": None})
    return file.getvalue()


def drawn_page(handout: Handout, *, formats: Formats, palette: Palette, paper: Paper = "across") -> DescribedFigure:
    """The page as a figure of the size of the paper."""
    width, height = _SHEETS[paper]
    canvas = Canvas(formats, measure, drawable)
    texts = [handout.title, handout.about, *handout.notes, *(text for part in handout.parts for text in part.said)]
    with style(families("".join(sorted(set("".join(texts)))))):
        figure = DescribedFigure(figsize=(width, height), dpi=100, facecolor=palette.paper)
        figure.title = figure.alt = handout.title
        sheet = _Sheet(figure, palette, formats)
        left, right, top = _MARGIN, width - _MARGIN, height - _MARGIN
        top = _head(sheet, handout, left, right, top)
        shown = [part for part in (handout.overview, *handout.main) if part is not None]
        notes = [*(note for part in shown for note in part.notes), *handout.notes]
        bottom = _notes(sheet, list(dict.fromkeys(notes)), left, right)
        if handout.cards:
            top = _cards(sheet, handout.cards[:_MOST_CARDS], left, right, top)
        parts = handout.main
        rows = 1 if paper == "across" or len(parts) < 2 else 2
        if handout.overview is not None:
            least = rows * (_FIGURE + 0.7) if parts else 0.0
            top = _overview(
                sheet, handout.overview, canvas, _Place(left, bottom + least, right - left, top - bottom - least)
            )
        _parts(sheet, parts, canvas, _Place(left, bottom, right - left, top - bottom), rows)
    return figure


def _head(sheet: _Sheet, handout: Handout, left: float, right: float, top: float) -> float:
    room = (right - left) * 72
    sheet.text(left, top, within(handout.title, _TITLE, room, measure, bold=True), _TITLE, bold=True)
    top -= _TITLE * 1.5 / 72
    sheet.text(left, top, within(handout.about, _TEXT, room, measure), _TEXT, "level")
    top -= _TEXT * 1.7 / 72
    sheet.rule(left, right, top, sheet.palette.grid, 0.8)
    return top - _GAP


def _notes(sheet: _Sheet, notes: Sequence[str], left: float, right: float) -> float:
    """The notes at the foot; where they begin."""
    room, lines = (right - left) * 72, list[str]()
    for note in notes:
        lines += wrapped(note, _SMALL, room, measure, 2)
    if len(lines) > _MOST_NOTES:
        left_out = len(lines) - _MOST_NOTES + 1
        more = sheet.formats.say("and {n} more lines of notes", n=sheet.formats.number(left_out, 0))
        lines = [*lines[: _MOST_NOTES - 1], more]
    top = _MARGIN + len(lines) * _SMALL * _LEADING / 72
    sheet.lines(left, top, lines, _SMALL, "level")
    return top + _GAP


def _cards(sheet: _Sheet, cards: Sequence[Card], left: float, right: float, top: float) -> float:
    """The cards in a row."""
    columns = max(len(cards), 4)
    each = (right - left - _COLUMNS * (columns - 1)) / columns
    for place, card in enumerate(cards):
        at, room = left + place * (each + _COLUMNS), each * 72
        color = sheet.palette.verdict(card.verdict)
        role: Role = {"favorable": "favorable", "adverse": "adverse"}.get(card.verdict, "level")  # type: ignore[assignment]
        sheet.rule(at, at + each, top, sheet.palette.grid, 0.8)
        sheet.rule(at, at + 0.25, top, color, 2.4)
        y = top - 0.07
        moved = f"{card.moved} {sheet.formats.dot.strip()} {card.change}" if card.change else card.moved
        for text, size, of, bold in (
            (f"{card.name}{sheet.formats.dot}{card.period}", _SMALL, "level", False),
            (card.figure, 15.0, "ink", True),
            (moved, _TEXT, role, False),
            (card.earlier, _SMALL, "level", False),
        ):
            sheet.text(at, y, within(text, size, room, measure, bold=bold), size, of, bold=bold)  # type: ignore[arg-type]
            y -= size * 1.42 / 72
    return top - _CARDS - _GAP


def _overview(sheet: _Sheet, part: HandoutPart, canvas: Canvas, place: _Place) -> float:
    """The overview over the whole width: as many of its rows as there is room for; what is left below it."""
    top = place.bottom + place.height
    said = [line for text in part.said for line in wrapped(text, _TEXT, place.width * 72, measure, 2)]
    of_words = len(said) * _TEXT * _LEADING / 72 + 0.04
    head = _HEADING * 1.6 / 72
    room = max(place.height - head - of_words - _GAP, 0.8)
    assert isinstance(part.answer, Overview)
    ways = [(scale, sparks) for sparks in (True, False) for scale in (_OF_TABLE, _SCALE)]
    fitting = [
        (s, k) for s, k in ways if fits_across(part.answer, replace(canvas, axes=(place.width / s, room / s)), k)
    ]
    scale, sparks = (fitting or ways)[0]
    axes = place.width / scale, room / scale
    scene: Scene = overview_scene(part.answer, replace(canvas, axes=axes), sparks=sparks)
    (panel,) = scene.panels
    panel = replace(panel, box=panel.box._replace(height=panel.y.high / 72))
    title = within(scene.title, _HEADING, place.width * 72, measure, bold=True)
    sheet.text(place.left, top, title, _HEADING, bold=True)
    if scene.remark:
        beside = place.left + (measure(title, _HEADING, True) + 14) / 72
        sheet.text(beside, top - 0.03, scene.remark, _SMALL, "level")
    top -= head + panel.box.height * scale
    _panels(sheet, scene, [panel], place.left, top, scale)
    top -= 0.06
    top -= sheet.lines(place.left, top, said, _TEXT)
    return top - _GAP


def _parts(sheet: _Sheet, parts: Sequence[HandoutPart], canvas: Canvas, place: _Place, rows: int) -> None:
    """The figures side by side, or below each other, each with its sentences above."""
    if len(parts) == 1 and parts[0].chosen is not None and not parts[0].answer.told.type.needs_items:
        below = place._replace(height=place.height * _OF_ONE)
        if _table(sheet, parts[0], canvas, below):
            place = place._replace(bottom=place.bottom + below.height, height=place.height - below.height)
    columns = -(-len(parts) // rows) if parts else 1
    width = (place.width - _COLUMNS * (columns - 1)) / columns
    height = (place.height - _GAP * (rows - 1)) / rows
    for n, part in enumerate(parts):
        row, column = divmod(n, columns)
        bottom = place.bottom + (rows - 1 - row) * (height + _GAP)
        _part(sheet, part, canvas, _Place(place.left + column * (width + _COLUMNS), bottom, width, height))


def _part(sheet: _Sheet, part: HandoutPart, canvas: Canvas, place: _Place) -> None:
    """A section in its box: heading, sentences, figure."""
    room, top = place.width * 72, place.bottom + place.height
    if part.section.heading != sheet.figure.title:
        sheet.text(
            place.left, top, within(part.section.heading, _HEADING, room, measure, bold=True), _HEADING, bold=True
        )
        top -= _HEADING * 1.55 / 72
    lines = wrapped(" ".join(part.said), _TEXT, room, measure, 3)
    top -= sheet.lines(place.left, top, lines, _TEXT)
    high = top - place.bottom
    if part.chosen is None:
        _table(sheet, part, canvas, place._replace(height=high - 0.1))
        return
    if high < 1.0:
        return
    size = place.width / _SCALE, high / _SCALE + _TRIMMED_ABOVE + _TRIMMED_BELOW
    scene = fitted_scene(part.answer.told, part.chosen, replace(canvas, size=size, width=size[0], usual=size))
    if scene is None or scene.empty:
        if scene is not None:
            sheet.lines(place.left, top - 0.1, wrapped(scene.empty, _TEXT, room, measure, 2), _TEXT, "level")
        return
    if scene.remark:
        text = within(scene.remark, _SMALL, room, measure)
        sheet.text(place.left, place.bottom + _SMALL * 1.2 / 72, text, _SMALL, "level")
    _panels(sheet, scene, scene.panels, place.left, place.bottom - _TRIMMED_BELOW * _SCALE, _SCALE)
    _legend(sheet, scene, place.left, top, room)


def _table(sheet: _Sheet, part: HandoutPart, canvas: Canvas, place: _Place) -> bool:
    """The table of a part, from the top of its box: as many rows as have room; whether any is there."""
    specs = tables_of(part.answer, sheet.formats, Shown(rows=_MOST_ROWS, excerpts=False))
    if not specs or not specs[0].rows:
        return False
    head = _HEADING * 1.6 / 72
    axes = place.width / _OF_TABLE, max((place.height - head) / _OF_TABLE, 0.5)
    try:
        scene = plain_table(specs[0], replace(canvas, axes=axes))
    except QuestionError:  # more columns than a sheet is wide
        return False
    (panel,) = scene.panels
    panel = replace(panel, box=panel.box._replace(height=panel.y.high / 72))
    top = place.bottom + place.height
    title = within(scene.title, _TEXT, place.width * 72, measure, bold=True)
    title = sheet.formats.say("Table") if title == sheet.figure.title else title
    sheet.text(place.left, top, title, _TEXT, bold=True)
    if scene.remark:
        beside = place.left + (measure(title, _TEXT, True) + 14) / 72
        sheet.text(beside, top - 0.01, scene.remark, _SMALL, "level")
    _panels(sheet, scene, [panel], place.left, top - head - panel.box.height * _OF_TABLE, _OF_TABLE)
    return True


def _panels(sheet: _Sheet, scene: Scene, panels: Sequence[Panel], left: float, bottom: float, scale: float) -> None:
    """Panels of a scene at a place and a scale, in fonts that have its letters."""
    with style(families(letters_of(scene))):
        drawn = [scaled(panel, scale, _SMALL) for panel in panels]
        draw_panels(sheet.figure, drawn, sheet.palette, left, bottom, scale)


def _legend(sheet: _Sheet, scene: Scene, left: float, top: float, room: float) -> None:
    """A legend in a line below the sentences, of as many entries as have room."""
    widths = np.cumsum([measure(entry.words, _SMALL) + 40 for entry in scene.legend])
    entries = [entry for entry, until in zip(scene.legend, widths.tolist()) if until <= room]
    if not entries:
        return
    width, height = sheet.size
    sheet.figure.legend(
        handles=[handle(entry, sheet.palette) for entry in entries],
        loc="upper left", bbox_to_anchor=(left / width, top / height), ncols=len(entries), frameon=False,
        fontsize=_SMALL, labelcolor=sheet.palette.ink, borderaxespad=0.2, handlelength=1.8, columnspacing=1.4,
    )  # fmt: skip
