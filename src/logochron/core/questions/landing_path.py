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
    start, end, cut = (int(side[0]) for side in (now.starts, now.ends, now.cuts))
    days = np.arange(start, end + 1)
    days = np.unique(method.standing.known_until(np.full(len(days), start), days))
    ordinals, starts, ends_of = (np.repeat(side, len(days)) for side in now[:3])
    points = Points(ordinals, starts, ends_of, days)
    planned = planned_of(method, rows, points, target)
    base_cut, base = planned or base_sums(method, rows, points)
    done = np.where(days <= cut, rows.sums((points.starts[None], np.minimum(days, cut)[None]))[:, 0], np.nan)
    today = int(np.searchsorted(days, cut))
    to_date = float(done[today])
    if now.over[0]:  # nothing is left to be shaped
        share = np.ones((len(days), 1))
    elif method.rest == "as-was":
        share = base_cut - base_cut[today]
    else:
        known = np.full(len(days), cut)
        share = share_of(method, method.profile, rows, points, (base_cut, base), known)
        share = np.where(points.over[:, None], 1.0, share)
    share = np.broadcast_to(share, (len(days), 1))[:, 0]
    ahead: Bools = days >= cut
    at_cut, whole = share[today], share[-1]
    straight = (days - cut) / max(end - cut, 1)
    usable = np.isfinite(share).all() and whole > at_cut
    progress = divided(share - at_cut, whole - at_cut, np.full(len(days), usable)) if usable else straight
    made = [np.where(ahead, to_date + (reached - to_date) * progress, np.nan) for reached in ends]
    plan = None
    if target is not None:
        plan = np.broadcast_to(rows.planned(target, points.starts, days)[0], (len(days), 1))[:, 0]
    return LandingPath(days, done, np.broadcast_to(base_cut, (len(days), 1))[:, 0], plan, *made)
