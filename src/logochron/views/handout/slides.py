"""Slides: a title, the overview, one a section, with charts that stay editable; as bytes of a .pptx file."""

from __future__ import annotations

import zipfile
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from io import BytesIO
from pathlib import Path
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np

from logochron.core.errors import QuestionError, first_line, shown_path, visible
from logochron.core.questions.overview import Overview
from logochron.core.rows.answer import AlignedAnswer
from logochron.views.figures.charts import Chart, Series, chart_of
from logochron.views.figures.choose import fitted_scene
from logochron.views.figures.common import role_of
from logochron.views.figures.fonts import drawable, measure
from logochron.views.figures.scene import Canvas, Role
from logochron.views.formats import Formats
from logochron.views.handout.handout import Handout, HandoutPart, receipt_lines
from logochron.views.palette import Palette, mixed
from logochron.views.tables.answer_tables import tables_of
from logochron.views.tables.cells import Cell, Row, Shown, TableColumn, TableSpec

if TYPE_CHECKING:
    from pptx.presentation import Presentation
    from pptx.slide import Slide, SlideLayout

#: Inches of a slide on our own ground, and its margins.
_WIDE, _HIGH, _MARGIN = 13.333, 7.5, 0.6
#: Points of type: the title slide, the sentence of a slide, what follows it, tables, labels, page number and date.
_TITLE, _SENTENCE, _FOLLOWING, _TABLE, _LABEL, _FOOT = 36, 24, 14, 12, 10, 10
#: A table on a slide has so many rows at most; labels stand at so many points of a chart at most.
_MOST_ROWS, _MOST_LABELS = 12, 16
#: Dots an inch of figures that no chart can show.
_DPI = 200
#: How wide a letter is and how high a line, of the size of type; the least size of a title, and of a table's text.
_LETTER, _LINE, _LEAST, _LEAST_TABLE = 0.62, 1.25, 12, 7
_EARLIEST = (1980, 1, 1, 0, 0, 0)


class _Area(NamedTuple):
    """Inches of a slide that what is told takes: from its left and upper edge, how wide and high."""

    left: float
    top: float
    width: float
    height: float


@dataclass(frozen=True)
class _Deck:
    """The slides while they are made."""

    deck: Presentation
    formats: Formats
    palette: Palette
    about: str
    own: bool

    def color(self, role: Role) -> Any:
        """The color of a role."""
        from pptx.dml.color import RGBColor

        return RGBColor.from_string(self.palette.role(role).lstrip("#"))

    def pale(self, role: Role, strength: float = 0.4) -> Any:
        """A tone thinned on paper."""
        from pptx.dml.color import RGBColor

        return RGBColor.from_string(mixed(self.palette.paper, self.palette.role(role), strength).lstrip("#"))


def slides(handout: Handout, *, formats: Formats, palette: Palette, template: Path | None = None) -> bytes:
    """The slides of a handout as a .pptx file: the same data gives the same bytes.

    Parameters
    ----------
    template
        A file of slides whose masters they are laid on; a plain ground where None.

    Raises
    ------
    QuestionError
        Where the package for slides is missing, or the template is none.
    """
    deck = _Deck(_opened(template), formats, palette, handout.about, template is None)
    _title_slide(deck, handout)
    if handout.overview is not None:
        _overview_slide(deck, handout.overview)
    for part in handout.parts:
        _part_slide(deck, part, handout.notes)
    file = BytesIO()
    deck.deck.save(file)
    return _same_bytes(file)


