"""The parts of a running period: those that are done, and those that are to be estimated on the base's same days."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.align.bases import Plan
from logochron.core.book.exact import divided
from logochron.core.calendars.base import Bools
from logochron.core.days import Days, in_words
from logochron.core.errors import QuestionError
from logochron.core.options import COMPLETE, ESTIMATED, PLURALS, TO_DATE, Grain
from logochron.core.questions.estimates import Method
from logochron.core.questions.profiles import Points
from logochron.core.rows.figures import Floats


class Parts(NamedTuple):
    """The parts of a period, from its first to its last; int64, shape (parts,).

    `base_starts` to `base_ends` are the base's same days, `rest_starts` the first of them after the same point; shape
    (bases, parts), a span that ends before it starts where there is none.
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

    @property
    def days_left(self) -> Days:
        """How many days of each part are yet to come."""
        return self.ends - np.maximum(self.untils, self.starts - 1)

    def laid(self, rest: Floats, weights: Floats) -> tuple[Floats, Bools]:
        """What is left to be sold by part, shape (parts, items): like the base's rest, evenly where there is none.

        Parameters
        ----------
        rest
            What is left of the whole period, by item.
        weights
            What the base sold on the days left, by part and item.

        Returns
        -------
        tuple of numpy.ndarray
            The parts, and which items are laid evenly.
        """
        whole = weights.sum(axis=0)
        evenly = np.asarray(~(np.isfinite(whole) & (whole > 0)))
        days = self.days_left[:, None] / max(int(self.days_left.sum()), 1)
        shares = np.where(evenly, days, divided(weights, whole, np.broadcast_to(~evenly, weights.shape)))
        return rest * shares, evenly


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
    if isinstance(method.basis, Plan):
        base_starts, base_ends = starts[None], ends[None]
        known: Bools = np.ones(len(starts), dtype=bool)
        base_cuts = np.array([[cut]])
    else:
        bases = method.bases(now)
        assert bases.ordinals is not None
        firsts, lasts = calendar.children(each, within, bases.ordinals[:, 0])
        at = firsts[:, None] + np.arange(len(ordinals))
        there = at <= lasts[:, None]
        at = np.minimum(at, lasts[:, None])
        base_starts, base_ends = calendar.first_days(each, at), calendar.last_days(each, at)
        base_ends[:, -1] = bases.ends[:, 0]  # of a base that is longer the last part takes the rest
        base_starts = np.where(there, base_starts, base_ends + 1)
        base_cuts = np.minimum(calendar.cut(within, now.starts, bases.starts, now.cuts), bases.ends)
        known = np.asarray(there.all(axis=0) & bases.found.all())
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
    )
