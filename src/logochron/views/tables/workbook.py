"""A workbook: a sheet a section and one of notes, with formats, conditional looks and small lines."""

from __future__ import annotations

import datetime as dt
import math
import re
from collections.abc import Callable, Sequence
from decimal import Decimal
from io import BytesIO
from itertools import groupby
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np
import xlsxwriter
from xlsxwriter.exceptions import FileCreateError
from xlsxwriter.utility import xl_col_to_name, xl_rowcol_to_cell

from logochron.core.book.measures import Measure
from logochron.core.choices import DIRECTIONS, VERDICTS
from logochron.core.days import as_date
from logochron.core.errors import QuestionError, visible
from logochron.core.judge.judging import Band, Judging, verdict
from logochron.core.rows.answer import AlignedAnswer
from logochron.core.rows.result import Result
from logochron.views.catalog import message
from logochron.views.decimals import office_format
from logochron.views.formats import Formats
from logochron.views.marks import marks_of
from logochron.views.palette import Palette
from logochron.views.sections import Section
from logochron.views.tables.answer_tables import tables_of
from logochron.views.tables.cells import Cell, Shown, TableColumn, TableSpec
from logochron.views.tables.workbook_formulas import ITEM, Group, Sheet, formula, groups_of, is_item, is_stuck
from logochron.views.words.sentences import sentences_of
from logochron.views.words.titles import coverage_line
from logochron.views.words.told import all_told, told


class ChartPlace(NamedTuple):
    """Where a chart stands: the workbook and sheet, the table beside it, its row and the column after it."""

    book: Any
    sheet: Any
    held: Sheet
    spec: TableSpec
    row: int
    column: int

    def range(self, columns: Sequence[int], rows: Sequence[int]) -> list[Any]:
        """The cells of some rows of the table, in one column or in several side by side."""
        first = self.held.first
        return [self.sheet.get_name(), first + rows[0], columns[0], first + rows[-1], columns[-1]]


#: Puts the chart of a section's first measure in its place, where it has one.
ChartWriter = Callable[[ChartPlace, Section, Measure, Formats, Palette], None]


class WorkbookWriter(NamedTuple):
    """The workbook while it is made, and how it is written."""

    book: Any
    formats: Formats
    palette: Palette
    known: dict[tuple[tuple[str, Any], ...], Any]
    title: str
    report_date: str
    locked: list[str]

    def look(self, **looks: Any) -> Any:
        """A format of cells, made once; open to change where a sheet is locked."""
        key = tuple(sorted(looks.items()))
        if key not in self.known:
            plain = {"font_name": "Calibri", "font_color": self.palette.ink, "locked": False}
            self.known[key] = self.book.add_format(plain | looks)
        return self.known[key]


