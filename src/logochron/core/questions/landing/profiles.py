"""The items of a landing, and the sums of a measure over spans for each of them."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from numbers import Integral
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core import ports
from logochron.core.book.coverage import Coverage
from logochron.core.book.daybook import Daybook
from logochron.core.book.items import places_of
from logochron.core.book.measures import Aggregate, AggregateSums, Measure, aggregates, work_out
from logochron.core.book.selling_days import SellingTable
from logochron.core.book.sums import Spans, divided
from logochron.core.calendars.base import Bools, Calendar
from logochron.core.calendars.civil import CivilCalendar
from logochron.core.choices import Grain, check_count, how_many
from logochron.core.days import Days, as_date, day_number, in_words
from logochron.core.errors import QuestionError, brief
from logochron.core.notes import Note, Noted
from logochron.core.rows.figures import Floats
from logochron.core.rows.groupings import Grouping, Labels
from logochron.core.rows.plans import at_places, not_planned, plan_side
from logochron.core.rows.season_shares import (
    ENOUGH,
    SeasonParts,
    SeasonWeights,
    held_whole,
    laid_by_place,
    shares_of,
    whole_periods,
)
from logochron.core.said import Said


class _Places(NamedTuple):
    """The places of items among those of a book, -1 where it has none; and of those that one more item gathers."""

    own: Days
    rest: Days | None

    @classmethod
    def among(cls, known: Labels, rows: LandingRows) -> _Places:
        """The places of some rows."""
        return cls(places_of(known, rows.labels), None if rows.rest is None else places_of(known, rows.rest))

    def of(self, sums: NDArray[Any]) -> NDArray[Any]:
        """Sums of all items of the book for those here; 0 where it does not have one."""
        as_they_are = len(self.own) == sums.shape[1] and bool((self.own == np.arange(len(self.own))).all())
        at_own = sums if as_they_are else at_places(sums, self.own)
        if self.rest is None:
            return at_own
        return np.append(at_own, at_places(sums, self.rest).sum(axis=1, keepdims=True), axis=1)


@dataclass(frozen=True, eq=False)
class LandingRows:
    """The items of a grouping, of which one measure is summed.

    Attributes
    ----------
    book, measure, by
        Of which book, which measure, by which dimensions.
    labels, rest
        The labels of the items by dimension; and of those that one more item gathers, where there is one.
    """

    book: Daybook
    measure: Measure
    by: tuple[str, ...]
    labels: Labels
    rest: Labels | None = None

    @classmethod
    def of(cls, book: Daybook, measure: Measure, grouping: Grouping, gathered: Grouping | None = None) -> LandingRows:
        """The items of a grouping; where some are `gathered` the last one stands for those."""
        labels = grouping.labels
        if gathered is not None:
            labels = tuple(label[:-1] for label in labels)
        return cls(book, measure, grouping.by, labels, None if gathered is None else gathered.labels)

    @cached_property
    def _places(self) -> _Places:
        """Where the items stand among the book's own."""
        return _Places.among(self.book.day_sums(self.by).items.labels, self)

    def sums(self, *groups: Spans) -> list[Floats]:
        """The measure over groups of spans, each of shape (spans, items); together, as each goes through all rows."""
        formula = self.book.formulas[self.measure.name]
        keys = [aggregate.key for aggregate in aggregates(formula)]
        found = self.book.sums(self.by, keys, *groups)
        shown = []
        for i in range(len(groups)):
            parts = {key: AggregateSums(self._places.of(found[key][i]), self.book.scale_of(key)) for key in keys}
            shown.append(work_out(formula, parts).shown)
        return shown

    def may_fall(self) -> Bools:
        """Which items have a negative amount among the source's own by the report date: their total may fall."""
        formula = self.book.formulas[self.measure.name]
        n = len(self.labels[0]) if self.labels else 1
        if not isinstance(formula, Aggregate):
            return np.ones(n + (self.rest is not None), dtype=bool)
        falls = self.book.falls.get(formula.key)
        if falls is None:
            return np.zeros(n + (self.rest is not None), dtype=bool)
        items = self.book.day_sums(self.by).items
        places, first, _ = falls.rows_of(self.by, items)
        fallen = np.bincount(places[first <= self.book.coverage.last], minlength=items.size)
        return np.asarray(self._places.of(fallen[None])[0] > 0)

    def planned(self, plan: Daybook, starts: Days, ends: Days) -> tuple[Floats, tuple[Noted, ...]]:
        """The plan over spans, shape (spans, items), NaN where it is not known, and why it is not."""
        cover: Coverage = plan.coverage
        known = (starts >= cover.first) & (ends <= cover.last)
        missing, named = not_planned(plan, starts, ends, known)
        side = plan_side(
            plan, self.book, self.by, [self.measure], (starts[None], np.where(known, ends, starts - 1)[None])
        )
        why = side.why[self.measure.name]
        if why is not None:
            nothing = np.full((len(starts), 1), np.nan)
            return nothing, (Noted(np.ones(len(starts), dtype=bool), *_of_plan(why)),)
        places = _Places.among(side.labels, self)
        parts = {key: AggregateSums(places.of(part.values), part.scale) for key, part in side.parts.items()}
        sums = work_out(plan.formulas[self.measure.name], parts).shown
        early = ~known & (starts < cover.first)
        notes = (
            Noted(early, "no plan: plan starts", (as_date(cover.first),)),
            Noted(~known & ~early, "no plan: plan ends", (as_date(cover.last),)),
            Noted(missing, "no plan: not planned", (named,)),
        )
        return np.where((known & ~missing)[:, None], sums, np.nan), notes


