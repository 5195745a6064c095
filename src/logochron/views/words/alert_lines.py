"""Alerts as lines: which rows fire, and which cannot be told."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from logochron.core.questions.alerts import Alert, Fired
from logochron.core.questions.relate import JOINED
from logochron.core.rows.answer import Answer
from logochron.views.formats import Formats, plural, words

_PARTS = frozenset({"growth", "ratio", "share", "base_share", "contribution", "ratio_before", "ratio_change"})


def alert_lines(alert: Alert, found: list[Fired], answer: Answer, formats: Formats) -> list[str]:
    """What one alert has to say; a line a row."""
    fires = [_row(kind.columns, int(i), alert, answer, formats) for kind in found for i in kind.rows]
    unknown = [_row(kind.columns, int(i), alert, answer, formats) for kind in found for i in kind.unknown]
    told = "fires" if fires else "does not fire"
    lines = [f"logochron: alert {alert} {told} in {answer.periods[-1]}" + ":" * bool(fires)]
    lines += [f"  {row}" for row in fires]
    if unknown:
        lines += ["  not known, so not judged:", *(f"  {row}" for row in unknown)]
    return lines


def _row(columns: Mapping[str, NDArray[Any]], i: int, alert: Alert, answer: Answer, formats: Formats) -> str:
    labels = [str(columns[name][i]) for name in answer.by if columns[name][i] is not None]
    rest = answer.by[len(labels) :]
    item = JOINED.join(labels + [f"all {plural(words(name))}" for name in rest[:1]])
    named = ", ".join([words(str(columns["measure"][i])), *([item] if item else [])])
    value = columns[alert.column][i]
    told = f"{named}: {words(alert.column)} {_figure(alert.column, value, formats)}"
    if alert.column not in ("value", "growth") and "growth" in columns and np.isfinite(columns["growth"][i]):
        told += f", growth {formats.growth(columns['growth'][i])}"
    return told + (f" ({columns['note'][i]})" if columns["note"][i] else "")


def _figure(column: str, value: Any, formats: Formats) -> str:
    if isinstance(value, (float, np.floating)):
        if not np.isfinite(value):
            return formats.dash
        if column in ("growth", "ratio_change", "contribution"):
            return formats.growth(float(value))
        return formats.part(float(value)) if column in _PARTS else formats.number(float(value), 2)
    return formats.dash if value is None else str(value)
