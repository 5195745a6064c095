"""The back-test as an answer of its own: how far past estimates were off at each tenth of their periods."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from logochron.core.book.daybook import Daybook
from logochron.core.book.measures import Measure
from logochron.core.book.sums import divided
from logochron.core.choices import PROFILES
from logochron.core.days import Days
from logochron.core.questions.landing.estimates import (
    Method,
    estimates_at,
    median,
    past_points,
    planned_of,
    profile_test,
)
from logochron.core.questions.landing.profiles import LandingRows, Points
from logochron.core.rows.figures import Floats
from logochron.core.rows.result import Blocks, Result
from logochron.core.said import Said

#: The tenths of a period that are looked at.
TENTHS = tuple(range(1, 11))


def days_of_tenth(days: Days, tenth: int) -> Days:
    """How many days so many tenths of periods are, at least one.

    >>> days_of_tenth(np.array([7, 31]), 5).tolist()
    [4, 16]
    """
    return np.maximum((days * tenth + 5) // 10, 1)


@dataclass(frozen=True, repr=False, eq=False)
class Backtest(Result):
    """Estimates of past periods at each tenth of their days, held against what they came to.

    Attributes
    ----------
    table
        `period, elapsed, profile, estimate, outcome, error` (estimate / outcome - 1).
    landing, measure
        What was asked, and the measure that was tested, all items together.
    profiles, elapsed, typical_errors, past
        The profiles tried, the tenths; for each tenth and profile the median of |error|, and of how many periods.
    """

    landing: Any = field(repr=False)
    measure: Measure
    profiles: tuple[str, ...]
    elapsed: Floats
    typical_errors: Floats
    past: NDArray[np.int64]
    kind: ClassVar[str] = "backtest"

    def day(self, tenth: int) -> int:
        """The day of the running period that a tenth stands for."""
        return int(days_of_tenth(self.landing.now.days, tenth)[0])


def backtest_at_tenths(
    method: Method, rows: LandingRows, now: Points, target: Daybook | None
) -> tuple[Blocks, dict[str, Any]]:
    """The table of a back-test of its own, and what else it tells."""
    every = replace(method, profile="best") if method.rest == "scaled" else method
    before = past_points(method, now).at(slice(None, -1))
    names = method.all_profiles
    by_profile, outcomes = [], []
    for tenth in TENTHS:
        cuts = before.starts + days_of_tenth(before.days, tenth) - 1
        points = before._replace(cuts=method.standing.known_until(before.starts, cuts))
        test = profile_test(every, rows, points, target)
        known = {**test.estimates.by_profile, "best": test.estimate}
        for name in set(names) - set(known):  # one that is not among those to choose from
            planned = planned_of(method, rows, points, target)
            known |= estimates_at(replace(method, profile=name), rows, points, planned).by_profile
        by_profile.append(np.stack([known[name][:, 0] for name in names], axis=1))
        outcomes.append(test.estimates.outcome[:, 0])
    estimate = np.stack(by_profile)  # tenths, periods, profiles
    outcome = np.broadcast_to(np.stack(outcomes)[..., None], estimate.shape)
    error = divided(estimate, outcome, (outcome > 0) & (estimate > 0)) - 1
    by_period = [np.moveaxis(side, 0, 1) for side in (estimate, outcome, error)]
    periods, shape = before.ordinals, by_period[0].shape
    elapsed = np.array(TENTHS) / 10
    places = np.array([PROFILES.index(name) for name in names])
    columns = {
        "period": np.broadcast_to(np.arange(len(periods))[:, None, None], shape),
        "elapsed": np.broadcast_to(elapsed[None, :, None], shape),
        "profile": np.broadcast_to(places[None, None], shape),
        **dict(zip(("estimate", "outcome", "error"), by_period)),
    }
    fields = {
        "periods": tuple(str(label) for label in method.calendar.labels(method.within, periods)),
        "words": {"profile": PROFILES},
        "profiles": names,
        "elapsed": elapsed,
        "typical_errors": median(np.abs(np.moveaxis(error, 1, -1))),
        "past": np.isfinite(error).sum(axis=1),
        "notes": _unheld(method, now, bool(len(periods)), bool(np.isfinite(error).any())),
    }
    return Blocks.plain({name: np.ascontiguousarray(side).ravel() for name, side in columns.items()}), fields


def _unheld(method: Method, now: Points, held: bool, profile_test: bool) -> tuple[str, ...]:
    """Why a back-test has nothing to tell."""
    word, label = method.calendar.word(method.within), method.calendar.labels(method.within, now.ordinals)[0]
    if not held:
        return (Said("no {0} before {1} is recorded whole: there is nothing to hold estimates against", word, label),)
    if not profile_test:
        return (
            Said(
                "no {0} before {1} has an estimate and a total above 0: there is nothing to hold estimates against",
                word,
                label,
            ),
        )
    return ()
