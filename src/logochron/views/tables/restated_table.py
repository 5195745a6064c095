"""The figures that changed since they were reported, as a table for people."""

from __future__ import annotations

import numpy as np

from logochron.core.questions.restated import Restatement
from logochron.views.catalog import everything, message
from logochron.views.decimals import decimals_that_show
from logochron.views.formats import Formats, item_name, words
from logochron.views.tables.spec import Row, TableSpec
from logochron.views.words.titles import column_words

_FIGURES = ("reported", "now", "difference")


def restated_spec(result: Restatement, formats: Formats) -> TableSpec:
    """What was reported, what it is now, and the difference: a row for each figure."""
    columns = result.columns
    labels = [columns[name].tolist() for name in result.by]
    items = list(zip(*labels)) if labels else [()] * columns.rows
    decimals = formats.decimals or decimals_that_show(np.asarray(columns["difference"], dtype=float))
    figures = {
        name: formats.numbers(np.asarray(columns[name], dtype=float), decimals, signed=name == "difference")
        for name in _FIGURES
    }
    rows = []
    for i, item in enumerate(items):
        named = item_name(label for label in item if label is not None)
        whole = everything(words(result.by[0]), formats.language) if result.by else ""
        cells = {
            "measure": words(str(columns["measure"][i])),
            "period": str(columns["period"][i]),
            "dim:items": named or whole,
            "column": column_words(str(columns["column"][i]), formats),
            **{name: figures[name][i] for name in _FIGURES},
            "note": str(columns["note"][i]),
        }
        rows.append(Row(cells, "", figures={name: float(columns[name][i]) for name in _FIGURES}))
    split = {"dim:items": " / ".join(map(words, result.by))} if result.by else {}
    return TableSpec(
        title=formats.count(
            len(rows), "{n} figure changed since it was reported", "{n} figures changed since they were reported"
        ),
        unit="",
        headings={
            **{name: column_words(name, formats) for name in ("measure", "period")},
            **split,
            **{name: column_words(name, formats) for name in ("column", *_FIGURES)},
            "note": "",
        },
        numeric=frozenset(_FIGURES),
        rows=tuple(rows),
        lines=(),
        empty=message("All figures stand as they were reported."),
    )
