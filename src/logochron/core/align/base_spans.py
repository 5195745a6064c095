"""Which days stand for the base of each row, before the report date cuts them."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.align.bases import Basis, Fixed, MeanOf, Plan, Prior, Span, Stepping, YearAgo, YearAgoMean
from logochron.core.align.period_spec import Window
from logochron.core.calendars.base import Bools, Calendar, Earlier, day_labels
from logochron.core.calendars.civil import CivilCalendar
from logochron.core.choices import Grain, Weeks
from logochron.core.days import Days, iso
from logochron.core.errors import QuestionError
from logochron.core.notes import Noted

Objects = NDArray[np.object_]


class ValueSpans(NamedTuple):
    """The value side: the label of each row, the first day of its window, and the period it ends with."""

    ordinals: Days
    labels: Objects
    starts: Days
    own_starts: Days
    ends: Days
    whole: Bools  # whether the calendar has all of them

    @classmethod
    def of_periods(cls, calendar: Calendar, each: Grain, ordinals: Days) -> ValueSpans:
        """Periods as they are, each for itself."""
        starts = calendar.first_days(each, ordinals)
        labels = calendar.labels(each, ordinals).astype(object)
        ends = calendar.last_days(each, ordinals)
        return cls(ordinals, labels, starts, starts, ends, calendar.whole(each, ordinals))

    def at(self, rows: Days) -> ValueSpans:
        """Some of the rows."""
        return ValueSpans(
            self.ordinals[rows],
            self.labels[rows],
            self.starts[rows],
            self.own_starts[rows],
            self.ends[rows],
            self.whole[rows],
        )

    def none(self) -> ValueSpans:
        """No rows at all."""
        return self.at(np.zeros(0, dtype=np.int64))


class BaseSpans(NamedTuple):
    """The base side, shape (parts, rows): several parts make a mean.

    `own_starts` to `ends` is the last period of each, the one that a report date cuts, unless `uncut`. `found`
    says whether it can be a base at all, `labels` is None where there is no such period.
    """

    starts: Days
    own_starts: Days
    ends: Days
    found: Bools
    uncut: Bools
    labels: Objects
    notes: tuple[Noted, ...]
    ordinals: Days | None = None

    def at(self, rows: Days) -> BaseSpans:
        """The base spans of some of the rows."""
        return BaseSpans(
            self.starts[:, rows],
            self.own_starts[:, rows],
            self.ends[:, rows],
            self.found[:, rows],
            self.uncut[:, rows],
            self.labels[:, rows],
            tuple(note.at(rows) for note in self.notes),
            None if self.ordinals is None else self.ordinals[:, rows],
        )

    def none(self) -> BaseSpans:
        """The same basis for no rows at all."""
        return self.at(np.zeros(0, dtype=np.int64))

    @classmethod
    def plain(cls, starts: Days, own_starts: Days, ends: Days, labels: Objects) -> BaseSpans:
        """Spans that are all found, without notes."""
        no = np.zeros(ends.shape, dtype=bool)
        return cls(starts, own_starts, ends, ~no, no, labels, ())


def base_spans(
    basis: Basis, calendar: Calendar, each: Grain, window: Window, rows: ValueSpans, weeks: Weeks, recorded: Days | None
) -> BaseSpans:
    """The base of each row of periods.

    Parameters
    ----------
    recorded
        The days with records, where days without any are skipped.

    Raises
    ------
    QuestionError
        Where basis, window and calendar do not go together.
    """
    if weeks == "364-days":
        return _moved(basis, calendar, each, rows)
    if isinstance(basis, Span):
        raise QuestionError(
            "`against` {0!r} needs each='span' (--each span) and `at` FIRST..LAST; for one named {1} say fixed:PERIOD",
            str(basis),
            calendar.word(each),
        )
    if isinstance(basis, Plan):
        return BaseSpans.plain(rows.starts[None], rows.own_starts[None], rows.ends[None], rows.labels[None])
    if window.parent is not None:
        return _in_parents(basis, calendar, each, window.parent, rows)
    if recorded is not None:
        earlier = _recorded_before(basis, calendar, rows, recorded)
    elif isinstance(basis, Fixed):
        earlier = Earlier.all_found(np.full((1, len(rows.ordinals)), basis.ordinal(calendar, each)))
    else:
        earlier = basis.steps(calendar, each, rows.ordinals)
    there = window.exists(calendar, each, earlier.ordinals)
    whole = calendar.whole(each, earlier.ordinals)
    found = earlier.found & there & whole
    own_starts = calendar.first_days(each, earlier.ordinals)
    labels = calendar.labels(each, earlier.ordinals).astype(object)
    labels[~(earlier.found & there)] = None
    return BaseSpans(
        starts=window.starts(calendar, each, earlier.ordinals),
        own_starts=own_starts,
        ends=calendar.last_days(each, earlier.ordinals),
        found=found,
        uncut=np.zeros(found.shape, dtype=bool),
        labels=labels,
        notes=(*_notes_of(earlier), *_not_listed(calendar, each, earlier, there, whole)),
        ordinals=earlier.ordinals,
    )


def _in_parents(basis: Stepping | Fixed, calendar: Calendar, each: Grain, parent: Grain, rows: ValueSpans) -> BaseSpans:
    """The same place in earlier parents: from their start, whole periods, the last one to be cut."""
    parents = calendar.parents(each, parent, rows.ordinals)
    earlier, at_place, notes = _earlier_parents(basis, calendar, each, parent, rows, parents)
    there = calendar.exists(parent, earlier.ordinals)
    whole = calendar.whole(parent, earlier.ordinals)
    notes += _not_listed(calendar, parent, earlier, there, whole)
    if each == "day":
        place = _same_day(calendar, parent, parents, earlier.ordinals, rows)
        if isinstance(calendar, CivilCalendar):
            short = calendar.leap_days(np.broadcast_to(rows.ends, place.ends.shape), place.ends)
            notes.append(Noted(any_part(short), "leap day"))
    else:
        place = _same_child(calendar, each, parent, parents, earlier.ordinals, rows)
    found = earlier.found & at_place & there & whole
    # of a named period the base goes by that name, though it is unknown at another place
    labels = np.full(found.shape, basis.label, dtype=object) if isinstance(basis, Fixed) else place.labels
    labels[~(earlier.found & there)] = None
    return BaseSpans(
        place.starts, place.own_starts, place.ends, found, place.beyond, labels, tuple(notes), place.ordinals
    )


def _earlier_parents(
    basis: Stepping | Fixed, calendar: Calendar, each: Grain, parent: Grain, rows: ValueSpans, parents: Days
) -> tuple[Earlier, Bools, list[Noted]]:
    """The parents that a basis names, which rows stand at the place that it names in them, and why others do not."""
    if not isinstance(basis, Fixed):
        earlier = basis.steps(calendar, parent, parents)
        return earlier, np.ones((1, len(parents)), dtype=bool), _notes_of(earlier)
    named = np.array([basis.ordinal(calendar, each)])
    of_named = calendar.parents(each, parent, named)
    earlier = Earlier.all_found(np.broadcast_to(of_named, (1, len(parents))).copy())
    own_first, named_first = (calendar.children(each, parent, side)[0] for side in (parents, of_named))
    at_place = (rows.ordinals - own_first == named - named_first)[None]
    return earlier, at_place, [Noted(~at_place[0], "no base: other place", (basis.label, calendar.word(parent)))]


class _Place(NamedTuple):
    """The same place in earlier parents, shape (parts, rows): from the parent's start to the end of the row's period.

    `own_starts` is where that period itself begins; `beyond`: the parent is over before, and its last place stands.
    """

    starts: Days
    own_starts: Days
    ends: Days
    beyond: Bools
    ordinals: Days
    labels: Objects


def _same_day(calendar: Calendar, parent: Grain, parents: Days, earlier: Days, rows: ValueSpans) -> _Place:
    """The same day of earlier parents."""
    starts, last = (side(parent, earlier) for side in (calendar.first_days, calendar.last_days))
    cut = calendar.cut(parent, calendar.first_days(parent, parents), starts, rows.ends)
    ends = np.minimum(cut, last)
    return _Place(starts, ends, ends, cut > last, calendar.day_ordinals(ends), day_labels(ends).astype(object))


def _same_child(
    calendar: Calendar, each: Grain, parent: Grain, parents: Days, earlier: Days, rows: ValueSpans
) -> _Place:
    """The period of the same number in earlier parents."""
    firsts, lasts = calendar.children(each, parent, earlier)
    wanted = firsts + (rows.ordinals - calendar.children(each, parent, parents)[0])
    ordinals = np.minimum(wanted, lasts)
    starts, own_starts = calendar.first_days(each, firsts), calendar.first_days(each, ordinals)
    ends, labels = calendar.last_days(each, ordinals), calendar.labels(each, ordinals).astype(object)
    return _Place(starts, own_starts, ends, wanted > lasts, ordinals, labels)


def _notes_of(earlier: Earlier) -> list[Noted]:
    """The notes of each part; one that the part before bears too is said once."""
    rows, code, args = earlier.note
    again = np.zeros(rows.shape, dtype=bool)
    again[1:] = rows[:-1]
    for arg in args:
        if isinstance(arg, np.ndarray):
            again[1:] &= arg[1:] == arg[:-1]
    return [
        Noted(rows[part] & ~again[part], code, tuple(a[part] if isinstance(a, np.ndarray) else a for a in args))
        for part in range(len(rows))
    ]


def _not_listed(calendar: Calendar, grain: Grain, earlier: Earlier, there: Bools, whole: Bools) -> list[Noted]:
    """The notes where a calendar of listed periods does not reach back far enough."""
    cut_off = earlier.found & there & ~whole
    notes = [Noted(any_part(earlier.found & ~there), "no base: not listed", (calendar.extent(),))]
    if cut_off.any():
        first = calendar.labels(grain, np.zeros(1, dtype=np.int64))[0]
        notes.append(Noted(any_part(cut_off), "no base: cut by the list", (str(first),)))
    return notes


def _recorded_before(basis: Basis, calendar: Calendar, rows: ValueSpans, recorded: Days) -> Earlier:
    """For days: the last days that have records, instead of the last days."""
    if not isinstance(basis, (Prior, MeanOf)):
        raise QuestionError("`skip_closed` goes with against='prior' or 'mean:N'; got {0!r}", str(basis))
    back = np.array([[basis.n]]) if isinstance(basis, Prior) else np.arange(basis.n, 0, -1)[:, None]
    places = np.searchsorted(recorded, rows.own_starts)[None] - back
    found = places >= 0
    days = recorded[np.maximum(places, 0)] if len(recorded) else np.broadcast_to(rows.ends, places.shape)
    return Earlier.where(found, calendar.day_ordinals(days), "no base: no recorded day")


def any_part(parts: Bools) -> Bools:
    """Which rows any part is true of."""
    return np.asarray(parts.any(axis=0))


def _moved(basis: Basis, calendar: Calendar, each: Grain, rows: ValueSpans) -> BaseSpans:
    """The spans 364 days earlier, or as many times that as the basis goes back years."""
    days = 364 * _years_back(basis)
    starts, own_starts, ends = (side[None] - days for side in (rows.starts, rows.own_starts, rows.ends))
    if each == "day":
        firsts, lasts = (day_labels(side).astype(object) for side in (starts, ends))
    else:  # every other period they may move is made of whole weeks
        firsts, lasts = (
            calendar.labels("week", calendar.ordinals("week", side)).astype(object) for side in (starts, ends)
        )
    labels = np.where(firsts == lasts, firsts, firsts + ".." + lasts)
    return BaseSpans.plain(starts, own_starts, ends, labels)


def _years_back(basis: Basis) -> int:
    if not isinstance(basis, YearAgo):
        raise QuestionError("`weeks` '364-days' goes with against='year-ago' or 'year-ago:N'; got {0!r}", str(basis))
    return basis.n


def check_moved(basis: Basis, calendar: Calendar, each: str) -> None:
    """Refuse ``weeks="364-days"`` where it has no meaning."""
    _years_back(basis)
    if not calendar.whole_weeks and not (isinstance(calendar, CivilCalendar) and each in ("day", "week")):
        raise QuestionError(
            "`weeks` '364-days' moves whole weeks: with this calendar each={0!r} is not made of "
            "them; it goes with a RetailCalendar (--calendar retail), or with days and weeks of "
            "a CivilCalendar",
            each,
        )


def one_span(basis: Basis, calendar: Calendar, first: int, last: int, weeks: Weeks) -> BaseSpans:
    """The base of one span of days.

    Raises
    ------
    QuestionError
        Where the basis names periods.
    """
    length = last - first + 1
    notes: list[Noted] = []
    if weeks == "364-days":
        days = 364 * _years_back(basis)
        ends = [(first - days, last - days)]
    elif isinstance(basis, Span):
        ends = [(basis.first, basis.last)]
    elif isinstance(basis, Plan):
        ends = [(first, last)]
    elif isinstance(basis, Prior):
        ends = [(first - basis.n * length, last - basis.n * length)]
    elif isinstance(basis, MeanOf):
        ends = [(first - k * length, last - k * length) for k in range(basis.n, 0, -1)]
    elif isinstance(basis, (YearAgo, YearAgoMean)):
        back = [basis.n] if isinstance(basis, YearAgo) else range(basis.n, 0, -1)
        dates = [CivilCalendar().year_ago("day", np.array([first, last]), k) for k in back]
        ends = [(int(a), int(b)) for (a, b), _, _ in dates]
        notes = [Noted(np.array([note.rows.any()]), "leap day") for _, _, note in dates]
    else:
        raise QuestionError(
            "`against` {0!r} names a period; with each='span' say span:FIRST..LAST, 'year-ago' or 'prior'", str(basis)
        )
    starts, lasts = (np.array(side, dtype=np.int64)[:, None] for side in zip(*ends))
    labels = np.array([[f"{iso(a)}..{iso(b)}"] for a, b in ends], dtype=object)
    return BaseSpans.plain(starts, starts, lasts, labels)._replace(notes=tuple(notes))
