"""Lines about what is to be looked at: alerts that fired, figures that changed since they were reported."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

import numpy as np

from logochron.core.errors import visible
from logochron.core.questions.alerts import Alert, Fired
from logochron.core.questions.relate import JOINED
from logochron.core.questions.restated import Restatement
from logochron.core.rows.answer import AlignedAnswer
from logochron.views.catalog import everything, message
from logochron.views.decimals import decimals_that_show
from logochron.views.formats import Formats, item_name, words
from logochron.views.words.titles import column_words


def alert_lines(alert: Alert, found: list[Fired], answer: AlignedAnswer, formats: Formats) -> list[str]:
    """What one alert has to say; a line a row."""
    if not found:
        return [f"alert {alert} does not fire: the answer has no rows"]
    fires: list[str] = []
    unknown: list[str] = []
    for grouping in found:
        told = _rows(grouping, alert, answer, formats)
        fires += map(told, grouping.rows.tolist())
        unknown += map(told, grouping.unknown.tolist())
    lines = [f"alert {alert} {'fires' if fires else 'does not fire'} in {answer.periods[-1]}"]
    lines[0] += ":" * bool(fires)
    lines += [f"  {row}" for row in fires]
    if unknown:
        lines += ["  not known, so not judged:", *(f"  {row}" for row in unknown)]
    return lines


def _rows(grouping: Fired, alert: Alert, answer: AlignedAnswer, formats: Formats) -> Callable[[int], str]:
    """Tells a row of a grouping, whose columns are laid out once."""
    columns = grouping.columns
    texts = {name: answer.texts(columns, name) for name in ("measure", *answer.by)}
    own = answer.type.has_column
    notes = answer.texts(columns, "note") if own("note") else None
    growth = columns["growth"] if alert.column not in ("value", "growth") and own("growth") else None
    kind = answer.type.holds(alert.column)

    def told(i: int) -> str:
        labels = [visible(str(label)) for name in answer.by if (label := texts[name][i]) is not None]
        rest = answer.by[len(labels) :]
        item = JOINED.join(labels + [everything(words(name), formats.language) for name in rest[:1]])
        named = ", ".join([words(texts["measure"][i]), *([item] if item else [])])
        line = f"{named}: {words(alert.column)} {_figure(kind, grouping.values[i], formats)}"
        if growth is not None and np.isfinite(growth[i]):
            line += f", growth {formats.growth(growth[i])}"
        return line + (f" ({notes[i]})" if notes is not None and notes[i] else "")

    return told


def _figure(kind: str, value: Any, formats: Formats) -> str:
    """A figure as its kind is written."""
    if kind == "truth":
        return {"true": "True", "false": "False"}.get(value, formats.dash)
    if value is None or (isinstance(value, float) and not np.isfinite(value)):
        return formats.dash
    if kind in ("change", "points"):
        return formats.growth(float(value))
    if kind == "part":
        return formats.part(float(value))
    return formats.number(float(value), 2) if kind in ("amount", "difference", "days") else str(value)


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
