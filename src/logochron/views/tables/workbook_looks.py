"""How the cells of a workbook look: formats made once, marks and colors that follow a change, small lines."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from xlsxwriter.utility import xl_col_to_name, xl_rowcol_to_cell

from logochron.core.book.measures import Measure
from logochron.core.judge.judging import Judging, verdict
from logochron.core.options import DIRECTIONS, VERDICTS
from logochron.core.rows.answer import AlignedAnswer
from logochron.views.formats import Formats
from logochron.views.marks import marks_of
from logochron.views.palette import Palette
from logochron.views.tables.cells import TableSpec
from logochron.views.tables.workbook_formulas import Sheet


class MadeWorkbook(NamedTuple):
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
    made: MadeWorkbook, sheet: Any, held: Sheet, marked: str, rows: int, answer: AlignedAnswer, measure: Measure
) -> None:
    """Marks and colors of growth, that follow when a figure changes; bands color before directions do."""
    judging: Judging = answer.judgings[measure.name]
    low, high, place = held.first, held.first + rows - 1, held.columns[marked]
    cell = f"{xl_col_to_name(place, col_abs=True)}{low + 1}"
    tolerance = float(judging.tolerance)
    marks = marks_of(judging, made.formats)
    of_direction = verdict(np.arange(len(DIRECTIONS), dtype=np.int8), measure.better, judging).tolist()
    moved = {"rising": f"{cell}>{tolerance!r}", "falling": f"{cell}<{-tolerance!r}", "level": "TRUE"}
    banded = judging.bands if judging.on == "growth" and answer.type.has_column("band") else ()
    for band in (*(band for band in banded if band.verdict is not None or band.mark), None):
        limits = [f"ISNUMBER({cell})"]
        if band is not None:
            limits += [f"{cell}>={float(band.low)!r}"] if band.low is not None else []
            limits += [f"{cell}<{float(band.high)!r}"] if band.high is not None else []
        for name, test in moved.items():
            judged = VERDICTS[of_direction[DIRECTIONS.index(name)]]
            judged = band.verdict if band is not None and band.verdict is not None else judged
            sign = marks.sign(name, judged, band.name if band is not None else None).replace('"', "")
            shown = f'"{sign} "+0.0%;"{sign} "-0.0%;"{sign} "0.0%'
            look = made.book.add_format({"font_color": made.palette.verdict(judged), "num_format": shown})
            rule = {"type": "formula", "criteria": f"=AND({','.join([*limits, test])})", "format": look}
            sheet.conditional_format(low, place, high, place, rule | {"stop_if_true": True})


def sparks(made: MadeWorkbook, sheet: Any, held: Sheet, spec: TableSpec, place: int) -> None:
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
    looks = {"series_color": made.palette.current, "show_hidden": True}
    sheet.add_sparkline(cells[0], {"location": cells, "range": ranges, **looks})  # one look for all
    sheet.set_column(place, place + longest - 1, None, None, {"hidden": True})
