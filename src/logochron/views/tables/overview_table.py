"""An overview as a table for people: items down, windows across, each with its value and how it stands beside bases."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence

import numpy as np

from logochron.core.align.bases import MeanOf, Plan, YearAgoMean
from logochron.core.book.measures import Measure
from logochron.core.questions.overview import Overview
from logochron.core.rows.question_types import SheetFormulas
from logochron.views.formats import Formats, capital, item_name, words
from logochron.views.marks import Marks, marks_of
from logochron.views.tables.cells import ALL, Cell, Row, Shown, TableColumn, TableSpec
from logochron.views.tables.comparison_table import SparkLines
from logochron.views.tables.item_rows import (
    FigureCells,
    Line,
    item_cells,
    item_columns,
    item_lines,
    rows_of,
)
from logochron.views.words.movement import decimals_of
from logochron.views.words.overview_words import days_of_base, window_headings
from logochron.views.words.titles import (
    column_words,
    coverage_line,
    heading,
    overview_title,
    unit,
)
from logochron.views.words.told import all_told, notes_told

#: A line below names so many items at most.
_NAMED = 3


def overview_tables(result: Overview, formats: Formats, shown: Shown = ALL) -> list[TableSpec]:
    """A table for each measure."""
    return [overview_table(result, measure, formats, shown) for measure in result.measures]


#: Gives the small line of a row.
SmallLine = Callable[[Line], Cell]


def overview_table(
    result: Overview,
    measure: Measure,
    formats: Formats,
    shown: Shown = ALL,
    marks: Marks | None = None,
    small_line: SmallLine | None = None,
) -> TableSpec:
    """The table of one measure: its windows side by side, the same unit and decimals in all.

    `marks`, `small_line`: others than it chooses.
    """
    marks = marks or marks_of(result.judgings[measure.name], formats)
    figures = FigureCells(result, formats, decimals_of(result, measure, formats), measure)
    items = item_columns(result, formats)
    if small_line is None and shown.sparks:
        small_line = _small_lines(result, measure, formats)
    rows: list[Row] = []
    unknown = _Unknown(result, formats)
    for line in lines_of_overview(result, measure, formats, shown.rows):
        cells = item_cells(items, line)
        unknown.rows += 1
        for w, window in enumerate(result.windows):
            for b, basis in enumerate(map(str, result.bases)):
                one = in_window(result, line, w, b)
                cells |= _cells(figures, one, marks, window, basis, first=not b)
                unknown.add(one, w, b)
        if small_line is not None:
            cells["spark"] = small_line(line)
        rows.append(line.row(cells, starts=not rows))
    spark = [TableColumn("spark", "", "spark")] if small_line is not None else []
    return TableSpec(
        title=overview_title(result, measure, formats),
        unit="" if measure.in_percent else unit(measure, formats),
        columns=(*items, *_columns(result, measure, figures, formats), *spark),
        rows=tuple(rows),
        lines=(
            *unknown.lines(),
            *_days(result, formats),
            *all_told(result.notes, formats),
            coverage_line(result, formats),
        ),
        marks_after=marks.after,
        marks_width=marks.width,
        of_groups=column_words("window", formats),
        in_percent=measure.in_percent,
        formulas=_formulas(result),
    )


def lines_of_overview(result: Overview, measure: Measure, formats: Formats, most: int | None = None) -> Iterator[Line]:
    """The rows of a measure, each where its first window and basis stand; `most`: so many, the total among them."""
    parts = (result.columns, result.subtotal_columns, result.total_columns)
    table, subtotals, total = (rows_of(result, columns, measure) if columns else {} for columns in parts)
    many = len(result.bases)
    firsts = [range(0, len(one.get("measure", ())) // len(result.windows), many) for one in (table, subtotals)]
    return item_lines(result, table, firsts[0], subtotals, firsts[1], total, 0, formats, most)


def in_window(result: Overview, line: Line, window: int, basis: int) -> Line:
    """The same item in another window, beside another basis."""
    return line._replace(i=line.i + window * (len(line.columns["measure"]) // len(result.windows)) + basis)


def column_in(window: str, name: str, basis: str = "") -> str:
    """What a column of a window is called."""
    return " ".join(filter(None, (window, basis, name)))


def _cells(figures: FigureCells, line: Line, marks: Marks, window: str, basis: str, *, first: bool) -> dict[str, Cell]:
    judged = figures.judged_column
    cells = {column_in(window, name, basis): figures.cell(line, name) for name in ("base", "change", "growth")}
    cells[column_in(window, judged, basis)] = figures.judged(line, marks)
    return cells | ({column_in(window, "value"): figures.cell(line, "value")} if first else {})


def _columns(result: Overview, measure: Measure, figures: FigureCells, formats: Formats) -> Iterator[TableColumn]:
    """The columns of all windows; what growth is told from stands in workbooks alone."""
    judged, known = figures.judged_column, _known_bases(result, measure)
    for window, group in window_headings(result, formats).items():
        of_value = figures.column("value", capital(words(measure.name)))
        yield of_value._replace(name=column_in(window, "value"), group=group, figure="value", of=(("window", window),))
        for basis in (basis for n, basis in enumerate(result.bases) if n in known):
            for name in dict.fromkeys(("base", "change", judged)):
                told = heading(basis, formats)
                if name == "change":
                    told = formats.say("{base}, points" if figures.in_percent else "{base}, change", base=told)
                elif name == "growth":
                    told = formats.say("{base} %", base=told)
                column = figures.column(name, told, marked=name == judged, form="all" if name == judged else "sheet")
                of = ("window", window), ("basis", str(basis))
                yield column._replace(name=column_in(window, name, str(basis)), group=group, figure=name, of=of)


def _known_bases(result: Overview, measure: Measure) -> set[int]:
    """The places of the bases that are known of any row of a measure; all where none is."""
    blocks = [block for c in (result.columns, result.total_columns) for block in result.of_measure(c, measure).blocks]
    rows = [np.isfinite(np.broadcast_to(block.columns["base"], block.shape)).any(axis=1) for block in blocks]
    known = np.any(rows, axis=0).reshape(-1, len(result.bases)).any(axis=0)
    return set(np.flatnonzero(known).tolist()) or set(range(len(result.bases)))


def _formulas(result: Overview) -> SheetFormulas:
    """How growth follows from value and base in a workbook; totals add up what is no quotient."""
    rules: dict[str, tuple[str, ...]] = {}
    added = []
    for window in result.windows:
        value = column_in(window, "value")
        added.append(value)
        for basis in map(str, result.bases):
            base, change, growth = (column_in(window, name, basis) for name in ("base", "change", "growth"))
            rules |= {change: ("difference", value, base), growth: ("growth", change, base)}
            added.append(base)
    return SheetFormulas(rules, tuple(added))


def single_window(result: Overview) -> str:
    """The first window that is one period, whose periods small lines are of."""
    return next((name for name in result.windows if result.specs[name].window.n == 1), result.windows[0])


def _small_lines(result: Overview, measure: Measure, formats: Formats) -> SmallLine:
    """The small lines of the last whole periods."""
    sparks = SparkLines(result.comparison(single_window(result)), measure)
    return lambda line: sparks.last(line, plain=formats.plain)


def _days(result: Overview, formats: Formats) -> list[str]:
    """The days of each base, window by window."""
    lines = []
    for n, basis in enumerate(result.bases):
        if isinstance(basis, (Plan, MeanOf, YearAgoMean)):
            continue
        days = [text for window in result.windows if (text := days_of_base(result, window, n, formats))]
        if not days:
            continue
        lines.append(formats.say("{base}: {days}", base=heading(basis, formats), days=", ".join(dict.fromkeys(days))))
    return lines


class _Unknown:
    """Why figures are empty, told once for each reason with the items and windows it is of."""

    def __init__(self, result: Overview, formats: Formats) -> None:
        self.result, self.formats = result, formats
        self._named: dict[tuple[str, int, int], list[str]] = {}
        self.rows = 0

    def add(self, line: Line, window: int, basis: int) -> None:
        """Takes a row in, where its growth is not known and its notes say why."""
        notes = line.of("notes")
        if notes and not np.isfinite(line.of("growth")):
            held = [line.of(name) for name in self.result.by]
            item = item_name(label for label in held if label is not None)
            if line.total:
                item = self.formats.say("Total")
            self._named.setdefault((notes_told(notes, self.formats), window, basis), []).append(item)

    def lines(self) -> list[str]:
        """A line for each reason."""
        by_reason: dict[tuple[str, tuple[str, ...]], list[tuple[int, int]]] = {}
        for (reason, window, basis), names in self._named.items():
            by_reason.setdefault((reason, tuple(dict.fromkeys(names))), []).append((window, basis))
        return [self._line(reason, names, places) for (reason, names), places in by_reason.items()]

    def _line(self, reason: str, names: Sequence[str], places: Sequence[tuple[int, int]]) -> str:
        result, formats = self.result, self.formats
        headings = list(window_headings(result, formats).values())
        where = [headings[w] for w in dict.fromkeys(w for w, _ in places)]
        bases = [heading(result.bases[b], formats) for b in dict.fromkeys(b for _, b in places)]
        named = ", ".join(names[:_NAMED]) if len(names) < self.rows else ""
        if _NAMED < len(names) < self.rows:
            named = formats.say("{names} and {n} more", names=named, n=formats.number(len(names) - _NAMED, 0))
        parts = [named, ", ".join(where) if len(where) < len(result.windows) else ""]
        parts.append(", ".join(bases) if len(bases) < len(result.bases) else "")
        told = formats.dot.join(filter(None, parts))
        return f"{told}: {reason}" if told else capital(reason)
