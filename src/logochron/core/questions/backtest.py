"""Estimates at points of past periods, with only what was known then: how far off they were, and what range follows."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any, ClassVar, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.align.base_spans import BaseSpans, ValueSpans, base_spans
from logochron.core.align.bases import Basis, Plan, Span
from logochron.core.align.windows import Window
from logochron.core.book.coverage import Coverage
from logochron.core.book.daybook import Daybook
from logochron.core.book.exact import divided
from logochron.core.book.measures import Measure
from logochron.core.calendars.base import Bools, Calendar
from logochron.core.days import Days
from logochron.core.errors import QuestionError
from logochron.core.options import PROFILES, Grain, Rest
from logochron.core.questions.landing_rows import LandingRows
from logochron.core.questions.profiles import (
    ListedProfile,
    Points,
    even_share,
    held_whole,
    history_share,
    weekday_share,
)
from logochron.core.rows.blocks import Blocks
from logochron.core.rows.figures import Floats
from logochron.core.rows.result import Result

#: What `best` chooses from, in the order in which they are taken where too little is known of their errors.
CHOICES = ("year-ago", "history", "weekday", "even")
#: From so many past periods on a profile is chosen by its errors, and a range is given; and one that is not rough.
ENOUGH, PLENTY = 3, 6
#: The quantiles of estimate / outcome between which 80 % lie.
RANGE = (0.1, 0.9)
#: A back-test of its own looks at every tenth of a period.
TENTHS = tuple(range(1, 11))
#: Larger than any error: a profile of which too few are known.
_UNTESTED = 1e300


@dataclass(frozen=True, kw_only=True, eq=False)
class Method:
    """How estimates are made: of which periods, against what, by which profile."""

    calendar: Calendar
    within: Grain
    basis: Basis
    coverage: Coverage
    rest: Rest
    profile: str
    listed: ListedProfile | None
    history: int

    @property
    def profiles(self) -> tuple[str, ...]:
        """The profiles that are tried."""
        if self.rest == "as-was":
            return ("as-was",)
        if self.profile == "best":
            return CHOICES
        return (self.profile,)

    @property
    def all_profiles(self) -> tuple[str, ...]:
        """The profiles that a back-test of its own tells apart."""
        if self.rest == "as-was":
            return ("as-was",)
        return ("best", *CHOICES, *(("listed",) if self.listed else ()))

    def bases(self, points: Points) -> BaseSpans:
        """The whole periods that stand for the base of the period of each point, as far as they were known then.

        Raises
        ------
        QuestionError
            Where the basis is no whole period.
        """
        if isinstance(self.basis, Span):
            raise QuestionError(f"`against` {str(self.basis)!r} is no whole period: name earlier ones or a plan")
        labels = self.calendar.labels(self.within, points.ordinals).astype(object)
        whole = np.ones(len(labels), dtype=bool)
        rows = ValueSpans(points.ordinals, labels, points.starts, points.starts, points.ends, whole)
        parts = base_spans(self.basis, self.calendar, self.within, Window(), rows, "same-number", None)
        if isinstance(self.basis, Plan):
            return parts
        held = (parts.starts >= self.coverage.first) & (parts.ends <= points.cuts)
        return parts._replace(found=parts.found & held)


class Told(NamedTuple):
    """What is estimated at points, shape (points, items): to date and in the end, and by profile share and estimate.

    `base_cut` and `base` are the base's up to the same point and its whole, NaN where they are not known.
    """

    to_date: Floats
    outcome: Floats
    base_cut: Floats
    base: Floats
    shares: Mapping[str, Floats]
    estimates: Mapping[str, Floats]


def tell(method: Method, rows: LandingRows, points: Points, planned: tuple[Floats, Floats] | None = None) -> Told:
    """The estimates at points.

    Parameters
    ----------
    planned
        The plan of the days up to each point, and of its whole period, where the basis is a plan.

    Notes
    -----
    scaled: to date / the share that is done by now; as was: to date + what the base sold after the same point. On the
    last day of a period the estimate is its total. None where nothing is done yet.
    """
    to_date = rows.sums((points.starts[None], points.cuts[None]))
    outcome = rows.sums((points.starts[None], points.ends[None]))
    base_cut, base = planned or base_sums(method, rows, points)
    over = points.over[:, None]
    shares: dict[str, Floats] = {}
    for name in method.profiles if method.rest == "scaled" else ():
        share = share_of(method, name, rows, points, (base_cut, base), points.cuts)
        shares[name] = np.where(over, 1.0, np.broadcast_to(share, to_date.shape))
    if method.rest == "as-was":
        estimate = np.where(to_date > 0, to_date + (base - base_cut), np.nan)
        estimates = {"as-was": np.where(over, to_date, estimate)}
    else:
        estimates = {
            name: np.where(over, to_date, divided(to_date, share, (share > 0) & (to_date > 0)))
            for name, share in shares.items()
        }
    base_cut, base = (np.broadcast_to(side, to_date.shape) for side in (base_cut, base))
    return Told(to_date, outcome, base_cut, base, shares, estimates)


def share_of(
    method: Method, profile: str, rows: LandingRows, points: Points, bases: tuple[Floats, Floats], known: Days
) -> Floats:
    """The share that is done at each point by a profile, of a shape that fits (points, items).

    Parameters
    ----------
    bases
        The base's sums up to the same point, and of its whole.
    known
        The last day that was known at each point.
    """
    calendar, within = method.calendar, method.within
    if profile == "even":
        return even_share(points)
    if profile == "history":
        return history_share(rows, calendar, within, method.coverage, points, method.history)
    if profile == "weekday":
        return weekday_share(rows, calendar, method.coverage, points, known)
    if profile == "listed":
        assert method.listed is not None
        return method.listed.share(calendar, within, points)
    done, whole = bases  # as a year ago
    return divided(done, whole, np.isfinite(whole) & (whole > 0))


def base_sums(method: Method, rows: LandingRows, points: Points) -> tuple[Floats, Floats]:
    """The base's sums up to the same point and of its whole, NaN where it is not known; of a mean its parts' mean."""
    parts = method.bases(points)
    cuts = method.calendar.cut(method.within, points.starts, parts.starts, points.cuts)
    cuts = np.minimum(cuts, parts.ends)
    known: Bools = np.asarray(parts.found.all(axis=0))
    made = []
    for lasts in (cuts, parts.ends):
        sums = rows.sums((parts.starts, np.where(known, lasts, parts.starts - 1)))
        made.append(np.where(known[:, None], sums / len(parts.starts), np.nan))
    return made[0], made[1]


def past_points(method: Method, now: Points) -> Points:
    """The same point in the periods before, as many as a choice among them needs, then the point itself.

    Cut like the running one; where that is not over, never on the last day.
    """
    calendar, within = method.calendar, method.within
    ordinals = int(now.ordinals[0]) - np.arange(2 * method.history, 0, -1)
    ordinals = ordinals[held_whole(calendar, within, ordinals, method.coverage)]
    starts, ends = calendar.first_days(within, ordinals), calendar.last_days(within, ordinals)
    cuts = np.minimum(calendar.cut(within, np.broadcast_to(now.starts, starts.shape), starts, now.cuts[0]), ends)
    cuts = ends if now.over[0] else np.maximum(np.minimum(cuts, ends - 1), starts)
    return Points(*(np.append(past, own) for past, own in zip((ordinals, starts, ends, cuts), now)))


class Tested(NamedTuple):
    """How estimates of past periods turned out, seen from each point, shape (points, items).

    `chosen` is the place of the profile among those tried, -1 where none gives an estimate; `estimate` and `share` are
    its. `errors` of each profile and `ratios` (estimate / outcome) of the chosen ones are those of the past periods:
    one more axis, NaN where there is none.
    """

    chosen: NDArray[np.int64]
    errors: Floats
    estimate: Floats
    share: Floats
    ratios: Floats


def chosen_estimates(method: Method, told: Told, points: Points) -> Tested:
    """The profile that is best at each point by what its errors were before, and what came of such choices.

    Of one profile there is no choice. All points are the same one in consecutive periods.
    """
    names = list(told.estimates)
    estimates = np.stack([told.estimates[name] for name in names])  # profiles, points, items
    ratios = divided(estimates, told.outcome, (told.outcome > 0) & (estimates > 0))
    available: Bools = np.isfinite(estimates)
    errors = _before(np.abs(ratios - 1), points, method.history)
    if len(names) > 1:
        # where too few errors are known the first that gives an estimate; of equal ones the first
        typical = np.where(np.isfinite(errors).sum(axis=-1) >= ENOUGH, median(errors), _UNTESTED)
        chosen = np.argmin(np.where(available, typical, np.inf), axis=0)
    else:
        chosen = np.zeros(told.to_date.shape, dtype=np.int64)
    chosen = np.where(available.any(axis=0), chosen, -1)

    def of_choice(values: NDArray[Any]) -> Floats:
        found = np.take_along_axis(values, np.maximum(chosen, 0)[None], axis=0)[0]
        return np.where(chosen >= 0, found, np.nan)

    shares = np.stack([told.shares.get(name, np.full(told.to_date.shape, np.nan)) for name in names])
    return Tested(
        chosen, errors, of_choice(estimates), of_choice(shares), _before(of_choice(ratios), points, method.history)
    )


def _before(values: Floats, points: Points, history: int) -> Floats:
    """For each point the values of the periods before it, at most so many: one more axis, NaN where there is none."""
    back = points.ordinals[:, None] - np.arange(history, 0, -1)
    places = np.searchsorted(points.ordinals, back)
    held = points.ordinals[np.minimum(places, len(points.ordinals) - 1)] == back
    found = values[..., np.where(held, places, 0), :]  # ..., points, past, items
    return np.swapaxes(np.where(held[..., None], found, np.nan), -1, -2)


def median(values: Floats) -> Floats:
    """The median along the last axis of what is known; NaN where nothing is."""
    return quantile(values, 0.5)


def quantile(values: Floats, part: float) -> Floats:
    """The quantile along the last axis of what is known, linear between neighbors; NaN where nothing is.

    >>> quantile(np.array([3.0, np.nan, 1.0]), 0.5)
    array(2.)
    """
    in_order = np.sort(values, axis=-1)  # what is unknown comes last
    n = np.isfinite(values).sum(axis=-1, keepdims=True)
    at = np.maximum(n - 1, 0) * part
    low = np.floor(at).astype(np.int64)
    sides = [np.take_along_axis(in_order, np.minimum(low + k, np.maximum(n - 1, 0)), axis=-1) for k in (0, 1)]
    found = sides[0] + (at - low) * (sides[1] - sides[0])
    return np.asarray(np.where(n > 0, found, np.nan)[..., 0])


class Certainty(NamedTuple):
    """How sure estimates are, shape (points, items): typical error, range, and from how many past periods."""

    typical_error: Floats
    low: Floats
    high: Floats
    past: NDArray[np.int64]


def certainty(tested: Tested, to_date: Floats, may_fall: Bools) -> Certainty:
    """The error that was typical and the range that 80 % of outcomes lay in, by what past estimates came to.

    Notes
    -----
    typical_error = median of |estimate / outcome - 1|; low and high = estimate / the 90 % and the 10 % quantile of
    estimate / outcome. Neither lies below what is sold to date, unless negative amounts occur.
    """
    past = np.isfinite(tested.ratios).sum(axis=-1)
    ends = [divided(tested.estimate, quantile(tested.ratios, part), past >= ENOUGH) for part in reversed(RANGE)]
    low, high = (np.where(may_fall[None], end, np.maximum(end, to_date)) for end in ends)
    return Certainty(np.where(np.isfinite(tested.estimate), median(np.abs(tested.ratios - 1)), np.nan), low, high, past)


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


def tested_at_tenths(
    method: Method, rows: LandingRows, now: Points, target: Daybook | None
) -> tuple[Blocks, dict[str, Any]]:
    """The table of a back-test of its own, and what else it tells."""
    every = replace(method, profile="best") if method.rest == "scaled" else method
    before = past_points(method, now).at(slice(None, -1))
    recent = before.ordinals >= now.ordinals[0] - method.history
    names = method.all_profiles
    estimates, outcomes = [], []
    for tenth in TENTHS:
        points = before._replace(cuts=before.starts + np.maximum((before.days * tenth + 5) // 10, 1) - 1)
        planned = planned_of(method, rows, points, target)
        told = tell(every, rows, points, planned)
        known = dict(told.estimates)
        if method.rest == "scaled":
            known["best"] = chosen_estimates(every, told, points).estimate
        if method.listed is not None and method.rest == "scaled":
            known |= tell(replace(method, profile="listed"), rows, points, planned).estimates
        estimates.append(np.stack([known[name][recent, 0] for name in names], axis=1))
        outcomes.append(told.outcome[recent, 0])
    estimate = np.stack(estimates)  # tenths, periods, profiles
    outcome = np.broadcast_to(np.stack(outcomes)[..., None], estimate.shape)
    error = divided(estimate, outcome, (outcome > 0) & (estimate > 0)) - 1
    by_period = [np.moveaxis(side, 0, 1) for side in (estimate, outcome, error)]
    periods, shape = before.ordinals[recent], by_period[0].shape
    elapsed = np.array(TENTHS) / 10
    places = np.array([PROFILES.index(name) for name in names])
    columns = {
        "period": np.broadcast_to(np.arange(len(periods))[:, None, None], shape),
        "elapsed": np.broadcast_to(elapsed[None, :, None], shape),
        "profile": np.broadcast_to(places[None, None], shape),
        **dict(zip(("estimate", "outcome", "error"), by_period)),
    }
    made = {
        "periods": tuple(str(label) for label in method.calendar.labels(method.within, periods)),
        "words": {"profile": PROFILES},
        "profiles": names,
        "elapsed": elapsed,
        "typical_errors": median(np.abs(np.moveaxis(error, 1, -1))),
        "past": np.isfinite(error).sum(axis=1),
        "notes": (),
    }
    return Blocks.plain({name: np.ascontiguousarray(side).ravel() for name, side in columns.items()}), made


def planned_of(
    method: Method, rows: LandingRows, points: Points, target: Daybook | None
) -> tuple[Floats, Floats] | None:
    """The plan up to each point and of its whole period, where it is the base."""
    if not isinstance(method.basis, Plan):
        return None
    assert target is not None
    done, whole = (rows.planned(target, points.starts, days)[0] for days in (points.cuts, points.ends))
    return done, whole
