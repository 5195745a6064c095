"""The way of a running total to its landing: day by day, beside that of its base and of its plan."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from logochron.core.book.daybook import Daybook
from logochron.core.book.exact import divided
from logochron.core.calendars.base import Bools
from logochron.core.days import Days
from logochron.core.questions.estimates import Method, base_sums, planned_of, share_of
from logochron.core.questions.landing_rows import LandingRows
from logochron.core.questions.profiles import Points
from logochron.core.rows.figures import Floats


class LandingPath(NamedTuple):
    """By day of the period what is sold up to it (NaN after the report date), and base and plan up to its place.

    `expected`, `low` and `high` go on from the report date to the estimate and its range; NaN before, and where there
    are none. `plan` is None where none is given.
    """

    days: Days
    running: Floats
    base: Floats
    plan: Floats | None
    expected: Floats
    low: Floats
    high: Floats


class _Sides(NamedTuple):
    """What is sold up to each point of one item, and base and plan up to its place; the base of its whole period."""

    points: Points
    running: Floats
    base_cut: Floats
    base: Floats
    plan: Floats | None

    @classmethod
    def of(cls, method: Method, rows: LandingRows, periods: Points, target: Daybook | None) -> _Sides:
        """Those of all days of some periods, one after the other."""
        of = np.repeat(np.arange(len(periods.cuts)), periods.days)
        days = np.concatenate([np.arange(low, high + 1) for low, high in zip(periods.starts, periods.ends)])
        days = np.unique(method.standing.known_until(periods.starts[of], days))
        of = np.searchsorted(periods.starts, days, side="right") - 1
        points = Points(periods.ordinals[of], periods.starts[of], periods.ends[of], days)
        planned = planned_of(method, rows, points, target)
        base_cut, base = planned or base_sums(method, rows, points)
        cuts = periods.cuts[of]
        sums = rows.sums((points.starts[None], np.minimum(days, cuts)[None]))[:, 0]
        running = np.where(days <= cuts, sums, np.nan)
        plan = None
        if target is not None:
            plan = _of_one(rows.planned(target, points.starts, days)[0], days)
        return cls(points, running, _of_one(base_cut, days), _of_one(base, days), plan)


def _of_one(values: Floats, days: Days) -> Floats:
    """Values of one item, or the same for all days, by day."""
    return np.broadcast_to(values, (len(days), 1))[:, 0]


def landing_path(
    method: Method, rows: LandingRows, now: Points, target: Daybook | None, ends: tuple[float, float, float]
) -> LandingPath:
    """The way to an estimate and its range, shaped by the profile; of one item.

    Parameters
    ----------
    method
        With the profile that was chosen.
    ends
        Estimate, low and high, NaN where they are not known.
    """
    sides = _Sides.of(method, rows, now, target)
    points, days, end, cut = sides.points, sides.points.cuts, int(now.ends[0]), int(now.cuts[0])
    today = int(np.searchsorted(days, cut))
    to_date = float(sides.running[today])
    if now.over[0]:  # nothing is left to be shaped
        share = np.ones(len(days))
    elif method.rest == "as-was":
        share = sides.base_cut - sides.base_cut[today]
    else:
        bases, known = (sides.base_cut[:, None], sides.base[:, None]), np.full(len(days), cut)
        found = share_of(method, method.profile, rows, points, bases, known)
        share = _of_one(np.where(points.over[:, None], 1.0, found), days)
    ahead: Bools = days >= cut
    at_cut, whole = share[today], share[-1]
    straight = (days - cut) / max(end - cut, 1)
    usable = np.isfinite(share).all() and whole > at_cut
    progress = divided(share - at_cut, whole - at_cut, np.full(len(days), usable)) if usable else straight
    made = [np.where(ahead, to_date + (reached - to_date) * progress, np.nan) for reached in ends]
    return LandingPath(days, sides.running, sides.base_cut, sides.plan, *made)


def ended_paths(method: Method, rows: LandingRows, periods: Points, target: Daybook | None) -> list[LandingPath]:
    """The ways of periods that are over, all at once: each reached what it came to."""
    sides = _Sides.of(method, rows, periods, target)
    over = np.where(sides.points.over, sides.running, np.nan)
    bounds = np.searchsorted(sides.points.cuts, np.append(periods.starts, periods.ends[-1] + 1))
    made = []
    for low, high in zip(bounds[:-1], bounds[1:]):
        plan = None if sides.plan is None else sides.plan[low:high]
        reached = [over[low:high]] * 3
        made.append(
            LandingPath(sides.points.cuts[low:high], sides.running[low:high], sides.base_cut[low:high], plan, *reached)
        )
    return made