def _opened(template: Path | None) -> Presentation:
    """Slides without any yet, of the user's masters or plain ones."""
    try:
        from pptx import Presentation as opened
        from pptx.util import Inches
    except ImportError:
        raise QuestionError("slides need the package `python-pptx`: pip install 'logochron[slides]'") from None
    if template is None:
        deck = opened()
        deck.slide_width, deck.slide_height = Inches(_WIDE), Inches(_HIGH)
        return deck
    try:
        deck = opened(str(template))
    except Exception as error:  # whatever a file that is none makes the package raise
        raise QuestionError(
            "`template` {0} cannot be read as slides (.pptx): {1}", shown_path(template), first_line(error)
        ) from None
    listed = deck.slides._sldIdLst  # slides of the template are not ours: only its masters are
    for one in list(listed):
        deck.part.drop_rel(one.rId)
        listed.remove(one)
    return deck


def _layout(deck: _Deck, *, opening: bool) -> SlideLayout:
    """The layout of the opening slide, or of one with a title and else as little as there is."""
    from pptx.enum.shapes import PP_PLACEHOLDER as KINDS  # noqa: N811

    titles = {KINDS.TITLE, KINDS.CENTER_TITLE}
    small = {KINDS.DATE, KINDS.FOOTER, KINDS.SLIDE_NUMBER}

    def more(layout: SlideLayout) -> tuple[bool, bool, int]:
        kinds = [one.placeholder_format.type for one in layout.placeholders]
        rest = [kind for kind in kinds if kind not in titles | small]
        titled = bool(titles & set(kinds))
        return not titled, opening and KINDS.SUBTITLE not in kinds, len(rest)

    layouts: list[SlideLayout] = list(deck.deck.slide_layouts)
    return min(layouts, key=more)


def _slide(deck: _Deck, title: str, *, opening: bool = False) -> tuple[Slide, _Area]:
    """A slide with its title, and the area below it."""
    from pptx.util import Inches, Pt

    slide = deck.deck.slides.add_slide(_layout(deck, opening=opening))
    wide, high = (side / 914_400 for side in (deck.deck.slide_width or 0, deck.deck.slide_height or 0))
    area = _Area(_MARGIN, 1.75, wide - 2 * _MARGIN, high - 1.75 - 0.65)
    shape = slide.shapes.title
    if shape is None:
        shape = slide.shapes.add_textbox(Inches(_MARGIN), Inches(0.45), Inches(area.width), Inches(1.1))
    elif deck.own:
        shape.left, shape.top, shape.width = (Inches(one) for one in (_MARGIN, 2.4 if opening else 0.45, area.width))
        shape.height = Inches(1.3)
    else:
        below = (shape.top + shape.height) / 914_400 + 0.15
        area = _Area(shape.left / 914_400, below, shape.width / 914_400, max(high - below - 0.65, 2.0))
    frame = shape.text_frame
    frame.word_wrap = True
    frame.text = title
    size = _fitting(title, shape.width / 12_700, shape.height / 12_700, _TITLE if opening else _SENTENCE)
    for paragraph in frame.paragraphs:
        paragraph.font.size = Pt(size)
    if deck.own:
        from pptx.enum.text import MSO_ANCHOR, PP_ALIGN

        frame.vertical_anchor = MSO_ANCHOR.BOTTOM if opening else MSO_ANCHOR.TOP
        frame.margin_left = 0
        for paragraph in frame.paragraphs:
            paragraph.alignment, paragraph.font.bold = PP_ALIGN.LEFT, True
            paragraph.font.color.rgb = deck.color("ink")
    for extra in list(slide.placeholders):  # what stays empty would ask to be filled
        if extra.placeholder_format.idx != 0 and not opening:
            extra._element.getparent().remove(extra._element)
    return slide, area


