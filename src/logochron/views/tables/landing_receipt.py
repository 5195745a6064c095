"""How an estimate came about, with the numbers put in."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from logochron.core.questions.landing_facts import LandingFacts
from logochron.views.formats import MINUS, Formats


def estimate_lines(facts: LandingFacts, figures: Mapping[str, Any], formats: Formats, decimals: int) -> list[str]:
    """The arithmetic of an estimate and of its range."""
    minus = "-" if formats.plain else MINUS

    def amount(value: float) -> str:
        return formats.number(float(value), decimals)

    to_date, estimate, profile = float(figures["to_date"]), float(figures["estimate"]), figures["profile"]
    if facts.over:
        return [f"estimate = {amount(estimate)}: the period is over, it is the total"]
    if not np.isfinite(estimate):
        return [f"estimate: none, {amount(to_date)} to date"]
    base = float(figures["base"])
    if facts.rest == "as-was":
        rest = f"base {minus} base to the same point = {amount(base)} {minus} {amount(facts.base_to_date)}"
        lines = [
            f"rest = {rest} = {amount(base - facts.base_to_date)}",
            f"estimate = to date + rest = {amount(to_date)} + {amount(base - facts.base_to_date)} = {amount(estimate)}",
        ]
    else:
        share = formats.number(float(figures["expected_share"]), 4)
        lines = [f"estimate = to date / share usually done by now = {amount(to_date)} / {share} = {amount(estimate)}"]
        if profile == "year-ago":
            done = f"{amount(facts.base_to_date)} / {amount(base)}"
            lines.insert(0, f"share usually done = base to the same point / base = {done} = {share}")
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
    if np.isfinite(figures["low"]):
        low, high = (formats.number(ratio, 4) for ratio in facts.ratios)
        lines.append(
            f"low, high = estimate / the 90 % and 10 % quantiles of estimate / outcome = {amount(estimate)} / {high}, "
            f"{amount(estimate)} / {low} = {amount(figures['low'])}, {amount(figures['high'])}"
        )
    for what in ("base", "plan"):
        if facts.days_left and np.isfinite(figures[what]):
            target, days = float(figures[what]), facts.days_left
            sums = f"({amount(target)} {minus} {amount(to_date)}) / {days} days"
            needed = f"{sums} = {amount((target - to_date) / days)}" if target > to_date else "none, it is reached"
            lines.append(f"needed a day for the {what}: {needed}")
    return lines
