"""Figures that changed since they were reported, in lines."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from logochron.core.errors import visible
from logochron.core.questions.restated import Restatement
from logochron.views.catalog import message
from logochron.views.decimals import decimals_that_show
from logochron.views.formats import Formats, item_name, words
from logochron.views.words.titles import column_words

_CHANGED = (
    message("{n} figure of a complete period changed since it was reported:"),
    message("{n} figures of complete periods changed since they were reported:"),
)
_LINE = message("{heading}: {figure} was {reported}, is {now} ({difference})")
_MORE = message("and {n} more: {file} has all")


def restated_lines(restated: Mapping[str, Restatement], formats: Formats, most: int, file: str) -> list[str]:
    """What changed in each section, at most so many figures; all are in a file. Nothing where all stand."""
    many = sum(one.columns.rows for one in restated.values())
    if not many:
        return []
    lines = [formats.count(many, *_CHANGED)]
    for heading, one in restated.items():
        columns = one.columns
        for i in range(min(columns.rows, most - len(lines) + 1)):
            labels = [columns[name][i] for name in one.by]
            item = item_name(label for label in labels if label is not None)
            figure = [words(str(columns["measure"][i])), str(columns["period"][i]), item]
            figure.append(column_words(str(columns["column"][i]), formats).casefold())
            then, now, moved = (float(columns[name][i]) for name in ("reported", "now", "difference"))
            note, decimals = str(columns["note"][i]), decimals_that_show(np.array([moved]))
            lines.append(
                formats.say(
                    _LINE,
                    heading=visible(heading),
                    figure=", ".join(filter(None, figure)),
                    reported=formats.number(then, decimals),
                    now=formats.number(now, decimals),
                    difference=note or formats.number(moved, decimals, signed=True),
                )
            )
    if many > len(lines) - 1:
        lines.append(formats.say(_MORE, n=formats.number(many - len(lines) + 1, 0), file=file))
    return lines
