"""Who came, stayed and left: the items of a comparison gathered by when they were recorded."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from logochron.core.align.bases import Plan
from logochron.core.book.items import RecordLife, places_of
from logochron.core.book.kept_ids import LIFE_GROUPS, LifeSpans
from logochron.core.book.measures import Measure
from logochron.core.choices import FALLING, RISING
from logochron.core.days import Days
from logochron.core.errors import QuestionError
from logochron.core.judge.judging import direction
from logochron.core.rows.prepare import Groupings, Prepared

NEW, BACK, UP, SAME, DOWN, PAUSED, ENDED = range(len(LIFE_GROUPS))


def check_gathered(prepared: Prepared, quantity: Measure | None) -> None:
    """Refuse what has no life of items: several dimensions, the largest alone, a plan as base.

    Of ids that stay in the engine also what would have to be told of each: volume, mix and price, other ids.

    Raises
    ------
    QuestionError
        Saying what to leave out.
    """
    selection = prepared.selection
    if len(selection.by) != 1:
        raise QuestionError("gather='life' is of one dimension; `by` names {0}", ", ".join(selection.by))
    if selection.top is not None or selection.kept != "all":
        raise QuestionError("gather='life' takes all items: leave `top` and items='comparable' out")
    if isinstance(prepared.spec.basis, Plan):
        raise QuestionError("gather='life' holds items against an earlier period: a plan has none that came or left")
    if selection.by[0] not in prepared.book.kept_ids:
        return
    counting = [m.name for m in selection.measures if prepared.counts_ids(m)]
    for option, names in (("quantity", [quantity.name] if quantity else []), ("measures", counting)):
        if names:
            raise QuestionError(
                "`{0}`: {1} is told of single items, and {2} was read by `ids`: read it by `by`",
                option,
                ", ".join(names),
                selection.by[0],
            )


def is_told(prepared: Prepared) -> bool:
    """Whether both sides are known: where one is not, nobody can say who is new, and who left."""
    return bool((prepared.aligned.value_known & prepared.aligned.base_known).all())


def untold(prepared: Prepared, also: Sequence[Measure]) -> Groupings:
    """The rows of a question whose sides are not both known: that of all, and no groups."""
    total = prepared.grouping((), also)
    none = total.at(np.zeros(1, dtype=bool))
    none = none._replace(by=prepared.selection.by, labels=(np.zeros(0, dtype=object),))
    return Groupings(prepared=prepared, items=none, subtotals=(), total=total, full=none)


def groups_of(groupings: Groupings, measure: Measure) -> Days:
    """The group of each item, by a measure's change; of one period.

    Notes
    -----
    By the days with records: in both spans up, same or down; in the value's alone new, where the first of all lies
    after the base's last day, else back; in the base's alone ended, where it has been silent for long enough, else
    paused.
    """
    prepared, items = groupings.prepared, groupings.items
    aligned, book = prepared.aligned, prepared.book
    sums = book.day_sums(items.by)
    # a part of another question has places among the items of that one's book
    places = items.places if prepared.part is None else places_of(sums.items.labels, items.labels)
    now = sums.present([aligned.value_spans()])[places]
    before = sums.present([aligned.base_spans()])[places]
    sides = groupings.sides(measure, items)
    change = sides.value - sides.base
    judging = replace(prepared.selection.judgings[measure.name], bands=())
    moved = direction(change, sides.value, sides.base, np.ones_like(sides.known), judging, sides.scale is not None)[0]
    both = np.where(moved == RISING, UP, np.where(moved == FALLING, DOWN, SAME))
    came = np.where(items.life.first > aligned.base_last()[0], NEW, BACK)
    left = np.where(items.life.has_ended(aligned.starts[:1], book.coverage.last)[0], ENDED, PAUSED)
    groups = np.where(now & before, both, np.where(now, came, left))
    return np.asarray(groups, dtype=np.int64)


def gathered_ids(prepared: Prepared) -> tuple[Groupings, Days]:
    """A row for each group of ids that stay where they were read, and how many are in each."""
    selection, aligned, book = prepared.selection, prepared.aligned, prepared.book
    measure, name = selection.measures[0], selection.by[0]
    total = prepared.grouping(())
    spans = LifeSpans(
        value=_pairs(*aligned.value_spans()),
        base=_pairs(*aligned.base_spans()),
        divisor=int(aligned.part_known.sum()) if len(aligned.part_known) > 1 else None,
        base_last=int(aligned.base_last()[0]),
        start=int(aligned.starts[0]),
        report=book.coverage.last,
        formula=book.formulas[measure.name],
        tolerance=selection.judgings[measure.name].tolerance,
        keys=tuple(total.value),
    )
    sums = book.kept_ids[name].lives(spans)
    rows = total._replace(
        by=(name,),
        labels=(np.array(LIFE_GROUPS, dtype=object)[sums.groups],),
        places=np.full(len(sums.groups), -1),
        value=sums.value,
        base=sums.base,
        life=_lasting(len(sums.groups)),
    )
    return Groupings(prepared=prepared, items=rows, subtotals=(), total=total, full=rows), sums.items


def _pairs(starts: Days, ends: Days) -> tuple[tuple[int, int], ...]:
    """Spans as pairs of days."""
    return tuple(zip(starts.ravel().tolist(), ends.ravel().tolist()))


def gathered(groupings: Groupings, groups: Days) -> tuple[Groupings, Days]:
    """The same with a row for each group that has items, and how many it has."""
    kept, codes, many = np.unique(groups, return_inverse=True, return_counts=True)
    rows = groupings.items.added_up(codes, len(kept))
    rows = rows._replace(labels=(np.array(LIFE_GROUPS, dtype=object)[kept],), life=_lasting(len(kept)))
    return replace(groupings, items=rows, full=rows, compared=None, full_compared=None, worked={}), many


def _lasting(n: int) -> RecordLife:
    """The life of so many groups, which are never new or ended themselves."""
    never = np.zeros(n, dtype=np.int64)
    return RecordLife(never, np.full(n, np.iinfo(np.int64).max), np.full(n, np.inf))
