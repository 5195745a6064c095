"""The figures of a landing: of the whole period, or of each of its parts."""

from __future__ import annotations

from functools import cached_property
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.align.base_spans import any_part
from logochron.core.align.bases import Plan
from logochron.core.book.daybook import Daybook
from logochron.core.book.selling_days import SellingTable
from logochron.core.book.sums import divided
from logochron.core.calendars.base import Bools, Calendar
from logochron.core.calendars.civil import CivilCalendar
from logochron.core.choices import COMPLETE, ESTIMATED, PLURALS, PROFILES, TO_DATE, Grain
from logochron.core.days import Days, in_words, to_dates
from logochron.core.errors import QuestionError
from logochron.core.judge.judging import direction, verdict
from logochron.core.notes import Noted, RowNotes
from logochron.core.questions.landing.estimates import (
    ENOUGH,
    PAST,
    PLENTY,
    RANGE,
    Certainty,
    Estimates,
    Method,
    ProfileTest,
    certainty,
    median,
    profile_test,
    quantile,
)
from logochron.core.questions.landing.profiles import WEEKS, LandingRows, Points
from logochron.core.rows.answer import Columns, dimensions, note_periods, one, row_notes
from logochron.core.rows.figures import Floats, note_sides
from logochron.core.rows.groupings import Grouping
from logochron.core.rows.prepare import Groupings


class Parts(NamedTuple):
    """The parts of a period, from its first to its last; int64, shape (parts,).

    `base_starts` to `base_ends` are the base's same days, `rest_starts` the first of them after the same point; shape
    (bases, parts), a span that ends before it starts where there is none. `notes` say what the days of the base are.
    """

    each: Grain
    labels: tuple[str, ...]
    starts: Days
    ends: Days
    untils: Days
    status: NDArray[np.int8]
    base_starts: Days
    base_ends: Days
    rest_starts: Days
    base_known: Bools
    notes: tuple[Noted, ...] = ()

    @property
    def days_left(self) -> Days:
        """How many days of each part are yet to come."""
        return self.ends - np.maximum(self.untils, self.starts - 1)

    def weighed(self, rests: Floats) -> Floats:
        """What the base sold after the same point, by part that is not over and item, shape (parts, items).

        Where the base has no day for a part, an average day's for each day that is left of it.

        Parameters
        ----------
        rests
            The same by base too, shape (bases, parts, items).
        """
        there = (self.rest_starts <= self.base_ends) & (self.days_left > 0)
        bases = there.sum(axis=0)[:, None]
        weights = divided(np.where(there[..., None], rests, 0.0).sum(axis=0), bases, bases > 0)
        lacking = (self.days_left > 0) & ~any_part(there)
        if lacking.any():
            days = int(self.days_left[any_part(there)].sum())
            typical = np.nansum(weights, axis=0) / days if days else np.full(weights.shape[1], np.nan)
            weights = np.where(lacking[:, None], self.days_left[:, None] * typical, weights)
        return np.where((self.days_left > 0)[:, None], weights, 0.0)

    def laid(self, rest: Floats, weights: Floats, *, as_was: bool) -> tuple[Floats, Bools]:
        """What is left to be sold by part, shape (parts, items): like the base's rest, evenly where there is none.

        The parts add up to `rest`, whatever the base has more days or fewer.

        Parameters
        ----------
        rest
            What is left of the whole period, by item.
        weights
            What the base sold on the days left, by part and item.
        as_was
            Whether the rest is that of the base itself: only what it has more is laid.

        Returns
        -------
        tuple of numpy.ndarray
            The parts, and which items are laid evenly.
        """
        sizes = np.abs(weights) if as_was else weights
        whole = sizes.sum(axis=0)
        evenly = np.asarray(~(np.isfinite(whole) & (whole > 0)))
        days = self.days_left[:, None] / max(int(self.days_left.sum()), 1)
        shares = np.where(evenly, days, divided(sizes, whole, np.broadcast_to(~evenly, weights.shape)))
        laid_already = np.where(evenly, 0.0, weights) if as_was else np.zeros(weights.shape)
        return laid_already + (rest - laid_already.sum(axis=0)) * shares, evenly