def _of_plan(why: Note) -> tuple[str, tuple[Any, ...]]:
    """Why a plan gives no base, as it is said of the plan itself."""
    return why.code.replace("no base", "no plan"), why.args


#: Shares that are added up at once: they stay near the processor.
_AT_ONCE = 1 << 17
#: Weekdays are weighed over so many whole weeks.
WEEKS = 8
#: How far the shares of a period may be from adding up: what rounding them does.
_ROUNDING = 0.001


class Points(NamedTuple):
    """Points in periods: the period of each, and the last day that was known then. All int64, shape (points,)."""

    ordinals: Days
    starts: Days
    ends: Days
    cuts: Days

    @property
    def days(self) -> Days:
        """How many days each period has."""
        return self.ends - self.starts + 1

    @property
    def elapsed(self) -> Days:
        """How many of them are done."""
        return self.cuts - self.starts + 1

    @property
    def over(self) -> Bools:
        """Whether the point is the period's last day."""
        return self.cuts == self.ends

    def at(self, taken: NDArray[np.bool_] | NDArray[np.intp] | slice) -> Points:
        """Some of the points."""
        return Points(*(side[taken] for side in self))


def even_share(points: Points) -> Floats:
    """The part of the days that are done, shape (points, 1)."""
    return np.asarray(points.elapsed / points.days)[:, None]


def season_share(
    rows: LandingRows, calendar: Calendar, within: Grain, coverage: Coverage, points: Points, known: Days
) -> Floats:
    """The usual shares of the places that are over, the running one by its days, shape (points, items).

    Of months in their years, of shorter periods weekdays in their weeks; as the whole years (weeks) tell it that were
    over then, two at least: else NaN.
    """
    by = SeasonWeights.of(calendar, within)
    if by is None:
        return np.full((len(points.cuts), 1), np.nan)
    lasting = whole_periods(calendar, by.within, coverage)
    places = SeasonParts.within(calendar, by.each, by.within, lasting)
    (sums,) = rows.sums((places.starts[None], places.ends[None]))
    shares = shares_of(laid_by_place(sums, places, len(lasting)), lasting)
    done, whole = (by.places_done(calendar, points.starts, lasts) for lasts in (points.cuts, points.ends))
    over = np.searchsorted(calendar.last_days(by.within, lasting), known, side="right")
    found = np.full((len(points.cuts), sums.shape[1]), np.nan)
    for many in np.unique(over[over >= ENOUGH]).tolist():
        usual = shares.known_by(many).usual()
        usual = np.where(np.isfinite(usual).any(axis=0), np.nan_to_num(usual), np.nan)  # a 53rd week few years have
        at = over == many
        width = min(usual.shape[0], done.shape[1])
        reached, in_all = (side[at, :width] @ usual[:width] for side in (done, whole))
        found[at] = divided(reached, in_all, in_all > 0)
    return found


