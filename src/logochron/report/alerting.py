"""Alerts: checked before anything is read, told where they fire."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import replace

from logochron.core.errors import QuestionError
from logochron.core.judge.judging import Judging
from logochron.core.questions.alerts import Alert, check_alert, fired
from logochron.core.rows.answer import AlignedAnswer
from logochron.core.rows.question_types import question_type
from logochron.report import expressions
from logochron.views.formats import Formats
from logochron.views.words.sentences import alert_lines


def alerts_of(
    texts: Sequence[str],
    answer: str,
    dimensions: Collection[str],
    judging: Judging,
    headings: Mapping[str, str],
    option: str = "--alert",
) -> list[Alert]:
    """The alerts that texts ask for.

    Parameters
    ----------
    headings
        Headings of the user's own, and the columns they stand for.
    option
        What the texts are called that hold them.

    Raises
    ------
    QuestionError
        Where one is malformed, or of a column or a word that the answer does not have.
    """
    alerts = [expressions.alert(text, option) for text in texts]
    known = {**headings, **{name: name for name in dimensions}}
    of_answer = question_type(answer)
    alerts = [replace(alert, column=of_answer.column_named(alert.column, known)) for alert in alerts]
    bands = tuple(band.name for band in judging.bands)
    for alert in alerts:
        if alert.column == "band" and not bands and of_answer.has_column("band"):
            named = "--band" if option == "--alert" else "[[judging.band]]"
            raise QuestionError(f"{option} {str(alert)!r} is about bands, and none is named: name them by {named}")
        check_alert(alert, answer, dimensions, bands)
    return alerts


def alert_lines_of(alerts: Sequence[Alert], answer: AlignedAnswer, formats: Formats) -> tuple[list[str], bool]:
    """For which rows alerts fire, or cannot be told, in lines; whether any fired."""
    lines: list[str] = []
    any_fired = False
    for alert in alerts:
        found = fired(alert, answer)
        any_fired |= any(len(kind.rows) for kind in found)
        lines += alert_lines(alert, found, answer, formats)
    return lines, any_fired