def conditions(
    workbook: WorkbookWriter,
    sheet: Any,
    held: Sheet,
    marked: str,
    rows: int,
    answer: AlignedAnswer,
    measure: Measure,
) -> None:
    """Marks and colors of growth, that follow when a figure changes; bands color before directions do.

    A figure that bands are told by is colored too: a value or a share, which has no marks.
    """
    judging: Judging = answer.judgings[measure.name]
    low, high, place = held.first, held.first + rows - 1, held.columns[marked]
    cell = f"{xl_col_to_name(place, col_abs=True)}{low + 1}"
    tolerance: float | str = float(judging.tolerance)
    in_points = marked in held.points
    if in_points and tolerance:  # as a part of the base
        _, *base = held.formulas.rules[marked][1:]
        tolerance = f"{tolerance!r}*N({xl_col_to_name(held.columns[base[0]], col_abs=True)}{low + 1})*100"
    marks = marks_of(judging, workbook.formats)
    of_direction = verdict(np.arange(len(DIRECTIONS), dtype=np.int8), measure.better, judging).tolist()
    moved = {"rising": f"{cell}>{tolerance}", "falling": f"{cell}<-{tolerance}", "level": "TRUE"}
    told_by = {("change" if in_points else "growth"): marked, "value": "value", "share": "share"}.get(judging.on)
    of_this = told_by in held.columns and answer.type.has_column("band")
    banded, times = judging.bands if of_this else (), 100 if told_by in held.points else 1
    ruling = f"{xl_col_to_name(held.columns[told_by], col_abs=True)}{low + 1}" if told_by and of_this else cell
    for band in (*(band for band in banded if band.verdict is not None or band.mark), None):
        limits = [f"ISNUMBER({cell})"]
        if band is not None:
            limits += [f"ISNUMBER({ruling})"] if ruling != cell else []
            limits += _limits(ruling, band, times)
        for name, test in moved.items():
            judged = VERDICTS[of_direction[DIRECTIONS.index(name)]]
            judged = band.verdict if band is not None and band.verdict is not None else judged
            sign = marks.sign(name, judged, band.name if band is not None else None).replace('"', "")
            unit = "" if in_points else "%"
            shown = f'"{sign} "+0.0{unit};"{sign} "-0.0{unit};"{sign} "0.0{unit}'
            look = workbook.book.add_format({"font_color": workbook.palette.verdict(judged), "num_format": shown})
            rule = {"type": "formula", "criteria": f"=AND({','.join([*limits, test])})", "format": look}
            sheet.conditional_format(low, place, high, place, rule | {"stop_if_true": True})
    if ruling == cell or told_by is None:
        return
    of_figure = held.columns[told_by]
    for band in banded:
        if band.verdict is not None:
            limits = [f"ISNUMBER({ruling})", *_limits(ruling, band, times)]
            look = workbook.book.add_format({"font_color": workbook.palette.verdict(band.verdict)})
            rule = {"type": "formula", "criteria": f"=AND({','.join(limits)})", "format": look}
            sheet.conditional_format(low, of_figure, high, of_figure, rule)


def _limits(cell: str, band: Band, times: int) -> list[str]:
    """What holds of a cell whose figure is in a band."""
    limits = [] if band.low is None else [f"{cell}>={float(band.low * times)!r}"]
    return limits if band.high is None else [*limits, f"{cell}<{float(band.high * times)!r}"]


def sparks(workbook: WorkbookWriter, sheet: Any, held: Sheet, spec: TableSpec, place: int) -> None:
    """Small lines of the workbook's own, of figures in hidden columns beside the table."""
    lines = [row.cells["spark"].spark if "spark" in row.cells else () for row in spec.rows]
    longest = max(map(len, lines), default=0)
    if "spark" not in held.columns or longest < 2:
        return
    cells, ranges = [], []
    for at, line in enumerate(lines, start=held.first):
        if len(line) < 2:
            continue
        cells.append(xl_rowcol_to_cell(at, held.columns["spark"]))
        first, last = (xl_rowcol_to_cell(at, one) for one in (place, place + len(line) - 1))
        ranges.append(f"'{sheet.get_name()}'!{first}:{last}")
    looks = {"series_color": workbook.palette.current, "show_hidden": True}
    sheet.add_sparkline(cells[0], {"location": cells, "range": ranges, **looks})  # one look for all
    sheet.set_column(place, place + longest - 1, None, None, {"hidden": True})


_MOST_ROWS = 1_048_000
#: A workbook of more rows than this is written row by row.
_IN_MEMORY = 20_000
#: So many letters stand in a line of the first sheet.
_LETTERS_A_LINE = 96
#: So many letters has a cell at most.
_MOST_LETTERS = 32_767
#: What a sheet with locked cells leaves open.
_ALLOWED = ("format_cells", "format_columns", "format_rows", "sort", "autofilter", "insert_rows", "insert_columns")
_LAST_COLUMN = 16_383
_LOCKED = message(
    "some figures of this sheet cannot follow a change: what they rest on is shaded and locked (unprotect the sheet "
    "to change it all the same)"
)
_FORBIDDEN = re.compile(r"[\[\]:*?/\\\x00-\x1f]")


