"""The plan as a base: a book of its own, held to the same days, filters and items."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from logochron.core.align.align import Alignment
from logochron.core.align.base_spans import any_part
from logochron.core.book.daybook import Daybook
from logochron.core.book.filters import holds
from logochron.core.book.formulas import LeafSums, all_leaves
from logochron.core.book.items import Items
from logochron.core.book.measures import Measure
from logochron.core.book.span_sums import Spans
from logochron.core.calendars.base import Bools
from logochron.core.days import Days
from logochron.core.errors import QuestionError
from logochron.core.notes import Note, Noted


def check_plan(plan: object, wanted: bool) -> Daybook | None:
    """The plan, where the basis is one.

    Raises
    ------
    QuestionError
        Where one is missing, not asked for, or no daybook.
    """
    if not wanted:
        if plan is not None:
            raise QuestionError("`plan` goes with against='plan' (--against plan)")
        return None
    if not isinstance(plan, Daybook):
        got = "none is given" if plan is None else f"got {type(plan).__name__}"
        raise QuestionError(f"against='plan' needs `plan`, a Daybook from `read_plan` (--plan FILE); {got}")
    return plan


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

    `places` is the place of each tuple among the book's own items, -1 where it has none. `parts` are by leaf of the
    plan's own formulas, `why` is by measure what the plan says nothing of; `present` are the tuples that it says
    anything of.
    """

    labels: tuple[NDArray[np.object_], ...]
    places: Days
    parts: Mapping[str, LeafSums]
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
    keys = [leaf.key for leaf in all_leaves(plan.formulas)]
    found = alike.sums(by, keys, spans)
    places = theirs = np.arange(n)
    if by:
        labels, places, theirs = _united(labels, alike.day_sums(by).items.labels)
    present = np.any([at_places(side != 0, theirs).any(axis=0) for (side,) in found.values()], axis=0)
    parts = {key: LeafSums(at_places(side, theirs), plan.scale_of(key)) for key, (side,) in found.items()}
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
    return Note("no base: not planned", (" and no ".join(lacking),)) if lacking else None
