"""From the options of pace and land to an answer shown or written."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from logochron.cli import options
from logochron.cli.asking import (
    alerts_and_items,
    basis_of,
    basis_with_plan,
    books_of,
    formats_of,
    has_settings_plan,
    judging_of,
    tell_alerts,
)
from logochron.cli.calendars import calendar_of
from logochron.cli.showing import figure_drawn, hand_over
from logochron.cli.targets import target_of
from logochron.core.align.bases import Plan
from logochron.core.errors import QuestionError, brief, nearest
from logochron.core.options import Profile, values
from logochron.core.questions.explain import explain
from logochron.core.questions.landing.answer import land
from logochron.core.questions.pace import pace
from logochron.core.rows.result import Result


def answer_pace(sales: tuple[str, ...], asked: dict[str, Any]) -> bool:
    """Line running totals up, and show or write the answer; whether an alert fired."""
    formats, target, judging = formats_of(asked), target_of(asked, sales, "pace"), judging_of(asked)
    alerts, items = alerts_and_items(asked, "pace", judging)
    basis, calendar = basis_with_plan(asked), calendar_of(asked)
    book, plan = books_of(sales, asked, calendar)
    result = pace(
        book,
        asked["within"],
        against=basis,
        plan=plan,
        last=asked["last"],
        exclude=list(asked["exclude"]),
        by=list(options.dimensions(asked["by"])),
        calendar=calendar,
        judging=judging,
        **items,
    )
    shown: Result = explain(result) if asked["receipt"] else result
    figure = None if asked["receipt"] else figure_drawn(result, asked, formats)
    hand_over(shown, target, asked, formats, figure=figure)
    return tell_alerts(alerts, result, formats)


def answer_land(sales: tuple[str, ...], asked: dict[str, Any]) -> bool:
    """Estimate where the period ends, and show or write the answer; whether an alert fired."""
    asked = asked | {"against": asked["against"] or "year-ago"}  # a plan alone is a target, no base
    formats, target, judging = formats_of(asked), target_of(asked, sales, "land"), judging_of(asked)
    if asked["backtest"] and asked["item"] is not None:
        raise QuestionError("--item goes with --figure landing: a back-test is of all items together")
    alerts, items = alerts_and_items(asked, "land", judging)
    profile, calendar = _profile(asked["profile"]), calendar_of(asked)
    basis = basis_of(asked)
    if isinstance(basis, Plan) and asked["plan"] is None and not has_settings_plan(asked):
        raise QuestionError("--against plan needs --plan FILE")
    book, plan = books_of(sales, asked, calendar, target=True)
    result = land(
        book,
        asked["within"],
        against=basis,
        profile=profile,
        rest=asked["rest"],
        each=asked["each"],
        at=asked["at"],
        history=asked["history"],
        plan=plan,
        by=list(options.dimensions(asked["by"])),
        calendar=calendar,
        judging=judging,
        **items,
    )
    shown: Result = explain(result) if asked["receipt"] else result.backtested if asked["backtest"] else result
    if asked["backtest"]:
        asked = asked | {"figure": asked["figure"] or "backtest", "at": None}
    figure = None if asked["receipt"] else figure_drawn(result, asked, formats)
    hand_over(shown, target, asked, formats, figure=figure)
    return tell_alerts(alerts, result.whole, formats)


def _profile(text: str) -> str | Path:
    """The name of a profile, or the file of one."""
    if text in values(Profile):
        return text
    path = Path(text)
    if not path.suffix and "/" not in text:
        hint = nearest(text, values(Profile))
        raise QuestionError(
            f"--profile must be one of {', '.join(values(Profile))}, or a file of shares; got {brief(text)}"
            + (f". Did you mean {hint!r}?" if hint else "")
        )
    return path