def parts_of(method: Method, now: Points, each: Grain) -> Parts:
    """The parts of the running period and the base's same days.

    Raises
    ------
    QuestionError
        Where periods of grain `each` do not make up the running one.
    """
    calendar, within = method.calendar, method.within
    calendar.check_grain(each)
    if each == within or not calendar.nests(each, within):
        fitting = [g for g in calendar.grains if g != within and calendar.nests(g, within)]
        raise QuestionError(
            "`each` {0!r} does not divide a {1}: with within={2!r} it may be {3}",
            each,
            calendar.word(within),
            within,
            ", ".join(fitting),
        )
    low, high = (int(side[0]) for side in calendar.children(each, within, now.ordinals))
    ordinals = np.arange(low, high + 1)
    starts, ends = calendar.first_days(each, ordinals), calendar.last_days(each, ordinals)
    cut = int(now.cuts[0])
    if starts[0] != now.starts[0] or ends[-1] != now.ends[0]:
        raise QuestionError(
            "`each` {0!r}: the {1} of {2} run from {3} to {4}, not over its own days; choose another grain",
            each,
            PLURALS[each],
            calendar.labels(within, now.ordinals)[0],
            in_words(int(starts[0])),
            in_words(int(ends[-1])),
        )
    status = np.where(ends <= cut, COMPLETE, np.where(starts <= cut, TO_DATE, ESTIMATED)).astype(np.int8)
    notes: tuple[Noted, ...] = ()
    if isinstance(method.basis, Plan):
        base_starts, base_ends = starts[None], ends[None]
        known: Bools = np.ones(len(starts), dtype=bool)
        base_cuts = np.array([[cut]])
    else:
        bases = method.bases(now)
        assert bases.ordinals is not None
        earlier = bases.ordinals[:, 0]
        if each == "day":
            base_starts, base_ends, there = _days_met(calendar, within, now, earlier)
        else:
            base_starts, base_ends, there = _periods_met(calendar, within, each, len(ordinals), earlier)
        base_cuts = np.minimum(calendar.cut(within, now.starts, bases.starts, now.cuts), bases.ends)
        known = np.asarray(there.all(axis=0) & bases.found.all())
        notes = _notes_met(calendar, within, each, earlier, starts, base_starts, there) if bases.found.all() else ()
    return Parts(
        each=each,
        labels=tuple(str(label) for label in calendar.labels(each, ordinals)),
        starts=starts,
        ends=ends,
        untils=np.minimum(ends, cut),
        status=status,
        base_starts=base_starts,
        base_ends=base_ends,
        rest_starts=np.minimum(np.maximum(base_starts, base_cuts + 1), base_ends + 1),
        base_known=known,
        notes=notes,
    )


def _periods_met(calendar: Calendar, within: Grain, each: Grain, parts: int, earlier: Days) -> tuple[Days, Days, Bools]:
    """The days of the same place in each earlier period, and whether it has the place; shape (bases, parts)."""
    firsts, lasts = calendar.children(each, within, earlier)
    at = firsts[:, None] + np.arange(parts)
    there = at <= lasts[:, None]
    at = np.minimum(at, lasts[:, None])
    starts, ends = calendar.first_days(each, at), calendar.last_days(each, at)
    return np.where(there, starts, ends + 1), ends, there


def _days_met(calendar: Calendar, within: Grain, now: Points, earlier: Days) -> tuple[Days, Days, Bools]:
    """The same day of each earlier period, by month and day or by number; 29 February meets the 28th."""
    own, *bases = calendar.day_places(within, np.append(now.ordinals, earlier))
    days = np.arange(int(now.starts[0]), int(now.ends[0]) + 1)
    places = np.searchsorted(own, days)
    met = np.stack([base[places] for base in bases])
    # a day at which a shorter month or period holds still is no day of its own
    held = np.stack([np.diff(base, prepend=base[0] - 1)[places] == 0 for base in bases])
    if isinstance(calendar, CivilCalendar):
        held &= ~calendar.leap_days(np.broadcast_to(days, met.shape), met)
    return np.where(held, met + 1, met), met, ~held


