"""The parts of a running period: those that are done, and those that are to be estimated on the base's same days."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.align.base_spans import any_part
from logochron.core.align.bases import Plan
from logochron.core.book.exact import divided
from logochron.core.calendars.base import Bools, Calendar
from logochron.core.calendars.civil import CivilCalendar
from logochron.core.days import Days, in_words
from logochron.core.errors import QuestionError
from logochron.core.notes import Noted
from logochron.core.options import COMPLETE, ESTIMATED, PLURALS, TO_DATE, Grain
from logochron.core.questions.estimates import Method
from logochron.core.questions.profiles import Points
from logochron.core.rows.figures import Floats


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
            f"`each` {each!r} does not part a {calendar.word(within)}: with within={within!r} it may be "
            f"{', '.join(fitting)}"
        )
    low, high = (int(side[0]) for side in calendar.children(each, within, now.ordinals))
    ordinals = np.arange(low, high + 1)
    starts, ends = calendar.first_days(each, ordinals), calendar.last_days(each, ordinals)
    cut = int(now.cuts[0])
    if starts[0] != now.starts[0] or ends[-1] != now.ends[0]:
        raise QuestionError(
            f"`each` {each!r}: the {PLURALS[each]} of {calendar.labels(within, now.ordinals)[0]} run from "
            f"{in_words(int(starts[0]))} to {in_words(int(ends[-1]))}, not over its own days; choose another grain"
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