def selling_share(selling: SellingTable, points: Points) -> Floats:
    """The part of the selling days that are over, shape (points, 1); NaN where the period has none."""
    done, whole = (selling.count(points.starts, days) for days in (points.cuts, points.ends))
    return divided(done.astype(np.float64), whole.astype(np.float64), whole > 0)[:, None]


def history_share(
    rows: LandingRows,
    calendar: Calendar,
    within: Grain,
    coverage: Coverage,
    points: Points,
    history: int,
    *,
    by_cut: bool = False,
) -> Floats:
    """The average, over the complete periods before, of the share at the same fraction of days elapsed.

    Linear between days (`by_cut`: at the same point as compare cuts, where not all days are known); periods whose
    total is not above 0 are left out. Shape (points, items), NaN where there is none.
    """
    back = np.arange(history, 0, -1)[:, None]
    earlier = points.ordinals - back
    held = held_whole(calendar, within, earlier, coverage)
    somewhere = np.where(held, earlier, points.ordinals)
    starts, ends = calendar.first_days(within, somewhere), calendar.last_days(within, somewhere)
    lengths = ends - starts + 1
    if by_cut:
        of_points = np.broadcast_to(points.starts, starts.shape)
        reached = np.minimum(calendar.cut(within, of_points, starts, points.cuts), ends) - starts + 1
        rest = np.zeros_like(reached)
    else:
        reached, rest = np.divmod(points.elapsed * lengths, points.days)
    looked = np.stack([starts, reached, lengths, rest, np.broadcast_to(points.days, starts.shape), held])
    # many points look back to the same ones
    once, place = np.unique(looked.reshape(len(looked), -1), axis=1, return_inverse=True)
    place = place.reshape(starts.shape)
    shares = _shares_once(rows, once)
    shape = len(points.cuts), shares.shape[1]
    added, n = np.zeros(shape), np.zeros(shape)
    for low in range(0, shares.shape[1], size := max(_AT_ONCE // max(len(shares), 1), 1)):
        some = slice(low, low + size)
        known = np.isfinite(shares[:, some])
        filled = np.where(known, shares[:, some], 0.0)
        for of in place:
            added[:, some] += filled[of]
            n[:, some] += known[of]
    return divided(added, n, n > 0)


def _shares_once(rows: LandingRows, looked: Days) -> Floats:
    """The shares of periods, shape (periods, items).

    Parameters
    ----------
    looked
        For each its first day, how many days are done and how many it has, the part of the next day that is done and
        of how many, and whether it is held; shape (6, periods).
    """
    starts, reached, lengths, rest, of, held = looked
    days_done = reached, reached + (rest > 0), lengths
    lasts = [np.where(held, starts + days - 1, starts - 1) for days in days_done]
    spans, place = np.unique(np.stack([np.tile(starts, 3), np.concatenate(lasts)]), axis=1, return_inverse=True)
    (sums,) = rows.sums((spans[:1], spans[1:]))
    done, after, whole = (sums[places] for places in place.reshape(3, -1))
    after -= done
    after *= (rest / of)[:, None]
    done += after
    return divided(done, whole, held.astype(bool)[:, None] & (whole > 0))


def weekday_share(rows: LandingRows, calendar: Calendar, coverage: Coverage, points: Points, known: Days) -> Floats:
    """The weight of the days done among those of the period, by weekdays as in the last whole weeks that were known.

    Shape (points, items), NaN where the records do not hold those weeks, or nothing was sold in them.
    """
    weeks_of = calendar if "week" in calendar.grains else CivilCalendar()
    week = weeks_of.ordinals("week", known)
    week = np.where(weeks_of.last_days("week", week) <= known, week, week - 1)
    back = np.arange(WEEKS)[:, None]
    firsts = weeks_of.first_days("week", week[None] - back)
    held = firsts[-1] >= coverage.first
    days = firsts[:, :, None] + np.arange(7)
    spans = days.reshape(WEEKS, -1)
    (sums,) = rows.sums((spans, np.where(np.repeat(held, 7), spans, spans - 1)))
    weights = sums.reshape(len(points.cuts), 7, sums.shape[-1])

    def counted(lasts: Days) -> Floats:
        """How often each weekday, from the first of a week, occurs from the start of each period to a day."""
        offset = (np.arange(7) - (points.starts - firsts[0])[:, None]) % 7
        return ((lasts - points.starts)[:, None] - offset) // 7 + 1.0

    done, whole = (np.einsum("pw,pwi->pi", counted(lasts), weights) for lasts in (points.cuts, points.ends))
    return divided(done, whole, held[:, None] & (whole > 0))


class ListedProfile(NamedTuple):
    """A profile of the user's: each day's own share of its period, by date or by day number.

    Attributes
    ----------
    name
        What it is called in messages.
    dates, shares
        Day numbers, sorted, and the share of each; empty where days are listed by number.
    by_length
        For each length of a period the share of its day 1, 2 and so on.
    """

    name: str
    dates: Days
    shares: Floats
    by_length: Mapping[int, Floats]

    def check(self, calendar: Calendar, within: Grain, now: Points) -> None:
        """Refuse a list that lacks days of the running period.

        Raises
        ------
        QuestionError
            Naming the first of them, or the lengths of periods that are listed.
        """
        start, end = int(now.starts[0]), int(now.ends[0])
        if self._of(start, end) is None:
            label = str(calendar.labels(within, now.ordinals)[0])
            raise QuestionError("{0} {1}", self.name, self._lacks(label, start, end))
        self.share(calendar, within, now)

    def share(self, calendar: Calendar, within: Grain, points: Points) -> Floats:
        """The share that is done at each point, shape (points, 1); NaN where the list does not have its period.

        Raises
        ------
        QuestionError
            Where the shares of a period do not add up.
        """
        shares = np.full(len(points.cuts), np.nan)
        for place, (ordinal, start, end, cut) in enumerate(zip(*(side.tolist() for side in points))):
            own = self._of(start, end)
            if own is None:
                continue
            whole = float(own.sum())
            if not min(abs(whole - 1), abs(whole / 100 - 1)) <= _ROUNDING:
                label = str(calendar.labels(within, np.array([ordinal]))[0])
                off = (whole - 1) if whole < 10 else (whole - 100)
                raise QuestionError(
                    "{0}: the shares of {1} must add up to 1 or 100 %; they add up to {2:.6g}, {3:.4g} too {4}",
                    self.name,
                    label,
                    whole,
                    abs(off),
                    Said("much") if off > 0 else Said("little"),
                )
            shares[place] = float(own[: cut - start + 1].sum()) / whole
        return shares[:, None]

    def _of(self, start: int, end: int) -> Floats | None:
        """The shares of the days of a period, where the list has them all."""
        if not len(self.dates):
            return self.by_length.get(end - start + 1)
        low, high = np.searchsorted(self.dates, [start, end + 1])
        return self.shares[low:high] if high - low == end - start + 1 else None

    def _lacks(self, label: str, start: int, end: int) -> str:
        days = end - start + 1
        if not len(self.dates):
            lengths = ", ".join(map(str, sorted(self.by_length)))
            return Said("lists shares for periods of {0} days; {1} has {2}", lengths, label, days)
        listed = set(self.dates.tolist())
        missing = [day for day in range(start, end + 1) if day not in listed]
        lacks = Said("it lacks {0}, the first {1}", how_many(len(missing), "day"), in_words(missing[0]))
        return Said("must list every day of {0}; {1}", label, lacks)


def listed_profile(source: Any) -> ListedProfile:
    """A list of the user's as a profile.

    Parameters
    ----------
    source
        Shares of day 1, 2 and so on; ``{day: share}``; ``{length: shares}``; or a table of `date` or `day` and `share`
        (and `days`, the length of the period): a data frame, a mapping of columns or a `pathlib.Path`.

    Raises
    ------
    QuestionError
        Where it is none of these, or a share is no number.
    """
    if isinstance(source, ListedProfile):
        return source
    name = Said("the listed profile")
    if isinstance(source, Mapping) and source and not any(isinstance(key, str) and key in _COLUMNS for key in source):
        keys = list(source)
        if all(isinstance(value, Iterable) and not isinstance(value, str) for value in source.values()):
            lengths = {check_count("profile", key): _shares(source[key], name) for key in keys}
            return _by_length(name, lengths)
        shares = _shares(list(source.values()), name)
        if all(isinstance(key, Integral) and not isinstance(key, bool) for key in keys):
            return _numbered(name, np.array(keys, dtype=np.int64), shares)
        return _dated(name, np.array([day_number(key, "profile") for key in keys], dtype=np.int64), shares)
    if isinstance(source, Sequence) and not isinstance(source, str) or isinstance(source, np.ndarray):
        shares = _shares(source, name)
        return _by_length(name, {len(shares): shares})
    table = ports.profile(source)
    if table.dates is not None:
        return _dated(table.name, table.dates, table.shares)
    if table.lengths is None:
        return _numbered(table.name, table.numbers, table.shares)
    lengths = {}
    for length in np.unique(table.lengths).tolist():
        own = table.lengths == length
        lengths |= _numbered(table.name, table.numbers[own], table.shares[own], length).by_length
    return _by_length(table.name, lengths)


class ListedShares(NamedTuple):
    """The rows of a table of shares: by date, or by day number and maybe the length of the period."""

    name: str
    shares: Floats
    dates: Days | None = None
    numbers: Days | None = None
    lengths: Days | None = None


_COLUMNS = ("date", "day", "days", "share")


def _shares(given: Any, name: str) -> Floats:
    try:
        shares = np.asarray(list(given), dtype=np.float64)
    except (TypeError, ValueError):
        shares = np.full(1, np.nan)
    if not len(shares) or shares.ndim != 1 or not np.isfinite(shares).all():
        raise QuestionError("{0} must be shares of days, numbers such as 0.032 or 3.2; got {1}", name, brief(given))
    return shares


def _by_length(name: str, by_length: Mapping[int, Floats]) -> ListedProfile:
    for length, shares in by_length.items():
        if len(shares) != length:
            raise QuestionError("{0} must list {1} shares for periods of {1} days; got {2}", name, length, len(shares))
    return ListedProfile(name, np.zeros(0, dtype=np.int64), np.zeros(0), by_length)


def _numbered(name: str, numbers: Days, shares: Floats, length: int | None = None) -> ListedProfile:
    """The shares of day 1, 2 and so on, in any order."""
    n = length or int(numbers.max(initial=0))
    order = np.argsort(numbers, kind="stable")
    if len(numbers) != n or (numbers[order] != np.arange(1, n + 1)).any():
        raise QuestionError("{0} must list each day from 1 to {1} once", name, n)
    return _by_length(name, {n: shares[order]})


def _dated(name: str, dates: Days, shares: Floats) -> ListedProfile:
    order = np.argsort(dates, kind="stable")
    dates, shares = dates[order], shares[order]
    twice = np.flatnonzero(np.diff(dates) == 0)
    if len(twice):
        raise QuestionError("{0} lists {1} twice", name, in_words(int(dates[twice[0]])))
    return ListedProfile(name, dates, shares, {})