def _notes_met(
    calendar: Calendar, within: Grain, each: Grain, earlier: Days, starts: Days, base_starts: Days, there: Bools
) -> tuple[Noted, ...]:
    """Where 29 February has no other day, and which places the base does not have."""
    notes = []
    if each == "day" and isinstance(calendar, CivilCalendar):
        leap = calendar.leap_days(np.broadcast_to(starts, base_starts.shape), base_starts)
        notes.append(Noted(any_part(leap & there), "leap day"))
    lacking = any_part(~there)
    if lacking.any():
        numbers, of = np.arange(1, len(starts) + 1), within
        first = (~there).argmax(axis=0)  # of several bases the first that lacks it
        held = earlier[first]
        if each == "day" and isinstance(calendar, CivilCalendar) and within != "week":
            numbers = starts - calendar.first_days("month", calendar.ordinals("month", starts)) + 1
            of, held = "month", calendar.ordinals("month", base_starts[first, np.arange(len(starts))] - 1)
        labels = calendar.labels(of, held).astype(object)
        if each == "week" and within == "year":
            notes.append(Noted(lacking, "no week 53", (labels,)))
        else:
            notes.append(Noted(lacking, "no base: no such place", (calendar.word(each), numbers, labels)))
    return tuple(notes)


_NOTHING: Floats = np.full((1, 1), np.nan)
#: Why a profile gives no share.
_LACKS = {"history": "history", "year-ago": "base", "as-was": "base", "weekday": "weeks"}


def days_left(calendar: Calendar, now: Points, selling: SellingTable) -> int:
    """The days of the running period after the report date on which something can be sold."""
    if now.over[0]:
        return 0
    if selling.always:
        return int(calendar.lengths(now.cuts + 1, now.ends)[0])
    days = np.arange(int(now.cuts[0]) + 1, int(now.ends[0]) + 1)
    return int((selling.open_on(days) & calendar.holds(days)).sum())


def needed_per_day(target: Floats, to_date: Floats, left: Any) -> Floats:
    """What is to be sold on each day left to reach a target, 0 where it is reached; NaN where no day is left."""
    return divided(np.maximum(target - to_date, 0.0), left, np.asarray(left) > 0)


