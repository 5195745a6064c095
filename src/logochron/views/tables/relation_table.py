"""A relation as a table for people."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from logochron.core.book.measures import Measure
from logochron.core.days import to_days
from logochron.core.judge.judging import verdict
from logochron.core.options import DIRECTIONS, VERDICTS
from logochron.core.questions.relate import Relation
from logochron.core.rows.columns import COLUMNS
from logochron.views.formats import Formats, capital, shortened, words
from logochron.views.marks import Marks, marks_of
from logochron.views.tables.item_rows import Line, decimals_of, item_cells, item_headings, lines_of
from logochron.views.tables.spec import ALL, Row, Shown, TableSpec
from logochron.views.words.titles import against_words, coverage_line, period_label, subject, unit


def relation_spec(result: Relation, measure: Measure, formats: Formats, shown: Shown = ALL) -> TableSpec:
    """The table of one measure: each item beside its reference, now and before."""
    decimals = decimals_of(result, measure, formats, "reference", "gap")
    judging = result.judgings[measure.name]
    marks = marks_of(judging, formats)
    verdicts = verdict(np.arange(len(DIRECTIONS), dtype=np.int8), measure.better, judging)
    # a relation has no verdict of its own: that of each direction
    signs = {one: marks.sign(one, VERDICTS[of]) for one, of in zip(DIRECTIONS, verdicts.tolist())}
    periods = list(lines_of(result, measure, shown))
    moved = [line for period in periods for line in period if not line.total and not line.subtotal]
    width = max((len(formats.points(line.columns["ratio_change"][line.i])) for line in moved), default=1)
    rows = []
    for period in periods:
        rows += [
            _row(result, line, decimals, formats, marks, signs, width, starts=n == 0) for n, line in enumerate(period)
        ]
    noted = any(row.cells.get("note") for row in rows)
    return TableSpec(
        title=f"{subject(result, measure, split=True)}{formats.dot}beside {beside_words(result)}",
        unit=unit(measure, formats),
        headings={
            "period": COLUMNS["period"].heading,
            **item_headings(result),
            "value": capital(words(measure.name)),
            **({"reference": COLUMNS["reference_item"].heading} if result.beside == "largest" else {}),
            "base": COLUMNS["reference"].heading,
            **({"change": COLUMNS["gap"].heading} if result.beside != "total" else {}),
            "ratio": COLUMNS["ratio"].heading,
            "bar": "",
            "before": COLUMNS["ratio_before"].heading,
            "growth": COLUMNS["ratio_change"].heading,
            **({"note": ""} if noted else {}),
        },
        numeric=frozenset({"value", "base", "change", "ratio", "before", "growth"}),
        rows=tuple(rows),
        lines=(
            f"Ratio: {words(measure.name)} divided by {beside_words(result)}; before: {against_words(result)}; "
            "change in percentage points",
            *result.notes,
            coverage_line(result, formats),
        ),
    )


def beside_words(result: Relation) -> str:
    """What items are held beside, as a title calls it."""
    what = _short(result)
    if result.beside in ("total", "largest", "mean"):
        what = f"the {what}"
    return what + (f" of the same {words(result.within)}" if result.within else "")


def _short(result: Relation) -> str:
    return shortened(result.beside.removeprefix("item:"))


def _row(
    result: Relation,
    line: Line,
    decimals: int,
    formats: Formats,
    marks: Marks,
    signs: Mapping[str, str],
    width: int,
    *,
    starts: bool,
) -> Row:
    table, i = line.columns, line.i
    start, end = (int(to_days(table[name][i])) for name in ("start", "end"))
    label = result.periods[int(table["period"][i])]
    sign = signs[table["direction"][i]]
    moved = "level" if table["direction"][i] == "level" else formats.points(table["ratio_change"][i])
    named = {
        "period": period_label(result, label, table["status"][i], start, end, formats) if starts else "",
        **item_cells(result, line),
        "value": formats.number(table["value"][i], decimals),
    }
    held = result.beside == "total" and not np.isnan(table["ratio"][i])
    if (line.subtotal or line.total) and not held:  # a sum of items is no item
        return Row(named, "", line.total, False, line.depth, line.subtotal)
    cells = named | {
        "reference": shortened(table["reference_item"][i] or ""),
        "base": formats.number(table["reference"][i], decimals),
        "change": formats.number(table["gap"][i], decimals, signed=True),
        "ratio": formats.part(table["ratio"][i]),
        "bar": formats.bar(table["ratio"][i]),
        "before": formats.part(table["ratio_before"][i]),
        "growth": marks.cell(sign, moved, max(width, 5)),
        "note": table["note"][i],
    }
    return Row(cells, "", line.total, starts, line.depth, line.subtotal)
