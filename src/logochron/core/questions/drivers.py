"""Which items moved the total, and by volume, mix or price?"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import TYPE_CHECKING, Any, ClassVar, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.align.bases import Basis
from logochron.core.align.period_spec import period_spec
from logochron.core.book.daybook import Daybook
from logochron.core.book.measures import Measure, adds_up
from logochron.core.book.sums import divided
from logochron.core.calendars.base import Calendar
from logochron.core.check_kinds import kinds_checked
from logochron.core.choices import Each, Gather, Kept, Partial, Weeks, check
from logochron.core.days import Days
from logochron.core.errors import QuestionError
from logochron.core.judge.judging import JudgingLike
from logochron.core.rows.answer import (
    AlignedAnswer,
    Columns,
    block,
    dimensions,
    in_order,
    laid_out,
    note_periods,
    one,
    row_notes,
)
from logochron.core.rows.currency_effect import CURRENCY_EFFECT, CurrencyEffect, effect_sides, steady_of
from logochron.core.rows.figures import Floats, Sides, figures_of
from logochron.core.rows.groupings import Grouping
from logochron.core.rows.life_groups import check_gathered, gathered, gathered_ids, groups_of, is_told, untold
from logochron.core.rows.plans import AnyPlan
from logochron.core.rows.prepare import (
    Groupings,
    Prepared,
    adding_up,
    ask,
    check_book,
    groupings_of,
    prepare,
    remembered,
)
from logochron.core.rows.result import Block, Blocks, RowBlock
from logochron.core.said import Said

if TYPE_CHECKING:
    import pandas as pd

_NOTHING: Floats = np.full((1, 1), np.nan)


@dataclass(frozen=True, repr=False, eq=False)
class Drivers(AlignedAnswer):
    """The answer of `drivers`, of one period.

    Attributes
    ----------
    table, subtotals, total
        Tidy frames of one row per measure and item. `contribution` is the item's change by the total's base, in points
        of growth; `volume`, `mix` and `price` add up to the item's change, where a quantity is named.
    path
        The way down through the dimensions: `level, dimension, item, change, contribution`.
    quantity, left_out
        The measure of quantities; the names of measures that divide, and have no parts.
    currency
        By measure the currency effect in its change, where the book has it at constant rates too. `table` and `total`
        have a row of it, called so in place of the measure and the items; its value and base are the differences.
    gather
        Whether rows are groups of items, whose number is in the column `items`.
    """

    quantity: Measure | None
    left_out: tuple[str, ...]
    path_columns: Mapping[str, NDArray[Any]] = field(repr=False)
    currency: Mapping[str, CurrencyEffect] = field(default_factory=dict, repr=False, kw_only=True)
    gather: Gather | None = field(default=None, kw_only=True)
    kind: ClassVar[str] = "drivers"

    @property
    def in_own_order(self) -> bool:
        """Whether its rows are groups, which stand from those that came to those that left."""
        return self.gather is not None

    def ask_anew(self, prepared: Prepared) -> Drivers:
        """The same question about what is lined up otherwise."""
        return _driven(prepared, self.quantity, self.left_out, self.gather)

    def part_of(self, whole: Drivers) -> Drivers:
        """The same rows of some items of a whole, with their contributions to its growth."""

        def among(columns: Blocks) -> Blocks:
            return Blocks([_contributing(rows, whole) for rows in columns.blocks])

        base = whole.total_columns.blocks[0].row(0, 0)["base"]
        bases = {m.name: whole.of_measure(whole.total_columns, m).blocks[0].row(0, 0)["base"] for m in self.measures}
        return replace(
            self,
            currency={
                name: replace(effect, points=effect.change / bases[name] if bases[name] > 0 else np.nan)
                for name, effect in self.currency.items()
            },
            columns=among(self.columns),
            subtotal_columns=among(self.subtotal_columns),
            total_columns=among(self.total_columns),
            path_columns={
                **self.path_columns,
                "contribution": divided(self.path_columns["change"], base, base > 0),
            },
        )

    @cached_property
    def path(self) -> pd.DataFrame:
        """At each level the item that moved most in the direction of the total; of the first measure."""
        return self._frame(Blocks.plain(self.path_columns), "path")


class Effects(NamedTuple):
    """By item: volume, mix and price (NaN where nothing is known of them), and whether quantities tell nothing."""

    volume: Floats
    mix: Floats
    price: Floats
    unquantified: NDArray[np.bool_]


@remembered
@kinds_checked
def drivers(
    book: Daybook,
    each: Each,
    *,
    by: str | Sequence[str],
    against: str | Basis = "year-ago",
    at: Any = None,
    quantity: str | None = None,
    gather: Gather | None = None,
    running: Any = None,
    partial: Partial = "to-date",
    weeks: Weeks = "same-number",
    plan: AnyPlan | None = None,
    measures: str | Sequence[str] | None = None,
    calendar: Calendar | None = None,
    judging: JudgingLike = None,
    items: Kept = "all",
    top: int | None = None,
    sort: str | None = None,
) -> Drivers:
    """What each item contributed to the change of one period, and by volume, mix and price where quantities are known.

    Parameters
    ----------
    book, each, against, running, partial, weeks, plan, measures, calendar, items, top, sort
        As in `compare`. Measures that divide are refused; where none is named they are left out.
    by
        The dimensions whose items moved the total; with several, `path` walks down through them.
    at
        The one period; the last where None.
    quantity
        The measure of quantities (units, hours): a sum or a count.
    gather
        ``"life"``: the items of one dimension (customers, products) gathered by what became of them: `new` (first
        recorded after the base's last day), `back` (none in the base, recorded before), `up`, `same` and `down` (in
        both), `paused` and `ended` (none now; ended after a silence of more than 28 days and five times their mean
        gap). Rows are of groups, the column `items` says how many items are in each.
    judging
        Levels, and which way is good; bands do not apply.

    Returns
    -------
    Drivers
        Frozen; `.table`, `.subtotals`, `.total`, `.path` and `.notes`.

    Raises
    ------
    QuestionError
        Where `at` names several periods, a measure divides, or an option names nothing.

    Notes
    -----
    contribution = change / the total's base, only where that is > 0: they add up to the total's growth. With
    quantities q (totals Q) and prices p = amount / q, 0 the base and 1 now: volume = (Q1 - Q0) q0 / Q0 p0, mix =
    (q1 - Q1 q0 / Q0) p0, price = (p1 - p0) q1. They add up to the item's change. New items are all mix; so is the
    whole change of an item whose amount stands beside a quantity that is not > 0, noted `no quantity`.

    Examples
    --------
    >>> import logochron as lc
    >>> moved = lc.drivers(lc.demo.book(), "month", by="line", measures="revenue", at="2026-09", quantity="units")
    >>> row = moved.table.iloc[0]
    >>> bool(abs(row.volume + row.mix + row.price - row.change) < 1e-9)
    True
    """
    check_book(book)
    if not book.check_by(by, kept=gather is not None):
        raise QuestionError("`drivers` is about items: name a dimension in `by` (--by)")
    spec = period_spec(
        each=each,
        against=against,
        calendar=calendar,
        running=running,
        partial=partial,
        weeks=weeks,
        at=at,
        last=1 if at is None else None,
    )
    counted = book.check_measures(quantity)[0] if quantity is not None else None
    if counted and not adds_up(book.formulas[counted.name]):
        raise QuestionError("`quantity` must be a sum or a count; {0!r} divides", counted.name)
    kept, left_out = _measures(book, measures, counted)
    selection = ask(
        "drivers",
        book,
        by=by,
        measures=kept,
        judging=judging,
        items=items,
        top=top,
        sort=sort,
        kept=gather is not None,
    )
    prepared = prepare(selection, spec, plan)
    if gather is not None:
        check("gather", gather, Gather)
        check_gathered(prepared, counted)
    size = prepared.aligned.size
    if size != 1:
        n = Said("names {0}", size) if size else Said("none is held whole by the records")
        raise QuestionError("`at` must name one period: {0} {1}", (at if at is not None else Said("the last")), n)
    return _driven(prepared, counted, tuple(left_out), gather)


def _driven(
    prepared: Prepared, counted: Measure | None, left_out: tuple[str, ...], gather: Gather | None = None
) -> Drivers:
    """The answer to what is lined up, of one period."""
    selection = prepared.selection
    steady = {m.name: other for m in selection.measures if (other := steady_of(prepared.book, m)) is not None}
    known = [m.name for m in selection.measures]
    also = [m for m in ([counted] if counted else []) if m.name not in known]
    also += [other for other in steady.values() if other.name not in known]
    many = groups = np.zeros(0, dtype=np.int64)
    told = gather is None or is_told(prepared)
    stay = gather is not None and told and selection.by[0] in prepared.book.kept_ids
    if stay:
        groupings, many = gathered_ids(prepared)
        groups = np.arange(len(many))
    else:
        groupings = groupings_of(prepared, also) if told else untold(prepared, also)
    quantities = _parts(groupings, counted) if counted else None
    effects = {m.name: _effects(_parts(groupings, m), quantities) for m in selection.measures}
    life = gather is not None and len(groupings.items.places) > 0
    if life and not stay:
        groups = groups_of(groupings, selection.measures[0])
        groupings, many = gathered(groupings, groups)
    # the row of each item: that of its subtotal or of all, and its own or that of all others
    codes = {
        grouping.by: groupings.full.under(grouping.by).of_rows for grouping in (groupings.total, *groupings.subtotals)
    }
    codes[selection.by] = np.arange(groupings.full.size)
    if life:
        codes[selection.by] = np.unique(groups, return_inverse=True)[1]
        codes[()] = np.zeros(len(groups), dtype=np.int64)
    if groupings.chosen is not None:
        codes[selection.by] = np.where(groupings.chosen, np.cumsum(groupings.chosen) - 1, groupings.items.size - 1)

    def rows(measure: Measure, grouping: Grouping, others: bool) -> Block:
        in_groups = None
        if gather is not None:
            in_groups = many if grouping.by else np.array([many.sum() if told else np.nan])
        return _rows(
            groupings,
            measure,
            grouping,
            _added(effects[measure.name], codes[grouping.by], grouping.size),
            counted,
            others,
            in_groups,
        )

    fields = laid_out("drivers", groupings, rows)
    effects_of_rates = {}
    moved = [measure for measure in selection.measures if measure.name in steady]
    for place, measure in enumerate(moved, start=len(selection.measures)):
        sides = effect_sides(*(groupings.sides(one, groupings.total) for one in (measure, steady[measure.name])))
        effects_of_rates[measure.name] = _currency(groupings, measure, steady[measure.name], sides)
        called = CURRENCY_EFFECT if len(moved) == 1 else f"{CURRENCY_EFFECT} of {measure.name}"
        for columns, item in (("columns", called), ("total_columns", None)):
            row = _currency_row(groupings, measure, sides, called, item, place, gathered=gather is not None)
            fields[columns] = Blocks([*fields[columns].blocks, row])
    if left_out:
        said = Said("{0}: left out, as quotients have no parts that add up", ", ".join(left_out))
        fields["notes"] = (said, *fields["notes"])
    path = _path(groupings, selection.measures[0])
    return Drivers(
        **fields,
        quantity=counted,
        left_out=left_out,
        path_columns=path,
        currency=effects_of_rates,
        gather=gather,
    )


def _currency(groupings: Groupings, measure: Measure, steady: Measure, sides: Sides) -> CurrencyEffect:
    """The currency effect in the change of a measure, from its two sides."""
    reported, constant = (groupings.sides(m, groupings.total) for m in (measure, steady))
    items = groupings.sides(steady, groupings.items)
    changed = np.where(items.known, items.value - items.base, 0)[0] / items.unit
    change = float(((sides.value - sides.base) / sides.unit)[0, 0]) if sides.known.all() else np.nan
    base, of_steady = float(reported.shown()[1][0, 0]), float(constant.shown()[1][0, 0])
    moved = float((constant.value - constant.base)[0, 0]) / constant.unit
    return CurrencyEffect(
        steady=steady,
        change=change,
        points=change / base if base > 0 else np.nan,
        steady_growth=moved / of_steady if of_steady > 0 else np.nan,
        items=changed,
    )


def _currency_row(
    groupings: Groupings, measure: Measure, sides: Sides, called: str, item: str | None, place: int, *, gathered: bool
) -> Block:
    """The row of a currency effect, from its two sides."""
    prepared = groupings.prepared
    whole = groupings.sides(measure, groupings.total)
    notes = row_notes(prepared, groupings.total)
    judging = replace(prepared.selection.judgings[measure.name], bands=())
    figures = figures_of(sides, measure.better, judging, None, notes)
    base = whole.base[:, :1] / whole.unit
    nothing = dict.fromkeys(("growth", "quantity", "base_quantity", "volume", "mix", "price"), _NOTHING)
    columns: Columns = {
        "measure": one(called),
        **figures._asdict(),
        **nothing,
        "contribution": divided(figures.change, base, whole.known & (base > 0)),
        "note": np.zeros((1, 1), dtype=np.int32),
        **({"items": _NOTHING} if gathered else {}),
        **{dimension: one(item) for dimension in prepared.selection.by},
    }
    return Block((1, 1), in_order("drivers", prepared.selection.by, columns), None, place)


def _measures(
    book: Daybook, measures: str | Sequence[str] | None, counted: Measure | None
) -> tuple[list[str], list[str]]:
    """The measures whose changes are taken apart, and those left out as they divide."""
    kept, divide = adding_up(book, measures)
    if measures is not None and divide:
        raise QuestionError(
            "`drivers` takes apart what adds up, and {0} divides: name what it is made of, such as measures={1!r}",
            ", ".join(divide),
            _made_of(book, divide[0]),
        )
    if measures is None and counted and len(kept) > 1:
        kept = [name for name in kept if name != counted.name]
    if not kept:
        raise QuestionError("`drivers` needs a measure that adds up: a sum, a count or a difference")
    return kept, divide


def _made_of(book: Daybook, name: str) -> str:
    return next(str(m.of or m.name) for m in book.measures if m.name == name)


def _parts(groupings: Groupings, measure: Measure) -> Sides:
    """Both sides of every item.

    Raises
    ------
    QuestionError
        Where distinct ids lie in several items: their parts are more than the whole.
    """
    sides = groupings.sides(measure, groupings.full)
    if groupings.prepared.counts_ids(measure):
        whole = groupings.sides(measure, groupings.total)
        for parts, of in ((sides.value, whole.value), (sides.base, whole.base)):
            if not np.array_equal(parts.sum(axis=1), of[:, 0]):
                raise QuestionError(
                    "{0!r} counts ids that lie in several items, so that these do not add up to the "
                    "total: take it apart by a dimension in which each id lies in one item",
                    measure.name,
                )
    return sides


def _effects(sides: Sides, quantities: Sides | None) -> Effects:
    """Volume, mix and price of every item, those of items that are not compared 0."""
    n = sides.value.shape[1]
    if quantities is None:
        nothing = np.full(n, np.nan)
        return Effects(nothing, nothing, nothing, np.zeros(n, dtype=bool))
    compared = np.ones(n, dtype=bool) if sides.compared is None else sides.compared[0]
    v, b, q1, q0 = (
        np.where(compared, side[0] / of.unit, 0.0)
        for of, side in (
            (sides, sides.value), (sides, sides.base), (quantities, quantities.value), (quantities, quantities.base)
        )
    )  # fmt: skip
    change = np.where(compared, (sides.value[0] - sides.base[0]) / sides.unit, 0.0)
    volume, mix, price, unquantified = effects_of(v, b, q1, q0, change, q1.sum(), q0.sum())
    known = sides.value_known & sides.base_known & quantities.value_known & quantities.base_known
    known = np.broadcast_to(known, sides.value.shape)[0]
    unquantified &= compared & known
    volume, mix, price = (np.where(known, side, np.nan) for side in (volume, mix, price))
    return Effects(volume, mix, price, unquantified)


def effects_of(
    v: Floats, b: Floats, q1: Floats, q0: Floats, change: Floats, total: Floats, total_before: Floats
) -> Effects:
    """Volume, mix and price of items from value, base, their quantities and those of all, now and before.

    Of any shape that fits; all of them known. See `drivers` for the law.
    """
    unquantified = ((q0 <= 0) & (b != 0)) | ((q1 <= 0) & (v != 0)) | (total_before <= 0)
    divisor = np.where(q0 != 0, q0, 1.0)
    price_before = np.where(q0 != 0, b / divisor, 0.0)
    per_unit = 1.0 if total_before <= 0 else total_before
    volume = np.where(unquantified, 0.0, (total - total_before) * q0 / per_unit * price_before)
    mix = (q1 - total * q0 / per_unit) * price_before
    # a new item has no earlier price: all of it is mix
    mix = np.where(unquantified | (q0 == 0), change, mix)
    price = np.where(unquantified | (q0 == 0), 0.0, v - price_before * q1)
    return Effects(volume, mix, price, unquantified)


def _added(effects: Effects, codes: Days, n: int) -> Effects:
    """The effects of groups of items."""
    sums: list[Floats] = [np.bincount(codes, side, minlength=n).astype(np.float64) for side in effects[:3]]
    rows = np.bincount(codes, minlength=n)
    unquantified = np.bincount(codes, effects.unquantified, minlength=n)
    return Effects(sums[0], sums[1], sums[2], (unquantified > 0) & (unquantified == rows))


def _rows(
    groupings: Groupings,
    measure: Measure,
    grouping: Grouping,
    effects: Effects,
    counted: Measure | None,
    others: bool,
    many: Days | None = None,
) -> Block:
    """The rows of one measure and one grouping; `many`: how many items each gathers."""
    prepared = groupings.prepared
    whole = groupings.sides(measure, groupings.total)
    notes = row_notes(prepared, grouping)
    judging = replace(prepared.selection.judgings[measure.name], bands=())
    of_rows = notes if many is None or not grouping.by else row_notes(prepared, grouping)  # a group says it itself
    figures = figures_of(groupings.sides(measure, grouping), measure.better, judging, None, of_rows)
    notes.add(effects.unquantified[None], "no quantity")
    note_periods(prepared, notes, grouping.why[measure.name])
    base = whole.base[:, :1] / whole.unit
    known = whole.value_known[:, :1] & whole.base_known[:, :1] & (base > 0)
    quantity: tuple[Floats, Floats] = (
        (_NOTHING, _NOTHING) if counted is None else groupings.sides(counted, grouping).shown()
    )
    unknown = ~np.isfinite(figures.change)
    columns: Columns = {
        "measure": one(measure.name),
        **figures._asdict(),
        "contribution": divided(figures.change, base, np.broadcast_to(known, figures.change.shape)),
        "quantity": quantity[0],
        "base_quantity": quantity[1],
        **dict(zip(("volume", "mix", "price"), (np.where(unknown, np.nan, side[None]) for side in effects[:3]))),
        "note": notes.places,
        **({} if many is None else {"items": many[None].astype(float)}),
        **dimensions(prepared.selection.by, grouping),  # last: one may be called like a figure that drivers do not have
    }
    return block(prepared, measure, grouping, in_order("drivers", prepared.selection.by, columns), others)


def _contributing(rows: RowBlock, whole: Drivers) -> Block:
    """The rows of a measure with their contributions to the growth of a whole."""
    named = [*(m.name for m in whole.measures), *whole.currency][rows.measure]  # of an effect, of what it is in
    of = next(m for m in whole.measures if m.name == named)
    base = whole.of_measure(whole.total_columns, of).blocks[0].row(0, 0)["base"]
    columns = {**rows.columns, "contribution": divided(rows.columns["change"], base, base > 0)}
    return Block(rows.shape, columns, rows.order, rows.measure)


def _path(groupings: Groupings, measure: Measure) -> Columns:
    """Down through the dimensions: at each level the item that moved most in the total's direction, ties by label."""
    whole = groupings.sides(measure, groupings.total)
    change = float((whole.value - whole.base)[0, 0])
    known = bool((whole.value_known & whole.base_known)[0, 0])
    sign = np.sign(change) if known else 0.0
    base = float(whole.base[0, 0]) / whole.unit
    steps: list[tuple[int, str, str, float, float]] = []
    walked: tuple[str, ...] = ()
    for depth, grouping in enumerate((*groupings.subtotals, groupings.full), start=1):
        sides = groupings.sides(measure, grouping)
        moved = np.where(sides.value_known & sides.base_known, sides.value - sides.base, 0)[0] / sides.unit
        if sides.compared is not None:
            moved = np.where(sides.compared[0], moved, 0)
        under = np.ones(grouping.size, dtype=bool)
        for label, name in zip(grouping.labels, walked):
            under &= label == name
        moved = np.where(under, moved * sign, 0)
        if not len(moved) or moved.max() <= 0:
            break
        place = int(moved.argmax())
        walked = tuple(str(label[place]) for label in grouping.labels)
        points = moved[place] * sign / base if base > 0 else np.nan
        steps.append(
            (depth, groupings.prepared.selection.by[depth - 1], walked[-1], float(moved[place] * sign), float(points))
        )
    names = ("level", "dimension", "item", "change", "contribution")
    kinds: tuple[Any, ...] = (np.int64, object, object, np.float64, np.float64)
    columns = list(zip(*steps)) if steps else [()] * len(names)
    return {name: np.array(list(values), dtype=kind) for name, values, kind in zip(names, columns, kinds)}
