"""A plan laid on days in the shape of the same periods a year earlier."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from logochron.core.book.daybook import Daybook
from logochron.core.book.exact import divided
from logochron.core.book.formulas import LeafSums, adds_up, leaves, work_out
from logochron.core.book.items import Items, places_of
from logochron.core.book.record_spans import even_parts
from logochron.core.book.span_sums import Amounts
from logochron.core.days import Days
from logochron.core.options import how_many
from logochron.core.rows.figures import Floats


def shaped(plan: Daybook, book: Daybook) -> tuple[Daybook, tuple[str, ...]]:
    """The plan with its amounts laid on the days of their periods, as it was asked for, and what is to be said of it.

    With ``spread="year-ago"`` each day gets its share of the same period a year earlier, item by item where the plan
    has items: in whole numbers that add up to the period. Where the records hold no such period whole, or nothing was
    sold in it, the amount is laid evenly.

    Notes
    -----
    With C(d) what was sold a year earlier up to the place of day d, and A the planned amount of a period of n days, day
    d gets round(A C(d) / C(n)) - round(A C(d - 1) / C(n)).
    """
    standing = plan.standing
    if standing.spread != "year-ago":
        return plan, ()
    starts, ends = standing.spans(plan.days)
    lengths = ends - starts + 1
    of, place, _ = even_parts(np.zeros_like(lengths), lengths)
    days = starts[of] + place
    laid, evenly = {}, np.zeros(len(lengths), dtype=bool)
    for measure in plan.measures:
        share = np.full(len(of), np.nan)
        formula = book.formulas.get(measure.name)
        if formula is not None and adds_up(formula) and not book.standing.whole:
            share = _shares(plan, book, measure.name, starts, lengths, of, place)
        for leaf in leaves(plan.formulas[measure.name]):
            column = plan.amounts[leaf.key]
            laid[leaf.key] = _laid(column, share, lengths, of, place)
        evenly |= np.isnan(share[np.cumsum(lengths) - 1])
    made = replace(
        plan,
        days=days,
        records=np.where(place == 0, plan.records[of], 0),
        codes={name: codes[of] for name, codes in plan.codes.items()},
        amounts=laid,
        standing=standing._replace(spread="even"),
        laid_out={},
    )
    n = int(evenly.sum())
    if not n:
        return made, ()
    many = f"{how_many(n, 'record')} of the plan {'is' if n == 1 else 'are'}"
    return made, (f"{many} laid evenly: nothing is held of a year earlier",)


def _shares(
    plan: Daybook, book: Daybook, measure: str, starts: Days, lengths: Days, of: NDArray[np.intp], place: Days
) -> Floats:
    """The share of its period that is done at the end of each day, as it was a year earlier; NaN where it is not known.

    A value for each record of the plan and each day of its period.
    """
    calendar, grain = plan.standing.calendar, plan.standing.records_of
    ordinals, of_period = np.unique(calendar.ordinals(grain, starts), return_inverse=True)
    earlier = calendar.year_ago(grain, ordinals, 1)
    cover = book.coverage
    found = earlier.found & calendar.exists(grain, earlier.ordinals) & calendar.whole(grain, earlier.ordinals)
    found &= (calendar.first_days(grain, earlier.ordinals) >= cover.first) & (
        calendar.last_days(grain, earlier.ordinals) <= cover.last
    )
    before = np.where(found, earlier.ordinals, ordinals)
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
    keys = [leaf.key for leaf in leaves(book.formulas[measure])]
    spans = (base_starts.reshape(1, -1), np.where(found[:, None], base_days, base_starts - 1).reshape(1, -1))
    sums = {key: LeafSums(side[0], book.scale_of(key)) for key, side in book.sums(dims, keys, spans).items()}
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


def _laid(column: Amounts, share: Floats, lengths: Days, of: NDArray[np.intp], place: Days) -> Amounts:
    """The amounts by day: by their share where it is known, else evenly."""
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
