"""What the calendar did to a figure: weekdays, leap days, 53rd weeks and public holidays on one side only."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from logochron.core import ports
from logochron.core.calendars.base import Calendar
from logochron.core.calendars.months import is_leap_day
from logochron.core.days import Days, iso, to_days
from logochron.core.options import WEEKDAYS

_SATURDAY = 5


@dataclass(frozen=True)
class SideSpan:
    """One run of days behind a figure: its days by weekday from Monday, its records and their sum."""

    side: str
    start: int
    end: int
    days: int
    weekdays: tuple[int, ...]
    records: int
    sum: float
    parts: tuple[tuple[str, float], ...] = ()  # of a difference or quotient what it is made of, by name

    @property
    def weekend_days(self) -> int:
        """Saturdays and Sundays."""
        return sum(self.weekdays[_SATURDAY:])


def calendar_effects(calendar: Calendar, each: str, spans: tuple[SideSpan, ...]) -> list[str]:
    """What the calendar did: where one side has a weekend day or a 29 February more than the other."""
    sides = {side: [span for span in spans if span.side == side] for side in ("value", "base")}
    if len(sides["value"]) != 1 or len(sides["base"]) != 1:
        return []
    (value,), (base,) = sides["value"], sides["base"]
    effects = []
    differ = [mine - theirs for mine, theirs in zip(value.weekdays, base.weekdays)]
    if len(set(differ)) > 1 and max(map(abs, differ)) == 1:
        said = [f"a {name} {'more' if more > 0 else 'less'}" for name, more in zip(WEEKDAYS, differ) if more]
        effects.append(f"weekdays: {', '.join(said)} in the value than in the base")
    leaps = [is_leap_day(np.arange(span.start, span.end + 1)).any() for span in (value, base)]
    for mine, theirs, which in ((leaps[0], leaps[1], "value"), (leaps[1], leaps[0], "base")):
        if mine and not theirs:
            effects.append(f"29 February lies in the {which} only")
    weeks = [", ".join(_weeks_53(calendar, each, span)) for span in (value, base)]
    for week, other, which in ((weeks[0], weeks[1], "value"), (weeks[1], weeks[0], "base")):
        if week and not other:
            effects.append(f"week 53 ({week}) lies in the {which} only")
    return effects


def _weeks_53(calendar: Calendar, each: str, span: SideSpan) -> list[str]:
    """The 53rd weeks that a span touches, where the calendar counts weeks."""
    if "week" not in calendar.grains or not (calendar.whole_weeks or each == "week"):
        return []
    weeks: Days = np.unique(calendar.ordinals("week", np.arange(span.start, span.end + 1)))
    return [str(label) for label in calendar.labels("week", weeks[calendar.places("week", weeks)[1] == 53])]


def holiday_effects(spans: tuple[SideSpan, ...], code: str | None) -> list[str]:
    """The public holidays that lie on one side and not, by name, on the other."""
    if code is None or {span.side for span in spans} != {"value", "base"}:
        return []
    found = ports.holidays(code, min(s.start for s in spans), max(s.end for s in spans))
    days: Days = to_days(np.array(sorted(found), dtype=np.int64))
    on: dict[str, dict[str, int]] = {"value": {}, "base": {}}
    for span in spans:
        for day in days[(days >= span.start) & (days <= span.end)].tolist():
            on[span.side][found[day]] = day
    lines = []
    for side, other in (("value", "base"), ("base", "value")):
        named = [f"{name} ({iso(day)})" for name, day in on[side].items() if name not in on[other]]
        if named:
            lines.append(f"public holidays of {code} in the {side} only: {', '.join(named)}")
    return lines or [f"the same public holidays of {code} on both sides"]