def write_workbook(
    sections: Sequence[Section],
    path: Path,
    *,
    title: str,
    formats: Formats,
    palette: Palette | None = None,
    notes: Sequence[str] = (),
    chart: ChartWriter | None = None,
) -> None:
    """Write the tables of sections as a workbook, with charts beside them; the same data gives the same bytes.

    Raises
    ------
    QuestionError
        Where a table has more rows than a sheet holds.
    OSError
        Where it cannot be written.
    """
    palette = palette or Palette()
    aligned = [one.answer for one in sections if isinstance(one.answer, AlignedAnswer)]
    last = max((answer.book.coverage.last for answer in aligned), default=0)
    rows = sum(one.answer.rows for one in sections if one.answer is not None and one.table)
    options = {"strings_to_formulas": False, "strings_to_urls": False, "nan_inf_to_errors": False}
    options["constant_memory"] = rows > _IN_MEMORY
    file = BytesIO()  # a file that cannot be written to its end is then told by the system, in one place
    book = xlsxwriter.Workbook(file, options)
    created = dt.datetime.combine(as_date(last), dt.time())
    book.set_properties({"title": _text(title), "created": created})
    day_line = formats.say("Report date {day}", day=formats.long_day(last)) if aligned else ""
    workbook = WorkbookWriter(book, formats, palette, {}, title, day_line, [])
    names: set[str] = set()
    shown = [section for section in sections if section.answer is not None and section.table]
    contents = book.add_worksheet(_sheet_name(formats.say("Contents"), names)) if len(shown) > 1 else None
    chart = None if options["constant_memory"] else chart
    sheets = [_section(workbook, section, names, chart) for section in shown]
    if contents is not None:
        _contents(workbook, contents, shown, sheets)
    _notes(workbook, sections, [day_line, *notes], names)
    try:
        book.close()
    except FileCreateError as error:  # what stands beside while it is put together
        raise OSError(*error.args[0].args) from None
    path.write_bytes(file.getvalue())


def _text(text: str) -> str:
    """A text as a cell holds it: a longer one would be left out by the package that writes it."""
    shown = visible(text)
    return shown if len(shown) <= _MOST_LETTERS else shown[: _MOST_LETTERS - 1] + "\N{HORIZONTAL ELLIPSIS}"


