"""A plan laid on the days of its periods: as a year earlier, on the selling days, by the season."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.book.daybook import Daybook
from logochron.core.book.items import Items, places_of
from logochron.core.book.measures import AggregateSums, adds_up, aggregates, work_out
from logochron.core.book.record_spans import even_parts
from logochron.core.book.sums import Amounts, divided
from logochron.core.choices import how_many
from logochron.core.days import Days
from logochron.core.rows.figures import Floats
from logochron.core.rows.season_shares import SeasonWeights, held_whole, shares_by_place, whole_periods
from logochron.core.said import Said


class _PlanDays(NamedTuple):
    """The days of the periods of a plan's records, one record after the other.

    `of` is the record of each day, `place` its number in the period from 0, `lengths` are by record.
    """

    starts: Days
    lengths: Days
    of: NDArray[np.intp]
    place: Days

    @classmethod
    def of_plan(cls, plan: Daybook) -> _PlanDays:
        """Of the records of a plan."""
        starts, ends = plan.standing.spans(plan.days)
        lengths = ends - starts + 1
        of, place, _ = even_parts(np.zeros_like(lengths), lengths)
        return cls(starts, lengths, of, place)

    @property
    def days(self) -> Days:
        """The days themselves."""
        return self.starts[self.of] + self.place

    @property
    def lasts(self) -> Days:
        """Where the last day of each record's period stands."""
        return np.cumsum(self.lengths) - 1


def shaped(plan: Daybook, book: Daybook) -> tuple[Daybook, tuple[str, ...]]:
    """The plan with its amounts spread over the days of their periods, as was asked, and what is to be said of it.

    With ``spread="year-ago"`` each day gets its share of the same period a year earlier, item by item where the plan
    has items; with ``"selling-days"`` the selling days get the same each, and all others nothing; with ``"season"``
    each month (of shorter periods each weekday) gets its usual share: in whole numbers that add up to the period.
    Where nothing tells it, the amount is laid evenly.

    Notes
    -----
    With C(d) what was sold a year earlier up to the place of day d, and A the planned amount of a period of n days, day
    d gets round(A C(d) / C(n)) - round(A C(d - 1) / C(n)). Of n selling days the k-th gets floor(A k / n) -
    floor(A (k - 1) / n).
    """
    spread = plan.standing.spread
    if spread not in _SHAPES:
        return plan, ()
    days = _PlanDays.of_plan(plan)
    share_of = {"year-ago": _year_ago_share, "season": _season_share}.get(spread)
    laid, evenly, said = (
        _on_selling_days(plan, book, days) if share_of is None else _by_shares(plan, book, days, share_of)
    )
    laid_out = replace(
        plan,
        days=days.days,
        records=np.where(days.place == 0, plan.records[days.of], 0),
        codes={name: codes[days.of] for name, codes in plan.codes.items()},
        amounts=laid,
        standing=plan.standing._replace(spread="even"),
        laid_out={},
    )
    n = int(evenly.sum())
    return laid_out, (Said(_SHAPES[spread], how_many(n, "record")),) if n else said


#: The ways to lay a plan that need the records it is held against, and what is said where they tell nothing.
_SHAPES = {
    "year-ago": "{0} of the plan spread evenly: there are no records of a year earlier",
    "selling-days": "{0} of the plan spread evenly: no day of their periods is a selling day",
    "season": "{0} of the plan spread evenly: too few whole periods tell a season",
}
#: The amounts by day, which records are laid evenly, and what is to be said.
_Laid = tuple[dict[str, Amounts], NDArray[np.bool_], tuple[str, ...]]
#: Tells of a plan, a book and a measure the share of its period that is done at the end of each day, NaN where unknown.
_ShareOf = Callable[[Daybook, Daybook, str, _PlanDays], Floats]


def _by_shares(plan: Daybook, book: Daybook, days: _PlanDays, share_of: _ShareOf) -> _Laid:
    """The amounts by the share of its period that is done at the end of each day; evenly where that is not known."""
    laid, evenly = {}, np.zeros(len(days.lengths), dtype=bool)
    for measure in plan.measures:
        share = np.full(len(days.of), np.nan)
        formula = book.formulas.get(measure.name)
        if formula is not None and adds_up(formula) and not book.standing.whole:
            share = share_of(plan, book, measure.name, days)
        for aggregate in aggregates(plan.formulas[measure.name]):
            laid[aggregate.key] = _laid(plan.amounts[aggregate.key], share, days)
        evenly |= np.isnan(share[days.lasts])
    return laid, evenly, ()


def _season_share(plan: Daybook, book: Daybook, measure: str, days: _PlanDays) -> Floats:
    """The usual share of its period that is done at the end of each day, by item where the plan has items.

    Of each month in its year, of shorter periods of each weekday in its week; NaN where nothing tells it.
    """
    unknown = np.full(len(days.of), np.nan)
    calendar = plan.standing.calendar
    by = SeasonWeights.of(calendar, plan.standing.records_of)
    ordinals = whole_periods(calendar, by.within, book.coverage) if by else np.zeros(0, dtype=np.int64)
    if by is None or not len(ordinals):
        return unknown
    (summed,) = book.check_measures(measure)
    held = book.held_by(calendar)
    dims = [name for name in plan.labels if name in book.labels]
    own, of_all = (
        shares_by_place(held, names, summed, calendar, by.each, by.within, ordinals).usual() for names in (dims, ())
    )
    if not np.isfinite(of_all).any():
        return unknown
    usual = np.append(np.where(np.isfinite(own).any(axis=0), own, of_all), of_all, axis=1)  # the last: of no item known
    item = _items(plan, held.day_sums(dims).items, dims)[days.of]
    starts = days.starts[days.of]
    done, whole = (
        by.places_done(calendar, starts, lasts)[:, : len(usual)]
        for lasts in (days.days, starts + days.lengths[days.of] - 1)
    )
    weights = np.nan_to_num(usual)[: done.shape[1], item].T
    reached, in_all = ((side * weights).sum(axis=1) for side in (done, whole))
    return divided(reached, in_all, in_all > 0)


