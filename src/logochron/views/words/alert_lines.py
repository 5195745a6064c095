"""Alerts as lines: which rows fire, and which cannot be told."""

from __future__ import annotations

from typing import Any

import numpy as np

from logochron.core.questions.alerts import Alert, Fired
from logochron.core.questions.relate import JOINED
from logochron.core.rows.answer import AlignedAnswer
from logochron.core.rows.blocks import Blocks
from logochron.core.rows.columns import kind_of
from logochron.views.formats import Formats, words
from logochron.views.words.catalog import everything


def alert_lines(alert: Alert, found: list[Fired], answer: AlignedAnswer, formats: Formats) -> list[str]:
    """What one alert has to say; a line a row."""
    if not found:
        return [f"logochron: alert {alert} does not fire: the answer has no rows"]
    fires = [_row(tier.columns, int(i), alert, answer, formats) for tier in found for i in tier.rows]
    unknown = [_row(tier.columns, int(i), alert, answer, formats) for tier in found for i in tier.unknown]
    told = "fires" if fires else "does not fire"
    lines = [f"logochron: alert {alert} {told} in {answer.periods[-1]}" + ":" * bool(fires)]
    lines += [f"  {row}" for row in fires]
    if unknown:
        lines += ["  not known, so not judged:", *(f"  {row}" for row in unknown)]
    return lines


def _row(columns: Blocks, i: int, alert: Alert, answer: AlignedAnswer, formats: Formats) -> str:
    def text(name: str) -> Any:
        return answer.texts(columns, name)[i]

    labels = [str(label) for name in answer.by if (label := text(name)) is not None]
    rest = answer.by[len(labels) :]
    item = JOINED.join(labels + [everything(words(name)) for name in rest[:1]])
    named = ", ".join([words(text("measure")), *([item] if item else [])])
    kind = kind_of(answer.kind, alert.column)
    value = text(alert.column) if kind in ("word", "label") else columns[alert.column][i]
    told = f"{named}: {words(alert.column)} {_figure(kind, value, formats)}"
    if alert.column not in ("value", "growth") and "growth" in columns and np.isfinite(columns["growth"][i]):
        told += f", growth {formats.growth(columns['growth'][i])}"
    return told + (f" ({text('note')})" if text("note") else "")


def _figure(kind: str, value: Any, formats: Formats) -> str:
    """A figure as its kind is written."""
    if kind == "truth":
        return {1: "True", 0: "False"}.get(int(value), formats.dash)
    if value is None or (isinstance(value, float) and not np.isfinite(value)):
        return formats.dash
    if kind == "change":
        return formats.growth(float(value))
    if kind == "part":
        return formats.part(float(value))
    return formats.number(float(value), 2) if kind in ("amount", "days") else str(value)
