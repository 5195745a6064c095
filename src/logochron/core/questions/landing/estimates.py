"""Estimates at points of periods, with only what was known then: which profile is best, how sure that is."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.align.base_spans import BaseSpans, ValueSpans, base_spans
from logochron.core.align.bases import Basis, Plan
from logochron.core.align.period_spec import Window
from logochron.core.book.coverage import Coverage
from logochron.core.book.daybook import Daybook
from logochron.core.book.record_spans import Standing
from logochron.core.book.selling_days import SellingTable
from logochron.core.book.sums import divided
from logochron.core.calendars.base import Bools, Calendar
from logochron.core.choices import Grain, Rest
from logochron.core.days import Days
from logochron.core.questions.landing.profiles import (
    LandingRows,
    ListedProfile,
    Points,
    even_share,
    history_share,
    season_share,
    selling_share,
    weekday_share,
)
from logochron.core.rows.figures import Floats
from logochron.core.rows.season_shares import held_whole

#: What `best` chooses from, in the order in which they are taken where too little is known of their errors.
CHOICES = ("year-ago", "history", "weekday", "even")
#: From so many past periods on a profile is chosen by its errors, and a range is given; and one that is not rough.
ENOUGH, PLENTY = 3, 6
#: Estimates are held against so many past periods at most.
PAST = 60
#: Numbers that are sorted at once.
_AT_ONCE = 1 << 23
#: The quantiles of estimate / outcome between which 80 % lie.
RANGE = (0.1, 0.9)
#: Larger than any error: a profile of which too few are known.
_UNTESTED = 1e300


@dataclass(frozen=True, kw_only=True, eq=False)
class Method:
    """How estimates are made: of which periods, against what, by which profile."""

    calendar: Calendar
    within: Grain
    basis: Basis
    coverage: Coverage
    standing: Standing
    rest: Rest
    profile: str
    listed: ListedProfile | None
    history: int
    selling: SellingTable

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
        own = () if self.profile in ("best", *CHOICES) else (self.profile,)
        return ("best", *CHOICES, *own)

    def bases(self, points: Points) -> BaseSpans:
        """The whole periods that stand for the base of the period of each point, as far as they were known then."""
        rows = ValueSpans.of_periods(self.calendar, self.within, points.ordinals)
        parts = base_spans(self.basis, self.calendar, self.within, Window(), rows, "same-number", None)
        held = (parts.starts >= self.coverage.first) & (parts.ends <= points.cuts)
        return parts._replace(found=parts.found & held)


class Estimates(NamedTuple):
    """What is estimated at points, shape (points, items): to date and in the end, and by profile share and estimate.

    `base_cut` and `base` are the base's up to the same point and its whole, NaN where they are not known.
    """

    to_date: Floats
    outcome: Floats
    base_cut: Floats
    base: Floats
    shares: Mapping[str, Floats]
    by_profile: Mapping[str, Floats]

    def at(self, points: NDArray[np.intp]) -> Estimates:
        """Some of the points."""
        shares, by_profile = ({n: v[points] for n, v in side.items()} for side in (self.shares, self.by_profile))
        to_date, outcome, base_cut, base = (side[points] for side in self[:4])
        return Estimates(to_date, outcome, base_cut, base, shares, by_profile)


def estimates_at(
    method: Method, rows: LandingRows, points: Points, planned: tuple[Floats, Floats] | None = None
) -> Estimates:
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
    starts = points.starts[None]
    to_date, outcome = rows.sums((starts, points.cuts[None]), (starts, points.ends[None]))
    base_cut, base = planned or base_sums(method, rows, points)
    over = points.over[:, None]
    shares: dict[str, Floats] = {}
    for name in method.profiles if method.rest == "scaled" else ():
        share = share_of(method, name, rows, points, (base_cut, base), points.cuts)
        shares[name] = np.where(over, 1.0, np.broadcast_to(share, to_date.shape))
    if method.rest == "as-was":
        estimate = np.where(to_date > 0, to_date + (base - base_cut), np.nan)
        by_profile = {"as-was": np.where(over, to_date, estimate)}
    else:
        by_profile = {
            name: np.where(over, to_date, divided(to_date, share, (share > 0) & (to_date > 0)))
            for name, share in shares.items()
        }
    base_cut, base = (np.broadcast_to(side, to_date.shape) for side in (base_cut, base))
    return Estimates(to_date, outcome, base_cut, base, shares, by_profile)


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
        by_cut = method.standing.whole
        return history_share(rows, calendar, within, method.coverage, points, method.history, by_cut=by_cut)
    if profile == "weekday":
        if method.standing.whole:
            return np.full((len(points.cuts), 1), np.nan)
        return weekday_share(rows, calendar, method.coverage, points, known)
    if profile == "selling-days":
        return selling_share(method.selling, points)
    if profile == "season":
        if method.standing.whole:
            return np.full((len(points.cuts), 1), np.nan)
        return season_share(rows, calendar, within, method.coverage, points, known)
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
    sums = rows.sums(*((parts.starts, np.where(known, lasts, parts.starts - 1)) for lasts in (cuts, parts.ends)))
    done, whole = (np.where(known[:, None], side / len(parts.starts), np.nan) for side in sums)
    return done, whole


def past_points(method: Method, now: Points) -> Points:
    """The same point in the periods before, then the point itself."""
    ordinals, cuts, held = _back(method, now)
    past = held[0]
    return _points(method, np.append(ordinals[0, past], now.ordinals), np.append(cuts[0, past], now.cuts))


def _back(method: Method, points: Points) -> tuple[Days, Days, Bools]:
    """The same point in the periods before each: ordinals, cuts, and whether they are held; shape (points, past).

    Cut as compare cuts bases; where a period is not over, never on the last day.
    """
    calendar, within = method.calendar, method.within
    ordinals = points.ordinals[:, None] - np.arange(PAST, 0, -1)
    held = held_whole(calendar, within, ordinals, method.coverage)
    somewhere = np.where(held, ordinals, points.ordinals[:, None])
    starts, ends = calendar.first_days(within, somewhere), calendar.last_days(within, somewhere)
    cuts = calendar.cut(within, np.broadcast_to(points.starts[:, None], starts.shape), starts, points.cuts[:, None])
    cuts = np.where(points.over[:, None], ends, np.maximum(np.minimum(cuts, ends - 1), starts))
    cuts = method.standing.known_until(starts, cuts)
    return ordinals, cuts, held


def _points(method: Method, ordinals: Days, cuts: Days) -> Points:
    starts, ends = (side(method.within, ordinals) for side in (method.calendar.first_days, method.calendar.last_days))
    return Points(ordinals, starts, ends, cuts)


class ProfileTest(NamedTuple):
    """What is chosen at points, shape (points, items), and how the profiles did before the last of them.

    `chosen` is the place of the profile among those tried, -1 where none gives an estimate. `errors` of each profile
    and `ratios` (estimate / outcome) of the chosen ones are those of the points before the last one, shape (profiles,
    items, past) and (items, past), NaN where there is none.
    """

    estimates: Estimates
    chosen: NDArray[np.int64]
    estimate: Floats
    share: Floats
    errors: Floats
    ratios: Floats

    def at(self, points: NDArray[np.intp]) -> ProfileTest:
        """The test of some points that follow each other, as they were known at the last of them."""
        past = points[:-1]
        return ProfileTest(
            estimates=self.estimates.at(points),
            chosen=self.chosen[points],
            estimate=self.estimate[points],
            share=self.share[points],
            errors=self.errors[..., past],
            ratios=self.ratios[..., past],
        )


def profile_test(method: Method, rows: LandingRows, points: Points, target: Daybook | None) -> ProfileTest:
    """The profile that is best at each point by what its errors were before, and what came of such choices.

    Of one profile there is no choice. For a choice all points before each are estimated too.
    """
    looked, own, before = _looked_at(method, points)
    everywhere = estimates_at(method, rows, looked, planned_of(method, rows, looked, target))
    by_profile = np.stack(list(everywhere.by_profile.values()))  # profiles, points, items
    ratios = divided(by_profile, everywhere.outcome, (everywhere.outcome > 0) & (by_profile > 0))
    errors = np.abs(ratios - 1)
    estimates, own_by_profile = everywhere.at(own), by_profile[:, own]
    chosen = _best(np.isfinite(own_by_profile), errors, before)
    unknown = np.full(estimates.to_date.shape, np.nan)
    shares = np.stack([estimates.shares.get(name, unknown) for name in estimates.by_profile])
    return ProfileTest(
        estimates=estimates,
        chosen=chosen,
        estimate=_of_chosen(own_by_profile, chosen),
        share=_of_chosen(shares, chosen),
        errors=np.moveaxis(errors[:, own[:-1]], 1, -1),
        ratios=_of_chosen(ratios[:, own], chosen)[:-1].T,
    )


def _best(available: Bools, errors: Floats, before: NDArray[np.int64] | None) -> NDArray[np.int64]:
    """The place of the best profile at each point, by its errors before; -1 where none gives an estimate.

    Where too few errors are known the first that gives an estimate; of equal ones the first.
    """
    best = np.zeros(available.shape[1:], dtype=np.int64)
    if before is not None:
        typical = np.concatenate([_typical(part, before) for part in _parts(errors, before)], axis=-1)
        best = np.argmin(np.where(available, typical, np.inf), axis=0)
    return np.where(available.any(axis=0), best, -1)


def _of_chosen(values: Floats, chosen: NDArray[np.int64]) -> Floats:
    """Of values by profile those of the chosen ones, NaN where none is chosen."""
    of_profile = np.take_along_axis(values, np.maximum(chosen, 0)[None], axis=0)[0]
    return np.where(chosen >= 0, of_profile, np.nan)


def _looked_at(method: Method, points: Points) -> tuple[Points, NDArray[np.intp], NDArray[np.int64] | None]:
    """The points, with those that a choice at each looks back to: each once, and the places of both among them.

    The places looked back to are of shape (points, past), -1 where there is none; None where there is no choice.
    """
    if len(method.profiles) == 1:
        return points, np.arange(len(points.cuts)), None
    ordinals, cuts, held = _back(method, points)
    pairs = np.stack([np.append(points.ordinals, ordinals[held]), np.append(points.cuts, cuts[held])], axis=1)
    once, place = np.unique(pairs, axis=0, return_inverse=True)
    own, rest = np.split(place.ravel(), [len(points.cuts)])
    before = np.full(held.shape, -1, dtype=np.int64)
    before[held] = rest
    return _points(method, once[:, 0], once[:, 1]), own, before


def _parts(errors: Floats, before: NDArray[np.int64]) -> list[Floats]:
    """Errors in parts of items that are not too many to look back at once."""
    size = max(_AT_ONCE // max(errors.shape[0] * before.shape[1], 1), 1)
    return [errors[..., low : low + size] for low in range(0, errors.shape[-1], size)] or [errors]


def _typical(errors: Floats, before: NDArray[np.int64]) -> Floats:
    """The median error before each point, larger than any where too few are known.

    What lies before one point is nearly what lies before the next: the errors in order are kept from one to the other.
    """
    known = np.isfinite(errors)
    filled = np.where(known, errors, np.inf)
    typical = np.empty((errors.shape[0], len(before), errors.shape[2]))
    in_order, held = _no_errors(errors), set[int]()
    for point, row in enumerate(before):
        wanted = set(row[row >= 0].tolist())
        if len(held - wanted) > len(held & wanted):
            in_order, held = _no_errors(errors), set()
        for gone in held - wanted:
            in_order = np.where(in_order[:-1] < filled[:, gone], in_order[:-1], in_order[1:])
        for come in wanted - held:
            in_order = _inserted(in_order, filled[:, come])
        held = wanted
        n = known[:, sorted(held)].sum(axis=1)
        middle = _quantile(in_order, n, 0.5) if held else np.nan
        typical[:, point] = np.where(n >= ENOUGH, middle, _UNTESTED)
    return typical


def _no_errors(errors: Floats) -> Floats:
    return np.empty((0, errors.shape[0], errors.shape[2]))


def _inserted(in_order: Floats, values: Floats) -> Floats:
    """Values put in their places among others that lie in order along the first axis.

    >>> _inserted(np.array([[1.0, 4.0], [3.0, 5.0]]), np.array([2.0, 9.0])).tolist()
    [[1.0, 4.0], [2.0, 5.0], [3.0, 9.0]]
    """
    out = np.empty((len(in_order) + 1, *values.shape))
    np.minimum(in_order, values, out=out[:-1])
    out[-1] = values
    np.maximum(out[1:], in_order, out=out[1:])
    return out


def median(values: Floats) -> Floats:
    """The median along the last axis of what is known; NaN where nothing is."""
    return quantile(values, 0.5)


def quantile(values: Floats, part: float) -> Floats:
    """The quantile along the last axis of what is known, linear between neighbors; NaN where nothing is.

    >>> quantile(np.array([3.0, np.nan, 1.0]), 0.5)
    array(2.)
    """
    if not values.shape[-1]:
        return np.full(values.shape[:-1], np.nan)
    n = np.isfinite(values).sum(axis=-1)
    return _quantile(np.moveaxis(np.sort(values, axis=-1), -1, 0), n, part)  # what is unknown comes last


def _quantile(in_order: Floats, n: NDArray[np.int64], part: float) -> Floats:
    """The quantile along the first axis, of which the first `n` are known; NaN where none is."""
    at = np.maximum(n - 1, 0) * part
    low = np.floor(at).astype(np.int64)
    places = [np.minimum(low + k, np.maximum(n - 1, 0))[None] for k in (0, 1)]
    below, above = (np.take_along_axis(in_order, place, axis=0)[0] for place in places)
    with np.errstate(invalid="ignore"):
        between = below + (at - low) * (above - below)
    return np.asarray(np.where(n > 0, between, np.nan))


class Certainty(NamedTuple):
    """How sure the estimates of the last point are, by item: typical error, range, and from how many past periods."""

    typical_error: Floats
    low: Floats
    high: Floats
    past: NDArray[np.int64]

    def as_row(self) -> Certainty:
        """The same as a row of a table, shape (1, items)."""
        return Certainty(self.typical_error[None], self.low[None], self.high[None], self.past[None])

    @classmethod
    def of_outcomes(cls, outcomes: Floats) -> Certainty:
        """The certainty of periods that are over: there is no doubt."""
        return cls(np.zeros_like(outcomes), outcomes, outcomes, np.zeros(outcomes.shape, dtype=np.int64))


def certainty(profile_test: ProfileTest, may_fall: Bools, *, over: bool) -> Certainty:
    """The error that was typical and the range that 80 % of outcomes lay in, by what past estimates came to.

    Where the period is `over` there is no doubt.

    Notes
    -----
    typical_error = median of |estimate / outcome - 1|; low and high = estimate / the 90 % and the 10 % quantile of
    estimate / outcome. Neither lies below what is sold to date, unless negative amounts occur.
    """
    estimate, past = profile_test.estimate[-1], np.isfinite(profile_test.ratios).sum(axis=-1)
    if over:
        return Certainty(np.zeros_like(estimate), estimate, estimate, past)
    ends = [divided(estimate, quantile(profile_test.ratios, part), past >= ENOUGH) for part in reversed(RANGE)]
    low, high = (np.where(may_fall, end, np.maximum(end, profile_test.estimates.to_date[-1])) for end in ends)
    return Certainty(np.where(np.isfinite(estimate), median(np.abs(profile_test.ratios - 1)), np.nan), low, high, past)


def planned_of(
    method: Method, rows: LandingRows, points: Points, target: Daybook | None
) -> tuple[Floats, Floats] | None:
    """The plan up to each point and of its whole period, where it is the base."""
    if not isinstance(method.basis, Plan):
        return None
    assert target is not None
    done, whole = (rows.planned(target, points.starts, days)[0] for days in (points.cuts, points.ends))
    return done, whole


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
        """The sides on all days of some periods, one after the other."""
        of = np.repeat(np.arange(len(periods.cuts)), periods.days)
        days = np.concatenate([np.arange(low, high + 1) for low, high in zip(periods.starts, periods.ends)])
        days = np.unique(method.standing.known_until(periods.starts[of], days))
        of = np.searchsorted(periods.starts, days, side="right") - 1
        points = Points(periods.ordinals[of], periods.starts[of], periods.ends[of], days)
        planned = planned_of(method, rows, points, target)
        base_cut, base = planned or base_sums(method, rows, points)
        cuts = periods.cuts[of]
        (sums,) = rows.sums((points.starts[None], np.minimum(days, cuts)[None]))
        running = np.where(days <= cuts, sums[:, 0], np.nan)
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
        shares = share_of(method, method.profile, rows, points, bases, known)
        share = _of_one(np.where(points.over[:, None], 1.0, shares), days)
    ahead: Bools = days >= cut
    at_cut, whole = share[today], share[-1]
    straight = (days - cut) / max(end - cut, 1)
    usable = np.isfinite(share).all() and whole > at_cut
    progress = divided(share - at_cut, whole - at_cut, np.full(len(days), usable)) if usable else straight
    ways = [np.where(ahead, to_date + (reached - to_date) * progress, np.nan) for reached in ends]
    return LandingPath(days, sides.running, sides.base_cut, sides.plan, *ways)


def ended_paths(method: Method, rows: LandingRows, periods: Points, target: Daybook | None) -> list[LandingPath]:
    """The ways of periods that are over, all at once: each reached what it came to."""
    sides = _Sides.of(method, rows, periods, target)
    over = np.where(sides.points.over, sides.running, np.nan)
    bounds = np.searchsorted(sides.points.cuts, np.append(periods.starts, periods.ends[-1] + 1))
    paths = []
    for low, high in zip(bounds[:-1], bounds[1:]):
        plan = None if sides.plan is None else sides.plan[low:high]
        reached = [over[low:high]] * 3
        paths.append(
            LandingPath(sides.points.cuts[low:high], sides.running[low:high], sides.base_cut[low:high], plan, *reached)
        )
    return paths
