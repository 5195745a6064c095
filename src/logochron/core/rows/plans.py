"""The plan beside what was recorded: spread over days in a shape, and the side of the rows that they are."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from fractions import Fraction
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.align.align import Alignment
from logochron.core.align.base_spans import any_part
from logochron.core.align.bases import Basis, Plan
from logochron.core.book.daybook import Daybook
from logochron.core.book.filters import holds
from logochron.core.book.intake import Intake
from logochron.core.book.items import Items
from logochron.core.book.measures import (
    AggregateSums,
    Measure,
    all_aggregates,
    formulas,
)
from logochron.core.book.record_spans import Standing
from logochron.core.book.sums import Amounts, Spans
from logochron.core.calendars.base import Bools, Calendar
from logochron.core.choices import Grain, as_written, check
from logochron.core.days import Days
from logochron.core.errors import QuestionError, brief, no_such
from logochron.core.notes import Note, Noted
from logochron.core.said import Joined, Said

#: Figures of a plan have so many decimals at most.
_FINEST = 6


@dataclass(frozen=True)
class Constant:
    """A plan of so much in each period of a grain, laid evenly on its days; split by nothing.

    It reaches from the first day of the records to the end of the year that they run in.

    Parameters
    ----------
    amount
        A number, or its text.
    each
        The grain of the periods.
    measure
        The measure that is planned; the first sum that is asked of where None.

    Raises
    ------
    QuestionError
        Where the amount is no number, or `each` no grain.

    Examples
    --------
    >>> import logochron as lc
    >>> book = lc.demo.book()
    >>> planned = lc.compare(book, "month", "plan", plan=Constant(40_000), at="2026-09", measures="revenue")
    >>> planned.total.base.tolist()
    [40000.0]
    """

    amount: float | str | Decimal | Fraction
    each: Grain = "month"
    measure: str | None = None

    def __post_init__(self) -> None:
        check("each", self.each, Grain)
        if as_written(self.amount) is None:
            raise QuestionError("`Constant` needs a number such as 100_000; got {0}", brief(self.amount))

    def book(self, sales: Daybook, measures: Sequence[Measure], calendar: Calendar) -> Daybook:
        """The plan beside some sales: of the first sum among the measures where none is named."""
        amount = as_written(self.amount)
        assert amount is not None
        first = next((measure for measure in measures if measure.kind == "sum"), measures[0])
        measure = Measure(self.measure or first.name)
        cover = sales.settled
        year = calendar.touching("year", cover.first, cover.last)
        end = int(calendar.last_days("year", year[-1:])[0])
        days = calendar.first_days(self.each, calendar.touching(self.each, cover.first, end))
        scale = next(n for n in range(_FINEST + 1) if (amount * 10**n).denominator == 1 or n == _FINEST)
        units = round(amount * 10**scale)
        if abs(units) * max(len(days), 1) >= 2**62:
            raise QuestionError("a plan of {0} is too large to be added up over {1:,} periods", amount, len(days))
        (aggregate,) = all_aggregates(formulas((measure,)))
        return Daybook(
            days=days,
            records=np.ones_like(days),
            codes={},
            labels={},
            amounts={aggregate.key: Amounts(np.full(len(days), units, np.int64), scale, float(abs(units) * len(days)))},
            measures=(measure,),
            recorded=days,
            intake=Intake(read=len(days), counted=len(days), sources=(Said("{0} each {1}", amount, self.each),)),
            standing=Standing(self.each, calendar),
        ).evenly()


#: A plan, or several by their names.
OnePlan = Daybook | Constant
AnyPlan = OnePlan | Mapping[str, OnePlan]


def check_plan(
    plan: object, basis: Basis, sales: Daybook, measures: Sequence[Measure], calendar: Calendar
) -> Daybook | None:
    """The plan, where the basis is one; of several the one that it names.

    Parameters
    ----------
    sales, measures
        The records, and the measures that are asked of.
    calendar
        Of the periods of a constant.

    Raises
    ------
    QuestionError
        Where one is missing, not asked for, not among those named, or no daybook.
    """
    if not isinstance(basis, Plan):
        if plan is not None:
            raise QuestionError("`plan` goes with against='plan' (--against plan)")
        return None
    if isinstance(plan, Mapping):
        plan = _named_plan(plan, basis)
    if isinstance(plan, Constant):
        return plan.book(sales, measures, calendar)
    if not isinstance(plan, Daybook):
        got = Said("none is given") if plan is None else Said("got {0}", type(plan).__name__)
        raise QuestionError(
            "against='plan' needs `plan`, a Daybook from `read_plan` or a `Constant` (--plan FILE|NUMBER); {0}", got
        )
    return plan


def _named_plan(plans: Mapping[str, Any], basis: Plan) -> object:
    """The plan that a basis names; the only one where it names none."""
    if not basis.name and len(plans) == 1:
        return next(iter(plans.values()))
    if not basis.name:
        raise QuestionError(
            "against='plan' must name one of the {0} plans: {1} (--against {2})",
            len(plans),
            ", ".join(f"plan:{name}" for name in plans),
            Plan(next(iter(plans), "NAME")),
        )
    if basis.name not in plans:
        raise QuestionError(no_such("plan", basis.name, list(plans), where="`plan`"))
    return plans[basis.name]


def selected_alike(plan: Daybook, book: Daybook) -> tuple[Daybook, tuple[str, ...]]:
    """The plan of the items that the book's filters took, and the dimensions of filters that it lacks."""
    lacking = []
    for selection in book.filters:
        for name, wanted in selection.items():
            if name not in plan.labels:
                lacking.append(name)
                continue
            plan = plan.taking({name: holds(plan.labels[name], wanted)})
    return plan, tuple(dict.fromkeys(lacking))


