"""A relation as a table for people."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from logochron.core.book.measures import Measure
from logochron.core.days import to_days
from logochron.core.judge.judging import verdict
from logochron.core.options import DIRECTIONS, VERDICTS
from logochron.core.questions.relate import Relation
from logochron.views.catalog import message
from logochron.views.formats import Formats, capital, shortened, words
from logochron.views.marks import Marks, marks_of
from logochron.views.tables.item_rows import Line, decimals_of, item_cells, item_headings, lines_of
from logochron.views.tables.spec import ALL, Row, Shown, TableSpec
from logochron.views.words.periods import beside_label
from logochron.views.words.titles import (
    against_words,
    beside_words,
    column_words,
    coverage_line,
    period_label,
    subject,
    unit,
)

_RATIO = message("Ratio: {measure} divided by {reference}; before: {base}; change in percentage points")


def relation_spec(result: Relation, measure: Measure, formats: Formats, shown: Shown = ALL) -> TableSpec:
    """The table of one measure: each item beside its reference, now and before."""
    decimals = decimals_of(result, measure, formats, "reference", "gap")
    judging = result.judgings[measure.name]
    marks = marks_of(judging, formats)
    verdicts = verdict(np.arange(len(DIRECTIONS), dtype=np.int8), measure.better, judging)
    # a relation has no verdict of its own: that of each direction
    signs = {one: marks.sign(one, VERDICTS[of]) for one, of in zip(DIRECTIONS, verdicts.tolist())}
    periods = list(lines_of(result, measure, formats, shown))
    moved = [line for period in periods for line in period if not line.total and not line.subtotal]
    width = max((len(formats.points(line.columns["ratio_change"][line.i])) for line in moved), default=1)
    rows = []
    for period in periods:
        rows += [
            _row(result, line, decimals, formats, marks, signs, width, starts=n == 0) for n, line in enumerate(period)
        ]
    noted = any(row.cells.get("note") for row in rows)
    beside = beside_words(result, formats)
    return TableSpec(
        title=subject(result, measure, formats, split=True)
        + formats.dot
        + formats.say("beside {reference}", reference=beside),
        unit=unit(measure, formats),
        headings={
            "period": column_words("period", formats),
            **({"when": ""} if any(row.cells.get("when") for row in rows) else {}),
            **item_headings(result),
            "value": capital(words(measure.name)),
            **({"reference": column_words("reference_item", formats)} if result.beside == "largest" else {}),
            "base": column_words("reference", formats),
            **({"change": column_words("gap", formats)} if result.beside != "total" else {}),
            "ratio": column_words("ratio", formats),
            "bar": "",
            "before": column_words("ratio_before", formats),
            "growth": column_words("ratio_change", formats),
            **({"note": ""} if noted else {}),
        },
        numeric=frozenset({"value", "base", "change", "ratio", "before", "growth"}),
        rows=tuple(rows),
        marks_after=marks.after,
        lines=(
            formats.say(_RATIO, measure=words(measure.name), reference=beside, base=against_words(result, formats)),
            *result.notes,
            coverage_line(result, formats),
        ),
    )


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
    moved = formats.say("level") if table["direction"][i] == "level" else formats.points(table["ratio_change"][i])
    named = {
        "period": period_label(result, label, table["status"][i], start, end, formats) if starts else "",
        "when": beside_label(result, start, end, table["status"][i], formats) if starts else "",
        **item_cells(result, line),
        "value": formats.number(table["value"][i], decimals),
    }
    held = result.beside == "total" and not np.isnan(table["ratio"][i])
    if (line.subtotal or line.total) and not held:  # a sum of items is no item
        figures = line.figures("value")
        return Row(named, "", line.total, False, line.depth, line.subtotal, figures=figures, source=line.source)
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
    figures = line.figures(
        "value", "ratio", base="reference", change="gap", before="ratio_before", growth="ratio_change"
    )
    return Row(cells, "", line.total, starts, line.depth, line.subtotal, figures=figures, source=line.source)
