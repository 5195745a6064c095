"""How an estimate came about, with the numbers put in."""

from __future__ import annotations

from collections.abc import Mapping
from operator import add, sub, truediv
from typing import Any

import numpy as np

from logochron.core.questions.landing_facts import LandingFacts
from logochron.views.tables.receipt_arithmetic import Arithmetic

#: Decimals of shares and of quotients that estimates are reckoned with, where no more are needed.
_SHARES = 4


def estimate_lines(facts: LandingFacts, figures: Mapping[str, Any], sums: Arithmetic) -> list[str]:
    """The arithmetic of an estimate and of its range."""
    minus, formats, decimals = sums.minus, sums.formats, sums.decimals

    def amount(value: float) -> str:
        return formats.number(float(value), decimals)

    to_date, estimate, profile = float(figures["to_date"]), float(figures["estimate"]), figures["profile"]
    if facts.over:
        return [f"estimate = {amount(estimate)}: the period is over, it is the total"]
    if not np.isfinite(estimate):
        return [f"estimate: none, {amount(to_date)} to date"]
    base = float(figures["base"])
    if facts.rest == "as-was":
        rest = base - facts.base_to_date
        text = f"rest = base {minus} base to the same point = {{0}} {minus} {{1}} = {{2}}"
        lines = [sums.line(text, [base, facts.base_to_date], rest, sub)]
        text = "estimate = to date + rest = {0} + {1} = {2}"
        lines.append(sums.line(text, [to_date, rest], estimate, add))
    else:
        share = float(figures["expected_share"])
        text = "estimate = to date / share usually done by now = {0} / {1} = {2}"
        lines = [sums.line(text, [to_date, share], estimate, truediv, least=[decimals, _SHARES])]
        if profile == "year-ago":
            of_shares = Arithmetic(formats, _SHARES)
            text = "share usually done = base to the same point / base = {0} / {1} = {2}"
            least = [decimals, decimals]
            lines.insert(0, of_shares.line(text, [facts.base_to_date, base], share, truediv, least=least))
        told = [f"{name} {formats.part(error)} ({past})" for name, (error, past) in facts.tried.items() if past]
        if len(facts.tried) > 1:
            lines.append(
                f"profile: {profile}, as typical errors at this point were (past periods): {', '.join(told)}"
                if told
                else f"profile: {profile}, as no past period is known"
            )
        else:
            lines.append(f"profile: {profile}")
    if np.isfinite(figures["typical_error"]):
        error = formats.part(float(figures["typical_error"]))
        lines.append(
            f"typical error = {error}, the median of |estimate / outcome {minus} 1|, past periods: {facts.past}"
        )
        if facts.a_day_earlier:
            many = f"{facts.a_day_earlier} of them" if facts.a_day_earlier < facts.past else "all"
            lines.append(
                f"past periods: {many} looked at a day earlier, as the same point there is their last day, on which "
                "nothing is left to estimate"
            )
    if np.isfinite(figures["low"]):
        low, high = facts.ratios
        for name, quantile, ratio in (("low", "90 %", high), ("high", "10 %", low)):
            end = float(figures[name])
            text = f"{name} = estimate / the {quantile} quantile of estimate / outcome = {{0}} / {{1}} = {{2}}"
            if np.isclose(estimate / ratio, end):
                lines.append(sums.line(text, [estimate, ratio], end, truediv, least=[decimals, _SHARES]))
            else:
                lines.append(f"{name} = {amount(end)}: what is sold to date, as no amount is negative")
    for what in ("base", "plan"):
        if facts.days_left and np.isfinite(figures[what]):
            target, days = float(figures[what]), facts.days_left
            text = f"needed a day for the {what}: ({{0}} {minus} {{1}}) / {days} days = {{2}}"
            needed = (target - to_date) / days
            if target > to_date:
                lines.append(sums.line(text, [target, to_date], needed, lambda a, b, days=days: (a - b) / days))
            else:
                lines.append(f"needed a day for the {what}: none, it is reached")
    return lines