def _fitting(text: str, wide: float, high: float, most: int) -> int:
    """The largest size of type in which a text has room in so many points."""
    for size in range(most, _LEAST, -1):
        letters = max(int((wide - 14) / (size * _LETTER)), 1)
        if -(-len(text) // letters) * size * _LINE <= high - 7:
            return size
    return _LEAST


def _text(
    deck: _Deck, slide: Slide, area: _Area, text: str, size: float, role: Role = "ink", *, right: bool = False
) -> None:
    """A line of text at a place."""
    from pptx.enum.text import PP_ALIGN
    from pptx.util import Inches, Pt

    frame = slide.shapes.add_textbox(*map(Inches, area)).text_frame
    frame.word_wrap = True
    frame.margin_left = frame.margin_right = 0
    frame.text = text
    paragraph = frame.paragraphs[0]
    paragraph.font.size, paragraph.font.color.rgb = Pt(size), deck.color(role)
    paragraph.alignment = PP_ALIGN.RIGHT if right else PP_ALIGN.LEFT


def _foot(deck: _Deck, slide: Slide, area: _Area, heading: str) -> None:
    """Which section it is, report date and page number, small: above the title where the ground is our own."""
    high = (deck.deck.slide_height or 0) / 914_400
    at = high - 0.5
    number = str(len(deck.deck.slides))
    told = deck.about
    title = slide.shapes.title
    if title is None or title.text != heading:
        if deck.own:
            _text(deck, slide, _Area(area.left, 0.2, area.width, 0.3), heading, _TABLE, "level")
        else:
            told = f"{heading}{deck.formats.dot}{told}"
    _text(deck, slide, _Area(area.left, at, area.width - 1, 0.3), told, _FOOT, "level")
    _text(deck, slide, _Area(area.left + area.width - 1, at, 1, 0.3), number, _FOOT, "level", right=True)


def _speak(slide: Slide, lines: Sequence[str]) -> None:
    frame = slide.notes_slide.notes_text_frame
    if frame is not None:
        frame.text = "\n".join(lines)


def _describe(shape: Any, text: str) -> None:
    """The description of a shape for those who cannot see it."""
    for properties in shape._element.iter("{http://schemas.openxmlformats.org/presentationml/2006/main}cNvPr"):
        properties.set("descr", text)
        return


def _title_slide(deck: _Deck, handout: Handout) -> None:
    from pptx.enum.text import PP_ALIGN
    from pptx.util import Inches, Pt

    slide, area = _slide(deck, handout.title, opening=True)
    below = next((one for one in slide.placeholders if one.placeholder_format.idx != 0), None)
    if below is None:
        _text(deck, slide, _Area(area.left, 3.9, area.width, 0.5), handout.about, _FOLLOWING + 2, "level")
        return
    below.text_frame.text = handout.about
    if deck.own:
        below.text_frame.margin_left = 0
        below.left, below.top, below.width, below.height = (Inches(n) for n in (_MARGIN, 3.8, area.width, 0.8))
        for paragraph in below.text_frame.paragraphs:
            paragraph.alignment, paragraph.font.size = PP_ALIGN.LEFT, Pt(_FOLLOWING + 2)
            paragraph.font.color.rgb = deck.color("level")


def _overview_slide(deck: _Deck, part: HandoutPart) -> None:
    """The overview as a table of the slide's own."""
    assert isinstance(part.answer, Overview)
    slide, area = _slide(deck, part.said[0] if part.said else part.section.heading)
    spec = tables_of(part.answer, deck.formats, Shown(rows=_MOST_ROWS, excerpts=False))[0]
    if spec.too_wide:
        spec = spec.below()
    _table(deck, slide, spec, area)
    _foot(deck, slide, area, visible(part.section.heading))
    _speak(slide, [spec.title, *receipt_lines(part, deck.formats), *spec.lines, *part.notes])


def _part_slide(deck: _Deck, part: HandoutPart, notes: Sequence[str]) -> None:
    """A section: its sentence as the title, its chart or its table."""
    slide, area = _slide(deck, part.said[0] if part.said else part.section.heading)
    following = " ".join(part.said[1:3])
    if following:
        _text(deck, slide, area._replace(height=0.55), following, _FOLLOWING, "level")
        area = _Area(area.left, area.top + 0.6, area.width, area.height - 0.6)
    _shown(deck, slide, part, area)
    _foot(deck, slide, area, visible(part.section.heading))
    _speak(slide, [part.section.heading, *part.said, *receipt_lines(part, deck.formats), *part.notes, *notes])


def _shown(deck: _Deck, slide: Slide, part: HandoutPart, area: _Area) -> None:
    """The chart of a section; the picture of its figure where no chart shows it; its table where it has none."""
    answer = part.answer.told
    if part.chosen is not None:
        size = area.width, area.height
        canvas = Canvas(deck.formats, measure, drawable, size=size, width=area.width, usual=size)
        chart = chart_of(answer, part.chosen, canvas) if isinstance(answer, AlignedAnswer) else None
        scene = fitted_scene(answer, part.chosen, canvas)
        if chart is not None:
            _chart(deck, slide, chart, area, scene.alt if scene is not None else part.section.heading)
            return
        if scene is not None and not scene.empty:
            _picture(deck, slide, scene, area)
            return
    specs = tables_of(part.answer, deck.formats, Shown(rows=_MOST_ROWS, excerpts=False))
    if specs and specs[0].rows:
        _table(deck, slide, specs[0], area)


def _picture(deck: _Deck, slide: Slide, scene: Any, area: _Area) -> None:
    from pptx.util import Inches

    from logochron.views.figures.to_matplotlib import drawn, style

    figure: Any = drawn(scene, deck.palette)
    file = BytesIO()
    with style():
        figure.savefig(file, format="png", dpi=_DPI)
    file.seek(0)
    wide = min(area.width, area.height * scene.size[0] / scene.size[1])
    shape = slide.shapes.add_picture(file, Inches(area.left), Inches(area.top), width=Inches(wide))
    _describe(shape, scene.alt)


# --- tables


def _table(deck: _Deck, slide: Slide, spec: TableSpec, area: _Area) -> None:
    """The first rows of a table, as one of the slide's own."""
    from pptx.util import Inches

    rows = _first(spec.rows)
    columns = [c for c in spec.shown if c.kind not in ("spark", "bar", "when", "note")]
    heads = 2 if spec.groups else 1
    shape = slide.shapes.add_table(
        len(rows) + heads, len(columns), *map(Inches, (area.left, area.top, area.width, 0.34 * (len(rows) + heads)))
    )
    _describe(shape, spec.title)
    table = shape.table
    properties = shape._element.graphic.graphicData.tbl.tblPr
    for name in ("firstRow", "bandRow"):
        properties.set(name, "0")
    wide = [max([len(c.heading) * 0.8, *(len(spec.laid(row, c)) for row in rows), 4]) + 2 for c in columns]
    for column, width in zip(table.columns, wide):
        column.width = Inches(area.width * width / sum(wide))
    size = max(min(int(area.width * 72 / (sum(wide) * _LETTER * 1.05)), _TABLE), _LEAST_TABLE)
    if spec.groups:
        for first, last, name in _groups(columns):
            if last > first:
                table.cell(0, first).merge(table.cell(0, last))
            _cell(deck, table.cell(0, first), name, size, "level")
    for place, column in enumerate(columns):
        _cell(deck, table.cell(heads - 1, place), column.heading, size, "level", right=column.is_figure)
    for n, row in enumerate(rows, start=heads):
        for place, column in enumerate(columns):
            cell = row.cells.get(column.name, Cell(column.kind))
            role = role_of(cell.verdict) if cell.verdict else "ink"
            _cell(deck, table.cell(n, place), spec.beside(cell), size, role, right=column.is_figure, bold=row.strong)
    if len(rows) < len(spec.rows):
        said = deck.formats.say("{n} of {many} rows shown", n=len(rows), many=len(spec.rows))
        at = area.top + 0.34 * (len(rows) + heads) + 0.1
        _text(deck, slide, _Area(area.left, at, area.width, 0.3), said, _FOOT, "level")


def _first(rows: Sequence[Row]) -> list[Row]:
    """As many rows as a slide has room for, the total among them."""
    if len(rows) <= _MOST_ROWS:
        return list(rows)
    last = [row for row in rows[-1:] if row.total]
    return [*rows[: _MOST_ROWS - len(last)], *last]


def _groups(columns: Sequence[TableColumn]) -> Iterator[tuple[int, int, str]]:
    """The heads that span columns: from which to which, and what stands there."""
    first = 0
    for place in range(1, len(columns) + 1):
        if place == len(columns) or columns[place].group != columns[first].group:
            yield first, place - 1, columns[first].group
            first = place


def _cell(deck: _Deck, cell: Any, text: str, size: int, role: Role, *, right: bool = False, bold: bool = False) -> None:
    from pptx.enum.text import PP_ALIGN
    from pptx.util import Inches, Pt

    cell.fill.background()
    cell.margin_top = cell.margin_bottom = Inches(0.03)
    cell.margin_left = cell.margin_right = Inches(0.06)
    cell.text_frame.text = text
    paragraph = cell.text_frame.paragraphs[0]
    paragraph.font.size, paragraph.font.bold = Pt(size), bold
    paragraph.font.color.rgb = deck.color(role)
    paragraph.alignment = PP_ALIGN.RIGHT if right else PP_ALIGN.LEFT


# --- charts


def _chart(deck: _Deck, slide: Slide, chart: Chart, area: _Area, alt: str) -> None:
    """A chart of the slide's own: it can be edited, with its figures behind it."""
    from pptx.chart.data import CategoryChartData
    from pptx.enum.chart import XL_CHART_TYPE, XL_LEGEND_POSITION
    from pptx.util import Inches, Pt

    kinds = {
        "columns": XL_CHART_TYPE.COLUMN_CLUSTERED,
        "bars": XL_CHART_TYPE.BAR_CLUSTERED,
        "stacked": XL_CHART_TYPE.BAR_STACKED,
        "lines": XL_CHART_TYPE.LINE,
    }
    data = CategoryChartData(number_format=chart.format)
    data.categories = chart.categories
    for series in chart.series:
        data.add_series(series.name, [None if not np.isfinite(v) else float(v) for v in series.values.tolist()])
    frame = slide.shapes.add_chart(kinds[chart.kind], *map(Inches, area), data)
    _describe(frame, alt)
    drawn = frame.chart
    drawn.part.chart_workbook.update_from_xlsx_blob(_figures(chart))
    drawn.font.size, drawn.font.color.rgb = Pt(_LABEL), deck.color("ink")
    drawn.has_title = False
    shown = [series for series in chart.series if not series.hidden]
    drawn.has_legend = len(shown) > 1 and not all(series.labels for series in shown)
    if drawn.has_legend:
        drawn.legend.position, drawn.legend.include_in_layout = XL_LEGEND_POSITION.TOP, False
        drawn.legend.font.size = Pt(_LABEL)
    _axes(deck, drawn, chart)
    plot = drawn.plots[0]
    if chart.kind != "lines":
        plot.gap_width, plot.overlap = 45, 100 if chart.kind == "stacked" else 0
    for of, series in zip(plot.series, chart.series):
        _look(deck, of, series, lines=chart.kind == "lines")


def _axes(deck: _Deck, drawn: Any, chart: Chart) -> None:
    from pptx.enum.chart import XL_TICK_LABEL_POSITION, XL_TICK_MARK

    value, category = drawn.value_axis, drawn.category_axis
    value.tick_labels.number_format, value.tick_labels.number_format_is_linked = chart.format, False
    value.has_major_gridlines = True
    value.major_gridlines.format.line.color.rgb = deck.color("grid")
    value.format.line.fill.background()
    value.major_tick_mark = category.major_tick_mark = XL_TICK_MARK.NONE
    category.format.line.color.rgb = deck.color("grid")
    category.tick_label_position = XL_TICK_LABEL_POSITION.LOW
    category.has_major_gridlines = False
    if chart.downwards:
        category.reverse_order = True
        value.tick_label_position = XL_TICK_LABEL_POSITION.HIGH
    if chart.axis:
        value.has_title = True
        value.axis_title.text_frame.text = chart.axis
        value.axis_title.text_frame.paragraphs[0].font.bold = False


def _look(deck: _Deck, of: Any, series: Series, *, lines: bool) -> None:
    """How a series looks: its tone, pale and judged points, labels."""
    from pptx.enum.dml import MSO_LINE
    from pptx.util import Pt

    dashes = {"dashed": MSO_LINE.DASH, "dotted": MSO_LINE.ROUND_DOT}
    if lines:
        of.smooth = False
        of.format.line.color.rgb, of.format.line.width = deck.color(series.role), Pt(series.weight)
        of.marker.style = _no_marker()
        if series.dash in dashes:
            of.format.line.dash_style = dashes[series.dash]
        for place in sorted(series.pale):  # the stretch to a period that is not whole
            line = of.points[place].format.line
            line.dash_style, line.width = MSO_LINE.ROUND_DOT, Pt(series.weight)
            line.color.rgb = deck.color(series.role)
        for place, role in enumerate(series.roles):
            line = of.points[place].format.line
            line.color.rgb, line.width = deck.color(role), Pt(series.weight)
    elif series.hidden:
        of.format.fill.background()
        of.format.line.fill.background()
    else:
        of.format.fill.solid()
        of.format.fill.fore_color.rgb = deck.color(series.role)
        of.invert_if_negative = False
        for place in sorted(series.pale):
            fill = of.points[place].format.fill
            fill.solid()
            fill.fore_color.rgb = deck.pale(series.role)
        for place, role in enumerate(series.roles):
            fill = of.points[place].format.fill
            fill.solid()
            fill.fore_color.rgb = deck.color(role)
    if len(series.labels) <= _MOST_LABELS:
        _labels(deck, of, series)


def _labels(deck: _Deck, of: Any, series: Series) -> None:
    """Labels at the points of a series, in the color of their verdict."""
    from pptx.util import Pt

    for place, (text, role) in enumerate(zip(series.labels, series.label_roles)):
        if not text or not np.isfinite(series.values[place]):
            continue
        frame = of.points[place].data_label.text_frame
        frame.text = text
        font = frame.paragraphs[0].runs[0].font
        font.size, font.color.rgb = Pt(_LABEL - 1), deck.color(role)


def _no_marker() -> Any:
    from pptx.enum.chart import XL_MARKER_STYLE

    return XL_MARKER_STYLE.NONE


def _figures(chart: Chart) -> bytes:
    """The figures behind a chart as the workbook that it is edited in: labels stay labels, whatever they begin with."""
    import datetime as dt

    import xlsxwriter

    file = BytesIO()
    book = xlsxwriter.Workbook(file, {"strings_to_formulas": False, "strings_to_urls": False, "in_memory": True})
    book.set_properties({"created": dt.datetime(*_EARLIEST)})
    sheet, number = book.add_worksheet("Sheet1"), book.add_format({"num_format": chart.format})
    for n, label in enumerate(chart.categories, start=1):
        sheet.write_string(n, 0, label)
    for column, series in enumerate(chart.series, start=1):
        sheet.write_string(0, column, series.name)
        for n, value in enumerate(series.values.tolist(), start=1):
            if np.isfinite(value):
                sheet.write_number(n, column, value, number)
    book.close()
    return file.getvalue()


def _same_bytes(file: BytesIO) -> bytes:
    """A package of files without the moment it was packed."""
    packed = BytesIO()
    with zipfile.ZipFile(file) as held, zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as target:
        for one in held.infolist():
            target.writestr(zipfile.ZipInfo(one.filename, _EARLIEST), held.read(one), zipfile.ZIP_DEFLATED)
    return packed.getvalue()