class LandingFigures:
    """One measure of one grouping: what is estimated, how sure it is, and the columns that say so."""

    def __init__(
        self,
        groupings: Groupings,
        rows: LandingRows,
        grouping: Grouping,
        method: Method,
        points: Points,
        target: Daybook | None,
        found: ProfileTest | None = None,
    ) -> None:
        self.groupings, self.rows, self.grouping = groupings, rows, grouping
        self.method, self.points, self.target = method, points, target
        self.measure = rows.measure
        self.profile_test: ProfileTest = profile_test(method, rows, points, target) if found is None else found
        self.estimates: Estimates = self.profile_test.estimates

    def as_of(self, place: int, method: Method) -> LandingFigures:
        """The same as it was known at the end of one of the points, all of which are the last days of their periods."""
        first = int(np.searchsorted(self.points.ordinals, self.points.ordinals[place] - PAST))
        taken = np.arange(first, place + 1)
        estimates = self.profile_test.at(taken)
        return LandingFigures(
            self.groupings, self.rows, self.grouping, method, self.points.at(taken), self.target, estimates
        )

    @cached_property
    def sure(self) -> Certainty:
        """How sure the estimates are."""
        return certainty(self.profile_test, self.rows.may_fall(), over=bool(self.points.over[-1]))

    def tried(self, item: int) -> dict[str, tuple[float, int]]:
        """By profile its typical error so far and of how many past periods; of one of the items."""
        errors = self.profile_test.errors[:, item]
        typical, past = median(errors), np.isfinite(errors).sum(axis=-1)
        return {name: (float(typical[n]), int(past[n])) for n, name in enumerate(self.estimates.by_profile)}

    def quantiles(self, item: int) -> tuple[float, float]:
        """The 10 % and the 90 % quantile of estimate / outcome of past periods; of one of the items."""
        low, high = (float(quantile(self.profile_test.ratios[item], part)) for part in RANGE)
        return low, high

    def a_day_earlier(self, item: int) -> int:
        """How many past periods were looked at a day before their last one, the same point; of one of the items."""
        past, now = self.points.at(slice(None, -1)), self.points.at(np.array([-1]))
        calendar, within = self.method.calendar, self.method.within
        same = calendar.cut(within, np.repeat(now.starts, len(past.cuts)), past.starts, now.cuts[0])
        stepped = (same >= past.ends) & ~past.over & np.isfinite(self.profile_test.ratios[item])
        return 0 if now.over[0] else int(stepped.sum())

    def columns(self, *, each: bool = False) -> tuple[Columns, int]:
        """The one row of each item, or one for `each` point, all of which are over; and how many rows an item has."""
        rows = slice(None) if each else slice(-1, None)
        now, n = self.points.at(rows), len(self.points.cuts) if each else 1
        to_date, estimate = self.estimates.to_date[rows], self.profile_test.estimate[rows]
        sides = self.groupings.sides(self.measure, self.grouping)
        base = np.broadcast_to(sides.shown()[1], to_date.shape)
        sure = Certainty.of_outcomes(estimate) if each else self.sure.as_row()
        notes = row_notes(self.groupings.prepared, self.grouping)
        note_sides(sides, notes)
        note_periods(self.groupings.prepared, notes, self.grouping.why[self.measure.name], whole=True)
        self._note(notes)
        plan = self._plan(now.starts, now.ends, notes)
        left = np.array([[0 if each else days_left(self.method.calendar, now, self.method.selling)]])
        target = np.where(np.isfinite(plan), plan, base)
        chosen = self.profile_test.chosen[rows]
        names = np.array([PROFILES.index(name) for name in self.estimates.by_profile] + [-1])
        columns = self._opening(to_dates(now.starts), to_dates(now.ends)) | {
            "period": np.arange(n)[:, None],
            "until": to_dates(now.cuts)[:, None],
            "to_date": to_date,
            "expected_share": self.profile_test.share[rows],
            "estimate": estimate,
            "low": sure.low,
            "high": sure.high,
            "typical_error": sure.typical_error,
            "profile": names[chosen],
            **self._judged(estimate, base),
            "plan": plan,
            "plan_gap": estimate - plan,
            "needed_per_day": needed_per_day(target, to_date, left),
            "status": self.groupings.prepared.aligned.status[:, None],
            "note": notes.places,
        }
        return columns, n

    def part_columns(self, parts: Parts) -> tuple[Columns, int]:
        """A row for each part and item, and how many rows an item has."""
        n, size = len(parts.starts), self.estimates.to_date.shape[1]
        shape = n, size
        begun = parts.starts <= parts.untils
        (sums,) = self.rows.sums((parts.starts[None], parts.untils[None]))
        to_date = np.where(begun[:, None], sums, np.nan)
        notes = RowNotes(self.groupings.prepared.noted, shape)
        if isinstance(self.method.basis, Plan):
            assert self.target is not None
            base = self.rows.planned(self.target, parts.starts, parts.ends)[0]
            rests = self.rows.planned(self.target, parts.rest_starts[0], parts.ends)[0][None]
        else:
            (sums,) = self.rows.sums((parts.base_starts, parts.base_ends))
            base = np.where(parts.base_known[:, None], sums / len(parts.base_starts), np.nan)
            rests = (
                self._by_base(parts) if parts.base_known.any() else np.full((len(parts.base_starts), *shape), np.nan)
            )
            self._note_bases(parts, notes)
        base = np.broadcast_to(base, shape)
        rest = self.profile_test.estimate[-1] - self.estimates.to_date[-1]
        weights = np.broadcast_to(parts.weighed(rests), shape)
        laid, evenly = parts.laid(rest, weights, as_was=self.method.rest == "as-was")
        ahead = parts.days_left > 0
        estimate = np.nan_to_num(to_date) + np.where(ahead[:, None], np.where(np.isfinite(rest), laid, np.nan), 0.0)
        notes.add(ahead[:, None] & (evenly & np.isfinite(rest) & (rest != 0))[None], "spread evenly")
        plan = self._plan(parts.starts, parts.ends, notes)
        columns = self._opening(to_dates(parts.starts), to_dates(parts.ends)) | {
            "period": np.arange(n)[:, None],
            "until": np.where(begun, to_dates(parts.untils), np.datetime64("NaT", "D"))[:, None],
            "to_date": to_date,
            "expected_share": _NOTHING,
            "estimate": estimate,
            **dict.fromkeys(("low", "high", "typical_error"), _NOTHING),
            "profile": np.full((1, 1), -1),
            **self._judged(estimate, base),
            "plan": plan,
            "plan_gap": estimate - plan,
            "needed_per_day": _NOTHING,
            "status": parts.status[:, None],
            "note": notes.places,
        }
        return columns, n

    def _by_base(self, parts: Parts) -> Floats:
        """What each base sold on the days of each part after the same point, shape (bases, parts, items)."""
        bases, n = parts.rest_starts.shape
        spans = (parts.rest_starts.reshape(1, -1), parts.base_ends.reshape(1, -1))
        (sums,) = self.rows.sums(spans)
        return sums.reshape(bases, n, -1)

    def _note_bases(self, parts: Parts, notes: RowNotes) -> None:
        """Why parts have no base."""
        unknown = ~parts.base_known
        for noted in self.groupings.prepared.aligned.notes:
            if noted.code.startswith("no base"):
                notes.add_all((noted._replace(rows=noted.rows & unknown),))
        notes.add_all(parts.notes)

    def _opening(self, starts: NDArray[np.datetime64], ends: NDArray[np.datetime64]) -> Columns:
        return {
            "measure": one(self.measure.name),
            **dimensions(self.groupings.prepared.selection.by, self.grouping),
            "start": starts[:, None],
            "end": ends[:, None],
        }

    def _judged(self, estimate: Floats, base: Floats) -> Columns:
        """What the estimate is beside the base."""
        change = estimate - base
        moved, judged = self.moved(estimate, base)
        return {
            "base": base,
            "change": change,
            "growth": divided(change, base, np.isfinite(change) & (base > 0)),
            "direction": moved,
            "verdict": judged,
        }

    def moved(self, estimate: Floats, base: Floats) -> tuple[NDArray[np.int8], NDArray[np.int8]]:
        """Direction and verdict of an estimate beside a base or a plan, as places in `DIRECTIONS` and `VERDICTS`."""
        known = np.isfinite(estimate) & np.isfinite(base)
        v, b = np.where(known, estimate, 0.0), np.where(known, base, 0.0)
        judging = self.groupings.prepared.selection.judgings[self.measure.name]
        moved = direction(v - b, v, b, known, judging, exact=False)
        return moved, verdict(moved, self.measure.better, judging)

    def _plan(self, starts: Days, ends: Days, notes: RowNotes) -> Floats:
        """The plan of whole spans; nothing where there is none."""
        if self.target is None:
            return _NOTHING
        plan, why = self.rows.planned(self.target, starts, ends)
        if not isinstance(self.method.basis, Plan):  # else it is said of the base
            notes.add_all(why)
        return np.broadcast_to(plan, notes.places.shape)

    def _note(self, notes: RowNotes) -> None:
        """Why there is no estimate, or how little it rests on."""
        if self.points.over[-1]:
            return
        to_date, estimates = self.estimates.to_date, self.estimates
        unknown = ~np.isfinite(self.profile_test.estimate[-1:])
        notes.add(unknown & (to_date[-1:] <= 0), "no estimate: to date")
        lacking = unknown & (to_date[-1:] > 0)
        for name in estimates.by_profile if len(estimates.by_profile) == 1 else ():
            shares = estimates.shares.get(name, np.full(to_date.shape, np.nan))[-1:]
            notes.add(lacking & np.isfinite(shares), "no estimate: share")
            args = {"history": (self._word,), "weekday": (WEEKS,)}.get(name, ())
            if name in _LACKS:
                notes.add(lacking & ~np.isfinite(shares), f"no estimate: {_LACKS[name]}", *args)
        past = self.sure.past[None]
        notes.add(~unknown & (past < ENOUGH), "no range", past)
        notes.add(~unknown & (past >= ENOUGH) & (past < PLENTY), "rough range", past)
        below = (to_date[:-1] <= 0) | (estimates.outcome[:-1] <= 0)
        began = self.points.ends[:-1, None] >= self.grouping.life.first  # not before its first record
        left_out = (below & began).sum(axis=0, keepdims=True)
        notes.add(~unknown & (left_out > 0), "left out", left_out)

    @property
    def _word(self) -> str:
        return self.method.calendar.word(self.method.within)


class LandingCache(NamedTuple):
    """What a landing and its parts share: the rows by grouping, and by measure and dimensions their figures."""

    groupings: Groupings
    figures: dict[tuple[str, tuple[str, ...]], LandingFigures]