def _on_selling_days(plan: Daybook, book: Daybook, days: _PlanDays) -> _Laid:
    """The amounts on the selling days: those said of the plan, else those of the records."""
    selling = (plan if plan.selling_days is not None else book).selling
    first = np.where(days.place == 0)[0]
    taken = selling.open_on(days.days).astype(np.int64)
    done = np.cumsum(taken)
    done -= (done[first] - taken[first])[days.of]
    whole = done[days.lasts]
    evenly = whole == 0
    done = np.where(evenly[days.of], days.place + 1, done)
    whole = np.where(evenly, days.lengths, whole)
    laid = {}
    for key, column in plan.amounts.items():
        amounts = column.values
        if column.scale is None:
            reached = amounts[days.of] * (done / whole[days.of])
        else:
            each, rest = np.divmod(amounts.astype(np.int64), whole)
            reached = each[days.of] * done + rest[days.of] * done // whole[days.of]
        values: NDArray[Any] = _steps(reached, days.place)
        laid[key] = Amounts(values, column.scale, float(np.abs(values).sum()))
    return laid, evenly, selling.said


def _year_ago_share(plan: Daybook, book: Daybook, measure: str, days: _PlanDays) -> Floats:
    """The share of its period that is done at the end of each day, as it was a year earlier; NaN where it is not known.

    A value for each record of the plan and each day of its period.
    """
    calendar, grain = plan.standing.calendar, plan.standing.records_of
    starts, lengths, of, place = days
    ordinals, of_period = np.unique(calendar.ordinals(grain, starts), return_inverse=True)
    earlier = calendar.year_ago(grain, ordinals, 1)
    usable = earlier.found & held_whole(calendar, grain, earlier.ordinals, book.coverage)
    before = np.where(usable, earlier.ordinals, ordinals)
    both = np.unique(np.concatenate([ordinals, before]))
    at_places = calendar.day_places(grain, both)
    own, base = (at_places[np.searchsorted(both, side)] for side in (ordinals, before))
    firsts = calendar.first_days(grain, ordinals)
    # the base's day at the last place of each day, so that a shorter period ends with the longer one
    periods, n_days = len(ordinals), int(lengths.max(initial=1))
    base_starts = np.repeat(calendar.first_days(grain, before)[:, None], n_days, axis=1)
    base_days = base_starts - 1
    np.maximum.at(base_days, (np.arange(periods)[:, None], own - firsts[:, None]), base)
    dims = [name for name in plan.labels if name in book.labels]
    keys = [aggregate.key for aggregate in aggregates(book.formulas[measure])]
    spans = (base_starts.reshape(1, -1), np.where(usable[:, None], base_days, base_starts - 1).reshape(1, -1))
    sums = {key: AggregateSums(side[0], book.scale_of(key)) for key, side in book.sums(dims, keys, spans).items()}
    done = work_out(book.formulas[measure], sums).shown
    item = _items(plan, book.day_sums(dims).items, dims)
    done = np.append(done, np.zeros((len(done), 1)), axis=1)  # an item that the book does not know
    at = of_period[of] * n_days
    reached, whole = done[at + place, item[of]], done[at + lengths[of] - 1, item[of]]
    return divided(reached, whole, whole > 0)


def _items(plan: Daybook, known: Items, dims: Sequence[str]) -> Days:
    """The place of each record's item among those of the book, -1 where it is not known."""
    if not dims:
        return np.zeros(len(plan.days), dtype=np.int64)
    items = Items.of([plan.codes[name] for name in dims], [plan.labels[name] for name in dims], len(plan.days))
    return places_of(known.labels, items.labels)[items.of_rows]


def _laid(column: Amounts, share: Floats, days: _PlanDays) -> Amounts:
    """The amounts by day: by their share where it is known, else evenly."""
    _, lengths, of, place = days
    known, last = ~np.isnan(share), place == lengths[of] - 1
    whole = column.values[of]
    if column.scale is None:
        values = np.where(known, _steps(whole * share, place), whole / lengths[of])
    else:
        reached = np.where(last, whole, np.rint(whole * np.where(known, share, 0.0)).astype(np.int64))
        values = np.where(known, _steps(reached, place), even_parts(column.values.astype(np.int64), lengths)[2])
    return Amounts(values, column.scale, float(np.abs(values).sum()))


def _steps(reached: NDArray[np.generic], place: Days) -> NDArray[np.generic]:
    """What each day adds to what the days before it reached."""
    before = np.append(reached[:1], reached[:-1])
    return reached - np.where(place == 0, np.zeros(1, dtype=reached.dtype), before)
