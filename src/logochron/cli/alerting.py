"""Alerts of the command line: checked before anything is read, told where they fire."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import replace

from logochron.cli import expressions
from logochron.cli.speaking import say
from logochron.core.errors import QuestionError
from logochron.core.judge.judging import Judging
from logochron.core.questions.alerts import Alert, check_alert, fired
from logochron.core.rows.answer import AlignedAnswer
from logochron.core.rows.columns import column_named, columns_of
from logochron.views.formats import Formats
from logochron.views.words.alert_lines import alert_lines


def alerts_of(
    texts: tuple[str, ...], answer: str, dimensions: Collection[str], judging: Judging, headings: Mapping[str, str]
) -> list[Alert]:
    """The alerts that the options ask for.

    Parameters
    ----------
    headings
        Headings of the user's own, and the columns they stand for.

    Raises
    ------
    QuestionError
        Where one is malformed, or of a column or a word that the answer does not have.
    """
    alerts = [expressions.alert(text) for text in texts]
    known = {**headings, **{name: name for name in dimensions}}
    alerts = [replace(alert, column=column_named(answer, alert.column, known)) for alert in alerts]
    bands = tuple(band.name for band in judging.bands)
    for alert in alerts:
        if alert.column == "band" and not bands and "band" in columns_of(answer):
            raise QuestionError(f"--alert {str(alert)!r} is about bands, and none is named: name them by --band")
        check_alert(alert, answer, dimensions, bands)
    return alerts


def told(alerts: list[Alert], answer: AlignedAnswer, formats: Formats) -> bool:
    """Tells on standard error for which rows alerts fire, or cannot be told; whether any fired."""
    any_fired = False
    for alert in alerts:
        found = fired(alert, answer)
        any_fired |= any(len(kind.rows) for kind in found)
        for line in alert_lines(alert, found, answer, formats):
            say(line, named=False)
    return any_fired
