"""Alerts of the command line: checked before anything is read, told where they fire."""

from __future__ import annotations

from collections.abc import Collection

import click

from logochron.cli import expressions
from logochron.core.errors import QuestionError
from logochron.core.judge.judging import DIRECTIONS, VERDICTS, Judging
from logochron.core.questions.alerts import Alert, check_alert, fired
from logochron.core.rows.answer import Answer
from logochron.views.formats import Formats
from logochron.views.words.alert_lines import alert_lines

#: Columns of words, each with all that it may hold; none named: anything.
_WORDS: dict[str, tuple[str, ...]] = {
    "direction": DIRECTIONS,
    "verdict": VERDICTS,
    "status": ("complete", "to-date", "partial"),
    "unusual": ("true", "false"),
    **dict.fromkeys(("measure", "base_period", "reference_item", "note"), ()),
}


def alerts_of(
    texts: tuple[str, ...], columns: tuple[str, ...], dimensions: Collection[str], judging: Judging
) -> list[Alert]:
    """The alerts that the options ask for.

    Raises
    ------
    QuestionError
        Where one is malformed, or of a column or a word that the answer does not have.
    """
    alerts = [expressions.alert(text) for text in texts]
    bands = tuple(band.name for band in judging.bands)
    for alert in alerts:
        if alert.column == "band" and not bands:
            raise QuestionError(f"--alert {str(alert)!r} is about bands, and none is named: name them by --band")
        words = _WORDS | dict.fromkeys(dimensions, ()) | {"band": bands}
        check_alert(alert, (*columns, *dimensions), words)
    return alerts


def told(alerts: list[Alert], answer: Answer, formats: Formats) -> bool:
    """Tells on standard error for which rows alerts fire, or cannot be told; whether any fired."""
    any_fired = False
    for alert in alerts:
        found = fired(alert, answer)
        any_fired |= any(len(kind.rows) for kind in found)
        for line in alert_lines(alert, found, answer, formats):
            click.echo(line, err=True)
    return any_fired