def _contents(workbook: WorkbookWriter, sheet: Any, sections: Sequence[Section], sheets: Sequence[str]) -> None:
    """The first sheet: the sections, each with a link to its sheet and the sentence that it tells first."""
    link = workbook.look(font_color=workbook.palette.current, underline=1, valign="top")
    said = workbook.look(text_wrap=True, valign="top")
    sheet.write_string(0, 0, _text(workbook.title), workbook.look(bold=True, font_size=16))
    sheet.write_string(1, 0, workbook.report_date, workbook.look(font_color=workbook.palette.level))
    for row, (section, name) in enumerate(zip(sections, sheets), start=3):
        target = name.replace("'", "''")
        sheet.write_url(row, 0, f"internal:'{target}'!A1", link, _text(section.heading))
        sentence = _text(next(iter(sentences_of(section, workbook.formats)), ""))
        sheet.write_string(row, 1, sentence, said)
        sheet.set_row(row, 16 * max(-(-len(sentence) // _LETTERS_A_LINE), 1))
    sheet.set_column(0, 0, min(max(len(section.heading) for section in sections) + 2, 48))
    sheet.set_column(1, 1, _LETTERS_A_LINE)
    sheet.hide_gridlines(2)
    sheet.set_landscape()
    sheet.set_paper(9)
    sheet.fit_to_pages(1, 0)


def _section(workbook: WorkbookWriter, section: Section, names: set[str], chart: ChartWriter | None) -> str:
    """The sheet of a section: the table of each measure below the one before, a chart beside the first; its name."""
    heading, answer = section.heading, section.answer
    assert answer is not None
    sheet = workbook.book.add_worksheet(_sheet_name(heading, names))
    tables = tables_of(answer, workbook.formats, Shown(sparks=answer.type.sparks))
    measures: Sequence[Measure] = getattr(answer, "measures", ())
    sheet.write_string(0, 0, _text(heading), workbook.look(bold=True, font_size=14))
    row = 1
    widths: dict[int, int] = {}
    stuck = [is_stuck(_held(spec, 0, answer), spec.rows) for spec in tables]
    plain = workbook.look() if any(stuck) else None
    if any(stuck):  # without a password: whoever wants to may open it
        workbook.locked.append(heading)
        sheet.protect("", dict.fromkeys(_ALLOWED, True))
        sheet.set_column(0, _LAST_COLUMN, None, plain)
    for n, spec in enumerate(tables):
        measure = measures[n * len(measures) // len(tables)] if measures else None
        first = row
        row = _table(workbook, sheet, first, spec, answer, measure, widths, locked=stuck[n])
        if not n and chart is not None and measure is not None and spec.rows:
            held = _held(spec, first + _below(spec), answer)
            longest = max((len(r.cells["spark"].spark) for r in spec.rows if "spark" in r.cells), default=0)
            beside = ChartPlace(workbook.book, sheet, held, spec, first, held.groupings + longest + 2)
            chart(beside, section, measure, workbook.formats, workbook.palette)
        if not n:
            sheet.freeze_panes(first + _below(spec), 0)
            sheet.repeat_rows(first + 1, first + _below(spec) - 1)
        if len(tables) == 1 and spec.rows:
            columns, head = len(_columns(spec)) - 1, first + _below(spec) - 1
            sheet.autofilter(head, 0, head + len(spec.rows), columns)
        row += 2
    folded = _folded(tables)
    for place, width in widths.items():
        of_fold = {"level": 1, "hidden": True} if place in folded else {"collapsed": place - 1 in folded}
        sheet.set_column(place, place, min(width + 2, 60), plain, of_fold)
    sheet.set_landscape()
    sheet.set_paper(9)
    sheet.fit_to_pages(1, 0)
    sheet.hide_gridlines(2)
    ends = [text.replace("&", "&&") for text in (workbook.title, workbook.report_date)]
    sheet.set_footer(f"&L{ends[0][:80]}&C{ends[1]}&R&P / &N")
    return str(sheet.get_name())


def _below(spec: TableSpec) -> int:
    """So many rows below its title a table begins: below its heads, and those that span some of them."""
    return 3 if spec.groups else 2


def _heads(workbook: WorkbookWriter, sheet: Any, row: int, columns: Sequence[TableColumn]) -> None:
    """The heads that span columns, each merged over all of them."""
    looks = {"font_color": workbook.palette.ink, "bottom": 1, "bottom_color": workbook.palette.grid, "indent": 1}
    for group, of in groupby(enumerate(columns), key=lambda placed: placed[1].group):
        places = [place for place, _ in of]
        if group and len(places) > 1:
            sheet.merge_range(row, places[0], row, places[-1], _text(group), workbook.look(**looks))
        elif group:
            sheet.write_string(row, places[0], _text(group), workbook.look(**looks))


def _columns(spec: TableSpec) -> list[TableColumn]:
    """The columns of a sheet: those that people read, the days that formulas and filters may need, small lines."""
    shown = [column for column in spec.columns if column.form != "people"]
    return sorted(shown, key=lambda c: 2 if c.kind == "spark" else int(c.kind == "day" and c.form == "sheet"))


def _held(spec: TableSpec, start: int, answer: Result) -> Sheet:
    """Where a table stands whose rows begin with one."""
    columns = _columns(spec)
    places = {column.name: place for place, column in enumerate(columns)}
    rules = spec.formulas or answer.type.formulas
    points = {
        c.name for c in columns if c.kind == "points" and rules and rules.rules.get(c.name, ("",))[0] == "difference"
    }
    return Sheet(
        start, places, len(columns), answer, frozenset(points) if spec.in_percent else frozenset(), spec.formulas
    )


def _table(
    workbook: WorkbookWriter,
    sheet: Any,
    first: int,
    spec: TableSpec,
    answer: Result,
    measure: Measure | None,
    widths: dict[int, int],
    *,
    locked: bool,
) -> int:
    """One table below a row; the row after it. `locked`: what figures rest on is shaded, and not open to change."""
    if first + len(spec.rows) > _MOST_ROWS:
        raise QuestionError(
            "{0:,} rows are more than a sheet holds: choose fewer by at, last or top", first + len(spec.rows)
        )
    sheet.write_string(first, 0, _text(spec.title), workbook.look(bold=True))
    head = workbook.look(font_color=workbook.palette.level, bottom=1, bottom_color=workbook.palette.base)
    beside = workbook.look(font_color=workbook.palette.level, bottom=1, bottom_color=workbook.palette.base, indent=1)
    right = workbook.look(
        font_color=workbook.palette.level, bottom=1, bottom_color=workbook.palette.base, align="right"
    )
    start = first + _below(spec)
    held, columns = _held(spec, start, answer), _columns(spec)
    groupings, amounts = held.groupings, next((column for column in columns if column.kind == "amount"), None)
    for place, column in enumerate(columns):
        named = f"{column.heading} ({spec.unit})" if spec.unit and column is amounts else column.heading
        look = right if column.is_figure else beside if place else head
        sheet.write_string(start - 1, place, _text(named), look)
        widths[place] = max(widths.get(place, 6), min(len(named), 30))
    if spec.groups:
        _heads(workbook, sheet, first + 1, columns)
    rows = _Rows(spec, held, columns, locked)
    period = ""
    for group in groups_of(spec.rows, held):
        for n in range(group.low, group.high + 1):
            row = spec.rows[n]
            period = next((c.text for c in row.cells.values() if c.kind == "period" and c.text), period)
            _row(workbook, sheet, rows, n, group, period, widths)
            if is_item(row):
                sheet.write_string(start + n, groupings, ITEM)
            small = row.cells["spark"].spark if "spark" in held.columns else ()
            for k, value in enumerate(small if len(small) > 1 else ()):
                if math.isfinite(value):
                    sheet.write_number(start + n, groupings + 1 + k, Decimal(repr(value)))
    sheet.set_column(groupings, groupings, None, None, {"hidden": True})
    marked = [column.name for column in columns if column.marked]
    if spec.rows and measure is not None and isinstance(answer, AlignedAnswer):
        for name in marked:
            conditions(workbook, sheet, held, name, len(spec.rows), answer, measure)
    sparks(workbook, sheet, held, spec, groupings + 1)
    row_after = start + len(spec.rows)
    if not spec.rows:
        sheet.write_string(row_after, 0, _text(spec.empty))
        row_after += 1
    for line in spec.lines:
        sheet.write_string(row_after + 1, 0, _text(line), workbook.look(font_color=workbook.palette.level, font_size=9))
        row_after += 1
    return row_after


class _Rows(NamedTuple):
    """The rows of a table and where they stand."""

    spec: TableSpec
    held: Sheet
    columns: list[TableColumn]
    locked: bool


def _row(
    workbook: WorkbookWriter, sheet: Any, rows: _Rows, n: int, group: Group, period: str, widths: dict[int, int]
) -> None:
    """One row: texts as texts, days as days, figures as numbers or formulas."""
    row, at = rows.spec.rows[n], rows.held.first + n
    strong: dict[str, Any] = {"bold": True} if row.strong else {}
    if row.total:
        strong |= {"top": 1, "top_color": workbook.palette.base}
    for place, column in enumerate(rows.columns):
        cell = row.cells.get(column.name, Cell(column.kind))
        if cell.kind == "spark":
            continue
        if cell.kind == "day" and cell.value is not None:
            day = dt.datetime.combine(as_date(int(cell.value)), dt.time())
            sheet.write_datetime(at, place, day, workbook.look(num_format="yyyy-mm-dd", align="left", **strong))
            widths[place] = max(widths.get(place, 0), 10)
        elif cell.is_figure and cell.value is not None:
            of_cell = formula(rows.held, rows.spec.rows, n, column.name, group)
            shut = {"locked": True, "bg_color": workbook.palette.grid} if rows.locked and of_cell is None else {}
            number = _POINTS if column.name in rows.held.points else _number(cell, column.decimals)
            judged = (
                {"font_color": workbook.palette.verdict(cell.verdict)} if cell.verdict and not column.marked else {}
            )
            look = workbook.look(num_format=number, align="right", **strong, **shut, **judged)
            _figure(sheet, at, place, rows.held.shown(column.name, cell.value), of_cell, look)
            widths[place] = max(widths.get(place, 0), len(rows.spec.laid(row, column)) + 3)
        else:
            text = _text(period if cell.kind == "period" else cell.text)
            indent = {"indent": row.depth + bool(place)} if row.depth or place and not column.is_figure else {}
            align = {"align": "right"} if column.is_figure else {}
            sheet.write_string(at, place, text, workbook.look(**strong, **indent, **align))
            widths[place] = max(widths.get(place, 0), min(len(text) + 2 * row.depth, 44))


def _figure(sheet: Any, at: int, place: int, figure: float, of_cell: Any, look: Any) -> None:
    if of_cell is not None:
        sheet.write_formula(at, place, of_cell.text, look, figure if math.isfinite(figure) else "")
    elif math.isfinite(figure):
        sheet.write_number(at, place, Decimal(repr(figure)), look)  # 8718.36, where a float would be 8718.360000000001
    else:
        sheet.write_blank(at, place, None, look)


#: The number format of points, which are a hundred times the difference of parts.
_POINTS = "+0.0;-0.0;0.0"


def _number(cell: Cell, decimals: int) -> str:
    """The number format of a figure; programs write it in the way of their reader's country."""
    if cell.kind in ("change", "points"):
        return "+0.0%;-0.0%;0.0%"
    if cell.kind == "part":
        return "0.0%"
    amount = office_format(0 if cell.kind == "count" else decimals)
    return f"+{amount};-{amount};{amount}" if cell.kind == "difference" else amount


def _notes(workbook: WorkbookWriter, sections: Sequence[Section], notes: Sequence[str], names: set[str]) -> None:
    """The sheet of notes: the report date, what was refused, what is to be known of the records."""
    formats = workbook.formats
    sheet = workbook.book.add_worksheet(_sheet_name(formats.say("Notes"), names))
    sheet.write_string(0, 0, _text(workbook.title), workbook.look(bold=True, font_size=14))
    lines = [line for line in notes if line]
    lines += [f"{one.heading}: {told(one.refused, formats)}" for one in sections if one.answer is None]
    lines += [f"{heading}: {formats.say(_LOCKED)}" for heading in workbook.locked]
    for section in sections:
        notes_of = section.answer.notes if section.answer else ()
        lines += [f"{section.heading}: {note}" for note in all_told(notes_of, formats)]
    for answer in (one.answer for one in sections if isinstance(one.answer, AlignedAnswer)):
        intake = answer.book.intake
        lines += [coverage_line(answer, formats), *all_told((*intake.guesses, *intake.warnings), formats)]
    for n, line in enumerate(dict.fromkeys(lines)):
        sheet.write_string(2 + n, 0, _text(line), workbook.look())
    sheet.set_column(0, 0, min(max(map(len, [*lines, workbook.title]), default=20), 160))
    sheet.hide_gridlines(2)
    sheet.set_paper(9)
    sheet.fit_to_pages(1, 0)


def _folded(tables: Sequence[TableSpec]) -> set[int]:
    """The columns that only formulas and filters need: folded away behind the sheet's own signs.

    None where the tables of a sheet have their columns at different places.
    """
    places = [
        {
            place
            for place, column in enumerate(_columns(spec))
            if column.form == "sheet" and (column.group or column.kind == "day")
        }
        for spec in tables
    ]
    return places[0] if places and all(one == places[0] for one in places) else set()


def _sheet_name(heading: str, names: set[str]) -> str:
    """A name that sheets may have: 31 signs, none of a few, no two alike in whatever case."""
    clean = " ".join(_FORBIDDEN.sub(" ", _text(heading)).split()).strip("'") or "Sheet"
    name, n = clean[:31].strip(), 1
    while name.casefold() in names or name.casefold() == "history":
        n += 1
        name = f"{clean[: 28 - len(str(n))].strip()} ({n})"
    names.add(name.casefold())
    return name