def with_missing(plan: Daybook, aligned: Alignment) -> Alignment:
    """The alignment with bases unknown where the plan misses a period of theirs; missing is not 0."""
    missing, named = not_planned(plan, aligned.base_starts, aligned.base_ends, aligned.part_known)
    if not missing.any():
        return aligned
    part_known = aligned.part_known & ~missing
    return aligned._replace(
        part_known=part_known,
        base_known=aligned.base_known & part_known.all(axis=0),
        notes=(*aligned.notes, Noted(any_part(missing) & aligned.base_known, "no base: not planned", (named[0],))),
    )


def not_planned(plan: Daybook, starts: Days, ends: Days, known: Bools) -> tuple[Bools, NDArray[np.object_]]:
    """Which of the spans that are known a plan misses a period of, and the label of the first such."""
    standing = plan.standing
    if standing.records_of == "day" or not known.any():
        return np.zeros(known.shape, dtype=bool), np.full(known.shape, "", dtype=object)
    calendar, grain = standing.calendar, standing.records_of
    planned = np.unique(calendar.ordinals(grain, plan.recorded))
    somewhere = int(plan.recorded[0])  # what is unknown anyway may lie outside the calendar
    first, last = (calendar.ordinals(grain, np.where(known, side, somewhere)) for side in (starts, ends))
    held = np.searchsorted(planned, last, side="right") - np.searchsorted(planned, first)
    missing = known & (held < last - first + 1)
    if not missing.any():
        return missing, np.full(known.shape, "", dtype=object)
    # the first period of each span that is not planned
    gaps = np.setdiff1d(np.arange(int(first[missing].min()), int(last[missing].max()) + 1), planned)
    return missing, calendar.labels(grain, gaps[np.minimum(np.searchsorted(gaps, first), len(gaps) - 1)]).astype(object)


class PlanSide(NamedTuple):
    """The plan's sums over the base spans, for the tuples of items of both books together.

    `places` is the place of each tuple among the book's own items, -1 where it has none. `parts` are by aggregate of
    the plan's own formulas, `why` is by measure what the plan says nothing of; `present` are the tuples that it says
    anything of.
    """

    labels: tuple[NDArray[np.object_], ...]
    places: Days
    parts: Mapping[str, AggregateSums]
    why: Mapping[str, Note | None]
    present: Bools


def plan_side(plan: Daybook, book: Daybook, by: Sequence[str], measures: Sequence[Measure], spans: Spans) -> PlanSide:
    """The plan's sums of some measures, where it has them and the dimensions asked for."""
    alike, lacking = selected_alike(plan, book)
    lacking = tuple(dict.fromkeys([*lacking, *(name for name in by if name not in plan.labels)]))
    labels = book.day_sums(by).items.labels
    n = book.day_sums(by).items.size
    why = {m.name: _unplanned(m.name, tuple(plan.formulas), lacking) for m in measures}
    if lacking:
        return PlanSide(labels, np.arange(n), {}, why, np.zeros(n, bool))
    keys = [aggregate.key for aggregate in all_aggregates(plan.formulas)]
    sums = alike.sums(by, keys, spans)
    places = theirs = np.arange(n)
    if by:
        labels, places, theirs = _united(labels, alike.day_sums(by).items.labels)
    present = np.any([at_places(side != 0, theirs).any(axis=0) for (side,) in sums.values()], axis=0)
    parts = {key: AggregateSums(at_places(side, theirs), plan.scale_of(key)) for key, (side,) in sums.items()}
    return PlanSide(labels, places, parts, why, present)


def _united(
    labels: Sequence[NDArray[np.object_]], others: Sequence[NDArray[np.object_]]
) -> tuple[tuple[NDArray[np.object_], ...], Days, Days]:
    """All tuples of items of two books in text order, and the place of each in either; -1 where it has none."""
    joined = [np.concatenate(pair) for pair in zip(labels, others)]
    items = Items.named(joined, len(joined[0]))
    places = np.full((2, items.size), -1, dtype=np.int64)
    mine = len(labels[0])
    places[0, items.of_rows[:mine]] = np.arange(mine)
    places[1, items.of_rows[mine:]] = np.arange(len(others[0]))
    return items.labels, places[0], places[1]


def at_places(sums: NDArray[Any], places: Days) -> NDArray[Any]:
    """The columns of some items, 0 where an item has no place."""
    if not sums.shape[1]:
        return np.zeros((sums.shape[0], len(places)), dtype=sums.dtype)
    return np.where(places >= 0, sums[:, np.maximum(places, 0)], np.zeros(1, dtype=sums.dtype))


def _unplanned(measure: str, planned: tuple[str, ...], lacking: Sequence[str]) -> Note | None:
    """Why the plan says nothing of a measure or of such items; None where it does."""
    if measure not in planned:
        return Note("no base: plan of others", (", ".join(planned),))
    return Note("no base: not planned", (Joined(lacking, Said(" and no ")),)) if lacking else None
